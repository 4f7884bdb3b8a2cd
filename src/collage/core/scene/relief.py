"""How deep relief is: the strength of bump in the standard's units, and millimetres on an object of known size.

The standard's slope is that of the height over one unit of UV, times its scale, divided by 16; so a height from 0 to
1 is scale / 16 of the width of the UV square deep.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from collage.core.geometry.mesh import Mesh
from collage.core.nodes.adding import BUMP_UNITS
from collage.core.scene.bench import Bench


def tile_metres(bench: Bench, material: str) -> float | None:
    """How wide the UV square is, in metres, on the first object that wears a material; None where there is none.

    The square root of the area on the object that a unit of UV area covers, in the mean over the object.
    """
    for item in bench.objects:
        if material in item.materials:
            return _square(item.mesh())
    return None


@lru_cache(maxsize=32)
def _square(mesh: Mesh) -> float | None:
    if not mesh.uv:
        return None
    corners = next(iter(mesh.uv.values())).reshape(-1, 3, 2).astype(np.float64)
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    covered = float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2)
    return float(np.sqrt(mesh.areas.sum(dtype=np.float64) / covered)) if covered > 1e-12 else None


def depth_of(scale: float, metres: float) -> float:
    """Metres from the lowest to the highest of a height of 0 to 1, on a UV square so many metres wide."""
    return scale / BUMP_UNITS * metres


def scale_of(depth: float, metres: float) -> float:
    """The scale of bump that makes a height so many metres deep, on a UV square so many metres wide."""
    return depth / metres * BUMP_UNITS
