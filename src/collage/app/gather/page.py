"""What the pages of the Gather place share: a photograph in hand, live pictures on a thread, saving."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.shell.jobs import Jobs, Latest, Ticket
from collage.app.widgets.choosing import choose_new_file
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet, title
from collage.app.widgets.progress_line import ProgressLine
from collage.core.base.errors import CollageError
from collage.core.document.history import History
from collage.core.images.files import read_pixels
from collage.core.images.made import Files
from collage.core.images.region import smaller

LIVE = 720
"""Pixels of the longer side that a page works on while values are tried; files are made in full."""


class Page(QWidget):
    """A full page with controls at the left, pictures in the middle, and a way back."""

    left = Signal()  # back to the table
    made = Signal(object)  # list of Paths that were written
    problem = Signal(object)

    def __init__(self, jobs: Jobs, name: str, save_label: str) -> None:
        super().__init__()
        self.history: History[Any] = History(None)  # of recipes
        self.history.changed.connect(self._show_step)
        self.source: Path | None = None
        self.pixels: np.ndarray | None = None  # in small
        self.full = (0, 0)
        self.jobs = jobs
        self._saving: Ticket | None = None
        self.worker = Latest(jobs, self)
        self.worker.answered.connect(self._shown)
        self.worker.failed.connect(self._say)
        jobs.queue_changed.connect(self._show_progress)
        self.heading = title(name.capitalize())
        self.back = QPushButton("Back to the sets")
        self.back.setToolTip("Leave the page (Esc)")
        self.back.clicked.connect(self.left)
        self.save = QPushButton(save_label)
        self.save.setToolTip("Write in full size, in the background")
        self.save.setObjectName("main")
        self.save.clicked.connect(self.ask_save)
        self.bar = ProgressLine()
        self.bar.setFixedWidth(120)
        self.bar.hide()
        self.said = QLabel()
        self.said.setObjectName("quiet")
        head = QFrame()
        head.setObjectName("panel")
        row = QHBoxLayout(head)
        row.setContentsMargins(12, 6, 12, 6)
        row.addWidget(self.back)
        row.addWidget(self.heading)
        row.addStretch(1)
        row.addWidget(self.said)
        row.addWidget(self.bar)
        row.addWidget(self.save)
        self.controls = QFrame()
        self.controls.setObjectName("panel")
        self.controls.setFixedWidth(232)
        self.form = QGridLayout()
        self.form.setHorizontalSpacing(8)
        self.form.setVerticalSpacing(5)
        self.form.setColumnStretch(1, 1)
        side = QVBoxLayout(self.controls)
        side.setContentsMargins(12, 10, 12, 10)
        side.addLayout(self.form)
        side.addStretch(1)
        self.side = side
        self.pictures = QWidget()
        body = QHBoxLayout()
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(1)
        body.addWidget(self.controls)
        body.addWidget(self.pictures, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(head)
        column.addLayout(body, 1)

    def close_down(self) -> None:
        self.history.changed.disconnect(self._show_step)
        self.worker.close()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    # ---- controls -----------------------------------------------------------------------------

    def section(self, text: str) -> None:
        label = title(text)
        label.setContentsMargins(0, 6 if self.form.rowCount() > 1 else 0, 0, 0)
        self.form.addWidget(label, self.form.rowCount(), 0, 1, 2)

    def number(
        self, text: str, value: float, soft: tuple[float, float], hard: tuple[float | None, float | None],
        tip: str, *, whole: bool = False,
    ) -> NumberField:  # fmt: skip
        """A row with a number; the page follows it."""
        field = NumberField(value, soft=soft, hard=hard, whole=whole)
        field.setAccessibleName(text)
        field.setToolTip(tip)
        field.edited.connect(lambda _value, moving: self.tried(moving))
        field.reset.connect(lambda: self._reset(field, value))
        self.row(text, field)
        return field

    def _reset(self, field: NumberField, value: float) -> None:
        field.set_value(value)
        self.tried()

    def tried(self, moving: bool = False) -> None:
        """A value was changed: the pictures follow, and once the hand lets go it is a step that can be undone."""
        self.ask()
        if not moving:
            self.history.do(f"{self.name} values", lambda _: self.recipe())

    def _show_step(self, _before: Any, after: Any) -> None:
        if after is not None and after != self.recipe():
            self.show_recipe(after)
            self.ask()

    def row(self, text: str, widget: QWidget) -> None:
        at = self.form.rowCount()
        self.form.addWidget(quiet(text), at, 0)
        self.form.addWidget(widget, at, 1)

    # ---- the picture in hand ------------------------------------------------------------------

    def open(self, source: Path) -> None:
        """Takes a picture in hand; it is read on the thread."""
        self.source, self.pixels = source, None
        self.heading.setText(f"{self.name} · {source.name}")
        self.said.setText("Reading the picture")
        self.history.reset(self.recipe())
        self.ask()

    @property
    def name(self) -> str:
        raise NotImplementedError

    def recipe(self) -> Any:
        """What the controls say, as one frozen value."""
        raise NotImplementedError

    def show_recipe(self, how: Any) -> None:
        """The controls as a recipe says."""
        raise NotImplementedError

    def take(self, answer: Any) -> None:
        """Shows what `work` yielded."""
        raise NotImplementedError

    def ask(self) -> None:
        """Computes anew with the values of now."""
        source, pixels, work = self.source, self.pixels, self.prepared()
        if source is None:
            return

        def do(cancelled: Callable[[], bool]) -> Iterator[Any]:
            small = pixels
            if small is None:
                whole = read_pixels(source)
                small = smaller(whole, LIVE)
                yield ("read", small, whole.shape)
            for answer in work(small, cancelled):
                yield ("work", answer)

        self.worker.ask(do)

    def prepared(self) -> Callable[[np.ndarray, Callable[[], bool]], Iterator[Any]]:
        """`work` with the values of now, frozen for the thread."""
        raise NotImplementedError

    @property
    def settled(self) -> bool:
        return self.worker.idle and self._saving not in self.jobs.tickets

    def _shown(self, answer: tuple[Any, ...]) -> None:
        if answer[0] == "read":
            self.pixels, self.full = answer[1], answer[2][:2]
            self.said.setText("")
            self.opened()
        else:
            self.take(answer[1])

    def opened(self) -> None:
        """The picture has been read."""

    def _say(self, error: CollageError) -> None:
        """What does not work while values are tried is said in its place."""
        self.said.setText(str(error))

    def _failed(self, error: CollageError) -> None:
        self.said.setText("")
        self.bar.hide()
        self.save.setEnabled(True)
        self.problem.emit(error)

    # ---- saving -------------------------------------------------------------------------------

    def proposed(self) -> Path:
        """Where the result goes unless another place is chosen."""
        raise NotImplementedError

    def ask_save(self) -> None:
        path = choose_new_file(self, "Save the map", self.proposed(), "Images (*.png *.tif *.exr)")
        if path is not None:
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        raise NotImplementedError

    def run(self, steps: Files) -> None:
        """Makes files in full on a thread, with progress."""
        self.bar.set_share(0)
        self.bar.show()
        self.save.setEnabled(False)
        self._saving = self.jobs.queue(f"{self.name} files", lambda _cancelled: steps, self._saved, self._failed)

    def _show_progress(self) -> None:
        if self._saving is not None and self._saving in self.jobs.tickets:
            self.said.setText(self._saving.text)
            self.bar.set_share(self._saving.progress.share)

    def _saved(self, paths: list[Path]) -> None:
        self.bar.hide()
        self.save.setEnabled(True)
        self.said.setText(f"Written: {', '.join(path.name for path in paths)}")
        self.made.emit(paths)
