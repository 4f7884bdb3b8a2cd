"""The files that a project names: which are there, which are missing, and how they are found again."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from collage.core.base.progress import Progress, Steps
from collage.core.base.safe_write import is_file
from collage.core.document.model import Card, Input, Network
from collage.core.images.store import ImageRef
from collage.core.images.tiles import Tiles, file_of, is_pattern, label_of
from collage.core.project.folder import MAPS, MESHES, copy_file, material_folder, relative_name
from collage.core.project.state import Project
from collage.core.scene.bench import BenchObject
from collage.core.scene.geometry import MeshFile

MOST_SEARCHED = 200_000
MESH, UV_SET = "mesh", "uv set "


@dataclass(frozen=True)
class Reference:
    """A file that a card of a material names, or the bench.

    material : its name; empty for the bench's environment and its objects, whose name `card` is then. path : the groups
    that the card lies in. stored : as the document says it. file : where it lies, or its pattern for numbered tiles.
    missing : labels of tiles that are not there, or ("",) where the whole file is not.
    """

    material: str
    path: tuple[str, ...]
    card: str
    input: str
    stored: str
    file: Path
    missing: tuple[str, ...] = ()

    @property
    def is_mesh(self) -> bool:
        """Whether it is the mesh of an object, or a UV set of it."""
        return self.input == MESH or self.input.startswith(UV_SET)


def references(project: Project, folder: Path) -> list[Reference]:
    """Every file that a project's materials and its bench name."""
    found = [
        _reference(name, network, path, card, one, folder)
        for name, network in project.materials.items()
        for path, card, one in file_inputs(network)
    ]
    if project.bench.environment.file:
        found.append(_environment(project, folder))
    found += [one for item in project.bench.objects for one in _of_object(item, folder)]
    return [replace(one, missing=missing(one.file)) for one in found]


def _reference(name: str, network: Network, path: tuple[str, ...], card: Card, one: Input, folder: Path) -> Reference:
    """What an input of a card names; whether it is there is not looked at."""
    stored = str(one.value)
    return Reference(name, path, card.name, one.name, stored, stored_path(network, stored, folder))


def _environment(project: Project, folder: Path) -> Reference:
    stored = project.bench.environment.file
    return Reference("", (), "", "environment", stored, folder / stored)


def _of_object(item: BenchObject, folder: Path) -> list[Reference]:
    """The mesh file of an object if it has one, and the files of its UV sets."""
    files = {UV_SET + one.name: one.file for one in item.uv_sets if one.file}
    if isinstance(item.geometry, MeshFile):
        files[MESH] = item.geometry.reading.file
    return [Reference("", (), item.name, of, stored, folder / stored) for of, stored in files.items()]


def stored_path(network: Network, stored: str, folder: Path) -> Path:
    """Where a file lies that a material names."""
    return material_folder(folder) / (network.attributes.get("fileprefix", "") + stored)


def file_inputs(network: Network, path: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], Card, Input]]:
    """Every input of a document that names a file, with its card and the groups around it."""
    for card in network.cards.values():
        for one in card.inputs.values():
            if one.type == "filename" and one.value:
                yield path, card, one
        if card.network is not None:
            yield from file_inputs(card.network, (*path, card.name))


def missing(file: Path) -> tuple[str, ...]:
    """Tiles that are not there, by number; ("",) for a file that is not."""
    if is_pattern(str(file)):
        tiles = Tiles(str(file))
        return tuple(label_of(place) for place in tiles.missing) if tiles.files else ("",)
    return () if is_file(file) else ("",)


def with_files(project: Project, change: Callable[[Reference], str], folder: Path) -> Project:
    """The project with every file name replaced by what `change` says; the same project if nothing differs.

    What `change` is given tells where a file lies, not whether it is there.
    """
    for name, network in project.materials.items():

        def renamed(path: tuple[str, ...], card: Card, one: Input, name: str = name, network: Network = network) -> str:
            return change(_reference(name, network, path, card, one, folder))

        new = _renamed(network, renamed)
        if new is not network:
            project = project.with_material(name, new)
    environment = project.bench.environment
    if environment.file:
        stored = change(_environment(project, folder))
        if stored != environment.file:
            made = environment.model_copy(update={"file": stored})
            project = project.with_bench(project.bench.model_copy(update={"environment": made}))
    objects = tuple(_with_mesh(item, change, folder) for item in project.bench.objects)
    if objects != project.bench.objects:
        project = project.with_bench(project.bench.model_copy(update={"objects": objects}))
    return project


def _with_mesh(item: BenchObject, change: Callable[[Reference], str], folder: Path) -> BenchObject:
    files = {one.input: change(one) for one in _of_object(item, folder)}
    sets = tuple(one.model_copy(update={"file": files[UV_SET + one.name]}) if one.file else one for one in item.uv_sets)
    item = item if sets == item.uv_sets else item.model_copy(update={"uv_sets": sets})
    if not isinstance(item.geometry, MeshFile):
        return item
    reading = item.geometry.reading.model_copy(update={"file": files[MESH]})
    return item.model_copy(update={"geometry": item.geometry.model_copy(update={"reading": reading})})


def _renamed(
    network: Network, change: Callable[[tuple[str, ...], Card, Input], str], path: tuple[str, ...] = ()
) -> Network:
    for card in network.cards.values():
        new = card
        for one in card.inputs.values():
            if one.type == "filename" and one.value:
                stored = change(path, card, one)
                if stored != one.value:
                    new = new.with_input(replace(one, value=stored))
        if card.network is not None:
            inner = _renamed(card.network, change, (*path, card.name))
            if inner is not card.network:
                new = replace(new, network=inner)
        if new is not card:
            network = network.with_card(new)
    return network


