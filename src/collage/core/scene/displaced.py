"""A mesh divided finely and moved: where it was, where it is, and which triangle of the mesh each part came from."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from collage.core.geometry.mesh import Mesh, unit
from collage.core.geometry.subdivide import SHARP, Cage, cage_of, divided, sum_by, triangles_of
from collage.core.geometry.topology import numbered
from collage.core.kernels import Family

k = Family("division")

MOST_TRIANGLES = 2_000_000  # of one object, whatever is asked for
ENOUGH = 120_000  # triangles that are fine enough where nothing is asked for
BEGINNING = 12_000  # triangles from which on they are divided only where the height asks for it
ENOUGH_IN_MOTION = 12_000  # the same while a value is dragged: the light shows what is finer
DEEPEST = 8  # divisions
HARD = 0.999  # cosine between normals from which on corners of a vertex are shaded as one


@dataclass(frozen=True, eq=False)
class Displaced:
    """An object's mesh as displacement leaves it.

    mesh : divided and moved, in the object's space. rest : (v, 3) where its vertices were. rest_normals : (3 t, 3) of
    the surface as it was, at the corners. source : (t,) int32, the triangle of the mesh before from which each came.
    key : names all that it depends on.
    """

    mesh: Mesh
    rest: np.ndarray
    rest_normals: np.ndarray
    source: np.ndarray
    key: str

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays, about."""
        uv = sum(one.nbytes for one in self.mesh.uv.values())
        return 3 * self.rest.nbytes + 2 * self.mesh.normals.nbytes + self.mesh.triangles.nbytes + uv


@dataclass(frozen=True, eq=False)
class Fine:
    """A mesh divided, before it is moved.

    cage : its polygons. base : the mesh before. triangles : (t, 3) corners of the cage. normals : (c, 3), of the mesh
    before, shared evenly; of the smooth surface where it is smoothed. ways : (v, 3), which way each vertex goes, of
    length 1. one : (c,) int, corners of a vertex that are shaded as one have the same number.
    """

    cage: Cage
    base: Mesh
    triangles: np.ndarray
    normals: np.ndarray
    ways: np.ndarray
    one: np.ndarray
    smoothed: bool = False

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays."""
        cage = (self.cage.positions, self.cage.vertex, self.cage.values, self.cage.source)
        return sum(one.nbytes for one in (*cage, self.triangles, self.normals, self.ways, self.one))

    def values(self, name: str) -> np.ndarray:
        """(c, 2) UVs by the name of the set."""
        at = 2 * list(self.base.uv).index(name)
        return self.cage.values[:, at : at + 2]


def level_for(mesh: Mesh, asked: int | None, enough: int, detail: float | None = None) -> int:
    """How often to divide a mesh: as asked, or until there are nearly `enough` triangles; never past MOST_TRIANGLES.

    detail : metres, of the finest forms that it has to carry: two edges for each are enough.
    """
    count, most = max(len(mesh.triangles), 1), MOST_TRIANGLES if asked is not None else enough
    level = 0
    if asked is None and detail is not None:
        edge = float(np.sqrt(2 * mesh.areas.mean(dtype=np.float64))) if len(mesh.triangles) else 0.0
        enough_edges = max(int(np.ceil(np.log2(max(2 * edge / detail, 1)))), 0)
        asked, most = min(enough_edges, DEEPEST), enough
    while level < (DEEPEST if asked is None else min(asked, DEEPEST)) and count * 4 ** (level + 1) <= most:
        level += 1
    return level


def fine(mesh: Mesh, level: int, smooth: bool, crease: float = SHARP, held: bool = False) -> Fine:
    """A mesh divided `level` times. crease, held : see bench.Division."""
    tangents = mesh.tangents_of(next(iter(mesh.uv), ""))
    carried = np.concatenate([*mesh.uv.values(), *mesh.colours.values(), tangents, mesh.normals], axis=1)
    cage = cage_of(mesh if level else replace(mesh, face=None), carried, crease)  # what is not divided stays as it is
    for _ in range(level):
        cage = divided(cage, smooth, held)
    return fine_of(cage, mesh, smooth and level > 0)


def fine_of(cage: Cage, mesh: Mesh, smoothed: bool) -> Fine:
    """A divided mesh with what moving it needs. smoothed : whether its surface is another one than the mesh's."""
    normals, count = unit(cage.values[:, -3:]), len(cage.positions)
    hard = np.zeros(count, bool)
    alike = np.einsum("ij,ij->i", normals, normals.take(cage.first[cage.vertex], axis=0))
    hard[cage.vertex[alike < HARD]] = True
    at = np.flatnonzero(hard[cage.vertex])
    one = cage.vertex.astype(int)
    one[at] = count + numbered(cage.vertex[at], *np.rint(normals[at].T * 64).astype(int))
    ways, triangles = unit(sum_by(cage.vertex, normals, count)), triangles_of(cage)
    if smoothed:
        normals = _normals(cage, triangles, cage.positions, one, normals)
    return Fine(cage, mesh, triangles, normals, ways, one, smoothed)


def _normals(cage: Cage, triangles: np.ndarray, places: np.ndarray, one: np.ndarray, before: np.ndarray) -> np.ndarray:
    """(c, 3) normals of the corners of a surface: of the faces around a vertex that are shaded as one, by their area.

    triangles : (t, 3) corners. places : (v, 3). one : (c,), see Fine. before : (c, 3), for triangles without an area.
    """
    normals = np.empty((len(one), 3))
    count = int(one.max(initial=-1)) + 1
    k.corner_normals(triangles.ravel(), cage.vertex, places, one, count, before, normals)
    return normals


def moved(found: Fine, offsets: np.ndarray, key: str) -> Displaced:
    """The mesh with its vertices moved by offsets (v, 3), and the normals of the new surface."""
    cage, base = found.cage, found.base
    places = cage.positions + offsets
    triangles, corners = cage.vertex[found.triangles], found.triangles.ravel()
    normals = _normals(cage, found.triangles, places, found.one, found.normals).take(corners, axis=0)
    source = cage.source[found.triangles[:, 0]].astype(np.int32)
    width = 2 * len(base.uv)
    values = cage.values[:, : width + 4 * len(base.colours)].astype(np.float32).take(corners, axis=0)
    uv = {name: values[:, 2 * at : 2 * at + 2] for at, name in enumerate(base.uv)}
    colours = {name: values[:, width + 4 * at : width + 4 * at + 4] for at, name in enumerate(base.colours)}
    part, piece, slot = (ids[source] for ids in base.ids)
    mesh = Mesh(places, triangles, normals, uv, part, piece, slot, base.part_names, base.slot_names, None, colours)
    rest = found.normals.astype(np.float32).take(corners, axis=0)
    return Displaced(mesh, cage.positions.astype(np.float32), rest, source, key)
