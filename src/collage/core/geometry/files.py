"""The mesh formats: one row each, for dialogs, drops, the command line and reading alike."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.safe_write import is_file
from collage.core.geometry.glb import read_gltf
from collage.core.geometry.obj import read_obj
from collage.core.geometry.raw import RawMesh
from collage.core.geometry.scans import read_ply, read_stl
from collage.core.geometry.usd import read_usd

LARGEST = 4 * 2**30  # bytes of a file that is read


@dataclass(frozen=True)
class MeshFormat:
    """A format that objects come in.

    suffixes : of its files, the usual one first. upright : whether it says that y points up; others often mean z.
    metres : whether it says that its numbers are metres.
    """

    name: str
    suffixes: tuple[str, ...]
    read: Callable[[Path], RawMesh]
    upright: bool = False
    metres: bool = False


FORMATS = (
    MeshFormat("glTF", (".glb", ".gltf"), read_gltf, upright=True, metres=True),
    MeshFormat("OBJ", (".obj",), read_obj, upright=True),
    MeshFormat("PLY", (".ply",), read_ply),
    MeshFormat("STL", (".stl",), read_stl),
    MeshFormat("USD", (".usd", ".usdc", ".usda", ".usdz"), read_usd, upright=True, metres=True),
)
BY_SUFFIX = {suffix: one for one in FORMATS for suffix in one.suffixes}
TO_METRES = (("metres", 1.0), ("centimetres", 0.01), ("millimetres", 0.001), ("inches", 0.0254), ("feet", 0.3048))
SMALLEST, LARGEST_SIDE = 0.004, 60.0  # metres of what people put on a bench


def read_raw(path: Path) -> RawMesh:
    """What a mesh file holds, as it says it. Raises CollageError."""
    found = BY_SUFFIX.get(path.suffix.lower())
    if found is None:
        endings = ", ".join(one.suffixes[0] for one in FORMATS)
        raise CollageError("It is no mesh that Collage reads.", about=path.name, remedy=f"Export it as {endings}.")
    if not is_file(path):
        raise CollageError("The file is not there.", about=path.name, remedy="Find it again, or choose another one.")
    try:
        if path.stat().st_size > LARGEST:
            raise CollageError("The file is larger than 4 GB.", about=path.name, remedy="Reduce the mesh first.")
        return found.read(path)
    except OSError as error:
        raise CollageError(f"The file cannot be read: {error.strerror or error}.", about=path.name) from error
    except MemoryError as error:
        raise CollageError("The mesh does not fit into memory.", about=path.name, remedy="Reduce it first.") from error


def turned(raw: RawMesh, *, z_up: bool = False, scale: float = 1.0) -> RawMesh:
    """The same, with y upwards and in metres. z_up : whether its z points up. scale : metres of its unit."""
    positions = np.asarray(raw.positions, np.float64) * scale
    normals = raw.normals
    if z_up:
        positions = np.stack([positions[:, 0], positions[:, 2], -positions[:, 1]], axis=1)
        if normals is not None:
            normals = np.stack([normals[:, 0], normals[:, 2], -normals[:, 1]], axis=1)
    return replace(raw, positions=positions.astype(np.float32), normals=normals)


def guessed_unit(size: float) -> tuple[str, float] | None:
    """The unit that would make a mesh of this size (its longest side) one that stands on a bench; None if it does.

    Of those that do, the one that makes it nearest to 30 cm.
    """
    if SMALLEST <= size <= LARGEST_SIDE or not size > 0:
        return None
    fitting = [(name, metres) for name, metres in TO_METRES if SMALLEST <= size * metres <= LARGEST_SIDE]
    return min(fitting, key=lambda one: abs(np.log(size * one[1] / 0.3)), default=None)
