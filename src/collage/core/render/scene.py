"""The bench's objects as one scene for ray queries."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from collage.core.geometry.mesh import Mesh
from collage.core.geometry.shapes import shape
from collage.core.render.bench import BenchObject

GROUND = -1  # the part number of the ground


@dataclass(frozen=True, eq=False)
class Scene:
    """All objects' triangles in one, with what is read where a ray hits. Immutable once built.

    part : (t,) int32, number of the object of each triangle; GROUND for the ground.
    own : (v, 3) vertices in the object's own space; world : the same on the bench.
    turns : (parts, 3, 3) rotation from own to world space, for row vectors.
    """

    objects: tuple[BenchObject, ...]
    tracer: Any
    triangles: np.ndarray
    world: np.ndarray
    own: np.ndarray
    normals: np.ndarray
    faces: np.ndarray
    uv: np.ndarray
    grad_u: np.ndarray
    grad_v: np.ndarray
    part: np.ndarray
    turns: np.ndarray
    bounds: tuple[np.ndarray, np.ndarray]

    def nearest(self, origins: np.ndarray, ways: np.ndarray) -> dict[str, np.ndarray]:
        """Nearest hits of rays (n, 3): `primID` (n,) with -1 for none, `u`, `v`, `tfar`."""
        return self.tracer.run(origins, ways, output=1)  # type: ignore[no-any-return]

    def blocked(self, origins: np.ndarray, ways: np.ndarray, reach: np.ndarray | None = None) -> np.ndarray:
        """(n,) int32: -1 where a ray goes free, up to `reach` (n,) if given."""
        if reach is None:
            return self.tracer.run(origins, ways, query="OCCLUDED")  # type: ignore[no-any-return]
        return self.tracer.run(origins, ways, dists=reach, query="OCCLUDED")  # type: ignore[no-any-return]


@lru_cache(maxsize=32)
def _mesh(name: str, sizes: tuple[tuple[str, float], ...]) -> Mesh:
    return shape(name, **dict(sizes))


def mesh_of(item: BenchObject) -> Mesh:
    """The object's mesh in its own space; made once per shape and sizes."""
    return _mesh(item.shape, tuple(sorted(item.sizes.items())))


def own_bounds(item: BenchObject) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """The box around an object in its own space."""
    low, high = mesh_of(item).bounds
    return tuple(map(float, low)), tuple(map(float, high))  # type: ignore[return-value]


def build_bounds(objects: tuple[BenchObject, ...]) -> tuple[np.ndarray, np.ndarray]:
    """The box around objects on the bench."""
    return _bounds([_on_bench(item) for item in objects])


def _on_bench(item: BenchObject) -> np.ndarray:
    return mesh_of(item).positions @ item.matrix().astype(np.float32) + np.array(item.place, np.float32)


def build_scene(objects: tuple[BenchObject, ...], ground: bool) -> Scene:
    """Puts the objects on the bench and makes them ready for ray queries."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    pieces: dict[str, list[np.ndarray]] = {key: [] for key in _PIECES}
    turns, start = [], 0
    for number, item in enumerate(objects):
        mesh, turn = mesh_of(item), item.matrix().astype(np.float32)
        own = np.asarray(mesh.positions)
        turns.append(turn)
        _put(pieces, mesh, start, number, own, _on_bench(item), turn)
        start += len(own)
    low, high = _bounds(pieces["world"])
    if ground:
        _put_ground(pieces, start)
    merged = (
        {key: np.ascontiguousarray(np.concatenate(value)) for key, value in pieces.items()}
        if start or ground
        else {key: np.zeros((0, width), kind) if width else np.zeros(0, kind) for key, (width, kind) in _PIECES.items()}
    )
    tracer = EmbreeScene()
    if len(merged["triangles"]):
        TriangleMesh(tracer, merged["world"], merged["triangles"])
    else:  # an empty scene needs something to miss
        far = np.full((3, 3), 1e6, np.float32)
        TriangleMesh(tracer, far, np.array([[0, 1, 2]], np.int32))
    for array in merged.values():
        array.flags.writeable = False
    all_turns = np.stack(turns) if turns else np.zeros((0, 3, 3), np.float32)
    return Scene(objects, tracer, turns=all_turns, bounds=(low, high), **merged)


_PIECES: dict[str, tuple[int, type]] = {
    "triangles": (3, np.int32),
    "world": (3, np.float32),
    "own": (3, np.float32),
    "normals": (3, np.float32),
    "faces": (3, np.float32),
    "uv": (2, np.float32),
    "grad_u": (3, np.float32),
    "grad_v": (3, np.float32),
    "part": (0, np.int32),
}


def _put(
    pieces: dict[str, list[np.ndarray]],
    mesh: Mesh,
    start: int,
    number: int,
    own: np.ndarray,
    world: np.ndarray,
    turn: np.ndarray,
) -> None:
    corners = 3 * len(mesh.triangles)
    uv = next(iter(mesh.uv.values())) if mesh.uv else np.zeros((corners, 2), np.float32)
    along_u, along_v = mesh.gradients
    values = {
        "triangles": mesh.triangles + np.int32(start),
        "world": world,
        "own": own,
        "normals": mesh.normals @ turn,
        "faces": mesh.face_normals @ turn,
        "uv": uv,
        "grad_u": along_u @ turn,
        "grad_v": along_v @ turn,
        "part": np.full(len(mesh.triangles), number, np.int32),
    }
    for key, value in values.items():
        pieces[key].append(value.astype(_PIECES[key][1], copy=False))


def _put_ground(pieces: dict[str, list[np.ndarray]], start: int) -> None:
    reach = 30.0
    corners = np.array([[-reach, 0, reach], [reach, 0, reach], [reach, 0, -reach], [-reach, 0, -reach]], np.float32)
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    normals = np.tile(np.array([[0, 1, 0]], np.float32), (6, 1))
    mesh = Mesh(corners, triangles, normals, {})
    _put(pieces, mesh, start, GROUND, corners, corners, np.eye(3, dtype=np.float32))


def _bounds(parts: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    if not parts:
        return np.zeros(3), np.full(3, 0.1)
    every = np.concatenate(parts)
    return every.min(axis=0), every.max(axis=0)
