"""How a mesh hangs together: vertices at one place, connected pieces, and edges."""

from __future__ import annotations

import numpy as np

from collage.core.kernels import Family

kernels = Family("meshes")

_MIX = (np.uint64(0x9E3779B97F4A7C15), np.uint64(0xC2B2AE3D27D4EB4F), np.uint64(0x165667B19E3779F9))


def same_place(positions: np.ndarray) -> np.ndarray:
    """(v,) int32: the first vertex that lies at exactly the same place as each.

    positions : (v, 3) float32.
    """
    bits = (positions + np.float32(0)).view(np.uint32).astype(np.uint64)  # minus zero is zero
    with np.errstate(over="ignore"):
        key = (bits[:, 0] * _MIX[0]) ^ (bits[:, 1] * _MIX[1] + _MIX[2]) ^ (bits[:, 2] * _MIX[2])
        key ^= key >> np.uint64(29)
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    found = first[inverse].astype(np.int32)
    if not np.array_equal(positions[found], positions):  # two places have the same key
        _, first, inverse = np.unique(positions, axis=0, return_index=True, return_inverse=True)
        found = first[inverse.reshape(-1)].astype(np.int32)
    return found


def numbered(*columns: np.ndarray) -> np.ndarray:
    """(n,) int32: equal rows of whole numbers, given as columns (n,), get equal numbers, from 0 on."""
    rows = [column.astype(np.int64).view(np.uint64) for column in columns]
    with np.errstate(over="ignore"):
        key = np.zeros(len(rows[0]), np.uint64)
        for row in rows:
            key = (key ^ row) * _MIX[0]
            key ^= key >> np.uint64(31)
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    if any(not np.array_equal(row[first][inverse], row) for row in rows):  # two rows have the same key
        _, inverse = np.unique(np.stack(rows, axis=1), axis=0, return_inverse=True)
    return np.asarray(inverse.reshape(-1), np.int32)


def welded(positions: np.ndarray, triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Positions of which no two are the same, and the triangles that name them; unused ones are gone.

    positions : (v, 3) float32. triangles : (t, 3) int32. Corners keep their order, so what is kept by corner stays.
    """
    used = same_place(positions)[triangles]
    keep = np.zeros(len(positions), bool)
    keep[used] = True
    number = np.cumsum(keep, dtype=np.int32) - 1
    return positions[keep], number[used]


def connected(triangles: np.ndarray, count: int) -> np.ndarray:
    """(t,) int32: the connected piece of each triangle, numbered in the order of their first triangles.

    triangles : (t, 3) of welded vertices, of which there are `count`.
    """
    piece = np.empty(len(triangles), np.int32)
    kernels.connect(np.ascontiguousarray(triangles, np.int32), np.arange(count, dtype=np.int32), piece)
    return piece


def edge_keys(triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A number for the edge that begins at each corner, (3 t,) uint64, the same from both sides; and whether it runs
    from the lower vertex to the higher, (3 t,) bool."""
    start = triangles.astype(np.uint64)
    end = np.roll(start, -1, axis=1)
    low, high = np.minimum(start, end), np.maximum(start, end)
    return ((low << np.uint64(32)) | high).ravel(), (start < end).ravel()
