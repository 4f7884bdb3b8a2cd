"""The files of the project: where they are, which are missing; finding them again, bringing them together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from collage.app.shell.jobs import Jobs, Ticket
from collage.app.widgets.choosing import choose_file, choose_folder
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.base.text import counted
from collage.core.project.references import Reference, collect, find, outside, references, relinked
from collage.core.project.state import Project


class FilesDialog(QDialog):
    """Not modal; it follows the project."""

    def __init__(self, session: Session, jobs: Jobs, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.session, self.jobs = session, jobs
        self._tickets: list[Ticket] = []
        self.setWindowTitle("Project files")
        self.resize(720, 420)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Files")
        self.list.setToolTip("All files of the project, missing ones first")
        self.list.setHeaderLabels(["File", "Material", "State"])
        self.list.setRootIsDecorated(False)
        self.list.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.list.setColumnWidth(1, 150)
        self.list.setColumnWidth(2, 170)
        self.said = QLabel()
        self.said.setObjectName("quiet")
        self.search = QPushButton("Find missing files in a folder…")
        self.relink = QPushButton("Relink selected…")
        self.collect = QPushButton("Copy all into the project")
        close = QPushButton("Close")
        self.search.setToolTip("Find all missing files by name in a folder and the folders inside it")
        self.relink.setToolTip("Use another file instead of the selected one")
        self.collect.setToolTip("Copy files from outside into the project's maps folder")
        close.setToolTip("Close (Esc)")
        self.search.clicked.connect(self._ask_folder)
        self.relink.clicked.connect(self._ask_file)
        self.collect.clicked.connect(self.collect_now)
        close.clicked.connect(self.reject)
        row = QHBoxLayout()
        for button in (self.search, self.relink, self.collect):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(close)
        column = QVBoxLayout(self)
        column.addWidget(self.list, 1)
        column.addWidget(self.said)
        column.addLayout(row)
        jobs.queue_changed.connect(self._show_progress)
        session.changed.connect(self._on_changed)
        self.list.currentItemChanged.connect(lambda *_: self.relink.setEnabled(self.chosen is not None))
        self.show_files()

    def done(self, result: int) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.jobs.queue_changed.disconnect(self._show_progress)
        for ticket in self._tickets:
            ticket.cancel()
        super().done(result)

    def _on_changed(self, _before: object, _after: object) -> None:
        self.show_files()

    @property
    def chosen(self) -> Reference | None:
        item = self.list.currentItem()
        return item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None

    def show_files(self) -> None:
        """Lists the files, missing ones first."""
        folder = self.session.base_folder
        every = references(self.session.project, folder)
        away = {one.file for one in outside(self.session.project, folder)} if self.session.folder else set()
        self.list.clear()
        for one in sorted(every, key=lambda one: (not one.missing, one.material, one.stored)):
            item = QTreeWidgetItem([one.file.name, one.material or "the bench", _state(one, one.file in away)])
            item.setData(0, Qt.ItemDataRole.UserRole, one)
            item.setToolTip(0, str(one.file))
            if one.missing:
                face = item.font(2)
                face.setBold(True)
                item.setFont(2, face)
            self.list.addTopLevelItem(item)
        lost = sum(1 for one in every if one.missing)
        parts = [counted(len(every), "file"), f"{lost} missing" if lost else "", f"{len(away)} outside" if away else ""]
        self.said.setText(", ".join(filter(None, parts)))
        self.search.setEnabled(lost > 0)
        self.collect.setEnabled(bool(away))
        self.relink.setEnabled(False)

    # ---- acts ---------------------------------------------------------------------------------

    def _ask_folder(self) -> None:
        folder = choose_folder(self, "Search this folder for missing files", self.session.folder)
        if folder is not None:
            self.find_in(folder)

    def find_in(self, place: Path) -> None:
        """Looks for all missing files below a folder and names them where they are; one step."""
        project, folder = self.session.project, self.session.base_folder

        def steps(_cancelled: Callable[[], bool]) -> Steps[dict[Reference, Path]]:
            yield Progress("Looking for the files", 0.0)
            return find([one for one in references(project, folder) if one.missing], place)

        self._queue("Looking for the files", steps, self._found)

    def _ask_file(self) -> None:
        file = choose_file(self, "Replacement file", self.session.folder)
        if file is not None and self.chosen is not None:
            self._name({self.chosen: file})

    def _name(self, found: dict[Reference, Path]) -> None:
        folder = self.session.base_folder
        words = next(iter(found)).file.name if len(found) == 1 else counted(len(found), "file")
        self.session.history.do(f"Find {words} again", lambda project: relinked(project, folder, found))

    def collect_now(self) -> None:
        """Copies what lies outside into the project and names the copies; one step."""
        project, folder = self.session.project, self.session.folder
        if folder is None:
            self.said.setText("Save the project first, so that it has a folder.")
            return

        def collected(made: Project) -> None:
            self.session.history.do("Copy all files into the project", lambda _: made)

        self._queue("Copying the files", lambda _cancelled: collect(project, folder), collected)

    def _queue(self, title: str, make: Callable[[Callable[[], bool]], Steps[Any]], then: Callable[[Any], None]) -> None:
        self._tickets = [one for one in self._tickets if one in self.jobs.tickets]
        self._tickets.append(self.jobs.queue(title, make, then, self._failed))

    def _failed(self, error: CollageError) -> None:
        self.said.setText(str(error))

    def _found(self, found: dict[Reference, Path]) -> None:
        if found:
            self._name(found)
        lost = [one for one in references(self.session.project, self.session.base_folder) if one.missing]
        if lost:
            self.said.setText(f"{len(found)} found; {len(lost)} are still missing, such as {lost[0].file.name}.")

    def _show_progress(self) -> None:
        running = next((one for one in self._tickets if one in self.jobs.tickets), None)
        if running is not None:
            self.said.setText(running.text)


def _state(one: Reference, away: bool) -> str:
    if one.missing == ("",):
        return "missing"
    if one.missing:
        return f"tiles missing: {', '.join(one.missing)}"
    return "outside the project" if away else "in the project"
