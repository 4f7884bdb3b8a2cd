"""Commands for the cards of a material of a saved project; see also card_parts."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import Folder, Material, load_library, material_of, place_of, saved_session, within
from collage.cli.values import card_of, definition_of, parsed_value, tab_of
from collage.core.base.errors import CollageError

app = typer.Typer(add_completion=False, help=COMMANDS["cards"][1])

Names = Annotated[list[str], typer.Argument(help="Names of cards in the document.")]
Group = Annotated[str, typer.Option("--in", help="The group that the cards are in; A/B for one in another.")]
CardName = Annotated[str, typer.Argument(help="Name of a card.")]
Place = Annotated[str, typer.Argument(metavar="CARD.INPUT", help="An input of a card.")]
Output = Annotated[str, typer.Argument(metavar="CARD[.OUTPUT]", help="An output of a card.")]
At = Annotated[tuple[float, float], typer.Option(help="Its place on the board.")]


@app.command("list")
def list_cards(folder: Folder, material: Material) -> None:
    """List the cards of a material: name, kind and label."""
    from collage.core.nodes.labels import title_of
    from collage.core.project.folder import load_project

    for card in material_of(load_project(folder)[0], material).cards.values():
        if not card.helper:
            typer.echo(f"{card.name:24} {card.category:20} {title_of(card)}")


@app.command()
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
    """Add a card; prints its name."""
    with saved_session(folder, material, group) as session:
        definition = definition_of(session.library, kind, type_name)
        with session.history.group(f"Add {kind}"):
            made = session.add(definition, at, name=name)
            for one in values or []:
                key, _, text = one.partition("=")
                tab = tab_of(session.library, session.network.cards[made], key)
                session.set_value(made, key, tab.type, parsed_value(key, tab.type, text))
    typer.echo(made)


@app.command()
def remove(folder: Folder, material: Material, names: Names, group: Group = "") -> None:
    """Remove cards; the wires before and behind them are joined."""
    with saved_session(folder, material, group) as session:
        session.remove([card_of(session.network, name).name for name in names])


@app.command("set")
def set_value(
    folder: Folder,
    material: Material,
    place: Place,
    value: Annotated[str, typer.Argument(help="As in a document; a colour as #rrggbb too.")],
    group: Group = "",
) -> None:
    """Set the value of an input; linked values follow."""
    card, name = place_of(place)
    with saved_session(folder, material, group) as session:
        tab = tab_of(session.library, card_of(session.network, card), name)
        session.set_value(card, name, tab.type, parsed_value(name, tab.type, value))


@app.command()
def reset(folder: Folder, material: Material, place: Place, group: Group = "") -> None:
    """Reset an input to its default."""
    card, name = place_of(place)
    with saved_session(folder, material, group) as session:
        session.reset_value(card_of(session.network, card).name, name)


@app.command()
def wire(
    folder: Folder,
    material: Material,
    source: Annotated[str, typer.Argument(metavar="CARD[.OUTPUT]", help="Where it comes from.")],
    place: Place,
    by: Annotated[str, typer.Option(help="Where types differ: “weights”, or a channel's number.")] = "",
    group: Group = "",
) -> None:
    """Wire an output to an input; types convert where they meet."""
    from collage.core.actions import wires
    from collage.core.document.model import Wire

    card, name = place_of(place)
    from_card, _, output = source.partition(".")
    if by not in ("", "weights") and not by.isdecimal():
        raise CollageError(f"A wire cannot convert by “{by}”.", remedy="Write weights, or a channel's number from 0.")
    with saved_session(folder, material, group) as session:
        card_of(session.network, from_card)
        tab = tab_of(session.library, card_of(session.network, card), name)
        with session.history.group(f"Wire {from_card}"):
            session.wire(Wire(from_card, output), card, name, tab.type)
            if by:
                wires.convert_by(session, card, name, by)


@app.command()
def convert(
    folder: Folder,
    material: Material,
    place: Place,
    by: Annotated[str, typer.Argument(help="“weights”, or a channel's number from 0.")],
    group: Group = "",
) -> None:
    """Change how the wire at an input converts."""
    from collage.core.actions import wires

    card, name = place_of(place)
    with saved_session(folder, material, group) as session:
        wires.convert_by(session, card_of(session.network, card).name, name, by)


@app.command()
def cut(folder: Folder, material: Material, place: Place, group: Group = "") -> None:
    """Cut the wire at an input."""
    card, name = place_of(place)
    with saved_session(folder, material, group) as session:
        session.unwire(card_of(session.network, card).name, name)


@app.command("move-wires")
def move_wires(folder: Folder, material: Material, old: Output, new: Output, group: Group = "") -> None:
    """Rewire everything from one output to another."""
    from collage.core.actions import wires
    from collage.core.document.model import Wire

    first, second = (Wire(card, output) for card, _, output in (old.partition("."), new.partition(".")))
    with saved_session(folder, material, group) as session:
        card_of(session.network, first.card)
        card_of(session.network, second.card)
        wires.move_all_wires(session, first, second)


@app.command()
def insert(folder: Folder, material: Material, card: CardName, place: Place, group: Group = "") -> None:
    """Insert a card into the wire that ends at an input."""
    from collage.core.actions import wires

    target, name = place_of(place)
    with saved_session(folder, material, group) as session:
        tab = tab_of(session.library, card_of(session.network, target), name)
        given = session.network.cards[target].inputs.get(name)
        if given is None or given.wire is None:
            raise CollageError(f"Nothing is wired to “{place}”.", remedy="See `collage cards show`.")
        wires.put_between(session, card_of(session.network, card).name, given.wire, target, name, tab.type)


@app.command()
def skip(
    folder: Folder,
    material: Material,
    names: Names,
    use: Annotated[bool, typer.Option("--use", help="Use them again.")] = False,
    group: Group = "",
) -> None:
    """Switch cards off without removing them."""
    with saved_session(folder, material, group) as session:
        chosen = [card_of(session.network, name).name for name in names]
        session.skip(chosen, not use)


@app.command()
def mute(
    folder: Folder,
    material: Material,
    channel: Annotated[str, typer.Argument(help="An input of the surface.")],
    use: Annotated[bool, typer.Option("--use", help="Use it again.")] = False,
) -> None:
    """Mute a channel of the surface: show its default."""
    with saved_session(folder, material) as session:
        surface = session.surface
        if surface is None:
            raise CollageError("This material has no surface.", about=material)
        session.mute(tab_of(session.library, surface, channel).name, not use)


@app.command()
def duplicate(folder: Folder, material: Material, names: Names, group: Group = "") -> None:
    """Copy cards, wired as they are; prints the new names."""
    with saved_session(folder, material, group) as session:
        session.duplicate([card_of(session.network, name).name for name in names])
        made = " ".join(session.selection)
    typer.echo(made)


@app.command("name")
def name_card(
    folder: Folder,
    material: Material,
    card: CardName,
    title: Annotated[str, typer.Argument(help="Its title.")],
    group: Group = "",
) -> None:
    """Rename a card."""
    from collage.core.actions import cards

    with saved_session(folder, material, group) as session:
        cards.rename_card(session, card_of(session.network, card).name, title)


@app.command()
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
    one, rows = card_of(network, card), []
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


@app.command()
def image(
    folder: Folder,
    material: Material,
    file: Annotated[Path, typer.Argument(help="An image.")],
    at: At = (0.0, 0.0),
    group: Group = "",
) -> None:
    """Add a card for an image file; prints its name."""
    with saved_session(folder, material, group) as session:
        made = session.add_image(file, at)
    typer.echo(made)


@app.command("range")
def in_range(
    folder: Folder,
    material: Material,
    name: CardName,
    off: Annotated[bool, typer.Option("--off", help="Give it its own range back.")] = False,
    group: Group = "",
) -> None:
    """Bring a pattern to 0 to 1, from its lowest to its highest."""
    from collage.core.actions.patterns import set_range

    with saved_session(folder, material, group) as session:
        set_range(session, card_of(session.network, name).name, not off)


@app.command()
def coordinates(
    folder: Folder,
    material: Material,
    card: CardName,
    of: Annotated[str, typer.Argument(help="As “box” or “cylinder”; leave it out to list them.")] = "",
    group: Group = "",
) -> None:
    """Set where a map or pattern gets its coordinates, or list what there is; the present ones have a star."""
    from collage.core.actions.coordinates import coordinates_for, coordinates_of, set_coordinates

    with saved_session(folder, material, group) as session:
        name = card_of(session.network, card).name
        if of:
            set_coordinates(session, name, of)
            return
        now = coordinates_of(session, name)
        for one in coordinates_for(session):
            typer.echo(f"{'*' if now == one else ' '} {one.key:16} {one.label}: {one.help}")


@app.command()
def projector(
    folder: Folder,
    material: Material,
    card: CardName,
    centre: Annotated[str, typer.Option(metavar="X,Y,Z", help="Metres.")] = "",
    turn: Annotated[str, typer.Option(metavar="TILT,TURN,ROLL", help="Degrees.")] = "",
    size: Annotated[str, typer.Option(metavar="W,H,D", help="Metres.")] = "",
    fit: Annotated[str, typer.Option(metavar="OBJECT[/PART]", help="Fit it to an object or a part.")] = "",
    middle: Annotated[str, typer.Option("--centre-on", metavar="OBJECT[/PART]", help="Move it to the middle.")] = "",
    axis: Annotated[str, typer.Option(help="With --fit: turn to x, y, z or the best one.")] = "",
    group: Group = "",
) -> None:
    """Place a projector's frame, or show it."""
    from dataclasses import replace

    from collage.core.actions import projectors as acts
    from collage.core.nodes.projectors import frame_of

    with saved_session(folder, material, group) as session:
        name = card_of(session.network, card).name
        frame = frame_of(acts.projector_of(session.network, name))
        given = {"centre": centre, "turn": turn, "size": size}
        changed = {key: parsed_value(key, "vector3", text) for key, text in given.items() if text}
        if changed:
            acts.place_projector(session, name, replace(frame, **changed))  # type: ignore[arg-type]
        if fit:
            of, _, part = fit.partition("/")
            acts.fit_projector(session, name, of, ("part", part, 0) if part else None, axis)
        if middle:
            of, _, part = middle.partition("/")
            acts.centre_projector(session, name, of, ("part", part, 0) if part else None)
        frame = frame_of(session.network.cards[name])
        for key in given:
            typer.echo(f"{key:8} {', '.join(f'{number:g}' for number in getattr(frame, key))}")


