"""Four corners of a rectangle on a wall seen at a slant, found from its two sets of parallel lines.

Lines that are parallel on the wall run to one vanishing point each. Edges of the picture vote for the two points,
those that fit badly less and less (iteratively reweighted least squares, weights of Cauchy); then both are moved
until rows and columns of the straightened picture are as distinct as they can be.
"""

from __future__ import annotations

import math

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.images.perspective import Corners, moved
from collage.core.images.region import luminance, smaller

LOOKED_AT = 640
"""Pixels of the longer side that lines are looked for in."""

ROUNDS = (20.0, 20.0, 12.0, 8.0, 5.0, 4.0, 3.0, 2.0, 2.0, 2.0, 2.0, 2.0)
"""Degrees by which an edge may miss the vanishing point until it counts half, round by round."""

ENOUGH = 0.35  # how distinct rows and columns are where there are parallel lines; 0.2 in pictures of gravel
ROWS = 256  # rows and columns that are told apart
SAMPLES = 40_000  # places of the picture that are looked at for that
STEP = 0.014  # how far a point is moved at first, in radians as seen from the camera


def find_corners(pixels: np.ndarray) -> Corners:
    """Corners of the largest rectangle on the wall that (h, w, c) pixels of any kind show whole.

    Raises CollageError where the picture has no two sets of parallel lines.
    """
    field = luminance(smaller(pixels, LOOKED_AT))
    points, along, weights = _edges(field)
    level = np.abs(along[:, 0]) > np.abs(along[:, 1])
    if min(level.sum(), (~level).sum()) < 100:
        raise _nothing()
    right = _vanishing_point(points[level], along[level], weights[level], np.array([1.0, 0.0, 0.0]))
    below = _vanishing_point(points[~level], along[~level], weights[~level], np.array([0.0, 1.0, 0.0]))
    to_wall, contrast = _distinct(field, right, below)
    if contrast < ENOUGH:
        raise _nothing()
    return _largest(to_wall, field.shape[1] / field.shape[0])


def _nothing() -> CollageError:
    return CollageError(
        "No two sets of parallel lines are found.", remedy="Drag the four corners onto a rectangle of the picture."
    )


