"""Named sets of picked faces; each act is one step of the history."""

from __future__ import annotations

import numpy as np

from collage.core.actions.objects import change_object, object_of
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import free_among
from collage.core.geometry.picking import stored
from collage.core.scene.bench import Assigned, BenchObject
from collage.core.scene.geometry import FaceSet


@act("faces.name", "Name faces", command="objects pick")
def name_faces(session: Session, object_name: str, name: str, picked: np.ndarray) -> str:
    """Keeps picked faces under a name, which can have a material of its own; the name they got. Raises CollageError.

    picked : (t,) bool.
    """
    item = object_of(session.project.bench, object_name)
    if not picked.any():
        raise CollageError("No face is picked.", about=object_name, remedy="Pick some faces first.")
    free = free_among(name.strip() or "Faces", {one.name for one in item.face_sets}, " ")
    made = FaceSet(name=free, picked=stored(picked), triangles=len(picked))
    _edit(session, f"Name {free}", item, (*item.face_sets, made), item.assigned)
    return free


@act("faces.rename", "Rename faces", command="objects rename-faces")
def rename_faces(session: Session, object_name: str, name: str, new: str) -> str:
    """Gives a set of faces another name; its material stays. Raises CollageError."""
    item = _with_set(session, object_name, name)
    free = free_among(new.strip() or name, {one.name for one in item.face_sets} - {name}, " ")
    sets = tuple(one.model_copy(update={"name": free}) if one.name == name else one for one in item.face_sets)
    assigned = tuple(
        one.model_copy(update={"name": free}) if (one.by, one.name) == ("set", name) else one for one in item.assigned
    )
    _edit(session, f"Rename {name}", item, sets, assigned)
    return free


@act("faces.remove", "Remove faces' name", command="objects remove-faces")
def remove_faces(session: Session, object_name: str, name: str) -> None:
    """Forgets a set of faces; they have the material of the object again. Raises CollageError."""
    item = _with_set(session, object_name, name)
    sets = tuple(one for one in item.face_sets if one.name != name)
    assigned = tuple(one for one in item.assigned if (one.by, one.name) != ("set", name))
    _edit(session, f"Remove {name}", item, sets, assigned)


def _with_set(session: Session, object_name: str, name: str) -> BenchObject:
    item = object_of(session.project.bench, object_name)
    if name not in {one.name for one in item.face_sets}:
        names = ", ".join(one.name for one in item.face_sets) or "none yet"
        raise CollageError(f"There are no faces “{name}”.", about=object_name, remedy=f"There are: {names}.")
    return item


def _edit(
    session: Session, label: str, item: BenchObject, sets: tuple[FaceSet, ...], assigned: tuple[Assigned, ...]
) -> None:
    change_object(
        session, label, item.name, lambda one: one.model_copy(update={"face_sets": sets, "assigned": assigned})
    )
