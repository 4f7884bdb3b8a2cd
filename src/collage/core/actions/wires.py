"""What is done to wires; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.model import Card, Network, Wire
from collage.core.document.types import CHANNELS
from collage.core.nodes.wiring import fits, go_way, join, output_type


def _named(session: Session, verb: str, names: Sequence[str]) -> str:
    return f"{verb} {session.title(names[0])}" if len(names) == 1 else f"{verb} {len(names)} cards"


@act("cards.take_out", "Take out of the chain", keys="Ctrl+T", command="cards take-out")
def take_out(session: Session, names: Iterable[str]) -> None:
    """Pulls cards out of their chains; their neighbours join."""
    names = [name for name in names if name in session.network.cards]
    if names:
        main = session.main_inputs(names)
        label = _named(session, "Take out", names)
        session.edit(label, lambda network: edits.take_out(network, names, main))


def swap_pairs(session: Session, name: str) -> list[tuple[str, str]]:
    """Pairs of a card's inputs that can be exchanged: those of one type, the usual pair first."""
    definition = session.definition(name)
    if definition is None:
        return []
    tabs = [tab for tab in definition.inputs.values() if tab.type in CHANNELS and not tab.uniform]
    pairs = [(a.name, b.name) for k, a in enumerate(tabs) for b in tabs[k + 1 :] if a.type == b.type]
    usual = [("fg", "bg"), ("in1", "in2"), ("valuel", "valuer"), ("valuet", "valueb"), ("color1", "color2")]
    return sorted(pairs, key=lambda pair: usual.index(pair) if pair in usual else 9)


@act("cards.swap", "Swap inputs", keys="Ctrl+I", command="cards swap")
def swap(session: Session, name: str, first: str, second: str) -> None:
    """Exchanges two inputs of a card."""
    session.edit(
        f"Swap inputs of {session.title(name)}", lambda network: edits.swap_inputs(network, name, first, second)
    )


@act("cards.cut", "Cut wires", keys="Ctrl+Shift+X", command="cards cut")
def cut(session: Session, ends: Sequence[tuple[str, str]]) -> None:
    """Cuts the wires at some inputs; an end without a card is a channel's, or an output's of the open group."""

    def change(network: Network) -> Network:
        inner = [(card, name) for card, name in ends if card]
        outer = [name for card, name in ends if not card]
        if session.path:
            for name in outer:
                network = replace(network, outputs={**network.outputs, name: replace(network.outputs[name], wire=None)})
        inner += [(card.name, name) for name in outer if (card := session.channel_card(name)) is not None]
        return edits.cut_wires(network, inner)

    if ends:
        session.edit("Cut a wire" if len(ends) == 1 else f"Cut {len(ends)} wires", change)


@act("cards.wire_several", "Wire to…", keys="Ctrl+L", command="cards wire")
def wire_several(session: Session, sources: Sequence[Wire], target: str, first: str = "") -> bool:
    """Wires several outputs to a card, one after the other to the inputs that fit, from `first` on."""
    card = session.network.cards[target]
    definition = session.definition(target)
    tabs = (
        [(tab.name, tab.type) for tab in definition.inputs.values() if tab.type in CHANNELS and not tab.uniform]
        if definition is not None
        else [(one.name, one.type) for one in card.inputs.values() if one.type in CHANNELS]
    )
    names = [name for name, _ in tabs]
    start = names.index(first) if first in names else 0
    free = [(name, kind) for name, kind in tabs[start:] if name == first or not _wired(card, name)]

    def change(network: Network) -> Network:
        left = list(free)
        for source in sources:
            kind = output_type(session.library, network, source)
            fitting = next((one for one in left if fits(session.library, kind, one[1])), None)
            if fitting is None:
                raise CollageError(
                    f"“{session.title(target)}” has no free input for “{session.title(source.card)}”.",
                    about=target,
                    remedy="Wire fewer cards at once.",
                )
            left.remove(fitting)
            network = join(session.library, network, source, target, *fitting)
        return network

    return session.edit(f"Wire {len(sources)} cards to {session.title(target)}", change)


def _wired(card: Card, name: str) -> bool:
    one = card.inputs.get(name)
    return one is not None and one.wire is not None


@act("cards.convert", "Change conversion…", keys="Ctrl+Shift+K", command="cards convert")
def convert_by(session: Session, card: str, name: str, way: str) -> bool:
    """The wire at an input converts another way; see wiring.ways."""
    return session.edit("Change conversion", lambda network: go_way(session.library, network, card, name, way))


@act("cards.move_wires", "Rewire to another output", command="cards move-wires")
def move_all_wires(session: Session, old: Wire, new: Wire) -> bool:
    """Everything that takes from one output takes from another."""

    def change(network: Network) -> Network:
        kind = output_type(session.library, network, new)
        if kind != output_type(session.library, network, old):
            raise CollageError("The two outputs have different types.", about=new.card, remedy="Wire them one by one.")
        for user, name, wire in network.consumers(old.card):
            if wire == old and user != new.card:
                network = edits.connect(network, new, user, name, network.cards[user].inputs[name].type)
        outputs = {key: replace(out, wire=new) if out.wire == old else out for key, out in network.outputs.items()}
        return replace(network, outputs=outputs)

    return session.edit(f"Take from {session.title(new.card)} instead", change)


@act("cards.insert", "Insert into a wire…", keys="Ctrl+Shift+I", command="cards insert")
def put_between(
    session: Session,
    name: str,
    wire: Wire,
    card: str,
    target: str,
    type_name: str,
    place: tuple[float, float] | None = None,
) -> bool:
    """Puts a card into a wire: it takes what the wire brings, and gives what the wire ended at.

    place : where on the board it comes to lie; where it is, if left out.
    """
    definition = session.definition(name)
    if definition is None or definition.main_input is None:
        session.problem.emit(
            CollageError(
                "This card has no main input to insert it by.", about=name, remedy="Wire its inputs one by one."
            )
        )
        return False
    main = definition.main_input

    def change(network: Network) -> Network:
        if place is not None:
            network = edits.move_cards(network, {name: place})
        network = join(session.library, network, wire, name, main, definition.inputs[main].type)
        return join(session.library, network, Wire(name), card, target, type_name)

    return session.edit(f"Insert {session.title(name)}", change)
