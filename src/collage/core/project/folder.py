"""The project folder: plain files, relative paths, safe writes.

project.json holds the bench and the list of materials; each material is materials/NAME.mtlx, whose file names start
from the folder it lies in. A save happens as a whole or not at all (commit); the state before it is kept (copies).
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import shutil
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from collage.core.base.errors import CollageError, disk_errors
from collage.core.base.frozen import Frozen
from collage.core.base.safe_write import replacing
from collage.core.base.text import cleaned
from collage.core.document.materialx import MAX_BYTES, check_document, read_document, write_document
from collage.core.document.model import Network, free_among
from collage.core.project.commit import alone, clear_drafts, commit, complete, place_of
from collage.core.project.copies import COPIES, keep
from collage.core.project.state import Project, Unread
from collage.core.scene.bench import Bench

SCHEMA = 1
PROJECT_FILE = "project.json"
MATERIALS = "materials"
MAPS = "maps"
MESHES = "meshes"


class MaterialEntry(Frozen):
    """A material's name and the file that holds it, relative to the project."""

    name: str
    file: str


class ProjectFile(Frozen):
    """What project.json says."""

    schema_version: int = SCHEMA
    name: str = "Untitled"
    materials: tuple[MaterialEntry, ...] = ()
    bench: Bench = Bench()


