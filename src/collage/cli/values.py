"""What words on the command line mean: cards, inputs, values, kinds."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.document.model import Card, Network, Value
    from collage.core.nodes.library import Library, NodeDef, TabDef


def card_of(network: Network, name: str) -> Card:
    """A card by its name. Raises CollageError."""
    if name not in network.cards:
        raise CollageError(f"There is no card “{name}”.", remedy="See `collage cards list`.")
    return network.cards[name]


def tab_of(library: Library, card: Card, name: str) -> TabDef:
    """An input of a card by its name. Raises CollageError."""
    from collage.core.nodes.library import tabs_of

    tabs = tabs_of(library, card)
    if name not in tabs:
        raise CollageError(f"“{card.name}” has no input “{name}”.", remedy=f"Choose one of {', '.join(tabs)}.")
    return tabs[name]


def parsed_value(name: str, kind: str, text: str) -> Value:
    """A value as a document writes it; a colour as sRGB hex too, and one number for all channels."""
    from collage.core.document.types import CHANNELS, parse
    from collage.core.images.colour import srgb_to_linear

    count = CHANNELS.get(kind, 1)
    try:
        if kind.startswith("color") and text.startswith("#") and len(text) == 7:
            encoded = np.array([int(text[at : at + 2], 16) / 255 for at in (1, 3, 5)])
            return (*(round(float(part), 6) for part in srgb_to_linear(encoded)), *[1.0] * (count - 3))
        if count > 1 and "," not in text:
            text = ",".join([text] * count)
        value = parse(kind, text)
    except ValueError as error:
        raise CollageError(f"“{name}” cannot be “{text}”: {error}.", remedy="Write numbers with commas.") from error
    if value is None:
        raise CollageError(f"“{name}” has no value of its own.", remedy="Wire a card to it.")
    return value


def definition_of(library: Library, kind: str, type_name: str) -> NodeDef:
    """A kind of card by its definition, its standard category or its label."""
    from collage.core.nodes.labels import offers

    exact = library.get(kind)
    if exact is not None:
        return exact
    plain = offers(library)
    found = [one.definition for one in plain if one.definition.category == kind] + list(library.of_category(kind))
    found = found or [one.definition for one in plain if one.label.lower() == kind.lower()]
    if type_name:
        found = [one for one in found if one.type == type_name]
    if not found:
        what = f"{kind}, {type_name}" if type_name else kind
        raise CollageError(f"There is no kind of card “{what}”.", remedy="See `collage nodes`.")
    return found[0]
