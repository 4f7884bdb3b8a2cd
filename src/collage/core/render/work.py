"""One picture in the making: surfaces, scene and light of a request, and the values of its samples."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from copy import copy
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.model import Network
from collage.core.evaluate.plan import Place, Plan, build_plan, sends_rays
from collage.core.evaluate.run import BLOCK, Cancelled, run
from collage.core.images.colour import srgb_to_linear
from collage.core.images.store import WAIT
from collage.core.images.tiles import is_pattern
from collage.core.nodes.behaviour import Array
from collage.core.render.backdrop import Backdrop
from collage.core.render.caches import behind_key
from collage.core.render.draft import lit, lit_ground
from collage.core.render.environment import EnvironmentLight
from collage.core.render.film import OPEN, on_film, shown_value
from collage.core.render.fine_relief import is_finer, with_fine_relief
from collage.core.render.heights import HEIGHTS, shown_heights
from collage.core.render.host import Host
from collage.core.render.judging import PLAUSIBLE, marked
from collage.core.render.latlong import in_picture
from collage.core.render.lighting import COMPLETE, FIRST, Light, Stage, View
from collage.core.render.picture_sun import DIRECTION, sun_light
from collage.core.render.picture_sun import IRRADIANCE as SUNLIGHT
from collage.core.render.relief import Reliefs
from collage.core.render.request import PictureRequest, whole_region
from collage.core.render.samples import ObjectSamples, find_behind
from collage.core.render.shown_lights import draw_lights
from collage.core.render.surface import (
    OPACITY,
    Surface,
    clay,
    evaluate_surface,
    is_see_through,
    pack,
    value_of,
)
from collage.core.render.traced import Traceable
from collage.core.scene.bench import Bench
from collage.core.scene.lights import light_table
from collage.core.scene.scene import GROUND

MOMENT = 0.1  # seconds that a picture waits for maps before greys stand in for them
EDGE_EFFORT = 0.35  # of the rays of masks, from each of the samples on an edge
MOST_BEHIND = 4  # surfaces that are seen through, one behind the other
ONE_THREAD = 2 * BLOCK  # samples of a group up to which one thread shades it, beside others, sooner than several
RELIEF = "fine relief"  # kind of points, see View.with_points
NOT_PEEKED = 0.12  # linear grey of objects that have another material than the one peeked at


@dataclass(eq=False)
class Work:
    """One picture in the making: its surfaces, scene and light, and what was wrong."""

    renderer: Host
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
            partial(
                renderer.caches.scene, bench, request.geometry_key, self.reliefs.objects, request.quality == "coarse"
            )
        )  # meanwhile: files, levels and meshes take their time
        *surfaces, self.scene = renderer.workers.map(_call, makes)
        for name, surface in zip(names, surfaces, strict=True):
            self.surfaces[name] = self._whole(name, surface) if self.patient else surface
        self._note_problems(self.surfaces)
        self.remarks = [*self.scene.remarks, *self.reliefs.remarks]
        self.environment = self._find_environment() if request.lit else None
        self.lights = light_table(bench.shining)
        self.drafted = self._with_sun()
        self.backdrop = self._find_backdrop()

    @property
    def waiting(self) -> bool:
        """Whether greys stand in for maps."""
        return any(surface.plan.waiting for surface in self.surfaces.values())

    def _surface(self, name: str, until: float | None = None) -> Surface:
        request = self.request
        return self.renderer.surface(name, request.materials[name], request.material_folder, request.bench.loud, until)

    def again(self, name: str) -> Surface:
        """The surface as it would be made now: of the same key while nothing has changed."""
        return self._surface(name)

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
            found = caches.environment(self.request.bench, self.request.folder)
            self.remarks += found.remarks if found is not None else ()
            return found
        except CollageError as error:
            self.remarks.append(f"Light is an even grey: “{error.about}” is missing or broken.")
            return caches.even_environment()

    @property
    def around(self) -> EnvironmentLight | None:
        """What is looked for around samples: where it is dark too, how much of it is open, if lights send any on."""
        dark = self.environment is None and self.request.lit and len(self.lights) > 0
        return self.renderer.caches.even_environment() if dark else self.environment

    def _with_sun(self) -> np.ndarray:
        """The lights, and the sun in the picture of the environment, which paths find there."""
        around, light = self.request.bench.around, self.environment
        if light is None or not light.sun[SUNLIGHT].any():
            return self.lights
        (way,) = in_picture(light.sun[None, DIRECTION], -around.turn)
        return light_table((*self.request.bench.shining, sun_light(light.sun, way, around.strength)))

    def _find_backdrop(self) -> Backdrop:
        behind, around = self.request.bench.environment.behind, self.environment
        shown = around is not None and behind in ("sharp", "blurred")
        picture = self.renderer.caches.shown_behind(around, behind) if around is not None and shown else None
        return Backdrop(self.request, picture)

    def traceable(self, *, occlusion: bool = False) -> Traceable:
        """What paths are followed through. occlusion : whether it is looked at, for its layer."""
        request = self.request
        sky = self.renderer.caches.sky(self.environment) if self.environment is not None else None
        _, top, _, high = whole_region(request.region, request.size)
        return Traceable(
            self.scene, request.bench, request.size, self.surfaces, self.reliefs.slopes, sky, self.lights,
            request.mode == "clay", occlusion, (top, top + high),
        )  # fmt: skip

    def linear(self, view: View, depth: int = 0) -> np.ndarray:
        """(pixels, 4) float32: light for lit views, values for the others, and how much of the backdrop is seen.

        depth : surfaces seen through so far.
        """
        samples = view.samples
        light = self._light(view) if self.request.lit else None
        values = np.zeros((4, samples.count), np.float32)
        donors = self.request.lit and self.stage is FIRST and depth == 0  # what is seen through has none

        def fill(group: ObjectSamples, work: Work) -> None:
            found = work._group(view, group, light, depth)
            values[: len(found), group.start : group.stop] = found

        # those beside show what their donors do until all is complete
        shown = [one for one in samples.groups if not (donors and one.beside and one.region != GROUND)]
        for group in shown:
            if group.points.count > ONE_THREAD:
                fill(group, self)
        small = sorted((one for one in shown if one.points.count <= ONE_THREAD), key=lambda one: -one.points.count)
        self.renderer.workers.map(partial(fill, work=self._by_one_thread()), small)
        if donors:
            taker = np.flatnonzero(samples.donor >= 0)
            giver = samples.donor.take(taker)
            for channel in values:
                channel[taker] = channel.take(giver)
        view.shown = True
        film = on_film(samples, values, self.renderer.workers)
        if self.request.lit and not depth:
            draw_lights(film, self.request.bench.shining, self.request.bench.camera, self.request.size, samples)
        return film

    def _by_one_thread(self) -> Work:
        """The same with the caller's thread alone."""
        one = copy(self)
        one.renderer = self.renderer.by_one_thread
        return one

    def _light(self, view: View) -> Light:
        turn, renderer = self.request.bench.around.turn, self.renderer
        with ThreadPoolExecutor(1) as beside:
            near = beside.submit(renderer.caches.near, self.scene, self.environment, turn, self.drafted)
            found = view.light(
                self.around, turn, self.drafted, self.stage, workers=renderer.workers, cancelled=self.cancelled
            )
            return replace(found, near=near.result())

    def _group(self, view: View, group: ObjectSamples, light: Light | None, depth: int) -> Array:
        """The samples of one object, (3, n), or (4, n) where something of the backdrop is seen."""
        request = self.request
        if group.region == GROUND:
            if light is None:
                return np.repeat(np.array([[0], [0], [0], [1]], np.float32), group.points.count, axis=1)
            environment = request.bench.around
            strength = environment.strength if environment.on else 0.0
            return lit_ground(group, light, strength, self.renderer.workers)
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
        moving = self.request.quality == "coarse"
        displaced = slopes is not None and view.scene.rest is not None
        if slopes is not None and displaced and (not moving or is_finer(group.points, view.scene)):
            group = self._with_fine_relief(view, group, slopes, quick=moving or self.stage is FIRST)
        group = self._with_all_rays(view, group, surface.plan)
        environment = self.request.bench.around
        shown = light.key if light is not None else ""
        mode = self.request.mode if self.request.mode != HEIGHTS else f"{HEIGHTS} {self.reliefs.span}"
        name = f"{mode} {environment} {shown} {surface.key}"
        if is_see_through(surface):  # what lies behind it counts too
            name += " ".join(f"{key} {one.key}" for key, one in self.surfaces.items())
            name += " ".join(view.scene.keys)
        cache = self.renderer.cache
        kept = cache.get(name, group.points.id)
        if kept is None:
            once = moving and not (view.shown or view.follows)  # a hand that turns the camera does not come back here
            inputs = evaluate_surface(
                surface,
                group.points,
                cache=None if once else cache,
                workers=self.renderer.workers,
                cancelled=self.cancelled,
            )
            if surface.bumps is not None and light is not None and not once:
                inputs.update(self._hidden_slopes(view, group, surface.bumps))
            kept = np.ascontiguousarray(self._shown(view, group, inputs, light, depth))
            if self.stage is COMPLETE or view.follows:  # else what a moving hand sees is not seen again
                cache.put(name, group.points.id, kept)
        return kept

    def _with_fine_relief(self, view: View, group: ObjectSamples, slopes: Surface, *, quick: bool) -> ObjectSamples:
        """A group of a displaced surface with the normals of its height. quick : in half the time, where they are not
        there yet."""
        quick = quick and not view.has_points(group, RELIEF, slopes.key)
        make = partial(with_fine_relief, group.points, view.scene, slopes, quick, self.renderer.workers, self.cancelled)
        return view.with_points(group, RELIEF, f"quick {slopes.key}" if quick else slopes.key, make)

    def _hidden_slopes(self, view: View, group: ObjectSamples, bumps: Plan) -> dict[str, Array]:
        """What pixels hide of the slopes of bump, see `bump_variance`. At edges that is as in the middles beside them;
        of what is seen in no middle, as little is seen."""
        middles = [group] if not group.beside else [
            one for one in view.groups if one.region == group.region and not one.beside
        ]  # fmt: skip
        if not middles:
            return {}
        found = view.hidden_slopes(
            middles[-1], bumps, self.request.quality == "coarse", self.renderer.workers, self.cancelled
        )
        return found.at(view.samples.pixel[group.start : group.stop])

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
            if request.mode == PLAUSIBLE:
                colour = value_of(inputs, "base_color") * value_of(inputs, "base_weight")
                return marked(colour, value_of(inputs, "base_metalness"), group.points.count)
            if request.mode == "normals":
                normal = pack(inputs, group.points, 0, group.points.count)[1]
                return srgb_to_linear(normal * 0.5 + 0.5).astype(np.float32)
            return shown_value(value_of(inputs, request.mode), request.mode, group.points.count)
        if request.mode == "clay":
            inputs = clay(inputs)
        environment = request.bench.around
        maps = self.environment or self.renderer.caches.even_environment()
        result = lit(view.scene, group, inputs, light, maps, environment, self.renderer.workers, self.cancelled)
        opacity = np.clip(np.nan_to_num(value_of(inputs, OPACITY)), 0, 1)
        if float(opacity.min()) >= 1 or depth >= MOST_BEHIND:
            return result
        seen = self._behind(view, group, depth) * (1 - opacity)
        seen[:OPEN] += result * opacity
        return seen

    def _behind(self, view: View, group: ObjectSamples, depth: int) -> Array:
        """What is seen through see-through samples, (4, n)."""
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
