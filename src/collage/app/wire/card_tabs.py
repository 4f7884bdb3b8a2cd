"""The inputs of a card that have controls."""

from __future__ import annotations

from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import Card
from collage.core.nodes.library import TabDef, tabs_of

_QUIET = {"framerange", "frameoffset", "frameendaction", "layer"}  # nothing on a surface depends on these


def card_tabs(session: Session, card: Card) -> list[TabDef]:
    """The inputs whose controls are shown: a definition's, or those a group shows."""
    try:
        tabs = tabs_of(session.library, card).values()
    except CollageError:
        return []
    return [tab for tab in tabs if card.network is not None or tab.name not in _QUIET]
