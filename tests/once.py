"""What is expensive is made once for all test processes."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Callable
from pathlib import Path

import pytest


def made_once(tmp_path_factory: pytest.TempPathFactory, name: str, make: Callable[[Path], None]) -> Path:
    """A folder made once for all test processes; no test may change it."""
    base = tmp_path_factory.getbasetemp()
    shared = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / name
    done = shared.with_suffix(".made")
    with shared.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            make(shared)
            done.touch()
    return shared
