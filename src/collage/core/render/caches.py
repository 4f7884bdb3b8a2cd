"""What is kept between pictures: it changes how long a picture takes, never how it looks.

A window has one set of caches, shared by all that draws in it and used from several threads.
"""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.budget import Budget, Store
from collage.core.base.safe_write import is_file
from collage.core.evaluate.run import ResultCache
from collage.core.geometry.points import Points
from collage.core.images.pyramid import Pyramid
from collage.core.render.backdrop import shown_behind
from collage.core.render.environment import EnvironmentLight, balanced, load_environment, prepare
from collage.core.render.lighting import View
from collage.core.render.request import PictureRequest
from collage.core.render.samples import MANY
from collage.core.render.sky import SkyTable, sky_table
from collage.core.render.surrounding import Surrounding, surrounding_of
from collage.core.scene.bench import UNBALANCED, Bench
from collage.core.scene.displaced import Displaced, Fine
from collage.core.scene.scene import NOT_DISPLACED, Scene, build_scene, shape_of


class RenderCaches:
    """Scenes, environments and views, and the results of evaluating materials on them, within a budget."""

    def __init__(self, budget: Budget | None = None) -> None:
        budget = budget or Budget()
        self.results = ResultCache(budget)
        self._scenes: Store[Hashable, Scene] = Store(
            budget, lambda scene: scene.nbytes, most=8, dropped=self._forget_scene
        )
        self._environments: Store[Hashable, EnvironmentLight] = Store(budget, lambda light: light.nbytes, most=4)
        self._behind: Store[Hashable, Pyramid] = Store(budget, lambda picture: picture.nbytes, most=2)
        self._skies: Store[str, SkyTable] = Store(budget, lambda sky: sky.nbytes, most=2)
        self._surroundings: Store[Hashable, Surrounding] = Store(budget, lambda found: found.nbytes, most=6)
        self._near: Store[Hashable, np.ndarray] = Store(budget, lambda found: found.nbytes, most=12)
        self.fine: Store[Hashable, Fine] = Store(budget, lambda mesh: mesh.nbytes, most=6)
        self.displaced: Store[Hashable, tuple[Displaced, tuple[str, ...]]] = Store(
            budget, lambda found: found[0].nbytes, most=12
        )
        self.views: Store[Hashable, View] = Store(budget, lambda view: view.nbytes, dropped=self._forget)

    def _forget_scene(self, scene: Scene) -> None:
        """No view holds a scene that is let go of: of those that a moving hand makes there are several a second."""
        self.views.drop_values(lambda view: view.scene is scene)

    def _forget(self, view: View) -> None:
        for group in view.groups:
            self.results.forget(group.points.id)

    def forget(self, view: View) -> None:
        """Lets go of all that was worked out for a view, and for what lies behind what is seen through in it."""
        self._forget(view)
        for group in view.groups:
            name = behind_key(view.scene, group.points)
            behind = self.views.get(name)
            if behind is not None:
                self.forget(behind)
                self.views.drop(lambda key, name=name: key == name)  # type: ignore[misc]

    def scene(
        self,
        bench: Bench,
        key: tuple[str, ...] = (),
        displaced: Mapping[int, Displaced] = NOT_DISPLACED,
        moving: bool = False,
    ) -> Scene:
        """The bench's geometry, ready for rays; kept by all that decides it.

        key : its geometry key, if it is known. displaced, moving : see `build_scene`.
        """
        names = (key or bench.geometry_key) + tuple(f"{number} {one.key}" for number, one in displaced.items())

        def make(moving: bool) -> Scene:
            shape = set(shape_of(bench.objects, bench.ground, displaced))

            def helps(one: Scene) -> tuple[int, bool]:
                """How much of it stays; of equal ones, whether what stays has a tree of its own for a moving hand."""
                return len(shape & set(one.shape)), moving and not one.tracer.is_whole

            like = max(reversed(self._scenes.values()), key=helps, default=None)  # the newest of equal ones
            return build_scene(bench.objects, bench.ground, like, displaced, moving)

        if moving and names not in self._scenes:
            return self._scenes.get_or_make(("moving", *names), lambda: make(True))
        return self._scenes.get_or_make(names, lambda: make(False))

    def view_before(self, scene: Scene, seen_as: Hashable) -> View | None:
        """The last view that looks the same way at a scene of the same shape, of which other UVs were changed."""
        views = reversed(self.views.values())
        return next((one for one in views if one.seen_as == seen_as and one.scene.differs_in_uvs(scene)), None)

    def environment(self, bench: Bench, folder: Path) -> EnvironmentLight | None:
        """The environment that lights the bench; None where it is off. Raises CollageError."""
        environment = bench.around
        if not environment.on:
            return None
        key = self.environment_key(bench, folder)
        sky, path = environment.daylight, folder / environment.file if environment.file else None
        light = self._environments.get_or_make(
            key, lambda: prepare(sky.picture()) if sky is not None else load_environment(path)
        )
        by = environment.balance
        if by == UNBALANCED:
            return light
        return self._environments.get_or_make((key, by), lambda: balanced(light, by))

    def even_environment(self) -> EnvironmentLight:
        """An even grey, for where there is none."""
        return self._environments.get_or_make((None, 0), lambda: load_environment(None))

    def shown_behind(self, light: EnvironmentLight, behind: str) -> Pyramid:
        """An environment as it is seen behind the objects, see `backdrop`."""
        return self._behind.get_or_make((light.key, behind), lambda: shown_behind(light, behind))

    def near(self, scene: Scene, light: EnvironmentLight | None, turn: float, lights: np.ndarray) -> np.ndarray:
        """(2, 3): the light that surfaces near others have, of lights and of an environment; see `surrounding`."""
        found = self._surroundings.get_or_make(scene.around_key, lambda: surrounding_of(scene))
        out = np.zeros((2, 3), np.float32)
        if len(lights):
            key: Hashable = scene.around_key, lights.tobytes()
            out[0] = self._near.get_or_make(key, lambda: found.of_lights(scene, lights))
        if light is not None:
            key = scene.around_key, light.key, turn
            out[1] = self._near.get_or_make(key, lambda: found.of_environment(scene, light, turn))
        return out

    def sky(self, light: EnvironmentLight) -> SkyTable:
        """An environment as paths see it."""
        return self._skies.get_or_make(light.key, lambda: sky_table(light.picture))

    def environment_key(self, bench: Bench, folder: Path) -> Hashable:
        """Names the environment of a bench and the state of its file."""
        environment = bench.around
        if environment.daylight is not None:
            return repr(environment.daylight)
        path = folder / environment.file if environment.file else None
        return path, path.stat().st_mtime_ns if path is not None and is_file(path) else 0

    def clear(self) -> None:
        """Lets go of scenes, views, environments and results."""
        stores: tuple[Store[Any, Any], ...] = (
            self._scenes, self._environments, self._behind, self._skies, self._surroundings, self._near, self.views,
            self.fine, self.displaced,
        )  # fmt: skip
        for store in stores:
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


def view_key(request: PictureRequest, shift: tuple[float, float], displaced: tuple[str, ...] = ()) -> Hashable:
    """Names all that the samples of a picture depend on. displaced : names of what is."""
    return request.geometry_key, displaced, look_key(request, shift)
