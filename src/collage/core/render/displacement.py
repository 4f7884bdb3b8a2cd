"""Displacement: objects whose material moves their surface, divided and moved before rays are traced.

Heights and vectors are worked out on the surface as it was, at the corners of the divided mesh, by the evaluator that
draws everything else. A vertex that several corners share, as on a UV seam, goes where they go on average, so that
nothing tears.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.materials import DISPLACEMENT, material_card
from collage.core.document.model import Card, Network
from collage.core.evaluate.plan import CardInput
from collage.core.evaluate.run import Workers, never
from collage.core.geometry.mesh import lengths, unit
from collage.core.geometry.points import Points
from collage.core.geometry.refine import in_triangles, refined
from collage.core.geometry.subdivide import Cage, sum_by
from collage.core.kernels import Family
from collage.core.render.samples import over_blocks
from collage.core.render.surface import Surface, evaluate_surface
from collage.core.scene.bench import BenchObject
from collage.core.scene.displaced import ENOUGH, Displaced, Fine, fine_of, moved
from collage.core.scene.pixel_size import PixelSize
from collage.core.scene.scene import REGION, Scene

k = Family("division")

HEIGHT, SCALE = "displacement", "scale"


def targets_of(network: Network) -> Mapping[str, CardInput]:
    """What is to be planned for a material's displacement; nothing where it has none.

    Raises CollageError for a displacement that is not one card's.
    """
    shader = shader_of(network)
    if shader is None:
        return {}
    if shader.category != "displacement":
        raise CollageError(
            f"A displacement out of “{shader.category}” is not shown.",
            about=shader.name,
            remedy="Wire a Displacement card to the material.",
        )
    return {name: CardInput(shader.name, name) for name in (HEIGHT, SCALE)}


def shader_of(network: Network) -> Card | None:
    """The card that is wired to the material as its displacement; None where there is none, or it is skipped."""
    material = material_card(network)
    one = material.inputs.get(DISPLACEMENT) if material is not None else None
    if one is None or one.wire is None or one.muted:
        return None
    shader = network.cards.get(one.wire.card)
    return None if shader is None or shader.skipped else shader


def displaced(
    item: BenchObject,
    number: int,
    found: Fine,
    scene: Scene,
    moving: Sequence[Surface | None],
    key: str,
    *,
    rounds: int = 0,
    pixel: PixelSize | None = None,
    passing: bool = False,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> tuple[Displaced, tuple[str, ...]]:
    """An object's mesh divided and moved, and remarks.

    number : the object's. scene : with nothing displaced. moving : what moves each region of the scene, None for
    those that stay. rounds : in which it is divided further where the height asks for it. pixel : how large one is on
    the object, where that says how finely. passing : whether a finer one follows, so that nothing is missed.
    Raises Cancelled.
    """
    mover = _Mover(item, scene, moving, scene.spans[number].start, found, rounds > 0, workers, cancelled)
    vertices = len(found.cage.positions)
    corner = mover.told_apart(found.cage, found.cage.vertex)
    offsets = mover.mean(found, _at_corners(found, corner), found.cage.vertex[corner], vertices)
    if rounds:
        found, offsets = _refined(found, offsets, mover, rounds, pixel)
    with ThreadPoolExecutor(1) as beside:
        telling = beside.submit(_tell_missed, found, offsets, mover) if not passing else None
        made = moved(found, offsets, key)
        if telling is not None:
            telling.result()
    return made, tuple(dict.fromkeys(mover.told))


EVEN = 0.025  # of how much offsets differ, that one in the middle of an edge may be beside the mean of its ends
SHORTEST = 1 / 4000  # of an edge, in sizes of the object
ROUND = 1e-4  # of the object's size, that it may be so at least
SHOWN = 0.5  # pixels that the middle of an edge may be beside its place


def _refined(
    found: Fine, offsets: np.ndarray, mover: _Mover, rounds: int, pixel: PixelSize | None
) -> tuple[Fine, np.ndarray]:
    """A mesh with edges halved where the offset in their middle is none of the offsets (v, 3) at their ends, or where
    a smooth surface bends more than their ends say."""
    cage, ways, tested, bends = in_triangles(found.cage), found.ways, 0, _Bends(found)
    for _ in range(rounds):
        start, end = cage.vertex[cage.of_edge], cage.vertex[cage.following[cage.of_edge]]
        fresh = np.maximum(start, end) >= tested  # the others were even enough
        length = lengths(cage.positions[start] - cage.positions[end])
        size = pixel.at((cage.positions[start] + cage.positions[end]) / 2) if pixel else None
        shortest = np.maximum(SHORTEST * mover.reach, (mover.item.division.detail or 0) / 2)
        fresh &= length > (shortest if size is None else np.maximum(shortest, size))
        corner = mover.told_apart(cage, cage.edge)
        corner = corner[fresh[cage.edge[corner]]]
        middle = mover.mean(found, _at_middles(cage, ways, corner), cage.edge[corner], cage.edges)
        bent = bends.of_edges(cage, start, end)
        error = lengths(middle + bent - (offsets[start] + offsets[end]) / 2)
        even = np.maximum(EVEN * float(np.linalg.norm(np.ptp(offsets, axis=0))), ROUND * mover.reach)
        even = even if size is None else SHOWN * size
        marked = fresh & (error > even)
        error = error if size is None else error / size
        room = (ENOUGH - len(cage.vertex) // 3) // 2  # a halved edge adds two triangles
        if marked.sum() > room:
            least = np.partition(error[marked], -room)[-room] if room > 0 else np.inf
            marked &= error > least
        if not marked.any():
            break
        tested = len(cage.positions)
        cage, halved = refined(cage, marked)
        cage.positions[tested:] += bent[halved]
        bends.halve(start[halved], end[halved])
        offsets = np.concatenate([offsets, middle[halved]])
        ways = np.concatenate([ways, unit(ways[start[halved]] + ways[end[halved]])])
    return fine_of(cage, found.base, found.smoothed), offsets


class _Bends:
    """How far a smooth surface lies beside the middles of its edges: by a cubic curve that is at right angles to the
    normals of both ends (A. Vlachos et al., Curved PN triangles, 2001). What is not smooth has none."""

    def __init__(self, found: Fine) -> None:
        self.smooth, count = found.smoothed, len(found.cage.positions)
        self.normals = unit(sum_by(found.cage.vertex, found.normals, count))
        self.hard = np.zeros(count, bool)  # vertices of sharp edges
        self.hard[found.cage.vertex[found.one >= count]] = True

    def of_edges(self, cage: Cage, start: np.ndarray, end: np.ndarray) -> np.ndarray:
        """(edges, 3) metres."""
        if not self.smooth:
            return np.zeros((len(start), 3))
        along = cage.positions[end] - cage.positions[start]
        first, last = self.normals[start], self.normals[end]
        bent = (last * (along * last).sum(axis=1)[:, None] - first * (along * first).sum(axis=1)[:, None]) / 8
        bent[self.hard[start] | self.hard[end]] = 0
        return np.asarray(bent)

    def halve(self, start: np.ndarray, end: np.ndarray) -> None:
        """Takes the middles of edges between these vertices (m,) as further vertices."""
        self.normals = np.concatenate([self.normals, unit(self.normals[start] + self.normals[end])])
        self.hard = np.concatenate([self.hard, self.hard[start] & self.hard[end]])


class _Mover:
    """What moves an object's surface.

    first : the object's first triangle in the scene. finer : whether the mesh will be divided further.
    """

    def __init__(
        self, item: BenchObject, scene: Scene, moving: Sequence[Surface | None], first: int, found: Fine, finer: bool,
        workers: Workers | None, cancelled: Callable[[], bool],
    ) -> None:  # fmt: skip
        self.item, self.scene, self.moving, self.first = item, scene, moving, first
        self.workers, self.cancelled = workers, cancelled
        self.step = _step(found) / (4 if finer else 1)
        self.reach = float(np.linalg.norm(np.ptp(found.cage.positions, axis=0)))
        self.sets = len(found.base.uv)
        self.told: list[str] = []

    def region(self, source: np.ndarray) -> np.ndarray:
        """The region of triangles of the mesh as it was before."""
        return self.scene.ids[REGION, self.first + source]

    def told_apart(self, cage: Cage, number: np.ndarray) -> np.ndarray:
        """Corners: the first of each number (c,), and further ones that have another UV or region than that."""
        uv = np.ascontiguousarray(cage.values[:, : 2 * self.sets])
        told, region = np.empty(len(number), bool), self.region(cage.source).astype(np.int32)
        k.tell_apart(number.astype(np.int32), uv, region, int(number.max(initial=-1)) + 1, told)
        return np.flatnonzero(told)

    def offsets(self, found: Fine, places: _Places) -> np.ndarray:
        """(n, 3): how far places go, in the object's space. Raises Cancelled."""
        out, region = np.zeros((len(places.position), 3)), self.region(places.source)
        for one in np.flatnonzero(np.bincount(region)):
            mover = self.moving[int(one)]
            if mover is not None:
                here = np.flatnonzero(region == one)
                some = places if len(here) == len(region) else places.some(here)
                points = _points(self.item, found, some, self.scene, self.first, int(one), self.step, self.workers)
                out[here] = self._offsets_at(mover, points).T
        return out

    def _offsets_at(self, mover: Surface, points: Points) -> np.ndarray:
        """(3, n), in the object's space: at the points, or in the mean around them where only broad forms count."""
        detail, total = self.item.division.detail, np.zeros((3, points.count))
        for near in (points,) if detail is None else around(points, detail):
            values = evaluate_surface(mover, near, workers=self.workers, cancelled=self.cancelled)
            total += _offsets(values, points, self.item.matrix(), self.reach, self.told)
        if detail is not None:
            total /= LOOKS
        return total

    def mean(self, found: Fine, places: _Places, number: np.ndarray, count: int) -> np.ndarray:
        """(count, 3): how far places with the same number (n,) go in the mean; those that stay do not count."""
        offsets, moves = self.offsets(found, places), np.array([one is not None for one in self.moving])
        if not moves.all():
            here = moves[self.region(places.source)]
            number, offsets = number[here], offsets[here]
        return sum_by(number, offsets, count) / np.maximum(np.bincount(number, minlength=count), 1)[:, None]


