"""Commands for cards that are made of several: ramps, stacks, groups, links; they join those of `cards`."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.cli.cards import CardName, Group, Names, app
from collage.cli.shared import Folder, Material, load_library, material_of, place_of, saved_session
from collage.cli.values import card_of, parsed_value, tab_of
from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.document.model import Card, Network, Value
    from collage.core.nodes.stacks import Layer

Stops = Annotated[list[str], typer.Argument(metavar="PLACE=COLOUR", help="As 0.5=#aa8844 or 0.5=0.4,0.2,0.1.")]
HOW = {"linear": 0, "smooth": 1, "steps": 2}


@app.command()
def ramp(
    folder: Folder,
    material: Material,
    card: CardName,
    stops: Stops,
    how: Annotated[str, typer.Option(help="linear, smooth or steps.")] = "linear",
    group: Group = "",
) -> None:
    """Set the stops of a ramp."""
    from collage.core.actions import groups
    from collage.core.nodes import ramps

    if how not in HOW:
        raise CollageError(f"There is no interpolation “{how}”.", remedy="Use linear, smooth or steps.")
    found: list[ramps.Stop] = []
    for stop in stops:
        place, _, text = stop.partition("=")
        colour = parsed_value("colour", "color4" if text.count(",") == 3 else "color3", text)
        where = parsed_value("place", "float", place)
        assert isinstance(colour, tuple)
        assert isinstance(where, float)
        found.append((where, (*colour, 1.0)[:4]))

    with saved_session(folder, material, group) as session:
        old = card_of(session.network, card)
        if old.category != "ramp" and not ramps.is_long(old):
            raise CollageError(f"“{card}” is no ramp with stops.", remedy="Add one: `collage cards add … ramp`.")
        groups.change_group(session, card, f"Stops of {card}", lambda one: ramps.with_stops(one, found, HOW[how]))


@app.command()
def stack(
    folder: Folder,
    material: Material,
    names: Annotated[list[str] | None, typer.Argument(help="Cards for its layers, the lowest first.")] = None,
    at: Annotated[tuple[float, float], typer.Option(help="Its place on the board.")] = (0.0, 0.0),
    group: Group = "",
) -> None:
    """Add a stack of layers; prints its name."""
    from collage.core.actions import layers

    with saved_session(folder, material, group) as session:
        session.select([card_of(session.network, name).name for name in names or []])
        made = layers.add_stack(session, at, names or [])
    typer.echo(made)


@app.command()
def layer(
    folder: Folder,
    material: Material,
    stack: Annotated[str, typer.Argument(help="A stack.")],
    number: Annotated[int, typer.Argument(help="Counted from the lowest, from 1; one more adds a layer.")],
    title: Annotated[str, typer.Option(help="Its title.")] = "",
    mode: Annotated[str, typer.Option(help="Blend mode: mix, multiply, screen, …")] = "",
    opacity: Annotated[float | None, typer.Option(min=0.0, max=1.0, help="Opacity.")] = None,
    value: Annotated[str, typer.Option(help="Its plain colour or number.")] = "",
    on: Annotated[bool | None, typer.Option("--on/--off", help="Show it or not.")] = None,
    to: Annotated[int, typer.Option(help="Move it to this number.")] = 0,
    drop: Annotated[bool, typer.Option("--remove", help="Remove it.")] = False,
    group: Group = "",
) -> None:
    """Change a layer of a stack, add one, move or remove it."""
    from collage.core.actions.layers import change_layers
    from collage.core.document.model import Input
    from collage.core.nodes import stacks

    if mode and mode not in stacks.MODES:
        raise CollageError(f"There is no mode “{mode}”.", remedy=f"Choose one of {', '.join(stacks.MODES)}.")

    def edited(one: Layer, kind: str) -> Layer:
        source = replace(one.source, value=parsed_value("value", kind, value), wire=None) if value else one.source
        amount = replace(one.opacity, value=opacity) if opacity is not None else one.opacity
        shown = one.on if on is None else on
        return replace(one, title=title or one.title, mode=mode or one.mode, source=source, opacity=amount, on=shown)

    def change(layers: list[Layer], card: Card) -> list[Layer]:
        kind = stacks.kind_of(card)
        if number == len(layers) + 1 and not drop:
            plain: Value = 0.8 if kind == "float" else (0.8, 0.8, 0.8)
            layers.append(stacks.Layer(stacks.fresh_title(card), Input("layer", kind, plain)))
        if not 1 <= number <= len(layers):
            raise CollageError(f"“{stack}” has {len(layers)} layers.", remedy="Count them from the lowest, from 1.")
        one = layers.pop(number - 1)
        if not drop:
            layers.insert((to or number) - 1, edited(one, kind))
        return layers

    with saved_session(folder, material, group) as session:
        card = card_of(session.network, stack)
        change_layers(session, stack, f"Layer {number}", lambda layers: change(layers, card))


@app.command("edit-group")
def edit_group(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="A group.")],
    shown: Annotated[list[str] | None, typer.Option("--show", metavar="CARD.INPUT", help="Show an input.")] = None,
    hidden: Annotated[list[str] | None, typer.Option("--hide", metavar="INPUT", help="Hide an input.")] = None,
    outputs: Annotated[list[str] | None, typer.Option("--out", metavar="CARD[.OUTPUT]", help="Add an output.")] = None,
    order: Annotated[str, typer.Option(help="Names of its inputs in their order, with commas.")] = "",
    label: Annotated[list[str] | None, typer.Option(metavar="INPUT=LABEL", help="Name an input.")] = None,
    group: Group = "",
) -> None:
    """Choose, order and rename a group's inputs, and add outputs."""
    from collage.core.actions.groups import change_group
    from collage.core.document import groups
    from collage.core.document.model import Wire
    from collage.core.nodes.wiring import output_type

    library = load_library()

    def inside(card: Card, inner: str) -> Network:
        if card.network is None:
            raise CollageError(f"“{name}” is no group.", remedy="Group cards first: `collage cards group`.")
        if inner:
            card_of(card.network, inner)
        return card.network

    def change(card: Card) -> Card:
        inside(card, "")
        for text in shown or []:
            inner, key = place_of(text)
            tab = tab_of(library, inside(card, inner).cards[inner], key)
            card = groups.show_input(card, inner, key, tab.type, tab.default)
        for text in hidden or []:
            card = groups.hide_input(card, text)
        for text in outputs or []:
            inner, _, output = text.partition(".")
            kind = output_type(library, inside(card, inner), Wire(inner, output))
            card = groups.add_output(card, inner, output, kind)
        for text in label or []:
            key, _, words = text.partition("=")
            card = groups.name_input(card, tab_of(library, card, key).name, words)
        if order:
            card = groups.order_inputs(card, [one.strip() for one in order.split(",")])
        return card

    with saved_session(folder, material, group) as session:
        card_of(session.network, name)
        change_group(session, name, f"Inputs of {name}", change)


