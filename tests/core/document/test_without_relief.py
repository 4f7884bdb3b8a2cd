"""Materials without some of their relief."""

from __future__ import annotations

import pytest

from collage.core.base.errors import CollageError
from collage.core.document.materialx import parse_document
from collage.core.document.relief import KINDS, without_relief

NETWORK = parse_document(b"""<materialx version="1.39">
    <nodegraph name="set">
        <normalmap name="map" type="vector3"><input name="scale" type="vector2" value="1, 2"/></normalmap>
        <output name="out" type="vector3" nodename="map"/>
    </nodegraph>
    <constant name="strength" type="float"><input name="value" type="float" value="3"/></constant>
    <bump name="bumped" type="vector3"><input name="scale" type="float" nodename="strength"/></bump>
    <displacement name="moved" type="displacementshader"/>
    <surfacematerial name="m" type="material">
        <input name="displacementshader" type="displacementshader" nodename="moved"/></surfacematerial>
    </materialx>""")


def state(kinds: tuple[str, ...]) -> tuple[object, object, bool]:
    found = without_relief(NETWORK, kinds)
    inner = found.cards["set"].network
    assert inner is not None
    bump = found.cards["bumped"].inputs["scale"]
    return inner.cards["map"].inputs["scale"].value, bump.value, "displacementshader" in found.cards["m"].inputs


def test_each_kind_goes_by_itself() -> None:
    assert state(()) == ((1.0, 2.0), None, True)
    assert state(("normal maps",)) == ((0.0, 0.0), None, True)
    assert state(("bump",)) == ((1.0, 2.0), 0.0, True)
    assert state(("displacement",)) == ((1.0, 2.0), None, False)
    assert state(KINDS) == ((0.0, 0.0), 0.0, False)
    assert without_relief(NETWORK, ("bump",)).cards["bumped"].inputs["scale"].wire is None


def test_an_unknown_kind_is_told() -> None:
    with pytest.raises(CollageError, match="no relief"):
        without_relief(NETWORK, ("fuzz",))
