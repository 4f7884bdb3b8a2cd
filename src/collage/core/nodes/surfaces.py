"""Surfaces of other models, and mixes of surfaces, as one OpenPBR surface that the picture can draw.

The standard's translation graph is used where there is one (Standard Surface); glTF, USD and unlit surfaces go
through graphs of Collage's own, in collage_defs.mtlx. The surfaces of a mix are drawn each for itself, and their
light is mixed, as the standard says; where one value is asked for, their inputs are mixed.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from collage.core.base.errors import CollageError
from collage.core.document.materials import SURFACE, surface_card
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.document.types import CHANNELS
from collage.core.nodes.library import Library, NodeDef

OPEN_PBR = "ND_open_pbr_surface_surfaceshader"


@dataclass(frozen=True)
class _Translation:
    """The card that translates a model, and the inputs that are handed over as they are."""

    definition: str
    straight: Mapping[str, str]


_TRANSLATIONS = {
    "standard_surface": _Translation(
        "ND_standard_surface_to_open_pbr_surface",
        {"normal": "geometry_normal", "coat_normal": "geometry_coat_normal", "tangent": "geometry_tangent"},
    ),
    "gltf_pbr": _Translation(
        "ND_clg_gltf_pbr_to_open_pbr_surface",
        {"normal": "geometry_normal", "clearcoat_normal": "geometry_coat_normal"},
    ),
    "UsdPreviewSurface": _Translation("ND_clg_UsdPreviewSurface_to_open_pbr_surface", {}),
    "surface_unlit": _Translation("ND_clg_surface_unlit_to_open_pbr_surface", {}),
}

DRAWN_SURFACES = {SURFACE, *_TRANSLATIONS, "mix", "convert", "dot"}
"""Categories of surface shaders that the picture shows."""


@dataclass(frozen=True)
class Shown:
    """A network with OpenPBR surfaces that show what its material shows.

    surface : the card whose inputs are looked at; of a mix, all of its surfaces in one.
    layers : cards of the surfaces to draw, each with the card that gives its weight; one without, if nothing mixes.
    """

    network: Network
    surface: Card
    layers: tuple[tuple[Card, str | None], ...]


def as_open_pbr(library: Library, network: Network) -> Shown:
    """What a material shows.

    Raises CollageError for a material without a surface, or with one of a model that is not known.
    """
    card = surface_card(network)
    if card is None:
        raise CollageError("The material has no surface.", remedy="Start from a new material.")
    if card.category == SURFACE:
        return Shown(network, card, ((card, None),))
    turner = _Turner(library, network)

    def surface(inputs: dict[str, Input]) -> Card:
        return turner.add(Card("shown surface", SURFACE, "surfaceshader", inputs))

    whole = surface(turner.inputs(card, ()))
    layers = [(surface(inputs), weight) for inputs, weight in turner.layers(card, (), None)]
    shown = replace(network, cards={**network.cards, **turner.added})
    return Shown(shown, whole, tuple(layers) if len(layers) > 1 else ((whole, None),))


class _Turner:
    def __init__(self, library: Library, network: Network) -> None:
        self.library, self.network = library, network
        self.added: dict[str, Card] = {}

    def add(self, card: Card) -> Card:
        """Names start with a space, which no card of a document has."""
        named = replace(card, name=f" {len(self.added)} {card.name}")
        self.added[named.name] = named
        return named

    def inputs(self, card: Card, path: tuple[str, ...]) -> dict[str, Input]:
        """The OpenPBR inputs of a surface card that are not the standard's defaults."""
        if card.name in path:
            raise CollageError("The surface takes from itself in a circle.", about=card.name, remedy="Cut a wire.")
        path = (*path, card.name)
        if card.category == SURFACE:
            return dict(card.inputs)
        if card.category in _TRANSLATIONS:
            return self._translated(card, _TRANSLATIONS[card.category])
        if card.category == "mix" and card.type == "surfaceshader":
            return self._mixed(card, path)
        if card.category == "dot":
            return self._of_wire(card, "in", path)
        if card.category == "convert":
            return self._emitted(card)
        raise CollageError(
            f"“{card.category}” surfaces are not drawn; the material is shown as plain grey.",
            about=card.name,
            remedy="Use OpenPBR, Standard Surface, glTF, USD or unlit surfaces, or a mix of them.",
        )

    def layers(
        self, card: Card, path: tuple[str, ...], weight: str | None
    ) -> list[tuple[dict[str, Input], str | None]]:
        """The surfaces that a card mixes, each with the name of the card that gives its weight."""
        if card.category != "mix" or card.name in path:
            return [(self.inputs(card, path), weight)]
        amount = replace(self._amount(card), name="in2")
        rest = self.add(Card("rest", "subtract", "float", {"in1": Input("in1", "float", 1.0), "in2": amount}))
        shares = {"fg": amount, "bg": Input("in2", "float", None, Wire(rest.name))}
        found: list[tuple[dict[str, Input], str | None]] = []
        for side, share in shares.items():
            first = Input("in1", "float", None, Wire(weight)) if weight else Input("in1", "float", 1.0)
            own = self.add(Card("weight", "multiply", "float", {"in1": first, "in2": share}))
            wired = card.inputs.get(side)
            if wired is None or wired.wire is None or wired.wire.card not in self.network.cards:
                found.append(({}, own.name))
            else:
                found += self.layers(self.network.cards[wired.wire.card], (*path, card.name), own.name)
        return found

    @staticmethod
    def _amount(card: Card) -> Input:
        return card.inputs.get("mix") or Input("mix", "float", 0.0)

    def _of_wire(self, card: Card, name: str, path: tuple[str, ...]) -> dict[str, Input]:
        """The inputs of the surface that an input takes in; an unwired one is the plain surface."""
        one = card.inputs.get(name)
        if one is None or one.wire is None or one.wire.card not in self.network.cards:
            return {}
        return self.inputs(self.network.cards[one.wire.card], path)

    def _translated(self, card: Card, translation: _Translation) -> dict[str, Input]:
        own, definition = self.library.definition(card), self.library[translation.definition]
        given = {name: self._given(card, own, name) for name in definition.inputs if name in own.inputs}
        turned = self.add(
            Card(card.name, definition.category, "multioutput", given, {**card.attributes, "nodedef": definition.name})
        )
        surface = self.library[OPEN_PBR]
        found = {}
        for name, out in definition.outputs.items():
            tab = surface.inputs.get(name.removesuffix("_out"))
            if tab is not None and tab.type == out.type:
                found[tab.name] = Input(tab.name, tab.type, None, Wire(turned.name, name))
        for name, other in translation.straight.items():
            if name in card.inputs:
                found[other] = replace(card.inputs[name], name=other)
        return found

    @staticmethod
    def _given(card: Card, definition: NodeDef, name: str) -> Input:
        """What the surface has in an input: its own value or wire, or its model's default."""
        tab = definition.inputs[name]
        return card.inputs.get(name) or Input(name, tab.type, None if tab.geometry else tab.default)

    def _mixed(self, card: Card, path: tuple[str, ...]) -> dict[str, Input]:
        front, back = self._of_wire(card, "fg", path), self._of_wire(card, "bg", path)
        amount = self._amount(card)
        found: dict[str, Input] = {}
        for name in {**back, **front}:
            tab = self.library[OPEN_PBR].inputs.get(name)
            if tab is None:
                continue
            if tab.type not in CHANNELS or tab.type == "boolean":
                found[name] = (back or front).get(name) or front[name]
                continue
            sides = {
                side: replace(one.get(name) or self._plain(name), name=side)
                for side, one in (("fg", front), ("bg", back))
            }
            mixed = self.add(Card(name, "mix", tab.type, {**sides, "mix": replace(amount, name="mix")}))
            found[name] = Input(name, tab.type, None, Wire(mixed.name))
        return found

    def _plain(self, name: str) -> Input:
        """The default of an OpenPBR input as something that can be wired."""
        tab = self.library[OPEN_PBR].inputs[name]
        if not tab.geometry:
            return Input(name, tab.type, tab.default)
        kind = "tangent" if "tangent" in name else "normal"
        own = self.add(Card(name, kind, "vector3", {"space": Input("space", "string", "world")}))
        return Input(name, tab.type, None, Wire(own.name))

    def _emitted(self, card: Card) -> dict[str, Input]:
        """A number or colour as a surface shines with it."""
        one = card.inputs.get("in")
        if one is None:
            return self._translated(Card(card.name, "surface_unlit", "surfaceshader"), _TRANSLATIONS["surface_unlit"])
        colour = replace(one, name="emission_color")
        if one.type != "color3":
            turned = self.add(Card(card.name, "convert", "color3", {"in": one}))
            colour = Input("emission_color", "color3", None, Wire(turned.name))
        unlit = Card(card.name, "surface_unlit", "surfaceshader", {"emission_color": colour})
        return self._translated(unlit, _TRANSLATIONS["surface_unlit"])
