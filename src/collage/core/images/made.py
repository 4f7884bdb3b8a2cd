"""Pictures that Collage made from others, with a record beside each of how it was made, to do it again."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from collage.core.base.errors import CollageError, disk_errors
from collage.core.base.frozen import Frozen
from collage.core.base.progress import Aside, Progress, Steps, within
from collage.core.base.safe_write import write_bytes
from collage.core.images.codecs import RECORD
from collage.core.images.derive import (
    ROWS_AT_ONCE,
    HeightFrom,
    RoughnessFrom,
    height_from,
    normal_from,
    occlusion_from,
    roughness_from,
)
from collage.core.images.files import read_pixels, writing
from collage.core.images.region import Region, taking
from collage.core.images.seamless import Scores, Seamless, scores, scoring, tiling

Derived = Literal["height", "normal", "roughness", "occlusion"]
DERIVED: tuple[Derived, ...] = ("height", "normal", "roughness", "occlusion")


class Derive(Frozen):
    """Which maps are made of a photograph, and how. metres : width of the tile. depth : metres from 0 to 1."""

    maps: tuple[Derived, ...] = Field(DERIVED, min_length=1)
    height: HeightFrom = HeightFrom()
    roughness: RoughnessFrom = RoughnessFrom()
    metres: float = Field(1.0, gt=0)
    depth: float = Field(0.02, gt=0)
    reach: float = Field(0.1, gt=0, le=0.5)


class Record(Frozen):
    """How a picture was made. source : the picture it was made from, relative to the record's own folder.

    baked : of a map that was baked from objects, how and what its values mean; see bake.files.
    """

    made_by: str = "Collage"
    version: int = 1
    source: str = ""
    baked: dict[str, Any] | None = None
    seamless: Seamless | None = None
    derive: Derive | None = None
    region: Region | None = None
    before: tuple[float, float] | tuple[float, float, float] | None = None  # seam, repetition, broken pattern
    after: tuple[float, float] | tuple[float, float, float] | None = None


NO_SEAM = 0.02  # up to which score the borders of a picture fit each other
LOOKED_AT = 512  # pixels of a picture's shorter side, to tell
Files = Steps[list[Path]]
"""Work that returns the files that it wrote."""


def record_path(path: Path) -> Path:
    """Where the record of a made picture lies, beside it."""
    return path.with_name(f"{path.stem}{RECORD}")


def read_record(path: Path) -> Record:
    """The record of a picture, given its own file or the picture's. Raises CollageError."""
    path = path if path.suffix == ".json" else record_path(path)
    try:
        return Record.model_validate_json(path.read_bytes())
    except OSError as error:
        raise CollageError("There is no record of how it was made.", about=path.name) from error
    except (ValidationError, ValueError) as error:
        first = str(error).split("\n")[0]
        raise CollageError(
            f"The record cannot be read: {first}.", about=path.name, remedy="Make the map anew."
        ) from error


