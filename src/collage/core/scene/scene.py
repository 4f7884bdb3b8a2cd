"""The bench's objects as one scene for ray queries."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.surroundings import Surroundings, name_number
from collage.core.scene.bench import BenchObject
from collage.core.scene.displaced import Displaced
from collage.core.scene.rows import Rest, Rows, room_for
from collage.core.scene.tracer import Body, Hits, Tracer, bounds_of

GROUND = -1  # the object number of the ground
BACKGROUND = -2  # the object number where there is none
OBJECT, PART, PIECE, SLOT, REGION = range(5)  # rows of Scene.ids
NOTHING = np.array([[BACKGROUND], [-1], [-1], [-1], [BACKGROUND]], np.int32)
UV_SET = "UVMap"  # the name of the set that stands in where a mesh has none


TRACER_BYTES = 200  # of Embree's tree, by triangle


@dataclass(frozen=True, eq=False)
class Scene:
    """All objects' triangles in one, with what is read where a ray hits. Immutable once built.

    rows : what is read of every triangle. Where something has changed some in between may be of no object.
    ids : (5, t + 1) int32: object (GROUND for the ground), part, piece, material slot and region of each triangle; the
        last column, which the number -1 finds, is NOTHING, as that of any triangle of no object.
    undivided : the same of the triangles of each object, and of the ground, where nothing is displaced; plain_key names
        what they depend on.
    regions : what has a material of its own: the number of an object, and of the rule that assigns it, -1 for the
        object's own material. Of the ground, GROUND.
    rotations : (regions, 3, 3) from object to world space, for row vectors.
    uv_sets : names of the UV sets of each region. bounds : of all objects, without the ground.
    remarks : sentences about objects that cannot be read, or not as they were.
    around : what surface points look up about all objects.
    shape : names all that decides where rays meet it. keys : of the objects.
    sources : (t + 1,) int32, the number that each triangle has where nothing is displaced; None where nothing is.
    spans : the triangles of each object by its number, and of the ground. own : how many no other scene has.
    around_key : names what decides the light that surfaces send on; while a hand moves, depths do not count.
    """

    tracer: Tracer
    rows: Rows
    ids: np.ndarray
    undivided: Sequence[np.ndarray]
    plain_key: tuple[str, ...]
    regions: tuple[tuple[int, int], ...]
    rotations: np.ndarray
    uv_sets: tuple[tuple[str, ...], ...]
    bounds: tuple[np.ndarray, np.ndarray]
    remarks: tuple[str, ...] = ()
    around: Surroundings = field(default_factory=Surroundings)
    shape: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    sources: np.ndarray | None = None
    spans: Mapping[int, slice] = field(default_factory=dict)
    own: int = 0
    around_key: tuple[str, ...] = ()

    @property
    def corners(self) -> np.ndarray:
        """See Rows."""
        return self.rows.corners

    @property
    def faces(self) -> np.ndarray:
        """See Rows."""
        return self.rows.faces

    @property
    def turns(self) -> np.ndarray:
        """(3 t,), of the first UV set, see Rows."""
        return self.rows.turns[0]

    @property
    def rest(self) -> Rest | None:
        """What the displaced surface was before, None where nothing is displaced."""
        return self.rows.rest if self.sources is not None else None

    @cached_property
    def undivided_ids(self) -> np.ndarray:
        """(5, u + 1), as `ids`, by the numbers that `before` gives."""
        return self.ids if self.sources is None else np.concatenate([*self.undivided, NOTHING], axis=1)

    def before(self, triangles: np.ndarray) -> np.ndarray:
        """The numbers that triangles have where nothing is displaced; -1 stays."""
        return triangles if self.sources is None else self.sources[triangles]

    def differs_in_uvs(self, other: Scene) -> bool:
        """Whether the other one is this with other UVs, and no more: rays meet both in the same places, and triangles
        of what is as it was have the same numbers."""
        parted = self.shape, self.regions, self.uv_sets, self.around.names
        if parted != (other.shape, other.regions, other.uv_sets, other.around.names):
            return False
        stays = [number for number, (a, b) in enumerate(zip(self.keys, other.keys, strict=True)) if a == b]
        if any(self.spans[number] != other.spans[number] for number in (*stays, *self.spans.keys() & {GROUND})):
            return False
        both = zip(self.undivided, other.undivided, strict=True)
        return all(one is another or np.array_equal(one, another) for one, another in both)

    @property
    def nbytes(self) -> int:
        """Bytes, those of the ray tracer estimated."""
        colours = sum(one.nbytes for one in self.around.colours)
        return self.ids.nbytes + colours + self.own * (self.rows.nbytes_each + TRACER_BYTES)

    def nearest(self, origins: np.ndarray, directions: np.ndarray) -> Hits:
        """What rays (n, 3) float32 meet first; see Tracer."""
        return self.tracer.nearest(origins, directions)

    def occluded(self, origins: np.ndarray, directions: np.ndarray, distances: np.ndarray | None = None) -> np.ndarray:
        """(n,) int32: -1 where a ray meets nothing, up to `distances` (n,) in lengths of its direction."""
        return self.tracer.occluded(origins, directions, distances)

    def mark_occluded(self, rays: np.ndarray) -> None:
        """Notes which rays meet anything, see kernels.embree.mark_occluded."""
        self.tracer.mark_occluded(rays)


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
    every = zip(objects, meshes, strict=True)
    return _bounds([bounds_of(_on_bench(item, mesh)) for item, mesh in every if len(mesh.triangles)])


def _bounds(every: list[tuple[np.ndarray, np.ndarray]]) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest corner of boxes, (3,)."""
    if not every:
        return np.zeros(3), np.full(3, 0.1)
    return np.min([low for low, _ in every], axis=0), np.max([high for _, high in every], axis=0)


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
    regions = [(number, rule) for number, item in enumerate(objects) for rule in range(-1, len(item.assigned))]
    first = {number: at for at, (number, rule) in enumerate(regions) if rule < 0}
    turns = [item.matrix().astype(np.float32) for item in objects]
    placed = dict(enumerate(meshes)) | ({GROUND: _ground()} if ground else {})
    keys = tuple(item.key + _key_of(displaced, number) for number, item in enumerate(objects))
    rows, spans, fresh = _rows(placed, keys, like, bool(displaced))
    shape, bodies = shape_of(objects, ground, displaced), dict[int, Body]()
    size = max([0, *(here.stop for here in spans.values())])
    plain_key = (*(item.key for item in objects), "ground" if ground else "")
    same = like if like is not None and like.plain_key == plain_key else None
    undivided = same.undivided if same is not None else _undivided_ids(plain, objects, first, ground)
    ids = np.empty((len(NOTHING), size + 1), np.int32)
    ids[:] = NOTHING
    for at, (number, mesh) in enumerate(placed.items()):  # each right where it will lie: a large mesh is there once
        here, one, item = spans[number], displaced.get(number), objects[number] if number != GROUND else None
        before = plain[number] if item is not None else mesh
        source = one.source if one is not None else slice(None)
        if same is not None and number not in fresh and same.spans.get(number) == here:
            ids[:, here] = same.ids[:, here]
        else:
            ids[:, here] = undivided[at][:, source]
        body = like.tracer.body(shape[at]) if like is not None else None
        body = body or _body(shape[at], item, before, mesh, source)
        bodies[number] = body if body.first == here.start else replace(body, first=here.start)
    with ThreadPoolExecutor(1) as beside:
        tree = beside.submit(Tracer.of, list(bodies.values()), like.tracer if like is not None else None, moving)
        for number in fresh:
            turn = turns[number] if number != GROUND else np.eye(3, dtype=np.float32)
            rows.lay(spans[number], placed[number], bodies[number].vertices, turn, displaced.get(number))
        tracer = tree.result()
    ids.flags.writeable = False
    rotations = np.stack([turns[number] for number, _ in regions]) if turns else np.zeros((0, 3, 3), np.float32)
    names = tuple(tuple(meshes[number].uv) or (UV_SET,) for number, _ in regions)
    around = _around(objects, meshes, turns, ids[OBJECT], rows.gradients)
    around = replace(
        around, corners=rows.corners, colours=_vertex_colours(placed, spans, size), turns=rows.turns[1:],
        tracer=tracer, ids=ids[PART : SLOT + 1],
        part_names=tuple(mesh.part_names for mesh in plain), slot_names=tuple(mesh.slot_names for mesh in plain),
        face_sets=_face_sets(plain, displaced, spans, size),
    )  # fmt: skip
    bounds = _bounds([body.bounds for number, body in bodies.items() if number >= 0 and len(body.triangles)])
    own = sum(spans[number].stop - spans[number].start for number in fresh)
    return Scene(
        tracer, rows, ids, undivided, plain_key, tuple(regions), rotations, names, bounds, told, around, shape, keys,
        _sources(plain, displaced, spans, size), spans, own if like is not None and rows is like.rows else rows.size,
        shape_of(objects, ground) if moving else shape,
    )  # fmt: skip


