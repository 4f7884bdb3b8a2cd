"""The start: a frame at once, with little imported; then the window; and words when the start fails."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from collage import starting
from collage.app import opening
from collage.core import kernels
from collage.core.base.progress import Progress, Steps

RUN = """
import sys, time
from pathlib import Path

import pytest

from collage.app import opening
from collage.core import kernels
from collage.core.base.progress import Progress, Steps
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from collage.app.opening import Opening

{before}
opening = Opening(folder=Path(sys.argv[1]))
told, first = [], []
def look():
    if not first:
        heavy = [one for one in ("numba", "OpenImageIO", "MaterialX", "embreex") if one in sys.modules]
        first.append(opening.frame.isVisible() and not heavy)
    if opening.window is None:
        told.append(opening.frame.line.text())
    if {done}:
        print("first", first[0])
        print("told", list(dict.fromkeys(told)))
        {after}
        if opening.window is not None:
            opening.window.close()  # as a person ends it: no thread is at work when Python ends
        QApplication.exit(0)
    else:
        QTimer.singleShot(10, look)
run = QApplication.exec
QApplication.exec = staticmethod(lambda: (QTimer.singleShot(0, look), run())[1])
sys.exit(opening.run())
"""


def opened(project: Path, tmp_path: Path, before: str = "", done: str = "", after: str = "pass") -> str:
    home = {name: str(tmp_path / name) for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME")}
    done = done or 'opening.window is not None and opening.window.place("Wire").preview.picture is not None'
    code = RUN.format(before=before, done=done, after=after)
    environment = {**os.environ, **home, "QT_QPA_PLATFORM": "offscreen"}
    ran = subprocess.run(
        [sys.executable, "-c", code, str(project)],
        capture_output=True,
        text=True,
        env=environment,
        timeout=120,
        check=False,
    )
    assert ran.returncode == 0, ran.stderr
    return ran.stdout


def test_a_frame_is_there_before_anything_large_is_imported_and_then_the_window(project: Path, tmp_path: Path) -> None:
    told = opened(
        project,
        tmp_path,
        after="print([one.windowTitle() for one in QApplication.topLevelWidgets() if one.isVisible()])",
    )
    assert "first True" in told
    assert "Reading the libraries" in told
    assert told.splitlines()[-1].count("Larkmere potting shed") == 1, "the window alone is left"


def test_what_keeps_it_from_starting_is_said_in_the_frame(project: Path, tmp_path: Path) -> None:
    told = opened(
        project,
        tmp_path,
        before='Opening._compile = lambda self: (_ for _ in ()).throw(RuntimeError("no room on the disk"))',
        done='"cannot start" in opening.frame.line.text()',
        after='print("window", opening.window)',
    )
    assert "Collage cannot start: no room on the disk" in told
    assert "window None" in told


def test_broken_settings_do_not_keep_it_from_starting(project: Path, tmp_path: Path) -> None:
    for text in ("{", "[1, 2]", json.dumps({"geometry": "zz", "theme": 7})):
        folder = tmp_path / "XDG_CONFIG_HOME" / "collage"
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "settings.json").write_text(text)
        assert "first True" in opened(project, tmp_path, done="True")


@pytest.mark.parametrize("lacking", [[], ["xcb-cursor", "EGL"]])
def test_missing_system_packages_are_named_before_qt_gives_up(monkeypatch, capsys, lacking: list[str]) -> None:
    monkeypatch.setattr(sys, "platform", "linux")
    monkeypatch.setenv("DISPLAY", ":7")
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    monkeypatch.setenv("QT_QPA_PLATFORM", "xcb")
    monkeypatch.setattr(starting.ctypes.util, "find_library", lambda name: None if name in lacking else f"lib{name}.so")
    assert starting.told_of_missing_packages() == bool(lacking)
    said = capsys.readouterr().err
    assert said == ("collage: Qt needs system packages: apt-get install libxcb-cursor0 libegl1\n" if lacking else "")


def test_the_first_start_says_how_long_it_still_takes(monkeypatch: pytest.MonkeyPatch) -> None:
    now, said = [100.0], []

    def compiled(_families: object) -> Steps[None]:
        for seconds, share in ((0.2, 0.01), (10.0, 0.25), (30.0, 0.75)):
            now[0] = 100.0 + seconds
            yield Progress("Compiling kernels: rays", share)
            said.append((start._line, start._share))

    start = opening.Opening()
    monkeypatch.setattr(opening.time, "monotonic", lambda: now[0])
    monkeypatch.setattr(kernels, "missing", lambda _families: True)
    monkeypatch.setattr(kernels, "compiled", compiled)
    start._compile()
    assert said == [
        ("First start: compiling for this machine", 0.01),
        ("First start: compiling for this machine · 30 s left", 0.25),
        ("First start: compiling for this machine · 10 s left", 0.75),
    ]
