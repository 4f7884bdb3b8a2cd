"""Rays against the triangles of a scene, by Embree.

At rest all triangles are in one tree. While a hand moves or reshapes something, what stays is one tree, which is made
once, and what changes another one: rays ask both.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np


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


@dataclass(frozen=True, eq=False)
class _Tree:
    """Embree's tree of some bodies, by their names in their order."""

    names: tuple[str, ...]
    embree: Any

    @classmethod
    def of(cls, bodies: Sequence[Body]) -> _Tree:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        embree, before = EmbreeScene(), np.cumsum([0, *(len(one.vertices) for one in bodies)])
        if any(len(one.triangles) for one in bodies):
            vertices = np.concatenate([one.vertices.astype(np.float32, copy=False) for one in bodies])
            numbered = [one.triangles + np.int32(at) for one, at in zip(bodies, before, strict=False)]
            TriangleMesh(embree, vertices, np.concatenate(numbered).astype(np.int32, copy=False))
        else:  # an empty tree needs something to miss
            TriangleMesh(embree, np.full((3, 3), 1e6, np.float32), np.array([[0, 1, 2]], np.int32))
        return cls(tuple(one.name for one in bodies), embree)


class Tracer:
    """Finds what rays meet. Triangles have the numbers that they have in the scene."""

    def __init__(self, bodies: Sequence[Body], like: Tracer | None = None, moving: bool = False) -> None:
        """like : one whose trees are taken where they are of the same bodies. moving : whether bodies that `like` does
        not have may get a tree of their own."""
        self.bodies = bodies
        self.trees: list[_Tree] = []
        self._numbers: list[np.ndarray | None] = []  # of each tree's triangles; None where they are the same
        known = set(like.names) if like is not None and moving else set()
        stays = [one.name in known for one in bodies]
        if not any(len(one.triangles) for one, stay in zip(bodies, stays, strict=True) if stay):
            stays = [False] * len(bodies)
        for part in sorted(set(stays), reverse=True) or [False]:
            some = [one for one, stay in zip(bodies, stays, strict=True) if stay is part]
            self.trees.append(_found(some, like) or _Tree.of(some))
            self._numbers.append(_numbers(some))

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

    def run(
        self,
        origins: np.ndarray,
        directions: np.ndarray,
        dists: np.ndarray | None = None,
        query: str = "INTERSECT",
        output: int = 0,
    ) -> Any:
        """What rays (n, 3) float32 meet, up to `dists` (n,) > 0 in lengths of their directions.

        query : "INTERSECT" for the nearest; "OCCLUDED" for any, of which the answer is (n,) int32, -1 for none.
        output : of the nearest, 0 for the numbers alone, 1 for a dict with `primID`, `u`, `v`, `tfar`.
        """
        more = {} if output == 0 else {"output": output}
        if self.is_whole and self._numbers[0] is None:
            far = {} if dists is None else {"dists": dists}
            return self.trees[0].embree.run(origins, directions, query=query, **far, **more)
        if query == "OCCLUDED":
            return self._occluded(origins, directions, dists)
        found = self._nearest(origins, directions, dists)
        return found if output else found["primID"]

    def _nearest(self, origins: np.ndarray, directions: np.ndarray, dists: np.ndarray | None) -> dict[str, np.ndarray]:
        best: dict[str, np.ndarray] = {}
        for tree, numbers in zip(self.trees, self._numbers, strict=True):
            far = {} if dists is None else {"dists": dists}
            found = tree.embree.run(origins, directions, output=1, **far)
            met = found["primID"] >= 0
            if numbers is not None:
                found["primID"] = np.where(met, numbers.take(found["primID"], mode="wrap"), np.int32(-1))
            if best:
                for name, values in found.items():
                    best[name][met] = values[met]
            else:
                best, dists = found, np.ascontiguousarray(found["tfar"], np.float32).copy()
        return best

    def _occluded(self, origins: np.ndarray, directions: np.ndarray, dists: np.ndarray | None) -> np.ndarray:
        out = np.full(len(origins), -1, np.int32)
        left: np.ndarray | slice = slice(None)
        for tree in self.trees:
            far = {} if dists is None else {"dists": np.ascontiguousarray(dists[left])}
            start, ways = np.ascontiguousarray(origins[left]), np.ascontiguousarray(directions[left])
            out[left] = tree.embree.run(start, ways, query="OCCLUDED", **far)
            left = np.flatnonzero(out < 0)
            if not len(left):
                break
        return out


def _found(bodies: Sequence[Body], like: Tracer | None) -> _Tree | None:
    """A tree of just these bodies that is there already."""
    names = tuple(one.name for one in bodies)
    return next((one for one in like.trees if one.names == names), None) if like is not None else None


def _lying(bodies: Sequence[Body]) -> list[tuple[str, int]]:
    return [(one.name, one.first) for one in bodies]


def _numbers(bodies: Sequence[Body]) -> np.ndarray | None:
    """The numbers in the scene of the triangles of a tree; None where they are the tree's own."""
    counts = [len(one.triangles) for one in bodies]
    if [one.first for one in bodies] == [0, *np.cumsum(counts)[:-1].tolist()]:
        return None
    found = [np.arange(one.first, one.first + count, dtype=np.int32) for one, count in zip(bodies, counts, strict=True)]
    return np.concatenate(found) if sum(counts) else np.zeros(1, np.int32)
