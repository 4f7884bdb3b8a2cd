"""Pictures, and what `collage evaluate` writes, are the same to the last bit wherever the levels of maps lie."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.base.budget import Budget
from collage.core.document.making import card, given
from collage.core.document.materials import new_material
from collage.core.document.materialx import read_document
from collage.core.document.model import Input, Network, Wire
from collage.core.evaluate.run import Workers
from collage.core.evaluate.sheets import graph_values
from collage.core.geometry.points import sheet
from collage.core.images import level_files
from collage.core.images.files import write_image
from collage.core.images.level_files import LevelFiles
from collage.core.images.store import ImageStore
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Bench, Camera, stock

SIZE = (64, 48)
KINDS = ("image periodic", "image mirror", "image clamp", "image constant", "image closest", "hextiledimage",
         "triplanarprojection", "latlongimage")  # fmt: skip


@pytest.fixture(autouse=True)
def small_files(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(level_files, "LEAST", 100)


@pytest.fixture
def paths(tmp_path: Path) -> list[str]:
    """Images of odd and even sizes, of 8 and 16 bits and of floats."""
    rng = np.random.default_rng(8)
    pixels = [rng.integers(0, 255, (37, 52, 3), np.uint8), rng.integers(0, 65535, (64, 64, 3), np.uint16),
              rng.uniform(0, 3, (40, 80, 3)).astype(np.float32)]  # fmt: skip
    names = ["a.png", "b.png", "c.exr"]
    for name, one in zip(names, pixels, strict=True):
        write_image(tmp_path / name, one)
    return [str(tmp_path / name) for name in names]


def _image(kind: str, number: int, path: str) -> list:
    """Cards that read an image three times as large as the UV square and past its borders."""
    category, _, how = kind.partition(" ")
    space = {} if path.endswith("exr") else {"colorspace": "srgb_texture"}
    files = ("filex", "filey", "filez") if category == "triplanarprojection" else ("file",)
    one = card(f"image{number}", category, "color3", (0, 0))
    for name in files:
        one = one.with_input(Input(name, "filename", path, attributes=space))
    if category == "image":
        uv = card(f"uv{number}", "texcoord", "vector2", (0, 0))
        wide = card(f"wide{number}", "multiply", "vector2", (0, 0), in1=("vector2", Wire(f"uv{number}")),
                    in2=("float", 3.0))  # fmt: skip
        one = one.with_input(given("texcoord", "vector2", Wire(f"wide{number}")))
        if how == "closest":
            one = one.with_input(given("filtertype", "string", "closest"))
        else:
            for name in ("uaddressmode", "vaddressmode"):
                one = one.with_input(given(name, "string", how))
        return [uv, wide, one]
    return [one]


def material(kind: str, paths: list[str]) -> Network:
    """The sum of the images as the base colour."""
    network = new_material()
    for number, path in enumerate(paths):
        for one in _image(kind, number, path):
            network = network.with_card(one)
    first = card("sum", "add", "color3", (0, 0), in1=("color3", Wire("image0")), in2=("color3", Wire("image1")))
    last = card("all", "add", "color3", (0, 0), in1=("color3", Wire("sum")), in2=("color3", Wire("image2")))
    surface = network.cards["surface"].with_input(given("base_color", "color3", Wire("all")))
    return network.with_card(first).with_card(last).with_card(surface)


def picture(library, request: PictureRequest, images: ImageStore, threads: int) -> np.ndarray:
    renderer = Renderer(library, images, Workers(threads))
    try:
        made = renderer.picture(request)
        assert not made.problems
        return made.linear
    finally:
        renderer.images.close()
        renderer.workers.close()


@pytest.mark.parametrize("kind", KINDS)
def test_pictures(library, tmp_path: Path, paths: list[str], kind: str) -> None:
    bench = Bench(objects=(stock("Ball", "sphere", material="m"),), lights=(AreaLight(),), camera=Camera(distance=0.5))
    request = PictureRequest(bench, {"m": material(kind, paths)}, *SIZE)
    whole = picture(library, request, ImageStore(Budget(2**30)), 1)
    assert np.ptp(whole) > 0.1
    for threads in (1, 2):
        for budget in (2**30, 1):
            files = LevelFiles(tmp_path / "levels")
            for _ in ("made", "opened again"):
                found = picture(library, request, ImageStore(Budget(budget), files), threads)
                files.settle()
                np.testing.assert_array_equal(found, whole, err_msg=f"{threads} threads, {budget} bytes")
        np.testing.assert_array_equal(picture(library, request, ImageStore(Budget(1)), threads), whole)
    assert len(list((tmp_path / "levels").glob("*.levels"))) == len(paths)


def test_evaluated_graphs(library, tmp_path: Path, paths: list[str]) -> None:
    nodes = "".join(
        f"""<image name="i{number}" type="color3"><input name="file" type="filename" value="{path}"/>
        <input name="uaddressmode" type="string" value="{mode}"/></image>"""
        for number, (path, mode) in enumerate(zip(paths, ("mirror", "constant", "periodic"), strict=True))
    )
    outputs = "".join(f'<output name="o{number}" type="color3" nodename="i{number}"/>' for number in range(len(paths)))
    file = tmp_path / "graph.mtlx"
    file.write_text(f'<materialx version="1.39"><nodegraph name="g">{nodes}{outputs}</nodegraph></materialx>')
    document, points, workers = read_document(file), sheet(70, 50), Workers(2)

    def values(images: ImageStore) -> dict[str, np.ndarray]:
        return dict(graph_values(library, document, "g", points, tmp_path, images, workers))

    whole = values(ImageStore())
    assert len(whole) == len(paths)
    for budget in (2**30, 1):
        found = values(ImageStore(Budget(budget), LevelFiles(tmp_path / "levels")))
        for name, value in whole.items():
            np.testing.assert_array_equal(found[name], value)
    workers.close()
