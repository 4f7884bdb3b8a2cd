"""The frame of a projector in numbers, and what fits it to an object."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import partial

from PySide6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from collage.app.place.view import Chosen
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.outside_list import OutsideList
from collage.app.widgets.panels import quiet, title
from collage.core.actions import projectors as acts
from collage.core.actions.registry import action_of
from collage.core.actions.session import Session
from collage.core.document.model import Card
from collage.core.nodes.library import shown_value
from collage.core.nodes.projectors import PROJECTORS, frame_of

GROUPS = (
    ("centre", "Centre (m)", ("Right", "Up", "Front"), (-1.0, 1.0), None),
    ("turn", "Rotation (°)", ("Tilt", "Turn", "Roll"), (-180.0, 180.0), None),
    ("size", "Size (m)", ("Width", "Height", "Depth"), (0.0, 1.0), 1e-5),
)
SHAPES = ("Flat", "Cylinder", "Sphere")
CAPS = ("Like the side", "Flat")
AXES = (("best", "Best axis"), ("x", "Along X"), ("y", "Along Y"), ("z", "Along Z"))


class ProjectorPanel(QFrame):
    """Fields for one projector of the material in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session, self.name = session, ""
        self.chosen: Chosen | None = None
        self.fields: dict[tuple[str, int], NumberField] = {}
        self.heading, self.about = title("Projector"), quiet("")
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(5)
        for column, (key, group, labels, soft, least) in enumerate(GROUPS):
            grid.addWidget(quiet(group), 0, 2 * column, 1, 2)
            for row, label in enumerate(labels):
                field = self.fields[key, row] = NumberField(0.0, soft=soft, hard=(least, None))
                field.setAccessibleName(f"{group}: {label}")
                field.setToolTip(f"{group}: {label}. Drag, type or use the arrows; Shift fine, Ctrl coarse.")
                field.setFixedWidth(70)
                field.edited.connect(partial(self._edited, key, row))
                grid.addWidget(QLabel(label), row + 1, 2 * column)
                grid.addWidget(field, row + 1, 2 * column + 1)
        self.shape = self._list("Shape", "How the image lies on the frame", SHAPES, partial(self._whole, "shape"))
        self.caps = self._list("Caps", "What lies on the ends of a cylinder", CAPS, partial(self._whole, "caps"))
        self.outside = OutsideList(session)
        self.outside.setFixedWidth(108)
        self.image_turn = NumberField(0.0, soft=(-180.0, 180.0))
        self.image_turn.setAccessibleName("Image turn (°)")
        self.image_turn.setToolTip("Turns the image inside the frame, about its middle")
        self.image_turn.setFixedWidth(108)
        self.image_turn.edited.connect(self._turned_image)
        self.caps_label = QLabel("Caps")
        more = ((QLabel("Shape"), self.shape), (self.caps_label, self.caps), (QLabel("Outside"), self.outside),
                (QLabel("Image turn (°)"), self.image_turn))  # fmt: skip
        self._of_plain = [widget for pair in more for widget in pair]  # a box projector has none of these
        for row, (label_of, widget) in enumerate(more):
            grid.addWidget(label_of, row, 6)
            grid.addWidget(widget, row, 7)
        grid.setColumnStretch(8, 1)
        self._lay_out(grid)
        session.changed.connect(self._on_changed)

    def _list(self, name: str, tip: str, words: Iterable[str], take: Callable[..., None]) -> QComboBox:
        made = QComboBox()
        made.addItems(list(words))
        made.setAccessibleName(name)
        made.setToolTip(tip)
        made.setFixedSize(108, 22)
        made.activated.connect(take)
        return made

    def _lay_out(self, grid: QGridLayout) -> None:
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        fit, centre = action_of(acts.fit_projector), action_of(acts.centre_projector)
        row.addWidget(QLabel("Fit"))
        for axis, label in AXES:
            tip = f"{fit.help} {label}; of what is chosen, or of the object."
            self._button(row, axis, label, tip, partial(self._fit, axis))
        self._button(row, "as it is", "As turned", f"{fit.help} Keeps its rotation.", partial(self._fit, ""))
        row.addSpacing(12)
        self._button(row, "centre", "Centre", centre.help, self._centre)
        row.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addSpacing(12)
        head.addWidget(self.about, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 10)
        whole.addLayout(head)
        whole.addLayout(grid)
        whole.addLayout(row)
        whole.addStretch(1)

    def _button(self, row: QHBoxLayout, key: str, label: str, tip: str, take: Callable[..., None]) -> None:
        button = self.buttons[key] = QPushButton(label)
        button.setToolTip(tip)
        button.clicked.connect(take)
        row.addWidget(button)

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)

    # ---- showing ------------------------------------------------------------------------------

    @property
    def card(self) -> Card | None:
        card = self.session.network.cards.get(self.name)
        return card if card is not None and card.category in PROJECTORS else None

    def show_projector(self, name: str) -> bool:
        """Shows a projector; says whether the card is one."""
        self.name = name
        self._show()
        return self.card is not None

    def _on_changed(self, _before: object, _after: object) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        card = self.card
        if card is None:
            return
        self.heading.setText(self.session.title(self.name))
        space = acts.space_of(self.session, self.name, self.chosen[0] if self.chosen is not None else "")
        self.about.setText(
            "Its position comes from other cards" if space is None
            else f"Stands in the space of {space.name or 'the bench'}"
        )  # fmt: skip
        frame = frame_of(card)
        for (key, row), field in self.fields.items():
            field.set_value(getattr(frame, key)[row])
        tabs = self.session.library.definition(card).inputs
        plain = card.category == "clg_projector"
        for widget in self._of_plain:
            widget.setVisible(plain)
        if plain:
            shape, caps, turn = (shown_value(card, tabs[key]) for key in ("shape", "caps", "image_turn"))
            self.shape.setCurrentIndex(int(shape) if isinstance(shape, int) else 0)
            self.caps.setCurrentIndex(int(caps) if isinstance(caps, int) else 0)
            self.image_turn.set_value(float(turn) if isinstance(turn, int | float) else 0.0)
        for part in (self.caps, self.caps_label):
            part.setEnabled(plain and self.shape.currentIndex() == 1)
        self.outside.show_card(self.name)

    # ---- changing -----------------------------------------------------------------------------

    def _edited(self, key: str, row: int, value: float, moving: bool) -> None:
        card = self.card
        if card is None:
            return
        frame = frame_of(card)
        numbers = [*getattr(frame, key)]
        numbers[row] = value
        made = replace(frame, **{key: (numbers[0], numbers[1], numbers[2])})
        self.session.attempt(
            lambda: acts.place_projector(self.session, self.name, made, merge=f"frame {self.name} {key}{row}")
        )
        if not moving:
            self.session.history.close_merge()

    def _whole(self, name: str, index: int) -> None:
        self.session.set_value(self.name, name, "integer", index, label=name)

    def _turned_image(self, value: float, moving: bool) -> None:
        self.session.set_value(self.name, "image_turn", "float", value, label="image turn", merge=True)
        if not moving:
            self.session.history.close_merge()

    def _fit(self, axis: str, _checked: bool = False) -> None:
        self.session.attempt(lambda: acts.fit_projector(self.session, self.name, *self._of(), axis))

    def _centre(self, _checked: bool = False) -> None:
        self.session.attempt(lambda: acts.centre_projector(self.session, self.name, *self._of()))

    def _of(self) -> Chosen:
        return self.chosen if self.chosen is not None else ("", None)
