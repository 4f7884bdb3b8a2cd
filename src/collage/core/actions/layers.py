"""What is done to stacks of layers; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from collage.core.actions.groups import change_group
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.nodes import stacks
from collage.core.nodes.adding import stack_of


@act("layers.add_stack", "Add a stack", keys="Ctrl+Shift+L", command="cards stack")
def add_stack(session: Session, place: tuple[float, float], names: Sequence[str] = ()) -> str:
    """A stack; the chosen cards, from top to bottom on the board, become its layers, the lowest at the bottom.

    names : the layers from the bottom instead."""
    chosen = [one for one in names or session.selection if one in session.network.cards]
    if not names:
        chosen.sort(key=lambda one: -session.network.cards[one].position[1])
    name = session.network.free_name("stack")
    session.edit("Add Stack", lambda network: stack_of(session.library, network, chosen, place)[0])
    session.select([name])
    return name


@act("layers.change", "Layers", command="cards layer")
def change_layers(
    session: Session, name: str, label: str, change: Callable[[list[stacks.Layer]], list[stacks.Layer]]
) -> bool:
    """Changes the layers of a stack."""
    return change_group(session, name, label, lambda card: stacks.with_layers(card, change(stacks.layers(card))))
