"""What light meets inside objects, against geometry and the standard's definition."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.geometry.points import Points, sheet
from collage.core.render.inside import medium, path_length
from collage.core.scene.bench import stock
from collage.core.scene.scene import build_scene


def points_on(place: np.ndarray, normal: np.ndarray, view: np.ndarray) -> Points:
    flat = sheet(len(place), 1)
    return Points(
        position=place.T.astype(np.float32),
        normal=normal.T.astype(np.float32),
        tangent=flat.tangent,
        bitangent=flat.bitangent,
        uv={},
        along_u=flat.along_u,
        along_v=flat.along_v,
        step_u=flat.step_u,
        step_v=flat.step_v,
        view=view.T.astype(np.float32),
    )


@pytest.mark.parametrize("ior", [1.0001, 1.5, 2.4])
def test_the_way_through_a_ball_is_the_chord_of_the_bent_ray(ior: float) -> None:
    ball = stock("ball", "sphere", place=(0.0, 1.0, 0.0))
    scene = build_scene((ball,), ground=False)
    centre = (np.asarray(scene.bounds[0]) + scene.bounds[1]) / 2
    radius = float(scene.bounds[1][0] - centre[0])
    angle = np.radians([0, 20, 45, 70])
    normal = np.stack([np.sin(angle), np.zeros(4), np.cos(angle)], axis=1)
    view = np.tile([0.0, 0, -1], (4, 1))
    points = points_on(centre + normal * radius * 0.999, normal, view)
    found = path_length(scene, points, 0, 4, np.full(4, ior, np.float32))
    inner = np.arcsin(np.sin(angle) / ior)
    np.testing.assert_allclose(found, 2 * radius * np.cos(inner), rtol=0.02, atol=0.002)


def test_nothing_behind_an_open_sheet() -> None:
    scene = build_scene((), ground=False)
    points = points_on(np.zeros((1, 3)), np.array([[0.0, 0, 1]]), np.array([[0.0, 0, -1]]))
    assert path_length(scene, points, 0, 1, np.ones(1, np.float32)) == [0]


def column(*values: float) -> np.ndarray:
    return np.array(values, np.float32).reshape(-1, 1)


def test_at_its_depth_a_medium_has_exactly_its_colour() -> None:
    colour = column(0.8, 0.4, 0.1)
    left, back = medium(column(0.25).ravel(), column(0.25), colour, column(0, 0, 0), column(0))
    np.testing.assert_allclose(left, colour, rtol=1e-5)
    assert (back == 0).all()
    twice, _ = medium(column(0.5).ravel(), column(0.25), colour, column(0, 0, 0), column(0))
    np.testing.assert_allclose(twice, colour**2, rtol=1e-4)


def test_a_medium_that_only_scatters_sends_back_all_that_it_meets() -> None:
    colour = column(0.5, 0.5, 0.5)
    scatter = -np.log(colour)  # all of the extinction is scattering
    left, back = medium(column(0.1).ravel(), column(0.1), colour, scatter, column(0))
    np.testing.assert_allclose(left + back, 1, atol=1e-5)
    _, less = medium(column(0.1).ravel(), column(0.1), colour, scatter / 2, column(0))
    assert (less < back).all()
    _, forward = medium(column(0.1).ravel(), column(0.1), colour, scatter / 2, column(0.9))
    assert (forward < less).all(), "what scatters forwards goes on and is absorbed"
