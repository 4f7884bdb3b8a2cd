"""Baked maps as files: how their values are stored, what they are called, and the record beside each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.bake.baking import BakedTile, Ready, baking, made_ready, remarks_on, with_reach
from collage.core.bake.recipe import SUFFIX_OF, Bake, BakedMap, Form
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, within
from collage.core.evaluate.run import never
from collage.core.geometry.islands import quantiles
from collage.core.images.files import write_image, writing
from collage.core.images.made import Record, keep_record, record_path, sixteen_bits
from collage.core.images.tiles import label_of
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest

MISSED = "missed"  # the end of the name of the picture of texels that met nothing
NEARLY_ALL = 0.95  # of the source's area is less curved than what a curvature map goes up to, if nothing is said
GOLDEN_TURN = 0.6180339887


@dataclass(frozen=True)
class BakedFiles:
    """What was written. missed : the picture of texels that met nothing, if there are any. depth : metres from black
    to white of a height map."""

    paths: tuple[Path, ...]
    remarks: tuple[str, ...]
    missed: Path | None
    depth: float


def baking_files(
    renderer: Renderer,
    request: PictureRequest,
    bake: Bake,
    folder: Path,
    stem: str,
    cancelled: Callable[[], bool] = never,
) -> Steps[BakedFiles]:
    """Bakes and writes all maps, a file for each and each tile, with records. Raises CollageError, Cancelled.

    stem : what their names begin with.
    """
    yield Progress("Finding both surfaces", 0.0)
    ready = made_ready(renderer, request, bake, cancelled)
    _check_free(ready, folder, stem)
    paths: list[Path] = []
    tiles: list[BakedTile] = []
    missed = None
    share = 1 / max(len(ready.tiles), 1)
    for number, place in enumerate(ready.tiles):
        low = number * share
        tile = yield from within(baking(ready, place, renderer, cancelled), low, low + 0.8 * share)
        for at, name in enumerate(bake.maps):
            path = folder / file_name(stem, SUFFIX_OF[name], bake, ready, place)
            steps = writing(path, stored(ready, name, tile), bits=bits_of(bake.form))
            yield from within(steps, low + share * (0.8 + 0.2 * at / len(bake.maps)), low + share)
            keep_record(path, Record(baked=meaning(ready, name)))
            paths.append(path)
        if tile.missed:
            path = folder / Path(file_name(stem, MISSED, bake, ready, place)).with_suffix(".png")
            write_image(path, tile.maps.picture())
            missed = missed or path
        tile.maps.sums.clear()  # large, and written
        tiles.append(tile)
    return BakedFiles(tuple(paths), remarks_on(ready, tiles), missed, ready.depth)


def _check_free(ready: Ready, folder: Path, stem: str) -> None:
    """Raises CollageError where a map would take the place of a file that was not baked."""
    for place in ready.tiles:
        for name in ready.bake.maps:
            path = folder / file_name(stem, SUFFIX_OF[name], ready.bake, ready, place)
            if path.exists() and not record_path(path).exists():
                raise CollageError("There is a file of this name that was not baked.", about=path.name,
                                   remedy="Choose another folder, or move the file.")  # fmt: skip


def file_name(stem: str, suffix: str, bake: Bake, ready: Ready, tile: tuple[int, int]) -> str:
    """The name of a map's file; with the number of its tile where it is not the first one alone."""
    number = "" if ready.tiles == ((0, 0),) else f".{tile_number(tile)}"
    ending = "exr" if bake.form == "exr" else "png"
    return f"{stem}_{suffix}{number}.{ending}"


