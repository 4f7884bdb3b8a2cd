"""The sample for Place: each thing is laid out as it is said to be."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.checks import mesh_remarks
from collage.core.project.folder import load_project
from collage.core.render.samples import find_samples
from collage.core.scene.scene import build_scene
from collage.demo.objects import hose, watering_can
from collage.demo.potting_bench import STRIPS


@pytest.fixture(scope="module")
def folder(samples) -> Path:
    return samples("potting-bench")


@pytest.fixture(scope="module")
def seen(folder: Path):
    """By object the points that the sample's own camera sees."""
    bench = load_project(folder)[0].bench.in_folder(folder)
    samples = find_samples(build_scene(bench.objects, False), bench.camera, (480, 300), edges=False)
    return {bench.objects[group.region].name: group.points for group in samples.groups}


def values(library, folder: Path, material: str, card: str, points, output: str = "") -> np.ndarray:
    document = load_project(folder)[0].materials[material]
    plan = build_plan(library, document, {"out": CardOutput(card, output)}, folder=folder / "materials", strict=True)
    found = run(plan, points)["out"]
    return np.broadcast_to(found, (len(found), points.count))


def test_every_object_is_in_the_picture(folder, seen) -> None:
    assert set(seen) == {item.name for item in load_project(folder)[0].bench.objects}
    assert min(points.count for points in seen.values()) > 300


def test_the_label_is_there_once_on_its_own_uv_set_and_clear_around(library, folder, seen) -> None:
    shape = values(library, folder, "Labelled clay", "label_shape", seen["Pot"])[0]
    assert 0.03 < (shape > 0.5).mean() < 0.25
    assert (shape < 0.01).mean() > 0.7
    plain = values(library, folder, "Labelled clay", "bloom", seen["Pot"])
    labelled = values(library, folder, "Labelled clay", "labelled", seen["Pot"])
    clear = shape == 0
    assert np.abs(labelled - plain)[:, clear].max() < 1e-6, "no fringe"
    middle = seen["Pot"].object_position[:, shape > 0.99]
    assert middle[2].min() > 0.03, "on the front alone"
    assert np.ptp(middle[1]) < 0.05


def test_every_plank_has_a_crop_and_a_tint_of_its_own(library, folder, seen) -> None:
    points = seen["Bench top"]
    where = values(library, folder, "Bench planks", "strip", points)
    parts = np.unique(points.part)
    assert len(parts) == 4
    strips = {part: np.floor((where[1, points.part == part] - STRIPS[0]) * 4) for part in parts}
    assert all(len(np.unique(one)) == 1 for one in strips.values()), "all of a plank in one crop"
    assert len({one[0] for one in strips.values()}) >= 2, "not all planks in the same"
    top = points.normal[1] > 0.99
    for part in parts:
        here = (points.part == part) & top
        assert 0.1 < np.ptp(where[1, here]) <= 0.22, "as high as the crop is"
    means = np.array([values(library, folder, "Bench planks", "tint", points)[:, (points.part == part) & top].mean(axis=1)
                      for part in parts])  # fmt: skip
    apart = np.abs(means[:, None] - means[None]).max(axis=2)[np.triu_indices(4, 1)]
    assert apart.min() > 0.01


def test_the_splashback_reads_three_numbered_tiles(library, folder, seen) -> None:
    points = seen["Splashback"]
    where = values(library, folder, "Splashback", "panels", points)
    front = points.normal[2] > 0.99
    assert set(np.unique(np.floor(where[0, front])).tolist()) == {0.0, 1.0, 2.0}
    colour = values(library, folder, "Splashback", "base_color", points)
    means = [colour[:, front & (np.floor(where[0]) == tile)].mean(axis=1) for tile in range(3)]
    assert np.abs(means[0] - means[1]).max() > 0.1
    assert np.abs(means[1] - means[2]).max() > 0.1


def test_the_slabs_tiles_are_five_centimetres(library, folder, seen) -> None:
    points = seen["Slab"]
    number = values(library, folder, "Glazed slab", "tiles", points, "id")[0]
    front = points.object_normal[2] > 0.99
    for one in np.unique(number[front])[:12]:
        here = front & (number == one)
        if here.sum() > 30:
            assert np.ptp(points.object_position[0, here]) < 0.0501
            assert np.ptp(points.object_position[1, here]) < 0.0501


def test_made_objects_are_sound() -> None:
    can, coil = watering_can(), hose()
    assert can.part_names == ("Body", "Spout", "Rose", "Handle")
    assert not [one for one in mesh_remarks(can) if one.kind in ("turned", "flat", "double")]
    assert {one.kind for one in mesh_remarks(coil)} <= {"no_uv"}
    assert not coil.uv
    size = np.ptp(can.positions, axis=0)
    assert 0.2 < size[1] < 0.3
    middles = can.positions[can.triangles].mean(axis=1)
    body = np.asarray(can.part) == 0
    outside = np.hypot(middles[body, 0], middles[body, 2]) > 0.08
    out = (can.face_normals[body] * middles[body] * [1, 0, 1]).sum(axis=1)
    assert (out[outside] > 0).all(), "faces look outwards"
