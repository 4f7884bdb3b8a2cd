"""The mesh: indexed triangles with normals and UV sets per corner."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.kernels import Family

_kernels = Family("meshes")
SOME = 65_536  # triangles that are worked on at once


@dataclass(frozen=True, eq=False)
class Mesh:
    """A mesh whose arrays are checked once and then frozen. Corner c of triangle t is row 3 t + c.

    positions : (v, 3) float32, metres.
    triangles : (t, 3) int32, counter-clockwise seen from outside.
    normals : (3 t, 3) float32, of length 1, for every corner.
    uv : by name, (3 t, 2) float32 for every corner; may be empty.
    part, piece, slot : (t,) int32, which named part, which connected piece and which material slot a triangle
        belongs to; all zero if left out. part_names, slot_names : what the numbers are called.
    face : (t,) int32, which polygon a triangle was cut from, the triangles of one in a row; by itself if left out.
    colours : by name, (3 t, 4) float32 for every corner, 0 to 1; may be empty.
    sets : by name, (t,) bool, faces that were picked by hand.
    """

    positions: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray
    uv: Mapping[str, np.ndarray]
    part: np.ndarray | None = None
    piece: np.ndarray | None = None
    slot: np.ndarray | None = None
    part_names: tuple[str, ...] = ()
    slot_names: tuple[str, ...] = ()
    face: np.ndarray | None = None
    colours: Mapping[str, np.ndarray] = field(default_factory=dict)
    sets: Mapping[str, np.ndarray] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name, width, kind in (
            ("positions", 3, np.float32),
            ("triangles", 3, np.int32),
            ("normals", 3, np.float32),
        ):
            array = np.ascontiguousarray(getattr(self, name), kind)
            if array.ndim != 2 or array.shape[1] != width:
                raise CollageError(f"The mesh's {name} are not rows of {width}.")
            array.flags.writeable = False
            object.__setattr__(self, name, array)
        if self.triangles.size and (self.triangles.min() < 0 or self.triangles.max() >= len(self.positions)):
            raise CollageError(
                f"A face names vertex {self.triangles.max()}, but there are {len(self.positions)} vertices.",
                remedy="Export the object again.",
            )
        corners = 3 * len(self.triangles)
        if len(self.normals) != corners:
            raise CollageError(f"The mesh has {len(self.normals)} normals for {corners} corners.")
        object.__setattr__(self, "uv", self._by_corner("uv", "UV set", 2))
        object.__setattr__(self, "colours", self._by_corner("colours", "set of vertex colours", 4))
        for name in ("part", "piece", "slot"):
            object.__setattr__(self, name, self._checked_ids(name))
        if self.face is None:
            object.__setattr__(self, "face", np.arange(len(self.triangles), dtype=np.int32))
        object.__setattr__(self, "face", self._checked_ids("face"))

    def _by_corner(self, kind: str, what: str, width: int) -> dict[str, np.ndarray]:
        sets, corners = {}, 3 * len(self.triangles)
        for name, values in getattr(self, kind).items():
            values = np.ascontiguousarray(values, np.float32)
            if values.shape != (corners, width):
                raise CollageError(f"The {what} “{name}” has {len(values)} places for {corners} corners.")
            values.flags.writeable = False
            sets[name] = values
        return sets

    @property
    def ids(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Part, piece and slot of the triangles, (t,) int32 each."""
        return np.asarray(self.part), np.asarray(self.piece), np.asarray(self.slot)

    def _checked_ids(self, name: str) -> np.ndarray:
        count, given = len(self.triangles), getattr(self, name)
        ids = np.zeros(count, np.int32) if given is None else np.array(given, np.int32)
        if ids.shape != (count,):
            raise CollageError(f"The mesh has {len(ids)} {name} numbers for {count} triangles.")
        if ids.size and ids.min() < 0:
            raise CollageError(f"A triangle has the {name} number {ids.min()}; numbers start at 0.")
        ids.flags.writeable = False
        return ids

    @cached_property
    def face_normals(self) -> np.ndarray:
        """(t, 3) float32, of length 1; zero for faces without area."""
        return unit(_face_vectors(self.positions, self.triangles)).astype(np.float32)

    @cached_property
    def areas(self) -> np.ndarray:
        """(t,) float32, square metres."""
        return (np.linalg.norm(_face_vectors(self.positions, self.triangles), axis=1) / 2).astype(np.float32)

    @cached_property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """The lowest and highest corner of the box around it, (3,) each."""
        return self.positions.min(axis=0), self.positions.max(axis=0)

    def tangent_turns(self, name: str) -> np.ndarray:
        """(3 t,) int16: how far each corner's tangent in a UV set is turned from its own triangle's direction of u.

        QUARTER times the tangent of a quarter of the angle around the normal; see kernels.meshes. 0 for an unknown set.
        """
        found = np.zeros(3 * len(self.triangles), np.int16)
        if name in self.uv:
            _kernels.tangent_turns(self.triangles, self.positions, self.normals, self.uv[name], found)
        return found

    def tangents_of(self, name: str) -> np.ndarray:
        """(3 t, 3) the tangent of every corner in a UV set: of length 1 and at right angles to its normal."""
        along_u = np.repeat(self.gradients_of(name)[0], 3, axis=0)
        normals = self.normals.astype(np.float64)
        first = unit(along_u - normals * (along_u * normals).sum(axis=1, keepdims=True))
        cosine, sine = turn_of(self.tangent_turns(name)[:, None])
        return np.asarray(first * cosine + np.cross(normals, first) * sine)

    @cached_property
    def gradients(self) -> tuple[np.ndarray, np.ndarray]:
        """How far the position moves for one unit of u and of v of the first UV set, (t, 3) each, metres.

        Where there is no UV set, or it is squeezed to nothing, two directions in the face of length 1.
        """
        return self.gradients_of(next(iter(self.uv), ""))

    def gradients_of(self, name: str) -> tuple[np.ndarray, np.ndarray]:
        """The same for a UV set by its name; as where there is none for an unknown one."""
        count = len(self.triangles)
        along_u, along_v = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
        uv = self.uv[name].reshape(-1, 3, 2) if name in self.uv else None
        for start in range(0, count, SOME):  # a large mesh needs no room for all that comes in between
            cut = slice(start, min(start + SOME, count))
            found = _gradients(
                self.positions[self.triangles[cut]], self.face_normals[cut], None if uv is None else uv[cut]
            )
            along_u[cut], along_v[cut] = found
        return along_u, along_v


