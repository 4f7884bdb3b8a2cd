"""How large the maps of a project are, where they are far larger than a picture needs, and halving them."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, within
from collage.core.document.model import Network
from collage.core.images.codecs import codec_of
from collage.core.images.files import ImageInfo, read_info, read_pixels, writing
from collage.core.images.pyramid import half_size
from collage.core.images.tiles import NUMBER, PAIR
from collage.core.project.folder import MAPS
from collage.core.project.references import Reference, each_file, free_name, references
from collage.core.project.state import Project
from collage.core.scene.bench import BenchObject
from collage.core.scene.cameras import Camera
from collage.core.scene.scene import object_bounds

PICTURE = (1920, 1080)  # pixels of the picture that maps are measured against
FAR_LARGER = 4  # times as many texels as needed: half of them leave room for a camera twice as near
LEAST = 64  # texels of a side that is not halved any more
SIZED = re.compile(r"[._-]?\d{3,5}$")
"""The end of a name that says how many texels wide a map is."""


@dataclass(frozen=True)
class MapFile:
    """An image file of a project, or a name that stands for numbered tiles.

    materials : that read it. width, height : of the largest tile; 0 where it cannot be read. bytes : of all its files.
    across : pixels that the objects with it are wide in a picture of the size `PICTURE`; 0 where it is on none.
    """

    file: Path
    materials: tuple[str, ...]
    width: int = 0
    height: int = 0
    tiles: int = 1
    bytes: int = 0
    across: float = 0.0

    @property
    def far_larger(self) -> bool:
        """Whether half the size would still have more texels than any picture from this far away can show."""
        return 0 < FAR_LARGER * math.pi * self.across < max(self.width, self.height)  # it goes around the object

    @property
    def texels(self) -> int:
        """Of all tiles together, as if each were as large as the largest."""
        return self.width * self.height * self.tiles

    @property
    def can_be_halved(self) -> bool:
        return min(self.width, self.height) >= LEAST


def map_files(project: Project, folder: Path, camera: Camera) -> Steps[list[MapFile]]:
    """All image files of a project, as steps; the largest first."""
    readers: dict[Path, list[str]] = {}
    bench = project.bench.in_folder(folder)
    for one in references(project, folder):
        if one.is_mesh:
            continue
        names = readers.setdefault(one.file, [])
        if one.material not in names:
            names.append(one.material)
    found = []
    for done, (file, names) in enumerate(readers.items()):
        yield Progress("Looking at the maps", done / len(readers))
        objects = [item for item in bench.objects if set(item.materials) & set(names)]
        found.append(_measured(file, tuple(names), max((_across(item, camera) for item in objects), default=0.0)))
    return sorted(found, key=lambda one: (-one.texels, one.file.name))


def _measured(file: Path, materials: tuple[str, ...], across: float) -> MapFile:
    paths = [path for path, _ in each_file(file, file)]
    infos = [info for path in paths if (info := _info(path)) is not None]
    if not infos:
        return MapFile(file, materials)
    largest = max(infos, key=lambda one: one.width * one.height)
    size = sum(path.stat().st_size for path in paths if path.exists())
    return MapFile(file, materials, largest.width, largest.height, len(paths), size, across)


def _info(path: Path) -> ImageInfo | None:
    try:
        return read_info(path)
    except CollageError:
        return None


def _across(item: BenchObject, camera: Camera) -> float:
    """Pixels of the ball around an object, in a picture of the usual size."""
    low, high = (np.array(corner) for corner in object_bounds(item))
    middle = (low + high) / 2 @ item.matrix() + item.place
    away = max(float(np.linalg.norm(middle - camera.position())), 1e-3)
    return float(np.linalg.norm(high - low)) * camera.focal_length(*PICTURE) / away


# ---- halving ------------------------------------------------------------------------------------


def halved(project: Project, folder: Path, files: Iterable[Path]) -> Steps[dict[Path, Path]]:
    """Writes files of half the size beside others, or into maps/ for those outside; see `references.using`.

    files : as `references` names them. Texels are means of two by two in linear light, as every smaller level is.
    Raises CollageError; what was written by then is left, and named by nobody.
    """
    wanted = list(files)
    spaces = {one.file: _space(project.materials[one.material], one) for one in references(project, folder)
              if one.material}  # fmt: skip
    targets: dict[Path, Path] = {}
    for number, file in enumerate(wanted):
        steps = _halve(file, spaces[file], folder)
        target = yield from within(steps, number / len(wanted), (number + 1) / len(wanted), f"Halving {file.name}")
        targets[file] = target
    return targets


def _halve(file: Path, space: str, folder: Path) -> Steps[Path]:
    """The file, or the name for tiles, that has half the size. Raises CollageError."""
    infos = {path: read_info(path) for path, _ in each_file(file, file)}
    if not infos:
        raise CollageError("The file is not there.", about=file.name, remedy="Find it again first.")
    width = max(info.width for info in infos.values()) // 2
    inside = file.parent.resolve().is_relative_to(folder.resolve())
    target = free_name(_name(file if inside else folder / MAPS / file.parent.name / file.name, width))
    for done, (source, made) in enumerate(each_file(file, target)):
        start, end = done / len(infos), (done + 1) / len(infos)
        yield from within(_write_half(source, space, made, infos[source]), start, end)
    return target


def _write_half(source: Path, space: str, made: Path, info: ImageInfo) -> Steps[None]:
    pixels = half_size(read_pixels(source), space)
    yield Progress("", 0.5)
    codec = codec_of(made)
    depths = codec.bits if codec is not None else ()
    yield from within(writing(made, pixels, bits=info.bits if info.bits in depths else None), 0.5, 1)


def _name(file: Path, width: int) -> Path:
    """A name that says how wide the map is; in a format that loses nothing."""
    codec = codec_of(file)
    keeps = codec is not None and codec.bits and codec.library_name != "jpeg"
    token = next((one for one in (NUMBER, PAIR) if one in file.name), "")
    before, _, after = file.name.partition(token) if token else (file.stem, "", file.suffix)
    stem = SIZED.sub("", before.rstrip("._-"))
    end = after if keeps else f"{after[: len(after) - len(file.suffix)]}.png"
    return file.with_name(f"{stem}_{width}{'.' if token else ''}{token}{end}")


def _space(document: Network, reference: Reference) -> str:
    """What the colours of a file mean to the card that reads it; numbers that are no colour mean themselves."""
    network, card = document, None
    for name in (*reference.path, reference.card):
        card = network.cards[name]
        network = card.network or network
    assert card is not None
    if not card.type.startswith("color"):
        return "lin_rec709"
    own = card.inputs[reference.input].attributes.get("colorspace") or card.attributes.get("colorspace")
    return own or document.attributes.get("colorspace", "") or "lin_rec709"
