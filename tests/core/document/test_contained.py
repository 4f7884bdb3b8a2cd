"""Documents of many materials: each is taken with just the cards and definitions that it needs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document.contained import contained, is_document, taken
from collage.core.document.materials import surface_card
from collage.core.document.materialx import parse_document, write_document
from collage.core.render.renderer import Renderer
from collage.core.render.swatch import swatch
from other_writers import COLOUR, DOCUMENTS, OWN, document, graph, material


def read(text: str):
    return parse_document(text.encode())


def test_every_material_is_offered_with_its_folder_as_words():
    found = contained(read(DOCUMENTS["many materials"]))
    assert len(found) == 110
    assert (found[1].title, found[1].folder) == ("wood_001", "woods ash")
    assert "woods ash" in found[1].words
    assert sum("elm" in one.words for one in found) == 36


def test_a_material_is_taken_with_just_its_cards():
    network = read(DOCUMENTS["many materials"])
    one = taken(network, "wood_007")
    assert set(one.cards) == {"wood_007", "SR_wood_007", "NG"}
    assert one.cards["NG"] == network.cards["NG"], "what others use too comes along"
    assert one.attributes == network.attributes
    assert read(write_document(one)) == one


def test_surfaces_that_no_material_shows_are_offered_too():
    loose = '<open_pbr_surface name="loose" type="surfaceshader">' + COLOUR + "</open_pbr_surface>"
    network = read(document(material("pot", COLOUR) + loose))
    assert [one.title for one in contained(network)] == ["pot", "loose"]
    surface = surface_card(taken(network, "loose"))
    assert surface is not None
    assert surface.name == "loose"


def test_the_right_surface_is_shown_and_looks_of_scenes_stay_behind(library):
    network = read(DOCUMENTS["translators beside"])
    assert [one.title for one in contained(network)] == ["tin", "tin_ss", "tin_up"]
    for one, category in (("tin", "open_pbr_surface"), ("tin_ss", "standard_surface"), ("tin_up", "UsdPreviewSurface")):
        alone = taken(network, one)
        surface = surface_card(alone)
        assert surface is not None
        assert surface.category == category
        assert alone.kept == ()


def test_a_material_that_inherits_brings_what_it_inherits_from():
    base = material("base", COLOUR)
    heir = '<surfacematerial name="heir" type="material" inherit="base"/>'
    network = read(document(base + heir + material("other", COLOUR)))
    assert [one.title for one in contained(network)] == ["base", "heir", "other"]
    alone = taken(network, "heir")
    assert set(alone.cards) == {"heir", "base", "SR_base"}
    assert surface_card(alone) == network.cards["SR_base"]


@pytest.mark.parametrize("joined", ["by the graph", "by an element"])
def test_definitions_come_along_where_they_are_used(library, joined):
    own = OWN
    if joined == "by an element":
        own = own.replace('<nodegraph name="NG_warm" nodedef="ND_warm">', '<nodegraph name="NG_warm">')
        own += '<implementation name="IM_warm" nodedef="ND_warm" nodegraph="NG_warm"/>'
    network = read(
        document(
            own + material("ember", '<input name="base_color" type="color3" nodename="w"/>') + material("pot", COLOUR)
        )
    )
    ember, pot = taken(network, "ember"), taken(network, "pot")
    assert {"w", "NG_warm"} <= set(ember.cards)
    assert any(one.category == "nodedef" for one in ember.kept)
    assert set(pot.cards) == {"pot", "SR_pot"}
    assert not any(one.category == "nodedef" for one in pot.kept)
    renderer = Renderer(library)
    alone, whole = (swatch(renderer, one, Path(), (48, 36)) for one in (ember, network))
    np.testing.assert_array_equal(alone, whole)


def test_a_card_in_a_group_counts_as_a_use(library):
    inside = '<warm name="w2" type="color3"><input name="in" type="color3" value="1, 0.5, 0.2"/></warm>'
    own = OWN[: OWN.index("<warm ")]
    wire = '<input name="base_color" type="color3" nodegraph="NG" output="out"/>'
    network = read(document(own + graph(inside, "color3", "w2") + material("ember", wire) + material("pot", COLOUR)))
    assert "NG_warm" in taken(network, "ember").cards
    assert "NG_warm" not in taken(network, "pot").cards


def test_documents_are_known_by_their_name():
    assert is_document(Path("a/Pots.MTLX"))
    assert not is_document(Path("mtlx.png"))


def test_an_unknown_name_is_told_with_the_nearest(tmp_path):
    from collage.core.actions.materials import Offered

    file = tmp_path / "woods.mtlx"
    file.write_text(DOCUMENTS["many materials"])
    offered = Offered.read(file)
    assert [one.title for one in offered.named(["wood_003", "wood_001"])] == ["wood_003", "wood_001"]
    with pytest.raises(CollageError, match="Did you mean “wood_00"):
        offered.named(["wod_003"])
