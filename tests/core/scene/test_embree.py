"""Trees of triangles: what rays meet, against every triangle asked one by one."""

from __future__ import annotations

import gc
import weakref

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.kernels.embree import FAR, ORIGIN, WAY
from collage.core.scene import embree
from collage.core.scene.embree import Tree
from collage.core.scene.tracer import Body, Hits, Tracer, room_for_rays

RNG = np.random.default_rng(4)


def soup(count: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Triangles anywhere, some of them so that they share corners."""
    rng = np.random.default_rng(seed)
    vertices = rng.uniform(-1, 1, (count + 2, 3)).astype(np.float32)
    return vertices, np.stack([np.arange(count), np.arange(count) + 1, np.arange(count) + 2], axis=1).astype(np.int32)


def by_each(bodies: list[Body], origins: np.ndarray, ways: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The nearest triangle and its distance (T. Moeller and B. Trumbore, Fast, Minimum Storage Ray/Triangle
    Intersection, 1997), in double precision."""
    corners = np.concatenate([one.vertices[one.triangles] for one in bodies]).astype(np.float64)
    number = np.concatenate([one.first + np.arange(len(one.triangles)) for one in bodies])
    a, along, across = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    o, d = origins[:, None].astype(np.float64), ways[:, None].astype(np.float64)
    with np.errstate(all="ignore"):
        side = np.cross(d, across)
        scale = (along * side).sum(-1)
        u = ((o - a) * side).sum(-1) / scale
        other = np.cross(o - a, along)
        v, t = (d * other).sum(-1) / scale, (across * other).sum(-1) / scale
    t[~((u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0))] = np.inf
    best = t.argmin(axis=1)
    length = t[np.arange(len(t)), best]
    return np.where(np.isinf(length), -1, number[best]), length


def bodies() -> list[Body]:
    return [Body("a", *soup(60, 1), first=40), Body("nothing", np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32)),
            Body("b", *soup(40, 2), first=0)]  # fmt: skip


def some_rays(count: int = 2000) -> tuple[np.ndarray, np.ndarray]:
    return RNG.uniform(-1.5, 1.5, (count, 3)).astype(np.float32), RNG.normal(size=(count, 3)).astype(np.float32)


def test_rays_meet_what_they_meet_asked_one_by_one() -> None:
    origins, ways = some_rays()
    found = Tracer(bodies()).nearest(origins, ways)
    triangle, length = by_each(bodies(), origins, ways)
    assert 0.2 < (triangle >= 0).mean() < 0.95
    assert (found.triangle == triangle).mean() > 0.999, "but for rays on an edge"
    same = (found.triangle == triangle) & (triangle >= 0)
    np.testing.assert_allclose(found.distance[same], length[same], rtol=1e-4, atol=1e-5)
    place = origins[same] + ways[same] * found.distance[same, None]
    every = np.zeros((100, 3, 3), np.float32)
    for one in bodies():
        every[one.first : one.first + len(one.triangles)] = one.vertices[one.triangles]
    a, b, c = every[found.triangle[same]].transpose(1, 0, 2)
    u, v = found.u[same, None], found.v[same, None]
    np.testing.assert_allclose(a * (1 - u - v) + b * u + c * v, place, atol=2e-4)
    assert (found.distance[found.triangle < 0] > 1e30).all()


def test_rays_go_no_further_than_is_said() -> None:
    origins, ways = some_rays()
    tracer, (triangle, length) = Tracer(bodies()), by_each(bodies(), origins, ways)
    far = RNG.uniform(0.05, 1.5, len(ways)).astype(np.float32)
    clear = np.abs(length - far) > 1e-4
    wanted = np.where(length < far, triangle, -1)
    found = tracer.nearest(origins, ways, far)
    assert (found.triangle == wanted)[clear].mean() > 0.999
    np.testing.assert_array_equal(found.distance[found.triangle < 0], far[found.triangle < 0])
    assert ((tracer.occluded(origins, ways, far) >= 0) == (wanted >= 0))[clear].mean() > 0.999
    assert ((tracer.occluded(origins, ways) >= 0) == (triangle >= 0)).mean() > 0.999


