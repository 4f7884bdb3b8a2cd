"""Pictures with a record: made again they are the same, and follow their source."""

from __future__ import annotations

import threading
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.images.files import read_info, read_pixels, write_image
from collage.core.images.made import (
    Derive,
    make_again,
    make_derived_files,
    make_region_file,
    make_seamless_file,
    read_record,
    record_path,
    tiles_already,
)
from collage.core.images.region import Region
from collage.core.images.seamless import Seamless
from collage.demo.photographs import photograph


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    path = tmp_path / "photographs" / "bark.jpg"
    write_image(path, photograph("bark", 160).pixels)
    return path


def test_a_tiling_map_has_sixteen_bits_and_a_record(picture: Path, tmp_path: Path) -> None:
    target = tmp_path / "maps" / "bark_tile.png"
    how = Seamless(overlap=0.25, region=Region(left=0.1))
    finished(make_seamless_file(picture, target, how))
    assert read_info(target).bits == 16
    record = read_record(target)
    assert record.seamless == how
    assert record.source == "../photographs/bark.jpg"
    assert record.before[0] > record.after[0]
    first = read_pixels(target)
    target.unlink()
    finished(make_again(record_path(target)))
    assert np.array_equal(read_pixels(target), first)
    write_image(picture, photograph("bark", 160, 9).pixels)
    finished(make_again(target))
    assert not np.array_equal(read_pixels(target), first)


def test_what_tiles_already_is_known_by_its_record_or_by_its_borders(picture: Path, tmp_path: Path) -> None:
    assert not tiles_already(picture, read_pixels(picture))
    target = tmp_path / "maps" / "bark_tile.png"
    finished(make_seamless_file(picture, target, Seamless(overlap=0.25)))
    made = read_pixels(target)
    assert tiles_already(target, made)
    assert tiles_already(target, read_pixels(picture)), "the record counts"
    record_path(target).unlink()
    waves = np.sin(np.linspace(0, 4 * np.pi, 128, endpoint=False))
    tile = (0.5 + 0.2 * waves[:, None] * waves[None, :]).astype(np.float32)[:, :, None]
    assert tiles_already(target, tile)
    assert not tiles_already(target, tile[:, :77])
    for path in finished(make_derived_files(picture, tmp_path / "d", Derive(maps=("height",)))):
        assert tiles_already(path, read_pixels(path)), "derived as a tile"


def test_deriving_can_be_given_up_at_every_step(picture: Path, tmp_path: Path) -> None:
    """What is there then is whole, with its record, and nothing goes on behind one's back."""
    whole = tmp_path / "whole"
    files = finished(make_derived_files(picture, whole, Derive()))
    count = sum(1 for _ in make_derived_files(picture, whole, Derive()))
    assert count > 10, "a step of a large photograph is to take less than a second"
    threads = threading.active_count()
    for after in range(1, count, 2):
        folder = tmp_path / str(after)
        steps = make_derived_files(picture, folder, Derive())
        with suppress(StopIteration):
            for _ in range(after):
                next(steps)
        steps.close()
        assert threading.active_count() == threads
        for path in folder.glob("*") if folder.exists() else ():
            assert path.read_bytes() == (whole / path.name).read_bytes()
        assert not list(folder.glob(".*"))
    assert len(files) == 4


def test_a_map_that_cannot_be_written_is_told_though_others_are(picture: Path, tmp_path: Path) -> None:
    (tmp_path / "d" / "bark_normal.png").mkdir(parents=True)
    with pytest.raises(CollageError, match=r"bark_normal\.png"):
        finished(make_derived_files(picture, tmp_path / "d", Derive(maps=("height", "normal"))))
    assert read_info(tmp_path / "d" / "bark_height.png").bits == 16
    assert not list((tmp_path / "d").glob(".*"))


def test_derived_maps_each_have_a_record(picture: Path, tmp_path: Path) -> None:
    files = finished(make_derived_files(picture, tmp_path / "d", Derive(maps=("height", "normal"), depth=0.05)))
    assert [one.name for one in files] == ["bark_height.png", "bark_normal.png"]
    assert [read_info(one).channels for one in files] == [1, 3]
    before = read_pixels(files[1])
    files[1].unlink()
    assert finished(make_again(record_path(files[1]))) == [files[1]]
    assert np.array_equal(read_pixels(files[1]), before)


def test_regions_keep_what_they_hold(picture: Path, tmp_path: Path) -> None:
    target = tmp_path / "r.png"
    finished(make_region_file(picture, target, Region(right=0.5, turns=2)))
    whole = read_pixels(picture)
    assert np.array_equal(read_pixels(target), np.rot90(whole[:, :80].astype(np.uint16) * 257, 2))


def test_without_a_record_there_is_a_sentence(picture: Path, tmp_path: Path) -> None:
    with pytest.raises(CollageError, match="no record"):
        finished(make_again(picture))
    (tmp_path / "x.made.json").write_text('{"source": 5}')
    with pytest.raises(CollageError, match="cannot be read"):
        finished(make_again(tmp_path / "x.made.json"))
