"""Pictures of the sample scene beside one pass of camera rays at 640 x 480, the least that any of them can take."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Literal

import numpy as np

from benchmarks.timing import median, row
from collage.core.document import edits
from collage.core.evaluate.run import Workers
from collage.core.kernels.rays import camera_rays
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.project.state import Project
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest

SIZE = (640, 480)
BLOCK = 1 << 14
MATERIAL, CARD, INPUT = "Lime-bloomed clay", "dry", "fg"


def camera_pass(renderer: Renderer, request: PictureRequest) -> float:
    """Seconds of one pass of camera rays at the picture's size, rays made and traced through what it shows."""
    width, height = request.size
    scene, camera = renderer.scene(request), request.bench.camera
    axes, eye = camera.axes().astype(np.float32), camera.position().astype(np.float32)
    y, x = np.meshgrid(height / 2 - np.arange(height) - 0.5, np.arange(width) + 0.5 - width / 2, indexing="ij")
    x, y = x.ravel().astype(np.float32), y.ravel().astype(np.float32)
    pixels = np.float32(camera.focal_length(width, height))

    def block(start: int) -> None:
        cut = slice(start, start + BLOCK)
        way = np.empty((x[cut].size, 3), np.float32)
        camera_rays(x[cut], y[cut], axes, pixels, way)
        scene.nearest(np.tile(eye, (len(way), 1)), way)

    return median(lambda: renderer.workers.map(block, range(0, x.size, BLOCK)))


class _Pictures:
    """The sample project, and pictures of it that are never found in a cache."""

    def __init__(self, folder: Path) -> None:
        self.project, _ = load_project(folder)
        self.folder = folder
        self.values = iter(np.linspace(0.5, 0.95, 500))

    def request(self, project: Project, quality: Literal["coarse", "draft"], divide: int = 1) -> PictureRequest:
        return picture_request(project, SIZE[0] // divide, SIZE[1] // divide, quality, folder=self.folder)

    def changed(self) -> Project:
        """With another value in one card."""
        network = edits.set_value(self.project.materials[MATERIAL], CARD, INPUT, "float", float(next(self.values)))
        return self.project.with_material(MATERIAL, network)

    def new_view(self, renderer: Renderer, quality: Literal["coarse", "draft"] = "draft", divide: int = 1) -> None:
        renderer.caches.views.clear()
        renderer.picture(self.request(self.project, quality, divide))

    def first_stage(self, renderer: Renderer) -> None:
        renderer.caches.views.clear()
        next(iter(renderer.stages(self.request(self.project, "draft"))))

    def both_stages(self, renderer: Renderer) -> None:
        renderer.caches.views.clear()
        list(renderer.stages(self.request(self.project, "draft")))


def measure(folder: Path) -> None:
    scene = _Pictures(folder)
    library = load_library()
    renderer = Renderer(library)
    request = scene.request(scene.project, "draft")
    renderer.picture(request)
    rays = camera_pass(renderer, request)

    def against(what: str, work: Callable[[], object], runs: int = 5) -> None:
        seconds = median(work, runs)
        row(what, f"{seconds * 1e3:.0f} ms", "one pass of camera rays", seconds / rays)

    row("one pass of camera rays, 640 x 480", f"{rays * 1e3:.0f} ms")
    against(
        "a changed value to its picture, 640 x 480", lambda: renderer.picture(scene.request(scene.changed(), "draft"))
    )
    against("a new view, coarse, 213 x 160", lambda: scene.new_view(renderer, "coarse", 3))
    against("a new view's first full picture", lambda: scene.first_stage(renderer))
    against("a new view's complete picture, after the first", lambda: scene.both_stages(renderer))
    against("a new view's complete picture, alone", lambda: scene.new_view(renderer))
    alone = Renderer(library, workers=Workers(1))
    scene.new_view(alone)
    one = median(lambda: scene.new_view(alone), 3)
    two = median(lambda: scene.new_view(renderer), 3)
    row("  two threads against one", f"{two * 1e3:.0f} ms", f"one thread {one * 1e3:.0f} ms", one / two)
    renderer.caches.views.clear()
    begin = time.perf_counter()
    renderer.picture(request)
    new = time.perf_counter() - begin
    again = median(lambda: renderer.picture(request))
    row("  the same picture again", f"{again * 1e3:.0f} ms", f"a new one {new * 1e3:.0f} ms", again / new)
