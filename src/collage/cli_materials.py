"""Commands for the materials of a saved project."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.cli_shared import Folder, Material, changed, load_library, material_of
from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.project.state import Project

materials = typer.Typer(help="List, make, rename, copy, delete, give and picture the materials of a project.")


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

    changed(folder, lambda project: project.with_material(project.free_material_name(name), plain()))


@materials.command()
def duplicate(folder: Folder, name: Material) -> None:
    """Add a copy of a material."""
    changed(folder, lambda project: project.with_material(project.free_material_name(name), material_of(project, name)))


@materials.command()
def rename(folder: Folder, name: Material, to: Annotated[str, typer.Argument(help="The new name.")]) -> None:
    """Give a material another name; what wears it goes on wearing it."""

    def change(project: Project) -> Project:
        material_of(project, name)
        return project.renamed_material(name, to)

    changed(folder, change)


@materials.command()
def delete(folder: Folder, name: Material) -> None:
    """Take a material out; what wore it wears another one."""

    def change(project: Project) -> Project:
        material_of(project, name)
        return project.without_material(name)

    changed(folder, change)


@materials.command()
def give(folder: Folder, name: Material, to: Annotated[str, typer.Argument(help="Name of an object.")]) -> None:
    """Let an object wear a material."""

    def change(project: Project) -> Project:
        material_of(project, name)
        parts = [item.name for item in project.bench.objects]
        if to not in parts:
            raise CollageError(f"There is no object “{to}”.", remedy=f"Choose one of {', '.join(parts)}.")
        return project.given_material(parts.index(to), name)

    changed(folder, change)


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
    from collage.core.project.folder import load_project, material_folder
    from collage.core.render.renderer import Renderer
    from collage.core.render.swatch import swatch

    project, _ = load_project(folder)
    document, wanted = material_of(project, name), parse_size(size)
    prepare_kernels()
    write_image(output, swatch(Renderer(load_library()), document, material_folder(folder), wanted))
