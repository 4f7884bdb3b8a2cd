"""The bench's objects as one scene for ray queries."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh
from collage.core.scene.bench import BenchObject

GROUND = -1  # the object number of the ground
BACKGROUND = -2  # the object number where there is none
OBJECT, PART, PIECE, SLOT, REGION = range(5)  # rows of Scene.ids
NOTHING = np.array([[BACKGROUND], [-1], [-1], [-1], [BACKGROUND]], np.int32)
UV_SET = "UVMap"  # the name of the set that stands in where a mesh has none


TRACER_BYTES = 200  # of Embree's tree, by triangle


@dataclass(frozen=True, eq=False)
class Scene:
    """All objects' triangles in one, with what is read where a ray hits. Immutable once built.

    corners : (3 t, 9 + 2 sets) float32, for every corner: position in world space, position in object space, normal
        in world space, and the UV sets of the object in their order (the first again where it has fewer).
    faces : (t, 9) float32, for every triangle: its normal, and how far the position moves for one unit of u and of v.
    ids : (5, t + 1) int32: object (GROUND for the ground), part, piece, material slot and region of each triangle; the
        last column, which the number -1 finds, is NOTHING.
    regions : what has a material of its own: the number of an object, and of the rule that assigns it, -1 for the
        object's own material. Of the ground, GROUND.
    rotations : (regions, 3, 3) from object to world space, for row vectors.
    uv_sets : names of the UV sets of each region. bounds : of all objects, without the ground.
    remarks : sentences about objects that cannot be read.
    """

    tracer: Any
    corners: np.ndarray
    faces: np.ndarray
    ids: np.ndarray
    regions: tuple[tuple[int, int], ...]
    rotations: np.ndarray
    uv_sets: tuple[tuple[str, ...], ...]
    bounds: tuple[np.ndarray, np.ndarray]
    remarks: tuple[str, ...] = ()

    @property
    def nbytes(self) -> int:
        """Bytes, those of the ray tracer estimated."""
        return self.corners.nbytes + self.faces.nbytes + self.ids.nbytes + TRACER_BYTES * len(self.faces)

    def nearest(self, origins: np.ndarray, directions: np.ndarray) -> dict[str, np.ndarray]:
        """Nearest hits of rays (n, 3) float32: `primID` (n,) int32 with -1 for none, `u`, `v`, `tfar` float32."""
        return self.tracer.run(origins, directions, output=1)  # type: ignore[no-any-return]

    def occluded(self, origins: np.ndarray, directions: np.ndarray, distances: np.ndarray | None = None) -> np.ndarray:
        """(n,) int32: -1 where a ray meets nothing, up to `distances` (n,) > 0 in lengths of its direction."""
        if distances is None:
            return self.tracer.run(origins, directions, query="OCCLUDED")  # type: ignore[no-any-return]
        return self.tracer.run(origins, directions, dists=distances, query="OCCLUDED")  # type: ignore[no-any-return]


def object_bounds(item: BenchObject) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """The lowest and highest corner of the box around an object in its own space, metres.

    A usual box for one whose mesh cannot be read.
    """
    try:
        low, high = item.mesh().bounds
    except CollageError:
        low, high = np.array([-0.1, 0, -0.1]), np.array([0.1, 0.2, 0.1])
    return tuple(map(float, low)), tuple(map(float, high))  # type: ignore[return-value]


def build_bounds(objects: tuple[BenchObject, ...]) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest corner of the box around objects on the bench, (3,) metres each."""
    every = [
        _on_bench(item, mesh) for item, mesh in zip(objects, _meshes(objects)[0], strict=True) if len(mesh.triangles)
    ]
    if not every:
        return np.zeros(3), np.full(3, 0.1)
    return np.min([one.min(axis=0) for one in every], axis=0), np.max([one.max(axis=0) for one in every], axis=0)


NO_MESH = Mesh(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3)), {})


def _meshes(objects: tuple[BenchObject, ...]) -> tuple[list[Mesh], tuple[str, ...]]:
    """Each object's mesh, one of no triangles where it cannot be read, and sentences about those."""
    meshes, told = [], []
    for item in objects:
        try:
            meshes.append(item.mesh())
        except CollageError as error:
            meshes.append(NO_MESH)
            told.append(f"“{item.name}” is not shown: {error}")
    return meshes, tuple(told)


