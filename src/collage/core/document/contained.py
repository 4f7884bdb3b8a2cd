"""Documents of many materials: what they offer, and one of them with just the cards that it needs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from collage.core.document.model import Card, Element, Network

_ASSIGNING = {"look", "lookgroup", "collection", "geominfo", "variantset"}
"""Elements that speak of other scenes' objects."""


@dataclass(frozen=True)
class Contained:
    """A material that a document offers.

    card : of the material, or of a surface that no material shows. folder : where the document files it, as words.
    """

    card: str
    title: str
    folder: str = ""

    @property
    def words(self) -> str:
        """What a search looks at."""
        return f"{self.title} {self.folder}".lower()


def is_document(path: Path) -> bool:
    """Whether a file is a MaterialX document by its name."""
    return path.suffix.lower() == ".mtlx"


def contained(network: Network) -> list[Contained]:
    """The materials of a document, in its order; surfaces where nothing shows them count as one each."""
    cards = network.cards.values()
    materials = [card for card in cards if card.category == "surfacematerial" and _shows(network, card)]
    used = {name for card in materials for name in network.upstream(card.name)}
    fed = {wire.card for _, _, wire in network.wires()}
    surfaces = [card for card in cards if card.type == "surfaceshader" and card.name not in used | fed]
    return [_described(network, card) for card in (*materials, *surfaces)]


def taken(network: Network, card: str) -> Network:
    """The document with one material alone, its material card first, and the definitions that it uses.

    card : as in Contained. What other materials use too is in the new document as well.
    """
    names: set[str] = set()
    for one in _line(network, network.cards[card]):
        names |= network.upstream(one.name)
    names |= _graphs_of_definitions(network, names)
    cards = {name: one for name, one in network.cards.items() if name in names}
    used = _categories(network, names)
    kept = tuple(one for one in network.kept if _goes_along(one, used))
    return replace(network, cards={card: cards.pop(card), **cards}, kept=kept)


def _shows(network: Network, material: Card) -> bool:
    return any(one.wire is not None for card in _line(network, material) for one in card.inputs.values())


def _line(network: Network, material: Card) -> Iterator[Card]:
    """A material and those that it inherits from."""
    seen: set[str] = set()
    found: Card | None = material
    while found is not None and found.name not in seen:
        seen.add(found.name)
        yield found
        found = network.cards.get(found.attributes.get("inherit", ""))


def _described(network: Network, card: Card) -> Contained:
    folder = card.attributes.get("uifolder", "")
    for name in network.upstream(card.name):
        surface = network.cards[name]
        if not folder and surface.type == "surfaceshader":
            folder = surface.attributes.get("uifolder", "")
    return Contained(card.name, card.title or card.name, folder.replace("/", " "))


# ---- definitions ----------------------------------------------------------------------------------


def _categories(network: Network, names: set[str]) -> set[str]:
    """The categories of cards, and of all cards in groups among them."""
    found: set[str] = set()
    for name in names:
        card = network.cards[name]
        found.add(card.category)
        if card.network is not None:
            found |= _categories(card.network, set(card.network.cards))
    return found


def _graphs_of_definitions(network: Network, names: set[str]) -> set[str]:
    """The graphs of the document's own definitions that some cards use, near and far."""
    nodes = {one.name: one.attributes.get("node", "") for one in network.kept if one.category == "nodedef"}
    graphs = {
        name: nodes.get(card.attributes.get("nodedef", ""), "")
        for name, card in network.cards.items()
        if card.network is not None
    }
    for one in network.kept:  # or the two are joined by an element of their own
        if one.category == "implementation" and one.attributes.get("nodegraph") in graphs:
            graphs[one.attributes["nodegraph"]] = nodes.get(one.attributes.get("nodedef", ""), "")
    found: set[str] = set()
    while True:
        used = _categories(network, names | found)
        more = {name for name, node in graphs.items() if node and node in used} - found
        if not more:
            return found
        found |= more


def _goes_along(one: Element, used: set[str]) -> bool:
    """Whether an element that is no card belongs to the material: definitions only where a card uses them."""
    if one.category == "nodedef":
        return one.attributes.get("node", "") in used
    return one.category not in _ASSIGNING
