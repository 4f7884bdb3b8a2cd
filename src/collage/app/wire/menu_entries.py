"""What the Wire place adds to the menus."""

from __future__ import annotations

from functools import partial
from typing import Protocol

from PySide6.QtCore import QPoint

from collage.app.shell.place import Entry, separator
from collage.app.shell.studio import Studio
from collage.app.wire.board import Board
from collage.app.wire.keyboard import BoardKeyboard
from collage.app.wire.preview_panel import Preview
from collage.core.actions import boxes as boxes_acts
from collage.core.actions import groups as groups_acts
from collage.core.actions import layers as layers_acts
from collage.core.actions.session import Session
from collage.core.document.model import Wire
from collage.core.render.cards import Ground


class WireParts(Protocol):
    """What the entries use of the Wire place."""

    studio: Studio
    session: Session
    board: Board
    keyboard: BoardKeyboard
    preview: Preview
    large: bool

    def ask_add(self, at: QPoint, source: Wire | None, source_type: str) -> None: ...
    def peek(self) -> None: ...
    def keep_group(self, card: str = "") -> None: ...
    def open_group(self) -> None: ...
    def middle_place(self) -> tuple[float, float]: ...
    def toggle_large(self) -> None: ...


GROUNDS: tuple[tuple[Ground, str], ...] = (
    ("flat", "Card pictures flat"),
    ("shape", "Card pictures on a ball"),
    ("raw", "Card pictures from least to greatest value"),
)


def entries_of(place: WireParts) -> list[Entry]:
    """In the order in which they stand in their menus."""
    return [*_edit(place), *_card(place), *_view(place)]


def _edit(place: WireParts) -> list[Entry]:
    session, board, keyboard = place.session, place.board, place.keyboard
    return [
        Entry("Edit", "Copy", keyboard.copy_cards, "Ctrl+C", "Copy the selected cards as MaterialX text"),
        Entry("Edit", "Paste", keyboard.paste_cards, "Ctrl+V", "Paste cards at the pointer"),
        Entry("Edit", "Duplicate", lambda: session.duplicate(session.selection), "Ctrl+D"),
        Entry("Edit", "Remove", board.remove_chosen, help="Remove the selected cards and join their wires (Del)"),
        Entry("Edit", "Select all", lambda: session.select(list(board.cards)), "Ctrl+A"),
        Entry("Edit", "Find a card…", keyboard.find_card, "Ctrl+F"),
    ]


def _card(place: WireParts) -> list[Entry]:
    session, board, keyboard = place.session, place.board, place.keyboard
    return [
        Entry("Card", "Add…", lambda: place.ask_add(board.viewport().rect().center(), None, ""), "Ctrl+Return"),
        Entry("Card", "Peek", place.peek, help="Look at the selected card alone (Space)"),
        Entry("Card", "Skip", lambda: session.skip(session.selection), help="Switch the selected cards off (K)"),
        Entry("Card", "Wire to…", keyboard.wire_to, "Ctrl+L"),
        Entry("Card", "Insert into a wire…", keyboard.put_between, "Ctrl+Shift+I"),
        Entry("Card", "Cut wires", keyboard.cut_wires, "Ctrl+Shift+X"),
        Entry("Card", "Change conversion…", keyboard.convert_wires, "Ctrl+Shift+K"),
        Entry("Card", "Take out of the chain", keyboard.take_out, "Ctrl+T"),
        Entry("Card", "Swap inputs", keyboard.swap_inputs, "Ctrl+I"),
        separator("Card"),
        Entry("Card", "Group cards", lambda: groups_acts.group_cards(session), "Ctrl+G"),
        Entry("Card", "Ungroup", lambda: groups_acts.ungroup(session), "Ctrl+Shift+G"),
        Entry("Card", "Save group to sources", place.keep_group, help="For other materials and projects"),
        Entry("Card", "Open group", place.open_group, "Ctrl+PgDown"),
        Entry("Card", "Leave group", board.leave, "Ctrl+PgUp"),
        separator("Card"),
        Entry("Card", "Add a box around the cards", lambda: boxes_acts.add_box(session), "Ctrl+Shift+F"),
        Entry("Card", "Add a note", lambda: boxes_acts.add_note(session, place.middle_place())),
        Entry("Card", "Add a stack", lambda: layers_acts.add_stack(session, place.middle_place()), "Ctrl+Shift+L"),
        Entry("Card", "Tidy", board.tidy, help="Lay the cards out in columns (H)"),
    ]


def _view(place: WireParts) -> list[Entry]:
    maker = place.studio.maker
    grounds = [
        Entry("View", text, partial(_show_on, place, ground), group="grounds", ticked=partial(_is_on, place, ground))
        for ground, text in GROUNDS
    ]
    return [
        Entry("View", "Large preview", place.toggle_large, "F6", "Swap board and preview", ticked=lambda: place.large),
        separator("View"),
        Entry("View", "Show all cards", place.board.fit_all, "Ctrl+0"),
        Entry("View", "Board overview", place.board.toggle_map, "Ctrl+M"),
        *grounds,
        Entry("View", "Mark values outside 0 to 1", lambda: maker.show_on(maker.ground, not maker.mark), "",
              "Hatch them in the pictures of cards", ticked=lambda: maker.mark),
        separator("View"),
        Entry("View", "Frame all objects", lambda: place.preview.frame(None), "Ctrl+Shift+0"),
    ]  # fmt: skip


def _show_on(place: WireParts, ground: Ground) -> None:
    place.studio.maker.show_on(ground, place.studio.maker.mark)


def _is_on(place: WireParts, ground: Ground) -> bool:
    return place.studio.maker.ground == ground
