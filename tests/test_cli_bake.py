"""`collage bake` as a person calls it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.images.files import read_pixels
from collage.core.project.folder import load_project, save_project
from collage.core.project.fresh import ball_project
from command_line import collage


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    for _ in range(2):
        assert collage("objects", "add", folder, "sphere", "--material", "Plain").returncode == 0
    return folder


def test_maps_are_baked_told_again_and_worn(folder: Path, tmp_path: Path) -> None:
    first, dense = (item.name for item in load_project(folder)[0].bench.objects[1:])
    done = collage("bake", folder, first, "--from", dense, "--maps", "normal,occlusion", "--size", "64", "--wear")
    assert done.returncode == 0, done.stderr
    *paths, material = done.stdout.splitlines()
    assert [Path(path).name for path in paths] == [f"{first}_normal.png", f"{first}_ao.png"]
    assert Path(paths[0]).parent == folder / "maps" / first
    assert load_project(folder)[0].bench.objects[1].material == material == f"{first} baked"
    occlusion = read_pixels(Path(paths[1]))
    assert np.median(occlusion) == 65535  # a ball alone is open everywhere
    kept = Path(paths[0]).read_bytes()
    Path(paths[0]).unlink()
    assert collage("bake", folder, "--again", paths[1]).returncode == 0
    assert Path(paths[0]).read_bytes() == kept
    aside = collage("bake", folder, first, "--size", "32", "--format", "exr", "--out-dir", tmp_path / "aside")
    assert Path(aside.stdout.strip()) == tmp_path / "aside" / f"{first}_normal.exr"


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("Nobody",), "There is no such object"),
        ((), "No object is named"),
        (("Ball", "--maps", "colour"), "“colour” does not fit"),
        (("Ball", "--size", "9"), "“9” does not fit"),
        (("Ball", "--outward", "nan"), "does not fit"),
        (("--again", "nothing.png"), "no record"),
    ],
)
def test_what_cannot_be_done_is_said(folder: Path, words, told) -> None:
    done = collage("bake", folder, *words)
    assert done.returncode == 1
    assert told in done.stderr
    assert not (folder / "maps").exists()


def test_a_mask_is_baked_where_the_object_stands_among_the_others(folder: Path, tmp_path: Path) -> None:
    """The contact of a ball with the ground: white at its foot, black from the reach on."""
    name = load_project(folder)[0].bench.objects[1].name
    card = collage("cards", "add", folder, "Plain", "Distance mask", "--set", "reach=0.05").stdout.strip()
    out = tmp_path / "contact.exr"
    done = collage("masks", folder, name, card, "--out", out, "--size", "64")
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip() == str(out)
    found = read_pixels(out)[:, :, 0]
    middle = found[4:60, :]
    foot, top = middle[-4:].mean(), middle[:30].mean()
    assert foot > 0.6, "the south pole is at the bottom of its UVs"
    assert top < 0.3
    for words in (("nobody", card), (name, "nothing")):
        assert collage("masks", folder, *words, "--out", out).returncode == 1
    assert collage("masks", folder, name, card, "--out", tmp_path / "x.jpg").returncode == 1
