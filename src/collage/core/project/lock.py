"""Who has a project open: a note in its folder, so that a second Collage is told and does not save over the first."""

from __future__ import annotations

import contextlib
import getpass
import json
import os
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from collage.core.base.errors import CollageError
from collage.core.base.safe_write import is_running

NOTE = ".lock"
SILENT = 600.0  # seconds after which another machine that has not been heard of is taken to be gone
BEAT = 60.0  # seconds between two signs of life


@dataclass(frozen=True)
class Holder:
    """A process that has a project open. begun : when it started, as the system counts it."""

    process: int
    host: str
    user: str
    begun: str

    @property
    def text(self) -> str:
        """Who holds it, in words."""
        return f"{self.user} on {self.host} (process {self.process})"


def me() -> Holder:
    """This process."""
    try:
        user = getpass.getuser()
    except (KeyError, OSError):
        user = str(os.getuid())
    return Holder(os.getpid(), socket.gethostname(), user, _begun(os.getpid()))


class Lock:
    """This process's claim on one project folder."""

    def __init__(self, folder: Path) -> None:
        self._note = folder / NOTE
        self._me = me()

    def take(self, *, by_force: bool = False) -> Holder | None:
        """Takes the project, unless another process has it: then that one. A folder that is only read has no lock."""
        text = json.dumps(vars(self._me)).encode()
        with contextlib.suppress(OSError):
            if not by_force:
                other = self.holder()
                if other is not None:
                    return other
            draft = self._note.with_name(f"{NOTE}-{os.getpid()}")
            draft.write_bytes(text)
            os.replace(draft, self._note)
            return self.holder()  # of two that came at once the later one has it
        return None

    def holder(self) -> Holder | None:
        """Another process that has the project open now."""
        try:
            found = Holder(**json.loads(self._note.read_bytes()))
            silent = time.time() - self._note.stat().st_mtime
        except (OSError, ValueError, TypeError):
            return None
        if found.host != self._me.host:
            return found if silent < SILENT else None
        if found.process == self._me.process or not is_running(found.process):
            return None
        return found if _begun(found.process) == found.begun else None

    def check(self) -> None:
        """Raises CollageError where another process has the project."""
        other = self.holder()
        if other is not None:
            raise busy(self._note.parent, other)

    def beat(self) -> None:
        """A sign of life for other machines."""
        if self._is_mine():
            with contextlib.suppress(OSError):
                os.utime(self._note)

    def release(self) -> None:
        """Gives the project back."""
        if self._is_mine():
            with contextlib.suppress(OSError):
                self._note.unlink()

    def _is_mine(self) -> bool:
        try:
            return Holder(**json.loads(self._note.read_bytes())) == self._me
        except (OSError, ValueError, TypeError):
            return False


@contextmanager
def held(folder: Path) -> Iterator[None]:
    """Has the project for a while. Raises CollageError where another process has it open."""
    lock = Lock(folder)
    other = lock.take()
    if other is not None:
        raise busy(folder, other)
    try:
        yield
    finally:
        lock.release()


def busy(folder: Path, other: Holder) -> CollageError:
    """What is told of a project that another process has open."""
    return CollageError(
        f"The project is open in another Collage: {other.text}.",
        about=folder.name,
        remedy="Close it there, take it over, or save to another folder.",
    )


def _begun(process: int) -> str:
    """Tells a process from another one that got its number later."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return ""
