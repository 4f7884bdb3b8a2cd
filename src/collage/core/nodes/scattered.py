"""Tiles scattered over hexagons, each turned, sized and moved by chance.

M. S. Mikkelsen, Practical Real-Time Hex-Tiling, JCGT 11(2), 2022; Surface Gradient-Based Bump Mapping
Framework, JCGT 9(3), 2020 (blending of normals).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from collage.core.images.colour import to_linear
from collage.core.images.pyramid import Pyramid
from collage.core.images.store import ImageRef
from collage.core.kernels import Family
from collage.core.nodes.arithmetic import dot3, held
from collage.core.nodes.behaviour import Array, Beside, Context, behaviour
from collage.core.nodes.textures import detail, fit_channels

hexagons = Family("hexagons")


def _rows(*values: Array) -> Array:
    """All rows of some inputs as one float32 array, (k, 1) where all are the same everywhere, else (k, n)."""
    out = np.empty((sum(len(value) for value in values), max(value.shape[1] for value in values)), np.float32)
    at = 0
    for value in values:
        out[at : at + len(value)] = value
        at += len(value)
    return out


@dataclass(frozen=True)
class _Tile:
    """What one hexagon shows at each point: texel values as stored, and how far it is turned (radians)."""

    value: Array
    turn: Array


@dataclass(frozen=True)
class _Scatter:
    """The settings of a scattered image. The grid lies on flipped coordinates, as in the reference."""

    pyramid: Pyramid
    place: Array
    detail: Array | None
    chances: tuple[Array, Array, Array]

    def tiles(self, channels: int) -> Iterator[_Tile]:
        for number in range(3):
            value, turn = self.pyramid.read_tile(self.place, number, self.chances, self.detail)
            yield _Tile(value[:channels], turn)


def _scatter(ctx: Context, pyramid: Pyramid, inputs: dict[str, Any]) -> _Scatter:
    count = ctx.at.count
    tiling = inputs["tiling"]

    def flipped(place: Array | Beside | None) -> Any:
        if place is None or isinstance(place, Beside):
            return place
        down = np.multiply(place, tiling, out=np.empty((2, count), np.float32))
        np.subtract(1, down[1], out=down[1])
        return down

    place = flipped(inputs["texcoord"])
    level = detail(pyramid, place, flipped(inputs["texcoord_du"]), flipped(inputs["texcoord_dv"]))
    turn = inputs["rotation"], np.radians(inputs["rotationrange"])
    names = ("scale", "scalerange", "offset", "offsetrange")
    settings = _rows(*turn, *[inputs[name] for name in names])
    return _Scatter(pyramid, place, level, (settings[:3], settings[3:6], settings[6:]))


@behaviour("hextiledimage", heights=("texcoord",), beside=True)
def hextiledimage(ctx: Context, file: ImageRef, default: Array, **inputs: Any) -> Array:
    """An image repeated without visible rows: every hexagon shows another part of it."""
    if not file.path or ctx.images is None:
        return to_linear(np.array(default, np.float32), file.space)
    pyramid = ctx.images.open(file)
    scatter = _scatter(ctx, pyramid, inputs)
    tiles = [fit_channels(one.value, ctx.output_type) for one in scatter.tiles(4)]
    settings = _rows(inputs["falloff"], inputs["falloffcontrast"], inputs["lumacoeffs"])
    value = ctx.room if ctx.room is not None else np.empty(tiles[0].shape, np.float32)
    hexagons.blend(scatter.place, tiles, settings, value[:3])
    if len(tiles[0]) == 4:
        plain = hexagons.blend_weights(scatter.place, settings[:1])
        value[3] = sum(one[3] * part for one, part in zip(tiles, plain, strict=True))
    return pyramid.linear(value)


@behaviour("hextilednormalmap", heights=("texcoord",), beside=True)
def hextilednormalmap(
    ctx: Context, file: ImageRef, default: Array, normal: Array, tangent: Array, bitangent: Array, **inputs: Any
) -> Array:
    """A normal map repeated without visible rows; each tile's slopes turn with it."""
    strength, flip = inputs["strength"][0], bool(inputs["flip_g"].flat[0])
    if not file.path or ctx.images is None:
        count = ctx.at.count
        value = np.broadcast_to(np.array(default, np.float32), (3, count))
        share: Array = np.full((3, count), 1 / 3, np.float32)
        tiles = iter([_Tile(value, np.zeros(count, np.float32))] * 3)
    else:
        pyramid = ctx.images.open(file)
        scatter = _scatter(ctx, pyramid, inputs)
        tiles = (_Tile(fit_channels(one.value, "vector3"), one.turn) for one in scatter.tiles(3))
        share = hexagons.blend_weights(scatter.place, _rows(inputs["falloff"]))
    slope: Array = np.zeros((3, 1), np.float32)
    for one, part in zip(tiles, share, strict=True):
        slope = slope + held(part, 0, 1) * _slope(one, (normal, tangent, bitangent), strength, flip)
    bent = normal - slope
    return bent / np.sqrt(dot3(bent, bent))


def _slope(tile: _Tile, frame: tuple[Array, Array, Array], strength: Array, flip: bool) -> Array:
    """The surface gradient of one tile's normal."""
    normal, tangent, bitangent = frame
    x, y, z = tile.value * 2 - 1
    if flip:
        y = -y
    along, across = _turned(tangent, normal, tile.turn), _turned(bitangent, normal, tile.turn)
    bent = (along * x + across * y) * strength + normal * z
    bent = bent / np.sqrt(dot3(bent, bent))
    facing = dot3(normal, bent)
    return (facing * normal - bent) / np.maximum(1e-8, np.abs(facing))


def _turned(vector: Array, axis: Array, angle: Array) -> Array:
    """Rodrigues' rotation of (3, n) about a unit axis."""
    sine, cosine = np.sin(angle), np.cos(angle)
    cross = np.stack(
        np.broadcast_arrays(
            axis[1] * vector[2] - axis[2] * vector[1],
            axis[2] * vector[0] - axis[0] * vector[2],
            axis[0] * vector[1] - axis[1] * vector[0],
        )
    )
    return vector * cosine + cross * sine + axis * (dot3(axis, vector) * (1 - cosine))
