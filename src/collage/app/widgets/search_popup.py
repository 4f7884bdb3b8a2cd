"""A line to type in with a list below it, over the widget that it belongs to."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QPoint, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPixmap
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from collage.app.preview.images import picture_icon


class SearchPopup(QFrame):
    """Arrow keys choose, Enter or a click takes, Escape closes. Subclasses fill the list and take from it."""

    def __init__(self, parent: QWidget, width: int) -> None:
        super().__init__(parent)
        self.setObjectName("popup")
        self._over = parent
        self.line = QLineEdit()
        self.line.textChanged.connect(self.search)
        self.line.installEventFilter(self)
        self.found = QListWidget()
        self.found.setObjectName("found")
        self.found.setIconSize(QSize(40, 24))
        self.found.setUniformItemSizes(True)
        self.found.itemClicked.connect(self.take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.addWidget(self.line)
        layout.addWidget(self.found)
        self.setFixedSize(width, 320)
        self.hide()

    def search(self, text: str) -> None:
        """Fills the list with what fits the text."""
        raise NotImplementedError

    def take(self, item: QListWidgetItem | None) -> None:
        """Takes a row of the list."""
        raise NotImplementedError

    def open_at(self, at: QPoint) -> None:
        """Opens near a point of the parent, all of it to be seen."""
        room = self._over.rect()
        x = min(max(at.x() - 20, 4), max(room.width() - self.width() - 4, 4))
        y = min(max(at.y() - 12, 4), max(room.height() - self.height() - 4, 4))
        self.move(x, y)
        self.line.clear()
        self.search("")
        self.show()
        self.raise_()
        self.line.setFocus()

    def leave(self) -> None:
        self.hide()
        self._over.setFocus()

    def add_row(self, text: str, data: object, picture: QPixmap | None, tip: str = "") -> None:
        item = QListWidgetItem(text)
        item.setData(Qt.ItemDataRole.UserRole, data)
        item.setToolTip(tip)
        if picture is not None:
            item.setIcon(picture_icon(picture))
        self.found.addItem(item)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.found.setCurrentRow(min(max(self.found.currentRow() + step, 0), self.found.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.take(self.found.currentItem())
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.leave()
                return True
        if event.type() == QEvent.Type.FocusOut and not self.found.hasFocus():
            self.hide()
        return super().eventFilter(watched, event)
