"""The borders of a picture joined along the cut that shows least, so that it tiles.

The cut is the minimum-error boundary of Efros and Freeman, "Image Quilting for Texture Synthesis and Transfer"
(SIGGRAPH 2001), closed to a loop so that it tiles too; broad and fine detail are blended over different widths as
in Burt and Adelson, "A Multiresolution Spline with Application to Image Mosaics" (1983). Regular patterns are cut at
whole periods, along their own joints.
"""

from __future__ import annotations

import numpy as np

from collage.core.base.progress import Progress, Steps, within
from collage.core.images.blur import blurred
from collage.core.images.periods import whole_periods
from collage.core.images.region import luminance

ROWS_A_STEP = 2000  # of a cut
ROWS_COMPARED = 768
"""Rows of a picture that are looked at for the best overlap: as many tell as well as all of them."""


def joined(values: np.ndarray, overlap: float, *, loop: bool, period: float = 0.0) -> Steps[np.ndarray]:
    """The picture narrower by the overlap, its right border running on into its left one.

    loop : rows wrap around, so the cut ends in the column where it began. period : columns after which a pattern
    repeats; the result is as many whole ones as fit. values : (h, w, c). Returns (h, w - o, c).
    """
    yield Progress("Joining", 0)
    across = whole_periods(values.shape[1], period)
    regular = across > 0
    if regular:
        over = min(values.shape[1] - across, max(round(values.shape[1] * overlap), round(period)), across)
        values = values[:, : across + over]
    else:
        over = yield from within(best_overlap(values, overlap), 0.0, 0.3)
    yield Progress("Joining", 0.3)
    width = values.shape[1]
    left, right = values[:, :over], values[:, width - over :]
    cost = np.square(left - right).sum(axis=2)
    yield Progress("Joining", 0.4)
    edge = over // 10 if regular else 0  # where the strip has to go on as the picture does
    if regular:
        cost = (cost + cost.mean()) * np.minimum(_inside_units(left), _inside_units(right))
    cut = yield from within(cheapest_cut(cost[:, edge : over - edge], loop=loop, along=regular), 0.4, 0.6)
    cut = cut + edge
    out, highest = values[:, : width - over].copy(), max(1.0, float(values.max()))
    del cost
    for channel in range(values.shape[2]):  # one after the other: strips of large photographs take much room
        yield Progress("Joining", 0.6 + 0.4 * channel / values.shape[2])
        blend = _blended(left[:, :, channel], right[:, :, channel], cut, loop=loop, broad=not regular)
        out[:, :over, channel] = blend[:, : out.shape[1]]
    return np.clip(out, 0, highest, out=out)


def _blended(left: np.ndarray, right: np.ndarray, cut: np.ndarray, *, loop: bool, broad: bool) -> np.ndarray:
    """One channel of the strip, (h, o): fine detail changes at the cut, broad shapes over all of its width.

    broad : without it, those change at the cut too: a brick is of the one picture or of the other.
    """
    over = left.shape[1]
    across = np.arange(over, dtype=np.float32)[None, :]
    sharp = np.clip((across - cut[:, None].astype(np.float32)) / np.float32(3) + np.float32(0.5), 0, 1)  # 1 : left
    if broad:
        t = (across + np.float32(0.5)) / np.float32(over)
        sigma, tiles = max(over / 6, 1.0), (loop, False)
        low_left, low_right = blurred(left, sigma, tiles=tiles), blurred(right, sigma, tiles=tiles)
        blend = low_right + (low_left - low_right) * (t * t * (3 - 2 * t))
        blend += (right - low_right) * (1 - sharp)
        blend += (left - low_left) * sharp
    else:
        blend = right + (left - right) * sharp
    # at its two ends the strip is exactly what goes on there
    ends = np.clip(np.minimum(across, over - 1 - across) / np.float32(max(over * 0.1, 1.0)), 0, 1)
    exact = np.where(across < over / 2, right, left)
    blend -= exact
    blend *= ends
    blend += exact
    return blend


