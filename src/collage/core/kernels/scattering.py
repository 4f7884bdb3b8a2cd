"""What happens to paths at a surface: where they look for light, and where they go on.

Light is looked for at every surface in the environment and in one light, and by the way the path goes on; both are
weighed by the power heuristic (E. Veach, Robust Monte Carlo Methods for Light Transport Simulation, 1997, 9.2).

Points are gone through a run at a time, in passes over rows that stay in the processor's cache: what is asked of every
point has no branch and is found for several at once; what few of them need comes in passes of its own.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numba import njit, types

from collage.core.kernels import hit_rows as h
from collage.core.kernels import packed as s
from collage.core.kernels import path_rows as p
from collage.core.kernels.embree import FAR, ORIGIN, WAY
from collage.core.kernels.emitters import power, toward_ball, toward_plane, toward_sun
from collage.core.kernels.flags import INLINE, LOOP, PASS, RUN
from collage.core.kernels.going_on import (
    Drawn,
    Looks,
    Paths,
    Points,
    add_light,
    carried_by,
    come_out,
    go_on,
    go_through,
    go_under,
    leave,
    leave_for_air,
    lifted,
    place_of,
    put_row,
    straight_on,
)
from collage.core.kernels.hit_rows import hit_of, put_hit, put_three, three
from collage.core.kernels.layers import Has, has_at
from collage.core.kernels.lights import BALL, DISTANT, KIND
from collage.core.kernels.lobes import COAT, DIFFUSE, THROUGH, chosen, hit_at, next_way, reflected
from collage.core.kernels.reflection import PI, dot, which_of
from collage.core.kernels.sequence import pairs

F = np.float32
f4, i4 = types.float32, types.int32
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
WHOLE2 = types.Array(i4, 2, "C", readonly=True)
TRUTHS = types.Array(types.uint8, 1, "C")
TRUTHS_IN = types.Array(types.uint8, 1, "C", readonly=True)
OUT_WHOLE1 = types.Array(i4, 1, "C")

ENDLESS = F(1e6)  # lengths of a ray that ends at no light
SAFE_BOUNCES = 3  # before paths that carry little end by lot
PAIRS = 6  # of numbers that a bounce draws
LOOKING = (3 << 20) + 3  # the first of the pairs of numbers for looks for light at the first surface
MOST_PAIRS = PAIRS + 3 * (p.LOOKS - 1)  # that a point draws
ROOM = h.ROWS * RUN  # numbers that a run takes, see kernels.hit_rows

SURFACE, BELOW, LEAVING, STRAIGHT, ENDED = range(5)  # what a path does at a point; BELOW: it comes out from there
PLAIN, COATED = Has(False, False, False, False, False), Has(True, False, False, False, False)
ALL, MATT = Has(True, True, True, True, False), Has(False, False, False, False, True)


@njit(**INLINE)
def _first_pair(number):
    """The first of the three pairs of numbers of a look for light, by the number of the look."""
    return 2 if number == 0 else PAIRS + 3 * (number - 1)


@njit(**INLINE)
def _draw(own, pixel, of, begin, count, bounce, seed, whose, samples, numbers):
    """Draws what the points of a run need. whose, samples : (RUN,), room for their pixels in the picture and their
    samples. numbers : see Drawn."""
    for i in range(count):
        j = pixel[of[begin + i]]
        whose[i], samples[i] = own[0, j], own[1, j]
    if bounce > 0:
        for which in range(PAIRS):
            pairs(whose, samples, count, 1 + PAIRS * bounce + which, seed, 2 * which, numbers)
    else:
        for which in (0, 1, 5):  # those between are of the first look
            pairs(whose, samples, count, 1 + which, seed, 2 * which, numbers)
        for number in range(p.LOOKS):
            for which in range(3):
                row = 2 * (_first_pair(number) + which)
                pairs(whose, samples, count, LOOKING + which, seed, row, numbers, number, p.LOOKS)


@njit(**PASS)
def _arrive(points, paths, begin, count, numbers, brightest, radiance, room):
    """Says what paths do at the points of a run, and adds the light of surfaces that glow. Returns whether at some
    light wanders below the surface."""
    surface, more, some = points.surface, points.more, False
    for i in range(count):
        at, j = begin + i, points.of[begin + i]
        inside, back = paths.rows[p.INSIDE, j], points.front[at] == 0
        under, kind, carried = inside == F(p.UNDER), SURFACE, carried_by(paths.rows, j)
        if (numbers[1, i] >= more[p.OPACITY, at]) & (not under):
            kind = STRAIGHT
        elif back & (inside != F(0)):
            kind = BELOW if under else LEAVING
        if kind == SURFACE:
            if under:  # something else stands in it
                leave_for_air(paths.rows, j)
            glow = surface[s.EMISSION, at], surface[s.EMISSION + 1, at], surface[s.EMISSION + 2, at]
            if (glow[0] > F(0)) | (glow[1] > F(0)) | (glow[2] > F(0)):
                add_light(radiance, points.pixel[j], carried, glow, brightest)
            some |= more[p.WALKS, at] > F(0)
        elif kind != BELOW:
            carried = F(0), F(0), F(0)
        room[h.KIND * RUN + i], room[h.UNDER * RUN + i] = F(kind), F(0)
        put_three(room, h.CARRIED, i, carried)
    return some


def _finding(has: Has) -> Callable[..., Any]:
    """A pass that finds the hits of a run, of surfaces that have no more than this."""

    @njit(**PASS)
    def find(points, table, begin, count, room):
        for i in range(count):
            put_hit(room, i, hit_at(points.surface, points.geometry, begin + i, table, has), has)

    @njit(**PASS)
    def find_each(points, table, begin, count, room):
        for i in range(count):
            own = has_at(points.surface, begin + i)
            put_hit(room, i, hit_at(points.surface, points.geometry, begin + i, table, own), has)

    return find_each if has.fuzz else find


@njit(**PASS)
def _part_below(more, begin, count, room):
    """Parts the light that goes below a matt surface from what is left: the fuzz above it."""
    for i in range(count):
        at = begin + i
        if (more[p.WALKS, at] > F(0)) & (room[h.KIND * RUN + i] == F(SURFACE)):
            albedo, body = three(room, h.ALBEDO, i), three(room, h.BODY, i)
            entering = (
                albedo[0] * body[0] / max(more[p.COLOUR, at], F(1e-6)),
                albedo[1] * body[1] / max(more[p.COLOUR + 1, at], F(1e-6)),
                albedo[2] * body[2] / max(more[p.COLOUR + 2, at], F(1e-6)),
            )
            diffuse = room[h.LOBES * RUN + i]
            under = diffuse * (F(0.7) if room[h.FUZZ * RUN + i] > F(0) else F(1))
            put_three(room, h.ALBEDO, i, (F(0), F(0), F(0)))
            put_three(room, h.ENTERING, i, entering)
            room[h.UNDER * RUN + i], room[h.LOBES * RUN + i] = under, diffuse - under
            room[(h.LOBES + 4) * RUN + i] = F(0)


@njit(**PASS)
def _toward_sky(pool, first, samples, count, numbers, which, room):
    """Directions to the environment for the points of a run, see paths.fill_pool. first : the pool's first sample."""
    for i in range(count):
        a, b = numbers[2 * which, i], numbers[2 * which + 1, i]
        across = min(np.int32(a * F(p.SKY_CELLS)), np.int32(p.SKY_CELLS - 1))
        down = min(np.int32(b * F(p.SKY_CELLS)), np.int32(p.SKY_CELLS - 1))
        one = ((samples[i] - first) * p.SKY_CELLS + down) * p.SKY_CELLS + across
        put_three(room, h.WAY, i, (pool[one, 0], pool[one, 1], pool[one, 2]))
        put_three(room, h.LIGHT, i, (pool[one, 3], pool[one, 4], pool[one, 5]))
        put_three(room, h.LIKELY, i, (pool[one, 6], pool[one, 6], ENDLESS))


