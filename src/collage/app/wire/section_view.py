"""The section in the preview: a line drawn over an object, its ends to be dragged, and the profile under it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from collage.app.shell.jobs import Jobs, Latest
from collage.app.theme import Theme, font
from collage.core.base.errors import CollageError
from collage.core.render.heights import HEIGHTS
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.section import Section, SectionLine, line_between, section
from collage.core.scene.stage import length_text

PIN, NEAR = 7.0, 8.0  # pixels: an end's square, and how near the pointer must be
BOX = QRectF(12, 12, 300, 0)  # where the profile is drawn; as high as it needs
BELOW_SCALE = 62.0  # where it begins in a view of heights, under the scale of that
LEAST, MOST = 22.0, 90.0  # pixels that its heights take
FACTORS = (1, 2, 5, 10, 20, 50, 100, 200, 500)  # by which heights may be drawn larger than lengths
HINT = "Drag a line over an object · L or Esc ends"
DRAWN = "Drag an end to move it · click the profile for true scale · L or Esc ends"
NOT_ONE = "Both ends of a section line must be on one object"

Answer = tuple[SectionLine | None, Section | None]


class SectionView(QObject):
    """A section over one viewport's picture. It is no part of the project."""

    changed = Signal()  # to be drawn anew
    hint = Signal(str)

    def __init__(self, renderer: Renderer, jobs: Jobs, parent: QObject) -> None:
        super().__init__(parent)
        self._renderer = renderer
        self.on = False
        self.true_scale = False  # whether heights are never drawn larger than lengths
        self.line: SectionLine | None = None
        self.section: Section | None = None
        self._top = BOX.y()  # of the profile
        self._ends: list[QPointF] = []  # while the hand draws: where it began and where it is, in the widget
        self._work = Latest(jobs, self)
        self._work.answered.connect(self._take)
        self._work.failed.connect(self._failed)

    @property
    def idle(self) -> bool:
        """Whether what is asked for is shown."""
        return self._work.idle

    @property
    def hint_text(self) -> str:
        """What the hand can do now."""
        return HINT if self.line is None else DRAWN

    def close(self) -> None:
        self._work.close()

    def toggle(self) -> None:
        """On, for a new line; or off."""
        self.on, self.line, self.section, self._ends = not self.on, None, None, []
        if self.on:
            self.hint.emit(self.hint_text)
        self.changed.emit()

    # ---- the hand -----------------------------------------------------------------------------

    def press(self, point: QPointF, request: PictureRequest | None, size: tuple[int, int]) -> bool:
        """Takes the hand where it draws or drags an end. Whether it did."""
        if not self.on or request is None:
            return False
        if self._box().contains(point) and self.section is not None:
            self.true_scale = not self.true_scale
            self.changed.emit()
            return True
        if self.line is None:
            self._ends = [point, point]
            return True
        pins = self.pins(request, size)
        taken = [at for at, pin in enumerate(pins) if (pin - point).manhattanLength() < 2 * NEAR]
        if taken:
            self._ends = [pins[1 - taken[0]], point]
        return bool(taken)

    def move(self, point: QPointF, request: PictureRequest | None, size: tuple[int, int]) -> bool:
        """Follows the hand. Whether it draws."""
        if not self._ends:
            return False
        self._ends[1] = point
        if request is not None:
            self._ask(request, size, tuple(self._ends))
        self.changed.emit()
        return True

    def release(self) -> bool:
        """The hand let go. Whether it drew."""
        drew, self._ends = bool(self._ends), []
        self.changed.emit()
        return drew

    def follow(self, request: PictureRequest | None, size: tuple[int, int]) -> None:
        """Another picture is shown: the profile may be another one."""
        if self.on and self.line is not None and not self._ends and request is not None:
            self._ask(request, size, ())

    def _ask(self, request: PictureRequest, size: tuple[int, int], ends: tuple[QPointF, ...]) -> None:
        renderer, line = self._renderer, self.line
        scaled = replace(request, width=size[0], height=size[1])
        places = [(one.x(), one.y()) for one in ends]

        def work(_overtaken: Callable[[], bool]) -> Iterator[Answer]:
            here = line_between(renderer, scaled, places[0], places[1]) if places else line
            yield here, (section(renderer, scaled, here) if here is not None else None)

        self._work.ask(work)

    def _failed(self, error: CollageError) -> None:
        self.hint.emit(str(error))

    def _take(self, answer: Answer) -> None:
        if self.on and answer[0] is not None:
            self.line, self.section = answer
            self.hint.emit(self.hint_text)
            self.changed.emit()
        elif self.on:
            self.hint.emit(NOT_ONE)

    # ---- drawing ------------------------------------------------------------------------------

    def pins(self, request: PictureRequest, size: tuple[int, int]) -> list[QPointF]:
        """Where both ends are seen."""
        if self.section is None:
            return []
        found = self.section.places[np.isfinite(self.section.height)]
        return [QPointF(*request.bench.camera.seen(place, *size)) for place in (found[0], found[-1])]

    def draw(self, painter: QPainter, request: PictureRequest | None, size: tuple[int, int], theme: Theme) -> None:
        """The line over the object, and the profile in the corner."""
        if not self.on or request is None:
            return
        self._top = BELOW_SCALE if request.mode == HEIGHTS else BOX.y()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._ends:
            _line(painter, QPolygonF(self._ends), QColor(theme.accent))
        if self.section is not None:
            seen = request.bench.camera.seen(self.section.places, *size)
            for run in _runs(seen):
                _line(painter, run, QColor(theme.ink))
            for pin in self.pins(request, size):
                square = QRectF(pin.x() - PIN / 2, pin.y() - PIN / 2, PIN, PIN)
                painter.setPen(QPen(QColor(theme.card), 1.5))
                painter.fillRect(square, QColor(theme.accent))
                painter.drawRect(square)
            self._draw_profile(painter, self.section, theme)
        painter.restore()

    def scale(self) -> tuple[float, int]:
        """Pixels a metre along the profile, and how many times larger heights are drawn."""
        found = self.section
        assert found is not None
        along = (BOX.width() - 24) / max(found.length, 1e-9)
        deep = max(found.depth, 1e-9) * along
        if deep > MOST:
            return along * MOST / deep, 1
        if self.true_scale:
            return along, 1
        return along, next((one for one in FACTORS if deep * one >= LEAST), FACTORS[-1])

    def _box(self) -> QRectF:
        if self.section is None:
            return QRectF()
        along, factor = self.scale()
        return QRectF(BOX.x(), self._top, BOX.width(), self.section.depth * along * factor + 62)

    def _draw_profile(self, painter: QPainter, found: Section, theme: Theme) -> None:
        (along, factor), box = self.scale(), self._box()
        painter.fillRect(box, QColor(theme.panel))
        painter.setFont(font(11))
        ink, quiet = QColor(theme.ink), QColor(theme.quiet)
        top = float(np.nanmax(found.height))

        def placed(height: np.ndarray) -> np.ndarray:
            x = box.left() + 12 + found.along * along
            return np.stack([x, box.top() + 30 + (top - height) * along * factor], axis=1)

        inside = box.adjusted(6, 0, -6, -26)
        painter.save()
        painter.setClipRect(inside)
        if np.nanmax(np.abs(found.before - found.height)) > 1e-6:
            painter.setPen(QPen(quiet, 1, Qt.PenStyle.DashLine))
            for run in _runs(placed(found.before)):
                painter.drawPolyline(run)
        painter.setPen(QPen(ink, 1.6))
        for run in _runs(placed(found.height)):
            painter.drawPolyline(run)
        painter.restore()
        painter.setPen(ink)
        words = box.adjusted(12, 6, -12, -6)
        painter.drawText(words, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, self.words())
        scale = "true scale" if factor == 1 else f"heights ×{factor}"
        painter.setPen(QColor(theme.accent) if factor > 1 else ink)
        painter.drawText(words, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, scale)
        self._draw_bar(painter, QPointF(box.left() + 12, box.bottom() - 12), found, along, ink)

    def words(self) -> str:
        """How long the section is, and how deep what it cuts."""
        found = self.section
        return f"{length_text(found.length)} long, {1000 * found.depth:.2f} mm deep" if found is not None else ""

    @staticmethod
    def _draw_bar(painter: QPainter, at: QPointF, found: Section, along: float, ink: QColor) -> None:
        """A bar of a round length, about a third of the section."""
        third = found.length / 3
        step = 10 ** np.floor(np.log10(max(third, 1e-9)))
        length = float(max(one for one in (1, 2, 5) if one * step <= third * 1.0001) * step)
        end = at + QPointF(length * along, 0)
        painter.setPen(QPen(ink, 1))
        painter.drawLine(at, end)
        for tick in (at, end):
            painter.drawLine(tick - QPointF(0, 3), tick + QPointF(0, 3))
        painter.drawText(end + QPointF(7, 4), length_text(length))


def _runs(places: np.ndarray) -> list[QPolygonF]:
    """Lines through places (n, 2), broken where one is not a number."""
    good = np.isfinite(places).all(axis=1)
    breaks = np.flatnonzero(np.diff(good.astype(int)))
    parts = np.split(np.arange(len(places)), breaks + 1)
    return [QPolygonF([QPointF(*places[at]) for at in part]) for part in parts if good[part[0]] and len(part) > 1]


def _line(painter: QPainter, line: QPolygonF, ink: QColor) -> None:
    """A thin line with a light edge, to be seen on any picture."""
    for pen in (QPen(QColor(255, 255, 255, 200), 3.2), QPen(ink, 1.4)):
        painter.setPen(pen)
        painter.drawPolyline(line)
