"""What is read where rays hit: rows for every triangle of a scene.

Rows are written once. While a hand changes some objects, their rows are put behind those of the scene before, in room
that is kept for them, so that what stays is not copied for every picture.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass

import numpy as np

from collage.core.geometry.mesh import Mesh
from collage.core.kernels import Family
from collage.core.scene.displaced import Displaced

kernels = Family("meshes")

NO_UV = np.zeros((0, 2), np.float32)
PER_CHANGE = 16  # changes that there is room for, before all is copied again


@dataclass(frozen=True, eq=False)
class Rest:
    """All surfaces as they are where nothing is displaced, in world space.

    normals : (3 t, 3) float32, at every corner. gradients : (t, 6) float32, how far the position moves for one unit of
    u and of v.
    """

    normals: np.ndarray
    gradients: np.ndarray


class Rows:
    """Rows of triangles, and room for more. May be used from several threads.

    corners : (3 t, 9 + 2 sets) float32, for every corner: position in world space, position in object space, normal
        in world space, and the UV sets of the object in their order (the first again where it has fewer).
    faces : (t, 9) float32, for every triangle: its normal, and how far the position moves for one unit of u and of v.
    turns : (sets, 3 t) int16, how far each corner's tangent is turned from its triangle's direction of u; see
        Mesh.tangent_turns.
    gradients : (sets - 1, t, 6) float32, see Surroundings.gradients.
    rest : what the displaced surface was before; None where nothing is displaced.
    """

    def __init__(self, count: int, sets: int, displaced: bool, room: int = 0) -> None:
        self.size, self.sets = count + room, sets
        self._corners = np.empty((3 * self.size, 9 + 2 * sets), np.float32)
        self._faces = np.empty((self.size, 9), np.float32)
        self._turns = np.empty((sets, 3 * self.size), np.int16)
        self._gradients = np.empty((sets - 1, self.size, 6), np.float32)
        self._rest: Rest | None = None
        if displaced:
            self._rest = Rest(np.empty((3 * self.size, 3), np.float32), np.empty((self.size, 6), np.float32))
        self.corners, self.faces = _read_only(self._corners), _read_only(self._faces)
        self.turns, self.gradients = _read_only(self._turns), _read_only(self._gradients)
        self.rest = self._rest and Rest(_read_only(self._rest.normals), _read_only(self._rest.gradients))
        self._used, self._lock = count, threading.Lock()

    @property
    def nbytes_each(self) -> int:
        """Bytes of a triangle."""
        rest = 3 * 3 * 4 + 6 * 4 if self.rest is not None else 0
        return 3 * self.corners.shape[1] * 4 + 9 * 4 + self.sets * 3 * 2 + (self.sets - 1) * 6 * 4 + rest

    def take(self, count: int) -> slice | None:
        """Room for so many more triangles; None where there is not as much."""
        with self._lock:
            first, last = self._used, self._used + count
            if last > self.size:
                return None
            self._used = last
            return slice(first, last)

    def copy(self, here: slice, other: Rows, there: slice) -> None:
        """Takes the rows of an object from others with as many UV sets."""
        of, at = _corners(here), _corners(there)
        self._corners[of], self._faces[here] = other.corners[at], other.faces[there]
        self._turns[:, of], self._gradients[:, here] = other.turns[:, at], other.gradients[:, there]
        if self._rest is not None and other.rest is not None:
            self._rest.normals[of], self._rest.gradients[here] = other.rest.normals[at], other.rest.gradients[there]
        else:
            self._rest_as_shown(here)

    def lay(self, here: slice, mesh: Mesh, world: np.ndarray, turn: np.ndarray, moved: Displaced | None) -> None:
        """Writes the rows of a mesh.

        world : (v, 3), its vertices on the bench. turn : (3, 3) from the object's space to world space. moved : where
        it is displaced, how, since patterns stay where they were before.
        """
        of = _corners(here)
        corners, sets = self._corners[of], list(mesh.uv.values()) or [np.zeros((1, 2), np.float32)]
        rest = moved.rest if moved is not None else mesh.positions
        kernels.corners(mesh.triangles, np.ascontiguousarray(world, np.float32), rest, mesh.normals, turn, corners)
        for number in range(self.sets):
            corners[:, 9 + 2 * number : 11 + 2 * number] = sets[number if number < len(sets) else 0]
        uv = list(mesh.uv.values()) or [NO_UV]
        kernels.frames(mesh.triangles, mesh.positions, uv[0], turn, self._faces[here])
        frames = np.empty((len(mesh.triangles), 9), np.float32)
        for number, rows in enumerate(self._gradients[:, here], 1):
            kernels.frames(mesh.triangles, mesh.positions, uv[number if number < len(uv) else 0], turn, frames)
            rows[:] = frames[:, 3:]
        names = list(mesh.uv) or [""]
        for row, name in zip(self._turns[:, of], [*names, *names[:1] * self.sets], strict=False):
            row[:] = mesh.tangent_turns(name)
        if moved is None:
            self._rest_as_shown(here)
        elif self._rest is not None:
            kernels.frames(mesh.triangles, rest, uv[0], turn, frames)
            self._rest.gradients[here], self._rest.normals[of] = frames[:, 3:], moved.rest_normals @ turn

    def _rest_as_shown(self, here: slice) -> None:
        if self._rest is not None:
            of = _corners(here)
            self._rest.normals[of], self._rest.gradients[here] = self._corners[of, 6:9], self._faces[here, 3:9]


def room_for(changed: int, count: int) -> int:
    """How much room is kept for changes of so many triangles of `count`: never more than twice of all."""
    return min(PER_CHANGE * changed, count + changed)


def _read_only(array: np.ndarray) -> np.ndarray:
    shown = array.view()
    shown.flags.writeable = False
    return shown


def _corners(triangles: slice) -> slice:
    return slice(3 * triangles.start, 3 * triangles.stop)