@njit(**INLINE)
def _put_light(room, i, here, found):
    """Keeps the direction to a light of a point, if it looks at this one. found : see emitters.toward_plane."""
    way, far, light, likely, divided = found
    more = likely, divided, far if far > F(0) else ENDLESS
    put_three(room, h.WAY, i, which_of(here, way, three(room, h.WAY, i)))
    put_three(room, h.LIGHT, i, which_of(here, light, three(room, h.LIGHT, i)))
    put_three(room, h.LIKELY, i, which_of(here, more, three(room, h.LIKELY, i)))


@njit(**PASS)
def _toward_light(points, lights, k, share, low, high, begin, count, numbers, which, room):
    """Directions to a light for the points of a run whose lot is from `low` up to `high`."""
    kind = lights[k, KIND]
    for i in range(count):
        lot, place = numbers[2 * which + 2, i], place_of(points, begin + i)
        here, drawn = (lot >= low) & (lot < high), (numbers[2 * which, i], numbers[2 * which + 1, i])
        if kind == F(BALL):
            _put_light(room, i, here, toward_ball(lights, k, share, place, drawn))
        elif kind == F(DISTANT):
            _put_light(room, i, here, toward_sun(lights, k, share, drawn))
        else:
            _put_light(room, i, here, toward_plane(lights, k, share, place, drawn))


