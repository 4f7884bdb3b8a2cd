"""What a hand does to a camera that orbits a point."""

from __future__ import annotations

import numpy as np

from collage.core.scene.cameras import Camera

NEAREST, FARTHEST = 0.02, 100.0  # metres


def turned(camera: Camera, dx: float, dy: float) -> Camera:
    """The camera turned by a drag of some pixels."""
    height = min(max(camera.height + dy * 0.4, -20.0), 90.0)
    return camera.model_copy(update={"turn": camera.turn - dx * 0.5, "height": height})


def panned(camera: Camera, dx: float, dy: float, size: float) -> Camera:
    """The camera and its target moved with the mouse, so that the object follows the pointer.

    dx, dy : pixels of the drag. size : the picture's shorter side in the same pixels.
    """
    right, up, _ = camera.axes()
    scale = 2 * camera.distance * np.tan(np.radians(camera.field) / 2) / max(size, 1)
    moved = np.array(camera.target) - right * dx * scale + up * dy * scale
    return camera.model_copy(update={"target": tuple(float(part) for part in moved)})


def zoomed(camera: Camera, factor: float) -> Camera:
    """The camera at `factor` times its distance."""
    return camera.model_copy(update={"distance": min(max(camera.distance * factor, NEAREST), FARTHEST)})


def framed(camera: Camera, bounds: tuple[np.ndarray, np.ndarray]) -> Camera:
    """The camera looking at a box, so that it fills the picture. bounds : its lowest and highest corner, metres."""
    low, high = bounds
    middle, size = (low + high) / 2, float(np.linalg.norm(high - low))
    distance = max(size / 2 / np.tan(np.radians(camera.field) / 2) * 1.05, 0.05)
    target = (float(middle[0]), float(middle[1]), float(middle[2]))
    return camera.model_copy(update={"target": target, "distance": distance})
