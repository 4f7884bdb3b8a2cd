"""Cameras: the eye that a bench is looked at with."""

from __future__ import annotations

import math

import numpy as np
from pydantic import Field

from collage.core.base.frozen import Frozen
from collage.core.scene.directions import Triple, direction, right_of

SENSOR = 24.0  # millimetres, the shorter side of the picture that focal lengths are told for


class Camera(Frozen):
    """A camera that orbits a point.

    aperture : how wide the lens is open, millimetres; 0 is sharp everywhere. Traced pictures alone show it. focus : how
    far what is sharp is, metres along the way it looks; None for the point that it orbits. locked : whether a hand that
    orbits or pans leaves it where it is.
    """

    turn: float = 24.0  # degrees about the upright axis, 0 from the front
    height: float = Field(16.0, ge=-90.0, le=90.0)  # degrees above the horizon
    distance: float = Field(0.62, gt=0.005, lt=200.0)  # metres
    target: Triple = (0.0, 0.085, 0.0)
    field: float = Field(26.0, gt=1.0, lt=120.0)  # degrees, the picture's shorter side
    aperture: float = Field(0.0, ge=0.0, le=1000.0)
    focus: float | None = Field(None, gt=0.0)
    locked: bool = False

    @property
    def millimetres(self) -> float:
        """The focal length of a lens that sees this field on a SENSOR."""
        return SENSOR / 2 / math.tan(math.radians(self.field) / 2)

    def with_millimetres(self, length: float) -> Camera:
        """The camera with another lens, from where it is."""
        field = 2 * math.degrees(math.atan(SENSOR / 2 / max(length, 1e-3)))
        return self.model_copy(update={"field": min(max(field, 1.01), 119.0)})

    @property
    def stand(self) -> tuple[float, float, float, Triple]:
        """Where it is: what a hand that orbits, pans or zooms changes."""
        return self.turn, self.height, self.distance, self.target

    def fitted(self, aspect: float, width: int, height: int) -> Camera:
        """The camera for a view of this size in which all of a picture of some aspect, width over height, is seen."""
        wide, high = frame_in(aspect, width, height)
        # the field is that of the shorter side, of the picture as of the view
        share = min(wide, high) / min(width, height)
        field = 2 * math.degrees(math.atan(math.tan(math.radians(self.field) / 2) / share))
        return self.model_copy(update={"field": min(field, 119.0)})

    def focused_at(self, place: np.ndarray) -> Camera:
        """The camera for which what is as far as a place (3,) is sharp."""
        away = float((np.asarray(place) - self.position()) @ self.axes()[2])
        return self.model_copy(update={"focus": max(away, 1e-3)})

    def framing(self, low: np.ndarray, high: np.ndarray) -> Camera:
        """The camera from the same side, looking at a box so that it fills the picture.

        low, high : (3,) corners of the box, metres.
        """
        middle, size = (low + high) / 2, float(np.linalg.norm(high - low))
        distance = min(max(size / 2 / np.tan(np.radians(self.field) / 2) * 1.05, 0.05), 199.0)
        target = (float(middle[0]), float(middle[1]), float(middle[2]))
        return self.model_copy(update={"target": target, "distance": distance})

    def axes(self) -> np.ndarray:
        """(3, 3): right, up and forward, of length 1."""
        forward = -direction(self.turn, self.height)
        right = right_of(self.turn)
        return np.stack([right, np.cross(right, forward), forward])

    def position(self) -> np.ndarray:
        """(3,) metres, in world space."""
        return np.array(self.target) + direction(self.turn, self.height) * self.distance

    def focal_length(self, width: int, height: int) -> float:
        """Distance of the picture plane in pixels, for a picture of this size."""
        return min(width, height) / 2 / math.tan(math.radians(self.field) / 2)

    def ways(self, pixels: np.ndarray, width: int, height: int) -> np.ndarray:
        """(n, 3) float32 of length 1: the way to what is seen at places (n, 2) of a picture of this size, in pixels
        from its upper left; see `seen`."""
        at = np.asarray(pixels, np.float64) - np.array([width, height]) / 2
        right, up, forward = self.axes()
        way = right * at[:, :1] - up * at[:, 1:] + forward * self.focal_length(width, height)
        return np.asarray(way / np.linalg.norm(way, axis=1, keepdims=True), np.float32)

    def seen(self, places: np.ndarray, width: int, height: int) -> np.ndarray:
        """(..., 2): where places in world space (..., 3) are in a picture of this size, pixels from its upper left."""
        own = (np.asarray(places, np.float64) - self.position()) @ self.axes().T
        scale = self.focal_length(width, height) / np.maximum(own[..., 2:], 1e-3)
        return np.array([width / 2, height / 2]) + own[..., :2] * scale * np.array([1.0, -1.0])


def frame_in(aspect: float, width: float, height: float) -> tuple[float, float]:
    """Width and height of the largest frame of some aspect in a view of this size."""
    return (width, width / aspect) if width / height < aspect else (height * aspect, height)
