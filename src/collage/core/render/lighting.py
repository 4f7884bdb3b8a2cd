"""How much light reaches samples: shadow rays, traced in stages and kept, and smoothed over neighbouring pixels.

The environment and every light are traced apart, so that a light that moves, or is switched off, costs only its own
rays. What has been traced is kept when work is called off; more rays add to it.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Protocol

import numpy as np

from collage.core.evaluate.plan import Plan
from collage.core.evaluate.run import Cancelled, Workers, never
from collage.core.geometry.points import Points
from collage.core.kernels import Family
from collage.core.kernels import lights as columns
from collage.core.render.bump_variance import HiddenSlopes
from collage.core.render.environment import PER_SET, TURNS, EnvironmentLight
from collage.core.render.latlong import in_picture
from collage.core.render.samples import ROWS, ObjectSamples, Samples, over_blocks
from collage.core.scene.scene import OBJECT, Scene

k = Family("rays")

LIGHT_RAYS = 4
"""Shadow rays a sample and light; over a pixel's smoothed neighbours they look at 64 places of the light."""

LEAST_BLOCK, MOST_BLOCK = 1024, 8192  # samples whose rays are asked about at once: work is called off between two
KEPT_ENVIRONMENTS, KEPT_LIGHTS = 2, 12

Window = tuple[int, int, int, int]
COMPLETE_WINDOW: tuple[Window, ...] = ((-2, 2, -2, 2),)  # left, right, up, down: four by four pixels
EARLY_WINDOWS: tuple[Window, ...] = (
    (-4, 4, 0, 1),
    (0, 1, -4, 4),
)  # eight by eight, while only a part of the rays is there


@dataclass(frozen=True)
class Stage:
    """How many of a sample's shadow rays are traced, for the environment and for every light."""

    environment: int
    light: int


COARSE = Stage(
    PER_SET // TURNS, 1
)  # of the four turns of every set one ray each: together they look in all of its directions
FIRST = Stage(1, 1)
COMPLETE = Stage(PER_SET, LIGHT_RAYS)
STAGES = (FIRST, COMPLETE)
"""In which a picture at rest becomes complete."""


@dataclass(frozen=True, eq=False)
class Light:
    """The light that reaches n samples.

    arriving, unoccluded : (3, n) irradiance over pi of an environment of strength 1, with and without what is in its
    way. lights : (lights, COLUMNS), see kernels.lights. seen : (lights, n), how much of each light is seen, 0 to 1.
    open : (n,), how much of the half sphere is, by the cosine. near : (2, 3), light that surfaces near others have, of
    the lights and of such an environment, see `surrounding`. key : names all that these numbers depend on.
    """

    arriving: np.ndarray
    unoccluded: np.ndarray
    open: np.ndarray
    lights: np.ndarray
    seen: np.ndarray
    key: str
    near: np.ndarray = field(default_factory=lambda: np.zeros((2, 3), np.float32))


class Sender(Protocol):
    """Where rays are sent from, see Samples."""

    @property
    def position(self) -> np.ndarray: ...
    @property
    def normal(self) -> np.ndarray: ...
    @property
    def pattern(self) -> np.ndarray: ...
    @property
    def donor(self) -> np.ndarray: ...


class Target(Protocol):
    """Something that shadow rays are sent to."""

    channels: int
    rays: int  # a sample in all
    donated: bool  # whether samples that have a donor take its value even when all rays are traced

    def add(self, cut: slice, first: int, last: int, out: np.ndarray) -> None:
        """Traces rays `first` up to `last` of a block of samples, and adds what they find to `out` (channels, n)."""


class EnvironmentTarget:
    """The environment's light changes little from a sample to its donor, which looks in all directions."""

    channels, rays, donated = 8, PER_SET, True

    def __init__(self, scene: Scene, samples: Sender, light: EnvironmentLight, turn: float) -> None:
        self.scene, self.samples, self.room = scene, samples, _Room()
        self.radiance = light.radiance / np.float32(np.pi)
        self.pattern = np.where(samples.donor < 0, samples.pattern, np.int32(-1))
        self.directions = np.ascontiguousarray(in_picture(light.directions, -turn), np.float32)

    def add(self, cut: slice, first: int, last: int, out: np.ndarray) -> None:
        samples = self.samples
        position, normal, pattern = samples.position[:, cut], samples.normal[:, cut], self.pattern[cut]
        origins, ways = self.room((last - first) * len(pattern))
        count = k.environment_rays(position, normal, pattern, first, last, self.directions, origins, ways)
        blocked = self.scene.occluded(origins[:count], ways[:count]) if count else np.zeros(0, np.int32)
        k.add_environment_light(normal, pattern, first, last, self.directions, self.radiance, blocked, out)