def _gradients(p: np.ndarray, normals: np.ndarray, corner: np.ndarray | None) -> tuple[np.ndarray, np.ndarray]:
    """See `Mesh.gradients`. p : (t, 3, 3) corners. normals : (t, 3). corner : (t, 3, 2) UVs, if there are any."""
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    along_u, along_v = any_frame(normals)
    if corner is None:
        return along_u, along_v
    d1, d2 = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    area = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    good = np.abs(area) > 1e-12
    scale = np.where(good, 1 / np.where(good, area, 1), 0)[:, None]
    u = (e1 * d2[:, 1:] - e2 * d1[:, 1:]) * scale
    v = (e2 * d1[:, :1] - e1 * d2[:, :1]) * scale
    return np.where(good[:, None], u, along_u), np.where(good[:, None], v, along_v)


def _face_vectors(positions: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    p = positions[triangles]
    return np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])


def lengths(vectors: np.ndarray) -> np.ndarray:
    """(...,) of vectors (..., 3)."""
    return np.asarray(np.sqrt(np.einsum("...i,...i->...", vectors, vectors)))


def unit(vectors: np.ndarray) -> np.ndarray:
    """Vectors (..., 3) of length 1; those of no length stay."""
    length = lengths(vectors)[..., None]
    return vectors / np.where(length == 0, 1, length)


def any_frame(normals: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two directions at right angles to each normal."""
    helper = np.where(np.abs(normals[:, 1:2]) < 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    first = unit(np.cross(helper, normals))
    return first, np.cross(normals, first)


QUARTER = 32767.0  # stands for 1 where the tangent of a quarter of an angle is kept in 16 bits


def turn_of(quarter: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Cosine and sine of angles that are kept as `Mesh.tangent_turns` has them."""
    q = quarter.astype(np.float64) / QUARTER
    half_cosine, half_sine = (1 - q * q) / (1 + q * q), 2 * q / (1 + q * q)
    return half_cosine**2 - half_sine**2, 2 * half_cosine * half_sine


def smooth_normals(positions: np.ndarray, triangles: np.ndarray, angle: float = 40.0) -> np.ndarray:
    """Normals per corner: the mean of the faces around the vertex that meet within `angle` degrees.

    Faces count by their area. Returns (3 t, 3) float32.
    """
    vectors = _face_vectors(positions, triangles)
    ways = unit(vectors)
    by_vertex = np.argsort(triangles, axis=None, kind="stable")  # all corners, those at one vertex in a row
    face, vertex = by_vertex // 3, triangles.ravel()[by_vertex]
    first = np.flatnonzero(np.diff(vertex, prepend=-1))
    count = np.diff(first, append=vertex.size)
    at = np.repeat(np.arange(first.size), count)
    sums = np.add.reduceat(vectors[face], first, axis=0) if first.size else vectors
    total = sums[at]
    # where every face is within half the angle of their mean, all are within the angle of each other
    near_mean = np.einsum("ij,ij->i", ways[face], unit(sums)[at]) >= np.cos(np.radians(angle / 2))
    sharp = np.flatnonzero(~np.logical_and.reduceat(near_mean, first)[at]) if first.size else first
    start, left = first[at[sharp]], count[at[sharp]]
    least = np.cos(np.radians(angle))
    total[sharp] = 0
    for step in range(int(left.max(initial=0))):  # every other corner with each of those at its vertex
        more = left > step
        mine = sharp[more]
        other = face[start[more] + step]
        near = np.einsum("ij,ij->i", ways[face[mine]], ways[other]) >= least
        total[mine[near]] += vectors[other[near]]
    out = np.empty((vertex.size, 3), np.float32)
    out[by_vertex] = unit(total)
    return out
