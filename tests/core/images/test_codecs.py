"""Image formats: one table for dialogs, the command line, reading and writing."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.images import files
from collage.core.images.codecs import CODECS, READ_SUFFIXES, WRITTEN, codec_of, codec_to_write, dialog_filter
from collage.core.images.files import read_info, read_pixels, write_image, writing


@pytest.mark.parametrize("suffix", [suffix for codec in WRITTEN for suffix in codec.suffixes])
def test_what_is_offered_for_writing_is_written_and_read_back(suffix: str, tmp_path: Path) -> None:
    ramp = np.linspace(0, 1, 8 * 8 * 3, dtype=np.float32).reshape(8, 8, 3)
    path = tmp_path / f"ramp{suffix.upper()}"
    write_image(path, ramp if codec_to_write(path).linear else (ramp * 255).astype(np.uint8))
    found = read_pixels(path).astype(float)
    largest = (
        1.0 if np.issubdtype(read_pixels(path).dtype, np.floating) else float(np.iinfo(read_pixels(path).dtype).max)
    )
    assert found.shape == (8, 8, 3)
    assert np.abs(found / largest - ramp).max() < (0.12 if suffix in (".jpg", ".jpeg") else 0.02)


@pytest.mark.parametrize("suffix", [codec.suffixes[0] for codec in WRITTEN])
def test_a_file_that_is_given_up_leaves_the_one_before(suffix: str, tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr(files, "BYTES_AT_ONCE", 1000)
    path = tmp_path / f"pot{suffix}"
    write_image(path, np.full((40, 50, 3), 40, np.uint8))
    before = path.read_bytes()
    pixels = np.random.default_rng(3).integers(0, 255, (40, 50, 3), np.uint8)
    for after in range(1, 8):
        steps = writing(path, pixels)
        for _ in range(after):
            next(steps)
        steps.close()
        assert path.read_bytes() == before
        assert list(tmp_path.iterdir()) == [path]
    assert [one.share for one in writing(path, pixels)] == pytest.approx(np.arange(0, 40, 6) / 40)
    assert read_info(path).width == 50


def test_the_dialog_offers_what_is_written_and_nothing_else() -> None:
    offered = set(dialog_filter().partition("(")[2].rstrip(")").split())
    assert offered == {f"*{suffix}" for codec in WRITTEN for suffix in codec.suffixes}
    assert {suffix.lstrip("*") for suffix in offered} < READ_SUFFIXES


def test_no_ending_names_two_formats() -> None:
    endings = [suffix for codec in CODECS for suffix in codec.suffixes]
    assert len(endings) == len(set(endings))
    assert codec_of(Path("wall.BMP")).name == "BMP"
    assert codec_of(Path("wall.txt")) is None


@pytest.mark.parametrize(("name", "words"), [("pot.webp", "“.webp” files"), ("pot", "files without an ending")])
def test_what_cannot_be_written_is_said_with_what_can(name: str, words: str) -> None:
    with pytest.raises(CollageError, match=words) as caught:
        codec_to_write(Path(name))
    assert ".exr" in caught.value.remedy
