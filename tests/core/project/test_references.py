"""The files of a project: missing ones found again, outside ones collected, changes noticed."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.progress import finished
from collage.core.gather.project import build_into
from collage.core.gather.scan import gathered
from collage.core.images.files import write_image
from collage.core.project.folder import load_project
from collage.core.project.references import collect, find, outside, references, relinked, stamps
from collage.core.project.state import Project


def grey(value: int, size: int = 8) -> np.ndarray:
    return np.full((size, size, 3), value, np.uint8)


@pytest.fixture
def shed(tmp_path: Path) -> Path:
    """A project with two sets left in place, one of them in tiles."""
    source = tmp_path / "source"
    write_image(source / "loam" / "loam_albedo.png", grey(10))
    write_image(source / "loam" / "loam_normal.png", grey(128))
    for tile in (1001, 1002):
        write_image(source / "wall" / f"wall_albedo.{tile}.png", grey(tile % 200))
    list(build_into(gathered(source).sets, source, tmp_path / "project", in_place=True))
    return tmp_path / "project"


def project(folder: Path) -> Project:
    state, problems = load_project(folder)
    assert not problems
    return state


def test_all_files_are_listed(shed: Path) -> None:
    found = references(project(shed), shed)
    assert sorted(one.file.name for one in found) == ["loam_albedo.png", "loam_normal.png", "wall_albedo.<UDIM>.png"]
    assert all(one.missing == () for one in found)
    assert {one.path for one in found} == {("loam",), ("wall",)}


def test_moved_files_are_found_by_name_and_folder(shed: Path, tmp_path: Path) -> None:
    write_image(tmp_path / "new" / "other" / "loam_albedo.png", grey(99))  # the right name in the wrong folder
    (tmp_path / "source" / "loam").rename(tmp_path / "new" / "loam")
    (tmp_path / "source" / "wall").rename(tmp_path / "new" / "wall")
    state = project(shed)
    lost = [one for one in references(state, shed) if one.missing]
    assert len(lost) == 3
    found = find(lost, tmp_path / "new")
    assert len(found) == 3
    mended = relinked(state, shed, found)
    again = references(mended, shed)
    assert all(one.missing == () for one in again)
    assert {one.file.resolve().parent.name for one in again} == {"loam", "wall"}
    assert relinked(state, shed, {}) is state


def test_a_missing_tile_is_named(shed: Path, tmp_path: Path) -> None:
    write_image(tmp_path / "source" / "wall" / "wall_albedo.1004.png", grey(3))
    assert [one.missing for one in references(project(shed), shed) if "wall" in one.stored] == [("1003",)]


def test_collected_files_lie_in_the_project_and_say_the_same(shed: Path, tmp_path: Path) -> None:
    state = project(shed)
    assert len(outside(state, shed)) == 3
    collected = finished(collect(state, shed))
    assert outside(collected, shed) == []
    shutil.rmtree(tmp_path / "source")
    assert all(one.missing == () for one in references(collected, shed))
    names = sorted(path.relative_to(shed).as_posix() for path in (shed / "maps").rglob("*.png"))
    assert names == ["maps/loam/loam_albedo.png", "maps/loam/loam_normal.png",
                     "maps/wall/wall_albedo.1001.png", "maps/wall/wall_albedo.1002.png"]  # fmt: skip


def test_a_changed_file_changes_its_stamp(shed: Path, tmp_path: Path) -> None:
    state = project(shed)
    before = stamps(references(state, shed))
    write_image(tmp_path / "source" / "wall" / "wall_albedo.1002.png", grey(7, 16))
    after = stamps(references(state, shed))
    assert [Path(path).name for path in after if after[path] != before[path]] == ["wall_albedo.<UDIM>.png"]
