"""Strength of relief in millimetres: against slopes and areas that are known."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.model import Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.geometry.stock import shape
from collage.core.nodes.adding import NATURAL, added
from collage.core.nodes.library import load_library
from collage.core.scene.bench import Bench, stock
from collage.core.scene.relief import depth_of, scale_of, span_of, tile_metres, uv_span
from collage.core.scene.stage import Stage


def worn_by(shape: str, metres: float) -> Bench:
    return Stage(shape=shape, metres=metres).bench(Bench(), "Clay")


@pytest.mark.parametrize("metres", [0.1, 1.0, 3.0])
def test_the_width_of_the_uv_square(metres: float) -> None:
    assert tile_metres(worn_by("plane", metres), "Clay") == pytest.approx(metres)
    ball = math.sqrt(math.pi) * metres  # all of a ball's surface, 4 pi r^2
    assert tile_metres(worn_by("sphere", metres), "Clay") == pytest.approx(ball, rel=0.02)
    assert tile_metres(worn_by("plane", metres), "Lime") is None


@pytest.mark.parametrize(("millimetres", "metres"), [(10, 1.0), (-4, 0.2), (1, 0.1)])
def test_a_ramp_as_deep_as_was_said_has_that_slope(millimetres: float, metres: float) -> None:
    """A height that rises from 0 to 1 over the sheet rises by the depth over its width."""
    library = load_library()
    scale = scale_of(millimetres / 1000, metres)
    network, uv = added(library, Network({}, {}, {}), library["ND_texcoord_vector2"], (0, 0))
    network, ramp = added(library, network, library["ND_extract_vector2"], (1, 0), Wire(uv), "in")
    network, bump = added(library, network, library["ND_bump_vector3"], (2, 0), Wire(ramp), "height")
    network = edits.set_value(network, bump, "scale", "float", scale)
    normal = np.asarray(run(build_plan(library, network, {"out": CardOutput(bump)}), sheet(16, 16))["out"])
    points = sheet(16, 16)
    upwards = (normal.reshape(3, -1) * points.normal.reshape(3, -1)).sum(axis=0)
    assert np.degrees(np.arccos(upwards)) == pytest.approx(
        math.degrees(math.atan(abs(millimetres) / 1000 / metres)), abs=0.01
    )
    assert depth_of(scale, metres) == pytest.approx(millimetres / 1000)


@pytest.mark.parametrize("metres", [0.1, 1.0])
@pytest.mark.parametrize("kind", ["ND_bump_vector3", "ND_heighttonormal_vector3"])
def test_new_relief_is_a_hundredth_deep(kind: str, metres: float) -> None:
    library = load_library()
    network, name = added(library, Network({}, {}, {}), library[kind], (0, 0))
    assert network.cards[name].inputs["scale"].value == NATURAL
    tile = tile_metres(worn_by("plane", metres), "Clay")
    assert depth_of(NATURAL, tile) == pytest.approx(0.01 * metres)


@pytest.mark.parametrize(
    ("name", "sizes", "u", "v"),
    [("plane", {"width": 0.6, "depth": 0.3}, 0.6, 0.3), ("wall", {}, 2.4, 2.4), ("planks", {"length": 2.0}, 2.0, 2.0),
     ("cloth", {}, 0.8, 0.8)],
)  # fmt: skip
def test_how_far_a_unit_of_uv_goes(name: str, sizes: dict, u: float, v: float) -> None:
    span = uv_span(Bench(objects=(stock("a", name, sizes=sizes, material="m"),)), "m")
    assert (span.u, span.v) == pytest.approx((u, v), rel=0.012)
    assert span.uneven < 0.02
    assert uv_span(Bench(objects=(stock("a", name, material="m"),)), "other") is None


def test_uneven_uvs_are_told_by_how_much() -> None:
    """On a ball, whose UVs crowd at the poles: of a ring at the height h the density is that at the equator times
    1 / sqrt(cos h), and cos h is at least 0.312 on nineteen twentieths of the area."""
    span = uv_span(Bench(objects=(stock("a", "sphere", sizes={"radius": 1.0}, material="m"),)), "m")
    least = np.sqrt(1 - 0.95**2)
    assert span.uneven == pytest.approx(np.sqrt(1 / least) * np.sqrt(np.sqrt(1 - 0.05**2)) - 1, rel=0.05)
    assert span.v == pytest.approx(np.pi, rel=0.01)
    assert span.u == pytest.approx(2 * np.pi * np.pi / 4, rel=0.01), "the mean of the cosine over a ball's area"


def test_unwrapped_without_area_there_is_none() -> None:
    board = shape("plane")
    flat = replace(board, uv={"UVMap": np.zeros_like(board.uv["UVMap"])})
    assert span_of(flat) is None
