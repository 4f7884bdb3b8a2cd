"""Cards that let the normals of a placed map turn, mirror and lean with it.

Where a place p reads the map at q = R (p / s), slopes at p are those of the map, turned back by R and divided by s.
Only the sides of s against each other count: a tile half as large is half as deep, and its normals stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from collage.core.document.making import Given, card
from collage.core.document.model import Card, Input, Value, Wire

ROWS = 4  # of cards in a column


@dataclass(frozen=True)
class OfGroup:
    """An input of the group that the card is in."""

    name: str


class _Steps:
    def __init__(self, put: Callable[[Card], Wire], place: tuple[float, float]) -> None:
        self._put, self._place, self._made = put, place, 0

    def __call__(
        self, name: str, category: str, kind: str, title: str, **inputs: tuple[str, Value | Wire | OfGroup]
    ) -> Wire:
        """Puts a card below the one before. A name that Python keeps for itself ends in an underscore."""
        x, y = self._place
        at = x + 0.95 * (self._made // ROWS), y + self._made % ROWS
        self._made += 1
        plain: dict[str, Given] = {}
        of_group: list[Input] = []
        for key, (type_name, value) in inputs.items():
            key = key.removesuffix("_")
            if isinstance(value, OfGroup):
                of_group.append(Input(key, type_name, interface=value.name))
            else:
                plain[key] = (type_name, value)
        made = card(name, category, kind, at, title, **plain)
        return self._put(replace(made, inputs={**made.inputs, **{one.name: one for one in of_group}}))

    def part(self, name: str, source: Wire | OfGroup, kind: str, index: int) -> Wire:
        """One of the numbers of a vector."""
        return self(name, "extract", "float", "XYZ"[index], in_=(kind, source), index=("integer", index))


def placed_normal(put: Callable[[Card], Wire], wire: Wire, place: tuple[float, float]) -> Wire:
    """Puts the cards in; what comes out is a normal map again, from 0 to 1.

    put : takes a card into the group, whose inputs `scale` and `rotate` are those of its place2d card. wire : the map
    (vector3), green up. place : of the first card.
    """
    step = _Steps(put, place)
    half, scale = ("float", 0.5), OfGroup("scale")
    way = step("normal_way", "subtract", "vector3", "From the middle", in1=("vector3", wire), in2=half)
    x, y, z = (step.part(f"normal_{axis}", way, "vector3", at) for at, axis in enumerate("xyz"))
    across = step("normal_across", "combine2", "vector2", "Across", in1=("float", x), in2=("float", y))
    back = step("turn_back", "multiply", "float", "Back", in1=("float", OfGroup("rotate")), in2=("float", -1.0))
    turned = step("normal_turned", "rotate2d", "vector2", "Turned", in_=("vector2", across), amount=("float", back))
    sides = [step.part(f"side_{axis}", scale, "vector2", at) for at, axis in enumerate("uv")]
    area = step("tile_area", "multiply", "float", "Area", in1=("float", sides[0]), in2=("float", sides[1]))
    plain = step("tile_unsigned", "absval", "float", "Unsigned", in_=("float", area))
    side = step("tile_side", "sqrt", "float", "Mean side", in_=("float", plain))
    steeper = step("normal_steeper", "multiply", "vector2", "Times side", in1=("vector2", turned), in2=("float", side))
    leaning = step("normal_leaning", "divide", "vector2", "By sides", in1=("vector2", steeper), in2=("vector2", scale))
    flat = [step.part(f"leaning_{axis}", leaning, "vector2", at) for at, axis in enumerate("xy")]
    whole = step("normal_whole", "combine3", "vector3", "Whole",
                 in1=("float", flat[0]), in2=("float", flat[1]), in3=("float", z))  # fmt: skip
    unit = step("normal_unit", "normalize", "vector3", "Length 1", in_=("vector3", whole))
    halved = step("normal_halved", "multiply", "vector3", "Halved", in1=("vector3", unit), in2=half)
    return step("normal_placed", "add", "vector3", "As a map", in1=("vector3", halved), in2=half)