def _inside_units(strip: np.ndarray) -> np.ndarray:
    """(h, o): 1 inside bricks, boards and strips of a (h, o, c) picture, near 0 at the joints between them."""
    from scipy.ndimage import gaussian_gradient_magnitude

    steep = gaussian_gradient_magnitude(luminance(strip), max(1.0, max(strip.shape[:2]) / 300))
    joint = np.clip(steep / max(float(np.quantile(steep, 0.9)), 1e-6), 0, 0.99)
    return np.square(1 - joint)  # type: ignore[no-any-return]


def best_overlap(values: np.ndarray, overlap: float) -> Steps[int]:
    """How many columns to lay over each other: near the share that is asked for, where both borders agree best.

    So threads, bricks and rings meet their likes. values : (h, w, c) float32.
    """
    width = values.shape[1]
    wanted = max(4, round(width * overlap))
    field = luminance(values)
    every = max(field.shape[0] // ROWS_COMPARED, 1)
    field = field[::every] - blurred(field, max(wanted / 3, 1.0), tiles=False, every=every)
    best, least = wanted, np.inf
    yield Progress("Joining", 0.5)
    for over in range(max(4, round(wanted * 0.7)), min(round(wanted * 1.3), round(width * 0.48)) + 1):
        differ = float(((field[:, :over] - field[:, width - over :]) ** 2).mean())
        if differ < least:
            best, least = over, differ
    return best


def cheapest_cut(cost: np.ndarray, *, loop: bool, along: bool = False) -> Steps[np.ndarray]:
    """For each row of (rows, columns) costs a column, at most one further than the row before; the sum is least.

    loop : the last row's column is at most one from the first row's. along : the cut may also run along a row, as
    joints between courses of bricks do, at the cost of what it passes.
    """
    if not loop:
        return (yield from _path(cost, None, along))
    free = yield from within(_path(np.concatenate([cost, cost, cost]), None, along), 0.0, 0.75)
    return (yield from within(_path(cost, int(free[len(cost)]), along), 0.75, 1.0))


def _path(cost: np.ndarray, ends: int | None, along: bool) -> Steps[np.ndarray]:
    """By dynamic programming; `ends` fixes the column of the first and the last row."""
    rows, columns = cost.shape
    best = cost[0].astype(np.float64)
    if ends is not None:
        best = np.where(np.arange(columns) == ends, best, np.inf)
    came = np.zeros((rows, columns), np.int32)
    at = np.arange(columns)
    for row in range(1, rows):
        if row % ROWS_A_STEP == 0:
            yield Progress("Joining", row / rows)
        wide = np.concatenate([[np.inf], best, [np.inf]])
        three = np.stack([wide[:-2], wide[1:-1], wide[2:]])
        choice = three.argmin(axis=0)
        came[row] = np.clip(at + choice - 1, 0, columns - 1)
        best = three[choice, at] + cost[row]
        if along:
            start = _entered(best, cost[row].astype(np.float64))
            passed = np.cumsum(cost[row], dtype=np.float64)
            first, last = np.minimum(start, at), np.maximum(start, at)
            run = passed[last] - passed[first] + np.where(start > at, cost[row] - cost[row][start], 0)
            best, came[row] = best[start] + run, came[row][start]
    column = int(best.argmin()) if ends is None else ends
    path = np.empty(rows, np.int32)
    for row in range(rows - 1, -1, -1):
        path[row] = column
        column = came[row, column]
    return path


def _entered(best: np.ndarray, cost: np.ndarray) -> np.ndarray:
    """For each column the one in which its row is best entered, to run along the row from there."""
    passed = np.cumsum(cost)
    from_left = _lowest_so_far(best - passed)
    from_right = len(best) - 1 - _lowest_so_far((best + passed - cost)[::-1])[::-1]
    left = best[from_left] - passed[from_left] + passed
    right = best[from_right] + (passed - cost)[from_right] - (passed - cost)
    return np.where(left <= right, from_left, from_right)


def _lowest_so_far(values: np.ndarray) -> np.ndarray:
    """For each place that of the lowest value up to it."""
    lowest = np.minimum.accumulate(values)
    new = np.concatenate([[True], values[1:] < lowest[:-1]])
    return np.maximum.accumulate(np.where(new, np.arange(len(values)), 0))
