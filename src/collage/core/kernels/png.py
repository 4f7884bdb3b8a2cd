"""The inner loops of reading PNG files: rows are kept as differences, which are added up again."""

from __future__ import annotations

from numba import njit, types

from collage.core.kernels.flags import EXACT, EXACT_INLINE

_BYTES = types.Array(types.uint8, 2, "C", readonly=True)
_ROWS = types.Array(types.uint8, 2, "C")
_ROW = types.Array(types.uint8, 1, "C", readonly=True)


@njit(**EXACT_INLINE)
def _closest(left, up, corner):
    """Which of three neighbours is closest to left + up - corner (Paeth)."""
    to_left, to_up = abs(up - corner), abs(left - corner)
    to_corner = abs(left + up - corner - corner)
    best = up if to_up <= to_corner else corner
    return left if (to_left <= to_up) & (to_left <= to_corner) else best


@njit(**EXACT_INLINE)
def _add_left(line, step, out):
    for byte in range(step):
        out[byte] = line[byte]
    for byte in range(step, len(out)):
        out[byte] = line[byte] + out[byte - step]


@njit(**EXACT_INLINE)
def _copy(line, out):
    for byte in range(len(out)):
        out[byte] = line[byte]


@njit(**EXACT_INLINE)
def _add_up(line, above, out):
    for byte in range(len(out)):
        out[byte] = line[byte] + above[byte]


@njit(**EXACT_INLINE)
def _add_mean(line, above, step, out):
    for byte in range(step):
        out[byte] = line[byte] + (above[byte] >> 1)
    for byte in range(step, len(out)):
        out[byte] = line[byte] + ((int(out[byte - step]) + int(above[byte])) >> 1)


@njit(**EXACT_INLINE)
def _add_closest(line, above, step, out):
    for first in range(step):  # a channel at a time: its neighbours stay in registers
        left, corner = 0, 0
        for byte in range(first, len(out), step):
            up = int(above[byte])
            left = (int(line[byte]) + _closest(left, up, corner)) & 255
            corner = up
            out[byte] = left


@njit([types.boolean(_BYTES, _ROW, types.int64, _ROWS)], **EXACT)
def unfilter(filtered, above, step, out):
    """Pixels of filtered rows: (n, bytes) uint8 of (n, 1 + bytes). False where a filter is none of the five.

    above : the bytes of the row before the first, zero for the first of all. step : bytes of a pixel.
    See section 9 of the PNG specification, https://www.w3.org/TR/png-3/#9Filters.
    """
    for row in range(out.shape[0]):
        line, done = filtered[row, 1:], out[row]
        before = above if row == 0 else out[row - 1]
        kind = filtered[row, 0]
        if kind == 0:
            _copy(line, done)
        elif kind == 1:
            _add_left(line, step, done)
        elif kind == 2:
            _add_up(line, before, done)
        elif kind == 3:
            _add_mean(line, before, step, done)
        elif kind == 4:
            _add_closest(line, before, step, done)
        else:
            return False
    return True
