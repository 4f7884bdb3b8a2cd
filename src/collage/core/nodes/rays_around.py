"""Rays that masks send from points, through what does not count."""

from __future__ import annotations

import numpy as np

from collage.core.geometry.points import Points
from collage.core.kernels import Family
from collage.core.nodes.behaviour import Array

k = Family("proximity")

NO_NUMBERS = np.zeros(0, int)
LIFT = 2e-4  # metres above the surface where rays begin, or less for short ones
LOOKED_THROUGH = 8  # other objects that a ray of one object's own goes through


class Rays:
    """Rays from some points of `points`, as far as `reach` (n,) metres. own : whether only their own object counts."""

    def __init__(self, points: Points, reach: Array, *, own: bool = False) -> None:
        assert points.around is not None
        self.points, self.own, self.tracer = points, own, points.around.tracer
        self.object_of = points.around.object_of
        self.reach = np.broadcast_to(reach, (points.count,)).astype(np.float32)
        self.number = np.broadcast_to(points.object_number, (points.count,))
        self.lift = np.minimum(np.float32(LIFT), self.reach * np.float32(0.02))
        self.position = np.ascontiguousarray(points.position.T)
        self.normal = np.ascontiguousarray(points.normal.T)

    def lengths(self, at: Array, origins: Array, ways: Array, far: Array) -> tuple[Array, Array]:
        """How far rays (r, 3) go until they meet something, (r,), infinite for nothing within `far` (r,); and what
        triangle they meet, -1 for none. at : (r,) the number of the point that each belongs to."""
        found = self.tracer.nearest(np.ascontiguousarray(origins), np.ascontiguousarray(ways), far)
        length, triangle = found.distance, found.triangle
        waiting = np.flatnonzero(self._other(at, triangle)) if self.own else np.zeros(0, int)
        gone = length[waiting]
        for _ in range(LOOKED_THROUGH):
            if not len(waiting):
                break
            gone = gone * np.float32(1 + 1e-5) + self.lift[at[waiting]]
            way, left = np.ascontiguousarray(ways[waiting]), np.maximum(far[waiting] - gone, 0)
            start = np.ascontiguousarray(origins[waiting] + way * gone[:, None])
            more = self.tracer.nearest(start, way, left)
            triangle[waiting], length[waiting] = more.triangle, gone + more.distance
            still = self._other(at[waiting], triangle[waiting])
            gone, waiting = length[waiting][still], waiting[still]
        triangle[waiting] = -1
        length[triangle < 0] = np.inf
        return length, triangle

    def _other(self, at: Array, triangle: Array) -> Array:
        """(r,) bool: whether rays have met another object than their own."""
        return (triangle >= 0) & (self.object_of[triangle] != self.number[at])

    def found(self, cut: slice, normal: Array, places: Array, fade: np.float32, some: Array | None = None) -> Array:
        """What rays to `places` (k, 2) of a disc, raised to the half sphere around normals (points, 3), find over a run
        of points or some of it: (n, k), how much each closes, see kernels.proximity.closed."""
        run = slice(None) if some is None else some
        position, up = (np.ascontiguousarray(one[cut][run]) for one in (self.position, normal))
        lift, reach = self.lift[cut][run], self.reach[cut][run]
        size, count = len(position), len(places)
        (origins, ways), far = np.empty((2, size * count, 3), np.float32), np.empty(size * count, np.float32)
        k.hemisphere(position, up, places, np.zeros(size, np.float32), lift, reach, origins, ways, far)
        number = np.repeat(np.arange(cut.start, cut.stop)[run], count) if self.own else NO_NUMBERS
        length, triangle = self.lengths(number, origins, ways, far)
        out = np.empty((size, count), np.float32)
        k.closed(length, triangle, reach, fade, out)
        return out
