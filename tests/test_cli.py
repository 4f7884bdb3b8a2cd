"""The command line as a person calls it: its exit code, what it says and writes."""

from __future__ import annotations

import json
import shutil
import sys
from pathlib import Path

import pytest

from collage.cli import main
from collage.core.images.files import read_info, read_pixels
from collage.core.project.folder import load_project
from command_line import collage, process
from other_writers import document, woods


@pytest.fixture(scope="module")
def ball(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("cli") / "ball"
    done = collage("new", folder, "--from", "plain-ball")
    assert done.returncode == 0, done.stderr
    return folder


def test_help_names_every_command() -> None:
    text = process("--help").stdout
    for command in ("demo", "open", "new", "samples", "render", "evaluate", "info", "materials", "cards"):
        assert command in text


def test_samples_are_listed() -> None:
    assert "potting-shed" in collage("samples").stdout


def test_a_picture_is_rendered_without_a_display(ball: Path, tmp_path: Path) -> None:
    for call, name in ((process, "a.png"), (collage, "b.exr")):
        done = call("render", ball, "-o", tmp_path / name, "--size", "160x100", "--quality", "draft")
        assert done.returncode == 0, done.stderr
        info = read_info(tmp_path / name)
        assert (info.width, info.height) == (160, 100)
    assert read_info(tmp_path / "b.exr").floating


def test_a_picture_is_rendered_without_relief_and_in_grazing_light(ball: Path, tmp_path: Path) -> None:
    sizes = "--size", "80x60", "--quality", "draft"
    for name, more in (("a.exr", ()), ("b.exr", ("--grazing", "--without", "bump", "--without", "displacement"))):
        assert collage("render", ball, "-o", tmp_path / name, *sizes, *more).returncode == 0
    pictures = [read_pixels(tmp_path / name) for name in ("a.exr", "b.exr")]
    assert abs(pictures[0] - pictures[1]).mean() > 0.01
    done = collage("render", ball, "-o", tmp_path / "c.exr", *sizes, "--without", "fuzz")
    assert done.returncode == 1
    assert "There is no relief “fuzz”" in done.stderr


def test_evaluate_writes_what_it_can_and_has_a_line_for_the_rest(tmp_path: Path) -> None:
    file = tmp_path / "a.mtlx"
    file.write_text(
        '<materialx version="1.39"><nodegraph name="good"><noise2d name="n" type="float"/><output name="o" type="float" nodename="n"/></nodegraph>'
        '<nodegraph name="bad"><mystery name="n" type="float"/><output name="o" type="float" nodename="n"/></nodegraph></materialx>'
    )
    done = process("evaluate", file, "--all", "--size", "32x16", "--out-dir", tmp_path / "out")
    assert done.returncode == 0
    assert [line for line in done.stderr.splitlines() if line.startswith("bad:")]
    assert [path.name for path in (tmp_path / "out").iterdir()] == ["good.o.exr"]


def test_info_tells_what_is_there_and_what_is_wrong(ball: Path, tmp_path: Path) -> None:
    done = collage("info", ball)
    assert done.returncode == 0
    assert "open_pbr_surface" in done.stdout
    broken = tmp_path / "b.mtlx"
    broken.write_text(
        '<materialx version="1.39"><image name="i" type="color3"><input name="file" type="filename" value="gone.png"/></image><mystery name="m" type="float"/></materialx>'
    )
    done = collage("info", broken)
    assert done.returncode == 1
    assert "gone.png" in done.stderr
    assert "mystery" in done.stderr


@pytest.mark.parametrize(("words", "said"), [
    (("render", "nowhere", "-o", "x.png"), "no project"),
    (("render", "{ball}", "-o", "x.png", "--size", "huge"), "no size"),
    (("render", "{ball}", "-o", "x.png", "--size", "0x4"), "out of range"),
    (("render", "{ball}", "-o", "x.png", "--view", "sideways"), "no view"),
    (("render", "{ball}", "-o", "x.gif", "--size", "16x16"), "cannot write"),
    (("new", "{ball}", "--from", "plain-ball"), "already holds a project"),
    (("new", "somewhere", "--from", "moon"), "no sample"),
    (("evaluate", "none.mtlx", "--all", "--out-dir", "out"), "cannot be read"),
    (("info", "README.md"), "does not know"),
])  # fmt: skip
def test_mistakes_end_in_one_sentence_and_exit_code_1(ball: Path, words: tuple[str, ...], said: str) -> None:
    done = collage(*(word.replace("{ball}", str(ball)) for word in words))
    assert done.returncode == 1
    assert said in done.stderr
    assert "Traceback" not in done.stderr


def test_a_document_that_names_a_picture_with_a_lying_header_is_told_and_the_rest_evaluates(tmp_path: Path) -> None:
    import struct
    import zlib

    header = struct.pack(">IIBBBBB", 10_000_000, 10, 8, 2, 0, 0, 0)
    chunk = struct.pack(">I", 13) + b"IHDR" + header + struct.pack(">I", zlib.crc32(b"IHDR" + header))
    (tmp_path / "wide.png").write_bytes(b"\x89PNG\r\n\x1a\n" + chunk)
    file = tmp_path / "a.mtlx"
    file.write_text(
        '<materialx version="1.39"><nodegraph name="g"><image name="i" type="color3"><input name="file" type="filename" value="wide.png"/></image>'
        '<noise2d name="n" type="float"/><output name="a" type="color3" nodename="i"/><output name="b" type="float" nodename="n"/></nodegraph></materialx>'
    )
    told = collage("info", file)
    assert told.returncode == 1
    assert "wide.png" in told.stderr
    done = collage("evaluate", file, "--all", "--size", "8x8", "--out-dir", tmp_path / "out")
    assert "Traceback" not in done.stderr
    assert (tmp_path / "out" / "g.b.exr").exists()


def test_the_states_of_all_nodes_are_listed() -> None:
    from typer.testing import CliRunner

    from collage.cli.root import app

    full, short = CliRunner().invoke(app, ["nodes"]), CliRunner().invoke(app, ["nodes", "--summary"])
    assert full.exit_code == short.exit_code == 0
    lines = full.stdout.splitlines()
    assert any(line.startswith("ND_hextiledimage_color3 ") and " function" in line for line in lines)
    first = short.stdout.splitlines()[0]
    defined = int(first.split()[1].rstrip(","))
    assert sum(line.startswith("ND_") for line in lines) == defined >= 694
    assert full.stdout.endswith(short.stdout)


def test_materials_of_a_saved_project_are_made_named_given_and_deleted(ball: Path, tmp_path: Path) -> None:
    folder = tmp_path / "ball"
    shutil.copytree(ball, folder)
    first = next(iter(load_project(folder)[0].materials))
    assert collage("materials", "new", folder, "Glaze").returncode == 0
    assert collage("materials", "rename", folder, "Glaze", "Celadon").returncode == 0
    assert collage("materials", "duplicate", folder, first).returncode == 0
    item = load_project(folder)[0].bench.objects[0].name
    assert collage("materials", "assign", folder, "Celadon", item).returncode == 0
    listed = json.loads(collage("materials", "list", folder, "--json").stdout)
    assert listed == {first: [], f"{first} 2": [], "Celadon": [item]}
    assert collage("materials", "delete", folder, f"{first} 2").returncode == 0
    done = collage("materials", "delete", folder, "Nothing")
    assert done.returncode == 1
    assert "Choose one of" in done.stderr
    assert (
        collage("materials", "picture", folder, "Celadon", "-o", tmp_path / "c.png", "--size", "64x48").returncode == 0
    )
    assert (read_info(tmp_path / "c.png").width, read_info(tmp_path / "c.png").height) == (64, 48)


def test_cards_of_a_saved_material_are_bundled_linked_copied_and_opened_up(ball: Path, tmp_path: Path) -> None:
    folder = tmp_path / "ball"
    shutil.copytree(ball, folder)
    name = next(iter(load_project(folder)[0].materials))
    text = """<materialx version="1.39"><noise2d name="a" type="float"/><contrast name="b" type="float">
      <input name="in" type="float" nodename="a"/></contrast></materialx>"""
    (tmp_path / "cards.mtlx").write_text(text)

    def cards() -> dict:
        return dict(load_project(folder)[0].materials[name].cards)

    assert collage("cards", "paste", folder, name, tmp_path / "cards.mtlx").returncode == 0
    assert {"a", "b"} <= cards().keys()
    assert collage("cards", "link", folder, name, "b.amount", "a.amplitude", "--factor", "2").returncode == 0
    assert any("clg_link" in card.attributes for card in cards().values())
    assert collage("cards", "unlink", folder, name, "b.amount").returncode == 0
    assert cards()["b"].inputs["amount"].value == 2.0
    assert collage("cards", "group", folder, name, "a", "b", "--title", "Grain").returncode == 0
    assert cards()["group"].attributes["uiname"] == "Grain"
    assert "<nodegraph" in collage("cards", "copy", folder, name, "group").stdout
    assert collage("cards", "ungroup", folder, name, "group").returncode == 0
    assert collage("cards", "take-out", folder, name, "b").returncode == 0
    assert collage("cards", "tidy", folder, name).returncode == 0
    assert "contrast" in collage("cards", "list", folder, name).stdout
    done = collage("cards", "link", folder, name, "b", "a.amplitude")
    assert done.returncode == 1
    assert "CARD.INPUT" in done.stderr


def test_materials_of_a_document_of_many_are_added_by_name(ball: Path, tmp_path: Path) -> None:
    folder, file = tmp_path / "ball", tmp_path / "woods.mtlx"
    shutil.copytree(ball, folder)
    file.write_text(document(woods(12)))
    listed = collage("materials", "add", folder, file, "--list")
    assert listed.stdout.splitlines()[1] == "wood_001\twoods ash"
    refused = collage("materials", "add", folder, file)
    assert refused.returncode == 1
    assert "12 materials" in refused.stderr
    assert "--name" in refused.stderr
    wrong = collage("materials", "add", folder, file, "--name", "wod_003")
    assert wrong.returncode == 1
    assert "wood_003" in wrong.stderr
    some = collage("materials", "add", folder, file, "--name", "wood_003", "--name", "wood_005")
    assert some.stdout.split() == ["wood_003", "wood_005"]
    materials = load_project(folder)[0].materials
    assert set(materials["wood_003"].cards) == {"wood_003", "SR_wood_003", "NG"}
    every = collage("materials", "add", folder, file, "--all")
    assert every.stdout.splitlines()[3] == "wood_003 2", "names that are taken get a number"
    assert len(load_project(folder)[0].materials) == len(materials) + 12


@pytest.mark.parametrize(("words", "window"), [
    (["demo"], ("demo", None)), (["open"], ("open", None)), (["open", "project"], ("open", "project")),
    (["open", "nothing"], None), (["info", "project"], None), (["open", "--help"], None),
])  # fmt: skip
def test_the_window_comes_before_all_else(tmp_path: Path, monkeypatch, words: list[str], window) -> None:
    """Also where a project is named: its kernels are compiled behind it."""
    (tmp_path / "project").mkdir()
    (tmp_path / "project" / "project.json").write_text("{}")
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "argv", ["collage", *words])
    asked: list[object] = []
    monkeypatch.setattr(
        "collage.starting.start_window",
        lambda command, folder=None: asked.append((command, folder and str(folder))) or True,
    )
    monkeypatch.setattr("collage.cli.root.run", lambda: asked.append(None))
    main()
    assert asked == [window]
