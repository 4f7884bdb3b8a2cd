"""The places on a mesh that lie under the texels of its UVs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from collage.core.kernels import Family

k = Family("uv")

SAMPLES_AT_ONCE = 2**17  # about so many in one strip of rows
MOST_TILES = 100


@dataclass(frozen=True, eq=False)
class Strip:
    """Samples of some rows of a tile, n of them.

    texel : (n,) int64, the texel of each, row by row from the top of the tile. triangle : (n,) int32 of the mesh.
    shares : (2, n) float32, of the triangle's second and third corner. overlapped : how many of the samples lie under
    more than one triangle. share : how much of the tile is done after these rows, 0 to 1.
    """

    texel: np.ndarray
    triangle: np.ndarray
    shares: np.ndarray
    overlapped: int
    share: float


def tiles_of(uv: np.ndarray) -> list[tuple[int, int]]:
    """The tiles (column, row) that triangles with UVs (3 t, 2) lie in by their middles, the first ones MOST_TILES."""
    middles = np.floor(uv.reshape(-1, 3, 2).mean(axis=1)).astype(int)
    found = {(int(column), int(row)) for column, row in np.unique(middles, axis=0)}
    return sorted(found, key=lambda tile: (tile[1], tile[0]))[:MOST_TILES]


def strips(
    uv: np.ndarray, tile: tuple[int, int], size: int, across: int, island: np.ndarray | None = None
) -> Iterator[Strip]:
    """All samples of a tile, from the top, some rows at a time.

    uv : (3 t, 2). size : texels a side. across : samples a texel in each way; what covers only a part of a texel is
    met by some of them. island : (t,) int32 of each triangle: a texel has samples of one alone, of which there is most
    in it, since islands that lie side by side have nothing to do with each other.
    """
    corners = uv.reshape(-1, 3, 2).astype(np.float64) - np.array(tile)
    low, high = corners[:, :, 1].min(axis=1), corners[:, :, 1].max(axis=1)
    columns = size * across
    rows = max(SAMPLES_AT_ONCE // columns // across, 1)
    for top in range(0, size, rows):
        below = min(rows, size - top)
        bottom = size - top - below  # rows of texels below these
        here = np.flatnonzero((high > bottom / size) & (low < (bottom + below) / size)).astype(np.int32)
        placed = corners[here]
        placed[:, :, 1] = (placed[:, :, 1] * size - bottom) / below
        owner = np.full((below * across, columns), -1, np.int32)
        count = np.zeros_like(owner)
        k.cover(np.ascontiguousarray(placed), np.arange(len(here), dtype=np.int32), count, owner)
        y, x = np.nonzero(owner >= 0)
        found = owner[y, x]
        shares = _shares(placed[found], (x + 0.5) / columns, (y + 0.5) / (below * across))
        texel, triangle = (size - 1 - (bottom + y // across)) * size + x // across, here[found]
        overlapped = int(np.count_nonzero(count > 1))
        if island is not None:
            kept = _of_one_island(texel - top * size, island[triangle], below * size)
            texel, triangle, shares = texel[kept], triangle[kept], shares[:, kept]
        yield Strip(texel, triangle, shares, overlapped, (top + below) / size)


def _of_one_island(texel: np.ndarray, island: np.ndarray, texels: int) -> np.ndarray:
    """(n,) bool: the samples (n,) that lie on the island of which there are most in their texel."""
    kept, lowest = np.ones(len(texel), bool), np.full(texels, np.iinfo(np.int32).max, np.int32)
    highest = np.full(texels, -1, np.int32)
    np.minimum.at(lowest, texel, island)
    np.maximum.at(highest, texel, island)
    mixed = np.flatnonzero(lowest[texel] < highest[texel])
    if len(mixed):
        many = int(island.max()) + 1
        both, which, count = np.unique(
            texel[mixed].astype(np.int64) * many + island[mixed], return_inverse=True, return_counts=True
        )
        best = np.lexsort((-count, both // many))  # by texel, the largest first
        first = best[np.flatnonzero(np.diff(both[best] // many, prepend=-1))]
        chosen = np.zeros(len(both), bool)
        chosen[first] = True
        kept[mixed] = chosen[which.ravel()]
    return kept


def _shares(corners: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """(2, n) float32 shares of the second and third corner at places of triangles (n, 3, 2)."""
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    x, y = u - corners[:, 0, 0], v - corners[:, 0, 1]
    area = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    found = np.stack([x * b[:, 1] - y * b[:, 0], y * a[:, 0] - x * a[:, 1]]) / area
    return np.clip(found, 0, 1).astype(np.float32)
