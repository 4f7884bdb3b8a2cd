"""Picking faces, on shapes of which it is known what has to be picked; and how a set is stored."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.geometry import picking
from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.stock import shape


def mesh_from(solid: trimesh.Trimesh, face=None) -> Mesh:
    p, t = np.asarray(solid.vertices, np.float32), np.asarray(solid.faces, np.int32)
    return Mesh(p, t, smooth_normals(p, t), {}, face=face)


@pytest.fixture(scope="module")
def box() -> Mesh:
    """A cube whose six sides are parted into four by four squares of two triangles."""
    return mesh_from(trimesh.creation.box().subdivide().subdivide())


def test_a_flood_stays_on_one_side_of_a_cube_and_goes_over_edges_beyond_its_angle(box) -> None:
    for triangle in (0, 50, 100):
        side = picking.flood(box, triangle, 45)
        assert side.sum() == len(box.triangles) / 6
        same = box.face_normals @ box.face_normals[triangle] > 0.99
        assert np.array_equal(side, same)
        assert picking.flood(box, triangle, 90).all()
    pair = trimesh.util.concatenate([trimesh.creation.box(), trimesh.creation.box().apply_translation((3, 0, 0))])
    assert picking.flood(mesh_from(pair), 0, 180).sum() == 12, "never to another piece"


def test_facing_is_by_the_angle_to_the_normal() -> None:
    ball = shape("sphere")
    for angle in (10.0, 60.0, 90.0):
        picked = picking.facing(ball, np.array([0, 2.0, 0]), angle)
        cosine = ball.face_normals[:, 1]
        assert np.array_equal(picked, cosine >= np.cos(np.radians(angle)) - 1e-6)
        assert ball.areas[picked].sum() / ball.areas.sum() == pytest.approx(
            (1 - np.cos(np.radians(angle))) / 2, abs=0.02
        )


def test_growing_adds_a_ring_and_shrinking_takes_it_away(box) -> None:
    side = picking.flood(box, 0, 45)
    wider = picking.grown(box, side)
    assert (wider & side).sum() == side.sum()
    around = trimesh.Trimesh(box.positions, box.triangles, process=False)
    pairs = around.face_adjacency
    by_hand = side.copy()
    for a, b in pairs:
        by_hand[a] |= side[b]
        by_hand[b] |= side[a]
    assert np.array_equal(wider, by_hand)
    assert picking.shrunk(box, wider)[side].all()
    assert not picking.shrunk(box, side).all()
    assert np.array_equal(picking.shrunk(box, side), ~picking.grown(box, ~side))


def test_whole_polygons_are_picked() -> None:
    grid = trimesh.creation.box()
    mesh = mesh_from(grid, face=np.repeat(np.arange(6, dtype=np.int32), 2) if _paired(grid) else None)
    one = picking.polygon(mesh, 3)
    assert one[3]
    assert one.sum() == (2 if _paired(grid) else 1)
    assert picking.grown(mesh, one).sum() % (2 if _paired(grid) else 1) == 0


def _paired(solid: trimesh.Trimesh) -> bool:
    normals = solid.face_normals
    return bool(np.allclose(normals[::2], normals[1::2]))


@settings(max_examples=60)
@given(st.lists(st.booleans(), min_size=1, max_size=400))
def test_a_stored_set_comes_back_as_it_was(bits) -> None:
    picked = np.array(bits)
    text = picking.stored(picked)
    assert text.isascii()
    assert np.array_equal(picking.restored(text, len(picked)), picked)
    assert picking.restored(text, len(picked) + 8) is None


@pytest.mark.parametrize("text", ["", "???", "AAAA", "eJw=", "x" * 1000])
def test_texts_that_are_no_sets_are_none(text: str) -> None:
    assert picking.restored(text, 12) is None


def test_a_text_that_unpacks_without_end_is_stopped() -> None:
    import base64
    import zlib

    bomb = base64.b64encode(zlib.compress(bytes(200 * 2**20), 9)).decode()
    assert picking.restored(bomb, 12) is None
