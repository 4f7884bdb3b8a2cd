"""Stacks: many layers in one card, each with a blend mode, an opacity and a mask.

A stack is a group of standard cards. What its layers are is read back from the group, so that a stack from a file
can be changed like a new one: layer k has the inputs `layer_k`, `opacity_k` and `mask_k`, and the cards
`blend_k` (the mode) and, for modes that know no amount, `over_k`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from collage.core.base.errors import CollageError
from collage.core.document.model import STACK, Card, Input, Network, Output, Wire

MODES = {
    "mix": "Normal",
    "multiply": "Multiply",
    "screen": "Screen",
    "overlay": "Overlay",
    "plus": "Add",
    "minus": "Subtract",
    "difference": "Difference",
    "dodge": "Dodge",
    "burn": "Burn",
    "min": "Darken",
    "max": "Lighten",
}
"""Blend modes: the standard's categories, and their labels."""

_WITHOUT_AMOUNT = {"multiply", "min", "max"}
KINDS = ("color3", "float")


def _number(name: str, value: float) -> Input:
    return Input(name, "float", value)


@dataclass(frozen=True)
class Layer:
    """One layer. source : its colour or number, as a value or a wire; opacity, mask : how much of it counts."""

    title: str
    source: Input
    mode: str = "mix"
    opacity: Input = field(default_factory=lambda: _number("opacity", 1.0))
    mask: Input = field(default_factory=lambda: _number("mask", 1.0))
    on: bool = True


def is_stack(card: Card) -> bool:
    """Whether a card is a stack of layers."""
    return card.network is not None and card.attributes.get(STACK, "") in KINDS


def kind_of(card: Card) -> str:
    """The type of a stack's layers. Raises CollageError for another card."""
    if not is_stack(card):
        raise CollageError("This is no stack.", about=card.name, remedy="Choose a stack.")
    return card.attributes[STACK]


def layers(card: Card) -> list[Layer]:
    """A stack's layers, the lowest first."""
    kind, found = kind_of(card), []
    assert card.network is not None
    number = 1
    while f"layer_{number}" in card.inputs:
        source = card.inputs[f"layer_{number}"]
        blend = card.network.cards.get(f"blend_{number}")
        found.append(
            Layer(
                source.attributes.get("uiname", f"Layer {number}"),
                source,
                blend.category if blend is not None and blend.category in MODES else "mix",
                card.inputs.get(f"opacity_{number}", _number("opacity", 1.0)),
                card.inputs.get(f"mask_{number}", _number("mask", 1.0)),
                source.attributes.get("clg_off") != "true",
            )
        )
        number += 1
    if not found:
        raise CollageError("The stack has no layers.", about=card.name, remedy=f"Add a {kind} layer.")
    return found


def with_layers(card: Card, new: Sequence[Layer]) -> Card:
    """The stack with these layers, the lowest first; the rest of the card stays."""
    kind = kind_of(card)
    if not new:
        raise CollageError("A stack needs a layer.", about=card.name, remedy="Remove the stack instead.")
    inputs: dict[str, Input] = {}
    cards: dict[str, Card] = {}
    below: Wire | None = None
    for number, layer in enumerate(new, 1):
        names = {what: f"{what}_{number}" for what in ("layer", "opacity", "mask")}
        kept = {key: text for key, text in layer.source.attributes.items() if key not in ("uiname", "clg_off")}
        attributes = {**kept, "uiname": layer.title} | ({} if layer.on else {"clg_off": "true"})
        inputs[names["layer"]] = replace(layer.source, name=names["layer"], type=kind, attributes=attributes)
        for what, one in (("opacity", layer.opacity), ("mask", layer.mask)):
            shown = {**one.attributes, "uiname": f"{layer.title}, {what}", "uimin": "0", "uimax": "1"}
            inputs[names[what]] = replace(one, name=names[what], attributes=shown)
        below = _over(cards, number, kind, layer, names, below)
    out = Output("out", kind, below)
    return replace(card, inputs=inputs, network=Network(cards, {}, {"out": out}))


def _over(
    cards: dict[str, Card], number: int, kind: str, layer: Layer, names: dict[str, str], below: Wire | None
) -> Wire:
    """Puts in the cards that lay one layer over what is below; returns what comes out."""

    def card(name: str, category: str, type_name: str, **inputs: Input) -> Wire:
        place = {"xpos": f"{1.2 * number:.4f}", "ypos": f"{len(cards) % 3:.4f}"}
        cards[name] = Card(name, category, type_name, {one.name: one for one in inputs.values()}, place)
        return Wire(name)

    def shown(name: str, type_name: str, what: str) -> Input:
        return Input(name, type_name, None, None, names[what])

    def wired(name: str, type_name: str, wire: Wire) -> Input:
        return Input(name, type_name, None, wire)

    if below is None:
        nothing: float | tuple[float, ...] = 0.0 if kind == "float" else (0.0, 0.0, 0.0)
        below = card("ground", "constant", kind, value=Input("value", kind, nothing))
    # a pattern that leaves 0 to 1 would show what lies beyond both colours
    mask = card(f"limited_{number}", "clamp", "float", a=shown("in", "float", "mask"))
    amount = card(
        f"amount_{number}", "multiply", "float",
        a=shown("in1", "float", "opacity"), b=wired("in2", "float", mask),
    )  # fmt: skip
    if not layer.on:
        amount = card(f"off_{number}", "multiply", "float", a=wired("in1", "float", amount), b=_number("in2", 0.0))
    if layer.mode in _WITHOUT_AMOUNT:
        top = card(f"blend_{number}", layer.mode, kind, a=shown("in1", kind, "layer"), b=wired("in2", kind, below))
        return card(
            f"over_{number}", "mix", kind,
            a=wired("fg", kind, top), b=wired("bg", kind, below), c=wired("mix", "float", amount),
        )  # fmt: skip
    return card(
        f"blend_{number}", layer.mode, kind,
        a=shown("fg", kind, "layer"), b=wired("bg", kind, below), c=wired("mix", "float", amount),
    )  # fmt: skip


def new_stack(name: str, kind: str = "color3") -> Card:
    """A stack with one layer."""
    value: float | tuple[float, ...] = 0.5 if kind == "float" else (0.5, 0.5, 0.5)
    card = Card(name, "nodegraph", "multioutput", {}, {STACK: kind, "uiname": "Stack"}, Network())
    return with_layers(card, [Layer("Ground", Input("layer", kind, value))])


def fresh_title(card: Card) -> str:
    """A title for one more layer."""
    taken = {layer.title for layer in layers(card)}
    number = len(taken) + 1
    while f"Layer {number}" in taken:
        number += 1
    return f"Layer {number}"
