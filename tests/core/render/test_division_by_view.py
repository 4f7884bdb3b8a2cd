"""Division by what the picture shows: near the camera, where a smooth shape bends, and not elsewhere."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.render.test_displacement import bench_of, made, open_edges, renderer, request, volume_of

from collage.core.render import relief
from collage.core.render.displacement import SHOWN
from collage.core.scene.bench import Division, stock
from collage.core.scene.cameras import Camera
from collage.core.scene.pixel_size import pixel_size

assert renderer  # a fixture of the other file
BY_VIEW = Division(by_view=True)


def seen(renderer, distance: float, **more):
    ball = stock("Ball", "sphere", material="m", sizes={"segments": 8}, division=BY_VIEW.model_copy(update=more))
    camera = Camera(distance=distance, target=(0, 0.05, 0))
    return made(renderer, request(bench_of(ball, camera=camera), "fine waves", 0.01, quality="final"))


def test_a_near_object_is_divided_more_often_than_a_far_one(renderer) -> None:
    near, middle, far = (seen(renderer, distance) for distance in (0.5, 4.0, 32.0))
    assert len(near.mesh.triangles) > 1.5 * len(middle.mesh.triangles) > 1.5 * len(far.mesh.triangles)
    assert [open_edges(one) for one in (near, middle, far)] == [0, 0, 0]


def test_a_pixel_is_as_large_as_the_camera_says() -> None:
    ball = stock("Ball", "sphere", place=(1.0, 0.0, 2.0), turn=40.0)
    camera = Camera(turn=70, height=20, distance=6, target=(1.0, 0.1, 2.0))
    size = pixel_size(camera, ball, 1600, 1000)
    ahead = camera.axes()[2]
    for away in (3.0, 6.0):
        place = camera.position() + ahead * away
        beside = place + camera.axes()[0] * 0.01
        pixels = np.linalg.norm(np.subtract(*camera.seen(np.stack([place, beside]), 1600, 1000)))
        own = ball.matrix() @ (place - np.array(ball.place))
        assert size.at(own[None])[0] == pytest.approx(0.01 / pixels, rel=0.5)  # both are told in steps
    assert pixel_size(camera.model_copy(update={"turn": 70.5}), ball, 1600, 1000) == size
    small = pixel_size(camera, ball, 300, 200)
    assert small == pixel_size(camera, ball, 1150, 720)


def test_a_small_picture_in_motion_finds_the_mesh_of_the_one_at_rest(renderer) -> None:
    ball = stock("Ball", "sphere", material="m", sizes={"segments": 8}, division=BY_VIEW)
    asked = request(bench_of(ball, camera=Camera(distance=0.5)), "fine waves", 0.01)
    rest = made(renderer, asked)
    assert made(renderer, replace(asked, quality="coarse", width=40, height=30)) is rest


def test_a_smooth_ball_is_round_where_it_is_near(renderer, monkeypatch) -> None:
    """No middle of an edge of the smooth ball is further beside its sphere than may be seen; from afar few triangles
    are enough for it."""
    ball = stock("Ball", "sphere", material="m", sizes={"segments": 16}, division=Division(smooth=True, by_view=True))
    monkeypatch.setattr(relief, "BEGINNING", 8000)
    found, volumes = {}, {}
    for distance in (0.15, 8.0):
        asked = request(bench_of(ball, camera=Camera(distance=distance)), "noise", 0.0, quality="final")
        one, size = made(renderer, asked), pixel_size(asked.bench.camera, ball, asked.width, asked.height)
        found[distance] = len(one.mesh.triangles)
        p = one.mesh.positions[one.mesh.triangles].astype(float)
        middle = (p[:, 0] + p[:, 1]) / 2
        n = one.mesh.normals.reshape(-1, 3, 3).astype(float)
        along = p[:, 1] - p[:, 0]
        bends = np.abs((along * n[:, 0]).sum(axis=1) - (along * n[:, 1]).sum(axis=1)) / 8
        assert np.quantile(bends / size.at(middle), 0.99) < SHOWN
        volumes[distance] = volume_of(one)
    even = ball.model_copy(update={"division": Division(smooth=True, level=5)})
    whole = volume_of(made(renderer, request(bench_of(even), "noise", 0.0)))
    assert volumes[0.15] == pytest.approx(whole, rel=0.01)
    assert found[0.15] > found[8.0]
