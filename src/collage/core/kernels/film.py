"""From samples to pixels, and from light to what a screen shows."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import INLINE, LOOP

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
OUT2 = types.Array(f4, 2, "C")
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
BYTES = types.Array(types.uint8, 2, "C")


@njit(types.void(IN2, WHOLE1, IN1, OUT2), **LOOP)
def gather(values, pixel, weight, picture):
    """Adds weighted samples (c, n) to the pixels (p, c) they belong to."""
    for i in range(pixel.size):
        at, share = pixel[i], weight[i]
        for channel in range(values.shape[0]):
            picture[at, channel] += values[channel, i] * share


@njit(**INLINE)
def _srgb(x):
    x = min(max(x, F(0)), F(1))
    if x <= F(0.0031308):
        return x * F(12.92)
    return F(1.055) * x ** F(1 / 2.4) - F(0.055)


@njit(types.void(IN2, f4, i4, BYTES), **LOOP)
def display(picture, exposure, neutral, out):
    """What a screen shows of linear light (p, 3): exposed, toned, sRGB-encoded to bytes.

    neutral : 1 for the Khronos PBR Neutral tone mapper (specification of 2024), 0 for plain clipping.
    """
    for i in range(picture.shape[0]):
        r, g, b = picture[i, 0] * exposure, picture[i, 1] * exposure, picture[i, 2] * exposure
        if neutral == 1:
            low = max(min(r, min(g, b)), F(0))
            offset = low - F(6.25) * low * low if low < F(0.08) else F(0.04)
            r, g, b = r - offset, g - offset, b - offset
            peak = max(r, max(g, b))
            start = F(0.8 - 0.04)
            if peak >= start:
                d = F(1) - start
                new = F(1) - d * d / (peak + d - start)
                scale = new / peak
                r, g, b = r * scale, g * scale, b * scale
                grey = F(1) - F(1) / (F(0.15) * (peak - new) + F(1))
                r, g, b = r + (new - r) * grey, g + (new - g) * grey, b + (new - b) * grey
        out[i, 0] = np.uint8(_srgb(r) * F(255) + F(0.5))
        out[i, 1] = np.uint8(_srgb(g) * F(255) + F(0.5))
        out[i, 2] = np.uint8(_srgb(b) * F(255) + F(0.5))
