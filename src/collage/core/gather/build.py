"""From a map set to cards: one group of standard cards with one placement, wired to the surface."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from collage.core.document.making import Given, card, given
from collage.core.document.materials import new_material, surface_card
from collage.core.document.model import MAP_SET, Card, Input, Network, Output, Wire
from collage.core.gather.names import Axes
from collage.core.gather.placed_normal import placed_normal
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
    there is no normal map, and nothing where there is one. repeats : tiles along the UV square."""

    occlusion: bool = True
    relief: Relief = "auto"
    repeats: float = 1.0


Stored = Callable[[str], str]
"""From a file as the set names it to the name that the material keeps."""


def same(file: str) -> str:
    return file


# ---- the card of a map set ----------------------------------------------------------------------


class _Maker:
    """Puts the cards of a map set together, row by row."""

    def __init__(self, stored: Stored) -> None:
        self.stored = stored
        self.cards: dict[str, Card] = {}
        self.outputs: dict[str, Output] = {}
        self.inputs: dict[str, Input] = {}
        self.row = 0.0

    def put(self, one: Card) -> Wire:
        self.cards[one.name] = one
        return Wire(one.name)

    def out(self, name: str, kind: str, wire: Wire) -> None:
        self.outputs.setdefault(name, Output(name, kind, wire))

    def image(self, one: FoundMap, name: str, kind: str, title: str) -> Wire:
        """The card that reads a map, at the set's placement."""
        stored = self.stored(one.files[0])
        file = stored if not one.tiles else pattern_of(stored, one.tiles[0])
        space = {"colorspace": one.colorspace} if one.colorspace not in ("", "raw", "lin_rec709") else {}
        made = card(name, "image", kind, (1.5, self.row), title, texcoord=("vector2", Wire("placement")))
        self.row += 1
        return self.put(made.with_input(Input("file", "filename", file, attributes=space)))

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
        self._role(one, one.role, self.image(one, name, kind, one.label))

    def _add_packed(self, one: FoundMap) -> None:
        """One image, and a card for each channel that means something."""
        colour = any(role in COLOURS for _, role in one.channels)
        wide = any(name == "a" for name, _ in one.channels)
        kind = ("color" if colour else "vector") + ("4" if wide else "3")
        first = self.row
        name = f"packed_map{'' if 'packed_map' not in self.cards else len(self.cards)}"
        source = self.image(one, name, kind, "Packed" if one.role == "packed" else one.label)
        for at, (channel, role) in enumerate(one.channels):
            if role not in OUTPUTS or OUTPUTS[role] in self.outputs:
                continue
            self.row = first + at
            wire = self._rgb(source, kind, role) if channel == "rgb" else self._channel(source, kind, channel, role)
            self._role(one, role, wire)
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

    def _role(self, one: FoundMap, role: Role, wire: Wire) -> None:
        """Puts a map out, turned to what the surface takes."""
        place = (3.5, self.row - 1)
        if role == "gloss":
            wire = self.put(
                card("turned_gloss", "invert", "float", place, "Gloss to roughness", **{"in": ("float", wire)})
            )
        if role == "normal":
            wire = self._axes(wire, one.axes, place)
            wire = self._green(wire, one.green == "down", place)
            wire = placed_normal(self.put, wire, (place[0] + 1.9, place[1]))
        kind = "color3" if role in COLOURS else "vector3" if role == "normal" else "float"
        self.out(OUTPUTS[role], kind, wire)

    def _axes(self, wire: Wire, axes: Axes, place: tuple[float, float]) -> Wire:
        """Red and green exchanged, and the red one mirrored, as the set says."""
        x, y = place[0] - 2.8, place[1]
        if axes.startswith("swapped"):
            split = self.put(card("parts", "separate3", "multioutput", (x, y), "Parts", **{"in": ("vector3", wire)}))
            parts = {f"in{number}": ("float", replace(split, output=output))
                     for number, output in ((1, "outy"), (2, "outx"), (3, "outz"))}  # fmt: skip
            wire = self.put(card("swapped", "combine3", "vector3", (x + 0.9, y), "Swap red and green", **parts))
        if axes.endswith("red"):
            self.put(card("mirrored_red", "multiply", "vector3", (x, y + 0.5), "Mirror red",
                          in1=("vector3", wire), in2=("vector3", (-1.0, 1.0, 1.0))))  # fmt: skip
            wire = self.put(card("turned_red", "add", "vector3", (x + 0.9, y + 0.5), "Flipped red",
                                 in1=("vector3", Wire("mirrored_red")), in2=("vector3", (1.0, 0.0, 0.0))))  # fmt: skip
        return wire

    def _green(self, wire: Wire, down: bool, place: tuple[float, float]) -> Wire:
        """Green turned where the set's switch says that it points down."""
        x, y = place
        self.inputs["green_down"] = Input(
            "green_down", "boolean", down,
            attributes={"uiname": "Flip the green channel (Y down)", "doc": "Flips the Y direction of the normal map."},
        )  # fmt: skip
        self.put(card("mirrored", "multiply", "vector3", (x - 0.9, y), "Mirror green",
                      in1=("vector3", wire), in2=("vector3", (1.0, -1.0, 1.0))))  # fmt: skip
        self.put(card("turned_green", "add", "vector3", (x, y), "Flipped green",
                      in1=("vector3", Wire("mirrored")), in2=("vector3", (0.0, 1.0, 0.0))))  # fmt: skip
        turned: dict[str, Given] = {"in1": ("vector3", Wire("turned_green")), "in2": ("vector3", wire)}
        choose = card("green", "ifequal", "vector3", (x + 0.9, y), "Flip green", value2=("boolean", True), **turned)
        return self.put(choose.with_input(Input("value1", "boolean", interface="green_down")))


def map_set(
    found: FoundSet,
    name: str,
    place: tuple[float, float] = (0.0, 0.0),
    *,
    stored: Stored = same,
    repeats: float = 1.0,
    title: str = "",
) -> Card:
    """The card of a map set: image cards that share one placement, as a group of standard cards."""
    maker = _Maker(stored)
    maker.put(card("uv", "texcoord", "vector2", (-1.4, 0)))
    placement = card("placement", "place2d", "vector2", (0, 0), texcoord=("vector2", Wire("uv")))
    for key, kind in (("scale", "vector2"), ("rotate", "float"), ("offset", "vector2")):
        placement = placement.with_input(Input(key, kind, interface=key))
    maker.put(placement)
    for one in sorted((one for one in found.maps if one.used), key=lambda one: bool(one.channels)):
        maker.add(one)
    turn = {"uiname": "Rotation", "uisoftmin": "-180", "uisoftmax": "180"}
    size = 1 / repeats
    inputs = {
        "scale": Input("scale", "vector2", (size, size), attributes={"uiname": "Tile size"}),
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
    made = map_set(found, name, place, stored=stored, repeats=options.repeats)
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
        return round(BUMP_UNITS * self.found.depth / self.found.metres, 4)

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
