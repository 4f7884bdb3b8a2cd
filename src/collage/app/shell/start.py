"""Starting the window."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QApplication

from collage.app.shell.garbage import collect_here
from collage.app.shell.settings import Settings, load_settings
from collage.app.shell.studio import Studio
from collage.app.shell.window import MainWindow
from collage.app.theme import THEMES, apply_theme, load_fonts
from collage.core.actions.session import Session
from collage.core.evaluate.run import Workers
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library, load_library
from collage.core.project.recovery import Desk, left_desks
from collage.core.render.renderer import Renderer


def application(settings: Settings) -> QApplication:
    """The Qt application, with typeface and theme."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Collage")
    app.setDesktopFileName("collage")
    collect_here(app)
    load_fonts()
    apply_theme(app, THEMES.get(settings.theme, THEMES["day"]))
    return app


def last_project(settings: Settings) -> Path | None:
    """The project that was open last and is there still."""
    return next((Path(one) for one in settings.recent if (Path(one) / "project.json").is_file()), None)


def make_window(
    folder: Path | None,
    *,
    library: Library | None = None,
    settings: Settings | None = None,
    settings_file: Path | None = None,
    desks: Path | None = None,
    renderer: Renderer | None = None,
) -> MainWindow:
    """A window on a project, not shown yet. Work that a crash left behind is offered in it.

    renderer : one that has been warmed for the project; else one of the window's own.
    """
    settings = settings or load_settings(settings_file)
    application(settings)
    renderer = renderer or Renderer(library or load_library(), ImageStore(), Workers())
    session = Session(renderer.library, renderer.images, Desk(desks))
    window = MainWindow(Studio(session, renderer, settings, settings_file))
    if folder is None:
        folder = last_project(settings)
    if folder is not None:
        window.files.open_folder(folder)
    window.front.look()
    left, told = left_desks(desks)
    for error in told:
        window.banner.tell(error)
    if left:
        window.safety.offer(left[0])
    return window


def run_window(folder: Path | None) -> int:
    """Opens the window and stays until it is closed."""
    window = make_window(folder)
    window.show()
    app = QApplication.instance()
    assert app is not None
    return int(app.exec())


def wait_until(ready: Callable[[], bool], seconds: float = 300.0) -> bool:
    """Lets the window work until something is so."""
    app = QApplication.instance()
    assert app is not None
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        app.processEvents()
        if ready():
            app.processEvents()  # an answer may be on its way still that begins new work
            if ready():
                return True
        time.sleep(0.005)
    return ready()


def settle(window: MainWindow, seconds: float = 300.0) -> bool:
    """Waits until all pictures of the present state are on the screen."""
    return wait_until(lambda: window.current.settled and window.studio.jobs.idle, seconds)


def _with_popups(window: MainWindow) -> QPixmap:
    """The window as it looks, with the menus that are open over it."""
    shot = window.grab()
    painter = QPainter(shot)
    for popup in QApplication.topLevelWidgets():
        if popup is not window and popup.isVisible() and popup.windowType() == Qt.WindowType.Popup:
            painter.drawPixmap(window.mapFromGlobal(popup.pos()), popup.grab())
    painter.end()
    return shot


def window_shot(
    folder: Path, path: Path, *, theme: str = "day", prepare: Callable[[MainWindow], None] | None = None
) -> None:
    """Writes a picture of the window on a project, without a display."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("QT_LOGGING_RULES", "default.warning=false")  # what a screenless platform cannot do
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as own:
        settings_file, desks = Path(own) / "settings.json", Path(own) / "desks"
        window = make_window(folder, settings=Settings(theme=theme), settings_file=settings_file, desks=desks)
        window.show()
        wait_until(lambda: window.isVisible(), 5)
        settle(window)
        if prepare is not None:
            prepare(window)
        settle(window)
        wait_until(lambda: window.studio.maker.all_settled, 20)
        wait_until(lambda: False, 0.2)
        _with_popups(window).save(str(path))
        window.session._clean = window.session.project  # a shot changes nothing worth asking about
        window.close()