@njit(**INLINE)
def _toward_lights(points, lights, shares, begin, count, numbers, which, room):
    """Directions to one of the lights for each point of a run: to each light for all of them, which is sooner done than
    that each goes its own way."""
    low = F(0)
    for k in range(lights.shape[0]):
        high = low + shares[k] if k < lights.shape[0] - 1 else F(2)
        _toward_light(points, lights, k, shares[k], low, high, begin, count, numbers, which, room)
        low = high


def _looking(has: Has) -> Callable[..., Any]:
    """A pass over a run: what the light that is looked for adds, where nothing is in its way."""

    @njit(**PASS)
    def look(surface, begin, count, looks, alone, room):
        for i in range(count):
            hit, way = hit_of(room, i, begin + i, has), three(room, h.WAY, i)
            sent, density = reflected(surface, hit, way, has)
            # where it comes out from below it is matt and white, on the side that the path does not come from
            below, white = room[h.KIND * RUN + i] == F(BELOW), max(-dot(hit.own_normal, way), F(0)) / PI
            density = white if below else density
            likely, light, carried = room[h.LIKELY * RUN + i], three(room, h.LIGHT, i), three(room, h.CARRIED, i)
            share = F(1) if alone else power(likely * looks, density)
            share = share / (room[h.DIVIDED * RUN + i] * looks) if likely > F(0) else F(0)
            r, g, b = (white if below else sent[0]), (white if below else sent[1]), (white if below else sent[2])
            r, g, b = carried[0] * r * light[0], carried[1] * g * light[1], carried[2] * b * light[2]
            put_three(room, h.SENT, i, (r * share, g * share, b * share))

    return look


@njit(**PASS)
def _note_looks(points, looking, begin, count, noted, room):
    """Notes the rays of a run that look for light. Returns how many there are now."""
    for i in range(count):
        sent, way, own = three(room, h.SENT, i), three(room, h.WAY, i), three(room, h.OWN_NORMAL, i)
        origin, rays = lifted(place_of(points, begin + i), own, way), looking.rays
        rays[noted, ORIGIN], rays[noted, ORIGIN + 1], rays[noted, ORIGIN + 2] = origin
        rays[noted, WAY], rays[noted, WAY + 1], rays[noted, WAY + 2] = way
        rays[noted, FAR] = room[h.FAR * RUN + i]
        put_row(looking.light, noted, sent)
        looking.of[noted] = points.of[begin + i]
        noted += 1 if sent[0] + sent[1] + sent[2] > F(0) else 0  # else the next one is written in its place
    return noted


@njit(**PASS)
def _end_by_lot(count, numbers, room):
    """Ends some of the paths that carry little (Russian roulette)."""
    for i in range(count):
        carried, kind = three(room, h.CARRIED, i), room[h.KIND * RUN + i]
        keep = min(max(carried[0], max(carried[1], carried[2])), F(0.95))
        ends = (kind <= F(BELOW)) & (numbers[10, i] >= keep)
        each = F(1) / max(keep, F(1e-30))
        put_three(room, h.CARRIED, i, (carried[0] * each, carried[1] * each, carried[2] * each))
        room[h.KIND * RUN + i] = F(ENDED) if ends else kind


def _choosing(has: Has) -> Callable[..., Any]:
    """A pass over a run: which lobe each path follows, where, and what it carries on if it is mirrored or scattered."""

    @njit(**PASS)
    def choose(surface, begin, count, numbers, room):
        for i in range(count):
            hit, lot = hit_of(room, i, begin + i, has), numbers[0, i] - room[h.UNDER * RUN + i]
            lobe, likely = chosen(hit.lobes, lot)
            way = next_way(hit, lobe, (numbers[2, i], numbers[3, i]), lot, has)
            sent, density = reflected(surface, hit, way, has)
            each, carried = (F(1) / density if density > F(0) else F(0)), three(room, h.CARRIED, i)
            put_three(room, h.WAY, i, way)
            put_three(
                room, h.SENT, i, (carried[0] * sent[0] * each, carried[1] * sent[1] * each, carried[2] * sent[2] * each)
            )
            room[h.LOBE * RUN + i], room[h.LIKELY_LOBE * RUN + i] = F(lobe), likely
            room[h.LIKELY * RUN + i] = density

    return choose


