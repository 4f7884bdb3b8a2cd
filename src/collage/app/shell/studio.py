"""What every place works with: the session, the renderer, the window's jobs, settings, and words for the status line.

Places know the studio, and neither the window nor each other.
"""

from __future__ import annotations

from pathlib import Path

import platformdirs
from PySide6.QtCore import QObject, Signal

from collage.app.preview.card_pictures import PictureMaker
from collage.app.preview.kept import KeptPictures
from collage.app.shell.jobs import Jobs
from collage.app.shell.render_queue import RenderQueue
from collage.app.shell.settings import Settings, level_files, save_settings
from collage.app.theme import THEMES, Theme
from collage.core.actions.session import Session
from collage.core.assets.shelf import Shelf
from collage.core.base.errors import CollageError
from collage.core.nodes.labels import offers
from collage.core.render.renderer import Renderer


def pictures_folder(settings_file: Path | None = None) -> Path:
    """Where the last pictures of projects lie: in the user's cache, or beside settings of one's own."""
    if settings_file is not None:
        return settings_file.with_name("pictures")
    return Path(platformdirs.user_cache_dir("collage")) / "projects"


class Studio(QObject):
    """One window's means of work."""

    hint = Signal(str)
    pixel = Signal(str)  # the value under the pointer
    materials_offered = Signal(object, int)  # Offered, and the number of an object that is to have one, or negative
    timed = Signal(str)  # how long the last picture took
    objects_dropped = Signal(object)  # list of Paths of mesh files
    ball_wanted = Signal()  # a new material on a ball
    wanted = Signal(str)  # the place that opens this, as "material" or "sets"
    theme_changed = Signal(object)

    def __init__(
        self, session: Session, renderer: Renderer, settings: Settings, settings_file: Path | None = None
    ) -> None:
        super().__init__()
        self.session, self.renderer, self.workers = session, renderer, renderer.workers
        self.settings, self._settings_file = settings, settings_file
        self.theme: Theme = THEMES.get(settings.theme, THEMES["day"])
        self.jobs = Jobs(self)
        self.offers = offers(session.library)
        self.shelf = Shelf()
        self.kept_pictures = KeptPictures(pictures_folder(settings_file))
        self.maker = PictureMaker(session, self.renderer, self.jobs, self.shelf, self)
        self.renders = RenderQueue(self.maker.renderer, self.jobs, self)  # the preview comes first
        renderer.images.files = renderer.images.files or level_files(settings, settings_file)
        self.budget = renderer.images.budget  # of all that this window keeps
        self.budget.limit = settings.memory * 2**20
        self._disk_told = False
        self.timed.connect(self._look_at_disk)

    @property
    def rules_file(self) -> Path | None:
        """The person's naming rules lie beside the settings."""
        return self._settings_file.with_name("names.json") if self._settings_file is not None else None

    def remember(self, **changed: object) -> None:
        """Changes settings and keeps them."""
        self.settings = self.settings.model_copy(update=changed)
        save_settings(self.settings, self._settings_file)
        if "disk" in changed:
            self.renderer.images.files = level_files(self.settings, self._settings_file)

    def set_theme(self, name: str) -> None:
        self.theme = THEMES[name]
        self.remember(theme=name)
        self.theme_changed.emit(self.theme)

    def _look_at_disk(self) -> None:
        """Says once that maps cannot be kept on disk."""
        files = self.renderer.images.files
        if files is not None and files.failed and not self._disk_told:
            self._disk_told = True
            self.tell(CollageError(
                f"Maps cannot be kept ready on the disk: {files.failed}.",
                remedy="All works without, but they are read anew at every start. Free some space, or see Settings.",
            ))  # fmt: skip

    def tell(self, error: CollageError) -> None:
        """Shows a problem at the top of the window."""
        self.session.problem.emit(error)

    def close(self) -> None:
        """Ends all work and lets go of pictures and images."""
        self.maker.close()
        self.jobs.close()
        self.session.close()
        self.renderer.caches.clear()
        self.renderer.images.close()
        self.workers.close()
        self.maker.workers.close()
