"""Pictures on demand: the window, the command line and the tests all ask here."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.memory import keep_freed_memory
from collage.core.base.progress import Progress, Steps, finished
from collage.core.document.model import Network
from collage.core.evaluate.literals import Loud
from collage.core.evaluate.plan import Place, Plan, build_plan, sends_rays
from collage.core.evaluate.run import Cancelled, ResultCache, Workers, never, run
from collage.core.images.colour import srgb_to_linear
from collage.core.images.store import WAIT, ImageStore
from collage.core.images.tiles import is_pattern
from collage.core.nodes.behaviour import Array
from collage.core.nodes.library import Library
from collage.core.render.caches import RenderCaches, behind_key, look_key, view_key
from collage.core.render.draft import lit, lit_ground
from collage.core.render.environment import EnvironmentLight
from collage.core.render.film import background, developed, on_film, shown_value
from collage.core.render.fine_relief import is_finer, with_fine_relief
from collage.core.render.heights import HEIGHTS, shown_heights
from collage.core.render.lighting import COARSE, COMPLETE, FIRST, STAGES, Light, Stage, View
from collage.core.render.plans import Plans
from collage.core.render.relief import ReliefMaker, Reliefs
from collage.core.render.request import Picture, PictureRequest
from collage.core.render.samples import ObjectSamples, Samples, Window, find_behind, find_samples
from collage.core.render.surface import (
    OPACITY,
    Surface,
    clay,
    evaluate_surface,
    is_see_through,
    pack,
    plan_surface,
    value_of,
)
from collage.core.render.tiles import WHOLE, Tile, tiles
from collage.core.render.traced import USUAL, Traceable, Tracer, Tracing
from collage.core.scene.bench import Bench
from collage.core.scene.lights import light_table
from collage.core.scene.scene import GROUND, Scene, build_bounds

Shifts = tuple[tuple[float, float], ...]
MOMENT = 0.1  # seconds that a picture waits for maps before greys stand in for them
EDGE_EFFORT = 0.35  # of the rays of masks, from each of the samples on an edge
MOST_GREY = 30  # pictures in a row in which greys stand in for maps; a budget smaller than the maps never has all
BETWEEN = 0.3  # seconds at least between two pictures that show more maps each
MOST_PICKED = 10_000_000  # pixels of a picture in which objects can be picked; larger ones are for files
MOST_BEHIND = 4  # surfaces that are seen through, one behind the other
FINAL_SHIFTS = ((-0.125, -0.375), (0.375, -0.125), (0.125, 0.375), (-0.375, 0.125))
NOT_PEEKED = 0.12  # linear grey of objects that have another material than the one peeked at


class Renderer:
    """Makes pictures, and keeps between them what does not depend on values. May be used from several threads."""

    def __init__(
        self,
        library: Library,
        images: ImageStore | None = None,
        workers: Workers | None = None,
        caches: RenderCaches | None = None,
    ) -> None:
        keep_freed_memory()
        self.library = library
        self.images = images or ImageStore()
        self.workers = workers or Workers()
        self.caches = caches or RenderCaches(self.images.budget)
        self.plans = Plans(self.images)
        self.reliefs = ReliefMaker(library, self.plans, self.caches)

    @property
    def cache(self) -> ResultCache:
        """Results of evaluating materials, kept by step and points."""
        return self.caches.results

    def has_view(self, request: PictureRequest) -> bool:
        """Whether the camera rays of this picture are cast already."""
        return view_key(request, (0.0, 0.0), self.reliefs.keys(request)) in self.caches.views

    def bounds(self, bench: Bench, number: int | None = None) -> tuple[np.ndarray, np.ndarray]:
        """The lowest and highest corner of the box around one object, or around all of them, on the bench."""
        return build_bounds(bench.objects if number is None else bench.objects[number : number + 1])

    def scene(self, request: PictureRequest, cancelled: Callable[[], bool] = never) -> Scene:
        """What the camera rays of a picture meet, displaced as it is there. Raises Cancelled, CollageError."""
        reliefs = self.reliefs.of(request, self.workers, cancelled)
        return self.caches.scene(request.bench, request.geometry_key, reliefs.objects)

    # ---- pictures -----------------------------------------------------------------------------

    def picture(
        self,
        request: PictureRequest,
        *,
        cancelled: Callable[[], bool] = never,
        progress: Callable[[float], None] | None = None,
    ) -> Picture:
        """The complete picture. Raises Cancelled when `cancelled` says so, CollageError when nothing can be shown.

        progress : told the share that is done, 0 to 1.
        """
        return finished(
            self.steps(request, cancelled=cancelled), lambda _what, share: progress(share) if progress else None
        )

    def steps(self, request: PictureRequest, *, cancelled: Callable[[], bool] = never) -> Steps[Picture]:
        """The complete picture as steps that say how far it is; see `picture`. A large one is made in tiles."""
        begin = time.perf_counter()
        shifts = FINAL_SHIFTS if request.quality == "final" else ((0.0, 0.0),)
        reliefs = self.reliefs.of(request, self.workers, cancelled)
        work = _Work(self, request, reliefs, COARSE if request.quality == "coarse" else COMPLETE, cancelled)
        parts = list(tiles(*request.size, whole=0 if request.quality == "final" else WHOLE))
        if len(parts) > 1:
            return (yield from self._in_tiles(request, parts, shifts, work, begin))
        total: np.ndarray | None = None
        for done, shift in enumerate(shifts):
            view = self._view(request, reliefs, shift, cancelled)
            linear = work.linear(view)
            self.caches.views.recount(view_key(request, shift, reliefs.keys))  # its light is known by now
            total = linear if total is None else total + linear
            yield Progress("Rendering", (done + 1) / len(shifts))
        assert total is not None
        return self._picture(request, view, total / np.float32(len(shifts)), work, begin)

    def _in_tiles(
        self, request: PictureRequest, parts: list[Tile], shifts: Shifts, work: _Work, begin: float
    ) -> Steps[Picture]:
        """One tile after the other; nothing of a tile is kept but its pixels."""
        shape = (request.height, request.width)
        linear, display = np.empty((*shape, 3), np.float32), np.empty((*shape, 3), np.uint8)
        picked = request.width * request.height <= MOST_PICKED
        triangle = np.empty(shape if picked else (0, 0), np.int32)
        scene = work.scene
        for done, tile in enumerate(parts):
            total = np.zeros((tile.outer.width * tile.outer.height, 3), np.float32)
            for number, shift in enumerate(shifts):
                view = View(scene, self._samples(scene, request, shift, tile.outer, work.cancelled))
                total += work.linear(view)
                self.caches.forget(view)
                yield Progress("Rendering", (done + (number + 1) / len(shifts)) / len(parts))
            total /= np.float32(len(shifts))
            inside = tile.inner.rows, tile.inner.columns
            made = total.reshape(tile.outer.height, tile.outer.width, 3)[tile.rows, tile.columns]
            linear[inside] = made
            pixels = np.ascontiguousarray(made).reshape(-1, 3)
            display[inside] = developed(request, pixels, self.workers).reshape(made.shape)
            if picked:
                triangle[inside] = scene.undivided(view.samples.triangle[tile.rows, tile.columns])
        work.note_broken_tiles()
        seconds, remarks = time.perf_counter() - begin, tuple(work.remarks)
        return Picture(display, linear, triangle, scene.undivided_ids, work.problems, seconds, remarks=remarks)

    def _samples(
        self, scene: Scene, request: PictureRequest, shift: tuple[float, float], window: Window | None,
        cancelled: Callable[[], bool],
    ) -> Samples:  # fmt: skip
        return find_samples(
            scene, request.bench.camera, request.size, shift=shift, edges=request.quality != "coarse", window=window,
            worn=request.bench.worn, workers=self.workers, cancelled=cancelled,
        )  # fmt: skip

    def stages(
        self, request: PictureRequest, *, cancelled: Callable[[], bool] = never, patient: bool = True
    ) -> Iterator[Picture]:
        """The picture with few shadow rays first, and then as `picture` makes it. Raises Cancelled, CollageError.

        Greys stand in for maps that are not read within a moment; more pictures follow as they come.
        patient : without it, that is all; the last picture may have greys in it still.
        """
        begin = time.perf_counter()
        reliefs = self.reliefs.of(request, self.workers, cancelled)
        view = self._view(request, reliefs, (0.0, 0.0), cancelled)
        work = _Work(self, request, reliefs, FIRST, cancelled, patient=False)
        for number in range(MOST_GREY):
            if not (patient and work.waiting):
                break
            loaded = self.images.loaded
            yield self._staged(request, view, work, begin)
            more = self._more_maps(loaded, cancelled) and number < MOST_GREY - 1
            work = _Work(self, request, reliefs, FIRST, cancelled, patient=not more)
        if request.lit:
            known = view.knows(work.environment, request.bench.environment.turn, work.lights)
        else:  # what needs no light may look around with rays of its own
            known = not any(sends_rays(surface.plan) for surface in work.surfaces.values())
        for stage in (COMPLETE,) if known else STAGES:
            work.stage = stage
            yield self._staged(request, view, work, begin)

    def _staged(self, request: PictureRequest, view: View, work: _Work, begin: float) -> Picture:
        """The picture as its work stands."""
        linear = work.linear(view)
        self.caches.views.recount(view_key(request, (0.0, 0.0), work.reliefs.keys))
        picture = self._picture(request, view, linear, work, begin)
        return replace(picture, complete=work.stage is COMPLETE)

    def _more_maps(self, loaded: int, cancelled: Callable[[], bool]) -> bool:
        """Waits until more maps are there than were, and some time has passed; False where none is being read."""
        begin = time.monotonic()
        while self.images.reading and (self.images.loaded == loaded or time.monotonic() < begin + BETWEEN):
            if cancelled():
                raise Cancelled
            time.sleep(WAIT)
        return self.images.loaded != loaded

    def _picture(self, request: PictureRequest, view: View, linear: np.ndarray, work: _Work, begin: float) -> Picture:
        work.note_broken_tiles()
        shape = (request.height, request.width, 3)
        display = developed(request, linear, self.workers).reshape(shape)
        return Picture(
            display,
            linear.reshape(shape),
            view.scene.undivided(view.samples.triangle),
            view.scene.undivided_ids,
            work.problems,
            time.perf_counter() - begin,
            remarks=tuple(work.remarks),
            span=work.reliefs.span if request.mode == HEIGHTS else None,
        )

    def traced(
        self, request: PictureRequest, how: Tracing = USUAL, *, cancelled: Callable[[], bool] = never,
        every: float = 0.0,
    ) -> Iterator[Picture]:  # fmt: skip
        """The picture with all light that bounces, better and better; the last one is as good as was asked for.

        every : seconds at least between two pictures. Raises Cancelled, CollageError.
        """
        begin = told = time.perf_counter()
        reliefs = self.reliefs.of(request, self.workers, cancelled)
        work = _Work(self, request, reliefs, COMPLETE, cancelled)
        tracer = Tracer(work.traceable(), how, self.workers, cancelled)
        shape, picked = (request.height, request.width), request.width * request.height <= MOST_PICKED
        view = self._view(request, reliefs, (0.0, 0.0), cancelled) if picked else None
        triangle = view.samples.triangle if view is not None else np.zeros((0, 0), np.int32)
        for exposed in tracer.passes():
            noise = exposed.noise()
            done = exposed.samples == how.samples or noise < how.noise
            if not done and time.perf_counter() < told + every:
                continue
            told = time.perf_counter()
            work.note_broken_tiles()
            linear = exposed.linear(work.backdrop)
            yield Picture(
                developed(request, linear, self.workers).reshape(*shape, 3),
                linear.reshape(*shape, 3),
                work.scene.undivided(triangle),
                work.scene.undivided_ids,
                work.problems,
                told - begin,
                complete=done,
                remarks=tuple(work.remarks),
                samples=exposed.samples,
                noise=noise,
            )

    def _view(
        self, request: PictureRequest, reliefs: Reliefs, shift: tuple[float, float], cancelled: Callable[[], bool]
    ) -> View:
        """Samples for a request; the same ones as long as camera and objects stay."""
        if cancelled():
            raise Cancelled

        def make() -> View:
            scene = self.caches.scene(request.bench, request.geometry_key, reliefs.objects)
            look = look_key(request, shift)
            samples = self._samples(scene, request, shift, None, cancelled)
            before = self.caches.view_before(scene, look)
            return before.followed(scene, samples) if before is not None else View(scene, samples, look)

        return self.caches.views.get_or_make(view_key(request, shift, reliefs.keys), make)

    def surface(self, name: str, network: Network, folder: Any, loud: Loud, until: float | None = None) -> Surface:
        """The plan of a material; the one before, while neither the network nor its files have changed.

        until : see `build_plan`.
        """
        make = partial(plan_surface, self.library, network, folder=folder, images=self.images, loud=loud, until=until)
        return self.plans.get((name, until is None), network, (folder, loud), make)


@dataclass(eq=False)
class _Work:
    """One picture in the making."""

    renderer: Renderer
    request: PictureRequest
    reliefs: Reliefs
    stage: Stage
    cancelled: Callable[[], bool]
    patient: bool = True

    def __post_init__(self) -> None:
        request, renderer, bench = self.request, self.renderer, self.request.bench
        self.problems: dict[tuple[str, Place], CollageError] = {}
        self.surfaces: dict[str, Surface] = {}
        self._broken = renderer.images.broken
        until = time.monotonic() + MOMENT
        names = _nearest_first(bench, request.materials)
        makes: list[Callable[[], Any]] = [partial(self._surface, name, until) for name in names]
        makes.append(
            partial(renderer.caches.scene, bench, request.geometry_key, self.reliefs.objects)
        )  # meanwhile: files, levels and meshes take their time
        *surfaces, self.scene = renderer.workers.map(_call, makes)
        for name, surface in zip(names, surfaces, strict=True):
            self.surfaces[name] = self._whole(name, surface) if self.patient else surface
        self._note_problems(self.surfaces)
        self.backdrop = background(request)
        self.remarks = [*self.scene.remarks, *self.reliefs.remarks]
        self.environment = self._find_environment() if request.lit else None
        self.lights = light_table(bench.lights)

    @property
    def waiting(self) -> bool:
        """Whether greys stand in for maps."""
        return any(surface.plan.waiting for surface in self.surfaces.values())

    def _surface(self, name: str, until: float | None = None) -> Surface:
        request = self.request
        return self.renderer.surface(name, request.materials[name], request.material_folder, request.bench.loud, until)

    def _whole(self, name: str, surface: Surface) -> Surface:
        """A surface once all its maps are read; tiles are waited for where they are seen. Raises Cancelled."""
        if not surface.plan.waiting:
            return surface
        images = self.renderer.images
        for one in surface.plan.waiting.values():
            while not is_pattern(one.path) and not images.arrived(one, WAIT):
                if self.cancelled():
                    raise Cancelled
        return self._surface(name)

    def _note_problems(self, surfaces: Mapping[str, Surface]) -> None:
        for name, surface in surfaces.items():
            self.problems.update({(name, place): error for place, error in surface.problems.items()})

    def note_broken_tiles(self) -> None:
        """Notes tiles that were found to be broken when they were read, for this picture."""
        if self._broken != self.renderer.images.broken:
            self._note_problems({name: self._surface(name, 0.0) for name in self.surfaces})

    def _find_environment(self) -> EnvironmentLight | None:
        """The bench's environment; an even grey where its file cannot be read. None where it is off."""
        caches = self.renderer.caches
        try:
            return caches.environment(self.request.bench, self.request.folder)
        except CollageError as error:
            self.remarks.append(f"Light is an even grey: “{error.about}” is missing or broken.")
            return caches.even_environment()

    def traceable(self) -> Traceable:
        """What paths are followed through."""
        request = self.request
        sky = self.renderer.caches.sky(self.environment) if self.environment is not None else None
        return Traceable(
            self.scene, request.bench, request.size, self.surfaces, self.reliefs.slopes, sky, self.lights,
            self.backdrop, request.mode == "clay",
        )  # fmt: skip

    def linear(self, view: View, depth: int = 0) -> np.ndarray:
        """(pixels, 3) float32: light for lit views, values for the others. depth : surfaces seen through so far."""
        samples = view.samples
        light = self._light(view) if self.request.lit else None
        values = np.empty((3, samples.count), np.float32)
        donors = self.request.lit and self.stage is FIRST and depth == 0  # what is seen through has none
        for group in samples.groups:
            later = donors and group.beside and group.region != GROUND  # until then it shows what its donor does
            values[:, group.start : group.stop] = 0 if later else self._group(view, group, light, depth)
        if donors:
            taker = np.flatnonzero(samples.donor >= 0)
            giver = samples.donor.take(taker)
            for channel in values:
                channel[taker] = channel.take(giver)
        return on_film(samples, values, self.backdrop, self.renderer.workers)

    def _light(self, view: View) -> Light:
        turn = self.request.bench.environment.turn
        return view.light(
            self.environment, turn, self.lights, self.stage, workers=self.renderer.workers, cancelled=self.cancelled
        )

    def _group(self, view: View, group: ObjectSamples, light: Light | None, depth: int) -> Array:
        """The samples of one object, (3, n)."""
        request = self.request
        if group.region == GROUND:
            if light is None:
                return np.full((3, group.points.count), self.backdrop, np.float32)
            environment = request.bench.environment
            strength = environment.strength if environment.on else 0.0
            return lit_ground(group, light, strength, self.backdrop, self.renderer.workers)
        number, rule = view.scene.regions[group.region]
        material = request.bench.objects[number].material_of(rule)
        if request.peek is not None:
            return self._peeked(view, material, group)
        surface = self.surfaces.get(material)
        if surface is None:
            return self._shown(view, group, {}, light, depth)
        return self._kept(view, group, surface, light, depth)

    def _kept(self, view: View, group: ObjectSamples, surface: Surface, light: Light | None, depth: int) -> Array:
        """The samples of before, as long as nothing that they show has changed."""
        number, rule = view.scene.regions[group.region]
        slopes = self.reliefs.slopes.get(self.request.bench.objects[number].material_of(rule))
        quick = self.request.quality == "coarse"
        displaced = slopes is not None and view.scene.rest is not None
        if slopes is not None and displaced and (not quick or is_finer(group.points, view.scene)):
            make = partial(
                with_fine_relief, group.points, view.scene, slopes, quick, self.renderer.workers, self.cancelled
            )
            group = view.with_points(group, "fine relief", f"{quick} {slopes.key}", make)
        group = self._with_all_rays(view, group, surface.plan)
        environment = self.request.bench.environment
        shown = light.key if light is not None else ""
        mode = self.request.mode if self.request.mode != HEIGHTS else f"{HEIGHTS} {self.reliefs.span}"
        name = f"{mode} {self.backdrop} {environment} {shown} {surface.key}"
        if is_see_through(surface):  # what lies behind it counts too
            name += " ".join(f"{key} {one.key}" for key, one in self.surfaces.items())
            name += " ".join(view.scene.keys)
        cache = self.renderer.cache
        kept = cache.get(name, group.points.id)
        if kept is None:
            inputs = evaluate_surface(
                surface, group.points, cache=cache, workers=self.renderer.workers, cancelled=self.cancelled
            )
            kept = np.ascontiguousarray(self._shown(view, group, inputs, light, depth))
            if self.stage is COMPLETE or view.follows:  # else what a moving hand sees is not seen again
                cache.put(name, group.points.id, kept)
        return kept

    def _with_all_rays(self, view: View, group: ObjectSamples, plan: Plan) -> ObjectSamples:
        """At rest, points from which masks send all of their rays; before, and where there are none, as they are.

        Of a pixel on an edge there are several, which share the work.
        """
        points, effort = group.points, EDGE_EFFORT if group.beside else 1.0
        if self.stage is not COMPLETE or points.effort >= effort or not sends_rays(plan):
            return group
        return view.with_points(group, "all rays", f"{points.id}", lambda: points.changed(effort=effort))

    def _shown(
        self, view: View, group: ObjectSamples, inputs: Mapping[str, Array], light: Light | None, depth: int
    ) -> Array:
        request = self.request
        if light is None:
            if request.mode == HEIGHTS:
                return shown_heights(group.points, view.scene, self.reliefs.span)
            if request.mode == "normals":
                normal = pack(inputs, group.points, 0, group.points.count)[1]
                return srgb_to_linear(normal * 0.5 + 0.5).astype(np.float32)
            return shown_value(value_of(inputs, request.mode), request.mode, group.points.count)
        if request.mode == "clay":
            inputs = clay(inputs)
        environment = request.bench.environment
        maps = self.environment or self.renderer.caches.even_environment()
        result = lit(view.scene, group, inputs, light, maps, environment, self.renderer.workers, self.cancelled)
        opacity = np.clip(np.nan_to_num(value_of(inputs, OPACITY)), 0, 1)
        if float(opacity.min()) >= 1 or depth >= MOST_BEHIND:
            return result
        return result * opacity + self._behind(view, group, depth) * (1 - opacity)

    def _behind(self, view: View, group: ObjectSamples, depth: int) -> Array:
        """What is seen through see-through samples, (3, n)."""
        request, renderer, samples = self.request, self.renderer, view.samples

        def make() -> View:
            pixel = samples.origin[group.start : group.stop]
            # which shadow rays: others than those of the neighbours, and of the other samples on the same edge
            pattern = pixel * 7
            if group.beside:
                pattern += 5 * samples.pattern[group.start : group.stop]
            behind = find_behind(
                view.scene, request.bench.camera, request.size, group.points, pixel, pattern, worn=request.bench.worn,
                workers=renderer.workers, cancelled=self.cancelled,
            )  # fmt: skip
            return View(view.scene, behind)

        views, key = renderer.caches.views, behind_key(view.scene, group.points)
        seen = self.linear(views.get_or_make(key, make), depth + 1).T
        views.recount(key)
        return seen

    def _peeked(self, view: View, material: str, group: ObjectSamples) -> Array:
        request, renderer = self.request, self.renderer
        assert request.peek is not None
        name, target = request.peek
        if name != material:
            return np.full((3, group.points.count), NOT_PEEKED, np.float32)
        plan = build_plan(
            renderer.library, request.materials[name], {"peek": target}, folder=request.material_folder,
            images=renderer.images, loud=request.bench.loud,
        )  # fmt: skip
        self.problems.update({(name, place): error for place, error in plan.problems.items()})
        source = plan.outputs.get("peek")
        group = self._with_all_rays(view, group, plan)
        result = run(plan, group.points, cache=renderer.cache, workers=renderer.workers, cancelled=self.cancelled)
        value = result.get("peek")
        numbers = value.astype(np.float32) if isinstance(value, np.ndarray) else np.zeros((1, 1), np.float32)
        return shown_value(numbers, source.type if source is not None else "float", group.points.count)


def _nearest_first(bench: Bench, materials: Mapping[str, Network]) -> list[str]:
    """The materials on the bench, those of the nearest objects first: their maps are read first."""
    eye = tuple(bench.camera.position())
    near: dict[str, float] = {}
    for item in bench.objects:
        away = math.dist(item.place, eye)
        for name in item.materials:
            near[name] = min(near.get(name, away), away)
    return sorted(near.keys() & materials.keys(), key=lambda name: (near[name], name))


def _call(make: Callable[[], Any]) -> Any:
    return make()
