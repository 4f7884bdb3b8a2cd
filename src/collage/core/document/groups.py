"""Groups: cards bundled into one, with the inputs and outputs it shows. They are nodegraphs of the standard."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Input, Network, Output, Value, Wire, free_among

TypeOf = Callable[[Network, Wire], str]
"""The type that a wire carries."""


def _helpers(network: Network, names: set[str]) -> set[str]:
    """Conversion and link cards that lie between cards of the set."""
    found: set[str] = set()
    while True:
        all_in = names | found
        more = {
            name
            for name, card in network.cards.items()
            if name not in all_in
            and card.helper
            and (users := network.consumers(name))
            and all(one.wire.card in all_in for one in card.inputs.values() if one.wire)
            and all(user in all_in for user, _, _ in users)
        }
        if not more:
            return found
        found |= more


def bundle(network: Network, names: Iterable[str], type_of: TypeOf, title: str = "Group") -> tuple[Network, str]:
    """Puts cards into a group of their own. Returns the network and the group's name.

    Every wire from outside becomes an input of the group, one for each source; every wire to outside an output.
    Raises CollageError for nothing, or for cards between which a card stays outside that takes from and gives to
    them, since wires would then run in a circle.
    """
    chosen = set(names) & network.cards.keys()
    if not chosen:
        raise CollageError("Nothing is selected.", remedy="Select the cards to group.")
    chosen |= _helpers(network, chosen)
    _refuse_circles(network, chosen)
    inputs: dict[str, Input] = {}
    sources: dict[Wire | str, str] = {}
    cards: dict[str, Card] = {}

    def free(wanted: str, taken: Iterable[str]) -> str:
        return free_among(wanted, {*taken, *chosen})

    def inner(one: Input) -> Input:
        if one.wire is not None and one.wire.card not in chosen:
            key: Wire | str = one.wire
        elif one.interface is not None:
            key = one.interface
        else:
            return one
        if key not in sources:
            name = free(one.name, inputs)
            sources[key] = name
            inputs[name] = Input(name, one.type, None, one.wire, one.interface)
        return replace(one, wire=None, interface=sources[key])

    for name in network.cards:
        if name in chosen:
            card = network.cards[name]
            cards[name] = replace(card, inputs={key: inner(one) for key, one in card.inputs.items()})
    outputs, leaving = _outputs(network, chosen, type_of, free, inputs)
    group = network.free_name("group")
    left = min(network.cards[name].position[0] for name in chosen)
    right = max(network.cards[name].position[0] for name in chosen)
    heights = [network.cards[name].position[1] for name in chosen]
    attributes = {
        "xpos": f"{(left + right) / 2:.4f}",
        "ypos": f"{sum(heights) / len(heights):.4f}",
        "uiname": title,
    }
    card = Card(group, "nodegraph", "multioutput", inputs, attributes, Network(cards, {}, outputs))

    def outer(wire: Wire | None) -> Wire | None:
        return Wire(group, leaving[wire]) if wire in leaving else wire

    rest = network.without_cards(chosen)
    moved = {
        name: replace(one, inputs={key: replace(i, wire=outer(i.wire)) for key, i in one.inputs.items()})
        if any(i.wire in leaving for i in one.inputs.values())
        else one
        for name, one in rest.cards.items()
    }
    out = {key: replace(o, wire=outer(o.wire)) for key, o in network.outputs.items()}
    return replace(rest, cards={**moved, group: card}, outputs=out), group


def _refuse_circles(network: Network, chosen: set[str]) -> None:
    behind: set[str] = set()
    waiting = [user for name in chosen for user, _, _ in network.consumers(name) if user not in chosen]
    while waiting:
        name = waiting.pop()
        if name not in behind:
            behind.add(name)
            waiting += [user for user, _, _ in network.consumers(name)]
    if behind & chosen:
        between = next(name for name in behind - chosen if network.upstream(name) & chosen)
        raise CollageError(
            f"“{between}” takes from these cards and gives to them again.",
            about=between,
            remedy="Select it too.",
        )


def _outputs(
    network: Network,
    chosen: set[str],
    type_of: TypeOf,
    free: Callable[[str, Iterable[str]], str],
    inputs: dict[str, Input],
) -> tuple[dict[str, Output], dict[Wire | None, str]]:
    outputs: dict[str, Output] = {}
    leaving: dict[Wire | None, str] = {}
    used = [(wire, user) for user, _, wire in network.wires()]
    used += [(out.wire, "") for out in network.outputs.values() if out.wire is not None]
    for wire, user in used:
        if wire.card in chosen and user not in chosen and wire not in leaving:
            name = free(wire.output or "out", [*outputs, *inputs])
            leaving[wire] = name
            outputs[name] = Output(name, type_of(network, wire), wire)
    if not outputs:  # what nothing takes from yet: the last card's own output
        last = [name for name in network.cards if name in chosen and not network.consumers(name)][-1]
        name = free("out", inputs)
        outputs[name] = Output(name, type_of(network, Wire(last)), Wire(last))
    return outputs, leaving


def unbundle(network: Network, name: str) -> tuple[Network, list[str]]:
    """Puts a group's cards back on the board in its place. Returns the network and their names there.

    Raises CollageError for a card that is no group.
    """
    group = network.cards.get(name)
    if group is None or group.network is None:
        raise CollageError("Only a group can be ungrouped.", about=name, remedy="Select a group.")
    within = group.network
    names: dict[str, str] = {}
    taken = set(network.cards) - {name}
    for one in within.cards:
        names[one] = free_among(one, taken, "_")
        taken.add(names[one])
    x, y = group.position
    places = [card.position for card in within.cards.values()]
    middle = (
        (min(p[0] for p in places) + max(p[0] for p in places)) / 2 if places else 0.0,
        (min(p[1] for p in places) + max(p[1] for p in places)) / 2 if places else 0.0,
    )

    def outer(one: Input) -> Input:
        if one.wire is not None:
            return replace(one, wire=replace(one.wire, card=names.get(one.wire.card, one.wire.card)))
        if one.interface is not None:
            given = group.inputs.get(one.interface)
            if given is None:
                return replace(one, interface=None)
            value = given.value if given.value is not None else one.value
            return replace(one, wire=given.wire, interface=given.interface, value=value)
        return one

    cards: dict[str, Card] = {}
    for old, card in within.cards.items():
        px, py = card.position
        attributes = {
            **card.attributes,
            "xpos": f"{x + px - middle[0]:.4f}",
            "ypos": f"{y + py - middle[1]:.4f}",
        }
        inputs = {key: outer(one) for key, one in card.inputs.items()}
        cards[names[old]] = replace(card, name=names[old], inputs=inputs, attributes=attributes)

    def source(wire: Wire | None) -> tuple[Wire | None, Value | None, str | None]:
        """What lies behind an output of the group, seen from outside."""
        if wire is None or wire.card != name:
            return wire, None, None
        out = within.outputs.get(wire.output) or next(iter(within.outputs.values()), None)
        if out is None:
            return None, None, None
        if out.wire is not None:
            return replace(out.wire, card=names.get(out.wire.card, out.wire.card)), None, None
        given = group.inputs.get(out.interface or "")
        return (given.wire, given.value, given.interface) if given is not None else (None, None, None)

    def follow(one: Input) -> Input:
        if one.wire is None or one.wire.card != name:
            return one
        wire, value, interface = source(one.wire)
        return replace(one, wire=wire, interface=interface, value=value if value is not None else one.value)

    rest = network.without_cards({name})
    moved = {
        key: replace(card, inputs={k: follow(i) for k, i in card.inputs.items()}) for key, card in rest.cards.items()
    }
    outputs = {key: replace(out, wire=source(out.wire)[0]) for key, out in network.outputs.items()}
    return replace(rest, cards={**moved, **cards}, outputs=outputs), list(cards)


def show_input(group: Card, card: str, name: str, type_name: str, value: Value | None, label: str = "") -> Card:
    """Shows an input of a card inside on the group. value : what it has, or its default."""
    within = _inside(group)
    one = within.cards[card].inputs.get(name) or Input(name, type_name)
    if one.interface is not None or one.wire is not None:
        raise CollageError("It is already wired or linked.", about=card, remedy="Cut its wire first.")
    fresh = free_among(name, {*group.inputs, *within.cards, *within.outputs})
    own = one.value if one.value is not None else value
    attributes = {key: text for key, text in one.attributes.items() if key == "colorspace"}
    if label:
        attributes["uiname"] = label
    inner = within.with_card(within.cards[card].with_input(replace(one, interface=fresh)))
    return replace(group, network=inner).with_input(Input(fresh, type_name, own, None, None, attributes))


def hide_input(group: Card, name: str) -> Card:
    """Hides an input of the group; inside it keeps the value it had. A wire to it is cut."""
    within, given = _inside(group), group.inputs.get(name)

    def back(one: Input) -> Input:
        if one.interface != name:
            return one
        return replace(one, interface=None, value=given.value if given is not None else one.value)

    cards = {
        key: replace(card, inputs={k: back(i) for k, i in card.inputs.items()})
        if any(i.interface == name for i in card.inputs.values())
        else card
        for key, card in within.cards.items()
    }
    return replace(group.without_input(name), network=replace(within, cards=cards))


def order_inputs(group: Card, names: Sequence[str]) -> Card:
    """The group with its inputs in this order; those not named follow as they were."""
    rest = [name for name in group.inputs if name not in names]
    return replace(group, inputs={name: group.inputs[name] for name in (*names, *rest) if name in group.inputs})


def name_input(group: Card, name: str, label: str) -> Card:
    """Gives an input of the group a label of its own; an empty one takes it away."""
    one = group.inputs[name]
    attributes = {key: text for key, text in one.attributes.items() if key != "uiname"}
    if label:
        attributes["uiname"] = label
    return group.with_input(replace(one, attributes=attributes))


def add_output(group: Card, card: str, output: str, type_name: str) -> Card:
    """Puts out one more result of a card inside."""
    within = _inside(group)
    if any(out.wire == Wire(card, output) for out in within.outputs.values()):
        raise CollageError("It is a group output already.", about=card)
    fresh = free_among(output or card, {*within.outputs, *group.inputs, *within.cards}, "_")
    outputs = {**within.outputs, fresh: Output(fresh, type_name, Wire(card, output))}
    return replace(group, network=replace(within, outputs=outputs))


def _inside(group: Card) -> Network:
    if group.network is None:
        raise CollageError("This is not a group.", about=group.name, remedy="Select a group.")
    return group.network
