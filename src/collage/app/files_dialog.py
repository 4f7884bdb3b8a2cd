"""The files of the project: where they are, which are missing; finding them again, bringing them together."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from collage.app.jobs import Newest
from collage.app.session import Session
from collage.core.project.references import Reference, collect, find, outside, references, relinked
from collage.core.project.state import Project


class FilesDialog(QDialog):
    """Not modal; it follows the project."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Files of the project")
        self.resize(720, 420)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Files")
        self.list.setHeaderLabels(["File", "Material", "State"])
        self.list.setRootIsDecorated(False)
        self.list.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.list.setColumnWidth(1, 150)
        self.list.setColumnWidth(2, 170)
        self.said = QLabel()
        self.said.setObjectName("quiet")
        self.search = QPushButton("Find the missing in a folder…")
        self.relink = QPushButton("Replace the chosen…")
        self.collect = QPushButton("Bring all into the project")
        close = QPushButton("Close")
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
        self.worker = Newest("files of the project", self)
        self.worker.answered.connect(self._take)
        self.worker.failed.connect(lambda error: self.said.setText(str(error)))
        session.changed.connect(self._on_changed)
        self.list.currentItemChanged.connect(lambda *_: self.relink.setEnabled(self.chosen is not None))
        self.show_files()

    def done(self, result: int) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.worker.close()
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
        self.said.setText(
            f"{len(every)} files" + (f", {lost} missing" if lost else "") + (f", {len(away)} outside" if away else "")
        )
        self.search.setEnabled(lost > 0)
        self.collect.setEnabled(bool(away))
        self.relink.setEnabled(False)

    # ---- acts ---------------------------------------------------------------------------------

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Look for the missing files below")
        if name:
            self.find_in(Path(name))

    def find_in(self, place: Path) -> None:
        """Looks for all missing files below a folder and names them where they are; one step."""
        project, folder = self.session.project, self.session.base_folder

        def work(_cancelled: Callable[[], bool]) -> Iterator[Any]:
            yield find([one for one in references(project, folder) if one.missing], place)

        self.said.setText("Looking for the files")
        self.worker.ask(work)

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "The file to use instead")
        if name and self.chosen is not None:
            self._name({self.chosen: Path(name)})

    def _name(self, found: dict[Reference, Path]) -> None:
        folder = self.session.base_folder
        words = next(iter(found)).file.name if len(found) == 1 else f"{len(found)} files"
        self.session.history.do(f"Find {words} again", lambda project: relinked(project, folder, found))

    def collect_now(self) -> None:
        """Copies what lies outside into the project and names the copies; one step."""
        project, folder = self.session.project, self.session.folder
        if folder is None:
            self.said.setText("Save the project first, so that it has a folder.")
            return

        def work(cancelled: Callable[[], bool]) -> Iterator[Any]:
            for step in collect(project, folder):
                if cancelled():
                    return
                yield step

        self.worker.ask(work)

    def _take(self, answer: Any) -> None:
        if isinstance(answer, Project):
            self.session.history.do("Bring all files into the project", lambda _: answer)
        elif isinstance(answer, dict):
            if answer:
                self._name(answer)
            lost = [one for one in references(self.session.project, self.session.base_folder) if one.missing]
            if lost:
                self.said.setText(f"{len(answer)} found; {len(lost)} are missing still, such as {lost[0].file.name}.")
        else:
            self.said.setText(f"{answer[0]} · {answer[1]:.0%}")


def _state(one: Reference, away: bool) -> str:
    if one.missing == ("",):
        return "missing"
    if one.missing:
        return f"tiles missing: {', '.join(one.missing)}"
    return "outside the project" if away else "in the project"
