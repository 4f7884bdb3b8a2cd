"""A field to pick one of many things by typing parts of its name."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QEvent, QObject, QPoint, QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPixmap
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


@dataclass(frozen=True)
class Choice:
    """Something to pick: what is read, what is found by, and what is handed over."""

    text: str
    data: Any
    note: str = ""
    picture: QPixmap | None = None


class PickField(QFrame):
    """Opens over its parent; Enter or a click picks, Escape closes."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("popup")
        self._over = parent
        self._choices: Sequence[Choice] = ()
        self._picked: Callable[[Any], None] = lambda _: None
        self.line = QLineEdit()
        self.line.textChanged.connect(self._search)
        self.line.installEventFilter(self)
        self.found = QListWidget()
        self.found.setIconSize(QSize(40, 24))
        self.found.setUniformItemSizes(True)
        self.found.itemClicked.connect(self._take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.addWidget(self.line)
        layout.addWidget(self.found)
        self.setFixedSize(320, 320)
        self.hide()

    def ask(self, at: QPoint, what: str, choices: Sequence[Choice], picked: Callable[[Any], None]) -> None:
        """Opens at a point of the parent. what : the line's hint, which is its name for screen readers too."""
        self._choices, self._picked = choices, picked
        self.line.setPlaceholderText(what)
        self.line.setAccessibleName(what)
        room = self._over.rect()
        x = min(max(at.x() - 20, 4), max(room.width() - self.width() - 4, 4))
        y = min(max(at.y() - 12, 4), max(room.height() - self.height() - 4, 4))
        self.move(x, y)
        self.line.clear()
        self._search("")
        self.show()
        self.raise_()
        self.line.setFocus()

    def _search(self, text: str) -> None:
        self.found.clear()
        words = text.lower().split()
        for choice in self._choices:
            looked = f"{choice.text} {choice.note}".lower()
            if all(word in looked for word in words):
                item = QListWidgetItem(f"{choice.text}  ·  {choice.note}" if choice.note else choice.text)
                item.setData(Qt.ItemDataRole.UserRole, choice)
                if choice.picture is not None:
                    icon = QIcon(choice.picture)
                    icon.addPixmap(choice.picture, QIcon.Mode.Selected)
                    item.setIcon(icon)
                self.found.addItem(item)
        if not self.found.count():
            none = QListWidgetItem("Nothing of that name")
            none.setFlags(Qt.ItemFlag.NoItemFlags)
            self.found.addItem(none)
        self.found.setCurrentRow(0)

    def _take(self, item: QListWidgetItem | None) -> None:
        choice = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if choice is not None:
            self._close()
            self._picked(choice.data)

    def _close(self) -> None:
        self.hide()
        self._over.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.found.setCurrentRow(min(max(self.found.currentRow() + step, 0), self.found.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.found.currentItem())
                return True
            if event.key() == Qt.Key.Key_Escape:
                self._close()
                return True
        if event.type() == QEvent.Type.FocusOut and not self.found.hasFocus():
            self.hide()
        return super().eventFilter(watched, event)
