"""From a photograph to a map that tiles: light evened, borders joined along the cut that shows least.

The cut is the minimum-error boundary of Efros and Freeman, "Image Quilting for Texture Synthesis and Transfer"
(SIGGRAPH 2001), closed to a loop so that it tiles too; broad and fine detail are blended over different widths as
in Burt and Adelson, "A Multiresolution Spline with Application to Image Mosaics" (1983). Mixing patches keeps the
histogram as in Heitz and Neyret, "High-Performance By-Example Noise using a Histogram-Preserving Blending
Operator" (2018).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import Field

from collage.core.base.errors import CollageError
from collage.core.base.frozen import Frozen
from collage.core.base.progress import Progress, Steps, finished
from collage.core.images.blur import blurred
from collage.core.images.region import Region, floats, luminance, taken

ROWS_COMPARED = 768
"""Rows of a picture that are looked at for the best overlap: as many tell as well as all of them."""


class Seamless(Frozen):
    """How a photograph is made to tile.

    even : how much broad light and dark is evened out, 0 to 1. overlap : the share of each side that the borders
    are blended over. patches : instead, the tile is mixed of so many patches along a side; 0 keeps the picture.
    seed : of the patches.
    """

    region: Region = Region()
    even: float = Field(0.7, ge=0, le=1)
    overlap: float = Field(0.2, ge=0.02, le=0.45)
    patches: int = Field(0, ge=0, le=32)
    seed: int = 0


@dataclass(frozen=True)
class Scores:
    """seam : how much steeper the picture is across its border than inside, 0 where no more. repetition : the share
    of its contrast that is broader than a quarter of the tile, by which repeats are seen, 0 to 1."""

    seam: float
    repetition: float


def seamless(pixels: np.ndarray, how: Seamless) -> Steps[np.ndarray]:
    """A tiling map of (h, w, c) pixels of any kind: float32. Raises CollageError for a region that is too small."""
    yield Progress("Cutting the region", 0.0)
    values = taken(pixels, how.region)
    if min(values.shape[:2]) < 32:
        raise CollageError("The region is too small to tile.", remedy="Take at least 32 pixels a side.")
    if how.even:
        yield Progress("Evening the light", 0.2)
        values = evened(values, how.even, out=None if np.shares_memory(values, pixels) else values)
    if how.patches:
        yield Progress("Mixing patches", 0.5)
        return mixed(values, how.patches, how.seed)
    yield Progress("Joining left and right", 0.5)
    values = joined(values, how.overlap, loop=False)
    yield Progress("Joining top and bottom", 0.75)
    return np.ascontiguousarray(joined(values.swapaxes(0, 1), how.overlap, loop=True).swapaxes(0, 1))


def made_seamless(pixels: np.ndarray, how: Seamless) -> np.ndarray:
    """The tiling map in one go. pixels : (h, w, c), as `seamless` takes them."""
    return finished(seamless(pixels, how))


# ---- light --------------------------------------------------------------------------------------


def evened(values: np.ndarray, amount: float, reach: float = 0.1, out: np.ndarray | None = None) -> np.ndarray:
    """Broad light, dark and tint taken out by dividing by a blurred picture of itself.

    values : (h, w, c) of 0..1; a fourth channel stays. reach : of the blur, as a share of the shorter side. out : where
    the result goes; may be `values`.
    """
    colours = min(values.shape[2], 3) if values.shape[2] != 2 else 1
    highest = max(1.0, float(values.max()))
    out = values.copy() if out is None else out
    sigma = reach * min(values.shape[:2])
    for channel in range(colours):
        one = np.ascontiguousarray(values[:, :, channel])
        broad = blurred(one, sigma, tiles=False)
        np.maximum(broad, 1e-3, out=broad)
        np.divide(np.float32(one.mean()), broad, out=broad)
        np.power(broad, np.float32(amount), out=broad)
        np.multiply(one, broad, out=out[:, :, channel])
    return np.clip(out, 0, highest, out=out)


# ---- borders ------------------------------------------------------------------------------------


def joined(values: np.ndarray, overlap: float, *, loop: bool) -> np.ndarray:
    """The picture narrower by the overlap, its right border running on into its left one.

    loop : rows wrap around, so the cut ends in the column where it began. values : (h, w, c). Returns (h, w - o, c).
    """
    width = values.shape[1]
    over = best_overlap(values, overlap)
    left, right = values[:, :over], values[:, width - over :]
    cut = cheapest_cut(np.square(left - right).sum(axis=2), loop=loop)
    out, highest = values[:, : width - over].copy(), max(1.0, float(values.max()))
    for channel in range(values.shape[2]):  # one after the other: strips of large photographs take much room
        blend = _blended(left[:, :, channel], right[:, :, channel], cut, loop=loop)
        out[:, :over, channel] = blend[:, : out.shape[1]]
    return np.clip(out, 0, highest, out=out)


def _blended(left: np.ndarray, right: np.ndarray, cut: np.ndarray, *, loop: bool) -> np.ndarray:
    """One channel of the strip, (h, o): fine detail changes at the cut, broad shapes over all of its width."""
    over = left.shape[1]
    across = np.arange(over, dtype=np.float32)[None, :]
    sharp = np.clip((across - cut[:, None].astype(np.float32)) / np.float32(3) + np.float32(0.5), 0, 1)  # 1 : left
    t = (across + np.float32(0.5)) / np.float32(over)
    sigma, tiles = max(over / 6, 1.0), (loop, False)
    low_left, low_right = blurred(left, sigma, tiles=tiles), blurred(right, sigma, tiles=tiles)
    blend = low_right + (low_left - low_right) * (t * t * (3 - 2 * t))
    blend += (right - low_right) * (1 - sharp)
    blend += (left - low_left) * sharp
    # at its two ends the strip is exactly what goes on there
    ends = np.clip(np.minimum(across, over - 1 - across) / np.float32(max(over * 0.1, 1.0)), 0, 1)
    exact = np.where(across < over / 2, right, left)
    blend -= exact
    blend *= ends
    blend += exact
    return blend


def best_overlap(values: np.ndarray, overlap: float) -> int:
    """How many columns to lay over each other: near the share that is asked for, where both borders agree best.

    So threads, bricks and rings meet their likes. values : (h, w, c) float32.
    """
    width = values.shape[1]
    wanted = max(4, round(width * overlap))
    field = luminance(values)
    field = field - blurred(field, max(wanted / 3, 1.0), tiles=False)
    field = np.ascontiguousarray(field[:: max(field.shape[0] // ROWS_COMPARED, 1)])
    best, least = wanted, np.inf
    for over in range(max(4, round(wanted * 0.7)), min(round(wanted * 1.3), round(width * 0.48)) + 1):
        differ = float(((field[:, :over] - field[:, width - over :]) ** 2).mean())
        if differ < least:
            best, least = over, differ
    return best


def cheapest_cut(cost: np.ndarray, *, loop: bool) -> np.ndarray:
    """For each row of (rows, columns) costs a column, at most one further than the row before; the sum is least.

    loop : the last row's column is at most one from the first row's.
    """
    if not loop:
        return _path(cost, None)
    free = _path(np.concatenate([cost, cost, cost]), None)
    return _path(cost, int(free[len(cost)]))


def _path(cost: np.ndarray, ends: int | None) -> np.ndarray:
    """By dynamic programming; `ends` fixes the column of the first and the last row."""
    rows, columns = cost.shape
    best = cost[0].astype(np.float64)
    if ends is not None:
        best = np.where(np.arange(columns) == ends, best, np.inf)
    came = np.zeros((rows, columns), np.int32)
    at = np.arange(columns)
    for row in range(1, rows):
        wide = np.concatenate([[np.inf], best, [np.inf]])
        three = np.stack([wide[:-2], wide[1:-1], wide[2:]])
        choice = three.argmin(axis=0)
        came[row] = np.clip(at + choice - 1, 0, columns - 1)
        best = three[choice, at] + cost[row]
    column = int(best.argmin()) if ends is None else ends
    path = np.empty(rows, np.int32)
    for row in range(rows - 1, -1, -1):
        path[row] = column
        column = came[row, column]
    return path


# ---- patches ------------------------------------------------------------------------------------


def mixed(values: np.ndarray, patches: int, seed: int) -> np.ndarray:
    """A tile of patches from all over the picture, for materials without order: gravel, plaster, felt.

    Values are made normally distributed, blended with weights whose squares sum to one, which keeps their
    distribution, and brought back. values : (h, w, c) float32, the result as large.
    """
    height, width, channels = values.shape
    rng = np.random.default_rng(seed)
    axes, middle = _axes(values)
    flat = (values.reshape(-1, channels) - middle) @ axes
    gauss, sorted_values = _to_normal(flat)
    field = gauss.reshape(values.shape)
    sum_, weight = np.zeros_like(field), np.zeros((height, width, 1), np.float32)
    step_y, step_x = height / patches, width / patches
    size_y, size_x = min(int(2 * step_y) + 1, height), min(int(2 * step_x) + 1, width)
    window = (np.hanning(size_y + 2)[1:-1, None] * np.hanning(size_x + 2)[None, 1:-1]).astype(np.float32)[:, :, None]
    for row in range(patches):
        for column in range(patches):
            y, x = rng.integers(0, height - size_y + 1), rng.integers(0, width - size_x + 1)
            rows = (int(row * step_y) + np.arange(size_y)) % height
            columns = (int(column * step_x) + np.arange(size_x)) % width
            place = np.ix_(rows, columns)
            sum_[place] += field[y : y + size_y, x : x + size_x] * window
            weight[place] += window**2
    field = sum_ / np.sqrt(np.maximum(weight, 1e-6))
    back = _from_normal(field.reshape(-1, channels), sorted_values) @ axes.T + middle
    return np.clip(back, 0, max(1.0, float(values.max()))).reshape(values.shape).astype(np.float32)


def _axes(values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Directions in which the channels vary apart from each other, and the mean."""
    flat = values.reshape(-1, values.shape[2])
    middle = flat.mean(axis=0)
    if flat.shape[1] == 1:
        return np.ones((1, 1), np.float32), middle
    _, axes = np.linalg.eigh(np.cov((flat - middle).T))
    return axes.astype(np.float32), middle


