"""Objects from mesh files: dropped or chosen; what is wrong with one is said, with a button that mends it."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QMenu, QWidget

from collage.app.shell.acts import entry
from collage.app.shell.banner import Banner, Choice
from collage.app.shell.place import Entry
from collage.app.shell.studio import Studio
from collage.app.widgets.choosing import choose_file
from collage.core.actions import objects as acts
from collage.core.base.errors import CollageError
from collage.core.base.progress import Steps
from collage.core.base.text import counted
from collage.core.geometry.files import FORMATS
from collage.core.geometry.stock import SHAPES
from collage.core.project.objects import Imported, has_changed, importing, reading_again, source_state
from collage.core.scene.bench import BenchObject

KINDS = f"Objects ({' '.join(f'*{suffix}' for one in FORMATS for suffix in one.suffixes)})"


class ObjectFiles:
    """Brings objects in as queued work, and offers what mends them."""

    def __init__(self, studio: Studio, banner: Banner, window: QWidget) -> None:
        self.studio, self.session, self.banner, self.window = studio, studio.session, banner, window
        self._told: set[tuple[str, str]] = set()  # objects and the states of their sources that were offered
        studio.objects_dropped.connect(self.add)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.applicationStateChanged.connect(self._came_back)

    def close_down(self) -> None:
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.applicationStateChanged.disconnect(self._came_back)

    def _came_back(self, state: Qt.ApplicationState) -> None:
        """From another program, perhaps the one that objects are made with."""
        if state == Qt.ApplicationState.ApplicationActive:
            self.look_for_changes()

    def look_for_changes(self) -> None:
        """Offers to read objects again whose files were written to since; once for each time."""
        changed = [item for item in self.session.project.bench.objects if has_changed(item)]
        new = [item for item in changed if (item.name, source_state(item)) not in self._told]
        if not new:
            return
        self._told |= {(item.name, source_state(item)) for item in new}
        names = new[0].name if len(new) == 1 else counted(len(new), "object")
        told = f"“{names}” has changed on disk." if len(new) == 1 else f"{names} have changed on disk."
        self.banner.say(told, [("Read again", partial(self._read_all, [item.name for item in new])),
                               ("Leave", self.banner.hide)])  # fmt: skip

    def _read_all(self, names: list[str]) -> None:
        for name in names:
            self._read_again(name)

    def entries(self) -> list[Entry]:
        return [entry("Bench", acts.add_file, self.add_dialog, "A mesh: .glb, .obj, .ply or .stl")]

    def fill_shapes(self, menu: QMenu) -> None:
        """One entry for every stock shape."""
        for name in SHAPES:
            menu.addAction(name.capitalize(), partial(acts.add_shape, self.session, name, self.session.material))

    def add_dialog(self) -> None:
        file = choose_file(self.window, "Add object", self.session.folder, KINDS)
        if file is not None:
            self.add([file])

    def add(self, paths: list[Path]) -> None:
        """Reads mesh files and puts their objects on the bench, with the material in hand."""
        for path in paths:
            steps = importing(path, self.session.folder)
            self.studio.jobs.queue(f"Reading {path.name}", _of(steps), self._put, self.studio.tell)

    def _put(self, made: Imported) -> None:
        name = acts.put(self.session, made, self.session.material)
        self.studio.hint.emit(f"“{name}” is on the bench.")
        if made.unit is not None:
            unit, metres = made.unit
            size = float((made.mesh.bounds[1] - made.mesh.bounds[0]).max())
            again = partial(self._read_again, name, metres=metres)
            self.banner.say(f"“{name}” is {size:,.4g} m wide. Are its numbers {unit}?",
                            [(f"Read as {unit}", again), ("Keep its size", self.banner.hide)])  # fmt: skip
        else:
            self._offer(name, made)

    def _offer(self, name: str, made: Imported) -> None:
        """Says what is probably wrong; a button mends the first thing that can be mended."""
        if not made.remarks:
            return
        told = " ".join(one.text for one in made.remarks)
        mendable = next((one for one in made.remarks if one.remedy), None)
        choices: list[Choice] = [("Close", self.banner.hide)]
        if mendable is not None:
            choices.insert(0, (mendable.remedy, partial(self._mend, name, mendable.kind)))
        self.banner.say(f"“{name}”: {told}", choices)

    def _mend(self, name: str, kind: str) -> None:
        with suppress(CollageError):  # it was taken off the bench meanwhile
            self._read_again(name, mends=acts.mends_with(self.session, name, [kind]))

    def _read_again(self, name: str, **changes: object) -> None:
        try:
            item = acts.object_of(self.session.project.bench, name)
        except CollageError as error:
            self.studio.tell(error)
            return
        steps = reading_again(item, self.session.base_folder, **changes)
        self.studio.jobs.queue(f"Reading {name}", _of(steps), partial(self._take, name), self.studio.tell)

    def _take(self, name: str, item: BenchObject) -> None:
        with suppress(CollageError):
            acts.take(self.session, name, item)
            self._offer(name, acts.checked_again(self.session, name))


def _of(steps: Steps[object]) -> Callable[[Callable[[], bool]], Steps[object]]:
    return lambda _cancelled: steps
