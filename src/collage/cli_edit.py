"""Commands that change a saved project: its materials, and the cards of a material."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.core.errors import CollageError

if TYPE_CHECKING:
    from collage.core.document.model import Network
    from collage.core.nodes.library import Library
    from collage.core.project.state import Project

materials = typer.Typer(help="List, make, rename, copy, delete, give and picture the materials of a project.")
cards = typer.Typer(help="Change the cards of a material: bundle, link, swap, take out, tidy, copy and paste.")

Folder = Annotated[Path, typer.Argument(help="A project folder.")]
Material = Annotated[str, typer.Argument(help="Name of a material.")]
Names = Annotated[list[str], typer.Argument(help="Names of cards in the document.")]


def _changed(folder: Path, change: Callable[[Project], Project]) -> None:
    """Loads a project, changes it and saves it. Raises CollageError and leaves it whole if that fails."""
    from collage.core.project.folder import load_project, save_project

    project, problems = load_project(folder)
    if problems:
        raise problems[0]
    save_project(change(project), folder)


def _material(project: Project, name: str) -> Network:
    if name not in project.materials:
        have = ", ".join(f"“{one}”" for one in project.materials)
        raise CollageError(f"There is no material “{name}”.", remedy=f"Choose one of {have}.")
    return project.materials[name]


def _edit(folder: Path, material: str, change: Callable[[Network], Network]) -> None:
    """Changes one material of a saved project."""
    from collage.core.document.links import without_idle_links

    _changed(
        folder,
        lambda project: project.with_material(material, without_idle_links(change(_material(project, material)))),
    )


def _library() -> Library:
    from collage.core.nodes.library import load_library

    return load_library()


# ---- materials --------------------------------------------------------------------------------


@materials.command("list")
def list_materials(folder: Folder, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """List the materials, and which objects wear each."""
    from collage.core.project.folder import load_project

    project, _ = load_project(folder)
    if as_json:
        typer.echo(json.dumps({name: project.wearers(name) for name in project.materials}, ensure_ascii=False))
        return
    for name in project.materials:
        typer.echo(f"{name:28} {', '.join(project.wearers(name)) or '(unused)'}")


@materials.command("new")
def new_material(folder: Folder, name: Material) -> None:
    """Add a plain material."""
    from collage.core.document.materials import new_material as plain

    _changed(folder, lambda project: project.with_material(project.free_material_name(name), plain()))


@materials.command()
def duplicate(folder: Folder, name: Material) -> None:
    """Add a copy of a material."""
    _changed(folder, lambda project: project.with_material(project.free_material_name(name), _material(project, name)))


@materials.command()
def rename(folder: Folder, name: Material, to: Annotated[str, typer.Argument(help="The new name.")]) -> None:
    """Give a material another name; what wears it goes on wearing it."""

    def change(project: Project) -> Project:
        _material(project, name)
        return project.renamed_material(name, to)

    _changed(folder, change)


@materials.command()
def delete(folder: Folder, name: Material) -> None:
    """Take a material out; what wore it wears another one."""

    def change(project: Project) -> Project:
        _material(project, name)
        return project.without_material(name)

    _changed(folder, change)


@materials.command()
def give(folder: Folder, name: Material, to: Annotated[str, typer.Argument(help="Name of an object.")]) -> None:
    """Let an object wear a material."""

    def change(project: Project) -> Project:
        _material(project, name)
        parts = [item.name for item in project.bench.objects]
        if to not in parts:
            raise CollageError(f"There is no object “{to}”.", remedy=f"Choose one of {', '.join(parts)}.")
        return project.given_material(parts.index(to), name)

    _changed(folder, change)


@materials.command()
def picture(
    folder: Folder,
    name: Material,
    output: Annotated[Path, typer.Option("-o", "--output", help="A PNG file.")],
    size: Annotated[str, typer.Option(help="Its size.")] = "256x256",
) -> None:
    """Write a picture of a material on a ball."""
    from collage.cli import parse_size, prepare_kernels
    from collage.core.images.files import write_image
    from collage.core.project.folder import load_project
    from collage.core.render.picture import Renderer
    from collage.core.render.swatch import swatch

    project, _ = load_project(folder)
    document, wanted = _material(project, name), parse_size(size)
    prepare_kernels()
    write_image(output, swatch(Renderer(_library()), document, folder, wanted))


# ---- cards ------------------------------------------------------------------------------------


@cards.command("list")
def list_cards(folder: Folder, material: Material) -> None:
    """List the cards of a material: name, kind and label."""
    from collage.core.nodes.labels import title_of
    from collage.core.project.folder import load_project

    for card in _material(load_project(folder)[0], material).cards.values():
        if not card.helper:
            typer.echo(f"{card.name:24} {card.category:20} {title_of(card)}")


@cards.command()
def bundle(
    folder: Folder, material: Material, names: Names, title: Annotated[str, typer.Option(help="Its title.")] = "Group"
) -> None:
    """Put cards into a group."""
    from collage.core.document import groups
    from collage.core.nodes.wiring import output_type

    types = partial(output_type, _library())
    _edit(folder, material, lambda network: groups.bundle(network, names, types, title)[0])


@cards.command("open-up")
def open_up(folder: Folder, material: Material, group: Annotated[str, typer.Argument(help="A group.")]) -> None:
    """Put the cards of a group back in its place."""
    from collage.core.document import groups

    _edit(folder, material, lambda network: groups.unbundle(network, group)[0])


@cards.command("take-out")
def take_out(folder: Folder, material: Material, names: Names) -> None:
    """Pull cards out of their chains; their neighbours join."""
    from collage.core.document import edits

    library = _library()

    def change(network: Network) -> Network:
        known = {name: network.cards[name] for name in names if name in network.cards}
        main = {name: library.definition(card).main_input for name, card in known.items() if card.network is None}
        return edits.take_out(network, names, main)

    _edit(folder, material, change)


@cards.command()
def swap(folder: Folder, material: Material, card: str, first: str, second: str) -> None:
    """Exchange two inputs of a card."""
    from collage.core.document import edits

    def change(network: Network) -> Network:
        if card not in network.cards:
            raise CollageError(f"There is no card “{card}”.", about=material, remedy="See `collage cards list`.")
        return edits.swap_inputs(network, card, first, second)

    _edit(folder, material, change)


def _place(text: str) -> tuple[str, str]:
    card, dot, name = text.partition(".")
    if not dot:
        raise CollageError(f"“{text}” names no input.", remedy="Write it as CARD.INPUT.")
    return card, name


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

    library, here, there = _library(), links.Place(*_place(follower)), links.Place(*_place(leader))

    def change(network: Network) -> Network:
        for place in (here, there):
            if place.card not in network.cards:
                raise CollageError(f"There is no card “{place.card}”.", about=material)
        card = network.cards[there.card]
        tab = library.definition(card).inputs.get(there.input)
        value = (links.linked_value(network, there) or shown_value(card, tab)) if tab is not None else None
        if tab is None or value is None:
            raise CollageError(f"“{leader}” has no value to follow.", about=material)
        return links.follow(network, here, there, tab.type, value, factor=factor, offset=offset)

    _edit(folder, material, change)


@cards.command()
def unlink(folder: Folder, material: Material, follower: Annotated[str, typer.Argument(help="CARD.INPUT")]) -> None:
    """Cut a link; the value stays what it is."""
    from collage.core.document import links

    _edit(folder, material, lambda network: links.unlink(network, links.Place(*_place(follower))))


@cards.command()
def frame(
    folder: Folder, material: Material, names: Names, title: Annotated[str, typer.Option(help="Its title.")] = "Frame"
) -> None:
    """Draw a frame around cards."""
    from collage.core.document import frames

    _edit(folder, material, lambda network: frames.around(network, names, title)[0])


@cards.command()
def tidy(folder: Folder, material: Material) -> None:
    """Lay the cards out in columns from left to right."""
    from collage.core.document import edits
    from collage.core.document.materials import hidden_on_board
    from collage.core.nodes import layout

    def change(network: Network) -> Network:
        shown = [name for name in network.cards if name not in hidden_on_board(network)]
        return edits.move_cards(network, layout.tidy(network, shown))

    _edit(folder, material, change)


@cards.command()
def copy(folder: Folder, material: Material, names: Names) -> None:
    """Write cards to standard output, as MaterialX."""
    from collage.core.document.clipboard import copied
    from collage.core.project.folder import load_project

    typer.echo(copied(_material(load_project(folder)[0], material), names))


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
    _edit(folder, material, lambda network: pasted(network, text)[0])
