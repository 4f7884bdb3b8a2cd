"""What is closed of the half sphere at 256 rays, against closed forms and sums over very many rays of another kind."""

from __future__ import annotations

import numpy as np
import pytest
from tests.core.nodes.test_proximity import mask, of_obj

from collage.core.nodes.half_sphere import net
from collage.core.nodes.rays_around import Rays
from collage.core.scene.bench import stock

WITHIN = 0.01
ALL = {"reach": 1000.0, "falloff": 0.0, "samples": 256}


def turned(places: np.ndarray, turn: float) -> np.ndarray:
    """Places (n, 3) turned about the upright axis."""
    x, y, z = np.asarray(places, float).T
    return np.stack([x * np.cos(turn) + z * np.sin(turn), y, z * np.cos(turn) - x * np.sin(turn)], axis=1)


def obj(corners: np.ndarray, faces: list[tuple[int, ...]]) -> str:
    lines = [f"v {x} {y} {z}" for x, y, z in corners]
    return "\n".join([*lines, *("f " + " ".join(str(one + 1) for one in face) for face in faces)]) + "\n"


def groove(wide: float, deep: float) -> tuple[np.ndarray, list[tuple[int, ...]]]:
    flat = np.array([(-90, -wide / 2), (90, -wide / 2), (90, wide / 2), (-90, wide / 2)])
    corners = np.array([(x, y, z) for y in (0, deep) for x, z in flat])
    return corners, [(0, 3, 2, 1), (0, 1, 5, 4), (2, 3, 7, 6)]


@pytest.mark.parametrize("deep", [0.02, 0.04, 0.1, 0.2, 0.5])
def test_the_floor_of_a_groove_sees_the_sky_between_its_edges(library, tmp_path, deep: float) -> None:
    """Of an endless groove, the floor sees half of the sines to both edges: within 1 % at every place, turned anyhow."""
    wide = 0.2
    across = np.linspace(0.005, wide - 0.005, 30)
    other = wide - across
    wanted = 1 - (across / np.hypot(across, deep) + other / np.hypot(other, deep)) / 2
    places = np.stack([np.linspace(-0.1, 0.1, 30), np.zeros(30), across - wide / 2], axis=1)
    errors = []
    for turn in np.random.default_rng(3).uniform(0, 2 * np.pi, 12):
        corners, faces = groove(wide, deep)
        item = of_obj("Groove", tmp_path / "groove.obj", obj(turned(corners, turn), faces))
        errors.append(mask(library, [item], turned(places, turn), (0, -1, 0), "clg_occlusion", **ALL) - wanted)
    assert np.abs(errors).max() < WITHIN
    assert np.sqrt(np.square(errors).mean()) < 0.4 * WITHIN


def upward(count: int) -> np.ndarray:
    """(count, 3) directions over the ground, by the cosine, drawn by lot."""
    a, b = np.random.default_rng(11).random((2, count))
    return np.stack([np.sqrt(b) * np.cos(2 * np.pi * a), np.sqrt(1 - b), np.sqrt(b) * np.sin(2 * np.pi * a)], axis=1)


def to_boxes(place: np.ndarray, ways: np.ndarray, boxes: list[tuple[tuple, tuple]]) -> np.ndarray:
    """(n,) metres to the nearest of upright boxes, each its lowest and highest corner; infinite for none."""
    nearest = np.full(len(ways), np.inf)
    for low, high in boxes:
        with np.errstate(divide="ignore", invalid="ignore"):
            first, second = ((np.array(one) - place) / ways for one in (low, high))
        enters, leaves = np.minimum(first, second).max(axis=1), np.maximum(first, second).min(axis=1)
        nearest = np.minimum(nearest, np.where((enters <= leaves) & (enters > 0), enters, np.inf))
    return nearest


def box_faces(low: tuple, high: tuple) -> tuple[np.ndarray, list[tuple[int, ...]]]:
    corners = np.array([(x, y, z) for y in (low[1], high[1]) for x in (low[0], high[0]) for z in (low[2], high[2])])
    sides = [(0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5), (4, 5, 7, 6), (0, 2, 3, 1)]
    return corners, sides


def room(tmp_path, boxes) -> object:
    """A floor with boxes on it."""
    corners, faces = [np.array([(-9, 0, -9), (-9, 0, 9), (9, 0, 9), (9, 0, -9)])], [(0, 1, 2, 3)]
    for low, high in boxes:
        own, sides = box_faces(low, high)
        first = sum(map(len, corners))
        corners.append(own)
        faces += [tuple(one + first for one in face) for face in sides]
    return of_obj("Room", tmp_path / "room.obj", obj(np.concatenate(corners), faces))


CORNER = [((-9, 0, -9), (-8.0, 3, 9)), ((-9, 0, -9), (9, 3, -8.0))]
BOX = ((-7.9, 0, -7.9), (-7.4, 0.6, -7.3))


