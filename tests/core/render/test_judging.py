"""Views for judging against their definitions."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.render.test_traced import ball, matt

from collage.core.images.colour import srgb_to_linear
from collage.core.project.pictures import turned
from collage.core.render.judging import EXPOSURE, GREY, MARK, MARK_DARK, PLAUSIBLE, in_stops, marked
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Environment
from collage.core.scene.daylight import Daylight


def test_every_stop_is_a_step_and_what_is_lost_is_marked() -> None:
    stops = np.array([-7.0, -5.5, -4.5, -0.5, 0.5, 2.4, 3.0])
    light = np.repeat((GREY * 2**stops)[:, None], 3, axis=1).astype(np.float32)
    shown = in_stops(light)
    np.testing.assert_allclose(shown[0], MARK_DARK)
    np.testing.assert_allclose(shown[-1], MARK)
    greys = shown[1:-1, 0]
    assert (np.diff(greys) > 0).all()
    np.testing.assert_allclose(shown[1:-1], greys[:, None].repeat(3, axis=1))
    same = in_stops(np.full((2, 3), GREY, np.float32) * np.array([[1.1], [1.9]], np.float32))
    np.testing.assert_array_equal(same[0], same[1])


@pytest.mark.parametrize(
    ("code", "metal", "mark"),
    [(20, 0, MARK_DARK), (40, 0, None), (235, 0, None), (248, 0, MARK), (150, 1, MARK_DARK), (200, 1, None)],
)
def test_base_colours_outside_the_published_range_are_marked(code: int, metal: int, mark) -> None:
    colour = np.full((3, 1), srgb_to_linear(np.array(code / 255.0)), np.float32)
    found = marked(colour, np.full((1, 1), metal, np.float32), 1)[:, 0]
    if mark is None:
        np.testing.assert_allclose(found, colour[:, 0], rtol=1e-4)
    else:
        np.testing.assert_allclose(found, mark)


def test_both_are_views_of_a_picture(library, workers) -> None:
    renderer = Renderer(library, workers=workers)
    request = PictureRequest(ball(), {"m": matt(0.95)}, 32, 32, mode=PLAUSIBLE)
    picture = renderer.picture(request)
    assert (picture.display[16, 16] == (196, 64, 42)).all() or picture.display[16, 16][0] > 3 * picture.display[16, 16][
        2
    ]
    dark = request.bench.model_copy(update={"exposure": -12.0})
    lost = renderer.picture(replace(request, mode=EXPOSURE, bench=dark)).display[16, 16].astype(int)
    assert lost[2] > 1.5 * lost[0]


def test_light_that_goes_round_is_a_camera_that_goes_round_the_other_way(library, workers) -> None:
    """On a ball of one colour, which looks alike from all sides; the sky, its sun and a panel turn together."""
    renderer = Renderer(library, workers=workers)
    lights = (AreaLight(turn=30.0, target=(0.0, 0.1, 0.0)),)
    bench = ball(lights=lights, environment=Environment(daylight=Daylight(elevation=35.0), turn=20.0))
    request = PictureRequest(bench, {"m": matt(0.6)}, 48, 48)
    one = renderer.picture(turned(request, 0.2, light=True)).linear
    other = renderer.picture(turned(request, -0.2)).linear
    assert abs(one - renderer.picture(request).linear).mean() > 0.02
    np.testing.assert_allclose(one, other, atol=0.03)
    assert abs(one - other).mean() < 0.003