def _on_bench(item: BenchObject, mesh: Mesh) -> np.ndarray:
    return mesh.positions @ item.matrix().astype(np.float32) + np.array(item.place, np.float32)


def build_scene(objects: tuple[BenchObject, ...], ground: bool) -> Scene:
    """Puts the objects on the bench and makes them ready for ray queries; those that cannot be read are told."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    meshes, told = _meshes(objects)
    sets = max([len(mesh.uv) for mesh in meshes] + [1])
    tracer = EmbreeScene()
    corners, faces = [np.zeros((0, 9 + 2 * sets), np.float32)], [np.zeros((0, 9), np.float32)]
    ids: list[np.ndarray] = []
    vertices, triangles, start = [], [], 0
    regions = [(number, rule) for number, item in enumerate(objects) for rule in range(-1, len(item.assigned))]
    first = {number: at for at, (number, rule) in enumerate(regions) if rule < 0}
    turns = [item.matrix().astype(np.float32) for item in objects]
    placed = [(number, mesh, _on_bench(objects[number], mesh), turns[number]) for number, mesh in enumerate(meshes)]
    if ground:
        mesh = _ground()
        placed.append((GROUND, mesh, np.asarray(mesh.positions), np.eye(3, dtype=np.float32)))
    for number, mesh, world, turn in placed:
        corners.append(_corners(mesh, world, turn, sets))
        faces.append(_faces(mesh, turn))
        ids.append(_ids(mesh, number, _region(objects[number], mesh, first[number]) if number != GROUND else None))
        vertices.append(world.astype(np.float32, copy=False))
        triangles.append(mesh.triangles + np.int32(start))
        start += len(world)
    if start:
        TriangleMesh(tracer, np.concatenate(vertices), np.ascontiguousarray(np.concatenate(triangles)))
    else:  # an empty scene needs something to miss
        TriangleMesh(tracer, np.full((3, 3), 1e6, np.float32), np.array([[0, 1, 2]], np.int32))
    of_corners, of_faces = np.concatenate(corners), np.concatenate(faces)
    of_ids = np.concatenate([*ids, NOTHING], axis=1)
    for array in (of_corners, of_faces, of_ids):
        array.flags.writeable = False
    rotations = np.stack([turns[number] for number, _ in regions]) if turns else np.zeros((0, 3, 3), np.float32)
    names = tuple(tuple(meshes[number].uv) or (UV_SET,) for number, _ in regions)
    return Scene(tracer, of_corners, of_faces, of_ids, tuple(regions), rotations, names, build_bounds(objects), told)


def _corners(mesh: Mesh, world: np.ndarray, turn: np.ndarray, sets: int) -> np.ndarray:
    at = mesh.triangles.ravel()
    found = list(mesh.uv.values()) or [np.zeros((len(at), 2), np.float32)]
    found += [found[0]] * (sets - len(found))
    return np.concatenate([world[at], mesh.positions[at], mesh.normals @ turn, *found], axis=1).astype(np.float32)


def _faces(mesh: Mesh, turn: np.ndarray) -> np.ndarray:
    along_u, along_v = mesh.gradients
    return np.concatenate([mesh.face_normals @ turn, along_u @ turn, along_v @ turn], axis=1).astype(np.float32)


def _ids(mesh: Mesh, number: int, region: np.ndarray | None) -> np.ndarray:
    column = np.full(len(mesh.triangles), number, np.int32)
    return np.stack([column, *mesh.ids, column if region is None else region])


def _region(item: BenchObject, mesh: Mesh, first: int) -> np.ndarray:
    """(t,) int32: the region of each triangle, counted from the one of the object's own material."""
    out = np.full(len(mesh.triangles), first, np.int32)
    for rule, one in enumerate(item.assigned, 1):
        out[one.faces(mesh)] = first + rule
    return out


def _ground() -> Mesh:
    reach = 30.0
    corners = np.array([[-reach, 0, reach], [reach, 0, reach], [reach, 0, -reach], [-reach, 0, -reach]], np.float32)
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    normals = np.tile(np.array([[0, 1, 0]], np.float32), (6, 1))
    return Mesh(corners, triangles, normals, {})
