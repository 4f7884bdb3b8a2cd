"""Traced light on the draft before there are many samples, against light that is known."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.materialx import parse_document
from collage.core.evaluate.run import never
from collage.core.images.files import write_image
from collage.core.render.eased import LEVELS, eased, levels_of
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest
from collage.core.render.traced_pictures import Refining, TracedPicture
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench, Camera, Environment, stock

HIGH, WIDE = 63, 90  # odd, so that the last rows and columns are halves
UP = np.broadcast_to(np.array([0, 1, 0], np.float32), (HIGH, WIDE, 3))
ALL = np.zeros((HIGH, WIDE), np.int32)


def woven(seed: int = 0) -> np.ndarray:
    """A draft with fine detail."""
    rng = np.random.default_rng(seed)
    return rng.uniform(0.05, 0.6, (HIGH, WIDE, 3)).astype(np.float32)


def noisy(light: np.ndarray, seed: int = 1) -> np.ndarray:
    """Light with the noise of few samples: each pixel is dark, or bright enough for the mean."""
    rng = np.random.default_rng(seed)
    return (light * rng.binomial(1, 0.4, light.shape[:2])[..., None] / 0.4).astype(np.float32)


@pytest.mark.parametrize("by", [0.4, 1.0, 2.5])
def test_a_draft_that_is_too_dark_or_too_bright_gets_its_light(by: float) -> None:
    draft = woven()
    found = eased(draft, draft * np.float32(by), ALL, UP, 4)
    np.testing.assert_allclose(found, draft * by, rtol=0.02, atol=0.003)


def test_noise_goes_and_detail_stays() -> None:
    draft = woven()
    light = draft * np.linspace(0.7, 1.6, WIDE, dtype=np.float32)[None, :, None]
    few = noisy(light)
    errors = [np.sqrt(((one - light) ** 2).mean()) for one in (few, eased(draft, few, ALL, UP, 4))]
    assert errors[1] < 0.25 * errors[0]
    assert eased(draft, few, ALL, UP, 4).mean() == pytest.approx(light.mean(), rel=0.03)


def test_light_of_one_object_does_not_reach_another_nor_one_side_the_other() -> None:
    draft = np.full((HIGH, WIDE, 3), 0.2, np.float32)
    left = np.broadcast_to(np.arange(WIDE) < 41, (HIGH, WIDE))  # in the middle of two pixels that are halved together
    light = np.where(left[..., None], draft * 3, draft * 0.5).astype(np.float32)
    region = np.where(left, 4, 7).astype(np.int32)
    aside = np.where(left[..., None], UP, np.float32([1, 0, 0])).astype(np.float32)
    by_object = eased(draft, light, region, UP, 5)
    np.testing.assert_allclose(by_object, light, rtol=0.01)
    np.testing.assert_allclose(eased(draft, light, ALL, aside, 5)[:, 43:], light[:, 43:], rtol=0.01)
    mixed = eased(draft, light, ALL, UP, 5)
    assert np.abs(mixed - light)[:, 41:49].max() > 0.05, "else this shows nothing"


def test_light_where_the_draft_is_black_and_glare_and_no_numbers_of_few_pixels() -> None:
    black = np.zeros((HIGH, WIDE, 3), np.float32)
    np.testing.assert_allclose(eased(black, black + 0.3, ALL, UP, 3), 0.3, rtol=0.01)
    draft, spark = np.full((HIGH, WIDE, 3), 0.2, np.float32), np.full((HIGH, WIDE, 3), 0.2, np.float32)
    spark[30, 30] = 1e6
    assert eased(draft, spark, ALL, UP, 5).max() < 0.4
    alone = ALL.copy()
    alone[10, 10] = 3  # a pixel of its own, which none of the halved ones is
    alone[11, 11] = 5
    found = eased(draft, draft * 2, alone, UP, 3)
    np.testing.assert_allclose(found[11, 11], draft[11, 11], rtol=1e-6)
    np.testing.assert_allclose(found[12, 12], draft[12, 12] * 2, rtol=0.01)


def test_the_more_samples_the_less_is_smoothed_and_in_the_end_nothing() -> None:
    levels = [levels_of(samples) for samples in range(1, 200)]
    assert levels == sorted(levels, reverse=True)
    assert levels[0] == max(level for _, level in LEVELS)
    assert set(levels[32:]) == {0}


@pytest.fixture
def room(library, workers) -> tuple[Renderer, PictureRequest]:
    """A ball in a corner of bright walls: much of its light has bounced."""
    network = edits.set_value(new_material(), "surface", "base_color", "color3", (0.8, 0.3, 0.2))
    network = edits.set_value(network, "surface", "specular_weight", "float", 0.0)
    walls = [
        stock(
            f"Wall {turn}", "rounded box", material="m", place=place, sizes={"width": 0.6, "height": 0.4, "depth": 0.02}
        )
        for turn, place in enumerate([(0, 0, -0.15), (0, 0, 0.15)])
    ]
    ball = stock("Ball", "sphere", material="m", sizes={"radius": 0.08}, place=(0, 0, 0))
    camera = Camera(turn=70, height=20, distance=0.9, target=(0, 0.1, 0))
    bench = Bench(objects=(ball, *walls), camera=camera, environment=Environment(strength=1.5))
    return Renderer(library, workers=workers), PictureRequest(bench, {"m": network}, 121, 90)


def test_one_path_for_four_pixels_tells_the_light_that_has_bounced(room) -> None:
    renderer, request = room
    draft = renderer.picture(request)
    wanted = replace(request, quality="traced", tracing=Tracing(samples=96))
    exact = renderer.picture(wanted).linear
    making = TracedPicture(renderer, wanted)
    glimpse = making.glimpse(draft)
    exposed, _ = next(making.passes())
    raw, on_draft = making.picture(exposed, False), making.picture(exposed, False, draft)
    on = draft.objects >= 0
    errors = [np.abs(one.linear[on] - exact[on]).mean() for one in (glimpse, on_draft, raw)]
    assert errors[0] < 0.35 * errors[2]
    assert errors[1] < 0.3 * errors[2]
    assert glimpse.linear[on].mean() == pytest.approx(exact[on].mean(), rel=0.04)
    assert (glimpse.samples, glimpse.complete) == (0, False)
    assert np.array_equal(glimpse.triangle, draft.triangle)


def test_a_window_sees_the_light_at_once_and_the_traced_picture_in_the_end(room) -> None:
    renderer, request = room
    wanted = replace(request, quality="traced", tracing=Tracing(samples=40))
    making = TracedPicture(renderer, wanted)
    alone = {exposed.samples: making.picture(exposed, done) for exposed, done in making.passes()}
    drafts = list(renderer.stages(request))
    assert [one.complete for one in drafts] == [False, True]
    shown = list(Refining(renderer).pictures(iter(drafts), wanted, never, every=0.0))
    made = [1, 2, *range(4, 41, 4)]  # samples one by one at first, then several at once
    assert list(alone) == made
    assert [one.samples for one in shown] == [0, 0, *made], "light on the first draft, and on the complete one"
    assert [one.complete for one in shown] == [False] * (len(made) + 1) + [True]
    of = {one.samples: one for one in shown}
    assert np.array_equal(alone[40].linear, of[40].linear), "nothing of the draft is left"
    assert np.array_equal(alone[36].linear, of[36].linear), "nor of what is smoothed"
    assert not np.array_equal(alone[24].linear, of[24].linear)
    on = drafts[1].objects >= 0
    apart = [np.abs(one.linear - alone[40].linear)[on].mean() for one in shown[:6]]
    assert apart[0] < np.abs(drafts[0].linear - alone[40].linear)[on].mean()
    assert sorted(apart, reverse=True) == apart
    assert apart[0] < 0.5 * np.abs(alone[1].linear - alone[40].linear)[on].mean()


def test_what_a_moving_hand_has_seen_gets_traced_light_at_once(room) -> None:
    """In its own size, before anything of the whole picture is there; what was left goes on."""
    renderer, request = room
    wanted = replace(request, quality="traced", tracing=Tracing(samples=6))
    small = renderer.picture(replace(request, width=60, height=45, quality="coarse"))
    asked = []

    def drafts(*before: Picture) -> Iterator[Picture]:
        yield from before
        asked.append("whole")
        yield renderer.picture(request)

    refining = Refining(renderer)
    pictures = refining.pictures(drafts(small), wanted, never, every=0.0)
    first = next(pictures)
    assert not asked
    assert first.display.shape[:2] == (45, 60)
    assert (first.samples, first.complete) == (0, False)
    assert np.array_equal(first.objects, small.objects)
    exact = renderer.picture(replace(wanted, width=60, height=45, tracing=Tracing(samples=128))).linear
    on = small.objects >= 0
    # a thousand paths: several such looks together tell what one has beside its noise
    looks = [
        TracedPicture(renderer, replace(wanted, tracing=Tracing(samples=6, seed=seed))).glimpse(small).linear
        for seed in range(8)
    ]
    before, after = (np.abs(one - exact)[on].mean() for one in (small.linear, np.mean(looks, axis=0)))
    assert after < 0.8 * before
    assert np.mean(looks, axis=0)[on].mean() == pytest.approx(exact[on].mean(), rel=0.02)
    more = [next(pictures) for _ in range(3)]
    assert [one.display.shape[:2] for one in more] == [(90, 121)] * 3
    assert [one.samples for one in more] == [0, 1, 2]
    pictures.close()
    again = list(refining.pictures(drafts(), wanted, never, every=0.0))
    assert [one.samples for one in again] == [2, 4, 6]


def test_a_picture_whose_map_changed_on_disk_is_traced_anew(library, tmp_path) -> None:
    network = parse_document(
        b"""<materialx version="1.39"><image name="i" type="color3"><input name="file" type="filename" value="a.png"/>
        </image><open_pbr_surface name="surface" type="surfaceshader">
        <input name="base_color" type="color3" nodename="i"/></open_pbr_surface><surfacematerial name="mm" type="material">
        <input name="surfaceshader" type="surfaceshader" nodename="surface"/></surfacematerial></materialx>"""
    )
    write_image(tmp_path / "a.png", np.full((4, 4, 3), 40, np.uint8))
    ball, camera = stock("Ball", "sphere", material="m"), Camera(distance=0.6, target=(0, 0.05, 0))
    request = PictureRequest(
        Bench(objects=(ball,), camera=camera), {"m": network}, 60, 50, folder=tmp_path, material_folder=tmp_path
    )
    renderer = Renderer(library)
    refining, wanted = Refining(renderer), replace(request, quality="traced", tracing=Tracing(samples=4))

    def samples() -> list[int]:
        pictures = refining.pictures(iter([renderer.picture(request)]), wanted, never, every=0.0)
        return [one.samples for one in pictures]

    assert samples() == [0, 1, 2, 4]
    assert samples() == [4, 4]
    write_image(tmp_path / "a.png", np.full((4, 4, 3), 200, np.uint8))
    assert samples() == [0, 1, 2, 4]
