"""Cards that let the normals of a placed map turn, mirror and lean with it.

Where a place p reads the map at q = R (p / s), slopes at p are those of the map, turned back by R and divided by s.
Only the sides of s against each other count: a tile half as large is half as deep, and its normals stay as they are.
"""

from __future__ import annotations

from collage.core.document.model import Wire
from collage.core.gather.steps import OfGroup, Put, Steps


def placed_normal(put: Put, wire: Wire, place: tuple[float, float]) -> Wire:
    """Puts the cards in; what comes out is a normal map again, from 0 to 1.

    put : takes a card into the group, whose inputs `scale` and `rotate` are those of its place2d card. wire : the map
    (vector3), green up. place : of the first card.
    """
    step = Steps(put, place)
    x, y, z = parts_of_normal(step, wire)
    across = step("normal_across", "combine2", "vector2", "Across", in1=("float", x), in2=("float", y))
    leaning = placed_slope(step, across, back_of(step), mean_side(step))
    flat = [step.part(f"leaning_{axis}", leaning, "vector2", at) for at, axis in enumerate("xy")]
    whole = step("normal_whole", "combine3", "vector3", "Whole",
                 in1=("float", flat[0]), in2=("float", flat[1]), in3=("float", z))  # fmt: skip
    unit = step("normal_unit", "normalize", "vector3", "Length 1", in_=("vector3", whole))
    return step.as_map("normal_placed", unit)


def parts_of_normal(step: Steps, wire: Wire) -> list[Wire]:
    """The three numbers of a normal map, from -0.5 to 0.5."""
    way = step("normal_way", "subtract", "vector3", "From the middle", in1=("vector3", wire), in2=("float", 0.5))
    return [step.part(f"normal_{axis}", way, "vector3", at) for at, axis in enumerate("xyz")]


def back_of(step: Steps) -> Wire:
    """The angle that turns slopes back: the placement's own, reversed."""
    return step("turn_back", "multiply", "float", "Back", in1=("float", OfGroup("rotate")), in2=("float", -1.0))


def mean_side(step: Steps) -> Wire:
    """The side of a square as large as a tile."""
    sides = [step.part(f"side_{axis}", OfGroup("scale"), "vector2", at) for at, axis in enumerate("uv")]
    area = step("tile_area", "multiply", "float", "Area", in1=("float", sides[0]), in2=("float", sides[1]))
    plain = step("tile_unsigned", "absval", "float", "Unsigned", in_=("float", area))
    return step("tile_side", "sqrt", "float", "Mean side", in_=("float", plain))


def placed_slope(step: Steps, slope: Wire, back: Wire, side: Wire) -> Wire:
    """Slopes of the map (vector2) as slopes of the placed map. back, side : see `back_of` and `mean_side`."""
    turned = step("normal_turned", "rotate2d", "vector2", "Turned", in_=("vector2", slope), amount=("float", back))
    steeper = step.times("normal_steeper", "vector2", "Times side", turned, side)
    return step("normal_leaning", "divide", "vector2", "By sides",
                in1=("vector2", steeper), in2=("vector2", OfGroup("scale")))  # fmt: skip
