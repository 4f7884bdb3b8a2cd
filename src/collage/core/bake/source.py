"""The surface that is baked: an object as dense as it gets, with what its materials do to its shape and normals."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from collage.core.evaluate.run import Workers, never
from collage.core.geometry.mesh import Mesh, unit
from collage.core.geometry.points import Points
from collage.core.geometry.subdivide import sum_by
from collage.core.geometry.topology import same_place
from collage.core.nodes.behaviour import Array
from collage.core.render.fine_relief import with_fine_relief
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.surface import NORMAL, Surface, evaluate_surface, layers_of, normal_of, plan_surface
from collage.core.scene.bench import BenchObject
from collage.core.scene.scene import Scene

DENSE = 1_000_000  # triangles up to which what is displaced is divided


@dataclass(frozen=True, eq=False)
class Source:
    """An object that is baked, ready for rays.

    objects : it, and those that stand around it. scene : of them. mesh : as it is displaced, in its own space.
    surfaces : by region what its materials do to normals, None for nothing. slopes : by region, see `fine_relief`.
    moved : metres that displacement goes at most.
    """

    objects: tuple[BenchObject, ...]
    scene: Scene
    mesh: Mesh
    surfaces: tuple[Surface | None, ...]
    slopes: tuple[Surface | None, ...]
    moved: float
    remarks: tuple[str, ...]

    @property
    def worn(self) -> tuple[str, ...]:
        """The material of each region."""
        return tuple(self.objects[number].material_of(rule) for number, rule in self.scene.regions)

    def normals(
        self, points: Points, region: int, workers: Workers | None = None, cancelled: Callable[[], bool] = never
    ) -> np.ndarray:
        """(3, n) the normals that light falls on, world space. Raises Cancelled."""
        slopes, surface = self.slopes[region], self.surfaces[region]
        if slopes is not None and self.scene.rest is not None:
            points = with_fine_relief(points, self.scene, slopes, workers=workers, cancelled=cancelled)
        if surface is None:
            return points.normal
        values = evaluate_surface(surface, points, workers=workers, cancelled=cancelled)
        return _mixed(values, points)

    @cached_property
    def curvature(self) -> np.ndarray:
        """(3 t,) float32, see `curvature_of`, at the corners."""
        return curvature_of(self.mesh)


def _mixed(values: Mapping[str, Array], points: Points) -> np.ndarray:
    """The normals of a surface; of several that are mixed, their mean by their shares. (3, n)."""
    total: np.ndarray | float = 0.0
    for weight, own in layers_of(values):
        total = total + normal_of(own.get(NORMAL), points, 0, points.count) * (1 if weight is None else weight)
    return normal_of(np.asarray(total, np.float32), points, 0, points.count)


def source_of(
    renderer: Renderer,
    request: PictureRequest,
    item: BenchObject,
    cancelled: Callable[[], bool] = never,
    *,
    alone: bool = True,
) -> Source:
    """An object as it is baked. request : of a picture of its project. alone : else all others stand around it, after
    it. Raises CollageError, Cancelled.
    """
    shown = item.model_copy(update={"hidden": False, "hidden_faces": ()})
    others = () if alone else tuple(one for one in request.bench.objects if one.name != item.name)
    ground = request.bench.ground and not alone
    bench = request.bench.model_copy(update={"objects": (shown, *others), "ground": ground})
    asked = replace(request, bench=bench, quality="final")
    reliefs = renderer.reliefs.of(asked, renderer.workers, cancelled, enough=DENSE)
    scene = renderer.caches.scene(bench, bench.geometry_key, reliefs.objects)
    displaced = reliefs.objects.get(0)
    moved = displaced.mesh.positions - displaced.rest if displaced is not None else np.zeros((1, 3))
    rules = [rule for number, rule in scene.regions if number == 0]
    materials = [request.materials.get(shown.material_of(rule)) for rule in rules]
    surfaces = tuple(
        plan_surface(
            renderer.library, one, folder=request.material_folder, images=renderer.images, inputs=(NORMAL,)
        ) if one is not None else None
        for one in materials
    )  # fmt: skip
    problems = tuple(str(error) for one in surfaces if one is not None for error in one.problems.values())
    return Source(
        bench.objects, scene, displaced.mesh if displaced is not None else shown.mesh(),
        surfaces, tuple(reliefs.slopes.get(shown.material_of(rule)) for rule in rules),
        float(np.linalg.norm(moved, axis=1).max(initial=0)), (*scene.remarks, *reliefs.remarks, *problems),
    )  # fmt: skip


def curvature_of(mesh: Mesh) -> np.ndarray:
    """(3 t,) float32 mean curvature at the corners of a mesh, 1 over metres: 1 / r on a ball, negative in hollows.

    Half the divergence of the normals over each triangle, as they change evenly between its corners, in the mean over
    the triangles around a vertex by their area (S. Rusinkiewicz, Estimating curvatures and their derivatives on
    triangle meshes, 2004, of which it is the trace).
    """
    places = same_place(mesh.positions)[mesh.triangles]
    p = mesh.positions[mesh.triangles].astype(np.float64)
    area = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    double = np.linalg.norm(area, axis=1)
    count = len(mesh.positions)
    vertex = unit(sum_by(places.ravel(), np.repeat(area, 3, axis=0), count))[places]
    opposite = np.roll(p, -2, axis=1) - np.roll(p, -1, axis=1)  # the edge across from each corner
    growth = np.cross(unit(area)[:, None], opposite) / np.maximum(double, 1e-20)[:, None, None]
    by_face = (growth * vertex).sum(axis=(1, 2)) / 2
    both = np.stack([by_face * double, double], axis=1)
    total = sum_by(places.ravel(), np.repeat(both, 3, axis=0), count)[places.ravel()]
    return np.asarray(total[:, 0] / np.maximum(total[:, 1], 1e-20), np.float32)
