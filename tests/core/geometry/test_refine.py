"""Triangles divided here and there: nothing torn, nothing turned, values shared evenly."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.geometry.refine import in_triangles, refined
from collage.core.geometry.stock import shape
from collage.core.geometry.subdivide import Cage, cage_of, divided


def cage(name: str = "sphere") -> Cage:
    mesh = shape(name)
    return in_triangles(divided(cage_of(mesh, mesh.uv["UVMap"]), smooth=False))


def area(of: Cage) -> tuple[float, float]:
    """On the surface, and in UV with its sign."""
    p, uv = of.positions[of.vertex].reshape(-1, 3, 3), of.values.reshape(-1, 3, 2)
    d, e = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    flat = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum()
    return float(flat), float((d[:, 0] * e[:, 1] - d[:, 1] * e[:, 0]).sum())


@pytest.mark.parametrize("name", ["sphere", "rounded box", "ring"])
@pytest.mark.parametrize("seed", range(3))
def test_nothing_tears_whatever_is_marked(name: str, seed: int) -> None:
    before = cage(name)
    rng = np.random.default_rng(seed)
    now = before
    for share in (0.3, 0.5):
        marked = rng.random(now.edges) < share
        now, halved = refined(now, marked)
        assert np.array_equal(halved, np.flatnonzero(marked))
    ends = np.sort(np.stack([now.vertex, now.vertex[now.following]], axis=1), axis=1)
    _, times = np.unique(ends, axis=0, return_counts=True)
    assert (times == 2).all(), "every edge has two triangles"
    np.testing.assert_allclose(area(now), area(before), rtol=1e-6)
    sides = now.vertex.reshape(-1, 3)
    assert ((sides != np.roll(sides, 1, axis=1)).all(axis=1)).all()


def test_all_edges_give_four_and_none_give_the_same() -> None:
    before = cage()
    whole, _ = refined(before, np.ones(before.edges, bool))
    assert len(whole.vertex) == 4 * len(before.vertex)
    same, halved = refined(before, np.zeros(before.edges, bool))
    assert len(halved) == 0
    assert np.array_equal(same.vertex, before.vertex)


def test_new_vertices_lie_in_the_middle_of_their_edges_and_sharp_edges_stay_whole() -> None:
    before = cage("rounded box")
    sharp = np.zeros(before.edges, bool)
    sharp[:40] = True
    before = Cage(before.positions, before.vertex, before.starts, before.values, sharp[before.edge], before.source)
    marked = np.zeros(before.edges, bool)
    marked[::3] = True
    now, halved = refined(before, marked)
    at = before.of_edge[halved]
    wanted = (before.positions[before.vertex[at]] + before.positions[before.vertex[before.following[at]]]) / 2
    np.testing.assert_allclose(now.positions[len(before.positions) :], wanted)
    length = lambda of, which: np.linalg.norm(  # noqa: E731
        of.positions[of.vertex[which]] - of.positions[of.vertex[of.following[which]]], axis=1
    ).sum()
    assert length(now, now.sharp) == pytest.approx(length(before, before.sharp))


def test_edges_have_one_number_from_both_sides_and_are_met_in_order() -> None:
    of = cage("rounded box")
    ends = np.sort(np.stack([of.vertex, of.vertex[of.following]], axis=1), axis=1)
    _, first, inverse = np.unique(ends, axis=0, return_index=True, return_inverse=True)
    rank = np.argsort(np.argsort(first))
    np.testing.assert_array_equal(of.edge, rank[inverse.ravel()])
    np.testing.assert_array_equal(of.of_edge, np.sort(first))


def test_a_fan_of_many_triangles_hangs_nothing() -> None:
    """Their edges all begin at one vertex."""
    count = 300_000
    rim = np.arange(1, count + 1)
    vertex = np.stack([np.zeros(count, int), rim, rim % count + 1], axis=1).ravel()
    nothing = np.zeros(len(vertex), int)
    fan = Cage(np.zeros((count + 1, 3)), vertex, np.arange(0, len(vertex) + 1, 3), np.zeros((len(vertex), 0)),
               nothing.astype(bool), nothing)  # fmt: skip
    assert fan.edges == 2 * count
