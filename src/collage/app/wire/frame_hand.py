"""What a hand does to frames and notes on the board: move, size, write."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPointF

from collage.app.wire.board_view import BoardView
from collage.app.wire.card_item import HEIGHT, UNIT_X, UNIT_Y, WIDTH
from collage.app.wire.frame_editor import FrameEditor
from collage.app.wire.frame_item import FrameItem
from collage.core.actions import boxes as boxes_acts
from collage.core.document import edits, frames


class FrameHand:
    """Holds one frame at a time."""

    def __init__(self, board: BoardView) -> None:
        self.board = board
        self._frame: FrameItem | None = None
        self._press = QPointF()
        self._sizing = False
        self._starts: dict[str, QPointF] = {}

    def at(self, place: QPointF) -> FrameItem | None:
        """The frame that a hand would take hold of at a scene place."""
        for item in self.board.frames.values():
            if item.shape().contains(item.mapFromScene(place)):
                return item
        return None

    def press(self, item: FrameItem, place: QPointF) -> None:
        """Takes hold of a frame, or of its grip; the cards in it come along."""
        self._frame = item
        for other in self.board.frames.values():
            other.chosen = other is item
            other.update()
        self.board.session.select(())
        self._press = place
        self._sizing = item.grip().contains(item.mapFromScene(place))
        held = [] if item.is_note else self._held_by(item)
        self._starts = {name: self.board.cards[name].pos() for name in held}

    def _held_by(self, item: FrameItem) -> list[str]:
        """Cards that lie in a frame now."""
        return [name for name, card in self.board.cards.items() if item.holds(card.mapToScene(WIDTH / 2, HEIGHT / 2))]

    def drag(self, place: QPointF) -> None:
        assert self._frame is not None
        gone, frame = place - self._press, self._frame.frame
        if self._sizing:
            width = max(frame.width + gone.x() / UNIT_X, 0.4)
            height = max(frame.height + gone.y() / UNIT_Y, 0.25)
            self._frame.show_size((width, height))
            return
        self._frame.setPos(frame.x * UNIT_X + gone.x(), frame.y * UNIT_Y + gone.y())
        for name, start in self._starts.items():
            self.board.cards[name].setPos(start + gone)
        self.board.lay_wires()

    def drop(self, place: QPointF) -> None:
        item, self._frame = self._frame, None
        starts, self._starts = self._starts, {}
        assert item is not None
        gone, frame = place - self._press, item.frame
        item.show_size(None)
        if gone.manhattanLength() <= 3:
            item.take(frame)
            return
        if self._sizing:
            self._size(item, gone)
            return
        moved = replace(frame, x=frame.x + gone.x() / UNIT_X, y=frame.y + gone.y() / UNIT_Y)
        places = {
            name: (start.x() / UNIT_X + gone.x() / UNIT_X, start.y() / UNIT_Y + gone.y() / UNIT_Y)
            for name, start in starts.items()
        }
        moved = replace(moved, holds=tuple(starts) or moved.holds)
        self.board.session.edit(
            "Move a frame", lambda network: frames.with_frame(edits.move_cards(network, places), moved)
        )

    def _size(self, item: FrameItem, gone: QPointF) -> None:
        frame = item.frame
        width = max(frame.width + gone.x() / UNIT_X, 0.4)
        height = max(frame.height + gone.y() / UNIT_Y, 0.25)
        item.take(replace(frame, width=width, height=height))
        held = tuple(self._held_by(item))
        boxes_acts.change_box(
            self.board.session, "Resize the box", replace(frame, width=width, height=height, holds=held)
        )

    def write(self, item: FrameItem) -> None:
        """Asks for a frame's title or a note's text, in place."""
        editor = FrameEditor(item, self.board)
        editor.done.connect(
            lambda text: boxes_acts.change_box(
                self.board.session,
                "Edit the note" if item.is_note else "Rename the box",
                replace(item.frame, text=text) if item.is_note else replace(item.frame, title=text),
            )
        )
        editor.open()
