"""The board: what a hand does to cards and wires, by mouse and keyboard."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum, auto
from pathlib import Path

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainterPath,
    QPen,
)
from PySide6.QtWidgets import (
    QGraphicsPathItem,
    QGraphicsRectItem,
    QMenu,
    QWidget,
)

from collage.app.theme import Theme
from collage.app.widgets.dragged import EFFECT_FORMAT, KEPT_FORMAT, OFFER_FORMAT, SET_FORMAT, files_in, text_in
from collage.app.wire.board_arrows import next_card
from collage.app.wire.board_menu import conversion_menu, menu_at
from collage.app.wire.board_view import BoardView
from collage.app.wire.card_item import HEIGHT, UNIT_X, UNIT_Y, WIDTH, CardItem
from collage.app.wire.channel_names import channel_label
from collage.app.wire.frame_hand import FrameHand
from collage.app.wire.names_item import NamesItem
from collage.app.wire.tabs import wire_path, wire_pen
from collage.app.wire.wire_item import WireItem
from collage.core.actions import boxes as boxes_acts
from collage.core.actions import wires as wires_acts
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.contained import is_document
from collage.core.document.model import Wire, inside, replaced_inside
from collage.core.nodes.labels import TYPE_WORDS

HINT = "Double-click or Enter to add a card · middle drag to pan · wheel to zoom"


class Hand(Enum):
    """What the mouse is doing."""

    NOTHING = auto()
    PAN = auto()
    BOX = auto()
    MOVE = auto()
    WIRE = auto()
    STROKE = auto()
    FRAME = auto()


THINGS = (SET_FORMAT, KEPT_FORMAT, EFFECT_FORMAT)  # dragged from the sources


class Board(BoardView):
    """Shows the session's network. All changes go through the session."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        self._hand = Hand.NOTHING
        self._press = QPointF()
        self._last = QPoint()
        self._starts: dict[str, QPointF] = {}
        self._source: Wire | None = None
        self._came_from: tuple[str, str] | None = None
        self._loose: QGraphicsPathItem | None = None
        self._box: QGraphicsRectItem | None = None
        self._stroke: QGraphicsPathItem | None = None
        self._pull = self._all_wires = False
        super().__init__(session, theme, parent)
        self.frame_hand = FrameHand(self)
        self._names = NamesItem(theme)
        self._scene.addItem(self._names)
        self.channel_under_pointer: Callable[[], str] = lambda: ""
        self.setAcceptDrops(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.PreventContextMenu)  # the right button also cuts

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
        elif event.button() == Qt.MouseButton.LeftButton and not self._begin_wiring(point, place, ctrl):
            card, frame = self.card_at(place), self.frame_hand.at(place)
            self._pull = ctrl and card is not None
            if card is not None:
                self._press_card(card, shift)
            elif frame is not None and not shift:
                self._hand = Hand.FRAME
                self.frame_hand.press(frame, place)
            elif shift:
                self._hand = Hand.PAN
            else:
                self._hand = Hand.BOX
                self._box = QGraphicsRectItem(QRectF(place, place))
                self._box.setPen(QPen(QColor(self.theme.accent), 0, Qt.PenStyle.DashLine))
                self._scene.addItem(self._box)

    def _begin_wiring(self, point: QPoint, place: QPointF, every: bool) -> bool:
        """Takes hold of a tab: an output starts a wire, a wired input or landing gives its wire's end.

        every : all wires of the output are taken.
        """
        landing = self._landing_at(point)
        if landing is not None:
            return self._take_end("", landing.name)
        found = self._tab_at(place)
        if found is None:
            return False
        item, tab, is_output = found
        if is_output:
            self._all_wires = every
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
        self.lay_wires()
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
            self.lay_wires()
        elif self._hand is Hand.WIRE:
            self._drag_wire(point, place)
        elif self._hand is Hand.STROKE:
            self._draw_stroke(place)
        elif self._hand is Hand.FRAME:
            self.frame_hand.drag(place)
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
        found = self._tab_at(place) if landing is None else None
        card = found[0] if found is not None else self.card_at(place, but=self._source.card)
        under = found[1].name if found is not None and not found[2] else ""
        self._names.show_beside(card if landing is None else None, self.transform().m11(), under)
        end = landing.pos() if landing is not None else place
        self._loose.setPath(wire_path(self.cards[self._source.card].output_place(self._source.output), end))

    def _hover(self, point: QPoint, place: QPointF) -> None:
        found = self._tab_at(place)
        card = found[0] if found is not None else self.card_at(place)
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
            self.hint.emit(HINT)

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
        elif hand is Hand.FRAME:
            self.frame_hand.drop(place)

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
        self.hint.emit("Release to cut the wires you crossed")

    def _end_stroke(self, at: QPoint, place: QPointF) -> None:
        """A stroke cuts the wires it crosses; a click of the right button opens the menu."""
        if self._stroke is None:
            self._open_menu(self.mapFromGlobal(at), at)
            return
        path = self._stroke.path()
        self._scene.removeItem(self._stroke)
        self._stroke = None
        wires_acts.cut(self.session, [(wire.card, wire.name) for wire in self.wires if wire.crosses(path)])

    def _open_mark(self, place: QPointF) -> bool:
        """A click on a wire's mark offers other ways to convert."""
        wire = next(
            (one for one in self.wires if one.mark and one.mark_box().adjusted(-3, -3, 3, 3).contains(place)), None
        )
        if wire is None:
            return False
        menu = conversion_menu(self, wire)
        menu.popup(self.mapToGlobal(self.mapFromScene(place)))
        return True

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
            other = self.card_at(place, but=name)
            if other is not None:
                self.cards[name].setPos(starts[name])
                self.lay_wires()
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
        pos = self.cards[name].pos()
        place = (pos.x() / UNIT_X, pos.y() / UNIT_Y)
        return wires_acts.put_between(self.session, name, wire.source, wire.card, wire.name, wire.kind, place)

    def offer_inputs(self, name: str, target: str, at: QPoint, source: Wire | None = None) -> None:
        """Offers the inputs of `target` that fit what `name` puts out, with their present values."""
        item = self.cards[name]
        source = source or Wire(name, item.outputs[0].name if item.outputs else "")
        kind = item.output_type(source.output)
        offers = self.offers_for(source, kind, target)
        if not offers:
            text = f"“{self.session.title(target)}” has no input for a {TYPE_WORDS.get(kind, kind)}."
            self.session.problem.emit(CollageError(text, remedy="Add a Convert card in between."))
            return
        menu = QMenu(self)
        menu.setObjectName("offers")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        card = self.session.network.cards[target]
        for tab in offers:
            action = menu.addAction(f"{tab.label}\t{self._now(card, tab)}")
            action.triggered.connect(lambda _=False, tab=tab: self.session.wire(source, target, tab.name, tab.type))
        menu.popup(at)

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
            target = found[0] if found is not None else self.card_at(place, but=source.card)
            if target is not None:
                output = found[1].name if found is not None and found[2] else target.first_output
                wires_acts.move_all_wires(self.session, source, Wire(target.name, output))
            return
        if len(several) > 1 and came is None:
            found = self._tab_at(place)
            target = found[0] if found is not None else self.card_at(place, but=source.card)
            if target is not None and target.name not in {one.card for one in several}:
                self._fill()
                wires_acts.wire_several(
                    self.session, several, target.name, found[1].name if found and not found[2] else ""
                )
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
        card = self.card_at(place, but=source.card)
        if card is not None:
            self._fill()
            self.offer_inputs(source.card, card.name, self.mapToGlobal(point), source)
        elif came is not None:
            self._cut(came)
        elif (place - self._press).manhattanLength() > 12 and self.card_at(place) is None:
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

    def chosen_sources(self) -> list[Wire]:
        """The first outputs of the chosen cards, from top to bottom."""
        chosen = [name for name in self.session.selection if name in self.cards]
        first = Wire(chosen[0], self.cards[chosen[0]].first_output) if chosen else None
        return self._chosen_sources(first)

    def _end_wiring(self) -> None:
        if self._loose is not None:
            self._scene.removeItem(self._loose)
        self._hand, self._loose, self._source, self._came_from = Hand.NOTHING, None, None, None
        self._source_type = ""
        self._all_wires = False
        self._names.hide()
        for item in self.cards.values():
            item.named = item.hovered = False  # the pointer is elsewhere by now; it tells when it moves
            item.update()
        self.hint.emit(HINT)

    def _cut(self, end: tuple[str, str]) -> None:
        card, name = end
        if card:
            self.session.unwire(card, name)
        elif (channel := self.session.channel_card(name)) is not None:
            self.session.unwire(channel.name, name)
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
        channel = self.session.channel_card(name)
        return channel is not None and self.session.wire(source, channel.name, name, type_name)

    # ---- keys, menus, drops -------------------------------------------------------------------

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        point = event.position().toPoint()
        place = self.mapToScene(point)
        card, frame = self.card_at(place), self.frame_hand.at(place)
        if card is None and frame is not None:
            self.frame_hand.write(frame)
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
            self._go(key)
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
        channel = self.channel_under_pointer()
        holder = self.session.channel_card(channel) if channel else None
        if holder is not None:
            self.session.show_before(lambda document: edits.set_input(document, holder.name, None, channel))
            self.hint.emit(f"{channel_label(channel)} at its default while B is held")
        elif names:
            self.session.show_before(
                lambda document: replaced_inside(document, path, edits.skip_cards(inside(document, path), names, True))
            )
            self.hint.emit("Selected cards skipped while B is held")

    def remove_chosen(self) -> None:
        """Removes the chosen cards, or the chosen frame."""
        frame = next((item for item in self.frames.values() if item.chosen), None)
        if self.session.selection:
            self.session.remove(self.session.selection)
        elif frame is not None:
            boxes_acts.remove_box(self.session, frame.frame.name)

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

    def _go(self, key: int) -> None:
        name = next_card(self, key)
        if name is not None:
            self.session.select([name])
            self.ensureVisible(self.cards[name], 20, 20)
            self._lay_landings()

    def leave(self) -> None:
        """Back from a group to what is around it."""
        if self.session.path:
            self.session.open_group(self.session.path[:-1])

    def _open_menu(self, point: QPoint, at: QPoint) -> None:
        menu_at(self, self.frame_hand, point).popup(at)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        mime = event.mimeData()
        if any(mime.hasFormat(form) for form in (OFFER_FORMAT, *THINGS)) or files_in(mime):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.acceptProposedAction()  # what may not be dropped was not let in

    def dropEvent(self, event: QDropEvent) -> None:
        paths = files_in(event.mimeData())
        if len(paths) == 1 and not paths[0].is_dir() and not is_document(paths[0]):
            self._take_image(paths[0], event.position().toPoint())
        elif paths:
            self.files_dropped.emit(paths, self.seen_place(event.position().toPoint()))
        if paths:
            event.acceptProposedAction()
        definition = self.session.library.get(text_in(event.mimeData(), OFFER_FORMAT))
        if definition is not None:
            self.session.add(definition, self.seen_place(event.position().toPoint()))
            event.acceptProposedAction()
        for form in THINGS:
            if event.mimeData().hasFormat(form):
                text = text_in(event.mimeData(), form)
                self.thing_dropped.emit(form, text, self.seen_place(event.position().toPoint()))
                event.acceptProposedAction()

    def _take_image(self, path: Path, at: QPoint) -> None:
        try:
            self.session.add_image(path, self.seen_place(at))
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
