"""Around the rays of masks: where they begin and go, and what they have found."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.around import closes, send
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
    origins, ways : (n k, 3). far : (n k,).
    """
    count = len(places)
    for i in range(len(position)):
        cosine, sine = math.cos(turn[i]), math.sin(turn[i])
        for k in range(count):
            at = i * count + k
            u = places[k, 0] * cosine - places[k, 1] * sine
            v = places[k, 0] * sine + places[k, 1] * cosine
            way = (u, v, math.sqrt(max(F(1) - u * u - v * v, F(0))))
            send(position, normal, lift, i, way, at, origins, ways)
            far[at] = reach[i]


@njit(types.void(IN1, WHOLE1, IN1, f4, OUT2), **LOOP)
def closed(length, triangle, reach, fade, out):
    """What each ray of each point has found, (n, k), 0 to 1.

    length : (n k,) metres. triangle : (n k,), -1 for nothing. reach : (n,).
    """
    count = out.shape[1]
    for i in range(len(out)):
        for k in range(count):
            at = i * count + k
            out[i, k] = closes(length[at], triangle[at], reach[i], fade)
