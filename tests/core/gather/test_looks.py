"""What pictures say: roles put right, green measured, broken files told."""

from __future__ import annotations

import struct
import zlib
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.progress import Progress
from collage.core.gather.green import against_height, alone
from collage.core.gather.looks import SMALL, Look, look_at, look_of
from collage.core.gather.names import AXES_TEXT
from collage.core.gather.scan import gather, gathered
from collage.core.gather.sets import Gathered
from collage.core.images.derive import normal_from
from collage.core.images.files import write_image
from collage.demo.fields import fractal_field, stretched


def height(seed: int = 3, size: int = 256) -> np.ndarray:
    return stretched(fractal_field(size, seed, slope=1.6))


def bytes_of(field: np.ndarray) -> np.ndarray:
    return (np.clip(field, 0, 1) * 255 + 0.5).astype(np.uint8)


def normals(field: np.ndarray, *, down: bool = False) -> np.ndarray:
    pixels = bytes_of(normal_from(field, 1.0, 0.05))
    if down:
        pixels[:, :, 1] = 255 - pixels[:, :, 1]
    return pixels


def colours(seed: int = 1, size: int = 64) -> np.ndarray:
    base = height(seed, size)
    return bytes_of(np.stack([0.4 + 0.4 * base, 0.3 * base + 0.2, 0.1 + 0.1 * base], axis=2))


def roles(folder: Path) -> dict[str, str]:
    return {file: one.role for each in gathered(folder).sets for one in each.maps for file in one.files}


@pytest.mark.parametrize("down", [False, True])
@pytest.mark.parametrize("inverted", [False, True])
@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_green_against_the_height_map(down: bool, inverted: bool, seed: int) -> None:
    field = height(seed)
    axes, found, sure = against_height(
        look_of(normals(field, down=down)), look_of(bytes_of(1 - field if inverted else field)[:, :, None])
    )
    assert axes == ("red" if inverted else ""), "an inverted height looks as if both axes were mirrored"
    assert found == ("down" if down != inverted else "up")
    assert sure > 0.5


def with_axes(pixels: np.ndarray, axes: str) -> np.ndarray:
    """A normal map whose axes need this correction."""
    pixels = pixels.copy()
    if axes.endswith("red"):
        pixels[:, :, 0] = 255 - pixels[:, :, 0]
    return pixels[:, :, [1, 0, 2]] if axes.startswith("swapped") else pixels


@pytest.mark.parametrize("axes", AXES_TEXT)
@pytest.mark.parametrize("down", [False, True])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_all_eight_cases_of_axes_are_told(axes: str, down: bool, seed: int) -> None:
    field = height(seed)
    pixels = with_axes(normals(field, down=down), axes)
    found = against_height(look_of(pixels), look_of(bytes_of(field)[:, :, None]))
    assert found[:2] == (axes, "down" if down else "up")
    assert found[2] > 0.5


@pytest.mark.parametrize("axes", ["red", "swapped", "swapped red"])
def test_wrong_axes_are_marked_and_the_correction_is_offered(tmp_path: Path, axes: str) -> None:
    field = height(2)
    write_image(tmp_path / "wall_normal.png", with_axes(normals(field), axes))
    write_image(tmp_path / "wall_height.png", bytes_of(field)[:, :, None])
    ((normal,), _) = [
        [one for one in gathered(tmp_path).sets[0].maps if one.role == role] for role in ("normal", "height")
    ]
    assert not normal.sure
    assert (normal.axes, normal.measured_axes) == ("", axes)
    assert any(f"choose “{AXES_TEXT[axes]}, up”" in text for text in normal.remarks)


@pytest.mark.parametrize("down", [False, True])
def test_green_from_the_map_alone(down: bool) -> None:
    assert alone(look_of(normals(height(), down=down)))[0] == ("down" if down else "up")


def test_a_map_that_runs_along_one_axis_tells_nothing() -> None:
    waves = np.tile(0.5 + 0.5 * np.sin(np.linspace(0, 6 * np.pi, 128, endpoint=False)), (128, 1))
    assert alone(look_of(normals(waves)))[0] == "unknown"
    flat = np.full((64, 64, 3), (128, 128, 255), np.uint8)
    assert alone(look_of(flat)) == ("unknown", 0.0)


def test_unrelated_height_and_normal_do_not_decide() -> None:
    found = against_height(look_of(normals(height(1))), look_of(bytes_of(height(9))[:, :, None]))
    assert found[:2] == ("", "unknown")


