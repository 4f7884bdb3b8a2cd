"""Around the ray queries: camera rays, the surface where a ray hits, shadow rays, smoothing of what they find."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels.at_hits import (  # noqa: F401 - rows are named here for those who read them
    ALONG_U,
    ALONG_V,
    BITANGENT,
    NORMAL,
    OBJECT_POSITION,
    POSITION,
    ROOM,
    SOME,
    STEP_U,
    STEP_V,
    TANGENT,
    UV,
    VIEW,
    facing,
    gather,
    hand_out,
    lay_out,
    three_at,
    three_between,
)
from collage.core.kernels.flags import INLINE, LOOP, LOOP_WITH_ROOM, PART
from collage.core.kernels.lights import AS_SQUARE, BALL, CENTRE, DIRECTION, DISC, DISTANT, KIND, RIGHT, SIZE, UP
from collage.core.kernels.reflection import any_frame

F = np.float32
f4, i4 = types.float32, types.int32
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
IN1 = types.Array(f4, 1, "C", readonly=True)
SHORT1 = types.Array(types.int16, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
ROWS2 = types.Array(f4, 2, "A", readonly=True)  # some columns of a wider array
OUT_ROWS2 = types.Array(f4, 2, "A")
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
WHOLE2 = types.Array(i4, 2, "C", readonly=True)
OUT_WHOLE1 = types.Array(i4, 1, "C")

# Neighbouring pixels send their rays to different places, so that a smoothed pixel has looked at all of them: the
# pixels of a square of four by four look at SUBSETS different sets, and each of the TURNS squares that make eight by
# eight begins at another place of the set. The PATTERN of a sample is its subset + SUBSETS * its turn; a sample with
# a negative one sends no rays.
SUBSETS, TURNS = 16, 4
LIFT = F(2e-4)  # metres above the surface where shadow rays begin
TURNED_AWAY = F(-0.45)  # cosine below which no light reaches a surface, not even through its soft edge


@njit(types.void(IN1, IN1, IN2, f4, OUT2), **LOOP)
def camera_rays(x, y, axes, focal_length, out):
    """Directions (n, 3) through picture places x, y (pixels from the middle, y up).

    axes : (3, 3), right, up and forward. focal_length : in pixels.
    """
    for i in range(x.size):
        a, b = x[i] / focal_length, y[i] / focal_length
        dx = axes[0, 0] * a + axes[1, 0] * b + axes[2, 0]
        dy = axes[0, 1] * a + axes[1, 1] * b + axes[2, 1]
        dz = axes[0, 2] * a + axes[1, 2] * b + axes[2, 2]
        s = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
        out[i, 0] = dx * s
        out[i, 1] = dy * s
        out[i, 2] = dz * s


@njit(**INLINE)
def _normal_at(corners, faces, t, b, c, way):
    """The interpolated normal of a triangle, turned to the side that the ray comes from."""
    return facing(three_between(corners, 3 * t, (F(1) - b - c, b, c), 6), three_at(faces, t, 0), way)


@njit(types.void(WHOLE1, IN1, IN1, IN2, IN2, IN2, OUT2), **LOOP)
def normals_at_hits(triangle, bary_u, bary_v, directions, corners, faces, out):
    """Normals (n, 3) where rays hit; triangle -1 gives 0."""
    for i in range(triangle.size):
        if triangle[i] < 0:
            out[i, 0] = out[i, 1] = out[i, 2] = F(0)
        else:
            way = three_at(directions, i, 0)
            out[i, 0], out[i, 1], out[i, 2] = _normal_at(corners, faces, triangle[i], bary_u[i], bary_v[i], way)


@njit(types.void(WHOLE1, WHOLE1, IN1, IN1, IN2, IN1, IN2, IN2, SHORT1, f4, i4, OUT_ROWS2), **LOOP_WITH_ROOM)
def surface_at_hits(
    ray, triangle, bary_u, bary_v, directions, spread, corners, faces, turns, focal_length, ground, out
):
    """The surface at samples: rows POSITION to UV + 2 sets of `out` (rows, n), see above.

    ray : (n,) which ray each sample is of. triangle, bary_u, bary_v : of all rays, the triangle hit and the shares of
    its second and third corner. directions : (rays, 3). spread : (rays,) distance to the camera, metres.
    corners, faces, turns : see scene.Scene. ground : the first so many samples wear no material, and get POSITION,
    NORMAL and VIEW alone. STEP_U and STEP_V are one pixel in units of u and v.
    """
    for i in range(min(ground, ray.size)):
        r = ray[i]
        t, b, c, way = triangle[r], bary_u[r], bary_v[r], three_at(directions, r, 0)
        place, normal = three_between(corners, 3 * t, (F(1) - b - c, b, c), 0), _normal_at(corners, faces, t, b, c, way)
        out[POSITION, i], out[POSITION + 1, i], out[POSITION + 2, i] = place
        out[NORMAL, i], out[NORMAL + 1, i], out[NORMAL + 2, i] = normal
        out[VIEW, i], out[VIEW + 1, i], out[VIEW + 2, i] = way
    room, hits, scene = (
        np.empty(ROOM, np.float32),
        (triangle, bary_u, bary_v, directions, spread),
        (corners, faces, turns),
    )
    for begin in range(max(ground, 0), ray.size, SOME):
        count = np.int32(min(SOME, ray.size - begin))
        gather(ray, hits, scene, begin, count, room, out)
        lay_out(count, focal_length, room)
        hand_out(begin, count, room, out)


@njit(**INLINE)
def _place(pattern, number, per):
    """Which of SUBSETS * per places a sample's ray of this number looks at; see PATTERN."""
    return (pattern & (SUBSETS - 1)) * per + (number + (pattern >> 4) * (per // TURNS)) % per


@njit(types.void(IN2, types.float64, types.Array(types.float64, 1, "C")), **LOOP)
def areas_until(corners, total, out):
    """The area (t,) of all triangles up to each, m², and a total before them. corners : (3 t, 3 and more)."""
    for i in range(out.size):
        a, b, c = corners[3 * i], corners[3 * i + 1], corners[3 * i + 2]
        ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        total += math.sqrt(x * x + y * y + z * z) / 2
        out[i] = total


@njit(types.int64(ROWS2, ROWS2, WHOLE1, i4, i4, IN2, OUT2, OUT2), **LOOP)
def environment_rays(position, normal, pattern, first, last, directions, origins, ways):
    """Shadow rays towards the environment; returns how many there are.

    Of every sample those with the numbers `first` up to `last` of its pattern. directions : (SUBSETS * per subset, 3).
    Rays that would start into the surface are left out.
    """
    per = directions.shape[0] // SUBSETS
    at = 0
    for i in range(pattern.size):
        if pattern[i] < 0:
            continue
        nx, ny, nz = normal[0, i], normal[1, i], normal[2, i]
        for number in range(first, last):
            k = _place(pattern[i], number, per)
            dx, dy, dz = directions[k, 0], directions[k, 1], directions[k, 2]
            if nx * dx + ny * dy + nz * dz <= F(0):
                continue
            origins[at, 0] = position[0, i] + nx * LIFT
            origins[at, 1] = position[1, i] + ny * LIFT
            origins[at, 2] = position[2, i] + nz * LIFT
            ways[at, 0], ways[at, 1], ways[at, 2] = dx, dy, dz
            at += 1
    return at


@njit(types.void(ROWS2, WHOLE1, i4, i4, IN2, IN2, WHOLE1, OUT_ROWS2), **LOOP)
def add_environment_light(normal, pattern, first, last, directions, radiance, blocked, out):
    """Adds what environment_rays found to `out` (8, n): light that arrives, and light without occlusion.

    blocked : (rays,), -1 where a ray went free. radiance : (directions, 4), already over its density.
    """
    per = directions.shape[0] // SUBSETS
    at = 0
    for i in range(pattern.size):
        if pattern[i] < 0:
            continue
        nx, ny, nz = normal[0, i], normal[1, i], normal[2, i]
        for number in range(first, last):
            k = _place(pattern[i], number, per)
            cosine = nx * directions[k, 0] + ny * directions[k, 1] + nz * directions[k, 2]
            if cosine <= F(0):
                continue
            free = blocked[at] < 0
            at += 1
            for channel in range(4):
                light = cosine * radiance[k, channel]
                out[4 + channel, i] += light
                if free:
                    out[channel, i] += light


@njit(types.int64(ROWS2, ROWS2, WHOLE1, i4, i4, IN1, IN2, OUT_WHOLE1, OUT2, OUT2), **LOOP)
def light_rays(position, normal, pattern, first, last, light, places, target, origins, ways):
    """Shadow rays towards one light; returns how many there are, `target` the sample of each.

    Of every sample those with the numbers `first` up to `last` of its pattern. places : (SUBSETS * per subset, 2),
    where on the light, -1 to 1. Samples behind a panel or turned away from a light have no ray: they do not see it.
    """
    per = places.shape[0] // SUBSETS
    lx, ly, lz = light[DIRECTION], light[DIRECTION + 1], light[DIRECTION + 2]
    at = 0
    for i in range(pattern.size):
        if pattern[i] < 0:
            continue
        nx, ny, nz = normal[0, i], normal[1, i], normal[2, i]
        px, py, pz = position[0, i] + nx * LIFT, position[1, i] + ny * LIFT, position[2, i] + nz * LIFT
        for number in range(first, last):
            k = _place(pattern[i], number, per)
            a, b = places[k, 0], places[k, 1]
            wx = a * light[RIGHT] + b * light[UP]
            wy = a * light[RIGHT + 1] + b * light[UP + 1]
            wz = a * light[RIGHT + 2] + b * light[UP + 2]
            if light[KIND] == F(BALL):
                # a point of the disc that is its outline from here
                cx, cy, cz = light[CENTRE] - px, light[CENTRE + 1] - py, light[CENTRE + 2] - pz
                far = math.sqrt(max(cx * cx + cy * cy + cz * cz, F(1e-12)))
                right, up = any_frame((cx / far, cy / far, cz / far))
                a, b = a * light[SIZE] * F(AS_SQUARE), b * light[SIZE] * F(AS_SQUARE)
                wx, wy = cx + right[0] * a + up[0] * b, cy + right[1] * a + up[1] * b
                wz = cz + right[2] * a + up[2] * b
            elif light[KIND] != F(DISTANT):
                if light[KIND] == F(DISC):
                    wx, wy, wz = wx * F(AS_SQUARE), wy * F(AS_SQUARE), wz * F(AS_SQUARE)
                wx, wy, wz = wx + light[CENTRE] - px, wy + light[CENTRE + 1] - py, wz + light[CENTRE + 2] - pz
                if wx * lx + wy * ly + wz * lz >= F(0):
                    continue
            else:
                wx, wy, wz = wx - lx, wy - ly, wz - lz
            facing = nx * wx + ny * wy + nz * wz
            if facing < TURNED_AWAY * math.sqrt(wx * wx + wy * wy + wz * wz):
                continue
            origins[at, 0], origins[at, 1], origins[at, 2] = px, py, pz
            ways[at, 0], ways[at, 1], ways[at, 2] = wx, wy, wz
            target[at] = i
            at += 1
    return at


@njit(types.void(WHOLE1, WHOLE1, OUT1), **LOOP)
def add_light_seen(target, blocked, seen):
    """Counts the free rays of every sample in `seen` (n,)."""
    for k in range(target.size):
        if blocked[k] < 0:
            seen[target[k]] += F(1)


PIXELS3 = types.Array(f4, 3, "C", readonly=True)
OUT_PIXELS3 = types.Array(f4, 3, "C")


@njit(types.void(WHOLE2, ROWS2, i4, i4, OUT_PIXELS3), **LOOP)
def to_pixels(grid, values, top, bottom, out):
    """Values (channels, n) of samples laid out as pixels (channels, h, w), rows `top` up to `bottom`; 0 where none."""
    for y in range(top, bottom):
        for channel in range(values.shape[0]):
            for x in range(grid.shape[1]):
                at = grid[y, x]
                out[channel, y, x] = values[channel, at] if at >= 0 else F(0)


@njit(types.void(WHOLE1, WHOLE1, WHOLE1, IN2, i4, i4, OUT_ROWS2), **LOOP)
def from_pixels(grid, pixel, donor, values, first, last, out):
    """The reverse of to_pixels: fills the samples `first` up to `last` that lie in the middle of a pixel.

    grid : (h * w,), pixel, donor : (n,), see render.samples; values : (channels, h * w). Samples that have a donor
    take its value; others stay.
    """
    for channel in range(values.shape[0]):
        for i in range(first, last):
            source = i if grid[pixel[i]] == i else donor[i]
            if source >= 0:
                out[channel, i] = values[channel, pixel[source]]


@njit(**PART)
def _in_one_plane(px, py, pz, nx, ny, nz, qx, qy, qz, mx, my, mz, out):
    """1 where places p with normals n lie in one plane with q and have nearly the same normal m, else 0; all (w,)."""
    for x in range(out.size):
        bend = nx[x] * mx[x] + ny[x] * my[x] + nz[x] * mz[x]
        gx, gy, gz = qx[x] - px[x], qy[x] - py[x], qz[x] - pz[x]
        away = abs(nx[x] * gx + ny[x] * gy + nz[x] * gz)
        span = math.sqrt(gx * gx + gy * gy + gz * gz)
        out[x] = F(1) if (bend >= F(0.85)) & (away <= F(0.25) * span + F(1e-5)) else F(0)


@njit(**PART)
def _add(values, out):
    for x in range(out.size):
        out[x] += values[x]


@njit(**PART)
def _add_weighted(weight, values, out):
    for x in range(out.size):
        out[x] += weight[x] * values[x]


@njit(**PART)
def _divide(total, out):
    for x in range(out.size):
        out[x] /= max(total[x], F(1))


@njit(types.void(PIXELS3, PIXELS3, i4, i4, i4, i4, i4, i4, OUT_PIXELS3), **LOOP_WITH_ROOM)
def smooth_over_pixels(surface, values, left, right, up, down, top, bottom, out):
    """Means over a window of pixels, so that their different rays add up; rows `top` up to `bottom` of the picture.

    surface : (6, h, w) position and normal, 0 where there is none; values, out : (channels, h, w). The window reaches
    from `left` up to `right` and `up` to `down` (the last left out). Only neighbours that lie in one plane and have
    nearly the same normal count.
    """
    channels, h, w = values.shape
    weight, total = np.empty(w, np.float32), np.empty(w, np.float32)
    for y in range(top, bottom):
        total[:] = F(0)
        for channel in range(channels):
            out[channel, y] = F(0)
        for row in range(max(y + up, 0), min(y + down, h)):
            for dx in range(left, right):
                first, last = max(0, -dx), min(w, w - dx)
                near = weight[first:last]
                a, b = first + dx, last + dx
                _in_one_plane(
                    surface[0, y, first:last], surface[1, y, first:last], surface[2, y, first:last],
                    surface[3, y, first:last], surface[4, y, first:last], surface[5, y, first:last],
                    surface[0, row, a:b], surface[1, row, a:b], surface[2, row, a:b],
                    surface[3, row, a:b], surface[4, row, a:b], surface[5, row, a:b], near,
                )  # fmt: skip
                _add(near, total[first:last])
                for channel in range(channels):
                    _add_weighted(near, values[channel, row, a:b], out[channel, y, first:last])
        for channel in range(channels):
            _divide(total, out[channel, y])


@njit(types.void(i4, i4, WHOLE1, IN2, IN1, types.Array(types.boolean, 2, "C")), **LOOP)
def find_edges(top, bottom, object_id, normal, distance, out):
    """Marks pixels (h, w) in rows `top` up to `bottom` that differ from a neighbour in object, direction or distance.

    Rays go through the middle of every pixel, row by row; the row below the last is marked too. object_id : (rays,),
    -2 for none, -1 for the ground; normal : (rays, 3); distance : (rays,) metres.
    """
    h, w = out.shape
    for y in range(top, bottom):
        for x in range(w):
            me = y * w + x
            for step in range(2):
                row, column = (y, x + 1) if step == 0 else (y + 1, x)
                if (row >= h) | (column >= w):
                    continue
                other = row * w + column
                mine, theirs = object_id[me], object_id[other]
                differs = mine != theirs
                if (not differs) & (mine >= 0):
                    bend = (
                        normal[me, 0] * normal[other, 0]
                        + normal[me, 1] * normal[other, 1]
                        + normal[me, 2] * normal[other, 2]
                    )
                    near, far = distance[me], distance[other]
                    differs = (bend < F(0.8)) | (abs(near - far) > F(0.03) * min(near, far))
                if differs:
                    out[y, x] = True
                    out[row, column] = True


@njit(types.void(WHOLE1, OUT_WHOLE1, OUT_WHOLE1), **LOOP)
def sort_by_object(object_id, starts, ray):
    """Rays that hit, grouped by object and otherwise in order.

    object_id : (rays,), -2 for a miss. starts : (objects + 2,), filled with where each object's run begins, the ground
    (-1) first; ray : (hits,) filled with ray numbers.
    """
    starts[:] = 0
    for i in range(object_id.size):
        if object_id[i] > -2:
            starts[object_id[i] + 2] += 1
    for k in range(1, starts.size):
        starts[k] += starts[k - 1]
    for i in range(object_id.size):
        if object_id[i] > -2:
            ray[starts[object_id[i] + 1]] = i
            starts[object_id[i] + 1] += 1
    for k in range(starts.size - 1, 0, -1):
        starts[k] = starts[k - 1]
    starts[0] = 0


@njit(types.void(WHOLE2, WHOLE1, ROWS2, ROWS2, i4, i4, OUT_WHOLE1), **LOOP)
def find_donors(grid, pixel, position, normal, first, last, out):
    """For samples beside the middle of a pixel, one in the middle of it or of a neighbour that lies in the same plane.

    grid : (h, w), pixel : (n,), position, normal : (3, n); first, last : the samples to look at; out : (n,), -1 where
    there is none, and for the samples in the middle of a pixel.
    """
    h, w = grid.shape
    for i in range(first, last):
        out[i] = -1
        y, x = pixel[i] // w, pixel[i] % w
        if grid[y, x] == i:
            continue
        best = F(0.85)
        for row in range(max(y - 1, 0), min(y + 2, h)):
            for column in range(max(x - 1, 0), min(x + 2, w)):
                other = grid[row, column]
                if other < 0:
                    continue
                bend, away, span = F(0), F(0), F(0)
                for axis in range(3):
                    bend += normal[axis, i] * normal[axis, other]
                    gap = position[axis, other] - position[axis, i]
                    away += normal[axis, i] * gap
                    span += gap * gap
                if (bend > best) & (abs(away) <= F(0.25) * math.sqrt(span) + F(1e-5)):
                    best = bend
                    out[i] = other


@njit(types.void(WHOLE1, i4, WHOLE1, IN1, WHOLE1, i4, OUT_WHOLE1, OUT1, OUT_WHOLE1, OUT_WHOLE1), **LOOP)
def to_samples(ray, first, ray_pixel, ray_weight, ray_pattern, centres, pixel, weight, pattern, grid):
    """Pixel, weight and pattern of a run of samples (n,) from those of their rays.

    first : the run's first sample. centres : the first so many rays go through the middle of a pixel. grid : (h * w,),
    gets the sample in the middle of each pixel.
    """
    for i in range(ray.size):
        r = ray[i]
        at = ray_pixel[r]
        pixel[i], weight[i], pattern[i] = at, ray_weight[r], ray_pattern[r]
        if r < centres:
            grid[at] = first + i


@njit(types.void(WHOLE1, IN1, OUT1), **LOOP)
def cover(pixel, weight, covered):
    """Fills `covered` (h * w,) with the sums of the weights of a pixel's samples."""
    covered[:] = F(0)
    for i in range(pixel.size):
        covered[pixel[i]] += weight[i]
