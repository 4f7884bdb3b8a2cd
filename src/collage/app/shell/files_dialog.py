"""The files of the project: where they are, how large, which are missing; finding, collecting and halving them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
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

from collage.app.shell.jobs import Jobs, Latest, Ticket
from collage.app.widgets.choosing import choose_file, choose_folder
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, finished
from collage.core.base.text import counted, in_bytes
from collage.core.project.map_sizes import MapFile, halved, map_files
from collage.core.project.references import Reference, copied, find, outside, references, relinked, using

MATERIAL, SIZE, BYTES, STATE = range(1, 5)  # columns after the name
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
COVERS = "From where the camera is, half the size shows as much in a picture of 1920 × 1080"


class FilesDialog(QDialog):
    """Not modal; it follows the project."""

    def __init__(self, session: Session, jobs: Jobs, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.session, self.jobs = session, jobs
        self._tickets: list[Ticket] = []
        self._sizes: dict[Path, MapFile] = {}
        self._measuring = Latest(jobs, self)
        self._measuring.answered.connect(self._measured)
        self.setWindowTitle("Project files")
        self.resize(880, 460)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Files")
        self.list.setToolTip("All files of the project: missing ones first, then the largest")
        self.list.setHeaderLabels(["File", "Material", "Size", "File size", "  State"])
        self.list.headerItem().setTextAlignment(BYTES, RIGHT)
        self.list.setRootIsDecorated(False)
        self.list.header().setStretchLastSection(False)
        self.list.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for number, width in ((MATERIAL, 150), (SIZE, 140), (BYTES, 80), (STATE, 230)):
            self.list.setColumnWidth(number, width)
        self.said = QLabel()
        self.said.setObjectName("quiet")
        self.search = QPushButton("Find missing files in a folder…")
        self.relink = QPushButton("Relink selected…")
        self.half = QPushButton("Use half size")
        self.collect = QPushButton("Copy all into the project")
        close = QPushButton("Close")
        self.search.setToolTip("Find all missing files by name in a folder and the folders inside it")
        self.relink.setToolTip("Use another file instead of the selected one")
        self.half.setToolTip("Write the selected map at half the size and use that; the large file stays")
        self.collect.setToolTip("Copy files from outside into the project's maps folder")
        close.setToolTip("Close (Esc)")
        self.search.clicked.connect(self._ask_folder)
        self.relink.clicked.connect(self._ask_file)
        self.half.clicked.connect(self.halve)
        self.collect.clicked.connect(self.collect_now)
        close.clicked.connect(self.reject)
        row = QHBoxLayout()
        for button in (self.search, self.relink, self.half, self.collect):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(close)
        column = QVBoxLayout(self)
        column.addWidget(self.list, 1)
        column.addWidget(self.said)
        column.addLayout(row)
        jobs.queue_changed.connect(self._show_progress)
        session.changed.connect(self._on_changed)
        self.list.currentItemChanged.connect(lambda *_: self._offer())
        self.show_files()

    def done(self, result: int) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.jobs.queue_changed.disconnect(self._show_progress)
        self._measuring.close()
        for ticket in self._tickets:
            ticket.cancel()
        super().done(result)

    def _on_changed(self, _before: object, _after: object) -> None:
        self.show_files()

    def _offer(self) -> None:
        """What can be done with the selected file."""
        size = self._sizes.get(self.chosen.file) if self.chosen is not None else None
        self.relink.setEnabled(self.chosen is not None)
        self.half.setEnabled(size is not None and size.can_be_halved and bool(size.materials[0]))

    @property
    def chosen(self) -> Reference | None:
        item = self.list.currentItem()
        return item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None

    def show_files(self) -> None:
        """Lists the files, missing ones first, then the largest, and has their sizes looked up."""
        self._list_files()
        project, folder, camera = self.session.project, self.session.base_folder, self.session.camera

        def work(_overtaken: Callable[[], bool]) -> Iterator[list[MapFile]]:
            yield finished(map_files(project, folder, camera))

        self._measuring.ask(work)

    def _measured(self, found: list[MapFile]) -> None:
        self._sizes = {one.file: one for one in found}
        chosen = self.chosen
        self._list_files()
        for item in (self.list.topLevelItem(row) for row in range(self.list.topLevelItemCount())):
            if item is not None and item.data(0, Qt.ItemDataRole.UserRole) == chosen:
                self.list.setCurrentItem(item)

    def _list_files(self) -> None:
        folder = self.session.base_folder
        every = references(self.session.project, folder)
        away = {one.file for one in outside(self.session.project, folder)} if self.session.folder else set()
        unknown = MapFile(Path(), ())

        def order(one: Reference) -> tuple[bool, int, str, str]:
            return not one.missing, -self._sizes.get(one.file, unknown).texels, one.material, one.stored

        self.list.clear()
        for one in sorted(every, key=order):
            size = self._sizes.get(one.file, unknown)
            state = _state(one, one.file in away, size)
            item = QTreeWidgetItem([one.file.name, one.material or "the bench", *_sizes(size), f"  {state}"])
            item.setData(0, Qt.ItemDataRole.UserRole, one)
            item.setToolTip(0, str(one.file))
            item.setToolTip(STATE, COVERS if size.far_larger else state)
            item.setTextAlignment(BYTES, RIGHT)
            if one.missing:
                face = item.font(STATE)
                face.setBold(True)
                item.setFont(STATE, face)
            self.list.addTopLevelItem(item)
        lost = sum(1 for one in every if one.missing)
        self._say(len(every), lost, len(away))
        self.search.setEnabled(lost > 0)
        self.collect.setEnabled(bool(away))
        self._offer()

    def _say(self, count: int, lost: int, away: int) -> None:
        """How many files there are, and what they take."""
        images = self.session.images
        parts = [counted(count, "file"), f"{lost} missing" if lost else "", f"{away} outside" if away else ""]
        if self._sizes:
            parts.append(in_bytes(sum(one.bytes for one in self._sizes.values())))
        ready = f"{in_bytes(images.files.used)} ready on disk · " if images.files is not None else ""
        self.said.setText(f"{', '.join(filter(None, parts))} · {ready}{in_bytes(images.in_memory)} in memory")

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

        title = "Copy all files into the project"
        self._queue(title, lambda _cancelled: copied(project, folder), partial(self._use, title))

    def _use(self, title: str, others: dict[Path, Path]) -> None:
        """Names other files in the place of some, whatever has been changed meanwhile; one step."""
        folder = self.session.base_folder
        self.session.history.do(title, lambda project: using(project, folder, others))

    def halve(self) -> None:
        """Writes the selected map at half the size and names that; one step."""
        project, chosen, folder = self.session.project, self.chosen, self.session.folder
        if folder is None or chosen is None:
            self.said.setText("Save the project first, so that it has a folder.")
            return

        title = f"Use half of {chosen.file.name}"
        self._queue(title, lambda _cancelled: halved(project, folder, [chosen.file]), partial(self._use, title))

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


def _sizes(one: MapFile) -> tuple[str, str]:
    if not one.width:
        return "", ""
    tiles = f"{one.tiles} × " if one.tiles > 1 else ""
    return f"{tiles}{one.width} × {one.height}", in_bytes(one.bytes)


def _state(one: Reference, away: bool, size: MapFile) -> str:
    if one.missing == ("",):
        return "missing"
    if one.missing:
        return f"tiles missing: {', '.join(one.missing)}"
    if size.far_larger:
        return f"covers only {size.across:.0f} pixels"
    return "outside the project" if away else "in the project"
