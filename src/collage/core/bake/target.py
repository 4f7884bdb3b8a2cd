"""The light mesh that maps are baked for: where its texels lie on it, and their tangent space."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from collage.core.bake.cage import ways_of
from collage.core.bake.texels import Strip
from collage.core.base.errors import CollageError
from collage.core.geometry.islands import islands_of
from collage.core.geometry.mesh import Mesh, unit
from collage.core.kernels import Family
from collage.core.scene.bench import BenchObject
from collage.core.scene.scene import Scene, build_scene

k = Family("rays")


@dataclass(frozen=True, eq=False)
class Places:
    """Places on the light mesh, world space, (n, 3) float32 each.

    way : from the mesh to its cage, of length 1. normal, tangent, bitangent : of length 1, of its tangent space.
    """

    position: np.ndarray
    way: np.ndarray
    normal: np.ndarray
    tangent: np.ndarray
    bitangent: np.ndarray

    def in_tangent_space(self, normals: np.ndarray) -> np.ndarray:
        """(n, 3) of normals (n, 3) of the world: along tangent, bitangent and normal."""
        axes = (self.tangent, self.bitangent, self.normal)
        return np.stack([np.einsum("ij,ij->i", normals, axis) for axis in axes], axis=1)


@dataclass(frozen=True, eq=False)
class Target:
    """An object that maps are baked for. uv_set : the one whose texels are filled. even : see `ways_of`."""

    item: BenchObject
    uv_set: str
    even: bool

    @cached_property
    def mesh(self) -> Mesh:
        """With the UV set that is baked as its first one."""
        return self.item.mesh()

    @property
    def uv(self) -> np.ndarray:
        """(3 t, 2)."""
        return self.mesh.uv[self.uv_set]

    @cached_property
    def island(self) -> np.ndarray:
        """(t,) int32, see `islands_of`."""
        return islands_of(self.mesh, self.uv_set)

    @cached_property
    def scene(self) -> Scene:
        """The object alone."""
        return build_scene((self.item,), False)

    @cached_property
    def size(self) -> float:
        """Of the object, metres."""
        low, high = self.mesh.bounds
        return max(float(np.linalg.norm(high - low)), 1e-6)

    @cached_property
    def ways(self) -> np.ndarray:
        """(3 t, 3) float32, world space, see `ways_of`."""
        return (ways_of(self.mesh, self.even) @ self.item.matrix()).astype(np.float32)

    def all_over(self) -> tuple[np.ndarray, np.ndarray]:
        """Places on it and their ways, (4 t, 3) each: at the corners and in the middle of every triangle."""
        places, ways = self.scene.corners[:, :3].reshape(-1, 3, 3), self.ways.reshape(-1, 3, 3)
        every = (np.concatenate([one, one.mean(axis=1, keepdims=True)], axis=1) for one in (places, ways))
        place, way = (one.reshape(-1, 3) for one in every)
        return place, unit(way)

    def into_object(self, positions: np.ndarray) -> np.ndarray:
        """(n, 3) of places (n, 3) of the world in the object's space."""
        turn = self.item.matrix().T.astype(np.float32)
        return np.asarray((positions - np.array(self.item.place, np.float32)) @ turn)

    def places(self, strip: Strip) -> Places:
        """Where samples of texels lie."""
        scene, count = self.scene, len(strip.triangle)
        out = np.empty((k.UV + scene.corners.shape[1] - 9, count), np.float32)
        inward = np.ascontiguousarray(-scene.faces[strip.triangle, :3])
        k.surface_at_hits(
            np.arange(count, dtype=np.int32), strip.triangle, *np.ascontiguousarray(strip.shares), inward,
            np.ones(count, np.float32), scene.corners, scene.faces, scene.turns, np.float32(1), 0, out,
        )  # fmt: skip
        rows = (np.ascontiguousarray(out[at : at + 3].T) for at in (k.POSITION, k.NORMAL, k.TANGENT, k.BITANGENT))
        position, *frame = rows
        way = unit(at_places(self.ways, strip)).astype(np.float32)
        return Places(position, np.ascontiguousarray(way), *frame)


def at_places(corners: np.ndarray, strip: Strip) -> np.ndarray:
    """(n, c) of what is kept at corners (3 t, c), as it changes evenly between them."""
    first, (b, c) = 3 * strip.triangle.astype(np.int64), strip.shares[:, :, None]
    return np.asarray(corners[first] * (1 - b - c) + corners[first + 1] * b + corners[first + 2] * c)


def target_of(item: BenchObject, uv_set: str, even: bool) -> Target:
    """An object as the target of a bake. Raises CollageError where there is nothing to bake on."""
    mesh, sets = item.mesh(), item.own_uv_sets()
    if not len(mesh.triangles):
        raise CollageError("It has no faces to bake on.", about=item.name)
    if not sets:
        raise CollageError("It has no UVs to bake to.", about=item.name, remedy="Unwrap it first.")
    name = uv_set or sets[0].name
    chosen = [one for one in sets if one.name == name and name in mesh.uv]
    if not chosen:
        raise CollageError(f"It has no UV set “{name}”.", about=item.name,
                           remedy=f"Choose one of {', '.join(mesh.uv)}.")  # fmt: skip
    first = (*chosen, *(one for one in sets if one.name != name))
    shown = item.model_copy(update={"uv_sets": first, "hidden": False, "hidden_faces": ()})
    return Target(shown, name, even)
