"""The large picture of the Judge place, with the light in hand drawn over it."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TypeVar

import numpy as np
from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF

from collage.app.preview.bench_view import BenchView
from collage.app.shell.studio import Studio
from collage.app.theme import font
from collage.core.actions import bench as bench_acts
from collage.core.actions import lights as acts
from collage.core.base.errors import CollageError
from collage.core.evaluate.plan import CardOutput
from collage.core.images.colour import LUMINANCE
from collage.core.project.pictures import picture_request
from collage.core.project.state import Project
from collage.core.render.pick import caster_of, pick, place_at
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import AreaLight, Camera, Light
from collage.core.scene.cameras import frame_in
from collage.core.scene.placing import stand_of

HINT = "Drag to orbit · Shift+drag to pan · wheel to zoom · Alt+drag moves the light in hand"
PLACING = "Drag the highlight to where it should be · Esc ends"
SHADOWING = "Drag the shadow to where it should fall · Esc ends"
NO_SHADOW = "Nothing keeps this light away from there · drag a shadow of it"
FOCUSING = "Click what is to be sharp"
USUAL = Tracing(samples=128, noise=0.01)
Found = TypeVar("Found")
PIN = 4.0  # pixels, half the side of a corner's pin


class JudgeView(BenchView):
    """The session's bench, traced while nothing is touched."""

    placed = Signal()  # placing a highlight has begun or ended

    def __init__(self, studio: Studio) -> None:
        super().__init__(studio, "Judge")
        self.mode = "lit"
        self.card: tuple[str, CardOutput] | None = None  # of a material, what is looked at in the place of a mode
        self.light = 0  # the number of the light in hand; negative for the environment
        self.placing = False  # whether the hand puts a highlight
        self.shadowing = False  # whether it drags a shadow
        self._caster: np.ndarray | None = None  # what throws the shadow that is dragged
        self._lamp = False  # whether it drags the light itself
        self.focusing = False  # whether the next click sets the focus
        self.traced = USUAL
        self.aspect: float | None = None  # width over height of the frame that is shown, if one is
        self.thirds = False
        self.entered = False  # whether the pointer is over the picture; the light in hand is drawn then
        self._cross: QPointF | None = None  # where the highlight was put last
        self.over += [self._draw_frame, self._draw_light]
        self.setMinimumSize(300, 240)

    # ---- what is shown ------------------------------------------------------------------------

    def request(self) -> PictureRequest:
        session = self.session
        project = session.shown_project
        if self.aspect is not None:
            project = project.with_bench(project.bench.model_copy(update={"camera": self.camera}))
        return picture_request(project, *self.full_size(), mode=self.mode, peek=self.card, folder=session.base_folder)

    @property
    def camera(self) -> Camera:
        """The session's; with a frame it sees more, so that all of the frame is in the view."""
        camera = self.session.camera
        if self.aspect is None:
            return camera
        return camera.fitted(self.aspect, max(self.width(), 1), max(self.height(), 1))

    def look(self, camera: Camera) -> None:
        self._cross = None
        super().look(camera.model_copy(update={"field": self.session.camera.field}))

    def set_frame(self, aspect: float | None, thirds: bool) -> None:
        """Shows the frame of a picture of some aspect, and lines at its thirds."""
        self.thirds = thirds
        if aspect != self.aspect:
            self.aspect = aspect
            self.ask("view")
        self.update()

    def set_mode(self, mode: str) -> None:
        """What of the surface is looked at."""
        if mode != self.mode:
            self.mode = mode
            self.ask("value")

    def set_card(self, card: CardOutput | None) -> None:
        """What a card of the material that is worked on puts out, alone; None for what was looked at before."""
        wanted = None if card is None else (self.session.material, card)
        if wanted != self.card:
            self.card = wanted
            self.ask("value")

    def _on_changed(self, before: Project, after: Project) -> None:
        super()._on_changed(before, after)
        self.update()  # the light in hand is drawn anew

    # ---- the light in hand --------------------------------------------------------------------

    @property
    def in_hand(self) -> Light | None:
        """The light in hand; None where that is the environment."""
        lights = self.session.bench.lights
        return lights[self.light] if 0 <= self.light < len(lights) else None

    def take_light(self, number: int) -> None:
        """Takes a light in hand; negative for the environment."""
        self.light, self._cross = number, None
        self.update()

    def place_highlight(self, on: bool) -> None:
        """Whether clicks and drags put the highlight of the light in hand."""
        self._hold(highlight=on)

    def drag_shadow(self, on: bool) -> None:
        """Whether drags move a shadow of the light in hand."""
        self._hold(shadow=on)

    def _hold(self, *, highlight: bool = False, shadow: bool = False) -> None:
        there = self.in_hand is not None
        self.placing, self.shadowing, self._caster = highlight and there, shadow and there, None
        held = self.placing or self.shadowing
        self.setCursor(Qt.CursorShape.CrossCursor if held else Qt.CursorShape.ArrowCursor)
        self.hint.emit(PLACING if self.placing else SHADOWING if self.shadowing else HINT)
        self.placed.emit()

    def move_light(self, gone: QPointF) -> None:
        self._cross = None
        turn, height = gone.x() * 0.4, -gone.y() * 0.3
        if self.in_hand is not None:
            bench_acts.move_light(self.session, turn, height, self.light)
        else:
            now = self.session.project.bench.environment.turn
            bench_acts.change_environment(self.session, turn=now + turn)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.placing:
            self._put(event.position())
        elif self.shadowing:
            self._take_shadow(event.position())
        elif not self.focusing and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self._lamp = self._at_lamp(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            if self.placing:
                self._put(event.position())
                return
            if self.shadowing:
                self._put_shadow(event.position())
                return
            if self._lamp:
                self._cross = None
                acts.follow_hand(self.session, self.light, self._way(event.position()))
                return
        elif self.in_hand is not None and not (self.placing or self.shadowing or self.focusing):
            over = self._at_lamp(event.position())
            self.setCursor(Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.ArrowCursor)
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        if self.placing or self.shadowing or self._lamp:
            self.dropped()
        self._lamp, self._caster = False, None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and (self.placing or self.shadowing):
            self._hold()
        else:
            super().keyPressEvent(event)

    def _found(
        self, find: Callable[[Renderer, PictureRequest, float, float], Found | None], point: QPointF
    ) -> Found | None:
        """What is found of the bench where a point of the widget shows it."""
        request = self.shown or self.request()
        across, down = point.x() / max(self.width(), 1), point.y() / max(self.height(), 1)
        try:
            return find(self.renderer, request, across * request.width, down * request.height)
        except CollageError as error:
            self.failed.emit(error)
            return None

    def _way(self, point: QPointF) -> np.ndarray:
        """(3,): the way to what a point of the widget shows."""
        place = np.array([[point.x(), point.y()]])
        return self.camera.ways(place, max(self.width(), 1), max(self.height(), 1))[0].astype(np.float64)

    def _at_lamp(self, point: QPointF) -> bool:
        """Whether a point of the widget lies on the drawing of the light in hand."""
        light = self.in_hand
        if light is None or not self.entered:
            return False
        corners, middle = outline(light, self.camera)
        if not self._before(self.camera, np.vstack([corners, middle])):
            return False
        places = self.camera.seen(corners, self.width(), self.height())
        shape = QPolygonF([QPointF(*place) for place in places])
        return shape.containsPoint(point, Qt.FillRule.WindingFill)

    def _take_shadow(self, point: QPointF) -> None:
        place, light = self._found(place_at, point), self.in_hand
        if place is not None and light is not None:
            self._caster = caster_of(self.renderer, self.shown or self.request(), place, light)
        if self._caster is None:
            self.hint.emit(NO_SHADOW)

    def _put_shadow(self, point: QPointF) -> None:
        """Moves the light so that the shadow that was taken falls at a point of the picture."""
        place = self._found(place_at, point) if self._caster is not None else None
        if place is not None and self._caster is not None:
            self._cross = point
            acts.put_shadow(self.session, self.light, tuple(place), tuple(self._caster))  # type: ignore[arg-type]

    def _put(self, point: QPointF) -> None:
        """Moves the light so that it is mirrored at a point of the picture."""
        found = self._found(pick, point)
        if found is not None:
            self._cross = point
            acts.put_highlight(self.session, self.light, found.place, found.facing)

    # ---- drawing ------------------------------------------------------------------------------

    def _draw_frame(self, painter: QPainter) -> None:
        """What lies outside of the frame is dimmed; thin lines at its thirds."""
        wide, high = float(self.width()), float(self.height())
        if self.aspect is not None:
            wide, high = frame_in(self.aspect, wide, high)
        frame = QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)
        if self.aspect is not None:
            outside = QPainterPath()
            outside.addRect(QRectF(self.rect()))
            outside.addRect(frame)
            painter.fillPath(outside, QColor(0, 0, 0, 110))
        if self.thirds:
            painter.setPen(QPen(QColor(255, 255, 255, 120), 1))
            for third in (1, 2):
                x, y = frame.left() + wide * third / 3, frame.top() + high * third / 3
                painter.drawLine(QLineF(x, frame.top(), x, frame.bottom()))
                painter.drawLine(QLineF(frame.left(), y, frame.right(), y))

    def _draw_light(self, painter: QPainter) -> None:
        """The light in hand as a thin drawing: a panel's edge, or a sun's height on its arc; and its highlight."""
        light = self.in_hand
        if light is None or not self.entered:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        camera, size = self.camera, (self.width(), self.height())
        corners, middle = outline(light, camera)
        stands = f"{light.distance:.2f} m" if isinstance(light, AreaLight) else f"{light.turn:.0f}°"
        label = f"{stands} · {light.height:.0f}° high"
        if not self._before(camera, np.vstack([corners, middle])):
            return
        shape = [QPointF(*place) for place in camera.seen(corners, *size)]
        at = QPointF(*camera.seen(middle, *size))
        lines = [QLineF(shape[n], shape[(n + 1) % len(shape)]) for n in range(len(shape))]
        if self._cross is not None:
            lines += [QLineF(at, self._cross)]
            for x, y in ((9, 0), (0, 9)):
                lines += [QLineF(self._cross - QPointF(x, y), self._cross + QPointF(x, y))]
        for colour, width in ((self.theme.card, 3.0), (self.theme.accent, 1.2)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLines(lines)
        painter.setBrush(QColor(self.theme.card))
        for corner in shape if len(shape) == 4 else ():
            painter.drawRect(QRectF(corner.x() - PIN, corner.y() - PIN, 2 * PIN, 2 * PIN))
        self._draw_label(painter, at, label)

    @staticmethod
    def _before(camera: Camera, places: np.ndarray) -> bool:
        """Whether all places (n, 3) are in front of the eye."""
        return bool((((places - camera.position()) @ camera.axes()[2]) > 0.01).all())

    def _draw_label(self, painter: QPainter, at: QPointF, text: str) -> None:
        painter.setFont(font(11))
        wide = painter.fontMetrics().horizontalAdvance(text) + 14
        x = min(max(at.x() + 12, 4), max(self.width() - wide - 4, 4))
        y = min(max(at.y() - 11, 4), max(self.height() - 26, 4))
        box = QRectF(x, y, wide, 22)
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.setBrush(QColor(self.theme.card))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def clicked(self, point: QPoint) -> None:
        if not self.focusing:
            return
        self.focus_by_click(False)
        found = self._found(pick, QPointF(point))
        if found is not None:
            self.look(self.camera.focused_at(np.array(found.place)))

    def focus_by_click(self, on: bool) -> None:
        """Whether the next click sets the focus."""
        self.focusing = on
        self.hint.emit(FOCUSING if on else HINT)
        self.placed.emit()

    def enterEvent(self, event: object) -> None:
        self.entered = True
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.entered = False
        self.update()


def outline(light: Light, camera: Camera) -> tuple[np.ndarray, np.ndarray]:
    """What is drawn of a light: the places around it (n, 3), and its middle (3,)."""
    if isinstance(light, AreaLight):
        centre, right, up, _ = light.frame()
        if light.shape == "rectangle":
            return np.stack([centre + a * right + b * up for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]), centre
        if light.shape == "ball":
            right, up = camera.axes()[:2] * light.width / 2
        turns = np.radians(np.arange(0, 360, 10))
    else:
        pivot, away = stand_of(light, camera)
        centre = pivot + light.direction() * away
        right, up = camera.axes()[:2] * away * 0.05
        turns = np.radians(np.arange(0, 360, 45))
    return centre + np.cos(turns)[:, None] * right + np.sin(turns)[:, None] * up, centre


def luminance(linear: np.ndarray) -> float:
    """Of linear Rec. 709 light (3,)."""
    found = float(linear @ LUMINANCE)
    return found if math.isfinite(found) else 0.0