class LightTarget:
    """A light's shadow may end between a sample and its donor: every sample has its own rays, but those with a donor
    send them all together at the end. Until then they take its value."""

    channels, rays, donated = 1, LIGHT_RAYS, False

    def __init__(self, scene: Scene, samples: Sender, row: np.ndarray) -> None:
        self.scene, self.samples, self.row, self.room = scene, samples, row, _Room()
        step = np.arange(k.SUBSETS * LIGHT_RAYS)
        # a rank-1 sequence over the light (M. Roberts, The unreasonable effectiveness of quasirandom sequences, 2018)
        places = np.stack([step * 0.7548776662, step * 0.5698402910], axis=1) + 0.5
        self.places = (places % 1 * 2 - 1).astype(np.float32)
        self.reach = 0.999 if row[columns.KIND] != columns.DISTANT else None
        if row[columns.KIND] == columns.BALL:  # to its outline; what lies within it keeps no light away
            self.reach = 0.9

    def add(self, cut: slice, first: int, last: int, out: np.ndarray) -> None:
        pattern, takes, complete = self.samples.pattern[cut], self.samples.donor[cut] >= 0, last >= self.rays
        if complete and not first:
            self._trace(cut, pattern, 0, last, out)
            return
        self._trace(cut, np.where(takes, np.int32(-1), pattern), first, last, out)
        if complete:
            self._trace(cut, np.where(takes, pattern, np.int32(-1)), 0, last, out)

    def _trace(self, cut: slice, pattern: np.ndarray, first: int, last: int, out: np.ndarray) -> None:
        samples = self.samples
        position, normal = samples.position[:, cut], samples.normal[:, cut]
        origins, ways = self.room((last - first) * len(pattern))
        target = np.empty(len(origins), np.int32)
        count = k.light_rays(position, normal, pattern, first, last, self.row, self.places, target, origins, ways)
        if count:
            reach = None if self.reach is None else np.full(count, self.reach, np.float32)
            blocked = self.scene.occluded(origins[:count], ways[:count], reach)
            k.add_light_seen(target[:count], blocked, out[0])


class _Room(threading.local):
    """A thread's room for rays, used again: fresh memory costs more than the rays that are written to it."""

    def __init__(self) -> None:
        self._rays = np.empty((2, 0, 3), np.float32)

    def __call__(self, count: int) -> tuple[np.ndarray, np.ndarray]:
        """Origins and directions, (count, 3) each."""
        if self._rays.shape[1] < count:
            self._rays = np.empty((2, count, 3), np.float32)
        return self._rays[0, :count], self._rays[1, :count]


