"""Polygons as triangles."""

from __future__ import annotations

import numpy as np


def triangulated(corners: np.ndarray, sizes: np.ndarray, positions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Triangles of polygons, and which polygon each belongs to.

    corners : (c,) int, the vertices of all polygons one after the other. sizes : (p,) int, how many each has, 3 at
    least. positions : (v, 3). Returns (t, 3) int64 places in `corners`, and (t,) int32.
    Convex polygons become fans; others are cut ear by ear (D. Eberly, Triangulation by ear clipping, 1998).
    """
    starts = np.cumsum(sizes) - sizes
    counts = sizes - 2
    polygon = np.repeat(np.arange(len(sizes), dtype=np.int32), counts)
    step = np.arange(len(polygon)) - np.repeat(np.cumsum(counts) - counts, counts)
    first = starts[polygon]
    triangles = np.stack([first, first + step + 1, first + step + 2], axis=1)
    for number in _not_convex(corners, starts, sizes, positions):
        start, size = int(starts[number]), int(sizes[number])
        here = np.flatnonzero(polygon == number) if len(sizes) < 100_000 else _run(polygon, number)
        triangles[here] = start + _ears(positions[corners[start : start + size]])
    return triangles, polygon


def _run(polygon: np.ndarray, number: int) -> np.ndarray:
    low, high = np.searchsorted(polygon, [number, number + 1])
    return np.arange(low, high)


def _not_convex(corners: np.ndarray, starts: np.ndarray, sizes: np.ndarray, positions: np.ndarray) -> np.ndarray:
    """The polygons with a corner that is turned inwards, by number."""
    if not (sizes > 3).any():
        return np.zeros(0, int)
    polygon = np.repeat(np.arange(len(sizes)), sizes)
    at = np.arange(len(corners))
    last = starts + sizes - 1
    following, before = at + 1, at - 1
    following[last], before[starts] = starts, last
    place = positions[corners].astype(np.float64)
    turn = np.cross(place - place[before], place[following] - place)
    centre = np.add.reduceat(place, starts, axis=0) / sizes[:, None]
    normal = np.add.reduceat(np.cross(place - centre[polygon], place[following] - centre[polygon]), starts, axis=0)
    inward = np.einsum("ij,ij->i", turn, normal[polygon]) < 0
    return np.unique(polygon[inward & (sizes[polygon] > 3)])


def _ears(place: np.ndarray) -> np.ndarray:
    """(n - 2, 3) corners of the triangles of one polygon of n places, (n, 3)."""
    centre = place.mean(axis=0)
    normal = np.cross(place - centre, np.roll(place, -1, axis=0) - centre).sum(axis=0)
    keep = [axis for axis in range(3) if axis != int(np.abs(normal).argmax())]
    flat = place[:, keep].astype(np.float64)
    if _area(flat) < 0:
        flat = flat[:, ::-1]
    left, found = list(range(len(flat))), []
    while len(left) > 3:
        at = next((at for at in range(len(left)) if _is_ear(flat, left, at)), 0)  # of a knotted one, any
        found.append((left[at - 1], left[at], left[(at + 1) % len(left)]))
        del left[at]
    return np.array([*found, tuple(left)])


def _area(flat: np.ndarray) -> float:
    following = np.roll(flat, -1, axis=0)
    return float((flat[:, 0] * following[:, 1] - flat[:, 1] * following[:, 0]).sum())


def _is_ear(flat: np.ndarray, left: list[int], at: int) -> bool:
    a, b, c = flat[left[at - 1]], flat[left[at]], flat[left[(at + 1) % len(left)]]
    if _cross(a, b, c) <= 0:
        return False
    others = flat[[one for number, one in enumerate(left) if number not in (at - 1 if at else len(left) - 1, at,
                                                                           (at + 1) % len(left))]]  # fmt: skip
    sides = [(q[0] - p[0]) * (others[:, 1] - p[1]) - (q[1] - p[1]) * (others[:, 0] - p[0])
             for p, q in ((a, b), (b, c), (c, a))]  # fmt: skip
    return not bool(((sides[0] >= 0) & (sides[1] >= 0) & (sides[2] >= 0)).any())


def _cross(a: np.ndarray, b: np.ndarray, c: np.ndarray) -> float:
    return float((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
