"""Commands that make pictures."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.shared import fail, load_library, parse_size, prepare_kernels, progress
from collage.core.base.errors import CollageError

app = typer.Typer(add_completion=False)


@app.callback()
def _pictures() -> None:
    """Keeps the name of the one command."""


@app.command()
def render(
    project: Annotated[Path, typer.Argument(help="The project folder.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="The file to write: .png, .jpg, .tif or .exr.")],
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "1280x800",
    view: Annotated[str, typer.Option(help="lit, clay, normals, or the name of a surface input.")] = "lit",
    quality: Annotated[str, typer.Option(help="draft or final.")] = "final",
    without: Annotated[
        list[str] | None, typer.Option(help="Leave out normal maps, bump or displacement; may be given several times.")
    ] = None,
    grazing: Annotated[bool, typer.Option("--grazing", help="One low light, to judge relief.")] = False,
) -> None:
    """Render a project's picture to a file. Needs no display."""
    width, height = parse_size(size)
    if quality not in ("coarse", "draft", "final"):
        raise CollageError(f"There is no quality “{quality}”.", remedy="Use draft or final.")
    from collage.core.render.files import check_picture_file

    check_picture_file(out)
    prepare_kernels()
    seconds = render_to(project, out, width, height, view, quality, tuple(without or ()), grazing)
    typer.echo(f"{out}  {width}×{height}  {seconds:.1f} s")


def render_to(
    folder: Path,
    out: Path,
    width: int,
    height: int,
    view: str,
    quality: str,
    without: tuple[str, ...] = (),
    grazing: bool = False,
) -> float:
    """Renders a project to a file, what is wrong told on the way. Returns the seconds it took.

    without : kinds of relief to leave out. grazing : in one low light.
    """
    from typing import cast

    from collage.app.shell.settings import level_files, load_settings
    from collage.core.images.store import ImageStore
    from collage.core.project.folder import load_project, project_folder
    from collage.core.project.pictures import in_grazing_light, picture_request, without_reliefs
    from collage.core.render.files import check_picture_file, check_view, write_picture
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import Quality

    library = load_library()
    check_view(view)
    check_picture_file(out)
    folder = project_folder(folder)
    project, problems = load_project(folder)
    for problem in problems:
        fail(problem)
    request = picture_request(project, width, height, cast(Quality, quality), view, None, folder)
    request = in_grazing_light(without_reliefs(request, without)) if grazing else without_reliefs(request, without)
    files = level_files(load_settings())
    with progress("Rendering") as show:
        renderer = Renderer(library, ImageStore(files=files))
        picture = renderer.picture(request, progress=lambda share: show("Rendering", share))
    if files is not None:
        files.settle()  # maps that were read now lie ready for the next picture
    for (material, _), problem in picture.problems.items():
        typer.echo(f"collage: in “{material}”: {problem}", err=True)
    for remark in picture.remarks:
        typer.echo(f"collage: {remark}", err=True)
    write_picture(picture, out)
    return picture.seconds
