"""Traced pictures: rays a second beside raw rays, the first one at rest, where time goes, and the draft beside them."""

from __future__ import annotations

import threading
import time
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.by_embreex import embreex_scene, whole
from benchmarks.pictures import SIZE, camera_pass
from benchmarks.timing import row
from collage.core.evaluate.run import never
from collage.core.kernels.embree import FAR, ORIGIN, WAY
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render import traced as traced_module
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.sky import sky_table
from collage.core.render.traced import Tracer
from collage.core.render.traced_pictures import Refining, TracedPicture
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Environment
from collage.core.scene.scene import Scene
from collage.demo.shed import make_sample

SAMPLES, RUNS = 64, 5


@contextmanager
def counted() -> Iterator[tuple[dict[str, float], dict[str, int]]]:
    """Seconds of all threads in rays, networks and kernels, and how many rays there were."""
    seconds: dict[str, float] = defaultdict(float)
    counts: dict[str, int] = defaultdict(int)
    lock = threading.Lock()

    def timed(name: str, call: Callable[..., Any], rays: int | None = None) -> Callable[..., Any]:
        def wrapped(*given: Any, **named: Any) -> Any:
            begin = time.perf_counter()
            try:
                return call(*given, **named)
            finally:
                with lock:
                    seconds[name] += time.perf_counter() - begin
                    if rays is not None:
                        counts[name] += len(given[rays])

        return wrapped

    nearest, mark, evaluate = Scene.nearest, Scene.mark_occluded, traced_module.evaluate_surface  # type: ignore[attr-defined]
    kernels, scattering = traced_module.k, traced_module.scattering
    scatter, meet = scattering.scatter, kernels.meet
    Scene.nearest = timed("rays", nearest, 1)  # type: ignore[method-assign]
    Scene.mark_occluded = timed("shadow rays", mark, 1)  # type: ignore[method-assign]
    traced_module.evaluate_surface = timed("networks", evaluate)  # type: ignore[attr-defined]
    scattering.__dict__["scatter"], kernels.__dict__["meet"] = timed("shading", scatter), timed("shading", meet)
    try:
        yield seconds, counts
    finally:
        Scene.nearest, Scene.mark_occluded = nearest, mark  # type: ignore[method-assign]
        traced_module.evaluate_surface = evaluate  # type: ignore[attr-defined]
        scattering.__dict__["scatter"], kernels.__dict__["meet"] = scatter, meet


def _asked(renderer: Renderer, making: TracedPicture) -> list[tuple[str, np.ndarray, np.ndarray, dict[str, Any]]]:
    """The rays of one sample of every pixel, in the parts in which they are asked, as embreex takes them."""
    asked: list[tuple[str, np.ndarray, np.ndarray, dict[str, Any]]] = []
    nearest, mark = Scene.nearest, Scene.mark_occluded

    def looked(self: Scene, *given: np.ndarray) -> Any:
        asked.append(("INTERSECT", given[0].copy(), given[1].copy(), {"output": 1}))
        return nearest(self, *given)

    def shadowed(self: Scene, rays: np.ndarray) -> None:
        parts = [rays[:, at : at + wide].copy() for at, wide in ((ORIGIN, 3), (WAY, 3), (FAR, 1))]
        asked.append(("OCCLUDED", *parts[:2], {"dists": parts[2].ravel()}))  # type: ignore[arg-type]
        mark(self, rays)

    Scene.nearest, Scene.mark_occluded = looked, shadowed  # type: ignore[method-assign, assignment]
    try:
        next(iter(making.passes()))
    finally:
        Scene.nearest, Scene.mark_occluded = nearest, mark  # type: ignore[method-assign]
    return [one for one in asked if len(one[1])]


def _shares(renderer: Renderer, request: PictureRequest) -> None:
    """Between samples embreex alone is asked a sample's rays: the speed of a machine is not the same for long."""
    parts = _asked(renderer, TracedPicture(renderer, replace(request, tracing=Tracing(samples=1))))
    making = TracedPicture(renderer, replace(request, tracing=Tracing(samples=SAMPLES)))
    scene, threads = embreex_scene(*whole(making.work.scene)), renderer.workers.count

    def ask(part: tuple[str, np.ndarray, np.ndarray, dict[str, Any]]) -> None:
        query, origins, ways, more = part
        scene.run(origins, ways, query=query, **more)

    traced, alone, asked = 0.0, 0.0, 0
    with counted() as (seconds, counts):
        begin = time.perf_counter()
        for _ in making.passes():
            between = time.perf_counter()
            renderer.workers.map(ask, parts)
            traced, begin = traced + between - begin, time.perf_counter()
            alone, asked = alone + begin - between, asked + sum(len(one[1]) for one in parts)
    rays, in_rays, every = (
        counts["rays"] + counts["shadow rays"],
        seconds["rays"] + seconds["shadow rays"],
        traced * threads,
    )
    told = ", ".join(f"{name} {100 * seconds[name] / every:.0f} %" for name in ("networks", "shading"))
    rest = 100 * (1 - (in_rays + seconds["networks"] + seconds["shading"]) / every)
    row(f"Traced {request.width}×{request.height}, {SAMPLES} samples", f"{traced:.1f} s",
        f"rays {100 * in_rays / every:.0f} %, {told}, the rest {rest:.0f} %")  # fmt: skip
    own, theirs = rays / every, asked / alone / threads
    row("  million rays a second and thread", f"{own / 1e6:.2f}", f"embreex alone {theirs / 1e6:.2f}", own / theirs)
    row("  what rays take of that", "", f"of embreex alone {theirs / 1e6:.2f}", rays / in_rays / theirs)


