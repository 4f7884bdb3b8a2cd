"""What the commands that change a saved project share."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.core.base.errors import CollageError

if TYPE_CHECKING:
    from collage.core.document.model import Network
    from collage.core.nodes.library import Library
    from collage.core.project.state import Project

Folder = Annotated[Path, typer.Argument(help="A project folder.")]
Material = Annotated[str, typer.Argument(help="Name of a material.")]


def changed(folder: Path, change: Callable[[Project], Project]) -> None:
    """Loads a project, changes it and saves it. Raises CollageError and leaves it whole if that fails."""
    from collage.core.project.folder import load_project, save_project

    project, problems = load_project(folder)
    if problems:
        raise problems[0]
    save_project(change(project), folder)


def material_of(project: Project, name: str) -> Network:
    if name not in project.materials:
        have = ", ".join(f"“{one}”" for one in project.materials)
        raise CollageError(f"There is no material “{name}”.", remedy=f"Choose one of {have}.")
    return project.materials[name]


def within(document: Network, group: str) -> Network:
    """The document itself, or the cards of a group in it: its name, A/B for one in another."""
    from collage.core.document.model import inside

    try:
        return inside(document, _path(group))
    except KeyError:
        raise CollageError(f"There is no group “{group}”.", remedy="See `collage cards list`.") from None


def _path(group: str) -> tuple[str, ...]:
    return tuple(part for part in group.split("/") if part)


def edit(folder: Path, material: str, change: Callable[[Network], Network], group: str = "") -> None:
    """Changes one material of a saved project, or the cards of a group in it; see `within`."""
    from collage.core.document.links import without_idle_links
    from collage.core.document.model import replaced_inside

    def on_document(document: Network) -> Network:
        return replaced_inside(document, _path(group), without_idle_links(change(within(document, group))))

    changed(folder, lambda project: project.with_material(material, on_document(material_of(project, material))))


def load_library() -> Library:
    from collage.core.nodes.library import load_library as load

    return load()


def place_of(text: str, what: str = "input") -> tuple[str, str]:
    """The card and the input or output of it that a text names."""
    card, dot, name = text.partition(".")
    if not dot or not card or not name:
        raise CollageError(f"“{text}” names no {what}.", remedy=f"Write it as CARD.{what.upper()}.")
    return card, name
