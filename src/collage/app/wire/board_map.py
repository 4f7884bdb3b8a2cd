"""A small map of the board: where its cards lie, and which part of it is in view."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from collage.app.theme import Theme

SIZE = (150, 96)


class BoardMap(QWidget):
    """Drawn over a corner of the board; a click or a drag brings that place into view."""

    wanted = Signal(QPointF)  # a scene place to look at

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = theme
        self._cards: list[tuple[QRectF, bool]] = []
        self._view = QRectF()
        self._all = QRectF(0, 0, 1, 1)
        self.setFixedSize(*SIZE)
        self.setToolTip("Board overview; click to go there")
        self.setAccessibleName("Map of the board")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_state(self, cards: list[tuple[QRectF, bool]], view: QRectF) -> None:
        """cards : where they lie, and whether each is chosen. view : what the board shows."""
        self._cards, self._view = cards, view
        box = QRectF(view)
        for place, _ in cards:
            box = box.united(place)
        self._all = box.adjusted(-40, -40, 40, 40)
        self.update()

    def _scale(self) -> float:
        return min(SIZE[0] / max(self._all.width(), 1), SIZE[1] / max(self._all.height(), 1))

    def _mapped(self, box: QRectF) -> QRectF:
        scale = self._scale()
        left = (SIZE[0] - self._all.width() * scale) / 2
        top = (SIZE[1] - self._all.height() * scale) / 2
        return QRectF(
            left + (box.x() - self._all.x()) * scale,
            top + (box.y() - self._all.y()) * scale,
            max(box.width() * scale, 2),
            max(box.height() * scale, 2),
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        paper = QColor(self.theme.panel)
        paper.setAlpha(235)
        painter.fillRect(self.rect(), paper)
        for place, chosen in self._cards:
            painter.fillRect(self._mapped(place), QColor(self.theme.accent if chosen else self.theme.quiet))
        painter.setPen(QPen(QColor(self.theme.ink), 1))
        painter.drawRect(self._mapped(self._view).intersected(QRectF(self.rect()).adjusted(0, 0, -1, -1)))
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _go(self, event: QMouseEvent) -> None:
        scale = self._scale()
        left = (SIZE[0] - self._all.width() * scale) / 2
        top = (SIZE[1] - self._all.height() * scale) / 2
        at = event.position()
        self.wanted.emit(QPointF(self._all.x() + (at.x() - left) / scale, self._all.y() + (at.y() - top) / scale))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._go(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event)