class _Traced:
    """What the rays to one target have found so far, block by block."""

    def __init__(self, target: Target, samples: Samples) -> None:
        self.target, self.samples = target, samples
        self.sums = np.empty((target.channels, samples.count), np.float32)
        self.block = min(max(samples.count // 16, LEAST_BLOCK), MOST_BLOCK)  # samples
        self.done = np.zeros(-(-samples.count // self.block), int)  # rays a sample, of each block
        self._lock = threading.Lock()
        self._smooth: tuple[int, np.ndarray] | None = None

    @property
    def nbytes(self) -> int:
        return 2 * self.sums.nbytes  # as sums, and smoothed

    def means(self, rays: int, workers: Workers | None, cancelled: Callable[[], bool]) -> np.ndarray:
        """What a ray finds on average, (channels, n), smoothed; after at least this many rays a sample.

        Raises Cancelled; what was traced by then is kept.
        """
        with self._lock:
            self._over_blocks(workers, lambda cut: self._trace(cut, rays, cancelled))
            least = int(self.done.min(initial=rays))
            if self._smooth is None or self._smooth[0] < least:
                self._smooth = least, self._smoothed(least, workers)
            return self._smooth[1]

    def _over_blocks(self, workers: Workers | None, work: Callable[[slice], None]) -> None:
        over_blocks(workers, work, self.samples.count, self.block, even=False)  # `done` counts by this block

    def _trace(self, cut: slice, rays: int, cancelled: Callable[[], bool]) -> None:
        block = cut.start // self.block
        first = int(self.done[block])
        if first < rays:
            if cancelled():
                raise Cancelled
            if not first:
                self.sums[:, cut] = 0
            self.target.add(cut, first, rays, self.sums[:, cut])
            self.done[block] = rays

    def _smoothed(self, least: int, workers: Workers | None) -> np.ndarray:
        mean = np.empty_like(self.sums)

        def divide(cut: slice) -> None:
            np.divide(self.sums[:, cut], np.float32(max(self.done[cut.start // self.block], 1)), out=mean[:, cut])

        self._over_blocks(workers, divide)
        complete = least >= self.target.rays
        windows = COMPLETE_WINDOW if complete else EARLY_WINDOWS
        smooth(self.samples, mean, windows, self.target.donated or not complete, workers)
        return mean


def _average(surface: np.ndarray, before: np.ndarray, after: np.ndarray, window: Window, rows: slice) -> None:
    k.smooth_over_pixels(surface, before, *window, rows.start, rows.stop, after)


def smooth(
    samples: Samples, values: np.ndarray, windows: tuple[Window, ...], donated: bool, workers: Workers | None = None
) -> None:
    """Averages values (channels, n) over neighbouring pixels, in place, window after window.

    donated : whether samples beside the middle of a pixel take their donor's value; else they stay as they are.
    """
    grid, surface, shape = samples.grid, samples.pixels(workers), (len(values), samples.height, samples.width)
    before, after = np.empty(shape, np.float32), np.empty(shape, np.float32)
    over_blocks(workers, lambda rows: k.to_pixels(grid, values, rows.start, rows.stop, before), samples.height, ROWS)
    for window in windows:
        over_blocks(workers, partial(_average, surface, before, after, window), samples.height, ROWS)
        before, after = after, before
    places, found = grid.reshape(-1), before.reshape(len(values), -1)
    donor = samples.donor if donated else np.full(samples.count, -1, np.int32)

    def take(cut: slice) -> None:
        k.from_pixels(places, samples.pixel, donor, found, cut.start, cut.stop, values)

    over_blocks(workers, take, samples.count)


class View:
    """The samples of one look at the scene, and the light that is known to reach them.

    seen_as : names the look: camera, size and all else that samples depend on beside the scene.
    """

    def __init__(self, scene: Scene, samples: Samples, seen_as: Hashable = None) -> None:
        self.scene, self.samples, self.seen_as = scene, samples, seen_as
        self.follows = False  # whether it took over from a view before it
        self.shown = False  # whether there was a picture of it
        self._lock = threading.Lock()
        self._environments: OrderedDict[str, _Traced] = OrderedDict()
        self._lights: OrderedDict[str, _Traced] = OrderedDict()
        self._hiding = threading.Lock()
        self._hidden: dict[int, tuple[str, HiddenSlopes]] = {}
        self._changed: dict[tuple[str, int], tuple[str, ObjectSamples]] = {}

    def with_points(self, group: ObjectSamples, kind: str, name: str, make: Callable[[], Points]) -> ObjectSamples:
        """A group with other points, of which there is one of each kind; kept until their name changes."""
        key = kind, group.start
        if not self.has_points(group, kind, name):
            self._changed[key] = name, replace(group, points=make())
        return self._changed[key][1]

    def has_points(self, group: ObjectSamples, kind: str, name: str) -> bool:
        """Whether a group is kept with other points of this name, see `with_points`."""
        known = self._changed.get((kind, group.start))
        return known is not None and known[0] == name

    def hidden_slopes(
        self, group: ObjectSamples, bumps: Plan, quick: bool, workers: Workers | None, cancelled: Callable[[], bool]
    ) -> HiddenSlopes:
        """What pixels hide of the slopes of bump, by what their middles see of it; kept while that is the same.

        group : of samples in the middle of pixels. quick : for a moving hand. Raises Cancelled.
        """
        name = f"{group.points.id} {sorted(bumps.wanted)}"
        with self._hiding:  # both the middles and what lies beside them ask
            known = self._hidden.get(group.region)
            if known is None or known[0] != name:
                samples, own = self.samples, slice(group.start, group.stop)
                size = samples.width, samples.height
                pixel, origin = samples.pixel[own], samples.origin[own]
                made = HiddenSlopes(bumps, group.points, pixel, origin, size, quick, workers, cancelled)
                known = self._hidden[group.region] = name, made
            return known[1]

    @property
    def groups(self) -> list[ObjectSamples]:
        """All groups of samples, and those that stand in for some of them, see `with_points`."""
        return [*self.samples.groups, *(group for _, group in self._changed.values())]

    def followed(self, scene: Scene, samples: Samples) -> View:
        """The same look at a scene of the same shape, of which some objects have other UVs.

        The light is the same, and so are the points of all other objects, with what was worked out on them.
        """
        changed = [number for number, (a, b) in enumerate(zip(self.scene.keys, scene.keys, strict=True)) if a != b]

        def kept(before: ObjectSamples, now: ObjectSamples) -> ObjectSamples:
            return now if np.isin(scene.ids[OBJECT].take(now.points.triangle), changed).any() else before

        groups = tuple(map(kept, self.samples.groups, samples.groups))
        view = View(scene, replace(samples, groups=groups), self.seen_as)
        view.follows = True
        with self._lock:
            view._environments, view._lights = self._environments.copy(), self._lights.copy()
        return view

    @property
    def nbytes(self) -> int:
        """Bytes of the samples and of what is known of their light; it grows as more rays are traced."""
        with self._lock:
            traced, hidden = [*self._environments.values(), *self._lights.values()], list(self._hidden.values())
        return self.samples.nbytes + sum(one.nbytes for one in traced) + sum(one.nbytes for _, one in hidden)

    def knows(self, environment: EnvironmentLight | None, turn: float, lights: np.ndarray) -> bool:
        """Whether all shadow rays of this light are traced already."""
        with self._lock:
            around = environment is None or _is_complete(self._environments.get(f"{environment.key} {turn}"))
            return around and all(_is_complete(self._lights.get(_geometry_of(row))) for row in lights)

    def light(
        self,
        environment: EnvironmentLight | None,
        turn: float,
        lights: np.ndarray,
        stage: Stage,
        *,
        workers: Workers | None = None,
        cancelled: Callable[[], bool] = never,
    ) -> Light:
        """The light on all samples after at least the rays of a stage.

        environment : None where it is off. turn : of the environment, degrees. lights : see kernels.lights.
        Raises Cancelled.
        """
        count = self.samples.count
        if environment is None:
            around, keys = np.ones((8, count), np.float32), ["dark"]
        else:
            name = f"{environment.key} {turn}"
            make = partial(EnvironmentTarget, self.scene, self.samples, environment, turn)
            traced = self._kept(self._environments, name, KEPT_ENVIRONMENTS, make)
            around = traced.means(stage.environment, workers, cancelled)
            keys = [f"{name} {traced.done.min(initial=PER_SET)}"]
        seen = np.zeros((len(lights), count), np.float32)
        for at, row in enumerate(lights):
            name = _geometry_of(row)
            traced = self._kept(self._lights, name, KEPT_LIGHTS, partial(LightTarget, self.scene, self.samples, row))
            seen[at] = traced.means(stage.light, workers, cancelled)[0]
            keys.append(f"{name} {row[columns.COLOUR : columns.COLOUR + 3]} {traced.done.min(initial=LIGHT_RAYS)}")
        open_share = np.minimum(around[3] / np.maximum(around[7], 1e-9), 1)
        return Light(around[:3], around[4:7], open_share, lights, seen, " ".join(keys))

    def _kept(self, store: OrderedDict[str, _Traced], name: str, limit: int, make: Callable[[], Target]) -> _Traced:
        with self._lock:
            if name not in store:
                store[name] = _Traced(make(), self.samples)
            store.move_to_end(name)
            while len(store) > limit:
                store.popitem(last=False)
            return store[name]


def _is_complete(traced: _Traced | None) -> bool:
    return traced is not None and bool((traced.done >= traced.target.rays).all())


def _geometry_of(row: np.ndarray) -> str:
    """Names what shadow rays can tell of a light: all but its colour."""
    apart = row.copy()
    apart[columns.COLOUR : columns.COLOUR + 3] = 0
    return apart.tobytes().hex()
