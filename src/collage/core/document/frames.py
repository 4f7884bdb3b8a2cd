"""Frames and notes on the board: backdrops of the standard, which may hold cards and bear a title or a text."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from collage.core.document.model import Element, Network

BACKDROP = "backdrop"


@dataclass(frozen=True)
class Frame:
    """A frame around cards, or a note. Places and sizes in the standard's units, from the top left corner."""

    name: str
    title: str = ""
    text: str = ""
    x: float = 0.0
    y: float = 0.0
    width: float = 2.0
    height: float = 1.0
    holds: tuple[str, ...] = ()


def _number(element: Element, name: str, otherwise: float) -> float:
    try:
        return float(element.attributes.get(name, otherwise))
    except ValueError:
        return otherwise


def frames(network: Network) -> list[Frame]:
    """All frames and notes, in their order."""
    found = []
    for one in network.kept:
        if one.category == BACKDROP:
            held = tuple(part.strip() for part in one.attributes.get("contains", "").split(",") if part.strip())
            found.append(
                Frame(
                    one.name,
                    one.attributes.get("uiname", ""),
                    one.attributes.get("doc", "") or one.attributes.get("note", ""),
                    _number(one, "xpos", 0.0),
                    _number(one, "ypos", 0.0),
                    max(_number(one, "width", 2.0), 0.3),
                    max(_number(one, "height", 1.0), 0.2),
                    tuple(name for name in held if name in network.cards),
                )
            )
    return found


def _element(frame: Frame, before: Element | None) -> Element:
    own = {"uiname", "doc", "note", "xpos", "ypos", "width", "height", "contains"}
    attributes = {key: text for key, text in before.attributes.items() if key not in own} if before else {}
    attributes |= {
        "xpos": f"{frame.x:.4f}",
        "ypos": f"{frame.y:.4f}",
        "width": f"{frame.width:.4f}",
        "height": f"{frame.height:.4f}",
    }
    for key, text in (("uiname", frame.title), ("doc", frame.text), ("contains", ", ".join(frame.holds))):
        if text:
            attributes[key] = text
    return Element(BACKDROP, frame.name, attributes, before.children if before else ())


def with_frame(network: Network, frame: Frame) -> Network:
    """The network with this frame put in, or put in the place of the one with its name."""
    before = next((one for one in network.kept if one.category == BACKDROP and one.name == frame.name), None)
    new = _element(frame, before)
    if before is None:
        return replace(network, kept=(*network.kept, new))
    return replace(network, kept=tuple(new if one is before else one for one in network.kept))


def without_frame(network: Network, name: str) -> Network:
    """The network without a frame; its cards stay."""
    kept = tuple(one for one in network.kept if not (one.category == BACKDROP and one.name == name))
    return replace(network, kept=kept)


def around(network: Network, names: Iterable[str], title: str) -> tuple[Network, str]:
    """A frame around some cards. Returns the network and the frame's name."""
    held = tuple(name for name in names if name in network.cards)
    places = [network.cards[name].position for name in held] or [(0.0, 0.0)]
    left, top = min(x for x, _ in places) - 0.15, min(y for _, y in places) - 0.3
    right, bottom = max(x for x, _ in places) + 0.95, max(y for _, y in places) + 0.95
    name = network.free_name("frame")
    frame = Frame(name, title, "", left, top, right - left, bottom - top, held)
    return with_frame(network, frame), name
