"""Kinds of cards as people look for them: one for each name, with the types that it comes in."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from collage.core.nodes.labels import Offer, search


@dataclass(frozen=True)
class Kind:
    """One name, and an offer for each type that it puts out, the most usual one first."""

    label: str
    offers: tuple[Offer, ...]
    found: Offer  # the one that the search found first

    def usual(self, wanted: str = "") -> Offer:
        """The offer that works on the wanted type if there is one; else the one that the search found first.

        What takes nothing in, as patterns do, is the same whatever is wanted.
        """
        fitting = (one for one in self.offers if one.definition.type == wanted and one.definition.main_input)
        return next(fitting, self.found)


def found_kinds(every: Sequence[Offer], text: str, fits: Callable[[Offer], bool] = lambda _: True) -> list[Kind]:
    """The kinds that a search finds, best first. fits : whether an offer may be shown at all.

    Where nothing is found, the kinds whose words are nearest to those of the text.
    """
    hits = [one for one in search(list(every), text) if fits(one)]
    if not hits and text.strip():
        hits = [one for one in _nearest(every, text) if fits(one)]
    found: dict[tuple[str, str], Offer] = {}
    for one in hits:
        found.setdefault(_key(one), one)
    of: dict[tuple[str, str], list[Offer]] = {}
    for one in every:
        if fits(one):
            of.setdefault(_key(one), []).append(one)
    return [Kind(first.label, tuple(of[key]), first) for key, first in found.items()]


def is_near_only(every: Sequence[Offer], text: str) -> bool:
    """Whether the text itself finds nothing."""
    return not search(list(every), text)


def _key(offer: Offer) -> tuple[str, str]:
    return offer.definition.category, offer.label


def _words(offer: Offer) -> list[str]:
    return offer.words.replace(",", " ").split()


def _nearest(every: Iterable[Offer], text: str) -> list[Offer]:
    """Offers by how near one of their words comes to one of the text's."""
    wanted = text.lower().split()
    words = sorted({word for one in every for word in _words(one)})
    near = [word for part in wanted for word in difflib.get_close_matches(part, words, 4, 0.6)]
    return [one for word in dict.fromkeys(near) for one in every if word in _words(one)]
