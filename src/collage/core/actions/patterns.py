"""What is done to patterns; each act is one step of the history."""

from __future__ import annotations

import numpy as np

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.nodes.adding import free_place

IN_RANGE = "clg_in_range"
"""Marks the card that brings a pattern to 0 to 1."""

KINDS = {"float": "ND_range_float", "color3": "ND_range_color3FA"}
LOOKED_AT = 128  # rows and columns of points at which a pattern's own range is looked for


def is_pattern(session: Session, name: str) -> bool:
    """Whether a card is a pattern that can be brought to 0 to 1."""
    card = session.network.cards.get(name)
    definition = session.definition(name) if card is not None and card.network is None else None
    return definition is not None and definition.group in ("procedural2d", "procedural3d") and definition.type in KINDS


def range_card(network: Network, name: str) -> str | None:
    """The card that brings a pattern to 0 to 1; None where there is none."""
    for card in network.cards.values():
        one = card.inputs.get("in")
        if IN_RANGE in card.attributes and one is not None and one.wire == Wire(name):
            return card.name
    return None


@act("patterns.range", "Range 0 to 1", command="cards range")
def set_range(session: Session, name: str, on: bool = True) -> None:
    """Brings a pattern to 0 to 1, from its lowest to its highest, for all that it is wired to."""
    if not is_pattern(session, name):
        raise CollageError("Only a pattern can be brought to 0 to 1.", about=name, remedy="Choose a pattern card.")
    there = range_card(session.network, name)
    if on and there is None:
        low, high = _own_range(session, name)
        session.edit(f"Range 0 to 1 of {session.title(name)}", lambda network: _ranged(network, name, low, high))
    elif not on and there is not None:
        session.edit(
            f"Own range of {session.title(name)}", lambda network: edits.remove_cards(network, [there], {there: "in"})
        )


def _own_range(session: Session, name: str) -> tuple[float, float]:
    """The lowest and the highest value of a pattern over the UV square, rounded outwards."""
    plan = build_plan(session.library, session.network, {"out": CardOutput(name)})
    values = np.asarray(run(plan, sheet(LOOKED_AT, LOOKED_AT))["out"], np.float64)
    low, high = np.floor(values.min() * 100) / 100, np.ceil(values.max() * 100) / 100
    return (float(low), float(high)) if high > low else (0.0, 1.0)


def _ranged(network: Network, name: str, low: float, high: float) -> Network:
    pattern = network.cards[name]
    x, y = pattern.position
    made = network.free_name("range")
    given = [
        Input("in", pattern.type, None, Wire(name)), Input("inlow", "float", low), Input("inhigh", "float", high),
        Input("doclamp", "boolean", True),
    ]  # fmt: skip
    attributes = {"nodedef": KINDS[pattern.type], IN_RANGE: "true", "uiname": "0 to 1"}
    card = Card(made, "range", pattern.type, {one.name: one for one in given}, attributes)
    after = edits.add_card(edits.led_past(network, name, Wire(made)), card)
    return edits.move_cards(after, {made: free_place(after, (x + 0.9, y + 0.9))})
