"""Plain PNG files are read to the same pixels as by the image library; all others are left to it."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterable
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.images import png
from collage.core.images.files import pixels_in_parts

COLOURS = {1: 0, 2: 4, 3: 2, 4: 6}
RNG = np.random.default_rng(8)


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def predicted(kind: int, line: np.ndarray, above: np.ndarray, step: int) -> np.ndarray:
    """What a filter takes a row for, written as the specification has it."""
    left = np.concatenate([np.zeros(step, int), line[:-step]])
    corner = np.concatenate([np.zeros(step, int), above[:-step]])
    guess = left + above - corner
    near = np.abs(np.stack([guess - left, guess - above, guess - corner])).argmin(axis=0)
    closest = np.choose(near, [left, above, corner])
    return (np.zeros_like(left), left, above, (left + above) // 2, closest, left)[kind]  # the sixth is none of PNG's


def packed(pixels: np.ndarray, filters: Iterable[int]) -> bytes:
    """The compressed rows of (h, w, c) uint8 or uint16 pixels, each by its filter."""
    step = pixels.shape[2] * pixels.dtype.itemsize
    rows = pixels.astype(pixels.dtype.newbyteorder(">")).reshape(len(pixels), -1).view(np.uint8).astype(int)
    above, found = np.zeros(rows.shape[1], int), b""
    for row, kind in zip(rows, filters, strict=False):
        found += bytes([kind]) + ((row - predicted(kind, row, above, step)) % 256).astype(np.uint8).tobytes()
        above = row
    return zlib.compress(found)


def file_of(
    pixels: np.ndarray, data: bytes, *, before: bytes = b"", interlaced: int = 0, at_once: int = 1 << 30
) -> bytes:
    height, width, channels = pixels.shape
    bits = pixels.dtype.itemsize * 8
    header = struct.pack(">IIBBBBB", width, height, bits, COLOURS[channels], 0, 0, interlaced)
    parts = b"".join(chunk(b"IDAT", data[start : start + at_once]) for start in range(0, len(data), at_once))
    return png.SIGNATURE + chunk(b"IHDR", header) + before + parts + chunk(b"IEND", b"")


def noise(shape: tuple[int, int, int], kind: type) -> np.ndarray:
    return RNG.integers(0, np.iinfo(kind).max + 1, shape).astype(kind)


def read(path: Path) -> np.ndarray | str:
    try:
        with pixels_in_parts(path) as image:
            return np.concatenate(list(image.parts))
    except CollageError as error:
        return str(error)


def by_the_library(path: Path, monkeypatch: pytest.MonkeyPatch) -> np.ndarray | str:
    def never(path: Path, at_once: int) -> None:
        raise png.NotPlain

    with monkeypatch.context() as patch:
        patch.setattr(png, "rows_of", never)
        return read(path)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("at_once", [1, 1000, 1 << 30])
def test_every_filter_is_undone(tmp_path: Path, kind: type, channels: int, at_once: int) -> None:
    pixels = noise((23, 17, channels), kind)
    (tmp_path / "a.png").write_bytes(file_of(pixels, packed(pixels, [4, 3, 2, 1, 0] * 5), at_once=at_once))
    found = np.concatenate(list(png.rows_of(tmp_path / "a.png", 7)))
    assert found.dtype == kind
    assert np.array_equal(found, pixels)


def test_first_channels_alone(tmp_path: Path) -> None:
    pixels = noise((300, 5, 4), np.uint8)
    (tmp_path / "a.png").write_bytes(file_of(pixels, packed(pixels, [1] * 300)))
    with pixels_in_parts(tmp_path / "a.png", 1) as image:
        parts = list(image.parts)
    assert [part.shape for part in parts] == [(256, 5, 1), (44, 5, 1)]
    assert np.array_equal(np.concatenate(parts), pixels[:, :, :1])


PIXELS = noise((40, 30, 3), np.uint8)
DATA = packed(PIXELS, [4] * 40)


@pytest.mark.parametrize(
    "content",
    [
        file_of(PIXELS, DATA, before=chunk(b"tRNS", struct.pack(">HHH", *PIXELS[3, 4]))),
        file_of(PIXELS[:, :, :1], packed(PIXELS[:, :, :1], [0] * 40)).replace(b"\0\0\0\x1e\0\0\0\x28\x08\0", b"\0\0\0\xf0\0\0\0\x28\x01\0"),
        file_of(PIXELS[:8, :8], DATA, interlaced=1),
        file_of(PIXELS, packed(PIXELS, [0] * 39 + [5])),
        file_of(PIXELS, packed(PIXELS[:30], [1] * 30)),
        file_of(PIXELS, DATA[:-20]),
        file_of(PIXELS, b"no deflated data at all"),
        file_of(PIXELS, b""),
        file_of(PIXELS, DATA).replace(b"IDAT", b"IDAZ"),
        b"",
        png.SIGNATURE,
        png.SIGNATURE + struct.pack(">I4s", 0x7FFFFFFF, b"IHDR"),
    ],
    ids=["transparent", "one bit", "interlaced", "unknown filter", "short", "cut", "no data", "empty", "no chunk",
         "nothing", "signature", "endless"],
)  # fmt: skip
def test_the_library_reads_what_is_not_plain(tmp_path: Path, monkeypatch, content: bytes) -> None:
    path = tmp_path / "a.png"
    path.write_bytes(content)
    with pytest.raises(png.NotPlain):
        list(png.rows_of(path, 16))
    np.testing.assert_equal(read(path), by_the_library(path, monkeypatch))


def test_damaged_files_give_what_the_library_makes_of_them(tmp_path: Path, monkeypatch) -> None:
    whole = file_of(PIXELS, DATA, at_once=500, before=chunk(b"gAMA", struct.pack(">I", 45455)))
    for place in RNG.integers(8, len(whole), 60):
        path = tmp_path / f"{place}.png"
        damaged = bytearray(whole)
        damaged[place] ^= 1 << int(place) % 8
        path.write_bytes(damaged if place % 2 else whole[:place])
        np.testing.assert_equal(read(path), by_the_library(path, monkeypatch))


def test_a_file_is_read_that_blows_up(tmp_path: Path, monkeypatch) -> None:
    """More data than its rows need are left where they are."""
    path = tmp_path / "a.png"
    path.write_bytes(file_of(PIXELS, zlib.compress(bytes(91 * 40 + 50_000_000))))
    assert not np.any(next(png.rows_of(path, 16)))
    np.testing.assert_equal(read(path), np.zeros_like(PIXELS))
