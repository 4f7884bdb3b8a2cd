"""Dividing a mesh: each polygon into smaller ones, with the surface kept as it is or smoothed.

Smooth rules: E. Catmull and J. Clark, Recursively generated B-spline surfaces on arbitrary topological meshes, 1978,
for meshes with polygons of more than three corners; C. Loop, Smooth subdivision surfaces based on triangles, 1987,
for the others. Sharp edges and borders: H. Hoppe et al., Piecewise smooth surface reconstruction, 1994.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from collage.core.geometry.mesh import Mesh
from collage.core.geometry.topology import edge_keys, numbered, welded
from collage.core.kernels import Family

k = Family("division")

SHARP = 40.0  # degrees between two faces from which on their edge stays sharp


@dataclass(frozen=True, eq=False)
class Cage:
    """Polygons that share vertices. A corner is one polygon's end at a vertex; corners run around each polygon.

    positions : (v, 3) float64, metres; no two at one place. vertex : (c,) int, of each corner. starts : (p + 1,) where
    the corners of each polygon begin. values : (c, k) float64, what corners carry and share evenly: UVs and colours.
    sharp : (c,) bool, whether the edge that begins at the corner stays sharp. source : (c,) int, the triangle of the
    mesh, before it was divided, in which the corner lies.
    """

    positions: np.ndarray
    vertex: np.ndarray
    starts: np.ndarray
    values: np.ndarray
    sharp: np.ndarray
    source: np.ndarray

    @cached_property
    def sizes(self) -> np.ndarray:
        """(p,) corners of each polygon."""
        return np.diff(self.starts)

    @cached_property
    def polygon(self) -> np.ndarray:
        """(c,) the polygon of each corner."""
        return np.repeat(np.arange(len(self.sizes)), self.sizes)

    @cached_property
    def following(self) -> np.ndarray:
        """(c,) the next corner around the polygon."""
        out = np.arange(1, len(self.vertex) + 1)
        out[self.starts[1:] - 1] = self.starts[:-1]
        return out

    @cached_property
    def before(self) -> np.ndarray:
        """(c,) the corner before."""
        out = np.empty(len(self.vertex), int)
        out[self.following] = np.arange(len(self.vertex))
        return out

    @cached_property
    def first(self) -> np.ndarray:
        """(v,) the first corner at each vertex."""
        out = np.zeros(len(self.positions), int)
        out[self.vertex[::-1]] = np.arange(len(self.vertex))[::-1]
        return out

    @property
    def edge(self) -> np.ndarray:
        """(c,) the number of the edge that begins at each corner, the same from both sides."""
        return self._edges[0]

    @property
    def edges(self) -> int:
        """How many edges there are."""
        return len(self.of_edge)

    @property
    def of_edge(self) -> np.ndarray:
        """(edges,) the first corner at which each edge begins."""
        return self._edges[1]

    @cached_property
    def _edges(self) -> tuple[np.ndarray, np.ndarray]:
        edge, corner = np.empty(len(self.vertex), np.int32), np.empty(len(self.vertex), np.int64)
        count = k.number_edges(self.vertex, self.following, edge, corner)
        return edge, corner[:count]

    @property
    def is_triangles(self) -> bool:
        """Whether every polygon has three corners."""
        return bool((self.sizes == 3).all())


def cage_of(mesh: Mesh, values: np.ndarray, sharp: float = SHARP) -> Cage:
    """A mesh's polygons, as they were before they were cut into triangles.

    values : (3 t, k), what its corners carry. sharp : degrees between two faces from which on their edge stays sharp.
    """
    positions, triangles = welded(mesh.positions, mesh.triangles)
    corner, starts = _around(triangles, np.asarray(mesh.face))
    cage = Cage(
        positions.astype(np.float64), triangles.ravel()[corner].astype(int), starts, values[corner].astype(np.float64),
        np.zeros(len(corner), bool), corner // 3,
    )  # fmt: skip
    return replace(cage, sharp=_sharp_edges(cage, sharp))


def _around(triangles: np.ndarray, face: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The mesh corners around each polygon in their order, and where each polygon begins.

    A polygon that is not one simple round, as one with a hole, stays in triangles.
    """
    key, _ = edge_keys(triangles)
    of = np.repeat(face, 3)
    inner_of = numbered(key.astype(np.int64), of)
    outer = np.bincount(inner_of)[inner_of] == 1
    count = np.bincount(face, minlength=int(face.max(initial=-1)) + 1)[face]
    alone = np.flatnonzero(count == 1)
    quads, others = _pairs(np.flatnonzero(count == 2), face, outer.reshape(-1, 3))
    others = np.sort(np.concatenate([others, np.flatnonzero(count > 2)]))
    left: list[np.ndarray] = []
    for one in np.split(others, np.flatnonzero(np.diff(face[others])) + 1) if len(others) else ():
        left += _round(triangles, one, outer)
    sizes = np.concatenate([np.full(len(alone), 3), np.full(len(quads), 4), [len(one) for one in left]]).astype(int)
    corners = np.concatenate([(3 * alone[:, None] + np.arange(3)).ravel(), quads.ravel(), *left]).astype(int)
    starts = np.concatenate([[0], np.cumsum(sizes)])
    order = np.argsort(corners[starts[:-1]] // 3, kind="stable")  # as they come in the mesh
    at = np.repeat(starts[:-1][order] - np.cumsum(sizes[order]) + sizes[order], sizes[order]) + np.arange(len(corners))
    return corners[at], np.concatenate([[0], np.cumsum(sizes[order])])


def _pairs(two: np.ndarray, face: np.ndarray, outer: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The corners (n, 4) around quads, each of two triangles in a row, and those triangles that make none.

    two : triangles whose polygon has two. outer : (t, 3) bool, of all triangles, whether an edge is on its rim.
    """
    pair = two.reshape(-1, 2)
    good = (face[pair[:, 0]] == face[pair[:, 1]]) & (outer[pair].sum(axis=2) == 2).all(axis=1)
    kept = pair[good]
    inner = np.argmin(outer[kept], axis=2)  # (n, 2): the corner at which the edge in common begins
    one, other = 3 * kept[:, 0], 3 * kept[:, 1]
    after = [(inner[:, side] + step) % 3 for side in (0, 1) for step in (1, 2)]
    return np.stack([one + after[0], one + after[1], other + after[2], other + after[3]], axis=1), pair[~good].ravel()


def _round(triangles: np.ndarray, own: np.ndarray, outer: np.ndarray) -> list[np.ndarray]:
    """The corners around the polygon of some triangles; each triangle's where there is no one round."""
    corners = (3 * own[:, None] + np.arange(3)).ravel()
    rim = corners[outer[corners]]
    vertex = triangles.ravel()
    leaving = {int(vertex[one]): int(one) for one in rim}
    at, found = int(rim[0]) if len(rim) else -1, list[int]()
    while at >= 0 and len(found) < len(rim):
        found.append(at)
        at = leaving.get(int(vertex[at // 3 * 3 + (at + 1) % 3]), -1)
    whole = len(found) == len(rim) == len(leaving) == len(own) + 2 and at == found[0]
    return [np.array(found)] if whole else list(corners.reshape(-1, 3))


def _sharp_edges(cage: Cage, sharp: float) -> np.ndarray:
    """(c,) bool: borders, edges of more than two polygons, and those whose polygons meet at more than an angle."""
    place = cage.positions[cage.vertex]
    centre = _mean_by(cage.polygon, place, len(cage.sizes))[cage.polygon]
    area = np.cross(place - centre, place[cage.following] - centre)
    normal = sum_by(cage.polygon, area, len(cage.sizes))
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    edges = cage.edges
    count, total = np.bincount(cage.edge, minlength=edges), sum_by(cage.edge, normal[cage.polygon], edges)
    # two directions at an angle a have a sum of length 2 cos(a / 2)
    near = np.linalg.norm(total, axis=1) >= 2 * np.cos(np.radians(sharp) / 2) - 1e-9
    return np.asarray(~((count == 2) & near)[cage.edge])


def divided(cage: Cage, smooth: bool, held: bool = False) -> Cage:
    """Each polygon divided once: triangles into four where there are no others, else all into quads.

    smooth : whether the surface is smoothed. held : whether borders stay where they are even so.
    """
    return _by_triangles(cage, smooth, held) if cage.is_triangles else _by_quads(cage, smooth, held)


def _by_quads(cage: Cage, smooth: bool, held: bool) -> Cage:
    """A polygon of n corners becomes n quads, with a new vertex in the middle of it and of each edge."""
    vertices, edges, polygons = len(cage.positions), cage.edges, len(cage.sizes)
    place = cage.positions[cage.vertex]
    centre = _mean_by(cage.polygon, place, polygons)
    middle = _mean_by(cage.edge, (place + place[cage.following]) / 2, edges)
    corners, on_edges = cage.positions, middle
    if smooth:
        soft = ~_by_edge(cage, cage.sharp)
        beside = _mean_by(cage.edge, centre[cage.polygon], edges)
        on_edges = np.where(soft[:, None], (middle + beside) / 2, middle)
        around = _mean_by(cage.vertex, centre[cage.polygon], vertices)
        valence, of_edges = _of_edges(cage, middle)
        inside = (around + 2 * of_edges + (valence - 3)[:, None] * cage.positions) / np.maximum(valence, 1)[:, None]
        corners = _kept(cage, inside, held)
    before = cage.before
    quads = np.stack(
        [cage.vertex, vertices + cage.edge, vertices + edges + cage.polygon, vertices + cage.edge[before]], axis=1
    )
    mean = _mean_by(cage.polygon, cage.values, polygons)[cage.polygon]
    on_next, on_last = (cage.values + cage.values[cage.following]) / 2, (cage.values + cage.values[before]) / 2
    no = np.zeros(len(cage.vertex), bool)
    return Cage(
        np.concatenate([corners, on_edges, centre]),
        quads.ravel(),
        np.arange(0, quads.size + 1, 4),
        np.stack([cage.values, on_next, mean, on_last], axis=1).reshape(quads.size, -1),
        np.stack([cage.sharp, no, no, cage.sharp[before]], axis=1).ravel(),
        np.repeat(cage.source, 4),
    )


def _by_triangles(cage: Cage, smooth: bool, held: bool) -> Cage:
    """A triangle becomes four, with a new vertex in the middle of each edge."""
    vertices, edges = len(cage.positions), cage.edges
    place = cage.positions[cage.vertex]
    middle = _mean_by(cage.edge, (place + place[cage.following]) / 2, edges)
    corners, on_edges = cage.positions, middle
    if smooth:
        soft = ~_by_edge(cage, cage.sharp)
        opposite = _mean_by(cage.edge, place[cage.before], edges)
        on_edges = np.where(soft[:, None], 0.75 * middle + 0.25 * opposite, middle)
        valence, of_edges = _of_edges(cage, middle)
        around = 2 * of_edges - cage.positions  # the mean of the neighbours
        n = np.maximum(valence, 1)
        weight = (0.625 - (0.375 + 0.25 * np.cos(2 * np.pi / n)) ** 2)[:, None]
        corners = _kept(cage, (1 - weight) * cage.positions + weight * around, held)
    tri, edge = cage.vertex.reshape(-1, 3), vertices + cage.edge.reshape(-1, 3)
    before, values = np.roll(edge, 1, axis=1), cage.values.reshape(len(tri), 3, -1)
    half, sharp = (values + np.roll(values, -1, axis=1)) / 2, cage.sharp.reshape(-1, 3)
    half_before, no = np.roll(half, 1, axis=1), np.zeros_like(sharp)
    outer = np.stack([tri, edge, before], axis=2)  # (t, 3, 3): one at each corner
    vertex = np.concatenate([outer, edge[:, None]], axis=1)
    carried = np.concatenate([np.stack([values, half, half_before], axis=2), half[:, None]], axis=1)
    kept = np.concatenate([np.stack([sharp, no, np.roll(sharp, 1, axis=1)], axis=2), no[:, None]], axis=1)
    return Cage(
        np.concatenate([corners, on_edges]),
        vertex.ravel(),
        np.arange(0, vertex.size + 1, 3),
        carried.reshape(vertex.size, -1),
        kept.ravel(),
        np.repeat(cage.source.reshape(-1, 3)[:, 0], 12),
    )


def _kept(cage: Cage, inside: np.ndarray, held: bool) -> np.ndarray:
    """Where vertices go: on a sharp edge along it; nowhere where more than two meet, a border ends, or it is held."""
    vertices, sharp = len(inside), cage.of_edge[_by_edge(cage, cage.sharp)]
    a, b = cage.vertex[sharp], cage.vertex[cage.following[sharp]]
    count = np.bincount(np.concatenate([a, b]), minlength=vertices)
    total = sum_by(np.concatenate([a, b]), cage.positions[np.concatenate([b, a])], vertices)
    along = (6 * cage.positions + total) / 8
    lone = np.bincount(cage.vertex, minlength=vertices) == 1  # the corner of a sheet
    out = np.where((count == 2)[:, None], along, inside)
    stays = (count > 2) | lone
    if held:
        border = cage.of_edge[np.bincount(cage.edge, minlength=cage.edges) == 1]
        stays[cage.vertex[border]] = stays[cage.vertex[cage.following[border]]] = True
    return np.where(stays[:, None], cage.positions, out)


def _of_edges(cage: Cage, middle: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How many edges meet at each vertex (v,), and the mean of their middles (v, 3)."""
    at = np.concatenate([cage.vertex[cage.of_edge], cage.vertex[cage.following[cage.of_edge]]])
    valence = np.bincount(at, minlength=len(cage.positions))
    total = sum_by(at, np.concatenate([middle, middle]), len(cage.positions))
    return valence, total / np.maximum(valence, 1)[:, None]


def _by_edge(cage: Cage, flags: np.ndarray) -> np.ndarray:
    """(edges,) bool: whether a flag (c,) is set on either side of an edge."""
    out = np.zeros(cage.edges, bool)
    out[cage.edge[flags]] = True
    return out


def sum_by(number: np.ndarray, rows: np.ndarray, count: int) -> np.ndarray:
    """(count, k): the sums of rows (n, k) that have the same number (n,)."""
    columns = [np.bincount(number, weights=column, minlength=count) for column in rows.T]
    return np.stack(columns, axis=1) if columns else np.zeros((count, 0))


def _mean_by(number: np.ndarray, rows: np.ndarray, count: int) -> np.ndarray:
    return sum_by(number, rows, count) / np.maximum(np.bincount(number, minlength=count), 1)[:, None]


def triangles_of(cage: Cage) -> np.ndarray:
    """(t, 3) corners of the triangles that a divided cage is made of."""
    rows = np.arange(len(cage.vertex))
    if cage.is_triangles:
        return rows.reshape(-1, 3)
    quad = rows.reshape(-1, 4)
    return np.stack([quad[:, [0, 1, 2]], quad[:, [0, 2, 3]]], axis=1).reshape(-1, 3)
