"""Directions and places that lie evenly, along a spiral."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

GOLDEN = 0.6180339887


@lru_cache(maxsize=32)
def sphere(count: int) -> np.ndarray:
    """(count, 3) float32 directions, evenly all around (R. Swinbank and R. J. Purser, Fibonacci grids, 2006)."""
    number = np.arange(count) + 0.5
    height = 1 - 2 * number / count
    radius, angle = np.sqrt(1 - height * height), 2 * np.pi * GOLDEN * number
    return np.stack([radius * np.cos(angle), height, radius * np.sin(angle)], axis=1).astype(np.float32)


@lru_cache(maxsize=32)
def disc(count: int) -> np.ndarray:
    """(count, 2) float32 places evenly in a disc of radius 1."""
    number = np.arange(count) + 0.5
    radius, angle = np.sqrt(number / count), 2 * np.pi * GOLDEN * number
    return np.stack([radius * np.cos(angle), radius * np.sin(angle)], axis=1).astype(np.float32)
