"""What a project, a document or an image holds, in lines of plain text."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from collage.core.base.errors import CollageError
from collage.core.base.text import counted
from collage.core.document.materials import surface_card
from collage.core.document.materialx import read_document, validate
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.images.codecs import READ_SUFFIXES
from collage.core.images.files import read_info
from collage.core.nodes.library import Library
from collage.core.project.folder import is_project, load_project, material_folder

Line = tuple[str, bool]
"""A line, and whether what it says is sound."""


def describe(path: Path, library: Library) -> Iterator[Line]:
    """Lines about a path. Raises CollageError for what Collage does not open."""
    if is_project(path) or path.name == "project.json":
        yield from _project(path, library)
    elif path.suffix.lower() == ".mtlx":
        document = read_document(path)
        yield f"{path.name}: MaterialX document", True
        yield from _document(document, library, path.parent)
    elif path.suffix.lower() in READ_SUFFIXES:
        found = read_info(path)
        kind = "floating" if found.floating else "whole numbers"
        yield (
            f"{path.name}: {found.width} × {found.height}, {found.channels} channels of {found.bits} bits, {kind}",
            True,
        )
    else:
        raise CollageError(
            "Collage does not know what this is.",
            about=path.name,
            remedy="Name a project folder, a .mtlx file or an image.",
        )


def _project(path: Path, library: Library) -> Iterator[Line]:
    project, problems = load_project(path)
    objects = counted(len(project.bench.objects), "object")
    yield f"{project.name}: {counted(len(project.materials), 'material')}, {objects}", True
    for item in project.bench.objects:
        yield f"  {item.name}: {item.geometry.label}, material {item.material or 'none'}", True
    for problem in problems:
        yield f"  {problem}", False
    for name, network in project.materials.items():
        yield f"{name}:", True
        yield from _document(network, library, material_folder(path))


def _document(network: Network, library: Library, folder: Path) -> Iterator[Line]:
    surface = surface_card(network)
    groups = [card for card in network.cards.values() if card.network is not None]
    wires = counted(sum(1 for _ in network.wires()), "wire")
    yield f"  {counted(len(network.cards), 'card')}, {len(groups)} of them groups, {wires}", True
    yield f"  surface: {surface.category if surface else 'none'}", True
    for line in validate(network):
        yield f"  {line}", False
    targets = {}
    for name, card in network.cards.items():
        if card.network is None and card.type not in ("surfaceshader", "material", "displacementshader"):
            targets[name] = CardOutput(name)
        for output in card.network.outputs if card.network else ():
            targets[f"{name}.{output}"] = CardOutput(name, output)
    for error in build_plan(library, network, targets, folder=folder).problems.values():
        yield f"  {error}", False
