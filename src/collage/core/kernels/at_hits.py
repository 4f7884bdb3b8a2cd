"""The surface where rays hit a triangle: found for a run of hits, so that what is asked of each is asked of several.

Helpers of kernels.rays and kernels.embree, compiled into them.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from collage.core.kernels.flags import INLINE, PASS
from collage.core.kernels.reflection import cross, dot, which_of

F = np.float32

# rows of the surface at samples
POSITION, OBJECT_POSITION, NORMAL, VIEW = 0, 3, 6, 9
TANGENT, BITANGENT, ALONG_U, ALONG_V, STEP_U, STEP_V, UV = 12, 15, 18, 21, 24, 25, 26

SOME = 256  # hits a run
# rows of a run beside those: the triangle's own normal, shares of its corners, how far each corner's tangent is turned,
# and how wide a pixel is there
FACE, SHARE, QUARTER, WIDTH = 26, 29, 32, 35
ROOM = 36 * SOME  # numbers that a run takes
TURN = F(1 / 32767)  # what turns of tangents are kept by, see kernels.meshes


@njit(**INLINE)
def three(room, row, i):
    """A 3-vector of a hit."""
    return room[row * SOME + i], room[(row + 1) * SOME + i], room[(row + 2) * SOME + i]


@njit(**INLINE)
def put_three(room, row, i, values):
    """Keeps a 3-vector of a hit."""
    room[row * SOME + i], room[(row + 1) * SOME + i], room[(row + 2) * SOME + i] = values


@njit(**INLINE)
def three_at(rows, at, first):
    """Three numbers of a row of (n, 3) or more."""
    return rows[at, first], rows[at, first + 1], rows[at, first + 2]


@njit(**INLINE)
def between(corners, k, shares, column):
    """A number of the corners k to k + 2 by their shares."""
    return shares[0] * corners[k, column] + shares[1] * corners[k + 1, column] + shares[2] * corners[k + 2, column]


@njit(**INLINE)
def three_between(corners, k, shares, first):
    """Three numbers of the corners k to k + 2 by their shares."""
    return (
        between(corners, k, shares, first),
        between(corners, k, shares, first + 1),
        between(corners, k, shares, first + 2),
    )


@njit(**INLINE)
def scaled(v, by):
    """A 3-vector times a number."""
    return v[0] * by, v[1] * by, v[2] * by


@njit(**INLINE)
def facing(normal, face, way):
    """A normal of any length brought to length 1 and to the side of a face that a ray comes from."""
    s = F(1) / math.sqrt(max(dot(normal, normal), F(1e-20)))
    return scaled(normal, -s if dot(face, way) > F(0) else s)


@njit(**INLINE)
def _tangents(normal, along_u, along_v):
    """Tangent and bitangent at right angles to the normal, the tangent along u, the bitangent on the side of v."""
    nx, ny, nz = normal
    d = dot(normal, along_u)
    t = along_u[0] - nx * d, along_u[1] - ny * d, along_u[2] - nz * d
    any_other = which_of(abs(ny) < F(0.9), (-nz, F(0), nx), (F(0), nz, -ny))
    t = which_of(dot(t, t) < F(1e-18), any_other, t)
    t = scaled(t, F(1) / max(math.sqrt(dot(t, t)), F(1e-12)))
    b = cross(normal, t)
    return t, scaled(b, F(-1) if dot(b, along_v) < F(0) else F(1))


@njit(**INLINE)
def _turned(tangent, bitangent, side, shares, quarters):
    """A frame turned as those at the corners of the triangle are, in the mean; see kernels.meshes.

    side : below 0 where UVs are mirrored, which turn the other way round.
    """
    cosine, sine = F(0), F(0)
    for share, quarter in ((shares[0], quarters[0]), (shares[1], quarters[1]), (shares[2], quarters[2])):
        across = F(1) / (F(1) + quarter * quarter)
        half_cosine, half_sine = (F(1) - quarter * quarter) * across, F(2) * quarter * across
        cosine += share * (half_cosine * half_cosine - half_sine * half_sine)
        sine += share * F(2) * half_cosine * half_sine
    s = F(1) / math.sqrt(max(cosine * cosine + sine * sine, F(1e-12)))
    cosine, sine = cosine * s, sine * (s if side >= F(0) else -s)
    t, b = tangent, bitangent
    return (
        (t[0] * cosine + b[0] * sine, t[1] * cosine + b[1] * sine, t[2] * cosine + b[2] * sine),
        (b[0] * cosine - t[0] * sine, b[1] * cosine - t[1] * sine, b[2] * cosine - t[2] * sine),
    )


@njit(**PASS)
def gather(ray, hits, scene, begin, count, room, out):
    """Collects what is known of the triangles of a run of hits. What is known of their UVs is written to `out`."""
    triangle, bary_u, bary_v, directions, spread = hits
    corners, faces, turns = scene
    for i in range(count):
        r = ray[begin + i]
        t, b, c = triangle[r], bary_u[r], bary_v[r]
        shares, k = (F(1) - b - c, b, c), 3 * t
        put_three(room, POSITION, i, three_between(corners, k, shares, 0))
        put_three(room, OBJECT_POSITION, i, three_between(corners, k, shares, 3))
        put_three(room, NORMAL, i, three_between(corners, k, shares, 6))
        put_three(room, VIEW, i, three_at(directions, r, 0))
        put_three(room, FACE, i, three_at(faces, t, 0))
        put_three(room, ALONG_U, i, three_at(faces, t, 3))
        put_three(room, ALONG_V, i, three_at(faces, t, 6))
        put_three(room, SHARE, i, shares)
        put_three(room, QUARTER, i, (turns[k] * TURN, turns[k + 1] * TURN, turns[k + 2] * TURN))
        room[WIDTH * SOME + i] = spread[r]
        for row in range(corners.shape[1] - 9):
            out[UV + row, begin + i] = between(corners, k, shares, 9 + row)


@njit(**PASS)
def lay_out(count, focal_length, room):
    """Finds the frame and the steps of a run of hits."""
    for i in range(count):
        way, face = three(room, VIEW, i), three(room, FACE, i)
        along_u, along_v = three(room, ALONG_U, i), three(room, ALONG_V, i)
        normal = facing(three(room, NORMAL, i), face, way)
        tangent, bitangent = _tangents(normal, along_u, along_v)
        side = dot(cross(face, along_u), along_v)
        tangent, bitangent = _turned(tangent, bitangent, side, three(room, SHARE, i), three(room, QUARTER, i))
        size = room[WIDTH * SOME + i] / focal_length / math.sqrt(max(abs(dot(normal, way)), F(0.1)))
        put_three(room, NORMAL, i, normal)
        put_three(room, TANGENT, i, tangent)
        put_three(room, BITANGENT, i, bitangent)
        room[STEP_U * SOME + i] = size / max(math.sqrt(dot(along_u, along_u)), F(1e-6))
        room[STEP_V * SOME + i] = size / max(math.sqrt(dot(along_v, along_v)), F(1e-6))


@njit(**PASS)
def hand_out(begin, count, room, out):
    """Writes the rows of a run to those of all hits."""
    for row in range(UV):
        for i in range(count):
            out[row, begin + i] = room[row * SOME + i]
