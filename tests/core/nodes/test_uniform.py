"""A value counts the same whether it is one number for all points or one for each: for every input of every card."""

from __future__ import annotations

import random
import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.document.types import CHANNELS
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.files import write_image
from collage.core.nodes.library import Library, NodeDef, TabDef, load_library

LIBRARY = load_library()
CATEGORIES = sorted({one.category for one in LIBRARY if any(tab.type in CHANNELS for tab in one.outputs.values())})
SIZE = 6


@pytest.fixture(scope="module")
def pictures(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("pictures")
    y, x = np.mgrid[0:12, 0:16] / 16
    write_image(folder / "rgb.png", np.rint(np.stack([x, y, x * y], -1) * 255).astype(np.uint8))
    return folder


def wireable(definition: NodeDef) -> list[TabDef]:
    return [
        tab
        for tab in definition.inputs.values()
        if tab.type in CHANNELS and tab.type not in ("integer", "boolean") and not tab.type.startswith("matrix")
        if not tab.uniform
    ]


def graph(definition: NodeDef, varied: str, spread: bool) -> str:
    """The document: one input is wired to a ramp, the others have values; with `spread`, by wires too."""
    chance = random.Random(zlib.crc32(f"{definition.name}{varied}".encode()))
    cards, given = "", ""
    for tab in definition.inputs.values():
        if tab.type == "filename":
            given += f'<input name="{tab.name}" type="filename" value="rgb.png"/>'
        if tab not in wireable(definition):
            continue
        values = [chance.choice((0.15, 0.3, 0.45, 0.6, 0.9)) for _ in range(CHANNELS[tab.type])]
        text = ", ".join(map(str, values))
        if tab.name != varied and not spread and not tab.geometry:
            given += f'<input name="{tab.name}" type="{tab.type}" value="{text}"/>'
            continue
        # a constant card is folded; what is multiplied by a coordinate is not
        factor = "1" if tab.name == varied else "0"
        if spread or tab.name == varied:
            kind = tab.type.replace("color", "vector")
            ends = "".join(
                f'<input name="in{at}" type="float" nodename="f_{tab.name}"/>' for at in range(1, CHANNELS[kind] + 1)
            )
            wide = f'<combine{CHANNELS[kind]} name="w_{tab.name}" type="{tab.type}">{ends}</combine{CHANNELS[kind]}>'
            start = f"w_{tab.name}" if CHANNELS[kind] > 1 else f"f_{tab.name}"
            cards += (
                f'<texcoord name="t_{tab.name}" type="vector2"/><extract name="e_{tab.name}" type="float"><input '
                f'name="in" type="vector2" nodename="t_{tab.name}"/></extract><multiply name="f_{tab.name}" '
                f'type="float"><input name="in1" type="float" nodename="e_{tab.name}"/><input name="in2" type="float" '
                f'value="{factor}"/></multiply>{wide if CHANNELS[kind] > 1 else ""}<add name="s_{tab.name}" '
                f'type="{tab.type}"><input name="in1" type="{tab.type}" nodename="{start}"/><input name="in2" '
                f'type="{tab.type}" value="{text}"/></add>'
            )
            given += f'<input name="{tab.name}" type="{tab.type}" nodename="s_{tab.name}"/>'
        else:
            cards += f'<constant name="s_{tab.name}" type="{tab.type}"><input name="value" type="{tab.type}" value="{text}"/></constant>'
            given += f'<input name="{tab.name}" type="{tab.type}" nodename="s_{tab.name}"/>'
    outputs = "".join(
        f'<output name="o_{name}" type="{tab.type}" nodename="n"'
        + (f' output="{name}"/>' if len(definition.outputs) > 1 else "/>")
        for name, tab in definition.outputs.items()
        if tab.type in CHANNELS and not tab.type.startswith("matrix")
    )
    card = f'<{definition.category} name="n" type="{definition.type}" nodedef="{definition.name}">{given}</{definition.category}>'
    return f'<materialx version="1.39"><nodegraph name="g">{cards}{card}{outputs}</nodegraph></materialx>'


def values(library: Library, text: str, folder: Path) -> Iterator[tuple[str, np.ndarray]]:
    document = parse_document(text.encode())
    inside = document.cards["g"].network
    assert inside is not None
    wanted = {name: CardOutput("g", name) for name in inside.outputs}
    if wanted:
        plan = build_plan(library, document, wanted, folder=folder, strict=True)
        for name, value in run(plan, sheet(SIZE, SIZE)).items():
            value = np.asarray(value, np.float32)
            yield name, np.broadcast_to(value, (len(value), SIZE * SIZE))


@pytest.mark.parametrize("category", CATEGORIES)
def test_one_value_for_all_points_counts_as_one_for_each(category: str, library: Library, pictures: Path) -> None:
    for definition in library:
        if definition.category != category:
            continue
        for tab in wireable(definition):
            few = dict(values(library, graph(definition, tab.name, False), pictures))
            many = dict(values(library, graph(definition, tab.name, True), pictures))
            for name, value in few.items():
                same = np.isclose(value, many[name], rtol=1e-4, atol=1e-5, equal_nan=True)
                assert same.mean() > 0.97, f"{definition.name}.{tab.name}, {name}: {same.mean():.2f} alike"
