"""Writing files so that a crash or a full disk leaves the old one whole."""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path

_numbers = count()
_TEMPORARY = re.compile(r"\.collage-(\d+)-\d+")


@contextmanager
def replacing(path: Path, *, lasting: bool = True) -> Iterator[Path]:
    """A temporary path beside `path` to write to; it takes the place of `path` when all went well.

    What was written is on the disk before it takes the place, so that not even a power cut leaves half of it.
    Whatever is raised inside goes on, the old file stays, and nothing temporary is left.

    lasting : without it, nobody waits for the disk, since whoever reads the file checks it.
    """
    temporary = temporary_beside(path)
    try:
        yield temporary
        if lasting:
            flush(temporary)
        os.replace(temporary, path)
        if lasting:
            flush(path.parent)
    finally:
        with contextlib.suppress(OSError):  # what went wrong before is what counts
            temporary.unlink(missing_ok=True)


def temporary_beside(path: Path) -> Path:
    """A name in the folder of a file that no other has; what lies there goes once this process is gone."""
    return path.with_name(f".collage-{os.getpid()}-{next(_numbers)}{path.suffix[-16:]}")


def flush(path: Path) -> None:
    """Waits until a file, or a folder's list of names, is on the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_bytes(path: Path, data: bytes | memoryview) -> None:
    """Writes a whole file in one go. Raises OSError; the file before stays whole in that case."""
    with replacing(path) as temporary:
        put(temporary, data)


def put(path: Path, *parts: bytes | memoryview) -> None:
    """Writes bytes to a new file, all of them or an OSError. It takes no other file's place; see `write_bytes`."""
    with path.open("wb", buffering=0) as file:
        for part in parts:
            left = memoryview(part)
            while left:
                left = left[file.write(left) :]


def clear_leftovers(folder: Path) -> None:
    """Removes temporary files in a folder that processes which are gone have left."""
    for path in folder.glob(".collage-*"):
        made_by = _TEMPORARY.match(path.name)
        if made_by is not None and not is_running(int(made_by.group(1))):
            with contextlib.suppress(OSError):
                path.unlink()


def is_running(process: int) -> bool:
    """Whether there is a process of this number on this machine."""
    if process == os.getpid():
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def is_file(path: Path) -> bool:
    """Whether there is a plain file; no for names that no disk takes, where the system raises an error."""
    try:
        return path.is_file()
    except OSError:
        return False
