"""The sun in a picture of the surroundings: small and bright, so that draft pictures take it for a light of its own,
whose shadows have an edge. Traced pictures see it where it is."""

from __future__ import annotations

import math

import numpy as np

from collage.core.images.colour import LUMINANCE
from collage.core.render.latlong import to_direction
from collage.core.scene.lights import DistantLight

NARROWEST = 256  # texels across of pictures in which a sun can be told from a window
WIDE = 4.0  # degrees from its middle that it may reach; what lies around, to twice as far, is told from it
LEAST = 0.08  # of all light of the picture
BRIGHTER = 20.0  # times as bright as what lies around it
CORE = 0.1  # of its brightness, from which on a texel is its own

DIRECTION, IRRADIANCE, DEGREES = slice(0, 3), slice(3, 6), 6
NO_SUN = np.zeros(7, np.float32)


def parted(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A picture (h, w, 3) without its sun, and that: its direction in the picture, its irradiance on what faces it, and
    the degrees across it, (7,) float32; NO_SUN where there is none."""
    height, width = picture.shape[:2]
    light = picture @ LUMINANCE.astype(np.float32)
    if width < NARROWEST or not light.max() > 0:
        return picture, NO_SUN
    u, v = (np.arange(width) + 0.5) / width, 1 - (np.arange(height) + 0.5) / height
    solid = _solid_angles(height, width)
    row, column = np.unravel_index(int(light.argmax()), light.shape)
    near = _cosines(u, v, float(u[column]), float(v[row]))
    inside = near > math.cos(math.radians(WIDE))
    around = (near > math.cos(math.radians(2 * WIDE))) & ~inside
    if not around.any():
        return picture, NO_SUN
    colour = np.median(picture[around], axis=0)
    level, peak = float(np.median(light[around])), float(light[row, column])
    own = np.nonzero(inside & (light > level + CORE * (peak - level)))
    part = solid[own[0]][:, None]
    more = np.maximum(picture[own] - colour, 0) * part
    irradiance = more.sum(axis=0)
    degrees = math.degrees(2 * math.sqrt(float(part.sum()) / math.pi))
    small = degrees < WIDE and float(near[own].min()) > math.cos(math.radians(0.75 * WIDE))
    whole = float(light.sum(axis=1) @ solid)
    if not small or peak < BRIGHTER * level or irradiance @ LUMINANCE < LEAST * whole:
        return picture, NO_SUN
    middle = (to_direction(u[own[1]], v[own[0]]) * (more @ LUMINANCE)[:, None]).sum(axis=0)
    rest = picture.copy()
    rest[own] = np.minimum(picture[own], colour)
    return rest, np.array([*(middle / np.linalg.norm(middle)), *irradiance, degrees], np.float32)


def _solid_angles(height: int, width: int) -> np.ndarray:
    """(h,) of a texel of each row."""
    edges = np.sin(np.pi / 2 - np.arange(height + 1) * np.pi / height)
    return np.asarray(2 * np.pi / width * (edges[:-1] - edges[1:]))


def _cosines(u: np.ndarray, v: np.ndarray, at_u: float, at_v: float) -> np.ndarray:
    """(h, w) float32 cosines of the angles between texels at (w,) and (h,) and a place of the picture."""
    turn, up, own = (u - at_u) * 2 * np.pi, (v - 0.5) * np.pi, (at_v - 0.5) * np.pi
    level = (np.cos(up) * np.cos(own)).astype(np.float32)[:, None] * np.cos(turn).astype(np.float32)
    return np.asarray(level + (np.sin(up) * np.sin(own)).astype(np.float32)[:, None])


def sun_light(sun: np.ndarray, way: np.ndarray, strength: float) -> DistantLight:
    """A sun as a light. way : (3,), its direction in the world. strength : of the surroundings."""
    most = max(float(sun[IRRADIANCE].max()), 1e-9)
    red, green, blue = (float(one) / most for one in sun[IRRADIANCE])
    x, y, z = (float(one) for one in way)
    return DistantLight(
        name="Sun of the surroundings", colour=(red, green, blue), strength=most * strength,
        height=math.degrees(math.asin(min(max(y, -1.0), 1.0))), turn=math.degrees(math.atan2(x, z)),
        size=min(float(sun[DEGREES]), 90.0),
    )  # fmt: skip