def slug(name: str) -> str:
    """A file name made of plain letters for a name that may be anything."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "material"


def is_project(folder: Path) -> bool:
    """Whether a folder holds a project."""
    return place_of(folder, PROJECT_FILE).is_file()


def project_folder(path: Path) -> Path:
    """The folder of a project that is named by it, or by its project.json."""
    return path.parent if path.name == PROJECT_FILE and not path.is_dir() else path


def load_project(folder: Path) -> tuple[Project, list[CollageError]]:
    """The project in a folder, and what could not be read of it: a broken material leaves the others whole.

    Raises CollageError if there is no project at all.
    """
    folder = project_folder(folder)
    with contextlib.ExitStack() as stack:
        # where the folder cannot be held or written to, what was saved is found all the same
        with contextlib.suppress(OSError):
            stack.enter_context(alone(folder))
            complete(folder)
        return _read(folder)


def _read(folder: Path) -> tuple[Project, list[CollageError]]:
    path = place_of(folder, PROJECT_FILE)
    if not path.is_file():
        raise CollageError(
            "This folder holds no project.",
            about=folder.name,
            remedy=f"Choose a folder with a {PROJECT_FILE} in it.",
        )
    try:
        content = _content(path)
    except (ValidationError, ValueError, OSError, RecursionError) as error:
        first = str(error).split("\n")[0]
        raise CollageError(
            f"{PROJECT_FILE} cannot be read: {first}.",
            about=folder.name,
            remedy=f"Bring back an earlier state from {folder.name}/copies.",
        ) from error
    if content.schema_version > SCHEMA:
        raise CollageError(
            "The project was saved by a newer Collage.",
            about=folder.name,
            remedy="Open it with that version.",
        )
    materials: dict[str, Network] = {}
    unread: dict[str, Unread] = {}
    problems: list[CollageError] = []
    for entry in content.materials:
        name = free_among(entry.name, {*materials, *unread}, " ")  # no material hides another one
        try:
            materials[name] = _material(folder, entry.file)
        except CollageError as error:
            problems.append(error)
            unread[name] = Unread(entry.file, _raw(folder, entry.file), str(error))
    return Project(content.name, materials, content.bench, unread), problems


def _content(path: Path) -> ProjectFile:
    """What a project.json says. Raises ValidationError, ValueError, OSError, RecursionError."""
    return ProjectFile.model_validate(_clean(json.loads(path.read_bytes())))


def _material(folder: Path, file: str) -> Network:
    _inside(folder, file)
    return read_document(place_of(folder, file))


def _raw(folder: Path, file: str) -> bytes | None:
    try:
        path = place_of(folder, file)
        _inside(folder, file)
        return path.read_bytes() if path.is_file() and path.stat().st_size <= MAX_BYTES else None
    except (OSError, CollageError):
        return None


def _inside(folder: Path, name: str) -> Path:
    """A path in the project; names that lead out of it are refused."""
    path = (folder / name).resolve()
    if not path.is_relative_to(folder.resolve()):
        raise CollageError(f"“{name}” lies outside the project.", about=name, remedy="Move the file into the project.")
    return path


def save_project(project: Project, folder: Path, *, keep_copy: bool = True) -> None:
    """Writes a project into its folder, as a whole or not at all. Raises CollageError; then nothing has changed.

    Material files that the project does not know are left alone. keep_copy : whether the state before is kept.
    """
    with disk_errors(
        "The project cannot be saved",
        about=folder.name,
        remedy="Free some space or save it to another folder; nothing is lost.",
    ):
        (folder / MATERIALS).mkdir(parents=True, exist_ok=True)
        with alone(folder):
            complete(folder)
            clear_drafts(folder)
            before = _stored(folder)
            if keep_copy and before:
                there = {file: (folder / file).read_bytes() for file in before if (folder / file).is_file()}
                keep(folder, there, whole=len(there) == len(before) and _are_whole(there))
            files = _files(project, folder, before)
            commit(folder, files, [file for file in before if file not in files and not _is_unread(project, file)])


def _are_whole(files: Mapping[str, bytes]) -> bool:
    """Whether the materials among some files can be read."""
    try:
        for name, data in files.items():
            if name != PROJECT_FILE:
                check_document(data, name)
    except CollageError:
        return False
    return True


def _stored(folder: Path) -> tuple[str, ...]:
    """The files of the project that lies there: project.json and its materials; none if it cannot be read."""
    try:
        content = _content(folder / PROJECT_FILE)
    except (ValidationError, ValueError, OSError, RecursionError):
        return ()
    mine = [one.file for one in content.materials if Path(one.file).parts[:1] == (MATERIALS,) and ".." not in one.file]
    return (PROJECT_FILE, *mine)


def _files(project: Project, folder: Path, before: tuple[str, ...]) -> dict[str, bytes]:
    """All files of a project with what is in them."""
    files = {}
    for one in project.unread.values():  # what lies there stays, whatever it has become meanwhile
        if one.content is not None and not (folder / one.file).exists():
            files[one.file] = one.content
    taken = {one.file for one in project.unread.values()}
    entries = [MaterialEntry(name=name, file=one.file) for name, one in project.unread.items()]
    for name, network in project.materials.items():
        file = _free(slug(name), taken, folder, before)
        files[file] = write_document(network).encode()
        entries.append(MaterialEntry(name=name, file=file))
    content = ProjectFile(name=project.name, materials=tuple(entries), bench=project.bench)
    files[PROJECT_FILE] = json.dumps(_clean(content.model_dump(mode="json")), indent=1).encode()
    return files


def _clean(value: Any) -> Any:
    """All texts in a value made fit for the file."""
    if isinstance(value, str):
        return cleaned(value)
    if isinstance(value, dict):
        return {name: _clean(one) for name, one in value.items()}
    return [_clean(one) for one in value] if isinstance(value, list) else value


def _is_unread(project: Project, file: str) -> bool:
    return any(one.file == file for one in project.unread.values())


def _free(stem: str, taken: set[str], folder: Path, before: tuple[str, ...]) -> str:
    """A file for a material: none that the project has given away, nor one that somebody else put there."""
    number, name = 1, f"{MATERIALS}/{stem}.mtlx"
    while name in taken or (name not in before and (folder / name).exists()):
        number += 1
        name = f"{MATERIALS}/{stem}-{number}.mtlx"
    taken.add(name)
    return name


def copy_files(source: Path, target: Path) -> None:
    """Brings maps, environments and the like along when a project is saved somewhere else. Raises CollageError."""
    try:
        target.mkdir(parents=True, exist_ok=True)
        for path in _own_files(source.resolve(), target.resolve()):
            (target / path).parent.mkdir(parents=True, exist_ok=True)
            copy_file(source / path, target / path)
    except OSError as error:
        raise CollageError(
            f"The maps cannot be copied: {error.strerror or 'not all files could be copied'}.",
            about=target.name,
            remedy="Choose another folder, or free some space.",
        ) from error


def _own_files(source: Path, but: Path) -> Iterator[Path]:
    """Files of a project besides what it saves itself, from its folder.

    Links are followed, but each folder is visited once, and none that the project lies in. but : a folder to leave out.
    """
    seen: set[Path] = set()
    for folder, folders, files in os.walk(source, followlinks=True):
        here = Path(folder).resolve()
        if here in seen or here == but or (here != source and source.is_relative_to(here)):
            folders.clear()
            continue
        seen.add(here)
        if here == source:
            folders[:] = [name for name in folders if name not in (MATERIALS, COPIES) and not name.startswith(".")]
            files = [name for name in files if name != PROJECT_FILE and not name.startswith(".")]
        for name in files:
            if (Path(folder) / name).is_file():  # no pipe, no link to nothing
                yield Path(folder).relative_to(source) / name


def _same_file(source: Path, target: Path) -> bool:
    """Whether a copy is there already, by size and time."""
    if not target.is_file():
        return False
    one, other = source.stat(), target.stat()
    return (one.st_size, one.st_mtime_ns) == (other.st_size, other.st_mtime_ns)


def copy_file(source: Path, target: Path) -> None:
    """Copies one file; what is there is replaced only when the copy is whole. Raises CollageError."""
    with disk_errors("The file cannot be copied", about=source.name, remedy="Free some space."):
        target.parent.mkdir(parents=True, exist_ok=True)
        if source.resolve() != target.resolve() and not _same_file(source, target):
            with replacing(target) as temporary:
                shutil.copy2(source, temporary)


def relative_name(path: Path, start: Path) -> str:
    """A file's name from a folder, with forward slashes, wherever the two lie."""
    return Path(os.path.relpath(path.resolve(), start.resolve())).as_posix()


def material_folder(folder: Path) -> Path:
    """Where the file names in materials start."""
    return folder / MATERIALS
