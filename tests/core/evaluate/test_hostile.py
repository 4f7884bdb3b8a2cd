"""Documents that would take for ever, or that no number type holds: bounded, and told in a sentence."""

from __future__ import annotations

import os
import time
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document import edits, links
from collage.core.document.materialx import read_document
from collage.core.document.model import Network
from collage.core.document.types import parse
from collage.core.evaluate.plan import MOST_CARDS, CardOutput, build_plan
from collage.core.evaluate.sheets import evaluate_graphs
from collage.core.images.files import read_pixels
from collage.core.scene.bench import Bench

USES_ITSELF = """<nodedef name="ND_me" node="me"><output name="out" type="float"/></nodedef>
<nodegraph name="NG_me" nodedef="ND_me"><me name="a" type="float"/><output name="out" type="float" nodename="a"/></nodegraph>
<nodegraph name="g"><me name="m" type="float"/><output name="out" type="float" nodename="m"/></nodegraph>"""


def doubling(levels: int) -> str:
    """Definitions of which each uses the one before twice."""
    text = ""
    for level in range(levels):
        inner = f"k{level - 1}" if level else "sin"
        text += f"""<nodedef name="ND_k{level}" node="k{level}"><input name="in" type="float" value="0"/>
        <output name="out" type="float"/></nodedef><nodegraph name="NG_k{level}" nodedef="ND_k{level}">
        <{inner} name="a" type="float"><input name="in" type="float" interfacename="in"/></{inner}>
        <{inner} name="b" type="float"><input name="in" type="float" nodename="a"/></{inner}>
        <output name="out" type="float" nodename="b"/></nodegraph>"""
    return text + (
        f'<nodegraph name="g"><k{levels - 1} name="m" type="float"/><output name="out" type="float" nodename="m"/>'
        "</nodegraph>"
    )


def sheets(library, tmp_path: Path, body: str) -> tuple[list[str], Path]:
    """What `collage evaluate` says of a document, and where the picture is."""
    document = tmp_path / "d.mtlx"
    document.write_text(f'<materialx version="1.39">{body}</materialx>')
    done = list(evaluate_graphs(library, document, 8, 8, tmp_path / "out"))
    return [str(one.error) for one in done if one.error is not None], tmp_path / "out" / "g.out.exr"


@pytest.mark.parametrize(
    ("body", "words"),
    [(USES_ITSELF, "uses itself"), (doubling(40), f"more than {MOST_CARDS:,}")],
    ids=["self", "twice"],
)
def test_definitions_without_an_end_are_told_of(library, tmp_path: Path, body: str, words: str) -> None:
    begin = time.process_time()
    told, _ = sheets(library, tmp_path, body)
    assert words in told[0]
    assert time.process_time() - begin < 60, "it took for ever before"


def test_a_few_definitions_in_each_other_are_computed(library, tmp_path: Path) -> None:
    told, file = sheets(library, tmp_path, doubling(4))
    assert told == []
    assert read_pixels(file)[0, 0, 0] == 0


def test_two_billion_octaves_are_as_good_as_some(library, tmp_path: Path) -> None:
    many = '<nodegraph name="g"><fractal2d name="f" type="float"><input name="octaves" type="integer" value="{}"/></fractal2d><output name="out" type="float" nodename="f"/></nodegraph>'
    told, file = sheets(library, tmp_path, many.format(2_000_000_000))
    assert told == []
    most = read_pixels(file).copy()
    assert np.isfinite(most).all()
    sheets(library, tmp_path, many.format(40))
    np.testing.assert_allclose(read_pixels(file), most, atol=1e-6)


@pytest.mark.parametrize(("octaves", "told"), [(64, []), (65, ["Only 64 octaves are drawn, more change nothing."])])
def test_a_card_that_asks_for_too_many_octaves_says_so(calculate, octaves: int, told: list[str]) -> None:
    network = calculate.document(
        f'<fractal3d name="f" type="float"><input name="octaves" type="integer" value="{octaves}"/></fractal3d>'
    )
    plan = build_plan(calculate.library, network, {"out": CardOutput("f")})
    assert [error.message for error in plan.problems.values()] == told
    assert all(place[1] == "f" for place in plan.problems)


def test_integers_have_32_bits() -> None:
    assert parse("integer", "99999999999999") == 2**31 - 1
    assert parse("integer", "-99999999999999") == -(2**31)
    assert parse("integer", "-7") == -7


@pytest.mark.parametrize("value", [float("nan"), float("inf"), (0.5, float("-inf"), 0.0)])
def test_values_that_are_no_numbers_are_refused_where_they_are_set(calculate, value) -> None:
    network: Network = calculate.document('<constant name="c" type="float"/><constant name="d" type="float"/>')
    with pytest.raises(CollageError, match="NaN"):
        edits.set_value(network, "c", "value", "float", value)
    factor = value if isinstance(value, float) else value[1]
    with pytest.raises(CollageError, match="NaN"):
        links.follow(network, links.Place("c", "value"), links.Place("d", "value"), "float", 0.0, factor=factor)
    with pytest.raises(ValueError, match="finite"):
        Bench(exposure=factor)


@pytest.mark.parametrize("make", [os.mkfifo, lambda path: path.mkdir()], ids=["pipe", "folder"])
def test_what_is_no_file_is_not_read(tmp_path: Path, make) -> None:
    make(tmp_path / "x.mtlx")
    with pytest.raises(CollageError, match="no file") as told:
        read_document(tmp_path / "x.mtlx")
    assert told.value.about == "x.mtlx"
