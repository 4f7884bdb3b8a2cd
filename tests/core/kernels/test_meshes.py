"""What a scene keeps of triangles, against the same worked out by NumPy and SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from collage.core.geometry.rotations import rotation
from collage.core.geometry.stock import shape
from collage.core.geometry.topology import connected
from collage.core.kernels import Family

kernels = Family("meshes")


@pytest.mark.parametrize("seed", range(20))
def test_pieces_are_those_of_the_graph_in_the_order_of_their_first_triangles(seed: int) -> None:
    rng = np.random.default_rng(seed)
    count = int(rng.integers(3, 400))
    triangles = rng.integers(0, count, (int(rng.integers(1, 300)), 3)).astype(np.int32)
    found = connected(triangles, count)
    edges = np.concatenate([triangles[:, :2], triangles[:, 1:]])
    _, of = connected_components(coo_matrix((np.ones(len(edges)), edges.T), (count, count)), directed=False)
    wanted = of[triangles[:, 0]]
    same = found[:, None] == found[None]
    assert np.array_equal(same, wanted[:, None] == wanted[None])
    first = [int(np.flatnonzero(found == number)[0]) for number in range(found.max() + 1)]
    assert first == sorted(first)


def test_no_triangles_have_no_pieces() -> None:
    assert connected(np.zeros((0, 3), np.int32), 5).shape == (0,)


@pytest.mark.parametrize("name", ["pot", "rounded box", "planks", "sphere"])
@pytest.mark.parametrize("with_uv", [True, False])
def test_corners_and_frames_are_those_of_the_mesh_turned(name: str, with_uv: bool) -> None:
    mesh, turn = shape(name), rotation(30.0, 20.0, 10.0).astype(np.float32)
    uv = mesh.uv["UVMap"] if with_uv else np.zeros((0, 2), np.float32)
    along = mesh.gradients_of("UVMap" if with_uv else "")
    rows, count = np.zeros((3 * len(mesh.triangles), 11), np.float32), len(mesh.triangles)
    faces = np.zeros((count, 9), np.float32)
    world = mesh.positions @ turn + np.array([1, 2, 3], np.float32)
    kernels.corners(mesh.triangles, world, mesh.positions, mesh.normals, turn, rows)
    kernels.frames(mesh.triangles, mesh.positions, uv, turn, faces)
    at = mesh.triangles.ravel()
    wanted = np.concatenate([world[at], mesh.positions[at], mesh.normals @ turn, np.zeros((3 * count, 2))], axis=1)
    assert np.abs(rows - wanted).max() <= 1e-6
    for column, directions in enumerate((mesh.face_normals, *along)):
        length = np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), 1)
        error = np.abs(faces[:, 3 * column : 3 * column + 3] - directions @ turn) / length
        assert error.max() < 1e-4
