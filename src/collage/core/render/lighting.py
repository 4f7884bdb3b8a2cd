"""How much light reaches samples: shadow rays, traced in stages and kept, and smoothed over neighbouring pixels.

The environment and every light are traced apart, so that a light that moves, or is switched off, costs only its own
rays. What has been traced is kept when work is called off; more rays add to it.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Protocol

import numpy as np

from collage.core.evaluate.run import Cancelled, Workers, never
from collage.core.kernels import lights as columns
from collage.core.kernels import rays as k
from collage.core.render.environment import PER_SET, EnvironmentLight
from collage.core.render.samples import Samples, over_blocks
from collage.core.scene.scene import Scene

LIGHT_RAYS = 4
"""Shadow rays a sample and light; over a pixel's smoothed neighbours they look at 64 places of the light."""

SMALL_BLOCK = 2048  # samples whose rays are asked about at once
KEPT_ENVIRONMENTS, KEPT_LIGHTS = 2, 12

COMPLETE_WINDOW = ((-2, 2, -2, 2),)  # left, right, up, down: four by four pixels
EARLY_WINDOWS = ((-4, 4, 0, 1), (0, 1, -4, 4))  # eight by eight, while only a part of the rays is there


@dataclass(frozen=True)
class Stage:
    """How many of a sample's shadow rays are traced, for the environment and for every light."""

    environment: int
    light: int


COARSE = Stage(2, 1)
FIRST = Stage(4, 1)
COMPLETE = Stage(PER_SET, LIGHT_RAYS)
STAGES = (FIRST, COMPLETE)
"""In which a picture at rest becomes complete."""


@dataclass(frozen=True, eq=False)
class Light:
    """The light that reaches n samples.

    arriving, unoccluded : (3, n) irradiance over pi of an environment of strength 1, with and without what is in its
    way. lights : (lights, COLUMNS), see kernels.lights. seen : (lights, n), how much of each light is seen, 0 to 1.
    key : names all that these numbers depend on.
    """

    arriving: np.ndarray
    unoccluded: np.ndarray
    lights: np.ndarray
    seen: np.ndarray
    key: str


class _Target(Protocol):
    """Something that shadow rays are sent to."""

    channels: int
    rays: int  # a sample in all

    def add(self, cut: slice, first: int, last: int, out: np.ndarray) -> None:
        """Traces rays `first` up to `last` of a block of samples, and adds what they find to `out` (channels, n)."""


class _EnvironmentTarget:
    channels, rays = 6, PER_SET

    def __init__(self, scene: Scene, samples: Samples, light: EnvironmentLight, turn: float) -> None:
        self.scene, self.samples, self.radiance = scene, samples, light.radiance / np.float32(np.pi)
        a = np.radians(turn)
        # the picture turned by +turn is the directions turned the same way
        spin = np.array([[np.cos(a), 0, -np.sin(a)], [0, 1, 0], [np.sin(a), 0, np.cos(a)]], np.float32)
        self.directions = np.ascontiguousarray(light.directions @ spin)

    def add(self, cut: slice, first: int, last: int, out: np.ndarray) -> None:
        samples = self.samples
        position, normal, pattern = samples.position[:, cut], samples.normal[:, cut], samples.pattern[cut]
        origins, ways = _room((last - first) * len(pattern))
        count = k.environment_rays(position, normal, pattern, first, last, self.directions, origins, ways)
        blocked = self.scene.occluded(origins[:count], ways[:count]) if count else np.zeros(0, np.int32)
        k.add_environment_light(normal, pattern, first, last, self.directions, self.radiance, blocked, out)


class _LightTarget:
    channels, rays = 1, LIGHT_RAYS

    def __init__(self, scene: Scene, samples: Samples, row: np.ndarray) -> None:
        self.scene, self.samples, self.row = scene, samples, row
        step = np.arange(k.SUBSETS * LIGHT_RAYS)
        # a rank-1 sequence over the light (M. Roberts, The unreasonable effectiveness of quasirandom sequences, 2018)
        places = np.stack([step * 0.7548776662, step * 0.5698402910], axis=1) + 0.5
        self.places = (places % 1 * 2 - 1).astype(np.float32)
        self.reach = 0.999 if row[columns.KIND] == columns.AREA else None

    def add(self, cut: slice, first: int, last: int, out: np.ndarray) -> None:
        samples = self.samples
        position, normal, pattern = samples.position[:, cut], samples.normal[:, cut], samples.pattern[cut]
        origins, ways = _room((last - first) * len(pattern))
        target = np.empty(len(origins), np.int32)
        count = k.light_rays(position, normal, pattern, first, last, self.row, self.places, target, origins, ways)
        if count:
            reach = None if self.reach is None else np.full(count, self.reach, np.float32)
            blocked = self.scene.occluded(origins[:count], ways[:count], reach)
            k.add_light_seen(target[:count], blocked, out[0])


