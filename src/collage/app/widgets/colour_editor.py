"""The colour editor: a disc of hues, a bar of brightness, numbers in linear and sRGB, and a picker from the screen."""

from __future__ import annotations

import colorsys
import math

import numpy as np
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QApplication, QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from collage.app.widgets.dragged import Dragged
from collage.app.widgets.number_field import NumberField
from collage.core.images.colour import linear_to_srgb, srgb_to_linear

DISC, BAR = 148, 16
Colour = tuple[float, float, float]


def shown(linear: Colour) -> Colour:
    """sRGB-encoded 0 to 1, cut where a screen ends."""
    red, green, blue = np.clip(linear_to_srgb(np.array(linear, np.float64)), 0, 1)
    return float(red), float(green), float(blue)


def linear_of(encoded: Colour) -> Colour:
    red, green, blue = srgb_to_linear(np.array(encoded, np.float64))
    return round(float(red), 5), round(float(green), 5), round(float(blue), 5)


def colour_at(point: QPoint) -> QColor | None:
    """The colour on the screen at a global point; of one's own windows where the screen may not be read."""
    widget = QApplication.widgetAt(point)
    if widget is not None:
        image = widget.grab().toImage()
        at = widget.mapFromGlobal(point) * image.devicePixelRatio()
        if image.rect().contains(at):
            return image.pixelColor(at)
    screen = QApplication.screenAt(point)
    if screen is None:
        return None
    grabbed = screen.grabWindow(0, point.x(), point.y(), 1, 1).toImage()
    return grabbed.pixelColor(0, 0) if not grabbed.isNull() else None


class HueDisc(Dragged):
    """Hue around, saturation outwards, at the brightness in hand."""

    edited = Signal(float, float, bool)  # hue, saturation 0 to 1, moving

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(DISC, DISC)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Hue and saturation")
        self.setToolTip("Hue around, saturation outwards · arrow keys nudge")
        self.hue = self.saturation = 0.0
        self.value = 1.0
        self._image: tuple[float, QImage] | None = None

    def set_colour(self, hue: float, saturation: float, value: float) -> None:
        self.hue, self.saturation, self.value = hue, saturation, value
        self.update()

    def _disc(self) -> QImage:
        value = round(max(self.value, 0.15), 2)
        if self._image is None or self._image[0] != value:
            axis = (np.arange(DISC) + 0.5) / DISC * 2 - 1
            x, y = np.meshgrid(axis, -axis)
            radius = np.minimum(np.hypot(x, y), 1)
            hue = np.arctan2(y, x) / (2 * np.pi) % 1
            steps = np.stack([np.abs((hue * 6 + shift) % 6 - 3) - 1 for shift in (0, 4, 2)], axis=-1)
            full = np.clip(steps, 0, 1)
            colour = (1 + (full - 1) * radius[..., None]) * value
            pixels = np.zeros((DISC, DISC, 4), np.uint8)
            pixels[..., :3] = (colour * 255 + 0.5).astype(np.uint8)
            pixels[..., 3] = np.clip((1 - np.hypot(x, y)) * DISC / 2, 0, 1) * 255
            data = np.ascontiguousarray(pixels)
            self._image = value, QImage(data.data, DISC, DISC, 4 * DISC, QImage.Format.Format_RGBA8888).copy()
        return self._image[1]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(0, 0, self._disc())
        angle, out = self.hue * 2 * math.pi, self.saturation * DISC / 2
        at = QPointF(DISC / 2 + math.cos(angle) * out, DISC / 2 - math.sin(angle) * out)
        for pen in (QPen(Qt.GlobalColor.white, 3), QPen(Qt.GlobalColor.black, 1.2)):
            painter.setPen(pen)
            painter.drawLine(at + QPointF(-5, 0), at + QPointF(5, 0))
            painter.drawLine(at + QPointF(0, -5), at + QPointF(0, 5))
        painter.end()

    def take(self, event: QMouseEvent, moving: bool) -> None:
        gone = event.position() - QPointF(DISC / 2, DISC / 2)
        self.saturation = min(math.hypot(gone.x(), gone.y()) / (DISC / 2), 1.0)
        if self.saturation > 0.01:
            self.hue = math.atan2(-gone.y(), gone.x()) / (2 * math.pi) % 1
        self.update()
        self.edited.emit(self.hue, self.saturation, moving)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-0.01, 0.0),
            Qt.Key.Key_Right: (0.01, 0.0),
            Qt.Key.Key_Up: (0.0, 0.02),
            Qt.Key.Key_Down: (0.0, -0.02),
        }
        if event.key() not in steps:
            super().keyPressEvent(event)
            return
        hue, saturation = steps[Qt.Key(event.key())]
        self.hue = (self.hue + hue) % 1
        self.saturation = min(max(self.saturation + saturation, 0), 1)
        self.update()
        self.edited.emit(self.hue, self.saturation, False)


