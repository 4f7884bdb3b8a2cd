"""The generated data: the same from the same seed, tiling, believable; the samples open without a complaint."""

from __future__ import annotations

from dataclasses import fields
from pathlib import Path

import numpy as np
import pytest

from collage.core.evaluate.plan import CardInput, build_plan
from collage.core.project.folder import load_project
from collage.demo import SAMPLES
from collage.demo.maps import bench_wood, celadon, studio, terracotta
from collage.demo.shed import make_sample

SETS = {"terracotta": terracotta, "celadon": celadon, "bench_wood": bench_wood}


@pytest.fixture(scope="module", params=SETS)
def maps(request):
    return SETS[request.param], SETS[request.param](256)


def test_the_same_seed_gives_the_same_maps(maps) -> None:
    make, first = maps
    second = make(256)
    for field in fields(first):
        np.testing.assert_array_equal(getattr(first, field.name), getattr(second, field.name))
    assert np.abs(make(256, seed=999).height - first.height).max() > 0.05


@pytest.mark.parametrize("role", ["base_color", "roughness", "height", "normal", "occlusion"])
def test_maps_tile_without_a_seam(maps, role: str) -> None:
    """The step across the border is no larger than the largest from one line to the next inside."""
    values = getattr(maps[1], role).astype(float)
    for axis in (0, 1):
        lines = np.moveaxis(values, axis, 0)
        inside = np.abs(np.diff(lines, axis=0)).reshape(len(lines) - 1, -1).mean(axis=1)
        assert np.abs(lines[0] - lines[-1]).mean() <= 1.05 * inside.max() + 1e-3


def test_values_are_those_of_real_things(maps) -> None:
    made = maps[1]
    assert 0.02 < made.base_color.mean() < 0.8
    assert made.base_color.min() >= 0
    assert made.base_color.max() <= 1
    assert 0.05 < made.roughness.mean() < 0.95
    lengths = np.linalg.norm(made.normal * 2 - 1, axis=-1)
    np.testing.assert_allclose(lengths, 1, atol=1e-6)
    assert made.normal[..., 2].mean() > 0.85, "relief looks natural, not wild"


def test_normals_are_the_slope_of_the_height_green_up(maps) -> None:
    made = maps[1]
    size = made.height.shape[0]
    step = made.metres / size
    normal = made.normal * 2 - 1
    rise_down = (np.roll(made.height, -1, 0) - np.roll(made.height, 1, 0)) * made.depth / (2 * step)
    np.testing.assert_allclose(normal[..., 1] / normal[..., 2], rise_down, atol=1e-6)


def test_the_studio_has_lamps_and_no_dark_side() -> None:
    room = studio(256)
    assert room.shape == (128, 256, 3)
    assert room.min() > 0.03
    assert room.max() > 5
    assert np.median(room) < 0.5


@pytest.mark.parametrize("sample", SAMPLES)
def test_samples_are_whole(samples, library, sample: str) -> None:
    folder = samples(sample)
    project, problems = load_project(folder)
    assert problems == []
    for item in project.bench.objects:
        network = project.materials[item.material]
        targets = {name: CardInput("surface", name) for name in ("base_color", "specular_roughness", "geometry_normal")}
        plan = build_plan(library, network, targets, folder=folder / "materials")
        assert plan.problems == {}
    size = sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())
    assert size < 40 * 2**20


def test_a_sample_says_what_it_does_and_how_far_it_is(tmp_path: Path) -> None:
    told: list[tuple[str, float]] = []
    make_sample("plain-ball", tmp_path / "p", lambda text, share: told.append((text, share)))
    assert told
    assert all(text for text, _ in told)
    assert [share for _, share in told] == sorted(share for _, share in told)