def meaning(ready: Ready, name: BakedMap) -> dict[str, Any]:
    """How a map was baked and what its values mean, for its record."""
    found: dict[str, Any] = {"map": name, "bake": with_reach(ready.bake, ready).model_dump(mode="json")}
    floats = ready.bake.form == "exr"
    if name == "height":
        found["values"] = "metres above the mesh" if floats else "0.5 is the mesh"
        found["depth"] = ready.depth
    elif name == "curvature":
        found["values"] = "1 / metres" if floats else "0.5 is flat, 1 a bulge of this radius"
        found["radius"] = _width(ready)
    elif name == "position":
        low, high = _box(ready)
        found["values"] = "metres" if floats else "0 to 1 from low to high"
        found |= {"low": low.tolist(), "high": high.tolist()}
    elif name == "part":
        names = ready.source.mesh.part_names or ("",)
        found["values"] = "the part's number" if floats else "the part's colour"
        found["parts"] = {
            str(number): {"name": one, "colour": part_colour(number).tolist()} for number, one in enumerate(names)
        }
    return found


def stored(ready: Ready, name: BakedMap, tile: BakedTile) -> np.ndarray:
    """A map as it is written: float32 for EXR in the units of its values, else (h, w, c) uint8 or uint16."""
    floats, padding = ready.bake.form == "exr", ready.bake.padding
    low, high = _box(ready)
    neutral = {
        "normal": np.array([0, 0, 1]) if ready.bake.space == "tangent" else np.zeros(3), "occlusion": np.ones(1),
        "position": (low + high) / 2,
    }.get(name, np.zeros(1))  # fmt: skip
    values = tile.maps.mean(name, neutral.astype(np.float32), padding)
    if floats and name != "normal":
        return values
    if name == "normal":
        values = values * np.float32(0.5) + np.float32(0.5)
    elif name == "height":
        values = values / np.float32(ready.depth) + np.float32(0.5)
    elif name == "curvature":
        values = values * np.float32(_width(ready) / 2) + np.float32(0.5)
    elif name == "position":
        values = (values - low.astype(np.float32)) / (high - low).astype(np.float32)
    elif name == "part":
        numbers = values[:, :, 0].astype(int)
        values = np.stack([part_colour(one) for one in range(int(numbers.max(initial=0)) + 1)])[numbers]
    return as_form(values, ready.bake.form)


def tile_number(tile: tuple[int, int]) -> str:
    """The number of a tile (column, row), from 1001."""
    return label_of((tile[1], tile[0]))


def bits_of(form: Form) -> int | None:
    """The depth that a file of a form is written with; None for that of its pixels."""
    return 32 if form == "exr" else None


def as_form(values: np.ndarray, form: Form) -> np.ndarray:
    """(h, w, c) values as a file of a form holds them: floats as they are, else whole numbers of 0..1."""
    if form == "exr":
        return values
    return _eight_bits(values) if form == "png8" else sixteen_bits(values)


def _eight_bits(values: np.ndarray) -> np.ndarray:
    """(h, w, c) uint8 of values 0..1."""
    return np.asarray(np.clip(values, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8)


def part_colour(number: int) -> np.ndarray:
    """(3,) float32, 0 to 1: a colour for a part that is far from those of its neighbours in number."""
    from colorsys import hsv_to_rgb

    hue = number * GOLDEN_TURN % 1
    return np.array(hsv_to_rgb(hue, 0.55 + 0.3 * (number % 2), 0.95 - 0.3 * (number // 2 % 2)), np.float32)


def _width(ready: Ready) -> float:
    """Metres, of the roundings that are white or black."""
    if ready.bake.width is not None:
        return ready.bake.width
    mesh, curved = ready.source.mesh, np.abs(ready.source.curvature).reshape(-1, 3).mean(axis=1)
    if not mesh.areas.sum() > 0:
        return ready.target.size
    most = float(quantiles(curved, mesh.areas.astype(np.float64), (NEARLY_ALL,))[0])
    return float(1 / max(most, 1 / ready.target.size))


def _box(ready: Ready) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest corner of what a position map may hold, metres."""
    low, high = ready.target.mesh.bounds
    room = max(ready.outward, ready.inward)
    return low - room, high + room
