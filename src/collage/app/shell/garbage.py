"""Objects that hold each other are let go of in the window's thread alone.

Python looks for them in whichever thread asks for memory. A Qt object that ends in a thread of a job holds a lock of
Qt's and waits for Python's, which the window's thread may hold while it waits for Qt's: the window would stand still
for ever.
"""

from __future__ import annotations

import gc
import time

from PySide6.QtCore import QObject, QTimer

EVERY = 100  # milliseconds between two looks
OLDEST_EVERY = 30.0  # seconds at least between two looks at all objects, which take longest


class Garbage(QObject):
    """Looks by a timer for what nothing else holds, as often as Python would; Python itself does no more."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._oldest = time.monotonic()
        timer = QTimer(self)
        timer.setInterval(EVERY)
        timer.timeout.connect(self.look)
        timer.start()

    def look(self) -> None:
        """Lets go of what nothing else holds, among the objects of the oldest generation of which there are many."""
        many = [count > most for count, most in zip(gc.get_count(), gc.get_threshold(), strict=True)]
        if many[2] and time.monotonic() > self._oldest + OLDEST_EVERY:
            gc.collect(2)
            self._oldest = time.monotonic()
        elif many[1]:
            gc.collect(1)
        elif many[0]:
            gc.collect(0)


def collect_here(app: QObject) -> None:
    """From now on garbage is collected in this thread, as long as the application lives."""
    if app.findChild(Garbage) is None:
        Garbage(app)
