"""Commands for the bench of a saved project."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from collage.cli.root import COMMANDS
from collage.cli.shared import Folder, load_library, parse_size, prepare_kernels, saved_session
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
    sky = environment.daylight
    around = environment.file or "even grey"
    if sky is not None:
        around = f"sky, sun {sky.elevation:g}° high, haze {sky.haze:g}"
    typer.echo(f"environment  {around}, turn {environment.turn:g}{'' if environment.on else ', off'}")
    for view in bench.views:
        typer.echo(f"view         {view.name}")
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
    behind: Annotated[
        str | None, typer.Option(help="What is seen behind the objects: plain, sharp, blurred or none.")
    ] = None,
    balance: Annotated[
        bool | None, typer.Option("--balance/--no-balance", help="Take its tint out of white, or leave it.")
    ] = None,
    file: Annotated[Path | None, typer.Option(help="Its picture; copied into the project.")] = None,
) -> None:
    """Change the environment's light."""
    from collage.core.actions import bench, lights
    from collage.core.render.caches import RenderCaches
    from collage.core.render.environment import neutral_balance
    from collage.core.scene.bench import UNBALANCED

    with saved_session(folder) as session:
        bench.change_environment(session, on=on, turn=turn, strength=strength, behind=behind, file=file)  # type: ignore[arg-type]
        if balance is not None:
            lights.balance_environment(session, UNBALANCED)
        if balance:
            light = RenderCaches().environment(session.project.bench, session.base_folder)
            lights.balance_environment(session, neutral_balance(light) if light is not None else UNBALANCED)


Number = Annotated[int, typer.Argument(help="Which one, from 1.")]


@app.command()
def light(
    folder: Folder,
    number: Number,
    on: Switch = None,
    turn: Annotated[float, typer.Option(help="Move it by so many degrees about the upright axis.")] = 0.0,
    height: Annotated[float, typer.Option(help="Move it by so many degrees upwards.")] = 0.0,
    set_values: Annotated[
        list[str] | None, typer.Option("--set", help="A value, as strength=4, shape=disc, cone=30 or colour=1,0.8,0.6.")
    ] = None,
) -> None:
    """Switch a light on or off, move it, or give it other values."""
    from collage.core.actions import bench, lights

    values = dict(_value(text) for text in set_values or ())
    with saved_session(folder) as session:
        bench.light_of(session.project.bench, number - 1)
        if on is not None:
            bench.switch_light(session, number - 1, on)
        if turn or height:
            bench.move_light(session, turn, height, number - 1)
        if values:
            lights.change_light(session, number - 1, **values)


def _value(text: str) -> tuple[str, float | str | tuple[float, ...] | None]:
    """A name and its value out of name=value. Raises CollageError."""
    name, equals, value = text.partition("=")
    if not equals:
        raise CollageError(f"“{text}” is no value.", remedy="Write it as name=value, as strength=4.")
    if value == "none":
        return name, None
    try:
        numbers = tuple(float(part) for part in value.split(","))
    except ValueError:
        return name, value
    return name, numbers if len(numbers) > 1 else numbers[0]


@app.command()
def rig(folder: Folder, name: Annotated[str, typer.Argument(help="Its name; “next” for the next one.")]) -> None:
    """Light the bench with a rig: studio, window, daylight, evening, overcast, grazing or grey."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        if name == "next":
            lights.next_rig(session)
        else:
            lights.use_rig(session, name)
        typer.echo(session.project.bench.rig)


@app.command("add-light")
def add_light(folder: Folder, kind: Annotated[str, typer.Argument(help="sun, panel, disc, ball or spot.")]) -> None:
    """Add a light."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        number = lights.add_light(session, kind)  # type: ignore[arg-type]
        typer.echo(f"light {number + 1}")


@app.command("remove-light")
def remove_light(folder: Folder, number: Number) -> None:
    """Take a light away."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        lights.remove_light(session, number - 1)


@app.command()
def solo(
    folder: Folder, number: Annotated[int, typer.Argument(help="Which light, from 1; 0 for the environment.")],
    off: Annotated[bool, typer.Option("--off", help="All lights again.")] = False,
) -> None:  # fmt: skip
    """Let one light shine alone."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        lights.solo(session, None if off else number - 1)


