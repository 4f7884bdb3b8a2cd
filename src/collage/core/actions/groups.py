"""What is done to groups of cards; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Callable

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.document import groups as document_groups
from collage.core.document.materials import hidden_on_board
from collage.core.document.model import Card, Network, Value, Wire, inside, replaced_inside
from collage.core.nodes.wiring import output_type


@act("groups.make", "Group cards", keys="Ctrl+G", command="cards group")
def group_cards(session: Session, title: str = "Group") -> None:
    """Puts the chosen cards into a group."""
    made: list[str] = []

    def change(network: Network) -> Network:
        hidden = hidden_on_board(network) if not session.path else set()
        chosen = [name for name in session.selection if name not in hidden]
        after, name = document_groups.bundle(
            network, chosen, lambda net, wire: output_type(session.library, net, wire), title
        )
        made.append(name)
        return after

    if session.edit("Group cards", change):
        session.select(made)


@act("groups.dissolve", "Ungroup", keys="Ctrl+Shift+G", command="cards ungroup")
def ungroup(session: Session) -> None:
    """Puts the cards of the chosen group back on the board."""
    made: list[str] = []
    if not session.selection:
        return
    name = session.selection[0]

    def change(network: Network) -> Network:
        after, names = document_groups.unbundle(network, name)
        made.extend(one for one in names if not after.cards[one].helper)
        return after

    if session.edit(f"Ungroup {session.title(name)}", change):
        session.select(made)


@act("groups.change", "Group inputs", command="cards edit-group")
def change_group(session: Session, name: str, label: str, change: Callable[[Card], Card]) -> bool:
    """Changes a group card on the board."""
    return session.edit(label, lambda network: network.with_card(change(network.cards[name])))


@act("groups.show_input", "Show on the group", command="cards edit-group")
def show_on_group(session: Session, card: str, name: str, type_name: str, value: Value | None, label: str) -> bool:
    """Inside an open group: shows an input of one of its cards on the group itself."""
    *outer, group = session.path

    def change(document: Network) -> Network:
        network = inside(document, tuple(outer))
        after = document_groups.show_input(network.cards[group], card, name, type_name, value, label)
        return replaced_inside(document, tuple(outer), network.with_card(after))

    return session.edit_document(f"Show {label.lower()} on the group", change)


@act("groups.add_output", "Add as group output", command="cards edit-group")
def add_output(session: Session, card: str, output: str = "") -> bool:
    """Inside an open group: one more of its results is put out by the group."""
    *outer, group = session.path

    def change(document: Network) -> Network:
        network = inside(document, tuple(outer))
        within = network.cards[group].network or Network()
        kind = output_type(session.library, within, Wire(card, output))
        after = document_groups.add_output(network.cards[group], card, output, kind)
        return replaced_inside(document, tuple(outer), network.with_card(after))

    return session.edit_document(f"Add {session.title(card)} as output", change)
