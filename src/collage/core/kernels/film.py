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
ROWS2 = types.Array(f4, 2, "A", readonly=True)  # some columns of a wider array
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
BYTES = types.Array(types.uint8, 2, "C")
CODES = types.Array(types.uint8, 1, "C", readonly=True)


@njit(types.void(ROWS2, WHOLE1, IN1, OUT2), **LOOP)
def gather(values, pixel, weight, picture):
    """Adds weighted samples (c, n) to the pixels (p, c) they belong to."""
    for i in range(pixel.size):
        at, share = pixel[i], weight[i]
        for channel in range(values.shape[0]):
            picture[at, channel] += values[channel, i] * share


@njit(**INLINE)
def _code(light, least, first):
    """The sRGB code (0 to 255) that is nearest to linear light; see display."""
    if not light > F(0):  # nor is it a number
        return np.uint8(0)
    light = min(light, F(1))
    code = np.uint32(first[np.uint32(light * F(first.size - 1))])
    while light >= least[code + np.uint32(1)]:
        code += np.uint32(1)
    return np.uint8(code)


@njit(**INLINE)
def _toned(picture, i, exposure, neutral):
    """Light of a pixel, exposed and toned, see `display`."""
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
    return r, g, b


@njit(types.void(IN2, f4, i4, OUT2), **LOOP)
def toned(picture, exposure, neutral, out):
    """What a screen shows of linear light (p, 3), as light (p, 3) float32; see `display`."""
    for i in range(picture.shape[0]):
        out[i, 0], out[i, 1], out[i, 2] = _toned(picture, i, exposure, neutral)


@njit(types.void(IN2, f4, i4, IN1, CODES, BYTES), **LOOP)
def display(picture, exposure, neutral, least, first, out):
    """What a screen shows of linear light (p, 3): exposed, toned, sRGB-encoded to bytes.

    neutral : 1 for the Khronos PBR Neutral tone mapper (specification of 2024), 0 for plain clipping.
    least : (257,), the least light that shows as each code, and one that nothing reaches. first : (steps + 1,), the
    code of every step from no light to full light.
    """
    for i in range(picture.shape[0]):
        r, g, b = _toned(picture, i, exposure, neutral)
        out[i, 0] = _code(r, least, first)
        out[i, 1] = _code(g, least, first)
        out[i, 2] = _code(b, least, first)
