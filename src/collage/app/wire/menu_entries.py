"""What the Wire place adds to the menus."""

from __future__ import annotations

from functools import partial
from typing import Protocol

from PySide6.QtCore import QPoint

from collage.app.shell.acts import entry
from collage.app.shell.place import Entry, separator
from collage.app.shell.studio import Studio
from collage.app.wire.board import Board
from collage.app.wire.keyboard import BoardKeyboard
from collage.app.wire.preview import Preview
from collage.core.actions import boxes as boxes_acts
from collage.core.actions import cards as cards_acts
from collage.core.actions import groups as groups_acts
from collage.core.actions import layers as layers_acts
from collage.core.actions import wires as wires_acts
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
        entry("Edit", cards_acts.copy, keyboard.copy_cards, "Copy the selected cards as MaterialX text"),
        entry("Edit", cards_acts.paste, keyboard.paste_cards, "Paste cards at the pointer"),
        entry("Edit", session.duplicate, lambda: session.duplicate(session.selection)),
        entry("Edit", session.remove, board.remove_chosen, "Remove the selected cards and join their wires"),
        Entry("Edit", "Select all", lambda: session.select(list(board.cards)), "Ctrl+A"),
        Entry("Edit", "Find a card…", keyboard.find_card, "Ctrl+F"),
    ]


def _card(place: WireParts) -> list[Entry]:
    session, board, keyboard = place.session, place.board, place.keyboard
    return [
        Entry("Card", "Add…", lambda: place.ask_add(board.viewport().rect().center(), None, ""), "Ctrl+Return"),
        Entry("Card", "Peek", place.peek, help="Look at the selected card alone (Space)"),
        entry("Card", session.skip, lambda: session.skip(session.selection), "Switch the selected cards off"),
        entry("Card", wires_acts.wire_several, keyboard.wire_to),
        entry("Card", wires_acts.put_between, keyboard.put_between),
        entry("Card", wires_acts.cut, keyboard.cut_wires),
        entry("Card", wires_acts.convert_by, keyboard.convert_wires),
        entry("Card", wires_acts.take_out, keyboard.take_out),
        entry("Card", wires_acts.swap, keyboard.swap_inputs),
        separator("Card"),
        entry("Card", groups_acts.group_cards, lambda: groups_acts.group_cards(session)),
        entry("Card", groups_acts.ungroup, lambda: groups_acts.ungroup(session)),
        Entry("Card", "Save group to sources", place.keep_group, help="For other materials and projects"),
        Entry("Card", "Open group", place.open_group, "Ctrl+PgDown"),
        Entry("Card", "Leave group", board.leave, "Ctrl+PgUp"),
        separator("Card"),
        entry("Card", boxes_acts.add_box, lambda: boxes_acts.add_box(session)),
        entry("Card", boxes_acts.add_note, lambda: boxes_acts.add_note(session, place.middle_place())),
        entry("Card", layers_acts.add_stack, lambda: layers_acts.add_stack(session, place.middle_place())),
        entry("Card", cards_acts.tidy_cards, board.tidy, "Lay the cards out in columns"),
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
