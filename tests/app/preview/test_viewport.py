"""The preview under a hand that does not rest, and the whole picture once it does."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
import pytest
from places import dragged_to, wire_of
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from collage.app.shell.start import settle, wait_until
from collage.app.shell.window import MainWindow
from collage.core.project.pictures import picture_request

NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier
LEFT = Qt.MouseButton.LeftButton


class Shown:
    """What the preview has shown since."""

    def __init__(self, window: MainWindow) -> None:
        self.viewport = wire_of(window).preview
        self.cameras: list[object] = []
        self.qualities: list[tuple[str, bool]] = []
        self.viewport.shown_changed.connect(self._note)

    def _note(self) -> None:
        shown, picture = self.viewport.shown, self.viewport.picture
        self.cameras.append((shown.bench.camera, shown.bench.lights))
        self.qualities.append((shown.quality, picture.complete))


def steady(window: MainWindow, keys: Qt.KeyboardModifier, until: Callable[[], bool], seconds: float = 120.0) -> int:
    """Moves with the button held and never rests, until something is so; how many moves it took."""
    viewport = wire_of(window).preview
    middle = QPoint(viewport.width() // 2, viewport.height() // 2)
    QTest.mousePress(viewport, LEFT, keys, middle)
    number, end = 0, time.monotonic() + seconds
    while not until() and time.monotonic() < end:
        number += 1
        place = middle + QPoint(round(60 * np.sin(number / 9)), round(20 * np.sin(number / 7)))
        move = QMouseEvent(
            QEvent.Type.MouseMove, QPointF(place), QPointF(viewport.mapToGlobal(place)), LEFT, LEFT, keys
        )
        QApplication.sendEvent(viewport, move)
        QTest.qWait(4)
    assert until(), "pictures come while the hand moves"
    return number


@pytest.mark.parametrize("keys", [NONE, ALT], ids=["turning", "light"])
def test_pictures_come_while_the_hand_moves_and_the_whole_one_when_it_rests(window: MainWindow, keys) -> None:
    shown, viewport = Shown(window), wire_of(window).preview
    steps = len(window.history.labels)
    steady(window, keys, lambda: len(set(map(str, shown.cameras))) >= 6)
    assert {quality for quality, _ in shown.qualities} == {"coarse"}, "no whole picture is begun under a moving hand"
    QTest.mouseRelease(viewport, LEFT, keys, QPoint(20, 20))
    assert settle(window)
    assert shown.qualities[-1] == ("draft", True)
    session = window.session
    request = picture_request(session.shown_project, *viewport.full_size(), folder=session.base_folder)
    assert viewport.shown.bench == request.bench
    expected = window.studio.renderer.picture(request).display.astype(int)
    assert np.abs(viewport.picture.display.astype(int) - expected).max() <= 1
    assert len(window.history.labels) - steps <= 1, "one drag is one step at most"


def test_a_value_that_changes_steadily_is_seen_to_change(window: MainWindow) -> None:
    viewport = wire_of(window).preview
    name, seen = window.session.material, set()
    viewport.shown_changed.connect(lambda: seen.add(viewport.shown.materials[name].cards["dry"].inputs["fg"].value))
    number, end = 0, time.monotonic() + 120
    while len(seen) < 5 and time.monotonic() < end:
        number += 1
        dragged_to(window, "dry", "fg", 0.5 + 0.001 * number)
    assert len(seen) >= 5
    assert settle(window)
    assert viewport.shown.materials[name].cards["dry"].inputs["fg"].value == pytest.approx(0.5 + 0.001 * number)
    assert viewport.shown.quality == "draft"


def test_a_new_size_is_shown_whole(window: MainWindow) -> None:
    viewport = wire_of(window).preview
    window.resize(1100, 700)
    assert wait_until(lambda: viewport.settled)
    assert viewport.picture.display.shape[:2] == (viewport.full_size()[1], viewport.full_size()[0])
    assert viewport.picture.complete


def test_straight_from_above_is_looked_at_and_lit(window: MainWindow) -> None:
    """Nothing is undefined with the camera and the light overhead; a further drag up changes nothing."""
    viewport, session = wire_of(window).preview, window.session
    viewport.look(viewport.camera.model_copy(update={"height": 90.0}))
    bench = session.project.bench
    over = tuple(light.model_copy(update={"height": 90.0}) for light in bench.lights)
    session.history.do("Light", lambda project: project.with_bench(bench.model_copy(update={"lights": over})))
    assert settle(window)
    picture = viewport.picture
    assert picture.problems == {}
    assert np.isfinite(picture.linear).all()
    objects = set(np.unique(picture.objects)) - {-1, -2}
    assert objects, "the pot is there from above"
    assert picture.linear[picture.objects >= 0].mean() > 0.01
