"""Reading filtered values from an image pyramid.

A pyramid is one flat array of texels, level after level, each row by row from the top, where v is 1. Each row ends
with its first texel once more, so that any texel and the next lie side by side. Where a level begins follows from its
number; see images.pyramid.

A texel of one channel is one whole number; its loops are free of branches and vectorise. Texels of more channels
are four numbers, of which the last may mean nothing. They are read in two passes: where to read, for many points at
a time; and the reading, two texels of four channels at a time.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

from collage.core.kernels.flags import INLINE, LOOP, LOOP_WITH_ROOM, PART

F, U, W = np.float32, np.uint32, np.int32

f4, i4 = types.float32, types.int32
IN = types.Array(f4, 1, "C", readonly=True)
OUT = types.Array(f4, 1, "C")

FAR = np.float32(1e6)
CODES, PAIRS, HALVES = 0, 1, 2  # 8-bit numbers, 16-bit numbers, half floats
SOME = 512  # points whose places and shares stay in the processor's nearest cache
LINE = SOME + 16
REPEATED = (np.int32(2), np.int32(2), np.int32(0))  # periodic both ways, blended
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
def _halved(length, times):
    """The mask says that the shift is less than the number is wide, else it would be done with 64-bit numbers."""
    return W(length >> W(times & W(31)))


@njit(**INLINE)
def _start(level, size):
    """Where a level's first texel lies; size: width, height, last level, end of all, four thirds of the area."""
    width, height, last, end, area = size
    edges = W(W(width + W(height + height)) + W(width + W(height + height)))
    rest = W(_halved(area, W(level + level)) + _halved(edges, level))
    return W(0) if level == W(0) else W(end - W(rest + W(W(3) * W(W(last + W(1)) - level))))


@njit(**INLINE)
def _pair(place, size, mode, nearest):
    """The first of the two texels around a place of a row or column, the share of the second, how much is inside.

    Past a clamped border the share is nothing; past a periodic one the second texel is the one kept beyond the last.
    """
    x = F(place * F(size) - F(0.5))
    x = np.floor(x + F(0.5)) if nearest != W(0) else x
    inside = min(max(min(F(x + F(1)), F(F(size) - x)), F(0)), F(1))
    turned = x + F(size) if x < F(0) else x
    held = min(max(x, F(0)), F(W(size - W(1))))
    x = turned if mode == W(2) else held
    below = np.floor(x)
    first = min(W(below), W(size - W(1)))
    share = F(x - F(first))  # a place just before the first texel is rounded to the one beyond the last
    return W(first), share, F(inside) if mode == W(0) else F(1)


@njit(**INLINE)
def _around(u, v, level, size, wraps):
    """Where the upper and the lower two texels around a place begin, the shares of the right and the lower, and inside.

    wraps : for u, v, and whether nearest.
    """
    width, height = W(max(_halved(size[0], level), W(1))), W(max(_halved(size[1], level), W(1)))
    column, right, within = _pair(_folded(u, wraps[0]), width, wraps[0], wraps[2])
    row, lower, inside = _pair(F(F(1) - _folded(v, wraps[1])), height, wraps[1], wraps[2])
    following = W(row + W(1))
    end = W(0) if wraps[1] == W(2) else row
    following = following if following < height else end
    first = W(_start(level, size) + column)
    stride = W(width + W(1))
    top, bottom = W(first + W(row * stride)), W(first + W(following * stride))
    return _known(top), _known(bottom), right, lower, F(within * inside)


@njit(**INLINE)
def _known(x):
    """An index known to be positive, so that a vector of them is read at once."""
    return U(U(x) & U(0x7FFFFFFF))


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
    return F(-size) if U(code & U(0x8000)) != U(0) else size


@njit(**INLINE)
def _whole(texels, at):
    return F(W(texels[at]))


@njit(**INLINE)
def _whole_half(texels, at):
    return _half(U(texels[at]))


@njit(**INLINE)
def _filtered(read, texels, u, v, level, size, wraps):
    """The mean of the four texels around a place, and how much of it lies inside."""
    top, bottom, right, lower, inside = _around(u, v, level, size, wraps)
    above = _between(read(texels, top), read(texels, _known(W(top + U(1)))), right)
    below = _between(read(texels, bottom), read(texels, _known(W(bottom + U(1)))), right)
    return _between(above, below, lower), inside


@njit(**INLINE)
def _coded(value, inside, coding, default):
    """value : weighed by how much lies inside."""
    return value * coding[0] + inside * coding[1] + (F(1) - inside) * default


