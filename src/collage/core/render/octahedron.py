"""The sphere of directions laid out on a square. y is up.

Cigolle et al., A Survey of Efficient Representations for Independent Unit Vectors, JCGT 2014.
"""

from __future__ import annotations

import numpy as np


def directions(size: int) -> np.ndarray:
    """Directions of the texels of a square of `size`, with one more texel all around for filtering.

    Returns ((size + 2) ** 2, 3) float64, of length 1, row by row.
    """
    steps = (np.arange(-1, size + 1) + 0.5) / size
    v, u = np.meshgrid(steps, steps, indexing="ij")
    u, v = _folded(u, v)
    x, z = u * 2 - 1, v * 2 - 1
    y = 1 - np.abs(x) - np.abs(z)
    below = y < 0
    x, z = (
        np.where(below, (1 - np.abs(z)) * np.where(x < 0, -1, 1), x),
        np.where(below, (1 - np.abs(x)) * np.where(z < 0, -1, 1), z),
    )
    out = np.stack([x, y, z], axis=-1).reshape(-1, 3)
    return out / np.linalg.norm(out, axis=1, keepdims=True)


def _folded(u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Beyond an edge of the square the sphere goes on at the mirrored place of the same edge."""
    over = (u < 0) | (u > 1)
    u, v = np.where(u < 0, -u, np.where(u > 1, 2 - u, u)), np.where(over, 1 - v, v)
    over = (v < 0) | (v > 1)
    return np.where(over, 1 - u, u), np.where(v < 0, -v, np.where(v > 1, 2 - v, v))
