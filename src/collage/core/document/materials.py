"""A material as a document: which card is its surface, and how a new one begins."""

from __future__ import annotations

from dataclasses import replace

from collage.core.document.model import Card, Input, Network, Wire

SURFACE = "open_pbr_surface"
DISPLACEMENT = "displacementshader"  # the input of a material that moves the surface


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


def material_card(network: Network) -> Card | None:
    """The card of the document's material; None where there is none."""
    return next((card for card in network.cards.values() if card.category == "surfacematerial"), None)


def has_displacement(network: Network) -> bool:
    """Whether the document's material moves the surface."""
    inputs = [card.inputs.get(DISPLACEMENT) for card in network.cards.values() if card.category == "surfacematerial"]
    return any(one is not None and one.wire is not None for one in inputs)


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


def prefixed(network: Network, folder: str) -> Network:
    """The document with its file names starting from a folder, past the prefix that it has."""
    prefix = f"{folder}/{network.attributes.get('fileprefix', '')}"
    return replace(network, attributes={**network.attributes, "fileprefix": prefix})


def showing(network: Network, surface: str) -> Network:
    """The document whose material shows the surface card named."""
    wire = Input("surfaceshader", "surfaceshader", None, Wire(surface))
    for card in network.cards.values():
        if card.category == "surfacematerial":
            return network.with_card(card.with_input(wire))
    name = network.free_name("material")
    return network.with_card(Card(name, "surfacematerial", "material", {"surfaceshader": wire}))


def blended(network: Network, place: tuple[float, float]) -> tuple[Network, str]:
    """The document with a second, plain surface over half of its own, and the new surface's name.

    place : where on the board the two surfaces come to lie, the new one below.
    """
    before = surface_card(network)
    if before is None:
        raise KeyError("a material without a surface")
    front, blend = network.free_name("surface"), network.free_name("surface_blend")
    wires = {
        side: Input(side, "surfaceshader", None, Wire(card)) for side, card in (("fg", front), ("bg", before.name))
    }
    x, y = place
    cards = (
        replace(before, attributes={**before.attributes, "xpos": f"{x:.4f}", "ypos": f"{y:.4f}"}),
        Card(front, SURFACE, "surfaceshader", {}, {"xpos": f"{x:.4f}", "ypos": f"{y + 1:.4f}"}),
        Card(blend, "mix", "surfaceshader", {**wires, "mix": Input("mix", "float", 0.5)}),
    )
    for card in cards:
        network = network.with_card(card)
    return showing(network, blend), front
