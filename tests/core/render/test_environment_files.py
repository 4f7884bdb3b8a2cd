"""Environment files: read in rows, made narrower by means of light, and held to what light can be."""

from __future__ import annotations

import tracemalloc
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from collage.core.base.errors import CollageError
from collage.core.images import files
from collage.core.images.colour import srgb_to_linear
from collage.core.images.files import pixels_in_parts, read_pixels, write_image
from collage.core.render import environment
from collage.core.render.environment import BRIGHTEST, load_environment, read_environment
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench, Environment


def noise(height: int, width: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).gamma(0.5, 2.0, (height, width, 3)).astype(np.float32)


@pytest.mark.parametrize(("height", "width"), [(20, 40), (64, 128), (70, 131), (5, 300), (33, 64)])
def test_a_wide_picture_becomes_narrower_by_the_means_of_its_light(tmp_path: Path, monkeypatch, height, width) -> None:
    monkeypatch.setattr(environment, "WIDEST", 64)
    monkeypatch.setattr(files, "ROWS", 7)
    path, picture = tmp_path / "sky.exr", noise(height, width)
    write_image(path, picture, bits=32)
    made, remarks = read_environment(path)
    assert not remarks
    rows, columns = (height, width) if width <= 64 else (max(round(height * 64 / width), 1), 64)
    assert made.shape == (rows, columns, 3)
    down, across = (np.arange(many + 1) * of // many for many, of in ((rows, height), (columns, width)))
    for row in range(rows):
        for column in range(0, columns, 9):
            part = picture[down[row] : down[row + 1], across[column] : across[column + 1]]
            np.testing.assert_allclose(made[row, column], part.mean(axis=(0, 1)), rtol=1e-5)


def test_eight_bits_are_srgb_and_one_channel_is_grey(tmp_path: Path) -> None:
    path = tmp_path / "grey.png"
    codes = np.arange(128, dtype=np.uint8).reshape(8, 16, 1)
    write_image(path, codes)
    made, _ = read_environment(path)
    np.testing.assert_allclose(made, np.repeat(srgb_to_linear(codes / np.float32(255)), 3, axis=2), atol=1e-6)


@pytest.mark.parametrize(("value", "word"), [(np.nan, "no number"), (-3.0, "below nothing"), (1e30, "brighter than")])
def test_light_that_cannot_be_is_held_and_told_and_makes_no_bright_spots(
    library, tmp_path: Path, value: float, word: str
) -> None:
    path, picture = tmp_path / "odd.exr", np.full((16, 32, 3), 0.5, np.float32)
    picture[3:6, 4:20] = value
    write_image(path, picture, bits=32)
    made, remarks = read_environment(path)
    assert made.min() >= 0
    assert made.max() <= BRIGHTEST
    assert len(remarks) == 1
    assert word in remarks[0]
    assert "9.4 %" in remarks[0]
    bench = Bench(environment=Environment(file=path.name), ground=True)
    shown = Renderer(library).picture(PictureRequest(bench, {}, 32, 24, folder=tmp_path))
    assert np.isfinite(shown.linear).all()
    assert remarks[0] in shown.remarks


def test_a_file_that_was_cut_off_gives_an_even_grey_and_says_so(library, tmp_path: Path) -> None:
    path = tmp_path / "cut.exr"
    write_image(path, noise(256, 512), bits=32)
    path.write_bytes(path.read_bytes()[:40_000])
    with pytest.raises(CollageError):
        load_environment(path)
    bench = Bench(environment=Environment(file=path.name))
    shown = Renderer(library).picture(PictureRequest(bench, {}, 32, 24, folder=tmp_path))
    assert any("even grey" in text for text in shown.remarks)
    assert np.isfinite(shown.linear).all()


def test_a_large_file_takes_little_room(tmp_path: Path) -> None:
    path = tmp_path / "large.exr"
    write_image(path, np.tile(noise(64, 128), (32, 32, 1)), bits=16)
    whole = 2048 * 4096 * 3 * 4
    tracemalloc.start()
    read_environment(path)
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < whole * 0.75  # of which a quarter is what is kept


@pytest.mark.parametrize("kind", ["float", "half", "uint8"])
@pytest.mark.parametrize("form", ["exr", "tif"])
def test_files_in_tiles_are_read_in_rows_too(tmp_path: Path, monkeypatch, form: str, kind: str) -> None:
    if (form, kind) in (("exr", "uint8"), ("tif", "half")):
        pytest.skip("the form has no such numbers")
    monkeypatch.setattr(files, "ROWS", 20)
    path = tmp_path / f"tiled.{form}"
    spec = oiio.ImageSpec(70, 90, 3, kind)
    spec.tile_width = spec.tile_height = 16
    made = oiio.ImageBuf(spec)
    made.set_pixels(oiio.ROI(0, 70, 0, 90), np.random.default_rng(2).random((90, 70, 3), np.float32))
    made.set_write_tiles(16, 16)
    assert made.write(str(path))
    with pixels_in_parts(path, 3, floats=True) as image:
        parts = list(image.parts)
    assert len(parts) == 6
    np.testing.assert_array_equal(np.concatenate(parts), read_pixels(path, 3))
