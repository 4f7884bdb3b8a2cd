"""Things to look at that are no input of the surface: UVs and their stretch, a test pattern, occlusion, what belongs to
what.

Each is a colour that every material shows in the place of its own; its relief stays.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial

from collage.core.document.making import card, given
from collage.core.document.materials import new_material, surface_card
from collage.core.document.model import Card, Network, Wire
from collage.core.render.request import PictureRequest
from collage.core.render.uv_picture import CHECKS

UVS, PATTERN, STRETCH, OCCLUSION = "uvs", "test pattern", "stretch", "occlusion"
OBJECT_IDS, PART_IDS, MATERIAL_IDS = "object ids", "part ids", "material ids"
REACH = 0.1  # metres that something may be away to shade a place
RAYS = 64
STRETCHED = 3.0  # times as long one way as the other, what is shown as red
EVEN, TOO_MUCH = (0.6, 0.6, 0.6), (0.75, 0.03, 0.02)

Cards = tuple[Card, ...]


def checks(uv_set: str = "") -> Cards:
    """Fine and coarse checks on a UV set, the first one if left out; the last card puts them out."""
    sorts = (("fine", float(CHECKS), 0.42, 0.16), ("coarse", CHECKS / 4, 1.0, 0.7))
    return (
        card("look_uv", "geompropvalue", "vector2", (0, 0), geomprop=("string", uv_set)) if uv_set
        else card("look_uv", "texcoord", "vector2", (0, 0)),
        *(card(f"look_{name}", "checkerboard", "color3", (1, row), texcoord=("vector2", Wire("look_uv")),
               uvtiling=("vector2", (count, count)), color1=("color3", (light,) * 3), color2=("color3", (dark,) * 3))
          for row, (name, count, light, dark) in enumerate(sorts)),
        card("look", "multiply", "color3", (2, 0), in1=("color3", Wire("look_fine")),
             in2=("color3", Wire("look_coarse"))),
    )  # fmt: skip


def _from(one: Card, kind: str, source: str) -> Card:
    """A card with what it takes in by its input “in”."""
    return one.with_input(given("in", kind, Wire(source)))


def _uvs() -> Cards:
    """U as red and v as green, from 0 to 1 in every tile."""
    tile = card("look_tile", "modulo", "vector2", (1, 0), in1=("vector2", Wire("look_place")), in2=("vector2", (1, 1)))
    parts = (
        card(f"look_{name}", "extract", "float", (2, row), index=("integer", row)) for row, name in enumerate("uv")
    )
    return (
        card("look_place", "texcoord", "vector2", (0, 0)), tile,
        *(_from(one, "vector2", tile.name) for one in parts),
        card("look", "combine3", "color3", (3, 0), in1=("float", Wire("look_u")), in2=("float", Wire("look_v"))),
    )  # fmt: skip


def _stretch() -> Cards:
    """Grey where a direction is drawn as long as the others, red where it is drawn much longer."""
    much = card("look_much", "range", "float", (1, 0), inlow=("float", 1.0), inhigh=("float", STRETCHED),
                outlow=("float", 0.0), outhigh=("float", 1.0), doclamp=("boolean", True))  # fmt: skip
    return (
        card("look_stretch", "geompropvalue", "float", (0, 0), geomprop=("string", "clg_stretch")),
        _from(much, "float", "look_stretch"),
        card("look", "mix", "color3", (2, 0), bg=("color3", EVEN), fg=("color3", TOO_MUCH),
             mix=("float", Wire("look_much"))),
    )  # fmt: skip


def _occlusion() -> Cards:
    return (
        card("look_closed", "clg_occlusion", "float", (0, 0), reach=("float", REACH), falloff=("float", 0.0),
             samples=("integer", RAYS)),
        card("look_open", "subtract", "float", (1, 0), in1=("float", 1.0), in2=("float", Wire("look_closed"))),
        _from(card("look", "convert", "color3", (2, 0)), "float", "look_open"),
    )  # fmt: skip


def _numbered(number: Card) -> Cards:
    """A colour of its own for every number that a card puts out."""
    colour = card("look", "randomcolor", "color3", (1, 0), saturationlow=("float", 0.5), brightnesslow=("float", 0.4))
    return number, _from(colour, "float", number.name)


def _of(geomprop: str) -> Cards:
    return _numbered(card("look_number", "geompropvalue", "float", (0, 0), geomprop=("string", geomprop)))


_LOOKS: Mapping[str, Callable[[], Cards]] = {
    UVS: _uvs, PATTERN: checks, STRETCH: _stretch, OCCLUSION: _occlusion, OBJECT_IDS: partial(_of, "clg_object"),
    PART_IDS: partial(_of, "clg_part"),
}  # fmt: skip
LOOKS = (*_LOOKS, MATERIAL_IDS)
"""What can be looked at, beside the views of render.files."""


def looked_at(request: PictureRequest, what: str) -> PictureRequest:
    """The picture of one of LOOKS, in the place of a lit one; as it is for any other view."""
    if what not in LOOKS:
        return request
    names = sorted(request.materials)

    def cards(name: str) -> Cards:
        if what != MATERIAL_IDS:
            return _LOOKS[what]()
        return _numbered(card("look_number", "constant", "float", (0, 0), value=("float", float(names.index(name)))))

    materials = {name: showing_colour(one, cards(name)) for name, one in request.materials.items()}
    return replace(request, materials=materials, mode="base_color")


def showing_colour(network: Network, cards: Cards) -> Network:
    """A material with the colour that the last of some cards puts out as its base colour, and with its own relief."""
    surface = surface_card(network)
    if surface is None or surface.category != "open_pbr_surface":
        network = new_material()
        surface = network.cards["surface"]
    for one in cards:
        network = network.with_card(one)
    surface = surface.with_input(given("base_color", "color3", Wire(cards[-1].name)))
    return network.with_card(surface.with_input(given("base_weight", "float", 1.0)))
