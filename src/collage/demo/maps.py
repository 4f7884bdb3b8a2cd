"""The generated map sets and environments, as arrays: terracotta, celadon glaze, bench wood, a studio."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.images.colour import linear_to_srgb
from collage.core.images.derive import normal_from
from collage.demo.fields import (
    blurred,
    cell_distances,
    fractal_field,
    hollows,
    soft_step,
    stretched,
)


@dataclass(frozen=True)
class MapSet:
    """The maps of one surface. metres: width of the tile. Colours are linear; everything tiles."""

    metres: float
    depth: float
    base_color: np.ndarray
    roughness: np.ndarray
    normal: np.ndarray
    height: np.ndarray
    occlusion: np.ndarray


def _colour(*parts: float) -> np.ndarray:
    return np.array(parts)


def _blend(a: np.ndarray, b: np.ndarray, share: np.ndarray) -> np.ndarray:
    return a + (b - a) * share[..., None]


def mapset(
    metres: float, depth: float, colour: np.ndarray, roughness: np.ndarray, height: np.ndarray, reach: float
) -> MapSet:
    """The maps that follow from a surface's colour (linear), roughness and height. reach : of the occlusion, pixels."""
    return MapSet(
        metres,
        depth,
        np.clip(colour, 0, 1),
        np.clip(roughness, 0, 1),
        normal_from(height, metres, depth),
        height,
        hollows(height, reach, 1.1),
    )


def terracotta(size: int = 1024, seed: int = 11) -> MapSet:
    """Hand-thrown red clay: throwing lines, sandy grain, pinholes, fired a little unevenly."""
    lines = fractal_field(size, seed, slope=1.1, low=5, high=90, stretch=(24.0, 1.0))
    hills = fractal_field(size, seed + 1, slope=2.2, low=1, high=14)
    grain = fractal_field(size, seed + 2, slope=0.55, low=50)
    near, _ = cell_distances(size, seed + 3, 900)
    where = fractal_field(size, seed + 4, slope=1.8, low=1, high=10)
    pits = 1 - soft_step(near, 0.0008, 0.0030)
    pits = pits * soft_step(where, 0.1, 1.3)
    relief = 0.5 + 0.13 * lines + 0.10 * hills + 0.055 * grain - 0.5 * pits
    height = np.clip(stretched(relief), 0, 1)
    fired = blurred(fractal_field(size, seed + 5, slope=2.0, low=1, high=24), 2)
    specks = fractal_field(size, seed + 6, slope=0.3, low=90)
    colour = _blend(_colour(0.44, 0.150, 0.062), _colour(0.60, 0.235, 0.105), soft_step(fired, -1.6, 1.8))
    colour = _blend(colour, _colour(0.30, 0.085, 0.036), soft_step(-fired, 0.9, 2.6) * 0.7)
    colour = _blend(colour, _colour(0.70, 0.36, 0.20), soft_step(specks, 1.6, 2.6) * 0.55)
    colour = _blend(colour, _colour(0.20, 0.055, 0.026), soft_step(-specks, 1.9, 2.8) * 0.5)
    colour = _blend(colour, _colour(0.18, 0.055, 0.028), pits * 0.8)
    colour *= (1 + 0.05 * lines + 0.03 * grain)[..., None]
    roughness = 0.74 + 0.035 * fired + 0.03 * grain + 0.12 * pits
    return mapset(0.25, 0.0016, colour, roughness, height, 7.0)


def celadon(size: int = 1024, seed: int = 31) -> MapSet:
    """A grey-green glaze: soft waves, fine crackle, iron specks, thinner on high places."""
    waves = fractal_field(size, seed, slope=2.4, low=1, high=12)
    near, second = cell_distances(size, seed + 1, 260)
    crack = 1 - soft_step(second - near, 0.0006, 0.0022)
    crack *= soft_step(fractal_field(size, seed + 2, slope=2.0, low=1, high=8), -1.2, 0.6)
    speck = soft_step(fractal_field(size, seed + 3, slope=0.6, low=40), 2.9, 3.6)
    height = stretched(waves * 0.25 - 0.16 * crack)
    thick = soft_step(blurred(waves, 6), -1.8, 1.8)
    colour = _blend(_colour(0.335, 0.43, 0.345), _colour(0.20, 0.315, 0.255), 1 - thick)
    colour = _blend(colour, _colour(0.12, 0.13, 0.09), crack * 0.5)
    colour = _blend(colour, _colour(0.10, 0.055, 0.025), speck * 0.85)
    roughness = 0.17 + 0.04 * thick + 0.28 * crack
    return mapset(0.3, 0.0006, colour, roughness, height, 5.0)


