"""Scattering a tile over hexagons: where each point reads, and how the three readings blend.

M. S. Mikkelsen, Practical Real-Time Hex-Tiling, Journal of Computer Graphics Techniques 11(2), 2022, with the
hash and the order of additions of the MaterialX reference. The hash is sensitive to rounding, so nothing here
may be contracted.

Settings are rows of one number, the same everywhere, or of one for each point; for either kind there is a loop.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import EXACT, EXACT_INLINE
from collage.core.kernels.sampling import CODES, LINE, REPEATED, SOME, read_run

IN = types.Array(types.float32, 1, "C", readonly=True)
OUT = types.Array(types.float32, 1, "C")
ROWS = types.Array(types.float32, 2, "C", readonly=True)
F, W = np.float32, np.int32

GRID = np.float32(3.4641016151377544)  # 2 sqrt(3): keeps the size of the tile
SKEW, SLANT = np.float32(-0.57735027), np.float32(1.15470054)
UNSKEW = np.float32(1.0 / 1.15470054)
SEED = np.float32(0.12345)


@njit(**EXACT_INLINE)
def _fract(x):
    return F(x - np.floor(x))


@njit(**EXACT_INLINE)
def _hash(x, y):
    a, b, c = _fract(x * F(0.1031)), _fract(y * F(0.1030)), _fract(x * F(0.0973))
    d = F(a * F(b + F(33.33)) + F(F(b * F(c + F(33.33))) + F(c * F(a + F(33.33)))))
    a, b, c = F(a + d), F(b + d), F(c + d)
    return _fract(F(a + b) * c), _fract(F(a + c) * b)


@njit(**EXACT_INLINE)
def _corners(u, v):
    """The triangle of hexagons around a point: its first corner's place, 1 for an upper triangle, and three weights."""
    sx, sy = F(u * GRID), F(v * GRID)
    x, y = F(sx + SKEW * sy), F(SLANT * sy)
    bx, by = np.floor(x), np.floor(y)
    fx, fy = F(x - bx), F(y - by)
    fz = F(F(F(1) - fx) - fy)
    upper = F(1) if fz <= F(0) else F(0)
    turn = F(F(2) * upper - F(1))
    return bx, by, upper, F(-fz * turn), F(upper - fy * turn), F(upper - fx * turn)


@njit(**EXACT_INLINE)
def _corner(u, v, number):
    """The hexagon of one of the three corners."""
    x, y, upper, _, _, _ = _corners(u, v)
    lower = F(F(1) - upper)
    return F(x + (lower if number == W(2) else upper)), F(y + (lower if number == W(1) else upper))


@njit(**EXACT_INLINE)
def _sine_cosine(x):
    """Cephes' sinf and cosf: polynomials on an eighth of a turn to either side of the nearest quarter."""
    quarter = np.rint(F(x * F(0.63661977)))
    part = F(F(F(x - quarter * F(1.5703125)) - quarter * F(4.83751297e-4)) - quarter * F(7.54978942e-8))
    square = F(part * part)
    s = F(square * F(square * F(F(-1.9515295891e-4) * square + F(8.3321608736e-3)) + F(-1.6666654611e-1)))
    s = F(s * part + part)
    c = F(square * F(F(2.443315711809948e-5) * square + F(-1.388731625493765e-3)) + F(4.166664568298827e-2))
    c = F(F(c * square) * square + F(F(1) - F(0.5) * square))
    number = W(W(quarter) & W(3))
    odd = (number & W(1)) == W(1)
    sine, cosine = c if odd else s, s if odd else c
    sine = F(-sine) if number >= W(2) else sine
    cosine = F(-cosine) if (number == W(1)) | (number == W(2)) else cosine
    return sine, cosine


@njit(**EXACT_INLINE)
def _log2(x):
    """log2 of a positive number, its mantissa's by a cubic: within 1e-3, as much as levels need."""
    bits = F(max(x, F(1e-6))).view(np.int32)
    part = W(W(bits & W(0x007FFFFF)) | W(0x3F800000)).view(np.float32)
    log = F(-2.153620718) + part * F(F(3.047884161) + part * F(F(-1.051875031) + part * F(0.158248693)))
    return F(W(W(bits >> W(23)) - W(127))) + log


