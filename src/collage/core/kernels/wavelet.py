"""Smoothing that stops at edges (H. Dammertz et al., Edge-avoiding à-trous wavelet transform for fast global
illumination filtering, HPG 2010)."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import LOOP_WITH_ROOM, PART

F = np.float32
f4, i4 = types.float32, types.int32
PIXELS = types.Array(f4, 3, "C", readonly=True)
NUMBERS = types.Array(i4, 2, "C", readonly=True)
OUT = types.Array(f4, 3, "C")
ROOM = types.Array(f4, 2, "C")

CHANNELS = 6  # of what is smoothed
TONE = 3  # of a guide, after the three of a normal
SPLINE = (F(1 / 16), F(1 / 4), F(3 / 8), F(1 / 4), F(1 / 16))
"""The cubic B-spline's weights of five pixels in a row."""
STRICT = F(3)  # tones a third of a stop apart count half


@njit(**PART)
def _weigh(x, y, z, tone, region, own_x, own_y, own_z, own_tone, own_region, share, out):
    """How much neighbours count for the pixels of a row, one each."""
    for i in range(out.size):
        alike = max(own_x[i] * x[i] + own_y[i] * y[i] + own_z[i] * z[i], F(0))
        alike *= alike
        alike *= alike
        any_way = own_x[i] * own_x[i] + own_y[i] * own_y[i] + own_z[i] * own_z[i] < F(0.5)
        alike = F(1) if any_way else F(alike * alike)
        apart = (tone[i] - own_tone[i]) * STRICT
        weight = F(share * alike / (F(1) + apart * apart))
        out[i] = weight if region[i] == own_region[i] else F(0)


@njit(**PART)
def _add(values, weights, out):
    for i in range(out.size):
        out[i] += weights[i] * values[i]


@njit(**PART)
def _count(weights, out):
    for i in range(out.size):
        out[i] += weights[i]


@njit(**PART)
def _divide(sums, weights, out):
    for i in range(out.size):
        out[i] = sums[i] / weights[i] if weights[i] > F(0) else out[i]


@njit(types.void(PIXELS, PIXELS, NUMBERS, PIXELS, NUMBERS, i4, i4, i4, i4, i4, i4, ROOM, OUT), **LOOP_WITH_ROOM)
def smooth(values, guide, region, own_guide, own_region, shrunk, reach, down, across, first, last, room, out):
    """The rows from `first` up to `last` of the mean of the values around, so many pixels apart, that are of a pixel's
    region and face its way; those of another tone count less. What has none of its region stays.

    values, out : (CHANNELS, h, w). guide : (4, h, w), a normal of length 1, or 0 for none, and a tone in stops.
    region : (h, w). own_guide, own_region : the same for the pixels of `out`, which has `shrunk` times as many rows.
    reach : how many to each side, 1 or 2. down, across : their rows and columns apart. room : (CHANNELS + 2, w).
    """
    high, wide = region.shape
    for y in range(first, last):
        room[: CHANNELS + 1] = F(0)
        for j in range(-reach, reach + 1):
            v = y // shrunk + j * down
            if v < 0 or v >= high:
                continue
            for i in range(-reach, reach + 1):
                away = i * across
                low, stop = max(0, -away), min(wide, wide - away)
                if low >= stop:
                    continue
                here, there = slice(low, stop), slice(low + away, stop + away)
                weights = room[CHANNELS + 1, here]
                _weigh(
                    guide[0, v, there], guide[1, v, there], guide[2, v, there], guide[TONE, v, there], region[v, there],
                    own_guide[0, y, here], own_guide[1, y, here], own_guide[2, y, here], own_guide[TONE, y, here],
                    own_region[y, here], SPLINE[j + 2] * SPLINE[i + 2], weights,
                )  # fmt: skip
                _count(weights, room[CHANNELS, here])
                for channel in range(CHANNELS):
                    _add(values[channel, v, there], weights, room[channel, here])
        for channel in range(CHANNELS):
            _divide(room[channel], room[CHANNELS], out[channel, y])
