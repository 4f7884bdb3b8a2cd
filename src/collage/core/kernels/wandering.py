"""Paths of light in what scatters it, from one place where they are sent another way to the next."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels import path_rows as p
from collage.core.kernels.flags import INLINE, LOOP
from collage.core.kernels.reflection import PI, any_frame, in_frame, unit
from collage.core.kernels.sequence import pair

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
OUT2 = types.Array(f4, 2, "C")
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
WHOLE2 = types.Array(i4, 2, "C", readonly=True)
TRUTHS = types.Array(types.uint8, 1, "C")

WANDERING = 1 << 21  # the first pair of numbers drawn, see kernels.paths
MOST_STEPS = 512  # of a path below a surface
LITTLE = F(0.1)  # carried, below which paths end by lot


@njit(**INLINE)
def _new_way(way, forward, drawn):
    """Where scattered light goes (L. G. Henyey and J. L. Greenstein, Diffuse radiation in the galaxy, 1941)."""
    if abs(forward) < F(1e-3):
        cosine = F(1) - F(2) * drawn[0]
    else:
        part = (F(1) - forward * forward) / (F(1) - forward + F(2) * forward * drawn[0])
        cosine = (F(1) + forward * forward - part * part) / (F(2) * forward)
    cosine = min(max(cosine, F(-1)), F(1))
    sine, turn = math.sqrt(F(1) - cosine * cosine), F(2) * PI * drawn[1]
    x, y = sine * math.cos(turn), sine * math.sin(turn)
    t, b = any_frame(way)
    x, y, z = in_frame(t, b, way, x, y, cosine)
    return unit(x, y, z)


@njit(types.void(WHOLE1, IN1, WHOLE1, OUT2, OUT2, OUT2, TRUTHS, WHOLE1, WHOLE2, i4, i4, i4), **LOOP)
def wander(some, lengths, triangle, origins, ways, paths, going, pixel, own, bounce, step, seed):
    """One step of paths in what scatters light: to where they are sent another way, or to a surface.

    some : (m,) which paths. lengths, triangle : (m,) how far the next surface is, -1 for none. origins, ways : (n, 3),
    paths : (ROWS, n), carried on. going : (m,) filled, whether a path is to go on wandering; one that meets a surface
    stays where it is, its share absorbed until there is taken by kernels.paths.meet. pixel to seed : see scatter in
    kernels.scattering. A channel is drawn for the length, and all are weighed by all of them (the balance heuristic of
    E. Veach, 1997).
    """
    for at in range(some.size):
        j = some[at]
        going[at] = 0
        carried = paths[p.CARRIED, j], paths[p.CARRIED + 1, j], paths[p.CARRIED + 2, j]
        total = carried[0] + carried[1] + carried[2]
        is_open = triangle[at] < 0
        if (not total > F(0)) | (is_open & (paths[p.INSIDE, j] > F(0))):  # glass that is open has no inside
            continue
        whose, sample, number = own[0, pixel[j]], own[1, pixel[j]], WANDERING + 3 * (bounce * MOST_STEPS + step)
        which, far = pair(whose, sample, number, seed)
        which *= total
        channel = 0 if which < carried[0] else (1 if which < carried[0] + carried[1] else 2)
        dense = paths[p.ABSORBED + channel, j] + paths[p.SCATTERED + channel, j]
        length = -math.log(F(1) - far) / dense if dense > F(0) else F(1e30)
        scattered = is_open | (length < lengths[at])  # below a sheet it goes on for ever
        length = length if is_open else min(length, lengths[at])
        likely, brightest = F(0), F(0)
        for one in range(3):
            dense = paths[p.ABSORBED + one, j] + paths[p.SCATTERED + one, j]
            likely += carried[one] / total * math.exp(-dense * length) * (dense if scattered else F(1))
        for one in range(3):
            spread, lost = paths[p.SCATTERED + one, j], paths[p.ABSORBED + one, j]
            left = math.exp(-(spread + lost) * length) * spread if scattered else math.exp(-spread * length)
            paths[p.CARRIED + one, j] = carried[one] * left / max(likely, F(1e-30))
            brightest = max(brightest, paths[p.CARRIED + one, j])
        if not scattered:
            continue
        keep = min(brightest / LITTLE, F(1))
        if (keep < F(1)) & (pair(whose, sample, number + 2, seed)[0] >= keep):
            for one in range(3):
                paths[p.CARRIED + one, j] = F(0)
            continue
        way = _new_way((ways[j, 0], ways[j, 1], ways[j, 2]), paths[p.FORWARD, j], pair(whose, sample, number + 1, seed))
        for axis in range(3):
            origins[j, axis] += ways[j, axis] * length
            ways[j, axis] = way[axis]
            paths[p.CARRIED + axis, j] /= keep
        going[at] = 1
