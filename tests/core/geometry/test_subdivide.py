"""Dividing meshes: one step and the limit against the published rules, what stays, and that nothing tears."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.stock import SHAPES, shape
from collage.core.geometry.subdivide import Cage, cage_of, divided, triangles_of

NEVER = 180.0  # degrees: no edge is sharp


def mesh_of(positions, polygons: list[list[int]]) -> Mesh:
    """A mesh of polygons cut into fans."""
    triangles, face = [], []
    for number, polygon in enumerate(polygons):
        for at in range(1, len(polygon) - 1):
            triangles.append([polygon[0], polygon[at], polygon[at + 1]])
            face.append(number)
    places, corners = np.array(positions, np.float32), np.array(triangles, np.int32)
    return Mesh(places, corners, smooth_normals(places, corners), {}, face=np.array(face, np.int32))


def cube() -> Mesh:
    corners = list(itertools.product((-1, 1), repeat=3))
    sides = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    return mesh_of(corners, sides)


def octahedron() -> Mesh:
    ends = [(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)]
    sides = [[0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4], [2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5]]
    return mesh_of(ends, sides)


def nothing(mesh: Mesh) -> np.ndarray:
    return np.zeros((3 * len(mesh.triangles), 0))


def open_edges(cage: Cage) -> int:
    """Edges that do not have a polygon on either side."""
    return int((np.bincount(cage.edge) != 2).sum())


def test_polygons_are_those_from_before_they_were_cut() -> None:
    hexagon = [(np.cos(a), 0, -np.sin(a)) for a in np.radians(np.arange(0, 360, 60))]
    cage = cage_of(mesh_of([*hexagon, (2, 0, 0)], [[0, 1, 2, 3, 4, 5], [0, 6, 1]]), np.zeros((15, 0)))
    assert cage.sizes.tolist() == [6, 3]
    assert sorted(cage.vertex[:6].tolist()) == sorted(set(cage.vertex[:6].tolist()))


def test_one_step_of_catmull_and_clark_on_a_cube() -> None:
    found = divided(cage_of(cube(), nothing(cube()), NEVER), smooth=True)
    assert found.sizes.tolist() == [4] * 24
    wanted = {(5 / 9,) * 3, (0.0, 0.75, 0.75), (0.0, 0.0, 1.0)}  # corners, edges, sides
    assert {tuple(np.round(sorted(np.abs(one)), 12)) for one in found.positions} == {
        tuple(np.round(one, 12)) for one in wanted
    }


def test_corners_of_a_cube_go_to_their_limit() -> None:
    """(n n p + 4 sum of edge neighbours + sum of face neighbours) / (n (n + 5)): M. Halstead et al., 1993."""
    p = np.ones(3)
    edges, faces = 3 * p - 2 * np.ones(3), 3 * p - 4 * np.ones(3)
    limit = (9 * p + 4 * edges + faces) / (3 * 8)
    cage = cage_of(cube(), nothing(cube()), NEVER)
    start = int(np.flatnonzero((cage.positions == 1).all(axis=1))[0])
    for _ in range(7):
        cage = divided(cage, smooth=True)
    assert np.abs(cage.positions[start] - limit).max() < 1e-4


def test_corners_of_an_octahedron_go_to_their_limit() -> None:
    """p (1 - n c) + c sum of the neighbours, c = 1 / (n + 3 / (8 b)): C. Loop, 1987."""
    n = 4
    b = (5 / 8 - (3 / 8 + np.cos(2 * np.pi / n) / 4) ** 2) / n
    c = 1 / (n + 3 / (8 * b))
    cage = cage_of(octahedron(), nothing(octahedron()), NEVER)
    start = int(np.flatnonzero(cage.positions[:, 0] == 1)[0])
    for _ in range(7):
        cage = divided(cage, smooth=True)
    assert cage.is_triangles
    assert np.abs(cage.positions[start] - [1 - n * c, 0, 0]).max() < 1e-4, "the neighbours add to nothing"


def test_sharp_edges_and_the_corners_of_a_sheet_stay() -> None:
    sharp = cage_of(cube(), nothing(cube()))
    for _ in range(3):
        sharp = divided(sharp, smooth=True)
    assert np.abs(np.abs(sharp.positions).max(axis=1) - 1).max() < 1e-12, "a cube stays a cube"
    sheet = shape("plane")
    cage = cage_of(sheet, nothing(sheet))
    low, high = cage.positions.min(axis=0), cage.positions.max(axis=0)
    for _ in range(2):
        cage = divided(cage, smooth=True)
    assert np.allclose(cage.positions.min(axis=0), low)
    assert np.allclose(cage.positions.max(axis=0), high)


@pytest.mark.parametrize("smooth", [False, True])
@pytest.mark.parametrize("name", sorted(SHAPES))
def test_nothing_tears_and_what_is_plain_stays_where_it_is(name: str, smooth: bool) -> None:
    mesh = shape(name)
    cage = cage_of(mesh, mesh.uv["UVMap"])
    fine = divided(cage, smooth)
    open_before = int((np.bincount(cage.edge) == 1).sum())
    assert int((np.bincount(fine.edge) == 1).sum()) == 2 * open_before, "each border edge becomes two"
    assert (np.bincount(fine.edge) > 2).sum() == 2 * (np.bincount(cage.edge) > 2).sum()
    if not smooth:
        p = fine.positions[fine.vertex[triangles_of(fine)]]
        area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2
        assert area == pytest.approx(float(mesh.areas.sum(dtype=float)), rel=2e-3)  # bent quads have one more corner
    uv = fine.values[triangles_of(fine)]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    given = mesh.uv["UVMap"].reshape(-1, 3, 2).astype(float)
    c, d = given[:, 1] - given[:, 0], given[:, 2] - given[:, 0]
    wanted = np.abs(c[:, 0] * d[:, 1] - c[:, 1] * d[:, 0]).sum()
    assert np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() == pytest.approx(wanted, rel=1e-4)


def test_seams_keep_both_their_uvs() -> None:
    mesh = shape("cylinder")
    cage = cage_of(mesh, mesh.uv["UVMap"])
    fine = divided(cage, smooth=True)

    def seam(one: Cage) -> int:
        """Vertices whose corners have several UVs."""
        low, high = np.full((len(one.positions), 2), np.inf), np.full((len(one.positions), 2), -np.inf)
        np.minimum.at(low, one.vertex, one.values)
        np.maximum.at(high, one.vertex, one.values)
        return int(((high - low).max(axis=1) > 1e-6).sum())

    assert seam(cage) > 0
    assert seam(fine) > 1.5 * seam(cage), "the new vertices on the seam have two as well"
    assert open_edges(fine) == open_edges(cage) == 0


def wavy_sheet() -> Mesh:
    """Three by three quads whose border is no straight line."""
    at = [(x, 0.3 * ((x + 2 * z) % 3), z) for z in range(4) for x in range(4)]
    return mesh_of(at, [[4 * z + x, 4 * z + 4 + x, 4 * z + 5 + x, 4 * z + 1 + x] for z in range(3) for x in range(3)])


@pytest.mark.parametrize("held", [False, True])
def test_borders_are_smoothed_along_or_held(held: bool) -> None:
    before = cage_of(wavy_sheet(), nothing(wavy_sheet()), NEVER)
    found = divided(before, smooth=True, held=held)
    rim = (np.abs(before.positions[:, [0, 2]] - 1.5) > 1.4).any(axis=1)
    moved = np.abs(found.positions[: len(rim)] - before.positions).max(axis=1) > 1e-9
    assert moved[~rim].any(), "inside it is smoothed"
    corners = (np.abs(before.positions[:, [0, 2]] - 1.5) > 1.4).all(axis=1)
    assert not moved[corners].any()
    assert moved[rim & ~corners].any() == (not held)


@pytest.mark.parametrize(("angle", "sharp"), [(40.0, True), (89.0, True), (91.0, False), (180.0, False)])
def test_edges_stay_sharp_from_the_crease_angle_on(angle: float, sharp: bool) -> None:
    """Two sides of a roof that meet at a right angle."""
    at = [(x, 1 - abs(y), y) for y in (-1, 0, 1) for x in (0, 1, 2)]
    roof = mesh_of(at, [[0, 3, 4, 1], [1, 4, 5, 2], [3, 6, 7, 4], [4, 7, 8, 5]])
    found = divided(cage_of(roof, nothing(roof), angle), smooth=True)
    assert (found.positions[4, 1] == pytest.approx(1.0)) == sharp
