"""Maps that are larger than memory: 300 of 4K on 60 objects, and 30 numbered tiles with five maps each.

`python -m benchmarks.many_maps FOLDER` writes them once, 15 GB and as much again for what lies ready, and takes
minutes; so it is no part of `make bench`. Each measurement is a process of its own.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.timing import row

SETS, SIDE, SIZE = 60, 4096, (640, 480)
TILES = 30
MAPS = (("base_color", "color3"), ("specular_color", "color3"), ("specular_roughness", "float"),
        ("base_metalness", "float"), ("coat_weight", "float"))  # fmt: skip
SMALL = 512  # megabytes of all that is kept


def write(folder: Path) -> None:
    """All maps that are not there yet."""
    wanted = [(folder / f"set_{number:02}_{name}.png", kind, number) for number in range(SETS) for name, kind in MAPS]
    wanted += [(folder / f"wall_{name}.{1001 + number % 10 + 10 * (number // 10)}.png", kind, 100 + number)
               for number in range(TILES) for name, kind in MAPS]  # fmt: skip
    folder.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor() as pool:
        list(pool.map(_write_one, [one for one in wanted if not one[0].exists()]))


def _write_one(wanted: tuple[Path, str, int]) -> None:
    from collage.core.images.files import write_image

    path, kind, seed = wanted
    rng = np.random.default_rng(seed + len(path.name))
    channels = 3 if kind == "color3" else 1
    broad = np.kron(rng.integers(40, 200, (64, 64, channels)), np.ones((64, 64, 1), int))
    fine = rng.integers(0, 8, (256, 256, channels))
    write_image(path, (broad + np.tile(fine, (16, 16, 1))).astype(np.uint8))


def _material(pattern: str, tiles: tuple[int, int] | None) -> Any:
    from collage.core.document.making import card, given
    from collage.core.document.materials import new_material
    from collage.core.document.model import Input, Wire

    network = new_material()
    surface = network.cards["surface"]
    if tiles is not None:
        place = card("uv", "texcoord", "vector2", (0, 0))
        wide = card("wide", "multiply", "vector2", (1, 0), in1=("vector2", Wire("uv")), in2=("vector2", tiles))
        network = network.with_card(place).with_card(wide)
    for name, kind in MAPS:
        space = {"colorspace": "srgb_texture"} if kind == "color3" else {}
        image = card(name, "image", kind, (2, 0)).with_input(
            Input("file", "filename", pattern.format(name), attributes=space)
        )
        if tiles is not None:
            image = image.with_input(given("texcoord", "vector2", Wire("wide")))
        network = network.with_card(image)
        surface = surface.with_input(given(name, kind, Wire(name)))
    return network.with_card(surface)


def _scene(folder: Path, tiled: bool) -> tuple[Any, dict[str, Any]]:
    from collage.core.scene.bench import Bench, Camera, stock

    if tiled:
        wall = stock("Wall", "plane", material="wall")
        material = _material(str(folder / "wall_{}.<UDIM>.png"), (10, 3))
        return Bench(objects=(wall,), camera=Camera(height=50, distance=1.0)), {"wall": material}
    materials = {f"{number:02}": _material(str(folder / f"set_{number:02}_{{}}.png"), None) for number in range(SETS)}
    objects = tuple(
        stock(name, "sphere", material=name, place=(0.25 * (number % 10 - 4.5), 0.0, 0.25 * (number // 10 - 2.5)))
        for number, name in enumerate(materials)
    )
    return Bench(objects=objects, camera=Camera(height=40, distance=4.5)), materials


def look(folder: str, tiled: str, megabytes: str) -> dict[str, float]:
    """Seconds of a first view, of six turned ones (the middle), and of a close-up; and the most memory."""
    from collage.cli.shared import prepare_kernels
    from collage.core.base.budget import Budget
    from collage.core.images.level_files import LevelFiles
    from collage.core.images.store import ImageStore
    from collage.core.nodes.library import load_library
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import PictureRequest

    prepare_kernels()
    bench, materials = _scene(Path(folder), tiled == "tiled")
    budget = Budget(int(megabytes) * 2**20)
    images = ImageStore(budget, LevelFiles(Path(folder) / "levels", limit=100 * 2**30))
    renderer = Renderer(load_library(), images)

    def seconds(**camera: Any) -> float:
        request = PictureRequest(
            bench.model_copy(update={"camera": bench.camera.model_copy(update=camera)}), materials, *SIZE
        )
        begin = time.perf_counter()
        renderer.picture(request)
        return time.perf_counter() - begin

    first = seconds()
    turned = sorted(seconds(turn=30.0 + 7 * number) for number in range(6))[3]
    near = bench.objects[0].place
    close = seconds(target=(near[0], near[1] + (0.1 if tiled != "tiled" else 0.0), near[2]), distance=0.25)
    status = Path("/proc/self/status").read_text().splitlines()
    most = next(int(line.split()[1]) / 1024 for line in status if line.startswith("VmHWM"))
    if images.files is not None:
        images.files.settle()
    return {"first": first, "turned": turned, "close": close, "most": most, "images": images.in_memory / 2**20}


def _process(folder: Path, what: str, megabytes: int) -> dict[str, float]:
    words = [sys.executable, "-m", "benchmarks.many_maps", str(folder), what, str(megabytes)]
    ran = subprocess.run(words, capture_output=True, text=True, check=True, env={**os.environ})
    return dict(json.loads(ran.stdout))


def measure(folder: Path) -> None:
    write(folder)
    for what, title in (("sets", f"{5 * SETS} maps of 4K on {SETS} objects"), ("tiled", f"{TILES} tiles, five maps")):
        first = _process(folder, what, SMALL)
        row(f"{title}, first view of all", f"{first['first']:.1f} s", "read before, or for the first time")
        free, small = _process(folder, what, 65536), _process(folder, what, SMALL)
        row(f"  opened again, within {SMALL} MB", f"{small['first']:.2f} s", f"no limit {free['first']:.2f} s",
            small["first"] / free["first"])  # fmt: skip
        row("  a turned view", f"{small['turned']:.2f} s", f"no limit {free['turned']:.2f} s",
            small["turned"] / free["turned"])  # fmt: skip
        row("  a close-up", f"{small['close']:.2f} s", f"no limit {free['close']:.2f} s")
        row("  memory at most", f"{small['most']:.0f} MB", f"no limit {free['most']:.0f} MB")
        row("  images in memory at the end", f"{small['images']:.0f} MB", f"no limit {free['images']:.0f} MB")


if __name__ == "__main__":
    if len(sys.argv) == 2:
        measure(Path(sys.argv[1]))
    else:
        print(json.dumps(look(*sys.argv[1:])))
