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
        values = evened(values, how.even)
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


def evened(values: np.ndarray, amount: float, reach: float = 0.1) -> np.ndarray:
    """Broad light, dark and tint taken out by dividing by a blurred picture of itself.

    values : (h, w, c) of 0..1; a fourth channel stays. reach : of the blur, as a share of the shorter side.
    """
    colours = min(values.shape[2], 3) if values.shape[2] != 2 else 1
    out = values.copy()
    sigma = reach * min(values.shape[:2])
    for channel in range(colours):
        one = values[:, :, channel]
        broad = np.maximum(blurred(one, sigma, tiles=False), 1e-3)
        out[:, :, channel] = one * (float(one.mean()) / broad) ** np.float32(amount)
    return np.clip(out, 0, max(1.0, float(values.max())))


# ---- borders ------------------------------------------------------------------------------------


def joined(values: np.ndarray, overlap: float, *, loop: bool) -> np.ndarray:
    """The picture narrower by the overlap, its right border running on into its left one.

    loop : rows wrap around, so the cut ends in the column where it began. values : (h, w, c). Returns (h, w - o, c).
    """
    from scipy.ndimage import gaussian_filter1d

    width = values.shape[1]
    over = best_overlap(values, overlap)
    left, right = values[:, :over], values[:, width - over :]
    cut = cheapest_cut(((left - right) ** 2).sum(axis=2), loop=loop)
    across = np.arange(over, dtype=np.float32)[None, :]
    sharp = np.clip((across - cut[:, None]) / 3 + 0.5, 0, 1)[:, :, None]  # 0 right strip, 1 left strip
    t = (across + 0.5) / over
    broad = (t * t * (3 - 2 * t))[:, :, None]
    broad = np.broadcast_to(broad, sharp.shape)
    sigma = max(over / 6, 1.0)

    def low(strip: np.ndarray) -> np.ndarray:
        rows = gaussian_filter1d(strip, sigma, axis=0, mode="wrap" if loop else "reflect")
        return gaussian_filter1d(rows, sigma, axis=1, mode="nearest")  # type: ignore[no-any-return]

    low_left, low_right = low(left), low(right)
    blend = low_right + (low_left - low_right) * broad
    blend += (right - low_right) * (1 - sharp) + (left - low_left) * sharp
    # at its two ends the strip is exactly what goes on there
    ends = np.clip(np.minimum(across, over - 1 - across) / max(over * 0.1, 1.0), 0, 1)[:, :, None]
    exact = np.where(across[:, :, None] < over / 2, right, left)
    blend = exact + (blend - exact) * ends
    out = values[:, : width - over].copy()
    out[:, :over] = blend[:, : out.shape[1]]
    return np.clip(out, 0, max(1.0, float(values.max())))


def best_overlap(values: np.ndarray, overlap: float) -> int:
    """How many columns to lay over each other: near the share that is asked for, where both borders agree best.

    So threads, bricks and rings meet their likes. values : (h, w, c) float32.
    """
    width = values.shape[1]
    wanted = max(4, round(width * overlap))
    field = luminance(values)
    field = field - blurred(field, max(wanted / 3, 1.0), tiles=False)
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
    seam = max(_seam(field, axis) for axis in (0, 1))
    return Scores(round(seam, 4), round(_broad_share(field), 4))


def _seam(field: np.ndarray, axis: int) -> float:
    """How much larger the step across the border is than the steepest ones inside, pixel by pixel and broadly."""
    from scipy.ndimage import uniform_filter1d

    lines = field if axis == 0 else field.T
    worst = 0.0
    for reach in (1, 6):
        if lines.shape[0] < 6 * reach:
            continue
        along = uniform_filter1d(lines, reach, axis=1, mode="wrap")
        wide = np.concatenate([along[-reach:], along, along[:reach]])
        sums = np.cumsum(np.concatenate([np.zeros((1, wide.shape[1]), wide.dtype), wide]), axis=0, dtype=np.float64)
        means = (sums[reach:] - sums[:-reach]) / reach  # of `reach` lines from each line on
        steps = np.abs(means[reach:] - means[:-reach]).mean(axis=1)  # the first is the step across the border
        inside = max(float(np.quantile(steps[reach : -reach or None], 0.97)), 1e-6)
        worst = max(worst, float(steps[0]) / inside - 1)
    return max(worst, 0.0)


def _broad_share(field: np.ndarray) -> float:
    """The share of the variance in waves longer than a quarter of the tile."""
    power = np.abs(np.fft.rfft2(field - field.mean())) ** 2
    rows = np.fft.fftfreq(field.shape[0], 1 / field.shape[0])[:, None]
    columns = np.fft.rfftfreq(field.shape[1], 1 / field.shape[1])[None, :]
    power[:, 1:] *= 2  # the half that is not kept
    total = float(power.sum())
    return float(power[np.hypot(rows, columns) <= 4].sum()) / total if total > 1e-9 else 0.0


def repeated(values: np.ndarray, across: int) -> np.ndarray:
    """The tile (h, w, c) so many times side by side and below each other."""
    return np.tile(values, (across, across, 1))
