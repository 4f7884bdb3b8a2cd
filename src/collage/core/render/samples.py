"""What the camera sees, apart from light and values: samples, and the surface at each of them.

Samples are found once per camera, size and geometry; a moved light or a changed value needs no more camera rays.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TypeVar

import numpy as np

from collage.core.evaluate.run import BLOCK, Cancelled, Workers, even_block, never
from collage.core.geometry.points import Points
from collage.core.geometry.surroundings import CameraFrame
from collage.core.kernels import Family
from collage.core.scene.cameras import Camera
from collage.core.scene.scene import BACKGROUND, GROUND, PART, PIECE, REGION, SLOT, Scene
from collage.core.scene.tracer import Hits

k = Family("rays")

ROWS = 64  # of pixels that are looked at as one block

EDGE_SAMPLES = 8
"""More samples in pixels where an edge runs."""

OWN_BYTES = 48
"""Of a sample's points, beside its row of the surface: normal, tangent and bitangent in the object's space, and ids."""

_STEP = np.arange(61 * EDGE_SAMPLES)
# by pixel and sample, a rank-1 sequence over the pixel (M. Roberts, The unreasonable effectiveness of quasirandom
# sequences, 2018)
_EDGE_PLACES = np.stack([_STEP * 0.7548776662 + 0.5, _STEP * 0.5698402910 + 0.5], axis=1) % 1
_EDGE_PLACES = _EDGE_PLACES.astype(np.float32).reshape(-1, EDGE_SAMPLES, 2)

FIRST_EFFORT, MOVING_EFFORT = 0.2, 0.08  # of the rays of masks: at the first look at rest, and for a moving hand
MOST_BACKS = 4  # of surfaces that a ray goes through to find a front

Result = TypeVar("Result")


@dataclass(frozen=True)
class Window:
    """A part of a picture: pixels from its upper left corner."""

    x: int
    y: int
    width: int
    height: int

    def meets(self, other: Window) -> bool:
        """Whether it has pixels of another one."""
        across = self.x < other.x + other.width and other.x < self.x + self.width
        return across and self.y < other.y + other.height and other.y < self.y + self.height

    @property
    def rows(self) -> slice:
        """Its rows in the picture."""
        return slice(self.y, self.y + self.height)

    @property
    def columns(self) -> slice:
        """Its columns in the picture."""
        return slice(self.x, self.x + self.width)


@dataclass(frozen=True, eq=False)
class ObjectSamples:
    """Samples that show one region of an object, or the ground: a run of all samples from `start` up to `stop`.

    region : its number in the scene, of several the first; GROUND for the ground. beside : whether they lie beside the
    middle of a pixel; those in the middle are a group of their own.
    """

    region: int
    points: Points
    start: int
    stop: int
    beside: bool


@dataclass(frozen=True, eq=False)
class Samples:
    """Samples of a picture: n places where a camera ray meets a surface, grouped by object.

    pixel, weight : (n,) the pixel of each sample, row by row from the top, and its share of it.
    covered : (pixels,) how much of each pixel is surface; the rest is background.
    surface : (rows, n), see kernels.rays; of the ground position, normal and view alone, the rest means nothing.
    pattern : (n,) int32, which shadow rays a sample sends.
    grid : (h, w) int32, the sample in the middle of each pixel, -1 where there is none.
    donor : (n,) int32, for a sample beside the middle of a pixel one in the middle of it or of a neighbour that lies
        in the same plane, or -1.
    triangle : (h, w) int32, the triangle in the middle of each pixel, -1 where there is none.
    """

    width: int
    height: int
    pixel: np.ndarray
    weight: np.ndarray
    covered: np.ndarray
    groups: tuple[ObjectSamples, ...]
    surface: np.ndarray
    pattern: np.ndarray
    grid: np.ndarray
    donor: np.ndarray
    triangle: np.ndarray
    places: np.ndarray | None = None  # (h w,) the number in the whole picture of each pixel, where that is another one

    @property
    def origin(self) -> np.ndarray:
        """(n,) int32, the pixel of the whole picture in which each sample is seen."""
        return self.pixel if self.places is None else self.places.take(self.pixel)

    @property
    def count(self) -> int:
        """How many samples there are."""
        return int(self.pixel.size)

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays, the object's own directions of its points among them."""
        arrays = [one for one in self.__dict__.values() if isinstance(one, np.ndarray)]
        return sum(one.nbytes for one in arrays) + OWN_BYTES * self.count

    def pixels(self, workers: Workers | None = None) -> np.ndarray:
        """(6, h, w) float32 position and normal in the middle of each pixel, 0 where there is none."""
        if "_pixels" not in self.__dict__:
            out = np.empty((6, self.height, self.width), np.float32)

            def lay_out(cut: slice) -> None:
                for row, values in ((0, self.position), (3, self.normal)):
                    k.to_pixels(self.grid, values, cut.start, cut.stop, out[row : row + 3])

            over_blocks(workers, lay_out, self.height, ROWS)
            self.__dict__["_pixels"] = out
        found: np.ndarray = self.__dict__["_pixels"]
        return found

    @property
    def position(self) -> np.ndarray:
        """(3, n) metres, world space."""
        return self.surface[k.POSITION : k.POSITION + 3]

    @property
    def normal(self) -> np.ndarray:
        """(3, n), of length 1, towards the camera."""
        return self.surface[k.NORMAL : k.NORMAL + 3]


