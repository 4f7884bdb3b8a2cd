"""The bench's objects as one scene for ray queries."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.surroundings import Surroundings, name_number
from collage.core.kernels import Family
from collage.core.scene.bench import BenchObject
from collage.core.scene.displaced import Displaced
from collage.core.scene.tracer import Body, Tracer

kernels = Family("meshes")

GROUND = -1  # the object number of the ground
BACKGROUND = -2  # the object number where there is none
OBJECT, PART, PIECE, SLOT, REGION = range(5)  # rows of Scene.ids
NOTHING = np.array([[BACKGROUND], [-1], [-1], [-1], [BACKGROUND]], np.int32)
UV_SET = "UVMap"  # the name of the set that stands in where a mesh has none


TRACER_BYTES = 200  # of Embree's tree, by triangle


@dataclass(frozen=True, eq=False)
class Rest:
    """All surfaces as they are where nothing is displaced, in world space.

    normals : (3 t, 3) float32, at every corner. gradients : (t, 6) float32, how far the position moves for one unit of
    u and of v.
    """

    normals: np.ndarray
    gradients: np.ndarray


@dataclass(frozen=True, eq=False)
class Scene:
    """All objects' triangles in one, with what is read where a ray hits. Immutable once built.

    corners : (3 t, 9 + 2 sets) float32, for every corner: position in world space, position in object space, normal
        in world space, and the UV sets of the object in their order (the first again where it has fewer).
    faces : (t, 9) float32, for every triangle: its normal, and how far the position moves for one unit of u and of v.
    turns : (3 t,) int16, how far each corner's tangent is turned from its triangle's direction of u; see
        Mesh.tangent_turns.
    ids : (5, t + 1) int32: object (GROUND for the ground), part, piece, material slot and region of each triangle; the
        last column, which the number -1 finds, is NOTHING.
    regions : what has a material of its own: the number of an object, and of the rule that assigns it, -1 for the
        object's own material. Of the ground, GROUND.
    rotations : (regions, 3, 3) from object to world space, for row vectors.
    uv_sets : names of the UV sets of each region. bounds : of all objects, without the ground.
    remarks : sentences about objects that cannot be read, or not as they were.
    around : what surface points look up about all objects.
    shape : names all that decides where rays meet it. keys : of the objects.
    rest : what the displaced surface was before, None where nothing is displaced.
    sources : (t + 1,) int32, the number that each triangle has where nothing is displaced; None where nothing is.
    starts : the first triangle of each object, of the ground, and the number of all.
    """

    tracer: Tracer
    corners: np.ndarray
    faces: np.ndarray
    turns: np.ndarray
    ids: np.ndarray
    regions: tuple[tuple[int, int], ...]
    rotations: np.ndarray
    uv_sets: tuple[tuple[str, ...], ...]
    bounds: tuple[np.ndarray, np.ndarray]
    remarks: tuple[str, ...] = ()
    around: Surroundings = field(default_factory=Surroundings)
    shape: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    sources: np.ndarray | None = None
    rest: Rest | None = None
    starts: tuple[int, ...] = ()

    def undivided(self, triangles: np.ndarray) -> np.ndarray:
        """The numbers that triangles have where nothing is displaced; -1 stays."""
        return triangles if self.sources is None else self.sources[triangles]

    @cached_property
    def undivided_ids(self) -> np.ndarray:
        """(5, t + 1): `ids`, for the triangles as they are where nothing is displaced."""
        if self.sources is None:
            return self.ids
        out = np.repeat(NOTHING, int(self.sources.max()) + 2, axis=1)
        out[:, self.sources[:-1]] = self.ids[:, :-1]
        return out

    def differs_in_uvs(self, other: Scene) -> bool:
        """Whether the other one is this with other UVs, and no more: rays meet both in the same places."""
        parted = self.shape, self.regions, self.uv_sets, self.around.names
        return parted == (other.shape, other.regions, other.uv_sets, other.around.names) and bool(
            np.array_equal(self.ids, other.ids)
        )

    @property
    def nbytes(self) -> int:
        """Bytes, those of the ray tracer estimated."""
        around = self.around
        arrays = (self.corners, self.faces, self.turns, self.ids, around.gradients, around.turns, *around.colours)
        return sum(one.nbytes for one in arrays) + TRACER_BYTES * len(self.faces)

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
    meshes, _ = _meshes(objects)
    return _bounds([_on_bench(item, mesh) for item, mesh in zip(objects, meshes, strict=True) if len(mesh.triangles)])


def _bounds(every: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest corner of places (v, 3) each, (3,)."""
    if not every:
        return np.zeros(3), np.full(3, 0.1)
    return np.min([one.min(axis=0) for one in every], axis=0), np.max([one.max(axis=0) for one in every], axis=0)


