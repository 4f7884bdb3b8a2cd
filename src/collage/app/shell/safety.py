"""Unsaved work is put on disk shortly after every edit, and offered again after a crash."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from collage.app.shell.banner import Banner
from collage.app.shell.studio import Studio
from collage.core.base.errors import CollageError
from collage.core.project.recovery import LeftDesk, discard

KEEP_SAFE = 2000  # milliseconds after an edit until it is on disk


class Safety(QObject):
    """Keeps the session's work safe."""

    def __init__(self, studio: Studio, banner: Banner, parent: QObject) -> None:
        super().__init__(parent)
        self.studio, self.session, self.banner = studio, studio.session, banner
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(KEEP_SAFE)
        self._timer.timeout.connect(self._keep)
        self.session.changed.connect(self._on_changed)

    def close_down(self) -> None:
        self._timer.stop()
        self.session.changed.disconnect(self._on_changed)

    def _on_changed(self, _before: object, _after: object) -> None:
        if not self._timer.isActive():  # a long row of edits must not put it off
            self._timer.start()

    def _keep(self) -> None:
        self.studio.jobs.submit(self._keep_now)

    def _keep_now(self) -> None:
        try:
            self.session.keep_safe()
        except (CollageError, OSError):
            return  # the disk is full or gone: saving will say so; the work itself goes on

    # ---- after a crash ------------------------------------------------------------------------

    def offer(self, desk: LeftDesk) -> None:
        """Offers work that a crash left behind."""
        self.banner.say(
            f"Collage closed unexpectedly with unsaved changes to “{desk.name}”.",
            [("Recover", lambda: self.recover(desk)), ("Discard", lambda: discard(desk))],
        )

    def recover(self, desk: LeftDesk) -> None:
        try:
            self.session.put(desk.load(), desk.folder, saved=False)
        except CollageError as error:
            self.banner.tell(error)
            return
        discard(desk)
        self._timer.start()