LOOKS, SPREAD = 64, 0.25  # samples for broad forms, and how far they spread, in finest forms


def around(points: Points, detail: float) -> Iterator[Points]:
    """Points around others (n) on their plane; in the mean they see forms of `detail` metres and more.

    They lie as in a Gaussian of SPREAD times that, on a spiral, so that no fine form keeps step with them (R. Swinbank
    and R. J. Purser, Fibonacci grids, 2006): forms of twice the size are left three quarters as high, of half of it
    hardly any.
    """
    number = np.arange(LOOKS) + 0.5
    radius = SPREAD * detail * np.sqrt(-2 * np.log(1 - number / LOOKS))
    angle = 2 * np.pi * (number * 0.6180339887 % 1)
    long_u, long_v = (np.sqrt((one * one).sum(axis=0)) for one in (points.along_u, points.along_v))
    for right, up in zip(radius * np.cos(angle), radius * np.sin(angle), strict=True):
        moved = points.changed(step_u=np.float32(right) / np.maximum(long_u, np.float32(1e-9)))
        moved = moved.taken(0).changed(step_v=np.float32(up) / np.maximum(long_v, np.float32(1e-9)))
        yield moved.taken(1).changed(step_u=points.step_u, step_v=points.step_v)


@dataclass(frozen=True, eq=False)
class _Places:
    """Places on the surface as it was. position, way : (n, 3). values : (n, k), see Cage. source : (n,)."""

    position: np.ndarray
    way: np.ndarray
    values: np.ndarray
    source: np.ndarray

    def some(self, which: np.ndarray) -> _Places:
        """Those with some numbers (n,)."""
        return _Places(self.position[which], self.way[which], self.values[which], self.source[which])