NO_UV = np.zeros((0, 2), np.float32)
NO_MESH = Mesh(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3)), {})


def _meshes(objects: tuple[BenchObject, ...]) -> tuple[list[Mesh], tuple[str, ...]]:
    """Each object's mesh, one of no triangles where it is hidden or cannot be read, and what is to be told."""
    meshes, told = [], []
    for item in objects:
        try:
            meshes.append(NO_MESH if item.hidden else item.mesh())
            if not item.hidden and (lost := item.misfits()):
                told.append(f"No longer fits the mesh of “{item.name}”: {', '.join(lost)}.")
        except CollageError as error:
            meshes.append(NO_MESH)
            told.append(f"“{item.name}” is not shown: {error}")
    return meshes, tuple(told)


def _on_bench(item: BenchObject, mesh: Mesh) -> np.ndarray:
    return mesh.positions @ item.matrix().astype(np.float32) + np.array(item.place, np.float32)


NOT_DISPLACED: Mapping[int, Displaced] = {}


def shape_of(
    objects: tuple[BenchObject, ...], ground: bool, displaced: Mapping[int, Displaced] = NOT_DISPLACED
) -> tuple[str, ...]:
    """See Scene.shape."""
    keys = (item.shape_key + _key_of(displaced, number) for number, item in enumerate(objects))
    return (*keys, "ground" if ground else "")


