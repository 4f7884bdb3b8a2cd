"""The project folder: plain files, relative paths, safe writes.

project.json holds the bench and the list of materials; each material is materials/NAME.mtlx, whose file
names start from the folder it lies in. Files are written to a temporary name and renamed, so that a full
disk or a crash leaves the old ones whole; the state before a save is kept under copies/.
"""

from __future__ import annotations

import json
import os
import re
import shutil
from datetime import datetime
from pathlib import Path

from pydantic import ValidationError

from collage.core.base.errors import CollageError
from collage.core.base.frozen import Frozen
from collage.core.base.safe_write import replacing
from collage.core.document.materialx import read_document, write_document
from collage.core.project.state import Project
from collage.core.scene.bench import Bench

SCHEMA = 1
COPIES = 10
PROJECT_FILE = "project.json"
MATERIALS = "materials"
MAPS = "maps"


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
    return (folder / PROJECT_FILE).is_file()


def load_project(folder: Path) -> tuple[Project, list[CollageError]]:
    """The project in a folder, and what could not be read of it: a broken material leaves the others whole.

    Raises CollageError if there is no project at all.
    """
    if folder.name == PROJECT_FILE:
        folder = folder.parent
    path = folder / PROJECT_FILE
    if not path.is_file():
        raise CollageError(
            "This folder holds no project.",
            about=folder.name,
            remedy=f"Choose a folder with a {PROJECT_FILE} in it.",
        )
    try:
        content = ProjectFile.model_validate_json(path.read_bytes())
    except (ValidationError, ValueError, OSError) as error:
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
    materials, problems = {}, []
    for entry in content.materials:
        try:
            materials[entry.name] = read_document(_inside(folder, entry.file))
        except CollageError as error:
            problems.append(error)
    return Project(content.name, materials, content.bench), problems


def _inside(folder: Path, name: str) -> Path:
    """A path in the project; names that lead out of it are refused."""
    path = (folder / name).resolve()
    if not path.is_relative_to(folder.resolve()):
        raise CollageError(f"“{name}” lies outside the project.", about=name, remedy="Move the file into the project.")
    return path


def save_project(project: Project, folder: Path, *, keep_copy: bool = True) -> None:
    """Writes a project into its folder. Raises CollageError; the files before stay whole in that case."""
    try:
        (folder / MATERIALS).mkdir(parents=True, exist_ok=True)
        if keep_copy and is_project(folder):
            _keep_copy(folder)
        entries: list[MaterialEntry] = []
        used: set[str] = set()
        for name, network in project.materials.items():
            file = _free(slug(name), used)
            _write(folder / file, write_document(network))
            entries.append(MaterialEntry(name=name, file=file))
        content = ProjectFile(name=project.name, materials=tuple(entries), bench=project.bench)
        _write(folder / PROJECT_FILE, json.dumps(content.model_dump(mode="json"), indent=1))
        for path in (folder / MATERIALS).glob("*.mtlx"):
            if f"{MATERIALS}/{path.name}" not in used:
                path.unlink()
    except OSError as error:
        raise CollageError(
            f"The project cannot be saved: {error.strerror or error}.",
            about=folder.name,
            remedy="Free some space or save it to another folder; nothing is lost.",
        ) from error


def _free(stem: str, used: set[str]) -> str:
    number, name = 1, f"{MATERIALS}/{stem}.mtlx"
    while name in used:
        number += 1
        name = f"{MATERIALS}/{stem}-{number}.mtlx"
    used.add(name)
    return name


def _write(path: Path, text: str) -> None:
    with replacing(path) as temporary, temporary.open("w", encoding="utf-8") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())


def _keep_copy(folder: Path) -> None:
    """The state before this save, under copies/; the oldest beyond COPIES go."""
    target = folder / "copies" / datetime.now().strftime("%Y%m%d-%H%M%S-%f")
    (target / MATERIALS).mkdir(parents=True)
    shutil.copy2(folder / PROJECT_FILE, target / PROJECT_FILE)
    for path in (folder / MATERIALS).glob("*.mtlx"):
        shutil.copy2(path, target / MATERIALS / path.name)
    for old in sorted((folder / "copies").iterdir())[:-COPIES]:
        shutil.rmtree(old, ignore_errors=True)


def copy_files(source: Path, target: Path) -> None:
    """Brings maps, environments and the like along when a project is saved somewhere else. Raises CollageError."""
    try:
        target.mkdir(parents=True, exist_ok=True)
        for path in source.iterdir():
            if path.name in (PROJECT_FILE, MATERIALS, "copies") or path.name.startswith("."):
                continue
            if path.is_dir():
                shutil.copytree(path, target / path.name, dirs_exist_ok=True)
            elif path.is_file():
                shutil.copy2(path, target / path.name)
    except (OSError, shutil.Error) as error:
        reason = error.strerror if isinstance(error, OSError) and error.strerror else "not all files could be copied"
        raise CollageError(
            f"The maps cannot be copied: {reason}.",
            about=target.name,
            remedy="Choose another folder, or free some space.",
        ) from error


def _same_file(source: Path, target: Path) -> bool:
    """Whether a copy is there already, by size and time."""
    if not target.is_file():
        return False
    one, other = source.stat(), target.stat()
    return (one.st_size, one.st_mtime_ns) == (other.st_size, other.st_mtime_ns)


def copy_file(source: Path, target: Path) -> None:
    """Copies one file; what is there is replaced only when the copy is whole. Raises CollageError."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if source.resolve() != target.resolve() and not _same_file(source, target):
            with replacing(target) as temporary:
                shutil.copy2(source, temporary)
    except OSError as error:
        raise CollageError(
            f"The file cannot be copied: {error.strerror or error}.", about=source.name, remedy="Free some space."
        ) from error


def relative_name(path: Path, start: Path) -> str:
    """A file's name from a folder, with forward slashes, wherever the two lie."""
    return Path(os.path.relpath(path.resolve(), start.resolve())).as_posix()


def material_folder(folder: Path) -> Path:
    """Where the file names in materials start."""
    return folder / MATERIALS