def _edges(field: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where a (h, w) picture has distinct edges, (n, 2) from its middle in half longer sides; their directions, (n, 2);
    how strong they are, (n,)."""
    from scipy.ndimage import gaussian_filter

    x_step, y_step = (gaussian_filter(field, 1.5, order=order) for order in ((0, 1), (1, 0)))
    xx, xy, yy = (gaussian_filter(one, 3.0) for one in (x_step * x_step, x_step * y_step, y_step * y_step))
    distinct = np.hypot(xx - yy, 2 * xy) / (xx + yy + 1e-9)  # 1 where all steps around go one way
    strength = np.hypot(x_step, y_step)
    chosen = (distinct > 0.6) & (strength > np.quantile(strength, 0.7)) & (strength > 1e-4)
    chosen[:4] = chosen[-4:] = chosen[:, :4] = chosen[:, -4:] = False
    y, x = np.nonzero(chosen)
    across = np.arctan2(2 * xy, xx - yy)[chosen] / 2
    return _from_middle(x, y, field.shape), np.stack([-np.sin(across), np.cos(across)], axis=1), strength[chosen]


def _from_middle(x: np.ndarray, y: np.ndarray, shape: tuple[int, ...]) -> np.ndarray:
    """(n, 2) of pixels, counted from the middle of a (h, w) picture in half longer sides."""
    half = max(shape) / 2
    return np.stack([(x + 0.5 - shape[1] / 2) / half, (y + 0.5 - shape[0] / 2) / half], axis=1)


def _vanishing_point(points: np.ndarray, along: np.ndarray, weights: np.ndarray, point: np.ndarray) -> np.ndarray:
    """Where edges at (n, 2) points along (n, 2) directions run to, (3,) homogeneous, from a first guess on."""
    lines = np.stack([-along[:, 1], along[:, 0], along[:, 1] * points[:, 0] - along[:, 0] * points[:, 1]], axis=1)
    for degrees in ROUNDS:
        far = np.hypot(point[0] - point[2] * points[:, 0], point[1] - point[2] * points[:, 1]) + 1e-6
        miss = np.abs(lines @ point) / far  # the sine of the angle by which the edge misses
        trust = weights / (1 + (miss / math.sin(math.radians(degrees))) ** 2) ** 2 / far**2
        _, axes = np.linalg.eigh((lines * trust[:, None]).T @ lines)
        point = axes[:, 0]
    return point


def _flattened(right: np.ndarray, below: np.ndarray) -> np.ndarray:
    """(3, 3), from the picture to a plane on which lines to one point are level and those to the other upright."""
    right, below = right * np.copysign(1.0, right[0]), below * np.copysign(1.0, below[1])
    return np.linalg.inv(np.stack([right, below, [0.0, 0.0, 1.0]], axis=1))


def _distinct(field: np.ndarray, right: np.ndarray, below: np.ndarray) -> tuple[np.ndarray, float]:
    """The flattening by two vanishing points, moved until rows and columns differ most from their neighbours; and by
    how much they do, the less distinct of both."""
    from scipy.ndimage import gaussian_filter
    from scipy.optimize import minimize

    step = max(1, math.ceil(math.sqrt(field.size / SAMPLES)))
    y, x = (one.ravel() for one in np.mgrid[step // 2 : field.shape[0] : step, step // 2 : field.shape[1] : step])
    places = np.c_[_from_middle(x, y, field.shape), np.ones(len(x))]
    across, down = (gaussian_filter(field, 2, order=order)[y, x] ** 2 for order in ((0, 1), (1, 0)))
    points = [one / np.linalg.norm(one) for one in (right, below)]
    aside = [_around(one) for one in points]

    def at(by: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return points[0] + by[:2] @ aside[0], points[1] + by[2:] @ aside[1]

    def contrasts(by: np.ndarray) -> tuple[float, float]:
        flat = places @ _flattened(*at(by)).T
        return _contrast(flat[:, 0] / flat[:, 2], across), _contrast(flat[:, 1] / flat[:, 2], down)

    start = np.vstack([np.zeros(4), STEP * np.eye(4)])
    how = {"initial_simplex": start, "xatol": 2e-4, "fatol": 1e-4, "maxiter": 200}
    best = minimize(lambda by: -sum(contrasts(by)), np.zeros(4), method="Nelder-Mead", options=how).x
    return _flattened(*at(best)), min(contrasts(best))


def _around(point: np.ndarray) -> np.ndarray:
    """(2, 3): two directions across a point on the unit sphere."""
    first = np.cross(point, [0.0, 0.0, 1.0])
    first /= max(float(np.linalg.norm(first)), 1e-9)
    return np.stack([first, np.cross(point, first)])


def _contrast(places: np.ndarray, strength: np.ndarray) -> float:
    """How much sums over rows differ from those of the rows around, by their own size. Both arrays : (n,)."""
    from scipy.ndimage import gaussian_filter1d

    low, high = float(places.min()), float(places.max())
    row = (places - low) / max(high - low, 1e-9) * (ROWS - 2) + 0.5
    first = row.astype(int)
    share = row - first
    count = np.bincount(first, 1 - share, ROWS) + np.bincount(first + 1, share, ROWS)
    total = np.bincount(first, strength * (1 - share), ROWS) + np.bincount(first + 1, strength * share, ROWS)
    mean = total / np.maximum(count, 1)
    around = gaussian_filter1d(mean, 8)
    full = count > 10  # rows at the picture's corners are short
    differ = ((mean - around) / (around + 1e-9)) ** 2
    return float((differ[full] * count[full]).sum() / max(float(count[full].sum()), 1e-9))


def _largest(to_wall: np.ndarray, shape: float) -> Corners:
    """Corners of the rectangle on the wall that takes most of a picture whose width is `shape` times its height."""
    half = np.array([shape, 1.0]) / max(shape, 1.0)
    outline = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
    depth = np.c_[outline, np.ones(4)] @ to_wall[2]
    if depth.min() * depth.max() <= 0:  # the wall's horizon lies within the picture
        raise _nothing()
    seen = moved(to_wall, outline)
    sides = np.roll(seen, -1, axis=0) - seen
    outwards = np.stack([sides[:, 1], -sides[:, 0]], axis=1)
    outwards *= np.sign(((seen - seen.mean(axis=0)) * outwards).sum(axis=1))[:, None]
    low, high = seen.min(axis=0), seen.max(axis=0)
    x, y, a = (one.ravel() for one in np.meshgrid(
        np.linspace(low[0], high[0], 41), np.linspace(low[1], high[1], 41), np.geomspace(0.2, 5, 25)
    ))  # fmt: skip
    room = (outwards * seen).sum(axis=1)[:, None] - outwards @ np.stack([x, y])
    wide, tall = (high[0] - low[0]) * np.sqrt(a) / 2, (high[1] - low[1]) / np.sqrt(a) / 2
    scale = (room / (np.abs(outwards) @ np.stack([wide, tall]))).min(axis=0).clip(0)
    wide, tall = wide * scale, tall * scale
    corners = [moved(np.linalg.inv(to_wall), np.stack([x + i * wide, y + j * tall], axis=1))
               for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))]  # fmt: skip
    (p, q), (r, s) = (corners[2] - corners[0]).T, (corners[3] - corners[1]).T
    best = int(np.abs(p * s - q * r).argmax())
    shares = [np.clip((one[best] / half + 1) / 2, 0, 1) for one in corners]
    return tuple((float(one[0]), float(one[1])) for one in shares)  # type: ignore[return-value]