def _to_normal(flat: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    from scipy.special import ndtri

    count = len(flat)
    order = np.argsort(flat, axis=0, kind="stable")
    levels = ndtri((np.arange(count) + 0.5) / count).astype(np.float32)
    gauss = np.empty_like(flat)
    for channel in range(flat.shape[1]):
        gauss[order[:, channel], channel] = levels
    return gauss, np.take_along_axis(flat, order, axis=0)


def _from_normal(gauss: np.ndarray, sorted_values: np.ndarray) -> np.ndarray:
    from scipy.special import ndtr

    count = len(sorted_values)
    places = ndtr(gauss) * count - 0.5
    ranks = np.arange(count)
    columns = [np.interp(places[:, one], ranks, sorted_values[:, one]) for one in range(gauss.shape[1])]
    return np.stack(columns, axis=1).astype(np.float32)


# ---- scores -------------------------------------------------------------------------------------


def scores(values: np.ndarray) -> Scores:
    """How well (h, w, c) values tile."""
    field = luminance(floats(values))
    del values  # of large pictures, what is not needed any more is let go of
    seam = max(_seam(field, axis) for axis in (0, 1))
    return Scores(round(seam, 4), round(_broad_share(field), 4))


def _seam(field: np.ndarray, axis: int) -> float:
    """How much larger the step across the border is than the steepest ones inside, pixel by pixel and broadly."""
    from scipy.ndimage import uniform_filter1d

    lines = field if axis == 0 else np.ascontiguousarray(field.T)
    worst = 0.0
    for reach in (1, 6):
        if lines.shape[0] < 6 * reach:
            continue
        along = uniform_filter1d(lines, reach, axis=1, mode="wrap")
        means = uniform_filter1d(along, reach, axis=0, mode="wrap", origin=-(reach // 2))  # from each line on
        steps = np.array([  # the first is the step across the border
            float(np.abs(means[at] - means[at - reach]).mean(dtype=np.float64)) for at in range(len(means))
        ])  # fmt: skip
        inside = max(float(np.quantile(steps[reach : len(steps) - reach + 1], 0.97)), 1e-6)
        worst = max(worst, float(steps[0]) / inside - 1)
    return max(worst, 0.0)


def _broad_share(field: np.ndarray) -> float:
    """The share of the variance in waves longer than a quarter of the tile."""
    field = field - field.mean()
    height, width = field.shape
    down, across = np.arange(-4, 5), np.arange(5)  # waves a tile; those the other way across are the same again
    waves = np.exp(-2j * np.pi * across[None, :] * np.arange(width)[:, None] / width).astype(np.complex64)
    along = (field @ waves.real) + 1j * (field @ waves.imag)
    power = np.abs(np.exp(-2j * np.pi * down[:, None] * np.arange(height)[None, :] / height) @ along) ** 2
    power[:, 1:] *= 2
    total = field.size * float(np.square(field).sum(dtype=np.float64))  # Parseval
    broad = power[np.hypot(down[:, None], across[None, :]) <= 4].sum()
    return float(broad) / total if total > 1e-9 else 0.0


def repeated(values: np.ndarray, across: int) -> np.ndarray:
    """The tile (h, w, c) so many times side by side and below each other."""
    return np.tile(values, (across, across, 1))
