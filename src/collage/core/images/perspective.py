"""Photographs taken at a slant, made straight: four corners become a rectangle, and a lens that bulges is undone."""

from __future__ import annotations

import math

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps

Point = tuple[float, float]
Corners = tuple[Point, Point, Point, Point]
"""Shares of a picture's width and height, clockwise from the upper left."""

WHOLE: Corners = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
LENSES = (0.7, 4.0)  # focal lengths that are believed, in longer sides of the picture
ROWS_AT_ONCE = 256
ORDINARY = 1.2  # the focal length where the corners do not tell


def straight(values: np.ndarray, corners: Corners | None, bulge: float, proportion: float = 0.0) -> Steps[np.ndarray]:
    """What four corners enclose as an upright rectangle, as large as it is in the picture.

    values : (h, w, c) float32. corners : of the picture whose bulge is undone; None takes all of it. bulge : how far
    straight lines bow outwards, as a share of the half diagonal at its end; below 0 inwards. proportion : width to
    height of the rectangle; 0 works it out. Returns (h', w', c) float32, between pixels by cubic splines. Raises
    CollageError for corners that enclose nothing.
    """
    from scipy.ndimage import map_coordinates, spline_filter

    size = values.shape[1], values.shape[0]
    across, down = size if corners is None else rectangle(corners, size, proportion)
    made = np.empty((down, across, values.shape[2]), np.float32)
    for channel in range(values.shape[2]):
        spline = spline_filter(values[:, :, channel], output=np.float32)
        for start in range(0, down, ROWS_AT_ONCE):
            yield Progress("Straightening", (channel + start / down) / values.shape[2])
            rows = range(start, min(start + ROWS_AT_ONCE, down))
            x, y = _bulged(*_places(across, down, rows, corners or WHOLE, size), bulge, size)
            place = (y - np.float32(0.5), x - np.float32(0.5))
            map_coordinates(spline, place, made[rows.start : rows.stop, :, channel], prefilter=False, mode="mirror")
    return np.clip(made, 0, max(1.0, float(values.max())), out=made)


def rectangle(corners: Corners, size: tuple[int, int], proportion: float = 0.0) -> tuple[int, int]:
    """Width and height in pixels of what four corners enclose in a picture of (width, height), of the same area as
    the mean of its sides. Raises CollageError where the corners are not those of a convex shape, clockwise."""
    if not is_convex(corners):
        raise CollageError("The four corners enclose nothing.", remedy="Drag them to the corners of a rectangle.")
    points = np.array(corners) * size
    sides = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
    area = (sides[0] + sides[2]) * (sides[1] + sides[3]) / 4
    shape = proportion or seen_proportion(points, size)
    return max(round(math.sqrt(area * shape)), 8), max(round(math.sqrt(area / shape)), 8)


def is_convex(corners: Corners) -> bool:
    """Whether four corners are those of a convex shape, clockwise."""
    points = np.array(corners)
    sides = np.roll(points, -1, axis=0) - points
    after = np.roll(sides, -1, axis=0)
    return bool((sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0] > 1e-4).all())


def seen_proportion(points: np.ndarray, size: tuple[int, int]) -> float:
    """Width to height of a rectangle whose corners, (4, 2) in pixels, are seen at a slant.

    After Zhang and He, "Whiteboard Scanning and Image Enhancement" (Digital Signal Processing 2007): the middle of
    the picture is on the lens's axis, and sides that run together tell its focal length.
    """
    longer = max(size)
    upper_left, upper_right, lower_right, lower_left = np.c_[(points - np.array(size) / 2) / longer, np.ones(4)]
    outer = np.cross(upper_left, lower_right)
    right = (outer @ lower_left) / (np.cross(upper_right, lower_right) @ lower_left) * upper_right - upper_left
    below = (outer @ upper_right) / (np.cross(lower_left, lower_right) @ upper_right) * lower_left - upper_left
    slants = right[2] * below[2]
    square = -(right[0] * below[0] + right[1] * below[1]) / slants if abs(slants) > 1e-3 else -1.0
    focal = min(max(math.sqrt(square), LENSES[0]), LENSES[1]) if square > 0 else ORDINARY
    lengths = [math.hypot(one[0] / focal, one[1] / focal, one[2]) for one in (right, below)]
    return lengths[0] / lengths[1]


def onto(corners: Corners) -> np.ndarray:
    """(3, 3), from the unit square, (x, y, 1) with y down, to four corners: Heckbert, "Fundamentals of Texture
    Mapping and Image Warping" (1989)."""
    rows, right = [], []
    for (u, v), (x, y) in zip(WHOLE, corners, strict=True):
        rows += [[u, v, 1, 0, 0, 0, -u * x, -v * x], [0, 0, 0, u, v, 1, -u * y, -v * y]]
        right += [x, y]
    return np.append(np.linalg.solve(np.array(rows), np.array(right)), 1.0).reshape(3, 3)


def moved(matrix: np.ndarray, points: np.ndarray) -> np.ndarray:
    """(n, 2) points through a (3, 3) projective map."""
    seen = np.c_[points, np.ones(len(points))] @ matrix.T
    return seen[:, :2] / seen[:, 2:]  # type: ignore[no-any-return]


def _places(
    across: int, down: int, rows: range, corners: Corners, size: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """Where the pixels of some rows of the rectangle lie in the picture, in its pixels, (rows, across) each."""
    matrix = (np.diag([size[0], size[1], 1.0]) @ onto(corners)).astype(np.float32)
    u = ((np.arange(across, dtype=np.float32) + np.float32(0.5)) / np.float32(across))[None, :]
    v = ((np.arange(rows.start, rows.stop, dtype=np.float32) + np.float32(0.5)) / np.float32(down))[:, None]
    far = matrix[2, 0] * u + matrix[2, 1] * v + matrix[2, 2]
    x = (matrix[0, 0] * u + matrix[0, 1] * v + matrix[0, 2]) / far
    y = (matrix[1, 0] * u + matrix[1, 1] * v + matrix[1, 2]) / far
    return x, y


def _bulged(x: np.ndarray, y: np.ndarray, bulge: float, size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Where places of the picture whose bulge is undone lie in the picture as it was taken."""
    if not bulge:
        return x, y
    middle, half = (size[0] / 2, size[1] / 2), math.hypot(*size) / 2
    x, y = x - np.float32(middle[0]), y - np.float32(middle[1])
    farther = (1 - np.float32(bulge / half**2) * (x * x + y * y)) / np.float32(max(1.0, 1 - bulge))
    return x * farther + np.float32(middle[0]), y * farther + np.float32(middle[1])
