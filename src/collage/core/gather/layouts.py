"""How the maps of a set are laid on the surface: by its UVs, as hex tiles, or from three sides."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal, Protocol

from collage.core.document.making import Given, card, given
from collage.core.document.model import Input, Value, Wire
from collage.core.gather.names import Axes
from collage.core.gather.normal_axes import GREEN_DOWN, Mended
from collage.core.gather.placed_normal import back_of, mean_side, parts_of_normal, placed_normal, placed_slope
from collage.core.gather.steps import OfGroup, Put, Steps

Layout = Literal["uv", "hex", "triplanar"]
LAYOUTS: dict[Layout, tuple[str, str]] = {
    "uv": ("UVs", "One tile after the other along the UVs"),
    "hex": ("Hex tiles", "Hexagons cut from the tile, each turned by chance, so that no repeats show"),
    "triplanar": ("Triplanar", "Projected from three sides of the object, blended; needs no UVs"),
}
"""By name, what it is called on the screen and what it does."""

PLACED = (("scale", "vector2"), ("rotate", "float"), ("offset", "vector2"))
"""The inputs of a place2d card that are the group's."""

FLAT_FRAME: dict[str, Value] = {"normal": (0.0, 0.0, 1.0), "tangent": (1.0, 0.0, 0.0), "bitangent": (0.0, 1.0, 0.0)}

MIRRORED: tuple[Axes, ...] = ("red", "swapped")
"""Axes that mirror a map, apart from its green; the others turn it."""

FLATTEST = 0.02
"""Least height of a normal above the surface where its slope is taken: maps with steeper ones are broken there."""


@dataclass(frozen=True)
class MapFile:
    """A map to be read: name and title of its card, type of its values, and its row on the board."""

    name: str
    kind: str
    title: str
    file: Input
    row: float


class Reader(Protocol):
    """Puts the cards in that read the maps of a set.

    inputs : what the group gets beside those of its placement.
    """

    inputs: dict[str, Input]

    def value(self, one: MapFile) -> Wire:
        """The map's values, read once however often it is asked for."""
        ...

    def normal(self, one: MapFile, mended: Mended) -> Wire:
        """The map as a tangent-space normal map from 0 to 1 that goes along with the placement."""
        ...


def placement(put: Put, name: str, place: tuple[float, float], coordinates: Wire) -> Wire:
    """A place2d card with the group's scale, rotation and offset."""
    made = card(name, "place2d", "vector2", place, texcoord=("vector2", coordinates))
    for key, kind in PLACED:
        made = made.with_input(Input(key, kind, interface=key))
    return put(made)


class ByUV:
    """Images along the UVs."""

    def __init__(self, put: Put) -> None:
        self.put = put
        self.inputs: dict[str, Input] = {}
        uv = put(card("uv", "texcoord", "vector2", (-1.4, 0)))
        self.placement = placement(put, "placement", (0, 0), uv)
        self._read: dict[str, Wire] = {}

    def value(self, one: MapFile) -> Wire:
        if one.name not in self._read:
            self._read[one.name] = self.image(one)
        return self._read[one.name]

    def image(self, one: MapFile) -> Wire:
        made = card(one.name, "image", one.kind, (1.5, one.row), one.title, texcoord=("vector2", self.placement))
        return self.put(made.with_input(one.file))

    def normal(self, one: MapFile, mended: Mended) -> Wire:
        return placed_normal(self.put, mended(self.value(one)), _behind(mended))


