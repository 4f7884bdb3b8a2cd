"""Links: a value that follows another value, with a factor and an offset.

A link is written with standard cards alone, so that every reader of the standard gets the same numbers: the value
that is followed moves to a constant card, which feeds the input it came from, and each follower through a
multiplication and an addition. These cards bear an attribute of Collage's and are not shown on the board.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from collage.core.base.errors import CollageError
from collage.core.document.edits import check_finite, connect, set_input
from collage.core.document.model import LINK, Card, Input, Network, Value, Wire
from collage.core.document.types import FLOATS

LINKED = FLOATS | {"integer"}
"""Types of values that can be linked."""


@dataclass(frozen=True)
class Place:
    """An input of a card."""

    card: str
    input: str


@dataclass(frozen=True)
class Link:
    """What an input follows: the value itself (its holder), with which factor and offset."""

    holder: str
    factor: float = 1.0
    offset: float = 0.0


def link_of(network: Network, place: Place) -> Link | None:
    """The link that an input takes its value from; None where there is none."""
    card = network.cards.get(place.card)
    one = card.inputs.get(place.input) if card is not None else None
    if one is None or one.wire is None:
        return None
    factor, offset = 1.0, 0.0
    at = network.cards.get(one.wire.card)
    if at is not None and at.attributes.get(LINK) == "offset":
        offset, at = _number(at), _before(network, at)
    if at is not None and at.attributes.get(LINK) == "factor":
        factor, at = _number(at), _before(network, at)
    if at is None or at.attributes.get(LINK) != "value" or "value" not in at.inputs:
        return None
    return Link(at.name, factor, offset)


def _number(card: Card) -> float:
    one = card.inputs.get("in2")
    value = one.value if one is not None else None
    return float(value) if isinstance(value, int | float) else 0.0


def _before(network: Network, card: Card) -> Card | None:
    one = card.inputs.get("in1")
    return network.cards.get(one.wire.card) if one is not None and one.wire is not None else None


def linked_value(network: Network, place: Place) -> Value | None:
    """The value that an input gets by its link; None where it has none."""
    link = link_of(network, place)
    if link is None:
        return None
    value = network.cards[link.holder].inputs["value"].value
    if isinstance(value, tuple):
        return tuple(link.factor * part + link.offset for part in value)
    if isinstance(value, int | float) and not isinstance(value, bool):
        made = link.factor * value + link.offset
        return int(made) if isinstance(value, int) else made
    return value


def places_of(network: Network, holder: str) -> list[Place]:
    """All inputs that get one value, the one it belongs to first."""
    found = []
    for card in network.cards.values():
        if LINK in card.attributes:
            continue
        for one in card.inputs.values():
            link = link_of(network, Place(card.name, one.name)) if one.wire is not None else None
            if link is not None and link.holder == holder:
                found.append((link != Link(holder), Place(card.name, one.name)))
    return [place for _, place in sorted(found, key=lambda pair: pair[0])]


def follow(
    network: Network,
    follower: Place,
    leader: Place,
    type_name: str,
    value: Value,
    *,
    factor: float = 1.0,
    offset: float = 0.0,
) -> Network:
    """Makes an input follow another one of the same type.

    type_name, value : of the leader, whose value may be a default that the document does not hold.
    Raises CollageError where the two are the same, the type cannot be linked, or a loop would close.
    """
    check_finite((factor, offset))
    if follower == leader:
        raise CollageError("A value cannot follow itself.", about=follower.card, remedy="Choose another value.")
    if type_name not in LINKED:
        raise CollageError("Only numbers, colours and vectors can be linked.", about=follower.card)
    network = unlink(network, follower, keep=False)
    link = link_of(network, leader)
    if link is None:
        one = network.cards[leader.card].inputs.get(leader.input)
        if one is not None and one.wire is not None:
            raise CollageError(
                f"“{leader.input}” is wired, so it has no value to follow.",
                about=leader.card,
                remedy="Link to the source card instead.",
            )
        holder = network.free_name(f"link_{leader.card}_{leader.input}")
        x, y = network.cards[leader.card].position
        attributes = {LINK: "value", "xpos": f"{x - 0.4:.4f}", "ypos": f"{y:.4f}"}
        constant = Card(holder, "constant", type_name, {"value": Input("value", type_name, value)}, attributes)
        network = connect(network.with_card(constant), Wire(holder), leader.card, leader.input, type_name)
        link = Link(holder)
    # a follower's follower takes from the value itself, with both factors
    factor, offset = factor * link.factor, factor * link.offset + offset
    source = Wire(link.holder)
    for part, category, number, plain in (("factor", "multiply", factor, 1.0), ("offset", "add", offset, 0.0)):
        if number != plain:
            source, network = _put(network, part, category, source, type_name, number)
    return connect(network, source, follower.card, follower.input, type_name)


def _put(
    network: Network, part: str, category: str, source: Wire, type_name: str, number: float
) -> tuple[Wire, Network]:
    name = network.free_name(f"link_{part}")
    whole = type_name == "integer"  # the standard has no product of a whole number and a fraction
    second = Input("in2", "integer", round(number)) if whole else Input("in2", "float", number)
    inputs = {"in1": Input("in1", type_name, None, source), "in2": second}
    x, y = network.cards[source.card].position
    attributes = {LINK: part, "xpos": f"{x + 0.2:.4f}", "ypos": f"{y:.4f}"}
    return Wire(name), network.with_card(Card(name, category, type_name, inputs, attributes))


def unlink(network: Network, place: Place, *, keep: bool = True) -> Network:
    """Cuts an input's link; it keeps the number it had, if that is wished."""
    link = link_of(network, place)
    if link is None:
        return network
    value = linked_value(network, place)
    one = network.cards[place.card].inputs[place.input]
    network = set_input(network, place.card, replace(one, wire=None, value=value if keep else one.value))
    return without_idle_links(network)


