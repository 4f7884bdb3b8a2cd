"""Between the Gather place and the project: sets that are built, and files that are dropped anywhere."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from collage.app.gather import acts
from collage.app.gather.place import GatherPlace
from collage.app.gather.state import GatherState, all_files
from collage.app.jobs import Work
from collage.app.session import Session
from collage.app.settings import Settings
from collage.core.assets.stock import Item
from collage.core.base.errors import CollageError
from collage.core.document.model import Wire
from collage.core.gather.build import BuildOptions
from collage.core.gather.scan import gathered
from collage.core.gather.sets import MAP_SUFFIXES, FoundMap, FoundSet, default_space
from collage.core.nodes.labels import Offer
from collage.core.project.folder import copy_file
from collage.core.render.renderer import Renderer

DoFileWork = Callable[[Work, Callable[[], object]], None]
"""Does long work with files on a thread, and something in the window when it is over."""


class GatherDesk(QObject):
    """Owns the place and does what it asks for."""

    built = Signal(str)  # name of the material
    hint = Signal(str)

    def __init__(
        self, session: Session, renderer: Renderer, settings: Settings, every: list[Offer], do: DoFileWork,
        rules_file: Path | None, parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.session, self._do, self._every = session, do, every
        self.state = GatherState(session.images, rules_file, self)
        self.place = GatherPlace(session, self.state, renderer, settings, every)
        self.place.build_wanted.connect(self.build_chosen)
        self.place.item_taken.connect(self.take)

    def close_down(self) -> None:
        self.place.close_down()

    # ---- building -----------------------------------------------------------------------------

    def build_chosen(self) -> None:
        """Builds the set in hand as the panel says."""
        found, panel = self.state.chosen_set, self.place.set_panel
        if found is not None:
            self.build(found, self.state.table.folder, panel.options(), copy=panel.copy.isChecked(), part=panel.part)

    def build(self, found: FoundSet, folder: Path, options: BuildOptions, *, copy: bool = True, part: int = -1) -> None:
        """Copies a set's files if they are to be, and builds its material."""

        def then() -> None:
            self.built.emit(acts.build(self.session, found, folder, options, copy=copy, part=part))

        self._copied(found, folder, then, copy=copy)

    def _copied(self, found: FoundSet, folder: Path, then: Callable[[], object], *, copy: bool = True) -> None:
        """Does something with a set once its files are where they are to be."""
        work = acts.copying(self.session, found, folder, copy=copy)
        if work is None:
            then()
        else:
            self._do(work, then)

    # ---- drops --------------------------------------------------------------------------------

    def drop_on_board(self, paths: list[Path], place: tuple[float, float]) -> None:
        """Sets among dropped files become cards wired to what is free; pictures alone become image cards."""

        def then(sets: list[FoundSet], loose: list[Path]) -> None:
            self._put_each(sets, place)
            for number, path in enumerate(loose):
                try:
                    self.session.add_image(path, (place[0] + 0.2 * number, place[1] + 0.2 * number))
                except CollageError as error:
                    self.session.problem.emit(error)

        self._gather(paths, then)

    def _put_each(self, sets: list[FoundSet], place: tuple[float, float]) -> None:
        """Puts sets on the board below each other, one after the other: each may have files to be copied first."""
        if not sets:
            return
        found, rest = sets[0], sets[1:]

        def then() -> None:
            acts.put_on_board(self.session, found, Path(), place)
            self._put_each(rest, (place[0], place[1] + 1.5))

        self._copied(found, Path(), then)

    def drop_on_part(self, paths: list[Path], part: int) -> None:
        """The first set among dropped files is built and worn by an object; a picture alone is its base colour."""

        def then(sets: list[FoundSet], loose: list[Path]) -> None:
            found = sets[0] if sets else picture_as_set(loose[0]) if loose else None
            if found is None:
                self.session.problem.emit(CollageError("There are no maps in what was dropped."))
            else:
                self.build(found, Path(), BuildOptions(), part=part)

        self._gather(paths, then)

    def drop_on_channel(self, paths: list[Path], channel: str) -> None:
        """A picture is wired to the channel it was dropped on; more than one goes to the board."""
        surface = self.session.surface
        if len(paths) != 1 or paths[0].is_dir() or surface is None or not channel:
            self.drop_on_board(paths, (0.0, 0.0))
            return
        tab = self.session.library.definition(surface).inputs[channel]
        try:
            card = self.session.add_image(paths[0], (0.0, 0.0))
        except CollageError as error:
            self.session.problem.emit(error)
            return
        self.session.wire(Wire(card), surface.name, channel, tab.type)

    def _gather(self, paths: list[Path], then: Callable[[list[FoundSet], list[Path]], None]) -> None:
        rules = self.state.table.rules
        sets: list[FoundSet] = []
        loose: list[Path] = []

        def work(_cancelled: Callable[[], bool]) -> Iterator[str]:
            yield "Looking at the files"
            found = gathered(Path(), rules, files=all_files(paths))
            sets.extend(found.sets)
            loose.extend(Path(one.file) for one in found.leftover if Path(one.file).suffix.lower() in MAP_SUFFIXES)
            yield ""

        self._do(work, lambda: then(sets, loose))

    # ---- the library --------------------------------------------------------------------------

    def take(self, item: Item) -> None:
        """A pattern goes to the board, a material into the project, an environment onto the bench."""
        if item.kind == "pattern":
            offer = next((one for one in self._every if one.definition.name == item.file), None)
            if offer is not None:
                self.session.add(offer.definition, (0.0, 0.0))
                self.hint.emit(f"{offer.label} lies on the board of “{self.session.material}”.")
        elif item.kind == "material":
            try:
                self.session.add_material(item.path)
                self.built.emit(self.session.material)
            except CollageError as error:
                self.session.problem.emit(error)
        elif item.kind == "environment":
            self._light_by(item.path)

    def _light_by(self, path: Path) -> None:
        """The environment lights the bench; its file is copied into the project."""
        folder = self.session.folder
        target = folder / "environments" / path.name if folder is not None else path.resolve()
        stored = f"environments/{path.name}" if folder is not None else str(target)

        def then() -> None:
            self.session.edit_bench(
                f"Light by {path.stem}",
                lambda bench: bench.model_copy(
                    update={"environment": bench.environment.model_copy(update={"file": stored, "on": True})}
                ),
            )
            self.hint.emit(f"{path.stem} lights the bench.")

        def work(_cancelled: Callable[[], bool]) -> Iterator[str]:
            yield f"Copying {path.name}"
            copy_file(path, target)
            yield ""

        self._do(work, then)


def picture_as_set(path: Path) -> FoundSet:
    """A picture alone as the base colour of a set."""
    one = FoundMap("base_color", (path.resolve().as_posix(),), 1.0, "a picture alone",
                   default_space("base_color", path.suffix))  # fmt: skip
    return FoundSet(path.stem, "", (one,))
