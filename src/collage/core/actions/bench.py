"""What can be done to the bench: exposure, tone, environment and lights; each act is one step of the history."""

from __future__ import annotations

from typing import Literal

from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.scene.bench import Bench, Light

Tone = Literal["neutral", "srgb"]


def expose(session: Session, stops: float) -> None:
    """Makes the picture brighter by some stops, darker if they are negative."""
    exposure = round(session.project.bench.exposure + stops, 2)
    session.edit_bench("Exposure", lambda bench: bench.model_copy(update={"exposure": exposure}))


def tone(session: Session, name: Tone) -> None:
    """How light becomes what a screen shows."""
    session.edit_bench(f"Tone {name}", lambda bench: bench.model_copy(update={"view_transform": name}))


def switch_environment(session: Session, on: bool | None = None) -> None:
    """Switches the environment's light on or off; the other way round where it is not said."""

    def change(bench: Bench) -> Bench:
        wanted = not bench.environment.on if on is None else on
        return bench.model_copy(update={"environment": bench.environment.model_copy(update={"on": wanted})})

    session.edit_bench("Environment on or off", change)


def switch_light(session: Session, number: int, on: bool | None = None) -> None:
    """Switches a light, by its number, on or off; the other way round where it is not said. Raises CollageError."""
    light_of(session.project.bench, number)

    def change(bench: Bench) -> Bench:
        lights = list(bench.lights)
        wanted = not lights[number].on if on is None else on
        lights[number] = lights[number].model_copy(update={"on": wanted})
        return bench.model_copy(update={"lights": tuple(lights)})

    session.edit_bench("Light on or off", change)


def move_light(session: Session, turn: float, height: float, number: int = 0) -> None:
    """Moves a light by some degrees about the upright axis and above the horizon; without lights the environment turns."""

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