@app.command("save-group")
def save_group(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="A group.")],
    title: Annotated[str, typer.Option(help="The name to save it by.")] = "",
) -> None:
    """Save a group for other materials and projects."""
    from collage.core.assets.shelf import Shelf
    from collage.core.project.folder import load_project

    typer.echo(Shelf().keep(material_of(load_project(folder)[0], material), name, title))


@app.command("saved-groups")
def saved_groups() -> None:
    """List the saved groups."""
    from collage.core.assets.shelf import Shelf

    for name in Shelf().names():
        typer.echo(name)


@app.command("insert-group")
def insert_group(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="A saved group.")],
    at: Annotated[tuple[float, float], typer.Option(help="Its place on the board.")] = (0.0, 0.0),
) -> None:
    """Put a copy of a saved group into a material."""
    from collage.core.assets.shelf import Shelf

    with saved_session(folder, material) as session:
        session.edit(f"Add {name}", lambda network: Shelf().put(network, name, at)[0])


@app.command("group")
def group_cards(
    folder: Folder, material: Material, names: Names, title: Annotated[str, typer.Option(help="Its title.")] = "Group"
) -> None:
    """Group cards."""
    from collage.core.actions import groups

    with saved_session(folder, material) as session:
        session.select([card_of(session.network, name).name for name in names])
        groups.group_cards(session, title)


@app.command()
def ungroup(folder: Folder, material: Material, group: Annotated[str, typer.Argument(help="A group.")]) -> None:
    """Ungroup a group."""
    from collage.core.actions import groups

    with saved_session(folder, material) as session:
        session.select([card_of(session.network, group).name])
        groups.ungroup(session)


@app.command()
def link(
    folder: Folder,
    material: Material,
    follower: Annotated[str, typer.Argument(help="The linked input, as CARD.INPUT.")],
    leader: Annotated[str, typer.Argument(help="The input to link to, as CARD.INPUT.")],
    factor: Annotated[float, typer.Option()] = 1.0,
    offset: Annotated[float, typer.Option()] = 0.0,
) -> None:
    """Link a value to another one."""
    from collage.core.actions import links as acts
    from collage.core.document import links

    here, there = links.Place(*place_of(follower)), links.Place(*place_of(leader))
    with saved_session(folder, material) as session:
        tab_of(session.library, card_of(session.network, here.card), here.input)
        card = card_of(session.network, there.card)
        tab = session.library.definition(card).inputs.get(there.input)
        value = session.value_of(card, tab) if tab is not None else None
        if tab is None or value is None:
            raise CollageError(f"“{leader}” has no value to follow.", about=material)
        acts.link(session, here, there, tab.type, value, factor, offset)


