"""Sixteen balls with a 4K colour map each, small in the picture: the first time ever, and opened again.

Each is a process of its own: seconds to the first picture, and how much more memory it takes than the same balls
without maps, of its own and of mapped files.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.timing import row

COUNT, SIDE, SIZE = 16, 4096, (640, 480)
RUNS = 3  # of what is asked of a whole machine, each beside its baseline


def write_maps(folder: Path) -> list[Path]:
    """Colour maps with detail of all sizes, as they come from a scan."""
    from scipy.ndimage import zoom

    from collage.core.images.files import write_image

    rng = np.random.default_rng(4)
    broad = zoom(rng.random((64, 64, 3)).astype(np.float32), (SIDE // 64, SIDE // 64, 1), order=1)
    paths = []
    for number in range(COUNT):
        grain = rng.normal(0, 0.025, (SIDE, SIDE, 1)).astype(np.float32)
        pixels = (np.clip(np.roll(broad, 97 * number, axis=1) * 0.7 + 0.1 + grain, 0, 1) * 255).astype(np.uint8)
        paths.append(folder / f"ball_{number:02}.png")
        write_image(paths[-1], pixels)
    return paths


def picture(files: list[str], levels: str) -> dict[str, float]:
    """Seconds of a first picture of the balls, and megabytes of the process, its own and of files."""
    from collage.cli.shared import prepare_kernels
    from collage.core.document.making import card, given
    from collage.core.document.materials import new_material
    from collage.core.document.model import Input, Wire
    from collage.core.images.level_files import LevelFiles
    from collage.core.images.store import ImageStore
    from collage.core.nodes.library import load_library
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import PictureRequest
    from collage.core.scene.bench import Bench, Camera, stock

    prepare_kernels()
    materials, objects = {}, []
    for number in range(COUNT):
        network = new_material()
        if files:
            image = card("image", "image", "color3", (0, 0)).with_input(
                Input("file", "filename", files[number], attributes={"colorspace": "srgb_texture"})
            )
            surface = network.cards["surface"].with_input(given("base_color", "color3", Wire("image")))
            network = network.with_card(image).with_card(surface)
        materials[str(number)] = network
        place = (0.25 * (number % 4 - 1.5), 0.0, 0.25 * (number // 4 - 1.5))
        objects.append(stock(str(number), "sphere", material=str(number), place=place))
    bench = Bench(objects=tuple(objects), camera=Camera(height=40, distance=2.4))
    renderer = Renderer(load_library(), ImageStore(files=LevelFiles(Path(levels)) if levels else None))
    renderer.picture(PictureRequest(bench, dict.fromkeys(materials, new_material()), *SIZE))
    begin = time.perf_counter()
    renderer.picture(PictureRequest(bench, materials, *SIZE))
    seconds = time.perf_counter() - begin
    if renderer.images.files is not None:
        renderer.images.files.settle()  # as a window does while it is open
    pages, of_files = (int(text) / 256 for text in Path("/proc/self/statm").read_text().split()[1:3])
    return {"seconds": seconds, "own": pages - of_files, "of files": of_files}


def _process(files: list[Path], levels: Path | None) -> dict[str, float]:
    words = [str(levels or ""), *map(str, files)]
    ran = subprocess.run([sys.executable, "-m", "benchmarks.maps", *words], capture_output=True, text=True, check=True)
    return dict(json.loads(ran.stdout))


def _reading(files: list[Path]) -> float:
    """Seconds of reading them on one thread."""
    from collage.core.images.files import read_pixels

    begin = time.perf_counter()
    for path in files:
        read_pixels(path)
    return time.perf_counter() - begin


def measure() -> None:
    with tempfile.TemporaryDirectory() as place:
        files, again = write_maps(Path(place)), Path(place) / str(RUNS - 1)
        bare = _process([], None)
        pairs = [(_reading(files), _process(files, Path(place) / str(run))) for run in range(RUNS)]
        reading, first = sorted(pairs, key=lambda pair: pair[1]["seconds"] / pair[0])[RUNS // 2]
        for what, found in (
            ("in memory, as without a disk", _process(files, None)),
            (f"the first time ever, the middle of {RUNS}", first),
            ("opened again", _process(files, again)),
        ):
            name = f"16 maps of 4K, {what}"
            row(name, f"{found['seconds']:.2f} s", f"reading them {reading:.2f} s", found["seconds"] / reading)
            own, of_files = (found[key] - bare[key] for key in ("own", "of files"))
            row("  memory more than without maps", f"{own:.0f} MB", f"of mapped files {of_files:.0f} MB")


if __name__ == "__main__":
    print(json.dumps(picture(sys.argv[2:], sys.argv[1])))
