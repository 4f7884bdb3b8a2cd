"""A material on a stock shape: real sizes, light as bright as before, and the whole shape in the picture."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document.materials import new_material
from collage.core.geometry.stock import SHAPES, shape
from collage.core.project.fresh import ball_project
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest
from collage.core.scene.stage import LABELS, Stage, length_text, sized

MATERIAL = new_material()


@pytest.mark.parametrize("name", SHAPES)
@pytest.mark.parametrize("metres", [0.01, 0.2, 3.0])
def test_a_shape_is_as_large_as_it_is_said(name, metres):
    positions = shape(name, **sized(name, metres)).positions
    extent = (positions.max(axis=0) - positions.min(axis=0)).max()
    assert extent == pytest.approx(metres, rel=0.02)
    assert name in LABELS


@pytest.fixture(scope="module")
def renderer(library):
    return Renderer(library)


def picture(renderer: Renderer, name: str, metres: float) -> Picture:
    stage = Stage(shape=name, metres=metres)
    bench = stage.bench(ball_project().bench, "m").model_copy(update={"camera": stage.camera(), "ground": False})
    return renderer.picture(PictureRequest(bench, {"m": MATERIAL}, 72, 72, "draft"))


@pytest.mark.parametrize("name", SHAPES)
@pytest.mark.parametrize("metres", [0.05, 2.0])
def test_all_of_it_is_in_the_picture_and_lit_alike_at_every_size(renderer, name, metres):
    one, usual = picture(renderer, name, metres), picture(renderer, name, 0.2)
    on = one.objects == 0
    assert on.mean() > 0.08
    for edge in (on[0], on[-1], on[:, 0], on[:, -1]):
        assert not edge.any(), "nothing is cut"
    np.testing.assert_allclose(one.linear[on].mean(), usual.linear[usual.objects == 0].mean(), rtol=0.06)


@pytest.mark.parametrize(
    ("metres", "text"),
    [(0.008, "8 mm"), (0.01, "1 cm"), (0.2, "20 cm"), (0.999, "99.9 cm"), (1.0, "1 m"), (1.5, "1.5 m")],
)
def test_lengths_are_said_as_people_say_them(metres, text):
    assert length_text(metres) == text


@pytest.mark.parametrize("metres", [0.0, -1.0, 1e9])
def test_a_size_that_nothing_has_is_told(metres):
    with pytest.raises(CollageError, match="between 5 mm and 50 m"):
        Stage(metres=metres).bench(ball_project().bench, "m")
