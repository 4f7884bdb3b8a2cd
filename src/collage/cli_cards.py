"""Commands for the cards of a material of a saved project."""

from __future__ import annotations

import json
import sys
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import numpy as np
import typer

from collage.cli_shared import Folder, Material, edit, load_library, material_of, place_of, within
from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.document.model import Card, Network, Value
    from collage.core.nodes.library import Library, NodeDef, TabDef
    from collage.core.nodes.stacks import Layer

cards = typer.Typer(
    help="The cards of a material: add, wire, set, skip and remove; ramps, stacks, groups and links; copy and tidy."
)

Names = Annotated[list[str], typer.Argument(help="Names of cards in the document.")]
Group = Annotated[str, typer.Option("--in", help="The group that the cards are in; A/B for one in another.")]
CardName = Annotated[str, typer.Argument(help="Name of a card.")]
Place = Annotated[str, typer.Argument(metavar="CARD.INPUT", help="An input of a card.")]


@cards.command("list")
def list_cards(folder: Folder, material: Material) -> None:
    """List the cards of a material: name, kind and label."""
    from collage.core.nodes.labels import title_of
    from collage.core.project.folder import load_project

    for card in material_of(load_project(folder)[0], material).cards.values():
        if not card.helper:
            typer.echo(f"{card.name:24} {card.category:20} {title_of(card)}")


def _card(network: Network, name: str) -> Card:
    if name not in network.cards:
        raise CollageError(f"There is no card “{name}”.", remedy="See `collage cards list`.")
    return network.cards[name]


def _tab(library: Library, card: Card, name: str) -> TabDef:
    from collage.core.nodes.library import tabs_of

    tabs = tabs_of(library, card)
    if name not in tabs:
        raise CollageError(f"“{card.name}” has no input “{name}”.", remedy=f"Choose one of {', '.join(tabs)}.")
    return tabs[name]


def _value(name: str, kind: str, text: str) -> Value:
    """A value as a document writes it; a colour as sRGB hex too, and one number for all channels."""
    from collage.core.document.types import CHANNELS, parse
    from collage.core.images.colour import srgb_to_linear

    count = CHANNELS.get(kind, 1)
    try:
        if kind.startswith("color") and text.startswith("#") and len(text) == 7:
            encoded = np.array([int(text[at : at + 2], 16) / 255 for at in (1, 3, 5)])
            return (*(round(float(part), 6) for part in srgb_to_linear(encoded)), *[1.0] * (count - 3))
        if count > 1 and "," not in text:
            text = ",".join([text] * count)
        value = parse(kind, text)
    except ValueError as error:
        raise CollageError(f"“{name}” cannot be “{text}”: {error}.", remedy="Write numbers with commas.") from error
    if value is None:
        raise CollageError(f"“{name}” has no value of its own.", remedy="Wire a card to it.")
    return value


def _definition(library: Library, kind: str, type_name: str) -> NodeDef:
    """A kind of card by its definition, its standard category or its label."""
    from collage.core.nodes.labels import offers

    exact = library.get(kind)
    if exact is not None:
        return exact
    plain = offers(library)
    found = [one.definition for one in plain if one.definition.category == kind] + list(library.of_category(kind))
    found = found or [one.definition for one in plain if one.label.lower() == kind.lower()]
    if type_name:
        found = [one for one in found if one.type == type_name]
    if not found:
        what = f"{kind}, {type_name}" if type_name else kind
        raise CollageError(f"There is no kind of card “{what}”.", remedy="See `collage nodes`.")
    return found[0]


@cards.command()
def add(
    folder: Folder,
    material: Material,
    kind: Annotated[str, typer.Argument(help="A category, a definition or a label, as “fractal3d” or “Levels”.")],
    type_name: Annotated[str, typer.Option("--type", help="What it puts out, as “color3”.")] = "",
    name: Annotated[str, typer.Option(help="Its name; else one that is free.")] = "",
    at: Annotated[tuple[float, float], typer.Option(help="Its place on the board.")] = (0.0, 0.0),
    values: Annotated[list[str] | None, typer.Option("--set", metavar="INPUT=VALUE", help="May be repeated.")] = None,
    group: Group = "",
) -> None:
    """Add a card; says its name."""
    from collage.core.document import edits
    from collage.core.nodes.adding import added

    library, made = load_library(), ""
    definition = _definition(library, kind, type_name)

    def change(network: Network) -> Network:
        nonlocal made
        network, made = added(library, network, definition, at, name=name)
        for one in values or []:
            key, _, text = one.partition("=")
            tab = _tab(library, network.cards[made], key)
            network = edits.set_value(network, made, key, tab.type, _value(key, tab.type, text))
        return network

    edit(folder, material, change, group)
    typer.echo(made)


