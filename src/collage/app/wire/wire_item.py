"""A wire on the board, with a small mark where it converts."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from PySide6.QtCore import QLineF, QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPainterPathStroker, QPen, QPolygonF
from PySide6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from collage.app.theme import Theme, font
from collage.app.wire.tabs import wire_path, wire_pen
from collage.core.document.model import Wire

CLEAR = 10.0  # between a mark and the cards: room for their tabs
SQUARE = 7.0  # a mark without its word
READABLE = 0.6  # of the full size; smaller words are not read


class WireKey(NamedTuple):
    """What a wire joins: an output to an input of a card, or to a landing (then `card` is empty).

    kind : the type that arrives. mark : what the conversion on the way does, in short.
    """

    source: Wire
    card: str
    name: str
    kind: str
    mark: str


class WireItem(QGraphicsItem):
    """A wire on the board."""

    def __init__(self, key: WireKey, theme: Theme) -> None:
        super().__init__()
        self.key, self.theme = key, theme
        self.source, self.card, self.name, self.kind, self.mark = key
        self.hot = False
        self._path = QPainterPath()
        self._laid: tuple[QPointF, QPointF, float] | None = None
        self._mark_share = 0.5  # of the way, where a wire that goes back has its mark
        self.setZValue(-1)

    def lay(self, start: QPointF, end: QPointF, lane: float) -> None:
        if self._laid == (start, end, lane):
            return
        self._laid = start, end, lane
        self.prepareGeometryChange()
        self._path = wire_path(start, end, lane)
        self.update()

    def keep_mark_clear(self, cards: Sequence[QRectF]) -> None:
        """Moves the mark of a wire that goes back along it, to where no card lies over it."""
        if not self.mark or self._laid is None or self._laid[1].x() > self._laid[0].x():
            return
        before = self._mark_share
        for self._mark_share in (0.5, 0.4, 0.6, 0.3, 0.7, 0.2, 0.8, 0.1, 0.9):
            box = self.mark_box()
            if not any(box.intersects(card) for card in cards):
                break
        else:
            self._mark_share = 0.5
        if self._mark_share != before:
            self.update()

    def boundingRect(self) -> QRectF:
        return self._path.boundingRect().adjusted(-30, -12, 30, 12)

    def shape(self) -> QPainterPath:
        stroker = QPainterPathStroker()
        stroker.setWidth(10)
        return stroker.createStroke(self._path)

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(wire_pen(self.kind, self.theme, hot=self.hot))
        painter.drawPath(self._path)
        if self.mark:
            self._draw_mark(painter, option.levelOfDetailFromTransform(painter.worldTransform()))

    def mark_box(self) -> QRectF:
        """Where the mark is; empty where the wire converts nothing.

        It holds the mark's word where there is room for it between the two cards, else it is a small square.
        """
        if not self.mark or self._laid is None:
            return QRectF()
        start, end, _ = self._laid
        width = QFontMetricsF(font(10)).horizontalAdvance(self.mark) + 8
        middle = self._path.pointAtPercent(self._mark_share)
        ahead, x = end.x() > start.x(), middle.x()
        if ahead and end.x() - start.x() < width + 2 * CLEAR:
            return QRectF(x - SQUARE / 2, middle.y() - SQUARE / 2, SQUARE, SQUARE)
        if ahead:
            x = min(max(x, start.x() + CLEAR + width / 2), end.x() - CLEAR - width / 2)
        return QRectF(x - width / 2, middle.y() - 7, width, 14)

    def crosses(self, stroke: QPainterPath) -> bool:
        """Whether a stroke of the hand crosses the wire."""
        return stroke.intersects(self._path) and _meet(stroke, self._path)

    def _draw_mark(self, painter: QPainter, detail: float) -> None:
        face, box = font(10), self.mark_box()
        words = box.width() > SQUARE and detail >= READABLE
        if not words:
            box = QRectF(box.center() - QPointF(SQUARE / 2, SQUARE / 2), QSizeF(SQUARE, SQUARE))
        painter.fillRect(box, QColor(self.theme.card))
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.drawRect(box)
        if words:
            painter.setFont(face)
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.mark)


def _meet(stroke: QPainterPath, wire: QPainterPath) -> bool:
    """Whether two open paths cross, looked at as the straight pieces that they are drawn with."""
    first = [line for polygon in stroke.toSubpathPolygons() for line in _pieces(polygon)]
    second = [line for polygon in wire.toSubpathPolygons() for line in _pieces(polygon)]
    bounded = QLineF.IntersectionType.BoundedIntersection
    return any(a.intersects(b)[0] == bounded for a in first for b in second)


def _pieces(polygon: QPolygonF) -> list[QLineF]:
    points = [polygon.at(number) for number in range(polygon.size())]
    return [QLineF(a, b) for a, b in pairwise(points)]
