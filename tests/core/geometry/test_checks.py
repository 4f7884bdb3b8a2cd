"""What is wrong with meshes that were broken on purpose is found, counted and mended."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.geometry.checks import kept, mended, mesh_remarks
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.raw import RawMesh, checked
from collage.core.geometry.shapes import plane, rounded_box, sphere
from collage.core.geometry.stock import SHAPES


def counts(mesh: Mesh) -> dict[str, int]:
    return {one.kind: one.count for one in mesh_remarks(mesh)}


def remade(positions: np.ndarray, triangles: np.ndarray, **more: np.ndarray) -> Mesh:
    return checked(RawMesh(positions, triangles, **more), "test")


@pytest.mark.parametrize("name", [name for name in SHAPES if name not in ("plane", "cloth")])
def test_stock_shapes_are_whole(name: str) -> None:
    assert counts(SHAPES[name]()) == {}


def test_a_plane_is_open_and_that_needs_no_remedy() -> None:
    (one,) = mesh_remarks(plane(divisions=4))
    assert (one.kind, one.count, one.remedy) == ("open", 16, "")


@pytest.mark.parametrize("which", [[5], list(range(40, 90)), "all"])
def test_turned_faces_are_turned_back(which) -> None:
    ball = sphere(segments=16)
    triangles = ball.triangles.copy()
    wrong = np.arange(len(triangles)) if which == "all" else np.array(which)
    triangles[wrong] = triangles[wrong][:, [0, 2, 1]]
    broken = remade(ball.positions, triangles)
    assert counts(broken) == {"turned": len(wrong), "no_uv": 1}
    again = mended(broken, "turned")
    assert "turned" not in counts(again)
    outwards = again.positions[again.triangles].mean(axis=1) - [0, 0.1, 0]
    assert (np.einsum("ij,ij->i", again.face_normals, outwards) > 0).all()
    corner = again.positions[again.triangles.ravel()] - [0, 0.1, 0]
    assert (np.einsum("ij,ij->i", again.normals, corner) > 0).mean() > 0.95


def test_of_an_open_piece_the_larger_part_stays() -> None:
    board = plane(divisions=6)
    triangles = board.triangles.copy()
    triangles[:20] = triangles[:20][:, [0, 2, 1]]
    broken = remade(board.positions, triangles)
    assert counts(broken)["turned"] == 20
    assert (mended(broken, "turned").face_normals[:, 1] > 0.99).all()


def test_uvs_stay_with_their_corners_when_faces_are_turned() -> None:
    ball = sphere(segments=12)
    triangles, uv = ball.triangles.copy(), ball.uv["UVMap"].reshape(-1, 3, 2).copy()
    triangles[7], uv[7] = triangles[7][[0, 2, 1]], uv[7][[0, 2, 1]]
    again = mended(remade(ball.positions, triangles, uv={"UVMap": uv.reshape(-1, 2)}), "turned")
    np.testing.assert_array_equal(again.uv["UVMap"], ball.uv["UVMap"])


def test_double_and_empty_faces_are_removed() -> None:
    box = rounded_box(divisions=3)
    count = len(box.triangles)
    extra = np.concatenate([box.triangles, box.triangles[:4][:, [1, 2, 0]], [[0, 0, 1], [2, 3, 2]]])
    broken = remade(box.positions, extra)
    found = counts(broken)
    assert (found["double"], found["empty"]) == (4, 2)
    again = mended(mended(broken, "double"), "empty")
    assert len(again.triangles) == count
    assert counts(again) == {"no_uv": 1}


def test_corners_that_nearly_touch_are_merged() -> None:
    box = rounded_box(divisions=3, bevel=0.03)
    triangles = box.triangles
    left = box.positions[triangles].mean(axis=1)[:, 0] < 0
    shift = np.float32(2e-7)
    positions = np.concatenate([box.positions, box.positions + shift])
    split = np.where(left[:, None], triangles, triangles + len(box.positions))
    broken = remade(positions, split)
    found = counts(broken)
    assert found["near"] > 10
    assert found["open"] > 10
    assert int(broken.ids[1].max()) == 1
    again = mended(broken, "near")
    assert counts(again) == {"no_uv": 1}
    assert int(again.ids[1].max()) == 0, "it is one piece again"
    np.testing.assert_allclose(again.normals, box.normals, atol=0.02)


@pytest.mark.parametrize("name", ["sphere", "rounded box", "plane"])
def test_made_uvs_are_as_large_everywhere_and_not_mirrored(name: str) -> None:
    mesh = replace(SHAPES[name](), uv={})
    made = mended(mesh, "no_uv")
    assert "no_uv" not in counts(made)
    size = float((made.bounds[1] - made.bounds[0]).max())
    p, q = made.positions[made.triangles], made.uv["UVMap"].reshape(-1, 3, 2)
    d1, d2 = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
    signed = (d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) / 2 * size**2
    slanted = np.abs(made.face_normals).max(axis=1)
    assert (signed > -1e-9).all(), "no face is mirrored"
    np.testing.assert_allclose(signed, made.areas * slanted, rtol=1e-3, atol=1e-8)
    assert p.shape[0] == len(signed)


def test_what_is_kept_of_a_mesh_keeps_all_it_knows() -> None:
    ball = replace(sphere(segments=8), part=np.arange(len(sphere(segments=8).triangles)))
    some = np.array([3, 9, 20])
    found = kept(ball, some)
    np.testing.assert_array_equal(found.ids[0], some)
    np.testing.assert_array_equal(found.uv["UVMap"].reshape(-1, 3, 2), ball.uv["UVMap"].reshape(-1, 3, 2)[some])
