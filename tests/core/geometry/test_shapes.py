"""Stock shapes: closed, the right way out, of their real size, with sound UVs."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.points import sheet
from collage.core.geometry.shapes import rounded
from collage.core.geometry.stock import SHAPES, shape

OPEN = {"plane", "cloth"}
CLOSED = [name for name in SHAPES if name not in OPEN]


def volume(mesh: Mesh) -> float:
    p = mesh.positions[mesh.triangles].astype(float)
    return float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6)


@pytest.mark.parametrize("name", CLOSED)
def test_every_edge_has_two_faces_and_the_inside_is_inside(name: str) -> None:
    mesh = shape(name)
    edges = np.concatenate([mesh.triangles[:, [a, b]] for a, b in ((0, 1), (1, 2), (2, 0))])
    forward = {tuple(edge) for edge in edges}
    assert len(forward) == len(edges), "no edge is used twice in one direction"
    assert all((b, a) in forward for a, b in forward), "every edge is met by its neighbour"
    assert volume(mesh) > 0


@pytest.mark.parametrize("name", SHAPES)
def test_shapes_stand_on_the_ground_with_normals_outwards_and_no_squeezed_uv(name: str) -> None:
    mesh = shape(name)
    assert mesh.bounds[0][1] == pytest.approx(0, abs=1e-6)
    np.testing.assert_allclose(mesh.bounds[0] + mesh.bounds[1], (0, mesh.bounds[1][1], 0), atol=2e-3)
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-5)
    assert (np.repeat(mesh.face_normals, 3, axis=0) * mesh.normals).sum(axis=1).min() > 0.6
    uv = mesh.uv["UVMap"].reshape(-1, 3, 2)
    assert uv.min() >= -1e-6
    assert uv.max() <= 1 + 1e-6
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    area = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    assert (area > 0).all(), "no face is mirrored or empty in UV"


def test_sizes_are_real() -> None:
    ball = shape("sphere", radius=0.25, segments=192)
    assert volume(ball) == pytest.approx(4 / 3 * np.pi * 0.25**3, rel=2e-3)
    assert ball.areas.sum() == pytest.approx(4 * np.pi * 0.25**2, rel=2e-3)
    box = shape("rounded box", width=0.3, height=0.1, depth=0.2, bevel=0.001)
    assert volume(box) == pytest.approx(0.006, rel=2e-2)
    np.testing.assert_allclose(box.bounds[1] - box.bounds[0], (0.3, 0.1, 0.2), atol=1e-5)
    tin = shape("cylinder", radius=0.1, height=0.3, bevel=0.0005, segments=256)
    assert volume(tin) == pytest.approx(np.pi * 0.01 * 0.3, rel=5e-3)
    assert shape("pot", height=0.3).bounds[1][1] == pytest.approx(0.3)
    assert shape("plane", width=2, depth=3).areas.sum() == pytest.approx(6)


def test_divisions_change_the_number_of_faces_and_not_the_shape() -> None:
    few, many = shape("pot", segments=48), shape("pot", segments=192)
    assert len(many.triangles) == 4 * len(few.triangles)
    assert volume(few) == pytest.approx(volume(many), rel=0.01)


def test_gradients_say_how_far_a_unit_of_uv_is() -> None:
    along_u, along_v = shape("plane", width=2.0, depth=0.5).gradients
    np.testing.assert_allclose(along_u, np.tile((2, 0, 0), (len(along_u), 1)), atol=1e-5)
    np.testing.assert_allclose(along_v, np.tile((0, 0, -0.5), (len(along_v), 1)), atol=1e-5)


def test_without_uv_gradients_are_two_directions_in_the_face() -> None:
    full = shape("plane")
    bare = Mesh(full.positions, full.triangles, full.normals, {})
    u, v = bare.gradients
    np.testing.assert_allclose(np.einsum("ij,ij->i", u, v), 0, atol=1e-6)
    np.testing.assert_allclose(np.linalg.norm(u, axis=1), 1, atol=1e-6)


def test_normals_are_smooth_below_the_angle_and_hard_above_it() -> None:
    roof = np.array([[0, 0, 0], [0, 0, 1], [1, 1, 0], [1, 1, 1], [2, 0, 0], [2, 0, 1]], float)
    faces = np.array([[0, 1, 2], [1, 3, 2], [2, 3, 4], [3, 5, 4]], np.int32)
    hard, soft = smooth_normals(roof, faces, 40), smooth_normals(roof, faces, 120)
    ridge = np.flatnonzero(np.isin(faces.ravel(), (2, 3)))
    assert (np.abs(hard[ridge][:, 0]) > 0.7).all()
    np.testing.assert_allclose(soft[ridge][:, 1], 1, atol=0.1)


def test_meshes_are_checked_once_and_frozen() -> None:
    ball = shape("sphere")
    with pytest.raises(ValueError, match="read-only"):
        ball.positions[0] = 0
    with pytest.raises(CollageError, match="names vertex 7"):
        Mesh(np.zeros((3, 3)), np.array([[0, 1, 7]]), np.zeros((3, 3)), {})
    with pytest.raises(CollageError, match="places for"):
        Mesh(np.zeros((3, 3)), np.array([[0, 1, 2]]), np.zeros((3, 3)), {"a": np.zeros((2, 2))})


def test_wrong_names_and_sizes_get_a_sentence() -> None:
    with pytest.raises(CollageError, match="no stock shape"):
        shape("teapot")
    with pytest.raises(CollageError, match="no such size"):
        shape("sphere", wings=2)
    with pytest.raises(CollageError, match="at least 3"):
        shape("pot", segments=2)


def test_a_rounded_corner_is_the_curve_that_its_ends_say() -> None:
    """A right angle at (1, 0), rounded by 0.2: a quadratic Bezier from (0.8, 0) to (1, 0.2); its middle is known."""
    corner = ((0.0, 0.0, 0.0), (1.0, 0.0, 0.2), (1.0, 1.0, 0.0))
    points = rounded(corner, steps=4, longest=10.0)
    expected = [(0, 0), *((1 - 0.2 * (1 - t) ** 2, 0.2 * t * t) for t in (0, 0.25, 0.5, 0.75, 1)), (1, 1)]
    assert np.allclose(points, expected)


def test_a_corner_takes_no_more_of_its_sides_than_there_is() -> None:
    """Two corners on a short side share it; a straight way is cut to pieces no longer than asked."""
    bend = ((0.0, 0.0, 0.0), (1.0, 0.0, 5.0), (1.0, 0.1, 5.0), (2.0, 0.1, 0.0))
    points = rounded(bend, steps=3, longest=0.05)
    gaps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    assert gaps.max() <= 0.05 + 1e-9
    assert gaps.min() > 1e-7
    inner = points[(points[:, 1] > 0.0) & (points[:, 1] < 0.1)]
    assert inner[:, 0].min() > 1 - 0.05
    assert inner[:, 0].max() < 1 + 0.05
    assert np.all(np.diff(points[:, 1]) >= -1e-12)


def test_stock_sizes_without_a_word() -> None:
    box, pot = shape("rounded box"), shape("pot")
    np.testing.assert_allclose(box.bounds[1] - box.bounds[0], (0.2, 0.2, 0.2), atol=1e-6)
    radius = np.hypot(pot.positions[:, 0], pot.positions[:, 2])
    low, high = pot.positions[:, 1] < 0.012, pot.positions[:, 1] > 0.16
    assert radius[low].max() == pytest.approx(0.64 * 0.095, rel=0.05), "it stands on two thirds of its rim"
    assert radius.max() == pytest.approx(0.095, rel=0.01)
    assert 0.085 * 0.095 * 0.7 < radius[high].max() - radius[high].min() < 0.085 * 0.095 * 3, "a thick rim, not a wall"


def test_points_one_step_further_move_along_their_own_axis() -> None:
    flat = sheet(4, 2, low=(0.0, 0.0, 0.0), high=(2.0, 6.0, 0.0))
    assert np.array_equal(flat.tangent[:, 0], [1, 0, 0])
    assert np.array_equal(flat.bitangent[:, 0], [0, 1, 0])
    for axis, expected in ((0, (0.5, 0.0, 0.0)), (1, (0.0, 3.0, 0.0))):
        further = np.abs(flat.shifted(axis).position - flat.position)
        np.testing.assert_allclose(further, np.repeat(np.array([expected]).T, 8, axis=1), atol=1e-6)


@pytest.mark.parametrize(
    "name", ["wall", "cloth", "planks", "tiled floor", "slate roof", "plane", "cylinder", "sphere"]
)
def test_a_unit_of_uv_is_as_long_everywhere(name: str) -> None:
    """Repeats and real sizes agree: the texel density of every large face is that of the whole, within 1 %."""
    mesh = shape(name)
    uv = mesh.uv["UVMap"].reshape(-1, 3, 2).astype(float)
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    area = np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) / 2
    flat = np.abs(mesh.face_normals).max(axis=1) > 0.999
    if name in ("cylinder", "sphere", "cloth"):
        flat = np.ones(len(area), bool)
    density = np.sqrt(area[flat] / mesh.areas[flat])
    if name in ("wall", "cloth", "planks", "tiled floor", "plane"):
        np.testing.assert_allclose(density, np.median(density), rtol=0.01)
    if name == "cloth":
        edge = np.linalg.norm(np.diff(mesh.positions[mesh.triangles], axis=1), axis=2)
        in_uv = np.linalg.norm(np.diff(uv, axis=1), axis=2) * 0.8
        np.testing.assert_allclose(edge, in_uv, rtol=0.01, err_msg="it is bent and not stretched")


@pytest.mark.parametrize(("name", "count"), [("planks", 5), ("tiled floor", 16), ("slate roof", 42)])
def test_pieces_are_parts_of_their_own(name: str, count: int) -> None:
    mesh = shape(name)
    part, piece, _ = mesh.ids
    assert len(mesh.part_names) == count
    np.testing.assert_array_equal(part, piece)
    middles = np.array(
        [mesh.positions[mesh.triangles[part == one]].reshape(-1, 3).mean(axis=0) for one in range(count)]
    )
    assert len(np.unique(middles.round(4), axis=0)) == count


def test_sizes_of_assembled_shapes_are_real() -> None:
    size = np.ptp(shape("planks", length=2.0, count=3, width=0.1, gap=0.01).positions, axis=0)
    assert size == pytest.approx([2.0, 0.025, 0.32], abs=1e-5)
    size = np.ptp(shape("tiled floor", width=0.9, count=3).positions, axis=0)
    assert size == pytest.approx([0.9, 0.02, 0.9], abs=1e-5)
    assert np.ptp(shape("ring", radius=0.2, thickness=0.1, segments=192).positions, axis=0) == pytest.approx(
        [0.5, 0.1, 0.5], abs=1e-3)  # fmt: skip
    with pytest.raises(CollageError):
        shape("tiled floor", count=100_000)
    with pytest.raises(CollageError):
        shape("tiled floor", gap=0.9)
