"""Commands for MaterialX documents, and for what is known of projects, documents and images."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.shared import load_library, parse_size, progress
from collage.core.base.errors import CollageError

app = typer.Typer(add_completion=False)


@app.command()
def evaluate(
    file: Annotated[Path, typer.Argument(help="A MaterialX document.")],
    out_dir: Annotated[Path, typer.Option(help="Where the EXR files go.")],
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "512x512",
    every: Annotated[bool, typer.Option("--all", help="Every output of every nodegraph.")] = False,
    graph: Annotated[list[str] | None, typer.Option(help="Only this nodegraph; may be repeated.")] = None,
) -> None:
    """Evaluate nodegraph outputs over the unit UV square to float EXR files, one per output."""
    from collage.core.evaluate.sheets import evaluate_graphs

    width, height = parse_size(size)
    if not every and not graph:
        raise CollageError("Nothing to evaluate.", remedy="Add --all, or --graph NAME.")
    failed = written = 0
    with progress("Evaluating") as show:
        for done in evaluate_graphs(load_library(), file, width, height, out_dir, None if every else graph):
            show(done.name, done.share)
            if done.error is not None:
                failed += 1
                typer.echo(f"{done.name}: {done.error}", err=True)
            written += len(done.files)
    told = f", {failed} {'graph' if failed == 1 else 'graphs'} failed" if failed else ""
    typer.echo(f"{written} {'file' if written == 1 else 'files'} in {out_dir}{told}")
    if failed and not written:
        raise typer.Exit(1)


@app.command()
def nodes(
    summary: Annotated[bool, typer.Option("--summary", help="Only how many, and why some are skipped.")] = False,
) -> None:
    """List every definition of the library, and whether Collage computes it."""
    from collage.core.nodes import states

    library = load_library()
    if not summary:
        for one in states.states(library):
            typer.echo(f"{one.definition.name:52} {one.how:9} {one.reason}".rstrip())
    typer.echo(states.summary(library))


@app.command()
def info(
    path: Annotated[Path, typer.Argument(help="A project folder, a MaterialX document or an image.")],
) -> None:
    """Show what a project, document or image holds, and what is wrong with it."""
    from collage.core.project.describe import describe

    good = True
    for line, sound in describe(path, load_library()):
        good &= sound
        typer.echo(line, err=not sound)
    if not good:
        raise typer.Exit(1)
