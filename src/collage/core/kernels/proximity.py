"""Around the rays of masks: where they begin and go, and what they have found."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import INLINE, LOOP, LOOP_WITH_ROOM, PART

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
CELLS = types.Array(i4, 1, "C")


@njit(**INLINE)
def _counted(length, triangle, reach, fade):
    """What a ray counts that has met something: less what is further, by the power `fade`; 0 for nothing met."""
    if triangle < 0 or length > reach:
        return F(0)
    return F(1) if fade == F(0) else (F(1) - min(length / reach, F(1))) ** fade


@njit(**INLINE)
def _raised(normal, u, v, way):
    """Writes to `way` (3,) the direction over a normal (3,) that lies above place u, v of a disc. The frame follows the
    normal alone (T. Duff et al., Building an orthonormal basis, revisited, JCGT 6(1), 2017)."""
    x, y, z = normal[0], normal[1], normal[2]
    sign = F(1) if z >= F(0) else F(-1)
    a = F(-1) / (sign + z)
    b = x * y * a
    w = math.sqrt(max(F(1) - u * u - v * v, F(0)))
    way[0] = (F(1) + sign * x * x * a) * u + b * v + x * w
    way[1] = sign * b * u + (sign + y * y * a) * v + y * w
    way[2] = -sign * x * u - y * v + z * w


@njit(**INLINE)
def _begin(position, normal, lift, origin):
    for axis in range(3):
        origin[axis] = position[axis] + normal[axis] * lift


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
            _begin(position[i], normal[i], lift[i], origins[at])
            _raised(normal[i], u, v, ways[at])
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
            total += _counted(length[at], triangle[at], reach[i], fade)
        out[i] = total / F(count)


@njit(**INLINE)
def _on_disc(x, y, out):
    """Writes where places of the unit square lie in the disc, areas kept (P. Shirley and K. Chiu, A low distortion map
    between disk and square, JGT 2(3), 1997)."""
    a, b = F(2) * x - F(1), F(2) * y - F(1)
    if a == F(0) and b == F(0):
        out[0], out[1] = F(0), F(0)
        return
    quarter = F(math.pi / 4)
    if abs(a) > abs(b):
        radius, angle = a, quarter * b / a
    else:
        radius, angle = b, F(math.pi / 2) - quarter * a / b
    out[0], out[1] = radius * math.cos(angle), radius * math.sin(angle)


@njit(types.void(IN1, IN1, OUT2), **LOOP)
def on_disc(across, down, out):
    """Places (n, 2) in the disc of places in the unit square, see `_on_disc`."""
    for i in range(len(across)):
        _on_disc(across[i], down[i], out[i])


@njit(**PART)
def _shared_out(values, side, more, counts):
    """How many of `more` rays each cell of a square (side side,) gets, by how much its value differs from those of the
    eight beside it; alike for all where all are equal."""
    total = F(0)
    differs = np.zeros(len(values), np.float32)
    for row in range(side):
        for column in range(side):
            low = high = values[row * side + column]
            for r in range(max(row - 1, 0), min(row + 2, side)):
                for c in range(max(column - 1, 0), min(column + 2, side)):
                    low, high = min(low, values[r * side + c]), max(high, values[r * side + c])
            differs[row * side + column] = high - low
            total += high - low
    due, given = 0.0, 0
    for cell in range(len(values)):
        due += more * (differs[cell] / total if total > F(0) else 1 / len(values))
        counts[cell] = min(int(due + 0.5), more) - given
        given += counts[cell]
    counts[len(values) - 1] += more - given


@njit(types.void(IN2, IN2, IN1, IN1, IN1, WHOLE1, f4, i4, CELLS, OUT2, OUT2, OUT1), **LOOP_WITH_ROOM)
def where_it_changes(position, normal, lift, reach, length, triangle, fade, side, cells, origins, ways, far):
    """More rays over points (n, 3), in those cells of the disc (n side side,) where the first rays differ.

    length, triangle : of the first rays. cells : (n m,) receives the cell of each further ray. origins, ways : (n m, 3).
    Inside a cell, rays lie on a lattice of the golden ratio, turned and mirrored from cell to cell.
    """
    count = side * side
    more = len(cells) // max(len(position), 1)
    values, counts = np.empty(count, np.float32), np.empty(count, np.int32)
    place = np.empty(2, np.float32)
    for i in range(len(position)):
        for k in range(count):
            values[k] = _counted(length[i * count + k], triangle[i * count + k], reach[i], fade)
        _shared_out(values, side, more, counts)
        at = i * more
        for k in range(count):
            for number in range(counts[k]):
                x, y = (number + 0.5) / counts[k], (number * 0.6180339887 + k * 0.7548776662) % 1.0
                if k % 2 == 1:
                    x, y = y, x
                if k % 4 > 1:
                    x, y = 1 - x, 1 - y
                _on_disc(F((k % side + x) / side), F((k // side + y) / side), place)
                _begin(position[i], normal[i], lift[i], origins[at])
                _raised(normal[i], place[0], place[1], ways[at])
                far[at], cells[at] = reach[i], k
                at += 1


@njit(types.void(IN1, WHOLE1, IN1, WHOLE1, WHOLE1, IN1, f4, OUT1), **LOOP_WITH_ROOM)
def closed_by_cells(length, triangle, more_length, more_triangle, cells, reach, fade, out):
    """The share of the half sphere over each point that is closed, (n,): the mean of the means of its cells."""
    count, more = len(length) // len(out), len(cells) // len(out)
    total, rays = np.empty(count, np.float32), np.empty(count, np.float32)
    for i in range(len(out)):
        for k in range(count):
            total[k] = _counted(length[i * count + k], triangle[i * count + k], reach[i], fade)
            rays[k] = F(1)
        for at in range(i * more, (i + 1) * more):
            total[cells[at]] += _counted(more_length[at], more_triangle[at], reach[i], fade)
            rays[cells[at]] += F(1)
        out[i] = (total / rays).sum() / F(count)
