"""The sky against its published formulas, worked out apart, and the light that a rig makes of it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from collage.core.scene.daylight import UNIT, Daylight
from collage.core.scene.directions import direction

UP = np.array([[0.0, 1.0, 0.0]])


@pytest.mark.parametrize(("haze", "angle"), [(2.0, 30.0), (3.0, 60.0), (6.0, 45.0)])
def test_straight_up_it_has_the_published_luminance(haze: float, angle: float) -> None:
    """Yz = (4.0453 T - 4.9710) tan chi - 0.2155 T + 2.4192, with chi = (4/9 - T/120)(pi - 2 angle)."""
    sky = Daylight(elevation=90 - angle, haze=haze)
    chi = (4 / 9 - haze / 120) * (math.pi - 2 * math.radians(angle))
    expected = (4.0453 * haze - 4.9710) * math.tan(chi) - 0.2155 * haze + 2.4192
    light = sky.radiance(UP)[0]
    assert light @ [0.2126, 0.7152, 0.0722] * UNIT == pytest.approx(expected, rel=0.003)


def test_it_is_brightest_around_the_sun_and_bluer_away_from_it() -> None:
    sky = Daylight(elevation=35, haze=3.0)
    near, far = (sky.radiance(direction(turn, 35.0)[None])[0] for turn in (8.0, 120.0))
    assert near.sum() > 2 * far.sum()
    assert far[2] / far[0] > 1.3 * near[2] / near[0]


def test_the_sun_reddens_as_it_sets() -> None:
    shares = [np.array(Daylight(elevation=one).sunlight()) for one in (60.0, 20.0, 4.0)]
    reds = [one[0] / one[2] for one in shares]
    assert reds[0] < reds[1] < reds[2]
    assert shares[0].sum() > shares[1].sum() > shares[2].sum()


def test_what_is_left_of_the_sun_is_beers_law_of_the_published_air() -> None:
    """Straight down: exp(-0.008735 w^-4.08 - (0.04608 T - 0.04586) w^-1.3), one air mass."""
    left = np.array(Daylight(elevation=90.0, haze=2.0, sun=1.0).sunlight()) * UNIT / 127.5
    mass = 1 / (1 + 0.15 * 93.885**-1.253)
    expected = [math.exp(-mass * (0.008735 * w**-4.08 + 0.0463 * w**-1.3)) for w in (0.61, 0.55, 0.465)]
    np.testing.assert_allclose(left, expected, rtol=1e-3)


def test_the_ground_sends_back_its_share_of_all_that_falls_on_it() -> None:
    sky = Daylight(elevation=50.0, ground=(0.5, 0.5, 0.5))
    picture = sky.picture()
    rng = np.random.default_rng(3)
    ways = rng.normal(size=(40_000, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    ways[:, 1] = np.abs(ways[:, 1])
    falling = (sky.radiance(ways) * ways[:, 1:2]).mean(axis=0) * 2 * np.pi
    falling += np.array(sky.sunlight()) * math.sin(math.radians(50))
    np.testing.assert_allclose(picture[-1, 0], 0.5 * falling / np.pi, rtol=0.02)


def test_the_sun_of_the_picture_stands_where_its_light_comes_from() -> None:
    sky = Daylight(elevation=30.0)
    picture = sky.picture().sum(axis=2)
    row, column = np.unravel_index(picture.argmax(), picture.shape)
    height = 90 - (row + 0.5) / picture.shape[0] * 180
    around = (column + 0.5) / picture.shape[1] * 360  # 180 is towards -z
    assert height == pytest.approx(30, abs=3)
    assert min(around, 360 - around) < 3
    np.testing.assert_allclose(sky.light(0.0, 1.0).direction(), direction(0.0, 30.0), atol=1e-6)
