"""Faces and edges in a UV set: which corners are one, which edges are a polygon's, and what moves with them."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.actions.uvs import UvChoice
from collage.core.geometry import uv_layout as layout
from collage.core.geometry import uv_picking as picking
from collage.core.geometry.islands import islands_of, used_tiles
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.stock import SHAPES, shape

# Two unit squares side by side, of two triangles each; the second one hangs on the first along x = 1.
POINTS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [2, 1, 0]], np.float32)
TRIANGLES = np.array([[0, 1, 2], [0, 2, 3], [1, 4, 5], [1, 5, 2]], np.int32)


def two_squares(apart: float = 0.0) -> Mesh:
    """apart : how far the second lies from the first in UV."""
    uv = POINTS[TRIANGLES.ravel()][:, :2] / 4
    uv[6:, 0] += apart
    normals = np.tile(np.array([[0, 0, 1]], np.float32), (12, 1))
    return Mesh(POINTS, TRIANGLES, normals, {"UVMap": uv}, face=np.array([0, 0, 1, 1], np.int32))


def test_the_outline_of_polygons_leaves_their_diagonals_out() -> None:
    found = picking.outline(two_squares())
    assert found.tolist() == [True, True, False, False, True, True, True, True, False, False, True, True]


@pytest.mark.parametrize(("apart", "joined"), [(0.0, True), (0.25, False)])
def test_corners_of_one_place_are_one_and_a_seam_parts_them(apart: float, joined: bool) -> None:
    mesh = two_squares(apart)
    number = picking.shared_corners(mesh, "UVMap")
    first = np.zeros(12, bool)
    first[1] = True  # at (1, 0)
    assert np.flatnonzero(picking.with_shared(number, first)).tolist() == ([1, 6, 9] if joined else [1])
    edge = np.zeros(12, bool)
    edge[1] = True  # from (1, 0) to (1, 1)
    assert np.flatnonzero(picking.with_twins(number, edge)).tolist() == ([1, 11] if joined else [1])
    assert np.flatnonzero(picking.with_twins(picking.places_of(mesh), edge)).tolist() == [1, 11]
    assert np.flatnonzero(picking.ends_of(edge)).tolist() == [1, 2]


def test_the_border_of_faces_is_what_no_other_one_shares() -> None:
    mesh = two_squares()
    assert np.flatnonzero(picking.border_of(mesh, np.array([True, True, False, False]))).tolist() == [0, 1, 4, 5]
    assert np.flatnonzero(picking.border_of(mesh, np.ones(4, bool))).tolist() == [0, 4, 5, 6, 7, 10]


def test_the_nearest_edge_is_one_of_the_polygons() -> None:
    mesh = two_squares()
    for at, wanted, distance in (((0.24, 0.1), 1, 0.01), ((0.1, 0.01), 0, 0.01), ((0.125, 0.12), 0, 0.12)):
        edge, far = picking.nearest_edge(mesh, mesh.uv["UVMap"], 0, np.array(at))
        assert edge == wanted
        assert far == pytest.approx(distance, abs=1e-6)


def test_picked_faces_take_along_what_hangs_on_them() -> None:
    mesh = two_squares()
    choice = UvChoice("", "UVMap", picked=np.array([True, True, False, False]))
    moved = layout.changed(mesh.uv["UVMap"], choice.corners(mesh), np.eye(2), np.zeros(2), np.array([0.0, 0.5]))
    gone = (moved - mesh.uv["UVMap"])[:, 1]
    at_x = POINTS[TRIANGLES.ravel()][:, 0]
    assert gone == pytest.approx(np.where(at_x <= 1, 0.5, 0.0))
    again = Mesh(POINTS, TRIANGLES, mesh.normals, {"UVMap": moved})
    assert islands_of(again, "UVMap").max() == 0, "it is not torn"
    cut = layout.cut_off(mesh.uv["UVMap"], choice.triangles(mesh))
    assert islands_of(Mesh(POINTS, TRIANGLES, mesh.normals, {"UVMap": cut}), "UVMap").tolist() == [0, 0, 1, 1]


def test_edges_are_lined_up_and_islands_straightened_by_them() -> None:
    mesh = two_squares()
    c, s = np.cos(0.2), np.sin(0.2)
    uv = mesh.uv["UVMap"].astype(float) @ np.array([[c, s], [-s, c]])
    edges = np.zeros(12, bool)
    edges[0] = True  # along x
    corners = picking.with_shared(picking.shared_corners(mesh, "UVMap"), picking.ends_of(edges))
    lined = layout.lined_up(uv, corners, "bottom")
    assert np.ptp(lined[corners, 1]) == 0
    assert lined[corners, 1].min() == uv[corners, 1].min()
    assert (lined[~corners] == uv[~corners]).all()
    whole = np.ones(4, bool)
    straight = layout.straightened(uv, whole, np.zeros(4, int), edges)
    assert straight[0, 1] == pytest.approx(straight[1, 1], abs=1e-6)
    assert np.linalg.norm(straight[1] - straight[0]) == pytest.approx(0.25, abs=1e-6)


@pytest.mark.parametrize("name", sorted(SHAPES))
def test_stock_shapes_are_of_quads_but_at_their_poles(name: str) -> None:
    mesh = shape(name)
    face = np.asarray(mesh.face)
    count = np.bincount(face)
    assert set(count.tolist()) <= {1, 2}
    assert (count == 2).mean() > 0.9
    starts = np.flatnonzero(face[1:] == face[:-1])
    shared = [len(set(mesh.triangles[at]) & set(mesh.triangles[at + 1])) for at in starts[:200]]
    assert set(shared) == {2}, "two triangles of a quad have an edge in common"


@pytest.mark.parametrize("spread", [2, 40, 5000])
def test_used_tiles_are_those_of_the_triangles(spread: int) -> None:
    tiles = np.random.default_rng(spread).integers(-spread, spread, (300, 2))
    uv = (np.repeat(tiles, 3, axis=0) + np.random.default_rng(1).uniform(0.1, 0.9, (900, 2))).astype(np.float32)
    found = used_tiles(uv)
    assert {tuple(one) for one in found.tolist()} == {tuple(one) for one in tiles.tolist()}
    assert len(found) == len(np.unique(tiles, axis=0))
