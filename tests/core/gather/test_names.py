"""Roles from names, against a table of what people call their maps."""

from __future__ import annotations

import shlex
from collections.abc import Iterator
from pathlib import Path, PurePosixPath

import pytest

from collage.core.gather.names import pretty, read_name, stem_of, tokens
from collage.core.gather.sets import Gathered, _with_tiles, group, tile_place, wanted_tiles

CODES = {
    "bc": "base_color", "ro": "specular_roughness", "gl": "gloss", "me": "base_metalness", "sc": "specular_color",
    "no": "normal", "he": "height", "ao": "occlusion", "op": "opacity", "em": "emission_color", "pk": "packed",
    "ot": "other", "xx": "",
}  # fmt: skip


def folders() -> Iterator[tuple[str, dict[str, str]]]:
    """Every line of the table: the set's name, and what each file is."""
    for line in (Path(__file__).parent / "habits.txt").read_text(encoding="utf-8").splitlines():
        if line and not line.startswith("#"):
            name, files = line.split(":", 1)
            yield name, dict(one.rsplit("=", 1) for one in shlex.split(files))


def roles(found: Gathered) -> dict[str, tuple[str, str, bool]]:
    """By file: its role, its green, and whether that is sure and it is used."""
    return {
        file: (one.role, one.green, one.sure and one.used)
        for each in found.sets
        for one in each.maps
        for file in one.files
    }


def test_the_table_of_habits() -> None:
    right = total = 0
    silently_wrong = []
    for _, files in folders():
        found = roles(group(files))
        for file, code in files.items():
            role, green, sure = found.get(file, ("", "unknown", False))
            direction = {"+": "up", "-": "down"}.get(code[2:], "unknown")
            good = role == CODES[code[:2]] and (role != "normal" or green == direction)
            total, right = total + 1, right + good
            if not good and sure:
                silently_wrong.append((file, role))
    assert total >= 300
    assert right / total >= 0.98, f"{right} of {total}"
    assert silently_wrong == []


@pytest.mark.parametrize(("name", "files"), list(folders()), ids=lambda one: one if isinstance(one, str) else "")
def test_a_folder_of_one_surface_is_one_set(name: str, files: dict[str, str]) -> None:
    found = group(files)
    assert len(found.sets) == 1, [one.name for one in found.sets]
    assert "".join(one.text for one in tokens(name)).startswith(
        "".join(one.text for one in tokens(found.sets[0].name))[:4]
    )


def test_words_are_cut_at_humps_numbers_and_separators() -> None:
    assert [one.text for one in tokens("RockWall01_AOMap-4K.v2")] == ["rock", "wall", "01", "ao", "map", "4k", "v2"]
    assert [one.text for one in tokens("Höhe_Rugosité")] == ["hohe", "rugosite"]


def test_surfaces_that_share_a_folder_are_kept_apart() -> None:
    files = [name for line, every in folders() if line in ("peat", "zinc", "lamp", "tin_can_01", "tin_can_02")
             for name in every]  # fmt: skip
    found = group(files)
    assert sorted(one.name for one in found.sets) == ["lamp", "peat", "tin_can_01", "tin_can_02", "zinc"]


def test_folders_that_name_roles_sizes_and_forms() -> None:
    found = group(["a/albedo/slate.png", "a/normal/slate.png", "b/4K/wood_col.png", "b/4K/wood_nrm.png",
                   "b/2K/wood_col.png", "b/2K/wood_nrm.png", "iron/Textures/albedo.png", "iron/Textures/normal.png"])  # fmt: skip
    assert {one.name: len(one.maps) for one in found.sets} == {"slate": 2, "wood_4k": 2, "wood_2k": 2, "iron": 2}
    slate = next(one for one in found.sets if one.name == "slate")
    told_by_name = {one.role: one.confidence for one in group(["slate_albedo.png", "slate_normal.png"]).sets[0].maps}
    assert all(0.5 < one.confidence < told_by_name[one.role] for one in slate.maps), "a folder says less than a name"


def test_variants_after_the_role_part_a_set_only_where_they_have_to() -> None:
    found = group(["brick_albedo_01.png", "brick_normal_01.png", "brick_albedo_02.png", "brick_normal_02.png"])
    assert [one.name for one in found.sets] == ["brick_01", "brick_02"]
    assert [one.name for one in group(["brick_albedo_01.png", "brick_normal_02.png"]).sets] == ["brick"]


def test_tiles_become_one_map_and_gaps_are_named() -> None:
    found = group([f"wall_col.{number}.png" for number in (1001, 1002, 1004, 1011)] + ["wall_nrm.1001.png"])
    colour, normal = found.sets[0].maps
    assert colour.tiles == ("1001", "1002", "1004", "1011")
    assert colour.missing == ("1003",)
    assert normal.missing == ("1002", "1003", "1004", "1011")
    assert "1003" in colour.remarks[0]


