"""Which way red and green point in a normal map: measured against the height map of its set, or by the map alone."""

from __future__ import annotations

import numpy as np

from collage.core.gather.looks import Look, signed
from collage.core.gather.names import Axes, Green

MIN_SURE = 0.25


def slopes(normals: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """dh/dright and dh/dup of a map whose green points up, (h, w) each, from (h, w, 3+) pixels as stored."""
    way = signed(normals)
    facing = np.maximum(way[:, :, 2], 0.05)
    return -way[:, :, 0] / facing, -way[:, :, 1] / facing


def against_height(normal: Look, height: Look) -> tuple[Axes, Green, float]:
    """How the axes must be mended, which way green points then, and how sure it is, 0 to 1.

    The correlations of both slopes with both directions of the height's gradient tell all eight cases of exchanged and
    mirrored axes apart. A height map that is dark where the surface is high looks as if both were mirrored.
    """
    right, up = slopes(normal.small)
    high = _sized(height.small[:, :, 0], right.shape)
    along_right, along_up = np.gradient(high, axis=1), -np.gradient(high, axis=0)
    straight = _correlation(right, along_right), _correlation(up, along_up)
    crossed = _correlation(up, along_right), _correlation(right, along_up)
    swapped = min(map(abs, crossed)) > min(map(abs, straight))
    right_fit, up_fit = crossed if swapped else straight
    sure = float(min(abs(right_fit), abs(up_fit)))
    if sure < MIN_SURE:
        return "", "unknown", sure
    red = right_fit < 0
    axes: Axes = "swapped red" if swapped and red else "swapped" if swapped else "red" if red else ""
    return axes, ("up" if up_fit > 0 else "down"), sure


def alone(normal: Look) -> tuple[Green, float]:
    """The direction by the map alone, and how sure it is, 0 to 1.

    Slopes of a surface have no curl: dh/dright changes upwards as dh/dup changes to the right. With green turned
    they do not, except where the surface is flat or runs along one axis.
    """
    right, up = slopes(normal.small)
    right_upwards = -np.gradient(right, axis=0)
    up_to_right = np.gradient(up, axis=1)
    if_up, if_down = np.mean((right_upwards - up_to_right) ** 2), np.mean((right_upwards + up_to_right) ** 2)
    most = max(float(if_up), float(if_down))
    if most < 1e-10:
        return "unknown", 0.0
    sure = 1 - min(float(if_up), float(if_down)) / most
    if sure < MIN_SURE:
        return "unknown", sure
    return ("up" if if_up < if_down else "down"), sure


def _correlation(a: np.ndarray, b: np.ndarray) -> float:
    a, b = a - a.mean(), b - b.mean()
    size = float(np.sqrt((a**2).sum() * (b**2).sum()))
    return float((a * b).sum()) / size if size > 1e-12 else 0.0


def _sized(field: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """The field at another size, by the nearest of its pixels."""
    if field.shape == shape:
        return field
    rows = np.arange(shape[0]) * field.shape[0] // shape[0]
    columns = np.arange(shape[1]) * field.shape[1] // shape[1]
    return field[rows][:, columns]
