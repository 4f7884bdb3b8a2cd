"""The root of the command line: names and one line for every command; modules are imported when one is used."""

from __future__ import annotations

import importlib
import sys
from typing import Annotated, Any

import typer
from typer.core import TyperCommand, TyperGroup

from collage import __version__

COMMANDS: dict[str, tuple[str, str]] = {
    "samples": ("projects", "List the sample projects that `collage new --from` can write."),
    "new": ("projects", "Write a new project from a sample."),
    "demo": (
        "projects",
        "Open the demo: the potting shed. Without a display, write its picture.",
    ),
    "open": ("projects", "Open the window, on a project if one is named."),
    "render": ("pictures", "Render a project's picture to a file. Needs no display."),
    "renders": ("renders", "Renders that wait in the queue: list, add, go, remove."),
    "section": ("section", "Tell how long and deep the profile of an object is along a line across the picture."),
    "evaluate": ("documents", "Evaluate nodegraph outputs over the unit UV square to float EXR files, one per output."),
    "nodes": ("documents", "List every definition of the library, and whether Collage computes it."),
    "info": ("documents", "Show what a project, document or image holds, and what is wrong with it."),
    "materials": (
        "materials",
        "The materials of a project: list, make, import, rename, copy, delete, assign, picture.",
    ),
    "cards": (
        "card_parts",
        "The cards of a material: add, wire, set, skip, remove; ramps, stacks, groups, links.",
    ),
    "bench": ("bench", "The bench of a project: exposure, tone, environment and lights."),
    "objects": ("objects", "The objects on the bench: add, list, check, mend, place, duplicate, remove."),
    "uv": ("uvs", "The UV sets of objects: list, new, unwrap, project, pack, change, move, measure."),
    "bake": (
        "bake",
        "Bake normals, height, occlusion and more onto an object's UVs.",
    ),
    "masks": ("bake", "Bake what a card puts out, as a mask, onto an object's UVs."),
    "gather": ("gather", "Group the maps in a folder to sets with roles; build materials from them."),
    "library": ("gather", "List what the library holds; make the sample library."),
    "seamless": ("gather", "Make a photograph tile, with a seam score before and after."),
    "derive": ("gather", "Derive height, normals, roughness and occlusion from a photograph."),
    "region": ("gather", "Crop, straighten, turn or resize a picture, or take one channel of it."),
    "remake": ("gather", "Remake a picture from its record, after its source has changed."),
    "files": ("files", "List a project's files and their sizes; find missing ones, copy them in, halve large ones."),
}
"""By command: the module of this package that it is in, and its help."""

GROUPS = frozenset({"materials", "cards", "bench", "objects", "uv", "renders"})
"""Commands that have commands of their own."""


class _Lazy(TyperGroup):
    """Lists commands without importing them."""

    def list_commands(self, ctx: Any) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        known = COMMANDS.get(cmd_name)
        return TyperCommand(cmd_name, help=known[1], short_help=known[1]) if known is not None else None

    def resolve_command(self, ctx: Any, args: list[str]) -> Any:
        name, command, rest = super().resolve_command(ctx, args)
        return name, load_command(name) if command is not None and name is not None else command, rest


def load_command(name: str) -> Any:
    """The command of a name, its module imported."""
    module = importlib.import_module(f"collage.cli.{COMMANDS[name][0]}")
    group: Any = typer.main.get_command(module.app)
    return group if name in GROUPS else group.get_command(typer.Context(group), name)


app = typer.Typer(
    cls=_Lazy,
    help="Collage: wire maps and patterns into physically based surfaces and judge them under light.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


@app.callback(invoke_without_command=True)
def _main(version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False) -> None:
    if version:
        typer.echo(f"collage {__version__}")
        raise typer.Exit


def run() -> None:
    """Runs the command that the command line names."""
    try:
        app(standalone_mode=True)
    except KeyboardInterrupt:
        typer.echo("collage: stopped.", err=True)
        sys.exit(130)
    except Exception as error:
        from collage.core.base.errors import CollageError
        from collage.core.base.text import shown

        if isinstance(error, OSError):
            about = str(error.filename or "").rpartition("/")[2]
            error = CollageError(
                f"{error.strerror or error}.", about=about, remedy="Check the path, and the disk that it is on."
            )
        elif isinstance(error, MemoryError):
            error = CollageError("There is not enough memory for this.", remedy="Use a smaller size.")
        if not isinstance(error, CollageError):
            raise
        typer.echo(shown(f"collage: {error}"), err=True)
        sys.exit(1)
