"""Samples after some seasons: moss, wear, drips, a water stain, prints and a label."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from collage.core.actions.effects import USUAL_SQUARE, below
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, within
from collage.core.document.edits import move_cards
from collage.core.document.materials import hidden_on_board
from collage.core.document.model import Input, Network
from collage.core.images.alpha import make_label_file
from collage.core.images.files import write_image
from collage.core.nodes.effects import EFFECTS, with_effect
from collage.core.nodes.layout import tidy
from collage.core.nodes.library import Library, load_library
from collage.core.nodes.paper_label import frame_at, with_label
from collage.core.project.folder import load_project, material_folder, relative_name, save_project
from collage.core.project.state import Project
from collage.core.render.samples import find_hits
from collage.core.scene.bench import BenchObject
from collage.core.scene.relief import tile_metres
from collage.core.scene.scene import build_scene
from collage.demo.potting_bench import seed_label
from collage.demo.yard import yard_steps

Worn = tuple[tuple[str, str, dict[str, float]], ...]
"""By material, the effects on it, the lowest first, and the values that are not the usual ones."""

YARD: Worn = (
    ("Slate floor", "moss", {"reach": 0.035}),
    ("Rough stone", "drips", {"long": 0.75}),
    ("Rough stone", "moss", {"reach": 0.045, "facing": 0.25, "amount": 0.8}),
    ("Weathered boards", "worn edges", {"width": 0.006, "amount": 0.45}),
    ("Lime-bloomed clay", "tide line", {"level": 0.075, "line": 0.005, "amount": 0.8}),
    ("Celadon glaze", "prints", {}),
)
SHED: Worn = (
    ("Lime-bloomed clay", "tide line", {"level": 0.085, "line": 0.004, "amount": 0.7}),
    ("Lime-bloomed clay", "worn edges", {"width": 0.004, "amount": 0.5}),
    ("Lime-bloomed clay", "moss", {"reach": 0.035, "facing": 0.2, "amount": 0.85}),
    ("Celadon glaze", "prints", {"cover": 0.36, "amount": 0.6}),
)


@dataclass(frozen=True)
class Stuck:
    """Where the seed label sits: on an object, so high above its foot, on the side that some degrees face; metres."""

    on: str
    height: float
    facing: float
    width: float = 0.078


ON_CAN, ON_POT = Stuck("Watering can", 0.08, 12.0), Stuck("Pot", 0.075, 34.0, 0.058)


def weathered_steps(
    folder: Path, sample: Callable[[Path], Steps[None]] = yard_steps, worn: Worn = YARD, stuck: Stuck = ON_CAN
) -> Steps[None]:
    """Writes a sample into a folder, with effects over its materials and the label on one of its objects."""
    yield from within(sample(folder), 0, 0.8)
    project, problems = load_project(folder)
    for problem in problems:
        raise problem
    library = load_library()
    yield Progress("Letting it weather", 0.85)
    for name, effect, values in worn:
        project = project.with_material(name, _worn(library, project, folder, name, effect, values))
    picture, label = folder / "maps" / "labels" / "seed_label.png", folder / "maps" / "labels" / "seed_label.exr"
    pixels = seed_label()
    write_image(picture, (pixels * 255 + 0.5).astype(np.uint8))
    yield from within(make_label_file(picture, label), 0.9, 0.95)
    project = _labelled(library, project, folder, label, pixels.shape[0] / pixels.shape[1], stuck)
    for name in project.materials:
        project = project.with_material(name, _laid_out(project.materials[name]))
    save_project(project, folder)


def _laid_out(network: Network) -> Network:
    hidden = hidden_on_board(network)
    shown = [name for name, one in network.cards.items() if name not in hidden and not one.helper]
    return move_cards(network, tidy(network, shown))


def _worn(
    library: Library, project: Project, folder: Path, name: str, effect: str, values: dict[str, float]
) -> Network:
    metres = tile_metres(project.bench.in_folder(folder), name) or USUAL_SQUARE
    before = project.materials[name]
    network, card = with_effect(library, before, EFFECTS[effect], below(before), metres)
    group = network.cards[card]
    for key, value in values.items():
        shown = group.inputs[key]
        group = group.with_input(Input(key, shown.type, value, attributes=shown.attributes))
    return network.with_card(group)


def _labelled(library: Library, project: Project, folder: Path, file: Path, shape: float, stuck: Stuck) -> Project:
    """A project with the label on one of its objects. shape : height of the picture over its width."""
    item = next(one for one in project.bench.in_folder(folder).objects if one.name == stuck.on)
    place, facing = _on_body(item, stuck)
    frame = frame_at(place.tolist(), facing.tolist(), stuck.width, stuck.width * shape)
    stored = relative_name(file, material_folder(folder))
    metres = tile_metres(project.bench.in_folder(folder), item.material) or USUAL_SQUARE
    before = project.materials[item.material]
    network, _ = with_label(library, before, stored, frame, "Seed label", below(before), metres)
    return project.with_material(item.material, network)


def _on_body(item: BenchObject, stuck: Stuck) -> tuple[np.ndarray, np.ndarray]:
    """The place of the label on an object's body, and which way it faces, in the object's own space."""
    way = np.array([np.sin(np.radians(stuck.facing)), 0.0, np.cos(np.radians(stuck.facing))], np.float32)
    middle = np.array(item.place, np.float32) + np.array([0, stuck.height, 0], np.float32)
    found = find_hits(build_scene((item,), False), (middle + way * 0.5)[None], -way[None], 1.0, 1e-3)
    if not found.count:
        raise CollageError("There is nothing to put the label on.", about=item.name)
    points = found.groups[0].points
    own = (points.position[:, 0] - np.array(item.place)) @ item.matrix().T
    return own, points.normal[:, 0] @ item.matrix().T
