"""Photographs taken at a slant: against a pinhole camera, linear ramps, and walls whose corners are known."""

from __future__ import annotations

import math

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.images.perspective import (
    WHOLE,
    Corners,
    is_convex,
    moved,
    onto,
    rectangle,
    seen_proportion,
    straight,
)
from collage.core.images.region import Region, taken, taken_size
from collage.core.images.vanishing import find_corners
from collage.demo.photographs import photograph
from collage.demo.regular import REGULAR, regular_photograph

SLANTED: Corners = ((0.1, 0.2), (0.8, 0.1), (0.9, 0.85), (0.15, 0.7))
LENGTH = {"bricks": 72.0, "planks": 110.0, "weave": 60.0}


def ramps(width: int, height: int) -> np.ndarray:
    """(h, w, 2): where each pixel lies, as shares."""
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    return np.stack([x, y], axis=2).astype(np.float32)


def pinhole(points: np.ndarray, turn: float, lean: float, focal: float, size: tuple[int, int]) -> np.ndarray:
    """(n, 2) of a wall, in longer sides of the picture, as a camera sees it that stands askew: pixels."""
    a, b = math.radians(turn), math.radians(lean)
    x, y, z = points[:, 0] * math.cos(a), points[:, 1], -points[:, 0] * math.sin(a)
    y, z = y * math.cos(b) - z * math.sin(b), y * math.sin(b) + z * math.cos(b)
    seen = np.stack([x, y], axis=1) * (focal / (z + focal))[:, None]
    return seen * max(size) + np.array(size) / 2


def test_four_corners_are_where_they_were_dragged() -> None:
    assert np.allclose(moved(onto(SLANTED), np.array(WHOLE)), SLANTED)
    middle = moved(onto(SLANTED), np.array([[0.5, 0.5]]))[0]
    (p, q, r, s) = (np.array(one) for one in SLANTED)  # diagonals of the shape cross where those of the square do
    across, down = r - p, s - q
    t = np.linalg.solve(np.stack([across, -down], axis=1), q - p)[0]
    assert np.allclose(middle, p + t * across)


def test_a_straightened_ramp_says_where_each_pixel_came_from() -> None:
    made = finished(straight(ramps(320, 240), SLANTED, 0.0))
    height, width = made.shape[:2]
    shares = ramps(width, height).reshape(-1, 2)
    assert np.allclose(made.reshape(-1, 2), moved(onto(SLANTED), shares), atol=2e-5)
    assert np.allclose(finished(straight(ramps(320, 240), WHOLE, 0.0, 320 / 240)), ramps(320, 240), atol=2e-5)


def test_the_scale_of_the_picture_is_kept() -> None:
    box: Corners = ((0.25, 0.25), (0.75, 0.25), (0.75, 0.75), (0.25, 0.75))
    assert rectangle(box, (400, 300)) == (200, 150)
    width, height = rectangle(SLANTED, (400, 300), 2.0)
    assert width == pytest.approx(2 * height, abs=2)
    points = np.array(SLANTED) * (400, 300)
    sides = [math.dist(points[one], points[one - 3]) for one in range(4)]
    assert width * height == pytest.approx((sides[0] + sides[2]) * (sides[1] + sides[3]) / 4, rel=0.02)


@pytest.mark.parametrize(("turn", "lean"), [(25, 15), (-18, 22), (12, -12), (-30, -10)])
@pytest.mark.parametrize("focal", [1.0, 1.8])
def test_the_proportion_is_that_of_the_wall(turn: float, lean: float, focal: float) -> None:
    wall = np.array([[-0.3, -0.1], [0.3, -0.1], [0.3, 0.2], [-0.3, 0.2]])
    seen = pinhole(wall, turn, lean, focal, (640, 480))
    assert seen_proportion(seen, (640, 480)) == pytest.approx(2.0, rel=1e-6)


def test_a_bulge_is_undone() -> None:
    x, y = np.meshgrid(np.arange(300) + 0.5 - 150, np.arange(200) + 0.5 - 100)
    half = math.hypot(150, 100)
    inside = np.hypot(x, y) / half
    for bulge in (0.15, -0.15):
        factor = (1 - bulge * inside**2) / max(1.0, 1 - bulge)
        made = finished(straight(ramps(300, 200), None, bulge))
        inner = (slice(8, -8), slice(8, -8))  # at its rim a spline bends
        assert np.allclose((made[:, :, 0] * 300 - 150)[inner], (x * factor)[inner], atol=0.02)
        assert np.allclose((made[:, :, 1] * 200 - 100)[inner], (y * factor)[inner], atol=0.02)


def test_corners_that_enclose_nothing() -> None:
    for corners in (
        ((0.1, 0.1), (0.9, 0.9), (0.9, 0.1), (0.1, 0.9)), ((0.5, 0.5),) * 4,
        ((0.1, 0.9), (0.9, 0.9), (0.9, 0.1), (0.1, 0.1)),
    ):  # fmt: skip
        assert not is_convex(corners)
        with pytest.raises(CollageError, match="enclose nothing"):
            taken(np.zeros((64, 64, 3), np.uint8), Region(corners=corners))


def test_the_size_of_a_region_is_known_before_it_is_taken() -> None:
    pixels = np.zeros((90, 140, 3), np.uint8)
    for region in (
        Region(), Region(left=0.2, bottom=0.7), Region(corners=SLANTED), Region(corners=SLANTED, turns=1, right=0.5),
        Region(angle=12, top=0.3), Region(bulge=0.1, turns=3),
    ):  # fmt: skip
        assert taken(pixels, region).shape[1::-1] == taken_size((140, 90), region)


@pytest.mark.parametrize("kind", REGULAR)
@pytest.mark.parametrize("seed", range(10))
def test_corners_are_found(kind: str, seed: int) -> None:
    draw = np.random.default_rng(seed)
    slant, roll = tuple(draw.uniform(-30, 30, 2) * (1, 0.7)), draw.uniform(-5, 5)
    size = (300, 400) if seed % 2 else (400, 300)
    wall = regular_photograph(
        kind, size, seed, period=LENGTH[kind] * draw.uniform(0.8, 1.3), slant=slant, roll=roll
    )  # fmt: skip
    found = np.array(find_corners(wall.pixels)) * size[::-1]
    on_wall = moved(wall.to_plane, found)
    left, right = on_wall[[0, 3], 0].mean(), on_wall[[1, 2], 0].mean()
    top, bottom = on_wall[[0, 1], 1].mean(), on_wall[[2, 3], 1].mean()
    upright = np.array([[left, top], [right, top], [right, bottom], [left, bottom]])
    off = moved(np.linalg.inv(wall.to_plane), upright) - found
    assert np.abs(off).max() < 0.005 * max(size)
    (a, b), (c, d) = (found[2] - found[0]), (found[3] - found[1])
    assert abs(a * d - b * c) / 2 > 0.45 * size[0] * size[1], "most of the picture is taken"


@pytest.mark.parametrize("kind", ["stones", "gravel", "bark"])
def test_no_corners_where_nothing_is_regular(kind: str) -> None:
    with pytest.raises(CollageError, match="parallel lines"):
        find_corners(photograph(kind, 300).pixels)
    with pytest.raises(CollageError, match="parallel lines"):
        find_corners(np.full((100, 120, 3), 90, np.uint8))
