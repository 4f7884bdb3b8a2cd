"""A save happens as a whole or not at all: on disks that fail at any byte, killed at any step, against another save."""

from __future__ import annotations

import errno
import os
import shutil
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from collage.core.base.errors import CollageError
from collage.core.document.materials import new_material
from collage.core.project import copies
from collage.core.project.folder import copy_files, load_project, save_project
from collage.core.project.recovery import newest_copy_with
from collage.core.scene.bench import Bench
from faults import Fault, disk_full, leftovers, project

BEFORE, AFTER = project(1), project(2)


def steps_of_a_save(folder: Path) -> int:
    counter = Fault(10**9, lambda: None)
    with counter.in_place():
        save_project(AFTER, folder)
    return counter.done


def restored(folder: Path) -> Path:
    shutil.rmtree(folder, ignore_errors=True)
    save_project(BEFORE, folder)
    return folder


def test_a_disk_that_fails_at_any_byte_or_step_leaves_one_state_or_the_other(tmp_path: Path) -> None:
    folder = tmp_path / "p"
    total = steps_of_a_save(restored(folder))
    assert total > 60

    happened = 0
    for at in range(total):
        fault = Fault(at, disk_full)
        restored(folder)
        remedies: list[str] = []
        with fault.in_place():
            try:
                save_project(AFTER, folder)
            except CollageError as error:
                remedies.append(error.remedy)
        told = bool(remedies)
        assert all("nothing is lost" in one for one in remedies)
        found, problems = load_project(folder)
        assert problems == []
        assert found == (BEFORE if told else AFTER), (at, told)
        happened += not told
        save_project(AFTER, folder)
        assert load_project(folder) == (AFTER, [])
        assert leftovers(folder) == []
    assert 0 < happened < total / 2, "after the save has happened, what fails is done later"


def test_a_process_killed_at_any_step_leaves_one_state_or_the_other(tmp_path: Path) -> None:
    folder = tmp_path / "p"
    total = steps_of_a_save(restored(folder))
    found_states = []
    for at in range(0, total, 2):
        restored(folder)
        child = os.fork()
        if child == 0:
            with Fault(at, lambda: os._exit(9)).in_place():
                save_project(AFTER, folder)
            os._exit(0)
        assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9
        found, problems = load_project(folder)
        assert problems == []
        assert found in (BEFORE, AFTER)
        found_states.append(found == AFTER)
        save_project(AFTER, folder)
        assert leftovers(folder) == [], at
    assert found_states == sorted(found_states), "from the old state to the new one, once"
    assert True in found_states
    assert False in found_states


