"""Ramps of any number of stops against plain interpolation, and against the standard's own card."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document.materialx import parse_document, validate, write_document
from collage.core.document.model import Card, Input, Network
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.nodes.ramps import LINEAR, SMOOTH, STEPS, is_long, stops_of, with_stops

EMPTY = Card("ramp", "ramp", "color4", {}, {"nodedef": "ND_ramp"})


def stops(count: int) -> list[tuple[float, tuple[float, ...]]]:
    rng = np.random.default_rng(count)
    places = np.sort(rng.uniform(0.02, 0.98, count)).round(4)
    return [(float(place), (*map(float, rng.uniform(0, 1, 3).round(4)), 1.0)) for place in places]


def values(library, card: Card) -> np.ndarray:
    document = parse_document(write_document(Network({card.name: card})).encode())
    assert validate(document) == []
    plan = build_plan(library, document, {"out": CardOutput(card.name)})
    assert not plan.problems
    return np.asarray(run(plan, sheet(200, 1))["out"])


@pytest.mark.parametrize("count", [2, 10, 11, 23])
@pytest.mark.parametrize("how", [LINEAR, SMOOTH, STEPS])
def test_a_ramp_goes_through_its_stops(library, count: int, how: int) -> None:
    given = stops(count)
    card = with_stops(EMPTY, given, how)
    assert is_long(card) == (count > 10)
    found, u = values(library, card), (np.arange(200) + 0.5) / 200
    places = np.array([place for place, _ in given])
    at = np.searchsorted(places, u, side="right") - 1
    for channel in range(3):
        colours = np.array([colour[channel] for _, colour in given])
        first, last = np.clip(at, 0, count - 1), np.clip(at + 1, 0, count - 1)
        share = np.clip((u - places[first]) / np.maximum(places[last] - places[first], 1e-9), 0, 1) * (at >= 0)
        share = {LINEAR: share, SMOOTH: share * share * (3 - 2 * share), STEPS: share * 0}[how]
        np.testing.assert_allclose(found[channel], colours[first] + (colours[last] - colours[first]) * share, atol=2e-5)


def test_stops_are_read_back_and_a_ramp_grows_and_shrinks(library) -> None:
    given = stops(14)
    long = with_stops(EMPTY, given, SMOOTH)
    again = parse_document(write_document(Network({"ramp": long})).encode()).cards["ramp"]
    assert stops_of(again) == (given, SMOOTH)
    short = with_stops(again, given[:6], LINEAR)
    assert (short.category, short.network) == ("ramp", None)
    assert stops_of(short) == (given[:6], LINEAR)
    assert stops_of(EMPTY)[0] == [(0.0, (0.0, 0.0, 0.0, 1.0)), (1.0, (1.0, 1.0, 1.0, 1.0))]


def test_what_cannot_be_is_refused() -> None:
    with pytest.raises(CollageError, match="two stops"):
        with_stops(EMPTY, stops(1), LINEAR)
    radial = EMPTY.with_input(Input("type", "integer", 1))
    assert not is_long(with_stops(radial, stops(9), LINEAR))
    with pytest.raises(CollageError, match="Ten stops"):
        with_stops(radial, stops(11), LINEAR)