def test_pictures_put_roles_right(tmp_path: Path) -> None:
    grey = bytes_of(height())[:, :, None]
    write_image(tmp_path / "a_normal.png", np.repeat(grey, 3, axis=2))  # a height map under the wrong name
    write_image(tmp_path / "b_bump.png", normals(height()))  # and a normal map
    write_image(tmp_path / "c_d.png", grey)
    write_image(tmp_path / "c_albedo.png", colours())
    write_image(tmp_path / "d_d.png", colours())
    write_image(tmp_path / "d_roughness.png", colours())
    found = gathered(tmp_path)
    maps = {one.files[0]: one for each in found.sets for one in each.maps}
    assert {file: one.role for file, one in maps.items()} == {
        "a_normal.png": "height", "b_bump.png": "normal", "c_d.png": "height", "c_albedo.png": "base_color",
        "d_d.png": "base_color", "d_roughness.png": "specular_roughness",
    }  # fmt: skip
    assert not maps["a_normal.png"].sure
    assert "grey" in maps["a_normal.png"].remarks[0]
    assert not maps["d_roughness.png"].sure
    assert "Coloured" in maps["d_roughness.png"].remarks[0]


def test_a_picture_of_one_plain_value_contradicts_no_name(tmp_path: Path) -> None:
    for name in ("normal", "roughness", "height", "albedo", "ORM"):
        write_image(tmp_path / f"a_{name}.png", np.full((32, 32, 3), 128, np.uint8))
    found = gathered(tmp_path).sets[0]
    assert {one.files[0]: one.role for one in found.maps} == {
        "a_normal.png": "normal", "a_roughness.png": "specular_roughness", "a_height.png": "height",
        "a_albedo.png": "base_color", "a_ORM.png": "packed",
    }  # fmt: skip
    assert all(one.sure for one in found.maps)


def test_an_alpha_that_says_something_is_opacity(tmp_path: Path) -> None:
    opaque = np.dstack([colours(), np.full((64, 64), 255, np.uint8)])
    clear = np.dstack([colours(), bytes_of(height(5, 64))])
    write_image(tmp_path / "a_albedo.png", opaque)
    write_image(tmp_path / "b_albedo.png", clear)
    first, second = (one.maps[0] for one in gathered(tmp_path).sets)
    assert first.channels == ()
    assert dict(second.channels) == {"rgb": "base_color", "a": "opacity"}


def test_a_name_that_contradicts_the_height_map_is_told(tmp_path: Path) -> None:
    write_image(tmp_path / "a_normal_dx.png", normals(height()))
    write_image(tmp_path / "a_height.png", bytes_of(height())[:, :, None])
    normal = next(one for one in gathered(tmp_path).sets[0].maps if one.role == "normal")
    assert normal.green == "down"
    assert "it is up as measured against the height map" in normal.remarks[0]


def test_different_sizes_are_told(tmp_path: Path) -> None:
    write_image(tmp_path / "a_albedo.png", colours(size=64))
    write_image(tmp_path / "a_roughness.png", bytes_of(height(1, 32))[:, :, None])
    assert gathered(tmp_path).sets[0].remarks == ("Its maps have different sizes: 64×64 and 32×32.",)


def test_names_come_first_then_progress_then_pictures(tmp_path: Path) -> None:
    write_image(tmp_path / "a_albedo.png", colours())
    write_image(tmp_path / "a_normal.png", normals(height()))
    steps = list(gather(tmp_path))
    assert [isinstance(one, Gathered) for one in steps] == [False, True, False, False, True]
    assert steps[1].sets[0].maps[0].size == (0, 0)
    assert steps[-1].sets[0].maps[0].size == (64, 64)


def test_a_reading_that_is_called_off_stops_at_once(tmp_path: Path) -> None:
    for number in range(12):
        write_image(tmp_path / f"a{number}_albedo.png", colours(size=16))
    seen: list[str] = []

    def look(path: Path, space: str) -> Look:
        seen.append(path.name)
        return look_at(path, space)

    steps = gather(tmp_path, look=look, threads=2)
    for step in steps:
        if isinstance(step, Progress) and step.share > 0:
            break
    steps.close()
    assert 1 <= len(seen) <= 5


# ---- broken and hostile files -------------------------------------------------------------------


