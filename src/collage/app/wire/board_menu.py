"""The menus of the board: of a card, a frame, the empty board, and of a wire that converts."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu

from collage.app.shell.acts import add
from collage.app.wire.board_view import BoardView
from collage.app.wire.card_item import CardItem
from collage.app.wire.frame_hand import FrameHand
from collage.app.wire.weights_dialog import WeightsDialog
from collage.app.wire.wire_item import WireItem
from collage.core.actions import boxes as boxes_acts
from collage.core.actions import cards as cards_acts
from collage.core.actions import effects as effects_acts
from collage.core.actions import groups as groups_acts
from collage.core.actions import layers as layers_acts
from collage.core.actions import wires as wires_acts
from collage.core.actions.registry import action_of
from collage.core.document.model import Wire
from collage.core.nodes.labels import input_label
from collage.core.nodes.wiring import origin, output_type, ways


def menu_at(board: BoardView, frame_hand: FrameHand, point: QPoint) -> QMenu:
    """What can be done with what lies at a point of the board."""
    place = board.mapToScene(point)
    card, frame = board.card_at(place), frame_hand.at(place)
    menu = QMenu(board)
    menu.setObjectName("card menu")
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    if card is not None:
        if card.name not in board.session.selection:
            board.session.select([card.name])
        _fill_card_menu(board, menu, card)
    elif frame is not None:
        menu.addAction("Edit text…", lambda: frame_hand.write(frame))
        add(menu, boxes_acts.remove_box, lambda: boxes_acts.remove_box(board.session, frame.frame.name))
    else:
        menu.addAction("Add a card…\tEnter", lambda: board.add_wanted.emit(point, None, ""))
        add(menu, boxes_acts.add_note, lambda: boxes_acts.add_note(board.session, board.place_of(point)))
        add(menu, layers_acts.add_stack, lambda: layers_acts.add_stack(board.session, board.seen_place(point)))
        menu.addAction("Find a card…\tCtrl+F", board.find_wanted.emit)
        add(menu, cards_acts.tidy_cards, board.tidy)
        menu.addAction("Show all cards\tHome", board.fit_all)
    return menu


def _fill_card_menu(board: BoardView, menu: QMenu, card: CardItem) -> None:
    session, chosen = board.session, board.session.selection
    menu.addAction("Peek\tSpace", lambda: session.toggle_peek(chosen[0]))
    add(menu, session.skip, lambda: session.skip(chosen))
    add(menu, wires_acts.wire_several, lambda: board.wire_wanted.emit(chosen[0]))
    add(menu, wires_acts.take_out, lambda: wires_acts.take_out(session, chosen))
    pairs = wires_acts.swap_pairs(session, card.name)
    if pairs:
        swaps = menu.addMenu(action_of(wires_acts.swap).label)
        for first, second in pairs[:8]:
            label = f"{input_label(first)} and {input_label(second).lower()}"
            swaps.addAction(label, partial(wires_acts.swap, session, card.name, first, second))
    menu.addSeparator()
    add(menu, session.duplicate, lambda: session.duplicate(chosen))
    add(menu, boxes_acts.add_box, lambda: boxes_acts.add_box(session))
    add(menu, groups_acts.group_cards, lambda: groups_acts.group_cards(session))
    if card.card.network is not None:
        menu.addAction("Open group", lambda: session.open_group((*session.path, card.name)))
        add(menu, groups_acts.ungroup, lambda: groups_acts.ungroup(session))
        menu.addAction("Save group to sources", lambda: board.keep_wanted.emit(card.name))
    if effects_acts.is_effect(session, card.name):
        add(menu, effects_acts.remove_effect, partial(effects_acts.remove_effect, session, card.name))
    elif not session.path and card.first_output is not None and _is_mask(board, card):
        add(menu, effects_acts.use_mask, partial(board.mask_wanted.emit, card.name))
        add(menu, effects_acts.break_mask, partial(effects_acts.break_mask, session, card.name))
        if effects_acts.follows_mask(session, card.name):
            add(menu, effects_acts.release_mask, partial(effects_acts.release_mask, session, card.name))
    if session.path:
        add(menu, groups_acts.add_output, partial(groups_acts.add_output, session, card.name, card.first_output))
    add(menu, wires_acts.put_between, board.between_wanted.emit)
    add(menu, session.remove, lambda: session.remove(chosen))
    if card.card.type == "surfaceshader":
        menu.addSeparator()
        add(menu, session.show_surface, lambda: session.show_surface(chosen[0]))


def _is_mask(board: BoardView, card: CardItem) -> bool:
    """Whether a card puts out one number a point."""
    wire = Wire(card.name, card.first_output)
    return output_type(board.session.library, board.session.network, wire) == "float"


def conversion_menu(board: BoardView, wire: WireItem) -> QMenu:
    """The ways in which a wire can convert."""
    network, user = board.session.network, board.user_of(wire)
    menu = QMenu(board)
    menu.setObjectName("conversion")
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    one = network.cards[user].inputs[wire.name] if user in network.cards else None
    between = origin(network, one.wire)[1] if one is not None and one.wire is not None else []
    for way, label in ways(between[0]) if between else []:
        menu.addAction(label, partial(wires_acts.convert_by, board.session, user, wire.name, way))
    if between and between[0].category == "luminance":
        menu.addSeparator()
        menu.addAction("Channel weights…", lambda: _weigh(board, between[0].name))
    if menu.isEmpty():
        menu.addAction(f"Converts: {wire.mark}").setEnabled(False)
    return menu


def _weigh(board: BoardView, card: str) -> None:
    dialog = WeightsDialog(board.session, card, board)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.show()
