"""Projectors: images laid onto a surface from a frame, flat, around a cylinder or around a sphere."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from collage.core.document.model import Card, Input
from collage.core.geometry.rotations import rotation
from collage.core.nodes.behaviour import Array, Context, behaviour

PROJECTORS = ("clg_projector", "clg_box_projector")
"""Categories of cards that have a frame."""

SIDES = ("filex", "filey", "filez")
"""The images of a box projector."""

Triple = tuple[float, float, float]
LEAST = 1e-4  # metres, a side of a fitted frame

FLAT, CYLINDER, SPHERE = 0, 1, 2
INSIDE = 0.50001  # half a frame, and what rounding adds
STEEP = math.sqrt(0.5)  # how upright a surface must be to belong to a cylinder's end


def sides_filled(card: Card, name: str) -> tuple[str, ...]:
    """The inputs that get an image along with one of a box projector: the other sides, while they have none."""
    if card.category != "clg_box_projector" or name not in SIDES:
        return (name,)
    empty = [one for one in SIDES if one not in card.inputs or not (card.inputs[one].value or card.inputs[one].wire)]
    return tuple(dict.fromkeys((name, *empty)))


@dataclass(frozen=True)
class Frame:
    """The frame of a projector in the space of its position: middle, tilt, turn and roll in degrees, size in metres."""

    centre: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    size: Triple = (0.2, 0.2, 0.2)

    @property
    def axes(self) -> Array:
        """(3, 3): its right, upright and front axis, of length 1."""
        return frame_rotation(np.array(self.turn))

    def corners(self) -> Array:
        """(8, 3) metres; bit 0, 1 and 2 of a corner's number say whether it is right, above and in front."""
        sides = np.array([[(number >> axis) & 1 for axis in range(3)] for number in range(8)]) - 0.5
        placed: Array = sides * np.array(self.size) @ self.axes + np.array(self.centre)
        return placed

    def fitted(self, points: Array) -> Frame:
        """The same way round, just around points (n, 3)."""
        own = points @ self.axes.T
        low, high = own.min(axis=0), own.max(axis=0)
        centre, size = (low + high) / 2 @ self.axes, np.maximum(high - low, LEAST)
        return replace(self, centre=_triple(centre), size=_triple(size))

    def along(self, axis: str, shape: int) -> Frame:
        """Turned to an axis of the space: a flat one faces it, others stand along it."""
        turn = (_FACING if shape == FLAT else _STANDING)[axis]
        return replace(self, turn=turn)


_FACING: dict[str, Triple] = {"x": (0.0, 90.0, 0.0), "y": (-90.0, 0.0, 0.0), "z": (0.0, 0.0, 0.0)}
_STANDING: dict[str, Triple] = {"x": (0.0, 0.0, -90.0), "y": (0.0, 0.0, 0.0), "z": (90.0, 0.0, 0.0)}


def best_axis(points: Array, normals: Array, areas: Array, shape: int) -> str:
    """The axis that suits a surface best: that a flat frame sees most of, or about which the surface is roundest.

    points : (n, 3), corners. normals : (t, 3) of length 1. areas : (t,).
    """
    if shape == FLAT:
        return "xyz"[int(np.argmax((np.abs(normals) * areas[:, None]).sum(axis=0)))]
    x, y, z = np.maximum(np.ptp(points, axis=0), LEAST)
    uneven = {"y": x / z, "x": y / z, "z": x / y}  # of equals, the upright one
    return min(uneven, key=lambda axis: round(abs(math.log(uneven[axis])), 2))


def _triple(values: Array) -> Triple:
    x, y, z = (round(float(value), 6) + 0.0 for value in values)  # no minus zero
    return x, y, z


def frame_of(card: Card) -> Frame:
    """The frame that a projector's values say."""

    def given(name: str, usual: Triple) -> Triple:
        one = card.inputs.get(name)
        value = one.value if one is not None else None
        return _triple(np.array(value)) if isinstance(value, tuple) and len(value) == 3 else usual

    plain = Frame()
    return Frame(given("centre", plain.centre), given("turn", plain.turn), given("size", plain.size))


def with_frame(card: Card, frame: Frame) -> Card:
    """A projector with another frame."""
    for name in ("centre", "turn", "size"):
        card = card.with_input(Input(name, "vector3", getattr(frame, name)))
    return card


def shape_of(card: Card) -> int:
    """How the image of a projector lies on its frame."""
    one = card.inputs.get("shape")
    return one.value if one is not None and isinstance(one.value, int) else FLAT


def frame_rotation(turn: Array) -> Array:
    """(3, 3) from the space around a frame into the frame, for column vectors.

    turn : tilt, turn and roll in degrees, as those of an object on the bench; see BenchObject.matrix.
    """
    tilt, upright, roll = (float(one) for one in np.asarray(turn, np.float64).reshape(3))
    return rotation(upright, tilt, roll)


def in_frame(position: Array, centre: Array, rotation: Array, size: Array) -> Array:
    """(3, n) positions in the frame: 0 in its middle, 0.5 at its sides."""
    moved: Array = (rotation.astype(np.float32) @ (position - centre)) / size
    return moved


def laid(at: Array, facing: Array, shape: int, caps: bool) -> Array:
    """(2, n) where an image lies for positions in the frame, 0 in its middle.

    facing : (3, n) normals in the frame, for the flat ends of a cylinder.
    """
    if shape == FLAT:
        return at[:2]
    around = np.arctan2(at[0], at[2]) * np.float32(0.5 / math.pi)
    if shape == SPHERE:
        radius = np.sqrt((at * at).sum(axis=0))
        up = np.arcsin(np.clip(at[1] / np.maximum(radius, 1e-9), -1, 1)) * np.float32(1 / math.pi)
        return np.stack([around, up])
    side = np.stack([around, at[1]])
    if not caps:
        return side
    return np.where(np.abs(facing[1]) > STEEP, np.stack([at[0], -at[2]]), side)


@behaviour("clg_projector", spatial=True)
def projector(
    ctx: Context,
    position: Array,
    normal: Array,
    shape: Array,
    centre: Array,
    turn: Array,
    size: Array,
    image_turn: Array,
    caps: Array,
) -> dict[str, Array]:
    """As its graph of standard nodes, but that the image does not jump where its two ends meet.

    A step of the points that crosses that line goes on beyond the end, so that images are filtered there as elsewhere.
    """
    form, on_caps, rotation = int(shape.flat[0]), bool(caps.flat[0]), frame_rotation(turn[:, 0])
    facing = rotation.astype(np.float32) @ normal

    def seen(place: Array) -> Array:
        return in_frame(place, centre[:, :1], rotation, size[:, :1])

    at, moved = seen(position), ctx.at.moved
    place = laid(at, facing, form, on_caps)
    if form != FLAT and moved is not None:  # as far as what is projected follows the position; the step is short
        before = laid(seen(position - ctx.at.into_object(moved)), facing, form, on_caps)
        place = np.stack([place[0] + np.rint(before[0] - place[0]), place[1]])
    c, s = (np.float32(f(math.radians(float(image_turn.flat[0])))) for f in (math.cos, math.sin))
    uv = np.stack([c * place[0] + s * place[1], c * place[1] - s * place[0]]) + np.float32(0.5)
    within = np.abs(at).max(axis=0) <= INSIDE
    if form == FLAT:
        within = within & (facing[2] > 0)
    return {"uv": uv, "inside": within[None].astype(np.float32), "place": at}
