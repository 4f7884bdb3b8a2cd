"""What is done to values that follow others; each act is one step of the history."""

from __future__ import annotations

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.document import links as document_links
from collage.core.document.model import Value


@act("links.add", "Link to…", command="cards link")
def link(
    session: Session,
    follower: document_links.Place,
    leader: document_links.Place,
    type_name: str,
    value: Value,
    factor: float = 1.0,
    offset: float = 0.0,
) -> bool:
    """Lets a value follow another one, times a factor, plus an offset."""
    return session.edit(
        f"Link {follower.input} to {session.title(leader.card)}",
        lambda network: document_links.follow(
            network, follower, leader, type_name, value, factor=factor, offset=offset
        ),
    )


@act("links.cut", "Cut the link", command="cards unlink")
def unlink(session: Session, place: document_links.Place) -> None:
    """Cuts the link of a value, which stays what it is."""
    session.edit(f"Cut the link of {place.input}", lambda network: document_links.unlink(network, place))