def test_what_cannot_be_moved_is_read_from_where_it_lies(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    restored(tmp_path)

    def refused(*_: object) -> None:
        raise OSError(errno.EROFS, "Read-only file system")

    monkeypatch.setattr(os, "replace", refused)
    save_project(AFTER, tmp_path)
    assert (tmp_path / ".save").is_dir()
    assert load_project(tmp_path) == (AFTER, [])
    monkeypatch.undo()
    assert load_project(tmp_path) == (AFTER, [])
    assert not (tmp_path / ".save").exists()


def test_saves_of_two_processes_never_mix(tmp_path: Path) -> None:
    restored(tmp_path)
    children = []
    for number in (1, 2):
        child = os.fork()
        if child == 0:
            for _ in range(40):
                save_project(project(number), tmp_path)
            os._exit(0)
        children.append(child)
    seen = set()
    running = set(children)
    while running:
        found, problems = load_project(tmp_path)
        assert problems == []
        assert found in (BEFORE, AFTER)
        seen.add(found.name)
        for child in list(running):
            if os.waitpid(child, os.WNOHANG)[0]:
                running.remove(child)
    assert load_project(tmp_path)[0] in (BEFORE, AFTER)
    assert seen


def test_files_that_somebody_else_put_there_stay(tmp_path: Path) -> None:
    restored(tmp_path)
    own = tmp_path / "materials" / "glaze-2.mtlx"
    own.write_text("the person's own notes")
    for _ in range(2):
        save_project(AFTER, tmp_path)
        save_project(BEFORE, tmp_path)
    save_project(AFTER, tmp_path)
    assert own.read_text() == "the person's own notes"
    assert load_project(tmp_path) == (AFTER, [])


def test_a_material_that_cannot_be_read_stays_as_it_is_on_every_save(tmp_path: Path) -> None:
    save_project(BEFORE.with_bench(Bench(exposure=0.25)), restored(tmp_path))
    file = tmp_path / "materials" / "clay.mtlx"
    torn = file.read_bytes()[:120]
    file.write_bytes(torn)
    found, problems = load_project(tmp_path)
    assert "clay.mtlx" in str(problems[0])
    assert (list(found.materials), list(found.unread)) == (["Glaze 1"], ["Clay"])
    assert found.free_material_name("Clay") == "Clay 2", "the name is taken"
    for number in range(12):
        found = found.with_bench(Bench(exposure=number / 10)).with_material("Clay 2", new_material())
        save_project(found, tmp_path)
        assert file.read_bytes() == torn
    assert load_project(tmp_path)[0] == found
    whole = newest_copy_with(tmp_path, "Clay")
    assert whole is not None
    assert load_project(whole)[0].materials["Clay"] == BEFORE.materials["Clay"]
    elsewhere = tmp_path / "elsewhere"
    save_project(found, elsewhere)
    assert (elsewhere / "materials" / "clay.mtlx").read_bytes() == torn


def test_copies_are_thinned_out_by_age(tmp_path: Path) -> None:
    now = datetime(2026, 11, 27, 12)
    root = tmp_path / "copies"
    for minutes in [*range(0, 180), *range(180, 60 * 24 * 100, 60)]:
        (root / (now - timedelta(minutes=minutes)).strftime("%Y%m%d-%H%M%S-%f")).mkdir(parents=True)
    (root / "before the fire").mkdir()
    copies.thin(tmp_path, now)
    ages = [(now - datetime.strptime(path.name, "%Y%m%d-%H%M%S-%f")) for path in copies.copies(tmp_path)]
    assert ages[:10] == [timedelta(minutes=minute) for minute in range(10)]
    within = lambda low, high: [age for age in ages if low < age <= high]  # noqa: E731
    hour, day = timedelta(hours=1), timedelta(days=1)
    assert len(within(timedelta(minutes=10), hour)) in (9, 10, 11), "one every five minutes"
    assert len(within(hour, day)) in (22, 23, 24), "one an hour"
    assert len(within(day, timedelta(days=60))) in (58, 59, 60), "one a day"
    assert within(timedelta(days=60), timedelta(days=200)) == []
    assert (root / "before the fire").is_dir()


def test_a_copy_that_fails_is_none_and_the_others_stay(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    restored(tmp_path)
    for number in range(3, 8):
        save_project(project(number), tmp_path)
    before = copies.copies(tmp_path)
    assert len(before) == 5
    monkeypatch.setattr(copies, "put", lambda path, data: path.write_bytes(data[: len(data) // 2]))
    for number in range(10, 20):
        with pytest.raises(CollageError, match="cannot be read back"):
            save_project(project(number), tmp_path)
    assert copies.copies(tmp_path) == before
    assert all(load_project(copy)[1] == [] for copy in before)


def test_links_that_lead_upwards_and_a_folder_inside_itself_end(tmp_path: Path) -> None:
    source = tmp_path / "shed"
    restored(source)
    (source / "maps" / "deep").mkdir(parents=True)
    (source / "maps" / "deep" / "a.png").write_bytes(b"a map")
    (source / "maps" / "up").symlink_to("..")
    (source / "maps" / "far up").symlink_to(tmp_path)
    (source / "loop").symlink_to("loop")
    (source / "gone").symlink_to("nowhere")
    os.mkfifo(source / "pipe")
    shared = tmp_path / "shared"
    shared.mkdir()
    (shared / "b.png").write_bytes(b"a map of several projects")
    (source / "linked").symlink_to(shared)
    for target in (tmp_path / "other", source / "inside"):
        copy_files(source, target)
        found = {path.relative_to(target).as_posix() for path in target.rglob("*") if path.is_file()}
        assert found == {"maps/deep/a.png", "linked/b.png"}


def test_the_first_copy_after_those_always_kept_is_measured_from_the_last_of_them(tmp_path: Path) -> None:
    now = datetime(2026, 11, 27, 12)
    minutes = [*range(0, 40, 4)[:9], 44, 48]
    for one in minutes:
        name = (now - timedelta(minutes=one)).strftime("%Y%m%d-%H%M%S-%f")
        (tmp_path / "copies" / name).mkdir(parents=True)
    copies.thin(tmp_path, now)
    assert len(copies.copies(tmp_path)) == 10, "four minutes are too near"
