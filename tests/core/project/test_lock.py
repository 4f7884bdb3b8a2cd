"""Two processes on one project: the second is told, stale claims are recognised, a project can be taken over."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.materials import new_material
from collage.core.project.folder import load_project, save_project
from collage.core.project.lock import SILENT, Lock, _begun, held, me
from collage.core.project.recovery import Desk
from collage.core.project.state import Project

HOLD = """
import sys
from pathlib import Path
from collage.core.project.lock import Lock
print(Lock(Path(sys.argv[1])).take(), flush=True)
sys.stdin.readline()
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    save_project(Project("Shed", {"Clay": new_material()}), tmp_path / "p")
    return tmp_path / "p"


@contextmanager
def other_process(folder: Path) -> Iterator[subprocess.Popen[str]]:
    """Another process that has the project open."""
    process = subprocess.Popen(
        [sys.executable, "-c", HOLD, str(folder)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    try:
        assert process.stdout is not None
        assert process.stdout.readline().strip() == "None"
        yield process
    finally:
        process.kill()
        process.communicate()


def session(library, images, folder: Path, tmp_path: Path) -> Session:
    made = Session(library, images, Desk(tmp_path / "desks"))
    made.open(folder)
    return made


def test_a_second_process_is_told_and_cannot_save_over_the_first(library, images, folder, tmp_path: Path) -> None:
    with other_process(folder) as first:
        second = session(library, images, folder, tmp_path)
        assert second.other is not None
        assert second.other.process == first.pid
        second.history.do("New", lambda project: project.with_material("Mine", new_material()))
        with pytest.raises(CollageError, match=rf"open in another Collage.*process {first.pid}") as told:
            second.save()
        assert "save to another folder" in told.value.remedy
        assert list(load_project(folder)[0].materials) == ["Clay"]
        second.save(tmp_path / "elsewhere")
        assert list(load_project(tmp_path / "elsewhere")[0].materials) == ["Clay", "Mine"]
        with pytest.raises(CollageError, match="another Collage"), held(folder):
            pass


def test_a_project_is_taken_over_and_the_first_is_told_when_it_saves(library, images, folder, tmp_path: Path) -> None:
    with other_process(folder):
        second = session(library, images, folder, tmp_path)
        second.take_over()
        second.history.do("New", lambda project: project.with_material("Mine", new_material()))
        second.save()
        assert list(load_project(folder)[0].materials) == ["Clay", "Mine"]
    first = session(library, images, folder, tmp_path)
    with other_process(tmp_path):  # any living process
        theirs = json.loads((tmp_path / ".lock").read_text())
        (folder / ".lock").write_text(json.dumps(theirs))
        first.history.do("New", lambda project: project.with_material("Late", new_material()))
        with pytest.raises(CollageError, match="another Collage"):
            first.save()


def test_claims_of_processes_that_are_gone_count_for_nothing(folder: Path) -> None:
    with other_process(folder):
        pass
    assert (folder / ".lock").exists()
    assert Lock(folder).take() is None, "killed"
    (folder / ".lock").write_text(json.dumps({**vars(me()), "process": os.getppid(), "begun": "1"}))
    assert Lock(folder).take() is None, "its number belongs to another process now"
    for text in ("", "{", "[]", '{"process": "x"}'):
        (folder / ".lock").write_text(text)
        assert Lock(folder).take() is None
    there = {**vars(me()), "host": "bench-two", "process": 7}
    (folder / ".lock").write_text(json.dumps(there))
    other = Lock(folder).take()
    assert other is not None
    assert "bench-two" in other.text
    long_ago = time.time() - SILENT - 5
    os.utime(folder / ".lock", (long_ago, long_ago))
    assert Lock(folder).take() is None, "not heard of for long"


def test_a_project_is_given_back(library, images, folder: Path, tmp_path: Path) -> None:
    one = session(library, images, folder, tmp_path)
    assert (folder / ".lock").exists()
    one.save(tmp_path / "moved")
    assert not (folder / ".lock").exists()
    assert (tmp_path / "moved" / ".lock").exists()
    one.close()
    assert not (tmp_path / "moved" / ".lock").exists()


def test_when_a_process_began_is_counted_from_the_start_of_the_machine() -> None:
    child = subprocess.Popen(["sleep", "60"])
    try:
        now = float(Path("/proc/uptime").read_text().split()[0])
        assert abs(int(_begun(child.pid)) / os.sysconf("SC_CLK_TCK") - now) < 30
    finally:
        child.kill()
        child.wait()
