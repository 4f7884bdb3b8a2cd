"""Cards that bring the axes of a normal map to the usual ones: red to the right, green up."""

from __future__ import annotations

from dataclasses import dataclass, replace

from collage.core.document.making import card
from collage.core.document.model import Input, Wire
from collage.core.gather.names import Axes
from collage.core.gather.steps import Put

GREEN_DOWN = "green_down"
"""The switch of a map set."""


def green_switch(down: bool) -> Input:
    """The switch, as an input of the group."""
    attributes = {"uiname": "Flip the green channel (Y down)", "doc": "Flips the Y direction of the normal map."}
    return Input(GREEN_DOWN, "boolean", down, attributes=attributes)


@dataclass(frozen=True)
class Mended:
    """What is done to a normal map that is read: without its alpha, if it has one, axes as they should be.

    kind : type of the image, as color4. place : of the cards on the board.
    """

    put: Put
    kind: str
    axes: Axes
    place: tuple[float, float]

    def __call__(self, wire: Wire) -> Wire:
        return self._green(self._axes(self._three(wire)))

    def _three(self, wire: Wire) -> Wire:
        if self.kind == "vector3":
            return wire
        part = card("normal_part", "convert", self.kind[:-1] + "3", self._at(-2.8), "Without alpha",
                    **{"in": (self.kind, wire)})  # fmt: skip
        return self.put(part) if self.kind.endswith("4") else wire

    def _at(self, right: float, down: float = 0.0) -> tuple[float, float]:
        return self.place[0] + right, self.place[1] + down

    def _axes(self, wire: Wire) -> Wire:
        """Red and green exchanged, and the red one mirrored, as the set says."""
        if self.axes.startswith("swapped"):
            split = self.put(card("parts", "separate3", "multioutput", self._at(-2.8), "Parts",
                                  **{"in": ("vector3", wire)}))  # fmt: skip
            parts = {f"in{number}": ("float", replace(split, output=output))
                     for number, output in ((1, "outy"), (2, "outx"), (3, "outz"))}  # fmt: skip
            wire = self.put(card("swapped", "combine3", "vector3", self._at(-1.9), "Swap red and green", **parts))
        if self.axes.endswith("red"):
            mirrored = self.put(card("mirrored_red", "multiply", "vector3", self._at(-2.8, 0.5), "Mirror red",
                                     in1=("vector3", wire), in2=("vector3", (-1.0, 1.0, 1.0))))  # fmt: skip
            wire = self.put(card("turned_red", "add", "vector3", self._at(-1.9, 0.5), "Flipped red",
                                 in1=("vector3", mirrored), in2=("vector3", (1.0, 0.0, 0.0))))  # fmt: skip
        return wire

    def _green(self, wire: Wire) -> Wire:
        """Green turned where the set's switch says that it points down."""
        mirrored = self.put(card("mirrored", "multiply", "vector3", self._at(-0.9), "Mirror green",
                                 in1=("vector3", wire), in2=("vector3", (1.0, -1.0, 1.0))))  # fmt: skip
        turned = self.put(card("turned_green", "add", "vector3", self._at(0), "Flipped green",
                               in1=("vector3", mirrored), in2=("vector3", (0.0, 1.0, 0.0))))  # fmt: skip
        choose = card("green", "ifequal", "vector3", self._at(0.9), "Flip green", value2=("boolean", True),
                      in1=("vector3", turned), in2=("vector3", wire))  # fmt: skip
        return self.put(choose.with_input(Input("value1", "boolean", interface=GREEN_DOWN)))
