"""Displacement in the yard: a changed depth of its floor, coarse and complete; division beside Embree's build."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.by_embreex import embreex_scene, whole
from benchmarks.pictures import SIZE, camera_pass
from benchmarks.timing import row
from collage.core.document import edits
from collage.core.document.materialx import parse_document
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench, Camera, DistantLight, Division, stock
from collage.demo.shed import make_sample

RUNS = 7


def _floor(folder: Path) -> PictureRequest:
    """The floor alone, as the yard has it."""
    project, _ = load_project(folder)
    bench = project.bench.model_copy(update={"objects": project.bench.objects[:1]})
    return picture_request(project.with_bench(bench), *SIZE, folder=folder)


def _deeper(request: PictureRequest, depth: float) -> PictureRequest:
    name = "Slate floor"
    changed = edits.set_value(request.materials[name], "depth", "depth", "float", depth)
    return replace(request, materials={**request.materials, name: changed})


def _seconds(make: Callable[[], object]) -> float:
    begin = time.perf_counter()
    make()
    return time.perf_counter() - begin


def _embree(positions: np.ndarray, triangles: np.ndarray) -> float:
    """Seconds of building a tree of the same triangles, which share their corners, by embreex alone."""
    positions, triangles = positions.astype(np.float32), triangles.astype(np.int32)
    return _seconds(lambda: embreex_scene(positions, triangles))


RIDGE = """<materialx version="1.39">
<texcoord name="t" type="vector2"/>
<separate2 name="s" type="multioutput"><input name="in" type="vector2" nodename="t"/></separate2>
<subtract name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
    <input name="in2" type="float" value="0.437"/></subtract>
<absval name="b" type="float"><input name="in" type="float" nodename="a"/></absval>
<range name="h" type="float"><input name="in" type="float" nodename="b"/><input name="inlow" type="float" value="0.02"/>
    <input name="inhigh" type="float" value="0"/><input name="doclamp" type="boolean" value="true"/></range>
<open_pbr_surface name="surface" type="surfaceshader"/>
<displacement name="d" type="displacementshader"><input name="displacement" type="float" nodename="h"/>
    <input name="scale" type="float" value="0.03"/></displacement>
<surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
    <input name="displacementshader" type="displacementshader" nodename="d"/></surfacematerial>
</materialx>"""


def adaptive() -> None:
    """Triangles where the height asks for them, beside as many of an even division as make the picture as near."""
    renderer, network = Renderer(load_library()), parse_document(RIDGE.encode())

    def picture(level: int | None) -> tuple[np.ndarray, int]:
        ball = stock("Ball", "sphere", material="m", sizes={"segments": 8}, division=Division(level=level))
        camera = Camera(height=14).framing(*ball.mesh().bounds)
        bench = Bench(objects=(ball,), lights=(DistantLight(turn=60, height=18),), camera=camera)
        request = PictureRequest(bench, {"m": network}, 200, 160, quality="final")
        (found,) = renderer.reliefs.of(request).objects.values()
        return renderer.picture(request).linear, len(found.mesh.triangles)

    reference, _ = picture(8)
    ours, count = picture(None)
    even = [picture(level) for level in range(1, 7)]
    errors = [float(np.abs(one - reference).mean()) for one, _ in even]
    error = float(np.abs(ours - reference).mean())
    counts = np.log([number for _, number in even])
    needed = float(np.exp(np.interp(-np.log(error), -np.log(errors), counts)))
    row("A ridge, divided where it is", f"{count:,} triangles", f"evenly {needed:,.0f}", count / needed)


IN_MOTION = 160, 120  # what the window comes to while a depth is dragged


def _changed(renderer: Renderer, request: PictureRequest, what: str) -> None:
    """A changed depth: in motion, and at rest the first picture, as large and as finely divided as asked, and the one
    with all rays; each time beside what it is measured by, since the machine's speed changes."""
    renderer.picture(request)
    found: dict[str, list[float]] = defaultdict(list)
    for number in range(RUNS + 1):
        changed = _deeper(request, 0.010 + 0.001 * number)
        width, height = IN_MOTION
        moving = replace(changed, quality="coarse", width=width, height=height)
        found["motion"].append(_seconds(lambda moving=moving: next(renderer.stages(moving, patient=False))))
        begin = time.perf_counter()
        stages = renderer.stages(changed)
        next(stages)
        found["fine"].append(time.perf_counter() - begin)
        for _ in stages:
            pass
        found["complete"].append(time.perf_counter() - begin)
        again = _deeper(request, 0.020 + 0.001 * number)
        found["divided"].append(_seconds(lambda again=again: renderer.reliefs.of(again, renderer.workers)))
        floor = renderer.reliefs.of(again).objects[0].mesh
        found["own"].append(_embree(floor.positions, floor.triangles))
        found["embree"].append(_embree(*whole(renderer.scene(changed))))
        found["passes"].append(12 * camera_pass(renderer, changed))
    found["allowed"] = [passes + build for passes, build in zip(found["passes"], found["embree"], strict=True)]
    middle = {name: sorted(times[1:])[RUNS // 2] for name, times in found.items()}  # the first makes ready what stays

    def ratio(name: str, against: str) -> float:
        """The middle one of the ratios of each change."""
        return sorted(a / b for a, b in zip(found[name][1:], found[against][1:], strict=True))[RUNS // 2]

    row(f"{what}, depth changed, {IN_MOTION[0]}×{IN_MOTION[1]} in motion", f"{1000 * middle['motion']:.0f} ms",
        "150 ms", middle["motion"] / 0.15)  # fmt: skip
    count = len(whole(renderer.scene(changed))[1])
    told = f"12 passes {1000 * middle['passes']:.0f} ms and embreex {1000 * middle['embree']:.0f} ms"
    row(f"  first fine one at rest, {count:,} triangles", f"{1000 * middle['fine']:.0f} ms", told,
        ratio("fine", "allowed"))  # fmt: skip
    row("  complete", f"{1000 * middle['complete']:.0f} ms", told, ratio("complete", "allowed"))
    told = f"its build by embreex {1000 * middle['own']:.0f} ms"
    row("  the floor divided and moved", f"{1000 * middle['divided']:.0f} ms", told, ratio("divided", "own"))


def measure(folder: Path) -> None:
    """folder : where the sample is written."""
    adaptive()
    make_sample("yard", folder)
    _changed(Renderer(load_library()), _floor(folder), "The floor alone")
    project, _ = load_project(folder)
    _changed(Renderer(load_library()), picture_request(project, *SIZE, folder=folder), "The yard's floor")
