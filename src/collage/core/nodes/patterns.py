"""Procedural patterns of the standard: noise, cells, ramps and splits."""

from __future__ import annotations

import numpy as np

from collage.core.document.types import CHANNELS
from collage.core.kernels import Family
from collage.core.nodes.arithmetic import held
from collage.core.nodes.behaviour import Array, Context, behaviour

noise, cells = Family("noise"), Family("cells")

MOST_OCTAVES = 64
"""More cannot be told from none, and would take for ever."""


def _sum(place: Array, octaves: int, lacunarity: float, diminish: float, vector: bool) -> Array:
    return noise.fractal(place, octaves, lacunarity, diminish, vector=vector)


def _cells(*place: Array) -> Array:
    return cells.cell_noise(*place)[None]


def _moved(place: Array, *shift: float) -> Array:
    return place + np.array(shift, np.float32).reshape(-1, 1)


def _octaves(place: Array, octaves: Array, lacunarity: Array, diminish: Array, vector: bool) -> Array:
    """The fractal sum; its settings may differ from point to point, which takes the slower way."""
    octaves = np.minimum(octaves, MOST_OCTAVES)
    if octaves.shape[1] == lacunarity.shape[1] == diminish.shape[1] == 1:
        return _sum(place, int(octaves[0, 0]), float(lacunarity[0, 0]), float(diminish[0, 0]), vector)
    total: Array = np.zeros((3 if vector else 1, place.shape[1]), np.float32)
    strength = np.ones((1, 1), np.float32)
    for octave in range(int(octaves.max(initial=0))):
        total = total + np.where(octave < octaves, strength * _sum(place, 1, 1.0, 1.0, vector), 0)
        strength = strength * diminish
        place = np.ascontiguousarray(place * lacunarity, np.float32)
    return total


def _gradient(ctx: Context, place: Array, far: tuple[float, ...], settings: tuple[Array, Array, Array]) -> Array:
    """Noise of as many channels as the output has; `far` is where the fourth one is looked up."""
    place = np.ascontiguousarray(place, np.float32)
    count = CHANNELS[ctx.output_type]
    value = _octaves(place, *settings, count > 1)
    if count == 4:
        return np.concatenate([value, _octaves(_moved(place, *far), *settings, False)])
    return value[:count]


_ONE = (np.ones((1, 1), np.int32), np.ones((1, 1), np.float32), np.ones((1, 1), np.float32))


@behaviour("noise2d")
def noise2d(ctx: Context, amplitude: Array, pivot: Array, texcoord: Array) -> Array:
    """Gradient noise over the UV plane."""
    return _gradient(ctx, texcoord, (19, 73), _ONE) * amplitude + pivot


@behaviour("noise3d")
def noise3d(ctx: Context, amplitude: Array, pivot: Array, position: Array) -> Array:
    """Gradient noise in space."""
    return _gradient(ctx, position, (19, 73, 29), _ONE) * amplitude + pivot


def _fractal(ctx: Context, place: Array, far: tuple[float, ...], settings: tuple[Array, Array, Array]) -> Array:
    if CHANNELS[ctx.output_type] == 2:  # the standard takes two plain sums here, not a vector sum
        place = np.ascontiguousarray(place, np.float32)
        first = _octaves(place, *settings, False)
        return np.concatenate([first, _octaves(_moved(place, *far), *settings, False)])
    return _gradient(ctx, place, far, settings)


@behaviour("fractal2d", most={"octaves": MOST_OCTAVES})
def fractal2d(
    ctx: Context, amplitude: Array, octaves: Array, lacunarity: Array, diminish: Array, texcoord: Array
) -> Array:
    """Octaves of gradient noise over the UV plane, each finer and weaker than the one before."""
    return _fractal(ctx, texcoord, (19, 193), (octaves, lacunarity, diminish)) * amplitude


@behaviour("fractal3d", most={"octaves": MOST_OCTAVES})
def fractal3d(
    ctx: Context, amplitude: Array, octaves: Array, lacunarity: Array, diminish: Array, position: Array
) -> Array:
    """Octaves of gradient noise in space, each finer and weaker than the one before."""
    return _fractal(ctx, position, (19, 193, 17), (octaves, lacunarity, diminish)) * amplitude


@behaviour("cellnoise2d")
def cellnoise2d(ctx: Context, texcoord: Array) -> Array:
    return _cells(*texcoord[:2])


@behaviour("cellnoise3d")
def cellnoise3d(ctx: Context, position: Array) -> Array:
    return _cells(*position[:3])


def _worley(ctx: Context, place: Array, jitter: Array, style: Array) -> Array:
    """Distances to the nearest feature points, or (style 1) the random value of the nearest."""
    place = np.ascontiguousarray(np.broadcast_to(place, (len(place), max(place.shape[1], jitter.shape[1]))), np.float32)
    count = CHANNELS[ctx.output_type]
    by_cell = style == 1
    if not by_cell.any():
        return cells.nearest(place, jitter) if count == 1 else cells.worley(place, jitter)[0][:count]
    distances, offsets = cells.worley(place, jitter)
    middle = place + offsets
    if count == 1:
        values = _cells(*middle)
    else:
        width = np.zeros(place.shape[1], np.float32)
        values = np.concatenate([_cells(*middle, width + number) for number in range(count)])
    return np.where(by_cell, values, distances[:count])


