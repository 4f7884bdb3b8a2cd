"""The start: the window on the screen, the first picture, and the first compilation of all kernels."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

from benchmarks.timing import median, row
from collage.core import kernels

QT = "import PySide6.QtWidgets, numpy"
LIBRARIES = "import PySide6.QtWidgets, numba, numpy, MaterialX, OpenImageIO, embreex.rtcore_scene, pydantic"
FRAME = """
import os, sys
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from collage.app.opening import Opening
opening = Opening(folder=Path(sys.argv[1]))
run = QApplication.exec
QApplication.exec = staticmethod(lambda: (QTimer.singleShot(0, lambda: os._exit(0)), run())[1])
opening.run()
"""
COMPLETE = """
import os, sys
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from collage.app.opening import Opening
opening = Opening(folder=Path(sys.argv[1]))
run = QApplication.exec
def look():
    preview = opening.window.place("Wire").preview if opening.window is not None else None
    if preview is not None and {ready}: os._exit(0)
    QTimer.singleShot(5, look)
QApplication.exec = staticmethod(lambda: (QTimer.singleShot(0, look), run())[1])
opening.run()
"""
SEEN = COMPLETE.format(ready="preview.image is not None")
KEPT = COMPLETE.format(ready="preview._pictures.has(Path(sys.argv[1]))")
SAVED = COMPLETE.format(  # saved once it is complete, until its picture lies in its folder
    ready="preview.settled and (preview._own or opening.window.files.save() or True) "
    "and (Path(sys.argv[1]) / 'preview.png').exists()"
)


def _process(code: str, *words: str, **more: str) -> Callable[[], object]:
    environment = {**os.environ, **more}
    return lambda: subprocess.run(
        [sys.executable, "-c", code, *words], check=True, capture_output=True, env=environment
    )


def _unseen(folder: Path, copy: Path) -> Path:
    """A copy of a project that no picture is known of, since it is not the same as any other."""
    shutil.copytree(folder, copy)
    (copy / "notes.txt").write_text(str(copy))
    return copy


def start(folder: Path) -> None:
    with tempfile.TemporaryDirectory() as settings:
        own = {"XDG_CONFIG_HOME": settings, "XDG_DATA_HOME": settings}
        qt = median(_process(QT), 3)
        libraries = median(_process(LIBRARIES), 3)
        seen = median(_process(FRAME, str(folder), **own), 3)
        copies = [_unseen(folder, Path(settings) / f"copy {number}") for number in range(4)]
        first = median(lambda: _process(SEEN, str(copies.pop()), **own)(), 3)
        _process(KEPT, str(folder), **own)()
        again = median(_process(SEEN, str(folder), **own), 3)
        _process(SAVED, str(folder), **own)()
        copies = [shutil.copytree(folder, Path(settings) / f"sent {number}") for number in range(4)]
        sent = median(lambda: _process(SEEN, str(copies.pop()), **own)(), 3)
    row("start to a window on the screen", f"{seen:.2f} s", f"importing Qt and NumPy {qt:.2f} s", seen / qt)
    than = f"importing the libraries {libraries:.2f} s"
    row("start to the picture, opened before", f"{again:.2f} s", than, again / libraries)
    row("start to the picture, saved elsewhere", f"{sent:.2f} s", than, sent / libraries)
    row("start to the picture, a project without one", f"{first:.2f} s", than, first / libraries)


def _compile(at_once: int) -> tuple[float, float]:
    """Seconds, and the megabytes that the processes took at most, of compiling all kernels in an empty cache."""
    code = (
        "import sys; from collage.core import kernels; from collage.core.base.progress import finished;"
        "finished(kernels.compiled(at_once=int(sys.argv[1])))"
    )
    with tempfile.TemporaryDirectory() as cache:
        environment = {**os.environ, "XDG_CACHE_HOME": cache}
        environment.pop("NUMBA_CACHE_DIR", None)
        begin = time.perf_counter()
        process = subprocess.Popen([sys.executable, "-c", code, str(at_once)], env=environment)
        most = [0.0]
        watch = threading.Thread(target=_watch, args=(process, most))
        watch.start()
        if process.wait():
            raise RuntimeError("the kernels were not compiled")
        seconds = time.perf_counter() - begin
        watch.join()
    return seconds, most[0]


def _watch(process: subprocess.Popen[bytes], most: list[float]) -> None:
    while process.poll() is None:
        most[0] = max(most[0], sum(_megabytes(one) for one in (process.pid, *_children(process.pid))))
        time.sleep(0.2)


def _children(parent: int) -> list[int]:
    try:
        return [int(one) for one in Path(f"/proc/{parent}/task/{parent}/children").read_text().split()]
    except OSError:
        return []


def _megabytes(process: int) -> float:
    try:
        return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 2**20
    except OSError:
        return 0.0


def first_compile() -> None:
    one, one_most = _compile(1)
    all_, all_most = _compile(kernels.processes())
    row(
        "compiling all kernels, all processors",
        f"{all_:.0f} s",
        f"one at a time {one:.0f} s",
        one / all_,
    )
    row("  memory at most", f"{all_most:.0f} MB", f"one at a time {one_most:.0f} MB")
