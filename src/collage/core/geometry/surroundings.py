"""What lies around surface points: the objects of the bench where they stand, and the camera."""

from __future__ import annotations

import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

NUMBERS = 65_521  # a prime; names are numbered below it, so that every number is exact in float32


def name_number(name: str) -> int:
    """A number for a name that is the same in every session and on every machine, from 0 to NUMBERS - 1."""
    return zlib.crc32(name.encode()) % NUMBERS


@dataclass(frozen=True, eq=False)
class CameraFrame:
    """Where the camera stands.

    axes : (3, 3), right, up and forward in world space. focal_length : in picture heights.
    """

    eye: np.ndarray
    axes: np.ndarray
    focal_length: float


@dataclass(frozen=True, eq=False)
class Surroundings:
    """Tables that points look up by the number of their object.

    names : of the objects. low, size : (objects, 3) the box around each in its own space, metres.
    rotations : (objects, 3, 3), places : (objects, 3); for row vectors, world = own @ rotation + place.
    parts : for each object the numbers of its parts' names, (parts,) each.
    object_of : (t + 1,) int32, the object of each triangle of the scene, and of none.
    corners : (3 t, 9 or more) float32, every corner of the scene, see scene.Scene; its place in the world comes first.
    colours : (3 t, 4) float32 for each set of vertex colours; meshes without it have none, 0 and opaque.
    gradients : (sets - 1, t, 6) how far the position moves for one unit of u and of v of the second and further UV
        sets, for each triangle of the scene, world space.
    turns : (sets - 1, 3 t) how far tangents are turned from those, see Mesh.tangent_turns.
    tracer : Embree's scene of all triangles, for rays from the points; None where there are none.
    ids : (3, t + 1) int32 part, piece and slot of each triangle, and of none. part_names, slot_names : of each object.
    face_sets : by name, (t + 1,) bool, faces that were picked by hand.
    """

    names: tuple[str, ...] = ()
    low: np.ndarray = field(default_factory=lambda: np.zeros((0, 3), np.float32))
    size: np.ndarray = field(default_factory=lambda: np.zeros((0, 3), np.float32))
    rotations: np.ndarray = field(default_factory=lambda: np.zeros((0, 3, 3), np.float32))
    places: np.ndarray = field(default_factory=lambda: np.zeros((0, 3), np.float32))
    parts: Sequence[np.ndarray] = ()
    object_of: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int32))
    gradients: np.ndarray = field(default_factory=lambda: np.zeros((0, 0, 6), np.float32))
    turns: np.ndarray = field(default_factory=lambda: np.zeros((0, 0), np.int16))
    corners: np.ndarray = field(default_factory=lambda: np.zeros((0, 6), np.float32))
    colours: Sequence[np.ndarray] = ()
    camera: CameraFrame | None = None
    tracer: Any = None
    ids: np.ndarray = field(default_factory=lambda: np.zeros((3, 0), np.int32))
    part_names: Sequence[tuple[str, ...]] = ()
    slot_names: Sequence[tuple[str, ...]] = ()
    face_sets: Mapping[str, np.ndarray] = field(default_factory=dict)

    def frame(self, space: str) -> tuple[np.ndarray, np.ndarray] | None:
        """Rotation (3, 3) from world space and origin (3,) of a named space: `camera`, or an object's own by its name.

        own = rotation @ (world - origin). In camera space x is to the right, y up and z towards the viewer. None for an
        unknown name.
        """
        if space == "camera" and self.camera is not None:
            right, up, forward = self.camera.axes
            return np.stack([right, up, -forward]), self.camera.eye
        if space in self.names:
            number = self.names.index(space)
            return self.rotations[number], self.places[number]
        return None

    def on_screen(self, position: np.ndarray) -> np.ndarray:
        """(2, n) where (3, n) world positions are in the picture: 0 to 1 from its lower to its upper edge, and as far
        across; the middle is at (0.5, 0.5)."""
        assert self.camera is not None
        seen = self.camera.axes.astype(np.float32) @ (position - self.camera.eye[:, None].astype(np.float32))
        return np.asarray(0.5 + self.camera.focal_length * seen[:2] / np.maximum(seen[2], 1e-6), np.float32)


def one_box(low: Sequence[float], high: Sequence[float]) -> Surroundings:
    """Of points that lie in one box and on no bench: corners of the box, metres."""
    corner = np.array([low], np.float32)
    return Surroundings(("",), corner, np.array([high], np.float32) - corner, np.eye(3, dtype=np.float32)[None],
                        np.zeros((1, 3), np.float32), (np.zeros(1, np.int32),))  # fmt: skip