def _at_corners(found: Fine, corner: np.ndarray) -> _Places:
    cage, vertex = found.cage, found.cage.vertex[corner]
    return _Places(cage.positions[vertex], found.ways[vertex], cage.values[corner], cage.source[corner])


def _at_middles(cage: Cage, ways: np.ndarray, corner: np.ndarray) -> _Places:
    """The middles of the edges that begin at some corners (n,). ways : (v, 3), which way vertices go."""
    count = len(corner)
    made = _Places(
        np.empty((count, 3)), np.empty((count, 3)), np.empty((count, cage.values.shape[1])), np.empty(count, np.int64)
    )
    k.at_middles(
        corner, cage.vertex, cage.following, cage.positions, ways, cage.values, cage.source,
        made.position, made.way, made.values, made.source,
    )  # fmt: skip
    return made


LOOKED_AT = 4000  # polygons in whose middle it is looked whether they are fine enough
MISSED = 0.3  # of how much heights differ, that they may differ from those between the corners


def _tell_missed(found: Fine, offsets: np.ndarray, mover: _Mover) -> None:
    """Tells where offsets in the middle of some polygons differ much from those at their vertices (v, 3)."""
    cage = found.cage
    size = int(cage.sizes[0]) if len(cage.sizes) else 0
    if not size or (cage.sizes != size).any():
        return
    corners = np.arange(len(cage.vertex)).reshape(-1, size)
    region = mover.region(cage.source)[corners]
    moves = np.array([one is not None for one in mover.moving])
    corners = corners[(region == region[:, :1]).all(axis=1) & moves[region[:, 0]]]
    corners = corners[:: max(len(corners) // LOOKED_AT, 1)]
    if not len(corners):
        return
    vertex = cage.vertex[corners]
    middle = _Places(
        cage.positions[vertex].mean(axis=1), unit(found.ways[vertex].mean(axis=1)),
        cage.values[corners].mean(axis=1), cage.source[corners[:, 0]],
    )  # fmt: skip
    offset = mover.offsets(found, middle)
    error, spread = lengths(offsets[vertex].mean(axis=1) - offset), lengths(offset - offset.mean(axis=0))
    rounding = 1e-5 * float(np.abs(offset).max(initial=0))
    if np.sqrt((error**2).mean()) > MISSED * np.sqrt((spread**2).mean()) + rounding:
        mover.told.append("Its displacement is finer than its faces: raise Subdivision for outline and shadows.")


def _points(
    item: BenchObject, found: Fine, places: _Places, scene: Scene, first: int, region: int, step: float,
    workers: Workers | None,
) -> Points:  # fmt: skip
    """The surface as it was. first : the object's first triangle in the scene. step : in the first UV set."""
    turn, place = item.matrix().astype(np.float32), np.array([item.place], np.float32)
    base = first + places.source  # the triangle of the scene
    sets, count = len(found.base.uv), len(places.position)
    rows = np.empty((k.UV + 2 * sets, count), np.float32)
    faces = np.ascontiguousarray(scene.faces)

    def write(cut: slice) -> None:
        k.to_points(
            places.position[cut], places.way[cut], places.values[cut], base[cut], faces, turn, place, sets, rows[:, cut]
        )  # fmt: skip

    over_blocks(workers, write, count)
    uv = {name: rows[k.UV + 2 * at : k.UV + 2 * at + 2] for at, name in enumerate(found.base.uv)}
    part, piece, slot = (ids[places.source] for ids in found.base.ids)
    return Points(
        position=rows[k.PLACE : k.PLACE + 3],
        normal=rows[k.UP : k.UP + 3],
        tangent=rows[k.ACROSS : k.ACROSS + 3],
        bitangent=rows[k.BESIDE : k.BESIDE + 3],
        uv=uv or {"UVMap": np.zeros((2, count), np.float32)},
        along_u=rows[k.ALONG_U : k.ALONG_U + 3],
        along_v=rows[k.ALONG_V : k.ALONG_V + 3],
        step_u=np.full(count, step, np.float32),
        step_v=np.full(count, step, np.float32),
        object_position=rows[k.OWN_PLACE : k.OWN_PLACE + 3],
        to_object=scene.rotations[region],
        part=part,
        piece=piece,
        slot=slot,
        triangle=base.astype(np.int32),
        around=scene.around,
    )


def _step(found: Fine) -> float:
    """How far vertices lie apart in the first UV set, on average: as finely as images are worth reading."""
    name = next(iter(found.base.uv), None)
    if name is None:
        return 1e-3
    p = found.values(name)[found.triangles]
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    return float(np.sqrt(area.mean())) if len(area) else 1e-3


def _offsets(
    values: Mapping[str, np.ndarray], points: Points, turn: np.ndarray, reach: float, told: list[str]
) -> np.ndarray:
    """(3, n) how far points go, in the object's space, at most `reach`.

    A number goes along the normal; a vector along tangent, bitangent and normal, as the standard has it.
    """
    height = np.asarray(values.get(HEIGHT, np.zeros((1, 1))), np.float64) * np.asarray(values.get(SCALE, 1.0))
    if not np.isfinite(height).all():
        told.append("Some displacement is no number; it counts as none.")
        height = np.nan_to_num(height, nan=0.0, posinf=0.0, neginf=0.0)
    if len(height) == 1:
        world = points.normal * height
    else:
        world = points.tangent * height[:1] + points.bitangent * height[1:2] + points.normal * height[2:3]
    length = lengths(world.T)
    if (length > reach).any():
        told.append("Displacement of more than the object's own size is cut off there: set a smaller scale.")
        world = world * np.minimum(1, reach / np.maximum(length, 1e-12))
    return np.asarray(turn @ world)
