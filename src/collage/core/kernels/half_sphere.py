"""Edges between the rays of a half sphere: where they are looked for, and what of the half sphere they close."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.around import closes, send
from collage.core.kernels.flags import INLINE, LOOP
from collage.core.kernels.reflection import PI, edge, unit

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
WHOLE2 = types.Array(i4, 2, "C", readonly=True)
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
OUT_WHOLE1 = types.Array(i4, 1, "C")
OUT_WHOLE2 = types.Array(i4, 2, "C")

LOWEST = F(0.04)  # height of a ray over the horizon, of its length: those below run into the surface they begin on
JUMP = F(0.25)  # between what two neighbouring rays find, from which on an edge lies between them
ENDS = 2  # rays with but one like them beside them that make nothing slim: a wedge of sky ends in such


@njit(types.void(IN2, WHOLE2, i4, i4, OUT_WHOLE1, OUT_WHOLE2, OUT_WHOLE1, OUT2, OUT2, OUT2, OUT2), **LOOP)
def find_edges(values, sides, inner, most, like, which, number, low, high, before, behind):
    """Pairs of neighbouring rays between which an edge lies.

    values : (n, k), what rays have found. sides : (s, 2), pairs of neighbours; the first `inner` rays have neighbours
    all around. like : (k,), room. which : (n, s), the pairs of each point; number : (n,), how many, or -1 where there
    are more than `most` of them, or where something is so slim that single rays, or rows of them, have met it.
    low to behind : see `between` and `narrow`, filled for these pairs.
    """
    for i in range(len(values)):
        like[:] = 0
        found = 0
        for s in range(len(sides)):
            a, b = sides[s, 0], sides[s, 1]
            if abs(values[i, a] - values[i, b]) > JUMP:
                which[i, found] = s
                low[i, s], high[i, s], before[i, s], behind[i, s] = F(0), F(1), values[i, a], values[i, b]
                found += 1
            else:
                like[a] += 1
                like[b] += 1
        alone, ends = 0, 0
        for k in range(inner):
            alone += like[k] == 0
            ends += like[k] == 1
        number[i] = -1 if (alone > 0) | (ends > ENDS) | (found > most) else found


@njit(**INLINE)
def _part_way(directions, a, b, share):
    """A direction between two, on the arc from one to the other."""
    rest = F(1) - share
    return unit(
        directions[a, 0] * rest + directions[b, 0] * share,
        directions[a, 1] * rest + directions[b, 1] * share,
        directions[a, 2] * rest + directions[b, 2] * share,
    )


@njit(**INLINE)
def _raised(way):
    """A direction that is no lower than LOWEST."""
    if way[2] >= LOWEST:
        return way
    wide = math.sqrt((F(1) - LOWEST * LOWEST) / max(way[0] * way[0] + way[1] * way[1], F(1e-12)))
    return way[0] * wide, way[1] * wide, LOWEST


@njit(
    types.int64(
        IN2, IN2, IN2, WHOLE2, IN1, IN1, WHOLE2, WHOLE1, OUT_WHOLE1, IN2, IN2, OUT_WHOLE2, OUT2, OUT2, OUT1
    ),
    **LOOP,
)  # fmt: skip
def between(
    position, normal, directions, sides, lift, reach, which, number, left, low, high, sent, origins, ways, far
):  # fmt: skip
    """Rays half way between the ends of what is known of each edge; the number of them.

    which, number : see `find_edges`. left : (n,), rays that each point may send yet. low, high : (n, s), between which
    shares of the way from one ray of a pair to the other its edge lies. sent : (r, 2), point and pair of each ray.
    """
    count = 0
    for i in range(len(position)):
        some = max(min(number[i], left[i]), 0)
        for at in range(some):
            s = which[i, at]
            way = _part_way(directions, sides[s, 0], sides[s, 1], F(0.5) * (low[i, s] + high[i, s]))
            send(position, normal, lift, i, _raised(way), count, origins, ways)
            far[count] = reach[i]
            sent[count, 0], sent[count, 1] = i, s
            count += 1
        left[i] -= some
    return count


@njit(types.void(IN1, WHOLE1, WHOLE2, IN1, f4, OUT2, OUT2, OUT2, OUT2), **LOOP)
def narrow(length, triangle, sent, reach, fade, low, high, before, behind):
    """Moves one end of what is known of each edge to the ray between, by what that has found.

    before, behind : (n, s), what was found at both ends.
    """
    for at in range(len(length)):
        i, s = sent[at, 0], sent[at, 1]
        value, middle = closes(length[at], triangle[at], reach[i], fade), F(0.5) * (low[i, s] + high[i, s])
        if abs(value - before[i, s]) <= abs(value - behind[i, s]):
            low[i, s], before[i, s] = middle, value
        else:
            high[i, s], behind[i, s] = middle, value


@njit(**INLINE)
def _crossed(directions, sides, s, i, low, high):
    """Where an edge crosses side s."""
    return _part_way(directions, sides[s, 0], sides[s, 1], F(0.5) * (low[i, s] + high[i, s]))


@njit(**INLINE)
def _cut_off(directions, sides, corner, one, other, i, low, high):
    """The share of the half sphere, by the cosine, that edges across two sides cut off at a triangle's corner: that of
    a polygon whose sides are straight (J. H. Lambert, Photometria, 1760)."""
    up = (F(0), F(0), F(1))
    a = (directions[corner, 0], directions[corner, 1], directions[corner, 2])
    b, c = _crossed(directions, sides, one, i, low, high), _crossed(directions, sides, other, i, low, high)
    return abs(edge(a, b, up) + edge(b, c, up) + edge(c, a, up)) / (F(2) * PI)


@njit(**INLINE)
def _split(values, directions, sides, corners, across, area, i, low, high, before, behind):
    """What a triangle of rays finds in all, two sides of which are crossed by an edge. corners : the one cut off, and
    the others. across : the sides that are crossed."""
    corner, one, other = corners
    part = min(_cut_off(directions, sides, corner, across[0], across[1], i, low, high), area)
    near, far = values[i, corner], values[i, one] + values[i, other]
    for s in across:
        first = sides[s, 0] == corner
        near += before[i, s] if first else behind[i, s]
        far += behind[i, s] if first else before[i, s]
    return near / F(3) * part + far / F(4) * (area - part)


@njit(types.void(IN2, IN2, WHOLE2, WHOLE2, WHOLE2, IN1, IN1, WHOLE1, IN2, IN2, IN2, IN2, OUT1), **LOOP)
def closed_between(
    values, directions, sides, triangles, sides_of, areas, weights, number, low, high, before, behind, out
):  # fmt: skip
    """The share of the half sphere that is closed, (n,), with edges where they were found to lie.

    directions : (k, 3). triangles : (t, 3) of them, sides_of : (t, 3) the sides from each corner to the next, areas :
    (t,) shares of the half sphere, by the cosine; weights : (k,) of the rays where no edges are.
    """
    for i in range(len(values)):
        total = F(0)
        if number[i] <= 0:
            for k in range(len(weights)):
                total += weights[k] * values[i, k]
            out[i] = total
            continue
        for t in range(len(triangles)):
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            x, y, z = values[i, a], values[i, b], values[i, c]
            ab, bc, ca = abs(x - y) > JUMP, abs(y - z) > JUMP, abs(z - x) > JUMP
            p, q, r = sides_of[t, 0], sides_of[t, 1], sides_of[t, 2]
            corners, across = (a, b, c), (p, r)
            if bc & ab:
                corners, across = (b, c, a), (p, q)
            elif bc & ca:
                corners, across = (c, a, b), (q, r)
            if ab + bc + ca == 2:
                total += _split(values, directions, sides, corners, across, areas[t], i, low, high, before, behind)
            else:
                total += (x + y + z) / F(3) * areas[t]
        out[i] = total
