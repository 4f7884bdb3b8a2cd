"""Reading filtered values from an image pyramid.

A pyramid is one flat array of texels: the picture, and below it (or beside it, if it is tall) all its smaller
levels in a row, so that where a level lies follows from its number. Row 0 is the top of the picture, where v
is 1. Each row ends with its first texel once more, so that any texel and the next lie side by side.

A texel of one channel is one whole number; all loops over such are free of branches and vectorise. Texels of
more channels are four numbers, of which the last may mean nothing. They are read in three passes: where to
read, for many points at a time; the reading, two texels of four channels at a time; and the spreading to
separate channels.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

from collage.core.kernels.flags import INLINE, LOOP, PART

F, U, W = np.float32, np.uint32, np.int32

f4, i4 = types.float32, types.int32
IN = types.Array(f4, 1, "C", readonly=True)
OUT = types.Array(f4, 1, "C")

FAR = np.float32(1e6)
CODES, PAIRS, HALVES = 0, 1, 2  # 8-bit numbers, 16-bit numbers, half floats
SOME = 512  # points whose places and weights stay in the processor's nearest cache
LINE = SOME + 16
HALF_SCALE = np.float32(2.0**112)


@njit(**INLINE)
def _folded(place, mode):
    """A coordinate brought into the tile: mode 0 constant, 1 clamp, 2 periodic, 3 mirror."""
    low, high = (F(-1), F(2)) if mode == W(0) else (F(0), F(1))
    # not-a-number and infinite places read the texel at 0
    p = place if abs(place) < FAR else F(0)
    turned = F(p - np.floor(p))
    back = F(abs(p - F(2) * np.floor(p * F(0.5) + F(0.5))))
    p = turned if mode == W(2) else min(max(p, low), high)
    return back if mode == W(3) else p


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
    """How far along the longer side of the picture a smaller level begins.

    It is all of the length but twice the level's size, and one for each level before it.
    """
    twice = W(W(length + length) + W(W(W(1) << level) - W(1)))
    return W(W(length - W(twice >> level)) + W(level - W(1)))


@njit(**INLINE)
def _start(level, size):
    """Where a level's first texel lies: the smaller ones below a wide picture, or to the right of a tall one."""
    width, height, stride = size[0], size[1], size[3]
    below = W(W(height * stride) + _begun(width, level))
    beside = W(W(W(_begun(height, level) * stride) + width) + W(1))
    return W(0) if level == W(0) else (below if width >= height else beside)


@njit(**INLINE)
def _around(u, v, level, size, wraps):
    """The texels around a place: two in a row and two rows, each with its weights.

    size : width and height of the picture, its last level, texels a row. wraps : for u, v, and whether nearest.
    Returns the first columns, first texels of the rows, weights of the columns, and of the rows.
    """
    stride = size[3]
    width, height = W(max(W(size[0] >> level), W(1))), W(max(W(size[1] >> level), W(1)))
    start = _start(level, size)
    x = F(_folded(u, wraps[0]) * F(width) - F(0.5))
    y = F((F(1) - _folded(v, wraps[1])) * F(height) - F(0.5))
    x = np.floor(x + F(0.5)) if wraps[2] != W(0) else x
    y = np.floor(y + F(0.5)) if wraps[2] != W(0) else y
    x0, x1, a0, a1 = _pair(x, width, wraps[0])
    y0, y1, b0, b1 = _pair(y, height, wraps[1])
    return (x0, x1), (W(start + W(y0 * stride)), W(start + W(y1 * stride))), (a0, a1), (b0, b1)


@njit(**INLINE)
def _side_by_side(u, v, level, size, wraps):
    """As `_around`, with the first texel of two neighbours in each row, for reading both at once.

    Left of a clamped picture both are its first column, which then has both weights.
    """
    columns, rows, (a0, a1), (b0, b1) = _around(u, v, level, size, wraps)
    same = columns[0] == columns[1]
    first, second = F(a0 + (a1 if same else F(0))), F(F(0) if same else a1)
    return (_at(rows[0], columns[0]), _at(rows[1], columns[0])), (first, second), (b0, b1)


@njit(**INLINE)
def _levels(detail, last):
    """The two levels around `detail`, and how far it lies to the second."""
    level = min(max(detail, F(0)), F(last))
    low = W(level)
    return low, W(min(W(low + W(1)), last)), F(level - F(low))


@njit(**INLINE)
def _between(a, b, share):
    return F(a + (b - a) * share)


