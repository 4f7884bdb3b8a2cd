"""The commands that bring maps in, as a person calls them."""

from __future__ import annotations

import json
import os
from pathlib import Path

import numpy as np
import pytest

from collage.core.images.derive import normal_from
from collage.core.images.files import read_info, read_pixels, write_image
from collage.core.images.made import read_record
from collage.core.images.region import taken_size
from collage.core.project.folder import load_project
from collage.core.project.references import references
from collage.demo.fields import fractal_field, stretched
from collage.demo.photographs import photograph
from collage.demo.regular import regular_photograph
from command_line import collage


@pytest.fixture
def maps(tmp_path: Path) -> Path:
    folder = tmp_path / "maps"
    rng = np.random.default_rng(1)
    for name, channels in (("loam_albedo", 3), ("loam_gloss", 1), ("loam_qx", 1), ("bolt_d", 3), ("bolt_r", 1)):
        write_image(folder / f"{name}.png", rng.integers(0, 255, (16, 16, channels), np.uint8))
    for tile in (1001, 1002):
        write_image(folder / "wall" / f"wall_ORM.{tile}.png", rng.integers(0, 255, (16, 16, 3), np.uint8))
    (folder / "preview.jpg").write_bytes(b"none")
    (folder / "read me.txt").write_text("none")
    return folder


def test_a_folder_as_json(maps: Path) -> None:
    done = collage("gather", maps, "--json")
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    sets = {one["name"]: {every["role"]: every for every in one["maps"]} for one in told["sets"]}
    assert {name: sorted(maps) for name, maps in sets.items()} == {
        "loam": ["base_color", "gloss"], "bolt": ["base_color", "specular_roughness"], "wall": ["packed"],
    }  # fmt: skip
    colour = sets["loam"]["base_color"]
    assert colour["files"] == ["loam_albedo.png"]
    assert (colour["colorspace"], colour["green"]) == ("srgb_texture", "unknown")
    assert 0.9 < colour["confidence"] <= 1
    assert sets["wall"]["packed"]["files"] == ["wall/wall_ORM.1001.png", "wall/wall_ORM.1002.png"]
    assert sets["wall"]["packed"]["channels"] == {
        "r": "occlusion", "g": "specular_roughness", "b": "base_metalness",
    }  # fmt: skip
    assert sorted(told["leftover"]) == ["loam_qx.png", "preview.jpg", "read me.txt"]


def test_a_folder_into_a_project_with_corrections(maps: Path, tmp_path: Path) -> None:
    project = tmp_path / "project"
    done = collage("gather", maps, "--into", project, "--set", "loam", "--role", "loam_gloss.png=specular_roughness",
                   "--rule", "qx=height", "--relief", "bump", "--depth", "0.004", "--layout", "hex",
                   "--assign", "Sphere")  # fmt: skip
    assert done.returncode == 0, done.stderr
    state, problems = load_project(project)
    assert not problems
    assert state.wearers("Loam") == ["Sphere"]
    network = state.materials["Loam"]
    assert set(network.cards["loam"].network.outputs) == {"base_color", "roughness", "height"}
    assert "turned_gloss" not in network.cards["loam"].network.cards
    assert network.cards["bump"].inputs["scale"].value == pytest.approx(0.064)
    assert network.cards["loam"].network.cards["base_color_map"].category == "hextiledimage"
    assert all(not one.missing for one in references(state, project))
    listed = collage("files", project)
    assert listed.returncode == 0
    assert "loam_albedo.png" in listed.stdout
    (project / "maps" / "loam" / "loam_albedo.png").rename(tmp_path / "loam_albedo.png")
    lost = collage("files", project)
    assert lost.returncode == 1
    assert "loam_albedo.png  missing" in lost.stderr
    found = collage("files", project, "--find-in", tmp_path, "--collect")
    assert found.returncode == 0, found.stderr


