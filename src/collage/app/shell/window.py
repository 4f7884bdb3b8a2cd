"""The window: menus, the bar, the banner, the places and the status line. It knows places by their contract alone."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import SignalInstance
from PySide6.QtCore import QByteArray, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QLabel,
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from collage import __version__
from collage.app.places import HOME, PLACES
from collage.app.shell.banner import Banner
from collage.app.shell.bench_menu import bench_entries, fill_lights
from collage.app.shell.files_dialog import FilesDialog
from collage.app.shell.front import Front
from collage.app.shell.lazy_place import LazyPlace, Listed
from collage.app.shell.menus import Menus
from collage.app.shell.object_files import ObjectFiles
from collage.app.shell.place import Entry, Place, separator
from collage.app.shell.project_files import ProjectFiles
from collage.app.shell.render_dialog import RenderDialog
from collage.app.shell.safety import Safety
from collage.app.shell.settings_dialog import SettingsDialog
from collage.app.shell.shortcuts_dialog import ShortcutsDialog
from collage.app.shell.studio import Studio
from collage.app.shell.top_bar import TopBar
from collage.app.shell.walk import Walk
from collage.app.shell.watch import FileWatch
from collage.app.theme import THEMES, Theme, apply_theme
from collage.app.widgets.dragged import files_in
from collage.core.document.history import History

SAID_FOR = 8000  # milliseconds that a hint stays in the status line


class MainWindow(QMainWindow):
    """One project in a window."""

    def __init__(self, studio: Studio, places: Sequence[Listed] = PLACES) -> None:
        super().__init__()
        self.studio, self.session = studio, studio.session
        self.setWindowTitle("Collage")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.places: list[Place] = [LazyPlace(one, studio) for one in places]
        self.banner = Banner()
        self.bar = TopBar(studio, [place.title for place in self.places])
        self.files = ProjectFiles(studio, self.banner, self)
        self.objects = ObjectFiles(studio, self.banner, self)
        self.safety = Safety(studio, self.banner, self)
        self.watch = FileWatch(self.session, studio.jobs, self)
        self.menus = Menus(self.menuBar())
        self.walk = Walk(self.session)
        self._lay_out()
        self._fill_menus()
        self._connect()
        self._restore()
        titles = [place.title for place in self.places]
        self.go_to(titles.index(HOME) if HOME in titles else 0)

    @property
    def history(self) -> History[Any]:
        return self.session.history

    def place(self, title: str) -> Any:
        """The place with a title, built if it was not yet."""
        found = next(one for one in self.places if one.title == title)
        return found.built() if isinstance(found, LazyPlace) else found

    @property
    def current(self) -> Place:
        """The place that is shown."""
        return self.places[self.stack.currentIndex()]

    # ---- building -----------------------------------------------------------------------------

    def _lay_out(self) -> None:
        studio = self.studio
        self.stack = QStackedWidget()
        for place in self.places:
            self.stack.addWidget(place.widget)
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.banner)
        self.front = Front(studio, self.stack, self.files, self.walk, self._gather, self._take_files)
        column.addWidget(self.front, 1)
        column.addWidget(self.walk)
        self.setCentralWidget(centre)
        status = self.statusBar()
        status.setSizeGripEnabled(False)
        status.setFixedHeight(24)  # a line of text must not move the pictures above it
        self.hint_label, self.pixel_label, self.time_label = QLabel(), QLabel(), QLabel()
        self._said = QTimer(self)  # a hint goes away with what it hinted at
        self._said.setSingleShot(True)
        self._said.setInterval(SAID_FOR)
        self._said.timeout.connect(self._say_usual)
        for label in (self.hint_label, self.pixel_label, self.time_label):
            label.setContentsMargins(8, 0, 8, 0)
        status.addWidget(self.hint_label, 1)
        status.addPermanentWidget(self.pixel_label)
        status.addPermanentWidget(self.time_label)

    def _fill_menus(self) -> None:
        menu = self.menus.menu("File")
        self.files.fill_samples(menu.addMenu("New from sample"))
        recent = menu.addMenu("Recent")
        recent.aboutToShow.connect(lambda: self.files.fill_recent(recent))
        theirs = [entry for place in self.places for entry in place.entries()]
        in_file = [entry for entry in theirs if entry.menu == "File"]
        others = [entry for entry in theirs if entry.menu != "File"]
        self.menus.fill([*self.files.entries(), *in_file, *self._file(), *self._edit(), *self._view(), *others])
        self.menus.fill([*bench_entries(self.session), *self._help()])
        self.menus.fill([separator("Bench"), *self.objects.entries()])
        self.objects.fill_shapes(self.menus.menu("Bench").addMenu("Add stock shape"))
        lights = self.menus.menu("Bench").addMenu("Lights")
        lights.aboutToShow.connect(lambda: fill_lights(lights, self.session))
        self.undo_action, self.redo_action = self.menus.actions["Undo"], self.menus.actions["Redo"]

    def _file(self) -> list[Entry]:
        return [
            Entry("File", "Project files…", self.show_files, "Ctrl+Shift+M", "Find missing files"),
            separator("File"),
            Entry("File", "Render an image…", self.render_dialog, "Ctrl+R"),
            separator("File"),
            Entry("File", "Settings…", self.show_settings, "Ctrl+,"),
            Entry("File", "Quit", self.close, "Ctrl+Q"),
        ]

    def _edit(self) -> list[Entry]:
        return [
            Entry("Edit", "Undo", self.undo, "Ctrl+Z"),
            Entry("Edit", "Redo", self.redo, "Ctrl+Y|Ctrl+Shift+Z"),
            separator("Edit"),
        ]

    def _view(self) -> list[Entry]:
        places = [
            Entry("View", place.title, partial(self._go_from_start, number), f"Ctrl+{number + 1}")
            for number, place in enumerate(self.places)
        ]
        themes = [
            Entry("View", name.capitalize(), partial(self.studio.set_theme, name), group="themes",
                  ticked=partial(self._has_theme, name))
            for name in THEMES
        ]  # fmt: skip
        return [*places, separator("View"), *themes, separator("View")]

    def _has_theme(self, name: str) -> bool:
        return self.studio.theme.name == name

    def _help(self) -> list[Entry]:
        return [
            Entry("Help", "First walk", self.front.first_walk, "", "The sample, step by step"),
            Entry("Help", "Shortcuts", self.show_shortcuts, "Ctrl+/"),
            Entry("Help", "About Collage", self.about),
        ]

    def _connect(self) -> None:
        session, studio = self.session, self.studio
        self._heard: list[tuple[SignalInstance, Callable[..., object]]] = [
            (session.changed, self._on_changed),
            (session.material_changed, self.refresh),
            (session.saved, self.refresh),
            (session.problem, self.banner.tell),
            (session.history.steps_changed, self.refresh_steps),
            *((place.steps_changed, self.refresh_steps) for place in self.places),
        ]
        for signal, slot in self._heard:
            signal.connect(slot)
        studio.hint.connect(self.say)
        studio.pixel.connect(self.pixel_label.setText)
        studio.timed.connect(self.time_label.setText)
        studio.wanted.connect(self.open_for)
        studio.theme_changed.connect(self._take_theme)
        self.bar.place_wanted.connect(self._go_from_start)
        self.bar.files_wanted.connect(self.show_files)
        self.front.currentChanged.connect(self._front_changed)
        self.watch.changed.connect(self._files_changed)
        self.watch.missing_changed.connect(self._show_missing)

    # ---- following ----------------------------------------------------------------------------

    def _on_changed(self, _before: object, _after: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Titles, path and buttons as things are now."""
        star = " •" if self.session.dirty else ""
        start = self.front.at_start
        self.setWindowTitle("Collage" if start else f"{self.session.project.name}{star} — Collage")
        self.bar.refresh(-1 if start else self.stack.currentIndex())
        self.refresh_steps()

    def go_to(self, number: int) -> None:
        """Shows a place."""
        self.stack.setCurrentIndex(number)
        self.current.shown()
        self.refresh()
        self._say_usual()

    def say(self, text: str) -> None:
        """Says something in the status line for some time."""
        self.hint_label.setText(text)
        self._said.start()

    def _say_usual(self) -> None:
        """What can be done in the place that is shown."""
        self._said.stop()
        self.hint_label.setText("" if self.front.at_start else self.current.hint)

    def _front_changed(self, _number: int) -> None:
        self.refresh()
        self._say_usual()
        for label in (self.pixel_label, self.time_label):
            label.clear()

    def _go_from_start(self, number: int) -> None:
        self.front.leave()
        self.go_to(number)

    def _gather(self) -> None:
        self.front.leave()
        self.menus.actions["Gather a folder"].trigger()

    def open_for(self, purpose: str) -> None:
        """Shows the place that opens something, as "material" or "sets"."""
        self.front.leave()
        number = next((at for at, place in enumerate(self.places) if purpose in place.opens), None)
        if number is not None and number != self.stack.currentIndex():
            self.go_to(number)

    @property
    def steps(self) -> History[Any]:
        """Whose steps Undo takes back: those of the place that is shown, while it has any; else the project's."""
        here = self.current.history
        return here if here.undo_label or here.redo_label else self.session.history

    def undo(self) -> None:
        self._step("Undone", self.steps.undo_label, self.steps.undo)

    def redo(self) -> None:
        self._step("Done again", self.steps.redo_label, self.steps.redo)

    def _step(self, word: str, label: str, run: Callable[[], None]) -> None:
        """A step back or forth; where it changed something that is not shown, it says so and leads there."""
        before = self.session.project
        run()
        where = self.session.lead_to_change(before)
        self.say(f"{word}: {label} {where}".rstrip() if label else "")

    def refresh_steps(self) -> None:
        history = self.steps
        self.undo_action.setText(f"Undo {history.undo_label}" if history.undo_label else "Undo")
        self.undo_action.setEnabled(bool(history.undo_label))
        self.redo_action.setText(f"Redo {history.redo_label}" if history.redo_label else "Redo")
        self.redo_action.setEnabled(bool(history.redo_label))

    def _files_changed(self, paths: list[str]) -> None:
        self.session.files_changed.emit()
        names = ", ".join(Path(path).name for path in paths[:3])
        self.say(f"Reloaded from disk: {names}")

    def _show_missing(self) -> None:
        self.bar.show_missing(len(self.watch.missing))

    def _take_theme(self, theme: Theme) -> None:
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, theme)
        self.refresh()

    # ---- dialogs ------------------------------------------------------------------------------

    def show_files(self) -> None:
        FilesDialog(self.session, self.studio.jobs, self).show()

    def show_settings(self) -> None:
        dialog = SettingsDialog(self.studio.settings, self.session, self)
        dialog.changed.connect(lambda changed: self.studio.remember(**changed))
        dialog.show()

    def render_dialog(self) -> None:
        RenderDialog(self.session, self.studio.renders, self).show()

    def show_shortcuts(self) -> None:
        ShortcutsDialog(self.menus.actions, self).show()

    def about(self) -> None:
        QMessageBox.about(
            self,
            "About Collage",
            f"Collage {__version__}\nA look-development studio. Apache-2.0.\nTypeface Lato, SIL Open Font License.",
        )

    # ---- the window itself --------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if files_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Files that are dropped where no part of the window wants them: the first place that has a use for them."""
        if self._take_files(files_in(event.mimeData())):
            event.acceptProposedAction()

    def _take_files(self, paths: list[Path]) -> bool:
        return any(place.take_files(paths) for place in self.places)

    def _restore(self) -> None:
        settings = self.studio.settings
        if settings.geometry:
            self.restoreGeometry(QByteArray.fromHex(settings.geometry.encode()))

    def _splitters(self) -> dict[str, Any]:
        return {name: one for place in self.places for name, one in place.splitters.items()}

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        geometry = bytes(self.saveGeometry().toHex().data()).decode()
        self.studio.remember(
            geometry=geometry, splitters={name: one.sizes() for name, one in self._splitters().items()}
        )
        self._close_down()
        event.accept()

    def _close_down(self) -> None:
        for dialog in self.findChildren(QDialog):
            dialog.done(0)
        for signal, slot in self._heard:
            signal.disconnect(slot)
        self._heard.clear()
        self._said.stop()
        self.safety.close_down()
        self.watch.close()
        self.objects.close_down()
        self.front.close_down()
        for place in self.places:
            place.close_down()
        self.studio.close()
