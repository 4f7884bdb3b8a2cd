"""Links: what follows gets exactly factor times the value plus the offset, for every reader."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.base.errors import CollageError
from collage.core.document.edits import remove_cards, set_value
from collage.core.document.links import (
    Link,
    Place,
    changed_link,
    follow,
    follows,
    link_of,
    linked_value,
    places_of,
    set_linked,
    unlink,
    without_idle_links,
)
from collage.core.document.materialx import parse_document, validate, write_document
from collage.core.document.model import LINK
from networks import network, numbers, same

AMOUNT, MIX, HARD = Place("noise", "amplitude"), Place("both", "mix"), Place("hard", "amount")
FINITE = st.floats(-4, 4, width=32)


@settings(deadline=None)
@given(factor=FINITE, offset=FINITE, value=FINITE)
def test_a_link_gives_the_same_numbers_as_the_value_typed_in(library, factor, offset, value) -> None:
    linked = follow(network(), MIX, AMOUNT, "float", 0.7, factor=factor, offset=offset)
    typed = numbers(library, set_value(network(), "both", "mix", "float", factor * 0.7 + offset))
    for name, number in numbers(library, linked).items():
        np.testing.assert_allclose(number, typed[name], atol=4e-6, rtol=4e-7, err_msg="but for the last places")
    moved = set_linked(linked, AMOUNT, value)
    plain = set_value(network(), "noise", "amplitude", "float", value)
    wanted = numbers(library, set_value(plain, "both", "mix", "float", factor * value + offset))
    for name, number in numbers(library, moved).items():
        np.testing.assert_allclose(number, wanted[name], atol=2e-5, rtol=1e-5)


def test_links_are_standard_cards_that_any_reader_gets_the_same_from(library) -> None:
    linked = follow(network(), MIX, AMOUNT, "float", 0.7, factor=0.5, offset=0.1)
    assert validate(linked) == []
    again = parse_document(write_document(linked).encode())
    same(library, linked, again)
    assert link_of(again, MIX) == link_of(linked, MIX), "and it is still a link"
    assert follows(again).keys() == {MIX, AMOUNT}
    kinds = {card.category for card in linked.cards.values() if LINK in card.attributes}
    assert kinds == {"constant", "multiply", "add"}


def test_a_follower_of_a_follower_and_its_value() -> None:
    linked = follow(network(), MIX, AMOUNT, "float", 0.7, factor=2.0)
    chain = follow(linked, HARD, MIX, "float", 1.4, factor=3.0, offset=1.0)
    assert linked_value(chain, HARD) == pytest.approx(3 * 1.4 + 1)
    holder = link_of(chain, HARD).holder
    assert places_of(chain, holder)[0] == AMOUNT
    assert set(places_of(chain, holder)) == {AMOUNT, MIX, HARD}
    back = set_linked(chain, HARD, 7.0)
    assert linked_value(back, AMOUNT) == pytest.approx(1.0)
    with pytest.raises(CollageError, match="itself"):
        follow(chain, MIX, MIX, "float", 0.0)


def test_factor_and_offset_can_be_changed() -> None:
    linked = follow(network(), MIX, AMOUNT, "float", 0.7)
    other = changed_link(linked, MIX, Link("", 4.0, -1.0), "float")
    assert linked_value(other, MIX) == pytest.approx(4 * 0.7 - 1)
    assert linked_value(other, AMOUNT) == pytest.approx(0.7)


def test_a_cut_link_keeps_its_number_and_leaves_nothing_behind(library) -> None:
    linked = follow(network(), MIX, AMOUNT, "float", 0.7, factor=0.5)
    cut = unlink(linked, MIX)
    assert cut.cards["both"].inputs["mix"].value == pytest.approx(0.35)
    assert cut.cards["noise"].inputs["amplitude"].value == pytest.approx(0.7)
    assert not any(LINK in card.attributes for card in cut.cards.values())
    gone = without_idle_links(remove_cards(linked, ["noise"]))
    assert gone.cards["both"].inputs["mix"].value == pytest.approx(0.35), "the leader's card is gone, the number stays"
    assert not any(LINK in card.attributes for card in gone.cards.values())


def test_colours_link_and_wired_inputs_do_not(library) -> None:
    left, right = Place("ramp", "valuel"), Place("ramp", "valuer")
    linked = follow(network(), right, left, "color3", (0.1, 0.2, 0.3), factor=2.0)
    assert linked_value(linked, right) == pytest.approx((0.2, 0.4, 0.6))
    assert validate(linked) == []
    with pytest.raises(CollageError, match="wired"):
        follow(network(), MIX, Place("both", "fg"), "float", 0.0)
    with pytest.raises(CollageError, match="Only numbers"):
        follow(network(), MIX, AMOUNT, "string", "x")
