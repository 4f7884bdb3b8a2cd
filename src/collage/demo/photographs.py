"""Photographs that were never taken: a surface with known height under uneven light, with stains, cut from more."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from collage.core.images.colour import linear_to_srgb
from collage.demo.fields import blurred, cell_distances, fractal_field, soft_step, stretched


@dataclass(frozen=True)
class Photograph:
    """pixels : (h, w, 3) uint8 in sRGB, which do not tile. height : (h, w), 0..1, what the surface really is."""

    pixels: np.ndarray
    height: np.ndarray


def _stones(size: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    near, second = cell_distances(size, seed, 90)
    rim = soft_step(second - near, 0.0, 0.035)
    dome = np.clip(1 - (near / 0.085) ** 2, 0, 1)
    height = stretched(rim * (0.55 + 0.45 * dome) + 0.05 * fractal_field(size, seed + 1, slope=1.2, low=8))
    tone = blurred(fractal_field(size, seed + 2, slope=2.0, low=3, high=20), 4)
    return height, _tinted((0.30, 0.28, 0.25), tone, 0.10)


def _bark(size: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    ridges = fractal_field(size, seed, slope=1.5, low=3, high=60, stretch=(1.0, 5.0))
    fine = fractal_field(size, seed + 1, slope=1.0, low=20, stretch=(1.0, 3.0))
    height = stretched(soft_step(ridges, -1.4, 1.4) + 0.10 * fine)
    return height, _tinted((0.22, 0.15, 0.10), fractal_field(size, seed + 2, slope=2.0, low=2, high=12), 0.08)


def _cloth(size: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    count = 48
    y, x = np.meshgrid(np.arange(size) / size * count, np.arange(size) / size * count, indexing="ij")
    waver = 0.25 * fractal_field(size, seed, slope=2.0, low=1, high=20)
    over = (np.floor(x) + np.floor(y)) % 2
    across, along = np.abs(np.sin(np.pi * (y + waver))), np.abs(np.sin(np.pi * (x + waver)))
    height = stretched(np.where(over > 0, across * (0.6 + 0.4 * along), along * (0.6 + 0.4 * across)))
    height = stretched(height + 0.1 * fractal_field(size, seed + 1, slope=1.4, low=2, high=30))
    return height, _tinted((0.42, 0.38, 0.29), fractal_field(size, seed + 2, slope=2.0, low=1, high=8), 0.04)


def _gravel(size: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    near, second = cell_distances(size, seed, 1500)
    height = soft_step(second - near, 0.0, 0.010) * (0.5 + 0.5 * np.clip(1 - (near / 0.02) ** 2, 0, 1))
    height = stretched(height + 0.12 * fractal_field(size, seed + 1, slope=1.8, low=4, high=40))
    tone = blurred(fractal_field(size, seed + 2, slope=1.0, low=20, high=90), 1)
    return height, _tinted((0.33, 0.30, 0.26), tone, 0.10)


KINDS: dict[str, Callable[[int, int], tuple[np.ndarray, np.ndarray]]] = {
    "stones": _stones,
    "bark": _bark,
    "cloth": _cloth,
    "gravel": _gravel,
}


def _tinted(colour: tuple[float, float, float], tone: np.ndarray, amount: float) -> np.ndarray:
    warm = np.array([1.0, 0.85, 0.6])
    return np.array(colour) * (1 + amount * tone[..., None] * warm)


def photograph(kind: str, size: int = 512, seed: int = 5, *, stains: float = 1.0, uneven: float = 1.0) -> Photograph:
    """A picture of stones, bark, cloth or gravel.

    stains : how strong brown blots are that the height knows nothing of. uneven : how much the light falls off.
    """
    canvas = int(size * 1.4)
    height, albedo = KINDS[kind](canvas, seed)
    blots = soft_step(fractal_field(canvas, seed + 50, slope=2.2, low=2, high=18), 0.3, 1.3) * stains
    albedo = albedo * (1 - blots[..., None] * np.array([0.45, 0.62, 0.78]))
    open_sky = 0.25 + 0.75 * height - 0.35 * np.maximum(blurred(height, canvas / 60) - height, 0)
    light = albedo * np.maximum(open_sky, 0.03)[..., None]
    cut = slice(canvas // 7, canvas // 7 + size)
    light, height = light[cut, cut], height[cut, cut]
    y, x = np.meshgrid(np.linspace(-1, 1, size), np.linspace(-1, 1, size), indexing="ij")
    light = light * (1.05 + uneven * (0.35 * x + 0.18 * y - 0.22 * (x * x + y * y)))[..., None]
    grain = np.random.default_rng(seed).normal(0, 0.004, light.shape)
    shown = linear_to_srgb(np.clip(light * 1.6, 0, 1)) + grain
    return Photograph(np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8), height)
