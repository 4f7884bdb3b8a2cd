"""From a map set to cards: one group of standard cards with one placement, wired to the surface."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from collage.core.document.making import Given, card, given
from collage.core.document.materials import new_material, surface_card
from collage.core.document.model import MAP_SET, Card, Input, Network, Output, Wire
from collage.core.gather.layouts import READERS, Layout, MapFile, Reader
from collage.core.gather.normal_axes import GREEN_DOWN, Mended, green_switch
from collage.core.gather.sets import FoundMap, FoundSet
from collage.core.gather.words import COLOURS, Role
from collage.core.images.tiles import pattern_of
from collage.core.nodes.adding import BUMP_UNITS

Relief = Literal["auto", "none", "bump", "displacement"]
RELIEFS: tuple[Relief, ...] = ("auto", "none", "bump", "displacement")

OUTPUTS: dict[Role, str] = {
    "base_color": "base_color",
    "specular_roughness": "roughness",
    "gloss": "roughness",
    "base_metalness": "metalness",
    "specular_color": "specular_color",
    "normal": "normal",
    "height": "height",
    "occlusion": "occlusion",
    "opacity": "opacity",
    "emission_color": "emission",
}
"""What a map set puts out for each role; a gloss map comes out as roughness."""

CHANNELS: dict[str, tuple[str, str]] = {
    "base_color": ("base_color", "color3"),
    "roughness": ("specular_roughness", "float"),
    "metalness": ("base_metalness", "float"),
    "specular_color": ("specular_color", "color3"),
    "opacity": ("geometry_opacity", "float"),
    "emission": ("emission_color", "color3"),
}
"""Which channel of the surface takes an output as it is."""

GLOW = 1000.0  # nits of an emission map: bright beside a lit surface, not blinding


@dataclass(frozen=True)
class BuildOptions:
    """occlusion : multiplied into the base colour. relief : what the height map does; by itself it is bump where
    there is no normal map, and nothing where there is one. repeats : tiles along the UV square. span : metres that the
    UV square goes along u and v on the object; tiles are as wide as the set says then, and repeats do not count."""

    occlusion: bool = True
    relief: Relief = "auto"
    layout: Layout = "uv"
    repeats: float = 1.0
    span: tuple[float, float] | None = None

    def tile(self, found: FoundSet) -> tuple[float, float]:
        """The size of a set's tile, in shares of the UV square; in metres where there is no UV square.

        As wide as the set says and as high as its picture is then, where the object is known.
        """
        if self.layout == "triplanar":
            return found.metres / self.repeats, found.metres / self.repeats
        if self.span is None:
            return 1 / self.repeats, 1 / self.repeats
        width, height = next((one.size for one in found.maps if one.used and min(one.size) > 0), (1, 1))
        return round(found.metres / self.span[0], 6), round(found.metres * height / width / self.span[1], 6)


Stored = Callable[[str], str]
"""From a file as the set names it to the name that the material keeps."""


def same(file: str) -> str:
    return file


# ---- the card of a map set ----------------------------------------------------------------------


class _Maker:
    """Puts the cards of a map set together, row by row."""

    def __init__(self, stored: Stored, layout: Layout) -> None:
        self.stored = stored
        self.cards: dict[str, Card] = {}
        self.outputs: dict[str, Output] = {}
        self.row = 0.0
        self.reader: Reader = READERS[layout](self.put)
        self.inputs = dict(self.reader.inputs)

    def put(self, one: Card) -> Wire:
        """Takes a card in; one whose name is there already gets a number."""
        name, number = one.name, 2
        while name in self.cards:
            name, number = f"{one.name}{number}", number + 1
        self.cards[name] = replace(one, name=name)
        return Wire(name)

    def out(self, name: str, kind: str, wire: Wire) -> None:
        self.outputs.setdefault(name, Output(name, kind, wire))

    def file_of(self, one: FoundMap, name: str, kind: str, title: str) -> MapFile:
        """A map as it is to be read."""
        stored = self.stored(one.files[0])
        file = stored if not one.tiles else pattern_of(stored, one.tiles[0])
        space = {"colorspace": one.colorspace} if one.colorspace not in ("", "raw", "lin_rec709") else {}
        self.row += 1
        return MapFile(name, kind, title, Input("file", "filename", file, attributes=space), self.row - 1)

    def add(self, one: FoundMap) -> None:
        if one.channels:
            self._add_packed(one)
        else:
            self._add_plain(one)

    def _add_plain(self, one: FoundMap) -> None:
        if one.role not in OUTPUTS:
            return
        kind = "color3" if one.role in COLOURS else "vector3" if one.role == "normal" else "float"
        name = f"{'gloss' if one.role == 'gloss' else OUTPUTS[one.role]}_map"
        file = self.file_of(one, name, kind, one.label)
        if one.role == "normal":
            self._normal(one, file)
        else:
            self._role(one.role, self.reader.value(file))

    def _add_packed(self, one: FoundMap) -> None:
        """One image, and a card for each channel that means something."""
        colour = any(role in COLOURS for _, role in one.channels)
        wide = any(name == "a" for name, _ in one.channels)
        kind = ("color" if colour else "vector") + ("4" if wide else "3")
        first = self.row
        name = f"packed_map{'' if 'packed_map' not in self.cards else len(self.cards)}"
        file = self.file_of(one, name, kind, "Packed" if one.role == "packed" else one.label)
        for at, (channel, role) in enumerate(one.channels):
            if role not in OUTPUTS or OUTPUTS[role] in self.outputs:
                continue
            self.row = first + at
            if role == "normal" and channel == "rgb":
                self._normal(one, file)
                continue
            source = self.reader.value(file)
            wire = self._rgb(source, kind, role) if channel == "rgb" else self._channel(source, kind, channel, role)
            self._role(role, wire)
        self.row = first + max(len(one.channels), 1)

    def _channel(self, source: Wire, kind: str, channel: str, role: Role) -> Wire:
        inputs: dict[str, Given] = {"in": (kind, source), "index": ("integer", "rgba".index(channel))}
        title = f"{ {'r': 'Red', 'g': 'Green', 'b': 'Blue', 'a': 'Alpha'}[channel] }"
        return self.put(card(f"{OUTPUTS[role]}_channel", "extract", "float", (2.5, self.row), title, **inputs))

    def _rgb(self, source: Wire, kind: str, role: Role) -> Wire:
        if kind.endswith("3"):
            return source
        three = kind[:-1] + "3"
        inputs: dict[str, Given] = {"in": (kind, source)}
        return self.put(card(f"{OUTPUTS[role]}_part", "convert", three, (2.5, self.row), "Without alpha", **inputs))

    def _role(self, role: Role, wire: Wire) -> None:
        """Puts a map out; gloss as roughness."""
        if role == "gloss":
            place = (3.5, self.row - 1)
            wire = self.put(
                card("turned_gloss", "invert", "float", place, "Gloss to roughness", **{"in": ("float", wire)})
            )
        self.out(OUTPUTS[role], "color3" if role in COLOURS else "float", wire)

    def _normal(self, one: FoundMap, file: MapFile) -> None:
        """Puts a normal map out, its axes right, and turned along with the placement."""
        self.inputs[GREEN_DOWN] = green_switch(one.green == "down")
        mended = Mended(self.put, file.kind, one.axes, (3.5, self.row - 1))
        self.out(OUTPUTS["normal"], "vector3", self.reader.normal(file, mended))


def map_set(
    found: FoundSet,
    name: str,
    place: tuple[float, float] = (0.0, 0.0),
    *,
    stored: Stored = same,
    options: BuildOptions | None = None,
    title: str = "",
) -> Card:
    """The card of a map set: image cards that share one placement, as a group of standard cards.

    stored : what the material calls a file.
    """
    options = options or BuildOptions()
    maker = _Maker(stored, options.layout)
    for one in sorted((one for one in found.maps if one.used), key=lambda one: bool(one.channels)):
        maker.add(one)
    turn = {"uiname": "Rotation", "uisoftmin": "-180", "uisoftmax": "180"}
    real = options.layout == "triplanar"  # which has no UV square
    inputs = {
        "scale": Input(
            "scale",
            "vector2",
            options.tile(found),
            attributes={"uiname": "Tile size (m)" if real else "Tile size"},
        ),
        "rotate": Input("rotate", "float", 0.0, attributes=turn),
        "offset": Input("offset", "vector2", (0.0, 0.0), attributes={"uiname": "Offset"}),
        **maker.inputs,
    }
    attributes = {"xpos": f"{place[0]:g}", "ypos": f"{place[1]:g}", "uiname": title or found.title, MAP_SET: "true"}
    return Card(name, "nodegraph", "multioutput", inputs, attributes, Network(maker.cards, {}, maker.outputs))


# ---- the material -------------------------------------------------------------------------------


def build_material(found: FoundSet, options: BuildOptions | None = None, stored: Stored = same) -> Network:
    """A material of a set: the set's card wired to a surface."""
    return with_set(new_material(), found, options, stored)[0]


