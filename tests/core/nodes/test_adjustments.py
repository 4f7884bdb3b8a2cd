"""Adjusting and blending, against closed forms and laws."""

from __future__ import annotations

import colorsys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from collage.core.nodes import adjustments, blends, channels
from collage.core.nodes.behaviour import Context

CTX = Context(None)
unit = st.floats(0, 1, width=32)
colours = st.tuples(unit, unit, unit)


def column(*values: float) -> np.ndarray:
    return np.array(values, np.float32)[:, None]


@given(colours)
def test_hue_saturation_value_as_the_standard_library_has_it_and_back(colour) -> None:
    found = adjustments.rgbtohsv(CTX, **{"in": column(*colour)})
    wanted = colorsys.rgb_to_hsv(*map(float, np.float32(colour)))
    np.testing.assert_allclose(found[1:, 0], wanted[1:], atol=1e-5)
    assert abs((found[0, 0] - wanted[0] + 0.5) % 1 - 0.5) < 1e-4 or wanted[1] < 1e-3
    np.testing.assert_allclose(adjustments.hsvtorgb(CTX, **{"in": found}), column(*colour), atol=2e-4)


@given(st.floats(-4, 4), st.floats(0.1, 3), st.floats(-3, 3), st.floats(0.1, 2), st.floats(-5, 5))
def test_remap_and_its_inverse(low: float, span: float, out: float, reach: float, value: float) -> None:
    a = [column(part) for part in (low, low + span, out, out + reach)]
    there = adjustments.remap(CTX, *a, **{"in": column(value)})
    np.testing.assert_allclose(there[0, 0], out + (value - low) * reach / span, atol=2e-3)
    back = adjustments.remap(CTX, a[2], a[3], a[0], a[1], **{"in": there})
    np.testing.assert_allclose(back[0, 0], value, atol=2e-2)


@pytest.mark.parametrize(("value", "wanted"), [(0.1, 0), (0.2, 0), (0.5, 0.5), (0.35, 0.15625), (0.8, 1), (2, 1)])
def test_the_soft_step_is_an_s(value: float, wanted: float) -> None:
    found = adjustments.smoothstep(CTX, column(0.2), column(0.8), **{"in": column(value)})
    assert found[0, 0] == pytest.approx(wanted, abs=1e-5)


def test_levels_work_as_written_in_the_standard(calculate) -> None:
    inputs = {
        "in": ("float", "0.5"),
        "inlow": ("float", "0.25"),
        "inhigh": ("float", "1.25"),
        "gamma": ("float", "2"),
        "outlow": ("float", "1"),
        "outhigh": ("float", "3"),
    }
    assert calculate.node("range", "float", inputs)[0, 0] == pytest.approx(1 + 2 * 0.25**0.5, rel=1e-5)
    beyond = {**inputs, "in": ("float", "9"), "doclamp": ("boolean", "true")}
    assert calculate.node("range", "float", beyond)[0, 0] == pytest.approx(3)


def test_contrast_saturation_and_luminance(calculate) -> None:
    assert calculate.node(
        "contrast", "float", {"in": ("float", "0.75"), "amount": ("float", "3"), "pivot": ("float", "0.5")}
    )[0, 0] == pytest.approx(1.25)
    grey = 0.3 * 0.2722287 + 0.6 * 0.6740818 + 0.1 * 0.0536895
    found = calculate.node("luminance", "color3", {"in": ("color3", "0.3, 0.6, 0.1")})[:, 0]
    np.testing.assert_allclose(found, grey, rtol=1e-5)
    found = calculate.node("saturate", "color3", {"in": ("color3", "0.3, 0.6, 0.1"), "amount": ("float", "0")})[:, 0]
    np.testing.assert_allclose(found, grey, rtol=1e-5)
    turned = calculate.node(
        "hsvadjust", "color3", {"in": ("color3", "1, 0, 0"), "amount": ("vector3", "0.33333333, 1, 0.5")}
    )[:, 0]
    np.testing.assert_allclose(turned, (0, 0.5, 0), atol=1e-5)


MODES = {
    "plus": lambda f, b: b + f,
    "minus": lambda f, b: b - f,
    "difference": lambda f, b: abs(b - f),
    "screen": lambda f, b: 1 - (1 - f) * (1 - b),
    "burn": lambda f, b: 1 - (1 - b) / f,
    "dodge": lambda f, b: b / (1 - f),
}


@pytest.mark.parametrize("mode", MODES)
@given(fg=st.floats(0.0625, 0.9375, width=32), bg=unit, share=unit)
def test_blend_modes_and_how_they_fade(mode, fg, bg, share) -> None:
    function = getattr(blends, mode)
    full = function(CTX, column(fg), column(bg), column(1))[0, 0]
    assert full == pytest.approx(MODES[mode](fg, bg), abs=2e-3, rel=1e-3)
    assert function(CTX, column(fg), column(bg), column(0))[0, 0] == pytest.approx(bg, abs=1e-5)
    part = function(CTX, column(fg), column(bg), column(share))[0, 0]
    assert part == pytest.approx(share * full + (1 - share) * bg, abs=1e-3, rel=1e-3)


def test_burn_and_dodge_at_their_ends_give_nothing_as_the_reference_does(calculate) -> None:
    for mode, end in (("burn", "0"), ("dodge", "1")):
        found = calculate.node(mode, "float", {"fg": ("float", end), "bg": ("float", "0.5"), "mix": ("float", "0.3")})
        assert found[0, 0] == 0


