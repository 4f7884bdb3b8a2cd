"""Objects from mesh files: in the project as GLB, placed, read again, and told where they are missing."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import numpy as np
import pytest
import trimesh

from collage.core.actions import objects
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.geometry.shapes import sphere
from collage.core.images.store import ImageStore
from collage.core.project import objects as project_objects
from collage.core.project.fresh import ball_project
from collage.core.project.objects import has_changed, importing
from collage.core.project.pictures import picture_request
from collage.core.project.recovery import Desk
from collage.core.project.references import collect, find, outside, references, relinked
from collage.core.render.renderer import Renderer
from collage.core.scene.bench import BenchObject


@pytest.fixture
def ring(tmp_path: Path) -> Path:
    trimesh.creation.torus(0.08, 0.03, 32, 16).export(tmp_path / "ring.stl")
    return tmp_path / "ring.stl"


@pytest.fixture
def session(library, tmp_path: Path):
    made = Session(library, ImageStore(), Desk(tmp_path / "desks"))
    made.put(ball_project(), None)
    made.save(tmp_path / "project")
    yield made
    made.close()


def last(session: Session) -> BenchObject:
    return session.bench.objects[-1]


def test_a_mesh_comes_into_the_project_beside_what_is_there(session, ring: Path) -> None:
    before = session.bench.objects[-1]
    assert objects.add_file(session, ring) == "ring"
    assert [one.stored for one in references(session.project, session.folder)] == ["meshes/ring.glb"]
    low, high = last(session).mesh().bounds
    assert high - low == pytest.approx([0.22, 0.06, 0.22], abs=1e-3), "what a scan calls z points up"
    assert last(session).place[1] == pytest.approx(-low[1])
    assert last(session).place[0] + low[0] > before.place[0] + before.mesh().bounds[1][0]
    assert objects.add_file(session, ring) == "ring 2"
    session.history.undo()
    session.history.undo()
    assert len(session.bench.objects) == 1
    session.history.redo()
    session.save()
    again = Session(session.library, ImageStore(), Desk(session.folder.parent / "other desks"))
    again.open(session.folder)
    np.testing.assert_array_equal(again.bench.objects[-1].mesh().positions, last(session).mesh().positions)
    again.close()


def test_an_object_of_a_project_without_a_folder_comes_along_when_it_is_saved(
    library, ring: Path, tmp_path: Path, monkeypatch
) -> None:
    monkeypatch.setattr(project_objects, "unsaved_meshes", lambda: tmp_path / "unsaved")
    session = Session(library, ImageStore(), Desk(tmp_path / "desks"))
    session.put(ball_project(), None)
    objects.add_file(session, ring)
    positions = last(session).mesh().positions
    session.save(tmp_path / "saved")
    assert [one.stored for one in references(session.project, session.folder)] == ["meshes/ring.glb"]
    shutil.rmtree(tmp_path / "unsaved")
    np.testing.assert_array_equal(last(session).mesh().positions, positions)
    session.save(tmp_path / "elsewhere")
    shutil.rmtree(tmp_path / "saved")
    np.testing.assert_array_equal(last(session).mesh().positions, positions)
    session.close()


def test_it_is_seen_in_the_picture_with_its_material(session, ring: Path) -> None:
    objects.add_file(session, ring, material=session.material)
    request = picture_request(session.project, 64, 48, "coarse", folder=session.folder)
    made = Renderer(session.library).picture(request)
    assert 1 in made.ids[0][made.triangle], "some pixels show the second object"


def test_a_missing_mesh_is_told_and_the_rest_is_shown(session, ring: Path, tmp_path: Path) -> None:
    objects.add_file(session, ring)
    (session.folder / "meshes" / "ring.glb").rename(tmp_path / "ring.glb")
    made = Renderer(session.library).picture(picture_request(session.project, 64, 48, "coarse", folder=session.folder))
    assert any("ring" in one and "not there" in one for one in made.remarks)
    assert (made.ids[0][made.triangle] == 0).any()
    lost = [one for one in references(session.project, session.folder) if one.missing]
    assert [one.card for one in lost] == ["ring"]
    project = relinked(session.project, session.folder, find(lost, tmp_path))
    assert [one.card for one in outside(project, session.folder)] == ["ring"]
    inside = finished(collect(project, session.folder))
    assert [one.stored for one in references(inside, session.folder)] == ["meshes/ring.glb"]


def test_a_source_that_changes_is_read_again_and_keeps_place_and_material(session, ring: Path) -> None:
    name = objects.add_file(session, ring, material=session.material)
    objects.place(session, name, at=(1.0, 2.0, 3.0), turn=30.0, scale=2.0)
    assert not has_changed(last(session))
    trimesh.creation.torus(0.05, 0.01).export(ring)
    os.utime(ring, (1, 1))
    assert has_changed(last(session))
    objects.read_again(session, name)
    item = last(session)
    assert not has_changed(item)
    assert (item.place, item.turn, item.scale, item.material) == ((1.0, 2.0, 3.0), 30.0, 2.0, session.material)
    size = item.mesh().bounds[1] - item.mesh().bounds[0]
    assert size == pytest.approx([0.24, 0.04, 0.24], abs=2e-3)
    objects.read_again(session, name, mends=("no_uv",))
    assert list(last(session).mesh().uv) == ["UVMap"]


def test_units_and_a_guess(session, tmp_path: Path) -> None:
    solid = trimesh.creation.box((300, 200, 100))
    solid.export(tmp_path / "crate.obj")
    made = finished(importing(tmp_path / "crate.obj", session.folder))
    assert made.unit == ("millimetres", 0.001)
    made = finished(importing(tmp_path / "crate.obj", session.folder, metres=0.001))
    assert made.unit is None
    assert made.mesh.bounds[1] - made.mesh.bounds[0] == pytest.approx([0.3, 0.2, 0.1])


def test_nothing_is_left_of_a_file_that_cannot_be_read(session, tmp_path: Path) -> None:
    (tmp_path / "broken.glb").write_bytes(b"glTF" + bytes(40))
    before = session.project
    with pytest.raises(CollageError):
        objects.add_file(session, tmp_path / "broken.glb")
    assert session.project is before
    assert not (session.folder / "meshes").exists()
    steps = importing(_ball_file(tmp_path), session.folder)
    next(steps)
    steps.close()  # called off
    assert not list((session.folder / "meshes").glob("*")) if (session.folder / "meshes").exists() else True


def _ball_file(folder: Path) -> Path:
    ball = sphere(segments=8)
    trimesh.Trimesh(ball.positions, ball.triangles).export(folder / "ball.ply")
    return folder / "ball.ply"


@pytest.mark.parametrize(
    ("how", "point", "wanted"),
    [({"turn": 90.0}, (0, 0, 1), (1, 0, 0)), ({"tilt": 90.0}, (0, 1, 0), (0, 0, 1)), ({"roll": 90.0}, (1, 0, 0), (0, 1, 0)),
     ({"tilt": 90.0, "turn": 90.0}, (0, 1, 0), (1, 0, 0))],
)  # fmt: skip
def test_turning(how: dict, point: tuple, wanted: tuple) -> None:
    matrix = BenchObject(name="a", **how).matrix()
    np.testing.assert_allclose(np.array(point) @ matrix, wanted, atol=1e-12)
    np.testing.assert_allclose(matrix @ matrix.T, np.eye(3), atol=1e-12)
    assert np.linalg.det(matrix) == pytest.approx(1)


def test_acts_on_objects(session) -> None:
    name = session.bench.objects[0].name
    twin = objects.duplicate(session, name)
    assert twin != name
    objects.rename(session, twin, name)
    assert last(session).name == twin, "names stay apart"
    objects.rename(session, twin, "Urn")
    name = last(session).name
    assert name == "Urn"
    objects.place(session, name, at=(0.5, 3.0, 0.0), tilt=30.0, scale=1.5)
    objects.drop(session, name)
    item = last(session)
    world = item.mesh().positions @ item.matrix() + item.place
    assert world[:, 1].min() == pytest.approx(0, abs=1e-6)
    assert item.mesh().bounds[1][1] == pytest.approx(1.5 * session.bench.objects[0].mesh().bounds[1][1])
    objects.add_shape(session, "saucer")
    objects.remove(session, name)
    assert [one.geometry.label for one in session.bench.objects] == ["sphere", "saucer"]
    for wrong in (lambda: objects.remove(session, "none"), lambda: objects.add_shape(session, "none"),
                  lambda: objects.place(session, "Saucer", scale=0.0)):  # fmt: skip
        with pytest.raises(CollageError):
            wrong()


def test_smoothing(session, tmp_path: Path) -> None:
    trimesh.creation.box((0.2, 0.2, 0.2)).export(tmp_path / "crate.obj")
    name = objects.add_file(session, tmp_path / "crate.obj")
    normals = {}
    for angle in (0.0, 180.0, None):
        objects.smooth(session, name, angle)
        normals[angle] = last(session).mesh().normals
    assert np.abs(normals[0.0]).max(axis=1) == pytest.approx(1), "flat"
    assert np.abs(normals[180.0]).max(axis=1).max() < 0.9, "round at every corner"
    assert session.history.undo_label == "Smoothing as in its file: crate"
    for wrong in ((name, 200.0), ("Ball", 20.0)):
        with pytest.raises(CollageError):
            objects.smooth(session, *wrong)
