"""Baking maps onto an object's UVs."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from collage.cli.shared import Folder, finish, prepare_kernels, saved_session
from collage.core.base.errors import CollageError
from collage.core.base.text import shown

if TYPE_CHECKING:
    from collage.core.actions.session import Session
    from collage.core.bake.files import BakedFiles
    from collage.core.bake.recipe import Bake
    from collage.core.render.renderer import Renderer
    from collage.core.render.request import PictureRequest

app = typer.Typer(add_completion=False)


@app.command()
def bake(
    folder: Folder,
    target: Annotated[str, typer.Argument(metavar="OBJECT", help="The object whose UVs the maps are for.")] = "",
    source: Annotated[str, typer.Option("--from", help="A dense object; its own relief if left out.")] = "",
    maps: Annotated[str, typer.Option(help="Of normal, height, occlusion, curvature, position, part.")] = "normal",
    uv_set: Annotated[str, typer.Option("--set", help="The UV set; the first if left out.")] = "",
    size: Annotated[int, typer.Option(help="Texels a side of a tile.")] = 1024,
    samples: Annotated[int, typer.Option(help="Samples a texel, in each way: 1 to 4.")] = 2,
    outward: Annotated[float | None, typer.Option(help="Metres that rays begin above the object.")] = None,
    inward: Annotated[float | None, typer.Option(help="Metres that rays go below it.")] = None,
    straight: Annotated[bool, typer.Option("--straight", help="Rays go along the normals.")] = False,
    as_placed: Annotated[bool, typer.Option("--as-placed", help="Leave both objects where they stand.")] = False,
    padding: Annotated[int, typer.Option(help="Texels around islands.")] = 16,
    space: Annotated[str, typer.Option(help="Of the normals: tangent or object.")] = "tangent",
    rays: Annotated[int, typer.Option(help="For occlusion, a texel.")] = 128,
    reach: Annotated[float | None, typer.Option(help="Metres that they go; all of the object if left out.")] = None,
    form: Annotated[str, typer.Option("--format", help="png8, png16 or exr.")] = "png16",
    out_dir: Annotated[Path | None, typer.Option(help="Where to write; the project's maps/OBJECT if left out.")] = None,
    wear: Annotated[bool, typer.Option("--wear", help="Give the object a new material with the maps.")] = False,
    again: Annotated[Path | None, typer.Option(help="A baked map, or its record: bake all of it as then.")] = None,
) -> None:  # fmt: skip
    """Bake normals, height, occlusion and more onto an object's UVs."""
    if again is None and not target:
        raise CollageError("No object is named.", remedy="Name the object that the maps are for.")
    prepare_kernels()
    with saved_session(folder) as session:
        how = _recipe(
            target=target, source=source, maps=tuple(one.strip() for one in maps.split(",")), uv_set=uv_set, size=size,
            across=samples, outward=outward, inward=inward, even=not straight, as_placed=as_placed, padding=padding,
            space=space, rays=rays, reach=reach, form=form,
        ) if again is None else _recorded(again)  # fmt: skip
        made = _baked(session, how, out_dir or (again.parent if again is not None else None))
        for path in made.paths:
            typer.echo(shown(str(path)))
        for remark in made.remarks:
            typer.echo(shown(f"collage: {remark}"), err=True)
        if made.missed is not None:
            typer.echo(shown(f"collage: where they missed: {made.missed}"), err=True)
        if wear:
            from collage.core.actions.bake import wear_baked

            typer.echo(shown(wear_baked(session, how, made)))


@app.command()
def masks(
    folder: Folder,
    target: Annotated[str, typer.Argument(metavar="OBJECT", help="The object whose UVs the map is for.")],
    card: Annotated[str, typer.Argument(metavar="CARD[.OUTPUT]", help="A card of its material.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="The file to write: .png or .exr.")],
    material: Annotated[str, typer.Option(help="The material; the object's own if left out.")] = "",
    uv_set: Annotated[str, typer.Option("--set", help="The UV set; the first if left out.")] = "",
    size: Annotated[int, typer.Option(min=16, max=8192, help="Texels a side of a tile.")] = 1024,
    padding: Annotated[int, typer.Option(min=0, max=512, help="Texels around islands.")] = 16,
    bits: Annotated[int, typer.Option(help="Of a .png: 8 or 16.")] = 16,
) -> None:
    """Bake what a card puts out, as a mask, onto an object's UVs."""
    from collage.core.bake.cards import baking_card
    from collage.core.evaluate.plan import CardOutput

    if out.suffix.lower() not in (".png", ".exr") or bits not in (8, 16):
        raise CollageError("A mask is written as PNG of 8 or 16 bits, or as EXR.", about=out.name)
    prepare_kernels()
    form = "exr" if out.suffix.lower() == ".exr" else f"png{bits}"
    name, _, output = card.partition(".")
    with saved_session(folder) as session:
        own = {item.name: item.material for item in session.bench.objects}
        renderer, request = _renderer(session)
        steps = baking_card(
            renderer, request, target, material or own.get(target, ""), CardOutput(name, output), out, uv_set=uv_set,
            size=size, padding=padding, form=form,  # type: ignore[arg-type]
        )  # fmt: skip
        for path in finish(steps, "Baking"):
            typer.echo(shown(str(path)))


def _recipe(**how: Any) -> Bake:
    from pydantic import ValidationError

    from collage.core.bake.recipe import Bake

    try:
        return Bake(**how)
    except ValidationError as error:
        first = error.errors()[0]
        raise CollageError(f"“{first['input']}” does not fit: {first['msg'].lower()}.",
                           about=str(first["loc"][0])) from None  # fmt: skip


def _recorded(path: Path) -> Bake:
    """How a map was baked. Raises CollageError."""
    from collage.core.images.made import read_record

    record = read_record(path)
    if record.baked is None:
        raise CollageError("It was not baked.", about=path.name, remedy="See “collage remake”.")
    return _recipe(**record.baked.get("bake", {}))


def _renderer(session: Session) -> tuple[Renderer, PictureRequest]:
    from collage.app.shell.settings import level_files, load_settings
    from collage.core.images.store import ImageStore
    from collage.core.project.pictures import picture_request
    from collage.core.render.renderer import Renderer

    renderer = Renderer(session.library, ImageStore(files=level_files(load_settings())))
    return renderer, picture_request(session.project, 64, 64, "final", "lit", None, session.base_folder)


def _baked(session: Session, how: Bake, folder: Path | None) -> BakedFiles:
    from collage.core.actions.bake import baked_folder, baked_stem
    from collage.core.bake.files import baking_files

    renderer, request = _renderer(session)
    steps = baking_files(renderer, request, how, folder or baked_folder(session, how), baked_stem(how))
    return finish(steps, "Baking")
