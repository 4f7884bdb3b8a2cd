"""A batch of surface points: what every function of the evaluator may look at."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any, cast

import numpy as np

from collage.core.geometry.mesh import turn_of
from collage.core.geometry.surroundings import Surroundings, one_box

_ids = itertools.count(1)


@dataclass(frozen=True, eq=False)
class Points:
    """n surface points as separate float32 components, each component contiguous.

    position, normal, tangent, bitangent : (3, n) in world space, metres; directions of length 1.
    object_position : (3, n), the position in the object's space. to_object : (3, 3), turns directions of the world
        into the object's; None for both means that the two spaces are one. mixed : whether the points are on objects
        that stand in several ways; then each is turned as `around` says of its object.
    uv : by name of the UV set, (2, n); the first is the default.
    along_u, along_v : (3, n), how far the position moves for one unit of u or v.
    step_u, step_v : (n,) one pixel's step in u and v, for differences; may be negative.
    view : (3, n) direction from the eye to the point, or None where there is no eye.
    filtered : whether images are read at the detail of the step, or always in full.
    across : pixels in a row, where the points are all pixels of a picture, row by row, and one step in u or v is
        the neighbour in the same two by two; 0 for other points.
    part, piece, slot : (n,) int32, the mesh part, connected piece and material slot of each; None where there is
        no mesh.
    triangle : (n,) int32, the triangle of each in the scene; None where there is none.
    own_normal : (3, n), the normal without what of displacement is finer than the mesh; None where that is nothing.
    around : the objects that the points lie on and the camera; None where there are none.
    effort : the share of all rays that masks send from the points, 0 to 1: less for a first look.
    """

    position: np.ndarray
    normal: np.ndarray
    tangent: np.ndarray
    bitangent: np.ndarray
    uv: Mapping[str, np.ndarray]
    along_u: np.ndarray
    along_v: np.ndarray
    step_u: np.ndarray
    step_v: np.ndarray
    object_position: np.ndarray | None = None
    to_object: np.ndarray | None = None
    mixed: bool = False
    view: np.ndarray | None = None
    filtered: bool = True
    across: int = 0
    part: np.ndarray | None = None
    piece: np.ndarray | None = None
    slot: np.ndarray | None = None
    triangle: np.ndarray | None = None
    own_normal: np.ndarray | None = None
    around: Surroundings | None = None
    effort: float = 1.0
    id: int = field(default_factory=lambda: next(_ids))

    def changed(self, **values: Any) -> Points:
        """Other points, with some fields replaced: what was worked out on these is not theirs."""
        return replace(self, id=next(_ids), **values)

    @property
    def moved(self) -> np.ndarray | None:
        """(3, n) the small step that they have taken, world space; None where they took none."""
        return None

    @property
    def count(self) -> int:
        """How many points there are."""
        return int(self.position.shape[1])

    @cached_property
    def object_normal(self) -> np.ndarray | None:
        """(3, n), the normal in the object's space; None where that is the world's."""
        return None if self.to_object is None else self.into_object(self.normal)

    @cached_property
    def object_tangent(self) -> np.ndarray | None:
        """(3, n), the tangent in the object's space; None where that is the world's."""
        return None if self.to_object is None else self.into_object(self.tangent)

    @cached_property
    def object_bitangent(self) -> np.ndarray | None:
        """(3, n), the bitangent in the object's space; None where that is the world's."""
        return None if self.to_object is None else self.into_object(self.bitangent)

    def uv_set(self, name: str = "") -> np.ndarray:
        """(2, n) coordinates of a UV set; the first where the name is empty or unknown."""
        if name in self.uv:
            return self.uv[name]
        if not self.uv:
            return np.zeros((2, self.count), np.float32)
        return next(iter(self.uv.values()))

    def along(self, index: int) -> tuple[np.ndarray, np.ndarray]:
        """How far the position moves for one unit of u and of v of a UV set by its number, (3, n) each, metres."""
        if not self._is_further(index):
            return self.along_u, self.along_v
        assert self.around is not None
        assert self.triangle is not None
        both = self.around.gradients[index - 1].take(self.triangle, axis=0).T
        return both[:3], both[3:]

    def _is_further(self, index: int) -> bool:
        """Whether a UV set is another one than the first, which lies at the points themselves."""
        around = self.around
        return around is not None and self.triangle is not None and 0 < index <= len(around.gradients)

    def into_object(self, vector: np.ndarray) -> np.ndarray:
        """Directions (3, n) of the world in the object's space."""
        return self._turned(vector, "nij,jn->in")

    def out_of_object(self, vector: np.ndarray) -> np.ndarray:
        """Directions (3, n) of the object's space in the world."""
        return self._turned(vector, "nji,jn->in")

    def _turned(self, vector: np.ndarray, how: str) -> np.ndarray:
        if self.to_object is None:
            return vector
        if not self.mixed or self.around is None:
            turned: np.ndarray = (self.to_object if how == "nij,jn->in" else self.to_object.T) @ vector
            return turned
        turns = self.around.rotations.take(self.object_number, axis=0)
        return np.asarray(np.einsum(how, turns, np.broadcast_to(vector, (3, len(turns)))))

    @property
    def object_number(self) -> np.ndarray:
        """(n,) int32, the number of each point's object in `around`; (1,) where all are on the first."""
        if self.around is None or self.triangle is None:
            return np.zeros(1, np.int32)
        return self.around.object_of.take(self.triangle)

    def vertex_colour(self, index: int) -> np.ndarray | None:
        """(4, n) the colours painted onto the corners, a set by its number; None where there are none.

        Between corners, and a step beside a triangle, they go on evenly.
        """
        around = self.around
        if around is None or self.triangle is None or not 0 <= index < len(around.colours):
            return None
        at, shares = self.corner_shares()
        colours = around.colours[index]
        return sum(colours[at + number].T * shares[number] for number in range(3))  # type: ignore[return-value]

    def corner_shares(self) -> tuple[np.ndarray, np.ndarray]:
        """The number of the first corner of each point's triangle, and the shares of the three there, (3, n)."""
        assert self.around is not None
        assert self.triangle is not None
        at = 3 * self.triangle.astype(np.int64)
        a, b, c = (self.around.corners[at + number, :3].T for number in range(3))
        shares = _solved(b - a, c - a, self.position - a)
        return at, np.stack([1 - shares[0] - shares[1], *shares])

    def tangents(self, index: int) -> tuple[np.ndarray, np.ndarray]:
        """Tangent along u and bitangent on the side of v of a UV set by its number, (3, n) each, world space.

        Both at right angles to the normal and of length 1, as those of the first set.
        """
        if not self._is_further(index):
            return self.tangent, self.bitangent
        assert self.around is not None
        along_u, along_v = self.along(index)
        tangent = along_u - self.normal * (self.normal * along_u).sum(axis=0)
        tangent /= np.maximum(np.sqrt((tangent * tangent).sum(axis=0)), 1e-20)
        at, shares = self.corner_shares()
        from_inside = (self.around.corners[at, 6:9].T * self.normal).sum(axis=0) < 0
        beside = np.cross(self.normal, tangent, axis=0) * np.where(from_inside, -1, 1)
        cosines, sines = turn_of(self.around.turns[index - 1][at + np.arange(3)[:, None]])
        cosine, sine = (shares * cosines).sum(axis=0), (shares * sines).sum(axis=0)
        tangent = tangent * cosine + beside * sine
        tangent /= np.maximum(np.sqrt((tangent * tangent).sum(axis=0)), 1e-20)
        bitangent = np.cross(self.normal, tangent, axis=0)
        mirrored = (bitangent * along_v).sum(axis=0) < 0
        return tangent.astype(np.float32), np.where(mirrored, -bitangent, bitangent).astype(np.float32)

    def some(self, which: np.ndarray) -> Points:
        """Those with some numbers (m,)."""
        arrays = {name: value for name, value in self.__dict__.items() if isinstance(value, np.ndarray)}
        own = {one.name for one in fields(self)} - {"to_object"}
        taken = {name: value.take(which, axis=-1) for name, value in arrays.items() if name in own}
        return self.changed(**taken, uv={name: place.take(which, axis=-1) for name, place in self.uv.items()}, across=0)

    def taken(self, axis: int) -> Points:
        """Points that have taken their step along u (axis 0) or v (axis 1)."""
        step = self.shifted(axis)
        return self.changed(position=step.position, object_position=step.object_position, uv=dict(step.uv))

    def cut(self, start: int, stop: int) -> Points:
        """The points from `start` up to `stop`, as views."""
        return cast(Points, _Part(self, start, stop))

    def shifted(self, axis: int) -> Points:
        """The points one step further along u (axis 0) or v (axis 1)."""
        return cast(Points, _Shifted(self, axis))

    def _moved_own(self, move: np.ndarray) -> np.ndarray | None:
        """The object-space position after a move in world space."""
        if self.object_position is None:
            return None
        moved: np.ndarray = self.object_position + self.into_object(move)
        return moved


