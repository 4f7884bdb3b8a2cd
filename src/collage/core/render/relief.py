"""Which objects of a picture are displaced, and how: worked out once for all pictures that show them alike."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from typing import Any

from collage.core.base.errors import CollageError
from collage.core.document.materials import has_displacement
from collage.core.evaluate.run import Workers, never
from collage.core.nodes.library import Library
from collage.core.render.caches import RenderCaches
from collage.core.render.displacement import HEIGHT, SCALE, displaced, targets_of
from collage.core.render.fine_relief import SLOPES, with_slopes
from collage.core.render.heights import Span, span_of
from collage.core.render.plans import Plans
from collage.core.render.request import PictureRequest
from collage.core.render.surface import Surface, plan_targets
from collage.core.scene.bench import BenchObject
from collage.core.scene.displaced import BEGINNING, DEEPEST, ENOUGH_IN_MOTION, Displaced, Fine, fine, level_for
from collage.core.scene.pixel_size import PixelSize, pixel_size
from collage.core.scene.scene import Scene

ROUNDS_OF = {"coarse": 3, "draft": 3, "final": 6, "traced": 3}
"""By the quality of a picture, how often edges may be halved; a coarse one shows what a draft has, if it is there."""
MORE_BY_VIEW = 2  # rounds, for an object that is divided by what the picture shows


@dataclass(frozen=True, eq=False)
class Wanted:
    """How an object is to be displaced. moving : what moves each of its regions. key : names all of it.

    level : how often all of it is divided. rounds : in which it is divided further where the height asks for it.
    pixel : how large one is on it, where that says how finely. passing : whether it is coarser than asked for while a
    hand moves.
    """

    level: int
    rounds: int
    pixel: PixelSize | None
    moving: tuple[Surface | None, ...]
    key: str
    passing: bool = False


@dataclass(frozen=True, eq=False)
class Reliefs:
    """The displaced objects of a picture by number, and what is to be told of them.

    slopes : by material, the slopes of its displacement, see `fine_relief`.
    """

    objects: Mapping[int, Displaced] = field(default_factory=dict)
    slopes: Mapping[str, Surface] = field(default_factory=dict)
    remarks: tuple[str, ...] = ()

    @cached_property
    def span(self) -> Span:
        """How low and how high they go, metres."""
        return span_of(self.objects.values())

    @property
    def keys(self) -> tuple[str, ...]:
        """Names of all that is displaced."""
        return tuple(f"{number} {one.key}" for number, one in self.objects.items())


class ReliefMaker:
    """Divides and moves what a picture shows displaced. May be used from several threads."""

    def __init__(self, library: Library, plans: Plans, caches: RenderCaches) -> None:
        self.library, self.plans, self.caches = library, plans, caches

    def keys(self, request: PictureRequest) -> tuple[str, ...]:
        """Names of all that would be displaced; nothing is divided or moved for it."""
        wanted, _ = self._wanted(request)
        return tuple(f"{number} {one.key}" for number, one in wanted.items())

    def of(
        self,
        request: PictureRequest,
        workers: Workers | None = None,
        cancelled: Callable[[], bool] = never,
        enough: int = 0,
        moved: str | None = None,
    ) -> Reliefs:
        """All displaced objects of a picture. Raises Cancelled.

        enough : triangles of each, evenly divided; 0 for as many as a picture of its quality has. moved : a material
        that a hand changes, so that what wears it is as coarse as in motion.
        """
        wanted, told = self._wanted(request, enough, moved)
        if not wanted:
            return Reliefs(remarks=tuple(told))
        scene = self.caches.scene(request.bench, request.geometry_key)
        found: dict[int, Displaced] = {}
        moving: list[Surface | None] = [None] * len(scene.regions)
        for number, one in wanted.items():
            item = request.bench.objects[number]
            for at, (of, rule) in enumerate(scene.regions):
                if of == number:
                    moving[at] = one.moving[rule + 1]
            make = partial(self._make, item, number, one, scene, moving, workers, cancelled)
            found[number], remarks = self.caches.displaced.get_or_make(one.key, make)
            told += [f"“{item.name}”: {text}" for text in remarks]
        worn = {name for number in found for name in request.bench.objects[number].materials}
        slopes = {name: self._slopes(request, name) for name in sorted(worn & request.materials.keys())}
        return Reliefs(found, {name: one for name, one in slopes.items() if one is not None}, tuple(told))

    def _make(
        self, item: BenchObject, number: int, one: Wanted, scene: Scene, moving: list[Surface | None],
        workers: Workers | None, cancelled: Callable[[], bool],
    ) -> tuple[Displaced, tuple[str, ...]]:  # fmt: skip
        divided = self._fine(item, one.level)
        return displaced(
            item, number, divided, scene, moving, one.key, rounds=one.rounds, pixel=one.pixel, passing=one.passing,
            workers=workers, cancelled=cancelled,
        )  # fmt: skip

    def _fine(self, item: BenchObject, level: int) -> Fine:
        how = item.division.smooth, item.division.crease, item.division.hold_borders
        return self.caches.fine.get_or_make((item.key, level, *how), lambda: fine(item.mesh(), level, *how))

    def _wanted(
        self, request: PictureRequest, enough: int = 0, moved: str | None = None
    ) -> tuple[dict[int, Wanted], list[str]]:
        movings: dict[str, Surface] = {}
        told: list[str] = []
        for name in sorted(set(request.bench.worn) & request.materials.keys()):
            if has_displacement(request.materials[name]):
                try:
                    moving = self._moving(request, name)
                except CollageError as error:
                    told.append(f"The displacement of “{name}” is not shown: {error}")
                    continue
                if moving is not None:
                    movings[name] = moving
        wanted: dict[int, Wanted] = {}
        for number, item in enumerate(request.bench.objects):
            worn = [item.material_of(rule) for rule in range(-1, len(item.assigned))]
            if not item.hidden and any(name in movings for name in worn):
                try:
                    if not len(item.mesh().triangles):
                        continue
                    by = tuple(movings.get(name) for name in worn)
                    wanted[number] = self._want(request, item, by, enough, moved in worn)
                except CollageError:  # its mesh cannot be read, which the scene tells
                    continue
                level, asked = wanted[number].level, item.division.level
                if asked is not None and level < min(asked, DEEPEST):
                    told.append(f"“{item.name}” is divided {level} times, not {asked}: it has too many faces.")
        return wanted, told

    def _want(
        self, request: PictureRequest, item: BenchObject, moving: tuple[Surface | None, ...], enough: int, moved: bool
    ) -> Wanted:
        """Coarser for a moving hand, unless the fine one is there already. moved : coarser in any case."""
        mesh, asked = item.mesh(), None if enough else item.division.level
        pixel = None
        if item.division.by_view and asked is None and not enough:
            pixel = pixel_size(request.bench.camera, item, request.width, request.height)
        choices = []
        for most, rounds in ((enough or BEGINNING, ROUNDS_OF[request.quality]), (ENOUGH_IN_MOTION, 0)):
            level = level_for(mesh, asked, most, item.division.detail)
            rounds = rounds if asked is None and not enough else 0
            rounds += MORE_BY_VIEW if rounds and pixel else 0
            moved_by = (one.key if one else "" for one in moving)
            parts = [item.key, f"{level} {rounds} {item.division} {pixel if rounds else None}", *moved_by]
            key = hashlib.blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()
            choices.append(Wanted(level, rounds, pixel, moving, key))
        in_motion = moved or (request.quality == "coarse" and choices[0].key not in self.caches.displaced)
        passing = choices[1].key != choices[0].key
        return replace(choices[1], passing=passing) if in_motion else choices[0]

    def _slopes(self, request: PictureRequest, name: str) -> Surface | None:
        """The slopes of a material's displacement; None where it has none."""
        try:
            planned = self._planned(request, name)
        except CollageError:  # told where it was to move the surface
            return None
        return _some(planned, (SLOPES, SCALE)) if planned is not None and SLOPES in planned.plan.outputs else None

    def _moving(self, request: PictureRequest, name: str) -> Surface | None:
        """What moves a material's surface; None where nothing does. Raises CollageError."""
        planned = self._planned(request, name)
        if planned is None:
            return None
        for error in planned.problems.values():
            raise error
        return _some(planned, (HEIGHT, SCALE))

    def _planned(self, request: PictureRequest, name: str) -> Surface | None:
        """One plan for a material's displacement and its slopes; None where it has none. Raises CollageError."""
        network = request.materials[name]
        targets = targets_of(network)
        if not targets:
            return None
        sloped, more = with_slopes(network)

        def make(before: Surface | None) -> Surface:
            how: dict[str, Any] = {"folder": request.material_folder, "images": self.plans.images}
            return plan_targets(self.library, sloped, {**targets, **more}, before, **how)

        return self.plans.get((name, "displacement"), network, (request.material_folder,), make)


def _some(surface: Surface, names: Collection[str]) -> Surface:
    """The same with some of its outputs."""
    outputs = {name: one for name, one in surface.plan.outputs.items() if name in names}
    return replace(surface, plan=replace(surface.plan, outputs=outputs))
