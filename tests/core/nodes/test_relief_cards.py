"""Collage's own cards for relief, against their meaning worked out plainly."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document.model import Card, Input, Network
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet


def evaluated(library, category: str, kind: str, points=None, **given: tuple[str, object]) -> np.ndarray:
    inputs = {name.rstrip("_"): Input(name.rstrip("_"), type_, value) for name, (type_, value) in given.items()}
    plan = build_plan(
        library, Network().with_card(Card("n", category, kind, inputs)), {"n": CardOutput("n")}, strict=True
    )
    return run(plan, points or sheet(4, 4))["n"]


def stored(*direction: float) -> tuple[float, ...]:
    length = float(np.linalg.norm(direction))
    return tuple(one / length / 2 + 0.5 for one in direction)


def direction(found: np.ndarray) -> np.ndarray:
    return found[:, 0] * 2 - 1


@pytest.mark.parametrize(
    ("flags", "wanted"),
    [
        ({}, (0.3, -0.2, 0.9)),
        ({"flip_y"}, (0.3, 0.2, 0.9)),
        ({"flip_x"}, (-0.3, -0.2, 0.9)),
        ({"swap"}, (-0.2, 0.3, 0.9)),
        ({"swap", "flip_y"}, (-0.2, -0.3, 0.9)),
        ({"swap", "flip_x", "flip_y"}, (0.2, -0.3, 0.9)),
    ],
)
def test_axes_of_a_normal_map(library, flags: set[str], wanted: tuple[float, ...]) -> None:
    given = dict.fromkeys(flags, ("boolean", True))
    found = evaluated(library, "clg_normal_format", "vector3", in_=("vector3", stored(0.3, -0.2, 0.9)), **given)
    np.testing.assert_allclose(direction(found), np.array(wanted) / np.linalg.norm(wanted), atol=1e-6)


def test_a_map_of_two_channels_and_one_of_signed_numbers(library) -> None:
    whole = np.array([0.48, -0.6, 0.64])
    two = (*(whole[:2] / 2 + 0.5), 0.0)
    found = evaluated(library, "clg_normal_format", "vector3", in_=("vector3", two), compute_z=("boolean", True))
    np.testing.assert_allclose(direction(found), whole, atol=1e-6)
    found = evaluated(library, "clg_normal_format", "vector3", in_=("vector3", tuple(whole)), signed=("boolean", True))
    np.testing.assert_allclose(direction(found), whole, atol=1e-6)
    beyond = evaluated(
        library, "clg_normal_format", "vector3", in_=("vector3", (1.0, 1.0, 0.0)), compute_z=("boolean", True)
    )
    assert np.isfinite(beyond).all()


def test_green_flipped_twice_is_the_same(library) -> None:
    once = evaluated(
        library, "clg_normal_format", "vector3", in_=("vector3", stored(0.1, 0.7, 0.6)), flip_y=("boolean", True)
    )
    twice = evaluated(
        library, "clg_normal_format", "vector3", in_=("vector3", tuple(once[:, 0])), flip_y=("boolean", True)
    )
    np.testing.assert_allclose(twice[:, 0], stored(0.1, 0.7, 0.6), atol=1e-6)


@pytest.mark.parametrize("base", [(0.3, -0.2), (-1.5, 0.4), (0.0, 0.0)])
@pytest.mark.parametrize("strengths", [(1.0, 1.0), (0.5, -1.0), (0.0, 0.0), (2.0, 3.0)])
def test_slopes_of_two_maps_add_up(library, base: tuple[float, float], strengths: tuple[float, float]) -> None:
    detail = np.array([-0.25, 0.6])
    found = direction(
        evaluated(
            library, "clg_blend_normals", "vector3",
            base=("vector3", stored(*base, 1.0)), detail=("vector3", stored(*detail, 1.0)),
            base_strength=("float", strengths[0]), detail_strength=("float", strengths[1]),
        )
    )  # fmt: skip
    assert np.linalg.norm(found) == pytest.approx(1, abs=1e-5)
    np.testing.assert_allclose(found[:2] / found[2], strengths[0] * np.array(base) + strengths[1] * detail, atol=1e-5)


@pytest.mark.parametrize("height", [0.0, 0.2, 0.5, 1.0, 7.0])
@pytest.mark.parametrize("depth", [0.02, -0.02])
def test_depth_of_a_height(library, height: float, depth: float) -> None:
    def found(**given: tuple[str, object]) -> float:
        value = evaluated(
            library, "clg_relief_depth", "float", in_=("float", height), midpoint=("float", 0.4), depth=("float", depth),
            **given,
        )  # fmt: skip
        return float(value[0, 0])

    plain = (height - 0.4) * depth
    assert found() == pytest.approx(plain, abs=1e-7)
    assert found(outward=("boolean", True)) == pytest.approx(max(plain, 0), abs=1e-7)
    limited = found(lowest=("float", -0.004), highest=("float", 0.003))
    assert limited == pytest.approx(np.clip(plain, -0.004, 0.003), abs=1e-7)


def test_waves_run_where_they_are_told_to(library) -> None:
    """Even ones are two sines; uneven ones stay within their heights, and are other ones with another seed."""
    points = sheet(64, 64, low=(0.0, 0.0, 0.0), high=(2.0, 1.0, 0.0))
    given = {
        "along": ("vector3", (3.0, 0.0, 0.0)), "length": ("float", 0.5), "height": ("float", 0.004),
        "second_along": ("vector3", (0.0, -2.0, 0.0)), "second_length": ("float", 0.3),
        "second_height": ("float", 0.001),
    }  # fmt: skip
    x, y, _ = points.position
    even = evaluated(library, "clg_waves", "float", points, uneven=("float", 0.0), **given)[0]
    wanted = 0.004 * np.sin(2 * np.pi * x / 0.5) + 0.001 * np.sin(-2 * np.pi * y / 0.3)
    np.testing.assert_allclose(even, wanted, atol=2e-8)
    uneven = [evaluated(library, "clg_waves", "float", points, seed=("float", seed), **given)[0] for seed in (0.0, 1.0)]
    assert max(np.abs(one).max() for one in uneven) <= 0.005
    assert min(np.abs(one - even).max() for one in uneven) > 0.001
    assert np.abs(uneven[0] - uneven[1]).max() > 0.001
