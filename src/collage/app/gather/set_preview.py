"""A set or a material on a stock shape, turned by the mouse."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from collage.app.jobs import Newest
from collage.app.theme import font
from collage.app.wire.pictures import to_image
from collage.app.wire.preview_panel import turned
from collage.core.document.model import Network
from collage.core.project.pictures import picture_request
from collage.core.project.state import Project
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture
from collage.core.render.swatch import studio

SHAPES = {"sphere": "Ball", "plane": "Sheet", "pot": "Pot", "cylinder": "Cylinder", "rounded box": "Block"}


class SetPreview(QWidget):
    """A picture that follows what it is given; the work is done on a thread of its own."""

    failed = Signal(object)

    def __init__(self, renderer: Renderer, name: str, shape: str = "sphere") -> None:
        super().__init__()
        self.renderer, self.note = renderer, ""
        self.shape_name = shape
        self._network: Network | None = None
        self._image: QImage | None = None
        self._last: QPointF | None = None
        self.camera = studio("", shape).camera
        self.setMinimumSize(120, 110)
        self.setAccessibleName(name)
        self.worker = Newest(name, self)
        self.worker.answered.connect(self._take)
        self.worker.failed.connect(self.failed)

    def sizeHint(self) -> QSize:
        return QSize(320, 260)

    def close_down(self) -> None:
        self.worker.close()

    def show_network(self, network: Network | None) -> None:
        """Shows a material; its file names are absolute. None clears the picture."""
        self._network = network
        if network is None:
            self._image = None
            self.update()
        self._ask()

    def set_shape(self, name: str) -> None:
        self.shape_name, self.camera = name, studio("", name).camera
        self._ask()

    @property
    def image(self) -> QImage | None:
        return self._image

    @property
    def settled(self) -> bool:
        return self.worker.idle

    def _ask(self) -> None:
        if self._network is None:
            return
        bench = studio("shown", self.shape_name)
        camera = self.camera
        bench = bench.model_copy(update={"camera": camera})
        project = Project(materials={"shown": self._network}, bench=bench)
        size = max(self.width(), 16), max(self.height(), 16)
        coarse = picture_request(project, *size, "coarse")
        draft = picture_request(project, *size)
        renderer = self.renderer

        def work(cancelled: Callable[[], bool]) -> Iterator[Picture]:
            if not renderer.has_view(draft):
                yield renderer.picture(coarse, cancelled=cancelled)
            yield renderer.picture(draft, cancelled=cancelled)

        self.worker.ask(work)

    def _take(self, picture: Picture) -> None:
        if self._network is not None:
            self._image = to_image(picture.display)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor("#7A7A7A"))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self._image)
        painter.setFont(font(11))
        painter.setPen(QColor("#111111"))
        painter.drawText(self.rect().adjusted(9, 4, -8, -5), Qt.AlignmentFlag.AlignTop, self.note)
        painter.end()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.size() != event.oldSize():
            self._ask()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._last is not None:
            gone = event.position() - self._last
            self._last = event.position()
            self.camera = turned(self.camera, gone.x(), gone.y())
            self._ask()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._last = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        distance = min(max(self.camera.distance * 0.9988 ** event.angleDelta().y(), 0.1), 5.0)
        self.camera = self.camera.model_copy(update={"distance": distance})
        self._ask()

    def enterEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.setCursor(Qt.CursorShape.OpenHandCursor)
