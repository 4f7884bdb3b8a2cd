"""Where rays begin, and which way they go: from a cage around the light mesh inward."""

from __future__ import annotations

import numpy as np

from collage.core.geometry.mesh import Mesh, unit
from collage.core.geometry.subdivide import sum_by
from collage.core.geometry.topology import same_place
from collage.core.scene.scene import Scene

LOOKED_AT = 20_000  # corners from which the other surface is looked for
NEARLY_ALL = 0.98  # of them have it within the distance that is found
ROOM = 1.5  # times that distance
FURTHEST = 0.1  # of the object's size, that is looked
LEAST = 1e-3  # of the object's size: two surfaces in one place are never quite


def ways_of(mesh: Mesh, even: bool) -> np.ndarray:
    """(3 t, 3) which way is outward at each corner, of length 1: its normal, in the object's space.

    even : one way for all corners at a place, their normals in the mean by the angles of their triangles: so rays leave
    no gap at hard edges.
    """
    normals = mesh.normals.astype(np.float64)
    if not even or not len(mesh.triangles):
        return normals
    places = same_place(mesh.positions)[mesh.triangles]
    p = mesh.positions[mesh.triangles].astype(np.float64)
    forth, back = unit(np.roll(p, -1, axis=1) - p), unit(np.roll(p, 1, axis=1) - p)
    angle = np.arccos(np.clip((forth * back).sum(axis=2), -1, 1)).ravel()
    total = unit(sum_by(places.ravel(), normals * angle[:, None], len(mesh.positions)))[places.ravel()]
    lost = (total * normals).sum(axis=1) < 0.05  # as on the rim of a sheet with two sides
    return np.where(lost[:, None], normals, total)


def reach_to(scene: Scene, places: np.ndarray, ways: np.ndarray, size: float) -> float:
    """How far from some places (n, 3) a scene's surface is for nearly all of them, along ways (n, 3), with some room.

    size : of the object, metres; further than FURTHEST of it is not looked.
    """
    step = max(len(places) // LOOKED_AT, 1)
    start, way = (np.ascontiguousarray(one[::step], np.float32) for one in (places, ways))
    distance = np.full(len(start), np.inf)
    for sign in (np.float32(1), np.float32(-1)):
        back = start - way * sign * np.float32(LEAST * size)  # so that a surface in the same place is met
        found = scene.nearest(np.ascontiguousarray(back), np.ascontiguousarray(way * sign))
        away = np.abs(found.distance.astype(np.float64) - LEAST * size)
        distance = np.where(found.triangle >= 0, np.minimum(distance, away), distance)
    near = distance[distance <= FURTHEST * size]
    wanted = float(np.quantile(near, NEARLY_ALL)) * ROOM if len(near) else FURTHEST * size
    return float(np.clip(wanted, LEAST * size, FURTHEST * size))
