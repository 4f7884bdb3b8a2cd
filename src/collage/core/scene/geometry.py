"""Where an object's mesh comes from: one class for every kind of source, told apart by `kind`."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Literal

import numpy as np
from pydantic import ConfigDict, Field

from collage.core.base.frozen import Frozen
from collage.core.geometry.checks import REMEDIES, mended
from collage.core.geometry.files import read_raw, turned
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.picking import restored
from collage.core.geometry.raw import checked
from collage.core.geometry.stock import shape

MOST_FILES = 400  # meshes of files that are kept


class StockShape(Frozen):
    """One of the stock shapes, with some of its sizes (metres) and divisions."""

    kind: Literal["stock"] = "stock"
    shape: str = "sphere"
    sizes: dict[str, float] = Field(default_factory=dict)

    @property
    def key(self) -> str:
        """Names all that the mesh depends on."""
        return f"stock {self.shape} {sorted(self.sizes.items())}"

    @property
    def label(self) -> str:
        """Its name in words."""
        return self.shape

    def mesh(self) -> Mesh:
        """The mesh in the object's own space. Raises CollageError for an unknown shape or size."""
        return _stock(self.shape, tuple(sorted(self.sizes.items())))

    def in_folder(self, _folder: Path) -> StockShape:
        """A stock shape lies nowhere."""
        return self


class MeshReading(Frozen):
    """A mesh file and how it is read: which way is up, metres of its unit, and what is mended in it, in this order."""

    file: str
    z_up: bool = False
    metres: float = Field(1.0, gt=0)
    mends: tuple[str, ...] = ()
    state: str = ""  # of the file when it was read

    def mesh(self, smoothing: float | None = None) -> Mesh:
        """The mesh, y upwards, in metres. Raises CollageError."""
        path = Path(self.file)
        made = checked(turned(read_raw(path), z_up=self.z_up, scale=self.metres), path.name, smoothing)
        for one in self.mends:
            if one in REMEDIES:
                made = mended(made, one)
        return made


class MeshFile(Frozen):
    """A mesh file, usually a copy in the project.

    reading : of that file, its name relative to the project. source : the file that the copy was made of, and how, so
    that it can be read again. smoothing : degrees up to which edges are smooth; None keeps the file's own normals.
    """

    kind: Literal["file"] = "file"
    reading: MeshReading
    source: MeshReading | None = None
    smoothing: float | None = Field(None, ge=0, le=180)

    @property
    def key(self) -> str:
        """Names all that the mesh depends on; for a file whose name is whole."""
        return f"file {self.reading!r} {self.smoothing} {file_state(Path(self.reading.file))}"

    @property
    def label(self) -> str:
        """Its name in words."""
        return Path(self.reading.file).name

    def mesh(self) -> Mesh:
        """The mesh in the object's own space. Raises CollageError for a file that cannot be read."""
        return _of_file(self.key, self)

    def in_folder(self, folder: Path) -> MeshFile:
        """The same with the whole name of its file, which is relative to a project's folder."""
        whole = self.reading.model_copy(update={"file": (folder.absolute() / self.reading.file).as_posix()})
        return self.model_copy(update={"reading": whole})


@dataclass(frozen=True)
class HeldUv:
    """UVs (3 t, 2) that a hand is changing. key : names what is in them."""

    key: str
    places: np.ndarray = field(repr=False, compare=False)


def held_uv(places: np.ndarray) -> HeldUv:
    """UVs (3 t, 2) under the name of what is in them."""
    places = np.ascontiguousarray(places, np.float32)
    return HeldUv(hashlib.blake2b(places.data.cast("B"), digest_size=8).hexdigest(), places)


class UvSet(Frozen):
    """A UV set of an object under a name of its own.

    of : the mesh's own set that it is. file : the places of its corners, (3 t, 2) float32 as NumPy writes them, where
    they have been changed; its name relative to the project. held : in their place while a hand changes them; it is
    never stored.
    """

    model_config = ConfigDict(arbitrary_types_allowed=True)

    name: str
    of: str = ""
    file: str = ""
    held: HeldUv | None = Field(None, exclude=True)


class FaceSet(Frozen):
    """Faces of an object that were picked by hand, under a name. picked : see picking.stored; of how many triangles."""

    name: str
    picked: str
    triangles: int = Field(gt=0)


GeometrySource = Annotated[StockShape | MeshFile, Field(discriminator="kind")]
"""All sources."""


def file_state(path: Path) -> str:
    """Changes when a file does; empty where there is none."""
    try:
        found = path.stat()
    except (OSError, ValueError):
        return ""
    return f"{found.st_mtime_ns}-{found.st_size}"


def with_held_uv(mesh: Mesh, sets: tuple[UvSet, ...]) -> Mesh:
    """A mesh whose UVs a hand is changing: the same as `with_uv_sets`, but not kept."""
    return with_uv_sets.__wrapped__(mesh, sets)  # the next step of the hand makes other ones


@lru_cache(maxsize=64)
def with_uv_sets(mesh: Mesh, sets: tuple[UvSet, ...]) -> Mesh:
    """A mesh with other UV sets, in this order. Those that it has not, or whose file does not fit it, are left out.

    sets : with the whole names of their files.
    """
    found = {}
    for one in sets:
        uv = read_uv(Path(one.file), len(mesh.triangles)) if one.file else None
        uv = one.held.places if one.held is not None and len(one.held.places) == 3 * len(mesh.triangles) else uv
        uv = uv if uv is not None else mesh.uv.get(one.of)  # also where the mesh was read again, and has other faces
        if uv is not None:
            found[one.name] = uv
    return replace(mesh, uv=found)


@lru_cache(maxsize=64)
def misfits(mesh: Mesh, uv_sets: tuple[UvSet, ...], face_sets: tuple[FaceSet, ...]) -> tuple[str, ...]:
    """Names of what was made for another mesh, as after an object was read again. mesh : the object's own.

    uv_sets : with the whole names of their files.
    """
    count = len(mesh.triangles)

    def is_lost(one: UvSet) -> bool:
        if one.held is not None:
            return len(one.held.places) != 3 * count
        return read_uv(Path(one.file), count) is None if one.file else one.of not in mesh.uv

    lost = [one for one in uv_sets if is_lost(one)]
    picked = [one for one in face_sets if one.triangles != count]
    return (*(f"UV set “{one.name}”" for one in lost), *(f"faces “{one.name}”" for one in picked))


@lru_cache(maxsize=64)
def with_face_sets(mesh: Mesh, sets: tuple[FaceSet, ...]) -> Mesh:
    """A mesh with sets of picked faces; those that were picked on another mesh are left out."""
    found = {one.name: restored(one.picked, one.triangles) for one in sets if one.triangles == len(mesh.triangles)}
    return replace(mesh, sets={name: faces for name, faces in found.items() if faces is not None})


def read_uv(path: Path, triangles: int) -> np.ndarray | None:
    """The UVs in a file, (3 t, 2) float32; None where there are none for so many triangles."""
    try:
        uv = np.load(path, allow_pickle=False)
    except (OSError, ValueError, EOFError, MemoryError):
        return None
    fits = isinstance(uv, np.ndarray) and uv.shape == (3 * triangles, 2) and uv.dtype == np.float32
    return uv if fits and bool(np.isfinite(uv).all()) else None


@lru_cache(maxsize=32)
def _stock(name: str, sizes: tuple[tuple[str, float], ...]) -> Mesh:
    return shape(name, **dict(sizes))


@lru_cache(maxsize=MOST_FILES)
def _of_file(_key: str, geometry: MeshFile) -> Mesh:
    return geometry.reading.mesh(geometry.smoothing)
