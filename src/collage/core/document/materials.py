"""A material as a document: which card is its surface, and how a new one begins."""

from __future__ import annotations

from collage.core.document.model import Card, Input, Network, Wire

SURFACE = "open_pbr_surface"


def surface_card(network: Network) -> Card | None:
    """The card of the surface that the document's material shows, or the first surface there is."""
    for card in network.cards.values():
        if card.category == "surfacematerial":
            found = _shader_of(network, card)
            if found is not None:
                return found
    for card in network.cards.values():
        if card.type == "surfaceshader":
            return card
    return None


def _shader_of(network: Network, material: Card | None) -> Card | None:
    """The surface that a material wires, or that the material wires which it inherits from."""
    seen: set[str] = set()
    while material is not None and material.name not in seen:
        seen.add(material.name)
        shader = material.inputs.get("surfaceshader")
        if shader is not None and shader.wire is not None and shader.wire.card in network.cards:
            return network.cards[shader.wire.card]
        material = network.cards.get(material.attributes.get("inherit", ""))
    return None


def hidden_on_board(network: Network) -> set[str]:
    """Cards that the board shows as channels instead: the material and its surface."""
    surface = surface_card(network)
    hidden = {card.name for card in network.cards.values() if card.category == "surfacematerial"}
    return hidden | ({surface.name} if surface is not None else set())


def new_material() -> Network:
    """A document with one plain surface."""
    surface = Card("surface", SURFACE, "surfaceshader")
    material = Card(
        "material",
        "surfacematerial",
        "material",
        {"surfaceshader": Input("surfaceshader", "surfaceshader", None, Wire("surface"))},
    )
    return Network({"surface": surface, "material": material}, {}, {}, {"version": "1.39"})
