"""One mask for several inputs of a surface: where it is, each has another value; taken away again without a trace.

Each input gets a Mix between what it had and what it gets there. The mixes name the mask's card, so that they are found
again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from collage.core.base.errors import CollageError
from collage.core.document.edits import led_past
from collage.core.document.making import card, given
from collage.core.document.materials import surface_card
from collage.core.document.model import Card, Input, Network, Value, Wire
from collage.core.nodes.library import Library, tabs_of

MASKED_BY = "clg_masked_by"
"""The attribute of a mix that holds the name of the mask's card."""

CHANNEL = "clg_channel"
"""The attribute that holds the input of the surface which it is for."""

WAS_DEFAULT = "clg_was_default"
"""Marks a mix whose input of the surface had been given nothing."""

NORMALS = ("geometry_normal", "geometry_coat_normal")
BUMP = "bump"  # what raises a normal instead of mixing it


TITLES = {"specular_roughness": "Roughness", "base_metalness": "Metalness", "coat_weight": "Coat"}


def title_of(channel: str) -> str:
    """What the mix of an input is called on the board."""
    words = channel.removeprefix("geometry_").replace("color", "colour").replace("_", " ")
    return TITLES.get(channel, words[:1].upper() + words[1:])


def _surface(network: Network) -> Card:
    found = surface_card(network)
    if found is None:
        raise CollageError("The material has no surface.", remedy="Wire a surface to it first.")
    return found


def _before(library: Library, surface: Card, channel: str) -> Input:
    """What a surface's input has, or the definition's default. Raises CollageError for one that it has not."""
    tab = tabs_of(library, surface).get(channel)
    if tab is None:
        raise CollageError(f"The surface has no input “{channel}”.", about=surface.name)
    have = surface.inputs.get(channel)
    return have if have is not None else Input(channel, tab.type, tab.default)


def with_mask(
    library: Library, network: Network, mask: Wire, values: Mapping[str, Value | Wire], place: tuple[float, float]
) -> Network:
    """The network with inputs of its surface that have other values where a mask is. Raises CollageError.

    mask : a float. values : by input of the surface. place : where on the board the mixes lie, each below the last.
    """
    for number, (channel, value) in enumerate(values.items()):
        surface = _surface(network)
        before, at = _before(library, surface, channel), (place[0], place[1] + 0.9 * number)
        name = network.free_name(f"{channel.rpartition('_')[2]}_where")
        made = card(name, "mix", before.type, at, title_of(channel), mix=("float", mask), fg=(before.type, value))
        if channel not in surface.inputs:
            made = made.with_attribute(WAS_DEFAULT, "true")
        if channel in surface.inputs or channel not in NORMALS:
            made = made.with_input(replace(before, name="bg"))
        else:
            normal = card(network.free_name("own_normal"), "normal", "vector3", (at[0] - 0.9, at[1] + 0.4), "",
                          space=("string", "world"))  # fmt: skip
            network = network.with_card(_marked(normal, mask, channel))
            made = made.with_input(given("bg", "vector3", Wire(normal.name)))
        network = network.with_card(_marked(made, mask, channel))
        network = network.with_card(surface.with_input(given(channel, before.type, Wire(name))))
    return network


def with_maps(
    library: Library, network: Network, mask: Wire, maps: Mapping[str, tuple[str, str]], place: tuple[float, float]
) -> tuple[Network, dict[str, str]]:
    """The network with a card for each map that an input of the surface is to have where a mask is.

    maps : by input of the surface, a file as the material names it, and what it is called on the board. place : of the
    first; each lies below the last. Returns the names of the cards by input too. Raises CollageError.
    """
    names: dict[str, str] = {}
    for number, (channel, (file, title)) in enumerate(maps.items()):
        kind = _before(library, _surface(network), channel).type
        name = names[channel] = network.free_name(f"{channel.rpartition('_')[2]}_map")
        made = card(name, "image", kind, (place[0], place[1] + 0.9 * number), title, file=("filename", file))
        made = made.with_attribute("nodedef", f"ND_image_{kind}")
        network = network.with_card(_marked(made, mask, channel))
    return network, names


