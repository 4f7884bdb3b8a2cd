"""Editors of whole cards: a histogram of what comes out, the stops of a ramp, a curve, levels over what comes in."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from collage.app.widgets.fields import ColourField
from collage.app.widgets.number_field import NumberField
from collage.core.base.text import counted
from collage.core.document.model import Card, Input, Value
from collage.core.images.colour import linear_to_srgb
from collage.core.nodes import ramps
from collage.core.nodes.ramps import Stop
from collage.core.render.values import Spread, spread_of

Values = Mapping[str, Value]
MOST_STOPS = 64
SLIP = 6.0  # pixels that a hand may slip without meaning it


def number(value: object, otherwise: float = 0.0) -> float:
    """A number from a value that may be a tuple: their mean."""
    if isinstance(value, tuple):
        return float(sum(value[:3]) / len(value[:3]))
    return float(value) if isinstance(value, int | float) else otherwise


def draw_histogram(painter: QPainter, box: QRectF, spread: Spread, ink: QColor) -> None:
    """Counts as a filled outline, the channels over each other; roots, so that small counts can be seen."""
    top = np.sqrt(spread.counts.max()) or 1.0
    for row in spread.counts:
        path = QPainterPath(box.bottomLeft())
        for step, count in enumerate(row):
            x = box.x() + (step + 0.5) / len(row) * box.width()
            path.lineTo(x, box.bottom() - float(np.sqrt(count) / top) * box.height())
        path.lineTo(box.bottomRight())
        fill = QColor(ink)
        fill.setAlpha(110 if len(spread.counts) == 1 else 55)
        painter.fillPath(path, fill)


def draw_point(painter: QPainter, place: QPointF, ink: QColor, paper: QBrush) -> None:
    """A small square that can be dragged."""
    mark = QRectF(0, 0, 9, 9)
    mark.moveCenter(place)
    painter.fillRect(mark, ink)
    painter.fillRect(mark.adjusted(1.5, 1.5, -1.5, -1.5), paper)


class Histogram(QWidget):
    """How the values of the chosen card are spread, with the least and the greatest; 0 and 1 are marked."""

    def __init__(self) -> None:
        super().__init__()
        self.spread: Spread | None = None
        self.setFixedSize(171, 40)
        self.setAccessibleName("Histogram")

    def show_values(self, value: np.ndarray | None) -> None:
        self.spread = spread_of(value) if value is not None else None
        self.setVisible(self.spread is not None)
        if self.spread is not None:
            found = self.spread
            broken = f", {found.broken} not numbers" if found.broken else ""
            self.setToolTip(f"From {found.low:.4g} to {found.high:.4g}{broken}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.spread is None:
            return
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.palette().base())
        ink = self.palette().text().color()
        box = QRectF(0, 2, self.width(), 25)
        draw_histogram(painter, box, self.spread, ink)
        start, stop = self.spread.start, self.spread.stop
        painter.setPen(QPen(self.palette().mid().color(), 1, Qt.PenStyle.DotLine))
        for mark in (0.0, 1.0):
            x = round((mark - start) / (stop - start) * (self.width() - 1))
            painter.drawLine(x, 0, x, 27)
        painter.setPen(ink)
        face = painter.font()
        face.setPixelSize(10)
        painter.setFont(face)
        low = QRectF(3, 27, 80, 13)
        painter.drawText(low, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, f"{self.spread.low:.3g}")
        high = QRectF(self.width() - 83, 27, 80, 13)
        painter.drawText(high, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{self.spread.high:.3g}")
        painter.end()


class CardEditor(QWidget):
    """Edits several inputs of a card by one picture.

    `edited` carries new values by input, and whether the hand moves.
    """

    edited = Signal(object, bool)
    covers: tuple[str, ...] = ()  # inputs that need no field of their own

    def set_values(self, values: Values) -> None:
        """Shows the card's values, by input."""
        raise NotImplementedError

    def show_card(self, card: Card, values: Values) -> None:
        """Shows the card."""
        self.set_values(values)

    def changed_card(self, card: Card, values: Values, types: Mapping[str, str]) -> Card:
        """The card with what `edited` told."""
        for name, value in values.items():
            old = card.inputs.get(name)
            attributes = old.attributes if old is not None else {}
            card = card.with_input(Input(name, types[name], value, None, None, attributes))
        return card

    def show_values(self, value: np.ndarray | None) -> None:
        """The numbers that come in, where the editor shows them."""


