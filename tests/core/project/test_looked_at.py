"""UVs, checks, occlusion and ids in the place of the materials: against what the points themselves say."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.project.looks import (
    EVEN,
    LOOKS,
    MATERIAL_IDS,
    OBJECT_IDS,
    OCCLUSION,
    PART_IDS,
    PATTERN,
    STRETCH,
    TOO_MUCH,
    UVS,
)
from collage.core.project.pictures import picture_request
from collage.core.project.state import Project
from collage.core.render.renderer import Renderer
from collage.core.scene.bench import Bench, Camera, stock

EYE = Camera(turn=0, height=89.0, distance=1.2, target=(0, 0, 0), field=30)


def shown(library, what: str, *objects, camera=EYE, quality="draft"):
    project = Project("Look", {"a": new_material(), "b": new_material()}, Bench(objects=objects, camera=camera))
    return Renderer(library).picture(picture_request(project, 60, 60, quality, what))


def sheet(**more):
    return stock("Sheet", "plane", **{"sizes": {"width": 0.4, "depth": 0.4}, "material": "a", **more})


def inside(*keys: np.ndarray) -> np.ndarray:
    """Pixels whose neighbours show the same: on edges things mix."""
    out = keys[0] >= 0
    for key in keys:
        for axis in (0, 1):
            for step in (1, -1):
                out &= np.roll(key, step, axis) == key
    return out


def test_uvs_are_red_and_green(library) -> None:
    found = shown(library, UVS, sheet())
    y, x = np.nonzero(inside(found.objects))
    red, green = found.linear[y, x, 0], found.linear[y, x, 1]
    assert np.corrcoef(red, x)[0, 1] > 0.99
    assert np.corrcoef(green, -y)[0, 1] > 0.99
    assert (red.min(), red.max()) == (pytest.approx(0, abs=0.06), pytest.approx(1, abs=0.06))
    assert found.linear[y, x, 2].max() == 0


@pytest.mark.parametrize(("wide", "deep"), [(0.4, 0.4), (0.4, 0.2), (0.15, 0.45), (0.1, 0.9)])
def test_stretch_is_grey_where_even_and_red_where_one_way_is_longer(library, wide: float, deep: float) -> None:
    """A sheet whose UVs fill the square is drawn longer one way by the ratio of its sides."""
    found = shown(library, STRETCH, sheet(sizes={"width": wide, "depth": deep}))
    share = min((max(wide, deep) / min(wide, deep) - 1) / 2, 1)
    wanted = (1 - share) * np.array(EVEN) + share * np.array(TOO_MUCH)
    colour = found.linear[inside(found.objects) & (found.objects == 0)]
    np.testing.assert_allclose(colour, np.broadcast_to(wanted, colour.shape), atol=0.01)


def test_occlusion_is_open_in_the_open_and_half_closed_beside_a_wall(library) -> None:
    wall = stock(
        "Wall", "rounded box", sizes={"width": 0.4, "height": 0.4, "depth": 0.05}, place=(0, 0, -0.12), material="b"
    )
    found = shown(library, OCCLUSION, sheet(place=(0, 0.002, 0)), wall)
    light = found.linear[:, :, 0][inside(found.objects) & (found.objects == 0)]
    assert light.max() == pytest.approx(1, abs=0.02)
    assert 0.45 < light.min() < 0.8


@pytest.mark.parametrize(("what", "of"), [(OBJECT_IDS, "objects"), (PART_IDS, "parts"), (MATERIAL_IDS, "materials")])
def test_every_object_part_and_material_has_a_colour_of_its_own(library, what: str, of: str) -> None:
    planks = stock("Planks", "planks", sizes={"count": 3}, place=(-0.15, 0, 0), scale=0.3, material="a")
    ball = stock("Ball", "sphere", place=(0.0, 0, 0.1), scale=0.4, material="a")
    other = sheet(place=(0.2, 0.01, 0), scale=0.4, material="b")
    found = shown(library, what, planks, ball, other)
    kinds = {"objects": found.objects, "parts": found.objects * 100 + found.parts, "materials": found.objects == 2}[of]
    there = inside(found.objects, found.parts)
    seen = {}
    for kind in np.unique(kinds[there]):
        colours = np.unique(found.display[there & (kinds == kind)].reshape(-1, 3), axis=0)
        assert len(colours) == 1, "all of it has one colour"
        seen[kind] = tuple(colours[0])
    assert len(seen) == {"objects": 3, "parts": 5, "materials": 2}[of]
    assert len(set(seen.values())) >= {"objects": 3, "parts": 4, "materials": 2}[of]


def test_the_relief_of_a_material_stays_and_others_are_shown_too(library) -> None:
    layered = edits.set_value(new_material(), "surface", "geometry_opacity", "float", 0.0)
    project = Project("Look", {"a": layered}, Bench(objects=(sheet(),), camera=EYE))
    for what in LOOKS:
        picture = Renderer(library).picture(picture_request(project, 20, 20, "draft", what))
        assert not picture.problems, what
    pattern = shown(library, PATTERN, sheet())
    assert len(np.unique(pattern.display[pattern.objects == 0].reshape(-1, 3), axis=0)) >= 4
