"""What is done to projectors and to what lies outside an image; each act is one step of the history."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from collage.core.actions.objects import object_of
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import MAP_SET, Card, Input, Network
from collage.core.nodes.library import shown_value
from collage.core.nodes.projectors import PROJECTORS, Frame, best_axis, frame_of, shape_of, with_frame
from collage.core.nodes.wiring import origin
from collage.core.scene.bench import BenchObject, Faces, faces_in

Outside = Literal["repeat", "mirror", "hold", "once"]
OUTSIDE: dict[str, str] = {"repeat": "periodic", "mirror": "mirror", "hold": "clamp", "once": "constant"}
"""What lies outside the tile, and the standard's word for it."""


@dataclass(frozen=True, eq=False)
class Space:
    """Where a frame stands: world = own @ rotation + place, for row vectors.

    name : of the object; empty for the world.
    """

    rotation: np.ndarray
    place: np.ndarray
    name: str = ""


WORLD = Space(np.eye(3), np.zeros(3))


def projectors_of(network: Network) -> list[str]:
    """The names of all cards with a frame."""
    return [name for name, card in network.cards.items() if card.category in PROJECTORS]


def projector_of(network: Network, name: str) -> Card:
    """A projector by its name. Raises CollageError."""
    card = network.cards.get(name)
    if card is None or card.category not in PROJECTORS:
        every = ", ".join(projectors_of(network)) or "none yet"
        raise CollageError(f"“{name}” is no projector.", about=name, remedy=f"There are: {every}.")
    return card


def space_of(session: Session, name: str, object_name: str = "") -> Space | None:
    """The space that a projector's frame stands in, for one of the objects that have it; None where it is bent.

    object_name : the object to look at; else the first with the material.
    """
    card = projector_of(session.network, name)
    one = card.inputs.get("position")
    if one is None or one.wire is None:
        return _own_space(session, object_name)
    source = session.network.cards.get(origin(session.network, one.wire)[0].card)
    if source is None or source.network is not None:
        return None
    if source.category == "position":
        space = shown_value(source, session.library.definition(source).inputs["space"])
        return WORLD if space == "world" else _own_space(session, object_name)
    if source.category == "clg_object_space":
        other = shown_value(source, session.library.definition(source).inputs["object"])
        return next((_space_of(item) for item in session.bench.objects if item.name == other), WORLD)
    return None


def _own_space(session: Session, object_name: str) -> Space:
    worn = [item for item in session.bench.objects if session.material in item.materials]
    item = next((one for one in worn if one.name == object_name), worn[0] if worn else None)
    return _space_of(item) if item is not None else WORLD


def _space_of(item: BenchObject) -> Space:
    return Space(item.matrix(), np.array(item.place, np.float64), item.name)


@act("projectors.place", "Move, turn or scale projector", command="cards projector")
def place_projector(session: Session, name: str, frame: Frame, *, merge: str = "") -> None:
    """Sets the frame of a projector. Raises CollageError."""
    projector_of(session.network, name)
    if min(frame.size) <= 0:
        raise CollageError("The frame must have a size.", about=name, remedy="Give all three sides more than 0.")
    _edit(session, f"Place {session.title(name)}", name, frame, merge)


@act("projectors.fit", "Fit projector", command="cards projector")
def fit_projector(
    session: Session, name: str, object_name: str = "", faces: Faces | None = None, axis: str = ""
) -> None:
    """Fits a projector to an object, or to some of its faces. Raises CollageError.

    axis : x, y or z of the frame's space to turn to, or “best” for the one that suits; empty keeps it as it is turned.
    """
    card = projector_of(session.network, name)
    points, normals, areas = _surface(session, name, object_name, faces)
    frame, shape = frame_of(card), shape_of(card)
    if axis == "best":
        axis = best_axis(points, normals, areas, shape)
    if axis:
        if axis not in ("x", "y", "z"):
            raise CollageError(f"There is no axis “{axis}”.", about=name, remedy="Choose x, y, z or best.")
        frame = frame.along(axis, shape)
    _edit(session, f"Fit {session.title(name)}", name, frame.fitted(points), "")


