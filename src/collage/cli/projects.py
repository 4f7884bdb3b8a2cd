"""Commands for projects as a whole: samples, new ones, the window."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.shared import prepare_kernels, progress
from collage.demo import SAMPLES
from collage.demo.folder import DEMO, demo_folder
from collage.starting import has_display, told_of_missing_packages

app = typer.Typer(add_completion=False)


@app.command()
def samples() -> None:
    """List the sample projects that `collage new --from` can write."""
    for name, title in SAMPLES.items():
        typer.echo(f"{name:16} {title}")


@app.command()
def new(
    folder: Annotated[Path, typer.Argument(help="Where to put the new project.")],
    sample: Annotated[str, typer.Option("--from", help="Name of a sample, see `collage samples`.")] = "plain-ball",
) -> None:
    """Write a new project from a sample."""
    from collage.demo.shed import make_sample

    with progress("Making the sample") as show:
        make_sample(sample, folder, show)
    typer.echo(str(folder))


def ensure_demo() -> Path:
    """The demo project's folder; the project is made when first asked for."""
    from collage.core.project.folder import is_project
    from collage.demo.shed import make_sample

    folder = demo_folder()
    if not is_project(folder):
        with progress("Making the potting shed") as show:
            make_sample(DEMO, folder, show)
    return folder


@app.command()
def demo(
    out_dir: Annotated[Path, typer.Option(help="Where pictures go if there is no display.")] = Path("demo-output"),
    headless: Annotated[bool, typer.Option(help="Write the pictures even if there is a display.")] = False,
) -> None:
    """Open the demo: the potting shed. Without a display, write its picture."""
    prepare_kernels()
    folder = ensure_demo()
    if headless or not has_display():
        typer.echo(
            "There is no display, so the demo is written to files." if not headless else "Writing the demo to files."
        )
        from collage.cli.pictures import render_to

        list(render_to(folder, out_dir / "potting-shed.png", 1280, 800, "lit", "final"))
        _window_shot(folder, out_dir / "window.png")
        typer.echo(f"{out_dir / 'potting-shed.png'}\n{out_dir / 'window.png'}")
        return
    _open_window(folder)


def _open_window(folder: Path | None) -> None:
    from collage.app.shell.start import run_window

    if told_of_missing_packages():
        raise typer.Exit(1)
    code = run_window(folder)
    if code:
        raise typer.Exit(code)


def _window_shot(folder: Path, path: Path) -> None:
    from collage.app.shell.start import window_shot

    window_shot(folder, path)


@app.command("open")
def open_(
    project: Annotated[Path | None, typer.Argument(help="A project folder; none opens the last one.")] = None,
) -> None:
    """Open the window, on a project if one is named."""
    prepare_kernels()
    _open_window(project)
