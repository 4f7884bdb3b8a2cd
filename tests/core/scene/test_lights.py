"""Lights that are placed, alone, or of a rig."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.scene.bench import ENVIRONMENT, AreaLight, Bench, DistantLight, Environment, stock
from collage.core.scene.daylight import Daylight
from collage.core.scene.lights import colour_of
from collage.core.scene.placing import with_highlight
from collage.core.scene.rigs import RIGS, with_rig
from collage.core.scene.scene import build_bounds

EYE, PLACE = np.array([0.3, 0.5, 1.0]), np.array([0.05, 0.12, 0.02])


@pytest.mark.parametrize("normal", [(0.0, 1.0, 0.0), (0.2, 0.6, 0.7), (-0.5, 0.5, 0.5)])
def test_a_light_put_by_its_highlight_is_mirrored_there(normal: tuple[float, float, float]) -> None:
    up = np.array(normal) / np.linalg.norm(normal)
    toward = EYE - PLACE
    for light in (DistantLight(), AreaLight(distance=0.9)):
        moved = with_highlight(light, PLACE, up, EYE)
        way = moved.direction() if isinstance(moved, DistantLight) else moved.frame()[0] - PLACE
        half = way / np.linalg.norm(way) + toward / np.linalg.norm(toward)
        np.testing.assert_allclose(half / np.linalg.norm(half), up, atol=1e-6)


def test_a_panel_keeps_its_distance_and_faces_the_highlight() -> None:
    panel = AreaLight(distance=0.9, turn=10, height=30)
    before = np.linalg.norm(panel.frame()[0] - PLACE)
    moved = with_highlight(panel, PLACE, np.array([0.0, 1.0, 0.2]), EYE)
    centre, _, _, out = moved.frame()
    assert np.linalg.norm(centre - PLACE) == pytest.approx(before)
    np.testing.assert_allclose(out, (PLACE - centre) / before, atol=1e-6)


def test_a_light_that_is_alone_shines_alone() -> None:
    lights = (AreaLight(name="A"), AreaLight(name="B", on=False), DistantLight(name="C"))
    bench = Bench(lights=lights, environment=Environment(daylight=Daylight()))
    assert [one.name for one in bench.shining] == ["A", "C", "Sun of the sky"]
    alone = bench.model_copy(update={"soloed": 1})
    assert [one.name for one in alone.shining] == ["B"]
    assert not alone.around.on
    around = bench.model_copy(update={"soloed": ENVIRONMENT})
    assert [one.name for one in around.shining] == ["Sun of the sky"]
    assert around.around.on


@pytest.mark.parametrize("name", RIGS)
def test_a_rig_is_as_bright_on_small_things_as_on_large_ones(name: str) -> None:
    """The irradiance of its lights on what they light does not depend on its size."""
    found = []
    for scale in (0.2, 5.0):
        objects = (stock("Ball", "sphere", scale=scale, material="m"),)
        bench = with_rig(Bench(objects=objects), RIGS[name], *build_bounds(objects))
        total = bench.around.strength
        for light in bench.shining:
            if isinstance(light, AreaLight):
                total += light.strength * light.width * light.length / light.distance**2
            else:
                total += light.strength
        found.append(total)
    assert found[0] == pytest.approx(found[1], rel=1e-6)
    assert found[0] > 0.5


@pytest.mark.parametrize(("kelvin", "x", "y"), [(2856, 0.4476, 0.4074), (4000, 0.3805, 0.3768), (6504, 0.3135, 0.3237)])
def test_the_colour_of_a_temperature_is_that_of_a_glowing_body(kelvin: float, x: float, y: float) -> None:
    """Against chromaticities of black bodies (CIE illuminant A for 2856 K)."""
    to_xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
    light = to_xyz @ np.array(colour_of(kelvin))
    assert light[1] == pytest.approx(1, abs=1e-3)
    np.testing.assert_allclose(light[:2] / light.sum(), [x, y], atol=1.5e-3)