def _undivided_ids(
    plain: list[Mesh], objects: tuple[BenchObject, ...], first: Mapping[int, int], ground: bool
) -> list[np.ndarray]:
    """See Scene.undivided. first : the first region of each object."""
    every = zip(plain, objects, strict=True)
    found = [_ids(number, mesh, _region(item, mesh, first[number])) for number, (mesh, item) in enumerate(every)]
    return found + ([_ids(GROUND, _ground(), GROUND)] if ground else [])


def _ids(number: int, mesh: Mesh, region: np.ndarray | int) -> np.ndarray:
    """(5, t), see Scene.ids."""
    out = np.empty((5, len(mesh.triangles)), np.int32)
    for row, of in zip((OBJECT, PART, PIECE, SLOT, REGION), (number, *mesh.ids, region), strict=True):
        out[row] = of
    return out


def _body(name: str, item: BenchObject | None, plain: Mesh, mesh: Mesh, source: np.ndarray | slice) -> Body:
    """What rays meet of an object, or of the ground, which is none. plain : its mesh before it was divided."""
    triangles = mesh.triangles
    if item is not None and item.hidden_faces:  # rays never meet a triangle without an area
        triangles = triangles.copy()
        triangles[item.unseen(plain)[source]] = 0
    return Body(name, mesh.positions if item is None else _on_bench(item, mesh), triangles)


