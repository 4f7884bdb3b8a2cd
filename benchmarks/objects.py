"""A mesh of a million triangles, and 300 objects of as many together: opened, and turned as a hand turns the demo.

Each is a process of its own, which tells its times and the most memory that it took.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from benchmarks.timing import row

if TYPE_CHECKING:
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import PictureRequest

SIDE = 708  # of a grid whose cells are two triangles each: a million in all
SIZE = (640, 480)


def write_million(path: Path) -> None:
    """A wavy sheet with UVs."""
    from collage.core.geometry.glb_write import write_glb
    from collage.core.geometry.mesh import Mesh, smooth_normals
    from collage.core.geometry.shapes import plane

    flat = plane(0.3, 0.3, SIDE)
    positions = np.array(flat.positions)
    positions[:, 1] = 0.02 * (1 + np.sin(40 * positions[:, 0]) * np.sin(40 * positions[:, 2]))
    normals = smooth_normals(positions, np.asarray(flat.triangles))
    write_glb(Mesh(positions, flat.triangles, normals, flat.uv), path)


def _memory() -> float:
    status = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in status if line.startswith("VmHWM"))


def embree(path: str) -> dict[str, float]:
    """Embree alone with the same triangles."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    with np.load(path) as found:
        positions, triangles = found["positions"], found["triangles"]
    before, begin = _memory(), time.perf_counter()
    scene = EmbreeScene()
    TriangleMesh(scene, positions, triangles)
    scene.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))
    return {"seconds": time.perf_counter() - begin, "memory": _memory() - before}


def open_and_turn(what: str) -> dict[str, float]:
    """Seconds from the file to a scene that rays can be cast at, and of a coarse picture from a new side."""
    from collage.cli.shared import prepare_kernels
    from collage.core.document.materials import new_material
    from collage.core.nodes.library import load_library
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import PictureRequest
    from collage.core.scene.bench import AreaLight, Bench, BenchObject, Camera, stock
    from collage.core.scene.geometry import MeshFile, MeshReading

    prepare_kernels()
    if what == "300":
        objects: tuple[BenchObject, ...] = tuple(
            stock(str(number), "sphere", material="m", scale=0.2, sizes={"segments": 58.0},
                  place=(0.05 * (number % 20 - 9.5), 0.0, 0.05 * (number // 20 - 7)))
            for number in range(300)
        )  # fmt: skip
    elif what == "pair":
        objects = (stock("pot", "pot", material="m"), stock("dish", "saucer", material="m"))
    else:
        objects = (BenchObject(name="m", geometry=MeshFile(reading=MeshReading(file=what)), material="m"),)
    bench = Bench(objects=objects, lights=(AreaLight(),), camera=Camera(distance=0.9))
    renderer, materials = Renderer(load_library()), {"m": new_material()}
    return _turned(renderer, PictureRequest(bench, materials, *SIZE, "coarse"))


def turn_demo(folder: str) -> dict[str, float]:
    """The same of the demo as it ships."""
    from collage.cli.shared import prepare_kernels
    from collage.core.nodes.library import load_library
    from collage.core.project.folder import load_project
    from collage.core.project.pictures import picture_request
    from collage.core.render.renderer import Renderer

    prepare_kernels()
    project, _ = load_project(Path(folder))
    renderer = Renderer(load_library())
    renderer.picture(picture_request(project, 64, 48, folder=Path(folder)))  # its maps are read
    return _turned(renderer, picture_request(project, *SIZE, "coarse", folder=Path(folder)))


def _turned(renderer: Renderer, request: PictureRequest) -> dict[str, float]:
    from collage.core.scene.bench import AreaLight, Bench, stock

    bench = request.bench

    def picture(turn: float, some: Bench) -> None:
        seen = some.model_copy(update={"camera": some.camera.model_copy(update={"turn": turn})})
        next(iter(renderer.stages(replace(request, bench=seen), patient=False)))

    picture(0, Bench(objects=(stock("ball", "sphere", material=next(iter(request.materials))),), lights=(AreaLight(),)))
    before, begin = _memory(), time.perf_counter()
    renderer.caches.scene(bench)
    opened, memory = time.perf_counter() - begin, _memory() - before
    picture(1, bench)
    turned = []
    for number in range(12):
        begin = time.perf_counter()
        picture(10.0 + 7 * number, bench)
        turned.append(time.perf_counter() - begin)
    return {"opened": opened, "turned": sorted(turned)[6], "memory": memory}


def _process(*words: str) -> dict[str, Any]:
    ran = subprocess.run(
        [sys.executable, "-m", "benchmarks.objects", *words], capture_output=True, text=True, check=True
    )
    return dict(json.loads(ran.stdout))


def measure() -> None:
    from collage.core.scene.geometry import MeshReading
    from collage.demo.shed import make_sample

    with tempfile.TemporaryDirectory() as place:
        path, raw = Path(place) / "million.glb", Path(place) / "million.npz"
        write_million(path)
        mesh = MeshReading(file=str(path)).mesh()
        np.savez(raw, positions=mesh.positions, triangles=mesh.triangles)
        bare, million = _process("embree", str(raw)), _process("open", str(path))
        make_sample("potting-shed", Path(place) / "demo")
        demo = _process("demo", str(Path(place) / "demo"))
    pair, many = _process("open", "pair"), _process("open", "300")
    allowed = 0.5 + 1.5 * bare["seconds"]
    row(f"{len(mesh.triangles):,} triangles, opened", f"{million['opened']:.2f} s",
        f"0.5 s and 1.5 of Embree {allowed:.2f} s", million["opened"] / allowed)  # fmt: skip
    row("  memory", f"{million['memory']:.0f} MB", f"Embree's own {bare['memory']:.0f} MB",
        million["memory"] / bare["memory"])  # fmt: skip
    row("  a coarse picture from a new side", f"{1000 * million['turned']:.0f} ms",
        f"of the demo {1000 * demo['turned']:.0f} ms, two stock shapes {1000 * pair['turned']:.0f} ms",
        million["turned"] / demo["turned"])  # fmt: skip
    row("300 objects, opened", f"{many['opened']:.2f} s", "")
    row("  a coarse picture from a new side", f"{1000 * many['turned']:.0f} ms",
        f"of the demo {1000 * demo['turned']:.0f} ms, two stock shapes {1000 * pair['turned']:.0f} ms",
        many["turned"] / demo["turned"])  # fmt: skip


if __name__ == "__main__":
    print(json.dumps({"embree": embree, "open": open_and_turn, "demo": turn_demo}[sys.argv[1]](sys.argv[2])))
