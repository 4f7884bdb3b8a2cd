"""Opening, saving and making projects, with the questions that go with it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import count
from pathlib import Path

from PySide6.QtWidgets import QMenu, QMessageBox, QWidget

from collage.app.shell.acts import entry
from collage.app.shell.banner import Banner, Choice
from collage.app.shell.drops import Drops
from collage.app.shell.place import Entry, separator
from collage.app.shell.studio import Studio
from collage.app.widgets.choosing import choose_file, choose_folder, choose_new_folder
from collage.core.actions.materials import Offered, add_materials, bring_back
from collage.core.actions.project import close_project, new_on_ball
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.project.folder import copy_files
from collage.core.project.recovery import newest_copy_with
from collage.demo import SAMPLES


class ProjectFiles:
    """What the File menu does to the project as a whole."""

    def __init__(self, studio: Studio, banner: Banner, window: QWidget) -> None:
        self.studio, self.session, self.banner, self.window = studio, studio.session, banner, window
        studio.materials_offered.connect(self.choose_materials)
        studio.ball_wanted.connect(self.new_on_ball)

    def entries(self) -> list[Entry]:
        return [
            entry("File", new_on_ball, self.new_on_ball),
            entry("File", Session.open, self.open_dialog),
            separator("File"),
            entry("File", Session.save, self.save),
            Entry("File", "Save as…", self.save_as, "Ctrl+Shift+S"),
            entry("File", add_materials, self.add_materials_dialog),
            entry("File", close_project, self.close_project),
        ]

    def fill_samples(self, menu: QMenu) -> None:
        """One entry for every sample."""
        for name, title in SAMPLES.items():
            menu.addAction(f"{title}…", partial(self.new_from, name))

    def fill_recent(self, menu: QMenu) -> None:
        """One entry for every project of before."""
        menu.clear()
        for text in self.studio.settings.recent:
            menu.addAction(Path(text).name, partial(self.open_folder, Path(text))).setToolTip(text)
        if menu.isEmpty():
            menu.addAction("No recent projects").setEnabled(False)

    def _remember(self, folder: Path) -> None:
        self.studio.remember(recent=self.studio.settings.with_recent(folder).recent)

    # ---- opening ------------------------------------------------------------------------------

    def may_leave(self) -> bool:
        """Asks before unsaved work would be lost."""
        if not self.session.dirty:
            return True
        box = QMessageBox(self.window)
        box.setWindowTitle("Collage")
        box.setText(f"“{self.session.project.name}” has unsaved changes.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Don't save", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            self.save()
            return not self.session.dirty
        return box.clickedButton() is drop

    def open_folder(self, folder: Path) -> bool:
        """Opens a project in the place of the one in hand; False where it stays."""
        if not self.may_leave():
            return False
        try:
            self.session.open(folder)
        except CollageError as error:
            self.banner.tell(error)
            return False
        self._remember(folder)
        self._offer_copies()
        self._tell_other()
        return True

    def _offer_copies(self) -> None:
        """A material that cannot be read may be in an earlier state of the project."""
        for name, one in self.session.project.unread.items():
            choices: list[Choice] = [("Close", self.banner.hide)]
            copy = newest_copy_with(self.session.base_folder, name)
            if copy is not None:
                choices.insert(0, ("Bring back from a copy", partial(self._bring_back, name)))
            self.banner.say(f"The material “{name}” cannot be read. {one.reason}", choices)
            return

    def _tell_other(self) -> None:
        """A project that another Collage has open can be looked at, saved elsewhere, or taken over."""
        other = self.session.other
        if other is not None:
            self.banner.say(
                f"The project is open in another Collage: {other.text}. Here it can only be saved to another folder.",
                [("Take over", self.session.take_over), ("Close", self.banner.hide)],
            )

    def _bring_back(self, name: str) -> None:
        bring_back(self.session, name)
        self._offer_copies()

    def new_on_ball(self) -> None:
        """Begins a project."""
        if self.may_leave():
            new_on_ball(self.session)
            self.studio.wanted.emit("material")
            self.studio.hint.emit("Drop a picture or a set of maps on the ball, or wire the board.")

    def close_project(self) -> None:
        """Goes back to the start page."""
        if self.may_leave():
            close_project(self.session)

    def _beside(self) -> Path | None:
        """Where the project in hand, or the last one, lies: others are mostly there too."""
        recent = self.studio.settings.recent
        folder = self.session.folder or (Path(recent[0]) if recent else None)
        return folder.parent if folder is not None else None

    def _proposed(self, name: str) -> Path:
        """A folder for a new project, with a number where there is one of its name."""
        beside, name = self._beside() or Path.home(), name.replace("/", "-")
        names = (name if number == 1 else f"{name} {number}" for number in count(1))
        return next(beside / one for one in names if not (beside / one).exists())

    def open_dialog(self) -> None:
        folder = choose_folder(self.window, "Open a project folder", self._beside())
        if folder is not None:
            self.open_folder(folder)

    def new_from(self, sample: str) -> None:
        folder = choose_new_folder(self.window, "Name the new project's folder", self._proposed(sample))
        if folder is not None:
            self.make_sample(sample, folder)

    def make_sample(self, sample: str, folder: Path) -> None:
        """Writes a sample and opens it."""
        from collage.demo.shed import sample_steps  # what generates maps is not needed for anything else

        self.studio.jobs.queue(
            f"Making {folder.name}",
            lambda _cancelled: sample_steps(sample, folder),
            lambda _: self.open_folder(folder),
            self.studio.tell,
        )

    def add_materials_dialog(self) -> None:
        file = choose_file(self.window, "Add materials", self.session.folder, "MaterialX documents (*.mtlx)")
        if file is not None:
            Drops(self.studio).add_materials(file)

    def choose_materials(self, offered: Offered, number: int) -> None:
        """Asks which materials of a document are to be added."""
        from collage.app.shell.materials_dialog import MaterialsDialog

        dialog = MaterialsDialog(self.studio, offered, self.window)
        dialog.chosen.connect(lambda chosen: Drops(self.studio).take_materials(offered, chosen, number))
        dialog.show()

    # ---- saving -------------------------------------------------------------------------------

    def save(self) -> None:
        if self.session.folder is None:
            self.save_as()
        else:
            self.save_to(None)

    def save_as(self) -> None:
        folder = choose_new_folder(self.window, "Name the project's folder", self._proposed(self.session.project.name))
        if folder is not None:
            self.save_to(folder)

    def save_to(self, folder: Path | None) -> None:
        """Saves to the project's folder, or to another one once the maps have been copied there."""
        if folder is None or not self.session.is_elsewhere(folder):
            self._save_now(folder)
            return
        source = self.session.base_folder

        def steps(_cancelled: Callable[[], bool]) -> Steps[None]:
            yield Progress("Copying the maps", 0.0)
            copy_files(source, folder)

        self.studio.jobs.queue("Copying the maps", steps, lambda _: self._save_now(folder), self.studio.tell)

    def _save_now(self, folder: Path | None) -> None:
        try:
            self.session.save(folder, files_are_there=True)
        except CollageError as error:
            self.banner.tell(error)
            return
        self.studio.hint.emit("Saved.")
        if self.session.folder is not None:
            self._remember(self.session.folder)
