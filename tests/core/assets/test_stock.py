"""The library, and the sample library that ships: ten sets in mixed habits, with known truth."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest

from collage.core.assets.stock import Pictures, items, search, small_picture, stamp
from collage.core.gather.scan import gathered
from collage.core.images.files import write_image
from collage.core.render.renderer import Renderer
from collage.demo.library import is_made, library_steps
from once import made_once


def _make_library(folder: Path) -> None:
    shares = [share for _, share in library_steps(folder)]
    assert shares == sorted(shares)


@pytest.fixture(scope="module")
def shelf(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Made once for all test processes, since it takes half a minute; each has a copy of its own."""
    shared = made_once(tmp_path_factory, "sample library", _make_library)
    return Path(shutil.copytree(shared, tmp_path_factory.mktemp("library") / "library"))


def test_the_sample_library_is_understood(shelf: Path) -> None:
    assert is_made(shelf)
    assert sum(path.stat().st_size for path in shelf.rglob("*") if path.is_file()) < 40e6
    found = {one.name: one for one in gathered(shelf).sets}
    assert len(found) == 10
    greens = {name: one.first("normal").green for name, one in found.items() if one.first("normal")}
    assert greens == {"CeladonGlaze": "down", "POTTINGSOIL": "up", "SlateFloor": "down", "bench-wood": "up",
                      "canvas apron": "up", "copper": "up", "splashback": "up", "terracotta": "up"}  # fmt: skip
    assert all(every.sure for one in found.values() for every in one.maps)
    assert found["trough"].maps[0].missing == ("1003",)
    assert found["splashback"].maps[0].tiles == ("1001", "1002", "1003")
    assert found["SlateFloor"].first("packed") is not None
    assert found["CeladonGlaze"].first("gloss") is not None


def test_it_is_searched_by_words_and_kind(shelf: Path) -> None:
    every = items(shelf)
    assert [one.kind for one in every] == ["map set"] * 10 + ["image"] * 8 + ["environment"] * 2
    assert [one.name for one in search(every, "slate")] == ["Slate floor"]
    assert [one.name for one in search(every, "gloss glaze")] == ["Celadon glaze"]
    assert {one.name for one in search(every, "", "environment")} == {"studio", "morning sky"}
    favourites = frozenset({every[0].key})
    assert search(every, "", None, favourites) == [every[0]]
    assert search(every, "no such thing") == []


def test_pictures_are_made_once(shelf: Path, tmp_path: Path, library) -> None:
    every = items(shelf)
    chosen = [search(every, "trough")[0], search(every, "studio")[0], search(every, "bark")[0]]
    kept, renderer = Pictures(tmp_path), Renderer(library)
    first = [kept.picture(one, renderer) for one in chosen]
    assert all(one is not None and one.shape == (72, 96, 3) and one.std() > 4 for one in first)
    assert len(list(tmp_path.iterdir())) == 3
    again = [kept.picture(one, None) for one in chosen]  # nothing is drawn any more
    assert all(np.array_equal(a, b) for a, b in zip(first, again, strict=True))


def test_new_files_are_noticed(tmp_path: Path) -> None:
    write_image(tmp_path / "a" / "a_albedo.png", np.zeros((4, 4, 3), np.uint8))
    before = stamp(tmp_path)
    assert stamp(tmp_path) == before
    write_image(tmp_path / "a" / "a_normal.png", np.zeros((4, 4, 3), np.uint8))
    assert stamp(tmp_path) != before


def test_small_pictures_are_cut_to_shape() -> None:
    wide = np.zeros((100, 400, 3), np.uint8)
    wide[:, 150:250] = 255
    assert small_picture(wide, (96, 72)).shape == (72, 96, 3)
    assert small_picture(wide, (96, 72))[36, 48, 0] == 255
    assert small_picture(np.full((64, 64, 1), 0.5, np.float32)).shape == (72, 96, 3)
