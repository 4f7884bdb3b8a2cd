"""Masks that look around with rays, against closed forms on small scenes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.document.model import Card, Input, Network
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import Workers, run
from collage.core.geometry.picking import stored
from collage.core.geometry.points import sheet
from collage.core.render.samples import find_hits
from collage.core.scene.bench import Bench, BenchObject, stock
from collage.core.scene.geometry import FaceSet, MeshFile, MeshReading
from collage.core.scene.scene import build_scene


def of_obj(name: str, path: Path, text: str, **more) -> BenchObject:
    path.write_text(text)
    return BenchObject(name=name, geometry=MeshFile(reading=MeshReading(file=str(path)), smoothing=1.0), **more)


def mask(library, objects, places, way, category: str, *, ground: bool = False, workers=None, **inputs) -> np.ndarray:
    """(n,) of a mask where rays along `way` meet the first of the objects from beside places (n, 3)."""
    scene = build_scene(tuple(objects), ground)
    way = np.asarray(way, np.float32) / np.float32(np.linalg.norm(way))
    places = np.asarray(places, np.float32)
    ways = np.tile(way, (len(places), 1))
    found = find_hits(scene, np.ascontiguousarray(places - ways * 1e-3), ways, 2e-3, 1e-4)
    assert found.count == len(places)
    kinds = {bool: "boolean", int: "integer", tuple: "vector3", str: "string"}
    given = {name: Input(name, kinds.get(type(one), "float"), one) for name, one in inputs.items()}
    network = Network().with_card(Card("mask", category, "float", given))
    plan = build_plan(library, network, {"mask": CardOutput("mask")})
    assert not plan.problems
    out = np.empty(found.count)
    for group in found.groups:
        value = run(plan, group.points, workers=workers)["mask"]
        out[found.pixel[group.start : group.stop]] = np.broadcast_to(value, (1, group.points.count))[0]
    return out


FLOOR_AND_WALL = """v -9 0 -9
v 9 0 -9
v 9 0 9
v -9 0 9
v -9 0 0
v 9 0 0
v 9 9 0
v -9 9 0
f 1 4 3 2
f 5 6 7 8
"""


def cube(side: float, divisions: int) -> str:
    """An OBJ of a cube that stands on y = 0, its sides divided evenly."""
    lines, faces, count = [], [], 0
    step = np.linspace(-side / 2, side / 2, divisions + 1)
    for axis in range(3):
        for sign in (-1, 1):
            a, b = (axis + 1) % 3, (axis + 2) % 3
            for u in step:
                for v in step:
                    p = np.zeros(3)
                    p[axis], p[a], p[b] = sign * side / 2, u, v
                    lines.append(f"v {p[0]} {p[1] + side / 2} {p[2]}")
            for i in range(divisions):
                for j in range(divisions):
                    first = count + i * (divisions + 1) + j + 1
                    corner = [first, first + divisions + 1, first + divisions + 2, first + 1]
                    faces.append("f " + " ".join(map(str, corner if sign > 0 else corner[::-1])))
            count += (divisions + 1) ** 2
    return "\n".join([*lines, *faces]) + "\n"


def test_a_groove_is_closed_as_its_profile_says(library, tmp_path) -> None:
    """Beside a tall wall half of the sky is closed; within a reach only what of the wall is nearer than that, by its
    own integral over the half sphere."""
    wall = of_obj("Wall", tmp_path / "wall.obj", FLOOR_AND_WALL)
    away = np.linspace(0.001, 0.029, 24)
    places = np.stack([np.linspace(-0.1, 0.1, 24), np.zeros(24), away], axis=1)
    found = mask(library, [wall], places, (0, -1, 0), "clg_occlusion", reach=30.0, falloff=0.0, samples=256)
    assert np.abs(found - 0.5).max() < 0.003
    reach = 0.03
    near = mask(library, [wall], places, (0, -1, 0), "clg_occlusion", reach=reach, falloff=0.0, samples=256)
    # rays that meet the wall nearer than `reach` lie over the part of a disc beyond a line, see `segment`
    error = np.abs(near - segment(away / reach))
    assert error.max() < 0.005  # one ray in 256 is 0.004


def test_a_corner_of_three_walls_and_how_far_things_count(library, tmp_path) -> None:
    """In the corner of a room three quarters of what a quarter of a half sphere leaves are closed."""
    corner = FLOOR_AND_WALL + "v 0 0 -9\nv 0 0 9\nv 0 9 9\nv 0 9 -9\nf 9 12 11 10\n"
    room = of_obj("Room", tmp_path / "room.obj", corner)
    found = mask(library, [room], [(0.0004, 0, 0.0004)], (0, -1, 0), "clg_occlusion", reach=2.0, falloff=0.0,
                 samples=256)  # fmt: skip
    assert found[0] == pytest.approx(0.75, abs=0.006)
    faded = mask(library, [room], [(0.5, 0, 0.5)], (0, -1, 0), "clg_occlusion", reach=2.0, falloff=2.0, samples=256)
    plain = mask(library, [room], [(0.5, 0, 0.5)], (0, -1, 0), "clg_occlusion", reach=2.0, falloff=0.0, samples=256)
    assert 0.1 < faded[0] < 0.7 * plain[0]


def test_only_what_faces_a_way_is_exact_on_a_plane(library, tmp_path) -> None:
    wall = of_obj("Wall", tmp_path / "wall.obj", FLOOR_AND_WALL)
    given = {"reach": 30.0, "falloff": 0.0, "samples": 256, "strength": 1.0, "contrast": 1.0}
    floor, side = [(0.1, 0, 0.01)], [(0.1, 0.01, 0)]
    for only in (0.0, 0.5, 1.0):
        up = mask(library, [wall], floor, (0, -1, 0), "clg_crevice_mask", only=only, **given)
        beside = mask(library, [wall], side, (0, 0, -1), "clg_crevice_mask", only=only, **given)
        tilted = mask(
            library, [wall], floor, (0, -1, 0), "clg_crevice_mask", only=only, towards=(0.0, 1.0, 1.0), **given
        )
        assert up[0] == pytest.approx(0.5, abs=0.01)
        assert beside[0] == pytest.approx(0.5 * (1 - only), abs=0.01)
        assert tilted[0] == pytest.approx(0.5 * (1 - only + only / np.sqrt(2)), abs=0.01)


def segment(share: np.ndarray) -> np.ndarray:
    """The part of a disc of radius 1 that lies beyond a line so far from its middle."""
    share = np.clip(share, 0, 1)
    return (np.arccos(share) - share * np.sqrt(1 - share * share)) / np.pi


@pytest.mark.parametrize("divisions", [1, 45])  # 12 and 24,300 triangles
def test_an_edge_is_as_wide_as_asked_on_a_coarse_and_on_a_fine_cube(library, tmp_path, divisions: int) -> None:
    side, width = 0.2, 0.006
    item = of_obj("Cube", tmp_path / "cube.obj", cube(side, divisions))
    away = np.linspace(0.0003, 0.009, 30)
    places = np.stack([side / 2 - away, np.full(30, side), np.full(30, 0.013)], axis=1)
    found = mask(library, [item], places, (0, -1, 0), "clg_edge_rays", width=width, samples=256)
    assert np.abs(found - 2 * segment(away / width)).max() < 0.03
    half = float(np.interp(-0.25, -found, away))
    wanted = float(np.interp(-0.25, -2 * segment(away / width), away))
    assert half == pytest.approx(wanted, rel=0.05)


def test_a_filled_edge_is_told_from_a_worn_one(library, tmp_path) -> None:
    wall = of_obj("Wall", tmp_path / "wall.obj", FLOOR_AND_WALL)
    away = np.array([0.001, 0.003, 0.0055, 0.02])
    places = np.stack([np.full(4, 0.1), np.zeros(4), away], axis=1)
    filled = mask(library, [wall], places, (0, -1, 0), "clg_edge_rays", width=0.006, samples=256, kind=1)
    assert np.abs(filled - 2 * segment(away / 0.006)).max() < 0.03
    assert mask(library, [wall], places, (0, -1, 0), "clg_edge_rays", width=0.006, samples=256, kind=0).max() < 0.03


def test_nearness_is_the_distance_to_other_objects_and_to_the_ground(library) -> None:
    box = stock("Box", "rounded box", place=(0, 0.01, 0))
    ball = stock("Ball", "sphere", sizes={"radius": 0.05, "segments": 192}, place=(0, 0.22, 0))
    places = [(x, 0.21, z) for x, z in ((0, 0), (0.01, 0.004), (0.03, -0.02), (0.06, 0.05))]
    reach = 0.08
    near = mask(library, [box, ball], places, (0, -1, 0), "clg_nearness", reach=reach, samples=256)
    centre = np.array([0, 0.22 + 0.05, 0])
    distance = np.linalg.norm(np.array(places) - centre, axis=1) - 0.05
    assert np.abs(near - np.maximum(1 - distance / reach, 0)).max() < 0.01
    sides = [(0.1, height, 0.0) for height in (0.03, 0.05, 0.08)]
    ground = mask(library, [box], sides, (-1, 0, 0), "clg_nearness", ground=True, reach=0.06, samples=256)
    assert np.abs(ground - np.maximum(1 - np.array([0.03, 0.05, 0.08]) / 0.06, 0)).max() < 0.01


def test_thickness_of_a_slab_and_of_what_is_open(library, tmp_path) -> None:
    slab = stock("Slab", "rounded box", sizes={"width": 0.4, "height": 0.02, "depth": 0.4, "bevel": 0.001})
    found = mask(library, [slab], [(0, 0.02, 0), (0.05, 0.02, 0.03)], (0, -1, 0), "clg_thickness", reach=0.1,
                 samples=128)  # fmt: skip
    cone = np.sqrt(1 + 0.35**2 * np.linspace(0, 1, 1000)).mean()
    assert np.abs(found / (0.02 * cone) - 1).max() < 0.01
    sheet_alone = of_obj("Sheet", tmp_path / "sheet.obj", "v -1 0 -1\nv 1 0 -1\nv 1 0 1\nv -1 0 1\nf 1 4 3 2\n")
    assert mask(library, [sheet_alone], [(0, 0, 0)], (0, -1, 0), "clg_thickness", reach=0.1)[0] == pytest.approx(0.1)


@pytest.mark.parametrize("samples", [64, 256])
def test_masks_do_not_depend_on_the_view_or_the_division_and_own_ones_not_on_others(library, tmp_path, samples) -> None:
    """From two sides, on two divisions, in one thread and in two, and with other objects about."""
    coarse, fine = (of_obj("Cube", tmp_path / f"{n}.obj", cube(0.2, n)) for n in (1, 20))
    tray = stock("Tray", "plane", place=(0, 0, 0))
    rng = np.random.default_rng(1)
    places = np.stack([np.full(40, 0.1), rng.uniform(0.002, 0.05, 40), rng.uniform(-0.09, 0.09, 40)], axis=1)
    given = {"reach": 0.05, "samples": samples}
    first = mask(library, [coarse, tray], places, (-1, 0, 0), "clg_occlusion", **given)
    slanted = mask(library, [coarse, tray], places, (-1, -0.4, 0.3), "clg_occlusion", **given)
    finer = mask(library, [fine, tray], places, (-1, 0, 0), "clg_occlusion", workers=Workers(2), **given)
    assert first.max() > 0.1
    assert np.abs(slanted - first).max() < 2 / 255
    assert np.abs(finer - first).max() < 2 / 255
    assert mask(library, [coarse, tray], places, (-1, 0, 0), "clg_occlusion", others=False, **given).max() == 0


@pytest.mark.parametrize("reach", [0.0, -1.0, 1e9, float("nan")])
def test_hostile_numbers_and_meshes_give_numbers(library, tmp_path, reach: float) -> None:
    flat = "v 0 0 0\nv 1 0 0\nv 0 0 1\nv 1 0 1\nf 1 3 2\nf 2 3 3\nf 2 3 4\n"  # the second has no area; open; one piece
    item = of_obj("Flat", tmp_path / "flat.obj", flat)
    for category in ("clg_occlusion", "clg_nearness", "clg_thickness"):
        found = mask(library, [item], [(0.2, 0, 0.2)], (0, -1, 0), category, reach=reach, samples=16)
        assert np.isfinite(found).all()
    assert np.isfinite(mask(library, [item], [(0.2, 0, 0.2)], (0, -1, 0), "clg_edge_rays", width=reach)).all()


def test_on_a_flat_sheet_nothing_is_near(library) -> None:
    for category in ("clg_crevice_mask", "clg_edge_mask", "clg_distance_mask"):
        plan = build_plan(library, Network().with_card(Card("m", category, "float")), {"m": CardOutput("m")})
        assert np.all(run(plan, sheet(8, 8))["m"] == 0)


def test_the_scene_of_a_bench_lends_its_rays(library) -> None:
    bench = Bench(objects=(stock("Ball", "sphere"),))
    assert build_scene(bench.objects, True).around.tracer is not None


def test_parts_objects_and_picked_faces_are_told_apart_sharply_and_softly(library) -> None:
    planks = stock("Planks", "planks")
    mesh = planks.mesh()
    first, second = mesh.part_names[:2]
    upper = mesh.face_normals[:, 1] > 0.9
    along = int(np.argmin(np.ptp(mesh.positions[np.unique(mesh.triangles[mesh.ids[0] == 0])], axis=0)[[0, 2]])) * 2
    middles = mesh.positions[mesh.triangles].mean(axis=1)
    places = np.concatenate([middles[upper & (mesh.ids[0] == number)][:5] for number in (0, 1)])
    on_first = mask(library, [planks], places, (0, -1, 0), "clg_part_mask", of="part", name=first)
    assert on_first.tolist() == [1] * 5 + [0] * 5
    assert (
        mask(library, [planks], places, (0, -1, 0), "clg_part_mask", of="part", name=second).tolist()
        == [0] * 5 + [1] * 5
    )
    assert mask(library, [planks], places, (0, -1, 0), "clg_part_mask", of="object", name="Planks").min() == 1
    assert mask(library, [planks], places, (0, -1, 0), "clg_part_mask", of="part", name="no such").max() == 0
    assert (
        mask(library, [planks], places, (0, -1, 0), "clg_part_mask", of="piece", name="0").tolist() == on_first.tolist()
    )
    assert along in (0, 2)


def test_a_soft_border_is_the_share_of_a_disc(library, tmp_path) -> None:
    """Two halves of a floor: at a distance from the border the disc beyond it is a segment."""
    text = "o Left\nv -1 0 -1\nv 0 0 -1\nv 0 0 1\nv -1 0 1\nf 1 4 3 2\no Right\nv 1 0 -1\nv 1 0 1\nf 2 3 6 5\n"
    floor = of_obj("Floor", tmp_path / "floor.obj", text)
    assert floor.mesh().part_names == ("Left", "Right")
    away = np.linspace(-0.05, 0.05, 21)
    places = np.stack([away, np.zeros(21), np.full(21, 0.1)], axis=1)
    found = mask(library, [floor], places, (0, -1, 0), "clg_part_mask", of="part", name="Right", soft=0.04, samples=256)
    wanted = np.where(away > 0, 1 - segment(away / 0.04), segment(-away / 0.04))
    assert np.abs(found - wanted).max() < 0.015


def test_faces_that_were_picked_by_hand_are_a_mask(library) -> None:
    sheet_item = stock("Sheet", "plane")
    mesh = sheet_item.mesh()
    left = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] < 0
    picked = sheet_item.model_copy(
        update={"face_sets": (FaceSet(name="Left half", picked=stored(left), triangles=len(left)),)}
    )
    places = [(-0.1, 0, 0.05), (0.1, 0, 0.05)]
    assert mask(library, [picked], places, (0, -1, 0), "clg_part_mask", of="faces", name="Left half").tolist() == [1, 0]
