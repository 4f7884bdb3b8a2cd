"""A page of all shortcuts, with a search."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

OTHERS = (
    ("Add a card", "Enter or double-click on the empty board"),
    ("Peek at the selected card", "Space"),
    ("Skip the selected cards", "K"),
    ("Tidy the board", "H"),
    ("Remove the selected cards", "Del"),
    ("Step along the chain", "Arrow keys on the board"),
    ("Before: without the selected cards", "Hold B; over a channel: its default"),
    ("Before: without normal maps, bump, displacement", "Hold 1, 2, 3 in the preview"),
    ("Grazing light, to judge relief", "G in the preview"),
    ("Section line: an object's profile, to scale", "L in the preview"),
    ("Cut wires", "Right drag across them"),
    ("Take a card out of its chain", "Ctrl+drag"),
    ("Take all wires of a tab to another", "Ctrl+drag from the tab"),
    ("Wire several cards at once", "Select them and drag from one of their tabs"),
    ("Change a wire's conversion", "Click the mark on it"),
    ("Edit a box title or a note", "Double-click it"),
    ("Value menu", "Right-click it: default, copy, paste, link"),
    ("Show all cards", "Home on the board"),
    ("Leave a group, end a peek", "Esc"),
    ("Pan the board", "Middle drag, or Shift+drag on the empty board"),
    ("Zoom the board", "Wheel"),
    ("Orbit", "Drag in the preview, or arrow keys"),
    ("Pan", "Shift+drag or middle drag in the preview"),
    ("Zoom", "Wheel or + in the preview"),
    ("Move the light", "Alt+drag in the preview"),
    ("Pick an object", "Click in the preview"),
    ("Frame an object", "Double-click in the preview"),
    ("Fine steps in a number", "Shift while dragging"),
    ("Coarse steps in a number", "Ctrl while dragging"),
    ("Default of a value", "Double-click the field"),
)


class ShortcutsDialog(QDialog):
    """What the keys and the mouse do."""

    def __init__(self, actions: Mapping[str, QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Shortcuts")
        self.resize(520, 520)
        rows = [
            (name, action.shortcut().toString()) for name, action in actions.items() if not action.shortcut().isEmpty()
        ]
        self._rows = [*rows, *OTHERS]
        self.line = QLineEdit()
        self.line.setPlaceholderText("Find a shortcut")
        self.line.setAccessibleName("Find a shortcut")
        self.line.setToolTip("Search actions and keys")
        self.line.textChanged.connect(self._fill)
        self.table = QTableWidget(0, 2)
        self.table.setAccessibleName("Shortcuts")
        self.table.setToolTip("Actions and their shortcuts")
        self.table.setHorizontalHeaderLabels(["Action", "Shortcut"])
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.table)
        self._fill("")

    def _fill(self, text: str) -> None:
        shown = [row for row in self._rows if text.lower() in " ".join(row).lower()]
        self.table.setRowCount(len(shown))
        for number, row in enumerate(shown):
            for column, words in enumerate(row):
                item = QTableWidgetItem(words)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                self.table.setItem(number, column, item)