@cards.command()
def remove(folder: Folder, material: Material, names: Names, group: Group = "") -> None:
    """Remove cards; the wires before and behind them are joined."""
    from collage.core.document import edits
    from collage.core.nodes.library import main_inputs

    library = load_library()

    def change(network: Network) -> Network:
        chosen = [_card(network, name).name for name in names]
        return edits.remove_cards(network, chosen, main_inputs(library, network, chosen))

    edit(folder, material, change, group)


@cards.command("set")
def set_value(
    folder: Folder,
    material: Material,
    place: Place,
    value: Annotated[str, typer.Argument(help="As in a document; a colour as #rrggbb too.")],
    group: Group = "",
) -> None:
    """Give an input a value; what is linked with it follows."""
    from collage.core.document import edits, links

    library, (card, name) = load_library(), place_of(place)

    def change(network: Network) -> Network:
        tab = _tab(library, _card(network, card), name)
        given, here = _value(name, tab.type, value), links.Place(card, name)
        if links.link_of(network, here) is not None:
            return links.set_linked(network, here, given)
        return edits.set_value(network, card, name, tab.type, given)

    edit(folder, material, change, group)


@cards.command()
def reset(folder: Folder, material: Material, place: Place, group: Group = "") -> None:
    """Give an input its default back."""
    from collage.core.document import edits

    card, name = place_of(place)
    edit(folder, material, lambda network: edits.set_input(network, card, None, name), group)


@cards.command()
def wire(
    folder: Folder,
    material: Material,
    source: Annotated[str, typer.Argument(metavar="CARD[.OUTPUT]", help="Where it comes from.")],
    place: Place,
    by: Annotated[str, typer.Option(help="Where types differ: “weights”, or a channel's number.")] = "",
    group: Group = "",
) -> None:
    """Wire an output to an input; types convert where they meet."""
    from collage.core.document.model import Wire
    from collage.core.nodes.wiring import go_way, join

    library, (card, name) = load_library(), place_of(place)
    from_card, _, output = source.partition(".")
    if by not in ("", "weights") and not by.isdecimal():
        raise CollageError(f"A wire cannot convert by “{by}”.", remedy="Write weights, or a channel's number from 0.")

    def change(network: Network) -> Network:
        _card(network, from_card)
        tab = _tab(library, _card(network, card), name)
        network = join(library, network, Wire(from_card, output), card, name, tab.type)
        return go_way(library, network, card, name, by) if by else network

    edit(folder, material, change, group)


@cards.command()
def cut(folder: Folder, material: Material, place: Place, group: Group = "") -> None:
    """Take the wire at an input away."""
    from collage.core.document import edits

    card, name = place_of(place)
    edit(folder, material, lambda network: edits.disconnect(network, _card(network, card).name, name), group)


@cards.command()
def skip(
    folder: Folder,
    material: Material,
    names: Names,
    use: Annotated[bool, typer.Option("--use", help="Use them again.")] = False,
    group: Group = "",
) -> None:
    """Switch cards off without removing them."""
    from collage.core.document import edits

    def change(network: Network) -> Network:
        return edits.skip_cards(network, [_card(network, name).name for name in names], not use)

    edit(folder, material, change, group)


@cards.command()
def mute(
    folder: Folder,
    material: Material,
    channel: Annotated[str, typer.Argument(help="An input of the surface.")],
    use: Annotated[bool, typer.Option("--use", help="Use it again.")] = False,
) -> None:
    """Let a channel of the surface show its default."""
    from collage.core.document import edits
    from collage.core.document.materials import surface_card

    library = load_library()

    def change(network: Network) -> Network:
        surface = surface_card(network)
        if surface is None:
            raise CollageError("This material has no surface.", about=material)
        return edits.mute(network, surface.name, channel, _tab(library, surface, channel).type, not use)

    edit(folder, material, change)


@cards.command()
def duplicate(folder: Folder, material: Material, names: Names, group: Group = "") -> None:
    """Copy cards, wired as they are; says the new names."""
    from collage.core.document import edits

    made: dict[str, str] = {}

    def change(network: Network) -> Network:
        network, fresh = edits.duplicate_cards(network, [_card(network, name).name for name in names], (0.25, 0.25))
        made.update(fresh)
        return network

    edit(folder, material, change, group)
    typer.echo(" ".join(made.values()))