@njit(**INLINE)
def _coded(value, inside, coding, default):
    return value * coding[0] + inside * coding[1] + (F(1) - inside) * default


@njit(**INLINE)
def _all_flat(detail):
    """Whether the full size is all that is asked for."""
    deep = W(0)
    for i in range(detail.size):
        deep = W(deep | W(detail[i] > F(0)))
    return deep == W(0)


# one channel


@njit(**INLINE)
def _half(code):
    """The value of a 16-bit float: its bits moved up, its exponent put right by a multiplication."""
    bits = U(U(code & U(0x7FFF)) << U(13))
    size = F(bits.view(np.float32) * HALF_SCALE)
    return F(-size) if (code & U(0x8000)) != U(0) else size


@njit(**INLINE)
def _whole(texels, at):
    return F(W(texels[at]))


@njit(**INLINE)
def _whole_half(texels, at):
    return _half(U(texels[at]))


@njit(**INLINE)
def _filtered(read, texels, u, v, level, size, wraps):
    """The mean of the four texels around a place, and how much of it lies inside."""
    (x0, x1), (top, bottom), (a0, a1), (b0, b1) = _around(u, v, level, size, wraps)
    above = a0 * read(texels, _at(top, x0)) + a1 * read(texels, _at(top, x1))
    below = a0 * read(texels, _at(bottom, x0)) + a1 * read(texels, _at(bottom, x1))
    return F(b0 * above + b1 * below), F(F(a0 + a1) * F(b0 + b1))


@njit(**INLINE)
def _one_flat(read, texels, size, u, v, wraps, coding, default, out):
    for i in range(u.size):
        value, inside = _filtered(read, texels, u[i], v[i], W(0), size, wraps)
        out[i] = _coded(value, inside, coding, default)


@njit(**INLINE)
def _one_deep(read, texels, size, u, v, detail, wraps, coding, default, out):
    for i in range(u.size):
        low, high, share = _levels(detail[i], size[2])
        one, inside = _filtered(read, texels, u[i], v[i], low, size, wraps)
        other, within = _filtered(read, texels, u[i], v[i], high, size, wraps)
        out[i] = _coded(_between(one, other, share), _between(inside, within, share), coding, default)


def _signature(texels: types.Type, *outputs: types.Type) -> object:
    texels = types.Array(texels, 1, "C", readonly=True)
    return types.void(texels, i4, i4, i4, i4, i4, IN, IN, IN, i4, i4, i4, i4, f4, f4, IN, *outputs)


@njit([_signature(types.uint8, OUT), _signature(types.uint16, OUT)], **LOOP)
def _one(
    texels, kind, width, height, last, stride, u, v, detail, deep, wrap_u, wrap_v, nearest, scale, offset, default, out
):
    size, wraps, coding = (width, height, last, stride), (wrap_u, wrap_v, nearest), (scale, offset)
    if kind == HALVES:
        _one_deep(_whole_half, texels, size, u, v, detail, wraps, coding, default[0], out)
    elif deep == 0:
        _one_flat(_whole, texels, size, u, v, wraps, coding, default[0], out)
    else:
        _one_deep(_whole, texels, size, u, v, detail, wraps, coding, default[0], out)


# several channels


@njit(**INLINE)
def _first(x, size, periodic):
    """The first of two texels and the share of the second, where nothing lies outside: few steps, exact all the same.

    Past a clamped border the share is nothing; past a periodic one the second texel is the one kept beyond the last.
    """
    turned = x + F(size) if x < F(0) else x
    held = min(max(x, F(0)), F(W(size - W(1))))
    x = turned if periodic else held
    below = np.floor(x)
    return W(below), F(x - below)


@njit(**INLINE)
def _quickly(u, v, level, size, wraps):
    """As `_side_by_side`, for texels that are blended and modes in which nothing lies outside."""
    stride = size[3]
    width, height = W(max(W(size[0] >> level), W(1))), W(max(W(size[1] >> level), W(1)))
    start = _start(level, size)
    column, a = _first(F(_folded(u, wraps[0]) * F(width) - F(0.5)), width, wraps[0] == W(2))
    row, b = _first(F((F(1) - _folded(v, wraps[1])) * F(height) - F(0.5)), height, wraps[1] == W(2))
    column, row = min(column, W(width - W(1))), min(row, W(height - W(1)))
    following = W(row + W(1))
    end = W(0) if wraps[1] == W(2) else row
    following = following if following < height else end
    top, bottom = W(start + W(row * stride)), W(start + W(following * stride))
    return (_at(top, column), _at(bottom, column)), (F(F(1) - a), a), (F(F(1) - b), b)


