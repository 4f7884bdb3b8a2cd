"""From a photograph to a map that tiles: light evened, borders joined along the cut that shows least.

Mixing patches keeps the histogram as in Heitz and Neyret, "High-Performance By-Example Noise using a
Histogram-Preserving Blending Operator" (2018).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field

from collage.core.base.errors import CollageError
from collage.core.base.frozen import Frozen
from collage.core.base.progress import Progress, Steps, finished, within
from collage.core.images.blur import blurred
from collage.core.images.joining import joined
from collage.core.images.periods import pattern_of
from collage.core.images.region import Region, floats, luminance, taking


class Seamless(Frozen):
    """How a photograph is made to tile.

    even : how much broad light and dark is evened out, 0 to 1. overlap : the share of each side that the borders
    are blended over. period : of a regular pattern, across and down, as shares of the region; the tile is whole periods
    then, joined along the pattern's own joints; 0 where there is none. patches : instead, the tile is mixed of so many
    patches along a side; 0 keeps the picture. seed : of the patches.
    """

    region: Region = Region()
    even: float = Field(0.7, ge=0, le=1)
    overlap: float = Field(0.2, ge=0.02, le=0.45)
    period: tuple[Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=1)]] = (0.0, 0.0)
    patches: int = Field(0, ge=0, le=32)
    seed: int = 0


COLUMNS_COMPARED = 1500
"""Columns of a large picture in which steps from line to line are looked at: as many tell as well as all of them."""


@dataclass(frozen=True)
class Scores:
    """seam : how much steeper the picture is across its border than inside, 0 where no more. repetition : the share
    of its contrast that is broader than a quarter of the tile, by which repeats are seen, 0 to 1; what a pattern
    repeats by itself is not counted. pattern : how much of a regular pattern ends at the worst line, 0 to 1."""

    seam: float
    repetition: float
    pattern: float = 0.0


def seamless(pixels: np.ndarray, how: Seamless) -> Steps[np.ndarray]:
    """A tiling map of (h, w, c) pixels of any kind: float32. Raises CollageError for a region that is too small."""
    yield Progress("Cutting the region", 0.0)
    values = yield from taking(pixels, how.region)
    steps = tiling(values.copy() if np.shares_memory(values, pixels) else values, how)
    del values  # of large photographs, nobody but the steps keeps it
    return (yield from steps)


def tiling(values: np.ndarray, how: Seamless) -> Steps[np.ndarray]:
    """`seamless` of (h, w, c) float32 values that were taken already, which may be written over."""
    if min(values.shape[:2]) < 32:
        raise CollageError("The region is too small to tile.", remedy="Take at least 32 pixels a side.")
    if how.even:
        values = yield from within(evened(values, how.even, out=values), 0.2, 0.3)
    if how.patches:
        yield Progress("Mixing patches", 0.5)
        return mixed(values, how.patches, how.seed)
    down, across = (share * length for share, length in zip(how.period[::-1], values.shape[:2], strict=True))
    values = yield from within(
        joined(values, how.overlap, loop=False, period=across), 0.3, 0.5, "Joining left and right"
    )
    turned = values.swapaxes(0, 1)
    del values
    values = yield from within(joined(turned, how.overlap, loop=True, period=down), 0.5, 0.75, "Joining top and bottom")
    return np.ascontiguousarray(values.swapaxes(0, 1))


def made_seamless(pixels: np.ndarray, how: Seamless) -> np.ndarray:
    """The tiling map in one go. pixels : (h, w, c), as `seamless` takes them."""
    return finished(seamless(pixels, how))


def regular(how: Seamless, part: np.ndarray) -> Seamless:
    """A recipe with the period of the pattern that (h, w, c) values of its region show; 0 where they show none."""
    pattern = pattern_of(part)
    return how.model_copy(update={"period": (pattern.across / part.shape[1], pattern.down / part.shape[0])})


# ---- light --------------------------------------------------------------------------------------


def evened(values: np.ndarray, amount: float, reach: float = 0.1, out: np.ndarray | None = None) -> Steps[np.ndarray]:
    """Broad light, dark and tint taken out by dividing by a blurred picture of itself.

    values : (h, w, c) of 0..1; a fourth channel stays. reach : of the blur, as a share of the shorter side. out : where
    the result goes; may be `values`.
    """
    colours = min(values.shape[2], 3) if values.shape[2] != 2 else 1
    highest = max(1.0, float(values.max()))
    out = values.copy() if out is None else out
    sigma = reach * min(values.shape[:2])
    for channel in range(colours):
        yield Progress("Evening the light", channel / colours)
        one = np.ascontiguousarray(values[:, :, channel])
        broad = blurred(one, sigma, tiles=False)
        np.maximum(broad, 1e-3, out=broad)
        np.divide(np.float32(one.mean()), broad, out=broad)
        np.power(broad, np.float32(amount), out=broad)
        np.multiply(one, broad, out=out[:, :, channel])
    yield Progress("Evening the light", 1)
    return np.clip(out, 0, highest, out=out)


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
    return finished(scoring(values))


def scoring(values: np.ndarray) -> Steps[Scores]:
    """`scores`, in steps."""
    yield Progress("Scoring", 0)
    import scipy.signal  # noqa: F401  takes nearly a second the first time: a step of its own

    yield Progress("Scoring", 0.1)
    pattern = pattern_of(values)
    yield Progress("Scoring", 0.2)
    field = luminance(floats(values))
    del values  # of large pictures, what is not needed any more is let go of
    periods, seam = (pattern.down, pattern.across), 0.0
    for axis in (0, 1):
        yield Progress("Scoring", 0.3 + 0.3 * axis)
        seam = max(seam, _seam(field if axis == 0 else field.T, regular=periods[axis] > 0))
    yield Progress("Scoring", 0.9)
    counts = tuple(round(size / one) if one else 0 for size, one in zip(field.shape, periods, strict=True))
    return Scores(round(seam, 4), round(_broad_share(field, counts), 4), round(pattern.broken, 4))


def _seam(lines: np.ndarray, *, regular: bool) -> float:
    """How much larger the step across the border of (h, w) lines is, from the last one to the first, than the steepest
    ones inside, pixel by pixel and broadly.

    regular : a pattern may have joints there, which are its steepest lines.
    """
    from scipy.ndimage import uniform_filter1d

    worst = 0.0
    step = max(1, lines.shape[1] // COLUMNS_COMPARED)
    for reach in (1, 6):
        if lines.shape[0] < 6 * reach:
            continue
        along = uniform_filter1d(lines, reach, axis=1, mode="wrap") if reach > 1 else lines
        along = np.ascontiguousarray(along[:, ::step])
        means = uniform_filter1d(along, reach, axis=0, mode="wrap", origin=-(reach // 2))  # from each line on
        steps = np.array([  # the first is the step across the border
            float(np.abs(means[at] - means[at - reach]).mean(dtype=np.float64)) for at in range(len(means))
        ])  # fmt: skip
        inside = max(float(np.quantile(steps[reach : len(steps) - reach + 1], 1.0 if regular else 0.97)), 1e-6)
        worst = max(worst, float(steps[0]) / inside - 1)
    return max(worst, 0.0)


def _broad_share(field: np.ndarray, periods: tuple[int, ...] = (0, 0)) -> float:
    """The share of the variance in waves longer than a quarter of the tile. periods : of a pattern, down and across,
    whose own waves are not counted."""
    field = field - field.mean()
    height, width = field.shape
    down, across = np.arange(-4, 5), np.arange(5)  # waves a tile; those the other way across are the same again
    waves = np.exp(-2j * np.pi * across[None, :] * np.arange(width)[:, None] / width).astype(np.complex64)
    along = (field @ waves.real) + 1j * (field @ waves.imag)
    power = np.abs(np.exp(-2j * np.pi * down[:, None] * np.arange(height)[None, :] / height) @ along) ** 2
    power[:, 1:] *= 2
    total = field.size * float(np.square(field).sum(dtype=np.float64))  # Parseval
    own = _own_waves(down, periods[0])[:, None] & _own_waves(across, periods[1])[None, :]
    broad = power[(np.hypot(down[:, None], across[None, :]) <= 4) & ~own].sum()
    return float(broad) / total if total > 1e-9 else 0.0


def _own_waves(waves: np.ndarray, periods: int) -> np.ndarray:
    """Which numbers of waves a tile are those of a pattern with so many periods a tile."""
    return waves % periods == 0 if periods else waves == 0


def repeated(values: np.ndarray, across: int) -> np.ndarray:
    """The tile (h, w, c) so many times side by side and below each other."""
    return np.tile(values, (across, across, 1))
