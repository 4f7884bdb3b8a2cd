"""The objects on the bench, as they stand; what is chosen is hatched."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPen, QPolygonF, QShortcut
from PySide6.QtWidgets import QLineEdit

from collage.app.place.frame import TYPED, FrameView, Grip
from collage.app.place.uv_view import paper_of
from collage.app.preview.bench_view import BenchView
from collage.app.shell.studio import Studio
from collage.core.actions import bench as bench_acts
from collage.core.actions import objects as acts
from collage.core.actions.projectors import place_projector, space_of
from collage.core.geometry.uv_picking import nearest_edge, next_corner
from collage.core.nodes.projectors import FLAT, PROJECTORS, frame_of, shape_of
from collage.core.project.pictures import picture_request, with_test_pattern, with_uv_set
from collage.core.project.state import Project
from collage.core.render.request import Picture, PictureRequest
from collage.core.render.uv_picture import Scale
from collage.core.scene.bench import Bench, BenchObject, Camera, Faces, faces_in
from collage.core.scene.geometry import UvSet, held_uv
from collage.core.scene.scene import OBJECT

HINT = "Click an object, again its part · Ctrl+drag moves it · drag to orbit · Shift+drag to pan · wheel to zoom"
FRAME_HINTS = {
    "corner": "Drag to scale the frame · Shift fine · Ctrl snaps to 1 cm · or type a number",
    "edge": "Drag to move the frame along this edge · Shift fine · Ctrl snaps to 1 cm · or type a number",
    "face": "Drag to slide the frame in this face · Shift fine · Ctrl snaps to 1 cm · or type a number",
    "ring": "Drag to turn the frame · Shift fine · Ctrl snaps to 15° · or type a number",
}
CURSORS = {
    "corner": Qt.CursorShape.SizeFDiagCursor,
    "edge": Qt.CursorShape.SizeAllCursor,
    "face": Qt.CursorShape.SizeAllCursor,
    "ring": Qt.CursorShape.PointingHandCursor,
}
MOST_MOVED = 600_000  # corners whose UVs are shown on the object while a hand moves them
HATCH = 6  # pixels between the lines over what is chosen
Chosen = tuple[str, Faces | None]
"""The name of an object, and some faces of it; None for all."""


class ObjectView(BenchView):
    """The session's bench under its light."""

    picked = Signal(object)  # Chosen, or None for nothing
    face_clicked = Signal(str, int, bool)  # object, triangle of its mesh, whether it adds
    area_picked = Signal(str, object, bool)  # object, (t,) bool of its triangles, whether it adds
    edge_clicked = Signal(int, bool)  # edge of the chosen object's mesh, whether it adds

    def __init__(self, studio: Studio) -> None:
        super().__init__(studio, "Objects")
        self.chosen: Chosen | None = None
        self.way = "objects"  # what a click picks; see pick_strip
        self._line: list[QPointF] = []  # the box or lasso that is drawn
        self.projector = ""  # the card whose frame is shown
        self._grip: Grip | None = None  # what is dragged, or would be
        self._held: tuple[FrameView, QPointF] | None = None  # the frame and the pointer when the drag began
        self._label = ""
        self._pointer = QPointF()  # where it was last, over the frame
        self._pattern: tuple[str, str] | None = None  # the object and UV set that show the test pattern
        self._adds = False  # whether Ctrl was held at a click
        self._hatched: tuple[object, QImage] | None = None
        self._measured: tuple[int, QImage] | None = None
        self._picked: np.ndarray | None = None  # (t,) bool of the chosen object, what of it is picked in its UVs
        self._edges: np.ndarray | None = None  # (3 t,) bool of the chosen object, those that are picked
        self._moving: tuple[str, UvSet] | None = None  # the object and the UV set that a hand is changing
        self._measure: Scale | None = None  # by triangle of the chosen object
        self.over += [self._draw_measure, self._draw_chosen, self._draw_edges, self._draw_frame]
        self.setMinimumSize(200, 160)

    def request(self) -> PictureRequest:
        request = picture_request(self.session.shown_project, *self.full_size(), folder=self.session.base_folder)
        if self._moving is not None:
            request = replace(request, bench=with_uv_set(request.bench, *self._moving))
        return with_test_pattern(request, *self._pattern) if self._pattern is not None else request

    def move_light(self, gone: QPointF) -> None:
        bench_acts.move_light(self.session, gone.x() * 0.4, -gone.y() * 0.3)

    # ---- moving -------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        frame = self.frame_view()
        if frame is not None and event.button() == Qt.MouseButton.LeftButton:
            self._grip = frame.grip_at(event.position())
            self._held = (frame, event.position()) if self._grip is not None else None

        plain = not event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.AltModifier)
        if (
            self.way in ("box", "lasso")
            and plain
            and self._held is None
            and event.button() == Qt.MouseButton.LeftButton
        ):
            self._line = [event.position()]

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._drag_frame(event)
            return
        if self._line:
            self._line = [self._line[0], event.position()] if self.way == "box" else [*self._line, event.position()]
            self.update()
            return
        if self._press is None:
            self._look_for_grip(event.position())
        before = self._last
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self._press is None or not ctrl or self.chosen is None:
            super().mouseMoveEvent(event)
            return
        self._last, self._dragged = event.position(), True
        self.carry(before, event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._held, self._label = None, ""
            self.session.history.close_merge()
            self._dragged, self._press = False, None
            self.update()
            return
        if self._line:
            line, self._line, self._press = self._line, [], None
            self._pick_area(line, adds=bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
            self.update()
            return
        self._adds = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        super().mouseReleaseEvent(event)

    # ---- the frame of a projector -------------------------------------------------------------

    def show_projector(self, card: str) -> None:
        """Draws the frame of a projector of the material in hand; none for an empty name."""
        self.projector, self._grip, self._held, self._label = card, None, None, ""
        self.update()

    def frame_view(self) -> FrameView | None:
        """The frame as it is seen; None where there is none to be shown."""
        card = self.session.network.cards.get(self.projector)
        if card is None or card.category not in PROJECTORS:
            return None
        space = space_of(self.session, self.projector, self.chosen[0] if self.chosen is not None else "")
        if space is None:
            return None
        shape = shape_of(card) if card.category == "clg_projector" else FLAT
        return FrameView(frame_of(card), space, self.camera, (self.width(), self.height()), shape)

    def _look_for_grip(self, point: QPointF) -> None:
        """Tells, and shows, what a drag would take."""
        frame = self.frame_view()
        found = frame.grip_at(point) if frame is not None else None
        self._pointer = point
        if found == self._grip:
            return
        self._grip = found
        self.setCursor(CURSORS[found.kind] if found is not None else Qt.CursorShape.ArrowCursor)
        self.hint.emit(FRAME_HINTS[found.kind] if found is not None else HINT)
        self.update()

    def _drag_frame(self, event: QMouseEvent) -> None:
        if self._held is None or self._grip is None:
            return
        frame, start = self._held
        self._dragged, self._last = True, event.position()
        keys = event.modifiers()
        fine = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        snap = bool(keys & Qt.KeyboardModifier.ControlModifier)
        made, self._label = frame.dragged(self._grip, start, event.position(), fine=fine, snap=snap)
        place_projector(self.session, self.projector, made, merge=f"frame {self.projector}")
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A number that is typed over a part of the frame is put in there."""
        text = event.text()
        if self._grip is not None and self._held is None and text and text in "0123456789-−+.,":
            self.type_number(text)
        else:
            super().keyPressEvent(event)

    def type_number(self, begun: str = "") -> None:
        """Opens the frame's label to type in; Enter puts the number in, Escape drops it."""
        frame, grip = self.frame_view(), self._grip
        if frame is None or grip is None:
            return
        field = QLineEdit(begun, self)
        field.setObjectName("frame number")
        field.setAccessibleName(TYPED[grip.kind])
        field.setPlaceholderText(TYPED[grip.kind])
        field.setToolTip(TYPED[grip.kind])
        self.hint.emit(TYPED[grip.kind])
        at = self._pointer.toPoint() + QPoint(14, -30)
        width = 110
        field.setGeometry(min(at.x(), self.width() - width - 4), max(at.y(), 4), width, 24)

        def take() -> None:
            made = self.session.attempt(lambda: frame.typed(grip, field.text()))
            field.deleteLater()
            self.setFocus()
            if made is not None:
                place_projector(self.session, self.projector, made, merge=f"frame {self.projector}")
                self.session.history.close_merge()

        field.returnPressed.connect(take)
        field.editingFinished.connect(field.deleteLater)
        QShortcut(QKeySequence(Qt.Key.Key_Escape), field, field.deleteLater)
        field.show()
        field.setFocus()

    def _draw_frame(self, painter: QPainter) -> None:
        if len(self._line) > 1:
            painter.setPen(QPen(QColor(self.theme.accent), 1, Qt.PenStyle.DashLine))
            shape = QPolygonF(QRectF(self._line[0], self._line[1])) if self.way == "box" else QPolygonF(self._line)
            painter.drawPolygon(shape)
        frame = self.frame_view()
        if frame is not None:
            frame.draw(painter, self.theme, self._grip, self._label, self._last)

    # ---- carrying -----------------------------------------------------------------------------

    def carry(self, before: QPointF, now: QPointF) -> None:
        """Moves the chosen object over the ground, as far as the pointer has gone over it."""
        name = self.chosen[0] if self.chosen is not None else ""
        item = next((one for one in self.session.project.bench.objects if one.name == name), None)
        if item is None or item.locked:
            return
        x, y, z = item.place
        size = self.width(), self.height()
        start, end = (on_level(self.camera, point, size, y) for point in (before, now))
        if start is not None and end is not None:
            gone = end - start
            acts.place(self.session, name, at=(x + float(gone[0]), y, z + float(gone[2])), merge=f"carry {name}")

    def _on_changed(self, before: Project, after: Project) -> None:
        self._moving = None  # the hand has let go
        super()._on_changed(before, after)

    # ---- choosing -----------------------------------------------------------------------------

    def clicked(self, point: QPoint) -> None:
        """The first click chooses an object, the next its part, slot or piece in turn."""
        number, ways = self.object_at(point), self.faces_at(point)
        objects = self.session.project.bench.objects
        if not 0 <= number < len(objects) or objects[number].locked:
            self.picked.emit(None)
            return
        if self.way != "objects":
            self._click_face(number, point)
            return
        name, (now, faces) = objects[number].name, self.chosen or ("", None)
        following: list[Faces | None] = [None, *ways]
        at = following.index(faces) + 1 if name == now and faces in following else 0
        self.picked.emit((name, following[at % len(following)]))

    def _click_face(self, number: int, point: QPoint) -> None:
        """Tells which triangle of an object was clicked, or which edge."""
        at, name = self._pixel_at(point), self.session.project.bench.objects[number].name
        if self.chosen is None or self.chosen[0] != name:
            self.picked.emit((name, None))
        own = self._own_triangles(self.picture) if self.picture is not None else None
        if own is None or at is None or own[at[1], at[0]] < 0:
            return
        triangle = int(own[at[1], at[0]])
        if self.way != "edge":
            self.face_clicked.emit(name, triangle, self._adds)
            return
        item = self.session.bench.objects[number]
        mesh, places = item.mesh(), self._corners_seen(item)
        edge, _ = nearest_edge(mesh, places, triangle, np.array([point.x(), point.y()]))
        self.edge_clicked.emit(edge, self._adds)

    def _corners_seen(self, item: BenchObject) -> np.ndarray:
        """(3 t, 2): where the corners of an object's mesh are in the picture. Raises CollageError."""
        mesh = item.mesh()
        world = mesh.positions.astype(np.float64) @ item.matrix() + item.place
        seen = self.camera.seen(world, self.width(), self.height())
        return seen[mesh.triangles.ravel()]

    def _pick_area(self, line: list[QPointF], *, adds: bool) -> None:
        """Picks what is seen of the chosen object in a box, or inside a line; else of the one that is seen most."""
        picture = self.picture
        if picture is None or len(line) < 2:
            return
        height, width = picture.triangle.shape
        inside = area_pixels(line, (self.width(), self.height()), (width, height), box=self.way == "box")
        if self.chosen is None:
            found = picture.objects[inside & (picture.objects >= 0)]
            if not found.size:
                return
            self.picked.emit((self.session.project.bench.objects[int(np.bincount(found).argmax())].name, None))
        own = self._own_triangles(picture)
        if own is None or self.chosen is None:
            return
        count = int((picture.ids[OBJECT] == picture.objects[own >= 0][0]).sum()) if (own >= 0).any() else 0
        picked = np.zeros(count, bool)
        picked[own[inside & (own >= 0)]] = True
        self.area_picked.emit(self.chosen[0], picked, adds)

    def choose(self, chosen: Chosen | None) -> None:
        """Hatches an object, or some faces of it."""
        self.chosen, self._picked, self._hatched = chosen, None, None
        self.update()

    def show_picked(self, picked: np.ndarray | None) -> None:
        """Hatches some triangles of the chosen object, (t,) bool; the whole choice again for None."""
        self._picked, self._hatched = picked, None
        self.update()

    def show_edges(self, edges: np.ndarray | None) -> None:
        """Draws some edges of the chosen object, (3 t,) bool; see `uv_picking`."""
        self._edges = edges
        self.update()

    def show_moving(self, moving: tuple[str, str, np.ndarray]) -> None:
        """Shows an object with the UVs (3 t, 2) that a hand is giving one of its sets, by their names."""
        name, uv_set, uv = moving
        if len(uv) <= MOST_MOVED:
            self._moving = name, UvSet(name=uv_set, held=held_uv(uv))
            self.ask("view")

    def show_pattern(self, on: tuple[str, str] | None) -> None:
        """Shows a test pattern on an object's UV set, by their names; none for None."""
        if on != self._pattern:
            self._pattern = on
            self.ask("view")

    def show_measure(self, scale: Scale | None) -> None:
        """Colours the chosen object by a measure of its triangles; as it is for None."""
        self._measure, self._measured = scale, None
        self.update()

    def _own_triangles(self, picture: Picture) -> np.ndarray | None:
        """(h, w) int32: the triangle of the chosen object in each pixel, -1 for anything else."""
        if self.chosen is None or picture.triangle.size == 0:
            return None
        names = [item.name for item in self.session.project.bench.objects]
        number = names.index(self.chosen[0]) if self.chosen[0] in names else -1
        own = np.flatnonzero(picture.ids[OBJECT, :-1] == number)
        if number < 0 or not own.size:
            return None
        return np.where(picture.objects == number, picture.triangle - own[0], -1)

    def _draw_edges(self, painter: QPainter) -> None:
        """The picked edges of the chosen object; those of faces that are not seen in quiet ink."""
        item = next((one for one in self.session.bench.objects if self.chosen and one.name == self.chosen[0]), None)
        own = self._own_triangles(self.picture) if self.picture is not None else None
        if self._edges is None or item is None or own is None:
            return
        places = self._corners_seen(item)
        if len(places) != len(self._edges):
            return
        seen = np.isin(np.arange(len(places) // 3), np.unique(own))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        first = np.flatnonzero(self._edges)
        for shown, colour, width in (
            (False, self.theme.quiet, 1.0), (True, "#ffffff", 4.0), (True, self.theme.accent, 2.0),
        ):  # fmt: skip
            some = first[seen[first // 3] == shown]
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLines([QLineF(*a, *b) for a, b in zip(places[some], places[next_corner(some)], strict=True)])

    def _draw_measure(self, painter: QPainter) -> None:
        """The measure over the chosen object, as its UVs show it, darker where it turns away."""
        picture, scale = self.picture, self._measure
        if picture is None or scale is None:
            return
        if self._measured is None or self._measured[0] != id(picture):
            own = self._own_triangles(picture)
            if own is None or own.max(initial=-1) >= len(scale.values):
                return
            colours = scale.colours(paper_of(self.theme))
            light = picture.display.mean(axis=2) / 255
            shade = np.clip(0.72 + 0.5 * light, 0, 1)
            out = np.zeros((*own.shape, 4), np.uint8)
            here = own >= 0
            out[here, :3] = (colours[own[here]] * shade[here, None]).astype(np.uint8)[:, ::-1]
            out[here, 3] = 255
            height, width = own.shape
            image = QImage(out.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32).copy()
            self._measured = (id(picture), image)
        painter.drawImage(self.rect(), self._measured[1])

    def _draw_chosen(self, painter: QPainter) -> None:
        picture = self.picture
        if self.chosen is None or picture is None or (self._measure is not None and self._picked is None):
            return
        key = (id(picture), self.chosen, self.theme.accent, bool(self.projector))
        if self._hatched is None or self._hatched[0] != key:
            image = self._hatching(picture, self.chosen)
            if image is None:
                return
            self._hatched = (key, image)
        painter.drawImage(self.rect(), self._hatched[1])

    def _hatching(self, picture: Picture, chosen: Chosen) -> QImage | None:
        """A fine hatch over what is chosen, with a line around it."""
        mask = chosen_pixels(picture, self.session.bench, chosen)
        own = self._own_triangles(picture) if self._picked is not None else None
        if own is not None and self._picked is not None and own.max(initial=-1) < len(self._picked):
            mask = np.append(self._picked, False)[own]
        if mask is None:
            return None
        inside = np.pad(mask, 1)
        inner = inside[:-2, 1:-1] & inside[2:, 1:-1] & inside[1:-1, :-2] & inside[1:-1, 2:]
        rows, columns = np.indices(mask.shape)
        lines = mask & ((rows + columns) % HATCH == 0)
        colour = QColor(self.theme.accent)
        out = np.zeros((*mask.shape, 4), np.uint8)
        if not self.projector or self._picked is not None:  # else its lines would be lost, and what it lays on too
            out[lines] = (colour.blue(), colour.green(), colour.red(), 110)
        out[mask & ~inner] = (colour.blue(), colour.green(), colour.red(), 255)
        height, width = mask.shape
        return QImage(out.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32).copy()


def area_pixels(line: list[QPointF], size: tuple[int, int], pixels: tuple[int, int], *, box: bool) -> np.ndarray:
    """(h, w) bool: the pixels of a picture inside a box between two points of a widget, or inside a closed line.

    size, pixels : width and height of the widget, and of the picture.
    """
    image = QImage(*pixels, QImage.Format.Format_Grayscale8)
    image.fill(0)
    painter = QPainter(image)
    painter.scale(pixels[0] / size[0], pixels[1] / size[1])
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(255, 255, 255))
    if box:
        painter.drawRect(QRectF(line[0], line[-1]).normalized())
    else:
        painter.drawPolygon(QPolygonF(line), Qt.FillRule.WindingFill)
    painter.end()
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(pixels[1], image.bytesPerLine())
    return np.asarray(rows[:, : pixels[0]] > 127)


def on_level(camera: Camera, point: QPointF, size: tuple[int, int], height: float) -> np.ndarray | None:
    """(3,) metres: the place at some height that is seen at a point of a picture; None above the horizon."""
    right, up, forward = camera.axes()
    across, down = point.x() - size[0] / 2, point.y() - size[1] / 2
    direction = right * across - up * down + forward * camera.focal_length(*size)
    eye = camera.position()
    way = (height - eye[1]) / direction[1] if abs(direction[1]) > 1e-6 else -1.0
    return np.asarray(eye + direction * way) if way > 0 else None


def chosen_pixels(picture: Picture, bench: Bench, chosen: Chosen) -> np.ndarray | None:
    """(h, w) bool: where a picture shows what is chosen; None where it is not on the bench."""
    name, faces = chosen
    number = next((at for at, item in enumerate(bench.objects) if item.name == name), -1)
    if number < 0 or picture.triangle.size == 0:
        return None
    mask = picture.objects == number
    if faces is None:
        return np.asarray(mask)
    own = np.flatnonzero(picture.ids[OBJECT, :-1] == number)
    chosen_faces = faces_in(bench.objects[number].mesh(), faces)
    if not own.size or len(chosen_faces) != own.size:
        return np.asarray(mask & False)
    return np.asarray(np.append(chosen_faces, False)[np.where(mask, picture.triangle - own[0], -1)])
