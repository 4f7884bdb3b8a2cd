"""Images: colour spaces, pyramids, files and the store."""

from __future__ import annotations

import os
import struct
import zlib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from collage.core.base.budget import Budget
from collage.core.base.errors import CollageError
from collage.core.images import files
from collage.core.images.colour import SPACES, is_linear, linear_to_srgb, srgb_to_linear, to_linear
from collage.core.images.files import read_info, read_pixels, write_image
from collage.core.images.pyramid import Coding, Layout, build
from collage.core.images.store import ImageRef, ImageStore


@pytest.mark.parametrize(
    ("encoded", "linear"), [(0, 0), (0.04045, 0.0031308), (0.5, 0.2140411), (0.735357, 0.5), (1, 1)]
)
def test_the_srgb_curve_at_published_values(encoded: float, linear: float) -> None:
    assert float(srgb_to_linear(np.array(encoded))) == pytest.approx(linear, abs=2e-6)
    assert float(linear_to_srgb(np.array(linear))) == pytest.approx(encoded, abs=2e-5)


@given(st.floats(0, 1))
def test_srgb_there_and_back(value: float) -> None:
    assert float(linear_to_srgb(srgb_to_linear(np.array(value)))) == pytest.approx(value, abs=1e-6)


@pytest.mark.parametrize("space", SPACES)
def test_white_stays_white_in_every_space(space: str) -> None:
    white = to_linear(np.ones((3, 1), np.float32), space)
    np.testing.assert_allclose(white, 1, atol=2e-3)
    alpha = to_linear(np.full((4, 1), 0.5, np.float32), space)
    assert alpha[3, 0] == 0.5
    assert is_linear(space) == (space == "lin_rec709")


@pytest.mark.parametrize("size", [(37, 20), (20, 37), (1, 50), (50, 1), (16, 256), (64, 64), (1, 1)])
def test_every_level_of_a_plain_image_is_plain(size: tuple[int, int]) -> None:
    pyramid = build(np.full((*size, 3), 128, np.uint8), "srgb_texture")
    wanted = float(srgb_to_linear(np.array(128 / 255)))
    for level in range(pyramid.last + 1):
        found = pyramid.linear(pyramid.read(np.array([[0.3], [0.6]], np.float32), np.array([level], np.float32)))
        np.testing.assert_allclose(found[:, 0], wanted, atol=1e-3)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_the_smallest_level_is_the_mean_of_the_light(kind) -> None:
    rng = np.random.default_rng(1)
    pixels = rng.random((64, 32, 1)).astype(np.float32)
    if kind is not np.float32:
        pixels = (pixels * np.iinfo(kind).max).astype(kind)
    pyramid = build(pixels)
    top = float(pixels.astype(float).mean()) / (1 if kind is np.float32 else np.iinfo(kind).max)
    found = pyramid.read(np.array([[0.5], [0.5]], np.float32), np.array([99], np.float32))
    assert found[0, 0] == pytest.approx(top, abs=4e-3)


def ramp(width: int = 4) -> np.ndarray:
    return np.arange(width, dtype=np.float32).reshape(1, width, 1) / 8


@pytest.mark.parametrize(("wrap", "u", "wanted"), [
    ("periodic", 0.125, 0.0), ("periodic", 0.25, 0.0625), ("periodic", 0.0, (0 + 0.375) / 2), ("periodic", 1.125, 0.0),
    ("clamp", -3.0, 0.0), ("clamp", 5.0, 0.375), ("mirror", 1.125, 0.375), ("mirror", -0.125, 0.0), ("mirror", 2.125, 0.0),
    ("constant", 0.5, 0.1875), ("constant", 1.5, 0.75), ("constant", 0.0, (0 + 0.75) / 2), ("constant", -0.0625, 0.0 * 0.25 + 0.75 * 0.75),
])  # fmt: skip
def test_wrap_modes_between_and_beyond_the_texels(wrap: str, u: float, wanted: float) -> None:
    found = build(ramp()).read(
        np.array([[u], [0.5]], np.float32), None, (wrap, "clamp"), False, np.array([0.75], np.float32)
    )
    assert found[0, 0] == pytest.approx(wanted, abs=1e-4)


