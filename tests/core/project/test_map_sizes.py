"""How large maps are, which are far larger than a picture needs, and files of half the size."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.document.making import card, given
from collage.core.document.materials import new_material
from collage.core.document.model import Input, Network, Wire
from collage.core.images.files import read_info, read_pixels, write_image
from collage.core.project.folder import material_folder
from collage.core.project.map_sizes import halved, map_files
from collage.core.project.references import references, using
from collage.core.project.state import Project
from collage.core.scene.bench import Bench, Camera, stock

BALL = 0.1  # metres across


@pytest.fixture(autouse=True)
def _materials(tmp_path: Path) -> None:
    """Names in materials begin in this folder."""
    material_folder(tmp_path).mkdir()


def painted(stored: str, kind: str = "color3", space: str = "srgb_texture") -> Network:
    """A material that reads one image."""
    file = Input("file", "filename", stored, attributes={"colorspace": space} if space else {})
    image = card("image", "image", kind, (0, 0)).with_input(file)
    name = "base_color" if kind == "color3" else "specular_roughness"
    network = new_material()
    surface = network.cards["surface"].with_input(given(name, kind, Wire("image")))
    return network.with_card(image).with_card(surface)


def project(*stored: str, distance: float = 1.0, **how: str) -> Project:
    names = [f"m{number}" for number in range(len(stored))]
    objects = tuple(stock(name, "sphere", material=name, sizes={"radius": BALL / 2}) for name in names)
    bench = Bench(objects=objects, camera=Camera(turn=0, height=0, distance=distance, target=(0, BALL / 2, 0)))
    materials = dict(zip(names, (painted(one, **how) for one in stored), strict=True))
    return Project(materials=materials, bench=bench)


def noise(width: int, height: int, channels: int = 3, kind: type = np.uint8) -> np.ndarray:
    rng = np.random.default_rng(3)
    if kind is np.float32:
        return rng.uniform(-1, 9, (height, width, channels)).astype(np.float32)
    return rng.integers(0, np.iinfo(kind).max, (height, width, channels), kind, endpoint=True)


def test_sizes_are_listed_the_largest_first(tmp_path: Path) -> None:
    maps = tmp_path / "maps"
    write_image(maps / "small.png", noise(64, 32))
    write_image(maps / "large.png", noise(300, 200))
    for tile in (1001, 1002, 1011):
        write_image(maps / f"pot.{tile}.png", noise(200, 200))
    (maps / "broken.png").write_bytes(b"no picture")
    state = project("../maps/small.png", "../maps/large.png", "../maps/pot.<UDIM>.png", "../maps/broken.png")
    found = finished(map_files(state, tmp_path, state.bench.camera))
    assert [(one.file.name, one.width, one.height, one.tiles) for one in found] == [
        ("pot.<UDIM>.png", 200, 200, 3), ("large.png", 300, 200, 1), ("small.png", 64, 32, 1), ("broken.png", 0, 0, 1),
    ]  # fmt: skip
    assert found[1].bytes == (maps / "large.png").stat().st_size
    assert found[0].bytes == sum(one.stat().st_size for one in maps.glob("pot.*"))
    assert found[1].materials == ("m1",)


@pytest.mark.parametrize(("distance", "far"), [(1.0, False), (20.0, True)])
def test_a_map_is_far_larger_than_what_is_seen_of_it(tmp_path: Path, distance: float, far: bool) -> None:
    write_image(tmp_path / "maps" / "a.png", noise(2048, 64))
    state = project("../maps/a.png", distance=distance)
    (found,) = finished(map_files(state, tmp_path, state.bench.camera))
    camera = state.bench.camera
    half_angle = np.radians(camera.field) / 2
    seen = BALL * np.sqrt(3) * (1080 / 2 / np.tan(half_angle)) / distance  # the ball around the box of the ball
    assert found.across == pytest.approx(seen, rel=0.02)
    assert found.far_larger is far
    assert found.far_larger == (4 * np.pi * seen < 2048)


def test_a_map_on_no_object_is_not_called_large(tmp_path: Path) -> None:
    write_image(tmp_path / "maps" / "a.png", noise(2048, 64))
    state = project("../maps/a.png", distance=50.0)
    state = state.with_bench(state.bench.model_copy(update={"objects": ()}))
    assert not finished(map_files(state, tmp_path, state.bench.camera))[0].far_larger


@pytest.mark.parametrize(
    ("name", "made", "kind", "channels"),
    [("clay.png", "clay_128.png", np.uint8, 3), ("clay_256.png", "clay_128.png", np.uint16, 1),
     ("clay.jpg", "clay_128.png", np.uint8, 3), ("clay.exr", "clay_128.exr", np.float32, 3),
     ("clay-4096.tif", "clay_128.tif", np.uint16, 4)],
)  # fmt: skip
def test_numbers_are_means_and_the_depth_stays(tmp_path: Path, name: str, made: str, kind: type, channels: int) -> None:
    path = tmp_path / "maps" / name
    write_image(path, noise(256, 128, channels, kind))
    state = project(f"../maps/{name}", space="")
    (one,) = references(state, tmp_path)
    others = finished(halved(state, tmp_path, [one.file]))
    assert others == {one.file: one.file.with_name(made)}
    pixels = read_pixels(path).astype(np.float64)
    mean = (pixels[::2, ::2] + pixels[1::2, ::2] + pixels[::2, 1::2] + pixels[1::2, 1::2]) / 4
    found = read_pixels(path.with_name(made))
    assert found.dtype == pixels.dtype or found.dtype == kind
    assert read_info(path.with_name(made)).bits == read_info(path).bits
    np.testing.assert_allclose(found, mean, atol=1e-5 if kind is np.float32 else 0.51)


def test_colours_are_means_of_light(tmp_path: Path) -> None:
    path = tmp_path / "maps" / "a.png"
    pixels = np.zeros((64, 64, 3), np.uint8)
    pixels[:, ::2] = 255  # half of the light of white is 188 of 255 as stored
    write_image(path, pixels)
    state = project("../maps/a.png")
    finished(halved(state, tmp_path, [references(state, tmp_path)[0].file]))
    np.testing.assert_allclose(read_pixels(tmp_path / "maps" / "a_32.png"), 188, atol=1)


def test_tiles_are_halved_each_and_named_together(tmp_path: Path) -> None:
    maps = tmp_path / "maps"
    for tile in (1001, 1012):
        write_image(maps / f"pot.{tile}.png", noise(128, 128))
    state = project("../maps/pot.<UDIM>.png")
    (one,) = references(state, tmp_path)
    state = using(state, tmp_path, finished(halved(state, tmp_path, [one.file])))
    (then,) = references(state, tmp_path)
    assert then.stored == "../maps/pot_64.<UDIM>.png"
    assert then.missing == ()
    assert sorted(path.name for path in maps.glob("pot_64*")) == ["pot_64.1001.png", "pot_64.1012.png"]
    assert read_info(maps / "pot_64.1012.png").width == 64


def test_nobody_elses_file_is_written_over_and_those_outside_stay(tmp_path: Path) -> None:
    folder, other = tmp_path / "project", tmp_path / "library" / "clay"
    material_folder(folder).mkdir(parents=True)
    write_image(other / "clay.png", noise(128, 128))
    write_image(folder / "maps" / "clay" / "clay_64.png", noise(8, 8))
    before = (folder / "maps" / "clay" / "clay_64.png").read_bytes()
    state = project("../../library/clay/clay.png")
    (one,) = references(state, folder)
    others = finished(halved(state, folder, [one.file]))
    state = using(state, folder, others)
    assert references(state, folder)[0].stored == "../maps/clay/clay_64-2.png"
    assert (folder / "maps" / "clay" / "clay_64.png").read_bytes() == before
    assert [path.name for path in other.iterdir()] == ["clay.png"]


def test_what_cannot_be_read_is_told(tmp_path: Path) -> None:
    state = project("../maps/none.png")
    with pytest.raises(CollageError, match="not there"):
        finished(halved(state, tmp_path, [references(state, tmp_path)[0].file]))