@dataclass(eq=False)
class _Rays:
    """Traced camera rays. directions : (n, 3); all others (n,)."""

    directions: np.ndarray
    triangle: np.ndarray
    region: np.ndarray  # its number, GROUND or BACKGROUND
    u: np.ndarray
    v: np.ndarray
    distance: np.ndarray  # to where it hits, metres along the ray
    spread: np.ndarray  # the same, from the camera: how wide a pixel is there
    pixel: np.ndarray
    pattern: np.ndarray

    @staticmethod
    def joined(first: _Rays, second: _Rays, workers: Workers | None) -> _Rays:
        def both(name: str) -> np.ndarray:
            return np.concatenate([getattr(first, name), getattr(second, name)])

        names = list(_Rays.__dataclass_fields__)
        return _Rays(*(workers.map(both, names) if workers is not None else map(both, names)))


def find_samples(
    scene: Scene,
    camera: Camera,
    size: tuple[int, int],
    *,
    shift: tuple[float, float] = (0.0, 0.0),
    edges: bool = True,
    window: Window | None = None,
    worn: Sequence[str] = (),
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> Samples:
    """Looks at the scene.

    size : width and height in pixels. shift : where in the pixels to look, from their middles. edges : whether pixels
    on edges get EDGE_SAMPLES more samples. window : the part of the picture to look at; its samples are those of the
    whole picture where no edge of the window is near. worn : the material of each region; where there are many regions,
    those that can be evaluated together are one group. Raises Cancelled.
    """
    return Finder(scene, camera, size, workers, cancelled, window, worn).picture(shift, edges)


def find_behind(
    scene: Scene,
    camera: Camera,
    size: tuple[int, int],
    points: Points,
    origin: np.ndarray,
    pattern: np.ndarray,
    *,
    worn: Sequence[str] = (),
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> Samples:
    """What lies behind see-through samples, on the same line of sight; its pixels are those samples, in a row.

    size : of the picture they belong to. origin, pattern : (n,) int32, in which of its pixels each is seen, and a
    number for its shadow rays. worn : see `find_samples`. Raises Cancelled.
    """
    return Finder(scene, camera, size, workers, cancelled, worn=worn).behind(points, origin, pattern)


def find_hits(
    scene: Scene,
    origins: np.ndarray,
    directions: np.ndarray,
    furthest: float,
    wide: float,
    *,
    worn: Sequence[str] = (),
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> Samples:
    """Where rays from anywhere meet the front of a surface; its pixels are those rays, in a row.

    origins, directions : (n, 3) float32. furthest : metres that a ray goes. wide : metres that each sample stands for.
    worn : see `find_samples`. Raises Cancelled.
    """
    finder = Finder(scene, Camera(), (len(origins), 1), workers, cancelled, worn=worn)
    finder.focal_length, finder.effort = np.float32(1), 1.0
    return finder.hits(origins, directions, furthest, wide)


def over_blocks(
    workers: Workers | None, work: Callable[[slice], Result], count: int, size: int = BLOCK, *, even: bool = True
) -> list[Result]:
    """Does something with every block of `count` things, at most `size` in each, spread over the threads.

    even : whether blocks may be smaller, so that all threads get as many.
    """
    if workers is not None and even:
        size = even_block(count, workers.count, size)
    blocks = [slice(start, min(start + size, count)) for start in range(0, count, size)]
    if workers is None or len(blocks) == 1:
        return [work(block) for block in blocks]
    return workers.map(work, blocks)


@lru_cache(maxsize=4)
def _pixels(width: int, height: int, window: Window) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """The middle of every pixel from the picture's middle, y up; its number; and its pattern of shadow rays.

    Numbers count the pixels of the window.
    """
    across, down = np.arange(window.x, window.x + window.width), np.arange(window.y, window.y + window.height)
    columns, rows = (part.ravel() for part in np.meshgrid(across, down))
    subset = (columns % 4) + 4 * (rows % 4)
    square = (columns // 4 % 2) + 2 * (rows // 4 % 2)
    pattern = (subset + k.SUBSETS * square).astype(np.int32)
    x, y = columns + 0.5 - width / 2, height / 2 - rows - 0.5
    return x.astype(np.float32), y.astype(np.float32), np.arange(columns.size, dtype=np.int32), pattern


MANY = 12  # regions from which on groups are worth more than that an edge between two of them is in no other order


def _together(scene: Scene, worn: Sequence[str]) -> tuple[list[int], np.ndarray]:
    """The first region of each group, and the group of each region; behind them BACKGROUND and GROUND, which are found
    from the end by their own numbers.

    Together are regions with the same material and the same names of UV sets, whichever way round they stand.
    """
    regions = range(len(scene.regions))
    if len(worn) < MANY:
        return list(regions), np.array([*regions, BACKGROUND, GROUND], np.int32)
    groups: dict[tuple[str, tuple[str, ...]], int] = {}
    first, group_of = [], []
    for region in regions:
        key = worn[region], scene.uv_sets[region]
        if key not in groups:
            groups[key] = len(groups)
            first.append(region)
        group_of.append(groups[key])
    return first, np.array([*group_of, BACKGROUND, GROUND], np.int32)


def _differently_turned(scene: Scene, first: Sequence[int], group_of: np.ndarray) -> set[int]:
    """The first regions of the groups whose regions do not all stand the same way round."""
    regions = np.arange(len(scene.regions))
    leaders = np.array(first, int)[group_of[: len(regions)]] if len(regions) else regions
    differ = (scene.rotations[regions] != scene.rotations[leaders]).any(axis=(1, 2))
    return set(np.unique(leaders[differ]).tolist())


class Finder:
    """Finds what rays meet in a scene, and the surface there. See find_samples."""

    def __init__(
        self,
        scene: Scene,
        camera: Camera,
        size: tuple[int, int],
        workers: Workers | None,
        cancelled: Callable[[], bool],
        window: Window | None = None,
        worn: Sequence[str] = (),
    ) -> None:
        self.scene, self.whole = scene, size
        self.first, self.group_of = _together(scene, worn)
        self.mixed = _differently_turned(scene, self.first, self.group_of)
        self.window = window or Window(0, 0, *size)
        self.width, self.height = self.window.width, self.window.height
        self.axes = camera.axes().astype(np.float32)
        self.eye = camera.position().astype(np.float32)
        self.focal_length = np.float32(camera.focal_length(*size))
        frame = CameraFrame(self.eye, self.axes, float(self.focal_length) / size[1])
        self.around = replace(scene.around, camera=frame)
        self.effort = FIRST_EFFORT
        self.workers, self.cancelled = workers, cancelled

    def picture(self, shift: tuple[float, float], edges: bool) -> Samples:
        self.effort = FIRST_EFFORT if edges else MOVING_EFFORT
        x, y, pixel, pattern = _pixels(*self.whole, self.window)
        rays = self._from_camera(x + np.float32(shift[0]), y - np.float32(shift[1]), pixel, pattern)
        triangle = rays.triangle.reshape(self.height, self.width)
        centres = rays.pixel.size
        weight = np.ones(centres, np.float32)
        if edges:
            edge = np.flatnonzero(self._edges(rays).ravel())
            if edge.size:
                more = self._at_edges(edge)
                weight[edge] = share = np.float32(1 / (EDGE_SAMPLES + 1))
                weight = np.concatenate([weight, np.full(more.pixel.size, share, np.float32)])
                rays = _Rays.joined(rays, more, self.workers)
        found = self._samples(rays, weight, centres, triangle, (self.width, self.height))
        if (self.width, self.height) == self.whole:
            return found
        place = self.window
        places = np.arange(place.y, place.y + place.height)[:, None] * self.whole[0] + np.arange(
            place.x, place.x + place.width
        )
        return replace(found, places=places.ravel().astype(np.int32))

    def _at_edges(self, edge: np.ndarray) -> _Rays:
        number = np.tile(np.arange(EDGE_SAMPLES), edge.size)
        pixel = np.repeat(edge, EDGE_SAMPLES).astype(np.int32)
        column, row = pixel % self.width + self.window.x, pixel // self.width + self.window.y
        in_whole = row * self.whole[0] + column
        step = number + (in_whole % len(_EDGE_PLACES)) * EDGE_SAMPLES
        a, b = _EDGE_PLACES.reshape(-1, 2).take(step, axis=0).T
        x = column + a - np.float32(self.whole[0] / 2)
        y = np.float32(self.whole[1] / 2) - row - b
        return self._from_camera(x, y, pixel, (step % (k.SUBSETS * k.TURNS)).astype(np.int32))

    def behind(self, points: Points, origin: np.ndarray, pattern: np.ndarray) -> Samples:
        assert points.view is not None
        count = points.count
        origins = np.ascontiguousarray((points.position + points.view * k.LIFT).T)
        directions = np.ascontiguousarray(points.view.T)
        pattern = (pattern % (k.SUBSETS * k.TURNS)).astype(np.int32)
        rays = self._trace(origins, directions, np.arange(count, dtype=np.int32), pattern)
        places = origins + directions * np.where(rays.triangle < 0, 0, rays.distance)[:, None]
        rays.spread = np.linalg.norm(places - self.eye, axis=1).astype(np.float32)
        found = self._samples(rays, np.ones(count, np.float32), 0, rays.triangle.reshape(1, count), (count, 1))
        return replace(found, places=origin)

    def hits(self, origins: np.ndarray, directions: np.ndarray, furthest: float, wide: float) -> Samples:
        count = len(origins)
        rays = self._trace(origins, directions, np.arange(count, dtype=np.int32), np.zeros(count, np.int32))
        for _ in range(MOST_BACKS):
            met = np.flatnonzero((rays.triangle >= 0) & (rays.distance < furthest))
            normal = self.scene.faces[rays.triangle[met], :3]
            behind = met[np.einsum("ij,ij->i", normal, directions[met]) > 0]
            if not len(behind):
                break
            self._go_on(rays, behind, origins, furthest)
        missed = rays.distance > furthest
        rays.triangle[missed], rays.region[missed] = -1, BACKGROUND
        rays.spread = np.full(count, wide, np.float32)
        return self._samples(rays, np.ones(count, np.float32), 0, rays.triangle.reshape(1, count), (count, 1))

    def met(
        self, found: Hits, directions: np.ndarray, spread: np.ndarray, effort: float
    ) -> tuple[tuple[ObjectSamples, ...], np.ndarray]:
        """The surface where rays (n, 3) have met it, and which ray each sample is of, (m,) int32.

        found : see Scene.nearest. spread : (n,) metres from the camera at which a pixel is as wide as a ray is there.
        effort : see Points.
        """
        self.effort = effort
        of, number = self.scene.ids[REGION].take(found.triangle, mode="wrap"), np.empty(0, np.int32)
        rays = _Rays(directions, found.triangle, of, found.u, found.v, found.distance, spread, number, number)
        starts, ray, surface = self._surface(rays)
        return self._groups(surface, rays.triangle.take(ray), starts, None), ray

    def _go_on(self, rays: _Rays, some: np.ndarray, origins: np.ndarray, furthest: float) -> None:
        """Lets some rays (n,) go on behind what they have met."""
        gone = rays.distance[some] * np.float32(1 + 1e-5) + np.float32(1e-6 * furthest)
        start = np.ascontiguousarray(origins[some] + rays.directions[some] * gone[:, None])
        further = self._trace(start, np.ascontiguousarray(rays.directions[some]), rays.pixel[some], rays.pattern[some])
        for name in ("triangle", "region", "u", "v"):
            getattr(rays, name)[some] = getattr(further, name)
        rays.distance[some] = further.distance + gone

    # ---- rays ---------------------------------------------------------------------------------

    def _from_camera(self, x: np.ndarray, y: np.ndarray, pixel: np.ndarray, pattern: np.ndarray) -> _Rays:
        """Rays through picture places (pixels from the middle, y up)."""
        x, y = x.astype(np.float32, copy=False), y.astype(np.float32, copy=False)
        directions = np.empty((x.size, 3), np.float32)

        def block(cut: slice) -> None:
            k.camera_rays(x[cut], y[cut], self.axes, self.focal_length, directions[cut])

        over_blocks(self.workers, block, x.size)
        return self._trace(None, directions, pixel, pattern)

    def _trace(
        self, origins: np.ndarray | None, directions: np.ndarray, pixel: np.ndarray, pattern: np.ndarray
    ) -> _Rays:
        """The nearest hits of rays (n, 3) from their origins, or all from the camera."""
        count = len(directions)
        of, found = np.empty(count, np.int32), Hits.room(count)

        def block(cut: slice) -> None:
            if self.cancelled():
                raise Cancelled
            start = origins[cut] if origins is not None else self.eye[None]
            here = self.scene.tracer.nearest(start, directions[cut], out=Hits(*(one[cut] for one in found)))
            self.scene.ids[REGION].take(here.triangle, out=of[cut], mode="wrap")  # -1 stands for none

        over_blocks(self.workers, block, count)
        return _Rays(directions, found.triangle, of, found.u, found.v, found.distance, found.distance, pixel, pattern)

    def _id(self, row: int, triangle: np.ndarray) -> np.ndarray:
        """(n,) object, part, piece or slot of triangles; -1 stands for none."""
        return self.scene.ids[row].take(triangle)

    def _edges(self, rays: _Rays) -> np.ndarray:
        normal = np.empty((rays.triangle.size, 3), np.float32)

        def block(cut: slice) -> None:
            k.normals_at_hits(
                rays.triangle[cut], rays.u[cut], rays.v[cut], rays.directions[cut],
                self.scene.corners, self.scene.faces, normal[cut],
            )  # fmt: skip

        over_blocks(self.workers, block, rays.triangle.size)
        found = np.zeros((self.height, self.width), bool)

        def rows(cut: slice) -> None:
            k.find_edges(cut.start, cut.stop, rays.region, normal, rays.distance, found)

        over_blocks(self.workers, rows, self.height, ROWS)
        return found

    # ---- samples ------------------------------------------------------------------------------

    def _surface(self, rays: _Rays) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The surface where rays meet it, (rows, m), by groups: where each begins, and which ray each sample is of."""
        starts = np.empty(len(self.first) + 2, np.int32)
        ray = np.empty(int(np.count_nonzero(rays.region > BACKGROUND)), np.int32)
        k.sort_by_object(self.group_of.take(rays.region), starts, ray)
        surface = np.empty((k.UV + self.scene.corners.shape[1] - 9, ray.size), np.float32)
        ground = int(starts[1])  # the first of them

        def block(cut: slice) -> None:
            k.surface_at_hits(
                ray[cut], rays.triangle, rays.u, rays.v, rays.directions, rays.spread,
                self.scene.corners, self.scene.faces, self.scene.turns, self.focal_length, ground - cut.start,
                surface[:, cut],
            )  # fmt: skip

        over_blocks(self.workers, block, ray.size)
        return starts, ray, surface

    def _samples(
        self, rays: _Rays, weight: np.ndarray, centres: int, seen: np.ndarray, size: tuple[int, int]
    ) -> Samples:
        """Samples of the rays that hit; the first `centres` of them go through the middle of a pixel each."""
        starts, ray, surface = self._surface(rays)
        pixel, pattern, donor = (np.empty(ray.size, np.int32) for _ in range(3))
        grid, shares = np.full(size[0] * size[1], -1, np.int32), np.empty(ray.size, np.float32)
        covered = np.empty(grid.size, np.float32)

        def take(cut: slice) -> None:
            k.to_samples(
                ray[cut], cut.start, rays.pixel, weight, rays.pattern, centres,
                pixel[cut], shares[cut], pattern[cut], grid,
            )  # fmt: skip

        over_blocks(self.workers, take, ray.size)
        k.cover(pixel, shares, covered)
        layout, normal = grid.reshape(size[1], size[0]), surface[k.NORMAL : k.NORMAL + 3]

        def find(cut: slice) -> None:
            k.find_donors(layout, pixel, surface[:3], normal, cut.start, cut.stop, donor)

        if centres:
            over_blocks(self.workers, find, ray.size)
        else:
            donor.fill(-1)
        groups = self._groups(surface, rays.triangle.take(ray), starts, ray < centres)
        return Samples(*size, pixel, shares, covered, groups, surface, pattern, layout, donor, seen)

    def _groups(
        self, surface: np.ndarray, triangle: np.ndarray, starts: np.ndarray, middle: np.ndarray | None
    ) -> tuple[ObjectSamples, ...]:
        runs = []
        for number, start, stop in zip(range(GROUND, len(starts)), starts, starts[1:], strict=False):
            # those in the middle of a pixel come first; None stands for all
            between = int(stop) if middle is None else int(start) + int(np.count_nonzero(middle[start:stop]))
            runs += [(number, int(start), between, False), (number, between, int(stop), True)]

        def group(run: tuple[int, int, int, bool]) -> ObjectSamples:
            number, start, stop, beside = run
            region = self.first[number] if number != GROUND else GROUND
            points = self._points(region, surface[:, start:stop], triangle[start:stop])
            return ObjectSamples(region, points, start, stop, beside)

        runs = [run for run in runs if run[2] > run[1]]
        return tuple(self.workers.map(group, runs) if self.workers is not None else map(group, runs))

    def _points(self, number: int, surface: np.ndarray, triangle: np.ndarray) -> Points:
        def rows(at: int, count: int = 3) -> np.ndarray:
            return surface[at : at + count]

        on_object = number != GROUND
        sets = self.scene.uv_sets[number] if on_object else ("UVMap",)
        return Points(
            position=rows(k.POSITION),
            normal=rows(k.NORMAL),
            tangent=rows(k.TANGENT),
            bitangent=rows(k.BITANGENT),
            uv={name: rows(k.UV + 2 * at, 2) for at, name in enumerate(sets)},
            along_u=rows(k.ALONG_U),
            along_v=rows(k.ALONG_V),
            step_u=surface[k.STEP_U],
            step_v=surface[k.STEP_V],
            object_position=rows(k.OBJECT_POSITION) if on_object else None,
            to_object=self.scene.rotations[number] if on_object else None,
            mixed=on_object and number in self.mixed,
            view=rows(k.VIEW),
            part=self._id(PART, triangle),
            piece=self._id(PIECE, triangle),
            slot=self._id(SLOT, triangle),
            triangle=triangle,
            around=self.around,
            effort=self.effort,
        )
