"""Groups: bundled, shown, ordered and opened up again, with the same numbers all the way."""

from __future__ import annotations

from functools import partial
from itertools import combinations

import pytest

from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.groups import (
    add_output,
    bundle,
    hide_input,
    name_input,
    order_inputs,
    show_input,
    unbundle,
)
from collage.core.document.materialx import parse_document, validate, write_document
from collage.core.document.model import Card, Wire, inside, replaced_inside
from collage.core.nodes.wiring import output_type
from networks import network, numbers, same

CARDS = ("uv", "finer", "noise", "cells", "both", "hard", "ramp")


def test_any_cards_bundle_and_open_up_again_without_a_change_of_numbers(library) -> None:
    start, types = network(), partial(output_type, library)
    bundled = 0
    for count in (1, 2, 3, 4, 7):
        for names in combinations(CARDS, count):
            try:
                grouped, group = bundle(start, names, types)
            except CollageError:  # their own test is below
                continue
            bundled += 1
            assert set(names) == set(grouped.cards[group].network.cards)
            same(library, start, grouped)
            same(library, start, parse_document(write_document(grouped).encode()))
            again, back = unbundle(grouped, group)
            assert set(back) == set(names)
            same(library, start, again)
    assert bundled > 40


def test_a_bundle_is_a_sound_nodegraph_with_an_input_for_each_source(library) -> None:
    grouped, group = bundle(network(), ("noise", "cells", "both"), partial(output_type, library), "Pattern")
    card = grouped.cards[group]
    assert validate(grouped) == []
    assert card.title == "Pattern"
    assert [one.wire for one in card.inputs.values()] == [Wire("finer")], "one input, though two cards take from it"
    assert {out.wire for out in card.network.outputs.values()} == {Wire("both"), Wire("cells")}


def test_cards_that_would_wire_in_a_circle_are_refused(library) -> None:
    with pytest.raises(CollageError, match="Select it too"):
        bundle(network(), ("finer", "both"), partial(output_type, library))
    with pytest.raises(CollageError, match="Nothing is selected"):
        bundle(network(), (), partial(output_type, library))
    with pytest.raises(CollageError, match="Only a group"):
        unbundle(network(), "noise")


def test_inputs_are_chosen_named_ordered_and_hidden(library) -> None:
    start = network()
    grouped, group = bundle(start, ("noise", "both"), partial(output_type, library))
    card = show_input(grouped.cards[group], "noise", "amplitude", "float", 1.0, "Height")
    card = show_input(card, "both", "mix", "float", 0.0)
    assert card.inputs["amplitude"].value == 0.7, "it keeps what it had"
    assert card.inputs["amplitude"].attributes["uiname"] == "Height"
    same(library, start, grouped.with_card(card))
    ordered = order_inputs(card, ["mix", "amplitude"])
    assert list(ordered.inputs)[:2] == ["mix", "amplitude"]
    assert name_input(ordered, "amplitude", "Size").inputs["amplitude"].attributes["uiname"] == "Size"
    louder = ordered.with_input(type(ordered.inputs["mix"])("mix", "float", 1.0))
    changed = numbers(library, grouped.with_card(louder))["specular_roughness"]
    assert abs(changed - numbers(library, start)["specular_roughness"]).max() > 0.05, "the shown input rules"
    hidden = hide_input(louder, "mix")
    assert "mix" not in hidden.inputs
    assert hidden.network.cards["both"].inputs["mix"].value == 1.0, "inside it keeps the value"
    with pytest.raises(CollageError, match="already wired or linked"):
        show_input(card, "noise", "amplitude", "float", 1.0)


def test_a_group_puts_out_one_more_result(library) -> None:
    grouped, group = bundle(network(), ("noise", "both"), partial(output_type, library))
    card = add_output(grouped.cards[group], "noise", "", "float")
    assert Wire("noise") in {out.wire for out in card.network.outputs.values()}
    with pytest.raises(CollageError, match="already"):
        add_output(card, "noise", "", "float")


def test_groups_nest(library) -> None:
    types = partial(output_type, library)
    inner, first = bundle(network(), ("noise", "both"), types)
    outer, second = bundle(inner, (first, "hard"), types)
    same(library, network(), outer)
    again, _ = unbundle(outer, second)
    same(library, network(), again)


def test_cards_come_back_around_the_place_of_their_group(library) -> None:
    grouped, group = bundle(network(), ("noise", "cells", "both"), partial(output_type, library))
    grouped = edits.move_cards(grouped, {group: (20.0, -5.0)})
    inside = [card.position for card in grouped.cards[group].network.cards.values()]
    again, back = unbundle(grouped, group)
    places = [again.cards[name].position for name in back]
    for axis, middle in ((0, 20.0), (1, -5.0)):
        low, high = min(place[axis] for place in places), max(place[axis] for place in places)
        assert (low + high) / 2 == pytest.approx(middle, abs=1e-3)
        assert high - low == pytest.approx(max(p[axis] for p in inside) - min(p[axis] for p in inside), abs=1e-3)


def test_a_card_that_is_put_into_a_group_bears_the_name_of_none_of_its_inputs(library) -> None:
    """In a file both stand side by side: the group could not be saved."""
    grouped, group = bundle(network(), ("noise",), partial(output_type, library))
    taken = sorted(grouped.cards[group].inputs)
    assert taken
    path = (group,)
    for name in taken:
        within = inside(grouped, path)
        fresh = within.free_name(name)
        assert fresh != name
        with pytest.raises(CollageError, match="has an input named"):
            edits.add_card(within, Card(name, "constant", "float"))
        with pytest.raises(CollageError, match="has an input named"):
            edits.rename_card(within, "noise", name)
        grouped = replaced_inside(grouped, path, edits.add_card(within, Card(fresh, "constant", "float")))
    again = parse_document(write_document(grouped).encode())
    assert sorted(again.cards[group].inputs) == taken
    assert set(again.cards[group].network.cards) == set(inside(grouped, path).cards)
    assert validate(again) == []
    freed = inside(again.with_card(hide_input(again.cards[group], taken[0])), path)
    assert freed.free_name(taken[0]) == taken[0]
