"""What lies under a place of a picture: the object, where, and which way it faces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.samples import find_hits
from collage.core.scene.lights import AreaLight, Light
from collage.core.scene.scene import GROUND, OBJECT, Scene

FURTHEST = 1e4  # metres
LIFT = 2e-4  # metres from a surface where it is looked for what throws a shadow on it


@dataclass(frozen=True)
class Picked:
    """An object by its name, and where it was met: (3,) each, world space; facing of length 1."""

    name: str
    place: tuple[float, float, float]
    facing: tuple[float, float, float]


def pick(renderer: Renderer, request: PictureRequest, x: float, y: float) -> Picked | None:
    """What a picture shows at a place, pixels from its upper left; None where that is no object.

    Raises CollageError, Cancelled.
    """
    scene, camera = renderer.scene(request), request.bench.camera
    way = camera.ways(np.array([[x, y]]), *request.size)
    found = find_hits(scene, camera.position().astype(np.float32)[None], way, FURTHEST, 1.0, worn=request.bench.worn)
    if not found.count or found.groups[0].region == GROUND:
        return None
    points = found.groups[0].points
    number = int(scene.ids[OBJECT][points.triangle][0])
    place, facing = (tuple(float(one) for one in values[:, 0]) for values in (points.position, points.normal))
    return Picked(request.bench.objects[number].name, place, facing)  # type: ignore[arg-type]


def place_at(renderer: Renderer, request: PictureRequest, x: float, y: float) -> np.ndarray | None:
    """(3,): where on a surface or the ground a place of a picture lies, pixels from its upper left; None beside them.

    Raises CollageError, Cancelled.
    """
    camera = request.bench.camera
    return _met(renderer.scene(request), camera.position(), camera.ways(np.array([[x, y]]), *request.size)[0])


def caster_of(renderer: Renderer, request: PictureRequest, place: np.ndarray, light: Light) -> np.ndarray | None:
    """(3,): what keeps a light away from a place (3,) of a surface; None where nothing does. Raises as `place_at`."""
    way = light.frame()[0] - place if isinstance(light, AreaLight) else light.direction()
    way = way / max(float(np.linalg.norm(way)), 1e-9)
    return _met(renderer.scene(request), place + way * LIFT, way)


def _met(scene: Scene, start: np.ndarray, way: np.ndarray) -> np.ndarray | None:
    origins, ways = (np.ascontiguousarray(one[None], np.float32) for one in (start, way))
    found = scene.nearest(origins, ways)
    return start + way * float(found.distance[0]) if found.triangle[0] >= 0 else None
