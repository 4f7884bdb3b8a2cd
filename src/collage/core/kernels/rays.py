"""What lies around the ray queries: eye rays, reading the surface where a ray hits, light through gaps."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

F = np.float32
f4, i4 = types.float32, types.int32
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
WHOLE2 = types.Array(i4, 2, "C", readonly=True)
FLAGS = {"nogil": True, "cache": True, "error_model": "numpy", "fastmath": {"contract", "nsz"}}


@njit(types.void(IN1, IN1, IN2, f4, OUT2), **FLAGS)
def eye_rays(x, y, axes, height, out):
    """Directions (n, 3) through picture places x, y (pixels from the middle, y up).

    axes : (3, 3), right, up and forward; height : pixels at distance 1.
    """
    for i in range(x.size):
        a, b = x[i] / height, y[i] / height
        dx = axes[0, 0] * a + axes[1, 0] * b + axes[2, 0]
        dy = axes[0, 1] * a + axes[1, 1] * b + axes[2, 1]
        dz = axes[0, 2] * a + axes[1, 2] * b + axes[2, 2]
        s = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
        out[i, 0] = dx * s
        out[i, 1] = dy * s
        out[i, 2] = dz * s


@njit(
    types.void(
        WHOLE1, IN1, IN1, IN2, WHOLE2, IN2, IN2, IN2, IN2, IN2, IN2, IN2,
        OUT2, OUT2, OUT2, OUT2, OUT2, OUT2,
    ),
    **FLAGS,
)  # fmt: skip
def read_surface(
    hit, bary_u, bary_v, way, triangles, world, own, normals, uv, faces, grad_u, grad_v,
    out_world, out_own, out_normal, out_uv, out_along_u, out_along_v,
):  # fmt: skip
    """The surface at hits: places, normal, UV and gradients, components first.

    hit : (n,) triangle; bary_u, bary_v : its second and third corner's share; way : (n, 3) ray direction.
    world, own : (v, 3) vertices in world and object space; normals, uv : per corner; faces, grad_u,
    grad_v : per triangle. The normal is turned to the side that the ray comes from.
    """
    for i in range(hit.size):
        t = hit[i]
        b, c = bary_u[i], bary_v[i]
        a = F(1) - b - c
        v0, v1, v2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        k = 3 * t
        nx = a * normals[k, 0] + b * normals[k + 1, 0] + c * normals[k + 2, 0]
        ny = a * normals[k, 1] + b * normals[k + 1, 1] + c * normals[k + 2, 1]
        nz = a * normals[k, 2] + b * normals[k + 1, 2] + c * normals[k + 2, 2]
        s = F(1) / math.sqrt(max(nx * nx + ny * ny + nz * nz, F(1e-20)))
        if faces[t, 0] * way[i, 0] + faces[t, 1] * way[i, 1] + faces[t, 2] * way[i, 2] > F(0):
            s = -s
        out_normal[0, i] = nx * s
        out_normal[1, i] = ny * s
        out_normal[2, i] = nz * s
        for axis in range(3):
            out_world[axis, i] = a * world[v0, axis] + b * world[v1, axis] + c * world[v2, axis]
            out_own[axis, i] = a * own[v0, axis] + b * own[v1, axis] + c * own[v2, axis]
            out_along_u[axis, i] = grad_u[t, axis]
            out_along_v[axis, i] = grad_v[t, axis]
        for axis in range(2):
            out_uv[axis, i] = a * uv[k, axis] + b * uv[k + 1, axis] + c * uv[k + 2, axis]


@njit(types.void(IN2, IN2, OUT2, OUT2), **FLAGS)
def frames(normal, along_u, tangent, bitangent):
    """Tangent and bitangent (3, n) at right angles to the normal, the tangent along u."""
    for i in range(normal.shape[1]):
        nx, ny, nz = normal[0, i], normal[1, i], normal[2, i]
        ux, uy, uz = along_u[0, i], along_u[1, i], along_u[2, i]
        d = nx * ux + ny * uy + nz * uz
        tx, ty, tz = ux - nx * d, uy - ny * d, uz - nz * d
        length = math.sqrt(tx * tx + ty * ty + tz * tz)
        if length < F(1e-9):
            if abs(ny) < F(0.9):
                tx, ty, tz = -nz, F(0), nx
            else:
                tx, ty, tz = F(0), nz, -ny
            length = math.sqrt(tx * tx + ty * ty + tz * tz)
        s = F(1) / max(length, F(1e-12))
        tx, ty, tz = tx * s, ty * s, tz * s
        tangent[0, i], tangent[1, i], tangent[2, i] = tx, ty, tz
        bitangent[0, i] = ny * tz - nz * ty
        bitangent[1, i] = nz * tx - nx * tz
        bitangent[2, i] = nx * ty - ny * tx


@njit(types.void(IN2, IN2, WHOLE1, i4, IN2, OUT2, OUT2), **FLAGS)
def gap_rays(position, normal, subset, number, directions, origins, ways):
    """Shadow rays: for every point the `number`-th direction of its subset.

    directions : (subsets * per subset, 3). Rays that would start into the surface get a zero direction.
    """
    per = directions.shape[0] // 16
    for i in range(position.shape[1]):
        k = subset[i] * per + number
        dx, dy, dz = directions[k, 0], directions[k, 1], directions[k, 2]
        cosine = normal[0, i] * dx + normal[1, i] * dy + normal[2, i] * dz
        for axis in range(3):
            origins[i, axis] = position[axis, i] + normal[axis, i] * F(2e-4)
        keep = F(1) if cosine > F(0) else F(0)
        ways[i, 0], ways[i, 1], ways[i, 2] = dx * keep, dy * keep, dz * keep


@njit(types.void(IN2, WHOLE1, i4, IN2, IN2, WHOLE1, OUT2, OUT2), **FLAGS)
def add_gap_light(normal, subset, number, directions, radiance, blocked, come, could):
    """Adds one shadow ray's light to what comes and to what could come, (3, n) each.

    blocked : (n,), -1 where the ray went free. radiance : (directions, 3), already over its density.
    """
    per = directions.shape[0] // 16
    for i in range(normal.shape[1]):
        k = subset[i] * per + number
        cosine = normal[0, i] * directions[k, 0] + normal[1, i] * directions[k, 1] + normal[2, i] * directions[k, 2]
        if cosine <= F(0):
            continue
        for channel in range(3):
            light = cosine * radiance[k, channel]
            could[channel, i] += light
            if blocked[i] < 0:
                come[channel, i] += light


@njit(types.void(WHOLE2, IN2, IN2, IN2, OUT2), **FLAGS)
def smooth_over_pixels(grid, position, normal, values, out):
    """Means over four by four pixels, so that their sixteen different sets of rays add up.

    grid : (h, w) sample in the middle of each pixel, or -1; values, out : (channels, n). Only neighbours
    in one plane, with nearly the same normal, count.
    """
    h, w = grid.shape
    for y in range(h):
        for x in range(w):
            me = grid[y, x]
            if me < 0:
                continue
            total = F(0)
            for channel in range(values.shape[0]):
                out[channel, me] = F(0)
            for oy in range(-2, 2):
                for ox in range(-2, 2):
                    py, px = y + oy, x + ox
                    if (py < 0) | (px < 0) | (py >= h) | (px >= w):
                        continue
                    other = grid[py, px]
                    if other < 0:
                        continue
                    turn = F(0)
                    away = F(0)
                    span = F(0)
                    for axis in range(3):
                        turn += normal[axis, me] * normal[axis, other]
                        gap = position[axis, other] - position[axis, me]
                        away += normal[axis, me] * gap
                        span += gap * gap
                    if (turn < F(0.85)) | (abs(away) > F(0.25) * math.sqrt(span) + F(1e-5)):
                        continue
                    total += F(1)
                    for channel in range(values.shape[0]):
                        out[channel, me] += values[channel, other]
            for channel in range(values.shape[0]):
                out[channel, me] /= max(total, F(1))
