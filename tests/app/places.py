"""The places of a window, and where things are on its board, in the pixels of its viewport."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from collage.app.gather.place import GatherPlace
from collage.app.shell.window import MainWindow
from collage.app.wire.place import WirePlace
from collage.core.document import edits


def wire_of(window: MainWindow) -> WirePlace:
    """The window's Wire place."""
    place = window.place("Wire")
    assert isinstance(place, WirePlace)
    return place


def gather_of(window: MainWindow) -> GatherPlace:
    """The window's Gather place."""
    place = window.place("Gather")
    assert isinstance(place, GatherPlace)
    return place


def out_tab(window: MainWindow, card: str, output: str = "") -> QPoint:
    return wire_of(window).board.mapFromScene(wire_of(window).board.cards[card].output_place(output))


def in_tab(window: MainWindow, card: str, name: str) -> QPoint:
    return wire_of(window).board.mapFromScene(wire_of(window).board.cards[card].input_place(name))


def middle(window: MainWindow, card: str) -> QPoint:
    item = wire_of(window).board.cards[card]
    return wire_of(window).board.mapFromScene(item.mapToScene(60, 40))


def landing(window: MainWindow, name: str) -> QPoint:
    return wire_of(window).board.mapFromScene(wire_of(window).board.landings[name].pos()) + QPoint(30, 0)


def drop(widget: QWidget, *paths: Path, at: QPoint | None = None) -> None:
    """Drops files on a widget, in its middle unless told where."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    at, copy = at or widget.rect().center(), Qt.DropAction.CopyAction
    left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(at, copy, mime, left, none)
    QApplication.sendEvent(widget, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(widget, QDropEvent(QPointF(at), copy, mime, left, none))


def dragged_to(window: MainWindow, card: str, name: str, value: float) -> None:
    """One step of a hand that drags a number of the material in hand, and a moment until the next."""
    session = window.session
    network = edits.set_value(session.project.materials[session.material], card, name, "float", value)
    changed = session.project.with_material(session.material, network)
    session.history.do("Value", lambda _before: changed, merge="value")
    QTest.qWait(8)