# ---- ramp -------------------------------------------------------------------------------------


def ramp_colours(stops: list[Stop], interpolation: int, count: int) -> np.ndarray:
    """(count, 3) linear colours along a ramp: 0 linear, 1 smooth, 2 in steps, as the standard's ramp has them."""
    x = (np.arange(count) + 0.5) / count
    places = np.array([place for place, _ in stops])
    colours = np.array([colour[:3] for _, colour in stops])
    at = np.clip(np.searchsorted(places, x, side="right") - 1, 0, len(stops) - 1)
    after = np.minimum(at + 1, len(stops) - 1)
    gap = np.maximum(places[after] - places[at], 1e-6)
    share = np.clip((x - places[at]) / gap, 0, 1)
    if interpolation == 1:
        share = share * share * (3 - 2 * share)
    elif interpolation == 2:
        share = np.zeros_like(share)
    return np.asarray(colours[at] + (colours[after] - colours[at]) * share[:, None])


class RampBar(QWidget):
    """The ramp with its stops: drag to move, click beside to add, drag away or Del to remove."""

    changed = Signal(bool)
    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.stops: list[Stop] = [(0.0, (0.0, 0.0, 0.0, 1.0)), (1.0, (1.0, 1.0, 1.0, 1.0))]
        self.interpolation = 0
        self.chosen = 0
        self._gone: Stop | None = None
        self.setFixedHeight(62)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Stops of the ramp")
        self.setToolTip("Click to add a stop, drag to move it, drag off to remove it · arrow keys nudge, Del removes")

    def _box(self) -> QRectF:
        return QRectF(7, 4, self.width() - 14, self.height() - 8)

    def _x(self, place: float) -> float:
        return self._box().x() + place * self._box().width()

    def _place(self, x: float) -> float:
        return round(min(max((x - self._box().x()) / self._box().width(), 0.0), 1.0), 4)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        width = max(round(box.width()), 2)
        colours = np.clip(linear_to_srgb(ramp_colours(self.stops, self.interpolation, width)), 0, 1)
        row = np.ascontiguousarray((colours * 255 + 0.5).astype(np.uint8))
        painter.drawImage(box, QImage(row.data, width, 1, 3 * width, QImage.Format.Format_RGB888))
        ink, accent = self.palette().text().color(), self.palette().highlight().color()
        painter.setPen(QPen(ink, 1))
        painter.drawRect(box)
        for number_of, (place, _) in enumerate(self.stops):
            cut = QRectF(self._x(place) - 0.5, box.y(), 1, box.height())
            painter.fillRect(cut.adjusted(-1, 0, 1, 0), self.palette().base())
            painter.fillRect(cut, accent if number_of == self.chosen else ink)
            draw_point(painter, cut.center(), accent if number_of == self.chosen else ink, self.palette().base())
        painter.end()

    def _stop_at(self, x: float) -> int | None:
        gaps = [(abs(self._x(place) - x), number_of) for number_of, (place, _) in enumerate(self.stops)]
        gap, nearest = min(gaps)
        return nearest if gap <= 8 else None

    def choose(self, number_of: int) -> None:
        self.chosen = min(max(number_of, 0), len(self.stops) - 1)
        self.chosen_changed.emit()
        self.update()

    def put(self, stop: Stop, moving: bool) -> None:
        """Puts the chosen stop elsewhere, or gives it another colour; stops stay in their order."""
        self.stops[self.chosen] = stop
        self.stops.sort(key=lambda one: one[0])
        self.chosen = self.stops.index(stop)
        self.update()
        self.changed.emit(moving)

    def add(self, place: float) -> bool:
        """A stop of the colour that the ramp has there."""
        if len(self.stops) >= MOST_STOPS:
            return False
        colour = ramp_colours(self.stops, self.interpolation, 512)[min(int(place * 512), 511)]
        stop = (place, (*(round(float(part), 4) for part in colour), 1.0))
        self.stops.append(stop)
        self.stops.sort(key=lambda one: one[0])
        self.chosen = self.stops.index(stop)
        self.chosen_changed.emit()
        self.changed.emit(True)
        self.update()
        return True

    def remove(self) -> None:
        if len(self.stops) > 2:
            del self.stops[self.chosen]
            self.choose(self.chosen - 1)
            self.changed.emit(False)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        found = self._stop_at(event.position().x())
        if found is not None:
            self.choose(found)
        else:
            self.add(self._place(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not event.buttons() & Qt.MouseButton.LeftButton:
            return
        away = not -30 < event.position().y() < self.height() + 30
        if away and self._gone is None and len(self.stops) > 2:
            self._gone = self.stops.pop(self.chosen)
            self.chosen = max(self.chosen - 1, 0)
            self.changed.emit(True)
            self.update()
        elif not away and self._gone is not None:
            self.stops.append(self._gone)
            self.chosen = len(self.stops) - 1
            self._gone = None
        if self._gone is None:
            self.put((self._place(event.position().x()), self.stops[self.chosen][1]), True)
            self.chosen_changed.emit()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._gone = None
        self.chosen_changed.emit()
        self.changed.emit(False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        place, colour = self.stops[self.chosen]
        step = 0.01 if not event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.001
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            moved = place + (step if event.key() == Qt.Key.Key_Right else -step)
            self.put((round(min(max(moved, 0.0), 1.0), 4), colour), False)
            self.chosen_changed.emit()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.choose(self.chosen + (1 if event.key() == Qt.Key.Key_Up else -1))
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif event.key() == Qt.Key.Key_Plus:
            self.add(round((place + self.stops[min(self.chosen + 1, len(self.stops) - 1)][0]) / 2, 4))
            self.changed.emit(False)
        else:
            super().keyPressEvent(event)


class RampEditor(CardEditor):
    """The bar, and the place and colour of the chosen stop."""

    covers = ("num_intervals", "interpolation", *(f"{what}{k}" for k in range(1, 11) for what in ("interval", "color")))

    def __init__(self) -> None:
        super().__init__()
        self.bar = RampBar()
        self.place = NumberField(soft=(0.0, 1.0), hard=(0.0, 1.0))
        self.place.setAccessibleName("Position of the stop")
        self.place.setFixedWidth(60)
        self.setFixedWidth(290)
        self.colour = ColourField(4)
        self.colour.setAccessibleName("Colour of the stop")
        self.count = QLabel()
        self.count.setObjectName("quiet")
        self.how = QComboBox()
        self.how.addItems(["Linear", "Smooth", "Steps"])
        self.how.setToolTip("Interpolation between stops")
        self.how.setAccessibleName("Interpolation")
        self.how.activated.connect(self._chose_how)
        row = QHBoxLayout()
        row.setSpacing(5)
        row.addWidget(self.place)
        row.addWidget(self.colour, 1)
        row.addWidget(self.how)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.bar)
        layout.addLayout(row)
        layout.addWidget(self.count)
        layout.addStretch(1)
        self.bar.changed.connect(self._changed)
        self.bar.chosen_changed.connect(self._show_chosen)
        self.place.edited.connect(self._placed)
        self.colour.edited.connect(self._coloured)

    def show_card(self, card: Card, values: Values) -> None:
        stops, self.bar.interpolation = ramps.stops_of(card)
        if stops != self.bar.stops:
            self.bar.stops = stops
            self.bar.chosen = min(self.bar.chosen, len(stops) - 1)
        self.how.setCurrentIndex(self.bar.interpolation)
        self.bar.update()
        self._show_chosen()

    def changed_card(self, card: Card, values: Values, types: Mapping[str, str]) -> Card:
        return ramps.with_stops(card, self.bar.stops, self.bar.interpolation)

    def _chose_how(self, how: int) -> None:
        self.bar.interpolation = how
        self._changed(False)

    def _placed(self, place: float, moving: bool) -> None:
        self.bar.put((place, self.bar.stops[self.bar.chosen][1]), moving)

    def _coloured(self, colour: tuple[float, ...], moving: bool) -> None:
        self.bar.put((self.bar.stops[self.bar.chosen][0], tuple(colour)), moving)

    def _show_chosen(self) -> None:
        place, colour = self.bar.stops[self.bar.chosen]
        self.place.set_value(place)
        self.colour.set_value(colour)
        full = len(self.bar.stops) >= MOST_STOPS
        self.count.setText(f"{counted(len(self.bar.stops), 'stop')}{', the most' if full else ''}")

    def _changed(self, moving: bool) -> None:
        self._show_chosen()
        self.edited.emit({}, moving)


# ---- curve ------------------------------------------------------------------------------------

KNOTS = ("darkest", "dark", "middle", "bright", "brightest")


def curve_through(heights: list[float], count: int) -> np.ndarray:
    """(count,) values of the Curve card along 0 to 1: a Catmull-Rom spline, its ends carried on straight."""
    x = np.linspace(0, 4, count)
    at = np.clip(x.astype(int), 0, 3)
    t = x - at
    h = np.array([2 * heights[0] - heights[1], *heights, 2 * heights[-1] - heights[-2]])
    p0, p1, p2, p3 = h[at], h[at + 1], h[at + 2], h[at + 3]
    return np.asarray(
        0.5 * (2 * p1 + (p2 - p0) * t + (2 * p0 - 5 * p1 + 4 * p2 - p3) * t**2 + (3 * p1 - p0 - 3 * p2 + p3) * t**3)
    )


class CurveEditor(CardEditor):
    """Five points over 0 to 1: drag them up and down; behind them how what comes in is spread."""

    covers = KNOTS

    def __init__(self) -> None:
        super().__init__()
        self.heights = [0.0, 0.25, 0.5, 0.75, 1.0]
        self.chosen = 2
        self._spread: Spread | None = None
        self._dragging = False
        self.setFixedSize(220, 146)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Curve")
        self.setToolTip("Drag points up and down · arrow keys select and nudge")

    def set_values(self, values: Values) -> None:
        self.heights = [number(values.get(name)) for name in KNOTS]
        self.update()

    def show_values(self, value: np.ndarray | None) -> None:
        self._spread = spread_of(value) if value is not None else None
        self.update()

    def _box(self) -> QRectF:
        return QRectF(6, 6, self.width() - 12, self.height() - 12)

    def _at(self, knot: int) -> QPointF:
        box = self._box()
        return QPointF(box.x() + knot / 4 * box.width(), box.bottom() - self.heights[knot] * box.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box, ink = self._box(), self.palette().text().color()
        painter.fillRect(box, self.palette().base())
        if self._spread is not None:
            quiet = QColor(ink)
            draw_histogram(painter, box, self._spread, quiet)
        painter.setPen(QPen(self.palette().mid().color(), 1))
        for step in range(5):
            x, y = box.x() + step / 4 * box.width(), box.y() + step / 4 * box.height()
            painter.drawLine(QPointF(x, box.y()), QPointF(x, box.bottom()))
            painter.drawLine(QPointF(box.x(), y), QPointF(box.right(), y))
        painter.setClipRect(self.rect())
        painter.setPen(QPen(ink, 1.6))
        values = curve_through(self.heights, 97)
        path = QPainterPath()
        for step, value in enumerate(values):
            place = QPointF(box.x() + step / 96 * box.width(), box.bottom() - float(value) * box.height())
            if step:
                path.lineTo(place)
            else:
                path.moveTo(place)
        painter.drawPath(path)
        for knot in range(5):
            held = self.palette().highlight().color() if knot == self.chosen else ink
            draw_point(painter, self._at(knot), held, self.palette().base())
        painter.end()

    def _put(self, value: float, moving: bool) -> None:
        self.heights[self.chosen] = round(min(max(value, 0.0), 1.0), 4)
        self.update()
        self.edited.emit({KNOTS[self.chosen]: self.heights[self.chosen]}, moving)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        box = self._box()
        self.chosen = min(max(round((event.position().x() - box.x()) / box.width() * 4), 0), 4)
        self._dragging = True
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            box = self._box()
            self._put((box.bottom() - event.position().y()) / box.height(), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.edited.emit({KNOTS[self.chosen]: self.heights[self.chosen]}, False)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._put(self.chosen / 4, False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.chosen = min(max(self.chosen + (1 if event.key() == Qt.Key.Key_Right else -1), 0), 4)
            self.update()
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 0.01 if event.key() == Qt.Key.Key_Up else -0.01
            self._put(self.heights[self.chosen] + step, False)
        else:
            super().keyPressEvent(event)


# ---- levels -----------------------------------------------------------------------------------