def with_set(
    network: Network,
    found: FoundSet,
    options: BuildOptions | None = None,
    stored: Stored = same,
    place: tuple[float, float] = (0.0, 0.0),
) -> tuple[Network, str]:
    """A document with a set's card put in, wired to every channel of the surface that has no wire yet.

    Returns the document and the name of the set's card. place : where on the board the set's card lies.
    """
    options = options or BuildOptions()
    name = network.free_name(_name(found.name))
    made = map_set(found, name, place, stored=stored, options=options)
    network = network.with_card(made)
    surface = surface_card(network)
    if surface is None or made.network is None:
        return network, name
    wiring = _Wiring(network, surface, made, found, options, place)
    return wiring.wired(), name


class _Wiring:
    """The cards between a set and the surface."""

    def __init__(
        self, network: Network, surface: Card, made: Card, found: FoundSet, options: BuildOptions,
        place: tuple[float, float],
    ) -> None:  # fmt: skip
        assert made.network is not None
        self.network, self.surface, self.made, self.found, self.options = network, surface, made, found, options
        self.outputs, (self.x, self.y) = made.network.outputs, place

    def wired(self) -> Network:
        for output, (channel, kind) in CHANNELS.items():
            if output in self.outputs:
                wire = Wire(self.made.name, output)
                self._channel(channel, kind, self._shaded(wire) if output == "base_color" else wire)
        if "emission" in self.outputs and self._free("emission_luminance"):
            self.surface = self.surface.with_input(Input("emission_luminance", "float", GLOW))
        self._relief()
        return self.network.with_card(self.surface)

    def _free(self, channel: str) -> bool:
        have = self.surface.inputs.get(channel)
        return have is None or (have.wire is None and have.interface is None)

    def _channel(self, channel: str, kind: str, wire: Wire) -> None:
        if self._free(channel):
            self.surface = self.surface.with_input(given(channel, kind, wire))

    def _put(self, made: Card) -> Wire:
        name = self.network.free_name(made.name)
        self.network = self.network.with_card(replace(made, name=name))
        return Wire(name)

    def _shaded(self, colour: Wire) -> Wire:
        if not self.options.occlusion or "occlusion" not in self.outputs or not self._free("base_color"):
            return colour
        return self._put(card("shaded", "multiply", "color3", (self.x + 1.8, self.y), "Shaded colour",
                              in1=("color3", colour), in2=("float", Wire(self.made.name, "occlusion"))))  # fmt: skip

    def _relief(self) -> None:
        """Normal map and height, as the options say."""
        normal: Wire | None = None
        kind = self.options.relief
        if kind == "auto":
            kind = "none" if "normal" in self.outputs else "bump"
        if "normal" in self.outputs and self._free("geometry_normal"):
            inputs: dict[str, Given] = {"in": ("vector3", Wire(self.made.name, "normal")), "scale": ("float", 1.0)}
            normal = self._put(
                card("relief", "normalmap", "vector3", (self.x + 1.8, self.y + 1.2), "Normal map", **inputs)
            )
        height = Wire(self.made.name, "height")
        if "height" in self.outputs and kind == "bump" and self._free("geometry_normal"):
            bump: dict[str, Given] = {"height": ("float", height), "scale": ("float", self.natural_bump)}
            if normal is not None:
                bump["normal"] = ("vector3", normal)
            normal = self._put(card("bump", "bump", "vector3", (self.x + 2.75, self.y + 1.2), "Bump", **bump))
        if "height" in self.outputs and kind == "displacement":
            self._displace(height)
        if normal is not None:
            self._channel("geometry_normal", "vector3", normal)

    @property
    def natural_bump(self) -> float:
        """The strength at which slopes are those of a surface as deep as the set says, on a tile of its size."""
        span = self.options.span
        square = math.sqrt(span[0] * span[1]) if span is not None else self.found.metres  # the width of the UV square
        return round(BUMP_UNITS * self.found.depth / square, 4)

    def _displace(self, height: Wire) -> None:
        for name, one in self.network.cards.items():
            if one.category == "surfacematerial" and "displacementshader" not in one.inputs:
                shader = self._put(card("displacement", "displacement", "displacementshader",
                                        (self.x + 1.8, self.y + 2.4), "Displacement", displacement=("float", height),
                                        scale=("float", self.found.depth)))  # fmt: skip
                self.network = self.network.with_card(
                    self.network.cards[name].with_input(given("displacementshader", "displacementshader", shader))
                )
                return


def _name(text: str) -> str:
    """A name as the standard allows it: plain letters, figures and underscores."""
    made = "".join(one if one.isascii() and one.isalnum() else "_" for one in text.lower()).strip("_")
    while "__" in made:
        made = made.replace("__", "_")
    return made if made and not made[0].isdigit() else f"set_{made}".rstrip("_")


def files_of(found: FoundSet) -> list[str]:
    """All files that a set's used maps name."""
    return [file for one in found.maps if one.used for file in one.files]
