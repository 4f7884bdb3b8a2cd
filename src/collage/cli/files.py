"""The command for the files of a project."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.cli.shared import finish
from collage.core.base.errors import CollageError
from collage.core.base.text import shown

if TYPE_CHECKING:
    from collage.core.project.state import Project

app = typer.Typer(add_completion=False)


@app.callback()
def _files() -> None:
    """Keeps the name of the one command."""


@app.command()
def files(
    project: Annotated[Path, typer.Argument(help="A project folder.")],
    find_in: Annotated[Path | None, typer.Option("--find-in", help="Look for missing files below this folder.")] = None,
    collect: Annotated[bool, typer.Option("--collect", help="Copy files from outside into the project.")] = False,
    half: Annotated[
        list[str] | None, typer.Option(help="Use a map at half its size, by its name as listed; the large file stays.")
    ] = None,
    sizes: Annotated[bool, typer.Option("--sizes", help="List sizes too, the largest first.")] = False,
) -> None:
    """List a project's files and their sizes; find missing ones, copy them in, halve large ones."""
    from collage.core.base.progress import finished
    from collage.core.project import references as refs
    from collage.core.project.folder import load_project, save_project
    from collage.core.project.lock import held

    state, problems = load_project(project)
    if problems:
        raise problems[0]
    before = state
    if find_in is not None:
        wanted = [one for one in refs.references(state, project) if one.missing]
        state = refs.relinked(state, project, refs.find(wanted, find_in))
    if collect:
        state = finished(refs.collect(state, project))
    if half:
        state = _with_halves(state, project, half)
    if state is not before:
        with held(project):
            save_project(state, project)
    good = True
    for one in refs.references(state, project):
        what = "" if not one.missing else "  missing" + (f" tiles {', '.join(one.missing)}" if one.missing[0] else "")
        good &= not one.missing
        typer.echo(f"{one.material or 'bench'}: {one.stored}{what}", err=bool(one.missing))
    if sizes:
        _list_sizes(state, project)
    if not good:
        raise typer.Exit(1)


def _with_halves(state: Project, folder: Path, names: list[str]) -> Project:
    """The project that uses some of its maps at half their size."""
    from collage.core.project import references as refs
    from collage.core.project.map_sizes import halved

    every = refs.references(state, folder)
    for name in names:
        found = sorted({one.file for one in every if one.material and name in (one.stored, one.file.name)})
        if len(found) != 1:
            told = f"There {'is no file' if not found else 'are several files'} “{name}” in the project."
            raise CollageError(told, remedy="Name one as it is listed.")
        others = finish(halved(state, folder, found), f"Halving {found[0].name}")
        state = refs.using(state, folder, others)
    return state


def _list_sizes(state: Project, folder: Path) -> None:
    from collage.core.base.progress import finished
    from collage.core.base.text import in_bytes
    from collage.core.project.map_sizes import map_files

    for one in finished(map_files(state, folder, state.bench.camera)):
        tiles = f"{one.tiles} x " if one.tiles > 1 else ""
        large = f"  covers only {one.across:.0f} pixels" if one.far_larger else ""
        typer.echo(shown(f"{tiles}{one.width} x {one.height}  {in_bytes(one.bytes)}  {one.file.name}{large}"))
