"""Points on a displaced surface: where they were before, and the normals of the height itself."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import LOOP

F = np.float32
f4, i4 = types.float32, types.int32
WHOLE1 = types.Array(i4, 1, "A", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
ROWS2 = types.Array(f4, 2, "A", readonly=True)
OUT_ROWS2 = types.Array(f4, 2, "A")

# rows of the surface as it was
NORMAL, ALONG_U, ALONG_V, MESH_NORMAL = 0, 3, 6, 9
REST_ROWS = 12
# rows of the surface that light falls on
BENT, TANGENT, BITANGENT = 0, 3, 6
BENT_ROWS = 9


@njit(types.void(WHOLE1, ROWS2, IN2, IN2, IN2, OUT_ROWS2), **LOOP)
def at_rest(triangle, position, corners, normals, gradients, out):
    """Rows NORMAL to MESH_NORMAL of `out` (REST_ROWS, n) at points of displaced triangles.

    triangle : (n,). position : (3, n), of the displaced surface. corners : see scene.Scene. normals, gradients : see
    scene.Rest. NORMAL is of length 1; MESH_NORMAL, of the displaced mesh, need not be.
    """
    for i in range(triangle.size):
        t = triangle[i]
        k = 3 * t
        ax, ay, az = corners[k, 0], corners[k, 1], corners[k, 2]
        ux, uy, uz = corners[k + 1, 0] - ax, corners[k + 1, 1] - ay, corners[k + 1, 2] - az
        vx, vy, vz = corners[k + 2, 0] - ax, corners[k + 2, 1] - ay, corners[k + 2, 2] - az
        px, py, pz = position[0, i] - ax, position[1, i] - ay, position[2, i] - az
        uu, vv, uv = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, ux * vx + uy * vy + uz * vz
        pu, pv = px * ux + py * uy + pz * uz, px * vx + py * vy + pz * vz
        area = uu * vv - uv * uv
        s = F(1) / area if area > F(1e-12) * uu * vv else F(0)
        b, c = (pu * vv - pv * uv) * s, (pv * uu - pu * uv) * s
        a = F(1) - b - c
        for axis in range(3):
            out[NORMAL + axis, i] = a * normals[k, axis] + b * normals[k + 1, axis] + c * normals[k + 2, axis]
            own = 6 + axis
            out[MESH_NORMAL + axis, i] = a * corners[k, own] + b * corners[k + 1, own] + c * corners[k + 2, own]
            out[ALONG_U + axis, i] = gradients[t, axis]
            out[ALONG_V + axis, i] = gradients[t, 3 + axis]
        nx, ny, nz = out[NORMAL, i], out[NORMAL + 1, i], out[NORMAL + 2, i]
        s = F(1) / math.sqrt(max(nx * nx + ny * ny + nz * nz, F(1e-20)))
        out[NORMAL, i], out[NORMAL + 1, i], out[NORMAL + 2, i] = nx * s, ny * s, nz * s


@njit(types.void(ROWS2, ROWS2, ROWS2, ROWS2, OUT_ROWS2), **LOOP)
def bend(rest, slope, normal, frame, out):
    """Rows BENT to BITANGENT of `out` (BENT_ROWS, n): the frame of a height that leans by its slopes.

    rest : (REST_ROWS, n), see `at_rest`. slope : (2, n) metres over a unit of u and of v. normal : (3, n) of the points
    before; where a slope is no number it stays. frame : (6, n), tangent and bitangent before.
    """
    for i in range(slope.shape[1]):
        ux, uy, uz = rest[ALONG_U, i], rest[ALONG_U + 1, i], rest[ALONG_U + 2, i]
        vx, vy, vz = rest[ALONG_V, i], rest[ALONG_V + 1, i], rest[ALONG_V + 2, i]
        uu, vv, uv = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, ux * vx + uy * vy + uz * vz
        s = F(1) / max(uu * vv - uv * uv, F(1e-20))
        by_u, by_v = (slope[0, i] * vv - slope[1, i] * uv) * s, (slope[1, i] * uu - slope[0, i] * uv) * s
        x = rest[NORMAL, i] - ux * by_u - vx * by_v
        y = rest[NORMAL + 1, i] - uy * by_u - vy * by_v
        z = rest[NORMAL + 2, i] - uz * by_u - vz * by_v
        s = F(1) / math.sqrt(max(x * x + y * y + z * z, F(1e-30)))
        ox, oy, oz = normal[0, i], normal[1, i], normal[2, i]
        inside = rest[MESH_NORMAL, i] * ox + rest[MESH_NORMAL + 1, i] * oy + rest[MESH_NORMAL + 2, i] * oz
        s = -s if inside < F(0) else s
        x, y, z = x * s, y * s, z * s
        if not (math.isfinite(x) and math.isfinite(y) and math.isfinite(z)):
            x, y, z = ox, oy, oz
        tx, ty, tz = frame[0, i], frame[1, i], frame[2, i]
        d = tx * x + ty * y + tz * z
        tx, ty, tz = tx - x * d, ty - y * d, tz - z * d
        s = F(1) / math.sqrt(max(tx * tx + ty * ty + tz * tz, F(1e-30)))
        tx, ty, tz = tx * s, ty * s, tz * s
        bx, by, bz = y * tz - z * ty, z * tx - x * tz, x * ty - y * tx
        flip = F(-1) if bx * frame[3, i] + by * frame[4, i] + bz * frame[5, i] < F(0) else F(1)
        out[BENT, i], out[BENT + 1, i], out[BENT + 2, i] = x, y, z
        out[TANGENT, i], out[TANGENT + 1, i], out[TANGENT + 2, i] = tx, ty, tz
        out[BITANGENT, i], out[BITANGENT + 1, i], out[BITANGENT + 2, i] = bx * flip, by * flip, bz * flip