# ---- finding again ------------------------------------------------------------------------------


def find(wanted: Iterable[Reference], place: Path) -> dict[Reference, Path]:
    """Where missing files lie now, below a folder or beside a file, by their names.

    Of several files with the right name the one counts whose folders agree best with the old ones.
    """
    names: dict[str, list[Path]] = {}
    count = 0
    for here, folders, files in os.walk(place if place.is_dir() else place.parent):
        folders[:] = sorted(one for one in folders if not one.startswith("."))
        for name in files:
            names.setdefault(name.lower(), []).append(Path(here) / name)
        count += len(files)
        if count > MOST_SEARCHED:
            break
    found: dict[Reference, Path] = {}
    for one in wanted:
        hits = _hits(one, names)
        if hits:
            found[one] = max(hits, key=lambda hit: _agreement(hit, one.file))
    return found


def _hits(one: Reference, names: Mapping[str, list[Path]]) -> list[Path]:
    if not is_pattern(str(one.file)):
        return names.get(one.file.name.lower(), [])
    first = {hit.parent / one.file.name for place in _some_tiles()
             for hit in names.get(file_of(one.file.name, place).lower(), [])}  # fmt: skip
    return sorted(first)


def _some_tiles() -> list[tuple[int, int]]:
    return [(row, column) for row in range(3) for column in range(10)]


def _agreement(hit: Path, old: Path) -> int:
    """How many folders, counted from the file, have the same names."""
    count = 0
    for one, other in zip(reversed(hit.parts), reversed(old.parts), strict=False):
        if one.lower() != other.lower():
            break
        count += 1
    return count


def relinked(project: Project, folder: Path, found: Mapping[Reference, Path]) -> Project:
    """The project with missing files named where they were found; those that miss still are left as they are."""
    by_place = {(one.material, one.path, one.card, one.input): path for one, path in found.items()}

    def change(one: Reference) -> str:
        path = by_place.get((one.material, one.path, one.card, one.input))
        if path is None:
            return one.stored
        return named(one, path, project, folder)

    return with_files(project, change, folder)


def named(one: Reference, path: Path, project: Project, folder: Path) -> str:
    """A file as it is written where it is named: past a material's prefix, or from the project for the bench."""
    if not one.material:
        return relative_name(path, folder)
    prefix = project.materials[one.material].attributes.get("fileprefix", "")
    return relative_name(path, material_folder(folder) / prefix)


# ---- collecting ---------------------------------------------------------------------------------


def outside(project: Project, folder: Path) -> list[Reference]:
    """The files that are there but lie outside the project's folder."""
    root = folder.resolve()
    return [one for one in references(project, folder)
            if one.missing != ("",) and not one.file.parent.resolve().is_relative_to(root)]  # fmt: skip


def collect(project: Project, folder: Path) -> Steps[Project]:
    """Copies what lies outside into maps/; returns the project that names the copies. Raises CollageError."""
    return using(project, folder, (yield from copied(project, folder)))


def copied(project: Project, folder: Path) -> Steps[dict[Path, Path]]:
    """Copies what lies outside into maps/; returns the copy of each file or pattern. Raises CollageError."""
    targets: dict[Path, Path] = {}
    taken: set[Path] = set()
    every = outside(project, folder)
    for one in every:
        if one.file not in targets:
            place = folder / MESHES if one.is_mesh else folder / MAPS / one.file.parent.name
            targets[one.file] = free_name(place / one.file.name, taken)
            taken.add(targets[one.file])
    copies = [(source, target) for pattern, target in targets.items() for source, target in each_file(pattern, target)]
    for done, (source, target) in enumerate(copies):
        yield Progress(f"Copying {target.name}", done / len(copies))
        copy_file(source, target)

    return targets


def using(project: Project, folder: Path, others: Mapping[Path, Path]) -> Project:
    """The project with other files, or patterns, named in the place of some."""

    def change(one: Reference) -> str:
        other = others.get(one.file)
        return one.stored if other is None else named(one, other, project, folder)

    return with_files(project, change, folder)


def free_name(path: Path, taken: Collection[Path] = ()) -> Path:
    """A name in the same folder, or a pattern, that no file has and that is not taken."""
    number, made = 1, path
    while (
        made in taken
        or (made.exists() and not is_pattern(str(made)))
        or (is_pattern(str(made)) and Tiles(str(made)).files)
    ):
        number += 1
        made = path.with_name(f"{path.stem}-{number}{path.suffix}")
    return made


def each_file(pattern: Path, target: Path) -> list[tuple[Path, Path]]:
    """The file and its copy, or every tile that is there and its own."""
    if not is_pattern(str(pattern)):
        return [(pattern, target)]
    return [(Path(file), Path(file_of(str(target), place))) for place, file in Tiles(str(pattern)).files.items()]


def moved(project: Project, old: Path, new: Path) -> Project:
    """The project as it is saved in another folder: files outside the old one keep their places.

    Those inside come along and keep their names.
    """
    root = old.resolve()

    def change(one: Reference) -> str:
        if Path(one.stored).is_absolute() or one.file.parent.resolve().is_relative_to(root):
            return one.stored
        return named(one, one.file, project, new)

    return with_files(project, change, old)


# ---- watching -----------------------------------------------------------------------------------


def stamps(every: Iterable[Reference]) -> dict[str, str]:
    """The state on disk of the files, by their paths."""
    return {str(one.file): ImageRef(str(one.file)).stamp for one in every}
