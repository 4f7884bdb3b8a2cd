"""A tidy board: cards in columns from left to right, in rows that follow their wires."""

from __future__ import annotations

from collections.abc import Iterable

from collage.core.document.model import Network, order

COLUMN, ROW = 1.15, 1.1


def tidy(network: Network, names: Iterable[str]) -> dict[str, tuple[float, float]]:
    """Places for cards, in the standard's units: sources left, crossings few, the top left corner kept.

    Longest-path layers, then barycentre ordering (K. Sugiyama, S. Tagawa, M. Toda, Methods for Visual
    Understanding of Hierarchical System Structures, 1981).
    """
    chosen = [name for name in names if not network.cards[name].helper]
    if not chosen:
        return {}
    inputs = {name: _sources(network, name, set(chosen)) for name in chosen}
    sequence, _ = order(network, list(network.cards))
    depth: dict[str, int] = {}
    for name in [*reversed(sequence), *chosen]:  # from the surface backwards: a card sits just before its use
        if name in inputs:
            later = [depth[other] for other in chosen if name in inputs[other] and other in depth]
            depth.setdefault(name, max(later, default=-1) + 1)
    last = max(depth.values())
    columns: dict[int, list[str]] = {}
    for name in sorted(chosen, key=lambda one: network.cards[one].position[1]):
        columns.setdefault(last - depth[name], []).append(name)
    row: dict[str, float] = {}
    for number in sorted(columns, reverse=True):  # the right-most column keeps its order, the others follow it

        def wanted(name: str) -> float:
            users = [row[other] for other in chosen if name in inputs[other] and other in row]
            return sum(users) / len(users) if users else 1e6 + network.cards[name].position[1]

        columns[number].sort(key=wanted)
        for at, name in enumerate(columns[number]):
            row[name] = float(at)
    left = min(network.cards[name].position[0] for name in chosen)
    top = min(network.cards[name].position[1] for name in chosen)
    tallest = max(len(names) for names in columns.values())
    return {
        name: (left + number * COLUMN, top + (at + (tallest - len(names)) / 2) * ROW)
        for number, names in columns.items()
        for at, name in enumerate(names)
    }


def _sources(network: Network, name: str, chosen: set[str]) -> set[str]:
    """Chosen cards that a card takes from, looking through conversion cards."""
    found: set[str] = set()
    waiting = [one.wire.card for one in network.cards[name].inputs.values() if one.wire]
    while waiting:
        source = waiting.pop()
        card = network.cards.get(source)
        if card is None:
            continue
        if source in chosen:
            found.add(source)
        elif card.helper:
            waiting += [one.wire.card for one in card.inputs.values() if one.wire]
    return found
