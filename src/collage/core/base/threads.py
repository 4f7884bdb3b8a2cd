"""Threads that stand back for others."""

from __future__ import annotations

import os
import threading
from contextlib import suppress

BEHIND = 15  # niceness: a twentieth of the processor time of a thread that works beside it


def stand_back() -> None:
    """Lowers the priority of this thread alone: under Linux, priorities belong to threads."""
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BEHIND)