def test_the_nearest_texel_and_the_top_row() -> None:
    pixels = np.array([[[0.25], [0.5]], [[0.75], [1.0]]], np.float32)
    place = np.array([[0.1, 0.9, 0.1, 0.9], [0.9, 0.9, 0.1, 0.1]], np.float32)
    found = build(pixels).read(place, nearest=True)
    np.testing.assert_allclose(found[0], (0.25, 0.5, 0.75, 1.0), atol=1e-4)


def test_reading_at_a_level_between_two_is_between_them() -> None:
    pyramid = build(np.random.default_rng(2).random((16, 16, 1)).astype(np.float32))
    place = np.array([[0.37], [0.71]], np.float32)
    low, high, between = (pyramid.read(place, np.array([level], np.float32))[0, 0] for level in (1, 2, 1.25))
    assert between == pytest.approx(low * 0.75 + high * 0.25, abs=1e-5)


def test_places_that_are_no_numbers_do_no_harm() -> None:
    place = np.array([[np.nan, np.inf, 1e30], [0.5, -np.inf, np.nan]], np.float32)
    assert np.isfinite(build(ramp()).read(place)).all()


@pytest.mark.parametrize(
    ("suffix", "bits", "kind"),
    [
        (".png", 8, np.uint8),
        (".png", 16, np.uint16),
        (".tif", 32, np.float32),
        (".exr", 32, np.float32),
        (".jpg", 8, np.uint8),
    ],
)
@pytest.mark.parametrize("channels", [1, 3, 4])
def test_files_come_back_as_they_were_written(tmp_path: Path, suffix: str, bits: int, kind, channels: int) -> None:
    if suffix == ".jpg" and channels == 4:
        pytest.skip("JPEG has no alpha")
    values = np.random.default_rng(3).random((9, 13, channels))
    pixels = values.astype(np.float32) if kind is np.float32 else (values * np.iinfo(kind).max).astype(kind)
    path = tmp_path / f"a{suffix}"
    write_image(path, pixels)
    info = read_info(path)
    assert (info.width, info.height, info.channels, info.bits) == (13, 9, channels, bits)
    found = read_pixels(path)
    assert found.dtype == kind
    if suffix != ".jpg":
        np.testing.assert_array_equal(found, pixels)
    assert not [one for one in tmp_path.iterdir() if one != path], "no temporary file is left"


def png(width: int, height: int, data: bytes = b"") -> bytes:
    """A PNG with a header that may lie."""

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


@pytest.mark.parametrize(("name", "data", "words"), [
    ("wide.png", png(10_000_000, 10), "10,000,000|cannot be read"),
    ("tall.png", png(30_000, 30_000), "only|cannot be read|broken"),
    ("empty.png", b"", "cannot be read"),
    ("text.png", b"this is no picture", "cannot be read"),
    ("cut.png", png(64, 64, zlib.compress(b"\0" * 100)), "broken|cannot"),
    ("half.exr", b"\x76\x2f\x31\x01\x02\0\0\0", "cannot be read"),
])  # fmt: skip
def test_bad_files_get_a_sentence_with_their_name_and_a_remedy(
    tmp_path: Path, name: str, data: bytes, words: str
) -> None:
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(CollageError, match=words) as caught:
        read_pixels(path)
    assert caught.value.about == name
    assert caught.value.remedy
    with pytest.raises(CollageError):
        ImageStore().open(ImageRef(str(path)))