@njit(**INLINE)
def _reflect(paths, points, begin, i, lobe, wide, room):
    """Lets a path go on above the surface, or behind a thin wall that scatters."""
    carried, j, density = three(room, h.SENT, i), points.of[begin + i], room[h.LIKELY * RUN + i]
    if not (density > F(0)) & (carried[0] + carried[1] + carried[2] > F(0)):
        return
    rough = F(1)
    if lobe != F(DIFFUSE):
        rough = room[((h.COAT_NORMAL if lobe == F(COAT) else h.NORMAL) + h.SLOPES) * RUN + i]
    widening = paths.rows[p.WIDENING, j] + wide * rough
    own, way = three(room, h.OWN_NORMAL, i), three(room, h.WAY, i)
    go_on(paths, j, place_of(points, begin + i), own, way, carried, density, widening)


@njit(**PASS)
def _go(points, paths, begin, count, numbers, wide, room):
    """Lets the paths of a run go on."""
    for i in range(count):
        at, kind, lobe = begin + i, room[h.KIND * RUN + i], room[h.LOBE * RUN + i]
        likely, drawn, carried = room[h.LIKELY_LOBE * RUN + i], Drawn(numbers, i), three(room, h.CARRIED, i)
        under = room[h.UNDER * RUN + i]
        if kind == F(STRAIGHT):
            straight_on(paths, points, at)
        elif kind == F(LEAVING):
            leave(paths, points, at, hit_of(room, i, at, PLAIN), drawn)
        elif kind == F(BELOW):
            come_out(paths, points, at, drawn, carried)
        elif (kind == F(SURFACE)) & (numbers[0, i] < under):
            entering = three(room, h.ENTERING, i)
            carried = (
                carried[0] * entering[0] / under,
                carried[1] * entering[1] / under,
                carried[2] * entering[2] / under,
            )
            go_under(paths, points, at, drawn, carried, wide)
        elif (kind == F(SURFACE)) & (likely > F(0)):
            if lobe == F(THROUGH):
                go_through(paths, points, at, hit_of(room, i, at, PLAIN), drawn, likely, carried, wide)
            else:
                _reflect(paths, points, begin, i, lobe, wide, room)


_find_matt, _find_plain, _find_coated, _find_all = _finding(MATT), _finding(PLAIN), _finding(COATED), _finding(ALL)
_look_matt, _look_plain, _look_coated, _look_all = _looking(MATT), _looking(PLAIN), _looking(COATED), _looking(ALL)
_choose_matt, _choose_plain, _choose_coated, _choose_all = (
    _choosing(MATT), _choosing(PLAIN), _choosing(COATED), _choosing(ALL)
)  # fmt: skip
IS_MATT, IS_PLAIN, IS_COATED, IS_ALL = range(4)


@njit(**INLINE)
def _made_of(surface, start, stop):
    """What some points have at most, see Has."""
    if surface.shape[0] > s.ROWS:
        return IS_ALL
    more = coated = fuzzy = False
    for i in range(start, stop):
        coated |= surface[s.COAT, i] > F(0)
        fuzzy |= surface[s.FUZZ, i] > F(0)
        more |= (surface[s.SPECULAR_WEIGHT, i] > F(0)) | (surface[s.METAL, i] > F(0))
        more |= (surface[s.TRANSMISSION, i] > F(0)) | (surface[s.FILM_WEIGHT, i] > F(0))
        more |= surface[s.DIFFUSE_ROUGHNESS, i] > F(0)
    return IS_ALL if fuzzy else IS_COATED if coated else IS_PLAIN if more else IS_MATT


@njit(**INLINE)
def _find(made_of, points, table, begin, count, room):
    if made_of == IS_MATT:
        _find_matt(points, table, begin, count, room)
    elif made_of == IS_PLAIN:
        _find_plain(points, table, begin, count, room)
    elif made_of == IS_COATED:
        _find_coated(points, table, begin, count, room)
    else:
        _find_all(points, table, begin, count, room)


