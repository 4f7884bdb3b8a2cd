"""The traced picture: light followed back from the eye, on the scene, surfaces and lights of the draft picture.

Paths are followed in blocks of pixels: all rays of a block are traced together, what they meet is sorted by material,
and each network is evaluated once a block and bounce. What a pixel draws depends on the pixel, the sample and the seed
alone, so the picture is the same on any number of threads.
"""

from __future__ import annotations

import time
import zipfile
from collections.abc import Callable, Iterator, Mapping
from copy import copy
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np

from collage.core.base.safe_write import replacing
from collage.core.evaluate.run import Cancelled, Workers, never
from collage.core.geometry.mesh import any_frame
from collage.core.geometry.points import Points
from collage.core.kernels import Family, packed
from collage.core.kernels import path_rows as p
from collage.core.kernels.path_rows import COVERED, OCCLUSION, SEEN
from collage.core.nodes.behaviour import Array
from collage.core.render.bump_variance import bent_finely
from collage.core.render.energy import energy_table
from collage.core.render.fine_relief import is_finer, with_fine_relief
from collage.core.render.inside import LEAST_FREE, below, filling
from collage.core.render.samples import Finder, ObjectSamples
from collage.core.render.sky import SkyTable, sky_table
from collage.core.render.surface import OPACITY, THIN, Surface, clay, evaluate_surface, layers_of, pack, value_of
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench
from collage.core.scene.scene import GROUND, Scene
from collage.core.scene.tracer import room_for_rays

k = Family("paths")
rays, wandering, scattering = Family("rays"), Family("wandering"), Family("scattering")

BLOCK = 80_000  # paths that are followed together at most
SHARED = 4  # a larger picture is so many times as many blocks, so that two and four threads have as much to do
EYE_EFFORT, BOUNCED_EFFORT = 0.15, 0.03  # of the rays of masks: samples of a pixel add up to many
NEAR = 16 * 1024  # points whose rays to lights are asked together: they lie near the processor then
TOGETHER, FEW = 4, 0.02  # bounces after which paths of all blocks go on together, if so few of a block are left
AT_ONCE, MOST_AT_ONCE = 1_300_000, 4  # paths and samples that are made before the picture is shown again, at most
LEAST_SAMPLES = 8  # after which noise is told


@dataclass(frozen=True, eq=False)
class Traceable:
    """All that paths can tell of a picture.

    surfaces : by material. slopes : of displaced materials, see fine_relief. sky : None where the environment is off.
    lights : see kernels.lights. only_clay : whether all surfaces are clay. occlusion : whether it is looked at.
    rows : the first of the rows of pixels that are made, and the one after the last; None for all.
    """

    scene: Scene
    bench: Bench
    size: tuple[int, int]
    surfaces: Mapping[str, Surface]
    slopes: Mapping[str, Surface]
    sky: SkyTable | None
    lights: np.ndarray
    only_clay: bool = False
    occlusion: bool = False
    rows: tuple[int, int] | None = None


OCCLUSION_REACH = 0.1  # metres that something may be away to shade a place in the layer of occlusion


