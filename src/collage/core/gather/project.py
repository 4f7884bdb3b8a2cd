"""Map sets into a project: files copied or left in place, a material for each set."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path, PurePosixPath

from collage.core.document.materials import new_material
from collage.core.gather.build import BuildOptions, Stored, build_material, files_of
from collage.core.gather.sets import FoundSet, tile_place
from collage.core.images.tiles import label_of
from collage.core.project.folder import (
    MAPS,
    copy_file,
    is_project,
    load_project,
    material_folder,
    save_project,
    slug,
)
from collage.core.project.state import Project
from collage.core.render.swatch import studio


def in_place(folder: Path, project: Path) -> Stored:
    """Names for files that stay where they are: from the folder that materials lie in."""
    start = material_folder(project).resolve()
    return lambda file: Path(os.path.relpath((folder / file).resolve(), start)).as_posix()


def copied_names(found: FoundSet, folder: Path, project: Path) -> dict[str, Path]:
    """Where a set's files go in the project: maps/NAME/FILE, and NAME-2 where that is taken by others.

    Tiles that count from zero are numbered anew, since the standard counts from one.
    """
    files, zero = files_of(found), counts_from_zero(found)
    named = {file: _one_based(file, zero.get(file, "")) for file in files}
    number, stem = 1, slug(found.name)
    while True:
        target = project / MAPS / (stem if number == 1 else f"{stem}-{number}")
        if all(_free_or_same(folder / file, target / name) for file, name in named.items()):
            return {file: target / name for file, name in named.items()}
        number += 1


def counts_from_zero(found: FoundSet) -> dict[str, str]:
    """Files of u/v tiles whose numbers begin at zero, with their tiles."""
    pairs = {file: tile for one in found.maps if one.used for file, tile in zip(one.files, one.tiles, strict=False)}
    if any(not tile.isdigit() and 0 in tile_place(tile) for tile in pairs.values()):
        return pairs
    return {}


def _one_based(file: str, tile: str) -> str:
    name = PurePosixPath(file).name
    if not tile:
        return name
    at = name.lower().rfind(tile)
    return name[:at] + label_of(tile_place(tile)) + name[at + len(tile) :] if at >= 0 else name


def _free_or_same(source: Path, target: Path) -> bool:
    """Whether a file can go there: nothing is in the way, or it is the same file already."""
    try:
        there = target.stat()
    except OSError:
        return True
    here = source.stat()
    return there.st_size == here.st_size and int(there.st_mtime) == int(here.st_mtime)


def copy_set(found: FoundSet, folder: Path, project: Path) -> Iterator[tuple[str, float]]:
    """Copies a set's files into the project, file by file: what, and how far (0 to 1). Raises CollageError."""
    names = copied_names(found, folder, project)
    for done, (file, target) in enumerate(names.items()):
        yield f"Copying {target.name}", done / len(names)
        copy_file(folder / file, target)


def stored_names(found: FoundSet, folder: Path, project: Path, *, leave: bool) -> tuple[FoundSet, Stored]:
    """The set and how its material names the files, left in place or as `copy_set` puts them."""
    if leave and not counts_from_zero(found):
        return found, in_place(folder, project)
    names = copied_names(found, folder, project)
    start = material_folder(project)
    stored = {file: Path(os.path.relpath(target, start)).as_posix() for file, target in names.items()}
    return _renumbered(found), lambda file: stored[file]


def _renumbered(found: FoundSet) -> FoundSet:
    if not counts_from_zero(found):
        return found
    maps = tuple(
        replace(one, tiles=tuple(label_of(tile_place(tile)) for tile in one.tiles)) if one.tiles else one
        for one in found.maps
    )
    return replace(found, maps=maps)


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
    fresh = not is_project(project)
    state, problems = (_new_project(project), []) if fresh else load_project(project)
    if problems:
        raise problems[0]
    for found in sets:
        numbered, stored = stored_names(found, folder, project, leave=in_place)
        if not in_place or counts_from_zero(found):
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
