"""A random walk of five hundred edits, taken back and done again: the document is identical each way."""

from __future__ import annotations

import random
from functools import partial

from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.base.errors import CollageError
from collage.core.document import edits, frames, groups, links
from collage.core.document.clipboard import copied, pasted
from collage.core.document.history import History
from collage.core.document.materialx import parse_document, write_document
from collage.core.document.model import Input, Network, Wire
from collage.core.nodes import stacks
from collage.core.nodes.labels import new_card
from collage.core.nodes.library import Library
from collage.core.nodes.wiring import join, output_type
from networks import network

KINDS = (
    "ND_noise2d_float", "ND_mix_color3", "ND_constant_color3", "ND_ramplr_float", "ND_multiply_vector2",
    "ND_contrast_float", "ND_place2d_vector2", "ND_normalmap_float", "ND_image_color3",
)  # fmt: skip
STEPS = 500


class Walk:
    """Makes one random edit after another."""

    def __init__(self, library: Library, seed: int) -> None:
        self.library, self.chance = library, random.Random(seed)

    def _card(self, document: Network) -> str:
        """A card that lies on the board."""
        names = [name for name, card in document.cards.items() if not card.helper]
        return self.chance.choice([name for name in names if name not in ("surface", "material")])

    def _input(self, document: Network, card: str) -> tuple[str, str]:
        found = document.cards[card]
        if found.network is not None:
            tabs = [(one.name, one.type) for one in found.inputs.values()]
        else:
            tabs = [(tab.name, tab.type) for tab in self.library.definition(found).inputs.values()]
        return self.chance.choice(tabs)

    def __call__(self, document: Network) -> Network:
        work = self.chance.choice(
            [self.add, self.wire, self.wire, self.value, self.move, self.remove, self.cut, self.skip, self.copy,
             self.take_out, self.bundle, self.unbundle, self.link, self.unlink, self.frame, self.stack, self.swap]
        )  # fmt: skip
        return links.without_idle_links(work(document))

    def add(self, document: Network) -> Network:
        definition = self.library[self.chance.choice(KINDS)]
        return edits.add_card(document, new_card(definition, document.free_name(definition.category)))

    def wire(self, document: Network) -> Network:
        source, card = self._card(document), self._card(document)
        if document.cards[card].network is not None and not document.cards[card].inputs:
            return document
        name, kind = self._input(document, card)
        return join(self.library, document, Wire(source), card, name, kind)

    def value(self, document: Network) -> Network:
        card = self._card(document)
        numbers = [one for one in document.cards[card].inputs.values() if one.type == "float"]
        if not numbers:
            return document
        return edits.set_value(document, card, self.chance.choice(numbers).name, "float", self.chance.random())

    def move(self, document: Network) -> Network:
        places = {self._card(document): (self.chance.uniform(-5, 5), self.chance.uniform(-5, 5))}
        return edits.move_cards(document, places)

    def remove(self, document: Network) -> Network:
        return edits.remove_cards(document, [self._card(document)], {}) if len(document.cards) > 8 else document

    def cut(self, document: Network) -> Network:
        wires = [(card, name) for card, name, _ in document.wires() if not document.cards[card].helper]
        wires = [end for end in wires if end[0] != "material"]
        return edits.cut_wires(document, [self.chance.choice(wires)]) if wires else document

    def skip(self, document: Network) -> Network:
        return edits.skip_cards(document, [self._card(document)], self.chance.random() < 0.5)

    def copy(self, document: Network) -> Network:
        if len(document.cards) > 60:
            return document
        return pasted(document, copied(document, [self._card(document), self._card(document)]))[0]

    def take_out(self, document: Network) -> Network:
        return edits.take_out(document, [self._card(document)], {})

    def bundle(self, document: Network) -> Network:
        names = {self._card(document) for _ in range(3)}
        return groups.bundle(document, names, partial(output_type, self.library))[0]

    def unbundle(self, document: Network) -> Network:
        return groups.unbundle(document, self._card(document))[0]

    def link(self, document: Network) -> Network:
        places = [
            links.Place(card.name, one.name)
            for card in document.cards.values()
            for one in card.inputs.values()
            if one.type == "float" and one.wire is None and not card.helper
        ]
        if len(places) < 2:
            return document
        follower, leader = self.chance.sample(places, 2)
        return links.follow(document, follower, leader, "float", 0.5, factor=self.chance.choice([1.0, 2.0]))

    def unlink(self, document: Network) -> Network:
        places = list(links.follows(document))
        return links.unlink(document, self.chance.choice(places)) if places else document

    def frame(self, document: Network) -> Network:
        return frames.around(document, [self._card(document)], "Frame")[0]

    def stack(self, document: Network) -> Network:
        name = document.free_name("stack")
        layers = [
            stacks.Layer("A", Input("a", "color3", (0.1, 0.2, 0.3))),
            stacks.Layer("B", Input("b", "color3", (1.0, 1.0, 1.0))),
        ]
        return document.with_card(stacks.with_layers(stacks.new_stack(name), layers))

    def swap(self, document: Network) -> Network:
        card = self._card(document)
        names = list(document.cards[card].inputs)
        return edits.swap_inputs(document, card, *self.chance.sample(names, 2)) if len(names) > 1 else document


@settings(max_examples=3, deadline=None)
@given(seed=st.integers(0, 2**32 - 1))
def test_undo_and_redo_of_a_random_walk_end_in_the_identical_document(library, seed: int) -> None:
    walk, start = Walk(library, seed), network()
    history: History[Network] = History(start)
    states, refused = [start], 0
    while len(states) <= STEPS and refused < 20 * STEPS:
        try:
            history.do("Edit", walk)
        except CollageError:
            refused += 1
            continue
        if history.state is not states[-1]:
            states.append(history.state)
    assert len(states) == STEPS + 1
    end = history.state
    for wanted in reversed(states[:-1]):
        history.undo()
        assert history.state is wanted
    assert history.state == start
    for wanted in states[1:]:
        history.redo()
        assert history.state is wanted
    assert history.state is end
    again = parse_document(write_document(end).encode())
    assert again.cards.keys() == end.cards.keys(), "and it can be written and read"