@app.command()
def unlink(folder: Folder, material: Material, follower: Annotated[str, typer.Argument(help="CARD.INPUT")]) -> None:
    """Cut a link; the value stays what it is."""
    from collage.core.actions import links as acts
    from collage.core.document import links

    with saved_session(folder, material) as session:
        place = links.Place(*place_of(follower))
        card_of(session.network, place.card)
        if links.link_of(session.network, place) is None:
            raise CollageError(f"“{follower}” follows no other value.", remedy="See `collage cards list`.")
        acts.unlink(session, place)


@app.command()
def effect(
    folder: Folder,
    material: Material,
    name: Annotated[str, typer.Argument(help="An effect; with --remove the card of one.")] = "",
    remove: Annotated[bool, typer.Option("--remove", help="Take it away again.")] = False,
) -> None:
    """Put an effect over a material, or take it away; without a name, list those that there are."""
    from collage.core.actions.effects import add_effect, remove_effect
    from collage.core.nodes.effects import EFFECTS, effects_of

    with saved_session(folder, material) as session:
        if not name:
            there = effects_of(session.network)
            for one in EFFECTS.values():
                cards = ", ".join(card for card, of in there.items() if of == one.name)
                typer.echo(f"{one.name:12} {one.help}{f' (on it: {cards})' if cards else ''}")
        elif remove:
            remove_effect(session, card_of(session.network, name).name)
        else:
            typer.echo(add_effect(session, name))


@app.command()
def mask(
    folder: Folder,
    material: Material,
    source: Annotated[str, typer.Argument(metavar="CARD[.OUTPUT]", help="The mask.")],
    values: Annotated[
        list[str] | None, typer.Option("--set", metavar="INPUT=VALUE", help="An input of the surface; may be repeated.")
    ] = None,
    maps: Annotated[
        list[str] | None, typer.Option("--map", metavar="INPUT=FILE", help="The same with a map; may be repeated.")
    ] = None,
    release: Annotated[bool, typer.Option("--release", help="Take it off all inputs that follow it.")] = False,
) -> None:
    """Give inputs of the surface other values where a mask is, or take the mask off them."""
    from collage.core.actions.effects import release_mask, use_mask
    from collage.core.document.materials import surface_card
    from collage.core.document.model import Wire

    name, _, output = source.partition(".")
    with saved_session(folder, material) as session:
        card_of(session.network, name)
        surface = surface_card(session.network)
        if release:
            release_mask(session, name)
            return
        given: dict[str, Value | Path] = {}
        for one in values or []:
            key, _, text = one.partition("=")
            tab = tab_of(session.library, surface, key) if surface is not None else None
            given[key] = parsed_value(key, tab.type if tab is not None else "float", text)
        for one in maps or []:
            key, _, text = one.partition("=")
            given[key] = Path(text)
        if not given:
            raise CollageError("No input is named.", remedy="Name one or more with --set INPUT=VALUE.")
        use_mask(session, Wire(name, output), given)


@app.command()
def label(
    folder: Folder,
    material: Material,
    file: Annotated[Path, typer.Argument(help="A picture; what is transparent in it shows the material.")],
    name: Annotated[str, typer.Option("--object", help="The object; the first with the material if left out.")] = "",
    at: Annotated[tuple[float, float, float], typer.Option(help="A place on it, metres.")] = (0.0, 0.0, 0.0),
    facing: Annotated[tuple[float, float, float], typer.Option(help="Which way it looks there.")] = (0.0, 0.0, 1.0),
    width: Annotated[float, typer.Option(help="Metres; 0 for a third of the object.")] = 0.0,
    uv_set: Annotated[str, typer.Option("--set", help="Fill the tile of this UV set instead.")] = "",
    premultiplied: Annotated[
        bool | None, typer.Option("--premultiplied/--plain", help="How its colours go with its alpha; else found out.")
    ] = None,
) -> None:
    """Put a picture with transparency on an object, once, over its material; prints the label's card."""
    from collage.core.actions.effects import add_label

    with saved_session(folder, material) as session:
        wearers = session.project.wearers(material)
        if not (name or wearers):
            raise CollageError(f"No object has “{material}”.", remedy="Assign it to one first.")
        on = name or wearers[0]
        typer.echo(add_label(session, file, on, at, facing, width, uv_set=uv_set, premultiplied=premultiplied))


@app.command("break")
def break_(folder: Folder, material: Material, card: CardName) -> None:
    """Break the edge of a mask by noise, for all that it is wired to; prints the card that does."""
    from collage.core.actions.effects import break_mask

    with saved_session(folder, material) as session:
        typer.echo(break_mask(session, card_of(session.network, card).name))
