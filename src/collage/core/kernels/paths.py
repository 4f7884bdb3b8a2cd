"""Paths of light from the eye: how they begin, and what light they run into. See kernels.scattering."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

from collage.core.kernels import packed as s
from collage.core.kernels import path_rows as p
from collage.core.kernels.embree import FAR
from collage.core.kernels.emitters import Sky, arriving_from, light_at, lit_surface, place_of, power, toward_environment
from collage.core.kernels.flags import LOOP, LOOP_WITH_ROOM, PASS, RUN
from collage.core.kernels.going_on import add_light, carried_by
from collage.core.kernels.lights import COLOUR, DISTANT, KIND, VISIBLE
from collage.core.kernels.reflection import PI, unit
from collage.core.kernels.sequence import pair

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
ROWS2 = types.Array(f4, 2, "A", readonly=True)  # some columns of a wider array
IN3 = types.Array(f4, 3, "C", readonly=True)
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
WHOLE2 = types.Array(i4, 2, "C", readonly=True)
TRUTHS = types.Array(types.uint8, 1, "C")
TRUTHS_IN = types.Array(types.uint8, 1, "C", readonly=True)
OUT_WHOLE1 = types.Array(i4, 1, "C")

LENS = 1 << 20  # the pair of numbers for the place in the lens
SKY = 1 << 22  # that for the pool of directions to the environment
LAYER, BELOW, OPEN = (n << 22 for n in (2, 3, 4))  # the first of those for lots, see render.traced


@njit(types.void(i4, i4, i4, f4, f4, i4, OUT1, OUT1), **LOOP)
def in_pixels(first, sample, seed, middle_x, middle_y, width, x, y):
    """Places in pixels, from the picture's middle, y up, (n,); the pixels follow each other from `first`."""
    for i in range(x.size):
        at = first + i
        a, b = pair(at, sample, 0, seed)
        x[i] = F(at % width) + a - middle_x
        y[i] = middle_y - F(at // width) - b


@njit(types.void(i4, i4, i4, IN2, f4, f4, OUT2, OUT2), **LOOP)
def through_lens(first, sample, seed, axes, radius, focus, origins, ways):
    """Moves the rays (n, 3) of pixels that follow each other from `first` to places of an open lens.

    axes : (3, 3), right, up and forward. radius : of the lens, metres. focus : how far what is sharp is, metres.
    """
    for i in range(origins.shape[0]):
        a, b = pair(first + i, sample, LENS, seed)
        turn, away = F(2) * PI * a, radius * math.sqrt(b)
        x, y = away * math.cos(turn), away * math.sin(turn)
        ahead = ways[i, 0] * axes[2, 0] + ways[i, 1] * axes[2, 1] + ways[i, 2] * axes[2, 2]
        far = focus / max(ahead, F(1e-3))
        for axis in range(3):
            gone = axes[0, axis] * x + axes[1, axis] * y
            origins[i, axis] += gone
            ways[i, axis] = ways[i, axis] * far - gone
        wx, wy, wz = unit(ways[i, 0], ways[i, 1], ways[i, 2])
        ways[i, 0], ways[i, 1], ways[i, 2] = wx, wy, wz


@njit(**PASS)
def _go_there(lengths, triangle, paths, begin, count):
    """Carries paths on to where they meet a surface."""
    some_inside = False
    for i in range(count):
        j = begin + i
        paths[p.WIDTH, j] += lengths[j] * paths[p.WIDENING, j] if triangle[j] >= 0 else F(0)
        some_inside |= paths[p.INSIDE, j] != F(0)
    if some_inside:
        for i in range(count):
            j = begin + i
            kept = F(0) if paths[p.INSIDE, j] == F(p.UNDER) else F(1)  # what meets nothing from there is lost
            for channel in range(3):
                if (triangle[j] >= 0) & (paths[p.INSIDE, j] != F(0)):
                    kept = math.exp(-paths[p.ABSORBED + channel, j] * lengths[j])
                paths[p.CARRIED + channel, j] *= kept


@njit(**PASS)
def _see_lights(origins, ways, lengths, triangle, paths, pixel, lights, radiance, missed, begin, count):
    """Ends paths from the eye at the nearest light on their way that the eye sees, and notes what meets nothing."""
    for i in range(count):
        j = begin + i
        if paths[p.DENSITY, j] == F(p.FROM_EYE):
            nearest, found, sent = lengths[j] if triangle[j] >= 0 else F(1e30), -1, F(0)
            origin, way = (origins[j, 0], origins[j, 1], origins[j, 2]), (ways[j, 0], ways[j, 1], ways[j, 2])
            for k in range(lights.shape[0]):
                if (lights[k, VISIBLE] > F(0)) & (lights[k, KIND] != F(DISTANT)):
                    away, _, share = lit_surface(lights, k, origin, way)
                    if (away > F(0)) & (away < nearest):
                        nearest, found, sent = away, k, share
            if found >= 0:
                light = lights[found, COLOUR], lights[found, COLOUR + 1], lights[found, COLOUR + 2]
                carried = carried_by(paths, j)
                add_light(radiance, pixel[j], carried, (light[0] * sent, light[1] * sent, light[2] * sent), F(1e30))
                for channel in range(3):
                    paths[p.CARRIED + channel, j] = F(0)
            if triangle[j] < 0:
                missed[pixel[j]] += paths[p.CARRIED, j]


@njit(**PASS)
def _weigh_light(origins, ways, lengths, triangle, paths, lights, k, share, begin, count, weights):
    """What each path of a run brings of the colour of a light; 0 where it does not run into it."""
    distant = lights[k, KIND] == F(DISTANT)
    for i in range(count):
        j = begin + i
        met, density = triangle[j] >= 0, paths[p.DENSITY, j]
        origin, way = (origins[j, 0], origins[j, 1], origins[j, 2]), (ways[j, 0], ways[j, 1], ways[j, 2])
        if distant:  # its irradiance, over the disc that it comes from
            likely, brighter = arriving_from(lights, k, way)
            seen, weight = (likely > F(0)) & (not met), likely * brighter
        else:
            away, likely, weight = lit_surface(lights, k, origin, way)
            seen = (away > F(0)) & (away < (lengths[j] if met else F(1e30)))
        weight *= power(density, likely * share) if density > F(0) else F(1)
        weights[i] = weight if seen & (density != F(p.FROM_EYE)) else F(0)


@njit(**PASS)
def _find_places(ways, settings, height, width, begin, count, places):
    """Where the ways of a run lie in the picture of the environment. places : (2, RUN)."""
    sine, cosine = settings[p.SINE], settings[p.COSINE]
    for i in range(count):
        j = begin + i
        across, down = place_of((ways[j, 0], ways[j, 1], ways[j, 2]), height, width, sine, cosine)
        places[i] = min(max(across, F(0)), width)
        places[RUN + i] = min(max(down, F(0)), height)


@njit(**PASS)
def _add_sky(triangle, paths, pixel, sky, looks, brightest, radiance, begin, count, places):
    """Adds the light of the environment where paths meet nothing."""
    for i in range(count):
        j = begin + i
        density = paths[p.DENSITY, j]
        if (triangle[j] < 0) & (density != F(p.FROM_EYE)):
            light, likely = light_at(sky, places[i], places[RUN + i])
            weight = F(1) if density < F(0) else power(density, likely * looks)
            light = light[0] * weight, light[1] * weight, light[2] * weight
            add_light(radiance, pixel[j], carried_by(paths, j), light, brightest)


@njit(
    types.void(
        IN2, IN2, IN1, WHOLE1, OUT2, WHOLE1, i4, IN2, IN1, IN3, IN1, IN2, IN1, IN1, OUT2, OUT1
    ),
    **LOOP_WITH_ROOM,
)  # fmt: skip
def meet(
    origins, ways, lengths, triangle, paths, pixel, bounce, lights, shares, texels, rows, columns, sines, settings,
    radiance, missed,
):  # fmt: skip
    """Light that paths run into: lights on their way, and the environment where they meet nothing.

    origins, ways : (n, 3). lengths, triangle : (n,), where they meet a surface, -1 for none. paths : (ROWS, n), see
    kernels.path_rows; carried on to there. pixel : (n,). lights, shares : see `scatter`. texels to settings : see
    kernels.emitters. radiance : (3, pixels), missed : (pixels,), how much the eye sees of nothing, both added to.
    """
    sky, room = Sky(texels, rows, columns, sines, settings), np.empty(2 * RUN, np.float32)
    brightest, looks = F(1e30) if bounce <= 1 else settings[p.BRIGHTEST], F(p.LOOKS if bounce == 1 else 1)
    height, width = F(texels.shape[0]), F(texels.shape[1])
    for start in range(0, pixel.size, RUN):
        begin, count = np.int32(start), np.int32(min(RUN, pixel.size - start))  # see kernels.scattering.scatter
        _go_there(lengths, triangle, paths, begin, count)
        _see_lights(origins, ways, lengths, triangle, paths, pixel, lights, radiance, missed, begin, count)
        if bounce == 0:
            continue
        for k in range(lights.shape[0]):
            share = shares[k] * looks
            _weigh_light(origins, ways, lengths, triangle, paths, lights, k, share, begin, count, room)
            for i in range(count):
                if room[i] > F(0):
                    r, g, b = lights[k, COLOUR], lights[k, COLOUR + 1], lights[k, COLOUR + 2]
                    light = r * room[i], g * room[i], b * room[i]
                    add_light(radiance, pixel[begin + i], carried_by(paths, begin + i), light, brightest)
        if settings[p.STRENGTH] > F(0):
            _find_places(ways, settings, height, width, begin, count, room)
            _add_sky(triangle, paths, pixel, sky, looks, brightest, radiance, begin, count, room)


@njit(types.void(i4, i4, IN3, IN1, IN2, IN1, IN1, OUT2), **LOOP)
def fill_pool(sample, seed, texels, rows, columns, sines, settings, pool):
    """Directions of the environment for one sample of all pixels, drawn by its light: what is drawn anew for each point
    waits for memory; what all choose from stays at hand.

    Of every cell of a square of numbers drawn, in rows, one place: (SKY_CELLS ** 2, 8) direction, light, how likely it
    is, per steradian, and 0. sample, seed : for the place in the cell. texels to settings : see kernels.emitters.
    """
    sky, each = Sky(texels, rows, columns, sines, settings), F(1.0 / p.SKY_CELLS)
    for cell in range(pool.shape[0]):
        a, b = pair(cell, sample, SKY, seed)
        place = (F(cell % p.SKY_CELLS) + a) * each, (F(cell // p.SKY_CELLS) + b) * each
        way, light, likely = toward_environment(sky, place)
        for axis in range(3):
            pool[cell, axis], pool[cell, 3 + axis] = way[axis], light[axis]
        pool[cell, 6], pool[cell, 7] = likely, F(0)


@njit(types.void(IN2, IN2, WHOLE1, WHOLE1, IN1, OUT2), **LOOP)
def note_seen(surface, geometry, of, pixel, eye, seen):
    """Adds what the eye sees of a surface to its pixels.

    surface, geometry : see kernels.packed. of : (m,) which path each point is of. pixel : (n,) of paths. eye : (3,).
    seen : (SEEN, pixels), see kernels.path_rows.
    """
    for i in range(of.size):
        at, away = pixel[of[i]], F(0)
        for axis in range(3):
            seen[p.BASE_COLOUR + axis, at] += min(max(surface[s.BASE + axis, i], F(0)), F(1))
            seen[p.SEEN_NORMAL + axis, at] += geometry[s.NORMAL + axis, i]
            seen[p.SEEN_POSITION + axis, at] += geometry[s.POSITION + axis, i]
            away += (geometry[s.POSITION + axis, i] - eye[axis]) ** 2
        seen[p.SEEN_ROUGHNESS, at] += surface[s.ROUGHNESS, i]
        seen[p.DEPTH, at] += math.sqrt(away)
        seen[p.COVERED, at] += F(1)


@njit(types.void(IN2, IN2, WHOLE1, i4, WHOLE1, f4, OUT2), **LOOP)
def add_unblocked(rays, light, of, count, pixel, brightest, radiance):
    """Adds the light of rays that nothing blocks, see kernels.embree.mark_occluded and going_on.Looks."""
    white = (F(1), F(1), F(1))
    for i in range(count):
        if rays[i, FAR] >= F(0):
            add_light(radiance, pixel[of[i]], (light[i, 0], light[i, 1], light[i, 2]), white, brightest)


@njit(types.void(IN2, IN2, WHOLE1, i4, WHOLE1, OUT1, OUT1), **LOOP)
def add_caught(rays, light, of, count, pixel, caught, unshadowed):
    """For a ground that shows shadows alone: the sums of the light that arrives, and of all of it."""
    for i in range(count):
        at = pixel[of[i]]
        sent = light[i, 0] + light[i, 1] + light[i, 2]
        unshadowed[at] += sent
        if rays[i, FAR] >= F(0):
            caught[at] += sent


@njit(types.void(IN2, WHOLE1, WHOLE1, IN2, TRUTHS), **LOOP)
def from_outside(faces, triangle, of, ways, front):
    """Whether paths meet the outside of triangles, (m,). faces : (t, 9), their normals first. of : (m,) paths."""
    for i in range(of.size):
        t, j = triangle[i], of[i]
        front[i] = faces[t, 0] * ways[j, 0] + faces[t, 1] * ways[j, 1] + faces[t, 2] * ways[j, 2] < F(0)


@njit(types.void(WHOLE1, IN2, IN2, IN2, WHOLE1, OUT2, OUT2, OUT2, OUT_WHOLE1), **LOOP)
def keep(some, origins, ways, rows, pixel, kept_origins, kept_ways, kept_rows, kept_pixel):
    """Takes some (m,) of n paths: origins and ways (n, 3), rows (ROWS, n) and pixels (n,)."""
    for i in range(some.size):
        j = some[i]
        kept_pixel[i] = pixel[j]
        for axis in range(3):
            kept_origins[i, axis], kept_ways[i, axis] = origins[j, axis], ways[j, axis]
    for row in range(rows.shape[0]):
        for i in range(some.size):
            kept_rows[row, i] = rows[row, some[i]]


@njit(types.void(WHOLE1, WHOLE1, WHOLE2, i4, i4, OUT2), **LOOP)
def lots(of, pixel, own, which, seed, out):
    """Two numbers from 0 up to 1 for each point (m,) of paths, see kernels.sequence. out : (2, m). of to own : see
    kernels.scattering.scatter. which : of the pairs of numbers."""
    for i in range(of.size):
        j = pixel[of[i]]
        out[0, i], out[1, i] = pair(own[0, j], own[1, j], which, seed)


@njit(types.void(ROWS2, ROWS2, ROWS2, WHOLE1, OUT2), **LOOP)
def level_ground(position, normal, view, some, geometry):
    """Rows of the geometry of some points of the ground, see kernels.packed. position, normal, view : (3, n)."""
    for axis in range(3):
        for i in range(some.size):
            j = some[i]
            up = normal[axis, j]
            geometry[s.NORMAL + axis, i], geometry[s.COAT_NORMAL + axis, i], geometry[s.OWN_NORMAL + axis, i] = (
                up,
                up,
                up,
            )
            geometry[s.VIEW + axis, i], geometry[s.POSITION + axis, i] = view[axis, j], position[axis, j]
