"""Map sets into a project: files copied or left in place, a material for each set."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path, PurePosixPath

from collage.core.base.progress import Progress, Steps
from collage.core.base.text import cleaned
from collage.core.document.materials import new_material
from collage.core.document.model import free_among
from collage.core.gather.build import BuildOptions, Stored, build_material, files_of
from collage.core.gather.sets import FoundSet, tile_place
from collage.core.images.tiles import LAST_PAIR, label_of
from collage.core.project.folder import (
    MAPS,
    copy_file,
    is_project,
    load_project,
    material_folder,
    relative_name,
    save_project,
    slug,
)
from collage.core.project.lock import held
from collage.core.project.state import Project
from collage.core.render.swatch import studio


def in_place(folder: Path, project: Path) -> Stored:
    """Names for files that stay where they are: from the folder that materials lie in."""
    return lambda file: relative_name(folder / file, material_folder(project))


def copied_names(found: FoundSet, folder: Path, project: Path) -> dict[str, Path]:
    """Where a set's files go in the project: maps/NAME/FILE, and NAME-2 where that is taken by others.

    Tiles that count from zero are numbered anew, since the standard counts from one.
    """
    odd = odd_numbers(found)
    named: dict[str, str] = {}
    for file in files_of(found):
        name = plain_name(_numbered_anew(file, odd.get(file, "")))
        stem = free_among(PurePosixPath(name).stem, {PurePosixPath(one).stem for one in named.values()}, "-")
        named[file] = stem + PurePosixPath(name).suffix
    number, stem = 1, slug(found.name)
    while True:
        target = project / MAPS / (stem if number == 1 else f"{stem}-{number}")
        if all(_free_or_same(folder / file, target / name) for file, name in named.items()):
            return {file: target / name for file, name in named.items()}
        number += 1


def plain_name(name: str) -> str:
    """A file name that documents can hold and that does not look like numbered tiles."""
    return re.sub(r'[<>"\n]', "_", cleaned(name)) or "map"


def must_copy(found: FoundSet, folder: Path) -> bool:
    """Whether a material could not name a set's files where they lie."""
    paths = [str(folder / file) for file in files_of(found)]
    return bool(odd_numbers(found)) or any(plain_name(path) != path for path in paths)


def odd_numbers(found: FoundSet) -> dict[str, str]:
    """Files of u/v tiles that are not written as the standard does it, with the numbers that they get: 1001 and on.

    The standard writes u1_v1 for the first; some people count from zero, or leave the line out.
    """
    written = {
        file: tile
        for one in found.maps if one.used
        for file, tile in zip(one.files, one.tiles, strict=False) if not tile.isdigit()
    }  # fmt: skip
    from_zero = any(0 in tile_place(tile) for tile in written.values())
    if not from_zero and all(tile in file.lower() for file, tile in written.items()):
        return {}
    return {file: _label(tile, from_zero) for file, tile in written.items()}


def _label(tile: str, from_zero: bool) -> str:
    row, column = tile_place(tile)
    return label_of((row, column) if from_zero else (row - 1, column - 1))


def _numbered_anew(file: str, label: str) -> str:
    name = PurePosixPath(file).name
    return LAST_PAIR.sub(label, name) if label else name


def _free_or_same(source: Path, target: Path) -> bool:
    """Whether a file can go there: nothing is in the way, or it is the same file already."""
    try:
        there = target.stat()
    except OSError:
        return True
    here = source.stat()
    return there.st_size == here.st_size and int(there.st_mtime) == int(here.st_mtime)


def copy_set(found: FoundSet, folder: Path, project: Path) -> Steps[None]:
    """Copies a set's files into the project, file by file: what, and how far (0 to 1). Raises CollageError."""
    names = copied_names(found, folder, project)
    for done, (file, target) in enumerate(names.items()):
        yield Progress(f"Copying {target.name}", done / len(names))
        copy_file(folder / file, target)


def stored_names(found: FoundSet, folder: Path, project: Path, *, leave: bool) -> tuple[FoundSet, Stored]:
    """The set and how its material names the files, left in place or as `copy_set` puts them."""
    if leave and not must_copy(found, folder):
        return found, in_place(folder, project)
    names = copied_names(found, folder, project)
    stored = {file: relative_name(target, material_folder(project)) for file, target in names.items()}
    return _renumbered(found), lambda file: stored[file]


def _renumbered(found: FoundSet) -> FoundSet:
    odd = odd_numbers(found)
    maps = tuple(replace(one, tiles=tuple(odd.get(file, tile) for file, tile in zip(one.files, one.tiles, strict=True)))
                 if one.tiles else one for one in found.maps)  # fmt: skip
    return replace(found, maps=maps) if odd else found


def build_into(
    sets: Iterable[FoundSet],
    folder: Path,
    project: Path,
    options: BuildOptions | None = None,
    *,
    in_place: bool = False,
) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Builds a material of every set in a project on disk, a new one if there is none there.

    Yields each material's name with the remarks on its maps. Raises CollageError; what was built is kept.
    """
    project.mkdir(parents=True, exist_ok=True)
    with held(project):
        yield from _build_into(sets, folder, project, options, in_place=in_place)


def _build_into(
    sets: Iterable[FoundSet], folder: Path, project: Path, options: BuildOptions | None, *, in_place: bool
) -> Iterator[tuple[str, tuple[str, ...]]]:
    fresh = not is_project(project)
    state, problems = (_new_project(project), []) if fresh else load_project(project)
    if problems:
        raise problems[0]
    for found in sets:
        numbered, stored = stored_names(found, folder, project, leave=in_place)
        if not in_place or must_copy(found, folder):
            for _ in copy_set(found, folder, project):
                pass
        name = state.free_material_name(found.title)
        state = state.with_material(name, build_material(numbered, options, stored))
        if fresh:
            state, fresh = state.given_material(0, name), False
        save_project(state, project)
        yield name, tuple(text for one in found.maps for text in one.remarks)


def _new_project(folder: Path) -> Project:
    """A ball in a plain studio, which wears the first material built."""
    return Project(folder.name or "Untitled", {"Plain": new_material()}, studio("Plain"))
