"""Reading filtered values from an image pyramid.

A pyramid is one flat array of texels with the place and size of every level, and a table that turns the
stored whole numbers into linear values. Row 0 is the top of the picture, where v is 1.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

INLINE = {"forceinline": True, "error_model": "numpy", "fastmath": {"contract", "nsz"}}
F = np.float32

f4, i4 = types.float32, types.int32
IN = types.Array(f4, 1, "C", readonly=True)
OUT2 = types.Array(f4, 2, "C")
WHOLE = types.Array(i4, 1, "C", readonly=True)
OFFSETS = types.Array(types.int64, 1, "C", readonly=True)


def _signature(stored: types.Type) -> object:
    texels = types.Array(stored, 2, "C", readonly=True)
    return types.void(texels, IN, OFFSETS, WHOLE, WHOLE, IN, IN, IN, i4, i4, i4, IN, OUT2)


@njit(**INLINE)
def _wrap(x, size, mode):
    """Index inside 0..size-1 for texel `x`, or -1 where nothing lies: constant, clamp, periodic, mirror."""
    if mode == 0:
        return x if (x >= 0) & (x < size) else -1
    if mode == 1:
        return min(max(x, 0), size - 1)
    if mode == 2:
        return x % size
    x = x % (2 * size)
    return x if x < size else 2 * size - 1 - x


@njit(**INLINE)
def _texel(texels, table, start, width, x, y, channel, default):
    if (x < 0) | (y < 0):
        return default
    return table[texels[start + np.int64(y) * width + x, channel]]


@njit(
    [_signature(types.uint8), _signature(types.uint16)],
    nogil=True,
    cache=True,
    error_model="numpy",
)
def _sample(texels, table, starts, widths, heights, u, v, detail, wrap_u, wrap_v, nearest, default, out):
    last = starts.size - 1
    for i in range(u.size):
        # not-a-number and infinite places read the texel at 0
        pu = u[i] if abs(u[i]) < F(1e6) else F(0)
        pv = v[i] if abs(v[i]) < F(1e6) else F(0)
        level = min(max(detail[i], F(0)), F(last))
        low = int(level)
        share = level - F(low)
        for channel in range(out.shape[0]):
            out[channel, i] = F(0)
        for step in range(2):
            weight = share if step == 1 else F(1) - share
            if weight <= F(0):
                continue
            at = min(low + step, last)
            width, height, start = widths[at], heights[at], starts[at]
            x = pu * F(width) - F(0.5)
            y = (F(1) - pv) * F(height) - F(0.5)
            if nearest != 0:
                x, y = F(math.floor(x + F(0.5))), F(math.floor(y + F(0.5)))
            fx, fy = math.floor(x), math.floor(y)
            tx, ty = F(x - fx), F(y - fy)
            x0, x1 = _wrap(int(fx), width, wrap_u), _wrap(int(fx) + 1, width, wrap_u)
            y0, y1 = _wrap(int(fy), height, wrap_v), _wrap(int(fy) + 1, height, wrap_v)
            for channel in range(out.shape[0]):
                d = default[channel]
                a = _texel(texels, table, start, width, x0, y0, channel, d)
                b = _texel(texels, table, start, width, x1, y0, channel, d)
                c = _texel(texels, table, start, width, x0, y1, channel, d)
                e = _texel(texels, table, start, width, x1, y1, channel, d)
                top = a + (b - a) * tx
                bottom = c + (e - c) * tx
                out[channel, i] += weight * (top + (bottom - top) * ty)


def sample(
    texels: np.ndarray,
    table: np.ndarray,
    levels: tuple[np.ndarray, np.ndarray, np.ndarray],
    place: np.ndarray,
    detail: np.ndarray,
    wrap: tuple[int, int],
    nearest: bool,
    default: np.ndarray,
) -> np.ndarray:
    """Values of a pyramid at many places.

    texels : (t, c) uint8 or uint16, all levels one after the other; table : float32, value of each number.
    levels : start (int64), width and height (int32) of each level.
    place : (2, n) float32, u and v; detail : (n,) float32, the level to read, with parts between two.
    wrap : 0 constant, 1 clamp, 2 periodic, 3 mirror, for u and v; default : (c,) what lies outside.
    Returns (c, n) float32.
    """
    out = np.empty((texels.shape[1], place.shape[1]), np.float32)
    u, v = (np.ascontiguousarray(part, np.float32) for part in place)
    _sample(texels, table, *levels, u, v, detail, *wrap, int(nearest), default, out)
    return out
