"""Parts of the window by themselves: jobs, fields, the real display."""

from __future__ import annotations

import ctypes.util
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtGui import QFontMetrics

from collage.app.theme import font
from collage.app.widgets.fields import field_for, soft_range
from collage.app.wire.sources_panel import in_two_lines
from collage.app.wire.tabs import wire_path
from collage.core.document.types import CHANNELS
from collage.starting import NEEDED


def test_every_input_of_the_library_can_be_edited_or_only_wired(library, qapp) -> None:
    """One test over the whole library finds the input that nobody can edit."""
    without = set()
    for definition in library:
        for tab in definition.inputs.values():
            if field_for(tab, lambda path: path.name) is None:
                without.add(tab.type)
            low, high = soft_range(tab)
            assert high > low
    assert not without & (set(CHANNELS) | {"string", "filename"})


def test_wires_leave_and_arrive_level() -> None:
    from PySide6.QtCore import QPointF

    for start, end in (((0, 0), (200, 80)), ((200, 0), (0, 90)), ((0, 0), (10, 0))):
        path = wire_path(QPointF(*start), QPointF(*end))
        assert path.pointAtPercent(0) == QPointF(*start)
        assert path.currentPosition() == QPointF(*end)
        length = path.length()
        first, last = path.pointAtPercent(min(2 / length, 1)), path.pointAtPercent(max(1 - 2 / length, 0))
        assert abs(first.y() - start[1]) < 0.2
        assert abs(last.y() - end[1]) < 0.2


ON_A_DISPLAY = """
import sys
from pathlib import Path
from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, settle
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtCore import Qt
place = Path(sys.argv[1])
window = make_window(place / "shed", settings=Settings(), settings_file=place / "s.json", desks=place / "d")
window.show()
assert QGuiApplication.platformName() == "xcb"
assert QTest.qWaitForWindowExposed(window)
assert settle(window)
window.place("Wire").board.setFocus()
QTest.keyClick(window.place("Wire").board, Qt.Key.Key_Return)
QTest.keyClicks(window.place("Wire").add_field.line, "cells")
QTest.keyClick(window.place("Wire").add_field.line, Qt.Key.Key_Return)
assert "worleynoise3d" in window.session.network.cards
window.session.history.undo()
window.grab().save(str(place / "shot.png"))
window.close()
print("good")
"""


LACKING = ([] if shutil.which("Xvfb") else ["xvfb"]) + [
    package for library, package in NEEDED.items() if ctypes.util.find_library(library) is None
]
"""Debian packages without which no window can be opened on a virtual display."""


def free_display() -> str:
    number = 90
    while Path(f"/tmp/.X{number}-lock").exists():
        number += 1
    return f":{number}"


@pytest.mark.skipif(bool(LACKING), reason=f"needs {' '.join(LACKING)}")
def test_a_real_display(project: Path, tmp_path: Path) -> None:
    display = free_display()
    server = subprocess.Popen(["Xvfb", display, "-screen", "0", "1400x900x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(0.5)
        for _ in range(50):
            if Path(f"/tmp/.X{display[1:]}-lock").exists():
                break
            time.sleep(0.1)
        environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
        done = subprocess.run(
            [sys.executable, "-c", ON_A_DISPLAY, str(tmp_path)],
            capture_output=True,
            text=True,
            env=environment,
            timeout=200,
            check=False,
        )
        assert "good" in done.stdout, done.stderr
        assert (tmp_path / "shot.png").stat().st_size > 20_000
    finally:
        server.terminate()
        server.wait()


def test_long_names_break_at_spaces_and_hyphens(qapp) -> None:
    metrics = QFontMetrics(font(10))
    assert in_two_lines("Courses", metrics, 62) == ["Courses"]
    assert in_two_lines("Weathered bench", metrics, 62) == ["Weathered", "bench"]
    assert in_two_lines("Lime-bloomed clay", metrics, 62)[0] == "Lime-"
    assert in_two_lines("Unbreakablelongname", metrics, 62)[0].endswith("…")