@behaviour("worleynoise2d")
def worleynoise2d(ctx: Context, texcoord: Array, jitter: Array, style: Array) -> Array:
    """Cells around scattered points of the UV plane."""
    return _worley(ctx, texcoord, jitter, style)


@behaviour("worleynoise3d")
def worleynoise3d(ctx: Context, position: Array, jitter: Array, style: Array) -> Array:
    """Cells around scattered points in space."""
    return _worley(ctx, position, jitter, style)


def _flake_chance(coverage: Array) -> Array:
    """The chance that a cell has a flake, for the share of the surface they cover; the reference's fit."""
    x = held(coverage, 0, 1)
    rise = (-26.19771808 * x + 26.39663835) * x
    return rise / (((85.53857017 * x - 102.35069432) * x - 101.42634862) * x + 118.45082288)


def _flakes(
    place: Array, size: Array, roughness: Array, coverage: Array, frame: tuple[Array, Array, Array]
) -> dict[str, Array]:
    """Flakes, each with an id, a random number, a rank and a normal tilted by the GGX distribution."""
    normal, tangent, bitangent = frame
    count = place.shape[1]
    rank, (turn, tilt, chance) = cells.flakes(place / size, np.broadcast_to(_flake_chance(coverage)[0], (count,)))
    there = rank > 0
    slope = roughness[0] ** 2 * np.sqrt(tilt) / np.sqrt(1 - tilt)
    sine = slope / np.sqrt(1 + slope**2)
    angle = np.float32(2 * np.pi) * turn
    bent = tangent * (np.cos(angle) * sine) + bitangent * (np.sin(angle) * sine) + normal * np.sqrt(1 - sine**2)
    bent = bent / np.sqrt((bent**2).sum(axis=0))
    return {
        "id": np.where(there, np.trunc(chance * np.float32(16777215)), 0)[None],
        "rand": np.where(there, chance, 0)[None],
        "presence": rank[None],
        "flakenormal": np.where(there, bent, normal),
    }


@behaviour("flake2d", spatial=True)
def flake2d(
    ctx: Context,
    size: Array,
    roughness: Array,
    coverage: Array,
    texcoord: Array,
    normal: Array,
    tangent: Array,
    bitangent: Array,
) -> dict[str, Array]:
    """Small flat flakes strewn over the UV plane, as in metallic paint."""
    flat = np.broadcast_to(texcoord, (2, ctx.at.count))
    place = np.concatenate([flat, np.zeros((1, ctx.at.count), np.float32)])
    return _flakes(place, size, roughness, coverage, (normal, tangent, bitangent))


@behaviour("flake3d", spatial=True)
def flake3d(
    ctx: Context,
    size: Array,
    roughness: Array,
    coverage: Array,
    position: Array,
    normal: Array,
    tangent: Array,
    bitangent: Array,
) -> dict[str, Array]:
    """Small flat flakes strewn in space, as in metallic paint."""
    place = np.broadcast_to(position, (3, ctx.at.count))
    return _flakes(place, size, roughness, coverage, (normal, tangent, bitangent))


@behaviour("ramplr")
def ramplr(ctx: Context, valuel: Array, valuer: Array, texcoord: Array) -> Array:
    share = held(texcoord[:1], 0, 1)
    return valuel * (1 - share) + valuer * share


@behaviour("ramptb")
def ramptb(ctx: Context, valuet: Array, valueb: Array, texcoord: Array) -> Array:
    """`valuet` lies at v = 1."""
    share = held(texcoord[1:2], 0, 1)
    return valueb * (1 - share) + valuet * share


def _split(first: Array, second: Array, center: Array, value: Array, du: Array, dv: Array) -> Array:
    """`second` beyond the centre; the edge is softened over 0.707 pixel on each side."""
    soft = np.sqrt((du - value) ** 2 + (dv - value) ** 2) * np.float32(0.70710678)
    t = held((value - center + soft) / (2 * soft), 0, 1)
    share = t * t * (3 - 2 * t)
    share = np.where(soft > 0, share, np.where(value >= center, 1.0, 0.0))
    return first * (1 - share) + second * share


@behaviour("splitlr", heights=("texcoord",))
def splitlr(
    ctx: Context,
    valuel: Array,
    valuer: Array,
    center: Array,
    texcoord: Array,
    texcoord_du: Array,
    texcoord_dv: Array,
) -> Array:
    return _split(valuel, valuer, center, texcoord[:1], texcoord_du[:1], texcoord_dv[:1])


@behaviour("splittb", heights=("texcoord",))
def splittb(
    ctx: Context,
    valuet: Array,
    valueb: Array,
    center: Array,
    texcoord: Array,
    texcoord_du: Array,
    texcoord_dv: Array,
) -> Array:
    return _split(valueb, valuet, center, texcoord[1:2], texcoord_du[1:2], texcoord_dv[1:2])
