"""Loops over the triangles of a mesh: what hangs together, and what a scene keeps of each."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import EXACT, EXACT_INLINE

WHOLE2 = types.Array(types.int32, 2, "C", readonly=True)
FLOAT2 = types.Array(types.float32, 2, "C", readonly=True)
OUT_WHOLE1 = types.Array(types.int32, 1, "C")
OUT_SHORT1 = types.Array(types.int16, 1, "C")
OUT_ROWS = types.Array(types.float32, 2, "A")  # some columns of wider rows


@njit(types.int64(WHOLE2, OUT_WHOLE1, OUT_WHOLE1), **EXACT)
def connect(triangles, parent, piece):
    """Numbers connected pieces in the order of their first triangles; how many there are.

    triangles : (t, 3) of v vertices. parent : (v,), each its own number; used up. piece : (t,), filled.
    Disjoint sets with halved paths (R. Tarjan and J. van Leeuwen, Worst-case analysis of set union algorithms, 1984).
    """
    for t in range(len(triangles)):
        for corner in range(1, 3):
            a, b = triangles[t, corner - 1], triangles[t, corner]
            while parent[a] != a:
                parent[a] = parent[parent[a]]
                a = parent[a]
            while parent[b] != b:
                parent[b] = parent[parent[b]]
                b = parent[b]
            if a < b:
                parent[b] = a
            else:
                parent[a] = b
    count = 0
    number = np.full(len(parent), -1, np.int32)
    for t in range(len(triangles)):
        root = triangles[t, 0]
        while parent[root] != root:
            root = parent[root]
        if number[root] < 0:
            number[root] = count
            count += 1
        piece[t] = number[root]
    return count


@njit(types.void(WHOLE2, FLOAT2, FLOAT2, FLOAT2, FLOAT2, OUT_ROWS), **EXACT)
def corners(triangles, world, own, normals, turn, out):
    """Fills rows (3 t, 9) with the position of each corner in world and object space, and its normal in world space.

    triangles : (t, 3). world, own : (v, 3). normals : (3 t, 3) in object space. turn : (3, 3), for row vectors.
    """
    for t in range(len(triangles)):
        for corner in range(3):
            row, vertex = 3 * t + corner, triangles[t, corner]
            for axis in range(3):
                out[row, axis] = world[vertex, axis]
                out[row, 3 + axis] = own[vertex, axis]
                out[row, 6 + axis] = (
                    normals[row, 0] * turn[0, axis] + normals[row, 1] * turn[1, axis] + normals[row, 2] * turn[2, axis]
                )


@njit(types.void(WHOLE2, FLOAT2, FLOAT2, FLOAT2, OUT_ROWS), **EXACT)
def frames(triangles, own, uv, turn, out):
    """Fills rows (t, 9) with each triangle's normal, and how far the position moves for one unit of u and of v.

    uv : (3 t, 2); (0, 2) for none. turn : see `corners`. Where a triangle has no area in UV, two directions in it at
    right angles stand in.
    """
    n, u, v = np.empty(3), np.empty(3), np.empty(3)
    for t in range(len(triangles)):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        e1x, e1y, e1z = own[b, 0] - own[a, 0], own[b, 1] - own[a, 1], own[b, 2] - own[a, 2]
        e2x, e2y, e2z = own[c, 0] - own[a, 0], own[c, 1] - own[a, 1], own[c, 2] - own[a, 2]
        n[0], n[1], n[2] = e1y * e2z - e1z * e2y, e1z * e2x - e1x * e2z, e1x * e2y - e1y * e2x
        length = np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
        if length > 0.0:
            n[0], n[1], n[2] = n[0] / length, n[1] / length, n[2] / length
        area = np.float32(0)
        if len(uv) > 0:
            d1u, d1v = uv[3 * t + 1, 0] - uv[3 * t, 0], uv[3 * t + 1, 1] - uv[3 * t, 1]
            d2u, d2v = uv[3 * t + 2, 0] - uv[3 * t, 0], uv[3 * t + 2, 1] - uv[3 * t, 1]
            area = d1u * d2v - d1v * d2u
            if abs(area) > np.float32(1e-12):
                u[0], u[1], u[2] = e1x * d2v - e2x * d1v, e1y * d2v - e2y * d1v, e1z * d2v - e2z * d1v
                v[0], v[1], v[2] = e2x * d1u - e1x * d2u, e2y * d1u - e1y * d2u, e2z * d1u - e1z * d2u
                for axis in range(3):
                    u[axis] /= area
                    v[axis] /= area
        if not abs(area) > np.float32(1e-12):
            if abs(n[1]) < 0.9:  # a direction that is not the normal's own: upwards, else to the right
                u[0], u[1], u[2] = n[2], 0.0, -n[0]
            else:
                u[0], u[1], u[2] = 0.0, -n[2], n[1]
            length = np.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2])
            if length > 0.0:
                u[0], u[1], u[2] = u[0] / length, u[1] / length, u[2] / length
            v[0], v[1], v[2] = n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]
        for axis in range(3):
            out[t, axis] = n[0] * turn[0, axis] + n[1] * turn[1, axis] + n[2] * turn[2, axis]
            out[t, 3 + axis] = u[0] * turn[0, axis] + u[1] * turn[1, axis] + u[2] * turn[2, axis]
            out[t, 6 + axis] = v[0] * turn[0, axis] + v[1] * turn[1, axis] + v[2] * turn[2, axis]


# ---- tangents ----------------------------------------------------------------------------------

RECENT = 64  # corners at a vertex among which those that a further one hangs together with are looked for
SAME = np.float32(1e-5)
WHOLE = 32767.0  # stands for 1 where a number is kept in 16 bits


@njit(**EXACT_INLINE)
def _across(vector, normal):
    """A direction of length 1 at right angles to a normal; zero where there is none."""
    d = vector[0] * normal[0] + vector[1] * normal[1] + vector[2] * normal[2]
    x, y, z = vector[0] - d * normal[0], vector[1] - d * normal[1], vector[2] - d * normal[2]
    square = x * x + y * y + z * z
    scale = 1.0 / np.sqrt(square) if square > 1e-24 else 0.0
    return x * scale, y * scale, z * scale


@njit(**EXACT_INLINE)
def _edge(positions, start, end):
    return (
        float(positions[end, 0]) - positions[start, 0],
        float(positions[end, 1]) - positions[start, 1],
        float(positions[end, 2]) - positions[start, 2],
    )


@njit(**EXACT_INLINE)
def _uv_edges(uv, t):
    """Two edges of a triangle in UV, and its handedness there: 1, -1 where mirrored, 0 without an area."""
    u1, v1 = float(uv[3 * t + 1, 0]) - uv[3 * t, 0], float(uv[3 * t + 1, 1]) - uv[3 * t, 1]
    u2, v2 = float(uv[3 * t + 2, 0]) - uv[3 * t, 0], float(uv[3 * t + 2, 1]) - uv[3 * t, 1]
    area = u1 * v2 - v1 * u2
    side = 0.0
    if abs(area) > 1e-12:
        side = 1.0 if area > 0 else -1.0
    return v1, v2, side


@njit(**EXACT_INLINE)
def _alike(a, b, normals, uv):
    """Whether two corners of a vertex have the same normal and UV."""
    return (
        abs(uv[a, 0] - uv[b, 0]) < SAME
        and abs(uv[a, 1] - uv[b, 1]) < SAME
        and abs(normals[a, 0] - normals[b, 0]) < SAME
        and abs(normals[a, 1] - normals[b, 1]) < SAME
        and abs(normals[a, 2] - normals[b, 2]) < SAME
    )


@njit(**EXACT_INLINE)
def _beside(a, b, triangles, normals, uv):
    """Whether the triangles of two corners of a vertex share one of the edges there, with the same normals and UVs."""
    next_a, last_a = (a + 1) % 3, (a + 2) % 3
    next_b, last_b = (b + 1) % 3, (b + 2) % 3
    t, other = a // 3, b // 3
    if triangles[t, next_a] == triangles[other, last_b]:
        far, from_far = 3 * t + next_a, 3 * other + last_b
    elif triangles[t, last_a] == triangles[other, next_b]:
        far, from_far = 3 * t + last_a, 3 * other + next_b
    else:
        return False
    if not (_alike(a, b, normals, uv) and _alike(far, from_far, normals, uv)):
        return False
    return _uv_edges(uv, t)[2] == _uv_edges(uv, other)[2]


@njit(**EXACT_INLINE)
def _root(parent, corner):
    while parent[corner] != corner:
        parent[corner] = parent[parent[corner]]
        corner = parent[corner]
    return corner


@njit(**EXACT_INLINE)
def _link(triangles, normals, uv, parent, last, before):
    """Sets `parent` (3 t,), whose roots are the first of the corners that hang together.

    last : (v,), -1; becomes the corner of each vertex that was seen last. before : (3 t,), becomes the one before each.
    """
    for corner in range(len(parent)):
        parent[corner] = corner
        vertex = triangles[corner // 3, corner % 3]
        before[corner] = other = last[vertex]
        last[vertex] = corner
        for _ in range(RECENT):
            if other < 0:
                break
            if _beside(other, corner, triangles, normals, uv):
                a, b = _root(parent, other), _root(parent, corner)
                parent[max(a, b)] = min(a, b)
            other = before[other]


@njit(**EXACT_INLINE)
def _quarter(cosine, sine):
    """The tangent of a quarter of an angle, from -1 to 1, whose cosine and sine are given times any length."""
    length = np.sqrt(cosine * cosine + sine * sine)
    if length < 1e-12:
        return 0.0
    half = np.sqrt(max((1.0 + cosine / length) / 2.0, 0.0))  # cosine of half the angle
    return np.sqrt(max(1.0 - half, 0.0) / (1.0 + half)) * (1.0 if sine >= 0.0 else -1.0)


@njit(types.void(WHOLE2, FLOAT2, FLOAT2, FLOAT2, OUT_SHORT1), **EXACT)
def tangent_turns(triangles, positions, normals, uv, out):
    """Fills (3 t,): by which angle each corner's tangent is turned away from its own face's direction of u.

    The angle is around the corner's normal, and WHOLE times the tangent of its quarter is given; 0 where a face has no
    area in UV. The tangents are those of MikkTSpace, which normal maps are baked for (M. Mikkelsen, Simulation of
    Wrinkled Surfaces Revisited, 2008): at a corner the directions of u of all faces around its vertex that hang
    together there, with one normal, UV and handedness, laid across the normal, count by the angle that they have.
    """
    count = len(out)
    parent, own = np.empty(count, np.int32), np.empty(count, np.int32)
    _link(triangles, normals, uv, parent, np.full(len(positions), -1, np.int32), own)
    sums = np.zeros((count, 2), np.float32)  # of the roots: along an axis across their normal, and across that
    for t in range(len(triangles)):
        v1, v2, side = _uv_edges(uv, t)
        first = _edge(positions, triangles[t, 0], triangles[t, 1])
        second = _edge(positions, triangles[t, 0], triangles[t, 2])
        along = (
            side * (first[0] * v2 - second[0] * v1),
            side * (first[1] * v2 - second[1] * v1),
            side * (first[2] * v2 - second[2] * v1),
        )
        third = second[0] - first[0], second[1] - first[1], second[2] - first[2]
        for at in range(3):
            corner = 3 * t + at
            root = _root(parent, corner)
            normal = float(normals[root, 0]), float(normals[root, 1]), float(normals[root, 2])
            axis = _across((0.0, 1.0, 0.0) if abs(normal[1]) < 0.9 else (1.0, 0.0, 0.0), normal)
            beside = (
                normal[1] * axis[2] - normal[2] * axis[1],
                normal[2] * axis[0] - normal[0] * axis[2],
                normal[0] * axis[1] - normal[1] * axis[0],
            )
            u = _across(along, normal)
            cosine = u[0] * axis[0] + u[1] * axis[1] + u[2] * axis[2]
            sine = u[0] * beside[0] + u[1] * beside[1] + u[2] * beside[2]
            one = _across(second if at == 2 else first, normal)
            other = _across(second if at == 0 else third, normal)
            opening = one[0] * other[0] + one[1] * other[1] + one[2] * other[2]
            angle = np.arccos(min(max(opening if at != 1 else -opening, -1.0), 1.0))
            sums[root, 0] += cosine * angle
            sums[root, 1] += sine * angle
            own[corner] = (round(cosine * WHOLE) << 16) | (round(sine * WHOLE) & 0xFFFF)
    for corner in range(count):
        root = _root(parent, corner)
        cosine, sine = own[corner] >> 16, np.int16(own[corner] & 0xFFFF)
        along = sums[root, 0] * cosine + sums[root, 1] * sine
        out[corner] = round(_quarter(along, sums[root, 1] * cosine - sums[root, 0] * sine) * WHOLE)
