"""Numbers that surface models are made from."""

from __future__ import annotations

import numpy as np
import pytest


@pytest.mark.parametrize(("kelvin", "warm"), [(1500, True), (3000, True), (15000, False)])
def test_a_glowing_body_goes_from_warm_to_cold(calculate, kelvin: float, warm: bool) -> None:
    colour = calculate.node("blackbody", "color3", {"temperature": ("float", str(kelvin))})[:, 0]
    assert (colour[0] > colour[2]) == warm
    assert float(colour @ [0.2126, 0.7152, 0.0722]) == pytest.approx(1, abs=0.08)


def test_roughness_along_and_across(calculate) -> None:
    even = calculate.node("roughness_anisotropy", "vector2", {"roughness": ("float", "0.5")})[:, 0]
    np.testing.assert_allclose(even, [0.25, 0.25], atol=1e-6)
    brushed = calculate.node(
        "roughness_anisotropy", "vector2", {"roughness": ("float", "0.5"), "anisotropy": ("float", "0.75")}
    )[:, 0]
    np.testing.assert_allclose(brushed, [0.5, 0.125], atol=1e-6)


def test_hair_with_one_unit_of_pigment_lets_through_the_colour_of_the_pigment(calculate) -> None:
    one_unit = ("float", str(1 - np.exp(-1.0)))
    for redness, pigment in (("0", [0.657704, 0.498077, 0.254107]), ("1", [0.829444, 0.67032, 0.349938])):
        found = calculate.node(
            "deon_hair_absorption_from_melanin",
            "vector3",
            {"melanin_concentration": one_unit, "melanin_redness": ("float", redness)},
        )[:, 0]
        np.testing.assert_allclose(np.exp(-found), pigment, atol=1e-5)


@pytest.mark.parametrize(("roughness", "divisor"), [(0.0, 5.969), (1.0, 5.969 - 0.215 + 2.532 - 10.73 + 5.574 + 0.245)])
def test_hair_swallows_nothing_for_white_and_more_for_darker_colours(
    calculate, roughness: float, divisor: float
) -> None:
    found = calculate.node(
        "chiang_hair_absorption_from_color",
        "vector3",
        {"color": ("color3", "1, 0.5, 0"), "azimuthal_roughness": ("float", str(roughness))},
    )[:, 0]
    np.testing.assert_allclose(found, [0, (np.log(0.5) / divisor) ** 2, (np.log(0.001) / divisor) ** 2], rtol=2e-4)


def test_light_through_hair_is_narrower_and_inside_it_wider(calculate) -> None:
    inputs = {"longitudinal": ("float", "1"), "azimuthal": ("float", "1")}
    found = {
        name: calculate.node("chiang_hair_roughness", "vector2", inputs, output=f"roughness_{name}")[:, 0]
        for name in ("R", "TT", "TRT")
    }
    np.testing.assert_allclose(found["R"], [(0.726 + 0.812 + 3.7) ** 2, 0.265 + 1.194 + 5.372], rtol=1e-5)
    np.testing.assert_allclose(found["TT"], found["R"] * [0.25, 1], rtol=1e-5)
    np.testing.assert_allclose(found["TRT"], found["R"] * [4, 1], rtol=1e-5)
