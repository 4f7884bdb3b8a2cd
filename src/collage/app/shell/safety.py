"""Unsaved work is put on disk shortly after every edit, and offered again after a crash."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from collage.app.shell.banner import Banner
from collage.app.shell.studio import Studio
from collage.core.base.errors import CollageError
from collage.core.project.lock import BEAT
from collage.core.project.recovery import LeftDesk, discard

KEEP_SAFE = 2000  # milliseconds after an edit until it is on disk
RETRY = 5000  # milliseconds after a failure until it is tried again
MOST = 4  # materials that are named


class Safety(QObject):
    """Keeps the session's work safe."""

    def __init__(self, studio: Studio, banner: Banner, parent: QObject) -> None:
        super().__init__(parent)
        self.studio, self.session, self.banner = studio, studio.session, banner
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._failing = False
        self._beat = QTimer(self)
        self._beat.setInterval(round(BEAT * 1000))
        self._beat.timeout.connect(self._tell_others)
        self._beat.start()
        self._timer.timeout.connect(self._keep)
        self.session.changed.connect(self._on_changed)

    def close_down(self) -> None:
        self._timer.stop()
        self._beat.stop()
        self.session.changed.disconnect(self._on_changed)

    def _on_changed(self, _before: object, _after: object) -> None:
        if not self._timer.isActive():  # a long row of edits must not put it off
            self._timer.start(KEEP_SAFE)

    def _tell_others(self) -> None:
        if self.session.lock is not None:
            self.session.lock.beat()

    def _keep(self) -> None:
        self.studio.jobs.submit(self._keep_now)

    def _keep_now(self) -> None:
        """On a thread."""
        failed: CollageError | None = None
        try:
            self.session.keep_safe()
        except CollageError as error:
            failed = error
        self.studio.jobs.post(lambda: self._kept(failed))

    def _kept(self, error: CollageError | None) -> None:
        """Says that unsaved work is not kept, and when it is again; tries on until then."""
        if error is not None:
            self._timer.start(RETRY)
            if not self._failing:
                text = "Unsaved changes are not kept safe at the moment. "
                self.banner.say(f"{text}{error}", [("Close", self.banner.hide)])
        elif self._failing:
            self.banner.say("Unsaved changes are kept safe again.", [("Close", self.banner.hide)])
        self._failing = error is not None

    # ---- after a crash ------------------------------------------------------------------------

    def offer(self, desk: LeftDesk) -> None:
        """Offers work that a crash left behind."""
        names = list(desk.project.materials)
        more = f" and {len(names) - MOST} more" if len(names) > MOST else ""
        self.banner.say(
            f"Collage closed unexpectedly with unsaved changes to “{desk.name}”: {', '.join(names[:MOST])}{more}.",
            [("Recover", lambda: self.recover(desk)), ("Discard", lambda: discard(desk))],
        )

    def recover(self, desk: LeftDesk) -> None:
        self.session.put(desk.project, desk.folder, saved=False)
        discard(desk)
        self._timer.start(KEEP_SAFE)
