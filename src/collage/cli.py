"""The command line: every job of the core without a window."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage import __version__, cli_cards, cli_gather, cli_materials
from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.nodes.library import Library

app = typer.Typer(
    help="Collage: wire maps and patterns into physically based surfaces and judge them under light.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


app.add_typer(cli_materials.materials, name="materials")
app.add_typer(cli_cards.cards, name="cards")
cli_gather.register(app)


def _say(text: str) -> None:
    typer.echo(text)


def _fail(error: CollageError) -> None:
    typer.echo(f"collage: {error}", err=True)


def parse_size(text: str) -> tuple[int, int]:
    """(width, height) from a text such as 1280x800."""
    try:
        width, height = (int(part) for part in text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise CollageError(f"“{text}” is no size.", remedy="Write it as WIDTHxHEIGHT, for example 1280x800.") from None
    if not (1 <= width <= 16384 and 1 <= height <= 16384):
        raise CollageError(f"{width}×{height} is out of range.", remedy="Use 1 to 16384 pixels a side.")
    return width, height


@contextmanager
def progress(title: str) -> Iterator[Callable[[str, float], None]]:
    """A progress line on a terminal; nothing where the output is not one."""
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console, disable=not console.is_terminal, transient=True) as bar:
        task = bar.add_task(title, total=1.0)
        yield lambda text, share: bar.update(task, description=text or title, completed=share)


def prepare_kernels() -> None:
    """Compiles what the cache does not have yet, and says so: it happens once."""
    from collage.core import kernels

    fresh = not kernels.cached()
    if fresh:
        typer.echo("Getting ready: compiling the kernels, once (under a minute).", err=True)
    with progress("Compiling kernels") as show:
        for family, done, count in kernels.load_all():
            show(f"Compiling {family}" if fresh else "Loading kernels", done / count)


def _library() -> Library:
    from collage.core.nodes.library import load_library

    return load_library()


@app.command()
def samples() -> None:
    """List the sample projects that `collage new --from` can write."""
    from collage.demo.shed import SAMPLES

    for sample in SAMPLES:
        _say(f"{sample.name:16} {sample.title}")


@app.command()
def new(
    folder: Annotated[Path, typer.Argument(help="Where to put the new project.")],
    sample: Annotated[str, typer.Option("--from", help="Name of a sample, see `collage samples`.")] = "plain-ball",
) -> None:
    """Write a new project from a sample."""
    from collage.demo.shed import make_sample

    with progress("Making the sample") as show:
        make_sample(sample, folder, show)
    _say(str(folder))


def demo_folder() -> Path:
    """Where the demo project lives: in the user's data folder, made when first asked for."""
    import platformdirs

    return Path(platformdirs.user_data_dir("collage")) / f"potting-shed-{__version__}"


def ensure_demo() -> Path:
    from collage.core.project.folder import is_project
    from collage.demo.shed import make_sample

    folder = demo_folder()
    if not is_project(folder):
        with progress("Making the potting shed") as show:
            make_sample("potting-shed", folder, show)
    return folder


@app.command()
def demo(
    out_dir: Annotated[Path, typer.Option(help="Where pictures go if there is no display.")] = Path("demo-output"),
    headless: Annotated[bool, typer.Option(help="Write the pictures even if there is a display.")] = False,
) -> None:
    """Open the demo: the potting shed. Without a display, write its picture and a shot of its window."""
    prepare_kernels()
    folder = ensure_demo()
    if headless or not _has_display():
        _say(
            "There is no display here, so the demo is written to files."
            if not headless
            else "Writing the demo to files."
        )
        _render_to(folder, out_dir / "potting-shed.png", 1280, 800, "lit", "final")
        _window_shot(folder, out_dir / "window.png")
        _say(f"{out_dir / 'potting-shed.png'}\n{out_dir / 'window.png'}")
        return
    _open_window(folder)


def _has_display() -> bool:
    import os

    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")) or sys.platform != "linux"


def _open_window(folder: Path | None) -> None:
    from collage.app.shell.start import run_window

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


@app.command()
def render(
    project: Annotated[Path, typer.Argument(help="The project folder.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="The file to write: .png, .jpg, .tif or .exr.")],
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "1280x800",
    view: Annotated[str, typer.Option(help="lit, clay, normals, or the name of a surface input.")] = "lit",
    quality: Annotated[str, typer.Option(help="draft or final.")] = "final",
) -> None:
    """Render a project's picture to a file. Needs no display."""
    width, height = parse_size(size)
    if quality not in ("coarse", "draft", "final"):
        raise CollageError(f"There is no quality “{quality}”.", remedy="Use draft or final.")
    prepare_kernels()
    seconds = _render_to(project, out, width, height, view, quality)
    _say(f"{out}  {width}×{height}  {seconds:.1f} s")


def _render_to(folder: Path, out: Path, width: int, height: int, view: str, quality: str) -> float:
    from typing import cast

    from collage.core.project.folder import load_project
    from collage.core.project.pictures import picture_request
    from collage.core.render.files import check_view, write_picture
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import Quality

    library = _library()
    check_view(view)
    project, problems = load_project(folder)
    for problem in problems:
        _fail(problem)
    request = picture_request(project, width, height, cast(Quality, quality), view, None, folder)
    with progress("Rendering") as show:
        picture = Renderer(library).picture(request, progress=lambda share: show("Rendering", share))
    for (material, _), problem in picture.problems.items():
        typer.echo(f"collage: in “{material}”: {problem}", err=True)
    write_picture(picture, out)
    return picture.seconds


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
        raise CollageError("Nothing is asked for.", remedy="Add --all, or --graph NAME.")
    failed = written = 0
    with progress("Evaluating") as show:
        for done in evaluate_graphs(_library(), file, width, height, out_dir, None if every else graph):
            show(done.name, done.share)
            if done.error is not None:
                failed += 1
                typer.echo(f"{done.name}: {done.error}", err=True)
            written += len(done.files)
    _say(f"{written} files in {out_dir}" + (f", {failed} graphs failed" if failed else ""))
    if failed and not written:
        raise typer.Exit(1)


@app.command()
def nodes(
    summary: Annotated[bool, typer.Option("--summary", help="Only how many, and why some are skipped.")] = False,
) -> None:
    """List every definition of the library, and whether Collage computes it."""
    from collage.core.nodes import states

    library = _library()
    if not summary:
        for one in states.states(library):
            _say(f"{one.definition.name:52} {one.how:9} {one.reason}".rstrip())
    _say(states.summary(library))


@app.command()
def info(
    path: Annotated[Path, typer.Argument(help="A project folder, a MaterialX document or an image.")],
) -> None:
    """Say what a project, document or image holds, and what is wrong with it."""
    from collage.core.describe import describe

    good = True
    for line, sound in describe(path, _library()):
        good &= sound
        typer.echo(line, err=not sound)
    if not good:
        raise typer.Exit(1)


@app.callback(invoke_without_command=True)
def _main(
    version: Annotated[bool, typer.Option("--version", help="Say the version.")] = False,
) -> None:
    if version:
        _say(f"collage {__version__}")
        raise typer.Exit


def main() -> None:
    """The entry point; whatever goes wrong ends in a sentence and exit code 1."""
    try:
        app(standalone_mode=True)
    except CollageError as error:
        _fail(error)
        sys.exit(1)
    except KeyboardInterrupt:
        typer.echo("collage: stopped.", err=True)
        sys.exit(130)


if __name__ == "__main__":
    main()
