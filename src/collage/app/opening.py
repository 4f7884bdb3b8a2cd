"""Opening the window: a frame with a line of what is coming is on the screen at once, and the rest follows.

The libraries, the definitions, the kernels and the sample project are read on a thread meanwhile.
"""

from __future__ import annotations

import gc
import json
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import platformdirs
from PySide6.QtCore import QByteArray, QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QApplication, QLabel, QMainWindow, QProgressBar, QVBoxLayout, QWidget

WARM = (96, 72)  # pixels of the picture that warms the renderer
LOOK = 15  # milliseconds between two looks at what the thread has done
COLOURS = {"day": ("#C9C9C9", "#1E1E1E"), "night": ("#2E2E2E", "#ECECEC")}


class Opening:
    """From nothing to the window. demo : on the demo project; folder : on this one; neither : on the last one."""

    def __init__(self, *, demo: bool = False, folder: Path | None = None) -> None:
        self._demo, self._folder = demo, folder
        self._line, self._share = "Starting", 0.0
        self._error: Exception | None = None
        self._project_known = threading.Event()  # and the renderer is there
        self._ready = False  # whether the window can be built
        self.window: Any = None

    def run(self) -> int:
        """Shows the window and stays until it is closed; the exit code."""
        gc.disable()  # nothing that the start makes is let go of: looking for it takes a tenth of the time
        app = QApplication(sys.argv[:1])
        app.setApplicationName("Collage")
        app.setDesktopFileName("collage")
        self.frame = _Frame(_last_settings())
        self.frame.show()
        self._timer = QTimer(app)
        self._timer.setInterval(LOOK)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        threading.Thread(target=self._prepare, name="opening", daemon=True).start()
        return int(app.exec())

    # ---- on the thread ------------------------------------------------------------------------

    def _prepare(self) -> None:
        try:
            self._compile()
            self._line, self._share = "Reading the libraries", 0.0
            if self._demo:
                self._folder = self._demo_project()
            kept = self._has_picture()
            if not kept:  # the first picture waits for the kernels; else the window comes before them
                from collage.core.kernels import import_numba

                import_numba()
            self._beside(self._read_window)
            self._make_renderer()
            self._line = "Opening the project"
            self._project_known.set()
            if not kept:
                self._warm()
        except Exception as error:  # it is shown in the window
            self._fail(error)

    def _beside(self, work: Callable[[], None]) -> None:
        """Does something on another thread, which waits for files and for the other processor's work."""

        def run() -> None:
            try:
                work()
            except Exception as error:
                self._fail(error)

        threading.Thread(target=run, name="opening", daemon=True).start()

    def _fail(self, error: Exception) -> None:
        self._error = error
        self._ready = True

    def _compile(self) -> None:
        """Before anything that has kernels is imported: it would compile them one by one."""
        from collage.core import kernels
        from collage.core.base.progress import finished, remaining

        begin = time.monotonic()

        def tell(_what: str, share: float) -> None:
            left = remaining(time.monotonic() - begin, share)
            self._tell("First start: compiling for this machine" + (f" · {left}" if left else ""), share)

        if kernels.missing(kernels.NEEDED):
            finished(kernels.compiled(kernels.NEEDED), tell)

    def _read_window(self) -> None:
        import collage.app.shell.start

        self._start = collage.app.shell.start
        self._project_known.wait()
        self._ready = True

    def _make_renderer(self) -> None:
        from collage.app.shell.settings import level_files, load_settings
        from collage.core.evaluate.run import Workers
        from collage.core.images.store import ImageStore
        from collage.core.nodes.library import load_library
        from collage.core.render.renderer import Renderer

        self._renderer = Renderer(load_library(), ImageStore(files=level_files(load_settings())), Workers())

    def _warm(self) -> None:
        """Makes a small picture of the project while the window is built: the next one finds maps, scene and plans."""
        from contextlib import suppress

        import collage.core.render.warm  # noqa: F401  kernels and libraries of the first picture
        from collage.core.base.errors import CollageError
        from collage.core.project.folder import load_project
        from collage.core.project.pictures import picture_request

        folder = self._folder or self._last_project()
        if folder is not None:
            with suppress(CollageError):  # the window will tell
                project, _ = load_project(folder)
                self._renderer.picture(picture_request(project, *WARM, "coarse", folder=folder))

    def _has_picture(self) -> bool:
        """Whether the project can be shown with its picture of last time."""
        from collage.app.preview.kept import KeptPictures
        from collage.app.shell.studio import pictures_folder

        folder = self._folder or self._last_project()
        return folder is not None and KeptPictures(pictures_folder()).has(folder)

    def _last_project(self) -> Path | None:
        from collage.app.shell.settings import load_settings
        from collage.app.shell.start import last_project

        return last_project(load_settings())

    def _demo_project(self) -> Path:
        from collage.core.project.folder import is_project
        from collage.demo.folder import DEMO, demo_folder
        from collage.demo.shed import make_sample

        folder = demo_folder()
        if not is_project(folder):
            make_sample(DEMO, folder, self._tell)
        return folder

    def _tell(self, what: str, share: float) -> None:
        self._line, self._share = what, share

    # ---- on the window's thread ---------------------------------------------------------------

    def _look(self) -> None:
        self.frame.say(self._line, self._share)
        if not self._ready:
            return
        self._timer.stop()
        if self._error is not None:
            gc.enable()
            self.frame.say(f"Collage cannot start: {self._error}", 0.0)
            return
        self.frame.repaint()
        self.window = self._start.make_window(self._folder, renderer=self._renderer)
        self.window.show()
        self.frame.hide()
        QTimer.singleShot(0, self.frame.deleteLater)
        gc.freeze()  # what is there stays; see shell.garbage


class _Frame(QMainWindow):
    """An empty window of the size of last time, in the colour of the theme."""

    def __init__(self, settings: dict[str, Any]) -> None:
        super().__init__()
        self.setWindowTitle("Collage")
        self.resize(1280, 800)
        if settings.get("geometry"):
            self.restoreGeometry(QByteArray.fromHex(str(settings["geometry"]).encode()))
        ground, ink = COLOURS.get(str(settings.get("theme")), COLOURS["day"])
        centre = QWidget()
        centre.setStyleSheet(f"background: {ground}; color: {ink};")
        column = QVBoxLayout(centre)
        self.line = QLabel("Starting")
        self.line.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(240, 6)
        self.bar.setStyleSheet(
            f"QProgressBar {{ border: 1px solid {ink}; }} QProgressBar::chunk {{ background: {ink}; }}"
        )
        column.addStretch(1)
        column.addWidget(self.line)
        column.addWidget(self.bar, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)
        self.setCentralWidget(centre)
        self._closing = _Closing(self)
        self.installEventFilter(self._closing)

    def say(self, text: str, share: float) -> None:
        self.line.setText(text)
        self.bar.setVisible(share > 0)
        self.bar.setValue(round(share * 1000))


class _Closing(QObject):
    """Closing the frame before the window is there ends the program."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Close:
            QApplication.exit(0)
        return False


def _last_settings() -> dict[str, Any]:
    """The settings as they lie on disk; their checking takes longer than showing a frame."""
    try:
        found = json.loads((Path(platformdirs.user_config_dir("collage")) / "settings.json").read_bytes())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}