def test_a_folder_that_cannot_be_written_to_is_told(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(CollageError, match="cannot be written"):
        write_image(tmp_path / "file" / "a.png", np.zeros((2, 2, 3), np.uint8))
    with pytest.raises(CollageError, match="cannot write"):
        write_image(tmp_path / "a.xyz", np.zeros((2, 2, 3), np.uint8))


def test_the_store_shares_images_notices_new_files_and_keeps_its_budget(tmp_path: Path) -> None:
    import os

    paths = [tmp_path / f"{number}.png" for number in range(4)]
    for number, path in enumerate(paths):
        write_image(path, np.full((64, 64, 3), number * 10, np.uint8))
    store = ImageStore(Budget(40_000))
    first = store.open(ImageRef(str(paths[0])))
    assert store.open(ImageRef(str(paths[0]))) is first
    for path in paths[1:]:
        store.open(ImageRef(str(path)))
    assert store.used <= 40_000
    write_image(paths[0], np.full((32, 32, 3), 200, np.uint8))
    os.utime(paths[0], ns=(1, 1))
    assert store.open(ImageRef(str(paths[0]))).width == 32


def test_alpha_is_left_unassociated(tmp_path: Path) -> None:
    pixels = np.array([[[200, 100, 50, 0], [200, 100, 50, 128]]], np.uint8)
    write_image(tmp_path / "a.png", pixels)
    np.testing.assert_array_equal(read_pixels(tmp_path / "a.png"), pixels)


@given(st.integers(1, 300), st.integers(1, 300))
def test_levels_lie_one_after_the_other_and_never_on_each_other(width: int, height: int) -> None:
    layout = Layout(width, height)
    texels = np.zeros((layout.end, 1), np.uint8)
    for number in range(layout.last + 1):
        there = layout.of(texels, number)
        assert there.shape == (max(height >> number, 1), max(width >> number, 1) + 1, 1)
        assert not there.any()
        there[:] = 1


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("size", [(1, 1), (5, 3), (3, 70), (64, 64), (70, 3), (1, 9), (9, 1)])
def test_every_level_is_read_where_it_lies(size: tuple[int, int], channels: int) -> None:
    pixels = np.random.default_rng(3).integers(0, 256, (*size, channels), dtype=np.uint8)
    pyramid = build(pixels)
    for number in range(pyramid.last + 1):
        level = pyramid.level(number)
        height, width = level.shape[:2]
        y, x = (one.ravel() for one in np.mgrid[0:height, 0:width])
        place = np.stack([(x + 0.5) / width, 1 - (y + 0.5) / height]).astype(np.float32)
        read = pyramid.read(place, np.full(x.size, number, np.float32), nearest=True)
        np.testing.assert_allclose(read.T, level.reshape(-1, channels), atol=1e-6)


@pytest.mark.parametrize(("width", "height", "last"), [(1, 1, 0), (2, 1, 1), (5, 3, 2), (8, 8, 3), (2048, 3, 11)])
def test_levels_halve_until_one_texel_is_left(width: int, height: int, last: int) -> None:
    assert Layout(width, height).last == last


@pytest.mark.parametrize(
    ("kind", "bits", "floating"),
    [(np.uint8, 8, False), (np.uint16, 16, False), (np.float16, 16, True), (np.float32, 32, True)],
)
def test_a_pyramid_knows_what_the_file_held(kind: type, bits: int, floating: bool) -> None:
    made = build(np.ones((2, 2, 3), kind))
    assert (made.bits, made.floating, made.channels) == (bits, floating, 3)


def test_what_was_broken_is_read_again_though_size_and_time_are_the_same(tmp_path: Path, monkeypatch) -> None:
    path, store = tmp_path / "map.png", ImageStore()
    write_image(path, np.full((8, 8, 3), 200, np.uint8))
    whole, stamp = path.read_bytes(), path.stat()
    path.write_bytes(whole[:60] + bytes(len(whole) - 60))
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    reference = ImageRef(str(path), "lin_rec709")
    with pytest.raises(CollageError):
        store.open(reference)
    path.write_bytes(whole)
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    with pytest.raises(CollageError):
        store.open(reference)  # not looked at for every picture
    monkeypatch.setattr("collage.core.images.store.time.monotonic", lambda: 1e12)
    assert store.open(reference).width == 8


def test_codes_stand_for_their_own_numbers_unless_scaled() -> None:
    assert Coding("uint8").values(np.array([0, 7, 255], np.uint8)).tolist() == [0, 7, 255]
    assert Coding("uint16", 0.5, 1.0).values(np.array([4], np.uint16)).tolist() == [3]


def test_the_smaller_levels_of_black_are_black(tmp_path: Path) -> None:
    write_image(tmp_path / "black.png", np.zeros((64, 64, 3), np.uint8))
    pyramid = ImageStore().open(ImageRef(str(tmp_path / "black.png"), "srgb_texture"))
    place = np.full((2, 1), 0.5, np.float32)
    assert not pyramid.read(place, np.array([5.0], np.float32), ("periodic", "periodic")).any()


def test_a_large_file_that_is_no_image_is_told_at_once(tmp_path: Path, monkeypatch) -> None:
    """Formats that are not Collage's are looked for in small files alone: some read all of it."""
    monkeypatch.setattr(files, "SEARCHED", 1000)
    opened = []
    monkeypatch.setattr(files.oiio.ImageInput, "open", lambda *given: opened.append(given))
    for name in ("zeros.png", "zeros"):
        (tmp_path / name).write_bytes(bytes(5000))
        with pytest.raises(CollageError, match="cannot be read as an image"):
            read_info(tmp_path / name)
    assert opened == []
    monkeypatch.undo()
    monkeypatch.setattr(files, "SEARCHED", 1000)
    write_image(tmp_path / "a.png", np.random.default_rng(1).integers(0, 255, (64, 64, 3), np.uint8))
    for name in ("a.png", "named wrongly.exr"):
        (tmp_path / name).write_bytes((tmp_path / "a.png").read_bytes())
        assert read_info(tmp_path / name).width == 64


@pytest.mark.parametrize("size", [(64, 128), (62, 126), (60, 36)])
@pytest.mark.parametrize(
    ("kind", "channels", "space"),
    [(np.uint8, 3, "srgb_texture"), (np.uint8, 4, "srgb_texture"), (np.uint8, 1, "lin_rec709"), (np.uint16, 3, "lin_rec709"),
     (np.uint16, 3, "srgb_texture")],
)  # fmt: skip
def test_levels_are_means_of_light(size: tuple[int, int], kind: type, channels: int, space: str) -> None:
    """Against means in double precision and the published curve; one step of the code is the most that may differ."""
    top = np.iinfo(kind).max
    stored = np.random.default_rng(4).integers(0, top, (*size, channels), kind, endpoint=True)
    pyramid = build(stored, space)
    light = stored / top
    for number in (1, 2):
        colours = min(channels, 3) if space == "srgb_texture" else 0
        if number == 1:
            light[..., :colours] = _light(light[..., :colours])
        height, width = light.shape[0] // 2 * 2, light.shape[1] // 2 * 2
        if (height, width) != light.shape[:2]:
            return
        light = (light[::2, ::2] + light[1::2, ::2] + light[::2, 1::2] + light[1::2, 1::2]) / 4
        wanted = light.copy()
        wanted[..., :colours] = _code(wanted[..., :colours])
        np.testing.assert_allclose(
            pyramid.level(number), wanted, atol=0.6 / top + (1e-5 if kind is np.uint16 else 1e-6)
        )


def _light(code: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)


def _code(light: np.ndarray) -> np.ndarray:
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)


@pytest.mark.parametrize("detail", [None, 0.0, 1.0])
def test_a_place_just_before_the_first_texel_reads_the_first(detail: float | None) -> None:
    """Half a texel from the border, less what numbers are rounded by."""
    texels = np.linspace(0.2, 0.9, 24, dtype=np.float32)[:, None] * np.linspace(0.1, 1, 24, dtype=np.float32)
    pyramid, count = build(texels[:, :, None].copy()), 81
    size = 24 if not detail else 12
    near = (0.5 + np.linspace(-1e-5, 1e-5, count)) / size
    levels = None if detail is None else np.full(count, detail, np.float32)
    for place in (np.stack([near, np.full(count, 0.3)]), np.stack([np.full(count, 0.3), near]),
                  np.stack([np.full(count, 0.3), 1 - near])):  # fmt: skip
        found = pyramid.read(place.astype(np.float32), levels)[0]
        assert np.ptp(found) < 1e-4
