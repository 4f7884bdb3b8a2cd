"""A field to pick one of many things by typing parts of its name."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QListWidgetItem, QWidget

from collage.app.widgets.search_popup import SearchPopup


@dataclass(frozen=True)
class Choice:
    """Something to pick: what is read, what is found by, and what is handed over."""

    text: str
    data: Any
    note: str = ""
    picture: QPixmap | None = None


class PickField(SearchPopup):
    """Hands over what was picked."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, 320)
        self._choices: Sequence[Choice] = ()
        self._picked: Callable[[Any], None] = lambda _: None

    def ask(self, at: QPoint, what: str, choices: Sequence[Choice], picked: Callable[[Any], None]) -> None:
        """Opens at a point of the parent. what : the line's hint, which is its name for screen readers too."""
        self._choices, self._picked = choices, picked
        self.line.setPlaceholderText(what)
        self.line.setAccessibleName(what)
        self.open_at(at)

    def search(self, text: str) -> None:
        self.found.clear()
        words = text.lower().split()
        for choice in self._choices:
            looked = f"{choice.text} {choice.note}".lower()
            if all(word in looked for word in words):
                shown = f"{choice.text}  ·  {choice.note}" if choice.note else choice.text
                self.add_row(shown, choice, choice.picture)
        if not self.found.count():
            none = QListWidgetItem("No match")
            none.setFlags(Qt.ItemFlag.NoItemFlags)
            self.found.addItem(none)
        self.found.setCurrentRow(0)

    def take(self, item: QListWidgetItem | None) -> None:
        choice = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if choice is not None:
            self.leave()
            self._picked(choice.data)
