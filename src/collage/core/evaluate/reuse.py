"""What of an earlier plan holds for a changed network: a value that is dragged plans only what it is part of."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from collage.core.document.model import Network
from collage.core.evaluate.steps import Shift, Source, Step, upstream

Made = dict[tuple[str, Shift], dict[str, Source]]
"""By a card and its small steps, what it puts out."""


@dataclass(frozen=True, eq=False)
class Planned:
    """How a plan came about.

    how : all that decides it beside the network. made : of the network's own cards. steps : of those, by key.
    outputs : of the plan.
    """

    how: tuple[object, ...]
    network: Network
    made: Made
    steps: Mapping[str, Step]
    outputs: Mapping[str, Source]

    def holds_for(self, network: Network, how: tuple[object, ...]) -> Made:
        """What is the same in another network; nothing where that is made in another way or has other definitions."""
        before = self.network
        if how != self.how or before.attributes != network.attributes or before.kept != network.kept:
            return {}
        other = changed(before, network)
        return {where: one for where, one in self.made.items() if where[0] not in other and where[0] in network.cards}

    def is_for(self, outputs: Mapping[str, Source], how: tuple[object, ...]) -> bool:
        """Whether these are the outputs, with the same values, made in the same way."""
        return how == self.how and _names(outputs) == _names(self.outputs)


def changed(before: Network, after: Network) -> set[str]:
    """Names of the cards that are not the same ones in both networks, and of all that takes from them."""
    users: dict[str, list[str]] = {}
    for user, _, wire in after.wires():
        users.setdefault(wire.card, []).append(user)
    waiting = [name for name, card in after.cards.items() if before.cards.get(name) is not card]
    waiting += before.cards.keys() - after.cards.keys()
    found: set[str] = set()
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            waiting += users.get(name, [])
    return found


def reachable(steps: Mapping[str, Step], sources: Iterable[Source]) -> dict[str, Step]:
    """The steps that some results are made of, in their order."""
    needed = {step.key for step in upstream(sources, steps)}
    return {key: step for key, step in steps.items() if key in needed}


def _names(outputs: Mapping[str, Source]) -> dict[str, str]:
    return {name: getattr(one, "name", one.key) for name, one in outputs.items()}
