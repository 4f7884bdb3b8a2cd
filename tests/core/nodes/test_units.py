"""Units: the same length or angle, however it is written; and materials that inherit their surface."""

from __future__ import annotations

import math

import numpy as np
import pytest

from collage.core.document.materials import surface_card
from collage.core.document.materialx import parse_document
from collage.core.nodes.library import TabDef
from collage.core.nodes.units import in_unit_of


@pytest.mark.parametrize(
    ("unit", "value", "metres"),
    [("centimeter", 250.0, 2.5), ("inch", 1.0, 0.0254), ("meter", 3.0, 3.0), ("mile", 1.0, 1609.344), ("", 4.0, 4.0)],
)
def test_lengths_become_metres(unit: str, value: float, metres: float) -> None:
    assert in_unit_of(TabDef("size", "float"), value, unit) == pytest.approx(metres)


def test_angles_become_what_the_input_counts_in() -> None:
    degrees = TabDef("rotate", "float", attributes={"unittype": "angle", "unit": "degree"})
    assert in_unit_of(degrees, math.pi, "radian") == pytest.approx(180)
    radians = TabDef("angle", "float", attributes={"unittype": "angle", "unit": "radian"})
    assert in_unit_of(radians, 90.0, "degree") == pytest.approx(math.pi / 2)
    assert in_unit_of(degrees, 2.0, "meter") == 2.0, "a length is no angle"
    assert in_unit_of(TabDef("a", "vector2"), (100.0, 50.0), "centimeter") == pytest.approx((1.0, 0.5))


def test_a_rotation_in_radians_turns_as_far_as_one_in_degrees(calculate) -> None:
    def turned(value: str) -> np.ndarray:
        body = f'<rotate2d name="n" type="vector2"><input name="in" type="vector2" value="1, 0"/><input name="amount" type="float" {value}/></rotate2d>'
        return calculate.graph(body, "vector2")

    np.testing.assert_allclose(
        turned('value="0.5235988" unittype="angle" unit="radian"'), turned('value="30"'), atol=1e-6
    )


def test_a_material_that_inherits_shows_the_surface_of_the_other() -> None:
    text = """<materialx version="1.39"><open_pbr_surface name="plain" type="surfaceshader"/><open_pbr_surface name="clay" type="surfaceshader"/>
    <surfacematerial name="worn" type="material" inherit="base"/>
    <surfacematerial name="base" type="material"><input name="surfaceshader" type="surfaceshader" nodename="clay"/></surfacematerial></materialx>"""
    card = surface_card(parse_document(text.encode()))
    assert card is not None
    assert card.name == "clay"
    circle = text.replace(
        '<surfacematerial name="base" type="material">', '<surfacematerial name="base" type="material" inherit="worn">'
    ).replace('nodename="clay"', "")
    assert surface_card(parse_document(circle.encode())) is not None, "a circle ends"
