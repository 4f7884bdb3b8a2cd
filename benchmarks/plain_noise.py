"""The same fractal noise in plain NumPy: the baseline that the compiled kernel is measured against."""

from __future__ import annotations

import numpy as np

U = np.uint32
SEED = U((0xDEADBEEF + (3 << 2) + 13) & 0xFFFFFFFF)


def _rotate(x: np.ndarray, k: int) -> np.ndarray:
    return (x << U(k)) | (x >> U(32 - k))


def _hash(x: np.ndarray, y: np.ndarray, z: np.ndarray) -> np.ndarray:
    a, b, c = SEED + x, SEED + y, SEED + z
    c = (c ^ b) - _rotate(b, 14)
    a = (a ^ c) - _rotate(c, 11)
    b = (b ^ a) - _rotate(a, 25)
    c = (c ^ b) - _rotate(b, 16)
    a = (a ^ c) - _rotate(c, 4)
    b = (b ^ a) - _rotate(a, 14)
    return (c ^ b) - _rotate(b, 24)


def _gradient(h: np.ndarray, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> np.ndarray:
    h = h & U(15)
    u = np.where(h < 8, x, y)
    v = np.where(h < 4, y, np.where((h == 12) | (h == 14), x, z))
    return np.where(h & U(1), -u, u) + np.where(h & U(2), -v, v)


def noise3d(place: np.ndarray) -> np.ndarray:
    """Gradient noise at (3, n) float32 places, (n,) float32."""
    base = np.floor(place)
    fx, fy, fz = place - base
    x, y, z = base.astype(np.int32).astype(U)
    u, v, w = (f * f * f * (f * (f * np.float32(6) - np.float32(15)) + np.float32(10)) for f in (fx, fy, fz))
    one = U(1)
    rows = []
    for dz in (0, 1):
        for dy in (0, 1):
            left = _gradient(_hash(x, y + U(dy), z + U(dz)), fx, fy - dy, fz - dz)
            right = _gradient(_hash(x + one, y + U(dy), z + U(dz)), fx - 1, fy - dy, fz - dz)
            rows.append(left + (right - left) * u)
    low, high = rows[0] + (rows[1] - rows[0]) * v, rows[2] + (rows[3] - rows[2]) * v
    return np.float32(0.9820) * (low + (high - low) * w)


def fractal3d(place: np.ndarray, octaves: int, lacunarity: float, diminish: float) -> np.ndarray:
    total = np.zeros(place.shape[1], np.float32)
    strength = np.float32(1)
    for _ in range(octaves):
        total += strength * noise3d(place)
        strength *= np.float32(diminish)
        place = place * np.float32(lacunarity)
    return total