def with_bump(network: Network, mask: Wire, height: Wire, scale: float, place: tuple[float, float]) -> Network:
    """The network with a height on top of the relief that its surface has, as far as a mask is there.

    The mask makes it weaker, and no slope of its own. scale : of the bump, see nodes.adding.BUMP_UNITS.
    """
    surface, channel = _surface(network), "geometry_normal"
    before = surface.inputs.get(channel)
    strong = card(network.free_name("relief_strength"), "multiply", "float", (place[0] - 0.9, place[1]), "Strength",
                  in1=("float", mask), in2=("float", scale))  # fmt: skip
    network = network.with_card(_marked(strong, mask, channel))
    name = network.free_name("relief_where")
    made = card(name, BUMP, "vector3", place, "Relief", height=("float", height), scale=("float", Wire(strong.name)))
    if before is not None and before.wire is not None:
        made = made.with_input(replace(before, name="normal"))
    network = network.with_card(_marked(made, mask, channel))
    return network.with_card(surface.with_input(given(channel, "vector3", Wire(name))))


GRAIN = 60.0  # of the noise that breaks a mask, per metre


def broken(network: Network, mask: str, place: tuple[float, float]) -> tuple[Network, str]:
    """The network with a mask's edge broken by noise on the object, for all that it is wired to; and the name of the
    card that does so. place : where on the board it lies."""
    x, y = place
    where, fine, noise = (network.free_name(name) for name in ("grain_place", "grain_fine", "grain"))
    cards = [
        card(where, "position", "vector3", (x - 2.85, y + 1.0), "", space=("string", "object")),
        card(fine, "multiply", "vector3", (x - 1.9, y + 1.0), "", in1=("vector3", Wire(where)), in2=("float", GRAIN)),
        card(noise, "fractal3d", "float", (x - 0.95, y + 1.0), "Grain", amplitude=("float", 0.7),
             octaves=("integer", 4), position=("vector3", Wire(fine))),
    ]  # fmt: skip
    raised, name = network.free_name("grain_raised"), network.free_name("broken")
    cards.append(card(raised, "add", "float", (x - 0.95, y + 1.9), "", in1=("float", Wire(noise)), in2=("float", 0.5)))
    after = led_past(network, mask, Wire(name))
    for one in cards:
        after = after.with_card(one)
    made = card(name, "clg_break_mask", "float", place, "Broken", pattern=("float", Wire(raised)))
    return after.with_card(made.with_input(given("in", "float", Wire(mask)))), name


def _marked(made: Card, mask: Wire, channel: str) -> Card:
    return made.with_attribute(MASKED_BY, mask.card).with_attribute(CHANNEL, channel)


def masked_inputs(network: Network, mask: str) -> dict[str, str]:
    """The inputs of the surface that a mask's card decides, each with the card that does so."""
    return {network.cards[name].attributes[CHANNEL]: name for name in _mixes(network, mask)}


def _mixes(network: Network, mask: str) -> list[str]:
    """The mixes and bumps of a mask's card."""
    return [
        one.name
        for one in network.cards.values()
        if one.attributes.get(MASKED_BY) == mask and one.category in ("mix", BUMP)
    ]


def without_mask(network: Network, mask: str) -> Network:
    """The network as it was before the mask was used: its mixes are gone, and inputs have what they had."""
    for name in _mixes(network, mask):
        network = _led_back(network, network.cards[name])
    helpers = {name for name, one in network.cards.items() if one.attributes.get(MASKED_BY) == mask}
    return network.without_cards(helpers)


def _led_back(network: Network, made: Card) -> Network:
    """The network without a mix or bump, what it was given in its place."""
    back = made.inputs.get("normal" if made.category == BUMP else "bg")
    default = back is None or WAS_DEFAULT in made.attributes
    for user, name, _ in network.consumers(made.name):
        card_of = network.cards[user]
        mixed = MASKED_BY in card_of.attributes
        if mixed and default:
            card_of = card_of.with_attribute(WAS_DEFAULT, "true")
        if back is None or (default and not mixed):
            network = network.with_card(card_of.without_input(name))
        else:
            network = network.with_card(card_of.with_input(replace(back, name=name)))
    return network.without_cards({made.name})
