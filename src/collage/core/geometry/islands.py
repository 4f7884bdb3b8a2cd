"""Islands of a UV set, and what is measured of a layout: stretch, texel density, flipped faces, overlap."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from collage.core.geometry.mesh import Mesh
from collage.core.geometry.topology import connected, numbered, same_place
from collage.core.kernels import Family

k = Family("uv")

SAME = 1e-6  # of the UV square: corners of one vertex that lie so close are one
MOST_COUNTED = 1 << 16  # tiles between the furthest ones up to which they are counted, which is quicker
LEAST = 1e-14  # of the UV square, an area that counts as one


@lru_cache(maxsize=16)
def islands_of(mesh: Mesh, name: str) -> np.ndarray:
    """(t,) int32: the island of each triangle in a UV set, numbered in the order of their first triangles.

    Triangles hang together where they have a vertex and its place in the UV set in common.
    """
    return islands(mesh.positions, mesh.triangles, mesh.uv[name])


def islands(positions: np.ndarray, triangles: np.ndarray, uv: np.ndarray) -> np.ndarray:
    """The same for the arrays of a mesh; uv : (3 t, 2)."""
    corner = corner_numbers(positions, triangles, uv).reshape(-1, 3)
    return connected(corner, int(corner.max(initial=-1)) + 1)


def corner_numbers(positions: np.ndarray, triangles: np.ndarray, uv: np.ndarray) -> np.ndarray:
    """(3 t,) int32: corners with the same number are one vertex at one place in the UV set, (3 t, 2)."""
    vertex = same_place(positions)[triangles].ravel().astype(np.int64)
    place = np.round(np.nan_to_num(uv) / SAME).astype(np.int64)
    return numbered(vertex, place[:, 0], place[:, 1])


@dataclass(frozen=True, eq=False)
class Measures:
    """What is measured of a UV set, by triangle.

    stretch : (t,) how much longer one direction is drawn than the other, 1 for none. density : (t,) UV units per metre.
    flipped : (t,) bool. area : (t,) square metres.
    mean_stretch : the L2 stretch of the layout, 1 at best (P. Sander et al., Texture mapping progressive meshes, 2001):
        the root mean square of both directions' lengths over the surface, against that of an even layout as large.
    """

    stretch: np.ndarray
    density: np.ndarray
    flipped: np.ndarray
    area: np.ndarray
    mean_stretch: float

    @property
    def mean_density(self) -> float:
        """UV units per metre, in the mean over the surface."""
        return float((self.density * self.area).sum() / max(self.area.sum(), 1e-30))


def quantiles(values: np.ndarray, weights: np.ndarray, at: Sequence[float]) -> np.ndarray:
    """The values (n,) below which some shares of all weights (n,) lie; there must be some weight."""
    order = np.argsort(values)
    share = np.cumsum(weights[order]) / weights.sum()
    return np.asarray(values[order[np.minimum(np.searchsorted(share, at), len(order) - 1)]])


@lru_cache(maxsize=16)
def measures_of(mesh: Mesh, name: str) -> Measures:
    """The measures of a UV set of a mesh."""
    return measures(mesh.positions, mesh.triangles, mesh.uv[name])


def measures(positions: np.ndarray, triangles: np.ndarray, uv: np.ndarray) -> Measures:
    """The same for the arrays of a mesh; uv : (3 t, 2)."""
    p = positions.astype(np.float64)[triangles]
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    corner = uv.reshape(-1, 3, 2).astype(np.float64)
    d1, d2 = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    flat = (d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) / 2
    area = np.linalg.norm(np.cross(e1, e2), axis=1) / 2
    good = (np.abs(flat) > LEAST) & (area > 0)
    scale = np.where(good, 0.5 / np.where(good, flat, 1), 0)[:, None]
    along_u = (e1 * d2[:, 1:] - e2 * d1[:, 1:]) * scale
    along_v = (e2 * d1[:, :1] - e1 * d2[:, :1]) * scale
    a, c = (along_u * along_u).sum(axis=1), (along_v * along_v).sum(axis=1)
    b = (along_u * along_v).sum(axis=1)
    root = np.sqrt(np.maximum((a - c) ** 2 + 4 * b * b, 0))
    longest, shortest = np.sqrt((a + c + root) / 2), np.sqrt(np.maximum((a + c - root) / 2, 1e-30))
    stretch = np.where(good, longest / np.where(good, shortest, 1), 1.0)
    density = np.where(area > 0, np.sqrt(np.abs(flat) / np.where(area > 0, area, 1)), 0.0)
    weight = area[good].sum()
    l2 = np.sqrt(((a + c) / 2 * area)[good].sum() / weight * np.abs(flat[good]).sum() / weight) if weight else 1.0
    return Measures(stretch, density, flat < -LEAST, area, float(l2))


def covered(uv: np.ndarray, ids: np.ndarray, size: int) -> tuple[np.ndarray, np.ndarray]:
    """How often each texel's middle is covered, and the last id that covers it (-1 for none), (size, size) int32 each.

    uv : (3 t, 2). ids : (t,) int32. Row 0 is at v = 0; only the unit square is looked at.
    """
    count, owner = np.zeros((size, size), np.int32), np.full((size, size), -1, np.int32)
    corners = np.ascontiguousarray(uv.reshape(-1, 3, 2), np.float64)
    k.cover(corners, np.ascontiguousarray(ids, np.int32), count, owner)
    return count, owner


def in_tiles(uv: np.ndarray) -> np.ndarray:
    """(t, 2) int: the numbered tile, column and row, in which the middle of each triangle lies. uv : (3 t, 2)."""
    return np.floor(np.nan_to_num(uv).reshape(-1, 3, 2).mean(axis=1)).astype(int)


def used_tiles(uv: np.ndarray) -> np.ndarray:
    """(n, 2) int: the numbered tiles, column and row, in which triangles lie, row by row. uv : (3 t, 2)."""
    tiles = in_tiles(uv)
    if not len(tiles):
        return tiles
    low = np.array([tiles[:, 0].min(), tiles[:, 1].min()])
    across, up = (int(tiles[:, axis].max() - low[axis]) + 1 for axis in (0, 1))
    if across * up > MOST_COUNTED:
        return np.unique(tiles, axis=0)
    count = np.bincount((tiles[:, 1] - low[1]) * across + tiles[:, 0] - low[0], minlength=across * up)
    row, column = np.divmod(np.flatnonzero(count), across)
    return np.stack([column + low[0], row + low[1]], axis=1)


def overlapping(uv: np.ndarray, size: int = 1024) -> tuple[np.ndarray, float]:
    """The triangles that lie over others, (t,) bool, and the share of covered texels that they cover twice.

    uv : (3 t, 2); numbered tiles are looked at one by one. size : texels of a tile's side.
    """
    tiles, found = in_tiles(uv), np.zeros(len(uv) // 3, bool)
    twice = once = 0
    for tile in np.unique(tiles, axis=0):
        here = np.flatnonzero((tiles == tile).all(axis=1))
        inside = uv.reshape(-1, 3, 2)[here] - tile
        count, _ = covered(inside, np.arange(len(here)), size)
        twice, once = twice + int((count > 1).sum()), once + int((count > 0).sum())
        if (count > 1).any():
            found[here] |= _touching(inside, count > 1)
    return found, twice / max(once, 1)


def _touching(corners: np.ndarray, marked: np.ndarray) -> np.ndarray:
    """(t,) bool: whether a marked texel's middle lies in the box around each triangle, (t, 3, 2), about."""
    size = len(marked)
    low = np.clip(np.ceil(corners.min(axis=1) * size - 0.5).astype(int), 0, size)
    high = np.clip(np.floor(corners.max(axis=1) * size - 0.5).astype(int) + 1, 0, size)
    sums = np.zeros((size + 1, size + 1), np.int64)
    sums[1:, 1:] = marked.cumsum(axis=0).cumsum(axis=1)
    x0, y0, x1, y1 = low[:, 0], low[:, 1], np.maximum(high[:, 0], low[:, 0]), np.maximum(high[:, 1], low[:, 1])
    return np.asarray(sums[y1, x1] - sums[y0, x1] - sums[y1, x0] + sums[y0, x0] > 0)
