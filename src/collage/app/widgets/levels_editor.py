"""The editor of levels: a line over the histogram of what comes in, whose ends can be dragged."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen

from collage.app.widgets.card_editors import SLIP, CardEditor, Values, draw_histogram, draw_point, number
from collage.core.document.model import Value
from collage.core.render.values import Spread, spread_of


class LevelsEditor(CardEditor):
    """The way from what comes in to what goes out, drawn over how what comes in is spread.

    Its two ends move in both directions: along, what is taken in; up and down, what it becomes. The middle bends it.
    """

    ENDS: ClassVar = {"low": ("inlow", "outlow"), "high": ("inhigh", "outhigh")}

    def __init__(self) -> None:
        super().__init__()
        self._values: dict[str, float] = {"inlow": 0.0, "inhigh": 1.0, "gamma": 1.0, "outlow": 0.0, "outhigh": 1.0}
        self._many: dict[str, int] = {}
        self._spread: Spread | None = None
        self._hold = ""
        self._pressed_at = 0.0
        self.setFixedSize(184, 152)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Levels")
        self.setToolTip(
            "Drag the ends sideways for the input range, up and down for the output range; the middle is gamma"
        )

    def set_values(self, values: Values) -> None:
        for name in self._values:
            if name in values:
                self._values[name] = number(values[name], self._values[name])
                value = values[name]
                self._many[name] = len(value) if isinstance(value, tuple) else 1
        self.update()

    def show_values(self, value: np.ndarray | None) -> None:
        self._spread = spread_of(value) if value is not None else None
        self.update()

    def _box(self) -> QRectF:
        return QRectF(14, 6, self.width() - 20, self.height() - 12)

    def _span(self) -> tuple[float, float]:
        """What the width of the box stands for."""
        start, stop = (self._spread.start, self._spread.stop) if self._spread is not None else (0.0, 1.0)
        return min(start, self._values["inlow"], 0.0), max(stop, self._values["inhigh"], 1.0)

    def _rise(self) -> tuple[float, float]:
        """What the height of the box stands for."""
        out = self._values["outlow"], self._values["outhigh"]
        return min(*out, 0.0), max(*out, 1.0)

    def _at(self, taken: float, given: float) -> QPointF:
        box, (start, stop), (bottom, top) = self._box(), self._span(), self._rise()
        x = box.x() + (taken - start) / (stop - start) * box.width()
        return QPointF(x, box.bottom() - (given - bottom) / (top - bottom) * box.height())

    def _become(self, taken: float) -> float:
        """What an input becomes, held at both ends."""
        one = self._values
        share = min(max((taken - one["inlow"]) / max(one["inhigh"] - one["inlow"], 1e-6), 0.0), 1.0)
        return one["outlow"] + share ** (1 / max(one["gamma"], 1e-3)) * (one["outhigh"] - one["outlow"])

    def _middle(self) -> float:
        """Which input becomes the middle of what goes out."""
        low, high = self._values["inlow"], self._values["inhigh"]
        return low + (high - low) * float(0.5 ** max(self._values["gamma"], 1e-3))

    def marks(self) -> dict[str, QPointF]:
        """Where the three points lie that can be dragged."""
        one = self._values
        return {
            "low": self._at(one["inlow"], one["outlow"]),
            "middle": self._at(self._middle(), (one["outlow"] + one["outhigh"]) / 2),
            "high": self._at(one["inhigh"], one["outhigh"]),
        }

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink, box = self.palette().text().color(), self._box()
        painter.fillRect(box, self.palette().base())
        if self._spread is not None:
            left, right = self._at(self._spread.start, 0).x(), self._at(self._spread.stop, 0).x()
            draw_histogram(painter, QRectF(left, box.y(), right - left, box.height()), self._spread, ink)
        painter.setPen(QPen(self.palette().mid().color(), 1))
        painter.drawRect(box)
        self._draw_tones(painter, box)
        start, stop = self._span()
        path = QPainterPath(self._at(start, self._become(start)))
        for step in range(1, 97):
            taken = start + (stop - start) * step / 96
            path.lineTo(self._at(taken, self._become(taken)))
        painter.setPen(QPen(ink, 1.6))
        painter.drawPath(path)
        for name, place in self.marks().items():
            held = self.palette().highlight().color() if name == self._hold else ink
            draw_point(painter, place, held, self.palette().base())
        painter.end()

    def _draw_tones(self, painter: QPainter, box: QRectF) -> None:
        """Beside the box the tones that its heights stand for."""
        bottom, top = self._rise()
        for step in range(round(box.height())):
            value = top - (top - bottom) * step / box.height()
            grey = round(255 * min(max(value, 0.0), 1.0))
            painter.fillRect(QRectF(box.x() - 8, box.y() + step, 5, 1), QColor(grey, grey, grey))

    def _give(self, values: dict[str, float], moving: bool) -> None:
        given: dict[str, Value] = {}
        for name, value in values.items():
            self._values[name] = value = round(value, 4)
            count = self._many.get(name, 1)
            given[name] = value if count == 1 else (value,) * count
        self.update()
        self.edited.emit(given, moving)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        marks, here = self.marks(), event.position()
        self._hold = min(marks, key=lambda name: (marks[name] - here).manhattanLength())
        self._pressed_at = here.y()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._hold:
            self._drag(event.position(), True)

    def _drag(self, place: QPointF, moving: bool) -> None:
        box, (start, stop), (bottom, top) = self._box(), self._span(), self._rise()
        taken = start + (place.x() - box.x()) / box.width() * (stop - start)
        low, high = self._values["inlow"], self._values["inhigh"]
        if self._hold == "middle":
            share = min(max((taken - low) / max(high - low, 1e-6), 0.02), 0.98)
            self._give({"gamma": float(np.log(share) / np.log(0.5))}, moving)
            return
        in_name, out_name = self.ENDS[self._hold]
        values = {in_name: min(taken, high - 1e-3) if self._hold == "low" else max(taken, low + 1e-3)}
        if abs(place.y() - self._pressed_at) > SLIP:
            self._pressed_at = -SLIP  # from here on it follows the hand
            values[out_name] = min(max(bottom + (box.bottom() - place.y()) / box.height() * (top - bottom), 0.0), 1.0)
        self._give(values, moving)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._hold:
            self._drag(event.position(), False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Page keys choose a point, arrows move it."""
        names, key = list(self.marks()), event.key()
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Down: (0, -1), Qt.Key.Key_Up: (0, 1)}
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            here = names.index(self._hold) if self._hold in names else -1
            self._hold = names[(here + (1 if key == Qt.Key.Key_PageUp else -1)) % len(names)]
            self.update()
        elif self._hold and key in steps:
            along, up = steps[Qt.Key(key)]
            in_name, out_name = self.ENDS.get(self._hold, ("gamma", "gamma"))
            # a larger gamma takes the middle to the left
            along = -along if self._hold == "middle" else along
            name, step = (in_name, along) if along else (out_name, up)
            self._give({name: self._values[name] + 0.01 * step}, False)
        else:
            super().keyPressEvent(event)
