"""What a hand does to the cards on the board beyond adding and wiring one: each act is one step of the history."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document import edits, frames, groups, links
from collage.core.document.clipboard import copied, pasted
from collage.core.document.materials import hidden_on_board, new_material
from collage.core.document.model import Card, Network, Value, Wire, inside, replaced_inside
from collage.core.document.types import CHANNELS
from collage.core.nodes import stacks
from collage.core.nodes.adding import stack_of
from collage.core.nodes.wiring import fits, go_way, join, output_type
from collage.core.project.state import Project


def _named(session: Session, verb: str, names: Sequence[str]) -> str:
    return f"{verb} {session.title(names[0])}" if len(names) == 1 else f"{verb} {len(names)} cards"


# ---- wires ------------------------------------------------------------------------------------


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


def swap(session: Session, name: str, first: str, second: str) -> None:
    session.edit(
        f"Swap inputs of {session.title(name)}", lambda network: edits.swap_inputs(network, name, first, second)
    )


def cut(session: Session, ends: Sequence[tuple[str, str]]) -> None:
    """Cuts the wires at some inputs; an end without a card is a channel's, or an output's of the open group."""
    surface = session.surface

    def change(network: Network) -> Network:
        inner = [(card, name) for card, name in ends if card]
        outer = [name for card, name in ends if not card]
        if session.path:
            for name in outer:
                network = replace(network, outputs={**network.outputs, name: replace(network.outputs[name], wire=None)})
        elif surface is not None:
            inner += [(surface.name, name) for name in outer]
        return edits.cut_wires(network, inner)

    if ends:
        session.edit("Cut a wire" if len(ends) == 1 else f"Cut {len(ends)} wires", change)


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


def convert_by(session: Session, card: str, name: str, way: str) -> bool:
    """The wire at an input converts another way; see wiring.ways."""
    return session.edit("Convert another way", lambda network: go_way(session.library, network, card, name, way))


def move_all_wires(session: Session, old: Wire, new: Wire) -> bool:
    """Everything that takes from one output takes from another."""

    def change(network: Network) -> Network:
        kind = output_type(session.library, network, new)
        if kind != output_type(session.library, network, old):
            raise CollageError("The two do not put out the same kind.", about=new.card, remedy="Wire them one by one.")
        for user, name, wire in network.consumers(old.card):
            if wire == old and user != new.card:
                network = edits.connect(network, new, user, name, network.cards[user].inputs[name].type)
        outputs = {key: replace(out, wire=new) if out.wire == old else out for key, out in network.outputs.items()}
        return replace(network, outputs=outputs)

    return session.edit(f"Take from {session.title(new.card)} instead", change)


# ---- groups, frames, copies -------------------------------------------------------------------


def bundle(session: Session) -> None:
    """Puts the chosen cards into a group."""
    made: list[str] = []

    def change(network: Network) -> Network:
        hidden = hidden_on_board(network) if not session.path else set()
        chosen = [name for name in session.selection if name not in hidden]
        after, name = groups.bundle(network, chosen, lambda net, wire: output_type(session.library, net, wire))
        made.append(name)
        return after

    if session.edit("Bundle to a group", change):
        session.select(made)


def unbundle(session: Session) -> None:
    """Puts the cards of the chosen group back on the board."""
    made: list[str] = []
    if not session.selection:
        return
    name = session.selection[0]

    def change(network: Network) -> Network:
        after, names = groups.unbundle(network, name)
        made.extend(one for one in names if not after.cards[one].helper)
        return after

    if session.edit(f"Open up {session.title(name)}", change):
        session.select(made)


def frame_chosen(session: Session) -> str:
    """A frame around the chosen cards. Returns its name."""
    made: list[str] = []

    def change(network: Network) -> Network:
        after, name = frames.around(network, session.selection, "Frame")
        made.append(name)
        return after

    if session.selection:
        session.edit("Frame the chosen cards", change)
    return made[-1] if made else ""


def add_note(session: Session, place: tuple[float, float]) -> str:
    """A note on the board. Returns its name."""
    name = session.network.free_name("note")
    note = frames.Frame(name, "", "Note", place[0], place[1], 1.4, 0.5)
    session.edit("Add a note", lambda network: frames.with_frame(network, note))
    return name


def change_frame(session: Session, label: str, frame: frames.Frame) -> None:
    session.edit(label, lambda network: frames.with_frame(network, frame))


def remove_frame(session: Session, name: str) -> None:
    session.edit("Remove a frame", lambda network: frames.without_frame(network, name))


def copy(session: Session) -> str:
    """The chosen cards as MaterialX text."""
    hidden = hidden_on_board(session.network) if not session.path else set()
    return copied(session.network, [name for name in session.selection if name not in hidden])


def paste(session: Session, text: str, place: tuple[float, float] | None = None) -> None:
    """Cards from a text: those copied here, in another window, or in any program that writes the standard."""
    made: list[str] = []

    def change(network: Network) -> Network:
        after, names = pasted(network, text, place)
        made.extend(name for name in names if not after.cards[name].helper)
        return after

    if session.edit("Paste", change):
        session.select(made)


# ---- groups' inputs, stacks -------------------------------------------------------------------


def change_group(session: Session, name: str, label: str, change: Callable[[Card], Card]) -> bool:
    """Changes a group card on the board."""
    return session.edit(label, lambda network: network.with_card(change(network.cards[name])))


def show_on_group(session: Session, card: str, name: str, type_name: str, value: Value | None, label: str) -> bool:
    """Inside an open group: shows an input of one of its cards on the group itself."""
    *outer, group = session.path

    def change(document: Network) -> Network:
        network = inside(document, tuple(outer))
        after = groups.show_input(network.cards[group], card, name, type_name, value, label)
        return replaced_inside(document, tuple(outer), network.with_card(after))

    return session.edit_document(f"Show {label.lower()} on the group", change)


def put_out(session: Session, card: str, output: str = "") -> bool:
    """Inside an open group: one more of its results is put out by the group."""
    *outer, group = session.path

    def change(document: Network) -> Network:
        network = inside(document, tuple(outer))
        within = network.cards[group].network or Network()
        kind = output_type(session.library, within, Wire(card, output))
        after = groups.add_output(network.cards[group], card, output, kind)
        return replaced_inside(document, tuple(outer), network.with_card(after))

    return session.edit_document(f"Put out {session.title(card)}", change)


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
            CollageError("This card has no input that passes through it.", about=name, remedy="Wire it by its inputs.")
        )
        return False
    main = definition.main_input

    def change(network: Network) -> Network:
        if place is not None:
            network = edits.move_cards(network, {name: place})
        network = join(session.library, network, wire, name, main, definition.inputs[main].type)
        return join(session.library, network, Wire(name), card, target, type_name)

    return session.edit(f"Put {session.title(name)} in between", change)


def add_stack(session: Session, place: tuple[float, float]) -> str:
    """A stack; the chosen cards, from top to bottom on the board, become its layers, the lowest at the bottom."""
    chosen = [one for one in session.selection if one in session.network.cards]
    chosen.sort(key=lambda one: -session.network.cards[one].position[1])
    name = session.network.free_name("stack")
    session.edit("Add Stack", lambda network: stack_of(session.library, network, chosen, place)[0])
    session.select([name])
    return name


def change_layers(
    session: Session, name: str, label: str, change: Callable[[list[stacks.Layer]], list[stacks.Layer]]
) -> bool:
    return change_group(session, name, label, lambda card: stacks.with_layers(card, change(stacks.layers(card))))


# ---- links ------------------------------------------------------------------------------------


def link(
    session: Session,
    follower: links.Place,
    leader: links.Place,
    type_name: str,
    value: Value,
    factor: float = 1.0,
    offset: float = 0.0,
) -> bool:
    return session.edit(
        f"Link {follower.input} to {session.title(leader.card)}",
        lambda network: links.follow(network, follower, leader, type_name, value, factor=factor, offset=offset),
    )


def unlink(session: Session, place: links.Place) -> None:
    session.edit(f"Cut the link of {place.input}", lambda network: links.unlink(network, place))


# ---- materials --------------------------------------------------------------------------------


def _project(session: Session, label: str, change: Callable[[Project], Project]) -> bool:
    try:
        session.history.do(label, change)
    except CollageError as error:
        session.problem.emit(error)
        return False
    return True


def new_material_named(session: Session, wanted: str = "Material") -> str:
    name = session.project.free_material_name(wanted)
    _project(session, f"New material {name}", lambda project: project.with_material(name, new_material()))
    session.show_material(name)
    return name


def duplicate_material(session: Session, name: str) -> str:
    fresh = session.project.free_material_name(name)
    document = session.project.materials[name]
    _project(session, f"Duplicate {name}", lambda project: project.with_material(fresh, document))
    session.show_material(fresh)
    return fresh


def rename_material(session: Session, old: str, new: str) -> bool:
    in_hand = session.material == old
    if not _project(session, f"Rename {old}", lambda project: project.renamed_material(old, new)):
        return False
    if in_hand:
        session.show_material(new.strip())
    return True


def delete_material(session: Session, name: str) -> bool:
    return _project(session, f"Delete {name}", lambda project: project.without_material(name))


def give_material(session: Session, part: int, name: str) -> bool:
    item = session.project.bench.objects[part]
    return _project(session, f"{item.name} wears {name}", lambda project: project.given_material(part, name))