def test_sizes_are_listed_and_a_map_is_halved(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    write_image(tmp_path / "maps" / "loam_albedo.png", rng.integers(0, 255, (128, 256, 3), np.uint8))
    project = tmp_path / "project"
    assert collage("gather", tmp_path / "maps", "--into", project).returncode == 0
    listed = collage("files", project, "--sizes")
    assert "256 x 128" in listed.stdout
    assert collage("files", project, "--half", "nothing.png").returncode == 1
    done = collage("files", project, "--half", "loam_albedo.png")
    assert done.returncode == 0, done.stderr
    state, _ = load_project(project)
    (one,) = (one for one in references(state, project) if one.material)
    assert one.file.name == "loam_albedo_128.png"
    assert read_info(one.file).width == 128


def test_photographs(tmp_path: Path) -> None:
    write_image(tmp_path / "bark.jpg", photograph("bark", 128).pixels)
    done = collage("seamless", tmp_path / "bark.jpg", "-o", tmp_path / "bark_base_color.png", "--crop", "0,0,1,0.9")
    assert done.returncode == 0, done.stderr
    assert " to 0." in done.stdout
    done = collage(
        "derive", tmp_path / "bark_base_color.png", "--out-dir", tmp_path / "d", "--maps", "height,occlusion"
    )
    assert sorted(one.name for one in (tmp_path / "d").glob("*.png")) == ["bark_height.png", "bark_occlusion.png"]
    assert collage("remake", tmp_path / "bark_base_color.png").returncode == 0
    done = collage("region", tmp_path / "bark.jpg", "-o", tmp_path / "r.png", "--size", "64", "--channel", "g")
    assert (read_info(tmp_path / "r.png").width, read_info(tmp_path / "r.png").channels) == (64, 1)


def test_a_wall_taken_at_a_slant_is_straightened_and_cut_at_whole_bricks(tmp_path: Path) -> None:
    slanted = regular_photograph("bricks", (300, 400), 3, period=80, slant=(16.0, -9.0), roll=2.0)
    write_image(tmp_path / "wall.png", slanted.pixels)
    out = tmp_path / "wall_base_color.png"
    done = collage("seamless", tmp_path / "wall.png", "-o", out, "--corners", "find", "--period", "find")
    assert done.returncode == 0, done.stderr
    assert "broken pattern 100% to " in done.stdout
    how = read_record(out).seamless
    assert how.region.corners is not None
    width, height = taken_size((400, 300), how.region)
    again = tmp_path / "again.png"
    corners = " ".join(f"{x},{y}" for x, y in how.region.corners)
    period = f"{how.period[0] * width},{how.period[1] * height}"
    done = collage("seamless", tmp_path / "wall.png", "-o", again, "--corners", corners, "--period", period)
    assert done.returncode == 0, done.stderr
    assert np.abs(read_pixels(again).astype(int) - read_pixels(out)).max() <= 1
    done = collage("seamless", tmp_path / "wall.png", "-o", again, "--period", "500,20")
    assert "larger than the region, 400×300" in done.stderr
    done = collage("region", tmp_path / "wall.png", "-o", again, "--corners", corners)
    assert done.returncode == 0, done.stderr
    assert (read_info(again).width, read_info(again).height) == (width, height)
    write_image(tmp_path / "gravel.png", photograph("gravel", 128).pixels)
    done = collage("seamless", tmp_path / "gravel.png", "-o", again, "--corners", "find")
    assert "parallel lines" in done.stderr
    done = collage("seamless", tmp_path / "gravel.png", "-o", again, "--period", "find")
    assert "No pattern" in done.stderr


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("seamless", "nowhere.jpg", "-o", "x.png", "--corners", "0,0 1,1"), "not four corners"),
        (("seamless", "nowhere.jpg", "-o", "x.png", "--corners", "find"), "not there"),
        (("seamless", "nowhere.jpg", "-o", "x.png", "--period", "wide"), "not a length"),
        (("seamless", "nowhere.jpg", "-o", "x.png", "--bulge", "3"), "out of range"),
        (("gather", "nowhere"), "no such folder"),
        (("gather", ".", "--relief", "up"), "cannot be used as"),
        (("gather", ".", "--layout", "round"), "no layout"),
        (("seamless", "nowhere.jpg", "-o", "x.png"), "not there"),
        (("seamless", "nowhere.jpg", "-o", "x.png", "--even", "7"), "out of range"),
        (("region", "nowhere.jpg", "-o", "x.png", "--crop", "1,2"), "no region"),
        (("library", "--folder", "nowhere"), "no such folder"),
        (("library", "--kind", "thing"), "no kind"),
        (("remake", "nowhere.png"), "no record"),
    ],
)
def test_mistakes_end_in_one_sentence(words: tuple[str, ...], said: str, tmp_path: Path) -> None:
    done = collage(*words)
    assert done.returncode == 1
    assert said in done.stderr
    assert done.stderr.count("\n") == 1


def test_the_library_is_listed(maps: Path) -> None:
    done = collage("library", "--folder", maps, "loam")
    assert done.returncode == 0, done.stderr
    assert "map set" in done.stdout
    assert "Loam" in done.stdout
    assert "Wall" not in done.stdout


ODD = (b"rock_\xff_base_color.png", b"rock_\xff_roughness.png", b"wall<UDIM>_base_color.png", b"ti\x01de_base_color.png",
       b"cr\rlf_base_color.png", b"nl\nx_base_color.png")  # fmt: skip


