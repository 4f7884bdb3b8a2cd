"""Edits as pure functions: a network in, a network out. The history runs them and can take them back."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import replace

from collage.core.base.errors import CollageError
from collage.core.document.model import CONVERT, MUTE, SKIP, Card, Input, Network, Output, Value, Wire


def add_card(network: Network, card: Card) -> Network:
    """Puts a card in. Its name must be free (see Network.free_name)."""
    _check_free(network, card.name)
    return network.with_card(card)


def _check_free(network: Network, name: str) -> None:
    """Raises CollageError for a name that a card bears, or an input of the group around."""
    if name in network.cards:
        raise CollageError(f"There is already a card named “{name}”.", about=name)
    if name in network.taken:
        raise CollageError(f"The group has an input named “{name}”.", about=name, remedy="Choose another name.")


def _card(network: Network, name: str) -> Card:
    try:
        return network.cards[name]
    except KeyError:
        raise CollageError(f"There is no card named “{name}” any more.", about=name) from None


def set_input(network: Network, card: str, new: Input | None, name: str = "") -> Network:
    """Gives an input a value, a wire or attributes; None brings back the default of `name`."""
    old = _card(network, card)
    return network.with_card(old.with_input(new) if new is not None else old.without_input(name))


def set_value(network: Network, card: str, name: str, type_name: str, value: Value) -> Network:
    """Gives an input a value; a wire that was there is taken away. Raises CollageError for infinite and broken ones."""
    check_finite(value)
    old = _card(network, card).inputs.get(name)
    attributes = old.attributes if old else {}
    return set_input(network, card, Input(name, type_name, value, None, None, attributes))


def check_finite(value: Value) -> None:
    """Raises CollageError for a value that is, or holds, no number to reckon with."""
    parts = value if isinstance(value, tuple) else (value,)
    if any(isinstance(one, float) and not math.isfinite(one) for one in parts):
        raise CollageError("Infinite values and NaN cannot be used.", remedy="Type a plain number.")


def connect(network: Network, source: Wire, card: str, name: str, type_name: str) -> Network:
    """Wires an output of a card to an input of another. Types must be the same (see wiring.join).

    Raises CollageError where the wire would close a loop.
    """
    _card(network, source.card)
    if card in network.upstream(source.card):
        raise CollageError(
            f"“{source.card}” already takes from “{card}”, so this wire would run in a circle.",
            about=card,
            remedy="Take the value from a card further left.",
        )
    old = _card(network, card).inputs.get(name)
    attributes = old.attributes if old else {}
    value = old.value if old else None
    return set_input(network, card, Input(name, type_name, value, source, None, attributes))


def disconnect(network: Network, card: str, name: str) -> Network:
    """Takes a wire away; the value the input had before comes back. Idle conversion cards go too."""
    old = _card(network, card).inputs.get(name)
    if old is None or old.wire is None:
        return network
    if old.value is None and not old.attributes:
        without = set_input(network, card, None, name)
    else:
        without = set_input(network, card, replace(old, wire=None))
    return _without_idle_conversions(without)


def _without_idle_conversions(network: Network) -> Network:
    while True:
        used = {wire.card for _, _, wire in network.wires()}
        used |= {out.wire.card for out in network.outputs.values() if out.wire}
        idle = {
            name for name, card in network.cards.items() if card.attributes.get(CONVERT) == "true" and name not in used
        }
        if not idle:
            return network
        network = network.without_cards(idle)


def pass_through(card: Card, main_input: str | None) -> Input | None:
    """The input that comes out unchanged when the card is skipped."""
    return card.inputs.get(main_input) if main_input else None


def remove_cards(
    network: Network, names: Iterable[str], main_inputs: Mapping[str, str | None] | None = None
) -> Network:
    """Takes cards out. Where a card's main input was wired, the wires behind it are joined to that.

    main_inputs : for each card the name of the input that passes through it, if any.
    """
    main_inputs = main_inputs or {}
    for name in names:
        through = pass_through(_card(network, name), main_inputs.get(name))
        network = led_past(network, name, through.wire if through is not None else None).without_cards({name})
    return _without_idle_conversions(network)


def led_past(network: Network, name: str, source: Wire | None) -> Network:
    """What takes from a card takes from `source` instead, or from nothing."""
    for consumer, input_name, _wire in network.consumers(name):
        if source is not None and source.card != consumer:
            one = network.cards[consumer].inputs[input_name]
            network = set_input(network, consumer, replace(one, wire=source))
        else:
            network = disconnect(network, consumer, input_name)
    outputs = {
        key: replace(out, wire=source) if out.wire and out.wire.card == name else out
        for key, out in network.outputs.items()
    }
    return replace(network, outputs=outputs)


def rename_card(network: Network, old: str, new: str) -> Network:
    """Gives a card another name; every wire follows."""
    card = _card(network, old)
    if new == old:
        return network
    _check_free(network, new)

    def follow(one: Input) -> Input:
        return replace(one, wire=replace(one.wire, card=new)) if one.wire and one.wire.card == old else one

    def follow_out(out: Output) -> Output:
        return replace(out, wire=replace(out.wire, card=new)) if out.wire and out.wire.card == old else out

    cards = {}
    for name, one in network.cards.items():
        kept = replace(card, name=new) if name == old else one
        cards[kept.name] = replace(kept, inputs={key: follow(i) for key, i in kept.inputs.items()})
    return replace(network, cards=cards, outputs={key: follow_out(o) for key, o in network.outputs.items()})


def set_attribute(network: Network, card: str, name: str, value: str | None) -> Network:
    """The network with an attribute of a card set; None removes it."""
    return network.with_card(_card(network, card).with_attribute(name, value))


def move_cards(network: Network, places: Mapping[str, tuple[float, float]]) -> Network:
    """Puts cards at places on the board, in the standard's units."""
    for name, (x, y) in places.items():
        card = _card(network, name)
        network = network.with_card(card.with_attribute("xpos", f"{x:.4f}").with_attribute("ypos", f"{y:.4f}"))
    return network