@app.command()
def placement(folder: Folder, material: Material, names: Names, group: Group = "") -> None:
    """Give maps one placement, so that they move, turn and repeat together; prints its name."""
    from collage.core.actions.coordinates import share_placement

    with saved_session(folder, material, group) as session:
        typer.echo(share_placement(session, [card_of(session.network, name).name for name in names]))


@app.command()
def mirror(
    folder: Folder,
    material: Material,
    card: CardName,
    axis: Annotated[str, typer.Argument(help="u or v.")],
    group: Group = "",
) -> None:
    """Mirror what a placement or a map set places."""
    from collage.core.actions.coordinates import mirror as act

    if axis not in ("u", "v"):
        raise CollageError(f"“{axis}” is no direction.", remedy="Use u or v.")
    with saved_session(folder, material, group) as session:
        act(session, card_of(session.network, card).name, axis)  # type: ignore[arg-type]


@app.command()
def outside(
    folder: Folder,
    material: Material,
    card: CardName,
    what: Annotated[str, typer.Argument(help="repeat, mirror, hold or once.")],
    group: Group = "",
) -> None:
    """Set what lies outside the tile, for all images that take their coordinates from a card."""
    from collage.core.actions.projectors import set_outside

    with saved_session(folder, material, group) as session:
        set_outside(session, card_of(session.network, card).name, what)  # type: ignore[arg-type]


