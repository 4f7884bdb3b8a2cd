"""UV layouts: islands, measures, overlap, moving, projecting, flattening, packing and unwrapping."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.geometry import uv_layout as layout
from collage.core.geometry.islands import covered, islands, islands_of, measures, overlapping
from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.pack import PackOptions, packed
from collage.core.geometry.stock import shape
from collage.core.geometry.unwrap import UnwrapOptions, unwrapped


def flat_mesh(uv: np.ndarray, size: float = 1.0) -> Mesh:
    """Squares of two triangles side by side in space, with given UVs (n, 4, 2) of their corners."""
    positions, triangles, corners = [], [], []
    for number, square in enumerate(uv):
        x = 2.0 * number * size
        positions += [(x, 0, 0), (x + size, 0, 0), (x + size, size, 0), (x, size, 0)]
        base = 4 * number
        triangles += [(base, base + 1, base + 2), (base, base + 2, base + 3)]
        corners += [square[0], square[1], square[2], square[0], square[2], square[3]]
    p, t = np.array(positions, np.float32), np.array(triangles, np.int32)
    return Mesh(p, t, smooth_normals(p, t), {"UVMap": np.array(corners, np.float32)})


def square(x: float, y: float, size: float = 0.2) -> list[tuple[float, float]]:
    return [(x, y), (x + size, y), (x + size, y + size), (x, y + size)]


def mesh_from(solid: trimesh.Trimesh) -> Mesh:
    p, t = np.asarray(solid.vertices, np.float32), np.asarray(solid.faces, np.int32)
    return Mesh(p, t, smooth_normals(p, t), {"UVMap": np.zeros((3 * len(t), 2), np.float32)})


def every(mesh: Mesh) -> np.ndarray:
    return np.ones(len(mesh.triangles), bool)


# ---- measuring --------------------------------------------------------------------------------


def test_islands_hang_together_by_place_and_vertex() -> None:
    mesh = flat_mesh(np.array([square(0, 0), square(0.2, 0), square(0.5, 0.5)]))
    assert list(islands_of(mesh, "UVMap")) == [0, 0, 1, 1, 2, 2]  # side by side in UV, but not on the mesh
    split = mesh.uv["UVMap"].copy()
    split[3:6] += 0.4
    assert list(islands(mesh.positions, mesh.triangles[:2], split[:6])) == [0, 1]


def test_stretch_and_density_of_squares_are_what_they_were_drawn_with() -> None:
    wide = [(0, 0), (0.4, 0), (0.4, 0.1), (0, 0.1)]
    mesh = flat_mesh(np.array([wide, square(0.5, 0.5, 0.2)]), size=0.5)
    found = measures(mesh.positions, mesh.triangles, mesh.uv["UVMap"])
    assert found.stretch == pytest.approx([4, 4, 1, 1], rel=1e-4)
    assert found.density == pytest.approx([math.sqrt(0.04) / 0.5] * 2 + [0.4] * 2, rel=1e-4)
    assert not found.flipped.any()
    mirrored = mesh.uv["UVMap"] * [-1, 1]
    assert measures(mesh.positions, mesh.triangles, mirrored).flipped.all()
    even = measures(mesh.positions[4:], mesh.triangles[2:] - 4, mesh.uv["UVMap"][6:])
    assert even.mean_stretch == pytest.approx(1)
    # by Sander's definition: lengths 0.5 / 0.4 and 0.5 / 0.1 along the two directions
    first = measures(mesh.positions, mesh.triangles[:2], mesh.uv["UVMap"][:6]).mean_stretch
    assert first == pytest.approx(math.sqrt((1.25**2 + 5**2) / 2 * 0.04 / 0.25), rel=1e-4)


def test_every_texel_of_a_layout_belongs_to_one_triangle_and_areas_are_right() -> None:
    """A fan of triangles that share all their edges: nothing is covered twice, nothing left out."""
    rng = np.random.default_rng(5)
    angle = np.sort(rng.uniform(0, 2 * np.pi, 40))
    ring = 0.5 + 0.45 * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    corners = np.stack([np.broadcast_to([0.5, 0.5], ring.shape), ring, np.roll(ring, -1, axis=0)], axis=1)
    count, owner = covered(corners.reshape(-1, 2), np.arange(40), 512)
    assert count.max() == 1
    d1, d2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]).sum() / 2
    assert count.sum() / 512**2 == pytest.approx(area, rel=5e-3)
    assert set(np.unique(owner)) <= set(range(-1, 40))


def test_what_lies_over_each_other_is_found_in_every_tile() -> None:
    mesh = flat_mesh(np.array([square(0.1, 0.1), square(0.2, 0.2), square(0.6, 0.6), square(1.6, 0.6)]))
    found, share = overlapping(mesh.uv["UVMap"])
    assert found[:4].sum() >= 3  # a triangle of each may lie beside what is covered twice
    assert not found[4:].any()
    assert share == pytest.approx(0.01 / (4 * 0.04 - 0.01), rel=0.03)


# ---- moving -----------------------------------------------------------------------------------


@settings(max_examples=40)
@given(st.floats(-720, 720), st.floats(0.1, 4), st.floats(-2, 2), st.floats(-2, 2))
def test_turning_and_scaling_keep_the_middle_and_leave_the_rest(degrees, scale, u, v) -> None:
    uv = np.array([square(0.1, 0.1), square(0.6, 0.2, 0.3)], np.float32)
    mesh = flat_mesh(uv)
    chosen = np.array([True, True, False, False])
    moved = layout.changed(mesh.uv["UVMap"], chosen, np.eye(2), np.zeros(2), np.array([u, v]))
    made = layout.scaled(layout.turned(moved, chosen, degrees), chosen, scale, scale)
    assert np.array_equal(made[6:], mesh.uv["UVMap"][6:])
    corners = made[:6][[0, 1, 2, 5]]
    assert corners.mean(axis=0) == pytest.approx([0.2 + u, 0.2 + v], abs=2e-3)
    side = np.linalg.norm(corners[1] - corners[0])
    box = 0.2 * (abs(math.cos(math.radians(degrees))) + abs(math.sin(math.radians(degrees))))
    assert side == pytest.approx(0.2 * scale, rel=1e-2)
    assert np.ptp(corners[:, 0]) == pytest.approx(box * scale, rel=2e-2)


def test_four_quarter_turns_and_two_flips_change_nothing() -> None:
    mesh = shape("pot")
    uv = mesh.uv["UVMap"]
    made = uv
    for _ in range(4):
        made = layout.turned(made, every(mesh), 90)
    assert np.abs(made - uv).max() < 1e-5
    flipped = layout.scaled(layout.scaled(uv, every(mesh), -1, 1), every(mesh), -1, 1)
    assert np.abs(flipped - uv).max() < 1e-5
    once = layout.scaled(uv, every(mesh), -1, 1)
    assert measures(mesh.positions, mesh.triangles, once).flipped.mean() > 0.9


def test_fitting_aligning_straightening_and_stacking() -> None:
    mesh = flat_mesh(np.array([square(1.1, 0.1), square(1.5, 0.4, 0.3), square(1.2, 0.7, 0.2)]))
    uv, chosen, island = mesh.uv["UVMap"], every(mesh), islands_of(mesh, "UVMap")
    made = layout.fitted(uv, chosen, margin=0.1)
    assert np.ptp(made, axis=0).max() == pytest.approx(0.8, abs=1e-5)
    assert (made.min(axis=0) + made.max(axis=0)) / 2 == pytest.approx([1.5, 0.5], abs=1e-5), "in its own tile"
    left = layout.aligned(uv, chosen, island, "left").reshape(3, 6, 2)
    assert left[:, :, 0].min(axis=1) == pytest.approx([1.1] * 3)
    assert left[:, :, 1].min(axis=1) == pytest.approx([0.1, 0.4, 0.7])
    leaning = layout.turned(uv, island == 1, 17)
    straight = layout.straightened(leaning, chosen, island)
    assert np.ptp(straight[6:12], axis=0) == pytest.approx([0.3, 0.3], abs=1e-4)
    piled = layout.stacked(mesh, uv, chosen, island).reshape(3, 6, 2)
    assert piled[2] == pytest.approx(piled[0])
    assert piled[1] == pytest.approx(piled[0])  # alike on the mesh, whatever their UVs


def test_evening_gives_all_islands_one_density() -> None:
    mesh = flat_mesh(np.array([square(0.1, 0.1), square(0.5, 0.4, 0.4)]))
    uv = layout.evened(mesh, mesh.uv["UVMap"], every(mesh), islands_of(mesh, "UVMap"))
    density = measures(mesh.positions, mesh.triangles, uv).density
    assert np.ptp(density) < 1e-4
    assert density[0] == pytest.approx(math.sqrt((0.2**2 + 0.4**2) / 2), rel=1e-4)


# ---- layouts ----------------------------------------------------------------------------------


def test_projections_give_their_closed_forms() -> None:
    ring = mesh_from(trimesh.creation.cylinder(0.3, 1.0, sections=48))
    turn = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]], np.float32)  # its axis is made upright
    mesh = Mesh(ring.positions @ turn.T, ring.triangles, ring.normals @ turn.T, ring.uv)
    sides = np.abs(mesh.face_normals[:, 1]) < 0.5
    uv = layout.projected(mesh, mesh.uv["UVMap"], sides, "cylinder").reshape(-1, 3, 2)[sides]
    p = mesh.positions[mesh.triangles[sides]]
    angle = np.arctan2(p[..., 0], p[..., 2]) / (2 * np.pi) + 0.5
    apart = uv[..., 0] - angle
    assert np.abs(apart - np.rint(apart)).max() < 1e-5
    assert np.ptp(uv[..., 0], axis=1).max() < 1 / 48 + 1e-5, "no triangle reaches over the cut"
    assert np.abs(uv[..., 1] - (p[..., 1] + 0.5)).max() < 1e-5
    box = shape("wall")
    uv = layout.projected(box, box.uv["UVMap"], every(box), "box")
    axis = np.abs(box.face_normals).argmax(axis=1)
    level = np.abs(np.take_along_axis(box.face_normals, axis[:, None], 1)[:, 0]) > 0.9999
    found = measures(box.positions, box.triangles, uv)
    assert found.density[level] == pytest.approx(np.ones(level.sum()), rel=1e-4), "a metre is one UV unit"
    assert not found.flipped[level].any()


def test_planks_laid_flat_keep_their_grain_and_real_size() -> None:
    mesh = shape("planks")
    uv = layout.flattened(mesh, mesh.uv["UVMap"], every(mesh))
    axis = np.abs(mesh.face_normals).argmax(axis=1)
    level = mesh.face_normals[:, 1] > 0.9999
    found = measures(mesh.positions, mesh.triangles, uv)
    assert found.stretch[level] == pytest.approx(np.ones(level.sum()), abs=1e-3)
    assert found.density[level] == pytest.approx(np.ones(level.sum()), rel=1e-3)
    along = mesh.positions[mesh.triangles[level]][..., 0]
    u = uv.reshape(-1, 3, 2)[level][..., 0]
    assert np.abs((along - along[:, :1]) - (u - u[:, :1])).max() < 1e-5, "along x is along u: nothing is turned"
    assert overlapping(uv / np.ceil(uv.max()), 2048)[1] < 1e-3
    assert len(np.unique(axis)) == 3


def apart(uv: np.ndarray, island: np.ndarray, size: int, margin: int) -> tuple[int, bool, float]:
    """Texels covered twice, whether so many texels are free around every island, and how many are at the border."""
    count, owner = covered(uv, island, size)
    here = owner >= 0
    window = 2 * margin + 1
    most = ndimage.maximum_filter(owner, window)[here]
    least = ndimage.minimum_filter(np.where(here, owner, 2**30), window)[here]
    free = bool((most == owner[here]).all() and (least == owner[here]).all())
    rows, columns = np.nonzero(here)
    edge = min(rows.min(), columns.min(), size - 1 - rows.max(), size - 1 - columns.max())
    return int((count > 1).sum()), free, float(edge)


@pytest.mark.parametrize("margin", [0, 3, 8])
@pytest.mark.parametrize("turn", [False, True])
def test_packing_keeps_its_margin_its_proportions_and_lets_nothing_overlap(margin: int, turn: bool) -> None:
    rng = np.random.default_rng(11)
    sizes = rng.uniform(0.02, 0.4, (40, 2))
    mesh = flat_mesh(np.array([[(0, 0), (a, 0), (a, b), (0, b)] for a, b in sizes]))
    steps = packed(mesh, mesh.uv["UVMap"], every(mesh), PackOptions(margin, 512, turn))
    uv = finished(steps)
    island = np.repeat(np.arange(40), 2)
    over, free, edge = apart(uv, island, 512, margin)
    assert over == 0
    assert free
    assert edge >= margin // 2
    corner = uv.reshape(40, 6, 2)
    sides = np.stack(
        [np.linalg.norm(corner[:, 1] - corner[:, 0], axis=1), np.linalg.norm(corner[:, 2] - corner[:, 1], axis=1)],
        axis=1,
    )
    assert sides / sizes == pytest.approx(np.full((40, 2), (sides / sizes)[0, 0]), rel=1e-3)
    if not turn:
        assert np.abs(corner[:, 1, 1] - corner[:, 0, 1]).max() < 1e-6
    assert (covered(uv, island, 512)[0] > 0).mean() > (0.5 if margin else 0.6)


def test_what_cannot_be_packed_is_told() -> None:
    mesh = flat_mesh(np.array([square(0.1, 0.1), square(0.5, 0.5)]))
    with pytest.raises(CollageError, match="no room"):
        finished(packed(mesh, mesh.uv["UVMap"], every(mesh), PackOptions(200, 256)))
    with pytest.raises(CollageError, match="nothing"):
        finished(packed(mesh, mesh.uv["UVMap"], ~every(mesh), PackOptions()))
    with pytest.raises(CollageError, match="nothing"):
        finished(unwrapped(mesh, ~every(mesh), UnwrapOptions()))


def knot() -> Mesh:
    """A tube along a trefoil knot, closed."""
    t, s = np.meshgrid(
        np.linspace(0, 2 * np.pi, 120, endpoint=False), np.linspace(0, 2 * np.pi, 12, endpoint=False), indexing="ij"
    )
    path = np.stack([np.sin(t) + 2 * np.sin(2 * t), np.cos(t) - 2 * np.cos(2 * t), -np.sin(3 * t)], axis=-1)
    ahead = np.roll(path, -1, axis=0) - np.roll(path, 1, axis=0)
    ahead /= np.linalg.norm(ahead, axis=-1, keepdims=True)
    side = np.cross(ahead, [0, 0, 1.0])
    side /= np.linalg.norm(side, axis=-1, keepdims=True)
    up = np.cross(side, ahead)
    p = (path + 0.35 * (np.cos(s)[..., None] * side + np.sin(s)[..., None] * up)) * 0.05
    number = np.arange(p.shape[0] * p.shape[1]).reshape(p.shape[:2])
    a, b, c, d = (np.roll(number, (i, j), axis=(0, 1)) for i, j in ((0, 0), (-1, 0), (-1, -1), (0, -1)))
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    return mesh_from(trimesh.Trimesh(p.reshape(-1, 3), faces, process=False))


def open_tube() -> Mesh:
    solid = trimesh.creation.cylinder(0.1, 0.5, sections=40)
    keep = np.abs(solid.face_normals[:, 2]) < 0.5
    return mesh_from(trimesh.Trimesh(solid.vertices, solid.faces[keep], process=False))


def loose_planks() -> Mesh:
    rng = np.random.default_rng(4)
    return mesh_from(trimesh.util.concatenate([
        trimesh.creation.box((0.6, 0.02, 0.1)).apply_translation(rng.uniform(-2, 2, 3)) for _ in range(200)
    ]))  # fmt: skip


def branching() -> Mesh:
    parts = [trimesh.creation.cylinder(0.05, 0.6, sections=24).apply_transform(
        trimesh.transformations.rotation_matrix(angle, axis)) for angle, axis in ((0, (1, 0, 0)), (1.2, (1, 0, 0)), (-1.0, (0, 1, 0)))]  # fmt: skip
    return mesh_from(trimesh.util.concatenate(parts))


@pytest.mark.parametrize("make", [open_tube, knot, loose_planks, branching], ids=lambda one: one.__name__)
def test_hard_meshes_are_unwrapped_without_overlap_and_with_their_margin(make) -> None:
    mesh = make()
    uv = finished(unwrapped(mesh, every(mesh), UnwrapOptions(margin=4, size=1024)))
    island = islands(mesh.positions, mesh.triangles, uv)
    for size, least in ((1024, 4), (4096, 16)):
        over, free, edge = apart(uv, island, size, least)
        assert over == 0
        assert free
        assert edge >= least // 2
    found = measures(mesh.positions, mesh.triangles, uv)
    assert found.mean_stretch < 1.05
    assert not found.flipped.any()


def test_unwrapping_a_part_leaves_the_rest_and_can_be_stopped() -> None:
    mesh = shape("planks")
    chosen = np.asarray(mesh.part) == 1
    steps = unwrapped(mesh, chosen, UnwrapOptions())
    next(steps)
    steps.close()
    uv = finished(unwrapped(mesh, chosen, UnwrapOptions()))
    assert (uv.reshape(-1, 3, 2)[~chosen] == 0).all()
    assert overlapping(uv[np.repeat(chosen, 3)])[1] == 0
