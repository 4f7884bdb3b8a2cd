"""Placing a light by its highlight, by its shadow, or where it is seen."""

from __future__ import annotations

import math

import numpy as np

from collage.core.scene.cameras import Camera
from collage.core.scene.directions import Triple, direction
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
    return _moved(light, mirrored, place)


def with_shadow(light: Light, place: np.ndarray, caster: np.ndarray) -> Light:
    """The light of which a place (3,) of one surface throws its shadow on another; as far away as before."""
    return _moved(light, caster - place, place)


def _moved(light: Light, way: np.ndarray, place: np.ndarray) -> Light:
    """The light where it is seen along a way (3,) from a place; a panel is as far from there as it was."""
    update: dict[str, object] = _angles(way)
    if isinstance(light, AreaLight):
        centre = light.frame()[0]
        target: Triple = (float(place[0]), float(place[1]), float(place[2]))
        update |= {"target": target, "distance": max(float(np.linalg.norm(centre - place)), 0.01)}
    return light.model_copy(update=update)


def _angles(way: np.ndarray) -> dict[str, object]:
    x, y, z = way / max(float(np.linalg.norm(way)), 1e-9)
    height = max(math.degrees(math.asin(min(max(float(y), -1.0), 1.0))), LOWEST)
    return {"turn": math.degrees(math.atan2(x, z)), "height": height}


SUN_AWAY = 0.8  # of the camera's distance, at which a sun is drawn


def stand_of(light: Light, camera: Camera) -> tuple[np.ndarray, float]:
    """What a light turns about, (3,), and how far from it it stands, or is drawn."""
    if isinstance(light, AreaLight):
        return np.array(light.target), light.distance
    return np.array(camera.target), SUN_AWAY * camera.distance


def on_sight(light: Light, eye: np.ndarray, way: np.ndarray, pivot: np.ndarray, away: float) -> Light:
    """The light moved about a pivot (3,), `away` from it, to where the eye (3,) looks along a way (3,) of length 1.

    Of the two places on that sphere the one on its present side; the nearest one where the way passes it by.
    """
    behind = float((pivot + direction(light.turn, light.height) * away - eye) @ way) > float((pivot - eye) @ way)
    along = float((pivot - eye) @ way)
    nearest = eye + way * along
    inside = away * away - float((nearest - pivot) @ (nearest - pivot))
    step = math.sqrt(max(inside, 0.0)) * (1 if behind else -1)
    return light.model_copy(update=_angles(nearest + way * step - pivot))
