"""The periods of bricks, tiles, planks, weaves and shingles in a photograph: after how many pixels a pattern repeats.

Found by autocorrelation (Wiener and Khinchin's theorem) of how steep the picture is, apart for steps across and steps
down: the courses of a running bond repeat at every course, its upright joints at every second one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.images.blur import blurred
from collage.core.images.region import luminance, smaller

LOOKED_AT = 640
"""Pixels of the longer side that periods are looked for in."""

LEAST = 8  # pixels, of those looked at, that a period has
ALIKE = 0.25  # how much a peak has to stand out, so that there is a period at all; 1 where all repeats exactly
NEARLY = 0.8  # of the highest peak: the shortest lag that reaches it is the period
SPARE = 0.04  # of the picture, to join whole periods by
MANY = 3  # periods, of which one may be left
ASIDE = 2  # pixels that a pattern may lean by over a period


@dataclass(frozen=True)
class Pattern:
    """How a picture repeats. across, down : pixels of a period; 0 where there is none. broken : how much of it ends
    along the worst line when the picture is tiled, 0 to 1; 0 too for what is too small to tell."""

    across: float = 0.0
    down: float = 0.0
    broken: float = 0.0


def pattern_of(pixels: np.ndarray) -> Pattern:
    """How (h, w, c) pixels of any kind repeat.

    Each line is compared with the one a period further on: over a period, a pattern that goes on is as much alike
    there as elsewhere.
    """
    field = luminance(smaller(pixels, LOOKED_AT))
    if min(field.shape) < 4 * LEAST:
        return Pattern()
    maps, periods, broken = _steepness(field), [0.0, 0.0], 0.0
    for axis in (0, 1):
        ridges = [_ridge(_autocorrelation(one if axis == 1 else one.T)) for one in maps]
        periods[axis] = _period(ridges)
        for steepness, ridge in zip(maps, ridges, strict=True):
            if periods[axis] and len(_peaks(ridge)) > 0:
                broken = max(broken, _break(steepness if axis == 1 else steepness.T, periods[axis]))
    scales = pixels.shape[0] / field.shape[0], pixels.shape[1] / field.shape[1]
    return Pattern(periods[1] * scales[1], periods[0] * scales[0], min(broken, 1.0))


def _break(lines: np.ndarray, period: float) -> float:
    """How much less alike columns of a tile and those a period on are, where they are least, than elsewhere."""
    from scipy.ndimage import uniform_filter1d

    over = round(period)
    power = np.square(lines).sum(axis=0)
    alike = np.full(lines.shape[1], -1.0)
    for lag in (int(period), int(period) + 1):
        pairs = uniform_filter1d((lines * np.roll(lines, -lag, axis=1)).sum(axis=0), over, mode="wrap")
        both = uniform_filter1d(power, over, mode="wrap") * uniform_filter1d(np.roll(power, -lag), over, mode="wrap")
        alike = np.maximum(alike, pairs / np.sqrt(np.maximum(both, 1e-12)))
    elsewhere = float(np.quantile(alike, min(0.5, 3 * over / len(alike))))  # one line is seen in two periods
    return max(1 - float(alike.min()) / max(elsewhere, 1e-6), 0.0)


def _steepness(field: np.ndarray) -> list[np.ndarray]:
    """How steep (h, w) values are, across and down, without broad light and the steepest places."""
    from scipy.ndimage import gaussian_filter

    steps = [np.abs(gaussian_filter(field, 1, order=order)) for order in ((0, 1), (1, 0))]
    steps = [np.minimum(one, np.quantile(one, 0.98)).astype(np.float32) for one in steps]
    return [one - blurred(one, min(field.shape) / 8, tiles=False) for one in steps]


def _autocorrelation(field: np.ndarray) -> np.ndarray:
    """(h, w) for every lag, negative ones from the end, 1 at none; by the number of pixels that overlap."""
    from scipy.fft import irfft2, rfft2

    height, width = field.shape
    size = (2 * height, 2 * width)
    field = field - field.mean()
    power = irfft2(np.abs(rfft2(field, size, workers=-1)) ** 2, size, workers=-1)
    pairs = np.outer(*[np.maximum(n - np.minimum(np.arange(2 * n), 2 * n - np.arange(2 * n)), 1) for n in field.shape])
    return power / pairs / max(float(field.var()), 1e-12)  # type: ignore[no-any-return]


def _ridge(along: np.ndarray) -> np.ndarray:
    """The autocorrelation across, up to half of the picture; a little lean is allowed."""
    return np.max([along[aside, : along.shape[1] // 4 + 1] for aside in range(-ASIDE, ASIDE + 1)], axis=0)  # type: ignore[no-any-return]


def _period(curves: list[np.ndarray]) -> float:
    """The shortest lag at which every curve that has peaks is nearly as high as it ever gets; 0 for none."""
    telling = [curve / curve[peaks].max() for curve in curves if len(peaks := _peaks(curve)) > 0]
    if not telling:
        return 0.0
    least = np.min(telling, axis=0)
    for at in range(LEAST, len(least) - 1):
        if least[at] >= NEARLY and least[at] >= least[at - 1] and least[at] > least[at + 1]:
            return _refined(np.mean(telling, axis=0), at)
    return 0.0


def _peaks(curve: np.ndarray) -> np.ndarray:
    """Lags at which a curve has a top that stands out from what lies on both sides of it."""
    from scipy.signal import find_peaks

    found, _ = find_peaks(curve, prominence=ALIKE)
    return found[found >= LEAST]  # type: ignore[no-any-return]


def _refined(curve: np.ndarray, at: int) -> float:
    """A period more exactly: by the farthest of its multiples that can still be told from its neighbours."""
    period = float(at)
    for times in range(1, int(len(curve) / at) + 1):
        near = round(period * times)
        window = np.arange(max(near - 2, 1), min(near + 3, len(curve) - 1))
        if len(window) < 3:
            break
        top = int(window[curve[window].argmax()])
        before, here, after = curve[top - 1], curve[top], curve[top + 1]
        if not here >= max(before, after) or here < NEARLY * curve[at]:
            break
        bend = before - 2 * here + after
        period = (top + (0.5 * (before - after) / bend if bend else 0.0)) / times
    return period


def whole_periods(length: int, period: float) -> int:
    """How many pixels of `length` whole periods take, leaving some to join them by; 0 where none fits.

    Of many, one is left: a strip of a whole period has joints in every row, along which bricks and boards stay whole.
    """
    count = int((length - max(SPARE * length, LEAST)) / period) if period > 0 else 0
    if count >= MANY and length - count * period < period:
        count -= 1
    return round(count * period)
