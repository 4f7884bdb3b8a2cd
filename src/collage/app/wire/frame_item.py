"""A frame around cards, or a note, as the board draws it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from collage.app.theme import Theme, font
from collage.app.wire.card_item import UNIT_X, UNIT_Y
from collage.core.document.frames import Frame

BAR = 22.0
GRIP = 12.0


class FrameItem(QGraphicsItem):
    """A sheet below the cards with a title bar, or a slip of paper with a text."""

    def __init__(self, frame: Frame, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.chosen = False
        self.preview: tuple[float, float] | None = None  # the size while a hand drags the grip
        self.setZValue(-3)
        self.take(frame)

    def take(self, frame: Frame) -> None:
        self.prepareGeometryChange()
        self.frame = frame
        self.setPos(frame.x * UNIT_X, frame.y * UNIT_Y)
        self.update()

    def show_size(self, size: tuple[float, float] | None) -> None:
        """The size that a hand is about to give the frame."""
        self.prepareGeometryChange()
        self.preview = size
        self.update()

    @property
    def is_note(self) -> bool:
        return bool(self.frame.text) and not self.frame.title

    @property
    def size(self) -> tuple[float, float]:
        if self.preview is not None:
            return self.preview[0] * UNIT_X, self.preview[1] * UNIT_Y
        return self.frame.width * UNIT_X, self.frame.height * UNIT_Y

    def boundingRect(self) -> QRectF:
        return QRectF(-2, -2, self.size[0] + 4, self.size[1] + 4)

    def shape(self) -> QPainterPath:
        """What a hand can take hold of: the bar and the grip of a frame, all of a note."""
        path = QPainterPath()
        width, height = self.size
        path.addRect(QRectF(0, 0, width, height if self.is_note else BAR))
        path.addRect(self.grip())
        return path

    def grip(self) -> QRectF:
        width, height = self.size
        return QRectF(width - GRIP, height - GRIP, GRIP, GRIP)

    def holds(self, place: QPointF) -> bool:
        """Whether a scene place lies in the frame."""
        return QRectF(0, 0, *self.size).contains(self.mapFromScene(place))

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        width, height = self.size
        box = QRectF(0, 0, width, height)
        paper = QColor(self.theme.card)
        paper.setAlpha(255 if self.is_note else 70)
        painter.fillRect(box, paper)
        zoom = max(painter.worldTransform().m11(), 0.1)
        size = round(min(max(11 / zoom, 12), 30))
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(size, bold=not self.is_note))
        if self.is_note:
            flags = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
            painter.drawText(box.adjusted(8, 6, -8, -6), flags, self.frame.text)
        else:
            bar = QRectF(0, 0, width, max(BAR, size + 8.0))
            solid = QColor(self.theme.card)
            solid.setAlpha(150)
            painter.fillRect(bar, solid)
            metrics = QFontMetricsF(painter.font())
            text = metrics.elidedText(self.frame.title or "Box", Qt.TextElideMode.ElideRight, width - 16)
            painter.drawText(bar.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self.theme.accent if self.chosen else self.theme.line), 1.4 if self.chosen else 1))
        painter.drawRect(box)
        corner = self.grip()
        painter.drawLine(corner.bottomLeft(), corner.topRight())
        painter.drawLine(corner.bottomLeft() + QPointF(5, 0), corner.topRight() + QPointF(0, 5))
