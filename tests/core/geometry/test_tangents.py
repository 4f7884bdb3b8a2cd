"""Tangents at corners, against MikkTSpace written out plainly, and against the surfaces' own directions of u."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.stock import shape


def unit(vector: np.ndarray) -> np.ndarray:
    return vector / max(float(np.linalg.norm(vector)), 1e-30)


def across(vector: np.ndarray, normal: np.ndarray) -> np.ndarray:
    return unit(vector - normal * (vector @ normal))


def plain_tangents(mesh: Mesh, name: str) -> np.ndarray:
    """(3 t, 3): faces around a vertex are gone through from one to the next over edges that they share."""
    places, uv = mesh.positions[mesh.triangles].astype(float), mesh.uv[name].reshape(-1, 3, 2).astype(float)
    normals = mesh.normals.reshape(-1, 3, 3).astype(float)
    count = len(places)

    def key(t: int, c: int) -> tuple[object, ...]:
        return (*np.round(places[t, c], 6), *np.round(normals[t, c], 4), *np.round(uv[t, c], 5))

    edges = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    area = edges[0][:, 0] * edges[1][:, 1] - edges[0][:, 1] * edges[1][:, 0]
    along = [
        np.sign(area[t])
        * ((places[t, 1] - places[t, 0]) * edges[1][t, 1] - (places[t, 2] - places[t, 0]) * edges[0][t, 1])
        for t in range(count)
    ]
    at_edge: dict[object, list[tuple[int, int, int]]] = {}
    for t, c in product(range(count), range(3)):
        ends = key(t, c), key(t, (c + 1) % 3)
        at_edge.setdefault(frozenset(ends), []).append((t, c, (c + 1) % 3))
    out = np.zeros((count, 3, 3))
    for t, c in product(range(count), range(3)):
        mine, todo, fan = key(t, c), [(t, c)], {(t, c)}
        while todo:
            face, corner = todo.pop()
            for end in ((corner + 1) % 3, (corner + 2) % 3):
                for other, a, b in at_edge[frozenset((mine, key(face, end)))]:
                    there = a if key(other, a) == mine else b
                    if (other, there) not in fan and np.sign(area[other]) == np.sign(area[t]):
                        fan.add((other, there))
                        todo.append((other, there))
        total, normal = np.zeros(3), normals[t, c]
        for face, corner in fan:
            one, two = (across(places[face, (corner + step) % 3] - places[face, corner], normal) for step in (1, 2))
            total += across(along[face], normal) * np.arccos(np.clip(one @ two, -1, 1))
        out[t, c] = unit(total)
    return out.reshape(-1, 3)


def bumpy(mirrored: bool = False, seam: bool = False) -> Mesh:
    """A sheet with hills; mirrored: the right half's UVs are those of the left; seam: they begin anew in its middle."""
    n = 8
    grid = np.stack(np.meshgrid(np.arange(n), np.arange(n), indexing="ij"), -1).reshape(-1, 2) / (n - 1)
    heights = 0.1 * np.sin(5 * grid[:, 0]) * np.cos(4 * grid[:, 1])
    positions = np.column_stack([grid[:, 0], heights, -grid[:, 1]]).astype(np.float32)
    at = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).ravel()
    triangles = np.concatenate([np.stack([at, at + n, at + 1], 1), np.stack([at + 1, at + n, at + n + 1], 1)])
    uv = grid[triangles.ravel()].astype(np.float32) @ np.array([[0.9, 0.3], [-0.4, 1.1]], np.float32)
    right = (grid[triangles].mean(axis=1)[:, 0] > 0.5).repeat(3)
    if mirrored:
        u = grid[triangles.ravel()][:, 0]
        uv[:, 0] = np.where(right, 8 / 7 - u, u)
    if seam:
        uv[right] += np.array([0.37, 0.11], np.float32)
    return Mesh(positions, triangles, smooth_normals(positions, triangles), {"UVMap": uv})


