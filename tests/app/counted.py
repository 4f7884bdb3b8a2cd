"""A hand whose actions are counted, for whole pieces of work in the real window."""

from __future__ import annotations

from pathlib import Path

from places import landing, out_tab, wire_of
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QWidget

from collage.app.shell.window import MainWindow


class Counted:
    """A hand whose actions are counted: a click, a drag, a drop, a word typed, a key."""

    def __init__(self, window: MainWindow, hand) -> None:
        self.window, self.hand, self.actions = window, hand, 0
        self.view = wire_of(window).board.viewport()

    def drop(self, path: Path, at: QPoint) -> str:
        self.actions += 1
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(
            QPointF(at), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        wire_of(self.window).board.dropEvent(event)
        return self.window.session.selection[0]

    def add(self, words: str) -> str:
        """Enter, the words, Enter."""
        self.actions += 1
        wire_of(self.window).board.setFocus()
        self.hand.key(wire_of(self.window).board, Qt.Key.Key_Return)
        return self.choose(words)

    def choose(self, words: str) -> str:
        self.actions += 2
        self.hand.type(wire_of(self.window).add_field.line, words)
        self.hand.key(wire_of(self.window).add_field.line, Qt.Key.Key_Return)
        return self.window.session.selection[0]

    def drag(self, start: QPoint, end: QPoint, widget=None) -> None:
        self.actions += 1
        self.hand.drag(widget or self.view, start, end)

    def wire_to_landing(self, card: str, name: str) -> None:
        """A drag to the right border, where the channels that fit show while the wire is in hand."""
        self.actions += 1
        start = out_tab(self.window, card)
        border = QPoint(self.view.width() - 120, start.y())
        self.hand.drag(self.view, start, border, release=False)
        self.hand.drop(self.view, landing(self.window, name))

    def offer(self, label: str) -> None:
        """A click on one of the inputs that are offered."""
        self.actions += 1
        menu = [one for one in wire_of(self.window).board.findChildren(QMenu, "offers") if one.isVisible()][-1]
        action = next(action for action in menu.actions() if action.text().startswith(label))
        action.trigger()
        menu.close()

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        self.actions += 1
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at or QPoint())

    def double_click(self, widget: QWidget, at: QPoint | None = None) -> None:
        self.actions += 1
        place = at or widget.rect().center()
        QTest.mouseDClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place)

    def key(self, key: Qt.Key, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.ControlModifier) -> None:
        self.actions += 1
        QTest.keyClick(self.window, key, keys)

    def menu(self, label: str) -> None:
        """Two clicks: the menu, and its entry."""
        self.actions += 2
        action = self.window.menus.actions[label]
        assert action.isEnabled()
        action.trigger()

    def number(self, field: QWidget, text: str) -> None:
        """A click on a number, and typing another one."""
        self.actions += 2
        QTest.mouseClick(field, Qt.MouseButton.LeftButton)
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
