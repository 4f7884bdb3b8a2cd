"""The preview under a moving hand, in the real window, 640 x 480: mouse events every 16 ms for three seconds.

Prints how many pictures a second are painted, the longest time without a new one, and how long after an event the
picture that shows it is there.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from benchmarks.timing import row
from collage.app.preview.viewport import Viewport
from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, settle
from collage.app.shell.window import MainWindow
from collage.core.document import edits
from collage.demo.shed import make_sample

EVERY, LASTING = 0.016, 3.0
MATERIAL, CARD, INPUT = "Lime-bloomed clay", "dry", "fg"


class _Watch:
    """Notes when events were sent and when pictures came, and what each picture shows."""

    def __init__(self, viewport: Viewport, shown: Callable[[], object]) -> None:
        self._viewport, self._shown = viewport, shown
        self.sent: list[tuple[float, object]] = []
        self.came: list[tuple[float, object]] = []
        viewport.shown_changed.connect(self._note)

    def _note(self) -> None:
        self.came.append((time.perf_counter(), self._shown()))

    def drive(self, event: Callable[[int], object]) -> None:
        """event : sends the event of this number, and returns what a picture that answers it shows."""
        begin = time.perf_counter()
        number = 0
        while time.perf_counter() - begin < LASTING:
            due = begin + number * EVERY
            while time.perf_counter() < due:
                QApplication.processEvents()
                time.sleep(0.0005)
            self.sent.append((time.perf_counter(), event(number)))
            number += 1
        QApplication.processEvents()
        self._viewport.shown_changed.disconnect(self._note)

    def tell(self, what: str) -> None:
        times = [self.sent[0][0], *(at for at, _ in self.came), self.sent[-1][0]]
        standstill = max(np.diff(times))
        waits = []
        for at, state in self.came:
            asked = [when for when, wanted in self.sent if wanted == state and when <= at]
            waits += [at - asked[-1]] if asked else []
        late = f"{np.percentile(waits, 95) * 1e3:.0f} ms" if waits else "never"
        row(
            f"{what}: pictures a second",
            f"{len(self.came) / LASTING:.1f}",
            f"standstill {standstill * 1e3:.0f} ms, 95 % within {late}",
        )


def _window(folder: Path) -> MainWindow:
    place = folder.parent
    window = make_window(folder, settings=Settings(), settings_file=place / "hand.json", desks=place / "hand-desks")
    window.resize(1600, 1000)
    window.place("Wire").preview.setFixedSize(640, 480)
    window.show()
    settle(window)
    return window


def _dragged(
    window: MainWindow, what: str, keys: Qt.KeyboardModifier, shown: Callable[[], object], wanted: Callable[[], object]
) -> None:
    viewport = window.place("Wire").preview
    left, middle = Qt.MouseButton.LeftButton, QPoint(viewport.width() // 2, viewport.height() // 2)
    QTest.mousePress(viewport, left, keys, middle)
    watch = _Watch(viewport, shown)

    def event(number: int) -> object:
        angle = number * 0.05
        _move(viewport, middle + QPoint(round(80 * np.sin(angle)), round(30 * np.sin(angle * 0.7))), keys)
        return wanted()

    watch.drive(event)
    QTest.mouseRelease(viewport, left, keys, middle)
    settle(window)
    watch.tell(what)


def _move(viewport: Viewport, place: QPoint, keys: Qt.KeyboardModifier) -> None:
    """A move with the button held, as the system sends it."""
    left = Qt.MouseButton.LeftButton
    event = QMouseEvent(QEvent.Type.MouseMove, QPointF(place), QPointF(viewport.mapToGlobal(place)), left, left, keys)
    QApplication.sendEvent(viewport, event)


def measure(folder: Path) -> None:
    window = _window(folder)
    viewport = window.place("Wire").preview
    none, alt = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier
    _dragged(window, "turning", none, lambda: viewport.shown.bench.camera, lambda: viewport.camera)
    _dragged(window, "moving the light", alt, lambda: viewport.shown.bench, lambda: viewport.request().bench)
    _value_dragged(window, "dragging a value", (MATERIAL, CARD, INPUT), (0.7, 0.2))
    window.session._clean = window.session.project
    window.close()


def _value_dragged(
    window: MainWindow, what: str, where: tuple[str, str, str], middle_and_reach: tuple[float, float]
) -> None:
    """where : the material, its card and the input whose value swings around a middle."""
    viewport, session = window.place("Wire").preview, window.session
    material, card, name = where
    middle, reach = middle_and_reach
    session.select([card])  # a value is dragged where the chosen card's controls are
    settle(window)
    watch = _Watch(viewport, lambda: viewport.shown.materials[material].cards[card].inputs[name].value)

    def event(number: int) -> object:
        value = round(middle + reach * float(np.sin(number * 0.05)), 5)
        network = edits.set_value(session.project.materials[material], card, name, "float", value)
        changed = session.project.with_material(material, network)
        session.history.do("Value", lambda _project: changed, merge="value")
        return value

    watch.drive(event)
    settle(window)
    watch.tell(what)


def measure_relief(folder: Path) -> None:
    """The depth of the yard's floor, with all other objects on it. folder : where the sample is written."""
    make_sample("yard", folder)
    window = _window(folder)
    window.session.show_material("Slate floor")
    QTest.qWait(2500)  # a person looks first
    settle(window)
    _value_dragged(window, "dragging the floor's depth", ("Slate floor", "depth", "depth"), (0.012, 0.006))
    window.session._clean = window.session.project
    window.close()
