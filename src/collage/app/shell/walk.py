"""The first walk: one step at a time in a line below the places. What was done takes it further by itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

from collage.core.actions.session import Session
from collage.core.evaluate.plan import CardOutput
from collage.core.project.state import Project
from collage.core.scene.cameras import Camera

GO_ON = 900  # milliseconds that a step that is done stays


@dataclass(frozen=True)
class Seen:
    """What a step looks at to know that it is done."""

    project: Project
    camera: Camera
    peeked: CardOutput | None
    cards: int
    roughness: bool  # whether something is wired into it


def _now(session: Session) -> Seen:
    surface = session.surface
    roughness = surface.inputs.get("specular_roughness") if surface is not None else None
    wired = roughness is not None and roughness.wire is not None
    return Seen(session.project, session.camera, session.peeked, len(session.network.cards), wired)


Done = Callable[[Seen, Seen], bool]


def _never(_before: Seen, _now: Seen) -> bool:
    return False


STEPS: tuple[tuple[str, Done], ...] = (
    (
        "Drag in the preview to orbit, wheel to zoom, Alt+drag to move the light.",
        lambda before, now: now.camera != before.camera,
    ),
    (
        "Click the card Bloom edge, then drag High in the controls below the board: the lime grows and fades.",
        lambda before, now: now.project is not before.project,
    ),
    ("Press Space to peek at that card alone; Space again goes back.", lambda _, now: now.peeked is not None),
    (
        "Press Enter on the board, type cells, press Enter: a card of cells is added.",
        lambda before, now: now.cards > before.cards,
    ),
    (
        "Drag from the tab at its right edge to the landing Roughness at the right border of the board.",
        lambda before, now: now.roughness and not before.roughness,
    ),
    ("Drop the card's picture on another card: the inputs that fit are offered.", _never),
    ("K skips the selected card, H tidies the board, Ctrl+Z undoes.", _never),
    ("Base, Rough, Normal and Clay below the preview show one thing alone. F6 makes it large.", _never),
    ("Ctrl+S saves, Ctrl+R renders an image, Ctrl+/ lists all shortcuts.", _never),
)


class Walk(QFrame):
    """Hidden while nobody walks."""

    ended = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.step = -1
        self.setObjectName("panel")
        self.setAccessibleName("First walk")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 14, 6)
        self.count, self.text = QLabel(), QLabel()
        self.count.setObjectName("quiet")
        self.text.setWordWrap(True)
        row.addWidget(self.count)
        row.addWidget(self.text, 1)
        self.back, self.next, self.close_button = QPushButton("Back"), QPushButton("Next"), QPushButton("Close")
        for button, tip, run in (
            (self.back, "The step before", partial(self._move, -1)),
            (self.next, "The next step", partial(self._move, 1)),
            (self.close_button, "End the walk", self.end),
        ):
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, run=run: run())
            row.addWidget(button)
        self._before = _now(session)
        self._on = QTimer(self)
        self._on.setSingleShot(True)
        self._on.setInterval(GO_ON)
        self._on.timeout.connect(partial(self._move, 1))
        self._signals = (session.changed, session.camera_changed, session.peek_changed)
        for signal in self._signals:
            signal.connect(self._look)
        self.hide()

    def begin(self) -> None:
        """Shows the first step."""
        self.step = 0
        self._show()
        self.show()

    def end(self) -> None:
        """Hides it again."""
        self._on.stop()
        self.step = -1
        self.hide()
        self.ended.emit()

    def close_down(self) -> None:
        self._on.stop()
        for signal in self._signals:
            signal.disconnect(self._look)

    def _move(self, steps: int) -> None:
        self._on.stop()
        self.step = min(max(self.step + steps, 0), len(STEPS) - 1)
        self._show()

    def _show(self) -> None:
        self._before = _now(self.session)
        self.count.setText(f"{self.step + 1} of {len(STEPS)}")
        self.text.setText(STEPS[self.step][0])
        self.back.setEnabled(self.step > 0)
        self.next.setEnabled(self.step + 1 < len(STEPS))

    def _look(self, *_: object) -> None:
        if self.step >= 0 and not self._on.isActive() and STEPS[self.step][1](self._before, _now(self.session)):
            self.count.setText(f"{self.step + 1} of {len(STEPS)} · done")
            self._on.start()