def test_a_size_is_no_tile_unless_its_neighbours_are() -> None:
    assert group(["a_col_1024.png", "a_nrm_1024.png"]).sets[0].maps[0].tiles == ()
    tiles = [f"a_col_{number}.png" for number in range(1021, 1027)]
    assert len(group(tiles).sets[0].maps[0].tiles) == 6
    assert read_name("a_col_1024.png")[0].details == ("1024",)


def test_where_tiles_lie() -> None:
    assert [tile_place(name) for name in ("1001", "1010", "1011", "u2_v3", "none")] == [
        (0, 0), (0, 9), (1, 0), (3, 2), (-1, -1),
    ]  # fmt: skip
    assert wanted_tiles(["u1_v1", "u3_v1", "u1_v2"]) == ["u1_v1", "u2_v1", "u3_v1", "u1_v2"]


def test_two_maps_for_a_role_are_shown_and_one_is_used() -> None:
    maps = group(["a_bump.png", "a_displacement.png", "a_normal_gl.png", "a_normal_dx.png"]).sets[0].maps
    assert [(one.role, one.green, one.used) for one in maps] == [
        ("normal", "up", True), ("normal", "down", False), ("height", "unknown", True), ("height", "unknown", False),
    ]  # fmt: skip
    assert PurePosixPath(maps[2].files[0]).name == "a_displacement.png"
    assert "a_displacement.png is used" in maps[3].remarks[0]


def test_the_persons_own_words_go_before_all_others() -> None:
    assert group(["a_kx7.png", "a_glossy.png"]).sets[0].maps[0].role == "gloss"
    found = group(["a_kx7.png", "a_glossy.png"], (("kx7", "height"), ("glossy", "specular_roughness")))
    assert [(one.role, one.confidence) for one in found.sets[0].maps] == [
        ("specular_roughness", 1.0), ("height", 1.0),
    ]  # fmt: skip


def test_packed_names_say_which_channel_holds_what() -> None:
    assert read_name("a_ORM.png")[0].channels == (
        ("r", "occlusion"), ("g", "specular_roughness"), ("b", "base_metalness"),
    )  # fmt: skip
    for word in ("a_OMH", "a_HDG"):  # height, opacity: letters alone that are no usual pack
        assert not any(one.channels for one in read_name(f"{word}.png"))
    assert dict(read_name("a_rough_ao_metal.png")[0].channels) == {
        "r": "specular_roughness", "g": "occlusion", "b": "base_metalness",
    }  # fmt: skip
    assert dict(read_name("a_MetallicSmoothness.png")[0].channels) == {"r": "base_metalness", "a": "gloss"}


def test_names_for_people() -> None:
    assert [pretty(name) for name in ("mossy_stone", "PottingSoil", "WET-LOAM")] == [
        "Mossy stone", "Potting soil", "Wet loam",
    ]  # fmt: skip


def test_maps_made_of_a_base_colour_are_named_like_its_set() -> None:
    names = ["stones_base_color.png", "stones.jpg", "IMG_2041.jpg", "stones_height.png"]
    assert [stem_of(name) for name in names] == ["stones", "stones", "IMG_2041", "stones_height"]


def test_colour_spaces_from_role_form_and_name() -> None:
    names = {"a_albedo.png": "srgb_texture", "a_albedo.exr": "lin_rec709", "a_albedo_ACEScg.exr": "acescg",
             "a_albedo_srgb.exr": "srgb_texture", "a_albedo_linear.tif": "lin_rec709", "a_rough_srgb.png": "raw",
             "a_normal.png": "raw", "a_AlbedoAlpha.png": "srgb_texture", "a_ORM.png": "raw"}  # fmt: skip
    for name, space in names.items():
        assert group([name]).sets[0].maps[0].colorspace == space, name


def test_a_role_grown_together_with_the_name_is_less_sure_than_one_that_stands_alone() -> None:
    apart, grown = read_name("bark_roughness.png")[0], read_name("barkroughness.png")[0]
    assert apart.role == grown.role == "specular_roughness"
    assert grown.confidence == pytest.approx(apart.confidence * 0.8, abs=1e-3)


def test_two_numbers_in_a_folder_may_be_tiles() -> None:
    found = dict(_with_tiles(["a_1002.png", "b_1003.png", "other/c_1002.png"]))
    assert found == {"a_1002.png": "maybe", "b_1003.png": "maybe", "other/c_1002.png": "no"}


@pytest.mark.parametrize(
    ("file", "title"), [("T_Bark_Normal.png", "Bark"), ("T_Normal.png", "T"), ("tex_bark_roughness.png", "bark")]
)
def test_what_says_that_it_is_a_texture_is_no_part_of_the_title_unless_it_is_all_there_is(
    file: str, title: str
) -> None:
    assert read_name(file)[0].title == title
