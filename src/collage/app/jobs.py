"""Work on threads: the newest wish overtakes older ones, and answers come back to the window's thread."""

from __future__ import annotations

import threading
import traceback
from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QObject, Signal

from collage.core.base.errors import CollageError
from collage.core.evaluate.run import Cancelled

Work = Callable[[Callable[[], bool]], Iterable[Any]]
"""Takes `cancelled` and yields answers, each of which is handed over."""


class Newest(QObject):
    """One thread that always works on the newest wish; what it was doing before is called off."""

    answered = Signal(object)
    failed = Signal(object)  # CollageError
    busy = Signal(bool)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._changed = threading.Condition()
        self._wish: Work | None = None
        self._number = 0
        self._working = False
        self._closing = False
        self._thread = threading.Thread(target=self._loop, name=name, daemon=True)
        self._thread.start()

    def ask(self, work: Work) -> None:
        """Wishes for some work; whatever was wished for before and is not done is dropped."""
        with self._changed:
            self._wish = work
            self._number += 1
            self._changed.notify()

    @property
    def idle(self) -> bool:
        with self._changed:
            return self._wish is None and not self._working

    def close(self) -> None:
        """Ends the thread; waits until it has stopped."""
        with self._changed:
            self._closing = True
            self._wish = None
            self._number += 1
            self._changed.notify()
        self._thread.join(timeout=20)

    def _loop(self) -> None:
        while True:
            with self._changed:
                while self._wish is None and not self._closing:
                    self._changed.wait()
                if self._closing:
                    return
                work, self._wish = self._wish, None
                number = self._number
                self._working = True
            assert work is not None
            self._tell(self.busy, True)
            self._do(work, number)
            with self._changed:
                self._working = False
            self._tell(self.busy, False)

    def _do(self, work: Work, number: int) -> None:
        def overtaken() -> bool:
            return self._number != number

        try:
            for answer in work(overtaken):
                if overtaken():
                    return
                self._tell(self.answered, answer)
        except Cancelled:
            return
        except CollageError as error:
            self._tell(self.failed, error)
        except Exception as error:  # a defect must not end the thread: it is told and the window lives on
            traceback.print_exc()
            text = f"Something went wrong inside Collage: {error}."
            self._tell(self.failed, CollageError(text, remedy="Your work is safe; undo the last step."))

    def _tell(self, signal: Any, value: object) -> None:
        try:
            if not self._closing:
                signal.emit(value)
        except RuntimeError:  # the window is gone
            self._closing = True
