"""What can be done to the objects on the bench; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from pydantic import ValidationError

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.document.model import free_among
from collage.core.geometry.checks import mesh_remarks
from collage.core.geometry.stock import SHAPES
from collage.core.project.objects import Imported, dropped, importing, placed_beside, reading_again
from collage.core.scene.bench import Bench, BenchObject, Division, Faces, groups_of, stock
from collage.core.scene.directions import Triple
from collage.core.scene.displaced import DEEPEST
from collage.core.scene.geometry import MeshFile


def object_of(bench: Bench, name: str) -> BenchObject:
    """An object by its name. Raises CollageError."""
    found = next((item for item in bench.objects if item.name == name), None)
    if found is None:
        names = ", ".join(item.name for item in bench.objects)
        raise CollageError(f"There is no object “{name}”.", remedy=f"There are {names}." if names else "")
    return found


@act("objects.add_file", "Add object…", command="objects add")
def add_file(session: Session, path: Path, *, z_up: bool | None = None, metres: float = 1.0, material: str = "") -> str:
    """Brings in an object from a mesh file. Raises CollageError."""
    return put(session, finished(importing(path, session.folder, z_up=z_up, metres=metres)), material)


def put(session: Session, made: Imported, material: str = "") -> str:
    """Puts an object that was read on the bench; its name there."""
    item = placed_beside(session.bench, made, material)
    session.edit_bench(
        f"Add {made.item.name}", lambda bench: bench.model_copy(update={"objects": (*bench.objects, item)})
    )
    return item.name


@act("objects.add_shape", "Add stock shape", command="objects add")
def add_shape(session: Session, shape: str, material: str = "") -> str:
    """Puts a stock shape on the bench. Raises CollageError."""
    if shape not in SHAPES:
        raise CollageError(f"There is no stock shape “{shape}”.", remedy=f"Choose one of {', '.join(SHAPES)}.")
    item = stock(shape.capitalize(), shape)
    return put(session, Imported(item, item.mesh(), (), None), material)


@act("objects.remove", "Remove object", command="objects remove")
def remove(session: Session, name: str) -> None:
    """Takes an object off the bench; its file stays in the project. Raises CollageError."""
    object_of(session.project.bench, name)
    change_object(session, f"Remove {name}", name, lambda _: None)


@act("objects.duplicate", "Duplicate object", command="objects duplicate")
def duplicate(session: Session, name: str) -> str:
    """Puts an object on the bench once more, beside the others. Raises CollageError."""
    item = object_of(session.bench, name)
    stored = object_of(session.project.bench, name)
    made = Imported(stored, item.mesh(), (), None)
    return put(session, made, stored.material)


@act("objects.rename", "Rename object", command="objects rename")
def rename(session: Session, name: str, new: str) -> None:
    """Gives an object another name. Raises CollageError."""
    object_of(session.project.bench, name)
    others = {item.name for item in session.project.bench.objects} - {name}
    free = free_among(new.strip() or name, others, " ")
    change_object(session, f"Rename {name}", name, lambda item: item.model_copy(update={"name": free}))


@act("objects.place", "Move, turn or scale object", command="objects place")
def place(
    session: Session,
    name: str,
    *,
    at: Triple | None = None,
    turn: float | None = None,
    tilt: float | None = None,
    roll: float | None = None,
    scale: float | None = None,
    merge: str = "",
) -> None:
    """Moves, turns or scales an object. Raises CollageError.

    at : metres. turn, tilt, roll : degrees about the upright axis, the axis to its right and that to its front.
    """
    object_of(session.project.bench, name)
    if scale is not None and not scale > 0:
        raise CollageError("The scale must be more than 0.", about=name)
    given = {"place": at, "turn": turn, "tilt": tilt, "roll": roll, "scale": scale}
    update = {key: value for key, value in given.items() if value is not None}
    change_object(session, f"Place {name}", name, lambda item: item.model_copy(update=update), merge=merge)


@act("objects.drop", "Drop to the ground", command="objects place")
def drop(session: Session, name: str) -> None:
    """Moves an object up or down until it stands on the ground. Raises CollageError."""
    height = dropped(object_of(session.bench, name)).place[1]
    change_object(session, f"Drop {name}", name,
          lambda item: item.model_copy(update={"place": (item.place[0], height, item.place[2])}))  # fmt: skip


@act("objects.lock", "Lock object", command="objects lock")
def lock(session: Session, name: str, locked: bool = True) -> None:
    """Locks an object, so that it is not picked or moved in the picture, or unlocks it. Raises CollageError."""
    object_of(session.project.bench, name)
    label = f"{'Lock' if locked else 'Unlock'} {name}"
    change_object(session, label, name, lambda item: item.model_copy(update={"locked": locked}))


@act("objects.hide", "Hide object", command="objects hide")
def hide(session: Session, name: str, hidden: bool = True) -> None:
    """Hides an object, or shows it again. Raises CollageError."""
    object_of(session.project.bench, name)
    label = f"{'Hide' if hidden else 'Show'} {name}"
    change_object(session, label, name, lambda item: item.model_copy(update={"hidden": hidden}))


@act("objects.isolate", "Show only this", command="objects hide")
def isolate(session: Session, name: str) -> None:
    """Hides all objects but one; where all others are hidden already, all are shown again. Raises CollageError."""
    object_of(session.project.bench, name)
    alone = all(item.hidden == (item.name != name) for item in session.project.bench.objects)

    def change(bench: Bench) -> Bench:
        seen = [item.model_copy(update={"hidden": not alone and item.name != name}) for item in bench.objects]
        return bench.model_copy(update={"objects": tuple(seen)})

    session.edit_bench("Show all objects" if alone else f"Show only {name}", change)


@act("objects.hide_faces", "Hide part", command="objects hide")
def hide_faces(session: Session, name: str, faces: Faces, hidden: bool = True) -> None:
    """Hides a part, slot, piece or picked faces of an object, or shows them again. Raises CollageError."""
    item = object_of(session.project.bench, name)
    others = tuple(one for one in item.hidden_faces if one != faces)
    left = (*others, faces) if hidden else others
    label = f"{'Hide' if hidden else 'Show'} a part of {name}"
    change_object(session, label, name, lambda item: item.model_copy(update={"hidden_faces": left}))


@act("objects.isolate_faces", "Show only this part", command="objects hide")
def isolate_faces(session: Session, name: str, faces: Faces) -> None:
    """Hides all other parts, slots or pieces of an object; once more, and all are shown again. Raises CollageError."""
    by, mesh = faces[0], object_of(session.bench, name).mesh()
    every = groups_of(mesh, by) if by != "set" else []  # which need not be all there is
    left = tuple(one for one in every if one != faces)
    shown = object_of(session.project.bench, name).hidden_faces == left
    label = f"Show all of {name}" if shown else f"Show only a part of {name}"
    change_object(session, label, name, lambda item: item.model_copy(update={"hidden_faces": () if shown else left}))


@act("objects.smooth", "Smoothing", command="objects smooth")
def smooth(session: Session, name: str, angle: float | None) -> None:
    """Smooths edges up to an angle in degrees; None takes the file's own normals. Raises CollageError."""
    geometry = object_of(session.project.bench, name).geometry
    if not isinstance(geometry, MeshFile):
        raise CollageError("Stock shapes are as smooth as they are.", about=name)
    if angle is not None and not 0 <= angle <= 180:
        raise CollageError("The angle is between 0 and 180 degrees.", about=name)
    smoothed = geometry.model_copy(update={"smoothing": angle})
    text = "as in its file" if angle is None else f"{angle:g}°"
    change_object(
        session, f"Smoothing {text}: {name}", name, lambda item: item.model_copy(update={"geometry": smoothed})
    )


