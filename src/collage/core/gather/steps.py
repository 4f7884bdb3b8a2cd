"""Cards of a group, put in one after the other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from collage.core.document.making import Given, card
from collage.core.document.model import Card, Input, Value, Wire

ROWS = 4  # of cards in a column

Put = Callable[[Card], Wire]
"""Takes a card into a group, under a free name, and gives the wire of its output."""


@dataclass(frozen=True)
class OfGroup:
    """An input of the group that the card is in."""

    name: str


Source = tuple[str, Value | Wire | OfGroup]
"""What a card's input gets: its type, and a value, a wire or an input of the group."""


class Steps:
    """Puts cards in columns of four, from `place` on to the right."""

    def __init__(self, put: Put, place: tuple[float, float]) -> None:
        self._put, self._place, self._made = put, place, 0

    def __call__(self, name: str, category: str, kind: str, title: str, **inputs: Source) -> Wire:
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

    def times(self, name: str, kind: str, title: str, one: Wire, other: Wire | float) -> Wire:
        """A value times a number."""
        return self(name, "multiply", kind, title, in1=(kind, one), in2=("float", other))

    def as_map(self, name: str, way: Wire) -> Wire:
        """Normals as they are kept in maps: 0.5 + n / 2."""
        halved = self.times(f"{name}_halved", "vector3", "Halved", way, 0.5)
        return self(name, "add", "vector3", "As a map", in1=("vector3", halved), in2=("float", 0.5))
