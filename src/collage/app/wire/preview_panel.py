"""The preview: the session's bench under light, its view modes, and what is dropped on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QImage,
    QMouseEvent,
    QPainter,
)
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from collage.app.preview.viewport import Viewport
from collage.app.shell.jobs import Latest
from collage.app.shell.studio import Studio
from collage.app.theme import Theme, font, icon
from collage.app.widgets.dragged import MATERIAL_FORMAT, files_in
from collage.app.wire.channel_names import channel_label
from collage.core.actions import bench as bench_acts
from collage.core.actions import materials as materials_acts
from collage.core.project.pictures import picture_request
from collage.core.project.state import Project
from collage.core.render.channels import SHOWN
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench, Camera

HINT = "Drag to orbit · Shift+drag to pan · wheel to zoom · Alt+drag moves the light · click picks an object"
KEEP_AFTER = 1000  # milliseconds that a picture stands still until it is kept for the next start
MODES = (
    ("lit", "Lit", "Final surface under light"),
    ("base_color", "Base", "Base colour only"),
    ("specular_roughness", "Rough", "Roughness only"),
    ("base_metalness", "Metal", "Metalness only"),
    ("normals", "Normal", "Normals, as in a normal map"),
    ("clay", "Clay", "Clay: relief without colour"),
)


class Preview(Viewport):
    """The session's bench: what a hand does to it, and what is dropped on it."""

    files_dropped = Signal(object, int)  # list of Paths, the object under the pointer

    def __init__(self, studio: Studio) -> None:
        self.session, self._pictures = studio.session, studio.kept_pictures
        super().__init__(studio.renderer, studio.jobs, studio.theme, "Preview")
        session = studio.session
        self.mode = "lit"
        self.flat: QImage | None = None
        self.setObjectName("preview")
        self.setMinimumSize(200, 160)
        self.setAcceptDrops(True)
        self.over.append(self._draw_flat)
        session.changed.connect(self._on_changed)
        session.peek_changed.connect(self._values_changed)
        session.files_changed.connect(self._values_changed)
        session.camera_changed.connect(self._looked)
        session.opened.connect(self._opened)
        self._keeping = Latest(studio.jobs, self)
        self._keep_soon = QTimer(self)  # what is looked at for a moment only is not worth keeping
        self._keep_soon.setSingleShot(True)
        self._keep_soon.setInterval(KEEP_AFTER)
        self._keep_soon.timeout.connect(self._keep)
        self.shown_changed.connect(self._keep_soon.start)
        session.saved.connect(self._saved)
        self._saved_camera = session.camera

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.peek_changed.disconnect(self._values_changed)
        self.session.files_changed.disconnect(self._values_changed)
        self.session.camera_changed.disconnect(self._looked)
        self.session.opened.disconnect(self._opened)
        self.session.saved.disconnect(self._saved)
        self._keep_soon.stop()
        self._keeping.close()
        super().close_down()

    # ---- what is shown ------------------------------------------------------------------------

    def request(self) -> PictureRequest:
        session = self.session
        peek = (session.material, session.peeked) if session.peeked is not None else None
        return picture_request(
            session.shown_project, *self.full_size(), mode=self.mode, peek=peek, folder=session.base_folder
        )

    def bench(self) -> Bench:
        return self.session.project.bench

    def _on_changed(self, before: Project, after: Project) -> None:
        old, new = before.bench, after.bench
        if old.geometry_key != new.geometry_key:
            self.ask("view")
        elif (old.lights, old.environment) != (new.lights, new.environment):
            self.ask("light")
        else:
            self.ask("value")

    def _values_changed(self) -> None:
        self.ask("value")

    def _looked(self) -> None:
        self.ask("view")

    # ---- the picture of last time -------------------------------------------------------------

    def _opened(self) -> None:
        folder = self.session.folder
        image = self._pictures.find(folder, self.session.camera) if folder is not None and self.mode == "lit" else None
        if image is not None:
            self.show_kept(image)

    def _saved(self) -> None:
        self._saved_camera = self.session.camera
        self._keep_soon.start()

    def _keep(self) -> None:
        session, image = self.session, self.image
        folder, camera = session.folder, session.camera
        as_saved = not session.dirty and camera == self._saved_camera
        plain = self.mode == "lit" and session.peeked is None
        if folder is None or image is None or not (as_saved and plain) or self.kept or not self.settled:
            return

        def work(_overtaken: Callable[[], bool]) -> Iterator[None]:
            self._pictures.keep(image, folder, camera)
            yield None

        self._keeping.ask(work)

    def set_mode(self, mode: str) -> None:
        if mode != self.mode:
            self.mode = mode
            self.ask("value")

    def _draw_flat(self, painter: QPainter) -> None:
        """While peeking, the flat picture too, pinned into the corner."""
        if self.session.peeked is None:
            return
        box = QRectF(10, 10, 132, 79)
        painter.fillRect(box.adjusted(-3, -3, 3, 18), QColor(self.theme.card))
        if self.flat is not None:
            painter.drawImage(box, self.flat)
        painter.setFont(font(11))
        painter.setPen(QColor(self.theme.ink))
        text = f"Peek · {self.session.title(self.session.peeked.card)}"
        painter.drawText(box.adjusted(2, 79, 0, 17), Qt.AlignmentFlag.AlignVCenter, text)

    # ---- what the hand does -------------------------------------------------------------------

    @property
    def camera(self) -> Camera:
        return self.session.camera

    def look(self, camera: Camera) -> None:
        self.session.look(camera)

    def move_light(self, gone: QPointF) -> None:
        bench_acts.move_light(self.session, gone.x() * 0.5, -gone.y() * 0.35)

    def dropped(self) -> None:
        self.session.history.close_merge()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not event.buttons():
            self.hint.emit(HINT)
        super().mouseMoveEvent(event)

    def clicked(self, point: QPoint) -> None:
        number = self.object_at(point)
        objects = self.session.project.bench.objects
        if 0 <= number < len(objects):
            self.session.show_material(objects[number].material)
            self.hint.emit(f"{objects[number].name} has “{objects[number].material}”")

    # ---- drops, menus -------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(MATERIAL_FORMAT) or files_in(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        number = self.object_at(event.position().toPoint())
        objects = self.session.project.bench.objects
        event.setAccepted(0 <= number < len(objects))
        if 0 <= number < len(objects):
            self.hint.emit(f"Drop to assign to {objects[number].name}")

    def dropEvent(self, event: QDropEvent) -> None:
        paths = files_in(event.mimeData())
        if paths:
            self.files_dropped.emit(paths, self.object_at(event.position().toPoint()))
            event.acceptProposedAction()
            return
        name = bytes(event.mimeData().data(MATERIAL_FORMAT).data()).decode()
        self.assign(self.object_at(event.position().toPoint()), name)

    def assign(self, number: int, name: str) -> None:
        """Assigns a material to an object."""
        project = self.session.project
        if 0 <= number < len(project.bench.objects) and name in project.materials:
            materials_acts.assign_material(self.session, number, name)

    def assign_menu(self, number: int) -> QMenu:
        """The materials that can be assigned to an object."""
        item, menu = self.session.project.bench.objects[number], QMenu(self)
        menu.setObjectName("assign menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addSection(f"Material of {item.name}")
        for name in self.session.project.materials:
            action = menu.addAction(name, partial(self.assign, number, name))
            action.setCheckable(True)
            action.setChecked(name == item.material)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        number = self.object_at(event.pos())
        if 0 <= number < len(self.session.project.bench.objects):
            self.assign_menu(number).popup(event.globalPos())


class PreviewPanel(QFrame):
    """The preview with its row of view modes."""

    large_wanted = Signal()  # the preview is to have the middle of the window, or to give it back

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.preview = Preview(studio)
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
        self.more.setToolTip("View another input only")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(self.more)
        for name in SHOWN:
            if name not in self.buttons:
                menu.addAction(channel_label(name), partial(self.set_mode, name))
        self.more.setMenu(menu)
        buttons.addStretch(1)
        buttons.addWidget(self.more)
        self.large = QToolButton()
        self.large.setCheckable(True)
        self.large.setToolTip("Large preview (F6)")
        self.large.setAccessibleName("Large preview")
        self.large.clicked.connect(self.large_wanted)
        buttons.addWidget(self.large)
        self.set_theme(studio.theme)
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

    def set_theme(self, theme: Theme) -> None:
        self.preview.theme = theme
        self.large.setIcon(icon("large", theme))
