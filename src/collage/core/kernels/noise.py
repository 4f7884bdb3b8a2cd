"""Gradient noise and its fractal sums, bit for bit the standard's reference hash.

The lattice hash is Bob Jenkins' public-domain lookup3 final mix; gradients, fade curve and scale factors
are those of the MaterialX 1.39 specification's reference. Arrays are separate float32 components, which
lets the loops vectorise: helpers are inlined, integers stay uint32, no float64 literal occurs.
"""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import INLINE, LOOP, PART, RUN

IN = types.Array(types.float32, 1, "C", readonly=True)
OUT = types.Array(types.float32, 1, "C")
f4, i4 = types.float32, types.int32


U = np.uint32
F = np.float32

SCALE_2D = np.float32(0.6616)
SCALE_3D = np.float32(0.9820)
SEED_2 = np.uint32((0xDEADBEEF + (2 << 2) + 13) & 0xFFFFFFFF)
SEED_3 = np.uint32((0xDEADBEEF + (3 << 2) + 13) & 0xFFFFFFFF)


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
def _hash_2(x, y):
    return _final(U(SEED_2 + x), U(SEED_2 + y), SEED_2)


@njit(**INLINE)
def _hash_3(x, y, z):
    return _final(U(SEED_3 + x), U(SEED_3 + y), U(SEED_3 + z))


@njit(**INLINE)
def _fade(t):
    return t * t * t * (t * (t * F(6.0) - F(15.0)) + F(10.0))


@njit(**INLINE)
def _gradient_2(h, x, y):
    first = U(h & U(7)) < U(4)
    u = x if first else y
    v = F(2.0) * (y if first else x)
    u = -u if U(h & U(1)) != U(0) else u
    v = -v if U(h & U(2)) != U(0) else v
    return u + v


@njit(**INLINE)
def _gradient_3(h, x, y, z):
    k = U(h & U(15))
    u = x if k < U(8) else y
    w = x if (k == U(12)) | (k == U(14)) else z
    v = y if k < U(4) else w
    u = -u if U(h & U(1)) != U(0) else u
    v = -v if U(h & U(2)) != U(0) else v
    return u + v


@njit(**INLINE)
def _lerp(a, b, t):
    return a + (b - a) * t


@njit(**INLINE)
def _perlin_2(px, py, shift):
    """Noise at a point; `shift` picks the byte of the hash that turns the gradients (0, 8 or 16)."""
    bx, by = np.floor(px), np.floor(py)
    fx, fy = F(px - bx), F(py - by)
    x, y = U(np.int32(bx)), U(np.int32(by))
    x1, y1 = U(x + U(1)), U(y + U(1))
    gx, gy = F(fx - F(1.0)), F(fy - F(1.0))
    u, v = _fade(fx), _fade(fy)
    low = _lerp(_gradient_2(U(_hash_2(x, y) >> shift), fx, fy), _gradient_2(U(_hash_2(x1, y) >> shift), gx, fy), u)
    high = _lerp(_gradient_2(U(_hash_2(x, y1) >> shift), fx, gy), _gradient_2(U(_hash_2(x1, y1) >> shift), gx, gy), u)
    return SCALE_2D * _lerp(low, high, v)


@njit(**INLINE)
def _perlin_3(px, py, pz, shift):
    bx, by, bz = np.floor(px), np.floor(py), np.floor(pz)
    fx, fy, fz = F(px - bx), F(py - by), F(pz - bz)
    x, y, z = U(np.int32(bx)), U(np.int32(by)), U(np.int32(bz))
    x1, y1, z1 = U(x + U(1)), U(y + U(1)), U(z + U(1))
    gx, gy, gz = F(fx - F(1.0)), F(fy - F(1.0)), F(fz - F(1.0))
    u, v, w = _fade(fx), _fade(fy), _fade(fz)
    a = _lerp(
        _gradient_3(U(_hash_3(x, y, z) >> shift), fx, fy, fz),
        _gradient_3(U(_hash_3(x1, y, z) >> shift), gx, fy, fz),
        u,
    )
    b = _lerp(
        _gradient_3(U(_hash_3(x, y1, z) >> shift), fx, gy, fz),
        _gradient_3(U(_hash_3(x1, y1, z) >> shift), gx, gy, fz),
        u,
    )
    c = _lerp(
        _gradient_3(U(_hash_3(x, y, z1) >> shift), fx, fy, gz),
        _gradient_3(U(_hash_3(x1, y, z1) >> shift), gx, fy, gz),
        u,
    )
    d = _lerp(
        _gradient_3(U(_hash_3(x, y1, z1) >> shift), fx, gy, gz),
        _gradient_3(U(_hash_3(x1, y1, z1) >> shift), gx, gy, gz),
        u,
    )
    return SCALE_3D * _lerp(_lerp(a, b, v), _lerp(c, d, v), w)


@njit(**PART)
def _run_2(x, y, octaves, lacunarity, diminish, shift, out):
    """The mask says that the shift is less than the number is wide, else it would be done with 64-bit numbers."""
    px, py = x.copy(), y.copy()
    byte = U(U(shift) & U(31))
    amplitude = F(1.0)
    out[:] = F(0.0)
    for _ in range(octaves):
        for i in range(out.size):
            out[i] += amplitude * _perlin_2(px[i], py[i], byte)
            px[i] *= lacunarity
            py[i] *= lacunarity
        amplitude *= diminish


@njit(types.void(IN, IN, i4, f4, f4, i4, OUT), **LOOP)
def _fractal_2(x, y, octaves, lacunarity, diminish, shift, out):
    for start in range(0, out.size, RUN):
        stop = min(start + RUN, out.size)
        _run_2(x[start:stop], y[start:stop], octaves, lacunarity, diminish, shift, out[start:stop])


@njit(**PART)
def _run_3(x, y, z, octaves, lacunarity, diminish, shift, out):
    px, py, pz = x.copy(), y.copy(), z.copy()
    byte = U(U(shift) & U(31))
    amplitude = F(1.0)
    out[:] = F(0.0)
    for _ in range(octaves):
        for i in range(out.size):
            out[i] += amplitude * _perlin_3(px[i], py[i], pz[i], byte)
            px[i] *= lacunarity
            py[i] *= lacunarity
            pz[i] *= lacunarity
        amplitude *= diminish


@njit(types.void(IN, IN, IN, i4, f4, f4, i4, OUT), **LOOP)
def _fractal_3(x, y, z, octaves, lacunarity, diminish, shift, out):
    for start in range(0, out.size, RUN):
        stop = min(start + RUN, out.size)
        _run_3(x[start:stop], y[start:stop], z[start:stop], octaves, lacunarity, diminish, shift, out[start:stop])


def fractal(place: np.ndarray, octaves: int, lacunarity: float, diminish: float, *, vector: bool = False) -> np.ndarray:
    """Sum of octaves of gradient noise; one octave is the noise itself.

    place : (2, n) or (3, n) float32, where to look, in lattice cells.
    vector : three values a point, from the three low bytes of one hash, instead of one.
    Returns (1, n) or (3, n) float32, about -1..1 for one octave.
    """
    parts = [np.ascontiguousarray(part) for part in place]
    out = np.empty((3 if vector else 1, place.shape[1]), np.float32)
    for channel in range(out.shape[0]):
        # float noise uses the hash as it is; its low byte alone turns the gradient, so shift 0 serves both
        settings = (octaves, lacunarity, diminish, 8 * channel, out[channel])
        if len(parts) == 2:
            _fractal_2(*parts, *settings)
        else:
            _fractal_3(*parts, *settings)
    return out