def tiles_already(path: Path, pixels: np.ndarray) -> bool:
    """Whether a picture tiles: because it was made so, or as its borders look.

    pixels : of the picture, (h, w, c); some of its rows and columns are enough.
    """
    with suppress(CollageError):
        record = read_record(path)
        return record.seamless is not None or (record.derive is not None and record.derive.height.tiles)
    step = max(1, min(pixels.shape[:2]) // LOOKED_AT)
    return min(pixels.shape[:2]) >= 32 and scores(pixels[::step, ::step]).seam <= NO_SEAM


def keep_record(path: Path, record: Record) -> None:
    """Writes the record of a picture beside it. Raises CollageError."""
    with disk_errors(
        "How the picture was made cannot be kept",
        about=path.name,
        remedy="The picture itself is whole. Free some space, or choose a shorter name.",
    ):
        write_bytes(record_path(path), json.dumps(record.model_dump(mode="json"), indent=1).encode())


def _relative(source: Path, target: Path) -> str:
    return Path(os.path.relpath(source.resolve(), target.parent.resolve())).as_posix()


def sixteen_bits(values: np.ndarray) -> np.ndarray:
    """(h, w, c) uint16 of values 0..1."""
    values = values if values.ndim == 3 else values[:, :, None]
    made = np.empty(values.shape, np.uint16)
    for start in range(0, len(values), ROWS_AT_ONCE):  # large pictures would take much room as floats
        rows = slice(start, start + ROWS_AT_ONCE)
        made[rows] = np.clip(values[rows], 0, 1) * np.float32(65535) + np.float32(0.5)
    return made


def make_seamless_file(source: Path, target: Path, how: Seamless) -> Files:
    """Writes a tiling 16-bit map of a photograph, with its record. Raises CollageError."""
    yield Progress(f"Reading {source.name}", 0.0)
    pixels = read_pixels(source)
    part = yield from taking(pixels, how.region)
    del pixels
    before = yield from within(scoring(part), 0.1, 0.2)
    steps = tiling(part, how)
    del part  # of large photographs, nobody but the steps keeps it
    made = yield from steps
    after = yield from within(scoring(made), 0.8, 0.9)
    stored = sixteen_bits(made)
    del made
    yield from within(writing(target, stored), 0.9, 1)
    record = Record(
        source=_relative(source, target), seamless=how, before=_numbers(before), after=_numbers(after),
    )  # fmt: skip
    keep_record(target, record)
    return [target]


def _numbers(one: Scores) -> tuple[float, float, float]:
    return one.seam, one.repetition, one.pattern


def make_derived_files(source: Path, folder: Path, how: Derive, stem: str = "") -> Files:
    """Writes the maps derived from a photograph, 16 bits each, with their records. Raises CollageError.

    stem : what their names begin with; the photograph's name if left out.
    """
    yield Progress(f"Reading {source.name}", 0.0)
    maps = DerivedMaps(read_pixels(source), how)
    paths = [folder / f"{stem or source.stem}_{name}.png" for name in how.maps]
    share = 0.8 / len(how.maps)
    writers: list[Aside[None]] = []
    try:
        for done, (name, path) in enumerate(zip(how.maps, paths, strict=True)):
            steps = within(maps.steps(name), done * share, (done + 1) * share, f"Deriving {path.name}")
            stored = yield from _stored(steps)
            one = how.model_copy(update={"maps": (name,)})
            writers.append(
                Aside(_kept(writing(path, stored), path, Record(source=_relative(source, path), derive=one)))
            )
            del stored  # while it is written, the next one is made
        for done, writer in enumerate(writers):
            yield from within(writer.rest(), 0.8 + 0.2 * done / len(writers), 0.8 + 0.2 * (done + 1) / len(writers))
    finally:
        for writer in writers:
            writer.close()
    return paths


def _stored(steps: Steps[np.ndarray]) -> Steps[np.ndarray]:
    """A map as it is written."""
    return sixteen_bits((yield from steps))


def _kept(steps: Steps[None], path: Path, record: Record) -> Steps[None]:
    """A picture that is written, and then its record."""
    yield from steps
    keep_record(path, record)


class DerivedMaps:
    """The maps of (h, w, c) pixels; the height, which others are made of, is kept."""

    def __init__(self, pixels: np.ndarray, how: Derive) -> None:
        self._pixels, self._how = pixels, how
        self._height: np.ndarray | None = None

    def steps(self, name: Derived) -> Steps[np.ndarray]:
        """A map, (h, w) or (h, w, 3) float32 in 0..1."""
        how, tiles = self._how, self._how.height.tiles
        if name == "roughness":
            return (yield from roughness_from(self._pixels, how.roughness.model_copy(update={"tiles": tiles})))
        if self._height is None:
            self._height = yield from within(height_from(self._pixels, how.height), 0.0, 0.8)
        if name == "normal":
            return normal_from(self._height, how.metres, how.depth, tiles=tiles)
        if name == "occlusion":
            return (yield from occlusion_from(self._height, how.metres, how.depth, reach=how.reach, tiles=tiles))
        return self._height


def make_region_file(source: Path, target: Path, region: Region) -> Files:
    """Writes a region of a picture, with its record. Raises CollageError."""
    yield Progress(f"Reading {source.name}", 0.0)
    pixels = read_pixels(source)
    made = yield from within(taking(pixels, region), 0.2, 0.6)
    yield from within(writing(target, made if pixels.dtype.kind == "f" else sixteen_bits(made)), 0.6, 1)
    keep_record(target, Record(source=_relative(source, target), region=region))
    return [target]


def make_again(path: Path) -> Files:
    """Makes a picture anew from its record, after its source has changed. Raises CollageError."""
    path = path.with_name(path.name.removesuffix(RECORD) + ".png") if path.suffix == ".json" else path
    record = read_record(path)
    if record.baked is not None:
        raise CollageError("It was baked from objects.", about=path.name, remedy="Bake it again in its project.")
    source = path.parent / record.source
    if record.seamless is not None:
        return (yield from make_seamless_file(source, path, record.seamless))
    if record.derive is not None:
        stem = path.stem.removesuffix(f"_{record.derive.maps[0]}")
        return (yield from make_derived_files(source, path.parent, record.derive, stem))
    return (yield from make_region_file(source, path, record.region or Region()))
