"""The sun in a picture of the surroundings: told from what lies around it, and a shadow of its own in draft pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materials import new_material
from collage.core.images.files import write_image
from collage.core.render.environment import balanced, load_environment, prepare
from collage.core.render.latlong import to_direction
from collage.core.render.picture_sun import DEGREES, DIRECTION, IRRADIANCE, NO_SUN, parted
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest, Tracing
from collage.core.scene.bench import Bench, Camera, Environment, stock
from collage.core.scene.directions import direction


def sky(degrees: float, bright: float, turn: float = 30.0, height: float = 40.0, width: int = 1024) -> np.ndarray:
    """An even sky of 0.4 with a disc of light."""
    v, u = np.meshgrid(
        1 - (np.arange(width // 2) + 0.5) / (width // 2), (np.arange(width) + 0.5) / width, indexing="ij"
    )
    near = to_direction(u, v) @ direction(turn, height)
    picture = np.full((width // 2, width, 3), 0.4, np.float32)
    picture[near > np.cos(np.radians(degrees / 2))] = np.array([1.0, 0.9, 0.7]) * bright
    return picture


@pytest.mark.parametrize(("turn", "height"), [(30.0, 40.0), (-179.5, 10.0), (0.0, 75.0), (100.0, -20.0)])
def test_a_sun_is_found_where_and_as_bright_as_it_is(turn: float, height: float) -> None:
    rest, sun = parted(sky(2.0, 2000.0, turn, height, width=2048))
    np.testing.assert_allclose(sun[DIRECTION], direction(turn, height), atol=np.radians(0.1))
    solid = 2 * np.pi * (1 - np.cos(np.radians(1.0)))
    np.testing.assert_allclose(sun[IRRADIANCE], np.array([1.0, 0.9, 0.7]) * 2000 * solid, rtol=0.03)
    assert sun[DEGREES] == pytest.approx(2.0, rel=0.03)
    np.testing.assert_allclose(rest, 0.4, atol=1e-6)


@pytest.mark.parametrize(
    ("picture", "why"),
    [
        (sky(2.0, 3.0), "hardly brighter than the sky"),
        (sky(20.0, 300.0), "as large as a window"),
        (sky(0.6, 60.0), "too little of the light"),
        (sky(4.0, 2000.0, width=64), "texels as large as a sun"),
        (np.zeros((256, 512, 3), np.float32), "black"),
    ],
)
def test_what_is_no_sun_stays_in_the_picture(picture: np.ndarray, why: str) -> None:
    rest, sun = parted(picture)
    assert rest is picture, why
    assert np.array_equal(sun, NO_SUN)


def test_two_suns_or_a_broken_one_do_no_harm() -> None:
    both = np.maximum(sky(2.0, 2000.0), sky(2.0, 1000.0, turn=33.0))
    rest, sun = parted(both)
    assert np.isfinite(rest).all()
    assert np.isfinite(sun).all()


def shown(renderer: Renderer, path: Path, quality: str, **around):
    environment = Environment(file=path.name, **around)
    ball = stock("Ball", "sphere", material="m", place=(0, 0.15, 0))
    floor = stock("Floor", "plane", material="m", sizes={"width": 3, "depth": 3})
    bench = Bench(
        objects=(ball, floor),
        environment=environment,
        camera=Camera(height=80, distance=1.6, target=(0, 0, 0)),
        ground=False,
    )
    how = Tracing(samples=48)
    return renderer.picture(
        PictureRequest(bench, {"m": new_material()}, 120, 90, quality, tracing=how, folder=path.parent)  # type: ignore[arg-type]
    )


@pytest.mark.parametrize("turn", [0.0, 75.0])
def test_draft_pictures_have_its_shadow_where_paths_have_it(library, tmp_path: Path, turn: float) -> None:
    path = tmp_path / "sun.exr"
    write_image(path, sky(1.5, 3000.0), bits=32)
    renderer = Renderer(library)
    draft, traced = (shown(renderer, path, quality, turn=turn, strength=0.7) for quality in ("final", "traced"))
    floor = draft.objects == 1
    here, there = draft.linear[floor].mean(axis=1), traced.linear[floor].mean(axis=1)
    assert np.median(here) == pytest.approx(np.median(there), rel=0.06)
    dark, deep = here < 0.75 * np.median(here), there < 0.75 * np.median(there)
    assert deep.sum() > 60, "the ball throws a shadow"
    assert (dark ^ deep).sum() < 0.2 * deep.sum(), "with an edge at the same place"


def test_its_light_is_balanced_with_the_rest() -> None:
    light = prepare(sky(2.0, 2000.0))
    half = balanced(light, (0.5, 1.0, 2.0))
    np.testing.assert_allclose(half.sun[IRRADIANCE], light.sun[IRRADIANCE] * [0.5, 1, 2], rtol=1e-6)
    np.testing.assert_array_equal(half.sun[DIRECTION], light.sun[DIRECTION])


def test_it_is_kept_with_what_was_made_ready(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    path = tmp_path / "sun.exr"
    write_image(path, sky(2.0, 2000.0), bits=32)
    first, again = load_environment(path), load_environment(path)
    assert first.sun[IRRADIANCE].min() > 0
    assert np.array_equal(first.sun, again.sun)
