"""Projects on disk: saved whole or not at all, copies kept, recovered after a crash."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest

from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.project.copies import copies
from collage.core.project.folder import copy_files, is_project, load_project, save_project, slug
from collage.core.project.recovery import Desk, discard, left_desks
from collage.core.project.state import Project
from collage.core.scene.bench import Bench
from collage.demo.shed import lime_bloomed_clay, potting_shed_bench, weathered_bench


@pytest.fixture
def project() -> Project:
    return Project(
        "Shed", {"Lime-bloomed clay": lime_bloomed_clay(), "Böard / 2": weathered_bench()}, potting_shed_bench()
    )


def test_a_project_comes_back_as_it_was_saved(tmp_path: Path, project: Project) -> None:
    save_project(project, tmp_path / "p")
    found, problems = load_project(tmp_path / "p")
    assert problems == []
    assert found == project
    assert load_project(tmp_path / "p" / "project.json")[0] == project


def test_saving_keeps_the_state_before_and_drops_what_is_gone(tmp_path: Path, project: Project) -> None:
    save_project(project, tmp_path)
    smaller = Project("Shed", {"Other": weathered_bench()}, Bench())
    for _ in range(3):
        save_project(smaller, tmp_path)
    assert [path.name for path in (tmp_path / "materials").iterdir()] == ["other.mtlx"]
    assert [load_project(copy)[0] for copy in copies(tmp_path)] == [smaller, project], "the same state is kept once"
    save_project(project, tmp_path)
    assert load_project(copies(tmp_path)[0])[0] == smaller


def test_a_full_disk_leaves_the_old_files_whole(
    tmp_path: Path, project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    save_project(project, tmp_path, keep_copy=False)
    changed = project.with_material(
        "Lime-bloomed clay", edits.set_value(lime_bloomed_clay(), "dry", "fg", "float", 0.1)
    )

    def full(_number: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(CollageError, match="No space left") as caught:
        save_project(changed, tmp_path, keep_copy=False)
    assert "nothing is lost" in caught.value.remedy
    monkeypatch.undo()
    assert load_project(tmp_path)[0] == project
    assert not [path for path in tmp_path.rglob(".*") if path.is_file()]


def test_a_broken_material_is_told_and_the_others_are_there(tmp_path: Path, project: Project) -> None:
    save_project(project, tmp_path)
    (tmp_path / "materials" / "lime-bloomed-clay.mtlx").write_text("<materialx")
    found, problems = load_project(tmp_path)
    assert list(found.materials) == ["Böard / 2"]
    assert problems[0].about == "lime-bloomed-clay.mtlx"


@pytest.mark.parametrize(("text", "words"), [
    ("{", "cannot be read"), ("[]", "cannot be read"), ('{"bench": 3}', "cannot be read"),
    ('{"schema_version": 99}', "newer Collage"),
])  # fmt: skip
def test_bad_project_files_get_a_sentence(tmp_path: Path, text: str, words: str) -> None:
    (tmp_path / "project.json").write_text(text)
    with pytest.raises(CollageError, match=words):
        load_project(tmp_path)


def test_paths_that_lead_out_of_the_project_are_refused(tmp_path: Path) -> None:
    (tmp_path / "p").mkdir()
    entry = {"materials": [{"name": "x", "file": "../../../etc/passwd"}]}
    (tmp_path / "p" / "project.json").write_text(json.dumps(entry))
    _, problems = load_project(tmp_path / "p")
    assert "outside the project" in str(problems[0])


def test_no_project_is_said(tmp_path: Path) -> None:
    assert not is_project(tmp_path)
    with pytest.raises(CollageError, match="no project"):
        load_project(tmp_path)


def test_maps_come_along_to_another_folder(tmp_path: Path) -> None:
    source, target = tmp_path / "a", tmp_path / "b"
    (source / "maps" / "x").mkdir(parents=True)
    (source / "maps" / "x" / "a.png").write_text("picture")
    (source / "copies").mkdir()
    target.mkdir()
    copy_files(source, target)
    assert (target / "maps" / "x" / "a.png").read_text() == "picture"
    assert not (target / "copies").exists()


@pytest.mark.parametrize(
    ("name", "file"),
    [("Lime-bloomed clay", "lime-bloomed-clay"), ("../../x", "x"), ("ÄÖ", "material"), ("", "material")],
)
def test_file_names_are_plain(name: str, file: str) -> None:
    assert slug(name) == file


def test_a_desk_of_a_living_process_is_left_alone_and_a_dead_ones_is_found(tmp_path: Path, project: Project) -> None:
    desk = Desk(tmp_path)
    desk.write(project, None)
    assert left_desks(tmp_path) == ([], [])
    lost(tmp_path)
    found, told = left_desks(tmp_path)
    assert told == []
    assert [one.name for one in found] == ["Lost"]
    assert found[0].folder == Path("/somewhere")
    assert found[0].project.materials["m"] == weathered_bench()
    discard(found[0])
    assert left_desks(tmp_path) == ([], [])
    desk.clear()
    assert not desk.path.exists()


def lost(root: Path) -> Path:
    """The desk of a process that was killed."""
    code = (
        "import os, sys; from pathlib import Path; from collage.core.project.recovery import Desk;"
        "from collage.core.project.state import Project; from collage.demo.shed import weathered_bench;"
        f"desk = Desk(Path({str(root)!r})); print(desk.path);"
        "desk.write(Project('Lost', {'m': weathered_bench()}), Path('/somewhere')); sys.stdout.flush(); os._exit(9)"
    )
    done = subprocess.run([sys.executable, "-c", code], check=False, capture_output=True, text=True)
    return Path(done.stdout.strip())


def test_a_desk_that_cannot_be_read_is_set_aside_and_told_once(tmp_path: Path) -> None:
    torn, bare, empty, whole = (lost(tmp_path) for _ in range(4))
    (torn / "project.json").write_bytes((torn / "project.json").read_bytes()[:40])
    (bare / "materials" / "m.mtlx").unlink()
    (empty / "project.json").unlink()
    (whole / "desk.json").write_text("{")
    found, told = left_desks(tmp_path)
    assert [one.desk for one in found] == [whole]
    assert found[0].folder is None, "a note that makes no sense takes nothing away"
    assert len(told) == 2
    assert all("cannot be read" in str(one) and str(tmp_path) in one.remedy for one in told)
    assert not empty.exists(), "there was nothing on it"
    assert left_desks(tmp_path)[1] == []
    assert len(list(tmp_path.glob("unreadable *"))) == 2


def test_what_a_desk_lacks_takes_nothing_from_the_project(tmp_path: Path, project: Project) -> None:
    save_project(project, tmp_path / "p")
    desk = Desk(tmp_path / "desks")
    desk.write(project, tmp_path / "p")
    torn = desk.path / "materials" / "lime-bloomed-clay.mtlx"
    torn.write_bytes(torn.read_bytes()[:99])
    recovered, problems = load_project(desk.path)
    assert len(problems) == 1
    save_project(recovered, tmp_path / "p")
    assert load_project(tmp_path / "p") == (project, [])


@pytest.mark.parametrize(
    ("answer", "alive"), [(None, True), (PermissionError(), True), (ProcessLookupError(), False)], ids=str
)
def test_whose_process_cannot_be_asked_lives(
    tmp_path: Path, project: Project, monkeypatch, answer, alive: bool
) -> None:
    desk = Desk(tmp_path)
    desk.write(project, None)
    desk.path.rename(tmp_path / f"{os.getpid() + 1}-abc")

    def kill(_pid: int, _signal: int) -> None:
        if answer is not None:
            raise answer

    monkeypatch.setattr(os, "kill", kill)
    assert (left_desks(tmp_path) == ([], [])) == alive


def test_objects_that_wear_a_material_taken_out_wear_the_first_of_the_others(project: Project) -> None:
    first, last = next(iter(project.materials)), "last"
    three = replace(project, materials={"x": new_material(), **project.materials, last: new_material()})
    worn = three.given_material(0, last)
    assert worn.without_material(last).bench.objects[0].material == "x"
    assert last not in worn.without_material(last).materials
    assert worn.without_material("x").bench.objects[0].material == last, "others stay as they are"
    renamed = worn.renamed_material(last, "new")
    assert renamed.bench.objects[0].material == "new"
    assert list(renamed.materials) == ["x", *project.materials, "new"], "the order stays"
    assert renamed.materials[first] is worn.materials[first]
    with pytest.raises(CollageError, match="only material"):
        replace(project, materials={"x": new_material()}).without_material("x")