MOVED = 400, 300  # what the window comes to while the camera turns
STEPS = ("traced light on it, at rest", "on the whole picture", "", "first sample of every pixel")


def _first(renderer: Renderer, request: PictureRequest, one_pass: float) -> None:
    """From rest, after the last picture that a moving hand has seen of a new view."""
    refining, told = Refining(renderer), dict[str, list[float]]()
    for number in range(RUNS + 1):
        turn = request.bench.camera.turn + 2 * number + 1
        camera = request.bench.camera.model_copy(update={"turn": turn})
        new = replace(request, bench=request.bench.model_copy(update={"camera": camera}))
        seen = next(renderer.stages(replace(new, width=MOVED[0], height=MOVED[1], quality="coarse")))
        wanted = replace(new, quality="traced", tracing=Tracing(samples=1))
        begin, drafts = time.perf_counter(), chain([seen], renderer.stages(new))
        for _, what in zip(refining.pictures(drafts, wanted, never, every=0.0), STEPS, strict=False):
            told.setdefault(what, []).append(time.perf_counter() - begin)
    for name, times in told.items():
        seconds = sorted(times[1:])[RUNS // 2]
        if name:
            row(f"  {name}", f"{1000 * seconds:.0f} ms", f"12 passes {12000 * one_pass:.0f} ms",
                seconds / (12 * one_pass))  # fmt: skip


def _against_draft(renderer: Renderer, request: PictureRequest, name: str) -> None:
    traced = renderer.picture(replace(request, quality="traced", tracing=Tracing(samples=32)))
    draft = renderer.picture(request)
    on = draft.objects >= 0
    one, other = (picture.linear[on].mean() for picture in (draft, traced))
    apart = np.abs(draft.linear[on] - traced.linear[on]).mean() / traced.linear[on].mean()
    row(f"  draft beside traced, {name}", f"{100 * (one / other - 1):+.1f} % in the mean",
        f"{100 * apart:.1f} % a pixel, with noise")  # fmt: skip


def _importance(renderer: Renderer, request: PictureRequest) -> None:
    """Error after as many samples with directions drawn by the environment's light, and drawn evenly."""
    bench = request.bench.model_copy(update={"lights": (), "environment": Environment(file="environments/studio.exr")})
    small = replace(request, bench=bench, width=160, height=100)

    def linear(even: bool, samples: int, seed: int) -> np.ndarray:
        making = TracedPicture(renderer, replace(small, tracing=Tracing(samples=samples, seed=seed)))
        if even:
            sky = making.work.traceable().sky
            assert sky is not None
            flat = sky_table(np.ones_like(sky.texels[..., :3]))
            flat.texels[..., :3] = sky.texels[..., :3]
            making.tracer = Tracer(replace(making.work.traceable(), sky=flat), making.how, renderer.workers)
        *_, (exposed, _) = making.passes()
        return exposed.on_film()[:, :3]

    exact = linear(False, 512, 5)
    errors = [float(((linear(even, 16, 1) - exact) ** 2).mean()) for even in (False, True)]
    row("  samples to the same error, sky by its light", f"{errors[0]:.2e}", f"drawn evenly {errors[1]:.2e}",
        errors[0] / errors[1])  # fmt: skip


def measure(folder: Path) -> None:
    """folder : where the samples are written."""
    for name in ("potting-shed", "yard"):
        place = folder / name
        if not place.exists():
            make_sample(name, place)
        project, _ = load_project(place)
        request, renderer = picture_request(project, *SIZE, folder=place), Renderer(load_library())
        renderer.picture(replace(request, quality="traced", width=64, height=48, tracing=Tracing(samples=1)))
        renderer.picture(request)
        _first(renderer, request, camera_pass(renderer, request))
        if name == "potting-shed":
            _importance(renderer, request)
        _shares(renderer, request)
        _against_draft(renderer, request, name)
