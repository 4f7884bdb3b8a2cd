"""What a reader of mesh files puts together, before it is a mesh."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.topology import connected, welded

MOST_TRIANGLES = 50_000_000
FURTHEST = 1e7  # metres from the middle; beyond, products of lengths are no numbers any more
SMOOTHING = 40.0  # degrees, where a file says nothing of normals
FIRST_SET = "UVMap"


@dataclass
class SlotLook:
    """What a file says about the material of a slot. colour : linear, 0 to 1. map : a file, as it is named."""

    name: str
    colour: tuple[float, float, float] | None = None
    map: str = ""


@dataclass
class RawMesh:
    """Triangles as a file gives them, with what is kept by corner or by triangle.

    positions : (v, 3). triangles : (t, 3). normals : (3 t, 3); rows of zeros where the file has none. uv : by name,
    (3 t, 2), v upwards. colours : by name, (3 t, 4), 0 to 1. part, slot, face : (t,) numbers; face is the polygon that
    a triangle was cut from. remarks : sentences about what was left out.
    """

    positions: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray | None = None
    uv: dict[str, np.ndarray] = field(default_factory=dict)
    colours: dict[str, np.ndarray] = field(default_factory=dict)
    part: np.ndarray | None = None
    slot: np.ndarray | None = None
    face: np.ndarray | None = None
    part_names: tuple[str, ...] = ()
    slots: tuple[SlotLook, ...] = ()
    remarks: tuple[str, ...] = ()


def checked(raw: RawMesh, name: str, smoothing: float | None = None) -> Mesh:
    """The mesh, its vertices at one place made one, its pieces found. Raises CollageError with a sentence.

    smoothing : degrees up to which edges are smooth, in the place of the file's normals; None keeps those.
    """
    positions = np.ascontiguousarray(raw.positions, np.float32).reshape(-1, 3)
    triangles = np.asarray(raw.triangles).reshape(-1, 3)
    if not len(triangles):
        raise CollageError("There are no faces in it.", about=name, remedy="Export the object with its faces.")
    if len(triangles) > MOST_TRIANGLES:
        raise CollageError(f"It has {len(triangles):,} triangles, more than Collage opens.", about=name,
                           remedy="Reduce it first.")  # fmt: skip
    low, high = int(triangles.min()), int(triangles.max())
    if low < 0 or high >= len(positions):
        wrong = low if low < 0 else high
        raise CollageError(f"A face names vertex {wrong}, but there are {len(positions)}.", about=name,
                           remedy="The file is broken; export it again.")  # fmt: skip
    if not (np.abs(positions) < FURTHEST).all():  # no-numbers neither
        raise CollageError("Some of its positions are no numbers, or far out.", about=name, remedy="Export it again.")
    positions, triangles = welded(positions, triangles.astype(np.int32))
    normals = _normals(raw.normals, positions, triangles, smoothing)
    return Mesh(
        positions, triangles, normals, {key: _finite(one) for key, one in raw.uv.items()},
        part=raw.part, piece=connected(triangles, len(positions)), slot=raw.slot, part_names=raw.part_names,
        slot_names=tuple(one.name for one in raw.slots), face=raw.face, colours=raw.colours,
    )  # fmt: skip


def _normals(
    given: np.ndarray | None, positions: np.ndarray, triangles: np.ndarray, smoothing: float | None
) -> np.ndarray:
    """Normals of length 1 for every corner: the file's, as far as it has any and they are wanted."""
    if given is None or smoothing is not None:
        return smooth_normals(positions, triangles, SMOOTHING if smoothing is None else smoothing)
    normals = np.asarray(given, np.float32)
    length = np.sqrt(np.einsum("ij,ij->i", normals, normals))
    good = np.isfinite(length) & (length > 1e-12)
    if not good.all():
        made = smooth_normals(positions, triangles, SMOOTHING)
        normals = np.where(good[:, None], normals, made)
        length = np.where(good, length, 1)
    return normals / length[:, None]


def _finite(place: np.ndarray) -> np.ndarray:
    return np.nan_to_num(np.asarray(place, np.float32), nan=0.0, posinf=0.0, neginf=0.0)
