"""Commands that bring maps in: read a folder, build materials from it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from collage.core.errors import CollageError

if TYPE_CHECKING:
    from collage.core.gather.sets import FoundSet, Gathered


def register(app: typer.Typer) -> None:
    """Puts the commands into the program."""
    app.command()(gather)


def gather(
    folder: Annotated[Path, typer.Argument(help="A folder with maps; folders inside it are read too.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print what was found as JSON.")] = False,
    into: Annotated[Path | None, typer.Option(help="Build a material of every set in this project.")] = None,
    only: Annotated[list[str] | None, typer.Option("--set", help="Only the set of this name; may be repeated.")] = None,
    in_place: Annotated[bool, typer.Option("--in-place", help="Leave the files where they are.")] = False,
) -> None:
    """Group the maps in a folder to sets with roles; build materials from them."""
    from collage.core.gather.report import as_json as to_json
    from collage.core.gather.rules import load_rules
    from collage.core.gather.scan import gathered

    found = gathered(folder, load_rules())
    if only:
        known = {one.name for one in found.sets}
        for name in only:
            if name not in known:
                raise CollageError(f"There is no set “{name}”.", remedy=f"Choose one of {', '.join(sorted(known))}.")
        found = type(found)(tuple(one for one in found.sets if one.name in only), found.leftover)
    if as_json:
        typer.echo(json.dumps(to_json(found), ensure_ascii=False, indent=1))
    elif into is None:
        _list(found)
    if into is not None:
        _build(found, folder, into, in_place)


def _list(found: Gathered) -> None:
    for one in found.sets:
        typer.echo(_heading(one))
        for every in one.maps:
            mark = " " if every.sure else "?"
            green = f", green {every.green}" if every.role == "normal" else ""
            files = every.files[0] if len(every.files) == 1 else f"{every.files[0]} and {len(every.files) - 1} more"
            typer.echo(f"  {mark} {every.label:16} {every.confidence:4.0%}  {files}{green}")
            for remark in every.remarks:
                typer.echo(f"{'':27}{remark}")
    for left in found.leftover:
        typer.echo(f"left over: {left.file}: {left.reason}")


def _heading(one: FoundSet) -> str:
    return f"{one.name}" + (f"  ({one.folder})" if one.folder else "") + "".join(f"  {text}" for text in one.remarks)


def _build(found: Gathered, folder: Path, into: Path, in_place: bool) -> None:
    from collage.core.gather.build import BuildOptions
    from collage.core.gather.project import build_into

    for name, remarks in build_into(found.sets, folder, into, BuildOptions(), in_place=in_place):
        typer.echo(f"{name}: built" + "".join(f" {text}" for text in remarks), err=False)
