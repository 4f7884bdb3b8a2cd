"""A material without some of its relief, to look at it before and after."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from collage.core.base.errors import CollageError
from collage.core.document.materials import DISPLACEMENT, material_card
from collage.core.document.model import Input, Network

NORMAL_MAPS, BUMP, DISPLACED = "normal maps", "bump", "displacement"
KINDS = (NORMAL_MAPS, BUMP, DISPLACED)
_FLAT = {NORMAL_MAPS: ("normalmap",), BUMP: ("bump", "heighttonormal")}
"""By kind, the categories of cards that do nothing at a scale of 0."""


def without_relief(network: Network, kinds: Collection[str]) -> Network:
    """A material in which some KINDS of relief, in groups too, do nothing. Raises CollageError for an unknown kind."""
    for kind in kinds:
        if kind not in KINDS:
            raise CollageError(f"There is no relief “{kind}”.", remedy=f"Use {', '.join(KINDS)}.")
    flat = {category for kind in kinds for category in _FLAT.get(kind, ())}
    found = _flattened(network, flat)
    material = material_card(found) if DISPLACED in kinds else None
    if material is not None and DISPLACEMENT in material.inputs:
        inputs = {name: one for name, one in material.inputs.items() if name != DISPLACEMENT}
        found = found.with_card(replace(material, inputs=inputs))
    return found


def _flattened(network: Network, categories: set[str]) -> Network:
    for card in network.cards.values():
        if card.network is not None:
            inner = _flattened(card.network, categories)
            if inner is not card.network:
                network = network.with_card(replace(card, network=inner))
        elif card.category in categories:
            kind = card.inputs["scale"].type if "scale" in card.inputs else "float"
            value = 0.0 if kind == "float" else (0.0, 0.0)
            network = network.with_card(card.with_input(Input("scale", kind, value)))
    return network
