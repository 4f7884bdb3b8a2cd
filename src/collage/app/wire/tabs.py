"""Tabs and wires as they are drawn: told apart by shape and weight, never by colour."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from collage.app.theme import Theme

CORNER = 6.0


def draw_tab(painter: QPainter, at: QPointF, type_name: str, theme: Theme, *, filled: bool, hot: bool) -> None:
    """A tab at a point of a card's edge: bar, square, wedge, double bar or notch."""
    ink = QColor(theme.accent if hot else theme.ink)
    painter.setPen(QPen(ink, 1.2))
    painter.setBrush(ink if filled else QColor(theme.card))
    x, y = at.x(), at.y()
    if type_name.startswith("color"):
        painter.drawRect(QRectF(x - 3.5, y - 3.5, 7, 7))
    elif type_name.startswith(("vector", "matrix")):
        painter.drawPolygon(QPolygonF([QPointF(x - 3.5, y - 4.5), QPointF(x + 4.5, y), QPointF(x - 3.5, y + 4.5)]))
    elif type_name == "float":
        painter.fillRect(QRectF(x - 5, y - 2, 10, 4), ink)
    elif type_name in ("surfaceshader", "material", "displacementshader"):
        painter.fillRect(QRectF(x - 5, y - 3.5, 10, 2.4), ink)
        painter.fillRect(QRectF(x - 5, y + 1.1, 10, 2.4), ink)
    else:
        painter.fillRect(QRectF(x - 2, y - 2, 4, 4), ink)


def wire_pen(type_name: str, theme: Theme, *, hot: bool = False) -> QPen:
    """Number thin, colour medium, vector dashed, surface heavy."""
    pen = QPen(QColor(theme.accent if hot else theme.ink), 1.2)
    if type_name.startswith("color"):
        pen.setWidthF(2.0)
    elif type_name.startswith(("vector", "matrix")):
        pen.setWidthF(1.4)
        pen.setDashPattern([4.0, 2.4])
    elif type_name.endswith("shader"):
        pen.setWidthF(3.2)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    return pen


def wire_path(start: QPointF, end: QPointF, lane: float = 0.0) -> QPainterPath:
    """A wire that leaves and arrives level and turns with small round corners.

    lane : how far from its end it turns up or down, so that wires side by side stay apart.
    """
    x1, y1, x2, y2 = start.x(), start.y(), end.x(), end.y()
    if x2 - x1 >= 2 * CORNER + 8:
        turn = min(max(x2 - 14 - lane, x1 + 8), x2 - CORNER - 2)
        points = [start, QPointF(turn, y1), QPointF(turn, y2), end]
    else:  # the end lies to the left: go around
        out, back = x1 + 12 + lane / 2, x2 - 12 - lane / 2
        middle = (y1 + y2) / 2 if abs(y2 - y1) > 60 else max(y1, y2) + 56
        points = [
            start,
            QPointF(out, y1),
            QPointF(out, middle),
            QPointF(back, middle),
            QPointF(back, y2),
            end,
        ]
    return _rounded(points)


def _rounded(points: list[QPointF]) -> QPainterPath:
    path = QPainterPath(points[0])
    for before, corner, after in zip(points, points[1:], points[2:], strict=False):
        a, b = before - corner, after - corner
        la, lb = max(abs(a.x()), abs(a.y())), max(abs(b.x()), abs(b.y()))
        if la < 0.5 or lb < 0.5:
            continue
        ra, rb = min(CORNER, la / 2), min(CORNER, lb / 2)
        radius = min(ra, rb)
        path.lineTo(corner + a * (radius / la))
        path.quadTo(corner, corner + b * (radius / lb))
    path.lineTo(points[-1])
    return path