@app.command()
def space(
    folder: Folder,
    material: Material,
    place: Place,
    space: Annotated[str, typer.Argument(help="“raw” for data, “srgb_texture”, “lin_rec709” or another one.")],
    group: Group = "",
) -> None:
    """Set the colour space in which a card's file is read."""
    from collage.core.actions.cards import set_space

    card, name = place_of(place)
    with saved_session(folder, material, group) as session:
        set_space(session, card_of(session.network, card).name, name, space)


@app.command()
def blend(folder: Folder, material: Material) -> None:
    """Blend the surface with a second one; prints the new surface's name."""
    with saved_session(folder, material) as session:
        session.blend_surface()
        made = " ".join(session.selection)
    typer.echo(made)


@app.command("show-surface")
def show_surface(folder: Folder, material: Material, card: CardName) -> None:
    """Let the material show one of its surfaces alone."""
    with saved_session(folder, material) as session:
        session.show_surface(card_of(session.network, card).name)


@app.command("take-out")
def take_out(folder: Folder, material: Material, names: Names) -> None:
    """Take cards out of their chains and join their neighbours."""
    from collage.core.actions import wires

    with saved_session(folder, material) as session:
        wires.take_out(session, [card_of(session.network, name).name for name in names])


@app.command()
def swap(folder: Folder, material: Material, card: str, first: str, second: str) -> None:
    """Exchange two inputs of a card."""
    from collage.core.actions import wires

    with saved_session(folder, material) as session:
        wires.swap(session, card_of(session.network, card).name, first, second)


