"""Picking in a UV set: corners that are one, edges of polygons, and what of them lies at a place.

The edge with number e runs from corner e of a mesh to the next corner of the same triangle.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from collage.core.geometry.islands import corner_numbers
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.topology import edge_keys, same_place


def next_corner(corners: np.ndarray) -> np.ndarray:
    """The corners (n,) that edges lead to, by their numbers."""
    return np.where(corners % 3 == 2, corners - 2, corners + 1)


@lru_cache(maxsize=8)
def shared_corners(mesh: Mesh, name: str) -> np.ndarray:
    """(3 t,) int32: corners with the same number are one vertex at one place in a UV set, and move together."""
    return corner_numbers(mesh.positions, mesh.triangles, mesh.uv[name])


def with_shared(number: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """Corners (3 t,) bool, and all that are one with them. number : (3 t,), see `shared_corners`."""
    some = np.zeros(int(number.max(initial=-1)) + 1, bool)
    some[number[corners]] = True
    return np.asarray(some[number])


def ends_of(edges: np.ndarray) -> np.ndarray:
    """(3 t,) bool: the corners at the ends of edges (3 t,) bool."""
    out = edges.copy()
    out[next_corner(np.flatnonzero(edges))] = True
    return out


@lru_cache(maxsize=8)
def outline(mesh: Mesh) -> np.ndarray:
    """(3 t,) bool: the edges of polygons; the others were made when these were cut into triangles."""
    assert mesh.face is not None
    key, _ = edge_keys(mesh.triangles)
    face = np.repeat(mesh.face, 3)
    order = np.lexsort((face, key))
    same = (key[order][1:] == key[order][:-1]) & (face[order][1:] == face[order][:-1])
    inner = np.zeros(len(key), bool)
    inner[order[1:][same]] = inner[order[:-1][same]] = True
    return ~inner


def with_twins(number: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """Edges (3 t,) bool, and the same ones of the triangles on their other side.

    number : (3 t,), equal for corners that are one: `shared_corners` for those of a UV set, which end at its seams;
        `places_of` for those of the mesh.
    """
    key, _ = edge_keys(number.reshape(-1, 3))
    return np.isin(key, key[edges])


def places_of(mesh: Mesh) -> np.ndarray:
    """(3 t,) int32: corners with the same number are at the same place of the mesh."""
    return same_place(mesh.positions)[mesh.triangles].ravel()


def border_of(mesh: Mesh, triangles: np.ndarray) -> np.ndarray:
    """(3 t,) bool: the edges that chosen triangles (t,) bool have in common with no other chosen one."""
    key, _ = edge_keys(places_of(mesh).reshape(-1, 3))
    own = np.repeat(triangles, 3)
    found, count = np.unique(key[own], return_counts=True)
    return own & np.isin(key, found[count == 1])


def nearest_edge(mesh: Mesh, places: np.ndarray, triangle: int, at: np.ndarray) -> tuple[int, float]:
    """The edge of a triangle's polygon that is nearest to a place, and how far away it is.

    places : (3 t, 2), of all corners, as in a UV set or in a picture. at : (2,).
    """
    assert mesh.face is not None
    own = np.flatnonzero(np.repeat(mesh.face == mesh.face[triangle], 3) & outline(mesh))
    if not len(own):
        return -1, np.inf
    start, end = places[own].astype(np.float64), places[next_corner(own)].astype(np.float64)
    line = end - start
    length = np.maximum((line * line).sum(axis=1), 1e-30)
    share = np.clip(((at - start) * line).sum(axis=1) / length, 0, 1)
    distance = np.linalg.norm(start + line * share[:, None] - at, axis=1)
    best = int(distance.argmin())
    return int(own[best]), float(distance[best])


def edges_of(mesh: Mesh, triangles: np.ndarray) -> np.ndarray:
    """(3 t,) bool: the edges of the polygons that some triangles (t,) bool are of."""
    return np.repeat(triangles, 3) & outline(mesh)


def beside(edges: np.ndarray) -> np.ndarray:
    """(t,) bool: the triangles that edges (3 t,) bool are of."""
    return np.asarray(edges.reshape(-1, 3).any(axis=1))
