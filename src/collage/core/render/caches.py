"""What is kept between pictures: it changes how long a picture takes, never how it looks.

A window has one set of caches, shared by all that draws in it and used from several threads.
"""

from __future__ import annotations

from collections.abc import Hashable
from pathlib import Path

from collage.core.base.budget import Budget, Store
from collage.core.base.safe_write import is_file
from collage.core.evaluate.run import ResultCache
from collage.core.geometry.points import Points
from collage.core.render.environment import EnvironmentLight, load_environment
from collage.core.render.lighting import View
from collage.core.render.request import PictureRequest
from collage.core.render.samples import MANY
from collage.core.scene.bench import Bench
from collage.core.scene.scene import Scene, build_scene, shape_of


class RenderCaches:
    """Scenes, environments and views, and the results of evaluating materials on them, within a budget."""

    def __init__(self, budget: Budget | None = None) -> None:
        budget = budget or Budget()
        self.results = ResultCache(budget)
        self._scenes: Store[Hashable, Scene] = Store(budget, lambda scene: scene.nbytes, most=6)
        self._environments: Store[Hashable, EnvironmentLight] = Store(budget, lambda light: light.nbytes, most=3)
        self.views: Store[Hashable, View] = Store(budget, lambda view: view.nbytes, dropped=self._forget)

    def _forget(self, view: View) -> None:
        for group in view.samples.groups:
            self.results.forget(group.points.id)

    def forget(self, view: View) -> None:
        """Lets go of all that was worked out for a view, and for what lies behind what is seen through in it."""
        self._forget(view)
        for group in view.samples.groups:
            name = behind_key(view.scene, group.points)
            behind = self.views.get(name)
            if behind is not None:
                self.forget(behind)
                self.views.drop(lambda key, name=name: key == name)  # type: ignore[misc]

    def scene(self, bench: Bench, key: tuple[str, ...] = ()) -> Scene:
        """The bench's geometry, ready for rays; kept by all that decides it. key : its geometry key, if it is known."""

        def make() -> Scene:
            shape = shape_of(bench.objects, bench.ground)
            like = next((one for one in self._scenes.values() if one.shape == shape), None)
            return build_scene(bench.objects, bench.ground, like)

        return self._scenes.get_or_make(key or bench.geometry_key, make)

    def view_before(self, scene: Scene, seen_as: Hashable) -> View | None:
        """The last view that looks the same way at a scene of the same shape, of which other UVs were changed."""
        views = reversed(self.views.values())
        return next((one for one in views if one.seen_as == seen_as and one.scene.differs_in_uvs(scene)), None)

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
        """Lets go of scenes, views, environments and results."""
        for store in (self._scenes, self._environments, self.views):
            store.clear()
        self.results.clear()


def behind_key(scene: Scene, points: Points) -> Hashable:
    """Names what is seen through see-through samples."""
    return "behind", scene.keys, points.id


def look_key(request: PictureRequest, shift: tuple[float, float]) -> Hashable:
    """Names all that the samples of a picture depend on, beside the geometry."""
    bench = request.bench
    worn = bench.worn if len(bench.worn) >= MANY else ()  # else samples are the same whatever the materials
    return bench.camera, request.size, request.quality == "coarse", shift, worn


def view_key(request: PictureRequest, shift: tuple[float, float]) -> Hashable:
    """Names all that the samples of a picture depend on."""
    return request.geometry_key, look_key(request, shift)
