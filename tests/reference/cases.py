"""The graphs that are compared with the standard's reference: every definition, with several kinds of input.

`plain` sets nothing; `wired` wires every input that may be wired to noise that differs from point to point and
reaches below 0 and above 1; `literal` sets every input to values that meet borders, zeros and negative numbers;
`mixed` does some of each; `zeros` and `equal` set every input to one number: ranges of nothing, divisions by zero.
What is chosen follows from the case's name alone.
"""

from __future__ import annotations

import random
import zlib
from collections.abc import Iterator
from pathlib import Path

import MaterialX as mx
import numpy as np

from collage.core.document.types import CHANNELS, TEXTS
from collage.core.images.files import write_image
from collage.core.nodes.library import Library, NodeDef, TabDef

SIZE = 8
VARIANTS = ("plain", "wired", "literal", "mixed", "zeros", "equal")
ALIKE = {"zeros": "0", "equal": "0.5"}
NUMBERS = (-0.7, 0.0, 0.35, 1.0, 1.6, 0.5, -1.3, 2.2, 0.85)
PICTURES = {"grey.png": 1, "rgb.png": 3, "rgba.png": 4}

LEFT_OUT = {
    "frame": "the reference has frame 0 where nobody sets it; the definition's default is 1",
    "geomcolor": "the sheet has no vertex colours",
    "geompropvalue": "the sheet has no further properties",
    "texcoord": "the sheet has one UV set",
    "transformpoint": "the generated shader does not compile",
    "transformvector": "the generated shader does not compile",
    "transformnormal": "the generated shader does not compile",
    "tiledhexagons": "staggered ones vanish: the driver takes a comparison with no number for its opposite",
    "gooch_shade": "its light comes from a viewer",
    "deon_hair_absorption_from_melanin": "the generated shader does not compile",
    "chiang_hair_absorption_from_color": "the generated shader does not compile",
    "chiang_hair_roughness": "the generated shader does not compile",
}
"""Categories that are tested elsewhere, and why not here."""

_OWN_MODES = {"image", "tiledimage", "latlongimage", "triplanarprojection"}  # borders are tested by closed forms


def write_pictures(folder: Path) -> None:
    """Small smooth made-up pictures."""
    y, x = (np.mgrid[0:12, 0:16] + 0.5) / np.array([12, 16]).reshape(2, 1, 1) * 2 * np.pi
    for name, channels in PICTURES.items():
        waves = [0.5 + 0.45 * np.sin(x + 0.3 * k + 0.2) * np.cos(y + k) for k in range(channels)]
        write_image(folder / name, np.rint(np.stack(waves, -1) * 255).astype(np.uint8))


def cases(library: Library) -> Iterator[tuple[str, str]]:
    """(name, document) of every case; the name is `definition.variant`."""
    standard = mx.createDocument()
    mx.loadLibraries(
        ["libraries/stdlib", "libraries/pbrlib", "libraries/nprlib", "libraries/cmlib", "libraries/targets"],
        mx.getDefaultDataSearchPath(),
        standard,
    )
    for source in standard.getNodeDefs():
        definition = library[source.getName()]
        if definition.category in LEFT_OUT:
            continue
        seen = set()
        for variant in VARIANTS:
            text = _Case(definition, variant).document()
            if text and text not in seen:
                seen.add(text)
                yield f"{definition.name}.{variant}", text


