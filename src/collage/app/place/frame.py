"""A projector's frame over the picture: where it is seen, what of it lies under the pointer, and how it is dragged."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from collage.app.theme import Theme, font
from collage.core.actions.projectors import Space
from collage.core.base.errors import CollageError
from collage.core.nodes.projectors import CYLINDER, FLAT, SPHERE, Frame
from collage.core.scene.cameras import Camera
from collage.core.scene.stage import length_text

PIN, NEAR = 7.0, 7.0  # pixels: a corner's square, and how near the pointer must be
DOTS, BEYOND = 36, 18.0  # of the ring to turn it; pixels that it lies outside the corners
STEP, ANGLE = 0.01, 15.0  # metres and degrees that Ctrl keeps to
EDGES = [(a, a | 1 << axis, axis) for axis in range(3) for a in range(8) if not a & 1 << axis]
"""First and second corner of each edge, and the axis that it runs along."""

Kind = Literal["corner", "edge", "face", "ring"]


@dataclass(frozen=True)
class Grip:
    """A part of the frame that a hand can take: a corner or edge by its number, a face or the ring by its axis."""

    kind: Kind
    number: int


class FrameView:
    """A frame as a camera sees it, in a widget of some size."""

    def __init__(self, frame: Frame, space: Space, camera: Camera, size: tuple[int, int], shape: int = FLAT) -> None:
        self.shape = shape
        self.frame, self.space, self.camera, self.size = frame, space, camera, size
        self.view = camera.axes()
        eye = camera.position()
        self.axes = frame.axes @ space.rotation  # (3, 3) of the frame, in world space
        self.middle = self.to_world(np.array(frame.centre))
        corners = self.to_world(frame.corners())
        self.corners = [self.seen(corner) for corner in corners]
        towards = eye - self.middle
        self.front = [float(axis @ towards) > 0 for axis in self.axes]  # of each axis, whether its far side is seen
        self.facing = int(np.argmax(np.abs(self.axes @ self.view[2])))  # the axis that is turned about

    def to_world(self, own: np.ndarray) -> np.ndarray:
        return np.asarray(own @ self.space.rotation + self.space.place)

    def seen(self, world: np.ndarray) -> QPointF:
        """Where a place is in the widget."""
        return QPointF(*self.camera.seen(world, *self.size))

    def hidden(self, first: int, axis: int) -> bool:
        """Whether an edge lies behind the frame."""
        others = [one for one in range(3) if one != axis]
        return all(bool(first >> one & 1) != self.front[one] for one in others)

    @property
    def ring(self) -> tuple[QPointF, float]:
        """Middle and radius of the ring of dots, pixels."""
        middle = self.seen(self.middle)
        radius = max(math.hypot(one.x() - middle.x(), one.y() - middle.y()) for one in self.corners) + BEYOND
        return middle, min(radius, min(self.size) * 0.48)

    def face_middle(self, axis: int) -> QPointF:
        """The middle of the face of an axis that is turned to the eye."""
        side = 0.5 if self.front[axis] else -0.5
        return self.seen(self.middle + self.axes[axis] * side * self.frame.size[axis])

    def grip_at(self, point: QPointF) -> Grip | None:
        """What a hand would take there."""
        nearest = min(range(8), key=lambda number: far(point, self.corners[number]))
        if far(point, self.corners[nearest]) <= NEAR + 1:
            return Grip("corner", nearest)
        for axis in range(3):
            if far(point, self.face_middle(axis)) <= NEAR + 1:
                return Grip("face", axis)
        for number, (a, b, axis) in enumerate(EDGES):
            if not self.hidden(a, axis) and _from_line(point, self.corners[a], self.corners[b]) <= NEAR - 2:
                return Grip("edge", number)
        middle, radius = self.ring
        if abs(far(point, middle) - radius) <= NEAR:
            return Grip("ring", self.facing)
        return None

    # ---- dragging -----------------------------------------------------------------------------

    def dragged(self, grip: Grip, start: QPointF, end: QPointF, *, fine: bool, snap: bool) -> tuple[Frame, str]:
        """The frame after a drag that began with this one, and the number that it changes, in words."""
        if fine:
            end = start + (end - start) * 0.1
        if grip.kind == "ring":
            return self._turned(grip.number, start, end, snap)
        if grip.kind == "corner":
            return self._scaled(grip.number, start, end, snap)
        axes = _axes_of(grip)
        gone = [_snapped(one, STEP) if snap else one for one in self._gone(axes, start, end)]
        return self._moved(axes, gone), " · ".join(map(_signed, gone))

    def typed(self, grip: Grip, text: str) -> Frame:
        """The frame after what a hand typed for a grip instead of dragging it; see TYPED. Raises CollageError."""
        numbers = [
            _typed_number(one, 1.0 if grip.kind == "ring" else 0.01) for one in text.replace("·", " ; ").split(";")
        ]
        if grip.kind == "ring":
            return turned_about(self.frame, grip.number, numbers[0])
        if grip.kind == "corner":
            return self._sized(grip.number, max(numbers[0] / max(self.frame.size), 0.01))[0]
        axes = _axes_of(grip)
        return self._moved(axes[: len(numbers)], numbers[: len(axes)])

    def _moved(self, axes: list[int], gone: list[float]) -> Frame:
        """Moved along some of its axes, metres."""
        moved = sum((self.frame.axes[axis] * one for axis, one in zip(axes, gone, strict=True)), np.zeros(3))
        x, y, z = (round(float(one), 6) for one in np.array(self.frame.centre) + moved)
        return replace(self.frame, centre=(x, y, z))

    def _gone(self, axes: list[int], start: QPointF, end: QPointF) -> list[float]:
        """How far a drag goes along one or two axes of the frame, metres."""
        here = self.seen(self.middle)
        steps = [self.seen(self.middle + self.axes[axis] * 0.01) - here for axis in axes]
        matrix = np.array([[one.x() for one in steps], [one.y() for one in steps]])
        gone = np.array([end.x() - start.x(), end.y() - start.y()])
        found, *_ = np.linalg.lstsq(matrix, gone, rcond=0.05)
        return [float(one) * 0.01 for one in found]

    def _scaled(self, corner: int, start: QPointF, end: QPointF, snap: bool) -> tuple[Frame, str]:
        """In proportion, the opposite corner stays."""
        away, here = self.corners[corner ^ 7], self.corners[corner]
        line = here - away
        length = line.x() ** 2 + line.y() ** 2
        gone = end - start
        factor = 1 + (gone.x() * line.x() + gone.y() * line.y()) / max(length, 1.0)
        longest = max(self.frame.size)
        return self._sized(corner, max(_snapped(longest * factor, STEP) / longest if snap else factor, 0.01))

    def _sized(self, corner: int, factor: float) -> tuple[Frame, str]:
        """So many times as large, the corner opposite to one stays; and its sizes in words."""
        x, y, z = (round(side * factor, 6) for side in self.frame.size)
        fixed = self.frame.corners()[corner ^ 7]
        a, b, c = (round(float(one), 6) for one in fixed + (np.array(self.frame.centre) - fixed) * factor)
        return replace(self.frame, size=(x, y, z), centre=(a, b, c)), " × ".join(length_text(one) for one in (x, y, z))

    def _turned(self, axis: int, start: QPointF, end: QPointF, snap: bool) -> tuple[Frame, str]:
        middle, _ = self.ring
        angles = [math.atan2(-(one.y() - middle.y()), one.x() - middle.x()) for one in (start, end)]
        gone = math.degrees(angles[1] - angles[0])
        gone = (gone + 180) % 360 - 180
        gone = _snapped(gone, ANGLE) if snap else gone
        if self.axes[axis] @ self.view[2] > 0:  # its far end is seen: the other way round
            gone = -gone
        return turned_about(self.frame, axis, gone), f"{gone:.0f}°"

    # ---- drawing ------------------------------------------------------------------------------

    def _draw_round(self, painter: QPainter, pen: QPen) -> None:
        """The shape inside the frame, where it is round."""
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for loop in _loops(self.shape):
            places = self.middle + loop * np.array(self.frame.size) @ self.axes
            painter.drawPolyline([self.seen(place) for place in places])

    def draw(self, painter: QPainter, theme: Theme, held: Grip | None, label: str, at: QPointF) -> None:
        """Thin lines with a light edge, hidden ones dashed; pins, a ring of dots, and a label while it is dragged."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink, light = QColor(theme.accent), QColor(255, 255, 255, 150)
        for colour, width in ((light, 3.2), (ink, 1.3)):
            for a, b, axis in EDGES:
                pen = QPen(colour, width)
                if self.hidden(a, axis):
                    pen.setDashPattern([4 / width, 4 / width])
                painter.setPen(pen)
                painter.drawLine(self.corners[a], self.corners[b])
            self._draw_round(painter, QPen(colour, width))
        middle, radius = self.ring
        draw_ring(painter, middle, radius, light, ink)
        for axis in range(3):
            draw_pin(painter, self.face_middle(axis), PIN - 2, light, ink, filled=held == Grip("face", axis))
        for number, corner in enumerate(self.corners):
            draw_pin(painter, corner, PIN, light, ink, filled=held == Grip("corner", number))
        if label:
            draw_label(painter, theme, label, at)
        painter.restore()


