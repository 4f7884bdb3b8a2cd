"""Smoothing that stops at edges (H. Dammertz et al., Edge-avoiding à-trous wavelet transform for fast global
illumination filtering, HPG 2010)."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import LOOP

F = np.float32
f4, i4 = types.float32, types.int32
PIXELS = types.Array(f4, 3, "C", readonly=True)
NUMBERS = types.Array(i4, 2, "C", readonly=True)
OUT = types.Array(f4, 3, "C")

CHANNELS = 6  # of what is smoothed
TONE = 3  # of a guide, after the three of a normal
SPLINE = (F(1 / 16), F(1 / 4), F(3 / 8), F(1 / 4), F(1 / 16))
"""The cubic B-spline's weights of five pixels in a row."""
STRICT = F(3)  # tones a third of a stop apart count half


@njit(types.void(PIXELS, PIXELS, NUMBERS, PIXELS, NUMBERS, i4, i4, i4, i4, i4, OUT), **LOOP)
def smooth(values, guide, region, own_guide, own_region, shrunk, reach, step, first, last, out):
    """The rows from `first` up to `last` of the mean of the values around, so many pixels apart, that are of a pixel's
    region and face its way; those of another tone count less. What has none of its region stays.

    values, out : (h, w, CHANNELS). guide : (h, w, 4), a normal of length 1, or 0 for none, and a tone in stops.
    region : (h, w). own_guide, own_region : the same for the pixels of `out`, which is `shrunk` times as large.
    reach : how many to each side, 1 or 2.
    """
    high, wide = region.shape
    for y in range(first, last):
        for x in range(own_region.shape[1]):
            nx, ny, nz, own_tone = own_guide[y, x, 0], own_guide[y, x, 1], own_guide[y, x, 2], own_guide[y, x, TONE]
            any_way, of = nx * nx + ny * ny + nz * nz < F(0.5), own_region[y, x]
            total = a = b = c = d = e = f = F(0)
            for j in range(-reach, reach + 1):
                v = y // shrunk + j * step
                if v < 0 or v >= high:
                    continue
                for i in range(-reach, reach + 1):
                    u = x // shrunk + i * step
                    if u < 0 or u >= wide or region[v, u] != of:
                        continue
                    alike = nx * guide[v, u, 0] + ny * guide[v, u, 1] + nz * guide[v, u, 2]
                    alike = F(1) if any_way else max(alike, F(0))
                    alike *= alike
                    alike *= alike
                    apart = (guide[v, u, TONE] - own_tone) * STRICT
                    weight = SPLINE[j + 2] * SPLINE[i + 2] * alike * alike / (F(1) + apart * apart)
                    total += weight
                    a += weight * values[v, u, 0]
                    b += weight * values[v, u, 1]
                    c += weight * values[v, u, 2]
                    d += weight * values[v, u, 3]
                    e += weight * values[v, u, 4]
                    f += weight * values[v, u, 5]
            if total > F(0):
                by = F(1) / total
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = a * by, b * by, c * by
                out[y, x, 3], out[y, x, 4], out[y, x, 5] = d * by, e * by, f * by
