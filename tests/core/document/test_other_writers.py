"""Documents of others come in whole: what does not fit is kept as it is written, and told where it belongs."""

from __future__ import annotations

from pathlib import Path

import MaterialX as mx
import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materialx import parse_document, read_document, write_document
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest
from collage.core.render.swatch import studio
from other_writers import DOCUMENTS, REMARKS, document, material


def as_library(text: str) -> mx.Document:
    found = mx.createDocument()
    mx.readFromXmlString(found, text)
    return found


def on_a_ball(library, text: str, folder: Path = Path()) -> Picture:
    request = PictureRequest(
        studio("ball"), {"ball": parse_document(text.encode())}, 64, 48, "coarse", material_folder=folder
    )
    return Renderer(library).picture(request)


@pytest.mark.parametrize("name", DOCUMENTS)
def test_it_is_written_again_as_it_was_read(tmp_path, name):
    text = DOCUMENTS[name]
    (tmp_path / "other.mtlx").write_text(text)
    network = read_document(tmp_path / "other.mtlx")
    written = write_document(network)
    same, differs = as_library(text).isEquivalent(as_library(written), mx.ElementEquivalenceOptions())
    assert same, differs
    assert parse_document(written.encode()) == network


@pytest.mark.parametrize("name", DOCUMENTS)
def test_it_looks_right_and_remarks_are_where_they_belong(library, tmp_path, name):
    picture = on_a_ball(library, DOCUMENTS[name], tmp_path)
    told = {place[1]: error for (_, place), error in picture.problems.items()}
    if name not in REMARKS:
        assert told == {}
        red, _, blue = picture.linear[24, 32]
        assert red > 1.5 * blue, "the clay's colour is on the ball"
        return
    card, about, quoted = REMARKS[name]
    assert list(told) == [card]
    assert about in told[card].about
    assert quoted in told[card].message


def test_the_default_counts_where_a_value_does_not_fit(library):
    odd = on_a_ball(library, DOCUMENTS["three numbers for one"])
    plain = on_a_ball(
        library, document(material("clay", '<input name="base_color" type="color3" value="0.5, 0.2, 0.1"/>'))
    )
    np.testing.assert_array_equal(odd.display, plain.display)


def test_a_value_that_is_set_takes_the_place_of_what_did_not_fit():
    network = parse_document(DOCUMENTS["three numbers for one"].encode())
    assert network.cards["SR_clay"].inputs["specular_roughness"].unread == "0.3, 0.3, 0.3"
    after = edits.set_value(network, "SR_clay", "specular_roughness", "float", 0.6)
    written = write_document(after)
    assert 'value="0.6"' in written
    assert "0.3, 0.3, 0.3" not in written
    assert "clg_unread" not in written


@pytest.mark.parametrize(
    ("kind", "text", "says"),
    [
        ("float", "tall", "is not one number"),
        ("color3", "1, 2", "is not 3 numbers"),
        ("integer", "2.5", "is not a whole number"),
        ("boolean", "perhaps", "is not true or false"),
    ],
)
def test_the_sentence_says_what_would_fit(library, kind, text, says):
    category = {"float": "sin", "color3": "add", "integer": "fractal3d", "boolean": "and"}[kind]
    name = {"float": "in", "color3": "in1", "integer": "octaves", "boolean": "in1"}[kind]
    type_name = "float" if kind == "integer" else kind
    card = f'<{category} name="c" type="{type_name}"><input name="{name}" type="{kind}" value="{text}"/></{category}>'
    network = parse_document(f'<materialx version="1.39">{card}</materialx>'.encode())
    plan = build_plan(library, network, {"out": CardOutput("c")})
    (error,) = plan.problems.values()
    assert f"“{text}” {says}" in error.message