@njit(**INLINE)
def _keep(i, level, pairs, columns, rows, places, weights):
    """Puts down what is read in one of two levels for point i."""
    places[2 * level * LINE + i], places[(2 * level + 1) * LINE + i] = pairs
    weights[4 * level * LINE + i], weights[(4 * level + 1) * LINE + i] = columns
    weights[(4 * level + 2) * LINE + i], weights[(4 * level + 3) * LINE + i] = rows


@njit(**INLINE)
def _places_flat(find, u, v, size, wraps, places, weights, inside):
    """For each point the two pairs of texels in the full size, and the weights of columns and rows."""
    for i in range(u.size):
        pairs, columns, rows = find(u[i], v[i], W(0), size, wraps)
        _keep(i, 0, pairs, columns, rows, places, weights)
        inside[i] = F(F(columns[0] + columns[1]) * F(rows[0] + rows[1]))


@njit(**INLINE)
def _places_deep(find, u, v, detail, size, wraps, places, weights, inside):
    """As `_places_flat` for the two levels around a detail, whose shares are part of the rows' weights."""
    for i in range(u.size):
        low, high, share = _levels(detail[i], size[2])
        rest = F(F(1) - share)
        pairs, columns, rows = find(u[i], v[i], low, size, wraps)
        rows = F(rows[0] * rest), F(rows[1] * rest)
        _keep(i, 0, pairs, columns, rows, places, weights)
        within = F(F(columns[0] + columns[1]) * F(rows[0] + rows[1]))
        pairs, columns, rows = find(u[i], v[i], high, size, wraps)
        rows = F(rows[0] * share), F(rows[1] * share)
        _keep(i, 1, pairs, columns, rows, places, weights)
        inside[i] = within + F(columns[0] + columns[1]) * F(rows[0] + rows[1])


@njit(**PART)
def _where(u, v, detail, flat, size, wraps, places, weights, inside):
    easy = (wraps[0] != W(0)) & (wraps[1] != W(0)) & (wraps[2] == W(0))
    if flat:
        if easy:
            _places_flat(_quickly, u, v, size, wraps, places, weights, inside)
        else:
            _places_flat(_side_by_side, u, v, size, wraps, places, weights, inside)
    elif easy:
        _places_deep(_quickly, u, v, detail, size, wraps, places, weights, inside)
    else:
        _places_deep(_side_by_side, u, v, detail, size, wraps, places, weights, inside)


def _pairs(number: ir.Type, levels: int) -> Any:
    """A call that reads point `at`: per level two rows of two texels, each texel four of a kind of number.

    It is written in the compiler's own terms because a loop cannot say that four channels are one vector.
    """
    eight, four = ir.VectorType(ir.FloatType(), 8), ir.VectorType(ir.FloatType(), 4)
    index = ir.VectorType(ir.IntType(32), 8), ir.VectorType(ir.IntType(32), 4)
    sum_, whole = {"flags": ("contract",)}, ir.IntType(64)

    def values(build: ir.IRBuilder, packed: ir.Value) -> ir.Value:
        if isinstance(number, ir.HalfType):
            return build.fpext(packed, eight)
        return build.sitofp(build.zext(packed, index[0]), eight)

    def spread(build: ir.IRBuilder, weight: ir.Value, many: int) -> ir.Value:
        kind, order = (eight, index[0]) if many == 8 else (four, index[1])
        none = ir.Constant(kind, ir.Undefined)
        lone = build.insert_element(none, weight, ir.Constant(ir.IntType(32), 0))
        return build.shuffle_vector(lone, none, ir.Constant(order, [0] * many))

    def generate(context: Any, build: ir.IRBuilder, signature: Any, arguments: Any) -> ir.Value:
        texels, places, weights, found = (
            context.make_array(signature.args[k])(context, build, arguments[k]).data for k in (0, 1, 2, 4)
        )
        at = arguments[3]

        def row(of: ir.Value, number_of_row: int) -> ir.Value:
            return build.load(build.gep(of, [build.add(at, ir.Constant(at.type, number_of_row * LINE))]))

        def pair(number_of_row: int) -> ir.Value:
            place = build.mul(build.zext(row(places, number_of_row), whole), ir.Constant(whole, 4))
            start = build.gep(build.bitcast(texels, number.as_pointer()), [place])
            packed = build.load(build.bitcast(start, ir.VectorType(number, 8).as_pointer()))
            packed.align = number.width // 8 if isinstance(number, ir.IntType) else 2
            return values(build, packed)

        total = ir.Constant(four, [0.0] * 4)
        for level in range(levels):
            left, right, upper, lower = (row(weights, 4 * level + k) for k in range(4))
            above = build.fmul(pair(2 * level), spread(build, upper, 8), **sum_)
            both = build.fadd(above, build.fmul(pair(2 * level + 1), spread(build, lower, 8), **sum_), **sum_)
            for first, weight in ((0, left), (4, right)):
                half = build.shuffle_vector(both, both, ir.Constant(index[1], list(range(first, first + 4))))
                total = build.fadd(total, build.fmul(half, spread(build, weight, 4), **sum_), **sum_)
        place = build.gep(found, [build.mul(at, ir.Constant(at.type, 4))])
        build.store(total, build.bitcast(place, four.as_pointer())).align = 4
        return context.get_dummy_value()

    @intrinsic  # type: ignore[untyped-decorator]
    def read(_: Any, texels: Any, places: Any, weights: Any, at: Any, found: Any) -> tuple[Any, Callable[..., Any]]:
        return types.void(texels, places, weights, at, found), generate

    return read


