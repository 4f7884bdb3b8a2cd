"""Displacement in the yard: a changed depth of its floor, coarse and complete; division beside Embree's build."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.pictures import SIZE, camera_pass
from benchmarks.timing import median, row
from collage.core.document import edits
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
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


def measure(folder: Path) -> None:
    """folder : where the sample is written."""
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
