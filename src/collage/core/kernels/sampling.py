"""Reading filtered values from an image pyramid.

A pyramid is one flat array of texels: the picture, and below it (or beside it, if it is tall) all its smaller
levels in a row, so that where a level lies follows from its number. Row 0 is the top of the picture, where v
is 1. A texel is one whole number, or four packed into one or two 32-bit words, so that one read gets all
channels; no loop has a branch, which lets all of them vectorise.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import INLINE, LOOP

F, U, W = np.float32, np.uint32, np.int32

f4, i4 = types.float32, types.int32
IN = types.Array(f4, 1, "C", readonly=True)
OUT = types.Array(f4, 1, "C")

FAR = np.float32(1e6)
CODES, PAIRS, HALVES = 0, 1, 2  # 8-bit numbers, 16-bit numbers, half floats
HALF_SCALE = np.float32(2.0**112)


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
    """An index known to be positive, so that a vector of them is read at once."""
    return U(U(line + x) & U(0x7FFFFFFF))


@njit(**INLINE)
def _begun(length, level):
    """How far along the longer side of the picture a smaller level begins: all of it but twice the level's size."""
    twice = W(W(length + length) + W(W(W(1) << level) - W(1)))
    return W(length - W(twice >> level))


@njit(**INLINE)
def _start(level, size):
    """Where a level's first texel lies: the smaller ones below a wide picture, or to the right of a tall one."""
    width, height, stride = size[0], size[1], size[3]
    below = W(W(height * stride) + _begun(width, level))
    beside = W(W(_begun(height, level) * stride) + width)
    return W(0) if level == W(0) else (below if width >= height else beside)


@njit(**INLINE)
def _four(u, v, level, size, wraps):
    """Where the four texels around a place lie, and what each weighs.

    size : width and height of the picture, its last level, texels a row. wraps : for u, v, and whether nearest.
    """
    stride = size[3]
    width, height = W(max(W(size[0] >> level), W(1))), W(max(W(size[1] >> level), W(1)))
    start = _start(level, size)
    x = F(u * F(width) - F(0.5))
    y = F((F(1) - v) * F(height) - F(0.5))
    x = np.floor(x + F(0.5)) if wraps[2] != W(0) else x
    y = np.floor(y + F(0.5)) if wraps[2] != W(0) else y
    x0, x1, a0, a1 = _pair(x, width, wraps[0])
    y0, y1, b0, b1 = _pair(y, height, wraps[1])
    top, bottom = W(start + W(y0 * stride)), W(start + W(y1 * stride))
    weights = F(a0 * b0), F(a1 * b0), F(a0 * b1), F(a1 * b1)
    return (_at(top, x0), _at(top, x1), _at(bottom, x0), _at(bottom, x1)), weights


@njit(**INLINE)
def _half(code):
    """The value of a 16-bit float: its bits moved up, its exponent put right by a multiplication."""
    bits = U(U(code & U(0x7FFF)) << U(13))
    size = F(bits.view(np.float32) * HALF_SCALE)
    return F(-size) if (code & U(0x8000)) != U(0) else size


@njit(**INLINE)
def _byte(texels, at, channel):
    return F(W(U(U(texels[at] >> U(8 * channel)) & U(0xFF))))