_bytes_flat, _bytes_deep = _pairs(ir.IntType(8), 1), _pairs(ir.IntType(8), 2)
_shorts_deep, _halves_deep = _pairs(ir.IntType(16), 2), _pairs(ir.HalfType(), 2)


@njit(**PART)
def _fetch(texels, kind, deep, places, weights, count, found):
    """Reads what `_where` found: four numbers a point."""
    if kind == CODES:
        if deep:
            for i in range(count):
                _bytes_deep(texels, places, weights, i, found)
        else:
            for i in range(count):
                _bytes_flat(texels, places, weights, i, found)
    elif kind == PAIRS:
        for i in range(count):
            _shorts_deep(texels, places, weights, i, found)
    else:
        for i in range(count):
            _halves_deep(texels, places, weights, i, found)


@njit(**PART)
def _spread(found, channel, inside, coding, default, out):
    for i in range(out.size):
        out[i] = _coded(found[4 * i + channel], inside[i], coding, default)


@njit(**PART)
def _spread_three(found, inside, coding, default, red, green, blue):
    for i in range(red.size):
        red[i] = _coded(found[4 * i], inside[i], coding, default[0])
        green[i] = _coded(found[4 * i + 1], inside[i], coding, default[1])
        blue[i] = _coded(found[4 * i + 2], inside[i], coding, default[2])


@njit(_signature(types.uint8, i4, types.UniTuple(OUT, 4)), **LOOP)
def _several(
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
    default,
    channels,
    out,
):
    size, wraps, coding = (width, height, last, stride), (wrap_u, wrap_v, nearest), (scale, offset)
    places, weights = np.empty(4 * LINE, np.uint32), np.empty(8 * LINE, np.float32)
    found, inside = np.empty(4 * SOME, np.float32), np.empty(SOME, np.float32)
    flat = (kind == CODES) & ((deep == 0) | _all_flat(detail))
    for start in range(0, u.size, SOME):
        stop = min(start + SOME, u.size)
        cut = u[start:stop], v[start:stop], detail[start:stop]
        _where(*cut, flat, size, wraps, places, weights, inside)
        _fetch(texels, kind, not flat, places, weights, stop - start, found)
        red, green = out[0][start:stop], out[1][start:stop]
        if channels == 2:
            _spread(found, 0, inside, coding, default[0], red)
            _spread(found, 1, inside, coding, default[1], green)
        else:
            three = default[0], default[1], default[2]
            _spread_three(found, inside, coding, three, red, green, out[2][start:stop])
        if channels == 4:
            _spread(found, 3, inside, coding, default[3], out[3][start:stop])


@njit(**INLINE)
def _level(a, b):
    """The level for a footprint whose two sides have these lengths, squared, in texels."""
    long, short = max(a, b), min(a, b)
    # squares of the widths: a long thin footprint reads sharper than its length, up to a fourth of it
    square = F(max(max(F(math.sqrt(long * short)), long * F(0.0625)), F(1e-12)))
    bits = square.view(np.int32)
    part = W(W(bits & W(0x007FFFFF)) | W(0x3F800000)).view(np.float32)
    # log2 of 1..2 by a cubic, within 1e-3: levels need no more
    log = F(-2.153620718) + part * (F(3.047884161) + part * (F(-1.051875031) + part * F(0.158248693)))
    return F(0.5) * (F(W(W(bits >> W(23)) - W(127))) + log)


