"""Changed UV sets and picked faces: kept in the project's folder, brought along, saved, and undone."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest

from collage.core.actions import faces, uvs
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.images.store import ImageStore
from collage.core.project import uv_files
from collage.core.project.fresh import ball_project
from collage.core.project.recovery import Desk
from collage.core.project.references import missing, outside, references
from collage.core.scene.geometry import with_uv_sets
from collage.core.scene.scene import build_scene

BALL = uvs.UvChoice("Ball", "UVMap")


@pytest.fixture
def session(library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(uv_files, "unsaved_meshes", lambda: tmp_path / "unsaved")
    monkeypatch.setattr("collage.core.project.objects.unsaved_meshes", lambda: tmp_path / "unsaved")
    made = Session(library, ImageStore(), Desk(tmp_path / "desks"))
    made.put(ball_project(), None)
    yield made
    made.close()


def uv_of(session: Session, name: str = "UVMap") -> np.ndarray:
    return session.bench.objects[0].mesh().uv[name]


def test_a_project_without_a_folder_takes_its_uvs_along_when_it_gets_one(session, tmp_path: Path, library) -> None:
    before = uv_of(session).copy()
    uvs.change_uv(session, BALL, "turn left")
    wanted = uv_of(session).copy()
    assert np.abs(wanted - before).max() > 0.1
    session.save(tmp_path / "first")
    shutil.rmtree(tmp_path / "unsaved")
    with_uv_sets.cache_clear()
    assert np.array_equal(uv_of(session), wanted)
    (one,) = references(session.project, session.folder)
    assert one.stored.startswith("meshes/ball-uvmap-")
    assert missing(one.file) == ()
    assert outside(session.project, session.folder) == []
    session.save(tmp_path / "second")
    shutil.rmtree(tmp_path / "first")
    again = Session(library, ImageStore(), Desk(tmp_path / "desks 2"))
    again.open(tmp_path / "second")
    with_uv_sets.cache_clear()
    assert np.array_equal(uv_of(again), wanted)
    again.close()


def test_every_change_is_undone_and_redone(session, tmp_path: Path) -> None:
    session.save(tmp_path / "project")
    states = [uv_of(session).copy()]
    for change in ("turn left", "flip u", "turn right"):
        uvs.change_uv(session, BALL, change)
        states.append(uv_of(session).copy())
    for wanted in reversed(states[:-1]):
        session.history.undo()
        assert np.array_equal(uv_of(session), wanted)
    for wanted in states[1:]:
        session.history.redo()
        assert np.array_equal(uv_of(session), wanted)


def test_the_same_places_are_one_file(session, tmp_path: Path) -> None:
    session.save(tmp_path / "project")
    for _ in range(4):
        uvs.change_uv(session, BALL, "flip v")
    assert len(list((tmp_path / "project" / "meshes").glob("*.npy"))) <= 3  # there and back, and roundings


def test_a_mesh_that_was_read_again_with_other_faces_keeps_its_own_uvs(session, tmp_path: Path) -> None:
    session.save(tmp_path / "project")
    uvs.change_uv(session, BALL, "turn left")
    item = session.project.bench.objects[0]
    coarse = item.model_copy(update={"geometry": item.geometry.model_copy(update={"sizes": {"segments": 24}})})
    mesh = coarse.in_folder(session.folder).mesh()
    assert list(mesh.uv) == ["UVMap"]
    assert np.array_equal(mesh.uv["UVMap"], coarse.geometry.mesh().uv["UVMap"])
    whole = item.in_folder(session.folder)
    assert build_scene((whole,), False).remarks == ()
    told = build_scene((coarse.in_folder(session.folder),), False).remarks
    assert told == ("No longer fits the mesh of “Ball”: UV set “UVMap”.",)


def test_picked_faces_survive_saving_and_are_left_out_on_another_mesh(session, tmp_path: Path, library) -> None:
    mesh = session.bench.objects[0].mesh()
    picked = mesh.face_normals[:, 1] > 0.5
    assert faces.name_faces(session, "Ball", "cap", picked) == "cap"
    assert faces.name_faces(session, "Ball", "cap", ~picked) == "cap 2"
    session.save(tmp_path / "project")
    again = Session(library, ImageStore(), Desk(tmp_path / "desks 2"))
    again.open(tmp_path / "project")
    item = again.bench.objects[0]
    assert np.array_equal(item.mesh().sets["cap"], picked)
    assert np.array_equal(item.mesh().sets["cap 2"], ~picked)
    coarse = item.model_copy(update={"geometry": item.geometry.model_copy(update={"sizes": {"segments": 24}})})
    assert dict(coarse.mesh().sets) == {}
    assert build_scene((item,), False).remarks == ()
    told = build_scene((coarse,), False).remarks
    assert told == ("No longer fits the mesh of “Ball”: faces “cap”, faces “cap 2”.",)
    again.close()
    with pytest.raises(CollageError, match="No face"):
        faces.name_faces(session, "Ball", "none", picked & False)


def test_a_disk_that_is_full_is_told_and_the_uvs_stay(session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session.save(tmp_path / "project")
    before = uv_of(session).copy()

    def full(*_given: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(uv_files, "write_bytes", full)
    with pytest.raises(CollageError, match="cannot be written"):
        uvs.change_uv(session, BALL, "turn left")
    assert np.array_equal(uv_of(session), before)
    assert session.project.bench.objects[0].uv_sets == ()
