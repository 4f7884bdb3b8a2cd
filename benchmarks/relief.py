"""Displacement in the yard: a changed depth of its floor, coarse and complete; division beside Embree's build."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.pictures import SIZE, camera_pass
from benchmarks.timing import median, row
from collage.core.document import edits
from collage.core.document.materialx import parse_document
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench, Camera, DistantLight, Division, stock
from collage.demo.shed import make_sample

RUNS = 5


def _floor(folder: Path) -> PictureRequest:
    """The floor alone, as the yard has it."""
    project, _ = load_project(folder)
    bench = project.bench.model_copy(update={"objects": project.bench.objects[:1]})
    return picture_request(project.with_bench(bench), *SIZE, folder=folder)


def _deeper(request: PictureRequest, depth: float) -> PictureRequest:
    name = "Slate floor"
    changed = edits.set_value(request.materials[name], "depth", "depth", "float", depth)
    return replace(request, materials={**request.materials, name: changed})


def _embree(positions: np.ndarray, triangles: np.ndarray) -> float:
    """Seconds of building Embree's tree of the same triangles."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    def build() -> None:
        scene = EmbreeScene()
        TriangleMesh(scene, positions, triangles)
        scene.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))

    return median(build, RUNS)


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


def measure(folder: Path) -> None:
    """folder : where the sample is written."""
    adaptive()
    make_sample("yard", folder)
    request = _floor(folder)
    renderer = Renderer(load_library())
    renderer.picture(request)
    one_pass = camera_pass(renderer, request)
    coarse, complete, dividing = [], [], []
    for number in range(RUNS):
        changed = _deeper(request, 0.010 + 0.001 * number)
        begin = time.perf_counter()
        renderer.picture(replace(changed, quality="coarse", width=320, height=240))
        coarse.append(time.perf_counter() - begin)
        begin = time.perf_counter()
        (found,) = renderer.reliefs.of(changed, renderer.workers).objects.values()
        dividing.append(time.perf_counter() - begin)
        renderer.picture(changed)
        complete.append(time.perf_counter() - begin)
    embree = _embree(found.mesh.positions, found.mesh.triangles)
    middle = RUNS // 2
    row("Floor's depth changed, coarse picture", f"{1000 * sorted(coarse)[middle]:.0f} ms", "")
    whole = sorted(complete)[middle]
    row(f"  complete, {len(found.mesh.triangles):,} triangles", f"{1000 * whole:.0f} ms",
        f"12 passes {1000 * 12 * one_pass:.0f} ms and Embree", whole / (12 * one_pass + embree))  # fmt: skip
    divided = sorted(dividing)[middle]
    row(
        "  divided and moved",
        f"{1000 * divided:.0f} ms",
        f"Embree's own build {1000 * embree:.0f} ms",
        divided / embree,
    )
