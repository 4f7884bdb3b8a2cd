"""The sample for relief: believable depths, everything whole, and told by nothing."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request, without_reliefs
from collage.core.render.renderer import Renderer
from collage.demo.yard import trough


@pytest.fixture(scope="module")
def request_of(samples):
    folder = samples("yard")
    project, problems = load_project(folder)
    assert not problems
    return picture_request(project, 320, 200, folder=folder)


@pytest.fixture(scope="module")
def renderer(library) -> Renderer:
    return Renderer(library)


def test_every_object_is_in_the_picture_and_nothing_is_wrong(renderer, request_of) -> None:
    found = renderer.picture(request_of)
    assert (found.remarks, found.problems) == ((), {})
    assert set(np.unique(found.objects)) >= set(range(len(request_of.bench.objects)))


@pytest.mark.parametrize(
    ("name", "least", "most"), [("Slate floor", 15, 30), ("Stone trough", 5, 14), ("Watering can", 0.7, 2.5)]
)  # from the lowest to the highest, millimetres
def test_relief_is_as_deep_as_it_would_be(renderer, request_of, name: str, least: float, most: float) -> None:
    number = [item.name for item in request_of.bench.objects].index(name)
    found = renderer.reliefs.of(request_of).objects[number]
    gone = (found.mesh.positions - found.rest)[found.mesh.triangles.ravel()]
    depth = 1000 * np.ptp((gone * found.rest_normals).sum(axis=1))
    assert least < depth < most


def test_the_outline_of_the_trough_is_rough_only_with_its_displacement(renderer, request_of) -> None:
    rough, plain = renderer.picture(request_of), renderer.picture(without_reliefs(request_of, ("displacement",)))
    assert 15 < ((rough.objects == 1) != (plain.objects == 1)).sum() < 1500


def test_the_trough_is_a_skin_of_quads_that_faces_out_and_up() -> None:
    mesh = trough()
    centre = mesh.positions[mesh.triangles].mean(axis=1)
    outside = (np.abs(centre[:, 0]) > 0.225) & (centre[:, 1] < 0.18) & (np.abs(centre[:, 2]) < 0.11)
    assert (mesh.face_normals[outside][:, 0] * np.sign(centre[outside][:, 0]) > 0.9).all()
    rim = centre[:, 1] > 0.189
    assert rim.sum() > 100
    assert (mesh.face_normals[rim][:, 1] > 0.9).all()
    assert (mesh.areas > 0).all()
