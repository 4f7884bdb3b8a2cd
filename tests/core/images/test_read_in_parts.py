"""Images that are read some rows at a time have the same levels as those that are read whole."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.images import files
from collage.core.images.files import pixels_in_parts, read_pixels, write_image
from collage.core.images.pyramid import Pyramid, build, build_in_parts


def in_parts(path: Path, space: str) -> Pyramid:
    with pixels_in_parts(path) as image:
        return build_in_parts(image.shape, image.parts, space)


@pytest.mark.parametrize("space", ["srgb_texture", "lin_rec709"])
@pytest.mark.parametrize(("ending", "kind"), [
    ("png", np.uint8), ("png", np.uint16), ("tif", np.uint16), ("tif", np.float32), ("jpg", np.uint8), ("exr", np.float32),
])  # fmt: skip
@pytest.mark.parametrize("shape", [(68, 52, 3), (64, 64, 1), (61, 47, 4), (8, 4, 3), (1, 1, 3), (3, 90, 2)])
def test_levels_are_the_same(tmp_path: Path, monkeypatch, space: str, ending: str, kind: type, shape) -> None:
    if shape[2] in (2, 4) and ending == "jpg":
        pytest.skip("JPEG has neither")
    monkeypatch.setattr(files, "ROWS", 16)
    values = np.random.default_rng(3).random(shape)
    top = 1 if kind is np.float32 else np.iinfo(kind).max
    path = tmp_path / f"image.{ending}"
    write_image(path, (values * top).astype(kind))
    made, wanted = in_parts(path, space), build(read_pixels(path), space)
    assert made.texels.dtype == wanted.texels.dtype
    assert np.array_equal(made.texels, wanted.texels)
    assert (made.coding, made.bits, made.space, made.floating, made.even) == (
        wanted.coding, wanted.bits, wanted.space, wanted.floating, wanted.even)  # fmt: skip


@pytest.mark.parametrize("even_rows", [1, 40, 64])
def test_an_even_image_is_told_from_one_with_an_even_top(tmp_path: Path, monkeypatch, even_rows: int) -> None:
    monkeypatch.setattr(files, "ROWS", 16)
    pixels = np.random.default_rng(1).integers(0, 256, (64, 64, 3)).astype(np.uint8)
    pixels[:even_rows] = 77
    write_image(tmp_path / "image.png", pixels)
    made = in_parts(tmp_path / "image.png", "srgb_texture")
    assert made.even == (even_rows == 64)
    assert np.array_equal(made.texels, build(pixels, "srgb_texture").texels)


def test_a_file_that_ends_too_early_is_told(tmp_path: Path) -> None:
    path = tmp_path / "image.png"
    write_image(path, np.random.default_rng(1).integers(0, 256, (1024, 256, 3)).astype(np.uint8))
    path.write_bytes(path.read_bytes()[:-300_000])
    with pytest.raises(CollageError, match="The image is broken"):
        in_parts(path, "srgb_texture")