TYPED = {
    "edge": "Move along this edge, as 5, -12 mm or 0.3 m (cm without a unit)",
    "face": "Move in this face: across ; up, as 5 ; -2 (cm without a unit)",
    "corner": "Longest side of the frame, as 40 or 0.4 m (cm without a unit)",
    "ring": "Degrees to turn by",
}
"""What is typed for each kind of grip."""


def _axes_of(grip: Grip) -> list[int]:
    """The axes that an edge or a face is moved along."""
    return [EDGES[grip.number][2]] if grip.kind == "edge" else [axis for axis in range(3) if axis != grip.number]


def _typed_number(text: str, unit: float) -> float:
    """Metres, or degrees, of a number with or without a unit. Raises CollageError."""
    found = re.fullmatch(r"\s*([+−-]?)\s*(\d*[.,]?\d+|\d+[.,])\s*(mm|cm|m|°)?\s*", text)
    if found is None:
        raise CollageError(f"“{text.strip()}” is no number.", remedy="Type it as 5, -12 mm or 0.3 m.")
    sign, number, given = found.groups()
    value = float(number.replace(",", ".")) * {"mm": 0.001, "cm": 0.01, "m": 1.0, "°": 1.0}.get(given or "", unit)
    return -value if sign in ("-", "−") else value


