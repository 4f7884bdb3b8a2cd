"""The preview: the picture of the object, how it is looked at, and what a mouse does to it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from collage.app.jobs import Newest
from collage.app.session import Session
from collage.app.theme import Theme, font
from collage.app.widgets.dragged import files_in
from collage.app.wire import acts
from collage.app.wire.board import MATERIAL_FORMAT
from collage.app.wire.channel_names import channel_label
from collage.app.wire.pictures import to_image
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest, Quality
from collage.core.render.surface import SHOWN
from collage.core.scene.bench import Bench, Camera, Light

MODES = (
    ("lit", "Lit", "The surface under light"),
    ("base_color", "Base", "Base colour alone"),
    ("specular_roughness", "Rough", "Roughness alone"),
    ("base_metalness", "Metal", "Metalness alone"),
    ("normals", "Normal", "Normals, as a map shows them"),
    ("clay", "Clay", "Grey clay: relief alone"),
)
REST = 140  # milliseconds of rest before the full picture is made


class Preview(QWidget):
    """Shows the newest picture. Asks for a coarse one at once and a full one at rest."""

    hint = Signal(str)
    pixel = Signal(str)
    timed = Signal(str)
    failed = Signal(object)
    files_dropped = Signal(object, int)  # list of Paths, the object under the pointer

    def __init__(self, session: Session, renderer: Renderer, theme: Theme) -> None:
        super().__init__()
        self.session, self.renderer, self.theme = session, renderer, theme
        self.mode = "lit"
        self.picture: Picture | None = None
        self.shown: PictureRequest | None = None  # what the picture on the screen was made for
        self.flat: QImage | None = None
        self._image: QImage | None = None
        self._last = QPointF()
        self._press: QPointF | None = None
        self._dragged = False
        self.setObjectName("preview")
        self.setAccessibleName("Preview")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 160)
        self.setAcceptDrops(True)
        self.worker = Newest("preview", self)
        self.worker.answered.connect(self._take)
        self.worker.failed.connect(self.failed)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST)
        self._rest.timeout.connect(lambda: self._ask("draft"))
        session.changed.connect(self._on_changed)
        session.peek_changed.connect(self.ask)
        session.files_changed.connect(self.ask)
        session.camera_changed.connect(self._looked)

    def close_down(self) -> None:
        self._rest.stop()
        self.session.changed.disconnect(self._on_changed)
        self.session.peek_changed.disconnect(self.ask)
        self.session.files_changed.disconnect(self.ask)
        self.session.camera_changed.disconnect(self._looked)
        self.worker.close()

    def sizeHint(self) -> QSize:
        return QSize(400, 330)

    # ---- asking -------------------------------------------------------------------------------

    def request(self, quality: Quality = "draft") -> PictureRequest:
        """What the preview wants to show now."""
        session = self.session
        peek = (session.material, session.peeked) if session.peeked is not None else None
        return picture_request(
            session.shown_project,
            max(self.width(), 16),
            max(self.height(), 16),
            quality,
            self.mode,
            peek,
            session.base_folder,
        )

    def _on_changed(self, _before: object, _after: object) -> None:
        self.ask()

    def ask(self) -> None:
        """The document or the mode changed: rays stay, so the full picture is near; ask for it at once."""
        self._ask("draft")

    def _looked(self) -> None:
        """The eye or a light moved: a coarse picture now, the full one at rest."""
        self._ask("coarse")
        self._rest.start()

    def set_mode(self, mode: str) -> None:
        if mode != self.mode:
            self.mode = mode
            self.ask()

    def _ask(self, quality: Quality) -> None:
        request, renderer = self.request(quality), self.renderer
        coarse = replace(request, quality="coarse")

        def work(cancelled: Callable[[], bool]) -> Iterator[tuple[PictureRequest, Picture]]:
            if quality != "coarse" and not renderer.has_view(request):
                yield coarse, renderer.picture(coarse, cancelled=cancelled)
            yield request, renderer.picture(request, cancelled=cancelled)

        self.worker.ask(work)

    def _take(self, answer: tuple[PictureRequest, Picture]) -> None:
        self.shown, self.picture = answer
        self._image = to_image(self.picture.display)
        height, width = self.picture.display.shape[:2]
        self.timed.emit(f"{self.picture.seconds * 1000:.0f} ms · {width}×{height}")
        self.update()

    @property
    def settled(self) -> bool:
        """Whether the full picture of the present state is on the screen."""
        return self.worker.idle and not self._rest.isActive() and self.shown == self.request()

    # ---- showing ------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        grey = round(self.session.project.bench.surround * 255)
        painter.fillRect(self.rect(), QColor(grey, grey, grey))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self._image)
        if self.session.peeked is not None:
            self._draw_flat(painter)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.accent), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _draw_flat(self, painter: QPainter) -> None:
        """While peeking, the flat picture too, pinned into the corner."""
        assert self.session.peeked is not None
        box = QRectF(10, 10, 132, 79)
        painter.fillRect(box.adjusted(-3, -3, 3, 18), QColor(self.theme.card))
        if self.flat is not None:
            painter.drawImage(box, self.flat)
        painter.setFont(font(11))
        painter.setPen(QColor(self.theme.ink))
        text = f"Peek · {self.session.title(self.session.peeked.card)}"
        painter.drawText(box.adjusted(2, 79, 0, 17), Qt.AlignmentFlag.AlignVCenter, text)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._looked()

    # ---- the mouse ----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._press, self._last, self._dragged = event.position(), event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            self._tell_pixel(event.position().toPoint())
            self.hint.emit(
                "Drag to turn · Shift+drag to move · wheel to go nearer · Alt+drag to move the light · click for a part"
            )
            return
        gone = event.position() - self._last
        self._last = event.position()
        if not self._dragged and (event.position() - self._press).manhattanLength() < 4:
            return
        self._dragged = True
        middle = bool(event.buttons() & Qt.MouseButton.MiddleButton)
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._move_light(gone)
        elif middle or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.session.look(panned(self.session.camera, gone.x(), gone.y(), min(self.width(), self.height())))
        else:
            self.session.look(turned(self.session.camera, gone.x(), gone.y()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and not self._dragged and event.button() == Qt.MouseButton.LeftButton:
            self._pick(event.position().toPoint())
        if self._dragged:
            self.session.history.close_merge()
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        part = self.part_at(event.position().toPoint())
        self.frame(part if part >= 0 else None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        camera = self.session.camera
        distance = min(max(camera.distance * 0.9988 ** event.angleDelta().y(), 0.02), 100.0)
        self.session.look(camera.model_copy(update={"distance": distance}))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-12, 0),
            Qt.Key.Key_Right: (12, 0),
            Qt.Key.Key_Up: (0, -12),
            Qt.Key.Key_Down: (0, 12),
        }
        if event.key() in steps:
            self.session.look(turned(self.session.camera, *steps[Qt.Key(event.key())]))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            factor = 0.9 if event.key() == Qt.Key.Key_Plus else 1.1
            camera = self.session.camera
            self.session.look(camera.model_copy(update={"distance": min(camera.distance * factor, 100.0)}))
        elif event.key() == Qt.Key.Key_Home:
            self.frame(None)
        else:
            super().keyPressEvent(event)

    def _move_light(self, gone: QPointF) -> None:
        def moved(bench: Bench) -> Bench:
            if bench.lights:
                light: Light = bench.lights[0]
                turn = light.turn + gone.x() * 0.5
                height = min(max(light.height - gone.y() * 0.35, -10), 89)
                new = light.model_copy(update={"turn": turn, "height": height})
                return bench.model_copy(update={"lights": (new, *bench.lights[1:])})
            turned_by = bench.environment.turn + gone.x() * 0.5
            return bench.model_copy(update={"environment": bench.environment.model_copy(update={"turn": turned_by})})

        self.session.edit_bench("Move the light", moved, merge="light")
        self._looked()

    def part_at(self, point: QPoint) -> int:
        """The object under a point of the widget; negative where there is none."""
        at = self._pixel_at(point)
        if at is None or self.picture is None:
            return -2
        return int(self.picture.objects[at[1], at[0]])

    def _pixel_at(self, point: QPoint) -> tuple[int, int] | None:
        if self.picture is None or not self.rect().contains(point):
            return None
        height, width = self.picture.display.shape[:2]
        return min(point.x() * width // max(self.width(), 1), width - 1), min(
            point.y() * height // max(self.height(), 1), height - 1
        )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(MATERIAL_FORMAT) or files_in(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        part = self.part_at(event.position().toPoint())
        objects = self.session.project.bench.objects
        event.setAccepted(0 <= part < len(objects))
        if 0 <= part < len(objects):
            self.hint.emit(f"Let go to give it to {objects[part].name}")

    def dropEvent(self, event: QDropEvent) -> None:
        paths = files_in(event.mimeData())
        if paths:
            self.files_dropped.emit(paths, self.part_at(event.position().toPoint()))
            event.acceptProposedAction()
            return
        name = bytes(event.mimeData().data(MATERIAL_FORMAT).data()).decode()
        self.give(self.part_at(event.position().toPoint()), name)

    def give(self, part: int, name: str) -> None:
        """An object wears a material."""
        project = self.session.project
        if 0 <= part < len(project.bench.objects) and name in project.materials:
            acts.give_material(self.session, part, name)

    def wear_menu(self, part: int) -> QMenu:
        """The materials that a part can wear."""
        item, menu = self.session.project.bench.objects[part], QMenu(self)
        menu.setObjectName("wear menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addSection(f"{item.name} wears")
        for name in self.session.project.materials:
            action = menu.addAction(name, partial(self.give, part, name))
            action.setCheckable(True)
            action.setChecked(name == item.material)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        part = self.part_at(event.pos())
        if 0 <= part < len(self.session.project.bench.objects):
            self.wear_menu(part).popup(event.globalPos())

    def _pick(self, point: QPoint) -> None:
        part = self.part_at(point)
        objects = self.session.project.bench.objects
        if 0 <= part < len(objects):
            self.session.show_material(objects[part].material)
            self.hint.emit(f"{objects[part].name} wears “{objects[part].material}”")

    def _tell_pixel(self, point: QPoint) -> None:
        at = self._pixel_at(point)
        if at is None or self.picture is None:
            return
        linear, shown = self.picture.linear[at[1], at[0]], self.picture.display[at[1], at[0]]
        numbers = " ".join(f"{part:.3f}" for part in linear)
        self.pixel.emit(f"{numbers} linear   #{shown[0]:02X}{shown[1]:02X}{shown[2]:02X}")

    def frame(self, part: int | None) -> None:
        """Fits an object, or all of them, into the picture."""
        scene = self.renderer.bounds(self.session.project.bench, part)
        low, high = scene
        middle, size = (low + high) / 2, float(np.linalg.norm(high - low))
        camera = self.session.camera
        distance = max(size / 2 / np.tan(np.radians(camera.field) / 2) * 1.05, 0.05)
        target = (float(middle[0]), float(middle[1]), float(middle[2]))
        self.session.look(camera.model_copy(update={"target": target, "distance": distance}))


def turned(camera: Camera, dx: float, dy: float) -> Camera:
    height = min(max(camera.height + dy * 0.4, -20.0), 89.0)
    return camera.model_copy(update={"turn": camera.turn - dx * 0.5, "height": height})


def panned(camera: Camera, dx: float, dy: float, size: float) -> Camera:
    """The eye and its target moved with the mouse, so that the object follows the pointer."""
    right, up, _ = camera.axes()
    scale = 2 * camera.distance * np.tan(np.radians(camera.field) / 2) / max(size, 1)
    moved = np.array(camera.target) - right * dx * scale + up * dy * scale
    return camera.model_copy(update={"target": tuple(float(part) for part in moved)})


class PreviewPanel(QFrame):
    """The preview with its row of view modes."""

    def __init__(self, session: Session, renderer: Renderer, theme: Theme) -> None:
        super().__init__()
        self.preview = Preview(session, renderer, theme)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.preview, 1)
        row = QWidget()
        row.setObjectName("panel")
        buttons = QHBoxLayout(row)
        buttons.setContentsMargins(8, 5, 8, 5)
        buttons.setSpacing(3)
        self.buttons: dict[str, QToolButton] = {}
        self._group = QButtonGroup(self)
        for mode, label, tip in MODES:
            button = QToolButton()
            button.setText(label)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setChecked(mode == "lit")
            button.clicked.connect(lambda _=False, mode=mode: self.set_mode(mode))
            self._group.addButton(button)
            self.buttons[mode] = button
            buttons.addWidget(button)
        self.more = QToolButton()
        self.more.setText("More")
        self.more.setToolTip("Look at any other input alone")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(self.more)
        for name in SHOWN:
            if name not in self.buttons:
                menu.addAction(channel_label(name), partial(self.set_mode, name))
        self.more.setMenu(menu)
        buttons.addStretch(1)
        buttons.addWidget(self.more)
        layout.addWidget(row)

    def set_mode(self, mode: str) -> None:
        self._group.setExclusive(False)
        for name, button in self.buttons.items():
            button.setChecked(name == mode)
        self._group.setExclusive(True)
        self.more.setText("More" if mode in self.buttons else channel_label(mode))
        self.preview.set_mode(mode)

    def toggle_mode(self, mode: str) -> None:
        """The mode, or back to the lit view if it is on already."""
        self.set_mode("lit" if self.preview.mode == mode else mode)
