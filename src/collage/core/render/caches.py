"""What is kept between pictures: it changes how long a picture takes, never how it looks.

A window has one set of caches, shared by all that draws in it and used from several threads.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Generic, TypeVar

from collage.core.base.safe_write import is_file
from collage.core.evaluate.run import ResultCache
from collage.core.render.environment import EnvironmentLight, load_environment
from collage.core.render.lighting import View
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench
from collage.core.scene.scene import Scene, build_scene

MOST_SAMPLES = 6_000_000
"""Samples in all kept views; each takes some 200 bytes."""

Kept = TypeVar("Kept")


class Lru(Generic[Kept]):
    """Values by key; the sum of their sizes is bounded, and those not used for longest go first."""

    def __init__(
        self, limit: int, size: Callable[[Kept], int] = lambda _: 1, dropped: Callable[[Kept], object] = lambda _: None
    ) -> None:
        self._limit, self._size, self._dropped = limit, size, dropped
        self._values: OrderedDict[Hashable, Kept] = OrderedDict()
        self._making: dict[Hashable, threading.Lock] = {}
        self._lock = threading.Lock()

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._values

    def get_or_make(self, key: Hashable, make: Callable[[], Kept]) -> Kept:
        """The value; who asks for one that another thread is making waits for it."""
        kept = self._get(key)
        if kept is not None:
            return kept
        with self._lock:
            making = self._making.setdefault(key, threading.Lock())
        with making:
            kept = self._get(key)
            if kept is not None:
                return kept
            try:
                return self._put(key, make())
            finally:  # if it came to nothing, the next one tries
                with self._lock:
                    self._making.pop(key, None)

    def _get(self, key: Hashable) -> Kept | None:
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
            return self._values.get(key)

    def _put(self, key: Hashable, made: Kept) -> Kept:
        gone = []
        with self._lock:
            made = self._values.setdefault(key, made)
            self._values.move_to_end(key)
            while len(self._values) > 1 and sum(map(self._size, self._values.values())) > self._limit:
                gone.append(self._values.popitem(last=False)[1])
        for one in gone:
            self._dropped(one)
        return made

    def clear(self) -> None:
        with self._lock:
            self._values.clear()


class RenderCaches:
    """Scenes, environments and views, and the results of evaluating materials on them."""

    def __init__(self, results: ResultCache | None = None) -> None:
        self.results = results or ResultCache()
        self._scenes: Lru[Scene] = Lru(6)
        self._environments: Lru[EnvironmentLight] = Lru(3)
        self.views: Lru[View] = Lru(MOST_SAMPLES, lambda view: max(view.samples.count, 10_000), self._forget)

    def _forget(self, view: View) -> None:
        for group in view.samples.groups:
            self.results.forget(group.points.id)

    def scene(self, bench: Bench) -> Scene:
        """The bench's geometry, ready for rays; kept by all that decides it."""
        return self._scenes.get_or_make(bench.geometry_key, lambda: build_scene(bench.objects, bench.ground))

    def environment(self, bench: Bench, folder: Path) -> EnvironmentLight | None:
        """The environment that lights the bench; None where it is off. Raises CollageError."""
        environment = bench.environment
        if not environment.on:
            return None
        return self._environment(folder / environment.file if environment.file else None)

    def even_environment(self) -> EnvironmentLight:
        """An even grey, for where there is none."""
        return self._environment(None)

    def _environment(self, path: Path | None) -> EnvironmentLight:
        stamp = path.stat().st_mtime_ns if path is not None and is_file(path) else 0
        return self._environments.get_or_make((path, stamp), lambda: load_environment(path))

    def clear(self) -> None:
        for store in (self._scenes, self._environments, self.views):
            store.clear()
        self.results.clear()


def view_key(request: PictureRequest, shift: tuple[float, float]) -> Hashable:
    """Names all that the samples of a picture depend on."""
    return request.bench.geometry_key, request.bench.camera, request.size, request.quality == "coarse", shift
