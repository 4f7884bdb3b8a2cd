"""Reading filtered values from an image pyramid.

A pyramid is one flat array of texels: the picture, and below it (or beside it, if it is tall) all its smaller
levels in a row, so that where a level lies follows from its number. Row 0 is the top of the picture, where v
is 1. A texel is one whole number, or four packed into one or two 32-bit words.

Points are worked through in short runs that stay in the nearest cache, in three loops: where the four texels
around each point lie and what they weigh; fetching them; weighing them. The first and last vectorise, and the
second, a plain look-up, is quicker alone than inside the others.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import INLINE, LOOP

F, U, W = np.float32, np.uint32, np.int32

f4, i4, u4 = types.float32, types.int32, types.uint32
IN = types.Array(f4, 1, "C", readonly=True)
OUT = types.Array(f4, 1, "C")
ROWS = types.Array(f4, 2, "C")

RUN = 512
FAR = np.float32(1e6)
CODES, PAIRS, HALVES = 0, 1, 2  # 8-bit numbers, 16-bit numbers, half floats
HALF_SCALE = np.float32(2.0**112)
PART = {**LOOP, "cache": False}  # loops that are compiled into the kernel that calls them


@njit(types.void(IN, i4, OUT), **LOOP)
def _fold(place, mode, out):
    """Brings coordinates into the tile: mode 0 constant, 1 clamp, 2 periodic, 3 mirror."""
    low, high = (F(-1), F(2)) if mode == 0 else (F(0), F(1))
    for i in range(out.size):
        # not-a-number and infinite places read the texel at 0
        p = place[i] if abs(place[i]) < FAR else F(0)
        turned = p - np.floor(p)
        back = abs(p - F(2) * np.floor(p * F(0.5) + F(0.5)))
        p = turned if mode == 2 else min(max(p, low), high)
        out[i] = back if mode == 3 else p


@njit(**INLINE)
def _pair(x, size, mode):
    """The two texels around `x` and their weights; outside a constant border they weigh nothing."""
    below = np.floor(x)
    share = F(x - below)
    last = W(size - W(1))
    before = last if mode == W(2) else W(0)
    after = W(0) if mode == W(2) else last
    lost = F(0) if mode == W(0) else F(1)
    first = W(below)
    second = W(first + W(1))
    w0, w1 = F(F(1) - share), share
    w0 *= F(1) if (first >= W(0)) & (first <= last) else lost
    w1 *= F(1) if (second >= W(0)) & (second <= last) else lost
    a = before if first < W(0) else min(first, last)
    b = after if second > last else max(second, W(0))
    return W(a), W(b), F(w0), F(w1)


@njit(**INLINE)
def _at(line, x):
    """An index known to be positive."""
    return U(U(line + x) & U(0x7FFFFFFF))


@njit(**INLINE)
def _begun(length, level):
    """How far along the longer side of the picture a smaller level begins: all of it but twice the level's size."""
    twice = W(W(length + length) + W(W(W(1) << level) - W(1)))
    return W(length - W(twice >> level))


@njit(**PART)
def _levels(detail, start, size, last, high, level, part):
    """The lower or the higher of the two levels around each point's detail, and what it counts."""
    top = F(0)
    for i in range(size):
        held = min(max(detail[start + i], F(0)), F(last))
        low = W(held)
        share = F(held - F(low))
        level[i] = W(min(W(low + W(1)), last)) if high else low
        part[i] = share if high else F(F(1) - share)
        top = max(top, part[i])
    return top


@njit(**PART)
def _corners(
    u, v, start, size, level, part, width, height, stride, wrap_u, wrap_v, nearest,
    a, b, c, d, wa, wb, wc, wd, inside,
):  # fmt: skip
    """Where the four texels around each place lie, and what each weighs."""
    for i in range(size):
        l = level[i]
        w, h = W(max(W(width >> l), W(1))), W(max(W(height >> l), W(1)))
        below = W(W(height * stride) + _begun(width, l))
        beside = W(W(_begun(height, l) * stride) + width)
        begin = W(0) if l == W(0) else (below if width >= height else beside)
        x = F(u[start + i] * F(w) - F(0.5))
        y = F((F(1) - v[start + i]) * F(h) - F(0.5))
        x = np.floor(x + F(0.5)) if nearest != W(0) else x
        y = np.floor(y + F(0.5)) if nearest != W(0) else y
        x0, x1, a0, a1 = _pair(x, w, wrap_u)
        y0, y1, b0, b1 = _pair(y, h, wrap_v)
        b0, b1 = F(b0 * part[i]), F(b1 * part[i])
        top, bottom = W(begin + W(y0 * stride)), W(begin + W(y1 * stride))
        a[i], b[i], c[i], d[i] = _at(top, x0), _at(top, x1), _at(bottom, x0), _at(bottom, x1)
        wa[i], wb[i], wc[i], wd[i] = F(a0 * b0), F(a1 * b0), F(a0 * b1), F(a1 * b1)
        inside[i] += F(F(a0 + a1) * F(b0 + b1))


