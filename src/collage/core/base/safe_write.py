"""Writing files so that a crash or a full disk leaves the old one whole."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary path beside `path` to write to; it takes the place of `path` when all went well.

    Whatever is raised inside goes on, the old file stays, and nothing temporary is left.
    """
    temporary = path.with_name(f".{path.stem}.{os.getpid()}{path.suffix}")
    try:
        yield temporary
        os.replace(temporary, path)
    finally:
        temporary.unlink(missing_ok=True)
