"""Pictures on demand: a picture is a pure function of (project, view, size, quality).

The renderer keeps scenes, environments, views and results between pictures, which changes how long a
picture takes and never how it looks. The window, the command line and the tests all ask here.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any, Literal, TypeVar

import numpy as np

from collage.core.document.model import Network
from collage.core.errors import CollageError
from collage.core.evaluate.plan import CardOutput, Const, Loud, Place, build_plan
from collage.core.evaluate.run import BLOCK, Cancelled, ResultCache, Workers, never, run
from collage.core.images.colour import linear_to_srgb, srgb_to_linear
from collage.core.images.store import ImageRef, ImageStore
from collage.core.kernels import shading
from collage.core.nodes.behaviour import Array
from collage.core.nodes.library import Library
from collage.core.project.folder import material_folder
from collage.core.project.state import Project
from collage.core.render.bench import Bench
from collage.core.render.energy import energy_table
from collage.core.render.environment import (
    IRRADIANCE_SIZE,
    ROUGHNESSES,
    SIZES,
    EnvironmentLight,
    load_environment,
)
from collage.core.render.inside import travelled
from collage.core.render.scene import GROUND, Scene, build_bounds, build_scene
from collage.core.render.surface import (
    NORMAL,
    OPACITY,
    Surface,
    clay,
    evaluate_surface,
    is_see_through,
    layers_of,
    pack,
    plan_surface,
    surface_key,
    value_of,
)
from collage.core.render.view import Group, View, build_behind, build_view

Quality = Literal["coarse", "draft", "final"]
MOST_BEHIND = 4  # surfaces that are seen through, one behind the other
COARSE = 3  # a coarse picture has a third of the pixels each way
FINAL_SHIFTS = ((-0.125, -0.375), (0.375, -0.125), (0.125, 0.375), (-0.375, 0.125))

Kept = TypeVar("Kept")


@dataclass(frozen=True)
class PictureRequest:
    """A frozen wish for a picture.

    mode : "lit", "clay", "normals", or the name of a surface input to look at alone.
    peek : a card's output to look at on the object instead, of the material named first.
    """

    project: Project
    width: int
    height: int
    quality: Quality = "draft"
    mode: str = "lit"
    peek: tuple[str, CardOutput] | None = None
    folder: Path = field(default_factory=Path)

    @property
    def lit(self) -> bool:
        """Whether light is shown, rather than plain values."""
        return self.peek is None and self.mode in ("lit", "clay")


@dataclass(frozen=True, eq=False)
class Picture:
    """A finished picture.

    display : (h, w, 3) uint8, as a screen shows it. linear : (h, w, 3) float32, before exposure and tone.
    parts : (h, w) int32, number of the object in the middle of each pixel; -1 ground, -2 background.
    problems : what was wrong, by material and card. seconds : how long it took.
    """

    display: np.ndarray
    linear: np.ndarray
    parts: np.ndarray
    problems: Mapping[tuple[str, Place], CollageError]
    seconds: float


class Renderer:
    """Makes pictures, and keeps between them what does not depend on values."""

    def __init__(
        self,
        library: Library,
        images: ImageStore | None = None,
        workers: Workers | None = None,
        cache: ResultCache | None = None,
    ) -> None:
        self.library = library
        self.images = images or ImageStore()
        self.workers = workers or Workers()
        self.cache = cache or ResultCache()
        self._scenes: OrderedDict[Hashable, Scene] = OrderedDict()
        self._lights: OrderedDict[Hashable, EnvironmentLight] = OrderedDict()
        self._views: OrderedDict[Hashable, View] = OrderedDict()
        self._behind_views: OrderedDict[Hashable, View] = OrderedDict()
        self._plans: dict[str, tuple[Network, tuple[Path, Loud], tuple[str, ...], Surface]] = {}

    # ---- what is kept -------------------------------------------------------------------------

    @staticmethod
    def _keep(store: OrderedDict[Hashable, Kept], key: Hashable, limit: int, make: Callable[[], Kept]) -> Kept:
        if key in store:
            store.move_to_end(key)
            return store[key]
        made = make()
        store[key] = made
        while len(store) > limit:
            store.popitem(last=False)
        return made

    def scene(self, bench: Bench) -> Scene:
        shapes = tuple(item.model_copy(update={"material": ""}) for item in bench.objects)
        key = (repr(shapes), bench.ground)
        return self._keep(self._scenes, key, 4, lambda: build_scene(shapes, bench.ground))

    def _environment_path(self, bench: Bench, folder: Path) -> Path | None:
        environment = bench.environment
        return folder / environment.file if environment.file and environment.on else None

    def environment(self, bench: Bench, folder: Path) -> EnvironmentLight:
        key = self._environment_key(bench, folder)
        return self._keep(self._lights, key, 3, lambda: load_environment(self._environment_path(bench, folder)))

    def _environment_key(self, bench: Bench, folder: Path) -> Hashable:
        path = self._environment_path(bench, folder)
        return path, path.stat().st_mtime_ns if path is not None and path.is_file() else 0

    def _view_key(self, request: PictureRequest, shift: tuple[float, float]) -> Hashable:
        bench = request.project.bench
        places = tuple(item.model_copy(update={"material": ""}) for item in bench.objects)
        return (
            repr(places),
            bench.ground,
            self._environment_key(bench, request.folder),
            bench.camera,
            repr(bench.lights),
            bench.environment.turn,
            (size_of(request), request.quality == "coarse", shift),
        )

    def has_view(self, request: PictureRequest) -> bool:
        """Whether the rays of this picture are cast already, so that it costs no more than its values."""
        return self._view_key(request, (0.0, 0.0)) in self._views

    def scene_bounds(self, bench: Bench, part: int | None = None) -> tuple[np.ndarray, np.ndarray]:
        """The box around one object, or around all of them, on the bench."""
        chosen = bench.objects if part is None else bench.objects[part : part + 1]
        return build_bounds(chosen)

    def view(
        self,
        request: PictureRequest,
        shift: tuple[float, float] = (0.0, 0.0),
        cancelled: Callable[[], bool] = never,
    ) -> View:
        """Hits and light for a request; the same one as long as camera, objects and lights stay."""
        bench, coarse = request.project.bench, request.quality == "coarse"
        scene = self.scene(bench)
        light = self.environment(bench, request.folder)
        width, height = size_of(request)
        key = self._view_key(request, shift)
        return self._keep(
            self._views,
            key,
            6,
            lambda: build_view(
                scene,
                bench.camera,
                width,
                height,
                light,
                bench.environment.turn,
                bench.lights,
                shift=shift,
                rays=view_rays(request),
                edges=not coarse,
                workers=self.workers,
                cancelled=cancelled,
            ),
        )

    # ---- pictures -----------------------------------------------------------------------------

    def picture(
        self,
        request: PictureRequest,
        *,
        cancelled: Callable[[], bool] = never,
        progress: Callable[[float], None] | None = None,
    ) -> Picture:
        """The picture. Raises Cancelled when `cancelled` says so, CollageError when nothing can be shown."""
        begin = time.perf_counter()
        shifts = FINAL_SHIFTS if request.quality == "final" else ((0.0, 0.0),)
        problems: dict[tuple[str, Place], CollageError] = {}
        surfaces = self._surfaces(request, problems)
        total: np.ndarray | None = None
        parts = np.zeros((0, 0), np.int32)
        for done, shift in enumerate(shifts):
            if cancelled():
                raise Cancelled
            view = self.view(request, shift, cancelled)
            linear = self._linear(request, view, surfaces, problems, cancelled)
            total = linear if total is None else total + linear
            parts = view.grid_part
            if progress is not None:
                progress((done + 1) / len(shifts))
        assert total is not None
        linear = total / np.float32(len(shifts))
        display = self._display(request, linear)
        width, height = size_of(request)
        return Picture(
            display.reshape(height, width, 3),
            linear.reshape(height, width, 3),
            parts,
            problems,
            time.perf_counter() - begin,
        )

    def _surfaces(self, request: PictureRequest, problems: dict[tuple[str, Place], CollageError]) -> dict[str, Surface]:
        surfaces = {}
        for name in {item.material for item in request.project.bench.objects}:
            network = request.project.materials.get(name)
            if network is None:
                continue
            surfaces[name] = self._surface(name, network, material_folder(request.folder), request.project.bench.loud)
            problems.update({(name, place): error for place, error in surfaces[name].problems.items()})
        return surfaces

    def _surface(self, name: str, network: Network, folder: Path, loud: Loud) -> Surface:
        """The plan of a material; the one before, while neither the network nor its files have changed."""
        kept = self._plans.get(name)
        if kept is not None and kept[0] is network and kept[1] == (folder, loud) and kept[2] == _stamps(kept[3]):
            return kept[3]
        surface = plan_surface(self.library, network, folder=folder, images=self.images, loud=loud)
        if not surface.problems:  # what is broken is looked at again: its file may be there by then
            self._plans[name] = (network, (folder, loud), _stamps(surface), surface)
        return surface

    def _linear(
        self,
        request: PictureRequest,
        view: View,
        surfaces: Mapping[str, Surface],
        problems: dict[tuple[str, Place], CollageError],
        cancelled: Callable[[], bool],
        depth: int = 0,
    ) -> np.ndarray:
        """(pixels, 3) float32: light for lit views, values for the others. depth: surfaces seen through so far."""
        objects = request.project.bench.objects
        values = np.empty((3, view.pixel.size), np.float32)
        backdrop = background(request)
        for group in view.groups:
            target = values[:, group.start : group.stop]
            if group.part == GROUND:
                target[:] = self._ground(request, view, group, backdrop)
                continue
            name = objects[group.part].material
            if request.peek is not None:
                target[:] = self._peeked(request, name, group, problems, cancelled)
                continue
            target[:] = self._surface_shown(request, view, group, name, surfaces, backdrop, depth, cancelled)
        picture = np.zeros((view.width * view.height, 3), np.float32)
        shading.gather(values, view.pixel, view.weight, picture)
        picture += (1 - np.minimum(view.covered, 1))[:, None] * np.float32(backdrop)
        return picture

    def _surface_shown(
        self,
        request: PictureRequest,
        view: View,
        group: Group,
        material: str,
        surfaces: Mapping[str, Surface],
        backdrop: float,
        depth: int,
        cancelled: Callable[[], bool],
    ) -> Array:
        """The samples of one object; those of before, as long as nothing that they show has changed."""
        surface = surfaces.get(material)
        if surface is None:
            return self._shown(request, view, group, {}, surfaces, depth, cancelled)
        environment = request.project.bench.environment
        name = f"{request.mode} {backdrop} {environment.on} {environment.strength} {surface_key(surface)}"
        if is_see_through(surface):  # what lies behind it counts too
            name += " ".join(f"{key} {surface_key(one)}" for key, one in surfaces.items())
        kept = self.cache.get(name, group.points.id)
        if kept is None:
            inputs = evaluate_surface(
                surface, group.points, cache=self.cache, workers=self.workers, cancelled=cancelled
            )
            kept = np.ascontiguousarray(self._shown(request, view, group, inputs, surfaces, depth, cancelled))
            self.cache.put(name, group.points.id, kept)
        return kept

    def _shown(
        self,
        request: PictureRequest,
        view: View,
        group: Group,
        inputs: Mapping[str, Array],
        surfaces: Mapping[str, Surface],
        depth: int,
        cancelled: Callable[[], bool],
    ) -> Array:
        if request.mode == "normals":
            normal = pack(inputs, group.points, 0, group.points.count)[1]
            return srgb_to_linear(normal * 0.5 + 0.5).astype(np.float32)
        if request.mode not in ("lit", "clay"):
            return shown_value(value_of(inputs, request.mode), request.mode, group.points.count)
        if request.mode == "clay":
            inputs = clay(inputs)
        lit = self._lit(request, view, group, inputs, cancelled)
        opacity = np.clip(np.nan_to_num(value_of(inputs, OPACITY)), 0, 1)
        if float(opacity.min()) >= 1 or depth >= MOST_BEHIND:
            return lit
        return lit * opacity + self._behind(request, group, surfaces, depth, cancelled) * (1 - opacity)

    def _behind(
        self,
        request: PictureRequest,
        group: Group,
        surfaces: Mapping[str, Surface],
        depth: int,
        cancelled: Callable[[], bool],
    ) -> Array:
        """What is seen through see-through samples, (3, n)."""
        bench = request.project.bench
        view = self._keep(
            self._behind_views,
            (group.points.id, request.quality),
            8,
            lambda: build_behind(
                self.scene(bench),
                bench.camera,
                size_of(request),
                group.points,
                self.environment(bench, request.folder),
                bench.environment.turn,
                bench.lights,
                rays=view_rays(request),
                workers=self.workers,
                cancelled=cancelled,
            ),
        )
        return self._linear(request, view, surfaces, {}, cancelled, depth + 1).T

    def _lit(
        self,
        request: PictureRequest,
        view: View,
        group: Group,
        inputs: Mapping[str, Array],
        cancelled: Callable[[], bool],
    ) -> Array:
        bench = request.project.bench
        light = self.environment(bench, request.folder)
        table, sizes = energy_table(), np.array(SIZES, np.int32)
        turn = np.radians(bench.environment.turn)
        strength = bench.environment.strength if bench.environment.on else 0.0
        out = np.empty((3, group.points.count), np.float32)
        layers = layers_of(inputs)

        def block(start: int) -> None:
            if cancelled():
                raise Cancelled
            stop = min(start + BLOCK, group.points.count)
            out[:, start:stop] = 0
            for weight, values in layers:
                result = shaded(values, start, stop)
                if weight is not None:
                    result *= weight if weight.shape[1] == 1 else weight[:, start:stop]
                out[:, start:stop] += result

        def shaded(values: Mapping[str, Array], start: int, stop: int) -> Array:
            way = partial(travelled, self.scene(bench), group.points, start, stop)
            packed, normal, coat = pack(values, group.points, start, stop, way)
            here = slice(group.start + start, group.start + stop)
            result = np.empty((3, stop - start), np.float32)
            shading.shade(
                packed,
                normal,
                coat,
                _block(group.points.view, start, stop),
                _block(group.points.position, start, stop),
                np.ascontiguousarray(view.come[:, here]),
                np.ascontiguousarray(view.could[:, here]),
                view.lights,
                np.ascontiguousarray(view.light_open[:, here]),
                light.glossy,
                light.starts,
                sizes,
                ROUGHNESSES,
                light.irradiance,
                IRRADIANCE_SIZE,
                table,
                np.float32(np.sin(turn)),
                np.float32(np.cos(turn)),
                np.float32(strength),
                result,
            )
            return result

        self.workers.map(block, range(0, group.points.count, BLOCK))
        return out

    def _ground(self, request: PictureRequest, view: View, group: Group, backdrop: float) -> Array:
        """The ground has the backdrop's grey, darkened where the objects keep light away."""
        if not request.lit:
            return np.full((3, group.points.count), backdrop, np.float32)
        here = slice(group.start, group.stop)
        bench = request.project.bench
        strength = bench.environment.strength if bench.environment.on else 0.0
        # sums over the shadow rays become irradiance over pi
        scale = np.float32(strength / (view_rays(request) * np.pi))
        come, could = view.come[:, here] * scale, view.could[:, here] * scale
        seen, every = come, could
        for k in range(len(view.lights)):
            sent = ground_light(view.lights[k], group.points.position)
            seen = seen + sent * view.light_open[k, here]
            every = every + sent
        share = seen.mean(axis=0) / np.maximum(every.mean(axis=0), 1e-9)
        return np.repeat((backdrop * np.clip(share, 0, 1))[None], 3, axis=0).astype(np.float32)

    def _peeked(
        self,
        request: PictureRequest,
        name: str,
        group: Group,
        problems: dict[tuple[str, Place], CollageError],
        cancelled: Callable[[], bool],
    ) -> Array:
        assert request.peek is not None
        material, target = request.peek
        count = group.points.count
        if name != material:
            return np.full((3, count), 0.12, np.float32)
        network = request.project.materials[material]
        plan = build_plan(
            self.library,
            network,
            {"peek": target},
            folder=material_folder(request.folder),
            images=self.images,
            loud=request.project.bench.loud,
        )
        problems.update({(material, place): error for place, error in plan.problems.items()})
        source = plan.outputs.get("peek")
        result = run(plan, group.points, cache=self.cache, workers=self.workers, cancelled=cancelled)
        type_name = source.type if source is not None else "float"
        return shown_value(_as_numbers(result.get("peek")), type_name, count)

    def _display(self, request: PictureRequest, linear: np.ndarray) -> np.ndarray:
        bench = request.project.bench
        out = np.empty(linear.shape, np.uint8)
        neutral = int(request.lit and bench.view_transform == "neutral")
        exposure = np.float32(exposure_of(request))

        def block(start: int) -> None:
            cut = slice(start, start + BLOCK)
            shading.display(linear[cut], exposure, neutral, out[cut])

        self.workers.map(block, range(0, len(linear), BLOCK))
        return out


