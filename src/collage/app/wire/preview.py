"""The preview: the session's bench under light, or the material in hand on a stock shape, and what is dropped on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QShowEvent,
)
from PySide6.QtWidgets import QMenu

from collage.app.preview.viewport import Viewport
from collage.app.shell.acts import add
from collage.app.shell.jobs import Latest
from collage.app.shell.studio import Studio
from collage.app.theme import font
from collage.app.widgets.dragged import EFFECT_FORMAT, MATERIAL_FORMAT, files_in, text_in
from collage.app.widgets.empty_note import EmptyNote
from collage.app.wire.relief_keys import GRAZING_KEY, HELD, ReliefKeys
from collage.app.wire.section_view import SectionView
from collage.core.actions import bench as bench_acts
from collage.core.actions import effects as effects_acts
from collage.core.actions import materials as materials_acts
from collage.core.actions import objects as objects_acts
from collage.core.actions.registry import action_of
from collage.core.base.errors import CollageError
from collage.core.images.alpha import has_alpha, make_label_file
from collage.core.images.codecs import codec_of
from collage.core.images.files import read_info
from collage.core.project.objects import is_mesh
from collage.core.project.pictures import picture_request
from collage.core.project.state import Project
from collage.core.render.pick import pick
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench, BenchObject, Camera, Faces
from collage.core.scene.geometry import MeshFile
from collage.core.scene.stage import Stage, length_text

HINT = "Drag to orbit · Shift+drag to pan · wheel to zoom · Alt+drag moves the light · click picks an object"
CREASES = (20.0, 40.0, 60.0, 180.0)  # degrees that the menu offers
BY_VIEW = "Automatic, finer near the camera"
DETAILS = (None, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05)  # metres, of the finest relief that moves a surface
SMOOTHING = (None, 0.0, 20.0, 40.0, 60.0, 180.0)  # and for shading
SECTION_KEY = Qt.Key.Key_L
FLUTTER = 60  # milliseconds within which a held key may come up and down again: some repeats look like that
KEEP_AFTER = 1000  # milliseconds that a picture stands still until it is kept for the next start


class Preview(Viewport):
    """The session's bench: what a hand does to it, and what is dropped on it."""

    effect_dropped = Signal(str, str)  # an effect, and the material under the pointer
    files_dropped = Signal(object, int)  # list of Paths, the object under the pointer
    stage_changed = Signal()  # the material may be shown on something else

    def __init__(self, studio: Studio) -> None:
        self.session, self._pictures, self._jobs = studio.session, studio.kept_pictures, studio.jobs
        super().__init__(studio.renderer, studio.jobs, studio.theme, "Preview")
        session = studio.session
        self.mode = "lit"
        self.relief = ReliefKeys()
        self._up: set[int] = set()  # held keys that came up just now
        self._let_go = QTimer(self)
        self._let_go.setSingleShot(True)
        self._let_go.setInterval(FLUTTER)
        self._let_go.timeout.connect(self._come_up)
        self.chosen: Stage | None = None  # what the person wants to see the material on; None for the bench
        self._stage_camera: tuple[Stage, Camera] | None = None
        self._told: tuple[Stage | None, bool] = (None, False)  # what was said of what it is shown on
        self._carried_over = False  # something is being dragged over it, to be dropped on one of the bench's objects
        self.flat: QImage | None = None
        self.setObjectName("preview")
        self.setMinimumSize(200, 160)
        self.setAcceptDrops(True)
        self.empty = EmptyNote(self, "Nothing is on the bench.", "New material on a ball")
        self.empty.button.clicked.connect(studio.ball_wanted)
        self.stage_changed.connect(self._show_empty)
        self.over.append(self._draw_flat)
        self.section = SectionView(studio.renderer, studio.jobs, self)
        self.section.changed.connect(self.update)
        self.section.hint.connect(self.hint)
        self.shown_changed.connect(self._follow_section)
        self.over.append(self._draw_section)
        session.changed.connect(self._on_changed)
        session.peek_changed.connect(self._values_changed)
        session.files_changed.connect(self._values_changed)
        session.camera_changed.connect(self._looked)
        session.opened.connect(self._opened)
        session.material_changed.connect(self._material_changed)
        self._keeping = Latest(studio.jobs, self)
        self._own = False  # whether the project was saved here, and takes its picture along
        self._keep_soon = QTimer(self)  # what is looked at for a moment only is not worth keeping
        self._keep_soon.setSingleShot(True)
        self._keep_soon.setInterval(KEEP_AFTER)
        self._keep_soon.timeout.connect(self._keep)
        self._readying = Latest(studio.jobs, self, behind=True)
        self._keep_soon.timeout.connect(self._make_ready)
        self.shown_changed.connect(self._keep_soon.start)
        session.saved.connect(self._saved)
        self._saved_camera = session.camera

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.peek_changed.disconnect(self._values_changed)
        self.session.files_changed.disconnect(self._values_changed)
        self.session.camera_changed.disconnect(self._looked)
        self.session.opened.disconnect(self._opened)
        self.session.material_changed.disconnect(self._material_changed)
        self.session.saved.disconnect(self._saved)
        self._keep_soon.stop()
        self._keeping.close()
        self._readying.close()
        self.section.close()
        super().close_down()

    # ---- what is shown ------------------------------------------------------------------------

    def request(self) -> PictureRequest:
        session, stage = self.session, self.stage
        peek = (session.material, session.peeked) if session.peeked is not None else None
        project = session.shown_project
        if stage is not None:
            bench = stage.bench(project.bench, session.material).model_copy(update={"camera": self.camera})
            project = project.with_bench(bench)
        request = picture_request(project, *self.full_size(), mode=self.mode, peek=peek, folder=session.base_folder)
        return self.relief.applied(request)

    def bench(self) -> Bench:
        bench = self.session.bench
        return bench if self.stage is None else self.stage.bench(bench, self.session.material)

    @property
    def stage(self) -> Stage | None:
        """The stock shape that the material in hand is shown on; None for the bench.

        Without a choice, a material that is on no object is shown on a ball.
        """
        if self._carried_over:
            return None
        project = self.session.project
        on_none = bool(project.bench.objects) and self.session.material in project.materials
        if self.chosen is None and on_none and not project.wearers(self.session.material):
            return Stage()
        return self.chosen

    def notes(self) -> list[str]:
        stage, name = self.stage, self.session.material
        told = self.relief.notes()
        if stage is None or self.session.project.wearers(name):
            return told
        return [*told, f"“{name}” is on no object: shown on a stock shape ({stage.label})"]

    def show_on(self, stage: Stage | None) -> None:
        """Shows the material in hand on a stock shape, or the bench."""
        self.chosen = stage
        self._tell_stage()
        self.ask("view")

    def _tell_stage(self) -> None:
        """Says when the material is shown on something else, and not with every value that changes."""
        now = self.stage, bool(self.session.project.bench.objects)
        if now != self._told:
            self._told = now
            self.stage_changed.emit()

    def _material_changed(self) -> None:
        """Another material is in hand: it may be on no object, and the one before may have been."""
        if self.shown is not None and self.shown.bench.objects != self.bench().objects:
            self.ask("view")
        self._tell_stage()
        self._keep_soon.start()

    def _on_changed(self, before: Project, after: Project) -> None:
        old, new = before.bench, after.bench
        self._tell_stage()
        if not old.stands_as(new) or before.wearers(self.session.material) != after.wearers(self.session.material):
            self.ask("view")
        elif (old.lights, old.environment) != (new.lights, new.environment):
            self.ask("light")
        else:
            self.ask("value")

    def _values_changed(self) -> None:
        self.ask("value")

    def _looked(self) -> None:
        self.ask("view")

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show_empty()

    def _show_empty(self) -> None:
        self.empty.show_when(self.stage is None and not self.session.project.bench.objects)

    # ---- the picture of last time -------------------------------------------------------------

    def _opened(self) -> None:
        self._show_empty()
        self._own = False
        folder = self.session.folder
        plain = folder is not None and self.mode == "lit" and self.stage is None
        image = self._pictures.find(folder, self.session.camera) if plain and folder is not None else None
        if image is not None:
            self.show_kept(image)

    def _saved(self) -> None:
        self._own = True
        self._saved_camera = self.session.camera
        self._keep_soon.start()

    def _keep(self) -> None:
        session, image = self.session, self.image
        folder, camera = session.folder, session.camera
        as_saved = not session.dirty and camera == self._saved_camera
        plain = self.mode == "lit" and session.peeked is None and self.stage is None
        plain = plain and not self.relief.held and self.relief.grazing is None
        if folder is None or image is None or not (as_saved and plain) or self.kept or not self.settled:
            return

        own = self._own

        def work(_overtaken: Callable[[], bool]) -> Iterator[None]:
            self._pictures.keep(image, folder, camera, own=own)
            yield None

        self._keeping.ask(work)

    def _make_ready(self) -> None:
        """What a hand on the material in hand will need, so that it does not wait for it."""
        request, material, renderer = self.request(), self.session.material, self.renderer
        if self.shown is None or self.shown.quality == "coarse" or material not in request.materials:
            return

        def work(overtaken: Callable[[], bool]) -> Iterator[None]:
            renderer.ready_for_hand(request, material, overtaken)
            yield None

        self._readying.ask(work)

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
        stage = self.stage
        if stage is None:
            return self.session.camera
        if self._stage_camera is None or self._stage_camera[0] != stage:
            self._stage_camera = stage, stage.camera()
        return self._stage_camera[1]

    def look(self, camera: Camera) -> None:
        stage = self.stage
        if stage is None:
            self.session.look(camera)
        else:
            self._stage_camera = stage, camera
            self.ask("view")

    def move_light(self, gone: QPointF) -> None:
        if self.relief.grazing is not None:
            self.relief.grazing = self.relief.grazing.moved(gone)
            self.ask("light")
            return
        bench_acts.move_light(self.session, gone.x() * 0.5, -gone.y() * 0.35)

    def dropped(self) -> None:
        self.session.history.close_merge()

    def toggle_grazing(self) -> None:
        """A low light instead of the bench's, or those again."""
        self.relief.press(GRAZING_KEY)
        self.ask("light")

    def toggle_section(self) -> None:
        """A line across an object shows its profile; or no more."""
        self.section.toggle()
        if self.section.on:
            self.setFocus()

    def _follow_section(self) -> None:
        self.section.follow(self.shown, self._extent)

    def _draw_section(self, painter: QPainter) -> None:
        self.section.draw(painter, self.shown, self._extent, self.theme)

    @property
    def _extent(self) -> tuple[int, int]:
        return self.width(), self.height()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        ends = event.key() == Qt.Key.Key_Escape and self.section.on
        if plain and not event.isAutoRepeat() and (event.key() == SECTION_KEY or ends):
            self.toggle_section()
            return
        if event.key() in self._up:  # it was held all the time
            self._up.discard(event.key())
        elif event.isAutoRepeat() or not plain or not self.relief.press(event.key()):
            super().keyPressEvent(event)
        else:
            self.ask("light" if event.key() == GRAZING_KEY else "view")

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.isAutoRepeat() or event.key() not in HELD:
            super().keyReleaseEvent(event)
        else:
            self._up.add(event.key())
            self._let_go.start()

    def _come_up(self) -> None:
        """Keys that came up and stayed up."""
        changed = [self.relief.release(key) for key in self._up]
        self._up.clear()
        if any(changed):
            self.ask("view")

    @property
    def settled(self) -> bool:
        return super().settled and not self._let_go.isActive() and self.section.idle

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._up.clear()
        if self.relief.let_go():
            self.ask("view")
        super().focusOutEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        plain = event.button() == Qt.MouseButton.LeftButton and not event.modifiers()
        if plain and self.section.press(event.position(), self.shown, self._extent):
            self.setFocus()
        else:
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.section.move(event.position(), self.shown, self._extent):
            return
        if not event.buttons():
            self.hint.emit(self.section.hint_text if self.section.on else HINT)
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if not self.section.release():
            super().mouseReleaseEvent(event)

    def clicked(self, point: QPoint) -> None:
        name = self._material_at(point) if self.stage is None else ""
        if name:
            item = self.session.project.bench.objects[self.object_at(point)]
            self.session.show_material(name)
            self.hint.emit(f"{item.name} has “{name}”" + (" here" if name != item.material else ""))

    def _material_at(self, point: QPoint) -> str:
        """The material of what lies under a point; empty where there is no object."""
        number, objects = self.object_at(point), self.session.project.bench.objects
        if not 0 <= number < len(objects):
            return ""
        item, faces = objects[number], self.faces_at(point)
        mine = [one.material for one in item.assigned if one.told_by in faces]
        return mine[-1] if mine else item.material

    # ---- drops, menus -------------------------------------------------------------------------

    def object_at(self, point: QPoint) -> int:
        """The bench's object under a point; negative where there is none, or where a stock shape is shown."""
        shown = self.shown.bench.objects if self.shown is not None else ()
        return super().object_at(point) if shown == self.session.bench.objects else -2

    def _carry(self, over: bool) -> None:
        """While something is dragged over it, the bench is shown, to drop it on."""
        before = self.stage
        self._carried_over = over
        if self.stage != before:
            self._tell_stage()
            self.ask("view")

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        mime = event.mimeData()
        if any(mime.hasFormat(form) for form in (MATERIAL_FORMAT, EFFECT_FORMAT)) or files_in(event.mimeData()):
            self._carry(True)
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._carry(False)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        number = self.object_at(event.position().toPoint())
        objects = self.session.project.bench.objects
        if any(is_mesh(path) for path in files_in(event.mimeData())):
            event.accept()
            self.hint.emit("Drop to add the object")
            return
        event.setAccepted(0 <= number < len(objects))
        if 0 <= number < len(objects):
            effect = event.mimeData().hasFormat(EFFECT_FORMAT)
            what = f"put it over “{self._material_at(event.position().toPoint())}”" if effect else "assign to"
            self.hint.emit(f"Drop to {what}" if effect else f"Drop to {what} {objects[number].name}")

    def dropEvent(self, event: QDropEvent) -> None:
        paths, number = files_in(event.mimeData()), self.object_at(event.position().toPoint())
        if paths:
            if self.stage is None and _may_be_label(paths) and number >= 0:
                self.label_menu(paths[0], number, event.position()).popup(self.mapToGlobal(event.position().toPoint()))
            else:
                self.files_dropped.emit(paths, number)
            event.acceptProposedAction()
        elif event.mimeData().hasFormat(EFFECT_FORMAT):
            name = self._material_at(event.position().toPoint())
            if name:
                self.effect_dropped.emit(text_in(event.mimeData(), EFFECT_FORMAT), name)
        else:
            point = event.position().toPoint()
            name, faces = text_in(event.mimeData(), MATERIAL_FORMAT), self.faces_at(point)
            if faces and name in self.session.project.materials:
                self.drop_menu(number, name, faces).popup(self.mapToGlobal(point))
            else:
                self.assign(number, name)
        self._carry(False)

    def assign(self, number: int, name: str, faces: Faces | None = None) -> None:
        """Assigns a material to an object, or to some of its faces."""
        project = self.session.project
        if 0 <= number < len(project.bench.objects) and (name in project.materials or faces is not None):
            materials_acts.assign_material(self.session, number, name, faces)

    def assign_menu(self, number: int, faces: Sequence[Faces] = ()) -> QMenu:
        """The materials that can be assigned to an object, and to its part, slot and piece under the pointer."""
        item, menu = self.session.project.bench.objects[number], QMenu(self)
        menu.setObjectName("assign menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addSection(f"Material of {item.name}")
        for name in self.session.project.materials:
            action = menu.addAction(name, partial(self.assign, number, name))
            action.setCheckable(True)
            action.setChecked(name == item.material)
        for one in faces:
            self._fill_faces(menu.addMenu(_capital(materials_acts.faces_label(one))), number, one)
        menu.addSection(item.name)
        for act in (objects_acts.duplicate, objects_acts.drop, objects_acts.remove):
            add(menu, act, partial(act, self.session, item.name))
        self._fill_subdivision(menu.addMenu(action_of(objects_acts.subdivide).label), item)
        if isinstance(item.geometry, MeshFile):
            self._fill_smoothing(menu.addMenu(action_of(objects_acts.smooth).label), item.name, item.geometry.smoothing)
        return menu

    def label_menu(self, file: Path, number: int, point: QPointF) -> QMenu:
        """What a picture with transparency that was dropped on an object is to be."""
        menu = QMenu(self)
        menu.setObjectName("label menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Put it here as a label", partial(self.put_label, file, point))
        menu.addAction("Use it as base colour", partial(self.files_dropped.emit, [file], number))
        return menu

    def put_label(self, file: Path, point: QPointF) -> None:
        """A picture with transparency on the object under a point, once, over its material."""
        request = self.shown
        if request is None:
            return
        try:
            scale = request.width / max(self.width(), 1), request.height / max(self.height(), 1)
            found = pick(self.renderer, request, point.x() * scale[0], point.y() * scale[1])
        except CollageError as error:
            self.failed.emit(error)
            return
        if found is None:
            return

        def then(made: Path) -> None:
            try:
                effects_acts.add_label(self.session, file, found.name, found.place, found.facing, made=made)
            except CollageError as error:
                self.failed.emit(error)

        target = effects_acts.label_file(self.session, file)
        self._jobs.queue(f"Label {file.stem}", lambda _cancelled: make_label_file(file, target), then, self.failed.emit)

    def _fill_subdivision(self, menu: QMenu, item: BenchObject) -> None:
        """How finely the object is divided where a material displaces it."""
        now = item.division
        menu.setToolTip(action_of(objects_acts.subdivide).help)
        change = partial(objects_acts.subdivide, self.session, item.name)
        ways: list[tuple[str, int | None, bool]] = [
            ("Automatic", None, False),
            (BY_VIEW, None, True),
            ("None", 0, False),
        ]
        ways += [(f"{level} levels" if level > 1 else "1 level", level, False) for level in range(1, 7)]
        for text, level, by_view in ways:
            action = menu.addAction(text, partial(change, level=level, by_view=by_view))
            action.setCheckable(True)
            action.setChecked(level == now.level and (level is not None or by_view == now.by_view))
        menu.addSection("Finest relief in the mesh")
        for detail in DETAILS:
            text = f"{length_text(detail)}; finer is shaded only" if detail else "As fine as fits"
            action = menu.addAction(text, partial(change, detail=detail))
            action.setCheckable(True)
            action.setChecked(detail == now.detail)
        menu.addSeparator()
        choices = [("Smooth", now.smooth, partial(change, smooth=not now.smooth))]
        if now.smooth:
            choices.append(("Hold borders", now.hold_borders, partial(change, hold_borders=not now.hold_borders)))
            choices += [
                (f"Keep edges sharp from {angle:g}°" if angle < 180 else "Keep no edge sharp",
                 angle == now.crease, partial(change, crease=angle))
                for angle in CREASES
            ]  # fmt: skip
        for text, chosen, act in choices:
            action = menu.addAction(text, act)
            action.setCheckable(True)
            action.setChecked(chosen)

    def _fill_smoothing(self, menu: QMenu, name: str, now: float | None) -> None:
        for angle in SMOOTHING:
            text = "As in its file" if angle is None else f"Up to {angle:g}°" if angle else "None: every face flat"
            action = menu.addAction(text, partial(objects_acts.smooth, self.session, name, angle))
            action.setCheckable(True)
            action.setChecked(angle == now)

    def _fill_faces(self, menu: QMenu, number: int, faces: Faces) -> None:
        item = self.session.project.bench.objects[number]
        now = item.material_on(faces)
        for name, text in (("", "As the object"), *((name, name) for name in self.session.project.materials)):
            action = menu.addAction(text, partial(self.assign, number, name, faces))
            action.setCheckable(True)
            action.setChecked(name == now)

    def drop_menu(self, number: int, name: str, faces: Sequence[Faces]) -> QMenu:
        """Where a material that was dropped on an object of several parts is to go."""
        menu = QMenu(self)
        menu.setObjectName("drop menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(f"All of {self.session.project.bench.objects[number].name}", partial(self.assign, number, name))
        for one in faces:
            menu.addAction(_capital(materials_acts.faces_label(one)), partial(self.assign, number, name, one))
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        number = self.object_at(event.pos())
        if 0 <= number < len(self.session.project.bench.objects):
            self.assign_menu(number, self.faces_at(event.pos())).popup(event.globalPos())


def _may_be_label(paths: Sequence[Path]) -> bool:
    """Whether files are one picture with transparency."""
    if len(paths) != 1 or codec_of(paths[0]) is None:
        return False
    try:
        return has_alpha(read_info(paths[0]).channels)
    except CollageError:
        return False


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
