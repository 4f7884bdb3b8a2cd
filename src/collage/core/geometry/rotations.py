"""How objects and frames are turned."""

from __future__ import annotations

import math

import numpy as np


def rotation(turn: float, tilt: float = 0.0, roll: float = 0.0) -> np.ndarray:
    """(3, 3) for row vectors: around = own @ rotation; its rows are the right, upright and front axis.

    All in degrees: first rolled about the axis to its front, then tilted about that to its right, then turned about the
    upright one.
    """
    c, s = _circle(turn)
    turned = np.array([[c, 0, -s], [0, 1, 0], [s, 0, c]])
    if not (tilt or roll):
        return turned
    c, s = _circle(tilt)
    tilted = np.array([[1, 0, 0], [0, c, s], [0, -s, c]])
    c, s = _circle(roll)
    whole: np.ndarray = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]) @ tilted @ turned
    return whole


def _circle(degrees: float) -> tuple[float, float]:
    return math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
