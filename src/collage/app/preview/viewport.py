"""The viewport: the picture of a bench, which follows the hand that turns, moves and lights it.

While something changes, pictures are made at a size that keeps them coming; what was begun is finished and shown. At
rest the full picture follows, first with few shadow rays, then complete.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import chain
from typing import Literal

from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from collage.app.preview.images import to_image
from collage.app.preview.orbit import panned, turned, zoomed
from collage.app.shell.jobs import Jobs, Latest
from collage.app.theme import Theme, font
from collage.core.base.text import counted
from collage.core.render.heights import DARK, LIGHT, Span, height_of, words_for
from collage.core.render.pace import Pace
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest
from collage.core.render.traced_pictures import Refining
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench, Faces
from collage.core.scene.cameras import Camera

SLOW = 0.1  # seconds that a picture in motion takes, from which on it has the processors for itself
REST = 120  # milliseconds without a change until the full picture is begun
MOST_PIXELS = 2_500_000  # of a full picture, on screens of high density
CLICK = 4  # pixels that a hand may tremble in a click

Change = Literal["view", "light", "value", "relief"]
"""What changed: the camera or the objects; a light; only values, so that no ray is cast; or values that displace."""

Answer = tuple[PictureRequest, Picture, QImage]


def noise_words(share: float) -> str:
    """In words, the noise of a traced picture; none before it is known."""
    return f" · noise {100 * share:.1f} %" if 0 < share < 1 else ""


class Viewport(QWidget):
    """Shows the newest picture of what `request` says. Subclasses say what is shown and take what the hand does."""

    hint = Signal(str)
    pixel = Signal(str)  # the value under the pointer, in words
    pixel_values = Signal(object, object)  # the same as linear light (3,), and as shown (3,) uint8
    timed = Signal(str)
    failed = Signal(object)  # CollageError
    shown_changed = Signal()  # another picture is on the screen

    def __init__(self, renderer: Renderer, jobs: Jobs, theme: Theme, name: str) -> None:
        super().__init__()
        self.renderer, self.theme = renderer, theme
        self.picture: Picture | None = None
        self.shown: PictureRequest | None = None  # what the picture on the screen was made for
        self.over: list[Callable[[QPainter], object]] = []  # what is drawn over the picture
        self.traced: Tracing | None = None  # how the picture is traced at rest; None for the draft alone
        self._refining = Refining(renderer)
        self.count = 0  # pictures shown so far
        self.kept = False  # whether an earlier picture is shown until the complete one is there
        self._image: QImage | None = None
        self._last = QPointF()
        self._press: QPointF | None = None
        self._dragged = False
        self._paces: dict[Change, Pace] = {
            "view": Pace(), "light": Pace(), "value": Pace(5e-7), "relief": Pace(4e-6, smallest=4.0),
        }  # fmt: skip
        self._displaced: tuple[str, ...] = ()  # what was displaced when last asked for
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._jobs, self.work = jobs, Latest(jobs, self, urgent=True)
        self.work.answered.connect(self._take)
        self.work.failed.connect(self.failed)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST)
        self._rest.timeout.connect(self._ask_full)

    # ---- for subclasses -----------------------------------------------------------------------

    def request(self) -> PictureRequest | None:
        """What is to be shown at rest; None for nothing."""
        raise NotImplementedError

    @property
    def camera(self) -> Camera:
        raise NotImplementedError

    def look(self, camera: Camera) -> None:
        """The hand moved the camera."""
        raise NotImplementedError

    def move_light(self, gone: QPointF) -> None:
        """The hand dragged the light by some pixels."""

    def clicked(self, point: QPoint) -> None:
        """The hand clicked a point of the picture."""

    def dropped(self) -> None:
        """A drag has ended."""

    def notes(self) -> list[str]:
        """What is to be said of what is shown, one line each."""
        return []

    def bench(self) -> Bench | None:
        """The bench that is shown."""
        request = self.request()
        return request.bench if request is not None else None

    # ---- asking -------------------------------------------------------------------------------

    def full_size(self) -> tuple[int, int]:
        """Width and height of a full picture, in the pixels of the screen."""
        ratio = self.devicePixelRatioF()
        width, height = self.width() * ratio, self.height() * ratio
        shrink = min(1.0, (MOST_PIXELS / max(width * height, 1)) ** 0.5)
        return max(round(width * shrink), 16), max(round(height * shrink), 16)

    def ask(self, change: Change = "value") -> None:
        """Something changed: shows it soon, and in full at rest."""
        request = self.request() if self.isVisible() else None  # else when it is shown
        if request is None:
            return
        self._rest.start()
        self.kept = False

        def work(_overtaken: Callable[[], bool]) -> Iterator[Answer]:
            moving, kind = self._in_motion(request, change)
            # where rays are kept, the first look after a change of size costs more than the next ones
            begin, kept = time.perf_counter(), self.renderer.has_view(moving)
            picture = next(iter(self.renderer.stages(moving, patient=False)))
            seconds = time.perf_counter() - begin
            self._jobs.slow = seconds > SLOW
            if kept or kind in ("view", "relief"):
                self._paces[kind].took(moving.width * moving.height, seconds)
            yield moving, picture, to_image(picture.on_black)

        self.work.ask(work)

    def _in_motion(self, request: PictureRequest, change: Change) -> tuple[PictureRequest, Change]:
        """The picture that a moving hand sees, and what has changed for it. Called on the thread that makes it."""
        if change == "value":
            before, self._displaced = self._displaced, self.renderer.reliefs.keys(request)
            change = "relief" if self._displaced != before else change
        width, height = self._paces[change].size(*request.size)
        if change == "value" and (width, height) == request.size and self.renderer.has_view(request):
            return request, change
        return replace(request, width=width, height=height, quality="coarse"), change

    def trace(self, how: Tracing | None) -> None:
        """Shows the traced picture at rest, or the draft alone."""
        if how != self.traced:
            self.traced = how
            self.ask("value")

    def _ask_full(self) -> None:
        request, renderer, tracing = self.request(), self.renderer, self.traced
        if request is None:
            return
        before = self._of_the_same(request)

        def work(overtaken: Callable[[], bool]) -> Iterator[Answer]:
            pictures = renderer.stages(request, cancelled=overtaken)
            if request.lit and tracing is not None:
                wanted = replace(request, quality="traced", tracing=tracing)
                pictures = self._refining.pictures(chain(before, pictures), wanted, overtaken)
            for picture in pictures:
                yield request, picture, to_image(picture.on_black)

        self.work.ask(work)

    def _of_the_same(self, request: PictureRequest) -> list[Picture]:
        """The picture on the screen, if a moving hand has just seen it of this."""
        picture, shown = self.picture, self.shown
        if picture is None or shown is None or shown.quality != "coarse":
            return []
        same = replace(request, width=shown.width, height=shown.height, quality="coarse")
        return [picture] if shown == same else []

    def show_kept(self, image: QImage) -> None:
        """Shows a picture of before until the complete one is there, or until something changes."""
        self.shown, self.picture, self._image, self.kept = None, None, image, True
        self._rest.start()
        self.shown_changed.emit()
        self.update()

    def _take(self, answer: Answer) -> None:
        if self.kept and not answer[1].complete:
            return
        self.shown, self.picture, self._image = answer
        self.kept = False
        self.count += 1
        height, width = self.picture.display.shape[:2]
        reading = self.renderer.images.reading if not self.picture.complete else 0
        left = f" · {counted(reading, 'map')} to read" if reading else ""
        if self.picture.samples:
            left = f" · {counted(self.picture.samples, 'sample')}{noise_words(self.picture.noise)}"
        self.timed.emit(f"{_time_words(self.picture.seconds)} · {width}×{height}{left}")
        self.shown_changed.emit()
        self.update()

    def clear(self) -> None:
        """Shows nothing."""
        self.shown = self.picture = self._image = None
        self.update()

    @property
    def settled(self) -> bool:
        """Whether the complete picture of the present state is on the screen."""
        if not self.isVisible():
            return True
        if self._rest.isActive() or not self.work.idle:
            return False
        request = self.request()
        if request is None:
            return True
        return self.shown == request and self.picture is not None and self.picture.complete

    @property
    def image(self) -> QImage | None:
        return self._image

    def close_down(self) -> None:
        self._rest.stop()
        self.work.close()
        self.over.clear()

    # ---- showing ------------------------------------------------------------------------------

    def sizeHint(self) -> QSize:
        return QSize(400, 330)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        bench = self.bench()
        grey = round((bench.surround if bench is not None else 0.48) * 255)
        painter.fillRect(self.rect(), QColor(grey, grey, grey))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self._image)
        for draw in self.over:
            painter.save()
            draw(painter)
            painter.restore()
        if self.picture is not None and self.picture.span is not None:
            self._draw_scale(painter, self.picture.span)
        self._draw_remarks(painter)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.accent), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _draw_scale(self, painter: QPainter, span: Span) -> None:
        """What the greys of a picture of heights stand for, in its upper left corner."""
        box = QRect(12, 12, 148, 42)
        painter.fillRect(box, QColor(self.theme.panel))
        greys = QLinearGradient(QPointF(box.left() + 8, 0), QPointF(box.right() - 8, 0))
        for place, stored in ((0.0, DARK), (1.0, LIGHT)):
            greys.setColorAt(place, QColor.fromRgbF(stored, stored, stored))
        painter.fillRect(box.adjusted(8, 8, -8, -24), greys)
        painter.setFont(font(11))
        painter.setPen(QColor(self.theme.ink))
        line = box.adjusted(8, 24, -8, -4)
        for side, metres in zip((Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight), span, strict=True):
            painter.drawText(line, side, words_for(metres))

    def _draw_remarks(self, painter: QPainter) -> None:
        """One line for each thing that the picture does not show as it is, over its lower edge."""
        remarks = [*self.notes(), *(self.picture.remarks if self.picture is not None else ())]
        painter.setFont(font(11))
        high = painter.fontMetrics().height() + 6
        for number, remark in enumerate(reversed(remarks)):
            line = QRect(0, self.height() - high * (number + 1), self.width(), high)
            painter.fillRect(line, QColor(self.theme.panel))
            painter.setPen(QColor(self.theme.ink))
            text = painter.fontMetrics().elidedText(remark, Qt.TextElideMode.ElideRight, self.width() - 16)
            painter.drawText(line.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self.kept:
            self._rest.start()
        elif event.size() != event.oldSize():
            self.ask("view")

    def showEvent(self, event: QShowEvent) -> None:
        if self.kept:
            self._rest.start()
        else:
            self.ask("view")

    # ---- the mouse ----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._press, self._last, self._dragged = event.position(), event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            self._tell_pixel(event.position().toPoint())
            return
        gone = event.position() - self._last
        self._last = event.position()
        if not self._dragged and (event.position() - self._press).manhattanLength() < CLICK:
            return
        self._dragged = True
        middle = bool(event.buttons() & Qt.MouseButton.MiddleButton)
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.move_light(gone)
        elif middle or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.look(panned(self.camera, gone.x(), gone.y(), min(self.width(), self.height())))
        else:
            self.look(turned(self.camera, gone.x(), gone.y()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and not self._dragged and event.button() == Qt.MouseButton.LeftButton:
            self.clicked(event.position().toPoint())
        if self._dragged:
            self.dropped()
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        number = self.object_at(event.position().toPoint())
        self.frame(number if number >= 0 else None)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.look(zoomed(self.camera, 0.9988 ** event.angleDelta().y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Left: (-12, 0),
            Qt.Key.Key_Right: (12, 0),
            Qt.Key.Key_Up: (0, -12),
            Qt.Key.Key_Down: (0, 12),
        }
        if event.key() in steps:
            self.look(turned(self.camera, *steps[Qt.Key(event.key())]))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self.look(zoomed(self.camera, 0.9 if event.key() == Qt.Key.Key_Plus else 1.1))
        elif event.key() == Qt.Key.Key_Home:
            self.frame(None)
        else:
            super().keyPressEvent(event)

    # ---- what lies under a point --------------------------------------------------------------

    def object_at(self, point: QPoint) -> int:
        """The object under a point of the widget; negative where there is none."""
        at = self._pixel_at(point)
        if at is None or self.picture is None:
            return -2
        return int(self.picture.objects[at[1], at[0]])

    def faces_at(self, point: QPoint) -> list[Faces]:
        """The part, slot and piece under a point, as far as the object there has more than one of them."""
        picture, bench, number, pixel = self.picture, self.bench(), self.object_at(point), self._pixel_at(point)
        if picture is None or bench is None or number < 0 or pixel is None:
            return []
        at = pixel[1], pixel[0]
        mesh = bench.objects[number].mesh()
        part, slot, piece = (int(one[at]) for one in (picture.parts, picture.slots, picture.pieces))
        found: list[Faces] = []
        if len(mesh.part_names) > 1 and part < len(mesh.part_names):
            found.append(("part", mesh.part_names[part], 0))
        if len(mesh.slot_names) > 1 and slot < len(mesh.slot_names):
            found.append(("slot", mesh.slot_names[slot], 0))
        pieces = int(mesh.ids[1].max(initial=0)) + 1
        if pieces > 1 and pieces != len(mesh.part_names):  # else each part is a piece
            found.append(("piece", "", piece))
        return found

    def _pixel_at(self, point: QPoint) -> tuple[int, int] | None:
        if self.picture is None or not self.rect().contains(point):
            return None
        height, width = self.picture.display.shape[:2]
        return min(point.x() * width // max(self.width(), 1), width - 1), min(
            point.y() * height // max(self.height(), 1), height - 1
        )

    def _tell_pixel(self, point: QPoint) -> None:
        at = self._pixel_at(point)
        if at is None or self.picture is None:
            return
        linear, shown = self.picture.linear[at[1], at[0]], self.picture.display[at[1], at[0]]
        self.pixel_values.emit(linear, shown)
        if self.picture.span is not None and self.picture.objects[at[1], at[0]] >= 0:
            self.pixel.emit(words_for(height_of(float(linear[0]), self.picture.span)))
            return
        numbers = " ".join(f"{part:.3f}" for part in linear)
        self.pixel.emit(f"{numbers} linear   #{shown[0]:02X}{shown[1]:02X}{shown[2]:02X}")

    def frame(self, number: int | None) -> None:
        """Fits an object, or all of them, into the picture."""
        bench = self.bench()
        if bench is not None:
            self.look(self.camera.framing(*self.renderer.bounds(bench, number)))


def _time_words(seconds: float) -> str:
    """How long a picture took: "85 ms", "12.4 s", "3 min 20 s"."""
    if seconds < 10:
        return f"{seconds * 1000:.0f} ms"
    return f"{seconds:.1f} s" if seconds < 60 else f"{seconds // 60:.0f} min {seconds % 60:.0f} s"
