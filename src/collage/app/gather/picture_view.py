"""A picture in a page: fitted, repeated side by side, with a region that the hand draws on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from collage.app.preview.images import to_image
from collage.app.theme import font

HANDLE = 9.0
Region = tuple[float, float, float, float]


class PictureView(QWidget):
    """Shows a picture on neutral grey. With `cropped` listening, a region can be drawn and its edges dragged."""

    cropped = Signal(object, bool)  # (left, top, right, bottom) as shares, and whether the hand is still on it

    def __init__(self, title: str, *, crops: bool = False) -> None:
        super().__init__()
        self.title, self.note, self._crops = title, "", crops
        self.region: Region = (0.0, 0.0, 1.0, 1.0)
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
        inside = self.region_rect()
        dim = QColor(0, 0, 0, 110)
        for part in (
            QRectF(frame.left(), frame.top(), frame.width(), inside.top() - frame.top()),
            QRectF(frame.left(), inside.bottom(), frame.width(), frame.bottom() - inside.bottom()),
            QRectF(frame.left(), inside.top(), inside.left() - frame.left(), inside.height()),
            QRectF(inside.right(), inside.top(), frame.right() - inside.right(), inside.height()),
        ):
            painter.fillRect(part, dim)
        painter.setPen(QPen(QColor("#F1F1F1"), 1))
        painter.drawRect(inside)

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
            self._held = self._edge_at(event.position())
            self._start, self._before = self._share(event.position()), self.region

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._set_region(self._dragged(self._share(event.position())), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held = None
            self.cropped.emit(self.region, False)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._crops:
            self._set_region((0.0, 0.0, 1.0, 1.0), False)

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
