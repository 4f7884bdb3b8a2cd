"""Commands for renders that wait in the queue."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import load_library, parse_size, prepare_kernels, progress
from collage.core.base.errors import CollageError

app = typer.Typer(add_completion=False, help=COMMANDS["renders"][1])


@app.command("list")
def list_() -> None:
    """List the renders that wait, with their numbers."""
    from collage.core.project import render_queue as orders

    for number, place in enumerate(orders.waiting(), 1):
        order = orders.read(place)
        assert order is not None
        frames = f", {order.done} of {order.frames} frames" if order.frames else ""
        said = f" · {order.said}" if order.said else ""
        typer.echo(f"{number}  {order.out}  {order.width}×{order.height}  {order.quality}{frames}{said}")


@app.command()
def add(
    project: Annotated[Path, typer.Argument(help="The project folder; it is rendered as it is now.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="The file to write.")],
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "1280x800",
    quality: Annotated[str, typer.Option(help="draft, final or traced.")] = "final",
    samples: Annotated[int, typer.Option(min=1, help="Traced: samples a pixel at most.")] = 128,
    frames: Annotated[int, typer.Option(min=0, help="So many frames of a camera that goes once round.")] = 0,
    denoise: Annotated[bool, typer.Option("--denoise", help="Traced: filter out the noise that is left.")] = False,
    depth: Annotated[int, typer.Option(help="Bits a number: PNG and TIFF 8 or 16, EXR 32 or 16.")] = 0,
) -> None:
    """Put a render behind those that wait."""
    from collage.core.project import render_queue as orders
    from collage.core.project.folder import load_project, project_folder
    from collage.core.render.files import check_depth, check_picture_file
    from collage.core.render.tracing import Tracing

    width, height = parse_size(size)
    if quality not in ("draft", "final", "traced"):
        raise CollageError(f"There is no quality “{quality}”.", remedy="Use draft, final or traced.")
    check_picture_file(out)
    check_depth(out, depth)
    folder = project_folder(project)
    order = orders.Order(
        out=str(out.absolute()), folder=str(folder.absolute()), width=width, height=height, quality=quality,
        tracing=Tracing(samples=samples, denoised=denoise), frames=frames, bits=depth,
    )  # fmt: skip
    orders.add(load_project(folder)[0], order)
    typer.echo(f"{order.out} waits; “collage renders go” renders it.")


@app.command()
def go() -> None:
    """Render all that waits and that no window is at; what was begun goes on from where it was."""
    from collage.core.base.progress import finished
    from collage.core.evaluate.run import never
    from collage.core.project import render_queue as orders
    from collage.core.render.renderer import Renderer

    prepare_kernels()
    renderer, failed = Renderer(load_library()), False
    orders.left()
    for place in orders.own():
        order = orders.read(place)
        assert order is not None
        try:
            with progress(f"Rendering {order.name}") as show:
                finished(orders.rendering(renderer, place, never), show)
            typer.echo(order.out)
        except CollageError as error:
            failed = True
            orders.write(place, order.model_copy(update={"said": str(error)}))
            typer.echo(f"collage: {error}", err=True)
    if failed:
        raise typer.Exit(1)


@app.command()
def remove(number: Annotated[int, typer.Argument(help="Which one, see list.")]) -> None:
    """Take a render off the list."""
    from collage.core.project import render_queue as orders

    places = orders.waiting()
    if not 1 <= number <= len(places):
        raise CollageError(f"There is no render {number}.", remedy="See “collage renders list”.")
    orders.forget(places[number - 1])
