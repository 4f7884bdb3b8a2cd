"""The command line: every job of the core without a window. A module a group of commands, imported when used."""

from __future__ import annotations

import sys
from pathlib import Path

from collage.core.base.memory import keep_freed_memory


def main() -> None:
    """The entry point; whatever goes wrong ends in a sentence and exit code 1."""
    keep_freed_memory()  # before there are threads: each would keep its own
    command, folder = sys.argv[1:2], Path(sys.argv[2]) if len(sys.argv) == 3 else None
    project = folder is not None and command == ["open"] and (folder / "project.json").is_file()
    if sys.argv[1:] in (["demo"], ["open"]) or project:  # the window comes first, and all else after it
        from collage.starting import start_window

        if start_window(sys.argv[1], folder):
            return
    from collage.cli.root import run

    run()
