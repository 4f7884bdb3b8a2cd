"""A picture in a page: fitted, repeated side by side, with a region or four corners that the hand draws on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from collage.app.preview.images import to_image
from collage.app.theme import font
from collage.core.images.perspective import Corners, is_convex, moved, onto

HANDLE = 9.0
APART = 22.0  # pixels between the lines of a grid that the hand can take hold of
Region = tuple[float, float, float, float]


class PictureView(QWidget):
    """Shows a picture on neutral grey. With `cropped` listening, a region can be drawn and its edges dragged, or four
    corners where there are any; and the lines of a grid on it."""

    cropped = Signal(object, bool)  # (left, top, right, bottom) as shares, and whether the hand is still on it
    cornered = Signal(object, bool)  # four corners as shares, clockwise from the upper left
    stepped = Signal(object, bool)  # the grid's step across and down, as shares of the region

    def __init__(self, title: str, *, crops: bool = False) -> None:
        super().__init__()
        self.title, self.note, self._crops = title, "", crops
        self.region: Region = (0.0, 0.0, 1.0, 1.0)
        self.corners: Corners | None = None  # instead of the region
        self.grid = (0.0, 0.0)  # steps across and down, as shares of the region; 0 for none
        self.repeats = 1
        self._image: QImage | None = None
        self._held: str | None = None
        self._start = QPointF()
        self.setMinimumSize(140, 120)
        self.setAccessibleName(title)
        self.setMouseTracking(crops)

    def sizeHint(self) -> QSize:
        return QSize(380, 300)

    def set_picture(self, pixels: np.ndarray | None) -> None:
        """(h, w, 1 or 3) values 0..1 or bytes; None clears it."""
        self._image = None if pixels is None else to_image(as_bytes(pixels))
        self.update()

    @property
    def empty(self) -> bool:
        return self._image is None

    @property
    def image(self) -> QImage | None:
        """What is shown, once."""
        return self._image

    def _frame(self) -> QRectF:
        """Where the picture lies, all repeats of it."""
        room = QRectF(self.rect()).adjusted(8, 24, -8, -24)
        if self._image is None:
            return room
        shape = self._image.width() / self._image.height()
        width = min(room.width(), room.height() * shape)
        size = QRectF(0, 0, width, width / shape)
        size.moveCenter(room.center())
        return size

    def region_rect(self) -> QRectF:
        frame, (left, top, right, bottom) = self._frame(), self.region
        return QRectF(
            frame.x() + left * frame.width(), frame.y() + top * frame.height(),
            (right - left) * frame.width(), (bottom - top) * frame.height(),
        )  # fmt: skip

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor("#7A7A7A"))
        painter.setFont(font(11))
        painter.setPen(QColor("#111111"))
        painter.drawText(self.rect().adjusted(9, 4, -8, 0), Qt.AlignmentFlag.AlignTop, self.title)
        painter.drawText(self.rect().adjusted(9, 0, -8, -5), Qt.AlignmentFlag.AlignBottom, self.note)
        frame = self._frame()
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            count = self.repeats
            step = QSize(round(frame.width() / count), round(frame.height() / count))
            small = self._image.scaled(
                step, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            for row in range(count):
                for column in range(count):
                    painter.drawImage(
                        round(frame.x()) + column * step.width(), round(frame.y()) + row * step.height(), small
                    )
        if self._crops and self._image is not None:
            self._draw_region(painter, frame)
        painter.end()

    def _draw_region(self, painter: QPainter, frame: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, self.corners is not None)
        inside = QPolygonF(self._on_screen(list(self.selection())))
        dim = QPainterPath()
        dim.addRect(frame)
        shape = QPainterPath()
        shape.addPolygon(inside)
        painter.fillPath(dim.subtracted(shape), QColor(0, 0, 0, 110))
        self._draw_grid(painter)
        painter.setPen(QPen(QColor("#F1F1F1"), 1))
        painter.drawPolygon(inside)
        if self.corners is not None:
            painter.setBrush(QColor("#F1F1F1"))
            for corner in self._on_screen(list(self.corners)):
                painter.drawRect(QRectF(corner.x() - 4, corner.y() - 4, 8, 8))
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _draw_grid(self, painter: QPainter) -> None:
        for width, colour in ((3, QColor(0, 0, 0, 120)), (1, QColor("#FFE28A"))):
            painter.setPen(QPen(colour, width))
            for axis in (0, 1):
                for at in self._lines(axis):
                    painter.drawLine(*self._line(axis, at))

    def _lines(self, axis: int) -> list[float]:
        """Where lines of the grid lie, as shares of the region."""
        step = self.grid[axis]
        return [] if step < 0.004 else list(np.arange(step, 1 - 1e-6, step))

    def _line(self, axis: int, at: float) -> list[QPointF]:
        ends = [(at, 0.0), (at, 1.0)] if axis == 0 else [(0.0, at), (1.0, at)]
        return self._on_screen(moved(onto(self.selection()), np.array(ends)).tolist())

    def selection(self) -> Corners:
        """Corners of what is selected, as shares of the picture, clockwise from the upper left."""
        left, top, right, bottom = self.region
        return self.corners or ((left, top), (right, top), (right, bottom), (left, bottom))

    def _on_screen(self, points: list[tuple[float, float]]) -> list[QPointF]:
        frame = self._frame()
        return [QPointF(frame.x() + x * frame.width(), frame.y() + y * frame.height()) for x, y in points]

    # ---- the hand -----------------------------------------------------------------------------

    def _edge_at(self, at: QPointF) -> str:
        """Which edges the hand is on: letters of left, top, right, bottom; “new” outside and “move” inside."""
        rect = self.region_rect()
        if not rect.adjusted(-HANDLE, -HANDLE, HANDLE, HANDLE).contains(at):
            return "new"
        edges = "".join(
            name
            for name, gap in (
                ("l", at.x() - rect.left()), ("r", at.x() - rect.right()),
                ("t", at.y() - rect.top()), ("b", at.y() - rect.bottom()),
            )
            if abs(gap) < HANDLE
        )  # fmt: skip
        whole = self.region == (0.0, 0.0, 1.0, 1.0)
        return edges or ("new" if whole else "move")

    def _share(self, at: QPointF) -> QPointF:
        frame = self._frame()
        x, y = (at.x() - frame.x()) / frame.width(), (at.y() - frame.y()) / frame.height()
        return QPointF(min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._crops and self._image is not None and event.button() == Qt.MouseButton.LeftButton:
            at = event.position()
            self._held = self._corner_at(at) or self._line_at(at)
            if self._held is None and self.corners is None:
                self._held = self._edge_at(at)
            self._start, self._before = self._share(at), self.region

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._held is None:
            self._show_cursor(at)
        elif self._held.startswith("corner"):
            self._move_corner(int(self._held[-1]), self._share(at))
        elif self._held.startswith("line"):
            self._move_line(self._held, at)
        else:
            self._set_region(self._dragged(self._share(at)), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, None
        if held is None:
            return
        if held.startswith("corner"):
            self.cornered.emit(self.corners, False)
        elif held.startswith("line"):
            self.stepped.emit(self.grid, False)
        else:
            self.cropped.emit(self.region, False)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._crops and self.corners is None:
            self._set_region((0.0, 0.0, 1.0, 1.0), False)

    def _show_cursor(self, at: QPointF) -> None:
        shape = Qt.CursorShape.ArrowCursor
        line = self._line_at(at) if self._crops and self._image is not None else None
        if line is not None:
            shape = Qt.CursorShape.SplitHCursor if line.startswith("line0") else Qt.CursorShape.SplitVCursor
        elif self._corner_at(at) is not None:
            shape = Qt.CursorShape.CrossCursor
        self.setCursor(shape)

    def _corner_at(self, at: QPointF) -> str | None:
        for number, corner in enumerate(self._on_screen(list(self.corners or ()))):
            if (corner - at).manhattanLength() < 2 * HANDLE:
                return f"corner{number}"
        return None

    def _move_corner(self, number: int, to: QPointF) -> None:
        corners = list(self.corners or ())
        corners[number] = (to.x(), to.y())
        moved_to: Corners = tuple(corners)  # type: ignore[assignment]
        if is_convex(moved_to):
            self.corners = moved_to
            self.update()
            self.cornered.emit(self.corners, True)

    def _line_at(self, at: QPointF) -> str | None:
        """The line of the grid under the hand: its axis and its number."""
        for axis in (0, 1):
            lines = [self._line(axis, one) for one in self._lines(axis)]
            if len(lines) > 1 and (lines[1][0] - lines[0][0]).manhattanLength() < APART:
                continue
            for number, (start, end) in enumerate(lines):
                along = end - start
                length = max((along.x() ** 2 + along.y() ** 2) ** 0.5, 1e-6)
                off = abs((at.x() - start.x()) * along.y() - (at.y() - start.y()) * along.x()) / length
                share = QPointF.dotProduct(at - start, along) / length**2
                if off < HANDLE / 2 and 0 < share < 1:
                    return f"line{axis} {number + 1}"
        return None

    def _move_line(self, held: str, at: QPointF) -> None:
        """A line is dragged: the step is such that it lies under the hand."""
        axis, number = int(held[4]), int(held[6:])
        place = self._share(at)
        inside = moved(np.linalg.inv(onto(self.selection())), np.array([[place.x(), place.y()]]))[0]
        step = min(max(float(inside[axis]) / number, 0.01), 1.0)
        self.grid = (step, self.grid[1]) if axis == 0 else (self.grid[0], step)
        self.update()
        self.stepped.emit(self.grid, True)

    def _dragged(self, now: QPointF) -> Region:
        left, top, right, bottom = self._before
        if self._held == "new":
            return (
                min(self._start.x(), now.x()), min(self._start.y(), now.y()),
                max(self._start.x(), now.x()), max(self._start.y(), now.y()),
            )  # fmt: skip
        gone = now - self._start
        if self._held == "move":
            dx = min(max(gone.x(), -left), 1 - right)
            dy = min(max(gone.y(), -top), 1 - bottom)
            return left + dx, top + dy, right + dx, bottom + dy
        held = self._held or ""
        return (
            min(now.x(), right - 0.02) if "l" in held else left, min(now.y(), bottom - 0.02) if "t" in held else top,
            max(now.x(), left + 0.02) if "r" in held else right, max(now.y(), top + 0.02) if "b" in held else bottom,
        )  # fmt: skip

    def _set_region(self, region: Region, moving: bool) -> None:
        left, top, right, bottom = region
        if right - left > 0.02 and bottom - top > 0.02:
            self.region = region
            self.update()
            self.cropped.emit(region, moving)


def as_bytes(pixels: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 of values 0..1 or bytes, grey or coloured."""
    if pixels.ndim == 2:
        pixels = pixels[:, :, None]
    if pixels.dtype == np.uint16:
        pixels = (pixels >> 8).astype(np.uint8)
    elif pixels.dtype != np.uint8:
        pixels = (np.clip(pixels, 0, 1) * 255 + 0.5).astype(np.uint8)
    return np.repeat(pixels[:, :, :1], 3, axis=2) if pixels.shape[2] < 3 else pixels[:, :, :3]
