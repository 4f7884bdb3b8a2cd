"""What the commands that change a saved project share."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, TypeVar

import typer

from collage.core.base.errors import CollageError
from collage.core.base.text import shown

if TYPE_CHECKING:
    from collage.core.actions.session import Session
    from collage.core.base.progress import Steps
    from collage.core.document.model import Network
    from collage.core.nodes.library import Library
    from collage.core.project.state import Project

Made = TypeVar("Made")

Folder = Annotated[Path, typer.Argument(help="A project folder.")]
Material = Annotated[str, typer.Argument(help="Name of a material.")]


def material_of(project: Project, name: str) -> Network:
    if name not in project.materials:
        have = ", ".join(f"“{one}”" for one in project.materials)
        raise CollageError(f"There is no material “{name}”.", remedy=f"Choose one of {have}.")
    return project.materials[name]


def object_number(project: Project, name: str) -> int:
    """The number of an object on the bench by its name. Raises CollageError."""
    names = [item.name for item in project.bench.objects]
    if name not in names:
        raise CollageError(f"There is no object “{name}”.", remedy=f"Choose one of {', '.join(names)}.")
    return names.index(name)


def within(document: Network, group: str) -> Network:
    """The document itself, or the cards of a group in it: its name, A/B for one in another."""
    from collage.core.document.model import inside

    try:
        return inside(document, _path(group))
    except KeyError:
        raise CollageError(f"There is no group “{group}”.", remedy="See `collage cards list`.") from None


def _path(group: str) -> tuple[str, ...]:
    return tuple(part for part in group.split("/") if part)


@contextmanager
def saved_session(folder: Path, material: str = "", group: str = "") -> Iterator[Session]:
    """A session on a saved project, with a material and a group of it in hand; saved again when all went well.

    group : its name, A/B for one in another. Raises CollageError, and leaves the project as it was.
    """
    from collage.core.actions.session import Session
    from collage.core.images.store import ImageStore
    from collage.core.project.folder import load_project, project_folder
    from collage.core.project.lock import busy

    folder = project_folder(folder)
    project, unread = load_project(folder)
    for error in unread:  # it stays as it is, and the rest can be worked on
        fail(error)
    session = Session(load_library(), ImageStore())
    session.put(project, folder)
    if session.other is not None:
        raise busy(folder, session.other)
    try:
        yield from _edited(session, material, group)
    finally:
        session.close()


def _edited(session: Session, material: str, group: str) -> Iterator[Session]:
    problems: list[CollageError] = []
    session.problem.connect(problems.append)
    if material:
        material_of(session.project, material)
        session.show_material(material)
        within(session.document, group)
        session.open_group(_path(group))
    yield session
    if problems:
        raise problems[0]
    if session.dirty:
        session.save()


def load_library() -> Library:
    from collage.core.nodes.library import load_library as load

    return load()


def place_of(text: str, what: str = "input") -> tuple[str, str]:
    """The card and the input or output of it that a text names."""
    card, dot, name = text.partition(".")
    if not dot or not card or not name:
        raise CollageError(f"“{text}” names no {what}.", remedy=f"Write it as CARD.{what.upper()}.")
    return card, name


def fail(error: CollageError) -> None:
    """Says what is wrong; the work goes on."""
    typer.echo(shown(f"collage: {error}"), err=True)


def parse_size(text: str) -> tuple[int, int]:
    """(width, height) from a text such as 1280x800."""
    try:
        width, height = (int(part) for part in text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise CollageError(f"“{text}” is no size.", remedy="Write it as WIDTHxHEIGHT, for example 1280x800.") from None
    if not (1 <= width <= 16384 and 1 <= height <= 16384):
        raise CollageError(f"{width}×{height} is out of range.", remedy="Use 1 to 16384 pixels a side.")
    return width, height


@contextmanager
def progress(title: str) -> Iterator[Callable[[str, float], None]]:
    """A progress line on a terminal; nothing where the output is not one."""
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console, disable=not console.is_terminal, transient=True) as bar:
        task = bar.add_task(title, total=1.0)
        yield lambda text, share: bar.update(task, description=text or title, completed=share)


def finish(steps: Steps[Made], title: str) -> Made:
    """Takes steps to their end under a bar, and gives back the memory that they leave behind."""
    from collage.core.base.memory import give_back_memory
    from collage.core.base.progress import finished

    given_back = time.monotonic()
    with progress(title) as show:

        def step(what: str, share: float) -> None:
            nonlocal given_back
            if time.monotonic() > given_back + 0.5:  # of large photographs, steps leave much behind
                give_back_memory()
                given_back = time.monotonic()
            show(what, share)

        return finished(steps, step)


def prepare_kernels() -> None:
    """Compiles what the cache does not have yet, and says so: it happens once."""
    from collage.core import kernels
    from collage.core.base.progress import finished

    waiting = kernels.missing()
    if not waiting:
        return
    seconds = sum(kernels.FAMILIES[name] for name in waiting) / kernels.processes()
    typer.echo(f"Compiling the kernels, once: about {max(round(seconds, -1), 10):.0f} s.", err=True)
    with progress("Compiling kernels") as show:
        finished(kernels.compiled(), show)
