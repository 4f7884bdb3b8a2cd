"""What lies under a place of a picture: the object, where, and which way it faces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.samples import find_hits
from collage.core.scene.scene import GROUND, OBJECT

FURTHEST = 1e4  # metres


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
