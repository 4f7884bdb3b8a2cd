"""How large a pixel of a picture is on an object: how finely its surface is worth dividing."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from collage.core.scene.bench import BenchObject
from collage.core.scene.cameras import Camera
from collage.core.scene.directions import Triple

LEAST_SIDE = 720  # pixels of the shorter side that are counted at least, so that small previews are divided alike


@dataclass(frozen=True)
class PixelSize:
    """A camera seen from an object. eye : where it stands about, in the object's space, metres. one_metre_away : how
    large a pixel is there, metres."""

    eye: Triple
    one_metre_away: float

    def at(self, places: np.ndarray) -> np.ndarray:
        """(n,) metres that a pixel covers at places (n, 3) of the object."""
        return np.asarray(np.linalg.norm(places - np.array(self.eye), axis=1) * self.one_metre_away)


def pixel_size(camera: Camera, item: BenchObject, width: int, height: int) -> PixelSize:
    """Of an object in a picture of this size. The same for a camera that moves a little: its place is told in steps of
    at least an eighth of its distance from the object, its lens in steps of a square root of two. Raises CollageError.
    """
    low, high = item.mesh().bounds
    eye = item.matrix() @ (camera.position() - np.array(item.place))
    reach = float(np.linalg.norm(high - low)) / 2
    away = max(float(np.linalg.norm(eye - (low + high) / 2)) - reach, reach / 16, 1e-3)
    step = 2.0 ** math.floor(math.log2(away / 4))
    x, y, z = (float(one) for one in np.round(eye / step) * step)
    focal = camera.focal_length(width, height) * max(LEAST_SIDE / min(width, height), 1)
    return PixelSize((x, y, z), 2.0 ** (-round(2 * math.log2(focal)) / 2))
