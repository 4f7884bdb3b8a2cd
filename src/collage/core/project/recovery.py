"""Recovery: what is on the desk is also on disk, at most seconds old, until it is saved and closed.

Every open project has a desk folder under the user's state folder, with the state as a project and a note of whose it
is. A desk whose process is gone was left by a crash.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import uuid
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from collage.core.base.errors import CollageError, disk_errors
from collage.core.base.safe_write import is_running, write_bytes
from collage.core.project.copies import copies
from collage.core.project.folder import PROJECT_FILE, is_project, load_project, save_project
from collage.core.project.state import Project

NOTE = "desk.json"


def default_root() -> Path:
    """Where unsaved work is kept unless a window is told otherwise."""
    return Path(platformdirs.user_state_dir("collage")) / "desks"


@dataclass(frozen=True)
class LeftDesk:
    """Unsaved work that a crash left behind. folder: of the project it belongs to, or None."""

    desk: Path
    folder: Path | None
    project: Project
    written: float  # seconds since 1970

    @property
    def name(self) -> str:
        """The name of the project that it holds."""
        return self.project.name


class Desk:
    """The copy on disk of one open project."""

    def __init__(self, root: Path | None = None) -> None:
        self.root = root or default_root()
        self.path = self.root / f"{os.getpid()}-{uuid.uuid4().hex[:8]}"

    def write(self, project: Project, folder: Path | None) -> None:
        """Puts the state on disk; called from a worker thread, some time after an edit. Raises CollageError."""
        note = {"folder": str(folder) if folder else ""}
        with disk_errors(
            "Unsaved changes cannot be kept safe", about=project.name, remedy="Save the project, and free some space."
        ):
            self.path.mkdir(parents=True, exist_ok=True)
            write_bytes(self.path / NOTE, json.dumps(note).encode(errors="surrogateescape"))
        save_project(project, self.path, keep_copy=False)

    def clear(self) -> None:
        """The work is saved, or given up on purpose: nothing to recover."""
        shutil.rmtree(self.path, ignore_errors=True)


def left_desks(root: Path | None = None) -> tuple[list[LeftDesk], list[CollageError]]:
    """Unsaved work of processes that are gone, newest first; and sentences about what cannot be read of it.

    That is set aside, so that it is told once. Desks on which nothing lies are cleared.
    """
    found, told = [], []
    for path in sorted((root or default_root()).glob("*-*")):
        process = path.name.split("-")[0]
        if not path.is_dir() or not process.isdigit() or is_running(int(process)):
            continue
        if not is_project(path):
            shutil.rmtree(path, ignore_errors=True)
            continue
        try:
            project, problems = load_project(path)
            if problems and not project.materials:
                raise problems[0]
            found.append(LeftDesk(path, _folder_of(path), project, (path / PROJECT_FILE).stat().st_mtime))
        except (CollageError, OSError) as error:
            told.append(_set_aside(path, error))
    return sorted(found, key=lambda desk: -desk.written), told


def _folder_of(desk: Path) -> Path | None:
    try:
        folder = json.loads((desk / NOTE).read_bytes())["folder"]
        return Path(folder) if folder else None
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _set_aside(desk: Path, error: Exception) -> CollageError:
    aside = desk.with_name(f"unreadable {desk.name}")
    with contextlib.suppress(OSError):
        desk.rename(aside)
    return CollageError(
        f"Unsaved changes that Collage kept before it closed cannot be read: {error}",
        about=aside.name,
        remedy=f"What there is lies in {aside}.",
    )


def newest_copy_with(folder: Path, material: str) -> Path | None:
    """The newest copy of a project in which a material can be read."""
    for copy in copies(folder):
        try:
            if material in load_project(copy)[0].materials:
                return copy
        except CollageError:
            continue
    return None


def discard(desk: LeftDesk) -> None:
    """Removes unsaved work that a crash left behind."""
    shutil.rmtree(desk.desk, ignore_errors=True)
