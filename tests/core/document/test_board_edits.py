"""Edits of the board beyond single wires: taken out, swapped, cut, framed, copied."""

from __future__ import annotations

import pytest

from collage.core.base.errors import CollageError
from collage.core.document.clipboard import copied, pasted
from collage.core.document.edits import connect, cut_wires, swap_inputs, take_out
from collage.core.document.frames import Frame, around, frames, with_frame, without_frame
from collage.core.document.materialx import parse_document, validate, write_document
from collage.core.document.model import Network, Wire
from networks import network, same


def test_a_card_taken_out_stays_and_its_neighbours_join() -> None:
    after = take_out(network(), ["hard"], {"hard": "in"})
    assert after.cards["surface"].inputs["specular_roughness"].wire == Wire("both")
    assert after.cards["hard"].inputs.get("in") is None
    assert after.consumers("hard") == []
    assert after.cards["hard"].inputs["amount"].value == 1.5
    source = take_out(network(), ["uv"], {})
    assert source.cards["finer"].inputs.get("in1") is None, "what had no source before it is left unwired"


def test_swapped_twice_is_as_before_and_kinds_must_agree(library) -> None:
    once = swap_inputs(network(), "both", "fg", "bg")
    assert once.cards["both"].inputs["fg"].wire == Wire("cells")
    same(library, network(), swap_inputs(once, "both", "fg", "bg"))
    value = swap_inputs(network(), "both", "fg", "mix")
    assert value.cards["both"].inputs["fg"].value == 0.25
    assert value.cards["both"].inputs["mix"].wire == Wire("noise")
    with pytest.raises(CollageError, match="not of one kind"):
        swap_inputs(network(), "ramp", "valuel", "texcoord")


def test_wires_are_cut_together() -> None:
    after = cut_wires(network(), [("both", "fg"), ("both", "bg"), ("surface", "base_color"), ("nobody", "in")])
    assert not any(one.wire for one in after.cards["both"].inputs.values())
    assert "base_color" not in after.cards["surface"].inputs


def test_frames_are_backdrops_of_the_standard_and_outlive_a_file() -> None:
    framed, name = around(network(), ["noise", "cells", "gone"], "Pattern")
    note = with_frame(framed, Frame("note", "", "Too coarse for close views", 1.0, 2.0))
    assert validate(note) == []
    again = parse_document(write_document(note).encode())
    found = frames(again)
    assert [one.title for one in found] == ["Pattern", ""]
    assert found[0].holds == ("noise", "cells")
    assert found[0].x < 2.0
    assert found[0].x + found[0].width > 2.8
    assert found[1].text == "Too coarse for close views"
    assert [one.name for one in frames(without_frame(again, name))] == ["note"]
    broken = with_frame(again, Frame("note", width=-3.0))
    assert frames(broken)[1].width > 0


def test_copied_cards_paste_into_another_network_with_their_wires(library) -> None:
    text = copied(network(), ["noise", "both", "hard"])
    assert text.startswith("<?xml")
    other, names = pasted(Network(), text, (5.0, 5.0))
    assert set(names) == {"noise", "both", "hard"}
    assert other.cards["both"].inputs["fg"].wire == Wire("noise")
    assert other.cards["both"].inputs["bg"].wire is None, "what was not copied is left unwired"
    assert other.cards["noise"].position == (5.0, 5.0)
    twice, again = pasted(network(), text)
    assert set(again).isdisjoint({"noise", "both", "hard"})
    assert twice.cards[again[1]].inputs["fg"].wire in {Wire(name) for name in again}
    same(library, network(), twice)


@pytest.mark.parametrize(
    "text", ["", "shopping list", "<materialx version='1.39'/>", "<!DOCTYPE x [<!ENTITY a 'b'>]><x/>"]
)
def test_a_text_that_is_no_copy_is_refused(text: str) -> None:
    before = network()
    with pytest.raises(CollageError):
        pasted(before, text)


def test_a_wired_inputs_value_waits_beside_it_and_a_file_that_has_both_stays_as_it_is() -> None:
    wired = network().cards["both"]
    assert wired.inputs["mix"].value == 0.25
    after = connect(network(), Wire("noise"), "both", "mix", "float")
    text = write_document(after)
    assert validate(after) == []
    assert 'clg_value="0.25"' in text
    assert parse_document(text.encode()).cards["both"].inputs["mix"].value == 0.25, (
        "and comes back when the wire is cut"
    )
    both = '<input name="mix" type="float" value="0.25" nodename="noise" />'
    foreign = text.replace(next(line.strip() for line in text.splitlines() if "clg_value" in line), both)
    again = write_document(parse_document(foreign.encode()))
    assert both in again
    assert "clg_" not in again
