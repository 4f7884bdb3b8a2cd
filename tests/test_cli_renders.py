"""The queue of renders by the command line."""

from __future__ import annotations

from pathlib import Path

from collage.core.images.files import read_info, read_pixels
from collage.core.project.folder import load_project, save_project
from collage.core.project.fresh import ball_project
from command_line import collage


def test_renders_wait_are_listed_taken_off_and_rendered(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    folder, wall = tmp_path / "project", tmp_path / "wall"
    save_project(ball_project(), folder)
    wall.write_text("in the way")
    size = ("--size", "40x30")
    for out in ("a.png", "b.exr", "wall/c.png"):
        done = collage("renders", "add", folder, "-o", tmp_path / out, *size, "--quality", "traced", "--samples", "2")
        assert done.returncode == 0, done.stderr
    assert collage("renders", "add", folder, "-o", tmp_path / "a.txt").returncode == 1
    assert collage("renders", "add", folder, "-o", tmp_path / "a.png", "--quality", "best").returncode == 1
    listed = collage("renders", "list").stdout.splitlines()
    assert [line.split()[0] for line in listed] == ["1", "2", "3"]
    assert collage("renders", "remove", "1").returncode == 0
    assert collage("renders", "remove", "9").returncode == 1
    gone = collage("renders", "go")
    assert gone.returncode == 1
    assert "cannot be written" in gone.stderr
    assert not (tmp_path / "a.png").exists()
    assert read_pixels(tmp_path / "b.exr").shape == (30, 40, 3)
    assert "cannot be written" in collage("renders", "list").stdout
    wall.unlink()
    assert collage("renders", "go").returncode == 0
    assert read_pixels(wall / "c.png").shape == (30, 40, 3)
    assert collage("renders", "list").stdout == ""


def test_a_region_and_a_depth(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    size = ("--size", "40x30", "--quality", "draft")
    assert (
        collage("render", folder, "-o", tmp_path / "a.exr", *size, "--region", "10,5,20,10", "--depth", "16").returncode
        == 0
    )
    assert read_pixels(tmp_path / "a.exr").shape == (10, 20, 3)
    assert collage("render", folder, "-o", tmp_path / "a.jpg", *size, "--depth", "16").returncode == 1
    assert collage("render", folder, "-o", tmp_path / "a.png", *size, "--depth", "16").returncode == 0
    assert read_info(tmp_path / "a.png").bits == 16
    assert collage("render", folder, "-o", tmp_path / "b.exr", *size, "--region", "10,5,200,10").returncode == 1


def test_one_card_alone_and_stretch(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    listed = collage("cards", "list", folder, next(iter(load_project(folder)[0].materials))).stdout
    material, name = next(iter(load_project(folder)[0].materials)), listed.split()[0]
    size = ("--size", "40x30", "--quality", "draft")
    assert collage("render", folder, "-o", tmp_path / "s.png", *size, "--view", "stretch").returncode == 0
    done = collage("render", folder, "-o", tmp_path / "c.png", *size, "--card", f"{material}/{name}")
    assert done.returncode == 0, done.stderr
    assert read_pixels(tmp_path / "c.png").shape == (30, 40, 3)
    missing = collage("render", folder, "-o", tmp_path / "d.png", *size, "--card", f"{material}/nothing")
    assert missing.returncode == 1
    assert "no card" in missing.stderr