def build_scene(
    objects: tuple[BenchObject, ...],
    ground: bool,
    like: Scene | None = None,
    displaced: Mapping[int, Displaced] = NOT_DISPLACED,
    moving: bool = False,
) -> Scene:
    """Puts the objects on the bench and makes them ready for ray queries; those that cannot be read are told.

    like : another scene, to take from what has not changed. displaced : by number, objects whose mesh is divided and
        moved. moving : whether a hand changes some of them, see `tracer`.
    """
    plain, told = _meshes(objects)
    meshes = [displaced[number].mesh if number in displaced else mesh for number, mesh in enumerate(plain)]
    sets = max([len(mesh.uv) for mesh in meshes] + [1])
    regions = [(number, rule) for number, item in enumerate(objects) for rule in range(-1, len(item.assigned))]
    first = {number: at for at, (number, rule) in enumerate(regions) if rule < 0}
    turns = [item.matrix().astype(np.float32) for item in objects]
    placed = [(number, mesh, turns[number]) for number, mesh in enumerate(meshes)]
    if ground:
        placed.append((GROUND, _ground(), np.eye(3, dtype=np.float32)))
    starts = tuple(np.cumsum([0, *(len(mesh.triangles) for _, mesh, _ in placed)]).tolist())
    count = starts[-1]
    keys = tuple(item.key + _key_of(displaced, number) for number, item in enumerate(objects))
    corners, faces = np.empty((3 * count, 9 + 2 * sets), np.float32), np.empty((count, 9), np.float32)
    gradients, turned = np.empty((sets - 1, count, 6), np.float32), np.empty((sets, 3 * count), np.int16)
    kept = _kept(keys, sets, like)
    ids, bodies, shape = np.empty((5, count + 1), np.int32), list[Body](), shape_of(objects, ground, displaced)
    for at, (number, mesh, turn) in enumerate(placed):  # each right where it will lie: a large mesh is there once
        here, three = slice(starts[at], starts[at + 1]), slice(3 * starts[at], 3 * starts[at + 1])
        world = mesh.positions if number == GROUND else _on_bench(objects[number], mesh)
        if like is not None and number in kept:
            old = slice(like.starts[kept[number]], like.starts[kept[number] + 1])
            three_old = slice(3 * old.start, 3 * old.stop)
            corners[three], faces[here] = like.corners[three_old], like.faces[old]
            gradients[:, here], turned[0, three] = like.around.gradients[:, old], like.turns[three_old]
            turned[1:, three] = like.around.turns[:, three_old]
        else:
            rest = displaced[number].rest if number in displaced else mesh.positions
            _lay_corners(corners[three], mesh, world, rest, turn)
            kernels.frames(mesh.triangles, mesh.positions, next(iter(mesh.uv.values()), NO_UV), turn, faces[here])
            _lay_gradients(gradients[:, here], mesh, turn)
            _lay_turns(turned[:, three], mesh)
        source = displaced[number].source if number in displaced else slice(None)
        region = _region(objects[number], plain[number], first[number])[source] if number != GROUND else GROUND
        for row, of in (
            (OBJECT, number),
            (PART, mesh.ids[0]),
            (PIECE, mesh.ids[1]),
            (SLOT, mesh.ids[2]),
            (REGION, region),
        ):
            ids[row, here] = of
        triangles = mesh.triangles
        if number != GROUND and objects[number].hidden_faces:  # rays never meet a triangle without an area
            triangles = triangles.copy()
            triangles[objects[number].unseen(plain[number])[source]] = 0
        bodies.append(Body(shape[at], world, triangles))
    ids[:, -1:] = NOTHING
    tracer = Tracer.of(bodies, like.tracer if like is not None else None, moving)
    for array in (corners, faces, ids, gradients, turned):
        array.flags.writeable = False
    rotations = np.stack([turns[number] for number, _ in regions]) if turns else np.zeros((0, 3, 3), np.float32)
    names = tuple(tuple(meshes[number].uv) or (UV_SET,) for number, _ in regions)
    colours = _vertex_colours([mesh for _, mesh, _ in placed], count)
    around = _around(objects, meshes, turns, ids[OBJECT], gradients)
    around = replace(
        around, corners=corners, colours=colours, turns=turned[1:], tracer=tracer, ids=ids[PART : SLOT + 1],
        part_names=tuple(mesh.part_names for mesh in plain), slot_names=tuple(mesh.slot_names for mesh in plain),
        face_sets=_face_sets(plain, displaced, ids[OBJECT]),
    )  # fmt: skip
    bounds = _bounds([one.vertices for one in bodies[: len(objects)] if len(one.triangles)])
    return Scene(
        tracer, corners, faces, turned[0], ids, tuple(regions), rotations, names, bounds, told, around, shape, keys,
        _sources(plain, displaced, ground), _rest(placed, displaced, corners, faces, like, kept), starts,
    )  # fmt: skip


def _face_sets(plain: list[Mesh], displaced: Mapping[int, Displaced], object_of: np.ndarray) -> dict[str, np.ndarray]:
    """See Surroundings.face_sets."""
    found: dict[str, np.ndarray] = {}
    for number, mesh in enumerate(plain):
        if mesh.sets:
            own = np.flatnonzero(object_of == number)
            source = displaced[number].source if number in displaced else np.arange(len(mesh.triangles))
            for name, faces in mesh.sets.items():
                found.setdefault(name, np.zeros(len(object_of), bool))[own] = faces[source]
    return found


def _key_of(displaced: Mapping[int, Displaced], number: int) -> str:
    return f" {displaced[number].key}" if number in displaced else ""


def _sources(plain: list[Mesh], displaced: Mapping[int, Displaced], ground: bool) -> np.ndarray | None:
    """See Scene.sources; None where nothing is displaced."""
    if not displaced:
        return None
    found, at = [], 0
    for number, mesh in enumerate(plain):
        count = len(mesh.triangles)
        found.append(at + (displaced[number].source if number in displaced else np.arange(count, dtype=np.int32)))
        at += count
    ground_of = np.arange(at, at + (2 if ground else 0), dtype=np.int32)
    return np.concatenate([*found, ground_of, [-1]]).astype(np.int32)