@app.command()
def highlight(
    folder: Folder,
    number: Number,
    at: Annotated[str, typer.Option(help="Where in the picture, as shares of its width and height: 0.5,0.4.")],
    size: Annotated[str, typer.Option(help="Width and height of that picture in pixels.")] = "1280x800",
) -> None:
    """Move a light so that it is mirrored at a place of the picture."""
    from collage.core.actions import lights
    from collage.core.project.pictures import picture_request
    from collage.core.render.pick import pick
    from collage.core.render.renderer import Renderer

    width, height = parse_size(size)
    x, y = _in_picture(at, width, height)
    prepare_kernels()
    with saved_session(folder) as session:
        request = picture_request(session.project, width, height, folder=folder)
        found = pick(Renderer(load_library()), request, x, y)
        if found is None:
            raise CollageError("There is no object.", remedy="Choose a place on one.")
        lights.put_highlight(session, number - 1, found.place, found.facing)


@app.command()
def shadow(
    folder: Folder,
    number: Number,
    of: Annotated[str, typer.Option(help="A place in its shadow, as shares of the picture: 0.5,0.8.")],
    to: Annotated[str, typer.Option(help="Where that shadow is to fall.")],
    size: Annotated[str, typer.Option(help="Width and height of that picture in pixels.")] = "1280x800",
) -> None:
    """Move a light so that a shadow of it falls somewhere else in the picture."""
    from collage.core.actions import bench, lights
    from collage.core.project.pictures import picture_request
    from collage.core.render.pick import caster_of, place_at
    from collage.core.render.renderer import Renderer

    width, height = parse_size(size)
    prepare_kernels()
    with saved_session(folder) as session:
        request, renderer = picture_request(session.project, width, height, folder=folder), Renderer(load_library())
        chosen = bench.light_of(session.project.bench, number - 1)
        places = [place_at(renderer, request, *_in_picture(text, width, height)) for text in (of, to)]
        caster = caster_of(renderer, request, places[0], chosen) if places[0] is not None else None
        if caster is None or places[1] is None:
            raise CollageError(
                "There is no shadow of that light.", remedy="Choose a place in one, and one on a surface."
            )
        lights.put_shadow(session, number - 1, tuple(places[1]), tuple(caster))  # type: ignore[arg-type]


def _in_picture(text: str, width: int, height: int) -> tuple[float, float]:
    """Pixels from the upper left of a place that is given by shares. Raises CollageError."""
    _, place = _value(f"at={text}")
    if not isinstance(place, tuple) or len(place) != 2:
        raise CollageError(f"“{text}” is no place.", remedy="Write it as 0.5,0.4.")
    return place[0] * width, place[1] * height


@app.command()
def sky(
    folder: Folder,
    elevation: Annotated[float | None, typer.Option(help="Degrees of the sun above the horizon.")] = None,
    haze: Annotated[float | None, typer.Option(help="From 2, very clear, to 10.")] = None,
    sun: Annotated[float | None, typer.Option(help="Strength of the sun beside the sky; 0 for none.")] = None,
    sun_size: Annotated[float | None, typer.Option(help="How many times as wide as it really is.")] = None,
) -> None:
    """Light the bench with a clear sky and its sun."""
    from collage.core.actions import lights

    given = {"elevation": elevation, "haze": haze, "sun": sun, "sun_size": sun_size}
    with saved_session(folder) as session:
        lights.change_sky(session, **{name: value for name, value in given.items() if value is not None})


@app.command()
def plain(folder: Folder) -> None:
    """Light the bench evenly from all around, in the place of a picture or a sky."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        lights.plain_environment(session)


@app.command("save-view")
def save_view(folder: Folder, name: Annotated[str, typer.Argument(help="What to call it.")]) -> None:
    """Keep the camera under a name."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        lights.save_view(session, name)


@app.command("remove-view")
def remove_view(folder: Folder, name: Annotated[str, typer.Argument(help="Its name.")]) -> None:
    """Forget a saved view."""
    from collage.core.actions import lights

    with saved_session(folder) as session:
        lights.remove_view(session, name)


@app.command()
def missing(folder: Folder, colour: Annotated[str, typer.Argument(help="As #ff0d99.")]) -> None:
    """Choose the loud colour that missing files show in."""
    from collage.core.actions import bench

    with saved_session(folder) as session:
        bench.loud_colour(session, colour)