def _stamps(surface: Surface) -> tuple[str, ...]:
    """The states on disk of all image files of a plan."""
    return tuple(
        source.value.stamp
        for step in surface.plan.steps
        for source in step.sources.values()
        if isinstance(source, Const) and isinstance(source.value, ImageRef)
    )


def _block(array: np.ndarray | None, start: int, stop: int) -> np.ndarray:
    assert array is not None
    return np.ascontiguousarray(array[:, start:stop])


def _as_numbers(value: Any) -> Array:
    if isinstance(value, np.ndarray):
        return value.astype(np.float32)
    return np.zeros((1, 1), np.float32)


def size_of(request: PictureRequest) -> tuple[int, int]:
    """Width and height of the picture in pixels; a coarse one is smaller than asked for."""
    if request.quality == "coarse":
        return max(request.width // COARSE, 8), max(request.height // COARSE, 8)
    return request.width, request.height


def view_rays(request: PictureRequest) -> int:
    """Shadow rays a sample."""
    return 6 if request.quality == "coarse" else 16


def exposure_of(request: PictureRequest) -> float:
    """The factor on linear light; values that are looked at alone are not exposed."""
    return float(2.0**request.project.bench.exposure) if request.lit else 1.0


def background(request: PictureRequest) -> float:
    """Linear grey that shows as the bench's surround, whatever the exposure and tone."""
    bench = request.project.bench
    grey = float(srgb_to_linear(np.array(bench.surround)))
    if request.lit and bench.view_transform == "neutral":
        grey += 0.04  # what the tone mapper takes away from greys
    return grey / exposure_of(request)


def shown_value(value: Array, what: str, count: int) -> Array:
    """Values as they are shown alone: colours as light, numbers and vectors as plain grey levels. (3, n).

    what : a type, or the name of a surface input.
    """
    value = np.broadcast_to(value, (value.shape[0], count))
    colour = "color" in what
    if value.shape[0] == 2:
        value = np.concatenate([value, np.zeros((1, count), np.float32)])
    value = value[:3] if value.shape[0] >= 3 else np.repeat(value[:1], 3, axis=0)
    if what == NORMAL or "normal" in what:
        value = value * 0.5 + 0.5
    value = np.nan_to_num(value, nan=0.0)
    return value if colour else srgb_to_linear(np.clip(value, 0, 1)).astype(np.float32)


def ground_light(light: np.ndarray, position: np.ndarray) -> np.ndarray:
    """Irradiance over pi that one light gives to level ground without shadows, (3, n)."""
    colour = light[13:16, None]
    if light[0] == shading.DISTANT:
        return colour * max(float(-light[11]), 0.0) / np.pi  # type: ignore[no-any-return]
    way = light[1:4, None] - position
    distance2 = (way**2).sum(axis=0)
    way = way / np.sqrt(distance2)
    area = 4 * np.linalg.norm(light[4:7]) * np.linalg.norm(light[7:10])
    facing = np.maximum(-(light[10:13, None] * way).sum(axis=0), 0) * np.maximum(way[1], 0)
    return colour * area * facing / distance2 / np.pi  # type: ignore[no-any-return]


def to_display(value: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 of linear values, sRGB-encoded without any tone."""
    return (np.clip(linear_to_srgb(value), 0, 1) * 255 + 0.5).astype(np.uint8)
