"""Light rigs, lights, the sky, saved views and traced pictures from the command line."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from tests.command_line import collage

from collage.core.project.folder import load_project


@pytest.fixture
def ball(tmp_path: Path) -> Path:
    folder = tmp_path / "ball"
    assert collage("new", folder).returncode == 0
    return folder


def bench(folder: Path):
    return load_project(folder)[0].bench


def test_rigs_lights_and_views(ball: Path) -> None:
    assert collage("bench", "rig", ball, "studio").stdout.strip() == "studio"
    assert [light.name for light in bench(ball).lights] == ["Key", "Fill", "Back"]
    assert collage("bench", "rig", ball, "next").stdout.strip() == "window"
    assert collage("bench", "add-light", ball, "sun").stdout.strip() == "light 2"
    assert collage("bench", "light", ball, "2", "--set", "strength=4.5", "--set", "colour=1,0.5,0.25").returncode == 0
    sun = bench(ball).lights[1]
    assert (sun.strength, sun.colour) == (4.5, (1.0, 0.5, 0.25))
    assert collage("bench", "solo", ball, "2").returncode == 0
    assert [light.name for light in bench(ball).shining] == ["Sun"]
    assert collage("bench", "remove-light", ball, "2").returncode == 0
    assert bench(ball).soloed is None
    assert collage("bench", "save-view", ball, "Front").returncode == 0
    assert [view.name for view in bench(ball).views] == ["Front"]
    assert "Front" in collage("bench", "show", ball).stdout
    assert collage("bench", "remove-view", ball, "Front").returncode == 0
    assert not bench(ball).views


def test_the_sky_and_a_highlight(ball: Path) -> None:
    assert collage("bench", "sky", ball, "--elevation", "20", "--haze", "4").returncode == 0
    sky = bench(ball).environment.daylight
    assert sky is not None
    assert (sky.elevation, sky.haze) == (20, 4)
    assert "sun 20° high" in collage("bench", "show", ball).stdout
    collage("bench", "add-light", ball, "panel")
    before = bench(ball).lights[-1]
    done = collage("bench", "highlight", ball, str(len(bench(ball).lights)), "--at", "0.5,0.5", "--size", "300x200")
    assert done.returncode == 0, done.stderr
    assert bench(ball).lights[-1] != before


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (("rig", "moon"), "There is no light rig “moon”"),
        (("add-light", "torch"), "There is no light “torch”"),
        (("remove-light", "9"), "There is no light 9"),
        (("light", "1", "--set", "glow=3"), "has no glow"),
        (("light", "1", "--set", "strength"), "is no value"),
        (("sky", "--haze", "90"), "The sky cannot have that"),
        (("remove-view", "Attic"), "There is no view “Attic”"),
        (("highlight", "1", "--at", "middle"), "is no place"),
    ],
)
def test_what_is_wrong_is_a_sentence(ball: Path, call: tuple[str, ...], said: str) -> None:
    before = (ball / "project.json").read_bytes()
    done = collage("bench", call[0], ball, *call[1:])
    assert done.returncode == 1
    assert said in done.stderr
    assert (ball / "project.json").read_bytes() == before


def test_a_traced_picture_with_layers(ball: Path, tmp_path: Path) -> None:
    out = tmp_path / "a.exr"
    sizes = "--size", "64x48", "--quality", "traced", "--samples", "4"
    done = collage("render", ball, "-o", out, *sizes, "--layers", "--denoise")
    assert done.returncode == 0, done.stderr
    file = oiio.ImageInput.open(str(out))
    spec, pixels = file.spec(), np.asarray(file.read_image(0, 0, 0, 99, "float"))
    file.close()
    at = {name: number for number, name in enumerate(spec.channelnames)}
    names = json.loads(spec.getattribute("object_id_names"))
    ids = pixels[:, :, at["object_id.Y"]]
    assert {names[str(int(one))] for one in np.unique(ids) if one >= 0} == {bench(ball).objects[0].name}
    seen = ids == 0
    normal = pixels[:, :, [at[f"normal.{axis}"] for axis in "XYZ"]][seen]
    inner = np.linalg.norm(normal, axis=1)
    assert np.median(inner) == pytest.approx(1.0, abs=0.02)
    camera = bench(ball).camera
    place = pixels[:, :, [at[f"position.{axis}"] for axis in "XYZ"]]
    deep = seen & np.roll(seen, 2, 0) & np.roll(seen, -2, 0) & np.roll(seen, 2, 1) & np.roll(seen, -2, 1)
    away = np.linalg.norm(place - camera.position(), axis=2)
    np.testing.assert_allclose(pixels[:, :, at["depth.Z"]][deep], away[deep], rtol=0.01)


def test_layers_need_a_traced_picture_and_a_file_that_holds_them(ball: Path, tmp_path: Path) -> None:
    done = collage("render", ball, "-o", tmp_path / "a.exr", "--layers")
    assert "Only traced pictures have layers" in done.stderr
    done = collage("render", ball, "-o", tmp_path / "a.png", "--layers", "--quality", "traced")
    assert "Layers need an EXR file" in done.stderr


def test_frames_of_a_turntable_go_on_where_they_were_left(ball: Path, tmp_path: Path) -> None:
    out, sizes = tmp_path / "turn.png", ("--size", "48x32", "--quality", "draft")
    done = collage("render", ball, "-o", out, *sizes, "--turntable", "3")
    assert done.returncode == 0, done.stderr
    frames = [tmp_path / f"turn.{number:04d}.png" for number in (1, 2, 3)]
    assert all(one.is_file() for one in frames)
    assert not out.exists()
    assert frames[0].read_bytes() != frames[1].read_bytes()
    frames[1].unlink()
    frames[0].write_bytes(b"kept as it is")
    assert collage("render", ball, "-o", out, *sizes, "--turntable", "3", "--resume").returncode == 0
    assert frames[0].read_bytes() == b"kept as it is"
    assert frames[1].is_file()