@cards.command("name")
def name_card(
    folder: Folder,
    material: Material,
    card: CardName,
    title: Annotated[str, typer.Argument(help="Its title.")],
    group: Group = "",
) -> None:
    """Give a card a title."""
    from collage.core.document import edits

    edit(folder, material, lambda network: edits.set_attribute(network, card, "uiname", title or None), group)


@cards.command()
def show(
    folder: Folder,
    material: Material,
    card: CardName,
    as_json: Annotated[bool, typer.Option("--json")] = False,
    group: Group = "",
) -> None:
    """List the inputs of a card: what each has, and its default."""
    from collage.core.document.links import Place, linked_value
    from collage.core.nodes.library import shown_value, tabs_of
    from collage.core.project.folder import load_project

    network = within(material_of(load_project(folder)[0], material), group)
    one, rows = _card(network, card), []
    for name, tab in tabs_of(load_library(), one).items():
        given, linked = one.inputs.get(name), linked_value(network, Place(card, name))
        value = linked if linked is not None else shown_value(one, tab)
        if given is not None and given.wire is not None and linked is None:
            value = f"from {given.wire.card}" + (f".{given.wire.output}" if given.wire.output else "")
        rows.append({"input": name, "type": tab.type, "value": value, "default": tab.default})
    if as_json:
        typer.echo(json.dumps(rows, ensure_ascii=False))
        return
    for row in rows:
        typer.echo(f"{row['input']:24} {row['type']:10} {_shown(row['value']):28} {_shown(row['default'])}".rstrip())


def _shown(value: object) -> str:
    if isinstance(value, tuple):
        return ", ".join(f"{part:g}" for part in value)
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


# ---- ramps and stacks -------------------------------------------------------------------------

Stops = Annotated[list[str], typer.Argument(metavar="PLACE=COLOUR", help="As 0.5=#aa8844 or 0.5=0.4,0.2,0.1.")]
HOW = {"linear": 0, "smooth": 1, "steps": 2}


@cards.command()
def ramp(
    folder: Folder,
    material: Material,
    card: CardName,
    stops: Stops,
    how: Annotated[str, typer.Option(help="linear, smooth or steps.")] = "linear",
    group: Group = "",
) -> None:
    """Give a ramp its stops, any number of them."""
    from collage.core.nodes import ramps

    if how not in HOW:
        raise CollageError(f"A ramp cannot go “{how}”.", remedy="Choose linear, smooth or steps.")
    found: list[ramps.Stop] = []
    for stop in stops:
        place, _, text = stop.partition("=")
        colour = _value("colour", "color4" if text.count(",") == 3 else "color3", text)
        where = _value("place", "float", place)
        assert isinstance(colour, tuple)
        assert isinstance(where, float)
        found.append((where, (*colour, 1.0)[:4]))

    def change(network: Network) -> Network:
        old = _card(network, card)
        if old.category != "ramp" and not ramps.is_long(old):
            raise CollageError(f"“{card}” is no ramp with stops.", remedy="Add one: `collage cards add … ramp`.")
        return network.with_card(ramps.with_stops(old, found, HOW[how]))

    edit(folder, material, change, group)


@cards.command()
def stack(
    folder: Folder,
    material: Material,
    names: Annotated[list[str] | None, typer.Argument(help="Cards for its layers, the lowest first.")] = None,
    at: Annotated[tuple[float, float], typer.Option(help="Its place on the board.")] = (0.0, 0.0),
    group: Group = "",
) -> None:
    """Add a stack of layers; says its name."""
    from collage.core.nodes.adding import free_place, stack_of

    library, made = load_library(), ""

    def change(network: Network) -> Network:
        nonlocal made
        chosen = [_card(network, name).name for name in names or []]
        network, made = stack_of(library, network, chosen, free_place(network, at))
        return network

    edit(folder, material, change, group)
    typer.echo(made)


