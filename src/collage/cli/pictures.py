"""Commands that make pictures."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.cli.shared import fail, load_library, parse_size, prepare_kernels, progress
from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.evaluate.plan import CardOutput
    from collage.core.project.state import Project
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import PictureRequest
    from collage.core.render.tracing import Tracing


@dataclass(frozen=True)
class Frames:
    """How many frames go once round; 0 for one picture. light : whether light goes round, or the camera. resume : leave
    those that are there."""

    count: int = 0
    light: bool = False
    resume: bool = False


ONE = Frames()
app = typer.Typer(add_completion=False)


@app.callback()
def _pictures() -> None:
    """Keeps the name of the one command."""


@app.command()
def render(
    project: Annotated[Path, typer.Argument(help="The project folder.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="The file to write: .png, .jpg, .tif or .exr.")],
    size: Annotated[str, typer.Option(help="Width and height in pixels.")] = "1280x800",
    view: Annotated[
        str,
        typer.Option(
            help="lit, clay, normals, uvs, test pattern, occlusion, object ids and the like, or a surface input."
        ),
    ] = "lit",
    card: Annotated[
        str,
        typer.Option(help="One card alone instead: material/card, or material/card.output."),
    ] = "",
    quality: Annotated[str, typer.Option(help="draft, final, or traced with all light that bounces.")] = "final",
    samples: Annotated[int, typer.Option(min=1, help="Traced: samples a pixel at most.")] = 128,
    noise: Annotated[float, typer.Option(min=0, max=1, help="Traced: stop at this noise, as 0.01.")] = 0.0,
    minutes: Annotated[float, typer.Option(min=0, help="Traced: stop after so many minutes.")] = 0.0,
    denoise: Annotated[bool, typer.Option("--denoise", help="Traced: filter out what is left of the noise.")] = False,
    layers: Annotated[
        bool, typer.Option("--layers", help="Traced: direct and indirect light, surface and ids, in one EXR file.")
    ] = False,
    region: Annotated[str, typer.Option(help="A part alone: left,top,width,height in pixels of the whole.")] = "",
    depth: Annotated[int, typer.Option(help="Bits a number: PNG and TIFF 8 or 16, EXR 32 or 16.")] = 0,
    turntable: Annotated[int, typer.Option(min=0, help="So many frames of a camera that goes once round.")] = 0,
    light_turn: Annotated[int, typer.Option(min=0, help="So many frames of light that goes once round.")] = 0,
    resume: Annotated[bool, typer.Option("--resume", help="Leave frames that are there as they are.")] = False,
    seed: Annotated[int, typer.Option(min=0, help="Traced: another number gives other noise.")] = 0,
    without: Annotated[
        list[str] | None, typer.Option(help="Leave out normal maps, bump or displacement; may be given several times.")
    ] = None,
    grazing: Annotated[bool, typer.Option("--grazing", help="One low light, to judge relief.")] = False,
) -> None:
    """Render a project's picture to a file. Needs no display."""
    width, height = parse_size(size)
    if quality not in ("coarse", "draft", "final", "traced"):
        raise CollageError(f"There is no quality “{quality}”.", remedy="Use draft, final or traced.")
    from collage.core.render.files import check_depth, check_layers_file, check_picture_file
    from collage.core.render.request import region_from
    from collage.core.render.tracing import Tracing

    check_picture_file(out)
    check_depth(out, depth)
    part = region_from(region, (width, height))
    if layers:
        check_layers_file(out)
        if quality != "traced":
            raise CollageError("Only traced pictures have layers.", remedy="Add --quality traced.")
    prepare_kernels()
    tracing = Tracing(samples=samples, noise=noise, seconds=60 * minutes, denoised=denoise, seed=seed)
    frames = Frames(turntable or light_turn, light=not turntable, resume=resume)
    for file, seconds in render_to(
        project,
        out,
        width,
        height,
        view,
        quality,
        tuple(without or ()),
        grazing,
        tracing,
        layers=layers,
        frames=frames,
        region=part,
        bits=depth,
        card=card,
    ):
        typer.echo(f"{file}  {width}×{height}  {seconds:.1f} s")


def render_to(
    folder: Path,
    out: Path,
    width: int,
    height: int,
    view: str,
    quality: str,
    without: tuple[str, ...] = (),
    grazing: bool = False,
    tracing: Tracing | None = None,
    layers: bool = False,
    frames: Frames = ONE,
    region: tuple[int, int, int, int] | None = None,
    bits: int = 0,
    card: str = "",
) -> Iterator[tuple[Path, float]]:
    """Renders a project to a file, or to one for each frame, what is wrong told on the way. Tells each and the seconds
    that it took.

    without : kinds of relief to leave out. grazing : in one low light. layers : whether those of a traced picture go
    into the same file. region, bits : see PictureRequest and write_picture. card : what is shown of one alone.
    """
    from typing import cast

    from collage.app.shell.settings import level_files, load_settings
    from collage.core.images.store import ImageStore
    from collage.core.project.folder import load_project, project_folder
    from collage.core.project.looks import LOOKS
    from collage.core.project.pictures import frames_of, in_grazing_light, picture_request, without_reliefs
    from collage.core.render.files import check_picture_file, check_view
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import Quality
    from collage.core.render.tracing import USUAL

    library = load_library()
    if view not in LOOKS:
        check_view(view)
    check_picture_file(out)
    folder = project_folder(folder)
    project, problems = load_project(folder)
    for problem in problems:
        fail(problem)
    request = picture_request(
        project, width, height, cast(Quality, quality), view, _card_of(project, card), folder, tracing or USUAL, region
    )
    request = in_grazing_light(without_reliefs(request, without)) if grazing else without_reliefs(request, without)
    files = level_files(load_settings())
    renderer = Renderer(library, ImageStore(files=files))
    for file, one in frames_of(request, out, frames.count, light=frames.light):
        if frames.resume and file.is_file():
            continue
        yield file, _render(renderer, one, file, layers, bits)
    if files is not None:
        files.settle()  # maps that were read now lie ready for the next picture


def _card_of(project: Project, text: str) -> tuple[str, CardOutput] | None:
    """A card by material/card.output; None for no text. Raises CollageError for one that is not there."""
    from collage.core.evaluate.plan import CardOutput

    if not text:
        return None
    material, _, place = text.partition("/")
    name, _, output = place.partition(".")
    if material not in project.materials or name not in project.materials[material].cards:
        raise CollageError(f"There is no card “{text}”.", remedy="Use “collage cards list” for the names.")
    return material, CardOutput(name, output)


def _render(renderer: Renderer, request: PictureRequest, out: Path, layers: bool, bits: int) -> float:
    """Renders one picture to a file. Returns the seconds it took."""
    from collage.core.render.files import write_picture

    with progress("Rendering") as show:
        picture = renderer.picture(request, progress=lambda share: show("Rendering", share))
        if picture.samples:
            show(f"Traced, {picture.samples} samples", 1.0)
    for (material, _), problem in picture.problems.items():
        typer.echo(f"collage: in “{material}”: {problem}", err=True)
    for remark in picture.remarks:
        typer.echo(f"collage: {remark}", err=True)
    write_picture(request, picture, out, layers=layers, bits=bits)
    return picture.seconds