@act("objects.subdivide", "Subdivision", command="objects subdivide")
def subdivide(session: Session, name: str, **changes: object) -> None:
    """Changes how an object is subdivided for displacement; see Division. Raises CollageError."""
    before = object_of(session.project.bench, name).division
    try:
        division = Division.model_validate({**before.model_dump(), **changes})
    except ValidationError:
        raise CollageError(
            "The object cannot be subdivided so.",
            about=name,
            remedy=f"Use 0 to {DEEPEST} levels, a crease angle of 0 to 180 degrees, a detail above 0.",
        ) from None
    text = "automatic" if division.level is None else f"{division.level}"
    change_object(
        session, f"Subdivision {text}: {name}", name, lambda item: item.model_copy(update={"division": division})
    )


@act("objects.read_again", "Read object again", command="objects reload")
def read_again(session: Session, name: str, **changes: object) -> None:
    """Reads an object's mesh from its source once more, and keeps its place and material. Raises CollageError."""
    take(session, name, finished(reading_again(object_of(session.project.bench, name), session.base_folder, **changes)))


def take(session: Session, name: str, item: BenchObject) -> None:
    """Takes the mesh of an object that was read again; what has been done to it meanwhile stays."""
    change_object(session, f"Read {name} again", name, lambda now: now.model_copy(update={"geometry": item.geometry}))


@act("objects.mend", "Mend object", command="objects mend")
def mend(session: Session, name: str, kinds: Sequence[str]) -> None:
    """Reads an object from its source once more and mends it, then and at every later time. Raises CollageError."""
    read_again(session, name, mends=mends_with(session, name, kinds))


def mends_with(session: Session, name: str, kinds: Sequence[str]) -> tuple[str, ...]:
    """What an object is mended of, with some kinds more. Raises CollageError."""
    geometry = object_of(session.project.bench, name).geometry
    source = geometry.source if isinstance(geometry, MeshFile) else None
    before = source.mends if source is not None else ()
    return (*before, *(one for one in kinds if one not in before))


def checked_again(session: Session, name: str) -> Imported:
    """An object as it was read, and what is probably wrong with it still. Raises CollageError."""
    item = object_of(session.bench, name)
    mesh = item.geometry.mesh()
    return Imported(item, mesh, tuple(mesh_remarks(mesh)), None)


def change_object(
    session: Session, label: str, name: str, change: Callable[[BenchObject], BenchObject | None], merge: str = ""
) -> None:
    """Changes an object by its name, or takes it off the bench; one step."""

    def edited(bench: Bench) -> Bench:
        made = [change(item) if item.name == name else item for item in bench.objects]
        return bench.model_copy(update={"objects": tuple(item for item in made if item is not None)})

    session.edit_bench(label, edited, merge=merge)