@cards.command()
def layer(
    folder: Folder,
    material: Material,
    stack: Annotated[str, typer.Argument(help="A stack.")],
    number: Annotated[int, typer.Argument(help="Counted from the lowest, from 1; one more adds a layer.")],
    title: Annotated[str, typer.Option(help="Its title.")] = "",
    mode: Annotated[str, typer.Option(help="How it blends: mix, multiply, screen, …")] = "",
    opacity: Annotated[float | None, typer.Option(min=0.0, max=1.0, help="How much of it counts.")] = None,
    value: Annotated[str, typer.Option(help="Its plain colour or number.")] = "",
    on: Annotated[bool | None, typer.Option("--on/--off", help="Show it or not.")] = None,
    to: Annotated[int, typer.Option(help="Move it to this number.")] = 0,
    drop: Annotated[bool, typer.Option("--remove", help="Remove it.")] = False,
    group: Group = "",
) -> None:
    """Change a layer of a stack, add one, move or remove it."""
    from collage.core.document.model import Input
    from collage.core.nodes import stacks

    if mode and mode not in stacks.MODES:
        raise CollageError(f"There is no mode “{mode}”.", remedy=f"Choose one of {', '.join(stacks.MODES)}.")

    def edited(one: Layer, kind: str) -> Layer:
        source = replace(one.source, value=_value("value", kind, value), wire=None) if value else one.source
        amount = replace(one.opacity, value=opacity) if opacity is not None else one.opacity
        shown = one.on if on is None else on
        return replace(one, title=title or one.title, mode=mode or one.mode, source=source, opacity=amount, on=shown)

    def change(network: Network) -> Network:
        card = _card(network, stack)
        kind, layers = stacks.kind_of(card), stacks.layers(card)
        if number == len(layers) + 1 and not drop:
            plain: Value = 0.8 if kind == "float" else (0.8, 0.8, 0.8)
            layers.append(stacks.Layer(stacks.fresh_title(card), Input("layer", kind, plain)))
        if not 1 <= number <= len(layers):
            raise CollageError(f"“{stack}” has {len(layers)} layers.", remedy="Count them from the lowest, from 1.")
        one = layers.pop(number - 1)
        if not drop:
            layers.insert((to or number) - 1, edited(one, kind))
        return network.with_card(stacks.with_layers(card, layers))

    edit(folder, material, change, group)


# ---- groups -----------------------------------------------------------------------------------


@cards.command("group")
def change_group(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="A group.")],
    shown: Annotated[list[str] | None, typer.Option("--show", metavar="CARD.INPUT", help="Show it on it.")] = None,
    hidden: Annotated[list[str] | None, typer.Option("--hide", metavar="INPUT", help="Hide it again.")] = None,
    outputs: Annotated[list[str] | None, typer.Option("--out", metavar="CARD[.OUTPUT]", help="Put it out too.")] = None,
    order: Annotated[str, typer.Option(help="Names of its inputs in their order, with commas.")] = "",
    label: Annotated[list[str] | None, typer.Option(metavar="INPUT=LABEL", help="Name an input.")] = None,
    group: Group = "",
) -> None:
    """Choose, order and name what a group shows, and what it puts out."""
    from collage.core.document import groups
    from collage.core.document.model import Wire
    from collage.core.nodes.wiring import output_type

    library = load_library()

    def inside(card: Card, inner: str) -> Network:
        if card.network is None:
            raise CollageError(f"“{name}” is no group.", remedy="Bundle cards first: `collage cards bundle`.")
        if inner:
            _card(card.network, inner)
        return card.network

    def change(network: Network) -> Network:
        card = _card(network, name)
        inside(card, "")
        for text in shown or []:
            inner, key = place_of(text)
            tab = _tab(library, inside(card, inner).cards[inner], key)
            card = groups.show_input(card, inner, key, tab.type, tab.default)
        for text in hidden or []:
            card = groups.hide_input(card, text)
        for text in outputs or []:
            inner, _, output = text.partition(".")
            kind = output_type(library, inside(card, inner), Wire(inner, output))
            card = groups.add_output(card, inner, output, kind)
        for text in label or []:
            key, _, words = text.partition("=")
            card = groups.name_input(card, _tab(library, card, key).name, words)
        if order:
            card = groups.order_inputs(card, [one.strip() for one in order.split(",")])
        return network.with_card(card)

    edit(folder, material, change, group)


@cards.command()
def keep(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="A group.")],
    title: Annotated[str, typer.Option(help="The name to keep it by.")] = "",
) -> None:
    """Keep a group for other materials and projects."""
    from collage.core.assets.shelf import Shelf
    from collage.core.project.folder import load_project

    typer.echo(Shelf().keep(material_of(load_project(folder)[0], material), name, title))


@cards.command()
def kept() -> None:
    """List the kept groups."""
    from collage.core.assets.shelf import Shelf

    for name in Shelf().names():
        typer.echo(name)


