"""Small controls beside numbers: a dial for angles, a pad for places, dice for seeds."""

from __future__ import annotations

import math
import random

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QPushButton, QToolButton, QVBoxLayout

from collage.app.widgets.dragged import Dragged


class Dial(Dragged):
    """An angle in degrees: drag around; Shift keeps to steps of fifteen."""

    edited = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(22, 22)
        self.setToolTip("Drag to rotate; Shift snaps to 15")
        self.setAccessibleName("Angle")
        self.angle = 0.0

    def set_value(self, numbers: tuple[float, ...]) -> None:
        self.angle = numbers[0]
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = self.palette().text().color()
        painter.setPen(QPen(ink, 1))
        painter.setBrush(self.palette().base())
        painter.drawPolygon(
            [
                QPointF(11 + 9.5 * math.cos(math.radians(step)), 11 - 9.5 * math.sin(math.radians(step)))
                for step in range(15, 375, 30)
            ]
        )
        turn = math.radians(self.angle)
        painter.setPen(QPen(ink, 1.8))
        painter.drawLine(QPointF(11, 11), QPointF(11 + 8 * math.cos(turn), 11 - 8 * math.sin(turn)))
        painter.end()

    def take(self, event: QMouseEvent, moving: bool) -> None:
        gone = event.position() - QPointF(11, 11)
        angle = math.degrees(math.atan2(-gone.y(), gone.x()))
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            angle = round(angle / 15) * 15.0
        whole_turns = round((self.angle - angle) / 360) * 360  # stays near the turn it was on
        self.angle = round(angle + whole_turns, 2)
        self.update()
        self.edited.emit(self.angle, moving)


class PadSheet(Dragged):
    """A sheet to drag a place on; the middle cross is the origin."""

    edited = Signal(object, bool)
    SIZE = 160

    def __init__(self, reach: float) -> None:
        super().__init__()
        self.reach = reach
        self.place = (0.0, 0.0)
        self.setFixedSize(self.SIZE, self.SIZE)
        self.setAccessibleName("Position")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.palette().base())
        ink = self.palette().text().color()
        quiet = self.palette().mid().color()
        painter.setPen(QPen(quiet, 1))
        for step in range(1, 4):
            at = step * self.SIZE // 4
            painter.drawLine(at, 0, at, self.SIZE)
            painter.drawLine(0, at, self.SIZE, at)
        half = self.SIZE / 2
        x = half + self.place[0] / self.reach * half
        y = half - self.place[1] / self.reach * half
        x, y = min(max(x, 3), self.SIZE - 3), min(max(y, 3), self.SIZE - 3)
        painter.setPen(QPen(ink, 1.5))
        painter.drawLine(QPointF(half, half), QPointF(x, y))
        painter.fillRect(QRectF(x - 4, y - 4, 8, 8), ink)
        painter.end()

    def take(self, event: QMouseEvent, moving: bool) -> None:
        half = self.SIZE / 2
        x = (event.position().x() - half) / half * self.reach
        y = (half - event.position().y()) / half * self.reach
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            x, y = round(x * 8 / self.reach) * self.reach / 8, round(y * 8 / self.reach) * self.reach / 8
        self.place = (round(x, 4), round(y, 4))
        self.update()
        self.edited.emit(self.place, moving)


class Pad(QToolButton):
    """A button that opens a sheet to drag a place on."""

    edited = Signal(object, bool)

    def __init__(self, soft: tuple[float, float]) -> None:
        super().__init__()
        self.setText("✛")
        self.setFixedSize(22, 22)
        self.setToolTip("Drag to move")
        self.setAccessibleName("Drag to move")
        self._reach = max(abs(soft[0]), abs(soft[1]), 1.0)
        self._place = (0.0, 0.0)
        self.sheet: PadSheet | None = None
        self.clicked.connect(self._open)

    def set_value(self, numbers: tuple[float, ...]) -> None:
        self._place = (numbers[0], numbers[1])

    def _open(self) -> None:
        popup = QFrame(self, Qt.WindowType.Popup)
        popup.setObjectName("popup")
        popup.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        layout = QVBoxLayout(popup)
        layout.setContentsMargins(8, 8, 8, 8)
        self.sheet = PadSheet(self._reach)
        self.sheet.place = self._place
        self.sheet.edited.connect(self.edited)
        layout.addWidget(self.sheet)
        popup.adjustSize()
        popup.move(self.mapToGlobal(QPoint(0, -popup.height() - 2)))
        popup.show()


class Dice(QPushButton):
    """Throws another seed."""

    edited = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__("⚄")
        self.setFixedSize(24, 22)
        self.setStyleSheet("padding: 0;")
        self.setToolTip("Random seed")
        self.setAccessibleName("Random seed")
        self.clicked.connect(lambda: self.edited.emit(random.randrange(10_000), False))