class _Case:
    def __init__(self, definition: NodeDef, variant: str) -> None:
        self.definition, self.variant = definition, variant
        self.random = random.Random(zlib.crc32(f"{definition.name}{variant}".encode()))
        self.cards = ""

    def document(self) -> str:
        """The graph's text; empty where the definition puts out no numbers."""
        one = self.definition
        given = "".join(self._input(number, tab) for number, tab in enumerate(one.inputs.values()))
        outputs = "".join(self._output(name, tab) for name, tab in one.outputs.items())
        if not outputs:
            return ""
        card = f'<{one.category} name="n" type="{one.type}" nodedef="{one.name}">{given}</{one.category}>'
        ends = [tab.type for tab in one.outputs.values() if tab.type.startswith("matrix")]
        after = "".join(self._through(kind) for kind in ends)
        return (
            f'<materialx version="1.39"><nodegraph name="g">{self.cards}{card}{after}{outputs}</nodegraph></materialx>'
        )

    def _input(self, number: int, tab: TabDef) -> str:
        if tab.type in TEXTS:
            return self._text(tab)
        if tab.type not in CHANNELS:
            return ""
        if self._wires(tab):
            return f'<input name="{tab.name}" type="{tab.type}" nodename="{self._noise(str(number), tab)}"/>'
        if self.variant == "plain" or tab.geometry:
            return ""
        return f'<input name="{tab.name}" type="{tab.type}" value="{self._literal(tab)}"/>'

    def _text(self, tab: TabDef) -> str:
        value = ""
        if tab.type == "filename":
            value = self.random.choice(list(PICTURES)) if self.variant != "plain" else "rgb.png"
        elif self.variant != "plain" and tab.choices and self.definition.category not in _OWN_MODES:
            value = self.random.choice(tab.choices)
        return f'<input name="{tab.name}" type="{tab.type}" value="{value}"/>' if value else ""

    def _wires(self, tab: TabDef) -> bool:
        if tab.uniform or self.variant in ("plain", "literal", *ALIKE) or tab.type in ("integer", "boolean"):
            return False
        image = "file" in self.definition.inputs or "filex" in self.definition.inputs
        if image and not (tab.type.startswith("vector") and tab.geometry):
            return False
        return self.variant == "wired" or self.random.random() < 0.5

    def _literal(self, tab: TabDef) -> str:
        if self.variant in ALIKE and tab.type not in ("boolean", "integer"):
            return ", ".join([ALIKE[self.variant]] * CHANNELS[tab.type])
        if tab.type == "boolean":
            return self.random.choice(["true", "false"])
        if tab.type == "integer":
            return str(self.random.choice([0, 1, 3, 5] if tab.name == "octaves" else [-1, 0, 1, 2, 3, 4]))
        return ", ".join(str(self.random.choice(NUMBERS)) for _ in range(CHANNELS[tab.type]))

    def _noise(self, name: str, tab: TabDef) -> str:
        """A card with noise for an input: of length 1 for directions, over several cells for places."""
        kind = tab.type
        if kind.startswith("matrix"):
            side = 3 if kind == "matrix33" else 4
            rows = [self._source(f"row_{row}_of_{name}", f"vector{side}", 1.4, 0.2) for row in range(side)]
            given = "".join(
                f'<input name="in{at}" type="vector{side}" nodename="{row}"/>' for at, row in enumerate(rows, 1)
            )
            self.cards += f'<creatematrix name="s{name}" type="{kind}">{given}</creatematrix>'
            return f"s{name}"
        if tab.geometry[:1] in ("N", "T", "B") and tab.geometry:
            source = self._source(f"{name}d", kind, 1.4, 0.4)
            self.cards += f'<normalize name="s{name}" type="{kind}"><input name="in" type="{kind}" nodename="{source}"/></normalize>'
            return f"s{name}"
        return self._source(name, kind, 6.0 if tab.geometry else 1.4, 0.4)

    def _source(self, name: str, kind: str, size: float, pivot: float) -> str:
        wide = kind.replace("color", "vector")
        amplitude = ", ".join(str(round(size * part, 3)) for part in (1, 0.8, 0.65, 0.9)[: CHANNELS[kind]])
        scale = 1.3 + zlib.crc32(name.encode()) % 17 / 7
        self.cards += (
            f'<texcoord name="t{name}" type="vector2"/><multiply name="m{name}" type="vector2">'
            f'<input name="in1" type="vector2" nodename="t{name}"/><input name="in2" type="float" value="{scale:.3f}"/>'
            f'</multiply><noise2d name="s{name}" type="{kind}"><input name="amplitude" type="{wide}" value="{amplitude}"/>'
            f'<input name="pivot" type="float" value="{pivot}"/><input name="texcoord" type="vector2" nodename="m{name}"/>'
            f"</noise2d>"
        )
        return f"s{name}"

    def _output(self, name: str, tab: TabDef) -> str:
        which = "" if len(self.definition.outputs) == 1 else f' output="{name}"'
        if tab.type.startswith("matrix"):
            side = 3 if tab.type == "matrix33" else 4
            return f'<output name="o_{name}" type="vector{side}" nodename="x"/>'
        return f'<output name="o_{name}" type="{tab.type}" nodename="n"{which}/>' if tab.type in CHANNELS else ""

    def _through(self, kind: str) -> str:
        """A matrix is seen by what it does to a vector."""
        side = 3 if kind == "matrix33" else 4
        before = len(self.cards)
        source = self._source("v", f"vector{side}", 1.4, 0.2)
        cards, self.cards = self.cards[before:], self.cards[:before]
        return (
            f'{cards}<transformmatrix name="x" type="vector{side}"><input name="in" type="vector{side}" '
            f'nodename="{source}"/><input name="mat" type="{kind}" nodename="n"/></transformmatrix>'
        )
