"""Projects to save, and disks that fail at a chosen step or byte of a save. Used by tests and the campaign."""

from __future__ import annotations

import errno
import os
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

from collage.core.document.making import card
from collage.core.document.materials import new_material
from collage.core.project import commit, copies
from collage.core.project.state import Project
from collage.core.scene.bench import Bench

STEPS = ("replace", "rename", "mkdir", "unlink", "rmdir", "fsync")


def project(number: int) -> Project:
    """A small project; each number has other materials and another bench."""
    network = new_material().with_card(card(f"n{number}", "constant", "float", (0, 0), value=("float", 0.5)))
    materials = {"Clay": network, f"Glaze {number}": new_material()}
    return Project(f"Shed {number}", materials, Bench(exposure=float(number)))


class Fault:
    """Counts the steps and bytes of a save, and does something at one of them. block : bytes that count as a step."""

    def __init__(self, at: int, act: Callable[[], object], block: int = 64) -> None:
        self.at, self.act, self.block, self.done = at, act, block, 0

    def step(self) -> None:
        self.done += 1
        if self.done == self.at + 1:
            self.act()

    def put(self, path: Path, data: bytes) -> None:
        with path.open("wb", buffering=0) as file:
            for start in range(0, len(data), self.block):
                self.step()
                file.write(data[start : start + self.block])

    @contextmanager
    def in_place(self) -> Iterator[None]:
        with ExitStack() as patches:
            for name in STEPS:
                patches.enter_context(patch.object(os, name, self._counted(getattr(os, name))))
            for module in (commit, copies):
                patches.enter_context(patch.object(module, "put", self.put))
            yield

    def _counted(self, real: Callable[..., Any]) -> Callable[..., Any]:
        def call(*arguments: Any, **named: Any) -> Any:
            self.step()
            return real(*arguments, **named)

        return call


def disk_full() -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


def leftovers(folder: Path) -> list[str]:
    return [path.name for path in folder.rglob(".*")]
