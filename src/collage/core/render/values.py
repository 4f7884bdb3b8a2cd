"""Reading a card's numbers: how they are spread, what lies outside 0 to 1, and what is no number at all."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.nodes.behaviour import Array

BINS = 64
BELOW, ABOVE, NO_NUMBER = 1, 2, 3
LOUD = (255, 0, 200)
"""What stands for a value that is no number."""


@dataclass(frozen=True)
class Limits:
    """The least and the greatest of some values (0 where there is none), and how many are no number."""

    low: float
    high: float
    broken: int


def limits_of(value: Array) -> Limits:
    """The limits of (k, n) values; of more than three channels the first three count."""
    value = value[:3]
    total = float(value.sum())
    if np.isfinite(total):  # one sum tells whether all of them are numbers
        return Limits(float(value.min()), float(value.max()), 0)
    good = np.isfinite(value)
    broken = int((~good).any(axis=0).sum())
    return Limits(float(value[good].min()), float(value[good].max()), broken) if good.any() else Limits(0, 0, broken)


@dataclass(frozen=True, eq=False)
class Spread:
    """How values are spread. low, high : the least and the greatest of them (0 where there is none).

    counts : (k, BINS), how many lie in each step from `start` to `stop`, per channel. broken : how many are no number.
    """

    low: float
    high: float
    start: float
    stop: float
    counts: np.ndarray
    broken: int

    @property
    def outside(self) -> bool:
        """Whether values lie outside 0 to 1."""
        return self.low < 0 or self.high > 1


def spread_of(value: Array) -> Spread:
    """The spread of (k, n) values; of alpha and more than three channels the first three. Covers 0 to 1 at least."""
    value, limits = value[:3], limits_of(value)
    good, low, high, broken = np.isfinite(value), limits.low, limits.high, limits.broken
    start, stop = min(low, 0.0), max(high, 1.0)
    counts = np.stack(
        [np.histogram(row[fine], bins=BINS, range=(start, stop))[0] for row, fine in zip(value, good, strict=True)]
    )
    return Spread(low, high, start, stop, counts, broken)


def marks(value: Array) -> np.ndarray:
    """What is to be marked of (k, n) values, (n,) uint8: 0, or BELOW 0, ABOVE 1, NO_NUMBER."""
    value = value[:3]
    found = np.zeros(value.shape[1], np.uint8)
    with np.errstate(invalid="ignore"):
        found[(value < -1e-6).any(axis=0)] = BELOW
        found[(value > 1 + 1e-6).any(axis=0)] = ABOVE
    found[~np.isfinite(value).all(axis=0)] = NO_NUMBER
    return found


def marked(picture: np.ndarray, codes: np.ndarray) -> np.ndarray:
    """The picture (h, w, 3) uint8 with hatching over what is marked, (h, w): up for above 1, down for below 0."""
    height, width = codes.shape
    x, y = np.meshgrid(np.arange(width), np.arange(height))
    out = picture.copy()
    for code, stripes in ((ABOVE, (x + y) % 8 < 3), (BELOW, (x - y) % 8 < 3)):
        where = (codes == code) & stripes
        out[where] = 255 - 255 * (out[where].mean(axis=1, keepdims=True) > 127)
    out[codes == NO_NUMBER] = LOUD
    return out


def scaled(value: Array, limits: Limits) -> Array:
    """(k, n) values from their least to their greatest as 0 to 1."""
    return (value - limits.low) / max(limits.high - limits.low, 1e-9)
