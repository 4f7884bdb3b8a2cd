"""Cards as text: what is copied is a MaterialX document, which any program that reads the standard can take."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from collage.core.base.errors import CollageError
from collage.core.document.edits import move_cards
from collage.core.document.materialx import parse_document, write_document
from collage.core.document.model import Card, Input, Network


def copied(network: Network, names: Iterable[str]) -> str:
    """The cards as text, with the wires between them; helpers that feed them come along."""
    chosen = [name for name in names if name in network.cards]
    taken = set(chosen)
    waiting = list(chosen)
    while waiting:
        for one in network.cards[waiting.pop()].inputs.values():
            source = network.cards.get(one.wire.card) if one.wire is not None else None
            if source is not None and source.helper and source.name not in taken:
                taken.add(source.name)
                waiting.append(source.name)

    def kept(one: Input) -> Input:
        outside = one.wire is not None and one.wire.card not in taken
        return replace(one, wire=None if outside else one.wire, interface=None)

    cards = {
        name: replace(card, inputs={key: kept(one) for key, one in card.inputs.items()})
        for name, card in network.cards.items()
        if name in taken
    }
    return write_document(Network(cards, {}, {}, {"version": "1.39"}))


def pasted(network: Network, text: str, place: tuple[float, float] | None = None) -> tuple[Network, list[str]]:
    """The network with the cards of a text put in. Returns their new names too.

    place : where their top left corner comes to lie; beside where they were if left out.
    Raises CollageError for a text that is no MaterialX document, or one without cards.
    """
    document = parse_document(text.encode("utf-8"), about="the clipboard")
    cards = {name: card for name, card in document.cards.items() if card.category != "surfacematerial"}
    if not cards:
        raise CollageError("There are no cards on the clipboard.", remedy="Copy some cards first.")
    names: dict[str, str] = {}
    for name in cards:
        fresh = network.free_name(name)
        names[name] = fresh
        network = network.with_card(Card(fresh, "dot", "float"))  # keeps the name
    left = min(card.position[0] for card in cards.values())
    top = min(card.position[1] for card in cards.values())
    dx, dy = (place[0] - left, place[1] - top) if place is not None else (0.25, 0.25)
    for name, card in cards.items():
        inputs = {key: _renamed(one, names) for key, one in card.inputs.items()}
        x, y = card.position
        network = network.with_card(replace(card, name=names[name], inputs=inputs))
        network = move_cards(network, {names[name]: (x + dx, y + dy)})
    return network, list(names.values())


def _renamed(one: Input, names: dict[str, str]) -> Input:
    """The input wired to the new name of its card, or to nothing where that did not come along."""
    if one.wire is None or one.wire.card not in names:
        return replace(one, wire=None)
    return replace(one, wire=replace(one.wire, card=names[one.wire.card]))