@njit(**EXACT_INLINE)
def _places_by(even, start, u, v, number, turn, size, move, detail, out_u, out_v, angles, level):
    """For a run of points that begins at `start`, of which the settings know when they are not `even`."""
    for i in range(u.size):
        at = 0 if even else start + i
        x, y = _corner(u[i], v[i], number)
        # two random numbers of the hexagon
        first, second = _hash(F(x + SEED), F(y + SEED))
        hx, hy = F(x / GRID), F(y / GRID)
        cx, cy = F(hx + F(0.5) * hy), F(UNSKEW * hy)
        share = F(first * turn[0, at])
        angle = F(turn[1, at] * F(F(1) - share) + turn[2, at] * share)
        s, c = _sine_cosine(angle)
        scale = F(F(1) - size[0, at]) + F(size[1, at] * F(F(1) - second) + size[2, at] * second) * size[0, at]
        a, b = F(first * move[0, at]), F(second * move[0, at])
        dx, dy = F(u[i] - cx), F(v[i] - cy)
        out_u[i] = F(dx * c - dy * s) / scale + cx + F(move[1, at] * F(F(1) - a) + move[2, at] * a)
        below = F(dx * s + dy * c) / scale + cy + F(move[1, at] * F(F(1) - b) + move[2, at] * b)
        out_v[i] = F(1) - below  # the grid lies on flipped coordinates
        angles[i] = angle
        level[i] = detail[i] - _log2(abs(scale))


@njit(types.void(IN, IN, types.int32, ROWS, ROWS, ROWS, IN, OUT, OUT, OUT, OUT), **EXACT)
def _places(u, v, number, turn, size, move, detail, out_u, out_v, angles, level):
    if size.shape[1] == 1:
        _places_by(True, 0, u, v, number, turn, size, move, detail, out_u, out_v, angles, level)
    else:
        _places_by(False, 0, u, v, number, turn, size, move, detail, out_u, out_v, angles, level)


TEXELS = types.Array(types.uint8, 1, "C", readonly=True)
i4, f4 = types.int32, types.float32
VALUES = types.UniTuple(OUT, 4)


@njit(
    types.void(
        TEXELS, i4, types.UniTuple(i4, 5), types.UniTuple(f4, 2), i4, IN, IN, i4, ROWS, ROWS, ROWS, IN, i4, VALUES, OUT
    ),
    **EXACT,
)
def _values(texels, kind, picture, coding, flat, u, v, number, turn, size, move, detail, channels, out, angles):
    """Finds and reads a run of points at a time, so that places stay in the processor's nearest cache."""
    places, shares = np.empty(4 * LINE, np.uint32), np.empty(6 * LINE, np.float32)
    line_u, line_v, level = np.empty(SOME, np.float32), np.empty(SOME, np.float32), np.empty(SOME, np.float32)
    none = F(0), F(0), F(0), F(0)
    for start in range(0, u.size, SOME):
        stop = min(start + SOME, u.size)
        some = stop - start
        cut = u[start:stop], v[start:stop], number, turn, size, move, detail[start:stop]
        there = line_u[:some], line_v[:some], angles[start:stop], level[:some]
        if size.shape[1] == 1:
            _places_by(True, start, *cut, *there)
        else:
            _places_by(False, start, *cut, *there)
        part = out[0][start:stop], out[1][start:stop], out[2][start:stop], out[3][start:stop]
        place = line_u[:some], line_v[:some], level[:some]
        read_run(texels, kind, flat != 0, picture, *place, REPEATED, coding, none, places, shares, channels, part)


@njit(**EXACT_INLINE)
def _gain(x, r):
    """C. Schlick, Fast Alternatives to Perlin's Bias and Gain Functions, Graphics Gems IV, 1994."""
    held = min(max(r, F(0.001)), F(0.999))
    a = F(F(F(1) / held - F(2)) * F(F(1) - F(2) * x))
    return F(x / F(a + F(1))) if x < F(0.5) else F(F(a - x) / F(a - F(1)))


@njit(**EXACT_INLINE)
def _shares(u, v, l1, l2, l3, falloff):
    """How three tiles blend: the seventh power of the corner weights times what each tile counts."""
    _, _, _, w1, w2, w3 = _corners(u, v)
    s1, s2, s3 = F(w1 * w1), F(w2 * w2), F(w3 * w3)
    p1, p2, p3 = F(l1 * s1 * s1 * s1 * w1), F(l2 * s2 * s2 * s2 * w2), F(l3 * s3 * s3 * s3 * w3)
    total = F(p1 + p2 + p3)
    p1, p2, p3 = F(p1 / total), F(p2 / total), F(p3 / total)
    g1, g2, g3 = _gain(p1, falloff), _gain(p2, falloff), _gain(p3, falloff)
    total = F(g1 + g2 + g3)
    plain = falloff == F(0.5)
    return p1 if plain else F(g1 / total), p2 if plain else F(g2 / total), p3 if plain else F(g3 / total)


