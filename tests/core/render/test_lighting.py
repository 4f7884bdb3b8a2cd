"""Shadow rays: what a moved light costs, what is kept of work called off, and what the smoothed light is worth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.evaluate.run import Cancelled, Workers
from collage.core.kernels import lights as columns
from collage.core.render import lighting
from collage.core.render.caches import RenderCaches
from collage.core.render.environment import EnvironmentLight
from collage.core.render.lighting import COARSE, COMPLETE, FIRST, MOST_BLOCK, View
from collage.core.render.samples import find_samples
from collage.core.scene.bench import AreaLight, Bench, Camera, DistantLight, stock
from collage.core.scene.lights import light_table
from collage.core.scene.scene import Scene

EYE = Camera(turn=0, height=20, distance=1.0, target=(0, 0.1, 0), field=30)
SUN = DistantLight(turn=60, height=45, size=6)
PANEL = AreaLight(turn=-50, height=40)
BENCH = Bench(objects=(stock("Ball", "sphere", material="m"),), camera=EYE)


@pytest.fixture
def caches() -> RenderCaches:
    return RenderCaches()


@pytest.fixture
def sky(caches: RenderCaches, tmp_path) -> EnvironmentLight:
    found = caches.environment(BENCH, tmp_path)
    assert found is not None
    return found


@pytest.fixture
def view(caches: RenderCaches, workers: Workers) -> View:
    return View(caches.scene(BENCH), find_samples(caches.scene(BENCH), EYE, (96, 72), workers=workers))


@pytest.fixture
def asked(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """How many shadow rays each question asks about."""
    counts: list[int] = []
    occluded = Scene.occluded

    def counted(self, origins, ways, reach=None):
        counts.append(len(origins))
        return occluded(self, origins, ways) if reach is None else occluded(self, origins, ways, reach)

    monkeypatch.setattr(Scene, "occluded", counted)
    return counts


def test_a_light_that_moves_costs_its_own_rays(view: View, sky, asked: list[int]) -> None:
    before = light_table((SUN, PANEL))
    view.light(sky, 0.0, before, COMPLETE)
    everything = sum(asked)
    asked.clear()
    moved = view.light(sky, 0.0, light_table((SUN.model_copy(update={"turn": 70.0}), PANEL)), COMPLETE)
    assert 0 < sum(asked) <= view.samples.count * lighting.LIGHT_RAYS < everything / 3
    asked.clear()
    again = view.light(sky, 0.0, before, COMPLETE)
    assert asked == [], "the light went back to where it was"
    assert np.array_equal(again.seen[1], moved.seen[1])
    assert not np.array_equal(again.seen[0], moved.seen[0])


def test_a_light_of_another_colour_costs_no_ray(view: View, asked: list[int]) -> None:
    plain = view.light(None, 0.0, light_table((SUN,)), COMPLETE)
    asked.clear()
    red = view.light(None, 0.0, light_table((SUN.model_copy(update={"colour": (1.0, 0.0, 0.0)}),)), COMPLETE)
    assert asked == []
    assert np.array_equal(plain.seen, red.seen)
    assert plain.key != red.key, "a picture kept under one key is not shown for the other"


def test_an_environment_that_turns_leaves_the_lights_alone(view: View, sky, asked: list[int]) -> None:
    view.light(sky, 0.0, light_table((SUN,)), COMPLETE)
    whole = sum(asked)
    asked.clear()
    view.light(sky, 30.0, light_table((SUN,)), COMPLETE)
    lights = view.samples.count * lighting.LIGHT_RAYS
    assert 0 < sum(asked) < whole
    assert whole - sum(asked) <= lights


def test_stages_lead_to_the_same_light_as_all_rays_at_once(caches, view: View, sky, asked: list[int]) -> None:
    table = light_table((SUN, PANEL))
    first = view.light(sky, 0.0, table, FIRST)
    few = sum(asked)
    assert few <= 3 * (view.samples.donor < 0).sum(), "samples that take their donor's light need none of their own yet"
    staged = view.light(sky, 0.0, table, COMPLETE)
    total = sum(asked)
    asked.clear()
    at_once = View(view.scene, view.samples).light(sky, 0.0, table, COMPLETE)
    assert sum(asked) == total, "the first stage's rays are not traced again"
    assert few < total / 4
    assert np.allclose(staged.arriving, at_once.arriving, atol=2e-6)
    assert np.array_equal(staged.seen, at_once.seen)
    assert first.key != staged.key
    assert abs((first.arriving - staged.arriving).mean()) < 0.05, "few rays are right on average already"


def test_a_moving_hand_sees_the_light_of_the_picture_at_rest(view: View, sky) -> None:
    moving = View(view.scene, view.samples).light(sky, 0.0, light_table(()), COARSE)
    rest = view.light(sky, 0.0, light_table(()), COMPLETE)
    difference = moving.arriving - rest.arriving
    assert abs(difference.mean()) < 0.005
    assert np.sqrt((difference**2).mean()) < 0.03


def test_what_was_traced_when_called_off_is_kept(view: View, sky, asked: list[int]) -> None:
    table = light_table((SUN,))
    seen = iter([False] * 3)

    with pytest.raises(Cancelled):
        view.light(sky, 0.0, table, COMPLETE, cancelled=lambda: next(seen, True))
    kept = sum(asked)
    assert kept > 0
    assert not view.knows(sky, 0.0, table)
    light = view.light(sky, 0.0, table, COMPLETE)
    once, total = View(view.scene, view.samples), sum(asked)
    asked.clear()
    whole = once.light(sky, 0.0, table, COMPLETE)
    assert sum(asked) == total, "no ray is traced twice"
    assert np.array_equal(light.arriving, whole.arriving)
    assert view.knows(sky, 0.0, table)


def test_open_ground_has_no_shade(caches, sky) -> None:
    """Far from the ball nothing is in the way: all of the environment's light arrives, and all of the sun's."""
    far = EYE.model_copy(update={"target": (30.0, 0.0, 0.0), "height": 60.0})
    view = View(caches.scene(BENCH), find_samples(caches.scene(BENCH), far, (40, 30)))
    light = view.light(sky, 0.0, light_table((SUN,)), COMPLETE)
    assert view.samples.count > 100
    assert np.allclose(light.arriving, light.unoccluded, rtol=1e-5)
    assert np.array_equal(light.seen, np.ones_like(light.seen))


def _many_rays(view: View, sky: EnvironmentLight, chosen: np.ndarray) -> np.ndarray:
    """The open share of the environment's light at some samples, by the rays of sixteen patterns, nothing smoothed."""
    total = np.zeros((8, view.samples.count), np.float32)
    for pattern in range(16):
        only = np.where(chosen, pattern, -1).astype(np.int32)
        samples = replace(view.samples, donor=np.full(view.samples.count, -1, np.int32), pattern=only)
        target = lighting.EnvironmentTarget(view.scene, samples, sky, 0.0)
        for start in range(0, samples.count, MOST_BLOCK):
            cut = slice(start, min(start + MOST_BLOCK, samples.count))
            target.add(cut, 0, target.rays, total[:, cut])
    return total[:3, chosen].mean(axis=0) / np.maximum(total[4:7, chosen].mean(axis=0), 1e-9)


