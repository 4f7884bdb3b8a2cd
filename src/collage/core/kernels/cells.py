"""Cell noise and Worley's cellular noise, with the standard's reference hash.

The neighbouring cells are the outer loop and the points the inner one, so that the inner one vectorises.
S. Worley, A Cellular Texture Basis Function, SIGGRAPH 1996; hash and jitter as in the MaterialX reference.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import INLINE, LOOP, PART, RUN

IN = types.Array(types.float32, 1, "C", readonly=True)
OUT = types.Array(types.float32, 1, "C")


U = np.uint32
F = np.float32
TO_UNIT = np.float32(1.0 / 4294967295.0)
SEED_2 = np.uint32((0xDEADBEEF + (2 << 2) + 13) & 0xFFFFFFFF)
SEED_3 = np.uint32((0xDEADBEEF + (3 << 2) + 13) & 0xFFFFFFFF)
SEED_4 = np.uint32((0xDEADBEEF + (4 << 2) + 13) & 0xFFFFFFFF)
SEED_5 = np.uint32((0xDEADBEEF + (5 << 2) + 13) & 0xFFFFFFFF)
FAR = np.float32(1e6)
FLAKE = np.float32(1.5 / 3**0.5)  # half the side of a flake's cube, in cells
TURN = np.float32(2 * math.pi)


@njit(**INLINE)
def _rotate(x, k):
    return U(U(x << U(k)) | U(x >> U(32 - k)))


@njit(**INLINE)
def _final(a, b, c):
    c = U(U(c ^ b) - _rotate(b, 14))
    a = U(U(a ^ c) - _rotate(c, 11))
    b = U(U(b ^ a) - _rotate(a, 25))
    c = U(U(c ^ b) - _rotate(b, 16))
    a = U(U(a ^ c) - _rotate(c, 4))
    b = U(U(b ^ a) - _rotate(a, 14))
    c = U(U(c ^ b) - _rotate(b, 24))
    return c


@njit(**INLINE)
def _unit(bits):
    return F(bits) * TO_UNIT


@njit(**INLINE)
def _cell_2(x, y):
    return _unit(_final(U(SEED_2 + x), U(SEED_2 + y), SEED_2))


@njit(**INLINE)
def _cell_3(x, y, z):
    return _unit(_final(U(SEED_3 + x), U(SEED_3 + y), U(SEED_3 + z)))


@njit(**INLINE)
def _mix(a, b, c):
    a = U(U(U(a - c)) ^ _rotate(c, 4))
    c = U(c + b)
    b = U(U(U(b - a)) ^ _rotate(a, 6))
    a = U(a + c)
    c = U(U(U(c - b)) ^ _rotate(b, 8))
    b = U(b + a)
    a = U(U(U(a - c)) ^ _rotate(c, 16))
    c = U(c + b)
    b = U(U(U(b - a)) ^ _rotate(a, 19))
    a = U(a + c)
    c = U(U(U(c - b)) ^ _rotate(b, 4))
    b = U(b + a)
    return a, b, c


@njit(**INLINE)
def _cell_4(x, y, z, w):
    a, b, c = _mix(U(SEED_4 + x), U(SEED_4 + y), U(SEED_4 + z))
    return _unit(_final(U(a + w), b, c))


@njit(**INLINE)
def _cell_5(x, y, z, w, number):
    a, b, c = _mix(U(SEED_5 + x), U(SEED_5 + y), U(SEED_5 + z))
    return _unit(_final(U(a + w), U(b + number), c))


@njit(**INLINE)
def _whole(x):
    return U(np.int32(np.floor(x)))


@njit(types.void(IN, IN, OUT), **LOOP)
def _cells_2(x, y, out):
    for i in range(out.size):
        out[i] = _cell_2(_whole(x[i]), _whole(y[i]))


@njit(types.void(IN, IN, IN, OUT), **LOOP)
def _cells_3(x, y, z, out):
    for i in range(out.size):
        out[i] = _cell_3(_whole(x[i]), _whole(y[i]), _whole(z[i]))


@njit(types.void(IN, IN, IN, IN, OUT), **LOOP)
def _cells_4(x, y, z, w, out):
    for i in range(out.size):
        out[i] = _cell_4(_whole(x[i]), _whole(y[i]), _whole(z[i]), _whole(w[i]))


@njit(**INLINE)
def _offset(bits, jitter, middle):
    """A feature point's place along one axis, as (unit - 0.5) * jitter + 0.5 is, with one rounding less.

    middle : where it lies without jitter, less half of the jitter.
    """
    return F(F(bits) * F(jitter * TO_UNIT) + middle)


@njit(**INLINE)
def _toward_2(cx, cy, fx, fy, ox, oy, jitter):
    """The way from a place to the feature point of a neighbouring cell; fx, fy: the place in its own cell."""
    x, y = U(cx + U(np.int32(ox))), U(cy + U(np.int32(oy)))
    half = F(0.5) - F(0.5) * jitter
    a, b = U(SEED_3 + x), U(SEED_3 + y)
    px = _offset(_final(a, b, SEED_3), jitter, F(F(half - fx) + F(ox)))
    py = _offset(_final(a, b, U(SEED_3 + U(1))), jitter, F(F(half - fy) + F(oy)))
    return px, py


@njit(**INLINE)
def _square_2(cx, cy, fx, fy, ox, oy, jitter):
    px, py = _toward_2(cx, cy, fx, fy, ox, oy, jitter)
    return F(px * px + py * py)


@njit(types.void(IN, IN, IN, OUT), **LOOP)
def _nearest_2(x, y, jitter, near):
    """The distance to the nearest feature point alone: all nine neighbours in one pass."""
    for i in range(near.size):
        bx, by = np.floor(x[i]), np.floor(y[i])
        fx, fy, j = F(x[i] - bx), F(y[i] - by), jitter[i]
        cx, cy = U(np.int32(bx)), U(np.int32(by))
        a = min(_square_2(cx, cy, fx, fy, -1, -1, j), _square_2(cx, cy, fx, fy, -1, 0, j))
        b = min(_square_2(cx, cy, fx, fy, -1, 1, j), _square_2(cx, cy, fx, fy, 0, -1, j))
        c = min(_square_2(cx, cy, fx, fy, 0, 0, j), _square_2(cx, cy, fx, fy, 0, 1, j))
        d = min(_square_2(cx, cy, fx, fy, 1, -1, j), _square_2(cx, cy, fx, fy, 1, 0, j))
        e = _square_2(cx, cy, fx, fy, 1, 1, j)
        near[i] = F(math.sqrt(min(min(min(a, b), min(c, d)), e)))


@njit(**INLINE)
def _ranked(d, i, near, second, third):
    """Puts a distance in its place among the three smallest."""
    a, b, c = near[i], second[i], third[i]
    near[i] = min(d, a)
    second[i] = min(max(d, a), b)
    third[i] = min(max(d, b), c)
    return d < a


@njit(types.void(IN, IN, IN, OUT, OUT, OUT, OUT, OUT), **LOOP)
def _worley_2(x, y, jitter, near, second, third, dx, dy):
    near[:] = FAR
    second[:] = FAR
    third[:] = FAR
    dx[:] = F(0.0)
    dy[:] = F(0.0)
    for at in range(9):
        ox, oy = at // 3 - 1, at % 3 - 1
        for i in range(near.size):
            bx, by = np.floor(x[i]), np.floor(y[i])
            cx, cy = U(np.int32(bx)), U(np.int32(by))
            px, py = _toward_2(cx, cy, F(x[i] - bx), F(y[i] - by), ox, oy, jitter[i])
            first = _ranked(F(px * px + py * py), i, near, second, third)
            dx[i] = px if first else dx[i]
            dy[i] = py if first else dy[i]


@njit(**INLINE)
def _toward_3(x, y, z, at, jitter):
    """The way from a place to the feature point of the neighbouring cell `at`, of 27."""
    ox, oy, oz = at // 9 - 1, (at // 3) % 3 - 1, at % 3 - 1
    bx, by, bz = np.floor(x), np.floor(y), np.floor(z)
    cx, cy, cz = U(np.int32(bx)), U(np.int32(by)), U(np.int32(bz))
    fx, fy, fz = F(x - bx), F(y - by), F(z - bz)
    a, b, c = _mix(
        U(SEED_4 + U(cx + U(np.int32(ox)))), U(SEED_4 + U(cy + U(np.int32(oy)))), U(SEED_4 + U(cz + U(np.int32(oz))))
    )
    half = F(0.5) - F(0.5) * jitter
    px = _offset(_final(a, b, c), jitter, F(F(half - fx) + F(ox)))
    py = _offset(_final(U(a + U(1)), b, c), jitter, F(F(half - fy) + F(oy)))
    pz = _offset(_final(U(a + U(2)), b, c), jitter, F(F(half - fz) + F(oz)))
    return px, py, pz


@njit(**PART)
def _nearest_3_run(x, y, z, jitter, near):
    near[:] = FAR
    for at in range(27):
        for i in range(near.size):
            px, py, pz = _toward_3(x[i], y[i], z[i], at, jitter[i])
            near[i] = min(near[i], F(px * px + py * py + pz * pz))
    for i in range(near.size):
        near[i] = F(math.sqrt(near[i]))


@njit(types.void(IN, IN, IN, IN, OUT), **LOOP)
def _nearest_3(x, y, z, jitter, near):
    for start in range(0, near.size, RUN):
        stop = min(start + RUN, near.size)
        _nearest_3_run(x[start:stop], y[start:stop], z[start:stop], jitter[start:stop], near[start:stop])


@njit(**PART)
def _worley_3_run(x, y, z, jitter, near, second, third, dx, dy, dz):
    near[:] = FAR
    second[:] = FAR
    third[:] = FAR
    dx[:] = F(0.0)
    dy[:] = F(0.0)
    dz[:] = F(0.0)
    for at in range(27):
        for i in range(near.size):
            px, py, pz = _toward_3(x[i], y[i], z[i], at, jitter[i])
            first = _ranked(F(px * px + py * py + pz * pz), i, near, second, third)
            dx[i] = px if first else dx[i]
            dy[i] = py if first else dy[i]
            dz[i] = pz if first else dz[i]


@njit(types.void(IN, IN, IN, IN, OUT, OUT, OUT, OUT, OUT, OUT), **LOOP)
def _worley_3(x, y, z, jitter, near, second, third, dx, dy, dz):
    for start in range(0, near.size, RUN):
        stop = min(start + RUN, near.size)
        _worley_3_run(
            x[start:stop],
            y[start:stop],
            z[start:stop],
            jitter[start:stop],
            near[start:stop],
            second[start:stop],
            third[start:stop],
            dx[start:stop],
            dy[start:stop],
            dz[start:stop],
        )


@njit(**INLINE)
def _in_flake(px, py, pz, x, y, z):
    """Whether a place, seen from the middle of cell (x, y, z), lies in that cell's turned cube.

    J. Arvo, Fast Random Rotation Matrices, Graphics Gems III, 1992.
    """
    theta, phi = TURN * _cell_4(x, y, z, U(0)), TURN * _cell_4(x, y, z, U(1))
    height = F(2) * _cell_4(x, y, z, U(2))
    r = math.sqrt(height)
    vx, vy, vz = math.sin(phi) * r, math.cos(phi) * r, math.sqrt(F(2) - height)
    s, c = math.sin(theta), math.cos(theta)
    sx, sy = vx * c - vy * s, vx * s + vy * c
    ax = (vx * sx - c) * px + (vy * sx + s) * py + vz * sx * pz
    ay = (vx * sy - s) * px + (vy * sy - c) * py + vz * sy * pz
    az = vx * vz * px + vy * vz * py + (F(1) - height) * pz
    return (abs(ax) <= FLAKE) & (abs(ay) <= FLAKE) & (abs(az) <= FLAKE)


@njit(types.void(IN, IN, IN, IN, OUT, OUT, OUT, OUT), **LOOP)
def _flakes(x, y, z, chance, presence, first, second, third):
    for i in range(x.size):
        bx, by, bz = np.floor(x[i]), np.floor(y[i]), np.floor(z[i])
        best, cx, cy, cz = F(0), U(0), U(0), U(0)
        for at in range(27):
            ox, oy, oz = at // 9 - 1, (at // 3) % 3 - 1, at % 3 - 1
            px = F(x[i] - bx) - F(ox) - F(0.5)
            py = F(y[i] - by) - F(oy) - F(0.5)
            pz = F(z[i] - bz) - F(oz) - F(0.5)
            if px * px + py * py + pz * pz >= FLAKE * FLAKE * F(3):
                continue
            kx, ky, kz = U(np.int32(bx) + ox), U(np.int32(by) + oy), U(np.int32(bz) + oz)
            if _cell_3(kx, ky, kz) > chance[i]:
                continue
            rank = _cell_4(kx, ky, kz, U(3))
            if rank >= best and _in_flake(px, py, pz, kx, ky, kz):
                best, cx, cy, cz = rank, kx, ky, kz
        presence[i] = best
        first[i] = _cell_5(cx, cy, cz, U(2), U(0))
        second[i] = _cell_5(cx, cy, cz, U(2), U(1))
        third[i] = _cell_5(cx, cy, cz, U(2), U(2))


def cell_noise(*place: np.ndarray) -> np.ndarray:
    """One random number for every lattice cell, the same all over it.

    place : two, three or four float32 arrays of (n,), coordinates in cells.
    Returns (n,) float32 in 0..1.
    """
    parts = [np.ascontiguousarray(part, np.float32) for part in place]
    out = np.empty(parts[0].size, np.float32)
    {2: _cells_2, 3: _cells_3, 4: _cells_4}[len(parts)](*parts, out)
    return out


def _wide(jitter: np.ndarray, count: int) -> np.ndarray:
    return np.ascontiguousarray(np.broadcast_to(jitter[0], (count,)), np.float32)


def nearest(place: np.ndarray, jitter: np.ndarray) -> np.ndarray:
    """The distance to the nearest feature point alone, (1, n); see `worley`."""
    parts = [np.ascontiguousarray(part) for part in place]
    out = np.empty((1, place.shape[1]), np.float32)
    (_nearest_2 if len(parts) == 2 else _nearest_3)(*parts, _wide(jitter, place.shape[1]), out[0])
    return out


def worley(place: np.ndarray, jitter: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distances to the three nearest feature points, and the way to the nearest.

    place : (2, n) or (3, n) float32, coordinates in cells.
    jitter : (1, n) or (1, 1) float32, 0 = points in the middle of their cells.
    Returns (3, n) distances and (2, n) or (3, n) offsets, float32. Cells further than one step away are
    not looked at, as in the reference.
    """
    parts = [np.ascontiguousarray(part) for part in place]
    count = place.shape[1]
    distances = np.empty((3, count), np.float32)
    offsets = np.empty((len(parts), count), np.float32)
    kernel = _worley_2 if len(parts) == 2 else _worley_3
    kernel(*parts, _wide(jitter, count), *distances, *offsets)
    np.sqrt(distances, out=distances)
    return distances, offsets


def flakes(place: np.ndarray, chance: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The topmost of the flakes strewn in the cells around each place.

    place : (3, n) float32, coordinates in flakes. chance : (n,) that a cell has a flake.
    Returns its rank (n,), 0 for none, and three random numbers of it (3, n).
    """
    count = place.shape[1]
    rank, numbers = np.empty(count, np.float32), np.empty((3, count), np.float32)
    x, y, z = (np.ascontiguousarray(part, np.float32) for part in place)
    _flakes(x, y, z, np.ascontiguousarray(chance, np.float32), rank, *numbers)
    return rank, numbers