def set_linked(network: Network, place: Place, value: Value) -> Network:
    """Sets the value of an input that others follow, or that follows: the one value behind them all.

    Raises CollageError for a follower with the factor 0, whose value says nothing about the other.
    """
    link = link_of(network, place)
    if link is None:
        raise CollageError("The link is gone.", about=place.card)
    if link.factor == 0:
        raise CollageError("Its link has the factor 0.", about=place.card, remedy="Change the other value.")
    if isinstance(value, tuple):
        value = tuple((part - link.offset) / link.factor for part in value)
    elif not isinstance(value, str | bool):
        back = (value - link.offset) / link.factor
        value = round(back) if isinstance(value, int) else back
    holder = network.cards[link.holder]
    return set_input(network, link.holder, replace(holder.inputs["value"], value=value))


def without_idle_links(network: Network) -> Network:
    """Takes away link cards that feed nothing; a value that nothing follows any more goes back to its input."""
    while True:
        used = {wire.card for _, _, wire in network.wires()}
        used |= {out.wire.card for out in network.outputs.values() if out.wire}
        idle = {name for name, card in network.cards.items() if LINK in card.attributes and name not in used}
        if not idle:
            break
        network = network.without_cards(idle)
    for name, card in list(network.cards.items()):
        places = places_of(network, name) if card.attributes.get(LINK) == "value" else []
        if len(places) == 1:
            return unlink(network, places[0])
    return network


def changed_link(network: Network, place: Place, link: Link, type_name: str) -> Network:
    """The same link with another factor or offset."""
    now = link_of(network, place)
    leader = next((one for one in places_of(network, now.holder) if one != place), None) if now is not None else None
    if leader is None:
        return network
    owner = link_of(network, leader)
    assert owner is not None
    factor = link.factor / owner.factor if owner.factor else 0.0
    offset = link.offset - factor * owner.offset
    value = linked_value(network, leader)
    assert value is not None
    return follow(network, place, leader, type_name, value, factor=factor, offset=offset)


def follows(network: Network) -> Mapping[Place, Link]:
    """All linked inputs."""
    found = {}
    for card in network.cards.values():
        if LINK not in card.attributes:
            for one in card.inputs.values():
                link = link_of(network, Place(card.name, one.name)) if one.wire is not None else None
                if link is not None:
                    found[Place(card.name, one.name)] = link
    return found
