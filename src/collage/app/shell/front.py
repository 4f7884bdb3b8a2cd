"""The middle of the window: its places, or the start page while nothing is open."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QStackedWidget, QWidget

from collage.app.shell.drops import Drops
from collage.app.shell.project_files import ProjectFiles
from collage.app.shell.start_page import StartPage
from collage.app.shell.studio import Studio
from collage.app.shell.walk import Walk
from collage.app.theme import Theme
from collage.core.document.contained import is_document
from collage.core.gather.sets import MAP_SUFFIXES
from collage.core.project.folder import is_project
from collage.core.project.objects import is_mesh
from collage.demo.folder import demo_folder

SAMPLE = "potting-shed"


class Front(QStackedWidget):
    """Shows one or the other. gather, take_files : what the window does for a folder, and with dropped files."""

    def __init__(
        self,
        studio: Studio,
        places: QWidget,
        files: ProjectFiles,
        walk: Walk,
        gather: Callable[[], object],
        take_files: Callable[[list[Path]], object],
    ) -> None:
        super().__init__()
        self.studio, self.session, self.files, self.walk = studio, studio.session, files, walk
        self._gather, self._take_files = gather, take_files
        self.page: StartPage | None = None
        self._walk_next = False
        self.addWidget(places)
        self._places = places
        self.session.opened.connect(self._opened)
        self.session.changed.connect(self._changed)
        studio.theme_changed.connect(self._set_theme)

    @property
    def at_start(self) -> bool:
        """Whether the start page is shown."""
        return self.page is not None and self.currentWidget() is self.page

    def look(self) -> None:
        """Shows the start page where nothing is open."""
        session = self.session
        if session.folder is not None or session.dirty or session.project.bench.objects:
            self.leave()
            return
        if self.page is None:
            self.page = self._made()
            self.addWidget(self.page)
        else:
            self.page.refresh()
        self.setCurrentWidget(self.page)

    def leave(self) -> None:
        """Shows the places."""
        self.setCurrentWidget(self._places)

    def close_down(self) -> None:
        self.session.opened.disconnect(self._opened)
        self.session.changed.disconnect(self._changed)
        self.walk.close_down()

    def _made(self) -> StartPage:
        page = StartPage(self.studio)
        page.gather_wanted.connect(self._gather)
        page.ball_wanted.connect(self.files.new_on_ball)
        page.walk_wanted.connect(self.first_walk)
        page.sample_wanted.connect(self.open_sample)
        page.project_wanted.connect(self.files.open_folder)
        page.files_dropped.connect(self._dropped)
        return page

    def _opened(self) -> None:
        self.look()
        if self._walk_next:
            self._walk_next = False
            self.walk.begin()

    def _changed(self, _before: object, _after: object) -> None:
        if self.at_start and self.session.dirty:
            self.leave()

    def _set_theme(self, theme: Theme) -> None:
        if self.page is not None:
            self.page.set_theme(theme)

    # ---- beginnings ---------------------------------------------------------------------------

    def open_sample(self, name: str = SAMPLE) -> None:
        """Opens the sample of the person's own, which is made when first asked for."""
        folder = demo_folder()
        if is_project(folder):
            self.files.open_folder(folder)
        else:
            self.files.make_sample(name, folder)

    def first_walk(self) -> None:
        """Opens the sample and leads through it."""
        if self.session.folder == demo_folder():
            self.walk.begin()
            return
        self._walk_next = True
        self.open_sample()

    def _dropped(self, paths: list[Path]) -> None:
        """A project is opened, a material or a picture comes on a ball, a mesh beside one; all else goes to Gather."""
        first = paths[0].parent if paths[0].name == "project.json" else paths[0]
        if len(paths) == 1 and is_project(first):
            self.files.open_folder(first)
        elif all(is_mesh(path) for path in paths):
            self.files.new_on_ball()
            self.studio.objects_dropped.emit(paths)
        elif is_document(first) or (len(paths) == 1 and first.suffix.lower() in MAP_SUFFIXES):
            self.files.new_on_ball()
            Drops(self.studio).on_object(paths, 0)
        else:
            self.leave()
            self._take_files(paths)