@app.command()
def box(
    folder: Folder, material: Material, names: Names, title: Annotated[str, typer.Option(help="Its title.")] = "Box"
) -> None:
    """Add a box around cards; prints its name."""
    from collage.core.actions import boxes

    with saved_session(folder, material) as session:
        session.select([card_of(session.network, name).name for name in names])
        made = boxes.add_box(session, title)
    typer.echo(made)


@app.command("remove-box")
def remove_box(folder: Folder, material: Material, name: Annotated[str, typer.Argument(help="A box or note.")]) -> None:
    """Remove a box or a note."""
    from collage.core.actions import boxes

    with saved_session(folder, material) as session:
        boxes.remove_box(session, name)


@app.command()
def note(
    folder: Folder,
    material: Material,
    text: Annotated[str, typer.Argument(help="What it says.")],
    at: At = (0.0, 0.0),
) -> None:
    """Add a note; prints its name."""
    from collage.core.actions import boxes

    with saved_session(folder, material) as session:
        made = boxes.add_note(session, at, text)
    typer.echo(made)


@app.command()
def tidy(folder: Folder, material: Material) -> None:
    """Lay the cards out in columns from left to right."""
    from collage.core.actions import cards

    with saved_session(folder, material) as session:
        cards.tidy_cards(session)


@app.command()
def copy(folder: Folder, material: Material, names: Names) -> None:
    """Write cards to standard output, as MaterialX."""
    from collage.core.document.clipboard import copied
    from collage.core.project.folder import load_project

    network = material_of(load_project(folder)[0], material)
    for name in names:
        card_of(network, name)
    typer.echo(copied(network, names))


@app.command()
def paste(
    folder: Folder,
    material: Material,
    file: Annotated[str, typer.Argument(help="A MaterialX file; - for input.")] = "-",
) -> None:
    """Put the cards of a MaterialX text into a material."""
    from collage.core.actions import cards

    try:
        text = sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise CollageError("The file cannot be read.", about=file, remedy="Check its name.") from error
    with saved_session(folder, material) as session:
        cards.paste(session, text)
