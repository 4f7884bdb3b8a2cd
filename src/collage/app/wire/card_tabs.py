"""The inputs of a card that have controls."""

from __future__ import annotations

from collage.app.session import Session
from collage.core.document.model import Card
from collage.core.document.types import zero
from collage.core.errors import CollageError
from collage.core.nodes.library import TabDef

_QUIET = {"framerange", "frameoffset", "frameendaction", "layer"}  # nothing on a surface depends on these


def card_tabs(session: Session, card: Card) -> list[TabDef]:
    """The inputs whose controls are shown: a definition's, or those a group shows."""
    if card.network is not None:
        return [
            TabDef(one.name, one.type, one.value if one.value is not None else zero(one.type), "", one.attributes)
            for one in card.inputs.values()
        ]
    try:
        tabs = session.library.definition(card).inputs.values()
    except CollageError:
        return []
    return [tab for tab in tabs if tab.name not in _QUIET]
