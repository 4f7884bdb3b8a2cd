"""Numbered tiles and the store of images: which files belong together, and how much of them is kept."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.images.files import write_image
from collage.core.images.store import ImageRef, ImageStore
from collage.core.images.tiles import Tiles, file_of, is_pattern, label_of, pattern_of


def test_patterns_and_their_files() -> None:
    assert pattern_of("wall_1001_col.1012.png", "1012") == "wall_1001_col.<UDIM>.png"
    assert pattern_of("wall_u2_v1.exr", "u2_v1") == "wall_<UVTILE>.exr"
    assert pattern_of("wall_U2_V1.exr", "u2_v1") == "wall_<UVTILE>.exr"
    assert [is_pattern(name) for name in ("a.<UDIM>.png", "a_<UVTILE>.png", "a.1001.png")] == [True, True, False]
    assert file_of("a.<UDIM>.png", (1, 2)) == "a.1013.png"
    assert file_of("a_<UVTILE>.png", (1, 2)) == "a_u3_v2.png"
    assert label_of((0, 9)) == "1010"


@pytest.mark.parametrize("pattern", ["a.<UDIM>.png", "a_<UVTILE>.png"])
def test_tiles_on_disk(tmp_path: Path, pattern: str) -> None:
    for place in ((0, 0), (0, 3), (2, 1)):
        (tmp_path / file_of(pattern, place)).touch()
    (tmp_path / "a.0999.png").touch()
    (tmp_path / "other.1001.png").touch()
    tiles = Tiles(str(tmp_path / pattern))
    assert list(tiles.files) == [(0, 0), (0, 3), (2, 1)]
    assert tiles.missing == [(0, 1), (0, 2)]
    assert Tiles(str(tmp_path / "nowhere" / pattern)).files == {}


def test_a_tile_that_comes_changes_the_stamp(tmp_path: Path) -> None:
    ref = ImageRef(str(tmp_path / "a.<UDIM>.png"))
    assert ref.stamp == "missing"
    write_image(tmp_path / "a.1001.png", np.zeros((4, 4, 1), np.uint8))
    first = ref.stamp
    write_image(tmp_path / "a.1002.png", np.zeros((4, 4, 1), np.uint8))
    assert len({first, ref.stamp, "missing"}) == 3


def test_of_a_data_map_one_channel_is_kept(tmp_path: Path) -> None:
    path = tmp_path / "rough.png"
    pixels = np.random.default_rng(1).integers(0, 255, (64, 64, 3), np.uint8)
    write_image(path, pixels)
    one = ImageStore().open(ImageRef(str(path), single=True))
    whole = ImageStore().open(ImageRef(str(path)))
    assert (one.channels, whole.channels) == (1, 3)
    assert one.nbytes < whole.nbytes / 3
    place = np.random.default_rng(2).random((2, 50), np.float32)
    assert np.allclose(one.read(place)[0], whole.read(place)[0], atol=1e-6)


def test_what_is_open_already_is_not_read_again(tmp_path: Path) -> None:
    path = tmp_path / "rough.png"
    write_image(path, np.zeros((8, 8, 3), np.uint8))
    store = ImageStore()
    whole = store.open(ImageRef(str(path)))
    assert store.open(ImageRef(str(path), single=True)) is whole


def test_a_store_lets_go_of_its_images(tmp_path: Path) -> None:
    path = tmp_path / "rough.png"
    write_image(path, np.zeros((8, 8, 3), np.uint8))
    store = ImageStore()
    first = store.open(ImageRef(str(path)))
    store.clear()
    assert store.used == 0
    assert store.open(ImageRef(str(path))) is not first


def test_levels_made_by_tables_are_means_of_light() -> None:
    from collage.core.images.colour import linear_to_srgb, srgb_to_linear
    from collage.core.images.pyramid import build

    pixels = np.random.default_rng(3).integers(0, 256, (16, 12, 4), np.uint8)
    pyramid = build(pixels, "srgb_texture")
    assert np.allclose(pyramid.level(0), pixels / 255)
    blocks = pixels.reshape(8, 2, 6, 2, 4) / 255
    light = srgb_to_linear(blocks[..., :3]).mean(axis=(1, 3))
    assert np.abs(pyramid.level(1)[..., :3] - linear_to_srgb(light)).max() < 0.5 / 255 + 2e-4
    assert np.abs(pyramid.level(1)[..., 3] - blocks[..., 3].mean(axis=(1, 3))).max() < 0.5 / 255 + 1e-6
    deep = build((pixels[..., :1].astype(np.uint16) * 257), "lin_rec709")
    assert np.abs(deep.level(2)[..., 0] - pixels[..., 0].reshape(4, 4, 3, 4).mean(axis=(1, 3)) / 255).max() < 1e-4
