"""What is done with masks and effects: inputs of the surface that follow a mask; each act is one step."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np

from collage.core.actions.objects import object_of
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.document.model import Network, Value, Wire
from collage.core.gather.spaces import with_file
from collage.core.images.alpha import make_label_file
from collage.core.images.files import read_info
from collage.core.nodes.effects import EFFECT, EFFECTS, effects_of, with_effect, without_effect
from collage.core.nodes.masked import broken, masked_inputs, with_maps, with_mask, without_mask
from collage.core.nodes.paper_label import frame_at, with_label
from collage.core.scene.relief import tile_metres

USUAL_SQUARE = 0.5  # metres that the UV square is wide, where nobody wears the material


def below(network: Network) -> tuple[float, float]:
    """A place on the board below all cards."""
    rows = [card.position[1] for card in network.cards.values() if card.placed]
    return 0.0, max(rows, default=-1.0) + 1.4


@act("effects.add", "Add effect", command="cards effect")
def add_effect(session: Session, effect: str, material: str = "", place: tuple[float, float] | None = None) -> str:
    """Puts an effect over a material, over all that it has. Returns the name of its card.

    material : the one in hand if left out. Raises CollageError for an effect that there is not.
    """
    if effect not in EFFECTS:
        raise CollageError(f"There is no effect “{effect}”.", remedy=f"Choose one of {', '.join(EFFECTS)}.")
    if material and material != session.material:
        session.show_material(material)
    session.open_group(())
    metres = tile_metres(session.bench, session.material) or USUAL_SQUARE
    made: list[str] = []

    def change(network: Network) -> Network:
        after, name = with_effect(session.library, network, EFFECTS[effect], place or below(network), metres)
        made.append(name)
        return after

    if session.edit(EFFECTS[effect].title, change):
        session.select(made)
    return made[0] if made else ""


@act("labels.add", "Add label", command="cards label")
def add_label(
    session: Session, file: Path, object_name: str, centre: Sequence[float], facing: Sequence[float],
    width: float = 0.0, *, uv_set: str = "", premultiplied: bool | None = None, made: Path | None = None,
) -> str:  # fmt: skip
    """Puts a picture with transparency on an object, once, over its material. Returns the name of its card.

    centre, facing : a place on its surface and where that looks, world space. width : metres; 0 for a third of the
    object. uv_set : instead of all that, one whose tile it fills. premultiplied : whether its colours are multiplied
    by alpha; None to find out. made : the file that was made of it, where that is done; see `label_file`. Raises
    CollageError.
    """
    item = object_of(session.bench, object_name)
    info = read_info(file)
    low, high = item.mesh().bounds
    wide = width or float(np.median(high - low)) / 3
    own = (np.asarray(centre, float) - np.array(item.place)) @ item.matrix().T
    if uv_set and uv_set not in item.mesh().uv:
        raise CollageError(f"It has no UV set “{uv_set}”.", about=object_name, remedy="See “collage uv list”.")
    frame = uv_set or frame_at(own, np.asarray(facing, float) @ item.matrix().T, wide, wide * info.height / info.width)
    target = made or finished(make_label_file(file, label_file(session, file), premultiplied))
    if item.material not in session.project.materials:
        raise CollageError("It has no material to put a label on.", about=object_name, remedy="Give it one first.")
    if item.material != session.material:
        session.show_material(item.material)
    session.open_group(())
    metres, names = tile_metres(session.bench, session.material) or USUAL_SQUARE, list[str]()

    def change(network: Network) -> Network:
        after, name = with_label(
            session.library, network, session.relative(target), frame, file.stem, below(network), metres
        )
        names.append(name)
        return after

    if session.edit(f"Label {file.stem}", change):
        session.select(names)
    return names[0] if names else ""


def label_file(session: Session, file: Path) -> Path:
    """Where the file of a label is written: among the project's maps, or beside the picture without a project."""
    return _free_file((session.folder or file.parent) / "maps" / "labels", f"{file.stem}-label")


def _free_file(folder: Path, stem: str) -> Path:
    """A file of this name that is not there yet."""
    number, path = 2, folder / f"{stem}.exr"
    while path.exists():
        path, number = folder / f"{stem}-{number}.exr", number + 1
    return path


@act("effects.remove", "Remove effect", command="cards effect")
def remove_effect(session: Session, card: str) -> None:
    """Takes an effect away again: the material is as it was before. Raises CollageError."""
    if card not in effects_of(session.network):
        raise CollageError(f"“{card}” is no effect.", about=card)
    title = session.title(card)
    session.edit(f"Remove {title}", lambda network: without_effect(network, card))


def is_effect(session: Session, card: str) -> bool:
    """Whether a card of the network on the board is an effect's."""
    return card in session.network.cards and EFFECT in session.network.cards[card].attributes


@act("masks.use", "Use as mask…", command="cards mask")
def use_mask(session: Session, mask: Wire, values: Mapping[str, Value | Path]) -> None:
    """Gives inputs of the surface other values where a mask is, or maps. mask : a float. Raises CollageError.

    values : by input of the surface; a path is a map's file, read on the first UV set.
    """
    if session.path:
        raise CollageError("A mask is used among the material's own cards.", about=mask.card,
                           remedy="Leave the group first.")  # fmt: skip
    x, y = session.network.cards[mask.card].position
    files = {channel: one for channel, one in values.items() if isinstance(one, Path)}
    for file in files.values():
        read_info(file)  # what is no picture is told before anything changes

    def change(network: Network) -> Network:
        stored = {channel: (session.relative(file), file.stem) for channel, file in files.items()}
        network, cards = with_maps(session.library, network, mask, stored, (x + 1.3, y + 0.9))
        given = {one: Wire(cards[one]) if isinstance(value, Path) else value for one, value in values.items()}
        network = with_mask(session.library, network, mask, given, (x + (2.4 if files else 1.3), y))
        for channel, name in cards.items():
            wanted = with_file(network, name, network.cards[name].inputs["file"], files[channel])
            network = network.with_card(network.cards[name].with_input(wanted))
        return network

    session.edit(f"Mask {', '.join(values)}", change)


@act("masks.break", "Break by noise", command="cards break")
def break_mask(session: Session, card: str) -> str:
    """Breaks the edge of a mask by noise, for all that it is wired to. Returns the name of the card that does."""
    x, y = session.network.cards[card].position
    names: list[str] = []

    def change(network: Network) -> Network:
        after, made = broken(network, card, (x + 0.95, y + 0.9))
        names.append(made)
        return after

    if session.edit(f"Break {session.title(card)}", change):
        session.select(names)
    return names[0] if names else ""


@act("masks.release", "Stop using as mask", command="cards mask")
def release_mask(session: Session, card: str) -> None:
    """Takes a mask off all inputs that follow it: they have what they had before."""
    session.edit(f"Release {session.title(card)}", lambda network: without_mask(network, card))


def follows_mask(session: Session, card: str) -> tuple[str, ...]:
    """The inputs of the surface that follow a mask's card."""
    return tuple(masked_inputs(session.network, card))
