"""The graphs that are timed: documents with one nodegraph `g`, whose output is `out`."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.images.files import write_image

PICTURE = "clay.png"


def write_picture(folder: Path, size: int = 2048) -> None:
    """A made-up colour picture, rough at every scale."""
    rng = np.random.default_rng(5)
    picture = np.zeros((size, size, 3), np.float32)
    for step in (2, 16, 128):
        coarse = rng.random((size // step, size // step, 3)).astype(np.float32)
        picture += coarse.repeat(step, axis=0).repeat(step, axis=1) / 3
    write_image(folder / PICTURE, (picture * 255).astype(np.uint8))


def _input(name: str, kind: str, value: object) -> str:
    """An input with a value, or with a wire where the value begins with @."""
    text = str(value)
    what = f'nodename="{text[1:]}"' if text.startswith("@") else f'value="{text}"'
    return f'<input name="{name}" type="{kind}" {what}/>'


class Graph:
    """Gathers cards as text; `card` returns the wire to the new card."""

    def __init__(self) -> None:
        self.cards: list[str] = []

    def card(self, category: str, kind: str, **inputs: tuple[str, object]) -> str:
        name = f"c{len(self.cards)}"
        given = "".join(_input(key.rstrip("_"), one[0], one[1]) for key, one in inputs.items())
        self.cards.append(f'<{category} name="{name}" type="{kind}">{given}</{category}>')
        return f"@{name}"

    def document(self, wire: str, kind: str) -> str:
        output = f'<output name="out" type="{kind}" nodename="{wire[1:]}"/>'
        return (
            f'<?xml version="1.0"?><materialx version="1.39"><nodegraph name="g">'
            f"{''.join(self.cards)}{output}</nodegraph></materialx>"
        )


def _scaled(graph: Graph, what: str, by: float) -> str:
    kind = "vector3" if what == "position" else "vector2"
    return graph.card("multiply", kind, in1=(kind, graph.card(what, kind)), in2=("float", by))


def fractal3d() -> str:
    graph = Graph()
    place = _scaled(graph, "position", 6)
    return graph.document(
        graph.card("fractal3d", "float", octaves=("integer", 8), position=("vector3", place)), "float"
    )


def worleynoise2d() -> str:
    graph = Graph()
    place = _scaled(graph, "texcoord", 24)
    return graph.document(graph.card("worleynoise2d", "float", texcoord=("vector2", place)), "float")


def worleynoise3d() -> str:
    graph = Graph()
    place = _scaled(graph, "position", 24)
    return graph.document(graph.card("worleynoise3d", "float", position=("vector3", place)), "float")


def image() -> str:
    """1.4 texels a pixel: between two levels of the pyramid."""
    graph = Graph()
    place = _scaled(graph, "texcoord", 0.7)
    file = ("filename", PICTURE)
    return graph.document(graph.card("image", "color3", file=file, texcoord=("vector2", place)), "color3")


def hextiledimage() -> str:
    graph = Graph()
    card = graph.card("hextiledimage", "color3", file=("filename", PICTURE), tiling=("vector2", "4, 4"))
    return graph.document(card, "color3")


def unifiednoise3d(kind: int) -> str:
    graph = Graph()
    card = graph.card(
        "unifiednoise3d", "float", type=("integer", kind), freq=("vector3", "9, 9, 9"), octaves=("integer", 8)
    )
    return graph.document(card, "float")


def chain() -> str:
    """Ten cards of colour arithmetic after a position."""
    graph = Graph()
    wire = graph.card("convert", "color3", in_=("vector3", graph.card("position", "vector3")))
    start = wire
    colour, number = "color3", "float"
    wire = graph.card("multiply", colour, in1=(colour, wire), in2=(colour, "1.3, 0.9, 1.1"))
    wire = graph.card("add", colour, in1=(colour, wire), in2=(number, 0.1))
    wire = graph.card("contrast", colour, in_=(colour, wire), amount=(colour, "1.2, 1.1, 1.3"))
    wire = graph.card("invert", colour, in_=(colour, wire))
    wire = graph.card("mix", colour, fg=(colour, wire), bg=(colour, start), mix=(number, 0.4))
    wire = graph.card("smoothstep", colour, in_=(colour, wire), low=(colour, "0.1, 0, 0"), high=(colour, "1, 0.9, 1"))
    wire = graph.card("subtract", colour, in1=(colour, wire), in2=(colour, "0.05, 0.02, 0"))
    wire = graph.card("max", colour, in1=(colour, wire), in2=(number, 0.02))
    wire = graph.card("screen", colour, fg=(colour, wire), bg=(colour, start), mix=(number, 0.5))
    wire = graph.card("clamp", colour, in_=(colour, wire))
    return graph.document(wire, colour)


def forty(last: float = 0.5) -> str:
    """A weathered glaze of forty cards: maps, noises at several scales, masks, blends, grading.

    last : a value of the last card but one.
    """
    graph = Graph()
    colour, number, place = "color3", "float", graph.card("position", "vector3")
    uv = graph.card("texcoord", "vector2")
    masks = []
    for scale, octaves in ((3, 5), (9, 4), (24, 3)):
        at = graph.card("multiply", "vector3", in1=("vector3", place), in2=(number, scale))
        value = graph.card("fractal3d", number, position=("vector3", at), octaves=("integer", octaves))
        value = graph.card("remap", number, in_=(number, value), inlow=(number, -0.6), inhigh=(number, 0.6))
        masks.append(graph.card("smoothstep", number, in_=(number, value), low=(number, 0.2), high=(number, 0.8)))
    cells = graph.card("multiply", "vector2", in1=("vector2", uv), in2=(number, 18))
    cells = graph.card("worleynoise2d", number, texcoord=("vector2", cells))
    masks.append(graph.card("invert", number, in_=(number, cells)))
    tiles = [graph.card("multiply", "vector2", in1=("vector2", uv), in2=(number, scale)) for scale in (1.3, 2.1)]
    maps = [graph.card("image", colour, file=("filename", PICTURE), texcoord=("vector2", tile)) for tile in tiles]
    maps.append(graph.card("constant", colour, value=(colour, "0.5, 0.42, 0.3")))
    wire = maps[0]
    for number_, mask in enumerate(masks):
        tinted = graph.card("multiply", colour, in1=(colour, maps[number_ % 3]), in2=(colour, "0.9, 0.8, 0.7"))
        shifted = graph.card("add", colour, in1=(colour, tinted), in2=(number, 0.03))
        wire = graph.card("mix", colour, fg=(colour, shifted), bg=(colour, wire), mix=(number, mask))
    grey = graph.card("luminance", colour, in_=(colour, wire))
    wire = graph.card("mix", colour, fg=(colour, grey), bg=(colour, wire), mix=(number, 0.2))
    wire = graph.card("contrast", colour, in_=(colour, wire), amount=(colour, "1.2, 1.2, 1.2"))
    wire = graph.card("screen", colour, fg=(colour, wire), bg=(colour, maps[1]), mix=(number, 0.3))
    wire = graph.card("mix", colour, fg=(colour, maps[2]), bg=(colour, wire), mix=(number, last))
    wire = graph.card("clamp", colour, in_=(colour, wire))
    assert len(graph.cards) == 40, len(graph.cards)
    return graph.document(wire, colour)


GRAPHS = {
    "fractal3d, 8 octaves": fractal3d(),
    "worleynoise2d": worleynoise2d(),
    "worleynoise3d": worleynoise3d(),
    "trilinear image": image(),
    "hextiledimage": hextiledimage(),
    "unifiednoise3d, gradient": unifiednoise3d(0),
    "unifiednoise3d, blocks": unifiednoise3d(1),
    "unifiednoise3d, cells": unifiednoise3d(2),
    "unifiednoise3d, fractal": unifiednoise3d(3),
    "ten cards of arithmetic": chain(),
    "forty cards": forty(),
}
