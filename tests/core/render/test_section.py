"""The profile of a section against closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.section import line_between, section
from collage.core.scene.bench import Bench, Camera, Division, stock

DEEP, WAVES = 0.01, 2
SIZE = 200, 160


@pytest.fixture
def renderer(library) -> Renderer:
    return Renderer(library)


def wavy():
    return parse_document(
        f"""<materialx version="1.39"><texcoord name="t" type="vector2"/>
        <separate2 name="s" type="multioutput"><input name="in" type="vector2" nodename="t"/></separate2>
        <multiply name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="{2 * np.pi * WAVES}"/></multiply>
        <sin name="h" type="float"><input name="in" type="float" nodename="a"/></sin>
        <open_pbr_surface name="surface" type="surfaceshader"/>
        <displacement name="d" type="displacementshader"><input name="displacement" type="float" nodename="h"/>
            <input name="scale" type="float" value="{DEEP}"/></displacement>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
            <input name="displacementshader" type="displacementshader" nodename="d"/></surfacematerial>
        </materialx>""".encode()
    )


def asked(*objects, camera: Camera | None = None) -> PictureRequest:
    camera = camera or Camera(turn=0, height=89, distance=1, target=(0, 0, 0))
    return PictureRequest(Bench(objects=objects, camera=camera, ground=False), {"m": wavy()}, *SIZE)


def pixel_of(request: PictureRequest, place) -> tuple[float, float]:
    return tuple(request.bench.camera.seen(np.array(place), *request.size))


def test_the_profile_of_a_displaced_sheet_is_its_wave(renderer) -> None:
    sheet = stock("Sheet", "plane", sizes={"width": 0.4, "depth": 0.4}, material="m", division=Division(level=5))
    request = asked(sheet)
    ends = [pixel_of(request, (x, 0, 0.02)) for x in (-0.15, 0.15)]
    line = line_between(renderer, request, *ends)
    assert line.name == "Sheet"
    found = section(renderer, request, line)
    assert found.length == pytest.approx(0.3, rel=0.05)
    u = found.places[:, 0] / 0.4 + 0.5
    assert np.abs(found.places[:, 1] - DEEP * np.sin(2 * np.pi * WAVES * u)).max() < 0.01 * DEEP
    assert found.depth == pytest.approx(2 * DEEP, rel=0.05)
    assert np.abs(found.before).max() < 0.001 * DEEP


def test_the_profile_of_a_ball_is_an_arc_from_any_side_and_where_it_stands(renderer) -> None:
    ball = stock("Ball", "sphere", sizes={"radius": 0.1, "segments": 192}, place=(0.2, 0.1, -0.3), turn=50, tilt=20)
    camera = Camera(turn=40, height=25, distance=0.7, target=(0.2, 0.2, -0.3))
    request = asked(ball, camera=camera)
    line = line_between(renderer, request, (70, 60), (125, 95))
    found = section(renderer, request, line)
    low, high = ball.mesh().bounds
    middle = (low + high) / 2 @ ball.matrix() + np.array(ball.place)
    away = np.linalg.norm(found.places - middle, axis=1)
    assert np.abs(away - 0.1).max() < 1e-4
    half = found.length / 2
    assert found.depth == pytest.approx(0.1 - np.sqrt(0.1**2 - half**2), rel=0.01)
    moved = request.bench.model_copy(update={"objects": (ball.model_copy(update={"place": (0, 0, 0), "turn": 5}),)})
    again = section(renderer, PictureRequest(moved, {}, *SIZE), line)
    assert np.abs(again.height - found.height).max() < 1e-5


def test_what_stands_on_a_sheet_is_looked_through(renderer) -> None:
    sheet = stock("Sheet", "plane", sizes={"width": 0.4, "depth": 0.4})
    ball = stock("Ball", "sphere", sizes={"radius": 0.02})
    request = asked(sheet, ball)
    line = line_between(renderer, request, *(pixel_of(request, (x, 0, 0)) for x in (-0.15, 0.15)))
    found = section(renderer, request, line)
    assert np.abs(found.height).max() < 1e-5


def test_lines_beside_objects_or_without_a_length_are_none(renderer) -> None:
    request = asked(stock("Ball", "sphere", sizes={"radius": 0.05}), stock("Other", "sphere", place=(0.3, 0, 0)))
    middle, other = pixel_of(request, (0, 0.1, 0)), pixel_of(request, (0.3, 0.2, 0))
    assert line_between(renderer, request, middle, (1, 1)) is None
    assert line_between(renderer, request, middle, middle) is None
    assert line_between(renderer, request, middle, other) is None
    line = line_between(renderer, request, middle, (middle[0] + 4, middle[1]))
    assert line is not None
    assert section(renderer, asked(stock("Third", "sphere")), line) is None
