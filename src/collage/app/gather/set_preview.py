"""A set or a material on a stock shape, turned by the mouse."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtGui import QColor, QPainter

from collage.app.preview.viewport import Viewport
from collage.app.shell.jobs import Jobs
from collage.app.theme import DAY, font
from collage.core.document.model import Network
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.swatch import studio
from collage.core.scene.bench import Camera
from collage.core.scene.stage import LABELS

SHAPES = {name: LABELS[name] for name in ("sphere", "plane", "pot", "cylinder", "rounded box")}
SHOWN = "shown"  # the material's name


class SetPreview(Viewport):
    """Shows a material that is not, or not yet, the project's."""

    def __init__(self, renderer: Renderer, jobs: Jobs, name: str, shape: str = "sphere") -> None:
        super().__init__(renderer, jobs, DAY, name)
        self.note = ""
        self.shape_name = shape
        self._network: Network | None = None
        self._camera = studio("", shape).camera
        self.setMinimumSize(120, 110)
        self.over.append(self._draw_note)

    def sizeHint(self) -> QSize:
        return QSize(320, 260)

    def request(self) -> PictureRequest | None:
        if self._network is None:
            return None
        bench = studio(SHOWN, self.shape_name).model_copy(update={"camera": self._camera})
        return PictureRequest(bench, {SHOWN: self._network}, *self.full_size())

    @property
    def camera(self) -> Camera:
        return self._camera

    def look(self, camera: Camera) -> None:
        self._camera = camera
        self.ask("view")

    def show_network(self, network: Network | None) -> None:
        """Shows a material; its file names are absolute. None clears the picture."""
        self._network = network
        if network is None:
            self.clear()
        self.ask("value")

    def set_shape(self, name: str) -> None:
        self.shape_name, self._camera = name, studio("", name).camera
        self.ask("view")

    def _draw_note(self, painter: QPainter) -> None:
        painter.setFont(font(11))
        painter.setPen(QColor("#111111"))
        painter.drawText(self.rect().adjusted(9, 4, -8, -5), 0, self.note)
