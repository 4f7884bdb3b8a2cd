"""Watches the files that the project names: a changed one is in the pictures within a second, a missing one is told."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PySide6.QtCore import QObject, QTimer, Signal

from collage.app.shell.jobs import Jobs, Latest
from collage.core.actions.session import Session
from collage.core.project.references import Reference, references, stamps

EVERY = 500  # milliseconds


class FileWatch(QObject):
    """Looks at the files on a thread, twice a second."""

    changed = Signal(object)  # list of paths
    missing_changed = Signal()

    def __init__(self, session: Session, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.missing: list[Reference] = []
        self._known: dict[str, str] = {}
        self.worker = Latest(jobs, self, light=True)
        self.worker.answered.connect(self._take)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def close(self) -> None:
        self._timer.stop()
        self.worker.close()

    def look(self) -> None:
        if not self.worker.idle:
            return
        project, folder = self.session.project, self.session.base_folder

        def work(_cancelled: Callable[[], bool]) -> Iterator[tuple[dict[str, str], list[Reference]]]:
            every = references(project, folder)
            yield stamps(every), [one for one in every if one.missing]

        self.worker.ask(work)

    def _take(self, answer: tuple[dict[str, str], list[Reference]]) -> None:
        found, missing = answer
        different = [path for path, state in found.items() if self._known.get(path, state) != state]
        self._known = found
        if missing != self.missing:
            self.missing = missing
            self.missing_changed.emit()
        if different:
            self.changed.emit(different)
