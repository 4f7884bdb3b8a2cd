"""A 4K set of five maps: gathered, built and in the preview, against the time that reading its files takes.

Prints both times, their ratio, and the memory at its highest. Everything is measured in one run on the same files.
"""

from __future__ import annotations

import resource
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

SIDE = 4096


def write_set(folder: Path) -> list[Path]:
    """Five maps with detail of all sizes, as they come from a scan: PNG, the height in 16 bits."""
    from collage.core.images.derive import normal_from
    from collage.core.images.files import write_image
    from collage.demo.fields import fractal_field, stretched

    height = np.tile(stretched(fractal_field(SIDE // 2, 5, slope=1.5)), (2, 2))
    grain = np.random.default_rng(3).normal(0, 0.012, (SIDE, SIDE))

    def eight(values: np.ndarray) -> np.ndarray:
        return (np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)

    colour = np.stack([0.3 + 0.4 * height + grain, 0.25 + 0.3 * height + grain, 0.2 + 0.2 * height + grain], axis=2)
    maps = {
        "basecolor": eight(colour),
        "roughness": eight(0.5 + 0.3 * height + grain)[:, :, None],
        "normal": eight(normal_from(height, 1.0, 0.02) + grain[:, :, None] * 0.3),
        "height": (height * 65535).astype(np.uint16)[:, :, None],
        "ao": eight(0.6 + 0.4 * height + grain)[:, :, None],
    }
    paths = []
    for name, pixels in maps.items():
        paths.append(folder / f"yard_{name}.png")
        write_image(paths[-1], pixels)
    return paths


def read_all(paths: list[Path]) -> float:
    """Seconds that the library needs to read the files as they are, one after the other."""
    begin = time.perf_counter()
    for path in paths:
        source = oiio.ImageInput.open(str(path))
        source.read_image(oiio.UNKNOWN)
        source.close()
    return time.perf_counter() - begin


def gathered_to_preview(folder: Path) -> float:
    """Seconds from the folder to the picture of its material."""
    from collage.core.evaluate.run import Workers
    from collage.core.gather.build import build_material
    from collage.core.gather.looks import look_through
    from collage.core.gather.scan import gather
    from collage.core.gather.sets import Gathered
    from collage.core.images.store import ImageStore
    from collage.core.nodes.library import load_library
    from collage.core.project.pictures import picture_request
    from collage.core.project.state import Project
    from collage.core.render.renderer import Renderer
    from collage.core.render.swatch import studio

    renderer = Renderer(load_library(), ImageStore(), Workers())
    begin = time.perf_counter()
    found = Gathered()
    for step in gather(folder, look=look_through(renderer.images)):
        if isinstance(step, Gathered):
            found = step
    network = build_material(found.sets[0], stored=lambda file: str(folder / file))
    project = Project(materials={"yard": network}, bench=studio("yard"))
    picture = renderer.picture(picture_request(project, 400, 330, "draft", "lit", None, folder))
    seconds = time.perf_counter() - begin
    assert not picture.problems, picture.problems
    return seconds


def memory() -> int:
    """Bytes of memory that the process holds."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()


def peak_of(work) -> tuple[float, float]:  # type: ignore[no-untyped-def]
    """What the work returns, and how many bytes the process grew by at most meanwhile."""
    highest, done = 0, threading.Event()
    start = memory()

    def watch() -> None:
        nonlocal highest
        while not done.wait(0.005):
            highest = max(highest, memory())

    thread = threading.Thread(target=watch)
    thread.start()
    result = work()
    done.set()
    thread.join()
    return result, highest - start


def measure() -> None:
    """Prints the times, their ratio and the memory. The kernels are compiled already."""
    with tempfile.TemporaryDirectory() as text:
        folder = Path(text)
        paths = write_set(folder)
        read_all(paths)
        reading = min(read_all(paths) for _ in range(2))
        ours, grown = peak_of(lambda: gathered_to_preview(folder))
        again = read_all(paths)
    print(f"reading five 4K files: {reading:.2f} s, again {again:.2f} s")
    print(f"gathered, built, in the preview: {ours:.2f} s, {ours / min(reading, again):.2f} times")
    print(f"memory: grew by at most {grown / 1e6:.0f} MB")


if __name__ == "__main__":
    from collage.cli.shared import prepare_kernels

    prepare_kernels()
    measure()
