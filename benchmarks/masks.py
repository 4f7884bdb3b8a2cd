"""Masks that look around: their rays beside raw shadow rays, their first look, and a hand that turns the sample."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.pictures import SIZE, camera_pass
from benchmarks.timing import median, row
from collage.core.document.model import Card, Input, Network
from collage.core.evaluate.plan import CardOutput, Plan, build_plan
from collage.core.evaluate.run import Workers, run
from collage.core.geometry.points import Points
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.samples import FIRST_EFFORT, find_samples, over_blocks
from collage.core.scene.scene import GROUND, Scene
from collage.demo.shed import make_sample

RAYS, MANY, MOVING = 48, 256, (300, 190)
LEFT_OUT = 6  # of the places, for MANY rays: raw ones are all kept at once


def _raw(scene: Scene, points: Points, rays: int, workers: Workers) -> float:
    """Seconds for as many shadow rays from the same places, straight through Embree."""
    rng, position, normal = np.random.default_rng(1), points.position, points.normal
    origins = np.ascontiguousarray(np.repeat((position + normal * np.float32(2e-4)).T, rays, axis=0))
    ways = rng.normal(size=origins.shape).astype(np.float32)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    ways *= np.sign(np.einsum("ij,ij->i", ways, np.repeat(normal.T, rays, axis=0)))[:, None]
    far = np.full(len(ways), 0.05, np.float32)

    def trace() -> None:
        over_blocks(workers, lambda cut: scene.occluded(origins[cut], ways[cut], far[cut]), len(ways), 2**18)

    return median(trace, 3)


def _mask(renderer: Renderer, rays: int) -> Plan:
    inputs = {"reach": Input("reach", "float", 0.05), "samples": Input("samples", "integer", rays)}
    network = Network().with_card(Card("mask", "clg_occlusion", "float", inputs))
    return build_plan(renderer.library, network, {"mask": CardOutput("mask")})


def _rate(renderer: Renderer, scene: Scene, points: Points, rays: int) -> None:
    plan = _mask(renderer, rays)
    ours = median(lambda: run(plan, points, workers=renderer.workers), 3)
    raw = _raw(scene, points, rays, renderer.workers)
    row(f"Crevice mask of {rays} rays, millions a second", f"{points.count * rays / ours / 1e6:.1f}",
        f"shadow rays alone {points.count * rays / raw / 1e6:.1f}", raw / ours)  # fmt: skip


def measure(folder: Path) -> None:
    """folder : where the sample is written."""
    make_sample("weathered-yard", folder)
    project, _ = load_project(folder)
    request, renderer = picture_request(project, *SIZE, folder=folder), Renderer(load_library())
    renderer.picture(request)
    one_pass = camera_pass(renderer, request)
    scene = renderer.scene(request)
    found = find_samples(scene, request.bench.camera, SIZE)
    groups = [one for one in found.groups if one.region != GROUND and not one.beside]
    points = max((one.points for one in groups), key=lambda one: one.count).changed(effort=1.0)
    _rate(renderer, scene, points, RAYS)
    _rate(renderer, scene, points.some(np.arange(0, points.count, LEFT_OUT)), MANY)
    plan = _mask(renderer, RAYS)
    first = sum(
        median(lambda one=one: run(plan, one.points, workers=renderer.workers), 3)  # type: ignore[misc]
        for one in groups
        if one.points.effort == FIRST_EFFORT
    )
    row("  first look, on every object", f"{1000 * first:.0f} ms", f"12 passes {12000 * one_pass:.0f} ms",
        first / (12 * one_pass))  # fmt: skip
    moving, seconds = replace(request, quality="coarse", width=MOVING[0], height=MOVING[1]), []
    for turn in range(6):
        camera = request.bench.camera.model_copy(update={"turn": 14.0 + 3 * turn})
        begin = time.perf_counter()
        renderer.picture(replace(moving, bench=request.bench.model_copy(update={"camera": camera})))
        seconds.append(time.perf_counter() - begin)
    row(f"  the sample from a new side, {MOVING[0]}×{MOVING[1]}", f"{1000 * sorted(seconds)[3]:.0f} ms", "")
