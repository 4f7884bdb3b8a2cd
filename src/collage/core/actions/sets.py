"""What a set does to the project: its files copied on a thread, then the material as one step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.progress import Steps
from collage.core.document.model import Network
from collage.core.gather.build import BuildOptions, Stored, build_material, with_set
from collage.core.gather.project import copy_set, must_copy, stored_names
from collage.core.gather.sets import FoundSet
from collage.core.project.state import Project
from collage.core.scene.relief import span_of


def copying(
    session: Session, found: FoundSet, folder: Path, *, copy: bool
) -> Callable[[Callable[[], bool]], Steps[None]] | None:
    """The copying that has to be done before a set is built; None where its files stay where they are."""
    project = session.folder
    if project is None or not (copy or must_copy(found, folder)):
        return None

    return lambda _cancelled: copy_set(found, folder, project)


def names(session: Session, found: FoundSet, folder: Path, *, copy: bool) -> tuple[FoundSet, Stored]:
    """The set as it is built, and how its files are named in the material."""
    if session.folder is None:
        return found, lambda file: (folder / file).resolve().as_posix()
    return stored_names(found, folder, session.folder, leave=not copy)


@act("sets.build", "Build material", keys="Ctrl+B", command="gather")
def build(session: Session, found: FoundSet, folder: Path, options: BuildOptions, *, copy: bool, part: int = -1) -> str:
    """A new material of a set, worn by the object `part` if it is not negative; one step. Returns its name.

    Its files are there already, see `copying`. On an object tiles are as wide as the set says.
    """
    numbered, stored = names(session, found, folder, copy=copy)
    objects = session.bench.objects
    if 0 <= part < len(objects):
        span = span_of(objects[part].mesh())
        options = replace(options, span=(span.u, span.v) if span is not None else None)
    name = session.project.free_material_name(found.title)

    def change(project: Project) -> Project:
        project = project.with_material(name, build_material(numbered, options, stored))
        return project.given_material(part, name) if 0 <= part < len(project.bench.objects) else project

    session.history.do(f"Build {name}", change)
    session.show_material(name)
    return name


@act("sets.place", "Add map set", command="gather")
def put_on_board(
    session: Session, found: FoundSet, folder: Path, place: tuple[float, float], *, copy: bool = True
) -> str:
    """The card of a set on the board, wired to the channels that nothing is wired to yet; one step."""
    numbered, stored = names(session, found, folder, copy=copy)
    made: list[str] = []

    def change(network: Network) -> Network:
        after, name = with_set(network, numbered, BuildOptions(), stored, place)
        made.append(name)
        return after

    if session.edit(f"Add {found.title}", change):
        session.select(made)
    return made[0] if made else ""