def bench_wood(size: int = 1024, seed: int = 51) -> MapSet:
    """Weathered softwood, the grain along u: rings, fibres, a few knots' worth of waver."""
    y = (np.arange(size) + 0.5)[:, None] / size
    waver = blurred(fractal_field(size, seed, slope=2.2, low=1, high=10, stretch=(5.0, 1.0)), 3)
    rings = y * 15 + 0.5 + 0.75 * waver
    saw = rings - np.floor(rings)
    late = soft_step(saw, 0.35, 0.92) * (1 - soft_step(saw, 0.93, 1.0))
    fibre = fractal_field(size, seed + 1, slope=0.75, low=24, stretch=(26.0, 1.0))
    pores = soft_step(-fibre, 1.7, 2.6)
    stain = fractal_field(size, seed + 2, slope=2.0, low=1, high=12, stretch=(2.5, 1.0))
    height = stretched(0.45 * late + 0.07 * fibre - 0.3 * pores + 0.03 * stain)
    colour = _blend(_colour(0.34, 0.225, 0.125), _colour(0.165, 0.088, 0.042), late * 0.8)
    colour = _blend(colour, _colour(0.23, 0.195, 0.155), soft_step(stain, -0.4, 2.0) * 0.6)
    colour = _blend(colour, _colour(0.055, 0.032, 0.018), pores * 0.75)
    colour *= (1 + 0.07 * fibre)[..., None]
    roughness = 0.62 + 0.07 * soft_step(stain, -1, 2) - 0.08 * late + 0.1 * pores
    return mapset(0.6, 0.0012, colour, roughness, height, 5.0)


def studio(width: int = 1024) -> np.ndarray:
    """A photographer's room, (width / 2, width, 3) float32 of linear light: a grey room, a large soft
    panel to the left, a long one to the right, a strip behind, a skylight."""
    height = width // 2
    u, v = np.meshgrid((np.arange(width) + 0.5) / width, 1 - (np.arange(height) + 0.5) / height)
    turn, lift = (u - 0.5) * 2 * np.pi, (v - 0.5) * np.pi
    x, y, z = np.sin(turn) * np.cos(lift), np.sin(lift), -np.cos(turn) * np.cos(lift)
    room = 0.17 + 0.10 * soft_step(y, -0.2, 1.0) - 0.07 * soft_step(-y, 0.0, 0.8)
    picture = room[..., None] * _colour(1.0, 1.0, 1.02)

    def panel(
        middle: tuple[float, float, float],
        size: tuple[float, float],
        light: float,
        tint: np.ndarray,
        soft: float,
    ) -> np.ndarray:
        out = np.array(middle) / np.linalg.norm(middle)
        right = np.cross(out, [0, 1, 0] if abs(out[1]) < 0.95 else [1, 0, 0])
        right /= np.linalg.norm(right)
        up = np.cross(right, out)
        along = x * out[0] + y * out[1] + z * out[2]
        a = (x * right[0] + y * right[1] + z * right[2]) / np.maximum(along, 1e-3) / size[0]
        b = (x * up[0] + y * up[1] + z * up[2]) / np.maximum(along, 1e-3) / size[1]
        inside = (1 - soft_step(np.abs(a), 1 - soft, 1)) * (1 - soft_step(np.abs(b), 1 - soft, 1)) * (along > 0)
        glow = 0.75 + 0.25 * np.exp(-(a**2 + b**2))
        return (inside * glow * light)[..., None] * tint

    picture = picture + panel((-0.86, 0.62, 0.55), (0.62, 0.52), 9.5, _colour(1.0, 0.955, 0.89), 0.12)
    picture = picture + panel((0.95, 0.30, 0.25), (0.30, 0.75), 2.1, _colour(0.86, 0.93, 1.0), 0.2)
    picture = picture + panel((0.35, 0.55, -0.9), (0.8, 0.16), 4.2, _colour(1.0, 0.98, 0.95), 0.25)
    picture = picture + panel((0.05, 1.0, 0.0), (0.55, 0.55), 1.3, _colour(0.95, 0.98, 1.0), 0.3)
    return picture.astype(np.float32)


def sky(width: int = 1024) -> np.ndarray:
    """A clear morning, (width / 2, width, 3) float32 of linear light: a low sun, haze, a green horizon."""
    height = width // 2
    u, v = np.meshgrid((np.arange(width) + 0.5) / width, 1 - (np.arange(height) + 0.5) / height)
    turn, lift = (u - 0.5) * 2 * np.pi, (v - 0.5) * np.pi
    x, y, z = np.sin(turn) * np.cos(lift), np.sin(lift), -np.cos(turn) * np.cos(lift)
    sun = np.array((-0.62, 0.42, 0.66))
    sun = sun / np.linalg.norm(sun)
    near = np.clip(x * sun[0] + y * sun[1] + z * sun[2], -1, 1)
    up = soft_step(y, 0.0, 0.9)[..., None]
    haze = np.exp(-np.maximum(y, 0) * 7)[..., None]
    blue = _colour(0.20, 0.36, 0.72) * (1 - 0.35 * up) + _colour(0.62, 0.60, 0.52) * haze
    glow = np.exp((near - 1) * 9)[..., None] * _colour(1.1, 0.85, 0.55)
    disc = soft_step(near, 0.9985, 0.9995)[..., None] * _colour(900.0, 760.0, 560.0)
    ground = _colour(0.10, 0.115, 0.06) * (1 + 0.15 * fractal_field(width, 5, slope=1.2)[:height])[..., None]
    edge = soft_step(y, -0.012, 0.012)[..., None]
    return ((blue + glow + disc) * edge + ground * (1 - edge)).astype(np.float32)


def encoded(values: np.ndarray, *, colour: bool, bits: int) -> np.ndarray:
    """Values as a file stores them: colours with the sRGB curve, (h, w, c) uint8 or uint16."""
    if values.ndim == 2:
        values = values[:, :, None]
    if colour:
        values = linear_to_srgb(values)
    top = 255 if bits == 8 else 65535
    return np.rint(np.clip(values, 0, 1) * top).astype(np.uint8 if bits == 8 else np.uint16)