@act("projectors.centre", "Centre projector", command="cards projector")
def centre_projector(session: Session, name: str, object_name: str = "", faces: Faces | None = None) -> None:
    """Moves a projector to the middle of an object, or of some of its faces. Raises CollageError."""
    frame = frame_of(projector_of(session.network, name))
    points, _, _ = _surface(session, name, object_name, faces)
    _edit(session, f"Centre {session.title(name)}", name, replace(frame, centre=frame.fitted(points).centre), "")


def _surface(
    session: Session, name: str, object_name: str, faces: Faces | None
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Corners (n, 3) in the frame's space of an object or some faces, the faces' normals (t, 3) and areas (t,)."""
    space = space_of(session, name, object_name)
    if space is None:
        raise CollageError("This projector's position is bent by other cards.", about=name,
                           remedy="Type its centre and size.")  # fmt: skip
    item = object_of(session.bench, object_name or space.name or _first(session))
    mesh = item.mesh()
    chosen = np.ones(len(mesh.triangles), bool)
    if faces is not None:
        chosen = faces_in(mesh, faces)
    if not chosen.any():
        raise CollageError("There are no such faces.", about=item.name)
    world = mesh.positions[np.unique(mesh.triangles[chosen])].astype(np.float64) @ item.matrix() + item.place
    normals = mesh.face_normals[chosen] @ item.matrix() @ space.rotation.T
    return (world - space.place) @ space.rotation.T, normals, mesh.areas[chosen]


def _first(session: Session) -> str:
    """The first object that has the material in hand."""
    return next((item.name for item in session.bench.objects if session.material in item.materials), "")


def _edit(session: Session, label: str, name: str, frame: Frame, merge: str) -> None:
    session.edit(label, lambda network: network.with_card(with_frame(network.cards[name], frame)), merge=merge)


# ---- outside the tile -------------------------------------------------------------------------


def images_behind(network: Network, name: str) -> list[Card]:
    """The images whose coordinates come from a card, near and far, itself among them; those of a map set too."""

    def holds_images(card: Card) -> bool:
        return card.category == "image" or (card.attributes.get(MAP_SET) == "true" and card.network is not None)

    found: list[Card] = []
    for card in network.downstream(name, holds_images):
        if card.category == "image":
            found.append(card)
        elif card.network is not None and holds_images(card):
            found += [one for one in card.network.cards.values() if one.category == "image"]
    return found


def _with_modes(network: Network, name: str, mode: str) -> Network:
    """With the address mode of all those images."""
    wanted = images_behind(network, name)
    for card in network.cards.values():
        if any(card is one for one in wanted):
            network = network.with_card(_with_mode(card, mode))
        elif card.network is not None and any(one is other for one in card.network.cards.values() for other in wanted):
            inner = card.network
            for one in inner.cards.values():
                if one.category == "image":
                    inner = inner.with_card(_with_mode(one, mode))
            network = network.with_card(replace(card, network=inner))
    return network


def _with_mode(card: Card, mode: str) -> Card:
    for name in ("uaddressmode", "vaddressmode"):
        card = card.with_input(Input(name, "string", mode))
    return card


def outside_of(session: Session, name: str) -> Outside | None:
    """What lies outside the tile of the images behind a card; None where they differ or there are none."""
    modes = set()
    for card in images_behind(session.network, name):
        tabs = session.library.definition(card).inputs
        modes |= {shown_value(card, tabs[mode]) for mode in ("uaddressmode", "vaddressmode")}
    words = {mode: word for word, mode in OUTSIDE.items()}
    return words.get(str(modes.pop())) if len(modes) == 1 else None  # type: ignore[return-value]


@act("cards.outside", "Outside the tile", command="cards outside")
def set_outside(session: Session, name: str, outside: Outside) -> None:
    """Sets what lies outside the tile: repeats, mirrored ones, the border held, or nothing: once only."""
    if outside not in OUTSIDE:
        raise CollageError(f"There is no “{outside}”.", about=name, remedy=f"Choose one of {', '.join(OUTSIDE)}.")
    if not images_behind(session.network, name):
        raise CollageError(f"No image takes its coordinates from “{name}”.", about=name)
    session.edit(
        f"{outside.capitalize()} outside the tile", lambda network: _with_modes(network, name, OUTSIDE[outside])
    )
