"""The same triangles and rays by embreex alone, to measure by."""

from __future__ import annotations

from typing import Any

import numpy as np

from collage.core.scene.scene import Scene


def embreex_scene(positions: np.ndarray, triangles: np.ndarray) -> Any:
    """An EmbreeScene of vertices (v, 3) float32 and triangles (t, 3) int32, built."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    scene = EmbreeScene()
    TriangleMesh(scene, positions, triangles)
    scene.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))  # it is built when it is first asked
    return scene


def whole(scene: Scene) -> tuple[np.ndarray, np.ndarray]:
    """Vertices float32 and triangles int32 of all bodies of a scene together."""
    bodies = scene.tracer.bodies
    first = np.cumsum([0, *(len(one.vertices) for one in bodies)])
    triangles = np.concatenate([one.triangles + at for one, at in zip(bodies, first, strict=False)])
    return np.concatenate([one.vertices for one in bodies]).astype(np.float32), triangles.astype(np.int32)
