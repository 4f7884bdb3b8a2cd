"""A ray over a point, and what it has found. Helpers of the kernels of masks, compiled into them."""

from __future__ import annotations

import numpy as np
from numba import njit

from collage.core.kernels.flags import INLINE
from collage.core.kernels.reflection import any_frame

F = np.float32


@njit(**INLINE)
def send(position, normal, lift, i, way, at, origins, ways):
    """Writes a ray over point i. way : of length 1, with the normal as its third axis; the rest of the frame follows
    the normal alone."""
    x, y, z = normal[i, 0], normal[i, 1], normal[i, 2]
    t, b = any_frame((x, y, z))
    for axis in range(3):
        origins[at, axis] = position[i, axis] + normal[i, axis] * lift[i]
        ways[at, axis] = t[axis] * way[0] + b[axis] * way[1] + normal[i, axis] * way[2]


@njit(**INLINE)
def closes(length, triangle, reach, fade):
    """How much a ray's hit closes: less what is further by the power `fade`."""
    if (triangle < 0) | (length > reach):
        return F(0)
    return F(1) if fade == F(0) else (F(1) - min(length / reach, F(1))) ** fade
