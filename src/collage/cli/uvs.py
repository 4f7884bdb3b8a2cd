"""Commands for the UV sets of objects of a saved project."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import Folder, finish, saved_session
from collage.core.base.errors import CollageError
from collage.core.base.text import shown

if TYPE_CHECKING:
    from collage.core.actions.session import Session
    from collage.core.actions.uvs import UvChoice
    from collage.core.scene.bench import Faces

app = typer.Typer(add_completion=False, help=COMMANDS["uv"][1])

Name = Annotated[str, typer.Argument(metavar="OBJECT", help="Name of an object.")]
Set = Annotated[str, typer.Option("--set", help="The UV set; the first if left out.")]
Part = Annotated[str, typer.Option(help="Only the faces of this part.")]
Islands = Annotated[str, typer.Option(metavar="N,N", help="Only these islands, counted from 0.")]
Named = Annotated[str, typer.Option("--faces", help="Only the picked faces of this name; see “objects pick”.")]
Border = Annotated[bool, typer.Option("--border", help="Only the edges around them.")]
Margin = Annotated[int, typer.Option(min=0, help="Texels between islands.")]
Size = Annotated[int, typer.Option(min=16, help="Texels a side that the margin is counted in.")]
Turn = Annotated[bool, typer.Option(help="Whether islands may be turned to save room.")]


def _choice(
    session: Session, name: str, uv_set: str, part: str, islands: str = "", faces: str = "", border: bool = False
) -> UvChoice:
    from collage.core.actions.objects import object_of
    from collage.core.actions.uvs import UvChoice
    from collage.core.geometry.uv_picking import border_of

    mesh = object_of(session.bench, name).mesh()
    numbers = tuple(int(one) for one in islands.split(",") if one.strip().isdigit())
    if faces and faces not in mesh.sets:
        raise CollageError(f"There are no faces “{faces}”.", about=name, remedy="See “collage objects pick”.")
    picked = mesh.sets[faces] if faces else None
    some: Faces | None = ("part", part, 0) if part else None
    choice = UvChoice(name, uv_set or next(iter(mesh.uv), ""), numbers, some, picked)
    return replace(choice, edges=border_of(mesh, choice.triangles(mesh))) if border else choice


@app.command("list")
def list_(folder: Folder) -> None:
    """List the UV sets of every object."""
    with saved_session(folder) as session:
        for item in session.bench.objects:
            typer.echo(shown(f"{item.name}: {', '.join(item.mesh().uv) or 'none'}"))


@app.command()
def new(
    folder: Folder,
    name: Name,
    uv_set: Set = "UV set",
    copy_of: Annotated[str, typer.Option(help="The set to copy; else it is laid out by the object's box.")] = "",
) -> None:
    """Add a UV set to an object; prints its name."""
    from collage.core.actions.uvs import new_set

    with saved_session(folder) as session:
        typer.echo(shown(new_set(session, name, uv_set, copy_of)))


@app.command()
def remove(folder: Folder, name: Name, uv_set: Annotated[str, typer.Argument(help="The UV set.")]) -> None:
    """Delete a UV set."""
    from collage.core.actions.uvs import remove_set

    with saved_session(folder) as session:
        remove_set(session, name, uv_set)


@app.command()
def rename(
    folder: Folder,
    name: Name,
    uv_set: Annotated[str, typer.Argument(help="The UV set.")],
    to: Annotated[str, typer.Argument(help="Its new name.")],
) -> None:
    """Rename a UV set."""
    from collage.core.actions.uvs import rename_set

    with saved_session(folder) as session:
        rename_set(session, name, uv_set, to)


@app.command()
def measure(folder: Folder, name: Name, uv_set: Set = "", size: Size = 1024) -> None:
    """Tell a set's islands, texel density, stretch, flipped faces and overlap."""
    from collage.core.actions.uvs import report_of

    with saved_session(folder) as session:
        found = report_of(session, _choice(session, name, uv_set, ""), size)
    mean, low, high = found.density
    typer.echo(f"islands        {found.islands}")
    typer.echo(f"texel density  {mean:.0f} a metre at {size} ({low:.0f} to {high:.0f})")
    typer.echo(f"stretch        {found.stretch:.3f}")
    typer.echo(f"flipped faces  {found.flipped}")
    typer.echo(f"overlap        {100 * found.overlap:.2f} %")


