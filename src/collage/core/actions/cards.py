"""What is done to cards beyond adding and wiring one; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Sequence

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.clipboard import copied, pasted
from collage.core.document.materials import hidden_on_board
from collage.core.document.model import Network
from collage.core.gather.spaces import DATA, with_space
from collage.core.images.colour import SPACES
from collage.core.nodes.layout import tidy


@act("cards.copy", "Copy", keys="Ctrl+C", command="cards copy")
def copy(session: Session) -> str:
    """The chosen cards as MaterialX text."""
    hidden = hidden_on_board(session.network) if not session.path else set()
    return copied(session.network, [name for name in session.selection if name not in hidden])


@act("cards.paste", "Paste", keys="Ctrl+V", command="cards paste")
def paste(session: Session, text: str, place: tuple[float, float] | None = None) -> None:
    """Cards from a text: those copied here, in another window, or in any program that writes the standard."""
    made: list[str] = []

    def change(network: Network) -> Network:
        after, names = pasted(network, text, place)
        made.extend(name for name in names if not after.cards[name].helper)
        return after

    if session.edit("Paste", change):
        session.select(made)


@act("cards.tidy", "Tidy", keys="H", command="cards tidy")
def tidy_cards(session: Session, names: Sequence[str] = ()) -> None:
    """Lays cards out in columns from left to right; all that the board shows where none are named."""
    hidden = hidden_on_board(session.network) if not session.path else set()
    chosen = list(names) or [
        name for name, card in session.network.cards.items() if name not in hidden and not card.helper
    ]
    if chosen:
        session.edit("Tidy", lambda network: edits.move_cards(network, tidy(network, chosen)))


@act("cards.rename", "Rename", command="cards name")
def rename_card(session: Session, card: str, title: str) -> None:
    """Gives a card a title; an empty one gives it its kind's name back."""
    session.edit(
        f"Rename {session.title(card)}", lambda network: edits.set_attribute(network, card, "uiname", title or None)
    )


@act("cards.space", "Set colour space", command="cards space")
def set_space(session: Session, card: str, name: str, space: str) -> None:
    """Sets the colour space in which a card's file is read; data is read as it is stored."""
    if space not in (DATA, *SPACES):
        raise CollageError(f"There is no colour space “{space}”.", remedy=f"Choose one of {DATA}, {', '.join(SPACES)}.")

    def change(network: Network) -> Network:
        one = network.cards[card].inputs.get(name)
        if one is None or one.type != "filename":
            raise CollageError(f"“{card}” has no file “{name}”.", about=card, remedy="Choose an image card.")
        return edits.set_input(network, card, with_space(one, space))

    session.edit(f"Set colour space of {session.title(card)}", change)