def some_of(name: str) -> Callable[[], Mesh]:
    def make() -> Mesh:
        mesh = shape(name)
        kept = np.arange(min(len(mesh.triangles), 700))
        corners = (3 * kept[:, None] + np.arange(3)).ravel()
        uv = {name: values[corners] for name, values in mesh.uv.items()}
        return Mesh(mesh.positions, mesh.triangles[kept], mesh.normals[corners], uv)

    return make


@pytest.mark.parametrize(
    "make",
    [bumpy, lambda: bumpy(mirrored=True), lambda: bumpy(seam=True), some_of("sphere"), some_of("rounded box"),
     some_of("pot"), some_of("planks")],
    ids=["sheet", "mirrored", "seam", "sphere", "rounded box", "pot", "planks"],
)  # fmt: skip
def test_tangents_are_those_of_the_plain_definition(make: Callable[[], Mesh]) -> None:
    mesh = make()
    name = next(iter(mesh.uv))
    wanted, found = plain_tangents(mesh, name), mesh.tangents_of(name)
    known = np.linalg.norm(wanted, axis=1) > 0.5
    assert known.mean() > 0.9
    angle = np.degrees(np.arccos(np.clip((wanted * found).sum(axis=1)[known], -1, 1)))
    assert angle.max() < 0.05
    np.testing.assert_allclose((found * mesh.normals).sum(axis=1), 0, atol=1e-5)


def test_mirrored_halves_do_not_pull_at_each_other() -> None:
    """Where islands are mirrored along an edge, tangents on its sides are opposite."""
    mesh = bumpy(mirrored=True)
    tangents, x = mesh.tangents_of("UVMap"), mesh.positions[mesh.triangles.ravel()][:, 0]
    right = np.repeat(x.reshape(-1, 3).mean(axis=1) > 4 / 7, 3)
    assert (tangents[right][:, 0] < -0.5).all()
    left = np.repeat(x.reshape(-1, 3).mean(axis=1) < 3 / 7, 3)
    assert (tangents[left][:, 0] > 0.5).all()


def test_on_a_ball_tangents_follow_its_own_circles() -> None:
    mesh = shape("sphere")
    place = mesh.positions[mesh.triangles.ravel()].astype(float)
    place -= (place.min(axis=0) + place.max(axis=0)) / 2
    ring = np.linalg.norm(place[:, [0, 2]], axis=1) > 0.3 * np.linalg.norm(place, axis=1)
    u = mesh.uv["UVMap"][:, 0]
    ring &= (u > 0.01) & (u < 0.99)  # on the seam the faces of one side alone count
    circle = np.stack([-place[:, 2], np.zeros(len(place)), place[:, 0]], axis=1)
    along = mesh.tangents_of("UVMap")
    cosine = np.abs((along * circle).sum(axis=1)) / np.maximum(np.linalg.norm(circle, axis=1), 1e-9)
    assert np.degrees(np.arccos(np.clip(cosine[ring], -1, 1))).max() < 0.1


def test_faces_without_an_area_keep_any_frame() -> None:
    mesh = bumpy()
    flat = replace(mesh, uv={"UVMap": np.zeros_like(mesh.uv["UVMap"])})
    assert not flat.tangent_turns("UVMap").any()
    assert not mesh.tangent_turns("no such set").any()
    assert np.isfinite(flat.tangents_of("UVMap")).all()


def test_a_vertex_of_very_many_faces_takes_no_time() -> None:
    count = 60_000
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    positions = np.concatenate([[[0, 0, 0]], np.stack([np.cos(turn), np.zeros(count), np.sin(turn)], axis=1)])
    at = np.arange(count)
    triangles = np.stack([np.zeros(count, int), 1 + (at + 1) % count, 1 + at], axis=1)
    uv = positions[triangles.ravel()][:, [0, 2]] * [1, -1]
    mesh = Mesh(positions, triangles, np.tile([0.0, 1, 0], (3 * count, 1)), {"UVMap": uv})
    np.testing.assert_allclose(mesh.tangents_of("UVMap"), np.tile([1.0, 0, 0], (3 * count, 1)), atol=1e-2)
