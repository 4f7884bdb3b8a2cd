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
def pick(
    folder: Folder,
    name: Name,
    as_name: Annotated[str, typer.Argument(metavar="NAME", help="What the faces are called.")],
    facing: Annotated[str, typer.Option(metavar="X,Y,Z", help="Those that look this way, in the object's space.")] = "",
    part: Annotated[str, typer.Option(help="Those of this part.")] = "",
    at: Annotated[int, typer.Option(min=-1, help="Those reached from this triangle.")] = -1,
    angle: Annotated[float, typer.Option(min=0, max=180, help="Degrees, for --facing and --at.")] = 30.0,
    grow: Annotated[int, typer.Option(help="Rings of faces more; negative for fewer.")] = 0,
    invert: Annotated[bool, typer.Option("--invert", help="All others instead.")] = False,
) -> None:
    """Keep some faces under a name; `materials assign --faces NAME` gives them a material."""
    import numpy as np

    from collage.cli.values import parsed_value
    from collage.core.actions.faces import name_faces
    from collage.core.actions.objects import object_of
    from collage.core.geometry import picking
    from collage.core.scene.bench import Assigned

    with saved_session(folder) as session:
        mesh = object_of(session.bench, name).mesh()
        picked = np.ones(len(mesh.triangles), bool)
        if facing:
            picked &= picking.facing(mesh, np.array(parsed_value("facing", "vector3", facing)), angle)
        if part:
            picked &= Assigned(by="part", name=part).faces(mesh)
        if at >= len(mesh.triangles):
            raise CollageError(f"There are {len(mesh.triangles):,} triangles, counted from 0.", about=name)
        if at >= 0:
            picked &= picking.flood(mesh, at, angle)
        for _ in range(abs(grow)):
            picked = picking.grown(mesh, picked) if grow > 0 else picking.shrunk(mesh, picked)
        typer.echo(shown(name_faces(session, name, as_name, ~picked if invert else picked)))


@app.command("rename-faces")
def rename_faces_(
    folder: Folder, name: Name, faces: Annotated[str, typer.Argument(help="Their name.")],
    new: Annotated[str, typer.Argument(help="Their new name.")],
) -> None:  # fmt: skip
    """Rename picked faces."""
    from collage.core.actions.faces import rename_faces

    with saved_session(folder) as session:
        typer.echo(shown(rename_faces(session, name, faces, new)))


@app.command("remove-faces")
def remove_faces_(folder: Folder, name: Name, faces: Annotated[str, typer.Argument(help="Their name.")]) -> None:
    """Forget picked faces; they have the object's material again."""
    from collage.core.actions.faces import remove_faces

    with saved_session(folder) as session:
        remove_faces(session, name, faces)


@app.command()
def lock(folder: Folder, name: Name, off: Annotated[bool, typer.Option("--off", help="Unlock it.")] = False) -> None:
    """Lock an object: it is not picked or moved in the picture."""
    from collage.core.actions.objects import lock as act

    with saved_session(folder) as session:
        act(session, name, not off)


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
    part: Annotated[str, typer.Option(help="Only this part of it.")] = "",
) -> None:
    """Hide an object, or a part of it."""
    from collage.core.actions import objects

    with saved_session(folder) as session:
        if part:
            if part not in objects.object_of(session.bench, name).mesh().part_names:
                raise CollageError(f"It has no part “{part}”.", about=name)
            if others:
                objects.isolate_faces(session, name, ("part", part, 0))
            else:
                objects.hide_faces(session, name, ("part", part, 0), not show)
        elif others:
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
def subdivide(
    folder: Folder,
    name: Name,
    level: Annotated[int | None, typer.Argument(help="Levels, 0 to 8; left out, where the height asks for it.")] = None,
    smooth: Annotated[bool | None, typer.Option("--smooth/--plain", help="Round the shape, or keep it.")] = None,
    crease: Annotated[float | None, typer.Option(help="Degrees from which on edges stay sharp when smooth.")] = None,
    hold_borders: Annotated[
        bool | None, typer.Option("--hold-borders/--free-borders", help="Leave open borders where they are.")
    ] = None,
    detail: Annotated[
        float | None, typer.Option(min=0, help="Millimetres: what is finer is shaded only. 0 for all that fits.")
    ] = None,
    by_view: Annotated[
        bool | None, typer.Option("--by-view/--by-height", help="As finely as the picture shows, or as the height is.")
    ] = None,
) -> None:
    """Subdivide an object where a material displaces it."""
    from collage.core.actions import objects

    given: dict[str, object] = {"smooth": smooth, "crease": crease, "hold_borders": hold_borders,
                                "by_view": by_view}  # fmt: skip
    changes = {key: one for key, one in given.items() if one is not None}
    if detail is not None:
        changes["detail"] = detail / 1000 if detail > 0 else None
    with saved_session(folder) as session:
        objects.subdivide(session, name, level=level, **changes)


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
