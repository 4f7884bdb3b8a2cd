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
