"""Placing a light by its highlight: where it must stand to be mirrored at a place."""

from __future__ import annotations

import math

import numpy as np

from collage.core.scene.directions import Triple
from collage.core.scene.lights import AreaLight, Light

LOWEST = -10.0  # degrees: lights stay above the ground


def with_highlight(light: Light, place: np.ndarray, normal: np.ndarray, eye: np.ndarray) -> Light:
    """The light where the eye (3,) sees it mirrored at a place (3,) with this normal; as far away as before.

    A distant light keeps to the direction; a panel turns to face the place.
    """
    toward = eye - place
    toward = toward / max(float(np.linalg.norm(toward)), 1e-9)
    up = normal / max(float(np.linalg.norm(normal)), 1e-9)
    mirrored = 2 * float(toward @ up) * up - toward
    turn = math.degrees(math.atan2(mirrored[0], mirrored[2]))
    height = max(math.degrees(math.asin(min(max(float(mirrored[1]), -1.0), 1.0))), LOWEST)
    update: dict[str, object] = {"turn": turn, "height": height}
    if isinstance(light, AreaLight):
        centre = light.frame()[0]
        target: Triple = (float(place[0]), float(place[1]), float(place[2]))
        update |= {"target": target, "distance": max(float(np.linalg.norm(centre - place)), 0.01)}
    return light.model_copy(update=update)
