"""A section across an object of a project."""

from __future__ import annotations

import csv
from pathlib import Path
from typing import Annotated

import typer

from collage.cli.shared import Folder, load_library, parse_size, prepare_kernels
from collage.core.base.errors import CollageError
from collage.core.base.text import shown

app = typer.Typer(add_completion=False)


@app.callback()
def _section() -> None:
    """Keeps the name of the one command."""


@app.command()
def section(
    folder: Folder,
    start: Annotated[str, typer.Option("--from", metavar="X,Y", help="Pixels from the upper left of the picture.")],
    end: Annotated[str, typer.Option("--to", metavar="X,Y", help="The other end.")],
    size: Annotated[str, typer.Option(help="Of the picture, pixels.")] = "1280x800",
    out: Annotated[Path | None, typer.Option("--out", "-o", help="A .csv of the profile, in metres.")] = None,
) -> None:
    """Tell how long and deep the profile of an object is along a line across the picture."""
    from collage.cli.values import parsed_value
    from collage.core.images.store import ImageStore
    from collage.core.project.folder import load_project, project_folder
    from collage.core.project.pictures import picture_request
    from collage.core.render import section as sections
    from collage.core.render.renderer import Renderer

    ends = [parsed_value("end", "vector2", text) for text in (start, end)]
    prepare_kernels()
    folder = project_folder(folder)
    project, _ = load_project(folder)
    request = picture_request(project, *parse_size(size), "final", "lit", None, folder)
    renderer = Renderer(load_library(), ImageStore())
    line = sections.line_between(renderer, request, *ends)  # type: ignore[arg-type]
    found = sections.section(renderer, request, line) if line is not None else None
    if line is None or found is None:
        raise CollageError("Both ends must be on one object.", remedy="Look at the picture with “collage render”.")
    typer.echo(shown(f"{line.name}: {1000 * found.length:.2f} mm long, {1000 * found.depth:.2f} mm deep"))
    if out is not None:
        with out.open("w", newline="") as file:
            rows = csv.writer(file)
            rows.writerow(("along", "height", "without displacement"))
            rows.writerows(zip(found.along, found.height, found.before, strict=True))
