"""Plans of materials, kept while neither the document nor its files have changed."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any

from collage.core.document.model import Network
from collage.core.images.store import ImageStore
from collage.core.render.surface import Surface

MOST_PLANS = 64


@dataclass(frozen=True, eq=False)
class _Kept:
    """A plan of a network, and what it was made for: other settings, and its image files as they were."""

    network: Network
    state: tuple[Any, ...]
    stamps: tuple[str, ...]
    surface: Surface


class Plans:
    """Keeps the last plans. May be used from several threads."""

    def __init__(self, images: ImageStore) -> None:
        self.images = images
        self._kept: dict[Hashable, _Kept] = {}
        self._last: dict[Hashable, _Kept] = {}  # by name, whatever the network

    def get(
        self, name: Hashable, network: Network, state: tuple[Any, ...], make: Callable[[Surface | None], Surface]
    ) -> Surface:
        """The plan under a name; the one before, while network, state and image files are the same.

        make : makes it; of the network as it was last, where only that is another.
        """
        key, state = (name, id(network)), (*state, self.images.broken)
        kept, last = self._kept.get(key), self._last.get(name)
        if kept is not None and kept.network is network and self._holds(kept, state):
            return kept.surface
        loaded = self.images.loaded
        surface = make(last.surface if last is not None and self._holds(last, state) else None)
        if not surface.problems:  # what is broken is looked at again: its file may be good by then
            if len(self._kept) > MOST_PLANS:
                self._kept.pop(next(iter(self._kept)), None)
            if len(self._last) > MOST_PLANS:
                self._last.pop(next(iter(self._last)), None)
            self._kept[key] = self._last[name] = _Kept(network, state, self._stamps(surface, loaded), surface)
        return surface

    def _holds(self, kept: _Kept, state: tuple[Any, ...]) -> bool:
        return kept.state == state and kept.stamps == self._stamps(kept.surface)

    def _stamps(self, surface: Surface, loaded: int | None = None) -> tuple[str, ...]:
        """The states on disk of all image files of a plan. Where greys stand in, each map that comes may change it."""
        stamps = tuple(one.stamp for one in surface.images)
        if not surface.plan.waiting:
            return stamps
        return (*stamps, str(self.images.loaded if loaded is None else loaded))
