"""Daylight: a clear sky and its sun by an analytic model.

A. J. Preetham, P. Shirley and B. Smits, A Practical Analytic Model for Daylight, SIGGRAPH 1999.
"""

from __future__ import annotations

import math

import numpy as np
from pydantic import Field

from collage.core.base.frozen import Frozen
from collage.core.kernels.packed import WAVELENGTHS
from collage.core.scene.directions import Triple, direction
from collage.core.scene.lights import XYZ_TO_RGB, DistantLight

UNIT = 25.0  # kcd/m2 and klx that count as 1: a clear day is well exposed at exposure 0
SUN = 127.5  # klx outside the air, facing the sun
DEGREES = 0.53  # across the sun
SIZE = (128, 256)  # rows and columns of the picture, which has nothing small in it

# by turbidity: distribution coefficients A to E of luminance and of the chromaticities x and y (appendix A.2)
_SLOPES = np.array([
    [0.1787, -0.3554, -0.0227, 0.1206, -0.0670],
    [-0.0193, -0.0665, -0.0004, -0.0641, -0.0033],
    [-0.0167, -0.0950, -0.0079, -0.0441, -0.0109],
])  # fmt: skip
_AT_ZERO = np.array([
    [-1.4630, 0.4275, 5.3251, -2.5771, 0.3703],
    [-0.2592, 0.0008, 0.2125, -0.8989, 0.0452],
    [-0.2608, 0.0092, 0.2102, -1.6537, 0.0529],
])  # fmt: skip
# chromaticities of the zenith: rows by powers of turbidity from the second, columns by those of the sun's angle from
# the third
_ZENITH_X = np.array([
    [0.00166, -0.00375, 0.00209, 0.0], [-0.02903, 0.06377, -0.03202, 0.00394], [0.11693, -0.21196, 0.06052, 0.25886],
])  # fmt: skip
_ZENITH_Y = np.array([
    [0.00275, -0.00610, 0.00317, 0.0], [-0.04214, 0.08970, -0.04153, 0.00516], [0.15346, -0.26756, 0.06670, 0.26688],
])  # fmt: skip


class Daylight(Frozen):
    """A clear sky.

    elevation : of the sun above the horizon, degrees. haze : the model's turbidity, 2 for very clear air, 10 for haze.
    ground : linear colour of the ground all around. sun : strength of the sun beside the sky's, 0 for none. sun_size :
    how many times as wide it is as it really is.
    """

    elevation: float = Field(40.0, ge=0.0, le=90.0)
    haze: float = Field(3.0, ge=1.9, le=10.0)
    ground: Triple = (0.18, 0.17, 0.15)
    sun: float = Field(1.0, ge=0.0)
    sun_size: float = Field(1.0, gt=0.0, le=60.0)

    def picture(self) -> np.ndarray:
        """(h, w, 3) float32 latitude-longitude picture of the sky, without the sun, which stands above +z."""
        rows, columns = SIZE
        v, u = np.meshgrid(1 - (np.arange(rows) + 0.5) / rows, (np.arange(columns) + 0.5) / columns, indexing="ij")
        turn, height = (u - 0.5) * 2 * np.pi, (v - 0.5) * np.pi
        ways = np.stack([np.sin(turn) * np.cos(height), np.sin(height), -np.cos(turn) * np.cos(height)], axis=-1)
        sky = self.radiance(ways.reshape(-1, 3)).reshape(rows, columns, 3)
        above = ways[..., 1] > 0
        angle = np.cos(height) * (2 * np.pi / columns) * (np.pi / rows) * np.maximum(ways[..., 1], 0)
        falling = (sky * (angle * above)[..., None]).sum(axis=(0, 1))
        falling += np.array(self.sunlight()) * math.sin(math.radians(self.elevation))
        below = np.array(self.ground) * falling / np.pi
        return np.where(above[..., None], sky, below).astype(np.float32)

    def radiance(self, ways: np.ndarray) -> np.ndarray:
        """(n, 3) linear light of directions (n, 3) above the horizon; that of the horizon for those below."""
        sun = direction(0.0, self.elevation)
        zenith = math.radians(90.0 - self.elevation)
        up = np.maximum(ways[:, 1], 0.01)
        gamma = np.arccos(np.clip(ways @ sun, -1, 1))
        found = []
        for slope, start, straight_up in zip(_SLOPES, _AT_ZERO, self.of_zenith(), strict=True):
            how = slope * self.haze + start
            found.append(straight_up * _perez(how, up, gamma) / _perez(how, np.ones(1), np.full(1, zenith)))
        luminance, x, y = found
        across, along = x / y * luminance, (1 - x - y) / y * luminance
        light = np.stack([across, luminance, along], axis=1) @ XYZ_TO_RGB.T
        return np.asarray(np.maximum(light, 0) / UNIT)

    def of_zenith(self) -> tuple[float, float, float]:
        """Luminance straight up, kcd/m2, and its chromaticities x and y."""
        angle = math.radians(90.0 - self.elevation)
        chi = (4 / 9 - self.haze / 120) * (math.pi - 2 * angle)
        luminance = (4.0453 * self.haze - 4.9710) * math.tan(chi) - 0.2155 * self.haze + 2.4192
        powers, by_haze = np.array([angle**3, angle**2, angle, 1]), np.array([self.haze**2, self.haze, 1])
        return max(luminance, 0.0), float(by_haze @ _ZENITH_X @ powers), float(by_haze @ _ZENITH_Y @ powers)

    def sunlight(self) -> tuple[float, float, float]:
        """Irradiance on a surface that faces the sun, by colour: what the air leaves of it (appendix A.1)."""
        angle = math.radians(90.0 - self.elevation)
        mass = 1 / (math.cos(angle) + 0.15 * (93.885 - math.degrees(angle)) ** -1.253)
        haze = 0.04608 * self.haze - 0.04586
        left = [math.exp(-mass * (0.008735 * w**-4.08 + haze * w**-1.3)) for w in WAVELENGTHS]
        red, green, blue = (self.sun * SUN / UNIT * one for one in left)
        return red, green, blue

    def light(self, turn: float, strength: float) -> DistantLight:
        """The sun as a light. turn : degrees about the upright axis; strength : of sky and sun together."""
        colour = np.array(self.sunlight())
        most = max(float(colour.max()), 1e-9)
        red, green, blue = (float(one / most) for one in colour)
        return DistantLight(
            name="Sun of the sky", colour=(red, green, blue), strength=most * strength, height=self.elevation,
            turn=turn, size=min(DEGREES * self.sun_size, 90.0),
        )  # fmt: skip


def _perez(how: np.ndarray, cosine: np.ndarray, angle: np.ndarray) -> np.ndarray:
    """Perez's distribution over the sky. how : (5,), cosine : to straight up, angle : to the sun, radians."""
    a, b, c, d, e = how
    return np.asarray((1 + a * np.exp(b / cosine)) * (1 + c * np.exp(d * angle) + e * np.cos(angle) ** 2))
