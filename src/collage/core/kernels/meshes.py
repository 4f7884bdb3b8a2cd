"""Loops over the triangles of a mesh: what hangs together, and what a scene keeps of each."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import EXACT

WHOLE2 = types.Array(types.int32, 2, "C", readonly=True)
FLOAT2 = types.Array(types.float32, 2, "C", readonly=True)
OUT_WHOLE1 = types.Array(types.int32, 1, "C")
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