@njit(**INLINE)
def _one_flat(read, texels, size, u, v, wraps, coding, default, out):
    for i in range(u.size):
        value, inside = _filtered(read, texels, u[i], v[i], W(0), size, wraps)
        out[i] = _coded(value * inside, inside, coding, default)


@njit(**INLINE)
def _one_deep(read, texels, size, u, v, detail, wraps, coding, default, out):
    for i in range(u.size):
        low, high, share = _levels(detail[i], size[2])
        one, inside = _filtered(read, texels, u[i], v[i], low, size, wraps)
        other, within = _filtered(read, texels, u[i], v[i], high, size, wraps)
        value = _between(one * inside, other * within, share)
        out[i] = _coded(value, _between(inside, within, share), coding, default)


def _signature(texels: types.Type, *outputs: types.Type) -> object:
    texels = types.Array(texels, 1, "C", readonly=True)
    size = types.UniTuple(i4, 5)
    return types.void(texels, i4, size, IN, IN, IN, i4, types.UniTuple(i4, 3), types.UniTuple(f4, 2), IN, *outputs)


@njit([_signature(types.uint8, OUT), _signature(types.uint16, OUT)], **LOOP)
def _one(texels, kind, size, u, v, detail, deep, wraps, coding, default, out):
    if kind == HALVES:
        _one_deep(_whole_half, texels, size, u, v, detail, wraps, coding, default[0], out)
    elif deep == 0:
        _one_flat(_whole, texels, size, u, v, wraps, coding, default[0], out)
    else:
        _one_deep(_whole, texels, size, u, v, detail, wraps, coding, default[0], out)


# several channels


@njit(**INLINE)
def _places_flat(u, v, size, wraps, places, shares):
    for i in range(u.size):
        places[i], places[LINE + i], shares[i], shares[LINE + i], shares[2 * LINE + i] = _around(
            u[i], v[i], W(0), size, wraps
        )


@njit(**INLINE)
def _places_deep(u, v, detail, size, wraps, places, shares):
    for i in range(u.size):
        low, high, share = _levels(detail[i], size[2])
        top, bottom, right, lower, inside = _around(u[i], v[i], low, size, wraps)
        places[i], places[LINE + i] = top, bottom
        shares[i], shares[LINE + i], shares[2 * LINE + i] = right, lower, F(inside * F(F(1) - share))
        top, bottom, right, lower, inside = _around(u[i], v[i], high, size, wraps)
        places[2 * LINE + i], places[3 * LINE + i] = top, bottom
        shares[3 * LINE + i], shares[4 * LINE + i], shares[5 * LINE + i] = right, lower, F(inside * share)


@njit(**PART)
def _where_flat(u, v, size, wraps, places, shares):
    """For each point the two pairs of texels in the full size, the shares of the second column and row, and inside."""
    if wraps == REPEATED:  # most images are; knowing it beforehand makes the loop short
        _places_flat(u, v, size, REPEATED, places, shares)
    else:
        _places_flat(u, v, size, wraps, places, shares)


@njit(**PART)
def _where_deep(u, v, detail, size, wraps, places, shares):
    """As `_where_flat` for the two levels around a detail, whose shares are part of how much is inside."""
    if wraps == REPEATED:
        _places_deep(u, v, detail, size, REPEATED, places, shares)
    else:
        _places_deep(u, v, detail, size, wraps, places, shares)