@njit(types.void(IN, IN, ROWS, OUT, OUT, OUT), **EXACT)
def _weights(u, v, falloff, a, b, c):
    if falloff.shape[1] == 1:
        for i in range(u.size):
            a[i], b[i], c[i] = _shares(u[i], v[i], F(1), F(1), F(1), falloff[0, 0])
    else:
        for i in range(u.size):
            a[i], b[i], c[i] = _shares(u[i], v[i], F(1), F(1), F(1), falloff[0, i])


COLOUR = types.UniTuple(IN, 3)


@njit(**EXACT_INLINE)
def _blend_by(even, u, v, first, second, third, settings, red, green, blue):
    for i in range(red.size):
        at = 0 if even else i
        falloff, k = settings[0, at], settings[1, at]
        lr, lg, lb = settings[2, at], settings[3, at], settings[4, at]
        r1, g1, b1 = first[0][i], first[1][i], first[2][i]
        r2, g2, b2 = second[0][i], second[1][i], second[2][i]
        r3, g3, b3 = third[0][i], third[1][i], third[2][i]
        plain = F(F(1) - k)
        l1 = F(plain + F(lr * r1 + lg * g1 + lb * b1) * k)
        l2 = F(plain + F(lr * r2 + lg * g2 + lb * b2) * k)
        l3 = F(plain + F(lr * r3 + lg * g3 + lb * b3) * k)
        a, b, c = _shares(u[i], v[i], l1, l2, l3, falloff)
        red[i] = a * r1 + b * r2 + c * r3
        green[i] = a * g1 + b * g2 + c * g3
        blue[i] = a * b1 + b * b2 + c * b3


@njit(types.void(IN, IN, COLOUR, COLOUR, COLOUR, ROWS, OUT, OUT, OUT), **EXACT)
def _blend(u, v, first, second, third, settings, red, green, blue):
    if settings.shape[1] == 1:
        _blend_by(True, u, v, first, second, third, settings, red, green, blue)
    else:
        _blend_by(False, u, v, first, second, third, settings, red, green, blue)


def tile(
    place: np.ndarray, number: int, turn: np.ndarray, size: np.ndarray, move: np.ndarray, detail: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where the tile of one of the three hexagons around each point is read.

    place : (2, n), v down. number : 0, 1 or 2, which corner of the triangle around a point. turn (radians), size,
    move : (3, 1) or all (3, n), strength of the randomness, lowest, highest. detail : (n,) level of the image that
    the place asks for.
    Returns the places (2, n) with v up, the turns (n,) in radians and the levels (n,).
    """
    count = place.shape[1]
    out, (angle, level) = np.empty((2, count), np.float32), np.empty((2, count), np.float32)
    u, v = (np.ascontiguousarray(part) for part in place)
    _places(u, v, number, turn, size, move, detail, *out, angle, level)
    return out, angle, level


def read_tile(
    texels: np.ndarray,
    channels: int,
    coding: tuple[int, float, float],
    size: tuple[int, int, int, int, int],
    place: np.ndarray,
    number: int,
    chances: tuple[np.ndarray, np.ndarray, np.ndarray],
    detail: np.ndarray | None,
) -> tuple[np.ndarray, np.ndarray]:
    """What the tile of one of three hexagons shows, of a picture of several channels: (channels, n), its turns (n,).

    texels, coding, size : as for `sampling.sample`. place, number, detail : as for `tile`; without a detail the full
    size is read. chances : turn, size and move of `tile`.
    """
    kind, scale, offset = coding
    count = place.shape[1]
    out, angle = np.empty((4, count), np.float32), np.empty(count, np.float32)
    u, v = (np.ascontiguousarray(part) for part in place)
    flat = detail is None and kind == CODES
    level = detail if detail is not None else np.full(count, -99, np.float32)  # no size makes that a smaller level
    _values(texels, kind, size, (scale, offset), flat, u, v, number, *chances, level, channels, tuple(out), angle)
    return out[:channels], angle


def blend_weights(place: np.ndarray, falloff: np.ndarray) -> np.ndarray:
    """How the three tiles blend, (3, n). place : (2, n), v down; falloff : (1, 1) or (1, n)."""
    out = np.empty((3, place.shape[1]), np.float32)
    u, v = (np.ascontiguousarray(part) for part in place)
    _weights(u, v, falloff, *out)
    return out


def blend(place: np.ndarray, tiles: Sequence[np.ndarray], settings: np.ndarray, out: np.ndarray) -> None:
    """Puts the colours of three tiles into one, `out`, (3, n) of contiguous rows.

    place : (2, n), v down. tiles : three of (3, n). settings : (5, 1) or (5, n): falloff; contrast, 1 where a
        brighter tile counts more; and how much red, green and blue count for that.
    """
    first, second, third = (tuple(one[:3]) for one in tiles)
    u, v = (np.ascontiguousarray(part) for part in place)
    _blend(u, v, first, second, third, settings, *out)
