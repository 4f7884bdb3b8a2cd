"""Normals bent by maps and by heights, against geometry."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.geometry.points import sheet


@pytest.mark.parametrize(("value", "scale", "wanted"), [
    ("0.5, 0.5, 1", "1", (0, 0, 1)),
    ("0, 0, 0", "1", (0, 0, 1)),
    ("1, 0.5, 0.5", "1", (1, 0, 0)),
    ("0.5, 1, 0.5", "1", (0, 1, 0)),
    ("0.8, 0.5, 0.9", "0", (0, 0, 1)),
    ("0.8, 0.5, 0.9", "1", (0.6, 0, 0.8)),
])  # fmt: skip
def test_a_normal_map_on_level_ground(calculate, value, scale, wanted) -> None:
    found = calculate.node("normalmap", "vector3", {"in": ("vector3", value), "scale": ("float", scale)})
    np.testing.assert_allclose(found[:, 0], wanted, atol=1e-5)


def test_strength_can_differ_in_both_directions(calculate) -> None:
    found = calculate.node("normalmap", "vector3", {"in": ("vector3", "0.8, 0.7, 0.9"), "scale": ("vector2", "1, 0")})
    assert found[1, 0] == pytest.approx(0, abs=1e-6)
    assert found[0, 0] == pytest.approx(0.6, abs=1e-5)


SLOPE = '<ramplr name="h" type="float"><input name="valuel" type="float" value="0"/><input name="valuer" type="float" value="{rise}"/></ramplr>'


@pytest.mark.parametrize("rise", [0.0, 4.0, -16.0])
def test_the_normal_of_a_slope_is_its_slope_over_sixteen(calculate, rise: float) -> None:
    body = (
        SLOPE.format(rise=rise)
        + '<heighttonormal name="n" type="vector3"><input name="in" type="float" nodename="h"/></heighttonormal>'
    )
    found = calculate.graph(body, "vector3", sheet(16, 16)) * 2 - 1
    wanted = np.array([-rise / 16, 0, 1])
    inner = found.reshape(3, 16, 16)[:, 8, 8]
    np.testing.assert_allclose(inner, wanted / np.linalg.norm(wanted), atol=2e-4)


def test_bump_strength_scales_the_slope_and_negative_turns_it_inside_out(calculate) -> None:
    card = '<bump name="n" type="vector3"><input name="height" type="float" nodename="h"/><input name="scale" type="float" value="{scale}"/></bump>'
    bent = {
        scale: calculate.graph(SLOPE.format(rise=8) + card.format(scale=scale), "vector3", sheet(16, 16))[:, 100]
        for scale in (0, 1, 2, -1)
    }
    np.testing.assert_allclose(bent[0], (0, 0, 1), atol=1e-6)
    assert bent[1][0] / bent[1][2] == pytest.approx(-0.5, abs=1e-3)
    assert bent[2][0] / bent[2][2] == pytest.approx(-1.0, abs=2e-3)
    np.testing.assert_allclose(bent[-1], bent[1] * (-1, 1, 1), atol=1e-5)


def test_bump_works_on_a_whole_network_and_adds_to_a_normal_map(calculate) -> None:
    """The height of a wave made of several cards: its slope is the derivative."""
    body = """
    <texcoord name="t" type="vector2"/>
    <extract name="u" type="float"><input name="in" type="vector2" nodename="t"/><input name="index" type="integer" value="0"/></extract>
    <multiply name="m" type="float"><input name="in1" type="float" nodename="u"/><input name="in2" type="float" value="6.2831853"/></multiply>
    <sin name="h" type="float"><input name="in" type="float" nodename="m"/></sin>
    <bump name="n" type="vector3"><input name="height" type="float" nodename="h"/></bump>"""
    size = 256
    points = sheet(size, 4)
    found = calculate.graph(body, "vector3", points)
    u = points.uv_set()[0] + points.step_u / 2  # the difference stands for the middle of its step
    slope = 2 * np.pi * np.cos(2 * np.pi * u) / 16
    np.testing.assert_allclose(-found[0] / found[2], slope, atol=2e-3)


def test_position_and_directions_of_the_sheet(calculate) -> None:
    points = sheet(4, 2)
    found = calculate.graph('<position name="n" type="vector3"/>', "vector3", points)
    np.testing.assert_allclose(found[:, 0], (0.125, 0.75, 0))
    np.testing.assert_allclose(found[:, -1], (0.875, 0.25, 0))
    for category, axis in (("normal", 2), ("tangent", 0), ("bitangent", 1)):
        found = calculate.graph(f'<{category} name="n" type="vector3"/>', "vector3", points)
        np.testing.assert_allclose(found[:, 0], np.eye(3)[axis])


def test_a_placement_makes_more_repeats_of_a_smaller_scale(calculate) -> None:
    body = '<texcoord name="t" type="vector2"/><place2d name="n" type="vector2"><input name="texcoord" type="vector2" nodename="t"/><input name="scale" type="vector2" value="0.5, 0.25"/><input name="offset" type="vector2" value="0.1, 0"/></place2d>'
    found = calculate.graph(body, "vector2", sheet(4, 4))
    uv = sheet(4, 4).uv_set()
    np.testing.assert_allclose(found, [uv[0] / 0.5 - 0.1, uv[1] / 0.25], atol=1e-6)
