"""Where directions lie in a latitude-longitude picture of the surroundings, and in one that is turned."""

from __future__ import annotations

import numpy as np


def to_direction(u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Direction (n, 3) of places in the picture: u once round, the middle towards -z; v = 1 straight up."""
    turn, height = (u - 0.5) * 2 * np.pi, (v - 0.5) * np.pi
    return np.stack([np.sin(turn) * np.cos(height), np.sin(height), -np.cos(turn) * np.cos(height)], axis=-1)


def to_place(direction: np.ndarray) -> np.ndarray:
    """Place (2, n) float32 in the picture of directions (n, 3)."""
    x, y, z = direction.T
    u = np.arctan2(x, -z) / (2 * np.pi) + 0.5
    v = np.arcsin(np.clip(y, -1, 1)) / np.pi + 0.5
    return np.stack([u, v]).astype(np.float32)


def in_picture(ways: np.ndarray, degrees: float) -> np.ndarray:
    """World directions (n, 3) as the picture of an environment has them that is turned; with the turn negative, the
    picture's as the world has them."""
    a = np.radians(degrees)
    x, y, z = ways[:, 0], ways[:, 1], ways[:, 2]
    return np.stack([x * np.cos(a) + z * np.sin(a), y, z * np.cos(a) - x * np.sin(a)], axis=1)
