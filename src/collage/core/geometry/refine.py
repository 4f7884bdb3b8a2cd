"""Dividing a mesh of triangles only where it is asked for, without a gap between what is divided and what is not."""

from __future__ import annotations

import numpy as np

from collage.core.geometry.subdivide import Cage, triangles_of


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
    number = np.full(cage.edges, -1)
    number[marked] = len(cage.positions) + np.arange(int(marked.sum()))
    middle = (cage.positions[cage.vertex] + cage.positions[cage.vertex[cage.following]]) / 2
    places = np.empty((int(marked.sum()), 3))
    flags = marked[cage.edge]
    places[number[cage.edge[flags]] - len(cage.positions)] = middle[flags]
    flags = flags.reshape(-1, 3)
    count = flags.sum(axis=1)
    turn = np.where(count == 1, flags.argmax(axis=1), np.where(count == 2, (np.argmin(flags, axis=1) + 1) % 3, 0))
    at = 3 * np.arange(len(flags))[:, None] + (turn[:, None] + np.arange(3)) % 3  # corners, marked edges first
    whole = at[count == 0].ravel()
    found = [(cage.vertex[whole], cage.values[whole], cage.sharp[whole], cage.source[whole])]
    for halved, parts in (
        (1, [(0, 3, 2), (3, 1, 2)]),
        (2, [(3, 1, 4), (0, 3, 4), (0, 4, 2)]),
        (3, [(0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5)]),
    ):
        found.append(_Corners(cage, number, at[count == halved]).made(parts))
    vertex, values, sharp, source = (np.concatenate(parts) for parts in zip(*found, strict=True))
    positions = np.concatenate([cage.positions, places])
    made = Cage(positions, vertex, np.arange(0, len(vertex) + 1, 3), values, sharp, source)
    return made, np.flatnonzero(marked)


class _Corners:
    """The corners of triangles (t, 3) as 0 to 2, and the middles of the edges that begin there as 3 to 5."""

    def __init__(self, cage: Cage, number: np.ndarray, at: np.ndarray) -> None:
        after = np.roll(at, -1, axis=1)
        self.vertex = np.concatenate([cage.vertex[at], number[cage.edge[at]]], axis=1)
        self.values = np.concatenate([cage.values[at], (cage.values[at] + cage.values[after]) / 2], axis=1)
        self.sharp = np.concatenate([cage.sharp[at], cage.sharp[at]], axis=1)
        self.source = cage.source[at[:, 0]]

    def made(self, parts: list[tuple[int, int, int]]) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Vertices, values, sharp edges and sources of the corners of what the triangles become."""
        corners = np.array(parts).ravel()
        ends = np.array(parts)[:, [1, 2, 0]].ravel()
        # an edge is sharp where it lies on one that was: from a corner to a middle beside it, or between two corners
        outer = np.array([_on_edge(a, b) for a, b in zip(corners, ends, strict=True)])
        vertex, values = self.vertex[:, corners], self.values[:, corners]
        sharp = self.sharp[:, np.maximum(outer, 0)] & (outer >= 0)
        source = np.repeat(self.source, len(corners))
        return vertex.ravel(), values.reshape(-1, values.shape[-1]), sharp.ravel(), source


def _on_edge(start: int, end: int) -> int:
    """The edge of a triangle, 0 to 2, on which the way from one of its corners or middles to another lies; else -1."""
    for edge in range(3):
        line = (edge, edge + 3, (edge + 1) % 3)
        if start in line and end in line:
            return edge
    return -1
