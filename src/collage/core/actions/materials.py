"""What is done to materials; each act is one step of the history."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.contained import Contained, contained, taken
from collage.core.document.materials import new_material, prefixed
from collage.core.document.materialx import read_document
from collage.core.document.model import Network
from collage.core.project.folder import load_project
from collage.core.project.recovery import newest_copy_with
from collage.core.project.state import Project
from collage.core.scene.bench import Faces


@dataclass(frozen=True)
class Offered:
    """A MaterialX document from outside, and the materials in it."""

    file: Path
    document: Network
    materials: tuple[Contained, ...]

    @staticmethod
    def read(file: Path) -> Offered:
        """Reads a document. Raises CollageError."""
        document = read_document(file)
        return Offered(file, document, tuple(contained(document)))

    @property
    def several(self) -> bool:
        """Whether there is anything to choose from."""
        return len(self.materials) > 1

    def documents(self, chosen: Sequence[Contained]) -> list[tuple[str, Network]]:
        """Of each chosen material, or of the only one, a name and its own document."""
        if not self.several:
            return [(self.file.stem, self.document)]
        return [(one.title, taken(self.document, one.card)) for one in chosen]

    def named(self, names: Sequence[str]) -> list[Contained]:
        """The materials of these titles. Raises CollageError for one that is not there."""
        found = {one.title: one for one in self.materials}
        for name in names:
            if name not in found:
                near = difflib.get_close_matches(name, found, 1)
                hint = f"Did you mean “{near[0]}”?" if near else "See them with --list."
                raise CollageError(f"There is no material “{name}” in the file.", about=self.file.name, remedy=hint)
        return [found[name] for name in names]


def _project(session: Session, label: str, change: Callable[[Project], Project]) -> bool:
    try:
        session.history.do(label, change)
    except CollageError as error:
        session.problem.emit(error)
        return False
    return True


@act("materials.new", "New material", command="materials new")
def new_material_named(session: Session, wanted: str = "Material") -> str:
    """Adds a plain material. Returns its name."""
    name = session.project.free_material_name(wanted)
    _project(session, f"New material {name}", lambda project: project.with_material(name, new_material()))
    session.show_material(name)
    return name


@act("materials.add", "Add materials from a file…", command="materials add")
def add_materials(session: Session, offered: Offered, chosen: Sequence[Contained] = ()) -> list[str]:
    """Adds materials of a MaterialX document to the project. Returns their names.

    chosen : of those that the document contains; a document that contains one at most is taken as it is.
    """
    prefix = session.relative(offered.file.parent)
    project, names = session.project, list[str]()
    for title, document in offered.documents(chosen):
        names.append(project.free_material_name(title))
        project = project.with_material(names[-1], prefixed(document, prefix))
    if names:
        what = f"the material {names[0]}" if len(names) == 1 else f"{len(names)} materials"
        _project(session, f"Add {what}", lambda _: project)
        session.show_material(names[0])
    return names


@act("materials.duplicate", "Duplicate", command="materials duplicate")
def duplicate_material(session: Session, name: str) -> str:
    """Adds a copy of a material. Returns its name."""
    fresh = session.project.free_material_name(name)
    document = session.project.materials[name]
    _project(session, f"Duplicate {name}", lambda project: project.with_material(fresh, document))
    session.show_material(fresh)
    return fresh


@act("materials.rename", "Rename…", command="materials rename")
def rename_material(session: Session, old: str, new: str) -> bool:
    """Renames a material; the objects that have it keep it."""
    in_hand = session.material == old
    if not _project(session, f"Rename {old}", lambda project: project.renamed_material(old, new)):
        return False
    if in_hand:
        session.show_material(new.strip())
    return True


@act("materials.delete", "Delete", command="materials delete")
def delete_material(session: Session, name: str) -> bool:
    """Deletes a material; the objects that had it get another one."""
    return _project(session, f"Delete {name}", lambda project: project.without_material(name))


@act("materials.assign", "Assign to…", command="materials assign")
def assign_material(session: Session, number: int, name: str, faces: Faces | None = None) -> bool:
    """Assigns a material to an object, by its number from 0.

    faces : of the object that it is for; all of them if left out. An empty name takes it off some faces again.
    """
    item = session.project.bench.objects[number]
    to = item.name if faces is None else f"{item.name}, {faces_label(faces)}"
    label = f"Assign {name} to {to}" if name else f"As the object: {to}"
    return _project(session, label, lambda project: project.given_material(number, name, faces))


def faces_label(faces: Faces) -> str:
    """Some faces in words: part “rim”, slot “brass”, piece 3."""
    by, name, number = faces
    if by == "piece":
        return f"piece {number + 1}"
    return f"{'faces' if by == 'set' else by} “{name or 'without a name'}”"


@act("materials.bring_back", "Bring back from a copy", command="materials bring-back")
def bring_back(session: Session, name: str) -> bool:
    """Takes a material that cannot be read from the newest copy of the project that has it."""
    copy = newest_copy_with(session.base_folder, name) if name in session.project.unread else None
    if copy is None:
        session.problem.emit(
            CollageError(f"No copy of the project holds “{name}”.", about=name, remedy="Import it from another file.")
        )
        return False
    document = load_project(copy)[0].materials[name]
    if not _project(session, f"Bring back {name}", lambda project: project.brought_back(name, document)):
        return False
    session.show_material(name)
    return True
