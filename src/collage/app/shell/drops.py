"""Files and map sets that become part of the project: dropped anywhere, or built from the table of sets.

Copying is queued; what follows is done when the files of that set are there, however many sets come at once.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from collage.app.shell.studio import Studio
from collage.core.actions import bench, materials, sets
from collage.core.actions.materials import Offered
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.document.contained import Contained, is_document
from collage.core.document.model import Wire
from collage.core.gather.build import BuildOptions
from collage.core.gather.looks import judged, look_at
from collage.core.gather.rules import load_rules
from collage.core.gather.scan import all_files, gathered
from collage.core.gather.sets import MAP_SUFFIXES, FoundMap, FoundSet, default_space
from collage.core.project.folder import copy_file
from collage.core.project.objects import is_mesh


@dataclass(frozen=True)
class _Found:
    """What lies in dropped files: map sets, and pictures that belong to none."""

    sets: list[FoundSet]
    loose: list[Path]
    first: FoundSet | None = None  # what an object gets of them


class Drops:
    """Does with files what a hand that lets go of them means."""

    def __init__(self, studio: Studio) -> None:
        self.studio, self.session = studio, studio.session

    # ---- building -----------------------------------------------------------------------------

    def build(
        self, found: FoundSet, folder: Path, options: BuildOptions, *, copy: bool = True, number: int = -1
    ) -> None:
        """Copies a set's files if they are to be, and builds its material.

        number : of the object that it is assigned to, or negative.
        """

        def then() -> None:
            name = sets.build(self.session, found, folder, options, copy=copy, part=number)
            self.studio.wanted.emit("material")
            self.studio.hint.emit(f"“{name}” is built and wired.")

        self._copied(found, folder, then, copy=copy)

    def _copied(self, found: FoundSet, folder: Path, then: Callable[[], object], *, copy: bool = True) -> None:
        """Does something with a set once its files are where they are to be."""
        make = sets.copying(self.session, found, folder, copy=copy)
        if make is None:
            then()
        else:
            self.studio.jobs.queue(f"Copying {found.title}", make, lambda _: then(), self.studio.tell)

    # ---- drops --------------------------------------------------------------------------------

    def on_board(self, paths: list[Path], place: tuple[float, float]) -> None:
        """Sets among dropped files become cards wired to what is free; pictures alone become image cards."""

        def then(found: _Found) -> None:
            for number, one in enumerate(found.sets):
                self._put(one, (place[0], place[1] + 1.5 * number))
            for number, path in enumerate(found.loose):
                self._add_image(path, (place[0] + 0.2 * number, place[1] + 0.2 * number))

        self._gather(self._without_documents(paths), then)

    def _put(self, found: FoundSet, place: tuple[float, float]) -> None:
        self._copied(found, Path(), lambda: sets.put_on_board(self.session, found, Path(), place))

    def _add_image(self, path: Path, place: tuple[float, float]) -> str:
        try:
            return self.session.add_image(path, place)
        except CollageError as error:
            self.studio.tell(error)
            return ""

    def on_object(self, paths: list[Path], number: int) -> None:
        """The first set among dropped files is built and assigned to an object; a picture alone is its base colour.

        Meshes are put on the bench.
        """
        meshes = [path for path in paths if is_mesh(path)]
        if meshes:
            self.studio.objects_dropped.emit(meshes)
            paths = [path for path in paths if path not in meshes]

        def then(found: _Found) -> None:
            one = found.first
            if one is None:
                self.studio.tell(CollageError("No maps were found in the dropped files."))
            else:
                self.build(one, Path(), BuildOptions(), number=number)

        self._gather(self._without_documents(paths, number), then)

    def on_channel(self, paths: list[Path], channel: str) -> None:
        """A picture is wired to the channel it was dropped on; more than one goes to the board."""
        surface = self.session.surface
        if len(paths) != 1 or paths[0].is_dir() or is_document(paths[0]) or surface is None or not channel:
            self.on_board(paths, (0.0, 0.0))
            return
        tab = self.session.library.definition(surface).inputs[channel]
        card = self._add_image(paths[0], (0.0, 0.0))
        if card:
            self.session.wire(Wire(card), surface.name, channel, tab.type)

    def _gather(self, paths: list[Path], then: Callable[[_Found], None]) -> None:
        if not paths:
            return
        rules = load_rules(self.studio.rules_file)

        def steps(_cancelled: Callable[[], bool]) -> Steps[_Found]:
            yield Progress("Looking at the files", 0.0)
            found = gathered(Path(), rules, files=all_files(paths))
            loose = [Path(one.file) for one in found.leftover if Path(one.file).suffix.lower() in MAP_SUFFIXES]
            every = list(found.sets)
            return _Found(every, loose, _first(every, loose))

        self.studio.jobs.queue("Looking at the files", steps, then, self.studio.tell)

    # ---- materials ----------------------------------------------------------------------------

    def _without_documents(self, paths: list[Path], number: int = -1) -> list[Path]:
        """Dropped MaterialX documents become materials; the other paths."""
        for path in paths:
            if is_document(path):
                self.add_materials(path, number)
        return [path for path in paths if not is_document(path)]

    def add_materials(self, file: Path, number: int = -1) -> None:
        """Reads a document and adds its material; where there are several, the window asks which ones.

        number : of the object that it is assigned to, or negative.
        """

        def steps(_cancelled: Callable[[], bool]) -> Steps[Offered]:
            yield Progress(f"Reading {file.name}", 0.0)
            return Offered.read(file)

        def then(offered: Offered) -> None:
            if offered.several:
                self.studio.materials_offered.emit(offered, number)
            else:
                self.take_materials(offered, [], number)

        self.studio.jobs.queue(f"Reading {file.name}", steps, then, self.studio.tell)

    def take_materials(self, offered: Offered, chosen: list[Contained], number: int = -1) -> None:
        """Adds the chosen materials of a document; the first goes to an object, if there is one of that number."""
        names = materials.add_materials(self.session, offered, chosen)
        if names and number >= 0:
            materials.assign_material(self.session, number, names[0])
        self.studio.wanted.emit("material")
        self.studio.hint.emit(f"“{names[0]}” is added." if len(names) == 1 else f"{len(names)} materials are added.")

    # ---- light --------------------------------------------------------------------------------

    def light_by(self, path: Path) -> None:
        """An environment lights the bench; its file is copied into the project."""
        folder = self.session.folder

        def then(_: None) -> None:
            bench.change_environment(self.session, file=path)
            self.studio.hint.emit(f"The bench is lit by {path.stem}.")

        def steps(_cancelled: Callable[[], bool]) -> Steps[None]:
            yield Progress(f"Copying {path.name}", 0.0)
            if folder is not None:  # a large file is there by the time the act looks for it
                copy_file(path, folder / bench.ENVIRONMENTS / path.name)

        self.studio.jobs.queue(f"Copying {path.name}", steps, then, self.studio.tell)


def _first(sets: list[FoundSet], loose: list[Path]) -> FoundSet | None:
    """The first set that says something of a surface; else the first picture, whatever its name stands for."""
    telling = [one for one in sets if any(part.role != "other" for part in one.maps)]
    pictures = [*loose, *(Path(file) for one in sets for part in one.maps for file in part.files)]
    return telling[0] if telling else picture_as_set(pictures[0]) if pictures else None


def picture_as_set(path: Path) -> FoundSet:
    """A picture alone as the base colour of a set, or as what it looks like."""
    one = FoundMap("base_color", (path.resolve().as_posix(),), 0.9, "a picture alone",
                   default_space("base_color", path.suffix))  # fmt: skip
    with suppress(CollageError):  # one that cannot be read is told by its card
        one = judged(one, look_at(path))
    return FoundSet(path.stem, "", (one,))
