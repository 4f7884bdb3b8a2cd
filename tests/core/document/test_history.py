"""The history: every edit can be taken back and done again, and ends in the identical document."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.history import History
from collage.core.document.model import Card, Network, Wire


def test_undo_and_redo_give_back_the_same_objects() -> None:
    first = Network()
    history = History(first)
    history.do("Add a", lambda network: edits.add_card(network, Card("a", "sin", "float")))
    second = history.state
    history.undo()
    assert history.state is first
    history.redo()
    assert history.state is second
    assert (history.undo_label, history.redo_label) == ("Add a", "")


def test_a_drag_is_one_step_until_the_hand_lets_go() -> None:
    history = History(Network().with_card(Card("a", "sin", "float")))
    for value in (0.1, 0.2, 0.3):
        history.do("Set in", lambda n, v=value: edits.set_value(n, "a", "in", "float", v), merge="a.in")
    history.close_merge()
    history.do("Set in", lambda n: edits.set_value(n, "a", "in", "float", 0.9), merge="a.in")
    assert history.labels == ["Set in", "Set in"]
    history.undo()
    assert history.state.cards["a"].inputs["in"].value == 0.3
    history.undo()
    assert "in" not in history.state.cards["a"].inputs


def test_an_edit_that_changes_nothing_leaves_no_step() -> None:
    history = History(Network().with_card(Card("a", "sin", "float")))
    history.do("Nothing", lambda network: edits.disconnect(network, "a", "in"))
    history.do("The same again", lambda _: Network().with_card(Card("a", "sin", "float")))
    assert history.labels == []


def test_listeners_hear_of_every_change_once_with_before_and_after() -> None:
    history = History(1)
    heard: list[tuple[int, int]] = []
    history.changed.connect(lambda before, after: heard.append((before, after)))
    history.do("Up", lambda number: number + 1)
    history.undo()
    assert heard == [(1, 2), (2, 1)]


def test_a_group_is_one_step_and_an_error_inside_takes_it_all_back() -> None:
    history = History(0)
    with history.group("Twice"):
        history.do("One", lambda number: number + 1)
        history.do("Two", lambda number: number + 1)
    assert history.labels == ["Twice"]
    with pytest.raises(CollageError), history.group("Broken"):
        history.do("One", lambda number: number + 1)
        raise CollageError("No.")
    assert history.state == 2
    assert history.labels == ["Twice"]


NAMES = [f"c{number}" for number in range(6)]


@st.composite
def edit(draw: st.DrawFn) -> tuple[str, str, str, float]:
    kind = draw(st.sampled_from(["add", "remove", "wire", "cut", "set", "move", "skip"]))
    return kind, draw(st.sampled_from(NAMES)), draw(st.sampled_from(NAMES)), draw(st.floats(-9, 9))


def apply(network: Network, kind: str, a: str, b: str, number: float) -> Network:
    if kind == "add":
        return edits.add_card(network, Card(a, "sin", "float"))
    if kind == "remove":
        return edits.remove_cards(network, [a], {a: "in"})
    if kind == "wire":
        return edits.connect(network, Wire(a), b, "in", "float")
    if kind == "cut":
        return edits.disconnect(network, a, "in")
    if kind == "set":
        return edits.set_value(network, a, "in", "float", number)
    if kind == "move":
        return edits.move_cards(network, {a: (number, number)})
    return edits.skip_cards(network, [a], number > 0)


@settings(max_examples=60, deadline=None)
@given(st.lists(edit(), max_size=60))
def test_a_random_walk_of_edits_undone_and_redone_ends_in_the_identical_document(walk: list) -> None:
    history: History[Network] = History(Network())
    for step in walk:
        try:
            history.do(step[0], lambda network, step=step: apply(network, *step))
        except CollageError:
            continue
        for _, _, wire in history.state.wires():
            assert wire.card in history.state.cards, "no wire may come from nowhere"
    last, steps = history.state, len(history.labels)
    for _ in range(steps):
        history.undo()
    assert history.state == Network()
    for _ in range(steps):
        history.redo()
    assert history.state is last