@app.command()
def unwrap(
    folder: Folder, name: Name, uv_set: Set = "", part: Part = "", faces: Named = "", margin: Margin = 4,
    size: Size = 1024, turn: Turn = True,
    angle: Annotated[float, typer.Option(min=1, max=180, help="Edges that bend by more degrees become seams.")] = 66,
) -> None:  # fmt: skip
    """Unwrap an object, or a part of it, and pack it."""
    from collage.core.actions.uvs import put_uv, unwrap_uv
    from collage.core.geometry.unwrap import UnwrapOptions

    with saved_session(folder) as session:
        choice = _choice(session, name, uv_set, part, faces=faces)
        made = finish(unwrap_uv(session, choice, UnwrapOptions(margin, size, turn, angle)), "Unwrapping")
        put_uv(session, choice, made, "Unwrap")


@app.command()
def pack(
    folder: Folder, name: Name, uv_set: Set = "", part: Part = "", islands: Islands = "", margin: Margin = 4,
    size: Size = 1024, turn: Turn = True,
) -> None:  # fmt: skip
    """Pack islands into the unit square."""
    from collage.core.actions.uvs import pack_uv, put_uv
    from collage.core.geometry.pack import PackOptions

    with saved_session(folder) as session:
        choice = _choice(session, name, uv_set, part, islands)
        put_uv(
            session, choice, finish(pack_uv(session, choice, PackOptions(margin, size, turn)), "Packing"), "Pack UVs"
        )


@app.command()
def project(
    folder: Folder,
    name: Name,
    how: Annotated[str, typer.Argument(help="plane, box, cylinder, sphere, or flatten: at real scale, unturned.")],
    uv_set: Set = "",
    part: Part = "",
    faces: Named = "",
) -> None:
    """Lay faces out by a projection, or flat at real scale."""
    from collage.core.actions.uvs import project_uv

    with saved_session(folder) as session:
        project_uv(session, _choice(session, name, uv_set, part, faces=faces), how)  # type: ignore[arg-type]


@app.command()
def change(
    folder: Folder,
    name: Name,
    how: Annotated[
        str, typer.Argument(help="As “turn left”, “flip u”, “fit”, “straighten”, “align left”, “stack”, “cut off”.")
    ],
    uv_set: Set = "",
    part: Part = "",
    islands: Islands = "",
    faces: Named = "",
    border: Border = False,
) -> None:
    """Turn, flip, fit, straighten, align, stack, even or cut off islands, faces or edges."""
    from collage.core.actions.uvs import change_uv

    with saved_session(folder) as session:
        change_uv(session, _choice(session, name, uv_set, part, islands, faces, border), how)  # type: ignore[arg-type]


@app.command()
def move(
    folder: Folder, name: Name, uv_set: Set = "", part: Part = "", islands: Islands = "", faces: Named = "",
    border: Border = False,
    u: Annotated[float, typer.Option(help="To the right, in tiles.")] = 0.0,
    v: Annotated[float, typer.Option(help="Up, in tiles.")] = 0.0,
    turn: Annotated[float, typer.Option(help="Degrees, counter-clockwise.")] = 0.0,
    scale: Annotated[float, typer.Option(help="About their middle.")] = 1.0,
) -> None:  # fmt: skip
    """Move, turn and scale islands, faces or edges; what hangs on them moves along."""
    from collage.core.actions.uvs import move_uv

    with saved_session(folder) as session:
        move_uv(session, _choice(session, name, uv_set, part, islands, faces, border), u, v, turn, scale)
