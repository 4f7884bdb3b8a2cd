"""Dividing a mesh of triangles only where it is asked for, without a gap between what is divided and what is not."""

from __future__ import annotations

import numpy as np

from collage.core.geometry.subdivide import Cage, triangles_of
from collage.core.kernels import Family

k = Family("division")


def in_triangles(cage: Cage) -> Cage:
    """A divided cage as the triangles that it is drawn by."""
    if cage.is_triangles:
        return cage
    corners = triangles_of(cage).ravel()
    after = corners.reshape(-1, 3)[:, [1, 2, 0]].ravel()
    sharp = cage.sharp[corners] & (cage.following[corners] == after)  # no edge across a quad is
    starts = np.arange(0, len(corners) + 1, 3)
    return Cage(cage.positions, cage.vertex[corners], starts, cage.values[corners], sharp, cage.source[corners])


def refined(cage: Cage, marked: np.ndarray) -> tuple[Cage, np.ndarray]:
    """The triangles of a cage with the marked edges (edges,) bool halved; and which edge (m,) each new vertex halves.

    A triangle becomes two, three or four, by how many of its edges are marked: those of its neighbour are the same.
    New vertices follow the old ones.
    """
    halved = np.flatnonzero(marked)
    middle = np.full(cage.edges, -1)
    middle[halved] = len(cage.positions) + np.arange(len(halved))
    corner = cage.of_edge[halved]
    places = (cage.positions[cage.vertex[corner]] + cage.positions[cage.vertex[cage.following[corner]]]) / 2
    count = len(cage.vertex) + 3 * int(marked[cage.edge].sum())
    vertex, source, sharp = np.empty(count, np.int64), np.empty(count, np.int64), np.empty(count, bool)
    values = np.empty((count, cage.values.shape[1]))
    k.halve(
        cage.vertex, cage.values, cage.sharp, cage.source, cage.edge, middle, vertex, values, sharp, source
    )  # fmt: skip
    positions = np.concatenate([cage.positions, places])
    return Cage(positions, vertex, np.arange(0, count + 1, 3), values, sharp, source), halved
