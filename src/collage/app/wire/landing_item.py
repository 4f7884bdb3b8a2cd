"""A landing: the labelled end of a wire at the board's right border, for an input of the surface."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from collage.app.theme import Theme, font
from collage.app.wire.tabs import draw_tab

LANDING_WIDTH, LANDING_HEIGHT = 104.0, 20.0


class LandingItem(QGraphicsItem):
    """Keeps its size whatever the zoom; the board keeps it at the border."""

    def __init__(self, name: str, type_name: str, label: str, theme: Theme) -> None:
        super().__init__()
        self.name, self.kind, self.label, self.theme = name, type_name, label, theme
        self.wired = self.hot = False
        self.setFlag(QGraphicsItem.GraphicsItemFlag.ItemIgnoresTransformations)
        self.setZValue(4)

    def boundingRect(self) -> QRectF:
        return QRectF(-8, -LANDING_HEIGHT / 2 - 2, LANDING_WIDTH + 8, LANDING_HEIGHT + 4)

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0, -LANDING_HEIGHT / 2, LANDING_WIDTH, LANDING_HEIGHT)
        painter.fillRect(box, QColor(self.theme.card))
        painter.setPen(QPen(QColor(self.theme.accent if self.hot else self.theme.line), 2.0 if self.hot else 1.0))
        painter.drawRect(box)
        draw_tab(painter, QPointF(0, 0), self.kind, self.theme, filled=self.wired, hot=self.hot)
        face = font(11)
        painter.setFont(face)
        painter.setPen(QColor(self.theme.ink if self.wired else self.theme.quiet))
        text = QFontMetricsF(face).elidedText(self.label, Qt.TextElideMode.ElideRight, LANDING_WIDTH - 16)
        painter.drawText(box.adjusted(11, 0, -3, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
