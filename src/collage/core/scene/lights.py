"""Lights: one class and one row of the shading kernel's table each."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from collage.core.base.frozen import Frozen
from collage.core.kernels import lights as k
from collage.core.scene.directions import Triple, direction, right_of

SMALLEST = 0.3  # degrees across: a point would have no soft highlight


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
        return direction(self.turn, self.height)

    def row(self) -> np.ndarray:
        """(COLUMNS,) float32, see kernels.lights. RIGHT and UP are slopes to the edge of the disc."""
        row = np.zeros(k.COLUMNS, np.float32)
        out, right = -self.direction(), right_of(self.turn)
        slope = math.tan(math.radians(max(self.size, SMALLEST)) / 2)
        row[k.KIND], row[k.SIZE] = k.DISTANT, slope
        row[k.DIRECTION : k.DIRECTION + 3] = out
        row[k.RIGHT : k.RIGHT + 3], row[k.UP : k.UP + 3] = right * slope, np.cross(right, out) * slope
        row[k.COLOUR : k.COLOUR + 3] = np.array(self.colour) * self.strength
        return row


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
        """Centre, half the width to the right, half the length up, and the direction it shines in, (3,) each."""
        out, right = -direction(self.turn, self.height), right_of(self.turn)
        centre = np.array(self.target) - out * self.distance
        return centre, right * self.width / 2, np.cross(right, out) * self.length / 2, out

    def row(self) -> np.ndarray:
        """(COLUMNS,) float32, see kernels.lights."""
        row = np.zeros(k.COLUMNS, np.float32)
        row[k.KIND] = k.AREA
        for column, vector in zip((k.CENTRE, k.RIGHT, k.UP, k.DIRECTION), self.frame(), strict=True):
            row[column : column + 3] = vector
        row[k.COLOUR : k.COLOUR + 3] = np.array(self.colour) * self.strength
        return row


Light = Annotated[DistantLight | AreaLight, Field(discriminator="kind")]


def light_table(lights: tuple[Light, ...]) -> np.ndarray:
    """The lights that are on, as rows for the kernels: (lights, COLUMNS) float32."""
    rows = [light.row() for light in lights if light.on]
    return np.stack(rows) if rows else np.zeros((0, k.COLUMNS), np.float32)
