"""A viewport on the session's bench: it looks through the session's camera, and follows what changes there."""

from __future__ import annotations

from collage.app.preview.viewport import Viewport
from collage.app.shell.studio import Studio
from collage.core.project.state import Project
from collage.core.scene.bench import Bench
from collage.core.scene.cameras import Camera


class BenchView(Viewport):
    """Subclasses say what is shown of the bench."""

    def __init__(self, studio: Studio, name: str) -> None:
        super().__init__(studio.renderer, studio.jobs, studio.theme, name)
        self.session = studio.session
        self.session.changed.connect(self._on_changed)
        self.session.camera_changed.connect(self._looked)
        self.session.opened.connect(self._opened)
        self.session.files_changed.connect(self._opened)

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.camera_changed.disconnect(self._looked)
        self.session.opened.disconnect(self._opened)
        self.session.files_changed.disconnect(self._opened)
        super().close_down()

    def bench(self) -> Bench:
        return self.session.bench

    @property
    def camera(self) -> Camera:
        return self.session.camera

    def look(self, camera: Camera) -> None:
        if not (self.camera.locked and camera.locked and camera.stand != self.camera.stand):
            self.session.look(camera)

    def dropped(self) -> None:
        self.session.history.close_merge()

    def _on_changed(self, before: Project, after: Project) -> None:
        old, new = before.bench, after.bench
        worn = [[one.materials for one in bench.objects] for bench in (old, new)]
        if not old.stands_as(new) or worn[0] != worn[1]:
            self.ask("view")
        elif (old.shining, old.around) != (new.shining, new.around):
            self.ask("light")
        else:
            self.ask("value")

    def _looked(self) -> None:
        self.ask("view")

    def _opened(self) -> None:
        self.ask("view")
