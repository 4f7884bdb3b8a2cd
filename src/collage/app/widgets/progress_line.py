"""How far something is: an ink line on paper."""

from __future__ import annotations

from PySide6.QtCore import QRect
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

HEIGHT = 4


class ProgressLine(QWidget):
    """A share from 0 to 1."""

    def __init__(self) -> None:
        super().__init__()
        self.share = 0.0
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Progress")

    def set_share(self, share: float) -> None:
        """Draws the line as long as the share says; less than 0 and more than 1 are none and all of it."""
        self.share = min(max(share, 0.0), 1.0)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.palette().base())
        painter.fillRect(QRect(0, 0, round(self.width() * self.share), HEIGHT), self.palette().text())
        painter.end()
