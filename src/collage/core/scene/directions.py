"""Directions given by a turn about the upright axis and a height above the horizon, both in degrees."""

from __future__ import annotations

import math

import numpy as np

Triple = tuple[float, float, float]


def direction(turn: float, height: float) -> np.ndarray:
    """(3,) of length 1; turn 0 and height 0 is +z, a positive turn goes towards +x, +y is up."""
    a, b = math.radians(turn), math.radians(height)
    return np.array([math.sin(a) * math.cos(b), math.sin(b), math.cos(a) * math.cos(b)])


def right_of(turn: float) -> np.ndarray:
    """(3,) level direction to the right of who looks from there to the middle; defined straight overhead too."""
    a = math.radians(turn)
    return np.array([math.cos(a), 0.0, -math.sin(a)])