def _room(count: int) -> tuple[np.ndarray, np.ndarray]:
    return np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)


class _Traced:
    """What the rays to one target have found so far, block by block."""

    def __init__(self, target: _Target, samples: Samples) -> None:
        self.target, self.samples = target, samples
        self.sums = np.zeros((target.channels, samples.count), np.float32)
        self.done = np.zeros(-(-samples.count // SMALL_BLOCK), int)  # rays a sample, of each block
        self._lock = threading.Lock()
        self._smooth: tuple[int, np.ndarray] | None = None

    def means(self, rays: int, workers: Workers | None, cancelled: Callable[[], bool]) -> np.ndarray:
        """What a ray finds on average, (channels, n), smoothed; after at least this many rays a sample.

        Raises Cancelled; what was traced by then is kept.
        """
        with self._lock:
            over_blocks(workers, lambda cut: self._trace(cut, rays, cancelled), self.samples.count, SMALL_BLOCK)
            least = int(self.done.min(initial=rays))
            if self._smooth is None or self._smooth[0] < least:
                self._smooth = least, self._smoothed(least, workers)
            return self._smooth[1]

    def _trace(self, cut: slice, rays: int, cancelled: Callable[[], bool]) -> None:
        block = cut.start // SMALL_BLOCK
        first = int(self.done[block])
        if first < rays:
            if cancelled():
                raise Cancelled
            self.target.add(cut, first, rays, self.sums[:, cut])
            self.done[block] = rays

    def _smoothed(self, least: int, workers: Workers | None) -> np.ndarray:
        values = self.sums / np.repeat(np.maximum(self.done, 1), SMALL_BLOCK)[: self.samples.count].astype(np.float32)
        for window in COMPLETE_WINDOW if least >= self.target.rays else EARLY_WINDOWS:
            values = _over_pixels(self.samples, values, window, workers)
        return values


def _over_pixels(
    samples: Samples, values: np.ndarray, window: tuple[int, int, int, int], workers: Workers | None
) -> np.ndarray:
    """Values (channels, n) smoothed over neighbouring pixels; samples beside the pixels' middles stay as they are."""
    out = values.copy()

    def rows(cut: slice) -> None:
        k.smooth_over_pixels(
            samples.grid, samples.position, samples.normal, values, *window, cut.start, cut.stop, out
        )  # fmt: skip

    over_blocks(workers, rows, samples.height, 16)
    return out


class View:
    """The samples of one look at the scene, and the light that is known to reach them."""

    def __init__(self, scene: Scene, samples: Samples) -> None:
        self.scene, self.samples = scene, samples
        self._lock = threading.Lock()
        self._environments: OrderedDict[str, _Traced] = OrderedDict()
        self._lights: OrderedDict[str, _Traced] = OrderedDict()

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
        around, keys = np.ones((6, count), np.float32), ["dark"]
        if environment is not None:
            name = f"{environment.key} {turn}"
            make = partial(_EnvironmentTarget, self.scene, self.samples, environment, turn)
            traced = self._kept(self._environments, name, KEPT_ENVIRONMENTS, make)
            around = traced.means(stage.environment, workers, cancelled)
            keys = [f"{name} {traced.done.min(initial=PER_SET)}"]
        seen = np.zeros((len(lights), count), np.float32)
        for at, row in enumerate(lights):
            name = _geometry_of(row)
            traced = self._kept(self._lights, name, KEPT_LIGHTS, partial(_LightTarget, self.scene, self.samples, row))
            seen[at] = traced.means(stage.light, workers, cancelled)[0]
            keys.append(f"{name} {row[columns.COLOUR : columns.COLOUR + 3]} {traced.done.min(initial=LIGHT_RAYS)}")
        return Light(around[:3], around[3:], lights, seen, " ".join(keys))

    def _kept(self, store: OrderedDict[str, _Traced], name: str, limit: int, make: Callable[[], _Target]) -> _Traced:
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