def _reading(number: ir.Type, levels: int) -> Any:
    """A call that reads point `at`: per level two rows of two texels, each texel four of a kind of number.

    It is written in the compiler's own terms because a loop cannot say that four channels are one vector.
    """
    whole, index = ir.IntType(64), ir.IntType(32)
    fused = {"flags": ("contract",)}

    def vector(of: ir.Type, count: int) -> ir.VectorType:
        return ir.VectorType(of, count)

    def generate(context: Any, build: ir.IRBuilder, signature: Any, arguments: Any) -> ir.Value:
        texels, places, shares = (
            context.make_array(kind)(context, build, value).data
            for kind, value in zip(signature.args[:3], arguments[:3], strict=True)
        )
        at, coding, default, out = arguments[3:]

        def row(of: ir.Value, number_of_row: int) -> ir.Value:
            return build.load(build.gep(of, [build.add(at, ir.Constant(at.type, number_of_row * LINE))]))

        def spread(value: ir.Value, count: int) -> ir.Value:
            none = ir.Constant(vector(ir.FloatType(), count), ir.Undefined)
            lone = build.insert_element(none, value, ir.Constant(index, 0))
            return build.shuffle_vector(lone, none, ir.Constant(vector(index, count), [0] * count))

        def lanes(one: ir.Value, other: ir.Value, *order: int) -> ir.Value:
            return build.shuffle_vector(one, other, ir.Constant(vector(index, len(order)), list(order)))

        def between(one: ir.Value, other: ir.Value, share: ir.Value) -> ir.Value:
            return build.fadd(one, build.fmul(build.fsub(other, one), share, **fused), **fused)

        def pair(number_of_row: int) -> ir.Value:
            place = build.mul(build.zext(row(places, number_of_row), whole), ir.Constant(whole, 4))
            start = build.gep(build.bitcast(texels, number.as_pointer()), [place])
            packed = build.load(build.bitcast(start, vector(number, 8).as_pointer()))
            packed.align = number.width // 8 if isinstance(number, ir.IntType) else 2
            if isinstance(number, ir.HalfType):
                return build.fpext(packed, vector(ir.FloatType(), 8))
            return build.sitofp(build.zext(packed, vector(index, 8)), vector(ir.FloatType(), 8))

        sides = [
            between(pair(2 * level), pair(2 * level + 1), spread(row(shares, 3 * level + 1), 8))
            for level in range(levels)
        ]
        weights = [row(shares, 3 * level + 2) for level in range(levels)]
        if levels == 1:
            left, right = lanes(sides[0], sides[0], 0, 1, 2, 3), lanes(sides[0], sides[0], 4, 5, 6, 7)
            value, inside = between(left, right, spread(row(shares, 0), 4)), weights[0]
            value = build.fmul(value, spread(inside, 4))
        else:
            left = lanes(*sides, 0, 1, 2, 3, 8, 9, 10, 11)
            right = lanes(*sides, 4, 5, 6, 7, 12, 13, 14, 15)
            share = lanes(spread(row(shares, 0), 4), spread(row(shares, 3), 4), *range(8))
            both = between(left, right, share)
            fine, coarse = lanes(both, both, 0, 1, 2, 3), lanes(both, both, 4, 5, 6, 7)
            value = build.fmul(fine, spread(weights[0], 4))
            value = build.fadd(value, build.fmul(coarse, spread(weights[1], 4), **fused), **fused)
            inside = build.fadd(*weights)
        # value * scale + inside * offset + (1 - inside) * default
        scale, offset = build.extract_value(coding, 0), build.extract_value(coding, 1)
        outside = ir.Constant(vector(ir.FloatType(), 4), ir.Undefined)
        for channel in range(4):
            outside = build.insert_element(outside, build.extract_value(default, channel), ir.Constant(index, channel))
        border = between(outside, spread(offset, 4), spread(inside, 4))
        value = build.fadd(build.fmul(value, spread(scale, 4), **fused), border, **fused)
        for channel in range(4):
            kind = signature.args[6][channel]
            line = context.make_array(kind)(context, build, build.extract_value(out, channel)).data
            build.store(build.extract_element(value, ir.Constant(index, channel)), build.gep(line, [at]))
        return context.get_dummy_value()

    @intrinsic  # type: ignore[untyped-decorator]
    def read(
        _: Any, texels: Any, places: Any, shares: Any, at: Any, coding: Any, default: Any, out: Any
    ) -> tuple[Any, Callable[..., Any]]:
        return types.void(texels, places, shares, at, coding, default, out), generate

    return read


_bytes_flat = _reading(ir.IntType(8), 1)
_shorts_deep, _halves_deep = _reading(ir.IntType(16), 2), _reading(ir.HalfType(), 2)


@njit(**PART)
def _read_flat(texels, places, shares, coding, default, out):
    for i in range(out[0].size):
        _bytes_flat(texels, places, shares, i, coding, default, out)


@njit(**INLINE)
def _code(word, channel):
    """One of the four 8-bit numbers of a texel that was read as one word."""
    return F(np.int32((word >> U(8 * channel)) & U(255)))


@njit(**INLINE)
def _blended(texels, shares, channel):
    """Between four texels, top row first, by the shares of the right column and of the lower row."""
    right_share, lower_share = shares
    left, right = _code(texels[0], channel), _code(texels[1], channel)
    left = F(left + F(_code(texels[2], channel) - left) * lower_share)
    right = F(right + F(_code(texels[3], channel) - right) * lower_share)
    return F(left + F(right - left) * right_share)


@njit(**INLINE)
def _words_at(words, places, i, row):
    """The four texels around point i on the level whose places begin at `row`."""
    top, lower = places[row * LINE + i], places[(row + 1) * LINE + i]
    return words[top], words[top + U(1)], words[lower], words[lower + U(1)]


