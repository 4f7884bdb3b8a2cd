"""The sample for masks: the yard after some seasons, with moss, wear, drips, a water stain, prints and a label."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.actions.effects import USUAL_SQUARE, below
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, within
from collage.core.document.model import Input, Network
from collage.core.images.alpha import make_label_file
from collage.core.images.files import write_image
from collage.core.nodes.effects import EFFECTS, with_effect
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

WORN: tuple[tuple[str, str, dict[str, float]], ...] = (
    ("Slate floor", "moss", {"reach": 0.035}),
    ("Rough stone", "drips", {"long": 0.75}),
    ("Rough stone", "moss", {"reach": 0.045, "facing": 0.25, "amount": 0.8}),
    ("Weathered boards", "worn edges", {"width": 0.006, "amount": 0.45}),
    ("Lime-bloomed clay", "tide line", {"level": 0.075, "line": 0.005, "amount": 0.8}),
    ("Celadon glaze", "prints", {}),
)
"""By material, the effects on it, the lowest first, and the values that are not the usual ones."""

CAN, LABEL_WIDTH, LABEL_HEIGHT = "Watering can", 0.078, 0.08  # metres; how high above its foot the label sits
FROM = 12.0  # degrees, the side of the can that the camera sees


def weathered_steps(folder: Path) -> Steps[None]:
    """Writes the sample into a folder."""
    yield from within(yard_steps(folder), 0, 0.8)
    project, problems = load_project(folder)
    for problem in problems:
        raise problem
    library = load_library()
    yield Progress("Letting it weather", 0.85)
    for name, effect, values in WORN:
        project = project.with_material(name, _worn(library, project, folder, name, effect, values))
    picture, label = folder / "maps" / "labels" / "seed_label.png", folder / "maps" / "labels" / "seed_label.exr"
    pixels = seed_label()
    write_image(picture, (pixels * 255 + 0.5).astype(np.uint8))
    yield from within(make_label_file(picture, label), 0.9, 0.95)
    project = _labelled(library, project, folder, label, pixels.shape[0] / pixels.shape[1])
    save_project(project, folder)


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


def _labelled(library: Library, project: Project, folder: Path, file: Path, shape: float) -> Project:
    """A project whose can has the label on its body. shape : height of the picture over its width."""
    item = next(one for one in project.bench.in_folder(folder).objects if one.name == CAN)
    place, facing = _on_body(item)
    frame = frame_at(place.tolist(), facing.tolist(), LABEL_WIDTH, LABEL_WIDTH * shape)
    stored = relative_name(file, material_folder(folder))
    metres = tile_metres(project.bench.in_folder(folder), item.material) or USUAL_SQUARE
    before = project.materials[item.material]
    network, _ = with_label(library, before, stored, frame, "Seed label", below(before), metres)
    return project.with_material(item.material, network)


def _on_body(item: BenchObject) -> tuple[np.ndarray, np.ndarray]:
    """A place on the can's body that the camera sees, and which way it faces, in the can's own space."""
    way = np.array([np.sin(np.radians(FROM)), 0.0, np.cos(np.radians(FROM))], np.float32)
    middle = np.array(item.place, np.float32) + np.array([0, LABEL_HEIGHT, 0], np.float32)
    found = find_hits(build_scene((item,), False), (middle + way * 0.5)[None], -way[None], 1.0, 1e-3)
    if not found.count:
        raise CollageError("There is no can to put the label on.", about=item.name)
    points = found.groups[0].points
    own = (points.position[:, 0] - np.array(item.place)) @ item.matrix().T
    return own, points.normal[:, 0] @ item.matrix().T
