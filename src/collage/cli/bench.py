"""Commands for the bench of a saved project."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import Folder, saved_session
from collage.core.base.errors import CollageError

app = typer.Typer(add_completion=False, help=COMMANDS["bench"][1])

Switch = Annotated[bool | None, typer.Option("--on/--off", help="Switch it on or off.")]


@app.command()
def show(folder: Folder) -> None:
    """Show what stands on the bench, and how it is lit."""
    from collage.core.project.folder import load_project

    bench = load_project(folder)[0].bench
    for item in bench.objects:
        typer.echo(f"object       {item.name:20} {item.geometry.label:16} {item.material}")
    for number, light in enumerate(bench.lights, 1):
        where = f"turn {light.turn:g}, height {light.height:g}, strength {light.strength:g}"
        typer.echo(f"light {number}      {light.name:20} {light.kind:16} {where}{'' if light.on else ', off'}")
    environment = bench.environment
    typer.echo(
        f"environment  {environment.file or 'even grey'}, turn {environment.turn:g}{'' if environment.on else ', off'}"
    )
    typer.echo(f"exposure     {bench.exposure:g} stops, tone {bench.view_transform}")


@app.command()
def exposure(folder: Folder, stops: Annotated[float, typer.Argument(help="Brighter by so many stops.")]) -> None:
    """Make the picture brighter, or darker by negative stops."""
    from collage.core.actions import bench

    with saved_session(folder) as session:
        bench.expose(session, stops)


@app.command()
def tone(folder: Folder, name: Annotated[str, typer.Argument(help="neutral or srgb.")]) -> None:
    """Choose how light becomes what a screen shows."""
    from typing import get_args

    from collage.core.actions import bench

    if name not in get_args(bench.Tone):
        raise CollageError(f"There is no tone “{name}”.", remedy=f"Use {' or '.join(get_args(bench.Tone))}.")
    with saved_session(folder) as session:
        bench.tone(session, name)  # type: ignore[arg-type]


@app.command()
def environment(
    folder: Folder,
    on: Switch = None,
    turn: Annotated[float | None, typer.Option(help="Degrees about the upright axis.")] = None,
    strength: Annotated[float | None, typer.Option(min=0.0)] = None,
    file: Annotated[Path | None, typer.Option(help="Its picture; copied into the project.")] = None,
) -> None:
    """Change the environment's light."""
    from collage.core.actions import bench

    with saved_session(folder) as session:
        bench.change_environment(session, on=on, turn=turn, strength=strength, file=file)


@app.command()
def light(
    folder: Folder,
    number: Annotated[int, typer.Argument(help="Which one, from 1.")],
    on: Switch = None,
    turn: Annotated[float, typer.Option(help="Move it by so many degrees about the upright axis.")] = 0.0,
    height: Annotated[float, typer.Option(help="Move it by so many degrees upwards.")] = 0.0,
) -> None:
    """Switch a light on or off, or move it."""
    from collage.core.actions import bench

    with saved_session(folder) as session:
        bench.light_of(session.project.bench, number - 1)
        if on is not None:
            bench.switch_light(session, number - 1, on)
        if turn or height:
            bench.move_light(session, turn, height, number - 1)


@app.command()
def missing(folder: Folder, colour: Annotated[str, typer.Argument(help="As #ff0d99.")]) -> None:
    """Choose the loud colour that missing files show in."""
    from collage.core.actions import bench

    with saved_session(folder) as session:
        bench.loud_colour(session, colour)
