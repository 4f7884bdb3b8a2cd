"""Around the rays of masks: where they begin and go, and what they have found."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import LOOP

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")


@njit(types.void(IN2, IN2, IN2, IN1, IN1, IN1, OUT2, OUT2, OUT1), **LOOP)
def hemisphere(position, normal, places, turn, lift, reach, origins, ways, far):
    """Rays over points (n, 3), as many for each as there are `places` (k, 2) in a disc, raised to the half sphere.

    turn : (n,) radians, of the disc over each point. lift, reach : (n,) metres, where rays begin and how far they go.
    origins, ways : (n k, 3). far : (n k,). The frame follows the normal alone (T. Duff et al., Building an orthonormal
    basis, revisited, JCGT 6(1), 2017).
    """
    count = len(places)
    for i in range(len(position)):
        x, y, z = normal[i, 0], normal[i, 1], normal[i, 2]
        sign = F(1) if z >= F(0) else F(-1)
        a = F(-1) / (sign + z)
        b = x * y * a
        tx, ty, tz = F(1) + sign * x * x * a, sign * b, -sign * x
        bx, by, bz = b, sign + y * y * a, -y
        ox, oy, oz = position[i, 0] + x * lift[i], position[i, 1] + y * lift[i], position[i, 2] + z * lift[i]
        cosine, sine = math.cos(turn[i]), math.sin(turn[i])
        for k in range(count):
            at = i * count + k
            u = places[k, 0] * cosine - places[k, 1] * sine
            v = places[k, 0] * sine + places[k, 1] * cosine
            w = math.sqrt(max(F(1) - u * u - v * v, F(0)))
            origins[at, 0], origins[at, 1], origins[at, 2] = ox, oy, oz
            ways[at, 0] = tx * u + bx * v + x * w
            ways[at, 1] = ty * u + by * v + y * w
            ways[at, 2] = tz * u + bz * v + z * w
            far[at] = reach[i]


@njit(types.void(IN1, WHOLE1, IN1, f4, OUT1), **LOOP)
def closed(length, triangle, reach, fade, out):
    """The share of each point's rays (n k,) that have met something, (n,): less what is further by the power `fade`.

    length : (n k,) metres. triangle : (n k,), -1 for nothing. reach : (n,).
    """
    count = len(length) // len(out)
    for i in range(len(out)):
        total = F(0)
        for k in range(count):
            at = i * count + k
            if triangle[at] >= 0 and length[at] <= reach[i]:
                total += F(1) if fade == F(0) else (F(1) - min(length[at] / reach[i], F(1))) ** fade
        out[i] = total / F(count)
