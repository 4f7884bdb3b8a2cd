"""The document's form: what is read and written again is the same, and bad files get a sentence."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree

import MaterialX as mx
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from collage.core.base.errors import CollageError
from collage.core.document.materialx import parse_document, read_document, validate, write_document
from collage.core.document.model import Network
from collage.core.document.types import number_text, parse, write, zero
from collage.demo.shed import celadon_glaze, lime_bloomed_clay, weathered_bench

RICH = """<?xml version="1.0"?>
<materialx version="1.39" colorspace="lin_rec709" fileprefix="maps/">
  <nodegraph name="set" xpos="1" ypos="2">
    <input name="repeat" type="vector2" value="2, 2" uiname="Repeats"/>
    <texcoord name="uv" type="vector2"/>
    <place2d name="place" type="vector2">
      <input name="texcoord" type="vector2" nodename="uv"/>
      <input name="scale" type="vector2" interfacename="repeat"/>
    </place2d>
    <image name="colour" type="color3">
      <input name="file" type="filename" value="a.png" colorspace="srgb_texture"/>
      <input name="texcoord" type="vector2" nodename="place"/>
    </image>
    <output name="base" type="color3" nodename="colour"/>
    <backdrop name="frame" contains="uv, place" width="3" height="2"/>
  </nodegraph>
  <separate3 name="parts" type="multioutput"><input name="in" type="color3" nodegraph="set" output="base"/></separate3>
  <open_pbr_surface name="surface" type="surfaceshader">
    <input name="base_color" type="color3" nodegraph="set" output="base"/>
    <input name="specular_roughness" type="float" nodename="parts" output="outr"/>
  </open_pbr_surface>
  <surfacematerial name="material" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="surface"/>
  </surfacematerial>
  <look name="look"><materialassign name="assign" material="material" geom="/pot"/></look>
  <propertyset name="flags"><property name="matte" type="boolean" value="false"/></propertyset>
