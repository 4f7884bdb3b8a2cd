"""Commands for the objects on the bench of a saved project."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import Folder, finish, saved_session
from collage.core.base.errors import CollageError
from collage.core.base.text import shown

app = typer.Typer(add_completion=False, help=COMMANDS["objects"][1])

Name = Annotated[str, typer.Argument(help="Name of an object.")]
Three = Annotated[str, typer.Option("--at", help="Where it stands: X,Y,Z in metres.")]


@app.command("list")
def list_(folder: Folder) -> None:
    """List the objects: where they stand, how large they are, their parts, slots and UV sets."""
    from collage.core.project.folder import load_project

    bench = load_project(folder)[0].bench.in_folder(folder)
    for item in bench.objects:
        x, y, z = item.place
        typer.echo(shown(f"{item.name}: {item.geometry.label}, material {item.material or 'none'}"))
        typer.echo(f"  at {x:g}, {y:g}, {z:g} m, turn {item.turn:g}, scale {item.scale:g}")
        try:
            mesh = item.mesh()
        except CollageError as error:
            typer.echo(f"  {error}", err=True)
            continue
        width, height, depth = (float(one) for one in mesh.bounds[1] - mesh.bounds[0])
        typer.echo(f"  {width:.3g} x {height:.3g} x {depth:.3g} m, {len(mesh.triangles):,} triangles")
        for what, names in (("parts", mesh.part_names), ("slots", mesh.slot_names), ("UV sets", tuple(mesh.uv))):
            if any(names):
                typer.echo(shown(f"  {what}: {', '.join(name or '(no name)' for name in names)}"))


@app.command()
def add(
    folder: Folder,
    what: Annotated[str, typer.Argument(help="A mesh file (.glb, .gltf, .obj, .ply, .stl), or a stock shape.")],
    material: Annotated[str, typer.Option(help="The material it is given.")] = "",
    up: Annotated[
        str, typer.Option(help="Which of its axes points up: y or z; what the format says if left out.")
    ] = "",
    metres: Annotated[float, typer.Option(help="Metres of its unit: 0.01 for centimetres.")] = 1.0,
    mend: Annotated[
        list[str] | None, typer.Option(help="Mend this, by the name that check prints; may be repeated.")
    ] = None,
) -> None:
    """Add an object to the bench."""
    from collage.core.actions import objects
    from collage.core.geometry.stock import SHAPES
    from collage.core.project.objects import importing

    if up not in ("", "y", "z"):
        raise CollageError(f"“{up}” is no axis that points up.", remedy="Use y or z.")
    with saved_session(folder) as session:
        if what in SHAPES:
            name = objects.add_shape(session, what, material)
        else:
            steps = importing(Path(what), folder, z_up=up == "z" if up else None, metres=metres, mends=mend or ())
            made = finish(steps, "Reading")
            name = objects.put(session, made, material)
            for remark in made.remarks:
                typer.echo(f"collage: {remark.kind}: {remark.text}", err=True)
            if made.unit is not None:
                unit, metres = made.unit
                typer.echo(f"collage: its size is unusual; are its numbers {unit}? (--metres {metres:g})", err=True)
    typer.echo(shown(name))


@app.command()
def check(folder: Folder) -> None:
    """Tell what is probably wrong with the objects' meshes."""
    from collage.core.geometry.checks import mesh_remarks
    from collage.core.project.folder import load_project
    from collage.core.project.objects import has_changed

    for item in load_project(folder)[0].bench.in_folder(folder).objects:
        for remark in mesh_remarks(item.mesh()):
            remedy = f" ({remark.remedy}: collage objects mend)" if remark.remedy else ""
            typer.echo(shown(f"{item.name}: {remark.kind}: {remark.text}{remedy}"))
        if has_changed(item):
            typer.echo(shown(f"{item.name}: its source has changed (collage objects reload)"))


@app.command()
def mend(
    folder: Folder, name: Name, what: Annotated[list[str], typer.Argument(help="What to mend, as check prints it.")]
) -> None:
    """Mend an object's mesh: it is read from its source once more, and mended then and at every later time."""
    from collage.core.actions import objects
    from collage.core.geometry.checks import REMEDIES

    for one in what:
        if one not in REMEDIES:
            raise CollageError(f"There is no remedy for “{one}”.", remedy=f"There is one for {', '.join(REMEDIES)}.")
    with saved_session(folder) as session:
        objects.mend(session, name, what)


@app.command()
def reload(folder: Folder, name: Name) -> None:
    """Read an object's mesh from its source once more; its place and materials stay."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        objects.read_again(session, name)


@app.command()
def place(
    folder: Folder,
    name: Name,
    at: Three = "",
    turn: Annotated[float | None, typer.Option(help="Degrees about the upright axis.")] = None,
    tilt: Annotated[float | None, typer.Option(help="Degrees about the axis to its right.")] = None,
    roll: Annotated[float | None, typer.Option(help="Degrees about the axis to its front.")] = None,
    scale: Annotated[float | None, typer.Option(help="How large it is: 1 as in its file.")] = None,
    drop: Annotated[bool, typer.Option("--drop", help="Then move it up or down to the ground.")] = False,
) -> None:
    """Move, turn or scale an object."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        objects.place(session, name, at=_three(at), turn=turn, tilt=tilt, roll=roll, scale=scale)
        if drop:
            objects.drop(session, name)


def _three(text: str) -> tuple[float, float, float] | None:
    if not text:
        return None
    try:
        x, y, z = (float(part) for part in text.split(","))
    except ValueError as error:
        raise CollageError(f"“{text}” are not three numbers.", remedy="Write X,Y,Z.") from error
    return x, y, z


@app.command()
def hide(
    folder: Folder,
    name: Name,
    show: Annotated[bool, typer.Option("--show", help="Show it again.")] = False,
    others: Annotated[
        bool, typer.Option("--others", help="Hide all others instead; called again, all are shown.")
    ] = False,
) -> None:
    """Hide an object."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        if others:
            objects.isolate(session, name)
        else:
            objects.hide(session, name, not show)


@app.command()
def smooth(
    folder: Folder,
    name: Name,
    angle: Annotated[float | None, typer.Argument(help="Degrees; left out, the file's own normals.")] = None,
) -> None:
    """Smooth edges up to an angle."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        objects.smooth(session, name, angle)


@app.command()
def rename(folder: Folder, name: Name, new: Annotated[str, typer.Argument(help="Its new name.")]) -> None:
    """Give an object another name."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        objects.rename(session, name, new)


@app.command()
def duplicate(folder: Folder, name: Name) -> None:
    """Put an object on the bench once more, beside the others."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        typer.echo(shown(objects.duplicate(session, name)))


@app.command()
def remove(folder: Folder, name: Name) -> None:
    """Take an object off the bench; its file stays in the project."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        objects.remove(session, name)