@njit(**INLINE)
def _word_value(words, places, shares, i, channel, coding, default):
    fine, coarse = _words_at(words, places, i, 0), _words_at(words, places, i, 2)
    inside, high_inside = shares[2 * LINE + i], shares[5 * LINE + i]
    value = F(_blended(fine, (shares[i], shares[LINE + i]), channel) * inside)
    value = F(value + _blended(coarse, (shares[3 * LINE + i], shares[4 * LINE + i]), channel) * high_inside)
    border = F(default + F(coding[1] - default) * F(inside + high_inside))
    return F(value * coding[0] + border)


@njit(**PART)
def _read_words(texels, places, shares, channels, coding, default, first, second, third, fourth):
    """8-bit texels at two levels, each read as one word of 32 bits.

    Several points at a time: the words are read one by one, and taken apart together. With what comes before it, a
    point of three channels took 14.2 ns texel by texel, 12.4 so; tiles of 4 x 4 texels, and lookups by one
    instruction, took longer in the reading alone (18.8 and 30 to 12.8 ns).
    """
    words = texels.view(np.uint32)
    for i in range(first.size):
        a = _word_value(words, places, shares, i, 0, coding, default[0])
        b = _word_value(words, places, shares, i, 1, coding, default[1])
        c = _word_value(words, places, shares, i, 2, coding, default[2])
        first[i], second[i], third[i] = a, b, c
    if channels > 3:
        for i in range(first.size):
            fourth[i] = _word_value(words, places, shares, i, 3, coding, default[3])


@njit(**PART)
def _read_deep(texels, kind, places, shares, coding, default, channels, out):
    if kind == CODES:
        _read_words(texels, places, shares, channels, coding, default, out[0], out[1], out[2], out[3])
    elif kind == PAIRS:
        for i in range(out[0].size):
            _shorts_deep(texels, places, shares, i, coding, default, out)
    else:
        for i in range(out[0].size):
            _halves_deep(texels, places, shares, i, coding, default, out)


@njit(**PART)
def read_run(texels, kind, flat, size, u, v, detail, wraps, coding, default, places, shares, channels, out):
    """Values of four numbers at no more than SOME points.

    flat : whether the full size is all that is asked for. default : four numbers. places, shares : room for 4 and
    6 LINEs. channels : how many of the four are wanted. out : four arrays.
    """
    if flat:
        _where_flat(u, v, size, wraps, places, shares)
        _read_flat(texels, places, shares, coding, default, out)
    else:
        _where_deep(u, v, detail, size, wraps, places, shares)
        _read_deep(texels, kind, places, shares, coding, default, channels, out)


@njit(_signature(types.uint8, i4, types.UniTuple(OUT, 4)), **LOOP_WITH_ROOM)
def _several(texels, kind, size, u, v, detail, deep, wraps, coding, default, channels, out):
    """All four numbers of a texel are put down; those that mean nothing beside the picture, over and over."""
    places, shares = np.empty(4 * LINE, np.uint32), np.empty(6 * LINE, np.float32)
    aside = np.empty(SOME, np.float32), np.empty(SOME, np.float32)
    border = default[0], default[1], default[2], default[3]
    flat = (kind == CODES) & ((deep == 0) | _all_flat(detail))
    for start in range(0, u.size, SOME):
        stop = min(start + SOME, u.size)
        third = out[2][start:stop] if channels > 2 else aside[0][: stop - start]
        fourth = out[3][start:stop] if channels > 3 else aside[1][: stop - start]
        part = out[0][start:stop], out[1][start:stop], third, fourth
        cut = u[start:stop], v[start:stop], detail[start:stop]
        read_run(texels, kind, flat, size, *cut, wraps, coding, border, places, shares, channels, part)


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
        below = table[_known(at)]
        line[i] = below + (table[_known(W(at + W(1)))] - below) * (x - F(at))


def sample(
    texels: np.ndarray,
    channels: int,
    coding: tuple[int, float, float],
    size: tuple[int, int, int, int, int],
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
    size : width and height of the picture, the number of its last level, t, and a third more than its area.
    place : (2, n) float32, u and v; detail : (n,) float32, the level to read, with parts between two; None
        reads the full size.
    wrap : 0 constant, 1 clamp, 2 periodic, 3 mirror, for u and v; default : (4,) what lies outside.
    Returns (channels, n) float32: `out`, rows of contiguous numbers, if given.
    """
    kind, scale, offset = coding
    count = place.shape[1]
    u, v = (np.ascontiguousarray(line, np.float32) for line in place)
    level, deep = (np.zeros(count, np.float32), 0) if detail is None else (np.ascontiguousarray(detail, np.float32), 1)
    settings = (kind, size, u, v, level, deep, (*wrap, int(nearest)), (scale, offset), default)
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