class Exposed:
    """The light that pixels have got so far.

    radiance : (3, pixels), the sums of all samples. squares : (pixels,), of the brightness of each. caught, unshadowed,
    ground : (pixels,), light that reaches the ground where it is seen, all that would without shadows, and how often it
    is seen. missed : (pixels,), how often the eye meets nothing. direct : (3, pixels), of radiance what has bounced off
    one surface alone. seen : (SEEN, pixels), sums of what the eye sees, see above.
    """

    def __init__(self, pixels: int) -> None:
        self.samples = 0
        self.radiance = np.zeros((3, pixels), np.float32)
        self.squares = np.zeros(pixels, np.float32)
        self.caught, self.unshadowed, self.ground, self.missed = (np.zeros(pixels, np.float32) for _ in range(4))
        self.direct, self.seen = np.zeros((3, pixels), np.float32), np.zeros((SEEN, pixels), np.float32)

    def add(self, block: Exposed, first: int, samples: int) -> None:
        """Adds samples of some pixels that follow each other from `first`: all those of `block`, sample by sample."""
        count = len(block.squares) // samples
        for name in _SUMS:
            own, more = getattr(self, name), getattr(block, name)
            for sample in range(samples):
                own[..., first : first + count] += more[..., sample * count : (sample + 1) * count]

    def add_at(self, left: Exposed, pixel: np.ndarray, bright: np.ndarray) -> None:
        """Adds what paths bring that were left of some samples.

        left : of as many pixels as there are paths. pixel, bright : (n,), the pixel of each, and the brightness that it
        has got of that sample already.
        """
        left.squares[:] = (bright + left.radiance.mean(axis=0)) ** 2 - bright**2
        for name in _SUMS:
            for own, more in zip(np.atleast_2d(getattr(self, name)), np.atleast_2d(getattr(left, name)), strict=True):
                np.add.at(own, pixel, more)

    def write(self, path: Path) -> None:
        """Keeps it in a file. Raises OSError; the file before stays whole then."""
        with replacing(path) as temporary, temporary.open("wb") as file:
            np.savez(file, samples=self.samples, **{name: getattr(self, name) for name in _SUMS})

    @classmethod
    def read(cls, path: Path, pixels: int) -> Exposed | None:
        """What was kept of a picture of so many pixels; None where nothing of it can be read."""
        try:
            with np.load(path, allow_pickle=False) as arrays:
                made = cls(pixels)
                for name in _SUMS:
                    found = np.asarray(arrays[name], np.float32)
                    if found.shape != getattr(made, name).shape:
                        return None
                    setattr(made, name, found)
                made.samples = int(arrays["samples"])
                return made
        except (OSError, EOFError, ValueError, KeyError, zipfile.BadZipFile):
            return None

    def on_film(self) -> np.ndarray:
        """(pixels, 4) float32: the mean of the samples, and how much of the backdrop is seen, see film.OPEN. The ground
        shows it, less of it in shadows."""
        share = np.where(self.unshadowed > 0, self.caught / np.maximum(self.unshadowed, 1e-20), 1)
        shown = np.concatenate([self.radiance, (self.ground * share + self.missed)[None]])
        return np.ascontiguousarray(shown.T / np.float32(max(self.samples, 1)), np.float32)

    def guide(self, row: int, rows: int = 3) -> np.ndarray:
        """(pixels, rows) float32: the mean of what is seen, 0 where nothing is; see the rows of `seen`."""
        share = np.maximum(self.seen[COVERED], 1)
        return np.ascontiguousarray((self.seen[row : row + rows] / share).T)

    def noise(self) -> float:
        """The mean error of pixels whose samples differ, of their brightness; endless before there are some."""
        if self.samples < LEAST_SAMPLES:
            return float("inf")
        mean = self.radiance.mean(axis=0) / self.samples
        spread = np.maximum(self.squares / self.samples - mean * mean, 0) / (self.samples - 1)
        some = spread > 1e-12
        return float((np.sqrt(spread[some]) / (mean[some] + 0.05)).mean()) if some.any() else 0.0


