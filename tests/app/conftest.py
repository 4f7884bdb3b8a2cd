"""A real window on the demo, idle and shown; what a hand does to it; and nothing left open afterwards."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from collage.app.preview import card_pictures, viewport
from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, settle
from collage.app.shell.window import MainWindow
from collage.core.document import materialx
from collage.core.evaluate.run import Workers
from collage.core.images.files import read_pixels, write_image
from collage.core.images.store import ImageStore
from collage.core.render.renderer import Renderer
from once import made_once

read_once = lru_cache(maxsize=64)(materialx.parse_document)


@pytest.fixture(autouse=True)
def small_pictures(monkeypatch: pytest.MonkeyPatch) -> None:
    """Pictures of a window have a quarter of its pixels, as they have fewer on a screen of very many."""
    monkeypatch.setattr(viewport, "MOST_PIXELS", 32_000)


@pytest.fixture(autouse=True)
def nothing_left(qapp) -> Iterator[None]:
    """Windows that a test made by itself are gone after it: every widget that stays makes the next windows slower."""
    before = set(map(id, QApplication.topLevelWidgets()))
    yield
    for widget in QApplication.topLevelWidgets():
        if id(widget) not in before:
            widget.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(scope="session")
def kinds() -> dict[str, QImage]:
    return {}


@pytest.fixture(autouse=True)
def kinds_drawn_once(kinds: dict[str, QImage], monkeypatch: pytest.MonkeyPatch) -> None:
    """Pictures of the kinds of cards are the same in every window."""
    draw = card_pictures.pictures_of_kinds

    def drawn(*given) -> dict[str, QImage]:
        overtaken = given[-1]
        made = kinds or draw(*given)
        if not overtaken():
            kinds.update(made)
        return dict(made)

    monkeypatch.setattr(card_pictures, "pictures_of_kinds", drawn)


@pytest.fixture(scope="session")
def shed(whole_shed: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo, its maps a quarter as wide: every window reads them anew."""

    def make(folder: Path) -> None:
        shutil.copytree(whole_shed, folder)
        for path in (folder / "maps").rglob("*.*"):
            pixels = read_pixels(path)
            height, width, channels = pixels.shape
            blocks = pixels.reshape(height // 4, 4, width // 4, 4, channels).astype(np.float32)
            write_image(path, blocks.mean(axis=(1, 3)).astype(pixels.dtype))

    return made_once(tmp_path_factory, "small shed", make)


@pytest.fixture(scope="session")
def own_place(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the demo lies for each test anew: what is kept of its materials counts for the next window as well."""
    return tmp_path_factory.mktemp("work")


@pytest.fixture
def project(shed: Path, own_place: Path) -> Iterator[Path]:
    """The demo in a folder of the test's own."""
    yield Path(shutil.copytree(shed, own_place / "shed"))
    shutil.rmtree(own_place / "shed")


@pytest.fixture(scope="session")
def renderer(library) -> Renderer:
    """One for all windows of a process, that outlives them: what it keeps is right whoever asks."""
    made = Renderer(library, ImageStore(), Workers())
    for one, name in ((made.caches, "clear"), (made.images, "close"), (made.workers, "close")):
        setattr(one, name, lambda: None)
    return made


@pytest.fixture(autouse=True)
def documents_read_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """The same text is the same document, which never changes."""
    monkeypatch.setattr(materialx, "parse_document", read_once)


@pytest.fixture
def open_window(library, renderer, tmp_path: Path, qapp) -> Iterator[Callable[..., MainWindow]]:
    made: list[MainWindow] = []

    def make(folder: Path | None, **options) -> MainWindow:
        options = {"settings": Settings(memory=400), "desks": tmp_path / "desks", "renderer": renderer, **options}
        window = make_window(folder, library=library, settings_file=tmp_path / "settings.json", **options)
        window.resize(1280, 800)
        window.show()
        made.append(window)
        assert settle(window, 100), "the window comes to rest"
        wire_of(window).board.fit_all()
        return window

    yield make
    for window in made:
        window.session._clean = window.session.project
        window.close()
        window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    left = [one for one in QApplication.topLevelWidgets() if one.isVisible() and not isinstance(one, MainWindow)]
    assert left == [], "no dialog is left open"


@pytest.fixture
def window(open_window, project: Path) -> MainWindow:
    return open_window(project)


class Hand:
    """Mouse and keyboard on a widget."""

    @staticmethod
    def _send(
        widget: QWidget,
        kind: QEvent.Type,
        at: QPoint,
        button: Qt.MouseButton,
        buttons: Qt.MouseButton,
        keys: Qt.KeyboardModifier,
    ) -> None:
        place = QPointF(at)
        event = QMouseEvent(kind, place, QPointF(widget.mapToGlobal(at)), button, buttons, keys)
        QApplication.sendEvent(widget, event)

    def drag(
        self,
        widget: QWidget,
        start: QPoint,
        end: QPoint,
        *,
        button: Qt.MouseButton = Qt.MouseButton.LeftButton,
        keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        steps: int = 6,
        release: bool = True,
    ) -> None:
        none = Qt.MouseButton.NoButton
        self._send(widget, QEvent.Type.MouseMove, start, none, none, keys)
        self._send(widget, QEvent.Type.MouseButtonPress, start, button, button, keys)
        for step in range(1, steps + 1):
            at = start + (end - start) * (step / steps)
            self._send(widget, QEvent.Type.MouseMove, QPoint(round(at.x()), round(at.y())), none, button, keys)
        if release:
            self._send(widget, QEvent.Type.MouseButtonRelease, end, button, none, keys)

    def drop(self, widget: QWidget, at: QPoint) -> None:
        """Ends a drag that was begun without letting go."""
        left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
        self._send(widget, QEvent.Type.MouseMove, at, none, left, Qt.KeyboardModifier.NoModifier)
        self._send(widget, QEvent.Type.MouseButtonRelease, at, left, none, Qt.KeyboardModifier.NoModifier)

    def move(self, widget: QWidget, at: QPoint) -> None:
        none = Qt.MouseButton.NoButton
        self._send(widget, QEvent.Type.MouseMove, at, none, none, Qt.KeyboardModifier.NoModifier)

    def click(self, widget: QWidget, at: QPoint) -> None:
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)

    def double_click(self, widget: QWidget, at: QPoint) -> None:
        QTest.mouseDClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)

    def wheel(self, widget: QWidget, at: QPoint, turn: int) -> None:
        event = QWheelEvent(
            QPointF(at), QPointF(widget.mapToGlobal(at)), QPoint(0, 0), QPoint(0, turn), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)

    def key(self, widget: QWidget, key: Qt.Key, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(widget, key, keys)

    def type(self, widget: QWidget, text: str) -> None:
        QTest.keyClicks(widget, text)


@pytest.fixture
def hand() -> Hand:
    return Hand()
