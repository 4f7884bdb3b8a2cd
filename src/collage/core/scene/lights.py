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
XYZ_TO_RGB = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])  # Rec. 709
COOLEST, HOTTEST = 1700.0, 25000.0  # kelvin


def colour_of(kelvin: float) -> Triple:
    """Linear Rec. 709 colour of a glowing body, of luminance 1.

    The Planckian locus by B. Kim et al., Design of advanced color temperature control system, JKPS 41, 2002.
    """
    t = min(max(kelvin, COOLEST), HOTTEST)
    if t <= 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t <= 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    light = XYZ_TO_RGB @ np.array([x / y, 1.0, (1 - x - y) / y])
    red, green, blue = (max(float(one), 0.0) for one in light)
    return red, green, blue


class _Glow(Frozen):
    """What all lights have."""

    on: bool = True
    colour: Triple = (1.0, 1.0, 1.0)
    temperature: float | None = Field(None, ge=COOLEST, le=HOTTEST)  # kelvin, beside the colour
    strength: float = Field(4.0, ge=0)

    def radiant(self) -> np.ndarray:
        """(3,) what it sends, by colour."""
        glow = colour_of(self.temperature) if self.temperature is not None else (1.0, 1.0, 1.0)
        return np.array(self.colour) * np.array(glow) * self.strength


class DistantLight(_Glow):
    """Light from far away, like the sun's; strength is irradiance on a surface that faces it."""

    kind: Literal["distant"] = "distant"
    name: str = "Sun"
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
        row[k.KIND], row[k.SIZE], row[k.CONE], row[k.FULL] = k.DISTANT, slope, k.NO_CONE, k.NO_CONE
        row[k.DIRECTION : k.DIRECTION + 3] = out
        row[k.RIGHT : k.RIGHT + 3], row[k.UP : k.UP + 3] = right * slope, np.cross(right, out) * slope
        row[k.COLOUR : k.COLOUR + 3] = self.radiant()
        return row


SHAPES = {"rectangle": k.AREA, "disc": k.DISC, "ball": k.BALL}
Shape = Literal["rectangle", "disc", "ball"]


class AreaLight(_Glow):
    """A lit surface; strength is its radiance.

    cone : degrees across, out of which it sends no light: a spot. edge : the share of it over which it fades.
    visible : whether the eye sees it.
    """

    kind: Literal["area"] = "area"
    name: str = "Panel"
    strength: float = Field(6.0, ge=0)
    height: float = 40.0
    turn: float = -50.0
    distance: float = Field(0.9, gt=0)  # metres from `target`
    target: Triple = (0.0, 0.08, 0.0)
    shape: Shape = "rectangle"
    width: float = Field(0.4, gt=0)  # of a disc or ball across
    length: float = Field(0.4, gt=0)  # of a rectangle alone
    cone: float | None = Field(None, ge=1, le=180)
    edge: float = Field(0.3, ge=0, le=1)
    visible: bool = False

    def frame(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Centre, half the width to the right, half the length up, and the direction it shines in, (3,) each."""
        out, right = -direction(self.turn, self.height), right_of(self.turn)
        centre, length = np.array(self.target) - out * self.distance, self.length
        if self.shape != "rectangle":
            length = self.width
        return centre, right * self.width / 2, np.cross(right, out) * length / 2, out

    def row(self) -> np.ndarray:
        """(COLUMNS,) float32, see kernels.lights."""
        row = np.zeros(k.COLUMNS, np.float32)
        row[k.KIND], row[k.SIZE], row[k.VISIBLE] = SHAPES[self.shape], self.width / 2, self.visible
        for column, vector in zip((k.CENTRE, k.RIGHT, k.UP, k.DIRECTION), self.frame(), strict=True):
            row[column : column + 3] = vector
        row[k.COLOUR : k.COLOUR + 3] = self.radiant()
        row[k.CONE] = row[k.FULL] = k.NO_CONE
        if self.cone is not None:
            half = math.radians(self.cone) / 2
            row[k.CONE], row[k.FULL] = math.cos(half), math.cos(half * (1 - self.edge))
        return row


def in_cone(light: AreaLight, cosine: np.ndarray) -> np.ndarray:
    """How much of its light a light sends at angles from its direction, see kernels.emitters."""
    row = light.row()
    if row[k.CONE] <= k.NO_CONE:
        return np.ones_like(cosine)
    share = np.clip((cosine - row[k.CONE]) / max(row[k.FULL] - row[k.CONE], 1e-6), 0, 1)
    return np.asarray(share * share * (3 - 2 * share))


Light = Annotated[DistantLight | AreaLight, Field(discriminator="kind")]


def light_table(lights: tuple[Light, ...]) -> np.ndarray:
    """The lights that are on, as rows for the kernels: (lights, COLUMNS) float32."""
    rows = [light.row() for light in lights if light.on]
    return np.stack(rows) if rows else np.zeros((0, k.COLUMNS), np.float32)
