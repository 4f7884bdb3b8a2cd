"""Real sizes of what lies on UVs: how wide a tile is, and how deep relief is.

Relief is as deep as the strength of bump says in the standard's units, and millimetres on an object of known size.
The standard's slope is that of the height over one unit of UV, times its scale, divided by 16; so a height from 0 to
1 is scale / 16 of the width of the UV square deep.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from collage.core.geometry.islands import quantiles
from collage.core.geometry.mesh import Mesh
from collage.core.nodes.adding import BUMP_UNITS
from collage.core.scene.bench import Bench


def tile_metres(bench: Bench, material: str) -> float | None:
    """How wide the UV square is, in metres, on the first object that wears a material; None where there is none.

    The square root of the area on the object that a unit of UV area covers, in the mean over the object.
    """
    for item in bench.objects:
        if material in item.materials:
            return square_of(item.mesh())
    return None


@lru_cache(maxsize=32)
def square_of(mesh: Mesh) -> float | None:
    """The same of a mesh."""
    if not mesh.uv:
        return None
    covered = float(_uv_areas(mesh).sum())
    return float(np.sqrt(mesh.areas.sum(dtype=np.float64) / covered)) if covered > 1e-12 else None


def _uv_areas(mesh: Mesh) -> np.ndarray:
    """(t,) float64: how much of the first UV set each triangle covers."""
    corners = next(iter(mesh.uv.values())).reshape(-1, 3, 2).astype(np.float64)
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas: np.ndarray = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    return areas


@dataclass(frozen=True)
class Span:
    """How far one unit of u and of v goes on an object, metres, in the mean over its area.

    uneven : by how much more UV lies on the densest twentieth of it than on the sparsest, 0 for even UVs.
    """

    u: float
    v: float
    uneven: float


def uv_span(bench: Bench, material: str) -> Span | None:
    """Of the first UV set of the first object with a material; None where there is none. Raises CollageError."""
    for item in bench.objects:
        if material in item.materials:
            return span_of(item.mesh())
    return None


@lru_cache(maxsize=32)
def span_of(mesh: Mesh) -> Span | None:
    """Of the first UV set of a mesh; None where there is none."""
    if not mesh.uv:
        return None
    covered = _uv_areas(mesh)
    areas = mesh.areas.astype(np.float64)
    good = (covered > 1e-12) & (areas > 0)
    if not good.any():
        return None
    weight = areas[good] / areas[good].sum()
    u, v = (float((np.linalg.norm(along[good], axis=1) * weight).sum()) for along in mesh.gradients)
    low, high = (float(one) for one in quantiles(np.sqrt(areas[good] / covered[good]), weight, (0.05, 0.95 - 1e-12)))
    return Span(u, v, high / low - 1)


def depth_of(scale: float, metres: float) -> float:
    """Metres from the lowest to the highest of a height of 0 to 1, on a UV square so many metres wide."""
    return scale / BUMP_UNITS * metres


def scale_of(depth: float, metres: float) -> float:
    """The scale of bump that makes a height so many metres deep, on a UV square so many metres wide."""
    return depth / metres * BUMP_UNITS
