"""Wires between types that differ: the standard cards that go in between, and how they are told."""

from __future__ import annotations

from collage.core.base.errors import CollageError
from collage.core.document.edits import add_card, connect, disconnect
from collage.core.document.model import CONVERT, Card, Input, Network, Wire
from collage.core.document.types import SHADERS
from collage.core.nodes.labels import TYPE_WORDS
from collage.core.nodes.library import Library

_COLOURS = {"color3", "color4"}
_MANY = {"vector2", "vector3", "vector4"}


def output_type(library: Library, network: Network, wire: Wire) -> str:
    """The type that a wire carries; that of the first output where the one it names is not there.

    Raises CollageError for a card without any output.
    """
    card = network.cards[wire.card]
    if card.network is not None:
        outputs = card.network.outputs
        if wire.output in outputs:
            return outputs[wire.output].type
        if outputs:
            return next(iter(outputs.values())).type
        raise CollageError(f"“{card.name}” puts nothing out.", about=card.name)
    definition = library.definition(card)
    if wire.output and wire.output in definition.outputs:
        return definition.outputs[wire.output].type
    return next(iter(definition.outputs.values())).type


def _check_output(library: Library, network: Network, wire: Wire) -> None:
    card = network.cards[wire.card]
    outputs = card.network.outputs if card.network is not None else library.definition(card).outputs
    if wire.output and wire.output not in outputs:
        raise CollageError(
            f"“{card.name}” has no output “{wire.output}”.",
            about=card.name,
            remedy=f"Choose one of {', '.join(f'“{name}”' for name in outputs)}.",
        )


def steps_between(library: Library, source: str, target: str) -> list[tuple[str, str]] | None:
    """Categories and types of the cards that turn one type into another; None if nothing does."""
    if source == target:
        return []
    if source in SHADERS or target in SHADERS:
        return None
    if library.get(f"ND_convert_{source}_{target}") is not None:
        return [("convert", target)]
    if target == "float":
        if source in _COLOURS:
            return [("luminance", source), ("extract", "float")]
        if source in _MANY:
            return [("extract", "float")]
    if target == "integer" and source == "float":
        return [("floor", "integer")]
    return None


def fits(library: Library, source: str, target: str) -> bool:
    """Whether a wire of one type can end at an input of another."""
    return steps_between(library, source, target) is not None


def offered(library: Library, source: str, target: str) -> bool:
    """Whether an output of one type is offered to a channel of another: a vector makes no opacity or roughness."""
    return fits(library, source, target) and not (source.startswith("vector") and target in ("float", "integer"))


def told(card: Card) -> str:
    """A word for what a conversion card does, to stand on its wire."""
    if card.category == "luminance":
        return "grey"
    if card.category == "extract":
        index = card.inputs.get("index")
        letters = "rgba" if "in" in card.inputs and card.inputs["in"].type in _COLOURS else "xyzw"
        return letters[int(index.value)] if index is not None and isinstance(index.value, int) else letters[0]
    return {"floor": "whole"}.get(card.category, "as " + TYPE_WORDS.get(card.type, card.type))


def join(library: Library, network: Network, source: Wire, card: str, name: str, target: str) -> Network:
    """Wires an output to an input, with cards in between where the types differ.

    Raises CollageError where nothing turns the one into the other, the output is not there, or a loop would close.
    """
    _check_output(library, network, source)
    kind = output_type(library, network, source)
    steps = steps_between(library, kind, target)
    if steps is None:
        raise CollageError(
            f"“{TYPE_WORDS.get(kind, kind)}” does not fit “{TYPE_WORDS.get(target, target)}”.",
            about=card,
            remedy="Wire it to another input.",
        )
    x, y = network.cards[source.card].position
    for category, type_name in steps:
        fresh = network.free_name(f"{category}_{source.card}")
        definition = next(
            (one for one in library.of_category(category) if one.type == type_name and one.inputs["in"].type == kind),
            None,
        )
        attributes = {CONVERT: "true", "xpos": f"{x + 0.6:.4f}", "ypos": f"{y:.4f}"}
        if definition is not None:
            attributes["nodedef"] = definition.name
        new = Card(fresh, category, type_name, {"in": Input("in", kind, None, source)}, attributes)
        network = add_card(network, new)
        source, kind = Wire(fresh), type_name
    return connect(network, source, card, name, target)


def origin(network: Network, wire: Wire) -> tuple[Wire, list[Card]]:
    """The wire's real source behind conversion cards, and those cards, nearest to the source first."""
    between: list[Card] = []
    while True:
        card = network.cards.get(wire.card)
        if card is None or card.attributes.get(CONVERT) != "true" or "in" not in card.inputs:
            return wire, between[::-1]
        before = card.inputs["in"].wire
        if before is None:
            return wire, between[::-1]
        between.append(card)
        wire = before


def ways(card: Card) -> list[tuple[str, str]]:
    """The other ways that a conversion could go, as (way, label): a channel, or all of them weighted."""
    if card.category == "luminance":
        return [("weights", "All, as the eye weighs them"), ("0", "Red"), ("1", "Green"), ("2", "Blue")]
    if card.category == "extract":
        names = {"color3": ("Red", "Green", "Blue"), "color4": ("Red", "Green", "Blue", "Alpha")}
        kind = card.inputs["in"].type
        channels = names.get(kind, ("X", "Y", "Z", "W")[: int(kind[-1])] if kind[-1:].isdigit() else ())
        found = [(str(number), label) for number, label in enumerate(channels)]
        return [("weights", "All, as the eye weighs them"), *found] if kind in _COLOURS else found
    return []


def go_way(library: Library, network: Network, user: str, name: str, way: str) -> Network:
    """The wire that ends at an input, converted another way. Raises CollageError if it does not convert.

    way : "weights" for the luminance of a colour, or the number of a channel.
    """
    one = network.cards[user].inputs[name]
    if one.wire is None:
        raise CollageError("There is no wire any more.", about=user)
    source, between = origin(network, one.wire)
    if not between:
        raise CollageError("This wire converts nothing.", about=user)
    kind = output_type(library, network, source)
    network = disconnect(network, user, name)
    if way == "weights":
        return join(library, network, source, user, name, one.type)
    x, y = network.cards[source.card].position
    fresh = network.free_name(f"extract_{source.card}")
    inputs = {"in": Input("in", kind, None, source), "index": Input("index", "integer", int(way))}
    attributes = {CONVERT: "true", "xpos": f"{x + 0.6:.4f}", "ypos": f"{y:.4f}"}
    network = add_card(network, Card(fresh, "extract", "float", inputs, attributes))
    return join(library, network, Wire(fresh), user, name, one.type)


def weigh(network: Network, card: str, weights: tuple[float, float, float]) -> Network:
    """Gives the luminance of a conversion other weights."""
    one = network.cards[card]
    return network.with_card(one.with_input(Input("lumacoeffs", "color3", weights)))