def _rest(
    placed: list[tuple[int, Mesh, np.ndarray]],
    displaced: Mapping[int, Displaced],
    corners: np.ndarray,
    faces: np.ndarray,
    like: Scene | None,
    kept: Mapping[int, int],
) -> Rest | None:
    """See Scene.rest."""
    if not displaced:
        return None
    rest, at = Rest(corners[:, 6:9].copy(), faces[:, 3:9].copy()), 0
    for number, mesh, turn in placed:
        here = slice(at, at + len(mesh.triangles))
        if number in displaced and number in kept and like is not None and like.rest is not None:
            old = slice(like.starts[kept[number]], like.starts[kept[number] + 1])
            rest.gradients[here] = like.rest.gradients[old]
            rest.normals[3 * here.start : 3 * here.stop] = like.rest.normals[3 * old.start : 3 * old.stop]
        elif number in displaced:
            one, frames = displaced[number], np.empty((len(mesh.triangles), 9), np.float32)
            kernels.frames(mesh.triangles, one.rest, next(iter(mesh.uv.values()), NO_UV), turn, frames)
            rest.gradients[here] = frames[:, 3:]
            rest.normals[3 * here.start : 3 * here.stop] = one.rest_normals @ turn
        at = here.stop
    return rest


def _kept(keys: tuple[str, ...], sets: int, like: Scene | None) -> dict[int, int]:
    """By the number of an object that another scene has too, its number there."""
    if like is None or like.corners.shape[1] != 9 + 2 * sets:
        return {}
    there = {key: number for number, key in enumerate(like.keys)}
    return {number: there[key] for number, key in enumerate(keys) if key in there}


def _around(
    objects: tuple[BenchObject, ...],
    meshes: list[Mesh],
    turns: list[np.ndarray],
    object_of: np.ndarray,
    gradients: np.ndarray,
) -> Surroundings:
    if not objects:
        return Surroundings()
    boxes = [mesh.bounds if len(mesh.triangles) else (np.zeros(3), np.ones(3)) for mesh in meshes]
    low, high = (np.array(part, np.float32) for part in zip(*boxes, strict=True))
    return Surroundings(
        tuple(item.name for item in objects),
        low,
        high - low,
        np.stack(turns),
        np.array([item.place for item in objects], np.float32),
        [np.array([name_number(name) for name in mesh.part_names or ("",)], np.float32) for mesh in meshes],
        object_of,
        gradients,
    )


def _vertex_colours(meshes: list[Mesh], count: int) -> list[np.ndarray]:
    """(3 count, 4) for each set of vertex colours of all meshes in a row; none where no mesh has any."""
    sets = max((len(mesh.colours) for mesh in meshes), default=0)
    out = [np.tile(np.array([0, 0, 0, 1], np.float32), (3 * count, 1)) for _ in range(sets)]
    at = 0
    for mesh in meshes:
        rows = slice(3 * at, 3 * (at + len(mesh.triangles)))
        for number, colours in enumerate(mesh.colours.values()):
            out[number][rows] = colours
        at += len(mesh.triangles)
    return out


def _lay_gradients(out: np.ndarray, mesh: Mesh, turn: np.ndarray) -> None:
    """Fills the rows of a mesh's further UV sets; see Surroundings.gradients. The first again where it has fewer."""
    sets = list(mesh.uv.values()) or [NO_UV]
    frames = np.empty((len(mesh.triangles), 9), np.float32)
    for number, rows in enumerate(out, 1):
        kernels.frames(mesh.triangles, mesh.positions, sets[number if number < len(sets) else 0], turn, frames)
        rows[:] = frames[:, 3:]


def _lay_turns(out: np.ndarray, mesh: Mesh) -> None:
    """Fills the turns of a mesh's tangents, a row for each UV set. The first again where it has fewer."""
    names = list(mesh.uv) or [""]
    for row, name in zip(out, [*names, *names[:1] * len(out)], strict=False):
        row[:] = mesh.tangent_turns(name)


def _lay_corners(out: np.ndarray, mesh: Mesh, world: np.ndarray, rest: np.ndarray, turn: np.ndarray) -> None:
    """Fills the rows of a mesh's corners; see Scene.corners.

    world : (v, 3), its vertices on the bench. rest : (v, 3), where they are for patterns, in the object's space.
    """
    kernels.corners(mesh.triangles, np.ascontiguousarray(world, np.float32), rest, mesh.normals, turn, out)
    sets = list(mesh.uv.values()) or [np.zeros((1, 2), np.float32)]
    for number in range((out.shape[1] - 9) // 2):
        out[:, 9 + 2 * number : 11 + 2 * number] = sets[number if number < len(sets) else 0]


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