@njit(nogil=True, error_model="numpy")
def _fetch(texels, words, word, at, to, size):
    for i in range(size):
        to[i] = U(texels[U(at[i] * words + word)])


@njit(**INLINE)
def _half(code):
    """The value of a 16-bit float: its bits moved up, its exponent put right by a multiplication."""
    bits = U(U(code & U(0x7FFF)) << U(13))
    size = F(bits.view(np.float32) * HALF_SCALE)
    return F(-size) if (code & U(0x8000)) != U(0) else size


@njit(**PART)
def _weigh(a, b, c, d, wa, wb, wc, wd, shift, mask, halves, out, row, start, size):
    """Adds one channel of the four texels by their weights."""
    if halves:
        for i in range(size):
            value = wa[i] * _half(U(U(a[i] >> shift) & mask)) + wb[i] * _half(U(U(b[i] >> shift) & mask))
            value += wc[i] * _half(U(U(c[i] >> shift) & mask)) + wd[i] * _half(U(U(d[i] >> shift) & mask))
            out[row, start + i] += value
    else:
        for i in range(size):
            value = wa[i] * F(W(U(U(a[i] >> shift) & mask))) + wb[i] * F(W(U(U(b[i] >> shift) & mask)))
            value += wc[i] * F(W(U(U(c[i] >> shift) & mask))) + wd[i] * F(W(U(U(d[i] >> shift) & mask)))
            out[row, start + i] += value


@njit(**PART)
def _finish(out, row, start, size, inside, scale, offset, default):
    for i in range(size):
        value = out[row, start + i] * scale + inside[i] * offset
        out[row, start + i] = value + (F(1) - inside[i]) * default


def _signature(stored: types.Type) -> object:
    texels = types.Array(stored, 1, "C", readonly=True)
    return types.void(texels, i4, i4, i4, i4, i4, i4, IN, IN, IN, i4, i4, i4, i4, f4, f4, IN, ROWS)


