"""Picking faces: polygons, smooth runs, faces that look one way; grown, shrunk; and as a text that can be stored."""

from __future__ import annotations

import base64
import math
import zlib
from functools import lru_cache

import numpy as np

from collage.core.geometry.mesh import Mesh
from collage.core.geometry.topology import connected, edge_keys, same_place

MOST_BYTES = 8 * 2**20  # of a stored set, unpacked


@lru_cache(maxsize=8)
def neighbours(mesh: Mesh) -> np.ndarray:
    """(n, 2) int32: pairs of triangles that have an edge in common, each pair once."""
    key, _ = edge_keys(same_place(mesh.positions)[mesh.triangles])
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(key[order][1:] == key[order][:-1])
    return np.stack([order[same] // 3, order[same + 1] // 3], axis=1).astype(np.int32)


def polygon(mesh: Mesh, triangle: int) -> np.ndarray:
    """(t,) bool: the polygon that a triangle was cut from."""
    assert mesh.face is not None
    return np.asarray(mesh.face == mesh.face[triangle])


def smooth_runs(mesh: Mesh, angle: float) -> np.ndarray:
    """(t,) int32: which triangles are reached from each other over edges that bend by at most `angle` degrees."""
    pairs, count = neighbours(mesh), len(mesh.triangles)
    bend = (mesh.face_normals[pairs[:, 0]] * mesh.face_normals[pairs[:, 1]]).sum(axis=1)
    pairs = pairs[bend >= math.cos(math.radians(angle)) - 1e-6]
    alone = np.repeat(np.arange(count, dtype=np.int32)[:, None], 3, axis=1)
    return connected(np.concatenate([alone, pairs[:, [0, 1, 1]]]), count)[:count]


def flood(mesh: Mesh, triangle: int, angle: float) -> np.ndarray:
    """(t,) bool: what is reached from a triangle over edges that bend by at most `angle` degrees."""
    run = smooth_runs(mesh, angle)
    return polygon(mesh, triangle) | (run == run[triangle])


def facing(mesh: Mesh, direction: np.ndarray, angle: float) -> np.ndarray:
    """(t,) bool: the faces whose normal is within `angle` degrees of a direction (3,) in the object's space."""
    way = np.asarray(direction, np.float64)
    way = way / max(float(np.linalg.norm(way)), 1e-12)
    return np.asarray(mesh.face_normals @ way >= math.cos(math.radians(angle)) - 1e-6)


def grown(mesh: Mesh, picked: np.ndarray) -> np.ndarray:
    """With every face that has an edge in common with a picked one."""
    pairs, out = neighbours(mesh), picked.copy()
    out[pairs[picked[pairs[:, 0]], 1]] = True
    out[pairs[picked[pairs[:, 1]], 0]] = True
    return _whole_polygons(mesh, out)


def shrunk(mesh: Mesh, picked: np.ndarray) -> np.ndarray:
    """Without every face that has an edge in common with one that is not picked."""
    return ~grown(mesh, ~picked)


def with_picked(before: np.ndarray | None, picked: np.ndarray) -> np.ndarray:
    """What is picked once more is picked too, bool of the same length; taken away where all of it was picked."""
    if before is None:
        return picked
    return before & ~picked if bool(before[picked].all()) else before | picked


def _whole_polygons(mesh: Mesh, picked: np.ndarray) -> np.ndarray:
    """All triangles of every polygon of which one is picked."""
    assert mesh.face is not None
    some = np.zeros(int(mesh.face.max(initial=-1)) + 1, bool)
    some[mesh.face[picked]] = True
    return np.asarray(some[mesh.face])


def stored(picked: np.ndarray) -> str:
    """A picked set (t,) bool as a text."""
    return base64.b64encode(zlib.compress(np.packbits(picked).tobytes(), 9)).decode()


def restored(text: str, count: int) -> np.ndarray | None:
    """The set of `count` triangles that a text stands for, (t,) bool; None for a text that is none."""
    try:
        reader = zlib.decompressobj()
        data = reader.decompress(base64.b64decode(text, validate=True), MOST_BYTES)
    except (ValueError, zlib.error):
        return None
    bits = np.unpackbits(np.frombuffer(data, np.uint8))
    return bits[:count].astype(bool) if count <= len(bits) < count + 8 else None