def noted(origins: np.ndarray, ways: np.ndarray, far: np.ndarray) -> np.ndarray:
    """Rays where Embree takes them."""
    rays = room_for_rays(len(ways))
    rays[:, ORIGIN : ORIGIN + 3], rays[:, WAY : WAY + 3], rays[:, FAR] = origins, ways, far
    return rays


@pytest.mark.parametrize("apart", [False, True])
def test_rays_are_asked_where_they_are_noted(apart: bool) -> None:
    """With all triangles in one tree, and in two as while something is moved."""
    every, (origins, ways) = bodies(), some_rays()
    tracer = Tracer(every, Tracer(every[:1]), moving=True) if apart else Tracer(every)
    assert tracer.is_whole is not apart
    (triangle, length), far = by_each(every, origins, ways), RNG.uniform(0.05, 1.5, len(ways)).astype(np.float32)
    origins[7], ways[8] = np.nan, np.nan  # what is no number meets nothing and harms no other ray
    rays = noted(origins, ways, far)
    before = rays.copy()
    tracer.mark_occluded(rays[100:])
    np.testing.assert_array_equal(rays[:100, FAR], before[:100, FAR], "rays that are not asked stay as they are")
    clear = (np.abs(length - far) > 1e-4) & (np.arange(len(far)) >= 100)
    wanted = (triangle >= 0) & (length < far)
    assert ((rays[:, FAR] < 0) == wanted)[clear].mean() > 0.999
    assert 0.1 < wanted[clear].mean() < 0.9
    tracer.mark_occluded(rays[:100])
    assert not (rays[7:9, FAR] < 0).any()
    rays[:, FAR] = before[:, FAR]
    np.testing.assert_array_equal(rays.view(np.int32), before.view(np.int32), "nothing else is written")


def test_all_rays_may_begin_in_one_place_and_be_written_where_asked() -> None:
    _, ways = some_rays(500)
    tracer, eye = Tracer(bodies()), np.array([[0.1, 0.2, 2.0]], np.float32)
    one_by_one = tracer.nearest(np.repeat(eye, 500, axis=0), ways)
    room = Hits.room(700)
    part = Hits(*(rows[100:600] for rows in room))
    for rows in room:
        rows[:] = 7
    tracer.nearest(eye, ways, out=part)
    for found, wanted in zip(part, one_by_one, strict=True):
        np.testing.assert_array_equal(found, wanted)
    assert all((rows[:100] == 7).all() and (rows[600:] == 7).all() for rows in room)


def test_what_is_no_number_or_has_no_area_is_never_met() -> None:
    vertices, triangles = soup(30, 3)
    triangles[::3] = 5
    vertices[9] = np.nan
    vertices[20] = np.inf
    origins, ways = some_rays()
    found = Tracer([Body("broken", vertices, triangles)]).nearest(origins, ways)
    bad = {at for at, three in enumerate(triangles) if len(set(three)) < 3 or {9, 20} & set(three.tolist())}
    assert not bad & set(found.triangle.tolist())
    assert (found.triangle >= 0).any()


def test_a_tree_goes_with_who_held_it() -> None:
    released: list[int] = []
    tree = Tree([soup(10, 1)])
    weakref.finalize(tree, released.append, 1)
    alive = sum(1 for one in weakref.finalize._registry if one.alive)  # type: ignore[attr-defined]
    del tree
    gc.collect()
    assert released == [1]
    assert sum(1 for one in weakref.finalize._registry if one.alive) <= alive - 2  # type: ignore[attr-defined]


def test_too_little_memory_for_a_tree_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    class Full:
        def __getattr__(self, name: str) -> object:
            if name == "rtcGetDeviceError":
                return lambda device: embree.OUT_OF_MEMORY
            return getattr(real, name)

    real = embree._library()
    monkeypatch.setattr(embree, "_library", Full)
    with pytest.raises(CollageError, match="not enough memory for 10 triangles"):
        Tree([soup(10, 1)])
