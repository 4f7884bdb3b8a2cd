"""The command line as a person calls it: as a process, or, which is much quicker, in this one."""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
from dataclasses import dataclass
from unittest import mock

DISPLAYS = ("DISPLAY", "WAYLAND_DISPLAY")


@dataclass(frozen=True)
class Done:
    """What a command ended with: its exit code, and what it wrote."""

    returncode: int
    stdout: str
    stderr: str


def process(*words: object) -> subprocess.CompletedProcess[str]:
    """A command as a process of its own, without a display."""
    environment = {key: value for key, value in os.environ.items() if key not in DISPLAYS}
    command = [sys.executable, "-m", "collage.cli", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, env=environment, timeout=200, check=False)


def collage(*words: object) -> Done:
    """A command in this process, without a display; an error that nobody caught goes on to the test."""
    from collage.cli.root import run

    out, err, code = io.StringIO(), io.StringIO(), 0
    environment = {key: value for key, value in os.environ.items() if key not in DISPLAYS}
    with (
        mock.patch.object(sys, "argv", ["collage", *map(str, words)]),
        mock.patch.dict(os.environ, environment, clear=True),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            run()
        except SystemExit as end:
            code = end.code if isinstance(end.code, int) else 0 if end.code is None else 1
    return Done(code, out.getvalue(), err.getvalue())