def mute(network: Network, card: str, name: str, type_name: str, muted: bool) -> Network:
    """Lets a surface's input show its default without losing what it has."""
    old = _card(network, card).inputs.get(name) or Input(name, type_name)
    attributes = {key: text for key, text in old.attributes.items() if key != MUTE}
    if muted:
        attributes[MUTE] = "true"
    new = replace(old, attributes=attributes)
    empty = new.value is None and new.wire is None and not attributes
    return set_input(network, card, None if empty else new, name)


def skip_cards(network: Network, names: Iterable[str], skipped: bool) -> Network:
    """The network with cards skipped, or not: a skipped card passes its main input on."""
    for name in names:
        network = set_attribute(network, name, SKIP, "true" if skipped else None)
    return network


def duplicate_cards(
    network: Network, names: Iterable[str], shift: tuple[float, float]
) -> tuple[Network, dict[str, str]]:
    """Copies cards, wires between them included; wires from outside are kept. Returns old to new names."""
    names = list(names)
    new_names: dict[str, str] = {}
    for name in names:
        new_names[name] = network.free_name(name)
        network = network.with_card(replace(_card(network, name), name=new_names[name]))
    for new_name in new_names.values():
        card = network.cards[new_name]
        inputs = {
            key: replace(one, wire=replace(one.wire, card=new_names[one.wire.card]))
            if one.wire and one.wire.card in new_names
            else one
            for key, one in card.inputs.items()
        }
        x, y = card.position
        card = replace(card, inputs=inputs)
        network = move_cards(network.with_card(card), {new_name: (x + shift[0], y + shift[1])})
    return network, new_names


def connect_output(network: Network, source: Wire, name: str) -> Network:
    """Wires a card to an output of the group whose inside `network` is."""
    _card(network, source.card)
    out = network.outputs[name]
    return replace(network, outputs={**network.outputs, name: replace(out, wire=source, interface=None)})


def take_out(network: Network, names: Iterable[str], main_inputs: Mapping[str, str | None]) -> Network:
    """Pulls cards out of their chains without removing them: what they took from goes on to what took from them.

    main_inputs : for each card the name of the input that passes through it, if any.
    """
    for name in names:
        through = pass_through(_card(network, name), main_inputs.get(name))
        source = through.wire if through is not None else None
        network = led_past(network, name, source)
        if through is not None and source is not None:
            network = disconnect(network, name, through.name)
    return _without_idle_conversions(network)


def swap_inputs(network: Network, card: str, first: str, second: str) -> Network:
    """Exchanges what two inputs of one type have: their values and wires."""
    inputs = _card(network, card).inputs
    a, b = inputs.get(first), inputs.get(second)
    if a is not None and b is not None and a.type != b.type:
        raise CollageError(f"“{first}” and “{second}” are not of one kind.", about=card)
    changed = _card(network, card)
    for name, other in ((first, b), (second, a)):
        changed = changed.with_input(replace(other, name=name)) if other is not None else changed.without_input(name)
    return network.with_card(changed)


def cut_wires(network: Network, ends: Iterable[tuple[str, str]]) -> Network:
    """Takes away the wires at some inputs, each a card and an input of it."""
    for card, name in ends:
        if card in network.cards:
            network = disconnect(network, card, name)
    return network