class ByHexagons(ByUV):
    """Hex-tiled images. All maps of a set show the same hexagons, since the numbers of chance are the same."""

    def __init__(self, put: Put) -> None:
        super().__init__(put)
        self.inputs = {
            "rotation": _number("rotation", 1.0, "Random rotation", "0: all hexagons as they are; 1: turned freely"),
            "falloff": _number("falloff", 0.5, "Edge softness", "How softly hexagons go over into each other"),
        }

    def image(self, one: MapFile) -> Wire:
        """The image as colours, which is all that the standard tiles, turned to what is asked for."""
        wide = "color4" if one.kind.endswith("4") else "color3"
        wire = self._hexagons(one, "hextiledimage", wide)
        place = (2.3, one.row)
        if one.kind == "float":
            red: dict[str, Given] = {"in": (wide, wire), "index": ("integer", 0)}
            return self.put(card(f"{one.name}_value", "extract", "float", place, "Value", **red))
        if one.kind != wide:
            same: dict[str, Given] = {"in": (wide, wire)}
            return self.put(card(f"{one.name}_numbers", "convert", one.kind, place, "Numbers", **same))
        return wire

    def _hexagons(self, one: MapFile, category: str, kind: str, inputs: Iterable[Input] = ()) -> Wire:
        # sizes stay, since a set has a real one
        made = card(one.name, category, kind, (1.5, one.row), one.title,
                    texcoord=("vector2", self.placement), scale=("float", 0.0))  # fmt: skip
        for every in (*(Input(key, "float", interface=key) for key in self.inputs), *inputs):
            made = made.with_input(every)
        return self.put(made.with_input(one.file))

    def normal(self, one: MapFile, mended: Mended) -> Wire:
        """By the standard's own card, on a flat frame, so that what it puts out is in tangent space."""
        step = Steps(self.put, mended.place)
        flip = Input("flip_g", "boolean", interface=GREEN_DOWN)
        if mended.axes in MIRRORED:
            flip = given("flip_g", "boolean", step("green_up", "not", "boolean", "Not down",
                                                   in_=("boolean", OfGroup(GREEN_DOWN))))  # fmt: skip
        frame = [given(name, "vector3", way) for name, way in FLAT_FRAME.items()]
        wire = self._hexagons(replace(one, name="normal_map"), "hextilednormalmap", "vector3", (*frame, flip))
        if mended.axes:
            wire = self._quarter_turns(step, wire, mended.axes)
        return placed_normal(self.put, step.as_map("hexagons", wire), _behind(mended))

    def _quarter_turns(self, step: Steps, wire: Wire, axes: Axes) -> Wire:
        """Normals of a map with mixed axes, as they should be.

        Axes cannot be mended before a hexagon is turned, and a mirrored map would be turned the wrong way. So the card
        mirrors where the axes as a whole are mirrored, and what is then left is quarter turns, which may come after.
        """
        x, y, z = (step.part(f"hexagons_{axis}", wire, "vector3", at) for at, axis in enumerate("xyz"))
        angle: Wire | float = 180.0
        if axes.startswith("swapped"):
            angle = step("quarter", "ifequal", "float", "Quarter turn", value1=("boolean", OfGroup(GREEN_DOWN)),
                         value2=("boolean", True), in1=("float", 90.0), in2=("float", -90.0))  # fmt: skip
        flat = step("hexagons_flat", "combine2", "vector2", "Across", in1=("float", x), in2=("float", y))
        turned = step("hexagons_turned", "rotate2d", "vector2", "Axes as usual",
                      in_=("vector2", flat), amount=("float", angle))  # fmt: skip
        u, v = (step.part(f"turned_{axis}", turned, "vector2", at) for at, axis in enumerate("xy"))
        return step("hexagons_whole", "combine3", "vector3", "Whole",
                    in1=("float", u), in2=("float", v), in3=("float", z))  # fmt: skip