class _View:
    """What is asked of other points, with something done to it; it answers as Points do."""

    _base: Points

    moved, object_number = Points.moved, Points.object_number
    uv_set, along, tangents, vertex_colour = Points.uv_set, Points.along, Points.tangents, Points.vertex_colour
    corner_shares = Points.corner_shares
    into_object, out_of_object, shifted = Points.into_object, Points.out_of_object, Points.shifted
    _moved_own, _turned, _is_further = Points._moved_own, Points._turned, Points._is_further


class _Part(_View):
    """Some of the points in a row; only what is asked for is cut."""

    def __init__(self, base: Points, start: int, stop: int) -> None:
        self._base, self._cut = base, slice(start, stop)
        self.count = min(stop, base.count) - start
        whole = not base.across or (start % (2 * base.across) == 0 == (stop - start) % (2 * base.across))
        self.across = base.across if whole else 0

    def __getattr__(self, name: str) -> Any:
        value = getattr(self._base, name)
        if isinstance(value, np.ndarray) and name != "to_object":
            value = value[..., self._cut]
        elif name == "uv":
            value = {key: place[:, self._cut] for key, place in value.items()}
        setattr(self, name, value)
        return value


class _Shifted(_View):
    """Points a step further; only what is asked for is moved."""

    def __init__(self, base: Points, axis: int) -> None:
        self._base, self._axis = base, axis

    def __getattr__(self, name: str) -> Any:
        return getattr(self._base, name)

    @property
    def _step(self) -> np.ndarray:
        return self._base.step_u if self._axis == 0 else self._base.step_v

    @cached_property
    def moved(self) -> np.ndarray:
        return (self._base.along_u if self._axis == 0 else self._base.along_v) * self._step

    @cached_property
    def position(self) -> np.ndarray:
        return self._base.position + self.moved

    @cached_property
    def object_position(self) -> np.ndarray | None:
        return self._base._moved_own(self.moved)

    @cached_property
    def uv(self) -> Mapping[str, np.ndarray]:
        moved = {}
        for index, (name, place) in enumerate(self._base.uv.items()):
            moved[name] = place + self._step_in(index)
        return moved

    def _step_in(self, index: int) -> np.ndarray:
        """(2, n) what the step is in a UV set: in the first as given, in others what moves the position as far."""
        if not self._base._is_further(index):
            step = np.zeros((2, self._base.count), np.float32)
            step[self._axis] = self._step
            return step
        along_u, along_v = self._base.along(index)
        return _solved(along_u, along_v, self.moved)


