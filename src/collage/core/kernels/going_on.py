"""Ways in which a path goes on from a surface, one path at a time.

Helpers of kernels.scattering, compiled into it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from collage.core.kernels import packed as s
from collage.core.kernels import path_rows as p
from collage.core.kernels.flags import INLINE
from collage.core.kernels.lobes import leaving, refracted, visible_normal
from collage.core.kernels.reflection import PI, any_frame, by_cosine, dot, in_frame, unit

F = np.float32

LIFT = F(1e-4)  # metres above a surface where a path goes on
LEAST_LIFT = F(2e-6)  # and below one, where light soon goes another way


class Points(NamedTuple):
    """Where paths meet a surface, see scattering.scatter: m points, of n paths."""

    surface: np.ndarray
    geometry: np.ndarray
    more: np.ndarray
    front: np.ndarray
    of: np.ndarray
    pixel: np.ndarray


class Paths(NamedTuple):
    """Paths that go on: origins, ways (n, 3), rows (ROWS, n), see kernels.path_rows, and whether each does (n,)."""

    origins: np.ndarray
    ways: np.ndarray
    rows: np.ndarray
    alive: np.ndarray


class Looks(NamedTuple):
    """Rays that look for light, (k, RAY), see kernels.embree, the light of each, (k, 3), and of which path it is."""

    rays: np.ndarray
    light: np.ndarray
    of: np.ndarray


class Drawn(NamedTuple):
    """Numbers that are drawn for the points of a run, (2 MOST_PAIRS, RUN), and the number of one of these points."""

    numbers: np.ndarray
    at: int


@njit(**INLINE)
def drawn_pair(drawn, which):
    """Two numbers from 0 up to 1."""
    return drawn.numbers[2 * which, drawn.at], drawn.numbers[2 * which + 1, drawn.at]


@njit(**INLINE)
def carried_by(rows, j):
    """What of the light at the end of a path reaches the eye, by channel."""
    return rows[p.CARRIED, j], rows[p.CARRIED + 1, j], rows[p.CARRIED + 2, j]


@njit(**INLINE)
def place_of(points, at):
    """Where a point lies."""
    geometry = points.geometry
    return geometry[s.POSITION, at], geometry[s.POSITION + 1, at], geometry[s.POSITION + 2, at]


@njit(**INLINE)
def _own_normal(points, at):
    geometry = points.geometry
    return geometry[s.OWN_NORMAL, at], geometry[s.OWN_NORMAL + 1, at], geometry[s.OWN_NORMAL + 2, at]


@njit(**INLINE)
def add_light(radiance, at, carried, light, brightest):
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


@njit(**INLINE)
def leave_for_air(rows, j):
    """Notes that a path goes through air."""
    rows[p.INSIDE, j] = F(0)
    for channel in range(3):
        rows[p.ABSORBED + channel, j] = rows[p.SCATTERED + channel, j] = F(0)


@njit(**INLINE)
def _inside(rows, j, kind, more, row, at):
    """Notes what a path goes through: an index of refraction or UNDER, and the rows of `more` that say the rest."""
    rows[p.INSIDE, j] = kind
    for k in range(7):
        rows[p.ABSORBED + k, j] = more[row + k, at]


@njit(**INLINE)
def put_row(rows, at, values):
    """Writes a 3-vector or colour to a row of (n, 3), without a loop over it: which one of a tuple is asked for would
    not be known before it runs."""
    rows[at, 0], rows[at, 1], rows[at, 2] = values


@njit(**INLINE)
def lifted(place, own, way):
    """Where a ray begins: just above or below the surface."""
    side = LIFT if dot(own, way) > F(0) else -LIFT
    return place[0] + own[0] * side, place[1] + own[1] * side, place[2] + own[2] * side


@njit(**INLINE)
def go_on(paths, j, place, own, way, carried, density, widening):
    """Carries a path on, from just above or below the surface."""
    put_row(paths.origins, j, lifted(place, own, way))
    put_row(paths.ways, j, way)
    rows = paths.rows
    rows[p.CARRIED, j], rows[p.CARRIED + 1, j], rows[p.CARRIED + 2, j] = carried
    rows[p.DENSITY, j], rows[p.WIDENING, j] = density, widening
    paths.alive[j] = 1


@njit(**INLINE)
def straight_on(paths, points, at):
    """Lets a path through what is not there, see path_rows.OPACITY."""
    j = points.of[at]
    way, density = (paths.ways[j, 0], paths.ways[j, 1], paths.ways[j, 2]), paths.rows[p.DENSITY, j]
    if density > F(0):  # rays that look for light do not go through what is half open
        density = F(p.REFRACTED)
    own, carried = _own_normal(points, at), carried_by(paths.rows, j)
    go_on(paths, j, place_of(points, at), own, way, carried, density, paths.rows[p.WIDENING, j])


@njit(**INLINE)
def leave(paths, points, at, hit, drawn):
    """Lets a path inside go out or be mirrored back. Light is not lost at the surface."""
    j, n = points.of[at], hit.own_normal
    half = visible_normal(hit.facets, hit.eye, drawn_pair(drawn, 1))
    way, out = leaving(hit.eye, half, paths.rows[p.INSIDE, j], drawn_pair(drawn, 0)[0])
    if out:
        leave_for_air(paths.rows, j)
    across = dot(way, n)
    if (across < F(0)) != out:  # a rough surface may send it to the wrong side
        way = (way[0] - F(2) * across * n[0], way[1] - F(2) * across * n[1], way[2] - F(2) * across * n[2])
    carried, widening = carried_by(paths.rows, j), paths.rows[p.WIDENING, j]
    go_on(paths, j, place_of(points, at), n, way, carried, F(p.REFRACTED), widening)


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
def go_through(paths, points, at, hit, drawn, likely, carried, wide):
    """Lets a path go through the surface: into what is filled, or out behind a thin wall."""
    j, surface, thin = points.of[at], points.surface, hit.turned_away > F(0)
    ior = F(1) if thin else max(surface[s.IOR, at], F(1.0001))
    if (surface.shape[0] > s.ROWS) & (not thin):
        spread = surface[s.DISPERSION, at]
        if spread > F(0):
            carried, channel = _one_channel(carried, drawn_pair(drawn, 5)[1])
            ior = max(ior + spread * s.SPREAD[channel], F(1.0001))
    way = refracted(hit.eye, visible_normal(hit.facets, hit.eye, drawn_pair(drawn, 1)), ior)
    if dot(way, hit.own_normal) >= F(0):
        return
    if not thin:
        _inside(paths.rows, j, ior, points.more, p.FILLED, at)
    carried = (
        carried[0] * hit.seen_through[0] * hit.body[0] / likely,
        carried[1] * hit.seen_through[1] * hit.body[1] / likely,
        carried[2] * hit.seen_through[2] * hit.body[2] / likely,
    )
    widening = paths.rows[p.WIDENING, j] + wide * hit.facets.along
    go_on(paths, j, place_of(points, at), hit.own_normal, way, carried, F(p.REFRACTED), widening)


@njit(**INLINE)
def _around_normal(normal, drawn):
    """A direction on the side of a normal, by the cosine."""
    x, y, z = by_cosine(drawn)
    t, b = any_frame(normal)
    x, y, z = in_frame(t, b, normal, x, y, z)
    return unit(x, y, z)


@njit(**INLINE)
def _other_side(normal):
    return -normal[0], -normal[1], -normal[2]


@njit(**INLINE)
def go_under(paths, points, at, drawn, carried, wide):
    """Lets a path wander on below a matt surface, which is entered evenly."""
    j, own, place = points.of[at], _own_normal(points, at), place_of(points, at)
    below = _other_side(own)
    way = _around_normal(below, drawn_pair(drawn, 1))
    _inside(paths.rows, j, F(p.UNDER), points.more, p.BELOW, at)
    go_on(paths, j, place, own, way, carried, F(p.REFRACTED), paths.rows[p.WIDENING, j] + wide)
    densest = F(0)
    for channel in range(3):
        densest = max(densest, paths.rows[p.ABSORBED + channel, j] + paths.rows[p.SCATTERED + channel, j])
    lift = min(LIFT, max(F(0.002) / max(densest, F(1)), LEAST_LIFT))  # what is dense is not begun far below
    put_row(paths.origins, j, (place[0] + below[0] * lift, place[1] + below[1] * lift, place[2] + below[2] * lift))


@njit(**INLINE)
def come_out(paths, points, at, drawn, carried):
    """Lets a path that wandered below a surface go on above it."""
    j, own = points.of[at], _own_normal(points, at)
    above = _other_side(own)
    way = _around_normal(above, drawn_pair(drawn, 1))
    density = max(dot(above, way), F(1e-6)) / PI
    leave_for_air(paths.rows, j)
    go_on(paths, j, place_of(points, at), own, way, carried, density, paths.rows[p.WIDENING, j])
