"""What can be done to lights: rigs, adding, changing, one alone, and placing one by its highlight; and saved views."""

from __future__ import annotations

import math
from typing import Any, Literal, get_args

import numpy as np

from collage.core.actions.bench import light_of
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.scene.bench import ENVIRONMENT, AreaLight, Bench, DistantLight, Light, SavedView
from collage.core.scene.daylight import Daylight
from collage.core.scene.placing import on_sight, stand_of, with_highlight, with_shadow
from collage.core.scene.rigs import RIGS, with_rig
from collage.core.scene.scene import build_bounds

Kind = Literal["sun", "panel", "disc", "ball", "spot"]
USUAL_SPOT = 40.0  # degrees across


def _bounds(session: Session) -> tuple[np.ndarray, np.ndarray]:
    """The corners of the box around what stands on the bench."""
    return build_bounds(session.shown_project.bench.in_folder(session.base_folder).objects)


@act("lights.rig", "Light rig", command="bench rig")
def use_rig(session: Session, name: str) -> None:
    """Lights the bench with a rig in the place of its lights and environment. Raises CollageError."""
    rig = RIGS.get(name)
    if rig is None:
        raise CollageError(f"There is no light rig “{name}”.", remedy=f"Use {', '.join(RIGS)}.")
    low, high = _bounds(session)
    session.edit_bench(f"Light rig {rig.title}", lambda bench: with_rig(bench, rig, low, high))


@act("lights.next_rig", "Next light rig", keys="Ctrl+Shift+R", command="bench rig")
def next_rig(session: Session) -> None:
    """Lights the bench with the next of the rigs."""
    names, now = list(RIGS), session.project.bench.rig
    use_rig(session, names[(names.index(now) + 1) % len(names)] if now in names else names[0])


def _free_name(bench: Bench, wanted: str) -> str:
    names = {light.name for light in bench.lights}
    if wanted not in names:
        return wanted
    return next(name for number in range(2, len(names) + 3) if (name := f"{wanted} {number}") not in names)


@act("lights.add", "New light", command="bench add-light")
def add_light(session: Session, kind: Kind) -> int:
    """Adds a light; returns its number. Raises CollageError for another kind."""
    if kind not in get_args(Kind):
        raise CollageError(f"There is no light “{kind}”.", remedy=f"Use {', '.join(get_args(Kind))}.")
    low, high = _bounds(session)
    middle, size = (low + high) / 2, float(np.linalg.norm(high - low))
    target = (float(middle[0]), float(middle[1]), float(middle[2]))

    def change(bench: Bench) -> Bench:
        name = _free_name(bench, kind.capitalize())
        light = DistantLight(name=name) if kind == "sun" else _standing(kind, name, target, size)
        return bench.model_copy(update={"lights": (*bench.lights, light)})

    session.edit_bench("New light", change)
    return len(session.project.bench.lights) - 1


def _standing(kind: Kind, name: str, target: tuple[float, float, float], size: float) -> AreaLight:
    """A light that stands two sizes of the objects away, and is as bright there whatever its own size."""
    away = 2 * size
    if kind == "panel":
        return AreaLight(name=name, target=target, distance=away, width=size, length=size, strength=4.0)
    wide = {"disc": size, "ball": 0.3 * size, "spot": 0.1 * size}.get(kind, size)
    strength = round((away / (wide / 2)) ** 2 / math.pi, 2)  # a disc or ball of it gives an irradiance of about 1
    return AreaLight(
        name=name, target=target, distance=away, shape="ball" if kind == "ball" else "disc", width=wide,
        strength=strength, cone=USUAL_SPOT if kind == "spot" else None,
    )  # fmt: skip


@act("lights.remove", "Remove light", command="bench remove-light")
def remove_light(session: Session, number: int) -> None:
    """Takes a light away, by its number. Raises CollageError."""
    light_of(session.project.bench, number)

    def change(bench: Bench) -> Bench:
        left = tuple(light for at, light in enumerate(bench.lights) if at != number)
        return bench.model_copy(update={"lights": left, "soloed": None})

    session.edit_bench("Remove light", change)


@act("lights.change", "Change light", command="bench light")
def change_light(session: Session, number: int, **values: Any) -> None:
    """Gives a light other values, by their names; a drag is one step. Raises CollageError for values it cannot have."""
    light = light_of(session.project.bench, number)
    unknown = values.keys() - type(light).model_fields.keys()
    if unknown:
        raise CollageError(f"“{light.name}” has no {', '.join(sorted(unknown))}.")
    try:
        changed = type(light).model_validate({**light.model_dump(), **values})
    except ValueError as error:
        raise CollageError(
            f"“{light.name}” cannot have that: {error}.", remedy="Use a number within its range."
        ) from None
    session.edit_bench(
        f"{light.name}", lambda bench: _with_light(bench, number, changed), merge=f"light {number} {sorted(values)}"
    )


def _with_light(bench: Bench, number: int, light: Light) -> Bench:
    return bench.model_copy(update={"lights": (*bench.lights[:number], light, *bench.lights[number + 1 :])})


