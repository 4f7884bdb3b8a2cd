"""Pictures on demand: the window, the command line and the tests all ask here."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from copy import copy
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from collage.core.base.memory import keep_freed_memory
from collage.core.base.progress import Progress, Steps, finished
from collage.core.document.materials import has_displacement
from collage.core.document.model import Network
from collage.core.evaluate.literals import Loud
from collage.core.evaluate.plan import sends_rays
from collage.core.evaluate.run import Cancelled, ResultCache, Workers, never
from collage.core.images.store import WAIT, ImageStore
from collage.core.nodes.library import Library
from collage.core.render.caches import RenderCaches, look_key, view_key
from collage.core.render.film import developed
from collage.core.render.heights import HEIGHTS
from collage.core.render.lighting import COARSE, COMPLETE, FIRST, STAGES, View
from collage.core.render.plans import Plans
from collage.core.render.relief import ReliefMaker, Reliefs
from collage.core.render.request import Picture, PictureRequest, uncovered, whole_region
from collage.core.render.samples import Samples, Window, find_samples
from collage.core.render.surface import (
    Surface,
    plan_surface,
)
from collage.core.render.tiles import ACROSS, PIXELS, WHOLE, Tile, tiles
from collage.core.render.traced_pictures import MOST_PICKED, traced_steps
from collage.core.render.work import Work
from collage.core.scene.bench import Bench
from collage.core.scene.scene import Scene, build_bounds

Shifts = tuple[tuple[float, float], ...]
MOST_GREY = 30  # pictures in a row in which greys stand in for maps; a budget smaller than the maps never has all
BETWEEN = 0.3  # seconds at least between two pictures that show more maps each
FEW = 25_000  # pixels of a picture in motion that are made sooner by one thread than handed to several
FINAL_SHIFTS = ((-0.125, -0.375), (0.375, -0.125), (0.125, 0.375), (-0.375, 0.125))


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

    def ready_for_hand(self, request: PictureRequest, material: str, cancelled: Callable[[], bool] = never) -> None:
        """Makes ready what stays while a hand changes the relief of a material, so that its first picture is there as
        soon as the next ones. Raises Cancelled."""
        if not has_displacement(request.materials[material]):
            return
        shown, moved = (self.reliefs.of(request, self.workers, cancelled, moved=name) for name in (None, material))
        if moved.keys != shown.keys:
            self.caches.scene(request.bench, request.geometry_key, shown.objects)
            self.caches.scene(request.bench, request.geometry_key, moved.objects, moving=True)

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
        """The complete picture, or its region, as steps that say how far it is; see `picture`. A large one is made in
        tiles."""
        if request.traced:
            return (yield from traced_steps(self, request, cancelled))
        left, top, wide, high = whole_region(request.region, request.size)
        begin = time.perf_counter()
        shifts = FINAL_SHIFTS if request.quality == "final" else ((0.0, 0.0),)
        reliefs = self.reliefs.of(request, self.workers, cancelled)
        work = Work(self, request, reliefs, COARSE if request.quality == "coarse" else COMPLETE, cancelled)
        parts = list(tiles(*request.size, whole=0 if request.quality == "final" else WHOLE))
        if request.region is not None:
            every = tiles(*request.size, PIXELS // 8, ACROSS // 4)
            parts = [one for one in every if one.inner.meets(Window(left, top, wide, high))]
        if len(parts) > 1 or request.region is not None:
            return (yield from self._in_tiles(request, parts, shifts, work, begin)).cropped(request.region)
        total: np.ndarray | None = None
        for done, shift in enumerate(shifts):
            view = self.view(request, reliefs, shift, cancelled)
            linear = work.linear(view)
            self.caches.views.recount(view_key(request, shift, reliefs.keys))  # its light is known by now
            total = linear if total is None else total + linear
            yield Progress("Rendering", (done + 1) / len(shifts))
        assert total is not None
        return self._picture(request, view, total / np.float32(len(shifts)), work, begin)

    def _in_tiles(
        self, request: PictureRequest, parts: list[Tile], shifts: Shifts, work: Work, begin: float
    ) -> Steps[Picture]:
        """One tile after the other; nothing of a tile is kept but its pixels."""
        shape = (request.height, request.width)
        linear, display = np.empty((*shape, 3), np.float32), np.empty((*shape, 3), np.uint8)
        picked = request.width * request.height <= MOST_PICKED and request.region is None
        triangle = np.empty(shape if picked else (0, 0), np.int32)
        scene, alpha = work.scene, np.zeros(shape, np.float32) if work.backdrop.is_nothing else None
        for done, tile in enumerate(parts):
            total = np.zeros((tile.outer.width * tile.outer.height, 4), np.float32)
            for number, shift in enumerate(shifts):
                view = View(scene, self._samples(scene, request, shift, tile.outer, work.cancelled))
                total += work.linear(view)
                self.caches.forget(view)
                yield Progress("Rendering", (done + (number + 1) / len(shifts)) / len(parts))
            total /= np.float32(len(shifts))
            inside = tile.inner.rows, tile.inner.columns
            made = work.backdrop.under(total, tile.outer).reshape(tile.outer.height, tile.outer.width, 3)
            made = made[tile.rows, tile.columns]
            if alpha is not None:
                clear = work.backdrop.alpha(total)
                assert clear is not None
                alpha[inside] = clear.reshape(tile.outer.height, tile.outer.width)[tile.rows, tile.columns]
            linear[inside] = made
            pixels = np.ascontiguousarray(made).reshape(-1, 3)
            pixels = uncovered(pixels, None if alpha is None else alpha[inside].reshape(-1))
            display[inside] = developed(request, pixels, self.workers).reshape(made.shape)
            if picked:
                triangle[inside] = scene.before(view.samples.triangle[tile.rows, tile.columns])
        work.note_broken_tiles()
        seconds, remarks = time.perf_counter() - begin, tuple(work.remarks)
        return Picture(
            display, linear, triangle, scene.undivided_ids, work.problems, seconds, remarks=remarks, alpha=alpha
        )

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
        few = request.quality == "coarse" and request.width * request.height <= FEW
        maker = self.by_one_thread if few else self
        return maker._stages(request, cancelled, patient)

    @cached_property
    def by_one_thread(self) -> Renderer:
        """The same with the caller's thread alone."""
        one = copy(self)
        one.workers = Workers(1)
        return one

    def _stages(self, request: PictureRequest, cancelled: Callable[[], bool], patient: bool) -> Iterator[Picture]:
        begin = time.perf_counter()
        reliefs = self.reliefs.of(request, self.workers, cancelled)
        view = self.view(request, reliefs, (0.0, 0.0), cancelled)
        work = Work(self, request, reliefs, FIRST, cancelled, patient=False)
        for number in range(MOST_GREY):
            if not (patient and work.waiting):
                break
            loaded = self.images.loaded
            yield self._staged(request, view, work, begin)
            more = self._more_maps(loaded, cancelled) and number < MOST_GREY - 1
            work = Work(self, request, reliefs, FIRST, cancelled, patient=not more)
        if request.lit:
            known = view.knows(work.around, request.bench.around.turn, work.drafted)
        else:  # what needs no light may look around with rays of its own
            known = not any(sends_rays(surface.plan) for surface in work.surfaces.values())
        for stage in (COMPLETE,) if known else STAGES:
            work.stage = stage
            yield self._staged(request, view, work, begin)

    def _staged(self, request: PictureRequest, view: View, work: Work, begin: float) -> Picture:
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

    def _picture(self, request: PictureRequest, view: View, film: np.ndarray, work: Work, begin: float) -> Picture:
        work.note_broken_tiles()
        shape = (request.height, request.width, 3)
        linear, alpha = work.backdrop.under(film), work.backdrop.alpha(film)
        display = developed(request, uncovered(linear, alpha), self.workers).reshape(shape)
        return Picture(
            display,
            linear.reshape(shape),
            view.scene.before(view.samples.triangle),
            view.scene.undivided_ids,
            work.problems,
            time.perf_counter() - begin,
            remarks=tuple(work.remarks),
            span=work.reliefs.span if request.mode == HEIGHTS else None,
            alpha=None if alpha is None else alpha.reshape(shape[:2]),
        )

    def view(
        self, request: PictureRequest, reliefs: Reliefs, shift: tuple[float, float], cancelled: Callable[[], bool]
    ) -> View:
        """Samples for a request; the same ones as long as camera and objects stay."""
        if cancelled():
            raise Cancelled

        def make() -> View:
            moving = request.quality == "coarse"
            scene = self.caches.scene(request.bench, request.geometry_key, reliefs.objects, moving)
            look = look_key(request, shift)
            samples = self._samples(scene, request, shift, None, cancelled)
            before = self.caches.view_before(scene, look)
            return before.followed(scene, samples) if before is not None else View(scene, samples, look)

        return self.caches.views.get_or_make(view_key(request, shift, reliefs.keys), make)

    def surface(self, name: str, network: Network, folder: Any, loud: Loud, until: float | None = None) -> Surface:
        """The plan of a material; the one before, while neither the network nor its files have changed.

        until : see `build_plan`.
        """

        def make(before: Surface | None) -> Surface:
            return plan_surface(
                self.library, network, folder=folder, images=self.images, loud=loud, until=until, before=before
            )

        return self.plans.get((name, until is None), network, (folder, loud), make)
