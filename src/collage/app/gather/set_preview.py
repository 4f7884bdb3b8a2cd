"""A set or a material on a stock shape, turned by the mouse."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Signal
from PySide6.QtGui import QColor, QPainter

from collage.app.preview.viewport import Viewport
from collage.app.shell.jobs import Jobs
from collage.app.theme import DAY, font
from collage.core.document.model import Network
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.swatch import studio
from collage.core.scene.bench import Camera, Light
from collage.core.scene.stage import LABELS

SHAPES = {name: LABELS[name] for name in ("sphere", "plane", "pot", "cylinder", "rounded box")}
SHOWN = "shown"  # the material's name


class SetPreview(Viewport):
    """Shows a material that is not, or not yet, the project's. Its light is its own, moved by Alt+drag."""

    light_moved = Signal(object)  # the light, for another preview beside it

    def __init__(self, renderer: Renderer, jobs: Jobs, name: str, shape: str = "sphere") -> None:
        super().__init__(renderer, jobs, DAY, name)
        self.note = ""
        self.shape_name = shape
        self._network: Network | None = None
        self._camera, (self.light,) = studio("", shape).camera, studio("", shape).lights
        self.mode = "lit"
        self.setMinimumSize(120, 110)
        self.over.append(self._draw_note)

    def sizeHint(self) -> QSize:
        return QSize(320, 260)

    def request(self) -> PictureRequest | None:
        if self._network is None:
            return None
        changed = {"camera": self._camera, "lights": (self.light,)}
        bench = studio(SHOWN, self.shape_name).model_copy(update=changed)
        return PictureRequest(bench, {SHOWN: self._network}, *self.full_size(), mode=self.mode)

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
        self.shape_name, self._camera, (self.light,) = name, studio("", name).camera, studio("", name).lights
        self.ask("view")

    def set_mode(self, mode: str) -> None:
        """Lit, or clay: relief without colour."""
        self.mode = mode
        self.ask("value")

    def move_light(self, gone: QPointF) -> None:
        height = min(max(self.light.height - gone.y() * 0.35, 2.0), 90.0)
        self.set_light(self.light.model_copy(update={"turn": self.light.turn + gone.x() * 0.5, "height": height}))
        self.light_moved.emit(self.light)

    def set_light(self, light: Light) -> None:
        """Lights it from somewhere else."""
        self.light = light
        self.ask("light")

    def _draw_note(self, painter: QPainter) -> None:
        painter.setFont(font(11))
        painter.setPen(QColor("#111111"))
        painter.drawText(self.rect().adjusted(9, 4, -8, -5), 0, self.note)
