"""What differs between two networks, told exactly: views redraw just that."""

from __future__ import annotations

from dataclasses import dataclass, field

from collage.core.document.model import Card, Network

_LAYOUT = {"xpos", "ypos", "uiname", "doc"}  # attributes that no picture depends on


@dataclass(frozen=True)
class CardChange:
    """What changed of one card: `values`, `wires`, `attributes` or `inside` (a group's own network)."""

    values: frozenset[str] = frozenset()
    wires: frozenset[str] = frozenset()
    attributes: frozenset[str] = frozenset()
    inside: bool = False


@dataclass(frozen=True)
class NetworkChange:
    """The cards that came, went or changed between two networks."""

    added: frozenset[str] = frozenset()
    removed: frozenset[str] = frozenset()
    changed: dict[str, CardChange] = field(default_factory=dict)
    interface: bool = False  # inputs, outputs, attributes or kept elements of the network itself

    def __bool__(self) -> bool:
        return bool(self.added or self.removed or self.changed or self.interface)

    @property
    def shows(self) -> bool:
        """Whether any picture may look different: more than places, names and notes changed."""
        if self.added or self.removed or self.interface:
            return True
        return any(one.values or one.wires or one.inside or one.attributes - _LAYOUT for one in self.changed.values())


def compare(before: Network, after: Network) -> NetworkChange:
    """What an edit did. Unchanged cards are the same objects, so this costs little."""
    if before is after:
        return NetworkChange()
    old, new = before.cards, after.cards
    changed = {
        name: _compare_cards(old[name], new[name])
        for name in new
        if name in old and old[name] is not new[name] and old[name] != new[name]
    }
    return NetworkChange(
        frozenset(new.keys() - old.keys()),
        frozenset(old.keys() - new.keys()),
        changed,
        (before.inputs, before.outputs, before.attributes, before.kept)
        != (after.inputs, after.outputs, after.attributes, after.kept),
    )


def _compare_cards(old: Card, new: Card) -> CardChange:
    values, wires = set(), set()
    for name in old.inputs.keys() | new.inputs.keys():
        before, after = old.inputs.get(name), new.inputs.get(name)
        if before == after:
            continue
        if (before and before.wire) != (after and after.wire):
            wires.add(name)
        if before is None or after is None or (before.value, before.attributes) != (after.value, after.attributes):
            values.add(name)
    attributes = {
        name
        for name in old.attributes.keys() | new.attributes.keys()
        if old.attributes.get(name) != new.attributes.get(name)
    }
    return CardChange(frozenset(values), frozenset(wires), frozenset(attributes), old.network != new.network)