def test_edges_have_the_shade_that_many_rays_find(caches, sky, workers) -> None:
    view = View(caches.scene(BENCH), find_samples(caches.scene(BENCH), EYE, (320, 240), workers=workers))
    light = view.light(sky, 0.0, light_table(()), COMPLETE)
    share = light.arriving.mean(axis=0) / np.maximum(light.unoccluded.mean(axis=0), 1e-9)
    edges = view.samples.donor >= 0
    assert edges.sum() > 100
    for chosen, most in ((edges, 0.06), (~edges, 0.015)):
        error = share[chosen] - _many_rays(view, sky, chosen)
        assert np.sqrt((error**2).mean()) < most
        assert abs(error.mean()) < 0.02, "no darker and no lighter on the whole"


@pytest.mark.parametrize("light", [SUN, PANEL], ids=["distant", "area"])
def test_a_shadow_lies_where_geometry_says(caches, light) -> None:
    """The middle of a light behind a ball is hidden from the ground just where the line to it meets the ball."""
    view = View(
        caches.scene(BENCH), find_samples(caches.scene(BENCH), EYE.model_copy(update={"height": 75.0}), (80, 60))
    )
    row = light.row()
    seen = view.light(None, 0.0, row[None], COMPLETE).seen[0]
    place, ball = view.samples.position.astype(float), np.array([0, 0.1, 0])
    ground = (place[1] < 1e-4) & (np.hypot(place[0], place[2]) > 0.03)
    if row[columns.KIND] == columns.DISTANT:
        toward = np.repeat(-row[columns.DIRECTION : columns.DIRECTION + 3, None].astype(float), place.shape[1], axis=1)
    else:
        toward = row[columns.CENTRE : columns.CENTRE + 3, None] - place
    toward = toward / np.linalg.norm(toward, axis=0)
    along = ((ball[:, None] - place) * toward).sum(axis=0)
    gap = np.linalg.norm(ball[:, None] - place - along * toward, axis=0)
    deep, clear = ground & (along > 0) & (gap < 0.04), ground & ((along < 0) | (gap > 0.2))
    assert deep.sum() > 20
    assert clear.sum() > 20
    assert seen[deep].max() < 0.25
    assert seen[clear].min() == 1.0
