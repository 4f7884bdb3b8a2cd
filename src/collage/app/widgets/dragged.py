"""A widget whose value follows the mouse while its button is down."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QWidget


class Dragged(QWidget):
    """Subclasses say in `take` what a place of the mouse means; `moving` is over when the button is let go."""

    def take(self, event: QMouseEvent, moving: bool) -> None:
        raise NotImplementedError

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.take(event, True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.take(event, True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.take(event, False)
