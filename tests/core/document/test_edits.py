"""Edits keep networks whole: no loops, no wires to nowhere, nothing else touched."""

from __future__ import annotations

from dataclasses import replace

import pytest

from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.changes import compare
from collage.core.document.model import CONVERT, Card, Input, Network, Wire, inside, order, replaced_inside


def chain(*names: str) -> Network:
    """Cards each of which takes `in` from the one before."""
    network = Network()
    for before, name in zip(("", *names), names, strict=False):
        inputs = {"in": Input("in", "float", None, Wire(before))} if before else {}
        network = network.with_card(Card(name, "absval", "float", inputs))
    return network


def test_connecting_leaves_the_old_network_as_it_was() -> None:
    before = Network().with_card(Card("a", "absval", "float")).with_card(Card("b", "absval", "float"))
    after = edits.connect(before, Wire("a"), "b", "in", "float")
    assert after.cards["b"].inputs["in"].wire == Wire("a")
    assert before.cards["b"].inputs == {}
    assert after.cards["a"] is before.cards["a"]


@pytest.mark.parametrize(("source", "target"), [("c", "a"), ("b", "a"), ("a", "a")])
def test_a_wire_that_closes_a_loop_is_refused_with_a_sentence(source: str, target: str) -> None:
    with pytest.raises(CollageError, match="circle") as caught:
        edits.connect(chain("a", "b", "c"), Wire(source), target, "in", "float")
    assert caught.value.remedy


def test_a_wire_keeps_the_value_that_was_typed_before_and_gives_it_back() -> None:
    network = edits.set_value(chain("a", "b"), "a", "in", "float", 0.25)
    wired = edits.connect(network.with_card(Card("s", "constant", "float")), Wire("s"), "a", "in", "float")
    assert wired.cards["a"].inputs["in"].wire is not None
    cut = edits.disconnect(wired, "a", "in")
    assert cut.cards["a"].inputs["in"] == Input("in", "float", 0.25)


def test_removing_a_card_joins_what_is_before_and_behind_it() -> None:
    after = edits.remove_cards(chain("a", "b", "c"), ["b"], {"b": "in"})
    assert after.cards.keys() == {"a", "c"}
    assert after.cards["c"].inputs["in"].wire == Wire("a")


def test_removing_a_card_without_a_main_input_cuts_its_wires() -> None:
    after = edits.remove_cards(chain("a", "b", "c"), ["b"], {"b": None})
    assert "in" not in after.cards["c"].inputs


def test_conversion_cards_go_when_nothing_needs_them_any_more() -> None:
    network = chain("a", "b", "c")
    network = network.with_card(network.cards["b"].with_attribute(CONVERT, "true"))
    after = edits.disconnect(network, "c", "in")
    assert after.cards.keys() == {"a", "c"}


def test_renaming_carries_every_wire_along() -> None:
    after = edits.rename_card(chain("a", "b", "c"), "b", "middle")
    assert list(after.cards) == ["a", "middle", "c"]
    assert after.cards["c"].inputs["in"].wire == Wire("middle")
    with pytest.raises(CollageError, match="already"):
        edits.rename_card(after, "a", "c")


def test_duplicates_are_wired_among_themselves_and_to_the_same_sources() -> None:
    after, names = edits.duplicate_cards(chain("a", "b", "c"), ["b", "c"], (1, 1))
    assert after.cards[names["b"]].inputs["in"].wire == Wire("a")
    assert after.cards[names["c"]].inputs["in"].wire == Wire(names["b"])
    assert after.cards[names["b"]].position == (1.0, 1.0)


def test_editing_a_card_that_is_gone_says_so() -> None:
    with pytest.raises(CollageError, match="no card named"):
        edits.set_value(Network(), "gone", "in", "float", 1.0)
    with pytest.raises(CollageError, match="already a card"):
        edits.add_card(chain("a"), Card("a", "absval", "float"))


def test_free_names_count_on() -> None:
    network = chain("noise", "noise2")
    assert network.free_name("noise") == "noise3"
    assert network.free_name("mix") == "mix"


def test_order_puts_sources_first_and_names_what_is_stuck() -> None:
    sequence, stuck = order(chain("a", "b", "c"), ["c"])
    assert sequence == ["a", "b", "c"]
    assert not stuck
    looped = chain("a", "b", "c")
    looped = looped.with_card(looped.cards["a"].with_input(Input("in", "float", None, Wire("b"))))
    sequence, stuck = order(looped, ["c"])
    assert sequence == []
    assert stuck == {"a", "b", "c"}


def test_order_of_a_very_long_chain_needs_no_recursion() -> None:
    sequence, stuck = order(chain(*(f"c{number}" for number in range(5000))), ["c4999"])
    assert len(sequence) == 5000
    assert not stuck


def test_changes_are_told_exactly() -> None:
    before = chain("a", "b", "c")
    assert not compare(before, before)
    change = compare(before, edits.set_value(before, "a", "in", "float", 2.0))
    assert change.changed.keys() == {"a"}
    assert change.changed["a"].values == {"in"}
    assert not change.changed["a"].wires
    assert change.shows
    moved = compare(before, edits.move_cards(before, {"b": (3, 4)}))
    assert moved.changed["b"].attributes == {"xpos", "ypos"}
    assert not moved.shows, "moving a card on the board changes no picture"
    cut = compare(before, edits.disconnect(before, "c", "in"))
    assert cut.changed["c"].wires == {"in"}
    gone = compare(before, edits.remove_cards(before, ["c"]))
    assert gone.removed == {"c"}
    assert compare(gone and before, before.with_card(Card("d", "sin", "float"))).added == {"d"}


def test_an_edit_inside_a_group_replaces_only_the_way_down_to_it() -> None:
    group = Card("group", "nodegraph", "multioutput", network=chain("x"))
    document = chain("a").with_card(group)
    after = replaced_inside(
        document, ("group",), edits.set_value(inside(document, ("group",)), "x", "in", "float", 1.0)
    )
    assert after.cards["a"] is document.cards["a"]
    assert inside(after, ("group",)).cards["x"].inputs["in"].value == 1.0
    assert compare(document, after).changed["group"].inside


def test_a_changed_attribute_of_an_input_is_a_changed_value_and_another_wire_is_none() -> None:
    before = chain("a", "b", "c")
    other = edits.connect(before, Wire("a"), "c", "in", "float")
    change = compare(before, other).changed["c"]
    assert (change.wires, change.values) == ({"in"}, frozenset())
    card = before.cards["b"]
    given = replace(card.inputs["in"], attributes={"colorspace": "lin_rec709"})
    spaced = before.with_card(replace(card, inputs={"in": given}))
    change = compare(before, spaced).changed["b"]
    assert (change.values, change.wires) == ({"in"}, frozenset())
    new = before.with_card(replace(card, inputs={**card.inputs, "amount": Input("amount", "float", 0.5)}))
    change = compare(before, new).changed["b"]
    assert (change.values, change.wires) == ({"amount"}, frozenset())


def test_a_removed_card_leaves_the_outputs_of_others_alone(calculate) -> None:
    group = calculate.document(
        '<nodegraph name="g"><constant name="a" type="float"/><constant name="b" type="float"/>'
        '<output name="one" type="float" nodename="a"/><output name="two" type="float" nodename="b"/></nodegraph>'
    )
    inner = inside(group, ("g",))
    left = edits.remove_cards(inner, ["a"])
    assert left.outputs["one"].wire is None
    assert left.outputs["two"].wire == Wire("b")
