"""The board as it is seen: cards, wires, landings and frames, following the document."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QPainter,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QGraphicsItem,
    QGraphicsScene,
    QGraphicsView,
    QWidget,
)

from collage.app.theme import Theme
from collage.app.widgets.empty_note import EmptyNote
from collage.app.wire.board_map import BoardMap
from collage.app.wire.card_item import HEIGHT, PICTURE, UNIT_X, UNIT_Y, WIDTH, CardItem, Tab
from collage.app.wire.channel_names import channel_label
from collage.app.wire.frame_item import FrameItem
from collage.app.wire.landing_item import LANDING_HEIGHT, LANDING_WIDTH, LandingItem
from collage.app.wire.wire_item import WireItem, WireKey
from collage.core.actions import cards
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document import frames
from collage.core.document.materials import DISPLACEMENT, hidden_on_board
from collage.core.document.model import Card, Network, Wire
from collage.core.nodes.labels import input_label
from collage.core.nodes.wiring import fits, offered, origin, told
from collage.core.render.values import Limits

EDGE = 6  # pixels that stay free around a card that is dropped near the border
MANY = 24  # cards from which on the map of the board shows by itself


class BoardView(QGraphicsView):
    """Shows the session's network. What a hand does to it is the Board's business."""

    hint = Signal(str)
    add_wanted = Signal(QPoint, object, str)  # where (widget), the wire to take from or None, its type
    hovered = Signal(str)  # the card under the pointer
    pixel = Signal(str)  # the value under the pointer, in words
    find_wanted = Signal()
    between_wanted = Signal()  # the chosen card is to be put into a wire by keyboard
    files_dropped = Signal(object, object)  # list of Paths, the place on the board
    thing_dropped = Signal(str, str, object)  # what is carried: its form, its text; the place on the board
    keep_wanted = Signal(str)  # a group to put on the shelf
    mask_wanted = Signal(str)  # a card whose output is to be used as a mask
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
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.cards: dict[str, CardItem] = {}
        self.wires: list[WireItem] = []
        self.landings: dict[str, LandingItem] = {}
        self._source_type = ""  # the type of the wire in hand, if there is one
        self.frames: dict[str, FrameItem] = {}
        self._values: Mapping[str, np.ndarray] = {}
        self._value_size = (1, 1)
        self._sharpen = QTimer(self)
        self._sharpen.setSingleShot(True)
        self._sharpen.setInterval(160)
        self._sharpen.timeout.connect(self._draw_sharply)
        self.map = BoardMap(theme, self)
        self.map.wanted.connect(self._look_at)
        self.map_wanted: bool | None = None  # None: shown once there are many cards
        text = "Cards go here. Drop pictures or map sets on the board, or add a card."
        self.empty = EmptyNote(self, text, "Add a card")
        self.empty.button.clicked.connect(self._add_first)
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
        self._fill(lay_always=False)

    def _fill(self, lay_always: bool = True) -> None:
        """Shows the network. lay_always : whether wires are laid anew even where nothing has moved."""
        network = self.session.network
        hidden = hidden_on_board(network)
        shown = {name: card for name, card in network.cards.items() if name not in hidden and not card.helper}
        self._fill_frames(network)
        moved = lay_always
        for name in self.cards.keys() - shown.keys():
            self._scene.removeItem(self.cards.pop(name))
            moved = True
        for name, card in shown.items():
            item = self.cards.get(name)
            if item is None:
                item = self.cards[name] = CardItem(card, self.session.library, self.theme)
                self._scene.addItem(item)
                moved = True
            elif item.card is not card:
                moved |= item.take(card)
        moved |= self._fill_landings(network)
        moved |= self._fill_wires(network)
        if moved:
            self.lay_wires()
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

    def _fill_landings(self, network: Network) -> bool:
        """Whether there are others than before."""
        wanted = self._landings_wanted(network)
        before = list(self.landings)
        for name in self.landings.keys() - {tab.name for tab in wanted}:
            self._scene.removeItem(self.landings.pop(name))
        for tab in wanted:
            item = self.landings.get(tab.name)
            if item is None:
                item = self.landings[tab.name] = LandingItem(tab.name, tab.type, tab.label, self.theme)
                self._scene.addItem(item)
            if item.wired != tab.wired:
                item.wired = tab.wired
                item.update()
        return before != list(self.landings)

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
                bool(self._source_type)
                and tab.attributes.get("uiadvanced") != "true"
                and offered(self.session.library, self._source_type, tab.type)
            )
            if wired or fitting or surface.category == "mix":
                found.append(Tab(tab.name, tab.type, channel_label(tab.name), wired))
        material = self.session.channel_card(DISPLACEMENT)
        moved = material.inputs.get(DISPLACEMENT) if material is not None else None
        if (moved is not None and moved.wire is not None) or (material and self._source_type == DISPLACEMENT):
            found.append(Tab(DISPLACEMENT, DISPLACEMENT, "Displacement", moved is not None and moved.wire is not None))
        return found

    def _fill_wires(self, network: Network) -> bool:
        """Keeps the wires that are there still; whether there are others than before."""
        wanted = self._wires_wanted(network)
        if wanted == [wire.key for wire in self.wires]:
            return False
        kept = {wire.key: wire for wire in self.wires}
        self.wires = [kept.pop(key) if key in kept else self._new_wire(key) for key in wanted]
        for wire in kept.values():
            self._scene.removeItem(wire)
        return True

    def _wires_wanted(self, network: Network) -> list[WireKey]:
        wanted = []
        for card in network.cards.values():
            for one in card.inputs.values():
                channel = card.name not in self.cards and self.session.channel_card(one.name) is card
                if one.wire is not None and not card.helper and (card.name in self.cards or channel):
                    wanted.append(_wire_key(network, one.wire, "" if channel else card.name, one.name, one.type))
        if self.session.path:
            for out in network.outputs.values():
                if out.wire is not None:
                    wanted.append(_wire_key(network, out.wire, "", out.name, out.type))
        return [key for key in wanted if key.source.card in self.cards]

    def _new_wire(self, key: WireKey) -> WireItem:
        item = WireItem(key, self.theme)
        self._scene.addItem(item)
        return item

    def lay_wires(self) -> None:
        """Puts landings and wires where they belong now."""
        self._place_landings()
        self._show_map()
        self.empty.show_when(not self.cards and not self.frames)
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
        taken = [item.sceneBoundingRect() for item in self.cards.values()]
        for wire in self.wires:
            wire.keep_mark_clear(taken)

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

    def show_pictures(
        self,
        pictures: Mapping[str, QImage],
        problems: Mapping[str, CollageError],
        doubts: Mapping[str, str],
        waiting: Collection[str] = (),
    ) -> None:
        """New pictures for some cards, what is wrong with any, and what speaks against a file's colour space.

        waiting : those whose images are being read.
        """
        for name, item in self.cards.items():
            item.show_working(name in waiting)
            problem, doubt = problems.get(name), doubts.get(name, "")
            if name in pictures or problem is not item.problem or doubt != item.doubt:
                if name in pictures:
                    item.show_picture(pictures[name])
                item.problem = problem
                item.doubt = doubt
                item.setToolTip(str(problem) if problem is not None else doubt)
                item.update()

    # ---- looking ------------------------------------------------------------------------------

    def fit_all(self) -> None:
        """Shows every card, at natural size at most."""
        if not self.cards:
            self.resetTransform()
            self.centerOn(0, 0)
            self.lay_wires()
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
        self.lay_wires()

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

    def _add_first(self) -> None:
        self.add_wanted.emit(self.viewport().rect().center(), None, "")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.lay_wires()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.0015 ** event.angleDelta().y(), event.position().toPoint())

    # ---- what lies where ----------------------------------------------------------------------

    def card_at(self, place: QPointF, but: str = "") -> CardItem | None:
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

    def pointer(self) -> QPoint:
        """Where the pointer is on the board, or the middle if it is elsewhere."""
        point = self.mapFromGlobal(self.cursor().pos())
        return point if self.viewport().rect().contains(point) else self.viewport().rect().center()

    def place_of(self, point: QPoint) -> tuple[float, float]:
        """A widget point in the standard's units, as the middle of a card there."""
        at = self.mapToScene(point)
        return (at.x() - WIDTH / 2) / UNIT_X, (at.y() - HEIGHT / 2) / UNIT_Y

    def seen_place(self, point: QPoint) -> tuple[float, float]:
        """As `place_of`, but where all of the card can be seen, and beside the landings."""
        zoom, box = self.transform().m11(), self.viewport().rect()
        wide, high = round(WIDTH * zoom / 2) + EDGE, round(HEIGHT * zoom / 2) + EDGE
        right = max(box.width() - wide - round(LANDING_WIDTH), wide)
        x, y = min(max(point.x(), wide), right), min(max(point.y(), high), max(box.height() - high, high))
        return self.place_of(QPoint(x, y))

    def tidy(self) -> None:
        """Lays the selected cards out in columns, or all where fewer than two are selected."""
        names = self.session.selection if len(self.session.selection) > 1 else tuple(self.cards)
        cards.tidy_cards(self.session, names)

    # ---- what a wire may end at ---------------------------------------------------------------

    def offers_for(self, source: Wire, type_name: str, target: str) -> list[Tab]:
        """Inputs of a card that a wire of a type can end at, exact types first."""
        fitting = [tab for tab in self.cards[target].all_inputs if fits(self.session.library, type_name, tab.type)]
        return sorted(fitting, key=lambda tab: tab.type != type_name)

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

    def user_of(self, wire: WireItem) -> str:
        """The card that a wire ends at; empty for an output of a group."""
        channel = self.session.channel_card(wire.name)
        return wire.card or (channel.name if channel is not None else "")

    def ends_for(self, name: str) -> list[tuple[str, str, tuple[Wire, str, str, str]]]:
        """Every input that a card's output fits: its name, what it has now, and what `wire_to` takes."""
        item, session = self.cards[name], self.session
        source, kind = Wire(name, item.first_output), item.output_type(item.first_output)
        before = session.network.upstream(name)
        found = []
        if session.surface is not None and not session.path:
            for tab in session.library.definition(session.surface).inputs.values():
                if not tab.uniform and offered(session.library, kind, tab.type):
                    end = (source, "", tab.name, tab.type)
                    found.append((f"Surface · {channel_label(tab.name)}", self._now_of(session.surface, tab.name), end))
            if kind == DISPLACEMENT and (material := session.channel_card(DISPLACEMENT)) is not None:
                end = (source, "", DISPLACEMENT, DISPLACEMENT)
                found.append(("Surface · Displacement", self._now_of(material, DISPLACEMENT), end))
        for other, card in self.cards.items():
            if other not in before:
                for one in self.offers_for(source, kind, other):
                    end = (source, other, one.name, one.type)
                    found.append((f"{session.title(other)} · {one.label}", self._now_of(card.card, one.name), end))
        return found


def _wire_key(network: Network, wire: Wire, card: str, name: str, type_name: str) -> WireKey:
    source, between = origin(network, wire)
    return WireKey(source, card, name, type_name, told(between[0]) if between else "")
