"""The board: cards and wires, and everything a hand does to them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from enum import Enum, auto
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QGraphicsItem,
    QGraphicsPathItem,
    QGraphicsRectItem,
    QGraphicsScene,
    QGraphicsView,
    QMenu,
    QWidget,
)

from collage.app.session import Session
from collage.app.theme import Theme
from collage.app.wire import acts
from collage.app.wire.board_map import BoardMap
from collage.app.wire.card_item import HEIGHT, PICTURE, UNIT_X, UNIT_Y, WIDTH, CardItem, Tab
from collage.app.wire.frame_editor import FrameEditor
from collage.app.wire.frame_item import FrameItem
from collage.app.wire.landing_item import LANDING_HEIGHT, LANDING_WIDTH, LandingItem
from collage.app.wire.tabs import wire_path, wire_pen
from collage.app.wire.weights_dialog import WeightsDialog
from collage.app.wire.wire_item import WireItem
from collage.core.document import edits, frames
from collage.core.document.materials import hidden_on_board
from collage.core.document.model import Card, Network, Wire, inside, replaced_inside
from collage.core.errors import CollageError
from collage.core.images.files import READ_SUFFIXES
from collage.core.nodes.labels import TYPE_WORDS, input_label
from collage.core.nodes.layout import tidy
from collage.core.nodes.wiring import fits, join, origin, told, ways
from collage.core.render.values import Limits

MANY = 24  # cards from which on the map of the board shows by itself
MATERIAL_FORMAT = "application/x-collage-material"  # a material's name
OFFER_FORMAT = "application/x-collage-offer"  # a definition's name, dragged from the sources


class Hand(Enum):
    """What the mouse is doing."""

    NOTHING = auto()
    PAN = auto()
    BOX = auto()
    MOVE = auto()
    WIRE = auto()
    STROKE = auto()
    FRAME = auto()
    SIZE = auto()


class Board(QGraphicsView):
    """Shows the session's network. All changes go through the session."""

    hint = Signal(str)
    add_wanted = Signal(QPoint, object, str)  # where (widget), the wire to take from or None, its type
    hovered = Signal(str)  # the card under the pointer
    pixel = Signal(str)  # the value under the pointer, in words
    find_wanted = Signal()
    keep_wanted = Signal(str)  # a group to put on the shelf
    wire_wanted = Signal(str)  # a card whose output is to be wired by keyboard

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self._scene = QGraphicsScene(-50_000, -50_000, 100_000, 100_000, self)
        self._scene.setItemIndexMethod(QGraphicsScene.ItemIndexMethod.NoIndex)
        self.setScene(self._scene)
        self.setObjectName("board")
        self.setAccessibleName("Board")
        self.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setTransformationAnchor(QGraphicsView.ViewportAnchor.NoAnchor)
        self.setViewportUpdateMode(QGraphicsView.ViewportUpdateMode.SmartViewportUpdate)
        self.setFrameShape(QGraphicsView.Shape.NoFrame)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)  # the right button also cuts
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.cards: dict[str, CardItem] = {}
        self.wires: list[WireItem] = []
        self.landings: dict[str, LandingItem] = {}
        self._hand = Hand.NOTHING
        self._press = QPointF()
        self._last = QPoint()
        self._starts: dict[str, QPointF] = {}
        self._source: Wire | None = None
        self._source_type = ""
        self._came_from: tuple[str, str] | None = None
        self._loose: QGraphicsPathItem | None = None
        self._box: QGraphicsRectItem | None = None
        self.frames: dict[str, FrameItem] = {}
        self._frame: FrameItem | None = None
        self._stroke: QGraphicsPathItem | None = None
        self._pull = self._all_wires = False
        self._values: Mapping[str, np.ndarray] = {}
        self._value_size = (1, 1)
        self._sharpen = QTimer(self)
        self._sharpen.setSingleShot(True)
        self._sharpen.setInterval(160)
        self._sharpen.timeout.connect(self._draw_sharply)
        self.map = BoardMap(theme, self)
        self.map.wanted.connect(self._look_at)
        self.map_wanted: bool | None = None  # None: shown once there are many cards
        self.set_theme(theme)
        session.changed.connect(self._on_changed)
        session.material_changed.connect(self._on_material)
        session.selection_changed.connect(self._show_selection)
        session.peek_changed.connect(self._show_selection)
        self._fill()

    def set_theme(self, theme: Theme) -> None:
        self.theme = self.map.theme = theme
        self._scene.setBackgroundBrush(QColor(theme.board))
        for item in self._scene.items():
            if hasattr(item, "theme"):
                item.theme = theme
                item.update()
        for card in self.cards.values():
            card.update()

    def close_down(self) -> None:
        """Stops listening; called before the widget goes away."""
        self.session.changed.disconnect(self._on_changed)
        self.session.material_changed.disconnect(self._on_material)
        self.session.selection_changed.disconnect(self._show_selection)
        self.session.peek_changed.disconnect(self._show_selection)

    # ---- following the document ---------------------------------------------------------------

    def _on_material(self) -> None:
        for item in self.cards.values():
            self._scene.removeItem(item)
        self.cards.clear()
        self._fill()
        self.fit_all()

    def _on_changed(self, _before: object, _after: object) -> None:
        self._fill()

    def _fill(self) -> None:
        network = self.session.network
        hidden = hidden_on_board(network)
        shown = {name: card for name, card in network.cards.items() if name not in hidden and not card.helper}
        self._fill_frames(network)
        for name in self.cards.keys() - shown.keys():
            self._scene.removeItem(self.cards.pop(name))
        for name, card in shown.items():
            item = self.cards.get(name)
            if item is None:
                item = self.cards[name] = CardItem(card, self.session.library, self.theme)
                self._scene.addItem(item)
            elif item.card is not card:
                item.take(card)
        self._fill_landings(network)
        self._fill_wires(network)
        self._show_selection()

    def _fill_frames(self, network: Network) -> None:
        wanted = {frame.name: frame for frame in frames.frames(network)}
        for name in self.frames.keys() - wanted.keys():
            self._scene.removeItem(self.frames.pop(name))
        for name, frame in wanted.items():
            item = self.frames.get(name)
            if item is None:
                item = self.frames[name] = FrameItem(frame, self.theme)
                self._scene.addItem(item)
            elif item.frame != frame:
                item.take(frame)

    def _fill_landings(self, network: Network) -> None:
        wanted = self._landings_wanted(network)
        for name in self.landings.keys() - {tab.name for tab in wanted}:
            self._scene.removeItem(self.landings.pop(name))
        for tab in wanted:
            item = self.landings.get(tab.name)
            if item is None:
                item = self.landings[tab.name] = LandingItem(tab.name, tab.type, tab.label, self.theme)
                self._scene.addItem(item)
            item.wired = tab.wired
            item.update()

    def _landings_wanted(self, network: Network) -> list[Tab]:
        """Wired inputs of the surface; while wiring, those that fit as well. In a group, its outputs."""
        if self.session.path:
            return [
                Tab(out.name, out.type, input_label(out.name), out.wire is not None) for out in network.outputs.values()
            ]
        surface = self.session.surface
        if surface is None:
            return []
        found = []
        for tab in self.session.library.definition(surface).inputs.values():
            one = surface.inputs.get(tab.name)
            wired = one is not None and one.wire is not None
            fitting = (
                self._hand is Hand.WIRE
                and self._source is not None
                and tab.attributes.get("uiadvanced") != "true"
                and fits(self.session.library, self._source_type, tab.type)
            )
            if wired or fitting or surface.category == "mix":
                found.append(Tab(tab.name, tab.type, channel_label(tab.name), wired))
        return found

    def _fill_wires(self, network: Network) -> None:
        for wire in self.wires:
            self._scene.removeItem(wire)
        self.wires = []
        surface = self.session.surface
        for card in network.cards.values():
            is_surface = surface is not None and card.name == surface.name and not self.session.path
            if card.helper or (card.name not in self.cards and not is_surface):
                continue
            for one in card.inputs.values():
                if one.wire is not None:
                    self._add_wire(network, one.wire, "" if is_surface else card.name, one.name, one.type)
        if self.session.path:
            for out in network.outputs.values():
                if out.wire is not None:
                    self._add_wire(network, out.wire, "", out.name, out.type)
        self._lay_wires()

    def _add_wire(self, network: Network, wire: Wire, card: str, name: str, type_name: str) -> None:
        source, between = origin(network, wire)
        if source.card not in self.cards:
            return
        mark = told(between[0]) if between else ""
        item = WireItem(source, card, name, type_name, mark, self.theme)
        self._scene.addItem(item)
        self.wires.append(item)

    def _lay_wires(self) -> None:
        """Puts landings and wires where they belong now."""
        self._place_landings()
        self._show_map()
        lanes: dict[str, int] = {}
        for wire in self.wires:
            start = self.cards[wire.source.card].output_place(wire.source.output)
            lane = lanes.get(wire.card, 0)
            lanes[wire.card] = lane + 1
            if wire.card:
                end = self.cards[wire.card].input_place(wire.name)
            elif wire.name in self.landings:
                end = self.landings[wire.name].pos()
            else:
                continue
            wire.lay(start, end, 5.0 * (lane % 8))

    def _lay_landings(self) -> None:
        """After a look elsewhere only what stays at the border has moved."""
        self._place_landings()
        self._show_map()
        for number, wire in enumerate(one for one in self.wires if not one.card):
            if wire.name in self.landings:
                start = self.cards[wire.source.card].output_place(wire.source.output)
                wire.lay(start, self.landings[wire.name].pos(), 5.0 * (number % 8))

    def _show_map(self) -> None:
        shown = self.map_wanted if self.map_wanted is not None else len(self.cards) > MANY
        self.map.setVisible(shown)
        if shown:
            self.map.move(8, self.height() - self.map.height() - 8)
            cards = [
                (QRectF(item.pos().x(), item.pos().y(), WIDTH, HEIGHT), item.chosen) for item in self.cards.values()
            ]
            self.map.show_state(cards, self.mapToScene(self.viewport().rect()).boundingRect())

    def _look_at(self, place: QPointF) -> None:
        self.centerOn(place)
        self._lay_landings()

    def toggle_map(self) -> None:
        self.map_wanted = not self.map.isVisible()
        self._show_map()

    def show_card(self, name: str) -> None:
        """Chooses a card and brings it into view."""
        if name in self.cards:
            self.session.select([name])
            self._look_at(self.cards[name].mapToScene(WIDTH / 2, HEIGHT / 2))

    def _place_landings(self) -> None:
        """Landings stand at the right border: wired ones near what feeds them, the others in the gaps."""
        heights: dict[str, float] = {}
        for wire in self.wires:
            if not wire.card:
                place = self.cards[wire.source.card].output_place(wire.source.output)
                heights[wire.name] = self.mapFromScene(place).y()
        top, gap = LANDING_HEIGHT / 2 + 6, LANDING_HEIGHT + 4
        places: dict[str, float] = {}
        wired = sorted((name for name in self.landings if name in heights), key=lambda name: heights[name])
        bottom = self.viewport().height() - gap / 2
        for number, name in enumerate(wired):
            least = places[wired[number - 1]] + gap if number else top
            places[name] = max(least, min(heights[name], bottom - gap * (len(wired) - 1 - number)))
        taken = list(places.values())
        free = top
        for name in self.landings:
            if name not in places:
                while any(abs(free - other) < gap for other in taken):
                    free = min(other for other in taken if abs(free - other) < gap) + gap
                places[name] = free
                free += gap
        x = round(self.viewport().width() - LANDING_WIDTH)
        for name, y in places.items():
            self.landings[name].setPos(self.mapToScene(QPoint(x, round(y))))

    def _show_selection(self) -> None:
        peeked = self.session.peeked.card if self.session.peeked else ""
        for name, item in self.cards.items():
            chosen, peek = name in self.session.selection, name == peeked
            if (item.chosen, item.peeked) != (chosen, peek):
                item.chosen, item.peeked = chosen, peek
                item.setZValue(2 if chosen else 0)
                item.update()
        for wire in self.wires:
            hot = wire.source.card in self.session.selection or wire.card in self.session.selection
            if wire.hot != hot:
                wire.hot = hot
                wire.update()

    def show_values(
        self, values: Mapping[str, np.ndarray], size: tuple[int, int], limits: Mapping[str, Limits]
    ) -> None:
        """The numbers (k, h w) behind the cards' pictures, and their limits."""
        self._values, self._value_size = values, size
        for name, item in self.cards.items():
            if limits.get(name) != item.limits:
                item.limits = limits.get(name)
                item.update()

    def show_pictures(self, pictures: Mapping[str, QImage], problems: Mapping[str, CollageError]) -> None:
        """New pictures for some cards, and what is wrong with any."""
        for name, item in self.cards.items():
            problem = problems.get(name)
            if name in pictures or problem is not item.problem:
                if name in pictures:
                    item.show_picture(pictures[name])
                item.problem = problem
                item.setToolTip(str(problem) if problem is not None else "")
                item.update()

    # ---- looking ------------------------------------------------------------------------------

    def fit_all(self) -> None:
        """Shows every card, at natural size at most."""
        if not self.cards:
            self.resetTransform()
            self.centerOn(0, 0)
            self._lay_wires()
            return
        box = QRectF()
        for item in self.cards.values():
            box = box.united(item.sceneBoundingRect())
        room = self.viewport().size()
        margin, border = 14, LANDING_WIDTH + 34 if self.landings else 14
        scale = min((room.width() - margin - border) / box.width(), (room.height() - 2 * margin) / box.height(), 1.0)
        scale = max(scale, 0.25)
        self.resetTransform()
        self.scale(scale, scale)
        centre = box.center() + QPointF((border - margin) / 2 / scale, 0)
        self.centerOn(centre)
        self._lay_wires()

    def _begin_zoom(self) -> None:
        """While the zoom moves, cards are drawn once and scaled; when it rests, they are drawn sharply."""
        if not self._sharpen.isActive():
            for item in self.cards.values():
                item.setCacheMode(QGraphicsItem.CacheMode.ItemCoordinateCache)
        self._sharpen.start()

    def _draw_sharply(self) -> None:
        for item in self.cards.values():
            item.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)

    def zoom(self, factor: float, around: QPoint) -> None:
        if len(self.cards) > MANY:
            self._begin_zoom()
        now = self.transform().m11()
        factor = min(max(now * factor, 0.15), 3.0) / now
        before = self.mapToScene(around)
        self.scale(factor, factor)
        moved = self.mapFromScene(before) - around
        self._scroll(-moved)

    def _scroll(self, by: QPoint) -> None:
        horizontal, vertical = self.horizontalScrollBar(), self.verticalScrollBar()
        horizontal.setValue(horizontal.value() - by.x())
        vertical.setValue(vertical.value() - by.y())
        self._lay_landings()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_wires()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.0015 ** event.angleDelta().y(), event.position().toPoint())

    # ---- hit testing --------------------------------------------------------------------------

    def _card_at(self, place: QPointF, but: str = "") -> CardItem | None:
        hits = [
            item for item in self.cards.values() if item.name != but and item.shape().contains(item.mapFromScene(place))
        ]
        return max(hits, key=lambda item: item.zValue()) if hits else None

    def _tab_at(self, place: QPointF) -> tuple[CardItem, Tab, bool] | None:
        reach = 9.0 / max(self.transform().m11(), 0.3)
        for item in self.cards.values():
            found = item.tab_at(place, reach)
            if found is not None:
                return item, found[0], found[1]
        return None

    def _landing_at(self, point: QPoint) -> LandingItem | None:
        for item in self.landings.values():
            at = self.mapFromScene(item.pos())
            if -10 <= point.x() - at.x() <= LANDING_WIDTH and abs(point.y() - at.y()) <= LANDING_HEIGHT / 2 + 1:
                return item
        return None

    def _wire_at(self, place: QPointF, but: str = "") -> WireItem | None:
        for wire in self.wires:
            if but not in (wire.card, wire.source.card) and wire.shape().contains(place):
                return wire
        return None

    # ---- the mouse ----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        point, place = event.position().toPoint(), self.mapToScene(event.position().toPoint())
        self._press, self._last = place, point
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.button() == Qt.MouseButton.MiddleButton:
            self._hand = Hand.PAN
        elif event.button() == Qt.MouseButton.RightButton:
            self._hand = Hand.STROKE
        elif event.button() == Qt.MouseButton.LeftButton and self._open_mark(place):
            return
        elif event.button() == Qt.MouseButton.LeftButton and not self._begin_wiring(point, place):
            card, frame = self._card_at(place), self._frame_at(place)
            self._pull = ctrl and card is not None
            if card is not None:
                self._press_card(card, shift)
            elif frame is not None and not shift:
                self._press_frame(frame, place)
            elif shift:
                self._hand = Hand.PAN
            else:
                self._hand = Hand.BOX
                self._box = QGraphicsRectItem(QRectF(place, place))
                self._box.setPen(QPen(QColor(self.theme.accent), 0, Qt.PenStyle.DashLine))
                self._scene.addItem(self._box)

    def _begin_wiring(self, point: QPoint, place: QPointF) -> bool:
        """Takes hold of a tab: an output starts a wire, a wired input or landing gives its wire's end."""
        landing = self._landing_at(point)
        if landing is not None:
            return self._take_end("", landing.name)
        found = self._tab_at(place)
        if found is None:
            return False
        item, tab, is_output = found
        if is_output:
            keys = QApplication.keyboardModifiers()
            self._all_wires = bool(keys & Qt.KeyboardModifier.ControlModifier)
            self._start_wire(Wire(item.name, tab.name), item.output_type(tab.name))
            return True
        return self._take_end(item.name, tab.name) or True

    def _take_end(self, card: str, name: str) -> bool:
        for wire in self.wires:
            if (wire.card, wire.name) == (card, name):
                kind = self.cards[wire.source.card].output_type(wire.source.output)
                self._came_from = (card, name)
                wire.setVisible(False)
                self._start_wire(wire.source, kind)
                return True
        return False

    def _start_wire(self, source: Wire, type_name: str) -> None:
        self._hand, self._source, self._source_type = Hand.WIRE, source, type_name
        self._loose = QGraphicsPathItem()
        self._loose.setPen(wire_pen(type_name, self.theme, hot=True))
        self._loose.setZValue(6)
        self._scene.addItem(self._loose)
        for item in self.cards.values():
            item.named = True
            item.update()
        self._fill_landings(self.session.network)
        self._lay_wires()
        self.hint.emit(
            f"Drop the {TYPE_WORDS.get(type_name, type_name)} on a tab, a picture, a channel, or the empty board"
        )

    def _press_card(self, card: CardItem, shift: bool) -> None:
        chosen = self.session.selection
        if shift:
            names = [name for name in chosen if name != card.name]
            self.session.select(names if card.name in chosen else [*chosen, card.name])
        elif card.name not in chosen:
            self.session.select([card.name])
        self._hand = Hand.MOVE
        self._starts = {name: self.cards[name].pos() for name in self.session.selection if name in self.cards}

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point, place = event.position().toPoint(), self.mapToScene(event.position().toPoint())
        if self._hand is Hand.PAN:
            self._scroll(point - self._last)
        elif self._hand is Hand.BOX and self._box is not None:
            self._box.setRect(QRectF(self._press, place).normalized())
        elif self._hand is Hand.MOVE:
            for name, start in self._starts.items():
                self.cards[name].setPos(start + place - self._press)
            self._lay_wires()
        elif self._hand is Hand.WIRE:
            self._drag_wire(point, place)
        elif self._hand is Hand.STROKE:
            self._draw_stroke(place)
        elif self._hand in (Hand.FRAME, Hand.SIZE):
            self._drag_frame(place)
        else:
            self._hover(point, place)
        self._last = point

    def _drag_wire(self, point: QPoint, place: QPointF) -> None:
        assert self._source is not None
        assert self._loose is not None
        landing = self._landing_at(point)
        for item in self.landings.values():
            if item.hot != (item is landing):
                item.hot = item is landing
                item.update()
        end = landing.pos() if landing is not None else place
        self._loose.setPath(wire_path(self.cards[self._source.card].output_place(self._source.output), end))

    def _hover(self, point: QPoint, place: QPointF) -> None:
        found = self._tab_at(place)
        card = found[0] if found is not None else self._card_at(place)
        for item in self.cards.values():
            if item.hovered != (item is card):
                item.hovered = item is card
                item.update()
        self.hovered.emit(card.name if card is not None else "")
        self.pixel.emit(self._value_at(card, place) if card is not None else "")
        if found is not None:
            tab, word = found[1], TYPE_WORDS.get(found[1].type, found[1].type)
            self.hint.emit(f"{tab.label or 'Out'} · {word} · drag to wire")
        elif card is not None:
            self.hint.emit("Drag to move · drop on a picture or a wire to connect · Space peek · K skip")
        elif self._landing_at(point) is not None:
            self.hint.emit("Drag the end to rewire it")
        else:
            self.hint.emit("Double-click or Enter to add a card · middle drag to move · wheel to zoom")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        point, place = event.position().toPoint(), self.mapToScene(event.position().toPoint())
        hand, self._hand = self._hand, Hand.NOTHING
        if hand is Hand.BOX and self._box is not None:
            box = self._box.rect()
            self._scene.removeItem(self._box)
            self._box = None
            self.session.select(
                [
                    name
                    for name, item in self.cards.items()
                    if box.intersects(item.mapRectToScene(QRectF(0, 0, WIDTH, HEIGHT)))
                ]
            )
        elif hand is Hand.MOVE:
            self._drop_cards(place)
        elif hand is Hand.WIRE:
            self._drop_wire(point, place)
        elif hand is Hand.STROKE:
            self._end_stroke(event.globalPosition().toPoint(), place)
        elif hand in (Hand.FRAME, Hand.SIZE):
            self._drop_frame(place)

    def _value_at(self, card: CardItem, place: QPointF) -> str:
        """The value that a card's picture shows at a scene place."""
        value, at = self._values.get(card.name), card.mapFromScene(place)
        if value is None or not PICTURE.contains(at):
            return ""
        width, height = self._value_size
        x = min(int((at.x() - PICTURE.x()) / PICTURE.width() * width), width - 1)
        y = min(int((at.y() - PICTURE.y()) / PICTURE.height() * height), height - 1)
        numbers = " ".join(f"{part:.3f}" for part in value[:4, y * width + x])
        return f"{self.session.title(card.name)}: {numbers}"

    # ---- strokes, marks, frames ---------------------------------------------------------------

    def _draw_stroke(self, place: QPointF) -> None:
        if self._stroke is None:
            if (place - self._press).manhattanLength() * self.transform().m11() < 5:
                return  # a click, so far
            self._stroke = QGraphicsPathItem(QPainterPath(self._press))
            self._stroke.setPen(QPen(QColor(self.theme.accent), 0, Qt.PenStyle.DashLine))
            self._stroke.setZValue(8)
            self._scene.addItem(self._stroke)
        path = self._stroke.path()
        path.lineTo(place)
        self._stroke.setPath(path)
        self.hint.emit("Wires that the stroke crosses are cut when you let go")

    def _end_stroke(self, at: QPoint, place: QPointF) -> None:
        """A stroke cuts the wires it crosses; a click of the right button opens the menu."""
        if self._stroke is None:
            self._open_menu(self.mapFromGlobal(at), at)
            return
        path = self._stroke.path()
        self._scene.removeItem(self._stroke)
        self._stroke = None
        acts.cut(self.session, [(wire.card, wire.name) for wire in self.wires if wire.crosses(path)])

    def _open_mark(self, place: QPointF) -> bool:
        """A click on a wire's mark offers other ways to convert."""
        wire = next((one for one in self.wires if one.mark and one.mark_box().contains(place)), None)
        if wire is None:
            return False
        menu = self.conversion_menu(wire)
        menu.popup(self.mapToGlobal(self.mapFromScene(place)))
        return True

    def conversion_menu(self, wire: WireItem) -> QMenu:
        """The ways in which a wire can convert."""
        network, surface = self.session.network, self.session.surface
        user = wire.card or (surface.name if surface is not None else "")
        menu = QMenu(self)
        menu.setObjectName("conversion")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        one = network.cards[user].inputs[wire.name] if user in network.cards else None
        between = origin(network, one.wire)[1] if one is not None and one.wire is not None else []
        for way, label in ways(between[0]) if between else []:
            menu.addAction(label, partial(acts.convert_by, self.session, user, wire.name, way))
        if between and between[0].category == "luminance":
            menu.addSeparator()
            menu.addAction("Weights of red, green and blue…", lambda: self._weigh(between[0].name))
        if menu.isEmpty():
            menu.addAction(f"Converts: {wire.mark}").setEnabled(False)
        return menu

    def _weigh(self, card: str) -> None:
        dialog = WeightsDialog(self.session, card, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def _frame_at(self, place: QPointF) -> FrameItem | None:
        for item in self.frames.values():
            if item.shape().contains(item.mapFromScene(place)):
                return item
        return None

    def _press_frame(self, item: FrameItem, place: QPointF) -> None:
        self._frame = item
        for other in self.frames.values():
            other.chosen = other is item
            other.update()
        self.session.select(())
        self._hand = Hand.SIZE if item.grip().contains(item.mapFromScene(place)) else Hand.FRAME
        held = [] if item.is_note else self._held_by(item)
        self._starts = {name: self.cards[name].pos() for name in held}

    def _held_by(self, item: FrameItem) -> list[str]:
        """Cards that lie in a frame now."""
        return [name for name, card in self.cards.items() if item.holds(card.mapToScene(WIDTH / 2, HEIGHT / 2))]

    def _drag_frame(self, place: QPointF) -> None:
        assert self._frame is not None
        gone, frame = place - self._press, self._frame.frame
        if self._hand is Hand.SIZE:
            width = max(frame.width + gone.x() / UNIT_X, 0.4)
            height = max(frame.height + gone.y() / UNIT_Y, 0.25)
            self._frame.show_size((width, height))
            return
        self._frame.setPos(frame.x * UNIT_X + gone.x(), frame.y * UNIT_Y + gone.y())
        for name, start in self._starts.items():
            self.cards[name].setPos(start + gone)
        self._lay_wires()

    def _drop_frame(self, place: QPointF) -> None:
        item, self._frame = self._frame, None
        starts, self._starts = self._starts, {}
        assert item is not None
        gone, frame = place - self._press, item.frame
        item.show_size(None)
        if gone.manhattanLength() <= 3:
            item.take(frame)
            return
        if self._resizing(item, gone):
            return
        moved = replace(frame, x=frame.x + gone.x() / UNIT_X, y=frame.y + gone.y() / UNIT_Y)
        places = {
            name: (start.x() / UNIT_X + gone.x() / UNIT_X, start.y() / UNIT_Y + gone.y() / UNIT_Y)
            for name, start in starts.items()
        }
        moved = replace(moved, holds=tuple(starts) or moved.holds)
        self.session.edit("Move a frame", lambda network: frames.with_frame(edits.move_cards(network, places), moved))

    def _resizing(self, item: FrameItem, gone: QPointF) -> bool:
        start = item.mapFromScene(self._press)
        if not item.grip().contains(start):
            return False
        frame = item.frame
        width = max(frame.width + gone.x() / UNIT_X, 0.4)
        height = max(frame.height + gone.y() / UNIT_Y, 0.25)
        item.take(replace(frame, width=width, height=height))
        held = tuple(self._held_by(item))
        acts.change_frame(self.session, "Size a frame", replace(frame, width=width, height=height, holds=held))
        return True

    def name_frame(self, item: FrameItem) -> None:
        """Asks for a frame's title or a note's text, in place."""
        editor = FrameEditor(item, self)
        editor.done.connect(
            lambda text: acts.change_frame(
                self.session,
                "Write a note" if item.is_note else "Name a frame",
                replace(item.frame, text=text) if item.is_note else replace(item.frame, title=text),
            )
        )
        editor.open()

    # ---- dropping cards -----------------------------------------------------------------------

    def _drop_cards(self, place: QPointF) -> None:
        moved = (place - self._press).manhattanLength() > 3
        starts, self._starts = self._starts, {}
        pull, self._pull = self._pull, False
        if not moved:
            self._fill()
            return
        if pull:
            self._pull_out(starts)
            return
        if len(starts) == 1:
            name = next(iter(starts))
            other = self._card_at(place, but=name)
            if other is not None:
                self.cards[name].setPos(starts[name])
                self._lay_wires()
                self.offer_inputs(name, other.name, self.mapToGlobal(self.mapFromScene(place)))
                return
            wire = self._wire_at(place, but=name)
            if wire is not None and wire.card and self._put_between(name, wire):
                return
        places = {name: (self.cards[name].pos().x() / UNIT_X, self.cards[name].pos().y() / UNIT_Y) for name in starts}
        label = f"Move {self.session.title(next(iter(places)))}" if len(places) == 1 else f"Move {len(places)} cards"
        self.session.edit(label, lambda network: edits.move_cards(network, places))

    def _pull_out(self, starts: dict[str, QPointF]) -> None:
        """Cards dragged with Ctrl leave their chains; their neighbours join."""
        places = {name: (self.cards[name].pos().x() / UNIT_X, self.cards[name].pos().y() / UNIT_Y) for name in starts}
        main = self.session.main_inputs(starts)
        self.session.edit(
            "Take out", lambda network: edits.move_cards(edits.take_out(network, list(starts), main), places)
        )

    def _put_between(self, name: str, wire: WireItem) -> bool:
        """Puts a card into a wire, if its main input and its output fit there."""
        definition = self.session.definition(name)
        if definition is None or definition.main_input is None or self.session.network.consumers(name):
            return False
        main, library = definition.main_input, self.session.library
        pos = self.cards[name].pos()

        def change(network: Network) -> Network:
            network = edits.move_cards(network, {name: (pos.x() / UNIT_X, pos.y() / UNIT_Y)})
            network = join(library, network, wire.source, name, main, definition.inputs[main].type)
            return join(library, network, Wire(name), wire.card, wire.name, wire.kind)

        return self.session.edit(f"Put {self.session.title(name)} in between", change)

    def offers_for(self, source: Wire, type_name: str, target: str) -> list[Tab]:
        """Inputs of a card that a wire of a type can end at, exact types first."""
        fitting = [tab for tab in self.cards[target].all_inputs if fits(self.session.library, type_name, tab.type)]
        return sorted(fitting, key=lambda tab: tab.type != type_name)

    def offer_inputs(self, name: str, target: str, at: QPoint, source: Wire | None = None) -> None:
        """Offers the inputs of `target` that fit what `name` puts out, with their present values."""
        item = self.cards[name]
        source = source or Wire(name, item.outputs[0].name if item.outputs else "")
        kind = item.output_type(source.output)
        offers = self.offers_for(source, kind, target)
        if not offers:
            text = f"Nothing of “{self.session.title(target)}” takes a {TYPE_WORDS.get(kind, kind)}."
            self.session.problem.emit(CollageError(text, remedy="Put a Convert card in between."))
            return
        menu = QMenu(self)
        menu.setObjectName("offers")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        card = self.session.network.cards[target]
        for tab in offers:
            action = menu.addAction(f"{tab.label}\t{self._now(card, tab)}")
            action.triggered.connect(lambda _=False, tab=tab: self.session.wire(source, target, tab.name, tab.type))
        menu.popup(at)

    def _now(self, card: Card, tab: Tab) -> str:
        return self._now_of(card, tab.name)

    def _now_of(self, card: Card, name: str) -> str:
        """What an input has, in a word."""
        one = card.inputs.get(name)
        if one is not None and one.wire is not None:
            return self.session.title(origin(self.session.network, one.wire)[0].card)
        if one is not None and one.value is not None:
            value = one.value
            return " ".join(f"{part:.3g}" for part in value) if isinstance(value, tuple) else str(value)
        return "default"

    # ---- dropping wires -----------------------------------------------------------------------

    def _drop_wire(self, point: QPoint, place: QPointF) -> None:
        source, kind, came = self._source, self._source_type, self._came_from
        landing = self._landing_at(point)
        several, all_wires = self._chosen_sources(source), self._all_wires
        self._end_wiring()
        assert source is not None
        if all_wires:
            self._fill()
            found = self._tab_at(place)
            target = found[0] if found is not None else self._card_at(place, but=source.card)
            if target is not None:
                output = found[1].name if found is not None and found[2] else target.first_output
                acts.move_all_wires(self.session, source, Wire(target.name, output))
            return
        if len(several) > 1 and came is None:
            found = self._tab_at(place)
            target = found[0] if found is not None else self._card_at(place, but=source.card)
            if target is not None and target.name not in {one.card for one in several}:
                self._fill()
                acts.wire_several(self.session, several, target.name, found[1].name if found and not found[2] else "")
                return
        if landing is not None:
            if came == ("", landing.name):
                self._fill()
                return
            self._moved_end(came, source, "", landing.name, landing.kind)
            return
        found = self._tab_at(place)
        if found is not None and not found[2]:
            item, tab = found[0], found[1]
            if came != (item.name, tab.name):
                self._moved_end(came, source, item.name, tab.name, tab.type)
            else:
                self._fill()
            return
        card = self._card_at(place, but=source.card)
        if card is not None:
            self._fill()
            self.offer_inputs(source.card, card.name, self.mapToGlobal(point), source)
        elif came is not None:
            self._cut(came)
        elif (place - self._press).manhattanLength() > 12 and self._card_at(place) is None:
            self._fill()
            self.add_wanted.emit(point, source, kind)
        else:
            self._fill()

    def _chosen_sources(self, source: Wire | None) -> list[Wire]:
        """With several cards chosen a wire from one of them stands for one from each, from top to bottom."""
        chosen = [name for name in self.session.selection if name in self.cards]
        if source is None or source.card not in chosen:
            return []
        chosen.sort(key=lambda name: self.cards[name].pos().y())
        return [source if name == source.card else Wire(name, self.cards[name].first_output) for name in chosen]

    def _end_wiring(self) -> None:
        if self._loose is not None:
            self._scene.removeItem(self._loose)
        self._hand, self._loose, self._source, self._came_from = Hand.NOTHING, None, None, None
        self._all_wires = False
        for item in self.cards.values():
            item.named = False
            item.update()

    def _cut(self, end: tuple[str, str]) -> None:
        card, name = end
        if card:
            self.session.unwire(card, name)
        elif not self.session.path and self.session.surface is not None:
            self.session.unwire(self.session.surface.name, name)
        else:
            self._fill()

    def _moved_end(self, came: tuple[str, str] | None, source: Wire, card: str, name: str, type_name: str) -> None:
        """Wires to a new end; where the wire was before, it is cut. One step."""
        if came is None:
            if not self.wire_to(source, card, name, type_name):
                self._fill()
            return
        with self.session.history.group("Rewire"):
            self._cut(came)
            self.wire_to(source, card, name, type_name)
        self._fill()

    def wire_to(self, source: Wire, card: str, name: str, type_name: str) -> bool:
        """Wires to a card's input, or (no card) to a channel or an output of the open group."""
        if card:
            return self.session.wire(source, card, name, type_name)
        if self.session.path:
            return self.session.edit("Wire the output", lambda network: edits.connect_output(network, source, name))
        surface = self.session.surface
        return surface is not None and self.session.wire(source, surface.name, name, type_name)

    # ---- keys, menus, drops -------------------------------------------------------------------

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        point = event.position().toPoint()
        place = self.mapToScene(point)
        card, frame = self._card_at(place), self._frame_at(place)
        if card is None and frame is not None:
            self.name_frame(frame)
        elif card is None:
            self.add_wanted.emit(point, None, "")
        elif card.card.network is not None:
            self.session.open_group((*self.session.path, card.name))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        chosen = self.session.selection
        key = event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.add_wanted.emit(self.pointer(), None, "")
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_chosen()
        elif key == Qt.Key.Key_B and not event.isAutoRepeat():
            self._show_before()
        elif key == Qt.Key.Key_Menu or (
            key == Qt.Key.Key_F10 and event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        ):
            self._menu_of_chosen()
        elif key == Qt.Key.Key_Space and chosen:
            self.session.toggle_peek(chosen[0])
        elif key == Qt.Key.Key_K and chosen:
            self.session.skip(chosen)
        elif key == Qt.Key.Key_H:
            self.tidy()
        elif key == Qt.Key.Key_Home:
            self.fit_all()
        elif key == Qt.Key.Key_Escape:
            self._escape()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._step(key)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.session.show_before(None)
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.session.show_before(None)
        super().focusOutEvent(event)

    def _show_before(self) -> None:
        """While B is held, the picture is as if the chosen cards were not there."""
        names, path = [name for name in self.session.selection if name in self.cards], self.session.path
        if names:
            self.session.show_before(
                lambda document: replaced_inside(document, path, edits.skip_cards(inside(document, path), names, True))
            )
            self.hint.emit("Without the chosen cards, as long as B is held")

    def remove_chosen(self) -> None:
        """Removes the chosen cards, or the chosen frame."""
        frame = next((item for item in self.frames.values() if item.chosen), None)
        if self.session.selection:
            self.session.remove(self.session.selection)
        elif frame is not None:
            acts.remove_frame(self.session, frame.frame.name)

    def _menu_of_chosen(self) -> None:
        item = self.cards.get(self.session.selection[0]) if self.session.selection else None
        point = self.mapFromScene(item.mapToScene(WIDTH / 2, HEIGHT / 2)) if item is not None else self.pointer()
        self._open_menu(point, self.mapToGlobal(point))

    def _escape(self) -> None:
        if self._hand is Hand.WIRE:
            self._end_wiring()
            self._fill()
        elif self.session.peeked is not None:
            self.session.peek(None)
        elif self.session.selection:
            self.session.select(())
        elif self.session.path:
            self.session.open_group(self.session.path[:-1])

    def _step(self, key: int) -> None:
        """Arrow keys go along the chain: left to what a card takes from, right to what takes from it.

        Up and down change between the cards that lie there together; where no wire leads, to the nearest card.
        """
        here = self.cards.get(self.session.selection[0]) if self.session.selection else None
        if here is None:
            if self.cards:
                self.session.select([min(self.cards.values(), key=lambda item: item.pos().x()).name])
            return
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            along = self._neighbours(here.name, key == Qt.Key.Key_Left)
        else:
            along = []
        name = min(along, key=lambda one: abs(self.cards[one].pos().y() - here.pos().y())) if along else None
        name = name or self._nearest(here, key)
        if name is not None:
            self.session.select([name])
            self.ensureVisible(self.cards[name], 20, 20)
            self._lay_landings()

    def _neighbours(self, name: str, upstream: bool) -> list[str]:
        """Cards that a card takes from, or that take from it."""
        if upstream:
            return [wire.source.card for wire in self.wires if wire.card == name]
        return [wire.card for wire in self.wires if wire.source.card == name and wire.card]

    def _nearest(self, here: CardItem, key: int) -> str | None:
        way = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        dx, dy = way[Qt.Key(key)]
        best: tuple[float, str] | None = None
        for item in self.cards.values():
            gap = item.pos() - here.pos()
            along, aside = gap.x() * dx + gap.y() * dy, abs(gap.x() * dy) + abs(gap.y() * dx)
            if item is not here and along > 10:
                cost = along + 2 * aside
                best = min(best, (cost, item.name)) if best else (cost, item.name)
        return best[1] if best is not None else None

    def leave(self) -> None:
        """Back from a group to what is around it."""
        if self.session.path:
            self.session.open_group(self.session.path[:-1])

    def ends_for(self, name: str) -> list[tuple[str, str, tuple[Wire, str, str, str]]]:
        """Every input that a card's output fits: its name, what it has now, and what `wire_to` takes."""
        item, session = self.cards[name], self.session
        source, kind = Wire(name, item.first_output), item.output_type(item.first_output)
        before = session.network.upstream(name)
        found = []
        if session.surface is not None and not session.path:
            for tab in session.library.definition(session.surface).inputs.values():
                if not tab.uniform and fits(session.library, kind, tab.type):
                    end = (source, "", tab.name, tab.type)
                    found.append((f"Surface · {channel_label(tab.name)}", self._now_of(session.surface, tab.name), end))
        for other, card in self.cards.items():
            if other not in before:
                for one in self.offers_for(source, kind, other):
                    end = (source, other, one.name, one.type)
                    found.append((f"{session.title(other)} · {one.label}", self._now_of(card.card, one.name), end))
        return found

    def pointer(self) -> QPoint:
        """Where the pointer is on the board, or the middle if it is elsewhere."""
        point = self.mapFromGlobal(self.cursor().pos())
        return point if self.viewport().rect().contains(point) else self.viewport().rect().center()

    def tidy(self) -> None:
        names = self.session.selection if len(self.session.selection) > 1 else tuple(self.cards)
        if names:
            self.session.edit("Tidy", lambda network: edits.move_cards(network, tidy(network, names)))

    def place_of(self, point: QPoint) -> tuple[float, float]:
        """A widget point in the standard's units, as the middle of a card there."""
        at = self.mapToScene(point)
        return (at.x() - WIDTH / 2) / UNIT_X, (at.y() - HEIGHT / 2) / UNIT_Y

    def _open_menu(self, point: QPoint, at: QPoint) -> None:
        self.menu_at(point).popup(at)

    def menu_at(self, point: QPoint) -> QMenu:
        """What can be done with what lies at a point of the board."""
        place = self.mapToScene(point)
        card, frame = self._card_at(place), self._frame_at(place)
        menu = QMenu(self)
        menu.setObjectName("card menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if card is not None:
            if card.name not in self.session.selection:
                self.session.select([card.name])
            self._fill_card_menu(menu, card)
        elif frame is not None:
            menu.addAction("Write…", lambda: self.name_frame(frame))
            menu.addAction("Remove the frame", lambda: acts.remove_frame(self.session, frame.frame.name))
        else:
            menu.addAction("Add a card…\tEnter", lambda: self.add_wanted.emit(point, None, ""))
            menu.addAction("Add a note", lambda: acts.add_note(self.session, self.place_of(point)))
            menu.addAction("Add a stack", lambda: acts.add_stack(self.session, self.place_of(point)))
            menu.addAction("Find a card…\tCtrl+F", self.find_wanted.emit)
            menu.addAction("Tidy\tH", self.tidy)
            menu.addAction("Show everything\tHome", self.fit_all)
        return menu

    def _fill_card_menu(self, menu: QMenu, card: CardItem) -> None:
        session, chosen = self.session, self.session.selection
        menu.addAction("Peek\tSpace", lambda: session.toggle_peek(chosen[0]))
        menu.addAction("Skip\tK", lambda: session.skip(chosen))
        menu.addAction("Wire to…\tCtrl+L", lambda: self.wire_wanted.emit(chosen[0]))
        menu.addAction("Take out of the chain\tCtrl+T", lambda: acts.take_out(session, chosen))
        pairs = acts.swap_pairs(session, card.name)
        if pairs:
            swaps = menu.addMenu("Swap inputs")
            for first, second in pairs[:8]:
                label = f"{input_label(first)} and {input_label(second).lower()}"
                swaps.addAction(label, partial(acts.swap, session, card.name, first, second))
        menu.addSeparator()
        menu.addAction("Duplicate\tCtrl+D", lambda: session.duplicate(chosen))
        menu.addAction("Frame\tCtrl+Shift+F", lambda: acts.frame_chosen(session))
        menu.addAction("Bundle to a group\tCtrl+G", lambda: acts.bundle(session))
        if card.card.network is not None:
            menu.addAction("Open", lambda: session.open_group((*session.path, card.name)))
            menu.addAction("Open up, back to cards\tCtrl+Shift+G", lambda: acts.unbundle(session))
            menu.addAction("Keep for other materials", lambda: self.keep_wanted.emit(card.name))
        menu.addAction("Remove\tDel", lambda: session.remove(chosen))
        if card.card.type == "surfaceshader":
            menu.addSeparator()
            menu.addAction("Show this surface alone", lambda: session.show_surface(chosen[0]))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(OFFER_FORMAT) or _files(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.acceptProposedAction()  # what may not be dropped was not let in

    def dropEvent(self, event: QDropEvent) -> None:
        for number, path in enumerate(_files(event.mimeData())):
            self._take_file(path, event.position().toPoint() + QPoint(20, 20) * number)
            event.acceptProposedAction()
        name = bytes(event.mimeData().data(OFFER_FORMAT).data()).decode()
        definition = self.session.library.get(name)
        if definition is not None:
            self.session.add(definition, self.place_of(event.position().toPoint()))
            event.acceptProposedAction()

    def _take_file(self, path: Path, at: QPoint) -> None:
        """A dropped image becomes a card, a dropped MaterialX document a material."""
        try:
            if path.suffix.lower() == ".mtlx":
                self.session.add_material(path)
            else:
                self.session.add_image(path, self.place_of(at))
        except CollageError as error:
            self.session.problem.emit(error)

    def event(self, event: QEvent) -> bool:
        own = (Qt.Key.Key_Space, Qt.Key.Key_K, Qt.Key.Key_H, Qt.Key.Key_B)
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in own
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)


def _files(mime: QMimeData) -> list[Path]:
    """The images and documents among what is dragged."""
    paths = [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()]
    return [path for path in paths if path.suffix.lower() in READ_SUFFIXES | {".mtlx"}]


_SHORT = {
    "base_color": "Base colour",
    "base_metalness": "Metalness",
    "base_diffuse_roughness": "Diffuse roughness",
    "specular_roughness": "Roughness",
    "specular_ior": "Index of refraction",
    "coat_ior": "Coat index",
    "geometry_normal": "Normal",
    "geometry_coat_normal": "Coat normal",
    "geometry_tangent": "Tangent",
    "geometry_coat_tangent": "Coat tangent",
    "geometry_opacity": "Opacity",
    "emission_luminance": "Emission",
    "emission_color": "Emission colour",
}


def channel_label(name: str, folder: str = "") -> str:
    """A plain label of a surface input; the group's own word is left out where the group is shown."""
    if name in _SHORT:
        return _SHORT[name]
    text = input_label(name)
    if folder and text.lower().startswith(folder.lower() + " "):
        text = text[len(folder) + 1 :]
    return text[:1].upper() + text[1:]