def _solved(along_u: np.ndarray, along_v: np.ndarray, move: np.ndarray) -> np.ndarray:
    """(2, n) the steps in u and v that come nearest to a move (3, n), by least squares; 0 where UVs are squeezed."""
    uu, vv, uv = ((a * b).sum(axis=0) for a, b in ((along_u, along_u), (along_v, along_v), (along_u, along_v)))
    mu, mv = (along_u * move).sum(axis=0), (along_v * move).sum(axis=0)
    area = uu * vv - uv * uv
    good = area > 1e-12 * uu * vv
    scale = np.where(good, 1 / np.where(good, area, 1), 0)
    return np.asarray(np.stack([mu * vv - mv * uv, mv * uu - mu * uv]) * scale, np.float32)


def sheet(
    width: int,
    height: int,
    *,
    low: tuple[float, float, float] = (0.0, 0.0, 0.0),
    high: tuple[float, float, float] = (1.0, 1.0, 0.0),
    filtered: bool = False,
) -> Points:
    """The flat sheet: the unit UV square, pixel centres, row by row from the top.

    low, high : the box that u and v span in space; with the standard's box position is (u, v, 0).
    Differences run inside pairs of neighbouring pixels, as those of a graphics card do.
    """
    count = width * height
    columns, rows = np.arange(width), np.arange(height)[::-1]  # v is 1 at the top, rows are counted from the bottom

    def across(values: np.ndarray) -> np.ndarray:
        return np.tile(values.astype(np.float32), height)

    def down(values: np.ndarray) -> np.ndarray:
        return np.repeat(values.astype(np.float32), width)

    place = np.stack([across((columns + 0.5) / width), down((rows + 0.5) / height)])
    span_u, span_v = high[0] - low[0], high[1] - low[1]
    position = np.empty((3, count), np.float32)
    np.multiply(place[0], np.float32(span_u), out=position[0])
    np.multiply(place[1], np.float32(span_v), out=position[1])
    position[:2] += np.array([[low[0]], [low[1]]], np.float32)
    position[2] = (low[2] + high[2]) / 2

    def axis(x: float, y: float, z: float) -> np.ndarray:
        """The same direction everywhere, held once."""
        return np.broadcast_to(np.array([[x], [y], [z]], np.float32), (3, count))

    return Points(
        position=position,
        normal=axis(0, 0, 1),
        tangent=axis(1, 0, 0),
        bitangent=axis(0, 1, 0),
        uv={"UVMap": place},
        along_u=axis(span_u, 0, 0),
        along_v=axis(0, span_v, 0),
        step_u=across((1 - 2 * (columns % 2)) / width),
        step_v=down((1 - 2 * (rows % 2)) / height),
        view=axis(0, 0, -1),
        filtered=filtered,
        across=width if width % 2 == 0 and height % 2 == 0 else 0,
        around=one_box(low, high),
    )
