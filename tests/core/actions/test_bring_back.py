"""A material that cannot be read, brought back from the newest copy that has it."""

from __future__ import annotations

from pathlib import Path

import pytest

from collage.core.actions.materials import bring_back
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.materials import new_material
from collage.core.project.folder import load_project, save_project
from collage.core.project.recovery import Desk
from collage.core.project.state import Project
from collage.core.scene.bench import Bench


@pytest.fixture
def session(library, images, tmp_path: Path) -> Session:
    return Session(library, images, Desk(tmp_path / "desks"))


def torn(folder: Path, *, copies: int) -> None:
    """A project with a torn material, after some saves that each kept a copy."""
    project = Project("Shed", {"Clay": new_material(), "Glaze": new_material()})
    for number in range(copies + 1):
        save_project(project.with_bench(Bench(exposure=float(number))), folder)
    (folder / "materials" / "glaze.mtlx").write_text("<materialx")


def test_it_is_one_step_and_saved_under_its_own_name(session: Session, tmp_path: Path) -> None:
    torn(tmp_path / "p", copies=2)
    told: list[CollageError] = []
    session.problem.connect(told.append)
    session.open(tmp_path / "p")
    assert [error.about for error in told] == ["glaze.mtlx"]
    assert bring_back(session, "Glaze")
    assert session.material == "Glaze"
    session.history.undo()
    assert list(session.project.unread) == ["Glaze"]
    session.history.redo()
    session.save()
    found, problems = load_project(tmp_path / "p")
    assert problems == []
    assert found.materials["Glaze"] == new_material()
    assert (tmp_path / "p" / "materials" / "glaze.mtlx").read_text() != "<materialx"


@pytest.mark.parametrize("name", ["Glaze", "Clay", "Nowhere"])
def test_where_no_copy_has_it_that_is_told(session: Session, tmp_path: Path, name: str) -> None:
    torn(tmp_path / "p", copies=0)
    session.open(tmp_path / "p")
    told: list[CollageError] = []
    session.problem.connect(told.append)
    assert not bring_back(session, name)
    assert "No copy" in str(told[0])
    assert session.history.labels == []