class ByThreeSides(ByUV):
    """Images projected along the three axes of the object, blended by where the surface faces.

    The side that is looked at from +x has u along -z, the one from above u along x and v along -z, the one from +z u
    along x; from the other end each is mirrored, so that nothing shows reversed. Normals are blended by the gradients
    that they have on the object (Mikkelsen, "Surface Gradient-Based Bump Mapping Framework", JCGT 9(3), 2020).
    """

    def __init__(self, put: Put) -> None:
        self.put = put
        self._read = {}
        self._sides: dict[str, list[Wire]] = {}
        self.inputs = {
            "sharpness": _number("sharpness", 6.0, "Blend sharpness", "How quickly one side changes to the next", 20)
        }
        step = self.step = Steps(put, (-6.0, -4.0))
        self.facing = step("facing", "normal", "vector3", "Normal", space=("string", "object"))
        self.weights = self._weights(step)
        where = step("where", "position", "vector3", "Position", space=("string", "object"))
        ends = step("ends", "sign", "vector3", "Which end", in_=("vector3", self.facing))
        self.ends = [step.part(f"end_{axis}", ends, "vector3", at) for at, axis in enumerate("xyz")]
        x, y, z = (step.part(f"where_{axis}", where, "vector3", at) for at, axis in enumerate("xyz"))
        back = step.times("where_back", "float", "Backwards", z, -1.0)
        pairs = (
            (step.times("from_x", "float", "U from X", back, self.ends[0]), y),
            (x, step.times("from_y", "float", "V from Y", back, self.ends[1])),
            (step.times("from_z", "float", "U from Z", x, self.ends[2]), y),
        )
        self.places = []
        for axis, (u, v) in zip("xyz", pairs, strict=True):
            plane = step(f"plane_{axis}", "combine2", "vector2", f"From {axis.upper()}",
                         in1=("float", u), in2=("float", v))  # fmt: skip
            self.places.append(placement(put, f"placement_{axis}", (0, "xyz".index(axis)), plane))

    def _weights(self, step: Steps) -> list[Wire]:
        """How much each side counts: the powers of the normal's numbers, in parts of their sum."""
        size = step("facing_size", "absval", "vector3", "Unsigned", in_=("vector3", self.facing))
        power = step("facing_power", "power", "vector3", "Sharper",
                     in1=("vector3", size), in2=("float", OfGroup("sharpness")))  # fmt: skip
        sums = step("facing_sum", "dotproduct", "float", "Sum",
                    in1=("vector3", power), in2=("vector3", (1.0, 1.0, 1.0)))  # fmt: skip
        parts = step("facing_parts", "divide", "vector3", "Parts", in1=("vector3", power), in2=("float", sums))
        return [step.part(f"part_{axis}", parts, "vector3", at) for at, axis in enumerate("xyz")]

    def image(self, one: MapFile) -> Wire:
        step = Steps(self.put, (2.5, one.row))
        return self._blended(step, one.name, one.kind, self._images(one))

    def _images(self, one: MapFile) -> list[Wire]:
        """The map from each of the three sides."""
        if one.name not in self._sides:
            self._sides[one.name] = [
                self.put(card(f"{one.name}_{axis}", "image", one.kind, (1.5, one.row + 0.3 * at), one.title,
                              texcoord=("vector2", place)).with_input(one.file))
                for at, (axis, place) in enumerate(zip("xyz", self.places, strict=True))
            ]  # fmt: skip
        return self._sides[one.name]

    def _blended(self, step: Steps, name: str, kind: str, values: list[Wire]) -> Wire:
        """Three values, each as much as its side counts."""
        parts = [step.times(f"{name}_part", kind, "Part", one, share)
                 for one, share in zip(values, self.weights, strict=True)]  # fmt: skip
        two = step(f"{name}_two", "add", kind, "Two sides", in1=(kind, parts[0]), in2=(kind, parts[1]))
        return step(f"{name}_sides", "add", kind, "Three sides", in1=(kind, two), in2=(kind, parts[2]))

    def normal(self, one: MapFile, mended: Mended) -> Wire:
        step = Steps(self.put, _behind(mended))
        back, side = back_of(step), mean_side(step)
        leans = [self._lean(step, at, mended(wire), back, side) for at, wire in enumerate(self._images(one))]
        bend = self._blended(step, "bend", "vector3", leans)
        frame = [step(f"object_{name}", name, "vector3", name.capitalize(), space=("string", "object"))
                 for name in ("tangent", "bitangent")]  # fmt: skip
        u, v = (step("along", "dotproduct", "float", "Along", in1=("vector3", bend), in2=("vector3", axis))
                for axis in frame)  # fmt: skip
        # what the bend has along the surface's own normal does not count
        bent = step("bent", "combine3", "vector3", "In tangent space",
                    in1=("float", u), in2=("float", v), in3=("float", 1.0))  # fmt: skip
        unit = step("normal_unit", "normalize", "vector3", "Length 1", in_=("vector3", bent))
        return step.as_map("normal_sides", unit)

    def _lean(self, step: Steps, at: int, wire: Wire, back: Wire, side: Wire) -> Wire:
        """How one side's map leans the object's normal, as a vector of the object."""
        x, y, z = parts_of_normal(step, wire)
        above = step("normal_above", "max", "float", "Not below", in1=("float", z), in2=("float", FLATTEST / 2))
        across = step("normal_across", "combine2", "vector2", "Across", in1=("float", x), in2=("float", y))
        slope = step("normal_slope", "divide", "vector2", "Slope", in1=("vector2", across), in2=("float", above))
        leaning = placed_slope(step, slope, back, side)
        u, v = (step.part(f"leaning_{axis}", leaning, "vector2", number) for number, axis in enumerate("uv"))
        turned = v if at == 1 else u
        turned = step.times("leaning_end", "float", "By its end", turned, self.ends[at])
        if at != 2:
            turned = step.times("leaning_back", "float", "Backwards", turned, -1.0)
        vector: tuple[Wire | Value, ...] = ((0.0, v, turned), (u, 0.0, turned), (turned, v, 0.0))[at]
        return step("leaning_way", "combine3", "vector3", "On the object",
                    **{f"in{number}": ("float", part) for number, part in enumerate(vector, start=1)})  # fmt: skip


READERS: dict[Layout, type[ByUV]] = {"uv": ByUV, "hex": ByHexagons, "triplanar": ByThreeSides}


def _behind(mended: Mended) -> tuple[float, float]:
    return mended.place[0] + 1.9, mended.place[1]


def _number(name: str, value: float, title: str, says: str, highest: float = 1) -> Input:
    """A number of the group, from 0 to `highest`."""
    limits = {"uisoftmin": "0", "uisoftmax": f"{highest:g}"}
    return Input(name, "float", value, attributes={"uiname": title, "doc": says, **limits})