def png(width: int, height_: int, depth: int, kind: int, data: bytes) -> bytes:
    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    head = struct.pack(">IIBBBBB", width, height_, depth, kind, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def cmyk_tiff() -> bytes:
    """A 2×2 TIFF of four inks, uncompressed."""
    pixels = bytes([0, 255, 255, 0] * 4)
    entries = [(256, 3, 1, 2), (257, 3, 1, 2), (258, 3, 4, 8 + 2 + 10 * 12 + 4), (259, 3, 1, 1), (262, 3, 1, 5),
               (273, 4, 1, 8 + 2 + 10 * 12 + 4 + 8), (277, 3, 1, 4), (278, 3, 1, 2), (279, 4, 1, 16), (332, 3, 1, 1)]  # fmt: skip
    body = struct.pack("<H", len(entries)) + b"".join(struct.pack("<HHII", *one) for one in entries) + b"\0" * 4
    return b"II*\0" + struct.pack("<I", 8) + body + struct.pack("<HHHH", 8, 8, 8, 8) + pixels


def test_broken_and_odd_files_get_a_remark_and_stop_nothing(tmp_path: Path) -> None:
    write_image(tmp_path / "good_albedo.png", colours())
    whole = (tmp_path / "good_albedo.png").read_bytes()
    (tmp_path / "cut_albedo.png").write_bytes(whole[: len(whole) // 3])
    (tmp_path / "empty_albedo.png").write_bytes(b"")
    (tmp_path / "text_albedo.png").write_text("no picture at all")
    (tmp_path / "huge_albedo.png").write_bytes(png(60_000, 60_000, 8, 2, zlib.compress(b"\0" * 100)))
    (tmp_path / "palette_albedo.png").write_bytes(png(8, 8, 16, 3, zlib.compress(b"\0" * 136)))
    (tmp_path / "inks_albedo.tif").write_bytes(cmyk_tiff())
    write_image(tmp_path / "wrong.png", colours())
    (tmp_path / "wrong.png").rename(tmp_path / "wrong_albedo.exr")
    (tmp_path / "evil; rm -rf ~ $(x) `y`\n_albedo.png").write_bytes(b"")
    (tmp_path / "link_albedo.png").symlink_to(tmp_path / "nowhere.png")
    (tmp_path / "folder_albedo.png").mkdir()
    found = gathered(tmp_path)
    maps = {one.files[0]: one for each in found.sets for one in each.maps}
    assert maps["good_albedo.png"].used
    assert maps["good_albedo.png"].remarks == ()
    for name in maps.keys() - {"good_albedo.png", "wrong_albedo.exr", "inks_albedo.tif"}:
        assert not maps[name].used, name
        assert maps[name].remarks, name
        assert len(maps[name].remarks[0]) > 20, name
    assert any("header" in text for text in maps["huge_albedo.png"].remarks)
    assert any("PNG" in text for text in maps["wrong_albedo.exr"].remarks)
    assert any("inks" in text for text in maps["inks_albedo.tif"].remarks)
    assert len(maps) == 10


def test_a_folder_that_is_none(tmp_path: Path) -> None:
    with pytest.raises(Exception, match="no such folder"):
        gathered(tmp_path / "nowhere")
    assert gathered(tmp_path) == Gathered()


@pytest.mark.parametrize(("lean", "normal"), [(0.2, True), (0.3, False)])
def test_normals_that_lean_to_one_side_are_something_else(lean: float, normal: bool) -> None:
    way = np.array([lean, 0.0, np.sqrt(1 - lean * lean)])
    pixels = np.tile(way * 0.5 + 0.5, (8, 8, 1))
    assert (look_of(bytes_of(pixels)).normal_like > 0.9) is normal


def test_alpha_is_no_colour() -> None:
    grey = np.full((8, 8, 4), 128, np.uint8)
    grey[:, :, 3] = 255
    assert look_of(grey).colour_spread == 0
    assert look_of(grey).grey


@pytest.mark.parametrize(("height", "width"), [(40, 1000), (1000, 40), (700, 700)])
def test_the_small_picture_has_a_few_pixels_and_the_same_mean(height: int, width: int) -> None:
    pixels = np.random.default_rng(3).integers(0, 255, (height, width, 3)).astype(np.uint8)
    small = look_of(pixels).small
    assert max(small.shape[:2]) <= SMALL
    assert small.mean() == pytest.approx(pixels.mean() / 255, abs=0.01)


def test_records_of_made_pictures_are_no_files_of_their_own(tmp_path: Path) -> None:
    write_image(tmp_path / "rock_color.png", colours())
    (tmp_path / "rock_color.made.json").write_text("{}")
    (tmp_path / "note.json").write_text("{}")
    assert [one.file for one in gathered(tmp_path).leftover] == ["note.json"]