def _loops(shape: int) -> list[np.ndarray]:
    """Circles of a shape (n, 3) in its frame: both ends of a cylinder, the three great circles of a ball."""
    turn = np.linspace(0, 2 * np.pi, 49)
    c, s, zero = np.cos(turn) / 2, np.sin(turn) / 2, np.zeros(49)
    if shape == CYLINDER:
        return [np.stack([s, zero + end, c], axis=1) for end in (-0.5, 0.5)]
    if shape == SPHERE:
        return [np.stack(one, axis=1) for one in ((s, zero, c), (s, c, zero), (zero, s, c))]
    return []


def turned_about(frame: Frame, axis: int, degrees: float) -> Frame:
    """A frame turned about one of its own axes, counter-clockwise seen from that axis's end."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    a, b = [(1, 2), (2, 0), (0, 1)][axis]
    turn = np.eye(3)
    turn[a, a] = turn[b, b] = c
    turn[a, b], turn[b, a] = s, -s
    return replace(frame, turn=turns_of(turn @ frame.axes))


def turns_of(axes: np.ndarray) -> tuple[float, float, float]:
    """Tilt, turn and roll in degrees of a rotation (3, 3) whose rows are the axes; the other way of frame_rotation."""
    tilt = math.asin(max(-1.0, min(1.0, -float(axes[2, 1]))))
    if abs(axes[2, 1]) < 0.999999:
        turn = math.atan2(axes[2, 0], axes[2, 2])
        roll = math.atan2(axes[0, 1], axes[1, 1])
    else:  # it looks straight up or down: all the turning is about one axis
        turn, roll = math.atan2(-axes[0, 2], axes[0, 0]), 0.0
    found = [round(math.degrees(one), 4) + 0.0 for one in (tilt, turn, roll)]
    return found[0], found[1], found[2]


def draw_pin(painter: QPainter, at: QPointF, size: float, light: QColor, ink: QColor, *, filled: bool) -> None:
    """A small square that can be dragged."""
    box = QRectF(at.x() - size / 2, at.y() - size / 2, size, size)
    painter.setPen(QPen(ink, 1.2))
    painter.setBrush(ink if filled else QColor(light.red(), light.green(), light.blue(), 230))
    painter.drawRect(box)


def draw_ring(painter: QPainter, middle: QPointF, radius: float, light: QColor, ink: QColor) -> None:
    """A ring of dots with light edges, to turn something by."""
    for step in range(DOTS):
        turn = 2 * math.pi * step / DOTS
        x, y = middle.x() + radius * math.cos(turn), middle.y() - radius * math.sin(turn)
        painter.fillRect(QRectF(x - 2, y - 2, 4, 4), light)
        painter.fillRect(QRectF(x - 1, y - 1, 2, 2), ink)


def draw_label(painter: QPainter, theme: Theme, text: str, at: QPointF) -> None:
    """A number on a round-cornered label beside the pointer."""
    painter.setFont(font(11))
    room = painter.fontMetrics().boundingRect(text)
    box = QRectF(at.x() + 14, at.y() - 26, room.width() + 14, room.height() + 6)
    painter.setPen(QPen(QColor(theme.ink), 1))
    painter.setBrush(QColor(theme.card))
    painter.drawRoundedRect(box, 6, 6)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def far(a: QPointF, b: QPointF) -> float:
    """How far apart two points are, pixels."""
    return math.hypot(a.x() - b.x(), a.y() - b.y())


def _from_line(point: QPointF, a: QPointF, b: QPointF) -> float:
    """The distance of a point from a line between two others."""
    line, to = b - a, point - a
    length = line.x() ** 2 + line.y() ** 2
    share = max(0.0, min(1.0, (to.x() * line.x() + to.y() * line.y()) / max(length, 1e-9)))
    return far(point, a + line * share)


def _snapped(value: float, step: float) -> float:
    return round(value / step) * step


def _signed(metres: float) -> str:
    return f"{'+' if metres >= 0 else '−'}{length_text(max(abs(metres), 1e-6))}"
