"""Periodic random fields: what the generated maps are made of. All of them tile.

SciPy's transforms and trees are imported where they are used: only the generator needs them.
"""

from __future__ import annotations

import numpy as np


def _filtered(field: np.ndarray, strength: np.ndarray) -> np.ndarray:
    """A real field (h, w), each of its waves as strong as told: (h, w // 2 + 1), those of no negative fx."""
    from scipy.fft import irfft2, rfft2

    return np.asarray(irfft2(rfft2(field, workers=-1) * strength, s=field.shape, workers=-1))


def fractal_field(
    size: int,
    seed: int,
    *,
    slope: float = 1.6,
    low: float = 1.0,
    high: float = 1e9,
    stretch: tuple[float, float] = (1.0, 1.0),
) -> np.ndarray:
    """Random hills with a power-law spectrum, made in the frequency domain, so that they tile.

    slope : how fast fine detail fades; low, high : waves per tile that are let through;
    stretch : how much longer the hills are along x and y. Returns (size, size) float64, mean 0, deviation 1.
    """
    rng = np.random.default_rng(seed)
    fx = np.fft.rfftfreq(size, 1 / size)[None, :] * stretch[0]
    fy = np.fft.fftfreq(size, 1 / size)[:, None] * stretch[1]
    wave = np.hypot(fx, fy)
    strength = np.where((wave >= low) & (wave <= high), np.maximum(wave, 1e-9) ** -slope, 0)
    field = _filtered(rng.standard_normal((size, size)), strength)
    return (field - field.mean()) / max(field.std(), 1e-12)


def blurred(field: np.ndarray, radius: float) -> np.ndarray:
    """A Gaussian blur that wraps around; radius in pixels, the deviation."""
    size_y, size_x = field.shape
    fx = np.fft.rfftfreq(size_x)[None, :]
    fy = np.fft.fftfreq(size_y)[:, None]
    kernel = np.exp(-2 * (np.pi * radius) ** 2 * (fx**2 + fy**2))
    return _filtered(field, kernel)


def soft_step(value: np.ndarray, low: float, high: float) -> np.ndarray:
    """0 below low, 1 above high, a soft S in between."""
    t = np.clip((value - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def hollows(height: np.ndarray, radius: float, strength: float) -> np.ndarray:
    """A cheap occlusion: darker where the surface lies below its surroundings. 0..1."""
    deep = sum(np.maximum(blurred(height, radius * scale) - height, 0) for scale in (0.5, 1.0, 2.0))
    return np.clip(1 - strength * deep, 0, 1)


def stretched(field: np.ndarray) -> np.ndarray:
    """The field stretched to 0..1."""
    return (field - field.min()) / max(float(np.ptp(field)), 1e-12)


def cell_distances(size: int, seed: int, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Distances to the nearest and second nearest of `count` scattered points on a tile, in tile widths."""
    from scipy.spatial import cKDTree

    rng = np.random.default_rng(seed)
    points = rng.random((count, 2))
    steps = (np.arange(size) + 0.5) / size
    y, x = np.meshgrid(steps, steps, indexing="ij")
    distance, _ = cKDTree(points, boxsize=1.0).query(np.stack([y.ravel(), x.ravel()], 1), k=2, workers=-1)
    return distance[:, 0].reshape(size, size), distance[:, 1].reshape(size, size)
