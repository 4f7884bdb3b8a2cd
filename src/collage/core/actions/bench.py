"""What can be done to the bench: exposure, tone, environment and lights; each act is one step of the history."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Literal, get_args

import numpy as np

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.images.colour import srgb_to_linear
from collage.core.project.folder import copy_file
from collage.core.scene.bench import Behind, Bench, Light

Tone = Literal["neutral", "srgb"]

ENVIRONMENTS = "environments"  # the folder of a project


@act("bench.expose", "Exposure", command="bench exposure")
def expose(session: Session, stops: float) -> None:
    """Makes the picture brighter by some stops, darker if they are negative."""
    exposure = round(session.project.bench.exposure + stops, 2)
    session.edit_bench("Exposure", lambda bench: bench.model_copy(update={"exposure": exposure}))


@act("bench.set_exposure", "Exposure", command="bench exposure")
def set_exposure(session: Session, stops: float) -> None:
    """Gives the picture an exposure, in stops; a drag is one step."""
    session.edit_bench(
        "Exposure", lambda bench: bench.model_copy(update={"exposure": round(stops, 3)}), merge="exposure"
    )


@act("bench.tone", "Tone", command="bench tone")
def tone(session: Session, name: Tone) -> None:
    """How light becomes what a screen shows."""
    session.edit_bench(f"Tone {name}", lambda bench: bench.model_copy(update={"view_transform": name}))


@act("bench.environment", "Environment light", command="bench environment")
def switch_environment(session: Session, on: bool | None = None) -> None:
    """Switches the environment's light on or off; the other way round where it is not said."""

    def change(bench: Bench) -> Bench:
        wanted = not bench.environment.on if on is None else on
        return bench.model_copy(update={"environment": bench.environment.model_copy(update={"on": wanted})})

    session.edit_bench("Environment on or off", change)


@act("bench.light", "Lights", command="bench light")
def switch_light(session: Session, number: int, on: bool | None = None) -> None:
    """Switches a light, by its number, on or off; the other way round where it is not said. Raises CollageError."""
    light_of(session.project.bench, number)

    def change(bench: Bench) -> Bench:
        lights = list(bench.lights)
        wanted = not lights[number].on if on is None else on
        lights[number] = lights[number].model_copy(update={"on": wanted})
        return bench.model_copy(update={"lights": tuple(lights)})

    session.edit_bench("Light on or off", change)


@act("bench.move_light", "Move the light", command="bench light")
def move_light(session: Session, turn: float, height: float, number: int = 0) -> None:
    """Moves a light by some degrees of turn and of height; without lights the environment turns."""

    def change(bench: Bench) -> Bench:
        if not bench.lights:
            environment = bench.environment
            turned = environment.model_copy(update={"turn": environment.turn + turn})
            return bench.model_copy(update={"environment": turned})
        lights = list(bench.lights)
        light = lights[number]
        raised = min(max(light.height + height, -10), 90)
        lights[number] = light.model_copy(update={"turn": light.turn + turn, "height": raised})
        return bench.model_copy(update={"lights": tuple(lights)})

    session.edit_bench("Move the light", change, merge=f"light {number}")


def light_of(bench: Bench, number: int) -> Light:
    """A light by its number from 0. Raises CollageError."""
    if not 0 <= number < len(bench.lights):
        raise CollageError(f"There is no light {number + 1}.", remedy=f"The bench has {len(bench.lights)}.")
    return bench.lights[number]


@act("bench.change_environment", "Environment", command="bench environment")
def change_environment(
    session: Session,
    *,
    on: bool | None = None,
    turn: float | None = None,
    strength: float | None = None,
    behind: Behind | None = None,
    file: Path | None = None,
) -> None:
    """Changes what is given of the environment; its file is copied into the project. Raises CollageError.

    behind : what of it is seen behind the objects.
    """
    if behind is not None and behind not in get_args(Behind):
        raise CollageError(f"“{behind}” cannot be behind.", remedy=f"Use {', '.join(get_args(Behind))}.")
    changed: dict[str, object] = {"on": on, "turn": turn, "strength": strength, "behind": behind}
    if file is not None:
        folder = session.folder
        if folder is not None:
            copy_file(file, folder / ENVIRONMENTS / file.name)
        changed["file"] = f"{ENVIRONMENTS}/{file.name}" if folder is not None else str(file.resolve())
        changed["on"] = True if on is None else on
    update = {key: value for key, value in changed.items() if value is not None}
    if file is not None:
        update["daylight"] = None
    named = [name for name in ("on", "turn", "strength", "behind") if changed[name] is not None]
    merge = f"environment {named}" if file is None else ""

    def change(bench: Bench) -> Bench:
        return bench.model_copy(update={"environment": bench.environment.model_copy(update=update)})

    session.edit_bench(f"Light by {file.stem}" if file is not None else "Environment", change, merge=merge)


@act("bench.loud_colour", "Missing files show in", command="bench missing")
def loud_colour(session: Session, colour: str) -> None:
    """The loud colour of what is missing, as #rrggbb. Raises CollageError."""
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", colour):
        raise CollageError(f"“{colour}” is no colour.", remedy="Write it as #rrggbb.")
    encoded = np.array([int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)])
    linear = tuple(round(float(part), 6) for part in srgb_to_linear(encoded))
    session.edit_bench("Missing-file colour", lambda bench: bench.model_copy(update={"loud": linear}))