@njit(**INLINE)
def _short(texels, at, channel):
    word = texels[U(U(U(2) * at + U(channel // 2)) & U(0x7FFFFFFF))]
    return F(W(U(U(word >> U(16 * (channel % 2))) & U(0xFFFF))))


@njit(**INLINE)
def _float(texels, at, channel):
    word = texels[U(U(U(2) * at + U(channel // 2)) & U(0x7FFFFFFF))]
    return _half(U(word >> U(16 * (channel % 2))))


@njit(**INLINE)
def _whole(texels, at, channel):
    return F(W(texels[at]))


@njit(**INLINE)
def _whole_half(texels, at, channel):
    return _half(U(texels[at]))


@njit(**INLINE)
def _channel(read, texels, four, channel):
    """One filtered channel; `read` gets a channel of a texel."""
    (a, b, c, d), (wa, wb, wc, wd) = four
    top = wa * read(texels, a, channel) + wb * read(texels, b, channel)
    return F(top + wc * read(texels, c, channel) + wd * read(texels, d, channel))


@njit(**INLINE)
def _inside(four):
    wa, wb, wc, wd = four[1]
    return F(wa + wb + wc + wd)


@njit(**INLINE)
def _between(a, b, share):
    return F(a + (b - a) * share)


@njit(**INLINE)
def _both(detail, size, u, v, wraps):
    """The four texels in the two levels around `detail`, and how far it lies to the second."""
    level = min(max(detail, F(0)), F(size[2]))
    low = W(level)
    high = W(min(W(low + W(1)), size[2]))
    return _four(u, v, low, size, wraps), _four(u, v, high, size, wraps), F(level - F(low))


@njit(**INLINE)
def _coded(value, inside, coding, default):
    return value * coding[0] + inside * coding[1] + (F(1) - inside) * default


@njit(**INLINE)
def _three_flat(read, texels, size, u, v, wraps, coding, default, outs):
    """Reads three channels of the full size."""
    red, green, blue = outs
    for i in range(u.size):
        four = _four(u[i], v[i], W(0), size, wraps)
        inside = _inside(four)
        red[i] = _coded(_channel(read, texels, four, 0), inside, coding, default[0])
        green[i] = _coded(_channel(read, texels, four, 1), inside, coding, default[1])
        blue[i] = _coded(_channel(read, texels, four, 2), inside, coding, default[2])


@njit(**INLINE)
def _three_deep(read, texels, size, u, v, detail, wraps, coding, default, outs):
    """Reads three channels between two levels."""
    red, green, blue = outs
    for i in range(u.size):
        one, other, share = _both(detail[i], size, u[i], v[i], wraps)
        inside = _between(_inside(one), _inside(other), share)
        r = _between(_channel(read, texels, one, 0), _channel(read, texels, other, 0), share)
        g = _between(_channel(read, texels, one, 1), _channel(read, texels, other, 1), share)
        b = _between(_channel(read, texels, one, 2), _channel(read, texels, other, 2), share)
        red[i] = _coded(r, inside, coding, default[0])
        green[i] = _coded(g, inside, coding, default[1])
        blue[i] = _coded(b, inside, coding, default[2])


@njit(**INLINE)
def _deepest(detail):
    """The highest level that is asked for: at 0 or below, the full size is all that is read."""
    high = F(0)
    for i in range(detail.size):
        high = max(high, detail[i])
    return high


@njit(**INLINE)
def _one_flat(read, texels, channel, size, u, v, wraps, coding, default, out):
    for i in range(u.size):
        four = _four(u[i], v[i], W(0), size, wraps)
        out[i] = _coded(_channel(read, texels, four, channel), _inside(four), coding, default)


@njit(**INLINE)
def _one_deep(read, texels, channel, size, u, v, detail, wraps, coding, default, out):
    for i in range(u.size):
        one, other, share = _both(detail[i], size, u[i], v[i], wraps)
        value = _between(_channel(read, texels, one, channel), _channel(read, texels, other, channel), share)
        out[i] = _coded(value, _between(_inside(one), _inside(other), share), coding, default)


def _signature(texels: types.Type, outputs: int) -> object:
    texels = types.Array(texels, 1, "C", readonly=True)
    return types.void(texels, i4, i4, i4, i4, i4, IN, IN, IN, i4, i4, i4, i4, f4, f4, *[f4] * outputs, *[OUT] * outputs)


@njit(_signature(types.uint32, 3), **LOOP)
def _three(
    texels,
    kind,
    width,
    height,
    last,
    stride,
    u,
    v,
    detail,
    deep,
    wrap_u,
    wrap_v,
    nearest,
    scale,
    offset,
    d0,
    d1,
    d2,
    r,
    g,
    b,
):
    size, wraps, coding = (width, height, last, stride), (wrap_u, wrap_v, nearest), (scale, offset)
    if kind == CODES:
        if (deep == 0) | (_deepest(detail) <= F(0)):
            _three_flat(_byte, texels, size, u, v, wraps, coding, (d0, d1, d2), (r, g, b))
        else:
            _three_deep(_byte, texels, size, u, v, detail, wraps, coding, (d0, d1, d2), (r, g, b))
    elif kind == PAIRS:
        _three_deep(_short, texels, size, u, v, detail, wraps, coding, (d0, d1, d2), (r, g, b))
    else:
        _three_deep(_float, texels, size, u, v, detail, wraps, coding, (d0, d1, d2), (r, g, b))


@njit(_signature(types.uint32, 1), **LOOP)
def _fourth(
    texels, kind, width, height, last, stride, u, v, detail, deep, wrap_u, wrap_v, nearest, scale, offset, d3, out
):
    size, wraps, coding = (width, height, last, stride), (wrap_u, wrap_v, nearest), (scale, offset)
    if kind == CODES:
        _one_deep(_byte, texels, 3, size, u, v, detail, wraps, coding, d3, out)
    elif kind == PAIRS:
        _one_deep(_short, texels, 3, size, u, v, detail, wraps, coding, d3, out)
    else:
        _one_deep(_float, texels, 3, size, u, v, detail, wraps, coding, d3, out)


@njit([_signature(types.uint8, 1), _signature(types.uint16, 1)], **LOOP)
def _one(
    texels, kind, width, height, last, stride, u, v, detail, deep, wrap_u, wrap_v, nearest, scale, offset, d0, out
):
    size, wraps, coding = (width, height, last, stride), (wrap_u, wrap_v, nearest), (scale, offset)
    if kind == HALVES:
        _one_deep(_whole_half, texels, 0, size, u, v, detail, wraps, coding, d0, out)
    elif deep == 0:
        _one_flat(_whole, texels, 0, size, u, v, wraps, coding, d0, out)
    else:
        _one_deep(_whole, texels, 0, size, u, v, detail, wraps, coding, d0, out)


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
    level, deep = (np.zeros(count, np.float32), 0) if detail is None else (np.ascontiguousarray(detail, np.float32), 1)
    settings = (kind, *size, u, v, level, deep, *wrap, nearest, scale, offset)
    out = np.empty((channels, count), np.float32)
    if texels.dtype != np.uint32:
        _one(texels, *settings, default[0], out[0])
        return out
    spare = out if channels > 2 else np.empty((3, count), np.float32)
    _three(texels, *settings, *default[:3], *spare[:3])
    if channels == 4:
        _fourth(texels, *settings, default[3], out[3])
    return spare[:channels]


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