@njit(**INLINE)
def _square(x, y):
    return F(x * x + y * y)


@njit(types.void(IN, IN, IN, IN, IN, IN, f4, f4, OUT), **LOOP)
def _footprint(u, v, across_u, across_v, along_u, along_v, width, height, out):
    for i in range(out.size):
        a = _square((across_u[i] - u[i]) * width, (across_v[i] - v[i]) * height)
        b = _square((along_u[i] - u[i]) * width, (along_v[i] - v[i]) * height)
        out[i] = _level(a, b)


@njit(**PART)
def _two_rows(u, v, below_u, below_v, width, height, out, below):
    """Levels of two rows of a picture, whose pixels are neighbours two by two."""
    for k in range(out.size // 2):
        i, j = 2 * k, 2 * k + 1
        upper = _square((u[j] - u[i]) * width, (v[j] - v[i]) * height)
        lower = _square((below_u[j] - below_u[i]) * width, (below_v[j] - below_v[i]) * height)
        left = _square((below_u[i] - u[i]) * width, (below_v[i] - v[i]) * height)
        right = _square((below_u[j] - u[j]) * width, (below_v[j] - v[j]) * height)
        out[i], out[j] = _level(upper, left), _level(upper, right)
        below[i], below[j] = _level(lower, left), _level(lower, right)


@njit(types.void(IN, IN, i4, f4, f4, OUT), **LOOP)
def _footprint_in_picture(u, v, across, width, height, out):
    for start in range(0, out.size, 2 * across):
        middle, stop = start + across, start + 2 * across
        one, two = slice(start, middle), slice(middle, stop)
        _two_rows(u[one], v[one], u[two], v[two], width, height, out[one], out[two])


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
    out: np.ndarray | None = None,
) -> np.ndarray:
    """Values of a pyramid at many places.

    texels : one channel: (t,) uint8 or uint16; else the bytes of four numbers a texel, (4 t,) or (8 t,) uint8.
    coding : CODES, PAIRS or HALVES, and the scale and offset that turn stored numbers into values.
    size : width and height of the picture, the number of its last level, texels in a row of all.
    place : (2, n) float32, u and v; detail : (n,) float32, the level to read, with parts between two; None
        reads the full size.
    wrap : 0 constant, 1 clamp, 2 periodic, 3 mirror, for u and v; default : (4,) what lies outside.
    Returns (channels, n) float32: `out`, rows of contiguous numbers, if given.
    """
    kind, scale, offset = coding
    count = place.shape[1]
    u, v = (np.ascontiguousarray(line, np.float32) for line in place)
    level, deep = (np.zeros(count, np.float32), 0) if detail is None else (np.ascontiguousarray(detail, np.float32), 1)
    settings = (kind, *size, u, v, level, deep, *wrap, nearest, scale, offset, default)
    out = np.empty((channels, count), np.float32) if out is None else out
    if channels == 1:
        _one(texels, *settings, out[0])
    else:
        _several(texels, *settings, channels, (*out, *[out[0]] * (4 - channels)))
    return out


def footprint(place: np.ndarray, du: np.ndarray, dv: np.ndarray, width: int, height: int) -> np.ndarray:
    """The level of a pyramid that a pixel's footprint asks for, (n,).

    place, du, dv : (2, n) float32, the place and that one pixel further in each direction.
    """
    out = np.empty(place.shape[1], np.float32)
    parts = [np.ascontiguousarray(part) for line in (place, du, dv) for part in line]
    _footprint(*parts, width, height, out)
    return out


def footprint_in_picture(place: np.ndarray, across: int, width: int, height: int) -> np.ndarray:
    """As `footprint`, where the places are a picture's, row by row: whole pairs of rows of `across` pixels."""
    out = np.empty(place.shape[1], np.float32)
    u, v = (np.ascontiguousarray(line) for line in place)
    _footprint_in_picture(u, v, across, width, height, out)
    return out


def decode(values: np.ndarray, rows: int, table: np.ndarray) -> None:
    """Puts the first rows of (k, n) values through a curve given at even steps from 0 to 1, in place."""
    for row in values[:rows]:
        _decode(row, table)
