"""The document as immutable values.

A `Network` holds cards; a card's inputs hold a value or a wire. Nothing here is ever changed in place:
an edit makes a new network that shares everything it did not touch. Undo is then the old network, a
worker thread can read a network without a lock, and what changed is found by comparing two of them.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping
from dataclasses import dataclass, field, replace

from collage.core.base.text import cleaned

Value = bool | int | float | str | tuple[float, ...]
"""A literal: numbers as they are; colours, vectors and matrices as tuples; file names as text."""

SKIP = "clg_skip"  # attribute of a card that is switched off
MUTE = "clg_mute"  # attribute of a surface input that shows its default
MAP_SET = "clg_mapset"  # attribute of a group that holds the maps of one surface
CONVERT = "clg_convert"  # attribute of a card that Collage put in to make two types meet
LINK = "clg_link"  # attribute of a card that carries a value to others that follow it: value, factor, offset
STACK = "clg_stack"  # attribute of a group that is a stack of layers: the type of the layers
UNREAD = "clg_unread"  # noted, never written: the text of a value in the file that does not fit its type
RAMP = "clg_ramp"  # attribute of a group that is a ramp of more stops than the standard's card holds


def free_among(wanted: str, taken: Container[str], gap: str = "") -> str:
    """`wanted`, or the first of wanted2, wanted3 ... that is not taken; `gap` stands before the number."""
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted}{gap}{number}", number + 1
    return name


@dataclass(frozen=True)
class Element:
    """Anything in a document that Collage does not work with, kept to be written again."""

    category: str
    name: str
    attributes: Mapping[str, str] = field(default_factory=dict)
    children: tuple[Element, ...] = ()


@dataclass(frozen=True)
class Wire:
    """Where an input takes its value from: an output of a card. An empty output means its only one."""

    card: str
    output: str = ""


def _clean_attributes(one: Input | Card) -> None:
    """Documents hold no text that cannot be written: whatever a person types is read again as it stands."""
    if not all(map(str.isprintable, one.attributes.values())):
        clean = {name: cleaned(text) for name, text in one.attributes.items()}
        object.__setattr__(one, "attributes", clean)


@dataclass(frozen=True)
class Input:
    """An input of a card that has been given something: a value, a wire, or an input of the group."""

    name: str
    type: str
    value: Value | None = None
    wire: Wire | None = None
    interface: str | None = None  # the enclosing group's input that this one follows
    attributes: Mapping[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if isinstance(self.value, str) and not self.value.isprintable():
            object.__setattr__(self, "value", cleaned(self.value))
        _clean_attributes(self)

    @property
    def unread(self) -> str | None:
        """The text that its file has for a value and that does not fit its type; None where all is well."""
        return self.attributes.get(UNREAD) if self.value is None else None

    @property
    def muted(self) -> bool:
        """Whether its wire is kept but not followed."""
        return self.attributes.get(MUTE) == "true"


@dataclass(frozen=True)
class Output:
    """An output that a group or a document puts out."""

    name: str
    type: str
    wire: Wire | None = None
    interface: str | None = None
    attributes: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Card:
    """One step of a network. A group is a card of the category `nodegraph` with a network inside."""

    name: str
    category: str
    type: str
    inputs: Mapping[str, Input] = field(default_factory=dict)
    attributes: Mapping[str, str] = field(default_factory=dict)
    network: Network | None = None
    kept: tuple[Element, ...] = ()

    def __post_init__(self) -> None:
        _clean_attributes(self)
        if self.network is not None and self.network.taken != self.inputs.keys():
            object.__setattr__(self, "network", replace(self.network, taken=frozenset(self.inputs)))

    @property
    def position(self) -> tuple[float, float]:
        """Place on the board, in the standard's units (one unit is about a card)."""
        try:
            return float(self.attributes["xpos"]), float(self.attributes["ypos"])
        except (KeyError, ValueError):
            return 0.0, 0.0

    @property
    def placed(self) -> bool:
        """Whether it has a place on the board."""
        return "xpos" in self.attributes and "ypos" in self.attributes

    @property
    def skipped(self) -> bool:
        """Whether it passes its main input on unchanged."""
        return self.attributes.get(SKIP) == "true"

    @property
    def helper(self) -> bool:
        """Whether Collage put the card in to make types meet or a value follow; the board does not show it."""
        return self.attributes.get(CONVERT) == "true" or LINK in self.attributes

    @property
    def title(self) -> str:
        """The name a person gave the card, or an empty text."""
        return self.attributes.get("uiname", "")

    def with_attribute(self, name: str, value: str | None) -> Card:
        """A copy with an attribute set; None removes it."""
        attributes = {key: text for key, text in self.attributes.items() if key != name}
        if value is not None:
            attributes[name] = value
        return replace(self, attributes=attributes)

    def with_input(self, new: Input) -> Card:
        """A copy with an input added, or in the place of the one of that name."""
        return replace(self, inputs={**self.inputs, new.name: new})

    def without_input(self, name: str) -> Card:
        """A copy without an input."""
        return replace(self, inputs={key: one for key, one in self.inputs.items() if key != name})


