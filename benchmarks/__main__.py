"""Measures and prints, each figure beside its baseline. Run by `make bench`."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks import board, evaluator, gather
from benchmarks.plain_noise import fractal3d
from collage.cli.shared import prepare_kernels
from collage.core.document import edits
from collage.core.kernels.noise import fractal
from collage.core.kernels.rays import eye_rays
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.demo.shed import make_sample

OCTAVES, POINTS, BLOCK = 8, 1 << 18, 1 << 14
SIZE = (640, 480)


def median(work: Callable[[], object], runs: int = 7) -> float:
    """Seconds, the middle of several runs after one that is not counted."""
    work()
    times = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        times.append(time.perf_counter() - begin)
    return statistics.median(times)


def row(what: str, value: str, against: str = "", ratio: float | None = None) -> None:
    print(f"{what:46} {value:>14}   {against:40} {'' if ratio is None else f'{ratio:8.2f} x'}")


def noise() -> None:
    place = np.random.default_rng(1).uniform(-50, 50, (3, POINTS)).astype(np.float32)
    pool = ThreadPoolExecutor(2)
    blocks = [np.ascontiguousarray(place[:, at : at + BLOCK]) for at in range(0, POINTS, BLOCK)]

    def spread(work: Callable[[np.ndarray], np.ndarray]) -> Callable[[], object]:
        return lambda: list(pool.map(work, blocks))

    ours = median(spread(lambda part: fractal(part, OCTAVES, 2.0, 0.5)))
    plain = median(spread(lambda part: fractal3d(part, OCTAVES, 2.0, 0.5)), 3)
    alone = median(lambda: [fractal(part, OCTAVES, 2.0, 0.5) for part in blocks])
    found = fractal(blocks[0], OCTAVES, 2.0, 0.5)[0]
    difference = np.abs(found - fractal3d(blocks[0], OCTAVES, 2.0, 0.5)).max()
    each = 1e9 / POINTS / OCTAVES
    row("fractal3d, 8 octaves, one thread", f"{alone * each:.2f} ns", "a point and octave")
    row(
        "fractal3d, 8 octaves, two threads",
        f"{ours * each:.2f} ns",
        f"NumPy, two threads {plain * each:.1f} ns",
        plain / ours,
    )
    row("  largest difference to NumPy", f"{difference:.1e}")
    row("  two threads against one", "", "", alone / ours)


def primary_rays(renderer: Renderer, request: PictureRequest, divide: int = 1) -> float:
    """Seconds of one pass of eye rays at the picture's size on two threads, rays made and traced."""
    width, height = request.width // divide, request.height // divide
    scene = renderer.scene(request.project.bench)
    camera = request.project.bench.camera
    axes, eye = camera.axes().astype(np.float32), camera.position().astype(np.float32)
    y, x = np.meshgrid(height / 2 - np.arange(height) - 0.5, np.arange(width) + 0.5 - width / 2, indexing="ij")
    x, y = x.ravel().astype(np.float32), y.ravel().astype(np.float32)
    pixels = np.float32(height / 2 / np.tan(np.radians(camera.field) / 2))

    def block(start: int) -> None:
        cut = slice(start, start + BLOCK)
        way = np.empty((x[cut].size, 3), np.float32)
        eye_rays(x[cut], y[cut], axes, pixels, way)
        scene.nearest(np.tile(eye, (len(way), 1)), way)

    return median(lambda: renderer.workers.map(block, range(0, x.size, BLOCK)))


def pictures(folder: Path) -> None:
    project, _ = load_project(folder)
    renderer = Renderer(load_library())
    request = picture_request(project, *SIZE, "draft", "lit", None, folder)
    renderer.picture(request)
    rays = primary_rays(renderer, request)
    name = "Lime-bloomed clay"
    values = iter(np.linspace(0.5, 0.95, 200))

    def changed(quality: str) -> float:
        def once() -> None:
            network = edits.set_value(project.materials[name], "dry", "fg", "float", float(next(values)))
            edited = project.with_material(name, network)
            renderer.picture(picture_request(edited, *SIZE, quality, "lit", None, folder))  # type: ignore[arg-type]

        return median(once)

    def looked() -> None:
        renderer._views.clear()
        renderer.picture(request)

    full, coarse = changed("draft"), changed("coarse")
    row("one pass of eye rays, 640 x 480", f"{rays * 1e3:.0f} ms")
    row("a changed value to its picture, 640 x 480", f"{full * 1e3:.0f} ms", "one pass of eye rays", full / rays)
    row("  its coarse picture", f"{coarse * 1e3:.0f} ms", "one pass of eye rays", coarse / rays)
    draft = median(looked, 3)
    row("a new view's draft picture, 640 x 480", f"{draft * 1e3:.0f} ms", "one pass of eye rays", draft / rays)


START = """
import sys, time
from pathlib import Path
from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, wait_until
place = Path(sys.argv[1])
window = make_window(place / "shed", settings=Settings(), settings_file=place / "s.json", desks=place / "d")
window.show()
wait_until(lambda: window.place("Wire").preview.picture is not None)
"""
IMPORTS = "import PySide6.QtWidgets, numba, numpy, MaterialX, OpenImageIO, embreex.rtcore_scene, pydantic"


def starting(folder: Path) -> None:
    def process(code: str) -> Callable[[], object]:
        return lambda: subprocess.run([sys.executable, "-c", code, str(folder.parent)], check=True, capture_output=True)

    libraries = median(process(IMPORTS), 3)
    start = median(process(START), 3)
    row("start to the first picture", f"{start:.2f} s", f"importing the libraries {libraries:.2f} s", start / libraries)


def main() -> None:
    prepare_kernels()
    print(f"{os.cpu_count()} processors\n")
    noise()
    print()
    evaluator.measure()
    print()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "shed"
        make_sample("potting-shed", folder)
        pictures(folder)
        starting(folder)
    print()
    board.measure()
    print()
    gather.measure()


if __name__ == "__main__":
    main()
