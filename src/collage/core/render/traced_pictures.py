"""Traced pictures on demand: better and better ones for a window, and one that is finished for a file."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import replace
from functools import cached_property
from pathlib import Path

import numpy as np

from collage.core.base.progress import Progress, Steps
from collage.core.evaluate.run import never
from collage.core.kernels.path_rows import BASE_COLOUR, SEEN_NORMAL
from collage.core.render.denoise import denoised
from collage.core.render.eased import eased, levels_of
from collage.core.render.film import developed
from collage.core.render.host import Host
from collage.core.render.layers import layers_of_picture
from collage.core.render.lighting import COMPLETE, View
from collage.core.render.request import Picture, PictureRequest, uncovered
from collage.core.render.traced import Exposed, Tracer
from collage.core.render.work import Work
from collage.core.scene.scene import REGION

SPARSE = 3  # pixels a side that share a path in the first look at traced light
KEPT_EVERY = 20.0  # seconds between two times that a picture for a file is kept as far as it is
MOST_PICKED = 10_000_000  # pixels of a picture in which objects can be picked; larger ones are for files


class TracedPicture:
    """One traced picture in the making. layers : whether it has them, for a file."""

    def __init__(
        self, renderer: Host, request: PictureRequest, cancelled: Callable[[], bool] = never, layers: bool = False
    ) -> None:
        self.begin, self.request, self.renderer, self.how = time.perf_counter(), request, renderer, request.tracing
        self.layers = layers
        reliefs = renderer.reliefs.of(request, renderer.workers, cancelled)
        self.work = Work(renderer, request, reliefs, COMPLETE, cancelled)
        self.tracer = Tracer(self.work.traceable(occlusion=layers), self.how, renderer.workers, cancelled)
        self._environment = renderer.caches.environment_key(request.bench, request.folder)
        self._sparse: np.ndarray | None = None

    @cached_property
    def view(self) -> View | None:
        """The samples of its pixels; None where it is too large to pick in. Raises Cancelled."""
        request, work = self.request, self.work
        if request.width * request.height > MOST_PICKED:
            return None
        return self.renderer.view(request, work.reliefs, (0.0, 0.0), self.tracer.cancelled)

    @property
    def stale(self) -> bool:
        """Whether files that it was made from have changed since."""
        request = self.request
        if self.renderer.caches.environment_key(request.bench, request.folder) != self._environment:
            return True
        return any(self.work.again(name).key != one.key for name, one in self.work.surfaces.items())

    def go_on(self, cancelled: Callable[[], bool]) -> None:
        """Takes it up again for somebody who calls it off in another way."""
        self.tracer.cancelled = cancelled

    def passes(self) -> Iterator[tuple[Exposed, bool]]:
        """What is exposed after each sample of every pixel, and whether that is enough. Raises Cancelled.

        What was enough before is told once more.
        """
        if self._enough(self.tracer.exposed):
            yield self.tracer.exposed, True
            return
        for exposed in self.tracer.passes():
            done = self._enough(exposed)
            yield exposed, done
            if done:
                return

    def _enough(self, exposed: Exposed) -> bool:
        how = self.how
        if not exposed.samples:
            return False
        spent = 0 < how.seconds <= time.perf_counter() - self.begin
        return spent or exposed.samples >= how.samples or (how.noise > 0 and exposed.noise() < how.noise)

    def over(self, draft: Picture) -> Picture:
        """A draft of the same with the light that paths have found by now; before any sample, see `glimpse`."""
        exposed = self.tracer.exposed
        return self.picture(exposed, False, draft) if exposed.samples and self._is_whole(draft) else self.glimpse(draft)

    def _is_whole(self, draft: Picture) -> bool:
        """Whether a draft is as large as the picture."""
        return draft.display.shape[:2] == (self.request.height, self.request.width)

    def glimpse(self, draft: Picture) -> Picture:
        """A draft with the light that one path for every SPARSE x SPARSE pixels finds."""
        film = self._sparse_film()
        return self._picture(film, Exposed(0), False, draft) if self._is_whole(draft) else self._on_small(film, draft)

    def _sparse_film(self) -> np.ndarray:
        """(pixels, 4), see Exposed.on_film, of few paths."""
        if self._sparse is None:
            width, height = (-(-side // SPARSE) for side in self.request.size)
            what, how = replace(self.work.traceable(), size=(width, height), rows=None), replace(self.how, samples=1)
            *_, exposed = Tracer(what, how, self.renderer.workers, self.tracer.cancelled).passes()
            film = exposed.on_film().reshape(height, width, -1).repeat(SPARSE, axis=0).repeat(SPARSE, axis=1)
            film = film[: self.request.height, : self.request.width]
            self._sparse = np.ascontiguousarray(film.reshape(-1, film.shape[2]))
        return self._sparse

    def _on_small(self, film: np.ndarray, draft: Picture) -> Picture:
        """A smaller draft with the light of a film: what a moving hand has just seen needs no rays from the eye."""
        shape, (height, width) = (self.request.height, self.request.width), draft.display.shape[:2]
        rows, columns = (
            (2 * np.arange(few) + 1) * many // (2 * few) for few, many in zip((height, width), shape, strict=True)
        )
        light = self.work.backdrop.under(film).reshape(*shape, 3)[rows[:, None], columns]
        normal = np.zeros_like(light)
        linear = eased(draft.linear, light, draft.objects, normal, levels_of(1), self.renderer.workers)
        alpha = None if draft.alpha is None else draft.alpha.reshape(-1)
        display = developed(self.request, uncovered(linear.reshape(-1, 3), alpha), self.renderer.workers)
        return replace(draft, display=display.reshape(height, width, 3), linear=linear, complete=False)

    def picture(self, exposed: Exposed, done: bool, draft: Picture | None = None) -> Picture:
        """The picture as far as it is exposed. draft : of the same, which shows the light that few samples find."""
        return self._picture(exposed.on_film(), exposed, done, None if done else draft)

    def _eased(self, draft: Picture, linear: np.ndarray, levels: int) -> np.ndarray:
        assert self.view is not None
        scene, triangle = self.work.scene, self.view.samples.triangle
        normal = np.where((triangle >= 0)[..., None], scene.faces[triangle, :3], np.float32(0))
        return eased(draft.linear, linear, scene.ids[REGION].take(triangle), normal, levels, self.renderer.workers)

    def _picture(self, film: np.ndarray, exposed: Exposed, done: bool, draft: Picture | None) -> Picture:
        request, work = self.request, self.work
        work.note_broken_tiles()
        shape = (request.height, request.width, 3)
        linear, alpha = work.backdrop.under(film).reshape(shape), work.backdrop.alpha(film)
        levels = levels_of(max(exposed.samples, 1))
        if draft is not None and levels and self._is_whole(draft) and self.view is not None:
            linear = self._eased(draft, linear, levels)
        if self.how.denoised and done:
            guides = (exposed.guide(row).reshape(shape) for row in (BASE_COLOUR, SEEN_NORMAL))
            linear = denoised(linear, *guides)
        shown = uncovered(linear.reshape(-1, 3), alpha)
        display = developed(request, shown, self.renderer.workers).reshape(shape)
        scene = work.scene
        triangle = self.view.samples.triangle if self.view is not None else np.zeros((0, 0), np.int32)
        return Picture(
            display, linear, scene.before(triangle), scene.undivided_ids, work.problems,
            time.perf_counter() - self.begin, complete=done, remarks=tuple(work.remarks), samples=exposed.samples,
            noise=exposed.noise(), alpha=None if alpha is None else alpha.reshape(shape[:2]),
            layers=layers_of_picture(exposed, scene, request.bench, triangle) if self.layers else {},
        )  # fmt: skip


class Refining:
    """Traced pictures that get better while nothing is touched, and go on where they were left. For one picture."""

    def __init__(self, renderer: Host) -> None:
        self.renderer = renderer
        self._made: TracedPicture | None = None

    def pictures(
        self, drafts: Iterable[Picture], request: PictureRequest, cancelled: Callable[[], bool], every: float = 0.3
    ) -> Iterator[Picture]:
        """Better and better pictures; the last one is as good as was asked for. Raises Cancelled, CollageError.

        drafts : of the same picture, each better than the one before; the first may be smaller. As soon as all maps are
        read, they are shown with traced light. every : seconds at least between two traced pictures.
        """
        making: TracedPicture | None = None
        draft: Picture | None = None
        for draft in drafts:
            if self.renderer.images.reading and not draft.complete:
                yield draft
                continue
            making = making or self._of(request, cancelled)
            yield making.over(draft)
        making = making or self._of(request, cancelled)
        told = time.perf_counter()
        for exposed, done in making.passes():
            if done or time.perf_counter() >= told + every:
                yield making.picture(exposed, done, draft)
                told = time.perf_counter()

    def _of(self, request: PictureRequest, cancelled: Callable[[], bool]) -> TracedPicture:
        """The one that was left, if it is of this, or a new one."""
        making = self._made
        if making is None or making.request != request or making.stale:
            self._made = making = TracedPicture(self.renderer, request, cancelled)
        making.go_on(cancelled)
        return making


class Kept:
    """A file in which a traced picture is kept as far as it is exposed, so that it goes on from there."""

    def __init__(self, path: Path) -> None:
        self.path, self._last = path, time.monotonic()

    def begin(self, tracer: Tracer) -> None:
        """Takes up what was kept of the same picture, if anything was."""
        exposed = Exposed.read(self.path, len(tracer.exposed.squares))
        if exposed is not None:
            tracer.take_up(exposed)

    def keep(self, exposed: Exposed, *, now: bool = False) -> None:
        """Keeps it, now or if that was some time ago. A full disk is no harm here: it is told where it is."""
        if now or time.monotonic() > self._last + KEPT_EVERY:
            with suppress(OSError):
                exposed.write(self.path)
            self._last = time.monotonic()


def traced_steps(
    renderer: Host, request: PictureRequest, cancelled: Callable[[], bool] = never, kept: Kept | None = None
) -> Steps[Picture]:
    """The finished picture with its layers, as steps that say how far it is. Raises Cancelled, CollageError.

    kept : where it is kept meanwhile, and how far it is where these steps are closed before their end.
    """
    making = TracedPicture(renderer, request, cancelled, layers=True)
    if kept is not None:
        kept.begin(making.tracer)
    how = making.how
    for exposed, done in making.passes():
        if kept is not None:
            kept.keep(exposed, now=done)
        if done:
            break
        share = exposed.samples / how.samples
        if how.seconds:
            share = max(share, (time.perf_counter() - making.begin) / how.seconds)
        try:
            yield Progress(f"Tracing, {exposed.samples} samples", min(share, 1.0))
        except GeneratorExit:
            if kept is not None:
                kept.keep(exposed, now=True)
            raise
    return making.picture(exposed, done).cropped(request.region)
