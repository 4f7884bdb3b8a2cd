"""Cards written down in one line, for networks that the program builds."""

from __future__ import annotations

from collage.core.document.model import CONVERT, Card, Input, Value, Wire

Given = tuple[str, Value | Wire]
"""An input as it is written here: its type, and its value or wire."""


def card(
    name: str, category: str, type_name: str, place: tuple[float, float], /, title: str = "", **inputs: Given
) -> Card:
    """A card with inputs given as pairs of type and value or wire."""
    attributes = {"xpos": f"{place[0]:g}", "ypos": f"{place[1]:g}"}
    if title:
        attributes["uiname"] = title
    return Card(name, category, type_name, {key: given(key, *one) for key, one in inputs.items()}, attributes)


def given(name: str, kind: str, what: Value | Wire) -> Input:
    """An input with a value or a wire."""
    return Input(name, kind, None, what) if isinstance(what, Wire) else Input(name, kind, what)


def between(
    category: str,
    name: str,
    place: tuple[float, float],
    source: Wire,
    kind: str,
    type_name: str,
    **inputs: Given,
) -> Card:
    """A card that turns one type into another on a wire; the board shows it as a mark."""
    every: dict[str, Given] = {"in": (kind, source), **inputs}
    made = card(name, category, type_name, place, "", **every)
    return made.with_attribute(CONVERT, "true")
