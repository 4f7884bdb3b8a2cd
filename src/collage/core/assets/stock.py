"""The library: map sets, images, patterns, materials and environments in folders, found by words and kind."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Literal

import numpy as np
import platformdirs

from collage.core.base.errors import CollageError
from collage.core.document.materials import prefixed
from collage.core.document.materialx import read_document
from collage.core.evaluate.run import never
from collage.core.gather.build import build_material, files_of
from collage.core.gather.looks import SMALL, look_of
from collage.core.gather.scan import list_files
from collage.core.gather.sets import MAP_SUFFIXES, FoundSet, Rules, group
from collage.core.gather.words import ROLES
from collage.core.images.colour import linear_to_srgb
from collage.core.images.files import read_info, read_pixels, write_image
from collage.core.images.region import floats, resized
from collage.core.images.store import ImageRef
from collage.core.render.renderer import Renderer
from collage.core.render.swatch import swatch

Kind = Literal["map set", "image", "pattern", "material", "environment"]
KINDS: tuple[Kind, ...] = ("map set", "image", "pattern", "material", "environment")
PICTURE = (96, 72)
_ENVIRONMENT_WORDS = ("environment", "sky", "studio", "hdri", "panorama")


@dataclass(frozen=True)
class Item:
    """Something in the library. file : relative to the folder; of a set, its first map. found : of a map set."""

    kind: Kind
    name: str
    folder: Path
    file: str
    found: FoundSet | None = None
    words: str = ""

    @property
    def key(self) -> str:
        """What it is remembered by among the favourites."""
        return f"{self.kind}:{self.folder / self.file}"

    @property
    def path(self) -> Path:
        """Where its main file lies."""
        return self.folder / self.file


def items(folder: Path, rules: Rules = ()) -> list[Item]:
    """What a folder and the folders inside it hold, by name. Raises CollageError if it cannot be read."""
    files = list_files(folder)
    found = group(files, rules)
    made = [_set_item(folder, one) for one in found.sets]
    for left in found.leftover:
        suffix = PurePosixPath(left.file).suffix.lower()
        if suffix == ".mtlx":
            made.append(_item("material", folder, left.file))
        elif suffix in MAP_SUFFIXES and left.reason != "a preview":
            made.append(_item(_picture_kind(folder, left.file), folder, left.file))
    return sorted(made, key=lambda one: (KINDS.index(one.kind), one.name.lower()))


def _set_item(folder: Path, found: FoundSet) -> Item:
    roles = " ".join(ROLES[one.role] for one in found.maps)
    words = f"{found.name} {found.title} {found.folder} {roles} map set".lower()
    return Item("map set", found.title, folder, found.maps[0].files[0], found, words)


def _item(kind: Kind, folder: Path, file: str) -> Item:
    path = PurePosixPath(file)
    return Item(kind, path.stem, folder, file, None, f"{file} {kind}".lower().replace("_", " "))


def _picture_kind(folder: Path, file: str) -> Kind:
    """Twice as wide as high and of linear light, or in a folder that says so: an environment."""
    path = PurePosixPath(file)
    if path.suffix.lower() not in (".hdr", ".exr"):
        return "image"
    if any(word in file.lower() for word in _ENVIRONMENT_WORDS):
        return "environment"
    try:
        info = read_info(folder / file)
    except CollageError:
        return "image"
    return "environment" if info.width == 2 * info.height else "image"


def search(
    every: Iterable[Item], text: str, kind: Kind | None = None, only: frozenset[str] | None = None
) -> list[Item]:
    """The items that hold all words of a text. kind : only these. only : keys, such as the favourites."""
    words = text.lower().split()
    return [
        one for one in every
        if (kind is None or one.kind == kind)
        and (only is None or one.key in only)
        and all(word in one.words for word in words)
    ]  # fmt: skip


def stamp(folder: Path) -> str:
    """Changes when files come, go or are renamed in a folder or below it."""
    state = hashlib.blake2b(digest_size=16)
    for here, folders, _ in os.walk(folder):
        folders[:] = sorted(one for one in folders if not one.startswith("."))
        state.update(f"{here} {Path(here).stat().st_mtime_ns}\n".encode())
    return state.hexdigest()


def default_folder() -> Path:
    """Where the sample library and what people keep lie unless settings say otherwise."""
    return Path(platformdirs.user_data_dir("collage")) / "library"


# ---- pictures -----------------------------------------------------------------------------------


class Pictures:
    """Small pictures of items, kept on disk from one start to the next."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or Path(platformdirs.user_cache_dir("collage")) / "pictures"

    def picture(self, item: Item, renderer: Renderer, cancelled: Callable[[], bool] = never) -> np.ndarray | None:
        """(h, w, 3) uint8; from the cache if it is there, None where it cannot be made. Raises Cancelled."""
        path = self._path(item)
        if path.is_file():
            try:
                return read_pixels(path)[:, :, :3]
            except CollageError:
                pass  # a broken one is made again
        try:
            made = _made(item, renderer, cancelled)
        except CollageError:
            return None
        with suppress(CollageError):  # a full disk costs only the memory of it
            write_image(path, made)
        return made

    def _path(self, item: Item) -> Path:
        files = files_of(item.found) if item.found is not None else [item.file]
        state = "\n".join(f"{file} {ImageRef(str(item.folder / file)).stamp}" for file in files)
        name = hashlib.blake2b(f"{item.key}\n{state}".encode(), digest_size=16).hexdigest()
        return self.folder / f"{name}.png"


def _made(item: Item, renderer: Renderer, cancelled: Callable[[], bool]) -> np.ndarray:
    if item.found is not None:
        network = build_material(item.found, stored=lambda file: str(item.folder.resolve() / file))
        return swatch(renderer, network, item.folder, PICTURE, cancelled)
    if item.kind == "material":
        network = prefixed(read_document(item.path), str(item.path.parent.resolve()))
        return swatch(renderer, network, item.folder, PICTURE, cancelled)
    return small_picture(read_pixels(item.path), PICTURE)


def small_picture(pixels: np.ndarray, size: tuple[int, int] = PICTURE) -> np.ndarray:
    """(h, w, 3) uint8 of a picture cut to the shape of `size` (w, h); linear light is shown as sRGB."""
    small = look_of(pixels).small if max(pixels.shape[:2]) > SMALL else floats(pixels)
    if pixels.dtype.kind == "f":
        small = linear_to_srgb(np.clip(small / (1 + small), 0, 1)).astype(np.float32)
    if small.shape[2] < 3:
        small = np.repeat(small[:, :, :1], 3, axis=2)
    height, width = small.shape[:2]
    shape = size[0] / size[1]
    wide, high = min(width, int(height * shape)), min(height, int(width / shape))
    x, y = (width - wide) // 2, (height - high) // 2
    cut = resized(np.ascontiguousarray(small[y : y + max(high, 1), x : x + max(wide, 1), :3]), max(size))
    return (np.clip(cut, 0, 1) * 255 + 0.5).astype(np.uint8)