@pytest.mark.parametrize(("fg", "bg"), [(0.2, 0.3), (0.8, 0.3), (0.2, 0.7), (0.8, 0.7), (0.5, 0.5)])
def test_overlay_is_a_screen_over_light_and_a_product_over_dark(calculate, fg: float, bg: float) -> None:
    wanted = 2 * fg * bg if bg < 0.5 else 1 - 2 * (1 - fg) * (1 - bg)
    found = calculate.node(
        "overlay", "float", {"fg": ("float", str(fg)), "bg": ("float", str(bg)), "mix": ("float", "1")}
    )
    assert found[0, 0] == pytest.approx(wanted, abs=1e-5)


def test_mixing_goes_beyond_its_ends(calculate) -> None:
    for share, wanted in (("0", 2), ("1", 6), ("0.25", 3), ("1.5", 8)):
        found = calculate.node("mix", "float", {"fg": ("float", "6"), "bg": ("float", "2"), "mix": ("float", share)})
        assert found[0, 0] == pytest.approx(wanted)


def test_porter_and_duff() -> None:
    fg, bg = column(0.3, 0.2, 0.1, 0.5), column(0.4, 0.4, 0.8, 0.75)
    one = column(1)
    np.testing.assert_allclose(blends.over(CTX, fg, bg, one)[:, 0], (0.5, 0.4, 0.5, 0.875), rtol=1e-5)
    np.testing.assert_allclose(blends.in_(CTX, fg, bg, one)[:, 0], np.array((0.3, 0.2, 0.1, 0.5)) * 0.75, rtol=1e-5)
    np.testing.assert_allclose(blends.out(CTX, fg, bg, one)[:, 0], np.array((0.3, 0.2, 0.1, 0.5)) * 0.25, rtol=1e-5)
    np.testing.assert_allclose(blends.mask(CTX, fg, bg, one)[:, 0], np.array((0.4, 0.4, 0.8, 0.75)) * 0.5, rtol=1e-5)
    np.testing.assert_allclose(blends.matte(CTX, fg, bg, one)[:, 0], (0.35, 0.3, 0.45, 0.875), rtol=1e-5)
    disjoint = blends.disjointover(CTX, fg, bg, one)[:, 0]
    np.testing.assert_allclose(
        disjoint, (0.3 + 0.4 * 0.5 / 0.75, 0.2 + 0.4 * 0.5 / 0.75, 0.1 + 0.8 * 0.5 / 0.75, 1), rtol=1e-5
    )


def test_alpha_in_and_out_again() -> None:
    colour = column(0.2, 0.4, 0.6, 0.5)
    there = blends.premult(CTX, **{"in": colour})
    np.testing.assert_allclose(there[:, 0], (0.1, 0.2, 0.3, 0.5), rtol=1e-6)
    np.testing.assert_allclose(blends.unpremult(CTX, **{"in": there}), colour, rtol=1e-6)


def test_joining_and_taking_apart(calculate) -> None:
    joined = channels.combine(CTX, in1=column(1, 2, 3), in2=column(4))
    assert joined[:, 0].tolist() == [1, 2, 3, 4]
    for index, wanted in ((0, 5), (1, 6), (2, 7), (9, 7)):
        assert (
            calculate.node("extract", "float", {"in": ("vector3", "5, 6, 7"), "index": ("integer", str(index))})[0, 0]
            == wanted
        )
    body = '<separate3 name="s" type="multioutput"><input name="in" type="color3" value="0.1, 0.2, 0.3"/></separate3>'
    body += '<add name="n" type="float"><input name="in1" type="float" nodename="s" output="outg"/><input name="in2" type="float" nodename="s" output="outb"/></add>'
    assert calculate.graph(body, "float")[0, 0] == pytest.approx(0.5)
    wide = calculate.node("convert", "color4", {"in": ("color3", "0.1, 0.2, 0.3")})[:, 0]
    np.testing.assert_allclose(wide, (0.1, 0.2, 0.3, 1))


def test_levels_of_a_range_of_nothing_leave_the_lowest_output(calculate) -> None:
    settings = {"in": "0.5", "inlow": "0.5", "inhigh": "0.5", "outlow": "0.2", "outhigh": "0.9"}
    found = calculate.node("range", "float", {name: ("float", text) for name, text in settings.items()})
    np.testing.assert_allclose(found, 0.2, atol=1e-6)
    above = calculate.node(
        "range", "float", {name: ("float", text) for name, text in (settings | {"in": "0.6"}).items()}
    )
    assert np.isinf(above).all()
    clamped = {name: ("float", text) for name, text in (settings | {"in": "0.6"}).items()} | {
        "doclamp": ("boolean", "true")
    }
    np.testing.assert_allclose(calculate.node("range", "float", clamped), 0.9, atol=1e-6)


def test_what_is_not_a_number_is_held_at_the_lower_border(calculate) -> None:
    body = (
        '<sqrt name="q" type="vector2"><input name="in" type="vector2" value="-1, -1"/></sqrt>'
        '<ramplr name="n" type="float"><input name="valuel" type="float" value="0.25"/>'
        '<input name="valuer" type="float" value="1"/><input name="texcoord" type="vector2" nodename="q"/></ramplr>'
    )
    np.testing.assert_allclose(calculate.graph(body, "float"), 0.25)


@pytest.mark.parametrize(("row", "wanted"), [("-1", [0, 0, 0]), ("0", [1, 2, 3]), ("2", [7, 8, 9])])
def test_one_row_of_a_matrix(calculate, row: str, wanted: list[float]) -> None:
    matrix = ("matrix33", "1, 2, 3, 4, 5, 6, 7, 8, 9")
    found = calculate.node("extract", "vector3", {"in": matrix, "index": ("integer", row)})
    np.testing.assert_allclose(found[:, 0], wanted)