@act("lights.solo", "Solo", command="bench solo")
def solo(session: Session, number: int | None) -> None:
    """Lets one light shine alone, by its number; -1 for the environment, None for all again. Raises CollageError."""
    if number is not None and number != ENVIRONMENT:
        light_of(session.project.bench, number)
    session.edit_bench("Solo light", lambda bench: bench.model_copy(update={"soloed": number}))


@act("lights.highlight", "Put the highlight here", command="bench highlight")
def put_highlight(
    session: Session, number: int, place: tuple[float, float, float], normal: tuple[float, float, float]
) -> None:
    """Moves a light so that it is mirrored at a place of a surface, for who looks now. Raises CollageError."""
    light = light_of(session.project.bench, number)
    moved = with_highlight(light, np.array(place), np.array(normal), session.camera.position())
    session.edit_bench(
        f"Highlight of {light.name}", lambda bench: _with_light(bench, number, moved), merge=f"highlight {number}"
    )


@act("lights.shadow", "Drag its shadow", command="bench shadow")
def put_shadow(
    session: Session, number: int, place: tuple[float, float, float], caster: tuple[float, float, float]
) -> None:
    """Moves a light so that the shadow of one place falls on another. Raises CollageError."""
    light = light_of(session.project.bench, number)
    moved = with_shadow(light, np.array(place), np.array(caster))
    session.edit_bench(
        f"Shadow of {light.name}", lambda bench: _with_light(bench, number, moved), merge=f"shadow {number}"
    )


@act("lights.follow", "Move the light", command="bench light")
def follow_hand(session: Session, number: int, way: np.ndarray) -> None:
    """Moves a light about what it shines at to where the eye looks along a way (3,). Raises CollageError."""
    light, camera = light_of(session.project.bench, number), session.camera
    moved = on_sight(light, camera.position(), way, *stand_of(light, camera))
    session.edit_bench(f"Move {light.name}", lambda bench: _with_light(bench, number, moved), merge=f"follow {number}")


@act("lights.daylight", "Sky", command="bench sky")
def change_sky(session: Session, **values: Any) -> None:
    """Lights the bench with a clear sky, or gives that other values, by their names. Raises CollageError."""
    sky = session.project.bench.environment.daylight or Daylight()
    try:
        changed = Daylight.model_validate({**sky.model_dump(), **values})
    except ValueError as error:
        raise CollageError(f"The sky cannot have that: {error}.", remedy="Use numbers within their ranges.") from None

    def change(bench: Bench) -> Bench:
        environment = bench.environment.model_copy(update={"daylight": changed, "on": True})
        return bench.model_copy(update={"environment": environment})

    session.edit_bench("Sky", change, merge=f"sky {sorted(values)}")


@act("lights.balance", "Balance", command="bench environment")
def balance_environment(session: Session, by: tuple[float, float, float]) -> None:
    """Multiplies the environment's light by a colour, see `environment.neutral_balance`; (1, 1, 1) changes nothing."""

    def change(bench: Bench) -> Bench:
        environment = bench.environment.model_copy(update={"balance": by})
        return bench.model_copy(update={"environment": environment})

    session.edit_bench("Balance environment", change)


@act("lights.plain", "Plain grey", command="bench plain")
def plain_environment(session: Session) -> None:
    """Lights the bench evenly from all around, in the place of a picture or a sky."""

    def change(bench: Bench) -> Bench:
        update = {"daylight": None, "file": "", "on": True}
        return bench.model_copy(update={"environment": bench.environment.model_copy(update=update)})

    session.edit_bench("Plain grey environment", change)


@act("views.save", "Save view", keys="Ctrl+Shift+V", command="bench save-view")
def save_view(session: Session, name: str = "") -> str:
    """Keeps the camera under a name, in the place of the one that had it; returns the name."""
    names = [view.name for view in session.project.bench.views]
    free = next(text for number in range(1, len(names) + 2) if (text := f"View {number}") not in names)
    view = SavedView(name=name or free, camera=session.camera)

    def change(bench: Bench) -> Bench:
        others = [one for one in bench.views if one.name != view.name]
        at = names.index(view.name) if view.name in names else len(others)
        return bench.model_copy(update={"views": (*others[:at], view, *others[at:])})

    session.edit_bench(f"Save view {view.name}", change)
    return view.name


@act("views.remove", "Remove view", command="bench remove-view")
def remove_view(session: Session, name: str) -> None:
    """Forgets a saved view. Raises CollageError."""
    view_of(session.project.bench, name)
    session.edit_bench(
        f"Remove view {name}",
        lambda bench: bench.model_copy(update={"views": tuple(one for one in bench.views if one.name != name)}),
    )


def view_of(bench: Bench, name: str) -> SavedView:
    """A saved view by its name. Raises CollageError."""
    found = next((view for view in bench.views if view.name == name), None)
    if found is None:
        names = ", ".join(view.name for view in bench.views) or "none"
        raise CollageError(f"There is no view “{name}”.", remedy=f"Saved views: {names}.")
    return found