@njit([_signature(types.uint8), _signature(types.uint16), _signature(types.uint32)], **LOOP)
def _sample(
    texels, kind, words, width, height, last, stride, u, v, detail, deep, wrap_u, wrap_v, nearest,
    scale, offset, default, out,
):  # fmt: skip
    a, b, c, d = np.empty(RUN, np.uint32), np.empty(RUN, np.uint32), np.empty(RUN, np.uint32), np.empty(RUN, np.uint32)
    ta, tb, tc, td = (
        np.empty(RUN, np.uint32), np.empty(RUN, np.uint32), np.empty(RUN, np.uint32), np.empty(RUN, np.uint32),
    )  # fmt: skip
    wa, wb, wc, wd = (
        np.empty(RUN, np.float32), np.empty(RUN, np.float32), np.empty(RUN, np.float32), np.empty(RUN, np.float32),
    )  # fmt: skip
    inside, part, level = np.empty(RUN, np.float32), np.ones(RUN, np.float32), np.zeros(RUN, np.int32)
    channels, halves = out.shape[0], kind == HALVES
    each = 4 if kind == CODES else 2  # channels in a word
    bits, mask = (U(8), U(0xFF)) if kind == CODES else (U(16), U(0xFFFF))
    count = np.uint64(u.size)
    for start in range(np.uint64(0), count, np.uint64(RUN)):
        size = min(np.uint64(RUN), count - start)
        inside[:] = F(0)
        for channel in range(channels):
            for i in range(size):
                out[np.uint64(channel), start + i] = F(0)
        for step in range(2):
            if deep != 0:
                top = _levels(detail, start, size, last, step == 1, level, part)
                if top <= F(0):
                    continue
            elif step == 1:
                continue
            _corners(
                u, v, start, size, level, part, width, height, stride, wrap_u, wrap_v, nearest,
                a, b, c, d, wa, wb, wc, wd, inside,
            )  # fmt: skip
            for word in range((channels + each - 1) // each):
                _fetch(texels, U(words), U(word), a, ta, size)
                _fetch(texels, U(words), U(word), b, tb, size)
                _fetch(texels, U(words), U(word), c, tc, size)
                _fetch(texels, U(words), U(word), d, td, size)
                for channel in range(word * each, min(channels, (word + 1) * each)):
                    shift = U(bits * U(channel - word * each))
                    _weigh(ta, tb, tc, td, wa, wb, wc, wd, shift, mask, halves, out, np.uint64(channel), start, size)
        for channel in range(channels):
            _finish(out, np.uint64(channel), start, size, inside, scale, offset, default[channel])


@njit(types.void(IN, IN, IN, IN, IN, IN, f4, f4, OUT), **LOOP)
def _footprint(u, v, across_u, across_v, along_u, along_v, width, height, out):
    for i in range(out.size):
        ax, ay = (across_u[i] - u[i]) * width, (across_v[i] - v[i]) * height
        bx, by = (along_u[i] - u[i]) * width, (along_v[i] - v[i]) * height
        a, b = ax * ax + ay * ay, bx * bx + by * by
        long, short = max(a, b), min(a, b)
        # squares of the widths: a long thin footprint reads sharper than its length, up to a fourth of it
        square = F(max(max(F(math.sqrt(long * short)), long * F(0.0625)), F(1e-12)))
        bits = square.view(np.int32)
        part = W(W(bits & W(0x007FFFFF)) | W(0x3F800000)).view(np.float32)
        # log2 of 1..2 by a cubic, within 1e-3: levels need no more
        log = F(-2.153620718) + part * (F(3.047884161) + part * (F(-1.051875031) + part * F(0.158248693)))
        out[i] = F(0.5) * (F(W(W(bits >> W(23)) - W(127))) + log)


@njit(types.void(OUT, IN), **LOOP)
def _decode(line, table):
    top = W(table.size - 2)
    size = F(table.size - 1)
    for i in range(line.size):
        x = min(max(line[i], F(0)), F(1)) * size
        at = min(W(x), top)
        below = table[_at(at, W(0))]
        line[i] = below + (table[_at(at, W(1))] - below) * (x - F(at))


def sample(
    texels: np.ndarray,
    channels: int,
    coding: tuple[int, float, float],
    size: tuple[int, int, int, int],
    place: np.ndarray,
    detail: np.ndarray | None,
    wrap: tuple[int, int],
    nearest: bool,
    default: np.ndarray,
) -> np.ndarray:
    """Values of a pyramid at many places.

    texels : one channel: (t,) uint8 or uint16; else words (t,) or (2 t,) uint32; all levels one after the other.
    coding : CODES, PAIRS or HALVES, and the scale and offset that turn stored numbers into values.
    size : width and height of the picture, the number of its last level, texels in a row of all.
    place : (2, n) float32, u and v; detail : (n,) float32, the level to read, with parts between two; None
        reads the full size.
    wrap : 0 constant, 1 clamp, 2 periodic, 3 mirror, for u and v; default : (4,) what lies outside.
    Returns (channels, n) float32.
    """
    kind, scale, offset = coding
    count = place.shape[1]
    u, v = np.empty((2, count), np.float32)
    _fold(np.ascontiguousarray(place[0], np.float32), wrap[0], u)
    _fold(np.ascontiguousarray(place[1], np.float32), wrap[1], v)
    level, deep = (u, 0) if detail is None else (np.ascontiguousarray(detail, np.float32), 1)
    words = {CODES: 1, PAIRS: 2, HALVES: 2}[kind] if texels.dtype == np.uint32 else 1
    out = np.empty((channels, count), np.float32)
    settings = (kind, words, *size, u, v, level, deep, *wrap, nearest, scale, offset, default, out)
    _sample(texels, *settings)
    return out


def footprint(place: np.ndarray, du: np.ndarray, dv: np.ndarray, width: int, height: int) -> np.ndarray:
    """The level of a pyramid that a pixel's footprint asks for, (n,).

    place, du, dv : (2, n) float32, the place and that one pixel further in each direction.
    """
    out = np.empty(place.shape[1], np.float32)
    parts = [np.ascontiguousarray(part) for line in (place, du, dv) for part in line]
    _footprint(*parts, width, height, out)
    return out


def decode(values: np.ndarray, rows: int, table: np.ndarray) -> None:
    """Puts the first rows of (k, n) values through a curve given at even steps from 0 to 1, in place."""
    for row in values[:rows]:
        _decode(row, table)
