"""Coordinates of maps and patterns; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from collage.core.actions.projectors import fit_projector, projectors_of
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import Network
from collage.core.nodes.coordinates import (
    Coordinates,
    choices,
    chosen,
    mirrored,
    placement_of,
    with_coordinates,
    with_placement,
)
from collage.core.nodes.projectors import Frame, frame_of


def uv_sets_of(session: Session) -> list[str]:
    """The UV sets of the meshes that have the material in hand, those of the first object first."""
    found: dict[str, None] = {}
    for item in session.bench.objects:
        if session.material in item.materials:
            try:
                found |= dict.fromkeys(item.mesh().uv)
            except CollageError:
                continue
    return list(found)


def coordinates_for(session: Session) -> list[Coordinates]:
    """The choices there are for the material in hand."""
    return choices(uv_sets_of(session), [item.name for item in session.project.bench.objects])


def coordinates_of(session: Session, card: str) -> Coordinates | None:
    """Those that a card has; None for anything else."""
    return chosen(session.library, session.network, card, coordinates_for(session))


@act("cards.coordinates", "Set coordinates", command="cards coordinates")
def set_coordinates(session: Session, card: str, key: str) -> None:
    """Sets where a map or pattern gets its coordinates: a UV set, the object, its box, a projector, the camera."""
    every = coordinates_for(session)
    choice = next((one for one in every if one.key == key), None)
    if choice is None:
        keys = ", ".join(one.key for one in every)
        raise CollageError(f"There are no coordinates “{key}”.", about=card, remedy=f"Choose one of {keys}.")
    label, before = f"{choice.label} for {session.title(card)}", set(projectors_of(session.network))
    with session.history.group(label):
        session.edit(label, lambda network: with_coordinates(session.library, network, card, choice))
        for made in set(projectors_of(session.network)) - before:
            if Frame() == frame_of(session.network.cards[made]) and any(
                session.material in item.materials for item in session.bench.objects
            ):
                fit_projector(session, made, axis="best")


@act("cards.placement", "One placement for maps", command="cards placement")
def share_placement(session: Session, names: Sequence[str]) -> str:
    """Gives maps one placement, so that they are moved, turned and repeated together; its name."""
    made: list[str] = []

    def change(network: Network) -> Network:
        after, name = with_placement(session.library, network, names)
        made.append(name)
        return after

    session.edit("One placement" if len(names) > 1 else "Add placement", change)
    return made[0] if made else ""


@act("cards.mirror", "Mirror", command="cards mirror")
def mirror(session: Session, placement: str, axis: Literal["u", "v"]) -> None:
    """Mirrors what a placement places, across u or up v."""
    card = session.network.cards.get(placement)
    if card is None or placement_of(session.network, placement) != placement:
        raise CollageError(f"“{placement}” places no map.", about=placement, remedy="Choose a placement or a map set.")
    session.edit(
        f"Mirror {session.title(placement)}",
        lambda network: network.with_card(mirrored(network.cards[placement], "uv".index(axis))),
    )
