"""The editor of crops: windows on a large picture, drawn, moved and sized by hand."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from collage.app.theme import font
from collage.app.widgets.card_editors import SLIP, CardEditor, Values, draw_point
from collage.core.document.model import Value

MOST = 8
LEAST = 0.02  # share of the picture that a crop is wide and high at least
STEP = 0.01
Crop = tuple[float, float, float, float]
"""Left, bottom, width and height, as shares of the picture."""


class CropsEditor(CardEditor):
    """Each crop is a numbered frame: dragged inside to move it, at a corner to size it, on the picture to add one."""

    covers = tuple(f"crop{number}" for number in range(1, MOST + 1))

    def __init__(self) -> None:
        super().__init__()
        self.crops: list[Crop] = []
        self.count = 1
        self.chosen = 0
        self._image: QImage | None = None
        self._corner = (
            -1
        )  # of the chosen crop that is dragged: 0 lower left, 1 lower right, 2 upper left, 3 upper right
        self._pressed: QPointF | None = None
        self._before: Crop = (0.0, 0.0, 1.0, 1.0)
        self._new = self._added = False  # whether a crop is drawn, and whether it is there already
        self.setFixedSize(212, 152)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Crops")
        self.setToolTip("Drag a crop to move it, a corner to size it; drag beside them to add one; Del removes it")

    def set_values(self, values: Values) -> None:
        count = values.get("count", 1)
        self.count = min(max(int(count), 1), MOST) if isinstance(count, int | float) else 1
        found = [values.get(name) for name in self.covers]
        self.crops = [_crop(one) for one in found]
        self.chosen = min(self.chosen, self.count - 1)
        self.update()

    def show_image(self, image: QImage | None) -> None:
        """The picture that crops are of; none where no image follows the card."""
        self._image = image
        self.update()

    # ---- places -------------------------------------------------------------------------------

    def _box(self) -> QRectF:
        """Where the picture lies, in its own proportions."""
        room = QRectF(self.rect()).adjusted(5, 5, -6, -6)
        if self._image is not None and not self._image.isNull():
            scale = min(room.width() / self._image.width(), room.height() / self._image.height())
            room.setSize(self._image.size().toSizeF() * scale)
        else:
            room.setWidth(room.height())
        return room

    def frame(self, number: int) -> QRectF:
        """Where a crop is drawn."""
        left, bottom, width, height = self.crops[number]
        box = self._box()
        top = box.bottom() - (bottom + height) * box.height()
        return QRectF(box.x() + left * box.width(), top, width * box.width(), height * box.height())

    def _place(self, point: QPointF) -> tuple[float, float]:
        """Shares of the picture at a point, from its lower left corner."""
        box = self._box()
        return (point.x() - box.x()) / box.width(), (box.bottom() - point.y()) / box.height()

    def _take(self, point: QPointF) -> bool:
        """Chooses the crop under a point, or its corner; whether there is one."""
        for number in sorted(range(self.count), key=lambda one: one != self.chosen):  # the chosen one first
            frame = self.frame(number)
            corners = (frame.bottomLeft(), frame.bottomRight(), frame.topLeft(), frame.topRight())
            near = [at for at, corner in enumerate(corners) if (corner - point).manhattanLength() <= SLIP + 2]
            if near or frame.contains(point):
                self.chosen, self._corner = number, near[0] if near else -1
                return True
        return False

    # ---- drawing ------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = self._box()
        painter.fillRect(box, self.palette().base())
        if self._image is not None:
            painter.drawImage(box, self._image)
        painter.setPen(QPen(self.palette().mid().color(), 1))
        painter.drawRect(box)
        painter.setFont(font(11))
        for number in sorted(range(self.count), key=lambda one: one == self.chosen):
            self._draw_crop(painter, number)
        painter.end()

    def _draw_crop(self, painter: QPainter, number: int) -> None:
        frame = self.frame(number)
        own = number == self.chosen
        ink = self.palette().highlight().color() if own else QColor(30, 30, 30)
        for colour, width in ((QColor(255, 255, 255, 170), 3.0), (ink, 1.2)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(frame)
        label = QRectF(frame.x() + 2, frame.y() + 2, 14, 14)
        painter.fillRect(label, QColor(241, 241, 241, 220))
        painter.setPen(ink)
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, str(number + 1))
        if own:
            for corner in (frame.topLeft(), frame.topRight(), frame.bottomLeft(), frame.bottomRight()):
                draw_point(painter, corner, ink, self.palette().base())

    # ---- the hand -----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._pressed, self._new, self._added = event.position(), False, False
        if not self._take(event.position()):
            self._new = self.count < MOST and self._box().contains(event.position())
            if not self._new:
                self._pressed = None
        else:
            self._before = self.crops[self.chosen]
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None:
            self._drag(event.position(), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None:
            self._drag(event.position(), False)
        self._pressed = None

    def _drag(self, point: QPointF, moving: bool) -> None:
        assert self._pressed is not None
        if (point - self._pressed).manhattanLength() <= SLIP and (self._new or self.crops[self.chosen] == self._before):
            return
        (x0, y0), (x1, y1) = self._place(self._pressed), self._place(point)
        if self._new:
            if not self._added:
                self._added, self.count, self.chosen = True, self.count + 1, self.count
            self._give(self.chosen, _between(x0, y0, x1, y1), moving)
            return
        left, bottom, width, height = self._before
        if self._corner < 0:
            left = min(max(left + x1 - x0, 0.0), 1 - width)
            bottom = min(max(bottom + y1 - y0, 0.0), 1 - height)
            self._give(self.chosen, (left, bottom, width, height), moving)
            return
        ends = [left, left + width], [bottom, bottom + height]
        ends[0][self._corner % 2] += x1 - x0
        ends[1][self._corner // 2] += y1 - y0
        self._give(self.chosen, _between(ends[0][0], ends[1][0], ends[0][1], ends[1][1]), moving)

    def _give(self, number: int, crop: Crop, moving: bool) -> None:
        self.crops[number] = crop
        self.update()
        self.edited.emit({self.covers[number]: crop, "count": self.count}, moving)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Page keys choose a crop, arrows move it, Del removes it."""
        key = event.key()
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Down: (0, -1), Qt.Key.Key_Up: (0, 1)}
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_PageUp else -1)) % self.count
            self.update()
        elif key in steps:
            left, bottom, width, height = self.crops[self.chosen]
            along, up = (STEP * one for one in steps[Qt.Key(key)])
            moved = min(max(left + along, 0.0), 1 - width), min(max(bottom + up, 0.0), 1 - height)
            self._give(self.chosen, _between(*moved, moved[0] + width, moved[1] + height), False)
        elif key == Qt.Key.Key_Delete and self.count > 1:
            self.crops.append(self.crops.pop(self.chosen))
            self.count -= 1
            self.chosen = min(self.chosen, self.count - 1)
            given: dict[str, Value] = dict(zip(self.covers, self.crops, strict=True))
            self.update()
            self.edited.emit({**given, "count": self.count}, False)
        else:
            super().keyPressEvent(event)


def _crop(value: Value | None) -> Crop:
    """A crop of a card's value; all of the picture for what is none."""
    if isinstance(value, tuple) and len(value) == 4:
        left, bottom, width, height = (float(one) for one in value)
        return left, bottom, width, height
    return 0.0, 0.0, 1.0, 1.0


def _between(x0: float, y0: float, x1: float, y1: float) -> Crop:
    """The crop between two corners, inside the picture and not too small."""
    (left, right), (bottom, top) = sorted((x0, x1)), sorted((y0, y1))
    left, bottom = (min(max(one, 0.0), 1 - LEAST) for one in (left, bottom))
    width, height = max(min(right, 1.0) - left, LEAST), max(min(top, 1.0) - bottom, LEAST)
    return round(left, 4), round(bottom, 4), round(width, 4), round(height, 4)
