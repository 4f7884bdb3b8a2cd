"""Loops over the polygons of a mesh that is divided: its edges, what becomes of its triangles, and points on it."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import EXACT, EXACT_INLINE

WHOLE1 = types.Array(types.int64, 1, "C", readonly=True)
NUMBER1 = types.Array(types.int32, 1, "C", readonly=True)
TRUTH1 = types.Array(types.boolean, 1, "C", readonly=True)
REAL2 = types.Array(types.float64, 2, "C", readonly=True)
IN2 = types.Array(types.float32, 2, "C", readonly=True)
OUT_WHOLE1 = types.Array(types.int64, 1, "C")
OUT_NUMBER1 = types.Array(types.int32, 1, "C")
OUT_TRUTH1 = types.Array(types.boolean, 1, "C")
OUT_REAL2 = types.Array(types.float64, 2, "C")
SOME2 = types.Array(types.float32, 2, "A")  # some columns of a wider array


@njit(types.int64(WHOLE1, WHOLE1, OUT_NUMBER1, OUT_WHOLE1), **EXACT)
def number_edges(vertex, following, edge, corner):
    """Numbers edges in the order in which they are met, the same from both sides; how many there are.

    vertex, following : (c,) of each corner, and the next corner around its polygon. edge : (c,) filled, of the edge
    that begins at each corner. corner : (c,) filled as far as there are edges, the first corner of each.
    """
    size = 1
    while size < 2 * len(vertex):
        size *= 2
    place = np.full(size, -1, np.int32)  # an open table of edges, by a product of both ends
    edges = 0
    for c in range(len(vertex)):
        a, b = vertex[c], vertex[following[c]]
        low, high = min(a, b), max(a, b)
        key = (np.uint64(low) * np.uint64(0x9E3779B97F4A7C15)) ^ (np.uint64(high) * np.uint64(0xC2B2AE3D27D4EB4F))
        at = np.int64((key ^ (key >> np.uint64(29))) & np.uint64(size - 1))
        while True:
            found = place[at]
            if found < 0:
                place[at] = found = edges
                corner[edges] = c
                edges += 1
                break
            one = vertex[corner[found]]
            other = vertex[following[corner[found]]]
            if min(one, other) == low and max(one, other) == high:
                break
            at = (at + 1) & (size - 1)
        edge[c] = found
    return edges


# What becomes of a triangle by how many of its edges are halved, those first: by new triangle its corners, of which 0
# to 2 are the triangle's own and 3 to 5 the middles of the edges that begin there; and the edge, of those that were,
# on which each of its edges lies, or -1.
PARTS = np.array([
    [(0, 1, 2), (0, 0, 0), (0, 0, 0), (0, 0, 0)],
    [(0, 3, 2), (3, 1, 2), (0, 0, 0), (0, 0, 0)],
    [(3, 1, 4), (0, 3, 4), (0, 4, 2), (0, 0, 0)],
    [(0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5)],
])  # fmt: skip
LIES_ON = np.array([
    [(0, 1, 2), (-1, -1, -1), (-1, -1, -1), (-1, -1, -1)],
    [(0, -1, 2), (0, 1, -1), (-1, -1, -1), (-1, -1, -1)],
    [(0, 1, -1), (0, -1, -1), (-1, 1, 2), (-1, -1, -1)],
    [(0, -1, 2), (0, 1, -1), (-1, 1, 2), (-1, -1, -1)],
])  # fmt: skip


@njit(
    types.void(
        WHOLE1, REAL2, TRUTH1, WHOLE1, NUMBER1, WHOLE1, OUT_WHOLE1, OUT_REAL2, OUT_TRUTH1, OUT_WHOLE1
    ),
    **EXACT,
)  # fmt: skip
def halve(vertex, values, sharp, source, edge, middle, new_vertex, new_values, new_sharp, new_source):
    """Divides triangles by their halved edges: into one more than there are of those.

    vertex, values, sharp, source, edge : by corner, see subdivide.Cage. middle : by edge, the number of the vertex in
    its middle, -1 where it is not halved. new_... : the same of the new triangles, filled.
    """
    out, marked = 0, np.empty(3, np.bool_)
    for t in range(len(vertex) // 3):
        count = 0
        for corner in range(3):
            marked[corner] = middle[edge[3 * t + corner]] >= 0
            count += marked[corner]
        turn = 0
        if count == 1:
            while not marked[turn]:
                turn += 1
        elif count == 2:
            while marked[turn]:
                turn += 1
            turn = (turn + 1) % 3
        for part in range(count + 1):
            for corner in range(3):
                code = PARTS[count, part, corner]
                at = 3 * t + (code % 3 + turn) % 3
                if code < 3:
                    new_vertex[out] = vertex[at]
                    for column in range(values.shape[1]):
                        new_values[out, column] = values[at, column]
                else:
                    after = 3 * t + (code % 3 + turn + 1) % 3
                    new_vertex[out] = middle[edge[at]]
                    for column in range(values.shape[1]):
                        new_values[out, column] = (values[at, column] + values[after, column]) / 2
                on = LIES_ON[count, part, corner]
                new_sharp[out] = on >= 0 and sharp[3 * t + (max(on, 0) + turn) % 3]
                new_source[out] = source[3 * t]
                out += 1


@njit(types.void(NUMBER1, REAL2, NUMBER1, types.int64, OUT_TRUTH1), **EXACT)
def tell_apart(number, uv, region, count, told):
    """Marks the first corner of each number, and those that have another UV or region than that one.

    number, region : (c,). uv : (c, k). count : of the numbers. told : (c,), filled.
    """
    first = np.full(count, -1, np.int64)
    for c in range(len(number)):
        one = first[number[c]]
        if one < 0:
            first[number[c]] = c
            told[c] = True
            continue
        told[c] = region[c] != region[one]
        for column in range(uv.shape[1]):
            if abs(uv[c, column] - uv[one, column]) > 1e-6:
                told[c] = True


@njit(
    types.void(
        WHOLE1, WHOLE1, WHOLE1, REAL2, REAL2, REAL2, WHOLE1, OUT_REAL2, OUT_REAL2, OUT_REAL2, OUT_WHOLE1
    ),
    **EXACT,
)  # fmt: skip
def at_middles(corner, vertex, following, positions, ways, values, source, position, way, value, of):
    """Points in the middles of the edges that begin at some corners (n,): position and way (n, 3), value (n, k) and
    of (n,) are filled. The rest is as of subdivide.Cage; ways : (v, 3), which way vertices go."""
    for i in range(len(corner)):
        c = corner[i]
        after = following[c]
        a, b = vertex[c], vertex[after]
        length = 0.0
        for axis in range(3):
            position[i, axis] = (positions[a, axis] + positions[b, axis]) / 2
            way[i, axis] = ways[a, axis] + ways[b, axis]
            length += way[i, axis] * way[i, axis]
        length = np.sqrt(length)
        for axis in range(3):
            way[i, axis] /= length if length > 0 else 1.0
        for column in range(values.shape[1]):
            value[i, column] = (values[c, column] + values[after, column]) / 2
        of[i] = source[c]


@njit(types.void(WHOLE1, WHOLE1, REAL2, WHOLE1, types.int64, REAL2, OUT_REAL2), **EXACT)
def corner_normals(corners, vertex, places, one, count, before, normals):
    """Normals of corners (c, 3), filled: of the triangles around those that are shaded as one, by their areas.

    corners : (3 t,) of triangles. vertex : (c,). places : (v, 3). one : (c,) numbers up to `count`, see
    displaced.Fine. before : (c, 3), for triangles without an area.
    """
    total = np.zeros((count, 3))
    for t in range(len(corners) // 3):
        a, b, c = vertex[corners[3 * t]], vertex[corners[3 * t + 1]], vertex[corners[3 * t + 2]]
        ux, uy, uz = places[b, 0] - places[a, 0], places[b, 1] - places[a, 1], places[b, 2] - places[a, 2]
        vx, vy, vz = places[c, 0] - places[a, 0], places[c, 1] - places[a, 1], places[c, 2] - places[a, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        for corner in range(3):
            at = one[corners[3 * t + corner]]
            total[at, 0] += x
            total[at, 1] += y
            total[at, 2] += z
    for c in range(len(one)):
        x, y, z = total[one[c], 0], total[one[c], 1], total[one[c], 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            normals[c, 0], normals[c, 1], normals[c, 2] = x / length, y / length, z / length
        else:
            for axis in range(3):
                normals[c, axis] = before[c, axis]


# rows of a point on a surface that will be moved
PLACE, OWN_PLACE, UP, ALONG_U, ALONG_V, ACROSS, BESIDE, UV = 0, 3, 6, 9, 12, 15, 18, 21


@njit(**EXACT_INLINE)
def _put(out, row, i, x, y, z):
    out[row, i], out[row + 1, i], out[row + 2, i] = x, y, z


@njit(types.void(REAL2, REAL2, REAL2, WHOLE1, IN2, IN2, IN2, types.int64, SOME2), **EXACT)
def to_points(position, way, values, base, faces, turn, place, sets, out):
    """Rows of points (UV + 2 sets, n), filled: in world space but for OWN_PLACE, with the directions across and beside
    at right angles to the way up.

    position, way : (n, 3) in the object's space. values : (n, k), see displaced.fine. base : (n,) triangles in faces,
    see kernels.meshes. turn : (3, 3), for row vectors. place : (1, 3). sets : of UVs.
    """
    last = values.shape[1] - 6
    for i in range(len(base)):
        for axis in range(3):
            world, up, across = np.float32(0), np.float32(0), np.float32(0)
            for k in range(3):
                world += np.float32(position[i, k]) * turn[k, axis]
                up += np.float32(way[i, k]) * turn[k, axis]
                across += np.float32(values[i, last + k]) * turn[k, axis]
            out[PLACE + axis, i] = world + place[0, axis]
            out[OWN_PLACE + axis, i] = position[i, axis]
            out[UP + axis, i] = up
            out[ACROSS + axis, i] = across
            out[ALONG_U + axis, i] = faces[base[i], 3 + axis]
            out[ALONG_V + axis, i] = faces[base[i], 6 + axis]
        for column in range(2 * sets):
            out[UV + column, i] = values[i, column]
        nx, ny, nz = out[UP, i], out[UP + 1, i], out[UP + 2, i]
        x, y, z = out[ACROSS, i], out[ACROSS + 1, i], out[ACROSS + 2, i]
        above = x * nx + y * ny + z * nz
        x, y, z = x - nx * above, y - ny * above, z - nz * above
        length = np.sqrt(x * x + y * y + z * z)
        if length > np.float32(1e-9):
            x, y, z = x / length, y / length, z / length
        elif abs(ny) < np.float32(0.9):  # any direction will do
            length = np.sqrt(nx * nx + nz * nz)
            x, y, z = nz / length, np.float32(0), -nx / length
        else:
            length = np.sqrt(ny * ny + nz * nz)
            x, y, z = np.float32(0), -nz / length, ny / length
        _put(out, ACROSS, i, x, y, z)
        bx, by, bz = ny * z - nz * y, nz * x - nx * z, nx * y - ny * x
        side = bx * out[ALONG_V, i] + by * out[ALONG_V + 1, i] + bz * out[ALONG_V + 2, i]
        if side < 0:
            bx, by, bz = -bx, -by, -bz
        _put(out, BESIDE, i, bx, by, bz)
