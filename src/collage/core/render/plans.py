"""Plans of materials, kept while neither the document nor its files have changed."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

from collage.core.document.model import Network
from collage.core.images.store import ImageStore
from collage.core.render.surface import Surface

MOST_PLANS = 64


class Plans:
    """Keeps the last plans. May be used from several threads."""

    def __init__(self, images: ImageStore) -> None:
        self.images = images
        self._kept: dict[Hashable, tuple[Network, tuple[Any, ...], tuple[str, ...], Surface]] = {}

    def get(self, name: Hashable, network: Network, state: tuple[Any, ...], make: Callable[[], Surface]) -> Surface:
        """The plan under a name; the one before, while network, state and image files are the same."""
        key, state = (name, id(network)), (*state, self.images.broken)
        kept = self._kept.get(key)
        if kept is not None and kept[0] is network and kept[1] == state and kept[2] == self._stamps(kept[3]):
            return kept[3]
        loaded = self.images.loaded
        surface = make()
        if not surface.problems:  # what is broken is looked at again: its file may be good by then
            if len(self._kept) > MOST_PLANS:
                self._kept.pop(next(iter(self._kept)), None)
            self._kept[key] = (network, state, self._stamps(surface, loaded), surface)
        return surface

    def _stamps(self, surface: Surface, loaded: int | None = None) -> tuple[str, ...]:
        """The states on disk of all image files of a plan. Where greys stand in, each map that comes may change it."""
        stamps = tuple(one.stamp for one in surface.images)
        if not surface.plan.waiting:
            return stamps
        return (*stamps, str(self.images.loaded if loaded is None else loaded))