def block_of(paths: int) -> int:
    """How many paths of a picture are followed together, the same on any number of threads."""
    parts = SHARED * -(-paths // (SHARED * BLOCK)) if paths > BLOCK // 2 else 2 if paths > BLOCK // SHARED else 1
    return -(-paths // parts)


def samples_at_once(pixels: int, made: int, samples: int) -> int:
    """How many samples are made before the picture is shown again; the first ones alone, for there to be one soon."""
    most = max(min(MOST_AT_ONCE, AT_ONCE // pixels), 1)
    return min(1 if made < 2 else 2 if made < 4 else MOST_AT_ONCE, most, samples - made)


_SUMS = ("radiance", "direct", "squares", "caught", "unshadowed", "ground", "missed", "seen")


class _Paths(NamedTuple):
    """Paths on their way: origins and ways (n, 3), rows (ROWS, n), see kernels.path_rows, and their pixels (n,)."""

    origins: np.ndarray
    ways: np.ndarray
    rows: np.ndarray
    pixel: np.ndarray

    def some(self, which: np.ndarray) -> _Paths:
        """Those of some numbers."""
        count, which = len(which), np.ascontiguousarray(which, np.int32)
        origins, ways = np.empty((2, count, 3), np.float32)
        kept = _Paths(origins, ways, np.empty((len(self.rows), count), np.float32), np.empty(count, np.int32))
        k.keep(which, *self, *kept)
        return kept


class _Left(NamedTuple):
    """Paths that are left of a block, the pixel in the picture and the sample of each, (2, n), and the brightness (n,)
    that it has brought."""

    paths: _Paths
    own: np.ndarray
    bright: np.ndarray


class Tracer:
    """Follows paths for one picture."""

    def __init__(
        self, what: Traceable, how: Tracing, workers: Workers | None = None, cancelled: Callable[[], bool] = never
    ) -> None:
        self.what, self.how, self.workers, self.cancelled = what, how, workers, cancelled
        self.exposed = Exposed(what.size[0] * what.size[1])
        camera = what.bench.camera
        self.axes, self.eye = camera.axes().astype(np.float32), camera.position().astype(np.float32)
        self.focal_length = np.float32(camera.focal_length(*what.size))
        self.settings = np.zeros(p.SETTINGS, np.float32)
        environment = what.bench.around
        turn = np.radians(environment.turn)
        self.settings[[p.SINE, p.COSINE]] = np.sin(turn), np.cos(turn)
        self.settings[p.STRENGTH] = environment.strength if what.sky is not None else 0
        self.settings[p.FOCAL_LENGTH] = self.focal_length
        self.settings[p.BRIGHTEST] = min(how.brightest / 2.0**what.bench.exposure, 1e30)
        sky = what.sky or _NO_SKY
        self.sky = sky.texels, sky.rows, sky.columns, sky.sines, self.settings
        count = len(what.lights)
        self.lights = what.lights, np.full(count, 1 / max(count, 1), np.float32)
        self.table = energy_table()
        self._left: dict[int, _Left] = {}  # by block, what is left of the samples that are under way
        self._took: dict[int, float] = {}  # and the seconds that it took the last time
        self.finder = Finder(what.scene, camera, what.size, None, cancelled, worn=what.bench.worn)

    def take_up(self, exposed: Exposed) -> None:
        """Goes on from what was exposed of the same picture."""
        self.exposed = exposed
        self._left.clear()

    def passes(self) -> Iterator[Exposed]:
        """What is exposed after one or some samples of every pixel; goes on where it was called off. Raises
        Cancelled."""
        pixels = self.what.size[0] * self.what.size[1]
        while (made := self.exposed.samples) < self.how.samples:
            samples = range(made, made + samples_at_once(pixels, made, self.how.samples))
            self._follow_all(samples, self._pools(samples))
            self.exposed.samples = samples.stop
            yield self.exposed

    def _follow_all(self, samples: range, pools: np.ndarray) -> None:
        """Some samples of every pixel."""
        width, height = self.what.size
        rows, pixels = self.what.rows or (0, height), width * height
        size = block_of(pixels * len(samples)) // len(samples) + 1
        starts = range(rows[0] * width // size * size, rows[1] * width, size)  # the same blocks as of the whole

        def block(first: int) -> None:
            if first not in self._left:  # else it was done before the rest was called off
                begin = time.perf_counter()
                self._left[first] = self._follow(first, min(size, pixels - first), samples, pools)
                self._took[first] = time.perf_counter() - begin

        dear_first = sorted(starts, key=lambda first: -self._took.get(first, 0))  # threads end together then
        if self.workers is None or len(starts) == 1:
            for first in dear_first:
                block(first)
        else:
            self.workers.map(block, dear_first)
        self._follow_left(samples, pools)

    def _pools(self, samples: range) -> np.ndarray:
        """Directions of the environment for each sample of all pixels, see kernels.paths; none where it is off."""
        each = p.SKY_CELLS**2 if self.settings[p.STRENGTH] > 0 else 0
        pools = np.empty((len(samples) * each, 8), np.float32)
        for number, sample in enumerate(samples):
            k.fill_pool(sample, self.how.seed, *self.sky, pools[number * each : (number + 1) * each])
        return pools

    def _follow(self, first: int, count: int, samples: range, pools: np.ndarray) -> _Left:
        """Some samples of some pixels that follow each other."""
        own = np.empty((2, len(samples), count), np.int32)
        own[0], own[1] = np.arange(first, first + count), np.array(samples)[:, None]
        here = _Block(self, own.reshape(2, -1), samples.start, pools)
        paths, last = self._from_eye(first, count, samples), self.how.bounces + 1
        paths = here.follow(paths, 0, min(TOGETHER, last))
        if len(paths.pixel) > FEW * here.own.shape[1]:
            paths = here.follow(paths, TOGETHER, last)
        bright = here.radiance.mean(axis=0)
        here.exposed.squares[:] = bright**2
        self.exposed.add(here.exposed, first, len(samples))
        return _Left(paths, here.own[:, paths.pixel], bright[paths.pixel])

    def _follow_left(self, samples: range, pools: np.ndarray) -> None:
        """Follows what is left of all blocks to its end: for a few paths a bounce takes as long as for many."""
        left = [self._left[first] for first in sorted(self._left)]
        own = np.ascontiguousarray(np.concatenate([one.own for one in left], axis=1))
        if own.size:
            here = _Block(self, own, samples.start, pools)
            rows = np.concatenate([one.paths.rows for one in left], axis=1)
            origins, ways = (np.concatenate([one.paths[at] for one in left]) for at in (0, 1))
            paths = _Paths(origins, ways, rows, np.arange(own.shape[1], dtype=np.int32))
            here.follow(paths, TOGETHER, self.how.bounces + 1)
            self.exposed.add_at(here.exposed, own[0], np.concatenate([one.bright for one in left]))
        self._left.clear()

    def _from_eye(self, first: int, count: int, samples: range) -> _Paths:
        """Paths that begin at the eye, through some pixels that follow each other, sample by sample."""
        (width, height), seed, camera = self.what.size, self.how.seed, self.what.bench.camera
        every, focus = count * len(samples), camera.focus or camera.distance
        (x, y), ways = np.empty((2, every), np.float32), np.empty((every, 3), np.float32)
        origins = np.tile(self.eye, (every, 1))
        for number, sample in enumerate(samples):
            cut = slice(number * count, (number + 1) * count)
            k.in_pixels(first, sample, seed, width / 2, height / 2, width, x[cut], y[cut])
            rays.camera_rays(x[cut], y[cut], self.axes, self.focal_length, ways[cut])
            if camera.aperture > 0:
                lens = self.axes, camera.aperture / 2000, focus
                k.through_lens(first, sample, seed, *lens, origins[cut], ways[cut])
        rows = np.zeros((p.ROWS, every), np.float32)
        rows[p.CARRIED : p.CARRIED + 3] = 1
        rows[p.DENSITY], rows[p.WIDENING] = p.FROM_EYE, 1
        return _Paths(origins, ways, rows, np.arange(every, dtype=np.int32))


_NO_SKY = sky_table(np.zeros((1, 1, 3), np.float32))


class _Block:
    """Paths that are followed together.

    own : (2, n), the pixel in the picture and the sample of each. first : the first sample of all. pools : one for each
    sample from there, see kernels.paths.fill_pool.
    """

    def __init__(self, tracer: Tracer, own: np.ndarray, first: int, pools: np.ndarray) -> None:
        self.tracer, self.finder, self.own, self.first, self.pools = tracer, copy(tracer.finder), own, first, pools
        self.exposed = Exposed(own.shape[1])
        self.radiance, self.room = self.exposed.radiance, _room(min(NEAR, own.shape[1]))

    def follow(self, paths: _Paths, begin: int, end: int) -> _Paths:
        """Follows paths from one bounce up to another. Returns those that are left."""
        for bounce in range(begin, end):
            if not len(paths.pixel):
                break
            if self.tracer.cancelled():
                raise Cancelled
            paths = paths.some(self.bounce(*paths, bounce, last=bounce == self.tracer.how.bounces))
        return paths

    def bounce(
        self, origins: np.ndarray, ways: np.ndarray, paths: np.ndarray, pixel: np.ndarray, bounce: int, *, last: bool
    ) -> np.ndarray:
        """Lets all paths meet what is next. Returns the numbers of those that go on."""
        tracer, scene = self.tracer, self.tracer.what.scene
        self._wander(origins, ways, paths, pixel, bounce)
        found = scene.nearest(origins, ways)
        k.meet(
            origins, ways, found.distance, found.triangle, paths, pixel, bounce, *tracer.lights, *tracer.sky,
            self.radiance, self.exposed.missed,
        )  # fmt: skip
        if bounce == 1:  # what follows has bounced
            self.exposed.direct[:] = self.radiance
        alive = np.zeros(len(pixel), np.uint8)
        if not last and (found.triangle >= 0).any():
            effort = EYE_EFFORT if bounce == 0 else BOUNCED_EFFORT
            groups, ray = self.finder.met(found, ways, paths[p.WIDTH], effort)
            for group in groups:
                of = ray[group.start : group.stop]
                self._at_surface(group, of, origins, ways, paths, alive, pixel, bounce)
        if bounce == 0:  # where no path goes on, that is all
            self.exposed.direct[:] = self.radiance
        return np.flatnonzero(alive)

    def _wander(self, origins: np.ndarray, ways: np.ndarray, paths: np.ndarray, pixel: np.ndarray, bounce: int) -> None:
        """Lets paths in what scatters light go on to where they meet a surface."""
        some = np.flatnonzero(paths[p.INSIDE]).astype(np.int32)
        some = some[(paths[p.SCATTERED : p.SCATTERED + 3, some] > 0).any(axis=0)]
        for step in range(wandering.MOST_STEPS):
            if not len(some):
                return
            if self.tracer.cancelled():
                raise Cancelled
            found = self.tracer.what.scene.nearest(
                np.ascontiguousarray(origins[some]), np.ascontiguousarray(ways[some])
            )
            going = np.empty(len(some), np.uint8)
            wandering.wander(
                some, found.distance, found.triangle, origins, ways, paths, going, pixel, self.own, bounce, step,
                self.tracer.how.seed,
            )  # fmt: skip
            some = some[going > 0]
        paths[p.SCATTERED : p.SCATTERED + 3, some] = 0  # those that are left go straight on: no light is lost

    def _at_surface(
        self, group: ObjectSamples, of: np.ndarray, origins: np.ndarray, ways: np.ndarray, paths: np.ndarray,
        alive: np.ndarray, pixel: np.ndarray, bounce: int,
    ) -> None:  # fmt: skip
        """What happens at the samples of one region. of : the path of each."""
        tracer, points = self.tracer, group.points
        state = origins, ways, paths, alive, pixel
        if group.region == GROUND:
            self._on_ground(points, of, state, bounce)
            return
        number, rule = tracer.what.scene.regions[group.region]
        material = tracer.what.bench.objects[number].material_of(rule)
        slopes = tracer.what.slopes.get(material)
        if slopes is not None and tracer.what.scene.rest is not None and is_finer(points, tracer.what.scene):
            points = with_fine_relief(points, tracer.what.scene, slopes, bounce > 0, None, tracer.cancelled)
        known, values = tracer.what.surfaces.get(material), dict[str, Array]()
        if known is not None and bounce == 0 and known.bumps is not None:
            flat = evaluate_surface(known.without_bumps, points, cancelled=tracer.cancelled)
            values = bent_finely(flat, known.bumps, points)
        elif known is not None:
            values = evaluate_surface(known, points, cancelled=tracer.cancelled)
        if tracer.what.only_clay:
            values = clay(values)
        assert points.triangle is not None
        front = np.empty(points.count, np.uint8)
        k.from_outside(tracer.what.scene.faces, points.triangle, np.ascontiguousarray(of, np.int32), ways, front)
        layers = layers_of(values)
        weights = [weight for weight, _ in layers]
        share = None
        if len(weights) > 1 or weights[0] is not None:
            share = _drawn_layer(weights, self._lots(of, pixel, k.LAYER + bounce)[0])
        for at, (_, own) in enumerate(layers):
            surface, geometry, more = _packed(own, points)
            if bounce == 0 and at == 0:
                self._note_seen(surface, geometry, of, pixel)
            under = _below_at(own)
            if under is not None:
                lots = self._lots(of, pixel, k.BELOW + (bounce << 8) + at)[0]
                _part_below(own, surface, more, lots < np.broadcast_to(under[0], lots.shape))
            if share is None:
                self._scatter(surface, geometry, more, front, of, state, bounce, False)
                continue
            some = np.flatnonzero(share == at)
            if len(some):
                surface, geometry, more = (np.ascontiguousarray(one[:, some]) for one in (surface, geometry, more))
                self._scatter(surface, geometry, more, front[some], of[some], state, bounce, False)

    def _on_ground(self, points: Points, of: np.ndarray, state: tuple[np.ndarray, ...], bounce: int) -> None:
        """The same on the ground, of which the eye itself sees nothing but the shadows."""
        surface, more, front = _ground()
        seen = state[2][p.DENSITY, of] == p.FROM_EYE
        for caught in (True, False):
            some = np.flatnonzero(seen == caught).astype(np.int32)
            for start in range(0, len(some), NEAR):
                here = some[start : start + NEAR]
                self._scatter(surface, _on_level(points, here), more, front, of[here], state, bounce, caught)

    def _note_seen(self, surface: Array, geometry: Array, of: np.ndarray, pixel: np.ndarray) -> None:
        """Adds what the eye sees of a surface to its pixels, of which no two are the same."""
        seen = self.exposed.seen
        k.note_seen(surface, geometry, of, pixel, self.tracer.eye, seen)
        if self.tracer.what.occlusion:
            seen[OCCLUSION, pixel[of]] += self._in_the_open(geometry, self._lots(of, pixel, k.OPEN))

    def _lots(self, of: np.ndarray, pixel: np.ndarray, which: int) -> np.ndarray:
        """Two numbers from 0 up to 1 for some paths, (2, m); see kernels.paths.lots."""
        out = np.empty((2, len(of)), np.float32)
        k.lots(np.ascontiguousarray(of, np.int32), pixel, self.own, which, self.tracer.how.seed, out)
        return out

    def _in_the_open(self, geometry: Array, lots: np.ndarray) -> np.ndarray:
        """(n,) whether a ray from each point, drawn by the cosine, meets nothing within OCCLUSION_REACH."""
        normal = geometry[packed.OWN_NORMAL : packed.OWN_NORMAL + 3].T
        tangent, bitangent = any_frame(normal)
        turn, flat = 2 * np.pi * lots[0], np.sqrt(lots[1])
        ways = tangent * (flat * np.cos(turn))[:, None] + bitangent * (flat * np.sin(turn))[:, None]
        ways = np.ascontiguousarray(ways + normal * np.sqrt(1 - lots[1])[:, None], np.float32)
        origins = geometry[packed.POSITION : packed.POSITION + 3].T + normal * np.float32(1e-4)
        far = np.full(len(origins), OCCLUSION_REACH, np.float32)
        return self.tracer.what.scene.occluded(np.ascontiguousarray(origins, np.float32), ways, far) < 0

    def _scatter(
        self, surface: Array, geometry: Array, more: Array, front: np.ndarray, of: np.ndarray,
        state: tuple[np.ndarray, ...], bounce: int, caught: bool,
    ) -> None:  # fmt: skip
        """Lets paths look for light and go on. caught : whether only the shadows that fall there are shown."""
        tracer, exposed = self.tracer, self.exposed
        origins, ways, paths, alive, pixel = state
        of = np.ascontiguousarray(of, np.int32)
        brightest = 1e30 if bounce == 0 else tracer.settings[p.BRIGHTEST]
        if caught:
            exposed.ground[pixel[of]] += paths[p.CARRIED, of]  # no two are of one pixel
        *room, looking, light, look_of = self.room
        for begin in range(0, len(of), NEAR):
            sent = scattering.scatter(
                begin, min(begin + NEAR, len(of)), surface, geometry, more, front, of, origins, ways, paths, alive,
                pixel, self.own, self.first, bounce, tracer.how.seed, *tracer.lights, self.pools, tracer.settings,
                tracer.table, *room, self.radiance, looking, light, look_of, caught,
            )  # fmt: skip
            tracer.what.scene.mark_occluded(looking[:sent])
            if caught:
                k.add_caught(looking, light, look_of, sent, pixel, exposed.caught, exposed.unshadowed)
            else:
                k.add_unblocked(looking, light, look_of, sent, pixel, brightest, self.radiance)


def _room(count: int) -> tuple[np.ndarray, ...]:
    """Where kernels.scattering.scatter keeps a run of points, and rays to light of `count`, see going_on.Looks."""
    most, whose, samples = 2 * count * p.LOOKS, *np.empty((2, scattering.RUN), np.int32)
    numbers = np.empty((2 * scattering.MOST_PAIRS, scattering.RUN), np.float32)
    looks = room_for_rays(most), np.empty((most, 3), np.float32), np.empty(most, np.int32)
    return np.empty(scattering.ROOM, np.float32), whose, samples, numbers, *looks


def _drawn_layer(weights: list[Array | None], lots: np.ndarray) -> np.ndarray:
    """(n,) which of several surfaces each path meets, drawn by their weights. lots : (n,) from 0 up to 1."""
    count = len(lots)
    every = np.concatenate([np.broadcast_to(np.ones((1, 1)) if w is None else w, (1, count)) for w in weights])
    sums = np.cumsum(every, axis=0)
    return np.asarray((sums <= lots * np.maximum(sums[-1], 1e-9)).sum(axis=0))


def _packed(values: Mapping[str, Array], points: Points) -> tuple[Array, Array, Array]:
    """Rows of the surface, of its geometry, and of what lies below it, for kernels.paths."""
    assert points.view is not None
    surface, normal, coat = pack(values, points, 0, points.count)
    geometry = np.empty((packed.GEOMETRY_ROWS, points.count), np.float32)
    own = points.normal if points.own_normal is None else points.own_normal
    for row, value in (
        (packed.NORMAL, normal), (packed.COAT_NORMAL, coat), (packed.VIEW, points.view),
        (packed.POSITION, points.position), (packed.OWN_NORMAL, own),
    ):  # fmt: skip
        geometry[row : row + 3] = value
    more = np.zeros((p.MORE, points.count), np.float32)
    more[p.OPACITY] = np.clip(np.nan_to_num(value_of(values, OPACITY)), 0, 1)
    if surface[packed.TRANSMISSION].any():
        lost = filling(*(value_of(values, name) for name in _MEDIUM[:3]))
        _fill(more, p.FILLED, *lost, value_of(values, _MEDIUM[3]))
    return surface, geometry, more


_MEDIUM = ("transmission_depth", "transmission_color", "transmission_scatter", "transmission_scatter_anisotropy")
_WANDERED = ("subsurface_color", "subsurface_radius", "subsurface_radius_scale", "subsurface_scatter_anisotropy")


def _fill(more: Array, row: int, taken: Array, scattered: Array, forward: Array) -> None:
    more[row : row + 3], more[row + 3 : row + 6] = taken, scattered
    more[row + 6] = np.clip(forward, -0.9, 0.9)


def _below_at(values: Mapping[str, Array]) -> Array | None:
    """How much of a matt surface is what light wanders in below it, (1, n) or (1, 1); None where nothing is."""
    under = np.clip(np.nan_to_num(value_of(values, "subsurface_weight")), 0, 1) * (value_of(values, THIN) <= 0)
    if not under.any():
        return None
    radius, scale = (np.nan_to_num(value_of(values, name)) for name in _WANDERED[1:3])
    under = under * ((radius * scale).max(axis=0) > LEAST_FREE)  # else it comes out where it went in
    return under if under.any() else None


def _part_below(values: Mapping[str, Array], surface: Array, more: Array, walks: np.ndarray) -> None:
    """Parts points of a matt surface: at some light wanders below; the others are its colour. walks : (n,)."""
    colour, radius, scale, forward = (np.nan_to_num(value_of(values, name)) for name in _WANDERED)
    weight = np.maximum(value_of(values, "base_weight"), 0)
    base = np.where(walks, colour, value_of(values, "base_color")) * weight
    surface[packed.BASE : packed.BASE + 3] = np.clip(np.nan_to_num(base), 0, 1)
    surface[packed.SOFT : packed.SOFT + 3] = 0
    more[p.WALKS], more[p.COLOUR : p.COLOUR + 3] = walks, np.maximum(colour, 0)
    _fill(more, p.BELOW, *below(colour, radius, scale, forward), forward)


@lru_cache(maxsize=1)
def _ground() -> tuple[Array, Array, np.ndarray]:
    """Rows of the surface and of what lies below it for NEAR points of the ground: matt grey; and their fronts."""
    surface, more = np.zeros((packed.ROWS, NEAR), np.float32), np.zeros((p.MORE, NEAR), np.float32)
    surface[packed.BASE : packed.BASE + 3] = packed.GROUND_GREY
    surface[packed.ROUGHNESS], surface[packed.IOR] = 1, 1
    more[p.OPACITY] = 1
    return surface, more, np.ones(NEAR, np.uint8)


def _on_level(points: Points, some: np.ndarray) -> Array:
    """Rows of the geometry of some points of the ground."""
    assert points.view is not None
    geometry = np.empty((packed.GEOMETRY_ROWS, len(some)), np.float32)
    k.level_ground(points.position, points.normal, points.view, some, geometry)
    return geometry
