"""Materials for parts, slots and pieces: pictures are those of as many objects, and names survive another mesh."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.actions import materials
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.making import given
from collage.core.document.materials import new_material
from collage.core.document.model import Network
from collage.core.geometry.checks import kept
from collage.core.geometry.glb_write import write_glb
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.stock import shape
from collage.core.images.store import ImageStore
from collage.core.project.fresh import ball_project
from collage.core.project.recovery import Desk
from collage.core.render import caches, samples
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Assigned, Bench, BenchObject, Camera, stock
from collage.core.scene.geometry import MeshFile, MeshReading
from collage.core.scene.scene import BACKGROUND, GROUND, build_scene

SIZE = (80, 60)
CAMERA = Camera(turn=15, height=40, distance=1.6, target=(0, 0, 0))


def coloured(red: float, green: float, blue: float) -> Network:
    network = new_material()
    surface = network.cards["surface"].with_input(given("base_color", "color3", (red, green, blue)))
    return network.with_card(surface)


MATERIALS = {"red": coloured(0.8, 0.1, 0.1), "green": coloured(0.1, 0.6, 0.1), "blue": coloured(0.1, 0.1, 0.8)}


def from_file(mesh: Mesh, path: Path, name: str, material: str, **more) -> BenchObject:
    write_glb(mesh, path)
    return BenchObject(name=name, geometry=MeshFile(reading=MeshReading(file=str(path))), material=material, **more)


def picture(library, objects: tuple[BenchObject, ...], mode: str = "lit") -> np.ndarray:
    bench = Bench(objects=objects, lights=(AreaLight(),), camera=CAMERA)
    return Renderer(library).picture(PictureRequest(bench, MATERIALS, *SIZE, mode=mode)).linear


@pytest.mark.parametrize("by", ["part", "slot", "piece"])
def test_the_picture_is_that_of_as_many_objects(library, tmp_path: Path, by: str) -> None:
    planks = shape("planks", count=3)
    part = planks.ids[0]
    if by == "slot":
        planks = replace(planks, slot=part, slot_names=("a", "b", "c"), part=None, part_names=("all",))
    names = {"part": planks.part_names, "slot": planks.slot_names, "piece": ("",) * 3}[by]
    rules = (
        Assigned(by=by, name=names[1], number=1, material="green"),
        Assigned(by=by, name=names[2], number=2, material="blue"),
    )
    whole = from_file(planks, tmp_path / "all.glb", "planks", "red", assigned=rules)
    apart = tuple(
        from_file(kept(planks, np.flatnonzero(part == number)), tmp_path / f"{number}.glb", name, name)
        for number, name in enumerate(MATERIALS)
    )
    found = picture(library, (whole,))
    np.testing.assert_array_equal(found, picture(library, apart))
    colours = picture(library, (whole,), "base_color").reshape(-1, 3)
    for channel in range(3):
        assert (colours[:, channel] > 0.5).sum() > 30, "each has its colour somewhere"


def test_the_last_rule_counts_and_an_empty_one_is_taken_off() -> None:
    item = stock("a", "planks", material="red")
    item = item.with_material("green", ("part", "Plank 1", 0)).with_material("blue", ("piece", "", 0))
    assert item.materials == ("red", "green", "blue")
    assert item.with_material("blue", ("part", "Plank 1", 0)).assigned[-1].material == "blue"
    assert item.with_material("", ("piece", "", 0)).materials == ("red", "green")
    renamed = item.with_renamed("blue", "navy").with_renamed("red", "rust")
    assert renamed.materials == ("rust", "green", "navy")


def test_a_mesh_with_one_part_more_keeps_what_was_assigned(library, tmp_path: Path) -> None:
    def named(count: int, names: tuple[str, ...]) -> Mesh:
        return replace(shape("planks", count=count), part_names=names)

    rules = (Assigned(by="part", name="b", material="green"),)
    path = tmp_path / "planks.glb"
    item = from_file(named(2, ("a", "b")), path, "planks", "red", assigned=rules)
    np.testing.assert_array_equal(item.assigned[0].faces(item.mesh()), item.mesh().ids[0] == 1)
    write_glb(named(3, ("new", "a", "b")), path)
    mesh = item.mesh()
    np.testing.assert_array_equal(item.assigned[0].faces(mesh), mesh.ids[0] == 2)


def test_acts_and_undo(library, tmp_path: Path) -> None:
    session = Session(library, ImageStore(), Desk(tmp_path / "desks"))
    session.put(ball_project(), None)
    project = session.project
    bench = project.bench.model_copy(update={"objects": (stock("Bench", "planks", material=session.material),)})
    session.history.do("planks", lambda now: now.with_bench(bench))
    materials.new_material_named(session)
    new = session.material
    assert materials.assign_material(session, 0, new, ("part", "Plank 2", 0))
    assert session.history.undo_label == f"Assign {new} to Bench, part “Plank 2”"
    assert session.project.wearers(new) == ["Bench"]
    session.history.do("rename", lambda now: now.renamed_material(new, "Oiled"))
    assert session.project.bench.objects[0].assigned[0].material == "Oiled"
    session.history.do("without", lambda now: now.without_material("Oiled"))
    assert "Oiled" not in session.project.bench.objects[0].materials
    session.history.undo()
    assert materials.assign_material(session, 0, "", ("part", "Plank 2", 0))
    assert session.project.bench.objects[0].assigned == ()
    session.save(tmp_path / "p")
    session.close()


def test_views_are_kept_while_only_materials_change() -> None:
    item = stock("a", "planks", material="red").with_material("green", ("part", "Plank 1", 0))
    assert item.key == item.with_material("blue", ("part", "Plank 1", 0)).key
    assert item.key != item.with_material("blue", ("part", "Plank 2", 0)).key


def test_a_missing_material_of_a_part_is_no_error(library) -> None:
    item = stock("a", "planks", material="red").with_material("none", ("part", "Plank 1", 0))
    assert np.isfinite(picture(library, (item,))).all()
    with pytest.raises(CollageError):
        stock("a", "none").mesh()


def test_many_objects_are_evaluated_together_and_look_the_same(library, monkeypatch) -> None:
    """Thirty balls in three materials, some of them turned: as many groups as materials."""
    objects = tuple(
        stock(str(number), "sphere", material=("red", "green", "blue")[number % 3], scale=0.3, turn=90.0 * (number % 2),
              place=(0.12 * (number % 6 - 2.5), 0.0, 0.12 * (number // 6 - 2)))
        for number in range(30)
    )  # fmt: skip
    bench = Bench(objects=objects, lights=(AreaLight(),), camera=CAMERA)
    request = PictureRequest(bench, MATERIALS, 160, 120)
    found = Renderer(library).picture(request)
    monkeypatch.setattr(samples, "MANY", 1000)
    monkeypatch.setattr(caches, "MANY", 1000)
    apart = Renderer(library).picture(request)
    np.testing.assert_allclose(found.linear, apart.linear, atol=2e-5)
    np.testing.assert_array_equal(found.triangle, apart.triangle)


def test_groups_of_many_regions() -> None:
    scene = build_scene(tuple(stock(str(n), "sphere", turn=90.0 * (n // 10)) for n in range(20)), ground=False)
    first, group_of = samples._together(scene, ["a", "b"] * 10)
    assert first == [0, 1]
    assert list(group_of[:4]) == [0, 1, 0, 1]
    assert list(group_of[10:14]) == [0, 1, 0, 1]
    assert list(group_of[-2:]) == [BACKGROUND, GROUND]
    assert samples._differently_turned(scene, first, group_of) == {0, 1}
    same = build_scene(tuple(stock(str(n), "sphere", turn=30.0) for n in range(20)), ground=False)
    assert samples._differently_turned(same, first, group_of) == set()


def test_another_material_on_one_of_many_is_seen(library) -> None:
    objects = tuple(stock(str(n), "sphere", material="red", scale=0.3, place=(0.07 * (n - 8), 0, 0)) for n in range(16))
    renderer = Renderer(library)

    def colours(some: tuple[BenchObject, ...]) -> np.ndarray:
        bench = Bench(objects=some, camera=CAMERA)
        return renderer.picture(PictureRequest(bench, MATERIALS, *SIZE, mode="base_color")).linear.reshape(-1, 3)

    assert not (colours(objects)[:, 2] > 0.5).any()
    one = (*objects[:8], objects[8].with_material("blue"), *objects[9:])
    assert (colours(one)[:, 2] > 0.5).sum() > 5
    assert not (colours(objects)[:, 2] > 0.5).any()
