"""Where arrow keys lead on the board: along the chain, and up and down between the cards that lie there together."""

from __future__ import annotations

from PySide6.QtCore import Qt

from collage.app.wire.board_view import BoardView
from collage.app.wire.card_item import CardItem

DIRECTIONS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


def next_card(board: BoardView, key: int) -> str | None:
    """The card that an arrow key leads to from the selected one; where no wire leads, the nearest card.

    Left leads to what a card takes from, right to what takes from it. Without a selected card, the leftmost.
    """
    selection = board.session.selection
    here = board.cards.get(selection[0]) if selection else None
    if here is None:
        return min(board.cards.values(), key=lambda item: item.pos().x()).name if board.cards else None
    along = _neighbours(board, here.name, key == Qt.Key.Key_Left) if key in (Qt.Key.Key_Left, Qt.Key.Key_Right) else []
    if along:
        return min(along, key=lambda one: abs(board.cards[one].pos().y() - here.pos().y()))
    return _nearest(board, here, key)


def _neighbours(board: BoardView, name: str, upstream: bool) -> list[str]:
    """Cards that a card takes from, or that take from it."""
    if upstream:
        return [wire.source.card for wire in board.wires if wire.card == name]
    return [wire.card for wire in board.wires if wire.source.card == name and wire.card]


def _nearest(board: BoardView, here: CardItem, key: int) -> str | None:
    dx, dy = DIRECTIONS[Qt.Key(key)]
    best: tuple[float, str] | None = None
    for item in board.cards.values():
        gap = item.pos() - here.pos()
        along, aside = gap.x() * dx + gap.y() * dy, abs(gap.x() * dy) + abs(gap.y() * dx)
        if item is not here and along > 10:
            cost = along + 2 * aside
            best = min(best, (cost, item.name)) if best else (cost, item.name)
    return best[1] if best is not None else None