class ValueBar(Dragged):
    """Brightness, from black below to the full colour above."""

    edited = Signal(float, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(BAR, DISC)
        self.setAccessibleName("Brightness")
        self.setToolTip("Brightness")
        self.value = 1.0
        self.full: Colour = (1.0, 1.0, 1.0)

    def set_colour(self, full: Colour, value: float) -> None:
        self.full, self.value = full, value
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for y in range(DISC):
            share = 1 - y / (DISC - 1)
            painter.fillRect(0, y, BAR, 1, QColor.fromRgbF(*(part * share for part in self.full)))
        y = round((1 - self.value) * (DISC - 1))
        painter.setPen(QPen(Qt.GlobalColor.white, 3))
        painter.drawLine(0, y, BAR, y)
        painter.setPen(QPen(Qt.GlobalColor.black, 1))
        painter.drawLine(0, y, BAR, y)
        painter.end()

    def take(self, event: QMouseEvent, moving: bool) -> None:
        self.value = min(max(1 - event.position().y() / (DISC - 1), 0.0), 1.0)
        self.update()
        self.edited.emit(self.value, moving)


class ColourEditor(QFrame):
    """Opens beside a colour field; every change shows at once."""

    edited = Signal(object, bool)  # linear (r, g, b), moving

    def __init__(self, colour: Colour, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popup")
        self.colour = self._first = colour
        self._hue, self._saturation, self._value = 0.0, 0.0, 1.0
        self._picking = False
        self.disc, self.bar = HueDisc(), ValueBar()
        self.disc.edited.connect(self._disc_moved)
        self.bar.edited.connect(self._bar_moved)
        top = QHBoxLayout()
        top.addWidget(self.disc)
        top.addWidget(self.bar)
        top.addSpacing(44)  # the colour of before and the present one are painted there
        self.linear = [self._number(f"Linear {name}", (0.0, 1.0)) for name in ("red", "green", "blue")]
        self.srgb = [self._number(f"sRGB {name}", (0.0, 255.0), whole=True) for name in ("red", "green", "blue")]
        for field in self.linear:
            field.edited.connect(lambda _value, moving: self._give(tuple(f.value for f in self.linear), moving))
        for field in self.srgb:
            field.edited.connect(
                lambda _value, moving: self._give(linear_of(tuple(f.value / 255 for f in self.srgb)), moving)  # type: ignore[arg-type]
            )
        grid = QGridLayout()
        grid.setSpacing(3)
        for column, name in enumerate(("Red", "Green", "Blue"), 1):
            label = QLabel(name)
            label.setObjectName("quiet")
            grid.addWidget(label, 0, column)
        for row, (name, fields) in enumerate((("Linear", self.linear), ("sRGB", self.srgb)), 1):
            label = QLabel(name)
            label.setObjectName("quiet")
            grid.addWidget(label, row, 0)
            for column, field in enumerate(fields, 1):
                grid.addWidget(field, row, column)
        self.pick = QPushButton("Pick from the screen")
        self.pick.setToolTip("Click anywhere to pick a colour; Esc cancels")
        self.pick.clicked.connect(self.start_picking)
        self.luminance = QLabel()
        self.luminance.setObjectName("quiet")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addLayout(top)
        layout.addLayout(grid)
        layout.addWidget(self.luminance)
        layout.addWidget(self.pick)
        self.set_colour(colour)

    @staticmethod
    def _number(name: str, soft: tuple[float, float], whole: bool = False) -> NumberField:
        field = NumberField(soft=soft, hard=(0.0, None), whole=whole)
        field.setAccessibleName(name)
        field.setFixedWidth(52)
        return field

    def set_colour(self, colour: Colour) -> None:
        self.colour = colour
        encoded = shown(colour)
        hue, saturation, value = colorsys.rgb_to_hsv(*encoded)
        if saturation > 1e-4:
            self._hue = hue
        if value > 1e-4:
            self._saturation = saturation
        self._value = value
        self._show()

    def _show(self) -> None:
        self.disc.set_colour(self._hue, self._saturation, self._value)
        self.bar.set_colour(colorsys.hsv_to_rgb(self._hue, self._saturation, 1.0), self._value)
        for field, part in zip(self.linear, self.colour, strict=True):
            field.set_value(part)
        for field, part in zip(self.srgb, shown(self.colour), strict=True):
            field.set_value(round(part * 255))
        red, green, blue = self.colour
        self.luminance.setText(f"Luminance {0.2126 * red + 0.7152 * green + 0.0722 * blue:.3f}")

    def _give(self, colour: tuple[float, ...], moving: bool) -> None:
        red, green, blue = colour
        self.set_colour((red, green, blue))
        self.edited.emit(self.colour, moving)

    def _disc_moved(self, hue: float, saturation: float, moving: bool) -> None:
        self._hue, self._saturation = hue, saturation
        self._value = max(self._value, 0.02)
        self._from_hsv(moving)

    def _bar_moved(self, value: float, moving: bool) -> None:
        self._value = value
        self._from_hsv(moving)

    def _from_hsv(self, moving: bool) -> None:
        self.colour = linear_of(colorsys.hsv_to_rgb(self._hue, self._saturation, self._value))
        self._show()
        self.edited.emit(self.colour, moving)

    # ---- picking ------------------------------------------------------------------------------

    def start_picking(self) -> None:
        self._picking = True
        self.pick.setText("Click a colour …")
        self.grabMouse(Qt.CursorShape.CrossCursor)
        self.installEventFilter(self)

    def _end_picking(self) -> None:
        self._picking = False
        self.pick.setText("Pick from the screen")
        self.releaseMouse()
        self.removeEventFilter(self)

    def take_at(self, point: QPoint) -> None:
        """Takes the colour that the screen shows at a global point."""
        colour = colour_at(point)
        if colour is not None:
            self._give(linear_of((colour.redF(), colour.greenF(), colour.blueF())), False)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if self._picking and event.type() == QEvent.Type.MouseButtonPress and isinstance(event, QMouseEvent):
            self._end_picking()
            self.take_at(event.globalPosition().toPoint())
            return True
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            if self._picking:
                self._end_picking()
            else:
                self._give(self._first, False)
                self.close()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        box = QRectF(self.width() - 44, 10, 34, DISC)
        for share, colour in ((0.0, self._first), (0.5, self.colour)):
            part = QRectF(box.x(), box.y() + share * DISC, box.width(), DISC / 2)
            painter.fillRect(part, QColor.fromRgbF(*shown(colour)))
        painter.end()
