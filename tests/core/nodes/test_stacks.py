"""Stacks against the published formulas of their modes, layer by layer in double precision."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document.materialx import parse_document, validate, write_document
from collage.core.document.model import Input, Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.nodes.stacks import MODES, Layer, fresh_title, is_stack, kind_of, layers, new_stack, with_layers

LOW, TOP = np.array([0.2, 0.5, 0.9]), np.array([0.7, 0.4, 0.3])

FORMULAS = {
    "mix": lambda a, b: a,
    "multiply": lambda a, b: a * b,
    "screen": lambda a, b: 1 - (1 - a) * (1 - b),
    "overlay": lambda a, b: np.where(b < 0.5, 2 * a * b, 1 - 2 * (1 - a) * (1 - b)),
    "plus": lambda a, b: b + a,
    "minus": lambda a, b: b - a,
    "difference": lambda a, b: abs(b - a),
    "dodge": lambda a, b: b / (1 - a),
    "burn": lambda a, b: 1 - (1 - b) / a,
    "min": np.minimum,
    "max": np.maximum,
}
"""The layer a over what is below, b, as the standard has them."""


def colour(value: np.ndarray) -> Input:
    return Input("layer", "color3", tuple(float(part) for part in value))


def number(value: float) -> Input:
    return Input("amount", "float", value)


def shown(library, card) -> np.ndarray:
    document = Network({card.name: card})
    plan = build_plan(library, document, {"out": CardOutput(card.name, "out")})
    assert not plan.problems
    return np.asarray(run(plan, sheet(1, 1))["out"], np.float64)[:, 0]


@pytest.mark.parametrize("mode", MODES)
def test_each_mode_is_the_standards(library, mode: str) -> None:
    card = with_layers(
        new_stack("stack"),
        [Layer("Low", colour(LOW)), Layer("Top", colour(TOP), mode, number(0.8), number(0.5))],
    )
    wanted = LOW + 0.4 * (FORMULAS[mode](TOP, LOW) - LOW)
    np.testing.assert_allclose(shown(library, card), wanted, atol=1e-6)
    assert validate(Network({"stack": card})) == []


def test_many_layers_one_off_and_reordered(library) -> None:
    three = [
        Layer("A", colour(LOW)),
        Layer("B", colour(TOP), "screen"),
        Layer("C", colour(LOW / 2), "mix", number(0.25)),
    ]
    card = with_layers(new_stack("stack"), three)
    b = FORMULAS["screen"](TOP, LOW)
    np.testing.assert_allclose(shown(library, card), b + 0.25 * (LOW / 2 - b), atol=1e-6)
    without = with_layers(card, [three[0], replace(three[1], on=False), three[2]])
    np.testing.assert_allclose(shown(library, without), LOW + 0.25 * (LOW / 2 - LOW), atol=1e-6)
    turned = with_layers(card, [three[1], three[0]])
    np.testing.assert_allclose(shown(library, turned), LOW, atol=1e-6)


def test_what_a_stack_is_can_be_read_back_from_a_file(library) -> None:
    before = [Layer("Clay", colour(LOW)), Layer("Moss", colour(TOP), "multiply", number(0.5), number(0.75), on=False)]
    card = with_layers(new_stack("stack"), before)
    again = parse_document(write_document(Network({"stack": card})).encode()).cards["stack"]
    assert is_stack(again)
    assert kind_of(again) == "color3"
    found = layers(again)
    assert [(one.title, one.mode, one.on) for one in found] == [("Clay", "mix", True), ("Moss", "multiply", False)]
    assert found[1].opacity.value == 0.5
    assert found[1].mask.value == 0.75
    assert with_layers(again, found) == again
    assert fresh_title(again) not in ("Clay", "Moss")


def test_wires_go_along_when_layers_change_places(library) -> None:
    card = with_layers(
        new_stack("stack", "float"),
        [
            Layer("A", number(0.25)),
            Layer("B", Input("x", "float", None, Wire("noise")), mask=Input("m", "float", None, Wire("dirt"))),
        ],
    )
    turned = with_layers(card, layers(card)[::-1])
    assert turned.inputs["layer_1"].wire == Wire("noise")
    assert turned.inputs["mask_1"].wire == Wire("dirt")
    assert layers(turned)[0].title == "B"


def test_no_stack_without_layers_and_no_layers_without_a_stack() -> None:
    with pytest.raises(CollageError, match="needs a layer"):
        with_layers(new_stack("stack"), [])
    with pytest.raises(CollageError, match="no stack"):
        layers(replace(new_stack("stack"), attributes={}))


@pytest.mark.parametrize(("mask", "counts"), [(1.7, 1.0), (-0.4, 0.0), (0.3, 0.3)])
@pytest.mark.parametrize("mode", ["mix", "multiply", "plus"])
def test_a_mask_beyond_0_to_1_shows_nothing_beyond_the_layers(library, mode: str, mask: float, counts: float) -> None:
    """Fractal and cells leave 0 to 1."""
    both = [Layer("Low", colour(LOW)), Layer("Top", colour(TOP), mode, number(0.5), number(mask))]
    wanted = LOW + 0.5 * counts * (FORMULAS[mode](TOP, LOW) - LOW)
    np.testing.assert_allclose(shown(library, with_layers(new_stack("stack"), both)), wanted, atol=1e-6)