@pytest.mark.parametrize("more", [(), ("--in-place",)])
def test_files_with_names_that_no_document_holds_are_gathered_copied_and_found(tmp_path: Path, more) -> None:
    folder, project = tmp_path / "odd", tmp_path / "p"
    folder.mkdir()
    write_image(tmp_path / "map.png", np.random.default_rng(1).integers(0, 255, (16, 16, 3), np.uint8))
    for name in ODD:
        os.link(tmp_path / "map.png", os.fsencode(folder) + b"/" + name)
    assert collage("gather", folder).returncode == 0
    built = collage("gather", folder, "--into", project, *more)
    assert built.returncode == 0, built.stderr
    state, problems = load_project(project)
    assert problems == []
    assert len(state.materials) == 6
    assert not any(one.missing for one in references(state, project))
    assert len(list((project / "maps").rglob("*.png"))) == len(ODD), "every one has been copied, in place or not"


def test_maps_of_one_name_in_two_folders_are_both_copied(tmp_path: Path) -> None:
    for number, role in enumerate(("albedo", "normal")):
        write_image(tmp_path / "s" / role / "slate.png", np.full((4, 4, 3), 40 * number + 90, np.uint8))
    assert collage("gather", tmp_path / "s", "--into", tmp_path / "p").returncode == 0
    copied = sorted((tmp_path / "p" / "maps").rglob("*.png"))
    assert [path.name for path in copied] == ["slate-2.png", "slate.png"]
    assert {int(read_pixels(path)[0, 0, 0]) for path in copied} == {90, 130}


def test_pictures_are_made_from_and_written_to_names_that_are_no_text(tmp_path: Path) -> None:
    for suffix in (b"png", b"exr", b"tif"):
        source = os.fsdecode(os.fsencode(tmp_path) + b"/wall \xfe." + suffix)
        write_image(Path(source), np.full((8, 8, 3), 0.5, np.float32))
        assert read_pixels(Path(source)).shape == (8, 8, 3)


@pytest.mark.parametrize("name", ["x" * 1000, "a\0b.exr", "d/" * 3000 + "e.exr", "/dev/zero"])
def test_a_project_that_names_impossible_files_is_told_in_a_sentence(tmp_path: Path, name: str) -> None:
    assert collage("new", tmp_path / "p").returncode == 0
    stored = json.loads((tmp_path / "p" / "project.json").read_text())
    stored["bench"]["environment"]["file"] = name
    (tmp_path / "p" / "project.json").write_text(json.dumps(stored))
    told = collage("render", tmp_path / "p", "-o", tmp_path / "a.png", "--size", "16x16")
    assert told.returncode == 0
    assert "even grey" in told.stderr
    assert len(told.stderr) < 500
    assert read_pixels(tmp_path / "a.png").shape == (16, 16, 3)
    listed = collage("files", tmp_path / "p")
    assert "missing" in listed.stderr
    assert "Traceback" not in listed.stderr


def test_records_that_make_no_sense_and_names_too_long_for_one_are_told(tmp_path: Path) -> None:
    write_image(tmp_path / "a.png", np.full((32, 32, 3), 90, np.uint8))
    (tmp_path / "b.made.json").write_text(json.dumps({"source": "a.png", "derive": {"maps": []}}))
    told = collage("remake", tmp_path / "b.png")
    assert told.returncode == 1
    assert "record cannot be read" in told.stderr
    long = tmp_path / ("m" * 250 + ".png")
    told = collage("seamless", tmp_path / "a.png", "-o", long)
    assert told.returncode == 1
    assert "shorter name" in told.stderr
    assert read_pixels(long).ndim == 3, "the picture is whole"


def test_swapped_axes_are_marked_listed_and_corrected(tmp_path: Path) -> None:
    field = stretched(fractal_field(64, 3))
    pixels = (np.clip(normal_from(field, 1.0, 0.05), 0, 1) * 255 + 0.5).astype(np.uint8)
    write_image(tmp_path / "wall_normal.png", np.ascontiguousarray(pixels[:, :, [1, 0, 2]]))
    write_image(tmp_path / "wall_height.png", (np.clip(field, 0, 1) * 255 + 0.5).astype(np.uint8)[:, :, None])
    listed = collage("gather", tmp_path)
    assert "choose “swap R/G, up”" in listed.stdout
    found = json.loads(collage("gather", tmp_path, "--axes", "wall_normal.png=swapped", "--json").stdout)
    (normal,) = [one for one in found["sets"][0]["maps"] if one["role"] == "normal"]
    assert (normal["axes"], normal["measured_axes"]) == ("swapped", "swapped")
    assert normal["sure"]
    wrong = collage("gather", tmp_path, "--axes", "wall_normal.png=sideways")
    assert wrong.returncode == 1
    assert "swapped-red" in wrong.stderr
