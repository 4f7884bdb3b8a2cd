"""The names of a card's inputs beside it, for a board that is too small to read them on the card."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from collage.app.theme import Theme, font
from collage.app.wire.card_item import HEIGHT, READABLE, CardItem

ROW, AWAY = 16.0, 12.0  # pixels: a line, and how far the names stay from the card


class NamesItem(QGraphicsItem):
    """Keeps its size whatever the zoom. Hidden where the names on the card can be read."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: list[tuple[str, bool]] = []  # what they say, and whether the wire would end there
        self._width = 0.0
        self.setFlag(QGraphicsItem.GraphicsItemFlag.ItemIgnoresTransformations)
        self.setZValue(7)
        self.hide()

    def show_beside(self, card: CardItem | None, zoom: float, under: str = "") -> None:
        """Shows the inputs of the card that a wire is held over. under : the name of the one under the pointer."""
        if card is None or zoom >= READABLE or not card.inputs:
            self.hide()
            return
        self.prepareGeometryChange()
        self.rows = [(tab.label, tab.name == under) for tab in card.inputs]
        metrics = QFontMetricsF(font(11, bold=True))
        self._width = max(metrics.horizontalAdvance(label) for label, _ in self.rows) + 12
        self.setPos(card.mapToScene(0, HEIGHT / 2))
        self.show()
        self.update()

    def boundingRect(self) -> QRectF:
        height = ROW * len(self.rows)
        return QRectF(-self._width - AWAY, -height / 2, self._width, height).adjusted(-1, -1, 1, 1)

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        box = self.boundingRect().adjusted(1, 1, -1, -1)
        painter.fillRect(box, QColor(self.theme.card))
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.drawRect(box)
        for number, (label, under) in enumerate(self.rows):
            line = QRectF(box.left() + 6, box.top() + number * ROW, box.width() - 12, ROW)
            painter.setFont(font(11, bold=under))
            painter.setPen(QColor(self.theme.accent if under else self.theme.ink))
            painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, label)