def _rows(
    placed: Mapping[int, Mesh], keys: tuple[str, ...], like: Scene | None, displaced: bool
) -> tuple[Rows, dict[int, slice], set[int]]:
    """Rows for the triangles of objects, where each has its own, and the numbers of those that are to be written.

    What another scene has is there already: with it where that has room for the others, as after a hand has moved, else
    copied.
    """
    sets = max([len(mesh.uv) for mesh in placed.values()] + [1])
    counts = {number: len(mesh.triangles) for number, mesh in placed.items()}
    kept = _kept(keys, sets, like)
    if like is not None and GROUND in placed and GROUND in like.spans and like.rows.sets == sets:
        kept[GROUND] = GROUND
    fresh = counts.keys() - kept.keys()
    changed, count = sum(counts[number] for number in fresh), sum(counts.values())
    if kept and like is not None and (like.rows.rest is not None) == displaced:
        block = like.rows.take(changed)
        if block is not None:
            spans = {number: like.spans[before] for number, before in kept.items()}
            spans |= _one_after_the_other(block.start, {number: counts[number] for number in counts if number in fresh})
            return like.rows, spans, fresh
    rows = Rows(count, sets, displaced, room_for(changed, count) if kept else 0)
    spans = _one_after_the_other(0, counts)
    for number, before in kept.items():
        assert like is not None
        rows.copy(spans[number], like.rows, like.spans[before])
    return rows, spans, fresh


def _one_after_the_other(first: int, counts: Mapping[int, int]) -> dict[int, slice]:
    stops = first + np.cumsum([0, *counts.values()])
    return {number: slice(int(stops[at]), int(stops[at + 1])) for at, number in enumerate(counts)}


def _face_sets(
    plain: list[Mesh], displaced: Mapping[int, Displaced], spans: Mapping[int, slice], size: int
) -> dict[str, np.ndarray]:
    """See Surroundings.face_sets."""
    found: dict[str, np.ndarray] = {}
    for number, mesh in enumerate(plain):
        if mesh.sets:
            source = displaced[number].source if number in displaced else slice(None)
            for name, faces in mesh.sets.items():
                found.setdefault(name, np.zeros(size + 1, bool))[spans[number]] = faces[source]
    return found


def _key_of(displaced: Mapping[int, Displaced], number: int) -> str:
    return f" {displaced[number].key}" if number in displaced else ""


def _sources(
    plain: list[Mesh], displaced: Mapping[int, Displaced], spans: Mapping[int, slice], size: int
) -> np.ndarray | None:
    """See Scene.sources; None where nothing is displaced."""
    if not displaced:
        return None
    out, at = np.full(size + 1, -1, np.int32), 0
    for number, mesh in enumerate(plain):
        count = len(mesh.triangles)
        out[spans[number]] = at + (displaced[number].source if number in displaced else np.arange(count))
        at += count
    if GROUND in spans:
        out[spans[GROUND]] = at + np.arange(spans[GROUND].stop - spans[GROUND].start)
    return out


def _kept(keys: tuple[str, ...], sets: int, like: Scene | None) -> dict[int, int]:
    """By the number of an object that another scene has too, its number there."""
    if like is None or like.rows.sets != sets:
        return {}
    there = {key: number for number, key in enumerate(like.keys)}
    found = {key: number for number, key in enumerate(keys) if key in there}
    return {number: there[key] for key, number in found.items()}


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


def _vertex_colours(placed: Mapping[int, Mesh], spans: Mapping[int, slice], size: int) -> list[np.ndarray]:
    """(3 size, 4) for each set of vertex colours of all meshes; none where no mesh has any."""
    sets = max((len(mesh.colours) for mesh in placed.values()), default=0)
    out = [np.tile(np.array([0, 0, 0, 1], np.float32), (3 * size, 1)) for _ in range(sets)]
    for object_number, mesh in placed.items():
        here = spans[object_number]
        for number, colours in enumerate(mesh.colours.values()):
            out[number][3 * here.start : 3 * here.stop] = colours
    return out


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
