"""Rays against the triangles of a scene, by Embree.

At rest all triangles are in one tree. While a hand moves or reshapes something, what stays is one tree, which is made
once, and what changes another one: rays ask both.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from collage.core.kernels import Family
from collage.core.scene.embree import Tree, occlusion

k = Family("embree")

FURTHEST = 1e37  # in lengths of a ray's direction, where nothing else is said


@dataclass(frozen=True, eq=False)
class Body:
    """An object's triangles (t, 3) and vertices (v, 3) on the bench, metres.

    name : equal for the same ones. first : the number of its first triangle in the scene.
    """

    name: str
    vertices: np.ndarray
    triangles: np.ndarray
    first: int = 0

    @cached_property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        """The lowest and highest corner of the box around it, (3,)."""
        return bounds_of(self.vertices)


def bounds_of(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest corner of the box around places (v, 3), (3,) each."""
    return places.min(axis=0), places.max(axis=0)


class Hits(NamedTuple):
    """What rays (n,) meet first: the number of a triangle, int32, -1 for none; the place in it, 0 to 1; and how far
    that is, in lengths of the ray's direction, where it is none as far as was looked. All others float32."""

    triangle: np.ndarray
    u: np.ndarray
    v: np.ndarray
    distance: np.ndarray

    @classmethod
    def room(cls, count: int) -> Hits:
        """Where as many can be written."""
        return cls(np.empty(count, np.int32), *np.empty((3, count), np.float32))


@dataclass(frozen=True, eq=False)
class _Tree:
    """Embree's tree of some bodies, by their names in their order."""

    names: tuple[str, ...]
    embree: Tree

    @classmethod
    def of(cls, bodies: Sequence[Body]) -> _Tree:
        return cls(tuple(one.name for one in bodies), Tree([(one.vertices, one.triangles) for one in bodies]))


class Tracer:
    """Finds what rays meet. Triangles have the numbers that they have in the scene."""

    def __init__(self, bodies: Sequence[Body], like: Tracer | None = None, moving: bool = False) -> None:
        """like : one whose trees are taken where they are of the same bodies. moving : whether bodies that `like` does
        not have may get a tree of their own."""
        self.bodies = bodies
        self.trees: list[_Tree] = []
        self._first: list[np.ndarray] = []  # by tree, the number of the first triangle of each body
        known = set(like.names) if like is not None and moving else set()
        stays = [one.name in known for one in bodies]
        if not any(len(one.triangles) for one, stay in zip(bodies, stays, strict=True) if stay):
            stays = [False] * len(bodies)
        for part in sorted(set(stays), reverse=True) or [False]:
            some = [one for one, stay in zip(bodies, stays, strict=True) if stay is part]
            self.trees.append(_found(some, like) or _Tree.of(some))
            self._first.append(np.array([one.first for one in some] or [0], np.int32))

    @classmethod
    def of(cls, bodies: Sequence[Body], like: Tracer | None, moving: bool) -> Tracer:
        """The one that is there, where it is of the same bodies, or a new one."""
        if like is not None and (moving or like.is_whole) and _lying(like.bodies) == _lying(bodies):
            return like
        return cls(bodies, like, moving)

    @property
    def names(self) -> tuple[str, ...]:
        """Of the bodies."""
        return tuple(one.name for one in self.bodies)

    @property
    def is_whole(self) -> bool:
        """Whether all triangles are in one tree."""
        return len(self.trees) == 1

    def body(self, name: str) -> Body | None:
        """The one of a name."""
        return next((one for one in self.bodies if one.name == name), None)

    def nearest(
        self, origins: np.ndarray, directions: np.ndarray, distances: np.ndarray | None = None, out: Hits | None = None
    ) -> Hits:
        """What rays meet first, up to `distances` (n,) in lengths of their directions.

        origins : (n, 3) float32, or (1, 3) where all begin. directions : (n, 3) float32. out : where it is written.
        """
        found = out or Hits.room(len(directions))
        found.triangle.fill(-1)
        found.u.fill(0)
        found.v.fill(0)
        found.distance[:] = FURTHEST if distances is None else distances
        for tree, first in zip(self.trees, self._first, strict=True):
            tree.embree.nearest(first, origins, directions, *found)
        return found

    def occluded(self, origins: np.ndarray, directions: np.ndarray, distances: np.ndarray | None = None) -> np.ndarray:
        """(n,) int32: -1 where a ray meets nothing up to `distances` (n,); see `nearest`."""
        out = np.empty(len(directions), np.int32)
        far = np.full(1, FURTHEST, np.float32) if distances is None else np.ascontiguousarray(distances, np.float32)
        k.occluded(*self._asking, origins, directions, far, out)
        return out

    def mark_occluded(self, rays: np.ndarray) -> None:
        """Notes which rays meet anything, see kernels.embree.mark_occluded. rays : see `room_for_rays`."""
        k.mark_occluded(*self._asking, rays.ctypes.data, len(rays))

    @cached_property
    def _asking(self) -> tuple[int, np.ndarray]:
        return occlusion(), np.array([one.embree.address for one in self.trees], np.int64)


def room_for_rays(count: int) -> np.ndarray:
    """(count, RAY) float32, where rays can be noted as Embree takes them: those that are seen by all."""
    rays = np.zeros((count, k.RAY), np.float32)
    rays.view(np.int32)[:, k.MASK] = -1
    return rays


def _found(bodies: Sequence[Body], like: Tracer | None) -> _Tree | None:
    """A tree of just these bodies that is there already."""
    names = tuple(one.name for one in bodies)
    return next((one for one in like.trees if one.names == names), None) if like is not None else None


def _lying(bodies: Sequence[Body]) -> list[tuple[str, int]]:
    return [(one.name, one.first) for one in bodies]
