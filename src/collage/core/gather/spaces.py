"""What the numbers of an image card's file mean: by where they go, and by what the picture looks like."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Input, Network
from collage.core.gather.looks import LEANS, look_of
from collage.core.images.colour import is_linear
from collage.core.images.files import ImageInfo, read_info, read_top
from collage.core.images.tiles import is_pattern

SRGB, LINEAR, DATA = "srgb_texture", "lin_rec709", "raw"
COLOURS = ("color3", "color4")
LOOKED_AT = 64  # rows of a picture that tell a normal map
NORMAL_LIKE = 0.9  # share of unit vectors above which a picture is one
CHANNEL_WORDS = {1: "grey", 2: "grey and alpha", 3: "RGB", 4: "RGBA"}


@dataclass(frozen=True)
class ImageNote:
    """What is shown of an image card's file.

    text : size, depth and channels. space : its colour space. wanted : the one that fits where it goes. doubt : what
    speaks against `space`, a sentence; empty where nothing does.
    """

    text: str
    space: str
    wanted: str
    doubt: str = ""


def channels_fed(network: Network, name: str) -> set[str]:
    """The inputs of surfaces, and outputs of the network, that a card leads to."""
    found, seen, waiting = set(), set(), [name]
    while waiting:
        here = waiting.pop()
        if here in seen:
            continue
        seen.add(here)
        found |= {key for key, out in network.outputs.items() if out.wire is not None and out.wire.card == here}
        for consumer, key, _ in network.consumers(here):
            if network.cards[consumer].type == "surfaceshader":
                found.add(key)
            else:
                waiting.append(consumer)
    return found


def reads_colours(card: Card, name: str) -> bool:
    """Whether a file input holds colours: that of a colour image, or of a group with one inside."""
    if card.network is None:
        return card.type in COLOURS
    inside = card.network.cards.values()
    return any(one.type in COLOURS for one in inside for key in one.inputs.values() if key.interface == name)


def wanted_space(network: Network, card: Card, name: str, info: ImageInfo, path: Path) -> str:
    """The colour space that a file should have at a card's input: DATA, LINEAR or SRGB. Raises CollageError."""
    if not reads_colours(card, name):
        return DATA
    fed = channels_fed(network, card.name)
    if fed and not any("color" in key or key in ("emission", "surface") for key in fed):
        return DATA
    if info.floating:
        return LINEAR
    if not fed and info.channels >= 3 and look_of(read_top(path, LOOKED_AT)).normal_like > NORMAL_LIKE:
        return DATA
    return SRGB


def with_file(network: Network, card: str, one: Input, path: Path) -> Input:
    """A card's file with the colour space that fits; as it is where the file cannot be read."""
    try:
        space = wanted_space(network, network.cards[card], one.name, read_info(path), path)
    except CollageError:
        return one
    return with_space(one, space if space == SRGB else LINEAR)


def with_space(one: Input, space: str) -> Input:
    """A file input with a colour space; linear numbers need no word."""
    rest = {key: text for key, text in one.attributes.items() if key != "colorspace"}
    return replace(one, attributes=rest if space == LINEAR else {**rest, "colorspace": space})


def doubts_of(network: Network, found: Callable[[str], Path]) -> dict[str, str]:
    """By card, what speaks against the colour space of its file, or against its being used as a normal map.

    found : turns what is stored into a path.
    """
    doubts = {}
    for card in network.cards.values():
        for one in card.inputs.values():
            if one.type == "filename" and isinstance(one.value, str) and one.value and not is_pattern(one.value):
                note = note_of(network, card, one, found(one.value))
                doubt = note.doubt if note is not None else ""
                doubt = doubt or (against_normal_map(found(one.value)) if feeds_normal_map(network, card.name) else "")
                if doubt:
                    doubts[card.name] = doubt
    return doubts


NO_NORMAL_MAP = "Does not look like a normal map"
"""How a doubt begins that is not about the colour space."""
_PASSES = {"clg_normal_format", "clg_blend_normals", "convert"}  # what comes out of these is still a normal map
PLAUSIBLE = 0.6  # share of unit vectors below which a picture is none


def feeds_normal_map(network: Network, name: str) -> bool:
    """Whether what a card puts out is taken for a normal map."""
    seen, waiting = set[str](), [name]
    while waiting:
        here = waiting.pop()
        for consumer, key, _ in network.consumers(here):
            category = network.cards[consumer].category
            if category == "normalmap" and key == "in":
                return True
            if category in _PASSES and consumer not in seen:
                seen.add(consumer)
                waiting.append(consumer)
    return False


def against_normal_map(path: Path) -> str:
    """Why an image is no normal map in tangent space, a sentence; empty where it may be one, or cannot be read."""
    try:
        found = path.stat()
    except OSError:
        return ""
    return _against_normal_map(path, found.st_mtime_ns, found.st_size)


@lru_cache(maxsize=256)
def _against_normal_map(path: Path, _changed: int, _size: int) -> str:
    """Looked at once for each state of a file: a board asks with every change."""
    try:
        look = look_of(read_top(path, LOOKED_AT))
    except CollageError:
        return ""
    if not look.tells:
        return ""
    if look.channels < 3 or look.grey:
        return f"{NO_NORMAL_MAP}: it is grey. Use a Bump card for a height."
    if look.lean >= LEANS:
        return f"{NO_NORMAL_MAP}: its directions lean to one side. Is it in object space?"
    good = float(look.unit_vectors.mean())
    if good < PLAUSIBLE:
        return f"{NO_NORMAL_MAP}: only {good:.0%} of it are directions of length 1."
    return ""


def note_of(network: Network, card: Card, one: Input, path: Path) -> ImageNote | None:
    """What is to be known of a card's file; None where it cannot be read."""
    try:
        info = read_info(path)
        wanted = wanted_space(network, card, one.name, info, path)
    except CollageError:
        return None
    depth = f"{info.bits} bit float" if info.floating else f"{info.bits} bit"
    text = f"{info.width} × {info.height} · {depth} · {CHANNEL_WORDS.get(info.channels, f'{info.channels} channels')}"
    if not reads_colours(card, one.name):
        return ImageNote(text, DATA, DATA)
    space = one.attributes.get("colorspace", "") or LINEAR
    if space in ("none", DATA):
        space = DATA
    doubt = ""
    if is_linear(space) and wanted == SRGB:
        doubt = "Read as linear; a photograph or painted map for a colour is sRGB, and looks washed out so."
    elif not is_linear(space) and wanted == DATA:
        doubt = "Read as a colour; it goes where data is wanted, or looks like a normal map."
    elif not is_linear(space) and wanted == LINEAR:
        doubt = "Read as sRGB; a file of floating-point numbers is linear as a rule."
    return ImageNote(text, space, wanted, doubt)