@cards.command()
def put(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="A kept group.")],
    at: Annotated[tuple[float, float], typer.Option(help="Its place on the board.")] = (0.0, 0.0),
) -> None:
    """Put a copy of a kept group into a material."""
    from collage.core.assets.shelf import Shelf

    edit(folder, material, lambda network: Shelf().put(network, name, at)[0])


# ---- many at once -----------------------------------------------------------------------------


@cards.command()
def bundle(
    folder: Folder, material: Material, names: Names, title: Annotated[str, typer.Option(help="Its title.")] = "Group"
) -> None:
    """Put cards into a group."""
    from collage.core.document import groups
    from collage.core.nodes.wiring import output_type

    types = partial(output_type, load_library())
    edit(folder, material, lambda network: groups.bundle(network, names, types, title)[0])


@cards.command("open-up")
def open_up(folder: Folder, material: Material, group: Annotated[str, typer.Argument(help="A group.")]) -> None:
    """Put the cards of a group back in its place."""
    from collage.core.document import groups

    edit(folder, material, lambda network: groups.unbundle(network, group)[0])


@cards.command("take-out")
def take_out(folder: Folder, material: Material, names: Names) -> None:
    """Pull cards out of their chains; their neighbours join."""
    from collage.core.document import edits
    from collage.core.nodes.library import main_inputs

    library = load_library()

    def change(network: Network) -> Network:
        return edits.take_out(network, names, main_inputs(library, network, names))

    edit(folder, material, change)


@cards.command()
def swap(folder: Folder, material: Material, card: str, first: str, second: str) -> None:
    """Exchange two inputs of a card."""
    from collage.core.document import edits

    edit(folder, material, lambda network: edits.swap_inputs(network, _card(network, card).name, first, second))


@cards.command()
def link(
    folder: Folder,
    material: Material,
    follower: Annotated[str, typer.Argument(help="The input that follows, as CARD.INPUT.")],
    leader: Annotated[str, typer.Argument(help="The input that it follows, as CARD.INPUT.")],
    factor: Annotated[float, typer.Option()] = 1.0,
    offset: Annotated[float, typer.Option()] = 0.0,
) -> None:
    """Let a value follow another one."""
    from collage.core.document import links
    from collage.core.nodes.library import shown_value

    library, here, there = load_library(), links.Place(*place_of(follower)), links.Place(*place_of(leader))

    def change(network: Network) -> Network:
        _card(network, here.card)
        card = _card(network, there.card)
        tab = library.definition(card).inputs.get(there.input)
        value = (links.linked_value(network, there) or shown_value(card, tab)) if tab is not None else None
        if tab is None or value is None:
            raise CollageError(f"“{leader}” has no value to follow.", about=material)
        return links.follow(network, here, there, tab.type, value, factor=factor, offset=offset)

    edit(folder, material, change)


@cards.command()
def unlink(folder: Folder, material: Material, follower: Annotated[str, typer.Argument(help="CARD.INPUT")]) -> None:
    """Cut a link; the value stays what it is."""
    from collage.core.document import links

    edit(folder, material, lambda network: links.unlink(network, links.Place(*place_of(follower))))


@cards.command()
def frame(
    folder: Folder, material: Material, names: Names, title: Annotated[str, typer.Option(help="Its title.")] = "Frame"
) -> None:
    """Draw a frame around cards."""
    from collage.core.document import frames

    edit(folder, material, lambda network: frames.around(network, names, title)[0])


@cards.command()
def tidy(folder: Folder, material: Material) -> None:
    """Lay the cards out in columns from left to right."""
    from collage.core.document import edits
    from collage.core.document.materials import hidden_on_board
    from collage.core.nodes import layout

    def change(network: Network) -> Network:
        shown = [name for name in network.cards if name not in hidden_on_board(network)]
        return edits.move_cards(network, layout.tidy(network, shown))

    edit(folder, material, change)


@cards.command()
def copy(folder: Folder, material: Material, names: Names) -> None:
    """Write cards to standard output, as MaterialX."""
    from collage.core.document.clipboard import copied
    from collage.core.project.folder import load_project

    typer.echo(copied(material_of(load_project(folder)[0], material), names))


@cards.command()
def paste(
    folder: Folder,
    material: Material,
    file: Annotated[str, typer.Argument(help="A MaterialX file; - for input.")] = "-",
) -> None:
    """Put the cards of a MaterialX text into a material."""
    from collage.core.document.clipboard import pasted

    try:
        text = sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise CollageError("The file cannot be read.", about=file, remedy="Check its name.") from error
    edit(folder, material, lambda network: pasted(network, text)[0])
