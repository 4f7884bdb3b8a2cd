"""Paths of light from the eye: what they meet, where they look for light, and where they go on.

Light is looked for at every surface in the environment and in one light, and by the way the path goes on; both are
weighed by the power heuristic (E. Veach, Robust Monte Carlo Methods for Light Transport Simulation, 1997, 9.2).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit, types

from collage.core.kernels import packed as s
from collage.core.kernels import path_rows as p
from collage.core.kernels.emitters import (
    Sky,
    arriving_from,
    lit_surface,
    looked_up,
    power,
    toward_environment,
    toward_light,
)
from collage.core.kernels.flags import INLINE, LOOP, RUN
from collage.core.kernels.lights import COLOUR, DISTANT, KIND, VISIBLE
from collage.core.kernels.lobes import (
    COAT,
    DIFFUSE,
    THROUGH,
    Hit,
    Lobes,
    chosen,
    hit_at,
    leaving,
    next_way,
    reflected,
    refracted,
    visible_normal,
)
from collage.core.kernels.reflection import PI, any_frame, dot, unit
from collage.core.kernels.sequence import pair, pairs

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
IN3 = types.Array(f4, 3, "C", readonly=True)
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
TRUTHS = types.Array(types.uint8, 1, "C")
TRUTHS_IN = types.Array(types.uint8, 1, "C", readonly=True)
OUT_WHOLE1 = types.Array(i4, 1, "C")

ENDLESS = F(1e6)  # lengths of a ray that ends at no light
LIFT = F(1e-4)  # metres above a surface where a path goes on
LEAST_LIFT = F(2e-6)  # and below one, where light soon goes another way
SAFE_BOUNCES = 3  # before paths that carry little end by lot
PAIRS = 6  # of numbers that a bounce draws
LENS = 1 << 20  # the pair of numbers for the place in the lens
LOOKS = 3  # for light, from the first surface that the eye sees: what is known there is dear, and rays are not
LOOKING = (3 << 20) + 3  # the first pair of numbers for all but the first of them
MOST_PAIRS = PAIRS + 3 * (LOOKS - 1)  # that a point draws
SKY, SKY_CELLS = 1 << 22, 64  # the pair of numbers for the pool of directions to the environment, and its cells a side


@njit(**INLINE)
def _carried(paths, j):
    return paths[p.CARRIED, j], paths[p.CARRIED + 1, j], paths[p.CARRIED + 2, j]


@njit(**INLINE)
def _add(radiance, at, carried, light, brightest):
    """Adds light to a pixel; a sample that is far too bright for what is left of the noise is held back."""
    r, g, b = carried[0] * light[0], carried[1] * light[1], carried[2] * light[2]
    most = max(r, max(g, b))
    if not most <= brightest:  # nor if it is no number
        if not most < F(1e30):
            return
        share = brightest / most
        r, g, b = r * share, g * share, b * share
    radiance[0, at] += r
    radiance[1, at] += g
    radiance[2, at] += b


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


@njit(**INLINE)
def _see_light(lights, origin, way, length, paths, j, carried, radiance, at):
    """Ends a path from the eye at the nearest light on its way that the eye sees."""
    nearest, found, sent = length, -1, F(0)
    for k in range(lights.shape[0]):
        if (lights[k, VISIBLE] > F(0)) & (lights[k, KIND] != F(DISTANT)):
            away, _, share = lit_surface(lights, k, origin, way)
            if (away > F(0)) & (away < nearest):
                nearest, found, sent = away, k, share
    if found >= 0:
        colour = (lights[found, COLOUR] * sent, lights[found, COLOUR + 1] * sent, lights[found, COLOUR + 2] * sent)
        _add(radiance, at, carried, colour, F(1e30))
        for channel in range(3):
            paths[p.CARRIED + channel, j] = F(0)


@njit(types.void(IN2, IN2, IN1, WHOLE1, OUT2, WHOLE1, i4, IN2, IN1, IN3, IN1, IN2, IN1, IN1, OUT2), **LOOP)
def meet(
    origins, ways, lengths, triangle, paths, pixel, bounce, lights, shares, picture, rows, columns, sines, settings,
    radiance,
):  # fmt: skip
    """Light that paths run into: lights on their way, and the environment where they meet nothing.

    origins, ways : (n, 3). lengths, triangle : (n,), where they meet a surface, -1 for none. paths : (ROWS, n), see
    kernels.path_rows; carried on to there. pixel : (n,). lights, shares : see `scatter`. picture to settings : see
    kernels.emitters. radiance : (3, pixels), added to.
    """
    sky = Sky(picture, rows, columns, sines, settings)
    for j in range(pixel.size):
        met = triangle[j] >= 0
        length = lengths[j] if met else F(1e30)
        if met & (paths[p.INSIDE, j] != F(0)):
            for channel in range(3):
                paths[p.CARRIED + channel, j] *= math.exp(-paths[p.ABSORBED + channel, j] * length)
        if (not met) & (paths[p.INSIDE, j] == F(p.UNDER)):
            for channel in range(3):
                paths[p.CARRIED + channel, j] = F(0)
        if met:
            paths[p.WIDTH, j] += length * paths[p.WIDENING, j]
        carried, density, at = _carried(paths, j), paths[p.DENSITY, j], pixel[j]
        brightest, looks = F(1e30) if bounce <= 1 else settings[p.BRIGHTEST], F(LOOKS if bounce == 1 else 1)
        way = (ways[j, 0], ways[j, 1], ways[j, 2])
        origin = (origins[j, 0], origins[j, 1], origins[j, 2])
        if density == F(p.FROM_EYE):
            _see_light(lights, origin, way, length, paths, j, carried, radiance, at)
            continue
        for k in range(lights.shape[0]):
            if lights[k, KIND] != F(DISTANT):
                away, likely, radiance_of = lit_surface(lights, k, origin, way)
                seen = (away > F(0)) & (away < length)
            else:  # its irradiance, over the disc that it comes from
                likely, brighter = arriving_from(lights, k, way)
                seen, radiance_of = (likely > F(0)) & (not met), likely * brighter
            if seen:
                weight = radiance_of
                if density > F(0):
                    weight *= power(density, likely * shares[k] * looks)
                colour = (lights[k, COLOUR] * weight, lights[k, COLOUR + 1] * weight, lights[k, COLOUR + 2] * weight)
                _add(radiance, at, carried, colour, brightest)
        if (not met) & (settings[p.STRENGTH] > F(0)):
            light, likely = looked_up(sky, way)
            weight = F(1) if density < F(0) else power(density, likely * looks)
            _add(radiance, at, carried, (light[0] * weight, light[1] * weight, light[2] * weight), brightest)


class Paths(NamedTuple):
    """Paths that go on: origins, ways (n, 3), rows (ROWS, n), see kernels.path_rows, and whether each does (n,)."""

    origins: np.ndarray
    ways: np.ndarray
    rows: np.ndarray
    alive: np.ndarray


@njit(**INLINE)
def _go_on(going, j, place, own, way, carried, density, widening):
    """Carries a path on, from just above or below the surface."""
    side = LIFT if dot(own, way) > F(0) else -LIFT
    for axis in range(3):
        going.origins[j, axis] = place[axis] + own[axis] * side
        going.ways[j, axis] = way[axis]
        going.rows[p.CARRIED + axis, j] = carried[axis]
    going.rows[p.DENSITY, j] = density
    going.rows[p.WIDENING, j] = widening
    going.alive[j] = 1


class Drawn(NamedTuple):
    """Numbers that are drawn for the points of a run, (2 MOST_PAIRS, RUN), and the number of one of these points."""

    numbers: np.ndarray
    at: int


@njit(**INLINE)
def _pair(drawn, which):
    return drawn.numbers[2 * which, drawn.at], drawn.numbers[2 * which + 1, drawn.at]


@njit(**INLINE)
def _draw(first, pixel, of, begin, count, sample, bounce, seed, whose, numbers):
    """Draws what the points of a run need. whose : (RUN,), room for their pixels. numbers : see Drawn."""
    for i in range(count):
        whose[i] = first + pixel[of[begin + i]]
    for which in range(PAIRS):
        pairs(whose, count, sample, 1 + PAIRS * bounce + which, seed, 2 * which, numbers)
    if bounce == 0:
        for which in range(MOST_PAIRS - PAIRS):
            pairs(whose, count, sample, LOOKING + which, seed, 2 * (PAIRS + which), numbers)


@njit(**INLINE)
def _in_air(paths, j):
    paths[p.INSIDE, j] = F(0)
    for channel in range(3):
        paths[p.ABSORBED + channel, j] = paths[p.SCATTERED + channel, j] = F(0)


@njit(**INLINE)
def _inside(paths, j, kind, more, row, i):
    """Notes what a path goes through: an index of refraction or UNDER, and the rows of `more` that say the rest."""
    paths[p.INSIDE, j] = kind
    for at in range(7):
        paths[p.ABSORBED + at, j] = more[row + at, i]


@njit(**INLINE)
def _leave(going, j, place, hit, drawn, lot):
    """Lets a path inside go out or be mirrored back. Light is not lost at the surface."""
    point, inner = hit.point, going.rows[p.INSIDE, j]
    way, out = leaving(point.eye, visible_normal(hit.facets, point.eye, _pair(drawn, 1)), inner, lot)
    if out:
        _in_air(going.rows, j)
    across, n = dot(way, point.own_normal), point.own_normal
    if (across < F(0)) != out:  # a rough surface may send it to the wrong side
        way = (way[0] - F(2) * across * n[0], way[1] - F(2) * across * n[1], way[2] - F(2) * across * n[2])
    widening = going.rows[p.WIDENING, j]
    _go_on(going, j, place, n, way, _carried(going.rows, j), F(p.REFRACTED), widening)


class Looks(NamedTuple):
    """Rays that look for light: origins, ways (k, 3), how far each goes, its light (k, 3), and of which path it is."""

    origins: np.ndarray
    ways: np.ndarray
    far: np.ndarray
    light: np.ndarray
    of: np.ndarray


@njit(**INLINE)
def _looked_for(
    hit, from_below, alone, way, far, light, likely, divided, looks, carried, place, j, looking, count
):  # fmt: skip
    """Notes one of so many rays from a surface that look for light. from_below : whether the path comes out of what
    lies below. alone : whether the path itself finds no light."""
    if not likely > F(0):
        return count
    own = hit.point.own_normal
    if from_below:  # matt and white, on the side that the path does not come from
        density = max(-dot(own, way), F(0)) / PI
        sent = (density, density, density)
    elif (hit.point.turned_away <= F(0)) & (dot(own, way) <= F(0)) & (dot(hit.point.normal, way) <= F(0)):
        return count  # light from behind
    else:
        sent, density = reflected(hit, way)
    share = (F(1) if alone else power(likely * looks, density)) / (divided * looks)
    r, g, b = carried[0] * sent[0], carried[1] * sent[1], carried[2] * sent[2]
    r, g, b = r * light[0] * share, g * light[1] * share, b * light[2] * share
    if not r + g + b > F(0):
        return count
    side = LIFT if dot(own, way) > F(0) else -LIFT
    for axis in range(3):
        looking.origins[count, axis] = place[axis] + own[axis] * side
        looking.ways[count, axis] = way[axis]
    looking.light[count, 0], looking.light[count, 1], looking.light[count, 2] = r, g, b
    looking.far[count], looking.of[count] = far if far > F(0) else ENDLESS, j
    return count + 1


@njit(**INLINE)
def _one_channel(carried, lot):
    """What a path carries on where each colour goes its own way: one channel, the one that is left or one by lot."""
    r, g, b = carried[0] > F(0), carried[1] > F(0), carried[2] > F(0)
    if r & (not g) & (not b):
        return carried, 0
    if g & (not r) & (not b):
        return carried, 1
    if b & (not r) & (not g):
        return carried, 2
    three = F(3)
    if lot < F(1) / three:
        return (carried[0] * three, F(0), F(0)), 0
    if lot < F(2) / three:
        return (F(0), carried[1] * three, F(0)), 1
    return (F(0), F(0), carried[2] * three), 2


@njit(**INLINE)
def _through(going, j, place, hit, more, drawn, likely, carried, wide):
    """Lets a path go through the surface: into what is filled, or out behind a thin wall."""
    point, r, body = hit.point, hit.r, hit.body
    ior = F(1) if point.thin else max(hit.surface[s.IOR, point.at], F(1.0001))
    if (hit.surface.shape[0] > s.ROWS) & (not point.thin):
        spread = hit.surface[s.DISPERSION, point.at]
        if spread > F(0):
            carried, channel = _one_channel(carried, _pair(drawn, 5)[1])
            ior = max(ior + spread * s.SPREAD[channel], F(1.0001))
    way = refracted(point.eye, visible_normal(hit.facets, point.eye, _pair(drawn, 1)), ior)
    if dot(way, point.own_normal) >= F(0):
        return
    if not point.thin:
        _inside(going.rows, j, ior, more, p.FILLED, point.at)
    carried = (
        carried[0] * r[s.SEEN_THROUGH, 0] * body[0] / likely,
        carried[1] * r[s.SEEN_THROUGH, 1] * body[1] / likely,
        carried[2] * r[s.SEEN_THROUGH, 2] * body[2] / likely,
    )
    widening = going.rows[p.WIDENING, j] + wide * hit.facets.along
    _go_on(going, j, place, point.own_normal, way, carried, F(p.REFRACTED), widening)


@njit(**INLINE)
def _reflect(going, j, place, hit, lobe, drawn, lot, carried, wide):
    """Lets a path go on above the surface, or behind a thin wall that scatters."""
    way = next_way(hit, lobe, _pair(drawn, 1), lot)
    sent, density = reflected(hit, way)
    if density <= F(0):
        return
    carried = (carried[0] * sent[0] / density, carried[1] * sent[1] / density, carried[2] * sent[2] / density)
    if not carried[0] + carried[1] + carried[2] > F(0):
        return
    rough = F(1) if lobe == DIFFUSE else (hit.coat.along if lobe == COAT else hit.facets.along)
    widening = going.rows[p.WIDENING, j] + wide * rough
    _go_on(going, j, place, hit.point.own_normal, way, carried, density, widening)


@njit(**INLINE)
def _in_frame(n, x, y, z):
    """A direction of which z lies along n."""
    t, b = any_frame(n)
    return unit(t[0] * x + b[0] * y + n[0] * z, t[1] * x + b[1] * y + n[1] * z, t[2] * x + b[2] * y + n[2] * z)


@njit(**INLINE)
def _around_normal(normal, drawn):
    """A direction on the side of a normal, by the cosine (Malley's method)."""
    turn, radius = F(2) * PI * drawn[0], math.sqrt(drawn[1])
    height = math.sqrt(max(F(1) - drawn[1], F(0)))
    return _in_frame(normal, radius * math.cos(turn), radius * math.sin(turn), height)


@njit(**INLINE)
def _go_under(going, j, place, hit, more, drawn, likely, carried, entering, wide):
    """Lets a path wander on below a matt surface, which is entered evenly."""
    i, own = hit.point.at, hit.point.own_normal
    below = (-own[0], -own[1], -own[2])
    way = _around_normal(below, _pair(drawn, 1))
    carried = (carried[0] * entering[0] / likely, carried[1] * entering[1] / likely, carried[2] * entering[2] / likely)
    _inside(going.rows, j, F(p.UNDER), more, p.BELOW, i)
    _go_on(going, j, place, own, way, carried, F(p.REFRACTED), going.rows[p.WIDENING, j] + wide)
    densest = F(0)
    for channel in range(3):
        densest = max(densest, going.rows[p.ABSORBED + channel, j] + going.rows[p.SCATTERED + channel, j])
    lift = min(LIFT, max(F(0.002) / max(densest, F(1)), LEAST_LIFT))  # what is dense is not begun far below
    for axis in range(3):
        going.origins[j, axis] = place[axis] + below[axis] * lift


@njit(**INLINE)
def _come_out(going, j, place, hit, drawn, carried):
    """Lets a path that wandered below a surface go on above it."""
    own = hit.point.own_normal
    above = (-own[0], -own[1], -own[2])
    way = _around_normal(above, _pair(drawn, 1))
    density = max(dot(above, way), F(1e-6)) / PI
    _in_air(going.rows, j)
    _go_on(going, j, place, own, way, carried, density, going.rows[p.WIDENING, j])


@njit(**INLINE)
def _parted(hit, more, i):
    """What goes below a matt surface, by channel, how often that is followed, and the hit without it."""
    r, lobes = hit.r, hit.lobes
    fuzz = hit.layers.fuzz * hit.layers.fuzz_back
    entering = (
        r[s.ALBEDO, 0] * hit.body[0] / max(more[p.COLOUR, i], F(1e-6)),
        r[s.ALBEDO, 1] * hit.body[1] / max(more[p.COLOUR + 1, i], F(1e-6)),
        r[s.ALBEDO, 2] * hit.body[2] / max(more[p.COLOUR + 2, i], F(1e-6)),
    )
    for channel in range(3):
        r[s.ALBEDO, channel] = F(0)
    under = lobes.diffuse * (F(0.7) if fuzz > F(0) else F(1))  # what is left is the fuzz above it
    left = Lobes(lobes.diffuse - under, lobes.mirror, lobes.through, lobes.coat, F(0))
    return entering, under, Hit(hit.surface, r, hit.point, hit.layers, hit.body, left, hit.facets, hit.coat)


@njit(**INLINE)
def _pooled(pool, drawn):
    """A direction to the environment, its light and how likely it is; see fill_pool."""
    across, down = min(int(drawn[0] * F(SKY_CELLS)), SKY_CELLS - 1), min(int(drawn[1] * F(SKY_CELLS)), SKY_CELLS - 1)
    one = pool[down * SKY_CELLS + across]
    return (one[0], one[1], one[2]), (one[3], one[4], one[5]), one[6]


@njit(**INLINE)
def _look_for_light(
    hit, from_below, alone, pool, lights, shares, drawn, bounce, carried, place, j, looking, count
):  # fmt: skip
    """Notes rays from a surface to the environment and to a light; see `_looked_for`."""
    looks = LOOKS if bounce == 0 else 1
    for look in range(looks):
        pairs_of = 2 if look == 0 else PAIRS + 3 * (look - 1)
        if pool.shape[0] > 0:
            way, light, likely = _pooled(pool, _pair(drawn, pairs_of))
            count = _looked_for(
                hit, from_below, alone, way, F(0), light, likely, likely, F(looks), carried, place, j, looking,
                count,
            )  # fmt: skip
        if lights.shape[0] > 0:
            lot = _pair(drawn, pairs_of + 2)[0]
            way, far, light, likely, divided = toward_light(lights, shares, place, _pair(drawn, pairs_of + 1), lot)
            count = _looked_for(
                hit, from_below, alone, way, far, light, likely, divided, F(looks), carried, place, j, looking,
                count,
            )  # fmt: skip
    return count


@njit(**INLINE)
def _straight_on(going, geometry, j, place, i):
    """Lets a path through what is not there, see p.OPACITY."""
    own = (geometry[s.OWN_NORMAL, i], geometry[s.OWN_NORMAL + 1, i], geometry[s.OWN_NORMAL + 2, i])
    way, density = (going.ways[j, 0], going.ways[j, 1], going.ways[j, 2]), going.rows[p.DENSITY, j]
    if density > F(0):  # rays that look for light do not go through what is half open
        density = F(p.REFRACTED)
    _go_on(going, j, place, own, way, _carried(going.rows, j), density, going.rows[p.WIDENING, j])


@njit(
    i4(
        IN2, IN2, IN2, TRUTHS_IN, WHOLE1, OUT2, OUT2, OUT2, TRUTHS, WHOLE1, i4, i4, i4, i4, IN2, IN1, IN2, IN1, IN2,
        OUT2, OUT_WHOLE1, OUT2, OUT2, OUT2, OUT2, OUT1, OUT2, OUT_WHOLE1, types.boolean,
    ),
    **LOOP,
)  # fmt: skip
def scatter(
    surface, geometry, more, front, of, origins, ways, paths, alive, pixel, first, sample, bounce, seed, lights, shares,
    pool, settings, table, r, whose, numbers, radiance, look_origins, look_ways, look_far, look_light, look_of, alone,
):  # fmt: skip
    """What happens to paths at some points of a surface. Returns how many rays look for light.

    surface, geometry : see kernels.packed. more : (MORE, m), see kernels.path_rows. front : (m,) whether the outside is
    met. of : (m,) which path each point is of. origins, ways : (n, 3), paths : (ROWS, n), alive : (n,), written where a
    path goes on. pixel : (n,), counted from the `first` of the picture. sample, bounce, seed : for the numbers drawn.
    lights : (k, COLUMNS), shares : (k,) how often each is looked at. pool : see fill_pool, of no rows where the
    environment is off. table : see render.energy. r : (REFLECTED, 3), whose : (RUN,), numbers : (2 MOST_PAIRS, RUN),
    room. radiance : (3, pixels), to which surfaces that glow are added. look_... : of the rays that look for light, see
    Looks, 2 m of them, LOOKS times as many at the first surface. alone : whether paths end here.
    """
    looking = Looks(look_origins, look_ways, look_far, look_light, look_of)
    count, wide, going = 0, settings[p.FOCAL_LENGTH] * F(0.1), Paths(origins, ways, paths, alive)
    for i in range(of.size):
        if i % RUN == 0:
            _draw(first, pixel, of, i, min(RUN, of.size - i), sample, bounce, seed, whose, numbers)
        j, drawn = of[i], Drawn(numbers, i % RUN)
        lot, veil = _pair(drawn, 0)
        place = (geometry[s.POSITION, i], geometry[s.POSITION + 1, i], geometry[s.POSITION + 2, i])
        carried = _carried(paths, j)
        if (veil >= more[p.OPACITY, i]) & (paths[p.INSIDE, j] != F(p.UNDER)):
            _straight_on(going, geometry, j, place, i)
            continue
        hit = hit_at(surface, geometry, i, table, r)
        if (paths[p.INSIDE, j] > F(0)) & (front[i] == 0):
            _leave(going, j, place, hit, drawn, lot)
            continue
        from_below = (paths[p.INSIDE, j] == F(p.UNDER)) & (front[i] == 0)
        entering, under = (F(0), F(0), F(0)), F(0)
        if not from_below:
            if paths[p.INSIDE, j] == F(p.UNDER):  # something else stands in it
                _in_air(paths, j)
            brightest = F(1e30) if bounce == 0 else settings[p.BRIGHTEST]
            glow = (surface[s.EMISSION, i], surface[s.EMISSION + 1, i], surface[s.EMISSION + 2, i])
            if (glow[0] > F(0)) | (glow[1] > F(0)) | (glow[2] > F(0)):
                _add(radiance, pixel[j], carried, glow, brightest)
        if (more[p.WALKS, i] > F(0)) & (not from_below):
            entering, under, hit = _parted(hit, more, i)
        count = _look_for_light(
            hit, from_below, alone, pool, lights, shares, drawn, bounce, carried, place, j, looking, count
        )
        if bounce >= SAFE_BOUNCES:
            keep = min(max(carried[0], max(carried[1], carried[2])), F(0.95))
            if _pair(drawn, 5)[0] >= keep:
                continue
            carried = (carried[0] / keep, carried[1] / keep, carried[2] / keep)
        if from_below:
            _come_out(going, j, place, hit, drawn, carried)
            continue
        if lot < under:
            _go_under(going, j, place, hit, more, drawn, under, carried, entering, wide)
            continue
        lobe, likely_lobe = chosen(hit.lobes, lot - under)
        if likely_lobe <= F(0):
            continue
        if lobe == THROUGH:
            _through(going, j, place, hit, more, drawn, likely_lobe, carried, wide)
        else:
            _reflect(going, j, place, hit, lobe, drawn, lot - under, carried, wide)
    return count


@njit(types.void(i4, i4, IN3, IN1, IN2, IN1, IN1, OUT2), **LOOP)
def fill_pool(sample, seed, picture, rows, columns, sines, settings, pool):
    """Directions of the environment for one sample of all pixels, drawn by its light: what is drawn anew for each point
    waits for memory; what all choose from stays at hand.

    Of every cell of a square of numbers drawn, in rows, one place: (SKY_CELLS ** 2, 8) direction, light, how likely it
    is, per steradian, and 0. sample, seed : for the place in the cell. picture to settings : see kernels.emitters.
    """
    sky, each = Sky(picture, rows, columns, sines, settings), F(1.0 / SKY_CELLS)
    for cell in range(pool.shape[0]):
        a, b = pair(cell, sample, SKY, seed)
        place = (F(cell % SKY_CELLS) + a) * each, (F(cell // SKY_CELLS) + b) * each
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


@njit(types.void(WHOLE1, IN2, WHOLE1, i4, WHOLE1, f4, OUT2), **LOOP)
def add_unblocked(blocked, light, of, count, pixel, brightest, radiance):
    """Adds the light of rays that nothing blocks (blocked -1), see Looks."""
    white = (F(1), F(1), F(1))
    for i in range(count):
        if blocked[i] < 0:
            _add(radiance, pixel[of[i]], (light[i, 0], light[i, 1], light[i, 2]), white, brightest)


@njit(types.void(WHOLE1, IN2, WHOLE1, i4, WHOLE1, OUT1, OUT1), **LOOP)
def add_caught(blocked, light, of, count, pixel, caught, unshadowed):
    """For a ground that shows shadows alone: the sums of the light that arrives, and of all of it."""
    for i in range(count):
        at = pixel[of[i]]
        sent = light[i, 0] + light[i, 1] + light[i, 2]
        unshadowed[at] += sent
        if blocked[i] < 0:
            caught[at] += sent


@njit(types.void(IN2, WHOLE1, WHOLE1, IN2, TRUTHS), **LOOP)
def from_outside(faces, triangle, of, ways, front):
    """Whether paths meet the outside of triangles, (m,). faces : (t, 9), their normals first. of : (m,) paths."""
    for i in range(of.size):
        t, j = triangle[i], of[i]
        front[i] = faces[t, 0] * ways[j, 0] + faces[t, 1] * ways[j, 1] + faces[t, 2] * ways[j, 2] < F(0)