@njit(**INLINE)
def _look(made_of, surface, begin, count, looks, alone, room):
    if made_of == IS_MATT:
        _look_matt(surface, begin, count, looks, alone, room)
    elif made_of == IS_PLAIN:
        _look_plain(surface, begin, count, looks, alone, room)
    elif made_of == IS_COATED:
        _look_coated(surface, begin, count, looks, alone, room)
    else:
        _look_all(surface, begin, count, looks, alone, room)


@njit(**INLINE)
def _choose(made_of, surface, begin, count, numbers, room):
    if made_of == IS_MATT:
        _choose_matt(surface, begin, count, numbers, room)
    elif made_of == IS_PLAIN:
        _choose_plain(surface, begin, count, numbers, room)
    elif made_of == IS_COATED:
        _choose_coated(surface, begin, count, numbers, room)
    else:
        _choose_all(surface, begin, count, numbers, room)


@njit(
    i4(
        i4, i4, IN2, IN2, IN2, TRUTHS_IN, WHOLE1, OUT2, OUT2, OUT2, TRUTHS, WHOLE1, WHOLE2, i4, i4, i4, IN2, IN1, IN2,
        IN1, IN2, OUT1, OUT_WHOLE1, OUT_WHOLE1, OUT2, OUT2, OUT2, OUT2, OUT_WHOLE1, types.boolean,
    ),
    **LOOP,
)  # fmt: skip
def scatter(
    start, stop, surface, geometry, more, front, of, origins, ways, rows, alive, pixel, own, first, bounce, seed,
    lights, shares, pool, settings, table, room, whose, samples, numbers, radiance, rays, look_light, look_of,
    alone,
):  # fmt: skip
    """What happens to paths at some points of a surface. Returns how many rays look for light.

    start, stop : the first of the m points that is gone through, and the one after the last. surface, geometry : see
    kernels.packed. more : (MORE, m), see kernels.path_rows. front : (m,) whether the outside is met. of : (m,) which
    path each point is of. origins, ways : (n, 3), rows : (ROWS, n), alive : (n,), written where a path goes on. pixel :
    (n,), of those that are followed together; own : (2, pixels), the pixel of the picture and the sample of each, and
    first : the first of these samples. bounce, seed : for the numbers drawn. lights : (k, COLUMNS), shares : (k,) how
    often each is looked at. pool : see paths.fill_pool, one for each sample, of no rows where the environment is off.
    table : see render.energy. room : (ROOM,), whose, samples : (RUN,), numbers : (2 MOST_PAIRS, RUN), for a run.
    radiance : (3, pixels), to which surfaces that glow are added. rays to look_of : of the rays that look for light,
    see Looks, two for each point, LOOKS times as many at the first surface. alone : whether paths end here.
    """
    points, paths = Points(surface, geometry, more, front, of, pixel), Paths(origins, ways, rows, alive)
    looking, noted = Looks(rays, look_light, look_of), 0
    wide, brightest = settings[p.FOCAL_LENGTH] * F(0.1), F(1e30) if bounce == 0 else settings[p.BRIGHTEST]
    made_of, looks = _made_of(surface, start, stop), p.LOOKS if bounce == 0 else 1
    for at in range(start, stop, RUN):
        # of 32 bits, so that a compiler sees that points of a run follow each other
        begin, count = np.int32(at), np.int32(min(RUN, stop - at))
        _draw(own, pixel, of, begin, count, bounce, seed, whose, samples, numbers)
        some_walk = _arrive(points, paths, begin, count, numbers, brightest, radiance, room)
        _find(made_of, points, table, begin, count, room)
        if some_walk:
            _part_below(more, begin, count, room)
        for number in range(looks):
            which = _first_pair(number)
            if pool.shape[0] > 0:
                _toward_sky(pool, first, samples, count, numbers, which, room)
                _look(made_of, surface, begin, count, F(looks), alone, room)
                noted = _note_looks(points, looking, begin, count, noted, room)
            if lights.shape[0] > 0:
                _toward_lights(points, lights, shares, begin, count, numbers, which + 1, room)
                _look(made_of, surface, begin, count, F(looks), alone, room)
                noted = _note_looks(points, looking, begin, count, noted, room)
        if alone:
            continue
        if bounce >= SAFE_BOUNCES:
            _end_by_lot(count, numbers, room)
        _choose(made_of, surface, begin, count, numbers, room)
        _go(points, paths, begin, count, numbers, wide, room)
    return noted
