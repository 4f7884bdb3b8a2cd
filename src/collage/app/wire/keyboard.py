"""What is done to cards and wires by keyboard: a field offers the ends that fit, with their present values."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QApplication

from collage.app.shell.studio import Studio
from collage.app.widgets.pick_field import Choice, PickField
from collage.app.wire.board import Board
from collage.core.actions import cards as cards_acts
from collage.core.actions import wires as wires_acts
from collage.core.base.text import counted
from collage.core.document.model import Wire
from collage.core.nodes.labels import input_label, label_of
from collage.core.nodes.wiring import origin, ways


class BoardKeyboard:
    """The selected cards are what each of these is about."""

    def __init__(self, studio: Studio, board: Board, pick_field: PickField) -> None:
        self.studio, self.session, self.board, self.pick_field = studio, studio.session, board, pick_field

    def copy_cards(self) -> None:
        if self.session.selection:
            QApplication.clipboard().setText(cards_acts.copy(self.session))
            self.studio.hint.emit(f"Copied {counted(len(self.session.selection), 'card')} as MaterialX.")

    def paste_cards(self) -> None:
        cards_acts.paste(self.session, QApplication.clipboard().text(), self.board.place_of(self.board.pointer()))

    def find_card(self) -> None:
        """Finds a card by its name or kind, and shows it."""
        choices = [
            Choice(self.session.title(name), name, label_of(item.card.category, item.card.type), _icon(item.picture))
            for name, item in self.board.cards.items()
        ]
        at = self.board.viewport().rect().center()
        self.pick_field.ask(at, "Find a card", choices, self.board.show_card)

    def wire_to(self) -> None:
        """Wires the chosen card by keyboard: all inputs that it fits are offered."""
        if not self.session.selection or self.session.selection[0] not in self.board.cards:
            self.studio.hint.emit("Select a card first, then wire its output.")
            return
        name, at = self.session.selection[0], self.board.viewport().rect().center()
        if len(self.session.selection) > 1:
            self._wire_several(at)
            return
        self.pick_field.ask(
            at,
            f"Wire {self.session.title(name)} to …",
            [Choice(text, target, note) for text, note, target in self.board.ends_for(name)],
            self._wire_end,
        )

    def _wire_several(self, at: QPoint) -> None:
        """All chosen cards into one other, input by input."""
        sources = self.board.chosen_sources()
        choices = [
            Choice(self.session.title(other), other, f"all {len(sources)} of them")
            for other in self.board.cards
            if other not in self.session.selection
        ]

        def picked(other: str) -> None:
            wires_acts.wire_several(self.session, sources, other)

        self.pick_field.ask(at, f"Wire {counted(len(sources), 'card')} to …", choices, picked)

    def convert_wires(self) -> None:
        """Offers other ways to convert for the wires at the chosen cards."""
        network, choices = self.session.network, []
        for wire in self.board.wires:
            user = self.board.user_of(wire)
            if wire.mark and user and {wire.card, wire.source.card} & {*self.session.selection}:
                between = origin(network, network.cards[user].inputs[wire.name].wire or wire.source)[1]
                title = f"{self.session.title(wire.source.card)} → {self.session.title(user)}"
                choices += [Choice(f"{title}: {label}", (user, wire.name, way)) for way, label in ways(between[0])]
        at = self.board.viewport().rect().center()
        self.pick_field.ask(at, "Change conversion", choices, self._convert)

    def _convert(self, end: tuple[str, str, str]) -> None:
        wires_acts.convert_by(self.session, *end)

    def _wire_end(self, end: tuple[Wire, str, str, str]) -> None:
        self.board.wire_to(*end)

    def put_between(self) -> None:
        """Offers the wires that the chosen card can be put into."""
        for name in self.session.selection[:1]:
            choices = [
                Choice(
                    f"{self.session.title(wire.source.card)} → {self.session.title(end)}",
                    (wire.source, end, wire.name, wire.kind),
                    input_label(wire.name),
                )
                for wire in self.board.wires
                if name not in (wire.source.card, wire.card) and (end := self.board.user_of(wire))
            ]
            at = self.board.viewport().rect().center()
            self.pick_field.ask(at, "Insert into a wire", choices, partial(self._put_between, name))

    def _put_between(self, name: str, wire: tuple[Wire, str, str, str]) -> None:
        wires_acts.put_between(self.session, name, *wire)

    def cut_wires(self) -> None:
        """Offers the wires at the chosen cards to be cut."""
        chosen = set(self.session.selection)
        wires = [wire for wire in self.board.wires if wire.card in chosen or wire.source.card in chosen]
        choices = [
            Choice(
                f"{self.session.title(wire.source.card)} → {self.session.title(wire.card) if wire.card else 'Surface'}",
                [(wire.card, wire.name)],
                input_label(wire.name),
            )
            for wire in wires
        ]
        if len(wires) > 1:
            choices.insert(0, Choice("All wires", [(wire.card, wire.name) for wire in wires]))
        self.pick_field.ask(
            self.board.viewport().rect().center(),
            "Cut a wire",
            choices,
            lambda ends: wires_acts.cut(self.session, ends),
        )

    def take_out(self) -> None:
        wires_acts.take_out(self.session, self.session.selection)

    def swap_inputs(self) -> None:
        """Exchanges the usual pair of inputs of the chosen card."""
        for name in self.session.selection[:1]:
            pairs = wires_acts.swap_pairs(self.session, name)
            if pairs:
                wires_acts.swap(self.session, name, *pairs[0])


def _icon(image: QImage | None) -> QPixmap | None:
    return QPixmap.fromImage(image) if image is not None else None
