"""Low-discrepancy numbers: a helper of kernels.paths and kernels.scattering, compiled into them.

Owen-scrambled Sobol points by hashes (B. Burley, Practical Hash-based Owen Scrambling, JCGT 9(4), 2020). Every pixel
and every pair of dimensions has a sequence of its own, so that a picture depends on its seed alone.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from collage.core.kernels.flags import INLINE

U = np.uint32
F = np.float32


@njit(**INLINE)
def hashed(x):
    """A 32-bit integer that looks as if drawn (T. Mueller, lowbias32, 2018)."""
    x = U(x)
    x = U(x ^ U(x >> U(16)))
    x = U(x * U(0x7FEB352D))
    x = U(x ^ U(x >> U(15)))
    x = U(x * U(0x846CA68B))
    return U(x ^ U(x >> U(16)))


@njit(**INLINE)
def _reversed(x):
    """The bits of a 32-bit integer in reverse."""
    x = U(U(x >> U(1)) & U(0x55555555)) | U(U(x & U(0x55555555)) << U(1))
    x = U(U(x >> U(2)) & U(0x33333333)) | U(U(x & U(0x33333333)) << U(2))
    x = U(U(x >> U(4)) & U(0x0F0F0F0F)) | U(U(x & U(0x0F0F0F0F)) << U(4))
    x = U(U(x >> U(8)) & U(0x00FF00FF)) | U(U(x & U(0x00FF00FF)) << U(8))
    return U(U(x >> U(16)) | U(x << U(16)))


@njit(**INLINE)
def _mixed(x, seed):
    """Bits of which each depends on those below it: nested uniform scrambling in base 2 of a number in reverse."""
    x = U(x ^ U(x * U(0x3D20ADEA)))
    x = U(x + U(seed))
    x = U(x * U(U(seed >> U(16)) | U(1)))
    x = U(x ^ U(x * U(0x05526C56)))
    return U(x ^ U(x * U(0x53A22864)))


@njit(**INLINE)
def _second(index):
    """The second dimension of Sobol's sequence, in reverse: Pascal's triangle modulo 2 times the index, in five
    steps, since it is the Kronecker power of its upper corner."""
    index = U(index ^ U(U(index >> U(1)) & U(0x55555555)))
    index = U(index ^ U(U(index >> U(2)) & U(0x33333333)))
    index = U(index ^ U(U(index >> U(4)) & U(0x0F0F0F0F)))
    index = U(index ^ U(U(index >> U(8)) & U(0x00FF00FF)))
    return U(index ^ U(index >> U(16)))


@njit(**INLINE)
def pair(pixel, sample, which, seed):
    """Two numbers from 0 up to 1: the sample's place in a pair of dimensions of a pixel's sequence."""
    own = hashed(U(U(pixel) ^ hashed(U(U(which) * U(0x9E3779B9) + U(seed)))))
    index = _reversed(_mixed(_reversed(U(sample)), own))
    x = _reversed(_mixed(index, hashed(U(own + U(1)))))
    y = _reversed(_mixed(_second(index), hashed(U(own + U(2)))))
    # 24 bits, which a float32 holds below 1
    return F(U(x >> U(8))) * F(1.0 / (1 << 24)), F(U(y >> U(8))) * F(1.0 / (1 << 24))


@njit(**INLINE)
def pairs(pixels, samples, count, which, seed, row, out, part=0, parts=1):
    """Writes the pairs of many pixels and their samples, of the first `count`, to two rows of `out` from `row` on. A
    processor draws several at once, in a sixth of the time that each would take by itself.

    part, parts : which of how many pairs of each sample; together they are one sequence.
    """
    for i in range(count):
        x, y = pair(pixels[i], samples[i] * np.int32(parts) + np.int32(part), which, seed)
        out[row, i] = x
        out[row + 1, i] = y