</materialx>
"""


def equivalent(first: str, second: str) -> bool:
    one, two = mx.createDocument(), mx.createDocument()
    mx.readFromXmlString(one, first)
    mx.readFromXmlString(two, second)
    return bool(one.isEquivalent(two, mx.ElementEquivalenceOptions())[0])


def test_a_document_read_and_written_again_is_the_same_by_the_librarys_own_comparison() -> None:
    written = write_document(parse_document(RICH.encode()))
    assert equivalent(RICH, written)
    assert not equivalent(RICH, written.replace("2, 2", "2, 3")), "the comparison itself must be able to fail"


def test_what_collage_does_not_know_is_kept() -> None:
    text = RICH.replace(
        "</materialx>",
        '<mystery name="m" type="float" depth="3"><input name="q" type="float" value="1"/></mystery></materialx>',
    )
    written = write_document(parse_document(text.encode()))
    assert "mystery" in written
    assert 'depth="3"' in written
    assert "materialassign" in written
    assert "backdrop" in written


def test_wires_groups_and_places_are_read() -> None:
    document = parse_document(RICH.encode())
    group = document.cards["set"]
    assert group.network is not None
    assert group.position == (1.0, 2.0)
    assert group.inputs["repeat"].value == (2.0, 2.0)
    assert group.network.cards["place"].inputs["scale"].interface == "repeat"
    wire = document.cards["surface"].inputs["specular_roughness"].wire
    assert wire is not None
    assert (wire.card, wire.output) == ("parts", "outr")


@pytest.mark.parametrize("make", [lime_bloomed_clay, celadon_glaze, weathered_bench])
def test_the_demos_materials_are_valid_and_come_back_equal(make) -> None:
    network: Network = make()
    assert validate(network) == []
    assert parse_document(write_document(network).encode()) == network


def test_an_unsound_document_is_told_by_the_library() -> None:
    document = parse_document(
        b'<materialx version="1.39"><sin name="s" type="float"><input name="in" type="color3" value="1,1,1"/></sin></materialx>'
    )
    assert any("s" in line for line in validate(document))


def test_older_versions_are_brought_up_by_the_library() -> None:
    text = b'<materialx version="1.38"><nodegraph name="g"><atan2 name="a" type="float"><input name="in1" type="float" value="1"/></atan2><output name="o" type="float" nodename="a"/></nodegraph></materialx>'
    inner = parse_document(text).cards["g"].network
    assert inner is not None
    assert "iny" in inner.cards["a"].inputs


BOMB = b'<?xml version="1.0"?><!DOCTYPE materialx [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]><materialx version="1.39">&b;</materialx>'


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (BOMB, "document type or entities"),
        (b"<html></html>", "not a MaterialX document"),
        (b'<materialx version="1.39"><a>', "broken at line 1"),
        (b"", "broken at line 1"),
        (
            b'<materialx version="1.39">' + b"<nodegraph name='x'>" * 5000 + b"</nodegraph>" * 5000 + b"</materialx>",
            "deep",
        ),
        (b"\xff\xfe\x00<", "broken at line"),
    ],
)
def test_bad_files_get_one_sentence_with_the_files_name(tmp_path: Path, data: bytes, words: str) -> None:
    path = tmp_path / "bad.mtlx"
    path.write_bytes(data)
    with pytest.raises(CollageError, match=words) as caught:
        read_document(path)
    assert caught.value.about == "bad.mtlx"


def test_a_missing_file_and_an_enormous_one_are_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(CollageError, match="cannot be read"):
        read_document(tmp_path / "none.mtlx")
    monkeypatch.setattr("collage.core.document.materialx.MAX_BYTES", 10)
    path = tmp_path / "big.mtlx"
    path.write_bytes(RICH.encode())
    with pytest.raises(CollageError, match="MB long"):
        read_document(path)


def test_files_named_inside_a_document_are_never_pulled_in(tmp_path: Path) -> None:
    (tmp_path / "other.mtlx").write_text(RICH)
    text = '<materialx version="1.39" xmlns:xi="http://www.w3.org/2001/XInclude"><xi:include href="other.mtlx"/></materialx>'
    path = tmp_path / "a.mtlx"
    path.write_text(text)
    assert "surface" not in read_document(path).cards


@given(st.floats(width=32, allow_nan=False, allow_infinity=False))
def test_numbers_come_back_from_their_text_as_the_same_single(number: float) -> None:
    import numpy as np

    assert np.float32(float(number_text(number))) == np.float32(number)


@pytest.mark.parametrize(
    ("kind", "text"),
    [("float", "0.5"), ("integer", "-3"), ("boolean", "true"), ("color3", "0.1, 0.2, 0.3"), ("string", "a b"),
     ("vector2", "1, 2"), ("matrix33", "1, 0, 0, 0, 1, 0, 0, 0, 1")],
)  # fmt: skip
def test_values_come_back_from_their_text(kind: str, text: str) -> None:
    value = parse(kind, text)
    assert value is not None
    assert write(value) == text


def test_a_definition_without_a_graph_comes_back_as_it_was() -> None:
    """What only another program can compute is kept with all that it says of itself."""
    text = """<materialx version="1.39">
      <nodedef name="ND_shed_moss" node="shed_moss" nodegroup="procedural2d">
        <input name="amount" type="float" value="0.5" uiname="Amount"/><output name="out" type="float"/></nodedef>
      <nodegraph name="g"><shed_moss name="m" type="float"><input name="amount" type="float" value="0.2"/></shed_moss>
        <output name="out" type="float" nodename="m"/></nodegraph></materialx>"""
    network = parse_document(text.encode())
    again = parse_document(write_document(network).encode())
    assert again == network
    kept = ElementTree.fromstring(write_document(network)).find("nodedef")
    assert kept.attrib == {"name": "ND_shed_moss", "node": "shed_moss", "nodegroup": "procedural2d"}
    assert [one.attrib for one in kept] == [
        {"name": "amount", "type": "float", "value": "0.5", "uiname": "Amount"},
        {"name": "out", "type": "float"},
    ]


def test_a_matrix_without_a_value_changes_nothing() -> None:
    assert np.array_equal(np.reshape(zero("matrix44"), (4, 4)), np.eye(4))
    assert np.array_equal(np.reshape(zero("matrix33"), (3, 3)), np.eye(3))