@dataclass(frozen=True)
class Network:
    """Cards and what they are wired to: a whole document, or the inside of a group."""

    cards: Mapping[str, Card] = field(default_factory=dict)
    inputs: Mapping[str, Input] = field(default_factory=dict)
    outputs: Mapping[str, Output] = field(default_factory=dict)
    attributes: Mapping[str, str] = field(default_factory=dict)
    kept: tuple[Element, ...] = ()
    taken: frozenset[str] = field(default=frozenset(), compare=False, repr=False)
    """Inside a group, the names of its inputs: in a file they stand beside the cards, which must have others."""

    def with_card(self, card: Card) -> Network:
        """The network with this card put in, or put in the place of the one with its name."""
        return replace(self, cards={**self.cards, card.name: card})

    def without_cards(self, names: set[str]) -> Network:
        """A copy without some cards; wires from them stay as written."""
        return replace(self, cards={name: card for name, card in self.cards.items() if name not in names})

    def wires(self) -> Iterator[tuple[str, str, Wire]]:
        """Every wire as (card it ends at, that card's input, where it comes from)."""
        for card in self.cards.values():
            for one in card.inputs.values():
                if one.wire is not None:
                    yield card.name, one.name, one.wire

    def consumers(self, name: str) -> list[tuple[str, str, Wire]]:
        """The wires that leave the card `name`."""
        return [found for found in self.wires() if found[2].card == name]

    def upstream(self, name: str) -> set[str]:
        """The names of all cards that the card `name` takes from, near and far, itself included."""
        seen: set[str] = set()
        waiting = [name]
        while waiting:
            here = waiting.pop()
            if here in seen or here not in self.cards:
                continue
            seen.add(here)
            waiting += [one.wire.card for one in self.cards[here].inputs.values() if one.wire]
        return seen

    def downstream(self, name: str, stop: Callable[[Card], bool]) -> list[Card]:
        """The cards that take from the card `name`, near and far, itself first; none behind those that `stop` says."""
        found: dict[str, Card] = {}
        waiting = [name]
        while waiting:
            here = waiting.pop()
            if here not in found and here in self.cards:
                found[here] = self.cards[here]
                if not stop(self.cards[here]):
                    waiting += [user for user, _, _ in self.consumers(here)]
        return list(found.values())

    def free_name(self, wanted: str) -> str:
        """`wanted`, or the first of wanted2, wanted3 ... that no card, input or output bears."""
        taken = self.taken | self.cards.keys() | self.inputs.keys() | self.outputs.keys() | {e.name for e in self.kept}
        if wanted not in taken:
            return wanted
        stem = wanted.rstrip("0123456789") or wanted
        number = 2
        while f"{stem}{number}" in taken:
            number += 1
        return f"{stem}{number}"


def inside(network: Network, path: tuple[str, ...]) -> Network:
    """The network of the group that `path` leads to; an empty path is the document itself."""
    for name in path:
        inner = network.cards[name].network
        if inner is None:
            raise KeyError(name)
        network = inner
    return network


def replaced_inside(network: Network, path: tuple[str, ...], new: Network) -> Network:
    """The document with the network at `path` replaced by `new`."""
    if not path:
        return new
    card = network.cards[path[0]]
    if card.network is None:
        raise KeyError(path[0])
    return network.with_card(replace(card, network=replaced_inside(card.network, path[1:], new)))


def order(network: Network, wanted: list[str]) -> tuple[list[str], set[str]]:
    """The cards that `wanted` need, sources first, and those that lie in or behind a loop."""
    needed: set[str] = set()
    for name in wanted:
        if name not in needed:
            needed |= network.upstream(name)
    before = {
        name: {one.wire.card for one in network.cards[name].inputs.values() if one.wire and one.wire.card in needed}
        for name in needed
    }
    after: dict[str, list[str]] = {name: [] for name in needed}
    for name, sources in before.items():
        for source in sources:
            after[source].append(name)
    waiting = {name: len(sources) for name, sources in before.items()}
    ready = [name for name in network.cards if waiting.get(name) == 0]
    done: list[str] = []
    while ready:
        name = ready.pop()
        done.append(name)
        for later in after[name]:
            waiting[later] -= 1
            if waiting[later] == 0:
                ready.append(later)
    return done, needed - set(done)
