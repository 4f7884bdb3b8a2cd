"""Light that surfaces send on to others in draft pictures, beside what paths of light find."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage

from collage.core.document.materialx import parse_document
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest, Tracing
from collage.core.render.surrounding import surrounding_of
from collage.core.scene.bench import AreaLight, Bench, Camera, Environment, stock
from collage.core.scene.lights import light_table


def matt(albedo: float):
    return parse_document(
        f"""<materialx version="1.39"><open_pbr_surface name="s" type="surfaceshader">
        <input name="base_color" type="color3" value="{albedo}, {albedo}, {albedo}"/>
        <input name="specular_weight" type="float" value="0"/></open_pbr_surface>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/>
        </surfacematerial></materialx>""".encode()
    )


LAMP = AreaLight(strength=6.0, height=45, turn=-40, distance=1.0, width=0.4, length=0.4)
SKY, OFF = Environment(strength=0.8), Environment(on=False)
BALL = stock("Ball", "sphere", material="m")
FLOOR = stock("Floor", "plane", material="m")


def inner(picture) -> np.ndarray:
    """(h, w) bool: on objects, away from the surround."""
    on = picture.objects >= 0
    return np.asarray(ndimage.binary_erosion(on, iterations=2))


@pytest.mark.parametrize("albedo", [0.15, 0.5, 0.8])
@pytest.mark.parametrize(("lights", "sky"), [((), SKY), ((LAMP,), SKY), ((LAMP,), OFF)])
def test_a_ball_on_its_floor_is_as_bright_as_paths_find(library, albedo: float, lights: tuple, sky) -> None:
    """In the mean over both within 6 %; without what they send on, the draft would be darker than that."""
    renderer = Renderer(library)
    bench = Bench(objects=(BALL, FLOOR), lights=lights, environment=sky, camera=Camera(height=25, distance=1.0))
    request = PictureRequest(bench, {"m": matt(albedo)}, 80, 60)
    draft = renderer.picture(request)
    traced = renderer.picture(replace(request, quality="traced", tracing=Tracing(samples=64)))
    on = inner(draft)
    assert draft.linear[on].mean() == pytest.approx(traced.linear[on].mean(), rel=0.06)


def test_a_black_surface_sends_nothing_back(library) -> None:
    renderer = Renderer(library)
    bench = Bench(objects=(BALL, FLOOR), lights=(LAMP,), environment=SKY, camera=Camera(height=25, distance=1.0))
    draft = renderer.picture(PictureRequest(bench, {"m": matt(0.0)}, 40, 30))
    assert draft.linear[inner(draft)].max() < 1e-4


def test_what_closes_the_sky_is_lit_as_its_place_says(library) -> None:
    """Of a ball on an endless bright floor under an even sky of one: the floor near it, between half and wholly open;
    the same from every camera."""
    renderer = Renderer(library)
    bench = Bench(objects=(BALL,), lights=(LAMP,), environment=SKY)
    request = PictureRequest(bench, {"m": matt(0.5)}, 40, 30)
    scene = renderer.scene(request)
    found = surrounding_of(scene)
    assert found.pattern.size > 200
    assert np.abs(found.position[1]).max() < 1e-4, "nothing but the ground"
    assert np.allclose(found.normal[1], 1, atol=1e-5)
    even = renderer.caches.even_environment()
    whole = renderer.caches.environment(bench, request.folder) or even
    share = found.of_environment(scene, whole, 0.0) / found.of_environment(scene, whole, 0.0).max()
    assert np.allclose(share, share[0], rtol=0.02)
    lamp = found.of_lights(scene, light_table((LAMP,)))
    brighter = found.of_lights(scene, light_table((LAMP.model_copy(update={"strength": 12.0}),)))
    assert np.allclose(brighter, 2 * lamp, rtol=1e-4)
    below = LAMP.model_copy(update={"height": -45.0})
    assert found.of_lights(scene, light_table((below,))).max() < 1e-6, "light from below the ground"


def test_bounced_light_is_the_same_in_every_part_of_a_picture_and_from_every_side(library) -> None:
    renderer = Renderer(library)
    bench = Bench(objects=(BALL, FLOOR), lights=(LAMP,), environment=SKY, camera=Camera(height=25, distance=1.0))
    request = PictureRequest(bench, {"m": matt(0.5)}, 40, 30)
    scene = renderer.scene(request)
    table = light_table(bench.lights)
    first = renderer.caches.near(scene, None, 0.0, table)
    turned = bench.model_copy(update={"camera": Camera(turn=200, height=60, distance=3.0)})
    again = renderer.caches.near(renderer.scene(replace(request, bench=turned)), None, 0.0, table)
    assert np.array_equal(first, again)
    assert first[0].max() > 0
    assert first[1].max() == 0


def test_a_scene_without_objects_has_no_light_to_send_on(library) -> None:
    renderer = Renderer(library)
    request = PictureRequest(Bench(lights=(LAMP,)), {}, 40, 30)
    scene = renderer.scene(request)
    found = surrounding_of(scene)
    assert found.pattern.size == 0
    assert found.of_lights(scene, light_table((LAMP,))).max() == 0
    assert np.isfinite(renderer.picture(request).linear).all()
