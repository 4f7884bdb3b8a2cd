"""Recovery: what is on the desk is also on disk, at most seconds old, until it is saved and closed.

Every open project has a desk folder under the user's state folder, with the state as a project and a note
of whose it is. A desk whose process is gone was left by a crash.
"""

from __future__ import annotations

import json
import os
import shutil
import uuid
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from collage.core.base.errors import CollageError
from collage.core.base.safe_write import replacing
from collage.core.project.copies import copies
from collage.core.project.folder import load_project, save_project
from collage.core.project.state import Project

NOTE = "desk.json"


def default_root() -> Path:
    return Path(platformdirs.user_state_dir("collage")) / "desks"


@dataclass(frozen=True)
class LeftDesk:
    """Unsaved work that a crash left behind. folder: of the project it belongs to, or None."""

    desk: Path
    folder: Path | None
    name: str
    written: float  # seconds since 1970

    def load(self) -> Project:
        project, problems = load_project(self.desk)
        if problems and not project.materials:
            raise problems[0]
        return project


class Desk:
    """The copy on disk of one open project."""

    def __init__(self, root: Path | None = None) -> None:
        self.root = root or default_root()
        self.path = self.root / f"{os.getpid()}-{uuid.uuid4().hex[:8]}"

    def write(self, project: Project, folder: Path | None) -> None:
        """Puts the state on disk; called from a worker thread, some time after an edit."""
        self.path.mkdir(parents=True, exist_ok=True)
        save_project(project, self.path, keep_copy=False)
        note = {"pid": os.getpid(), "folder": str(folder) if folder else "", "name": project.name}
        with replacing(self.path / NOTE) as temporary:
            temporary.write_text(json.dumps(note), encoding="utf-8")

    def clear(self) -> None:
        """The work is saved, or given up on purpose: nothing to recover."""
        shutil.rmtree(self.path, ignore_errors=True)


def left_desks(root: Path | None = None) -> list[LeftDesk]:
    """Unsaved work of processes that are gone, newest first."""
    root = root or default_root()
    found = []
    for path in root.glob(f"*/{NOTE}"):
        try:
            note = json.loads(path.read_text(encoding="utf-8"))
            if _alive(int(note["pid"])):
                continue
            folder = Path(note["folder"]) if note["folder"] else None
            found.append(LeftDesk(path.parent, folder, str(note["name"]), path.stat().st_mtime))
        except (OSError, ValueError, KeyError, TypeError):
            continue
    return sorted(found, key=lambda desk: -desk.written)


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
    shutil.rmtree(desk.desk, ignore_errors=True)


def _alive(pid: int) -> bool:
    if pid == os.getpid():
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