@pytest.mark.parametrize(("falloff", "reach"), [(0.0, 1000.0), (0.0, 0.7), (1.0, 2.0)])
def test_a_box_in_the_corner_of_a_room(library, tmp_path, falloff: float, reach: float) -> None:
    """Beside the box and in the slits, six times as deep as wide, behind it; also with what is further counting less."""
    item = room(tmp_path, [*CORNER, BOX])
    x = np.linspace(-7.37, -6.6, 12)
    beside = np.stack([x, np.zeros(12), np.linspace(-7.8, -7.0, 12)], axis=1)
    between = np.array([(-7.95, 0, -7.5), (-7.6, 0, -7.96), (-7.95, 0, -7.95)])
    places = np.concatenate([beside, between])
    found = mask(library, [item], places, (0, -1, 0), "clg_occlusion", reach=reach, falloff=falloff, samples=256)
    ways = upward(400_000)
    within = [WITHIN] * len(beside) + [1.3 * WITHIN] * len(between)
    for place, value, near in zip(places, found, within, strict=True):
        length = to_boxes(place, ways, [*CORNER, BOX])
        closes = np.where(length <= reach, (1 - np.minimum(length / reach, 1)) ** falloff, 0)
        assert value == pytest.approx(closes.mean(), abs=near)


def test_what_is_slimmer_than_the_net_is_neither_lost_nor_made_wider(library, tmp_path) -> None:
    """A fence of thin posts: in the mean over many places as much of the sky is closed as by very many rays."""
    posts = [((x, 0, 0.5), (x + 0.03, 1.2, 0.53)) for x in np.arange(-1.5, 1.5, 0.25)]
    item = room(tmp_path, posts)
    rng = np.random.default_rng(5)
    places = np.stack([rng.uniform(-0.8, 0.8, 60), np.zeros(60), rng.uniform(-0.3, 0.3, 60)], axis=1)
    found = mask(library, [item], places, (0, -1, 0), "clg_occlusion", **ALL)
    ways = upward(40_000)
    wanted = np.array([np.isfinite(to_boxes(place, ways, posts)).mean() for place in places])
    assert wanted.mean() > 0.03
    assert abs((found - wanted).mean()) < 0.003  # 0.0023 where all rays are spread evenly: posts stand in a row
    assert np.sqrt(np.square(found - wanted).mean()) < 0.013


def test_no_point_sends_more_rays_than_asked(library, tmp_path, monkeypatch) -> None:
    sent, plain = [0], Rays.lengths

    def counted(self, at, origins, ways, far):
        sent[0] += len(origins)
        return plain(self, at, origins, ways, far)

    monkeypatch.setattr(Rays, "lengths", counted)
    item = room(tmp_path, [*CORNER, BOX])
    for count in (192, 256, 700):
        sent[0] = 0
        mask(library, [item], [(-7.3, 0, -7.2), (-6, 0, -7.9)], (0, -1, 0), "clg_occlusion", reach=50.0, falloff=0.0,
             samples=count)  # fmt: skip
        assert count < sent[0] <= 2 * count


def test_a_ball_alone_closes_nothing_and_other_objects_count_as_asked(library) -> None:
    ball = stock("Ball", "sphere", sizes={"radius": 0.1, "segments": 48})
    shelf = stock("Shelf", "rounded box", sizes={"width": 0.4, "height": 0.02, "depth": 0.4}, place=(0, 0.24, 0))
    top = [(0.001, 0.2, 0.001), (0.03, 0.195, 0.0)]
    way, given = (0, -1, 0), {"reach": 0.3, "falloff": 0.0, "samples": 256}
    assert mask(library, [ball], top, way, "clg_occlusion", **given).max() == 0
    assert mask(library, [ball, shelf], top, way, "clg_occlusion", others=False, **given).max() == 0
    assert mask(library, [ball, shelf], top, way, "clg_occlusion", **given).min() > 0.8


@pytest.mark.parametrize("count", [192, 256, 1000])
def test_the_net_of_directions_is_the_half_sphere_once(count: int) -> None:
    over = net(count)
    assert over.areas.sum() == pytest.approx(1, abs=1e-5)
    assert over.weights.sum() == pytest.approx(1, abs=1e-5)
    assert len(over.places) < 0.6 * count
    np.testing.assert_allclose(np.linalg.norm(over.directions, axis=1), 1, atol=1e-6)
    uses = np.bincount(over.sides_of.ravel(), minlength=len(over.sides))
    on_the_horizon = (over.sides >= over.inner).all(axis=1) & (uses == 1)
    assert set(uses[~on_the_horizon]) == {2}
    assert on_the_horizon.sum() == len(over.directions) - over.inner
    for at in range(3):  # each side of a triangle joins its corner to the next
        ends = np.sort(np.stack([over.triangles[:, at], over.triangles[:, (at + 1) % 3]], axis=1), axis=1)
        assert (over.sides[over.sides_of[:, at]] == ends).all()
