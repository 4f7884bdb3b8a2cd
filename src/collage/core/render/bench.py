"""The bench: the objects, lights and camera that a material is looked at on. Immutable, and saved as JSON."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from collage.core.frozen import Frozen

Triple = tuple[float, float, float]


class BenchObject(Frozen):
    """A stock shape on the bench, and the material it wears."""

    name: str
    shape: str
    sizes: dict[str, float] = Field(default_factory=dict)
    place: Triple = (0.0, 0.0, 0.0)
    turn: float = 0.0  # degrees about the upright axis
    material: str = ""

    def matrix(self) -> np.ndarray:
        """(3, 3) rotation for row vectors: world = own @ matrix + place."""
        c, s = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        return np.array([[c, 0, -s], [0, 1, 0], [s, 0, c]])


class DistantLight(Frozen):
    """Light from far away, like the sun's; strength is irradiance on a surface that faces it."""

    kind: Literal["distant"] = "distant"
    name: str = "Sun"
    on: bool = True
    colour: Triple = (1.0, 1.0, 1.0)
    strength: float = Field(2.0, ge=0)
    height: float = 45.0  # degrees above the horizon
    turn: float = 40.0  # degrees about the upright axis, 0 from the front
    size: float = Field(2.0, ge=0, le=90)  # degrees across

    def direction(self) -> np.ndarray:
        """(3,) from the surface to the light."""
        return _direction(self.turn, self.height)


class AreaLight(Frozen):
    """A lit rectangle; strength is its radiance."""

    kind: Literal["area"] = "area"
    name: str = "Panel"
    on: bool = True
    colour: Triple = (1.0, 1.0, 1.0)
    strength: float = Field(6.0, ge=0)
    height: float = 40.0
    turn: float = -50.0
    distance: float = Field(0.9, gt=0)  # metres from `target`
    target: Triple = (0.0, 0.08, 0.0)
    width: float = Field(0.4, gt=0)
    length: float = Field(0.4, gt=0)

    def frame(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Middle, half side to the right, half side up, and the direction it shines in, (3,) each."""
        out = -_direction(self.turn, self.height)
        right = np.cross(out, [0.0, 1.0, 0.0])
        right /= max(np.linalg.norm(right), 1e-9)
        up = np.cross(right, out)
        middle = np.array(self.target) - out * self.distance
        return middle, right * self.width / 2, up * self.length / 2, out


Light = Annotated[DistantLight | AreaLight, Field(discriminator="kind")]


def _direction(turn: float, height: float) -> np.ndarray:
    a, b = math.radians(turn), math.radians(height)
    return np.array([math.sin(a) * math.cos(b), math.sin(b), math.cos(a) * math.cos(b)])


class Environment(Frozen):
    """The picture all around that lights the bench."""

    file: str = ""  # relative to the project; empty is an even grey
    on: bool = True
    turn: float = 0.0  # degrees
    strength: float = Field(1.0, ge=0)


class Camera(Frozen):
    """An eye that circles a point."""

    turn: float = 24.0  # degrees about the upright axis, 0 from the front
    height: float = Field(16.0, ge=-89.0, le=89.0)  # degrees above the horizon
    distance: float = Field(0.62, gt=0.005, lt=200.0)  # metres
    target: Triple = (0.0, 0.085, 0.0)
    field: float = Field(26.0, gt=1.0, lt=120.0)  # degrees, the picture's shorter side

    def axes(self) -> np.ndarray:
        """(3, 3): right, up and forward."""
        forward = -_direction(self.turn, self.height)
        right = np.cross(forward, [0.0, 1.0, 0.0])
        right /= np.linalg.norm(right)
        return np.stack([right, np.cross(right, forward), forward])

    def position(self) -> np.ndarray:
        return np.array(self.target) + _direction(self.turn, self.height) * self.distance


class Bench(Frozen):
    """Everything a picture needs besides the materials."""

    objects: tuple[BenchObject, ...] = ()
    lights: tuple[Light, ...] = ()
    environment: Environment = Environment()
    camera: Camera = Camera()
    ground: bool = True
    exposure: float = 0.0  # stops
    view_transform: Literal["neutral", "srgb"] = "neutral"
    loud: Triple = (1.0, 0.05, 0.6)  # linear colour of what is missing
    surround: float = Field(0.48, ge=0, le=1)  # grey behind the object, as shown (0 to 1)
