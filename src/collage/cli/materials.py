"""Commands for the materials of a saved project."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import Folder, Material, load_library, material_of, object_number, saved_session
from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.geometry.mesh import Mesh
    from collage.core.scene.bench import Faces

app = typer.Typer(add_completion=False, help=COMMANDS["materials"][1])


@app.command("list")
def list_materials(folder: Folder, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """List the materials, and which objects have each."""
    from collage.core.project.folder import load_project

    project, _ = load_project(folder)
    if as_json:
        typer.echo(json.dumps({name: project.wearers(name) for name in project.materials}, ensure_ascii=False))
        return
    for name in project.materials:
        typer.echo(f"{name:28} {', '.join(project.wearers(name)) or '(unused)'}")
    for name in project.unread:
        typer.echo(f"{name:28} (cannot be read)")


@app.command("new")
def new_material(folder: Folder, name: Material) -> None:
    """Add a plain material; prints its name."""
    from collage.core.actions.materials import new_material_named

    with saved_session(folder) as session:
        typer.echo(new_material_named(session, name))


@app.command("add")
def add(
    folder: Folder,
    file: Annotated[Path, typer.Argument(help="A MaterialX document.")],
    name: Annotated[list[str] | None, typer.Option(help="One of its materials; may be given several times.")] = None,
    every: Annotated[bool, typer.Option("--all", help="All of its materials.")] = False,
    listed: Annotated[bool, typer.Option("--list", help="Only print the names of its materials.")] = False,
) -> None:
    """Add materials of a MaterialX document; prints their names."""
    from collage.core.actions.materials import Offered, add_materials
    from collage.core.base.errors import CollageError

    offered = Offered.read(file)
    if listed:
        for one in offered.materials:
            typer.echo(f"{one.title}\t{one.folder}" if one.folder else one.title)
        return
    chosen = list(offered.materials) if every else offered.named(name or [])
    if offered.several and not chosen:
        raise CollageError(
            f"The file has {len(offered.materials)} materials.",
            about=file.name,
            remedy="Choose some with --name, take all with --all, or see their names with --list.",
        )
    with saved_session(folder) as session:
        for made in add_materials(session, offered, chosen):
            typer.echo(made)


@app.command()
def duplicate(folder: Folder, name: Material) -> None:
    """Add a copy of a material; prints its name."""
    from collage.core.actions.materials import duplicate_material

    with saved_session(folder, name) as session:
        typer.echo(duplicate_material(session, name))


@app.command()
def rename(folder: Folder, name: Material, to: Annotated[str, typer.Argument(help="The new name.")]) -> None:
    """Rename a material; the objects that have it keep it."""
    from collage.core.actions.materials import rename_material

    with saved_session(folder, name) as session:
        rename_material(session, name, to)


@app.command()
def delete(folder: Folder, name: Material) -> None:
    """Delete a material; the objects that had it get another one."""
    from collage.core.actions.materials import delete_material

    with saved_session(folder, name) as session:
        delete_material(session, name)


@app.command("bring-back")
def bring_back(folder: Folder, name: Material) -> None:
    """Take a material that cannot be read from the newest copy of the project that has it."""
    from collage.core.actions import materials

    with saved_session(folder) as session:
        materials.bring_back(session, name)


@app.command()
def assign(
    folder: Folder,
    name: Material,
    to: Annotated[str, typer.Argument(help="Name of an object.")],
    part: Annotated[str, typer.Option(help="Only to its part of this name.")] = "",
    slot: Annotated[str, typer.Option(help="Only to its material slot of this name.")] = "",
    piece: Annotated[int, typer.Option(help="Only to its connected piece of this number, from 1.")] = 0,
    faces: Annotated[str, typer.Option(help="Only to its picked faces of this name.")] = "",
) -> None:
    """Assign a material to an object, or to a part, slot, piece or picked faces of it."""
    from collage.core.actions.materials import assign_material

    if sum(map(bool, (part, slot, piece, faces))) > 1:
        raise CollageError("One of part, slot, piece and faces can be said at a time.", remedy="Call it once for each.")
    with saved_session(folder, name) as session:
        number = object_number(session.project, to)
        chosen = _faces(session.bench.objects[number].mesh(), part, slot, piece, faces)
        assign_material(session, number, name, chosen)


def _faces(mesh: Mesh, part: str, slot: str, piece: int, picked: str) -> Faces | None:
    """Which faces are meant; None for all. Raises CollageError for those that there are not."""
    for by, name, names in (
        ("part", part, mesh.part_names), ("slot", slot, mesh.slot_names), ("set of faces", picked, tuple(mesh.sets))
    ):  # fmt: skip
        if name and name not in names:
            raise CollageError(
                f"It has no {by} “{name}”.", remedy=f"There are {', '.join(names)}." if any(names) else ""
            )
    pieces = int(mesh.ids[1].max()) + 1
    if piece and not 1 <= piece <= pieces:
        raise CollageError(f"It has no piece {piece}.", remedy=f"There are {pieces}.")
    if part:
        return "part", part, 0
    if slot:
        return "slot", slot, 0
    if picked:
        return "set", picked, 0
    return ("piece", "", piece - 1) if piece else None


@app.command()
def picture(
    folder: Folder,
    name: Material,
    output: Annotated[Path, typer.Option("-o", "--output", help="A PNG file.")],
    size: Annotated[str, typer.Option(help="Its size.")] = "256x256",
) -> None:
    """Write a picture of a material on a ball."""
    from collage.cli.shared import parse_size, prepare_kernels
    from collage.core.images.files import write_image
    from collage.core.project.folder import load_project, material_folder
    from collage.core.render.renderer import Renderer
    from collage.core.render.swatch import swatch

    project, _ = load_project(folder)
    document, wanted = material_of(project, name), parse_size(size)
    prepare_kernels()
    write_image(output, swatch(Renderer(load_library()), document, material_folder(folder), wanted))
