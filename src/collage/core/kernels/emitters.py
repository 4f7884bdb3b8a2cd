"""Where light comes from: directions to the environment and to lights, drawn by how bright they are.

Helpers of kernels.paths and kernels.scattering, compiled into them.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit

from collage.core.kernels import path_rows as p
from collage.core.kernels.flags import INLINE
from collage.core.kernels.lights import (
    AREA,
    AS_SQUARE,
    BALL,
    CENTRE,
    COLOUR,
    COLUMNS,
    CONE,
    DIRECTION,
    DISC,
    DISTANT,
    FULL,
    KIND,
    NO_CONE,
    RIGHT,
    SIZE,
    UP,
)
from collage.core.kernels.reflection import PI, any_frame, arcsine, circle, dot, turn_to, unit

F = np.float32


class Sky(NamedTuple):
    """The environment: a latitude-longitude picture, and how likely its directions are drawn.

    texels : (h, w, 4), the top row first: light, and how likely directions in the texel are, per steradian.
    rows : (h + 1 + GUIDES,), columns : (h, w + 1 + GUIDES), sums of how likely the rows are, and the texels in each
    (M. Pharr and others, Physically Based Rendering, 2D sampling by marginal and conditional densities); behind them in
    which interval of the sums each of GUIDES even steps lies. sines : (h + 1,) of the heights between the rows.
    settings : see kernels.path_rows.
    """

    texels: np.ndarray
    rows: np.ndarray
    columns: np.ndarray
    sines: np.ndarray
    settings: np.ndarray


@njit(**INLINE)
def power(one, other):
    """The power heuristic: how much one of two ways to draw a direction counts."""
    a = one / (one + other) if one + other > F(0) else F(0)
    b = F(1) - a
    return a * a / max(a * a + b * b, F(1e-20))


@njit(**INLINE)
def _found(sums, count, wanted):
    """The interval of ascending sums in which a number from 0 up to 1 lies; see Sky (H.-C. Chen and Y. Asau, On
    generating random variates from an empirical distribution, 1974)."""
    step = min(int(wanted * F(p.GUIDES)), p.GUIDES - 1)
    first = int(sums[count + 1 + step])
    last = int(sums[count + 2 + step]) + 1 if step + 1 < p.GUIDES else count
    while last - first > 1:
        middle = (first + last) // 2
        if sums[middle] <= wanted:
            first = middle
        else:
            last = middle
    return first


@njit(**INLINE)
def place_of(way, height, width, sine, cosine):
    """Where a direction lies in a turned picture of a height and width, in texels across and down."""
    x, z = way[0] * cosine + way[2] * sine, way[2] * cosine - way[0] * sine
    return (turn_to(x, -z) + F(0.5)) * width, (F(0.5) - arcsine(way[1]) / PI) * height


@njit(**INLINE)
def light_at(sky, x, y):
    """The environment's light at a place, bilinear, round the sides; and how likely toward_environment draws the
    direction, per steradian."""
    height, width, strength = np.int32(sky.texels.shape[0]), np.int32(sky.texels.shape[1]), sky.settings[p.STRENGTH]
    column, row = min(np.int32(x), width - np.int32(1)), min(np.int32(y), height - np.int32(1))
    x, y = x - F(0.5), min(max(y - F(0.5), F(0)), F(height - 1))
    left, top = np.int32(math.floor(x)), min(np.int32(y), height - np.int32(1))
    a, b = x - F(left), y - F(top)
    left, below = (left + width) % width, min(top + 1, height - 1)
    right = left + 1 if left + 1 < width else 0
    one, two = (F(1) - a) * (F(1) - b) * strength, a * (F(1) - b) * strength
    three, four = (F(1) - a) * b * strength, a * b * strength
    texels = sky.texels
    return (
        texels[top, left, 0] * one + texels[top, right, 0] * two
        + texels[below, left, 0] * three + texels[below, right, 0] * four,
        texels[top, left, 1] * one + texels[top, right, 1] * two
        + texels[below, left, 1] * three + texels[below, right, 1] * four,
        texels[top, left, 2] * one + texels[top, right, 2] * two
        + texels[below, left, 2] * three + texels[below, right, 2] * four,
    ), texels[row, column, 3]  # fmt: skip


@njit(**INLINE)
def toward_environment(sky, drawn):
    """A direction drawn by the environment's brightness, its light, and how likely it is, per steradian."""
    height, width = sky.texels.shape[0], sky.texels.shape[1]
    row = _found(sky.rows, height, drawn[1])
    part = (drawn[1] - sky.rows[row]) / max(sky.rows[row + 1] - sky.rows[row], F(1e-12))
    column = _found(sky.columns[row], width, drawn[0])
    low = sky.columns[row, column]
    aside = (drawn[0] - low) / max(sky.columns[row, column + 1] - low, F(1e-12))
    part, aside = min(max(part, F(0)), F(1)), min(max(aside, F(0)), F(1))
    y = sky.sines[row] + (sky.sines[row + 1] - sky.sines[row]) * part
    across = F(column) + aside
    turn = (across / F(width) - F(0.5)) * F(2) * PI
    flat = math.sqrt(max(F(1) - y * y, F(0)))
    x, z = math.sin(turn) * flat, -math.cos(turn) * flat
    way = (
        x * sky.settings[p.COSINE] - z * sky.settings[p.SINE],
        y,
        z * sky.settings[p.COSINE] + x * sky.settings[p.SINE],
    )
    down = (F(0.5) - math.asin(min(max(y, F(-1)), F(1))) / PI) * F(height)
    light, _ = light_at(sky, across, down)
    return way, light, sky.texels[row, column, 3]


@njit(**INLINE)
def _sent_in(lights, k):
    """The direction in which a light shines."""
    return lights[k, DIRECTION], lights[k, DIRECTION + 1], lights[k, DIRECTION + 2]


@njit(**INLINE)
def _in_cone(lights, k, cosine):
    """How much of its light a light sends at an angle from its direction: smooth between the edges of its cone."""
    t = (cosine - lights[k, CONE]) / max(lights[k, FULL] - lights[k, CONE], F(1e-6))
    t = min(max(t, F(0)), F(1))
    return F(1) if lights[k, CONE] <= F(NO_CONE) else t * t * (F(3) - F(2) * t)


@njit(**INLINE)
def facing(lights, k, place, row):
    """Writes to row (1, COLUMNS) the light as the rectangle that a place takes it for: a ball as the square that is as
    large as its outline and faces the place, what has a cone as bright as it is in that direction."""
    for column in range(COLUMNS):
        row[0, column] = lights[k, column]
    kind = lights[k, KIND]
    if kind == F(DISTANT):
        return
    x, y, z = place[0] - lights[k, CENTRE], place[1] - lights[k, CENTRE + 1], place[2] - lights[k, CENTRE + 2]
    far = math.sqrt(max(x * x + y * y + z * z, F(1e-12)))
    way = (x / far, y / far, z / far)
    row[0, KIND] = F(AREA)
    if lights[k, CONE] > F(NO_CONE):
        sent = _sent_in(lights, k)
        share = _in_cone(lights, k, dot(way, sent))
        for channel in range(3):
            row[0, COLOUR + channel] *= share
    if kind == F(DISC):
        for column in range(RIGHT, RIGHT + 6):
            row[0, column] *= F(AS_SQUARE)
    if kind == F(BALL):
        share = min(lights[k, SIZE] / far, F(0.999))
        radius = F(AS_SQUARE) * lights[k, SIZE] / math.sqrt(F(1) - share * share)
        up, right = any_frame(way)  # the sides turn as those of a rectangle do
        for axis in range(3):
            row[0, DIRECTION + axis] = way[axis]
            row[0, RIGHT + axis], row[0, UP + axis] = right[axis] * radius, up[axis] * radius


@njit(**INLINE)
def _cap(lights, k):
    """One less the cosine of the radius of a distant light; and how much brighter it is than its irradiance over its
    solid angle, since its edge falls on a surface at a slant."""
    slope2 = lights[k, SIZE] * lights[k, SIZE]
    cosine = F(1) / math.sqrt(F(1) + slope2)
    return slope2 / (F(1) + slope2) / (F(1) + cosine), F(2) / (F(1) + cosine)


@njit(**INLINE)
def arriving_from(lights, k, way):
    """One over the solid angle of a distant light where a direction lies in it, else 0; and what of its irradiance
    times this is its radiance."""
    depth, brighter = _cap(lights, k)
    c = -(way[0] * lights[k, DIRECTION] + way[1] * lights[k, DIRECTION + 1] + way[2] * lights[k, DIRECTION + 2])
    x, y, z = way[0] + lights[k, DIRECTION], way[1] + lights[k, DIRECTION + 1], way[2] + lights[k, DIRECTION + 2]
    # the chord between two directions: 1 - c would lose all its digits
    inside = (c > F(0)) & (F(0.5) * (x * x + y * y + z * z) <= depth)
    return F(1) / (F(2) * PI * depth) if inside else F(0), brighter


@njit(**INLINE)
def _area(lights, k):
    """The area of a rectangle or disc, and the squares of half its sides, or of its radius."""
    right = lights[k, RIGHT] ** 2 + lights[k, RIGHT + 1] ** 2 + lights[k, RIGHT + 2] ** 2
    up = lights[k, UP] ** 2 + lights[k, UP + 1] ** 2 + lights[k, UP + 2] ** 2
    return (PI if lights[k, KIND] == F(DISC) else F(4)) * math.sqrt(right * up), right, up


@njit(**INLINE)
def _lit_ball(lights, k, origin, way):
    """The same for a ball."""
    x, y, z = origin[0] - lights[k, CENTRE], origin[1] - lights[k, CENTRE + 1], origin[2] - lights[k, CENTRE + 2]
    along = x * way[0] + y * way[1] + z * way[2]
    # from the nearest point of the ray: the difference of two squares would lose all digits of a small ball
    nx, ny, nz = x - along * way[0], y - along * way[1], z - along * way[2]
    radius2, far2 = lights[k, SIZE] * lights[k, SIZE], x * x + y * y + z * z
    inside = radius2 - (nx * nx + ny * ny + nz * nz)
    away = -along - math.sqrt(max(inside, F(0)))
    if (inside <= F(0)) | (away <= F(0)):
        return F(0), F(0)
    return away, F(1) / (F(2) * PI * _ball_cap(radius2, far2))


@njit(**INLINE)
def _ball_cap(radius2, far2):
    """One less the cosine of half the angle under which a ball is seen."""
    sine2 = min(radius2 / max(far2, F(1e-12)), F(0.9999))
    return sine2 / (F(1) + math.sqrt(F(1) - sine2))


@njit(**INLINE)
def lit_surface(lights, k, origin, way):
    """How far a ray goes to the lit side of a light, 0 where it misses; how likely it is drawn, per steradian; and how
    much of its light it sends there."""
    sent = _sent_in(lights, k)
    share = _in_cone(lights, k, -dot(way, sent))
    if lights[k, KIND] == F(BALL):
        away, likely = _lit_ball(lights, k, origin, way)
    else:
        away, likely = _lit_plane(lights, k, origin, way)
    return away, likely, share


@njit(**INLINE)
def _lit_plane(lights, k, origin, way):
    """The same for a rectangle or disc."""
    facing = -dot(way, _sent_in(lights, k))
    if facing <= F(1e-6):
        return F(0), F(0)
    cx, cy, cz = lights[k, CENTRE] - origin[0], lights[k, CENTRE + 1] - origin[1], lights[k, CENTRE + 2] - origin[2]
    away = -(cx * lights[k, DIRECTION] + cy * lights[k, DIRECTION + 1] + cz * lights[k, DIRECTION + 2]) / facing
    if away <= F(0):
        return F(0), F(0)
    hx, hy, hz = way[0] * away - cx, way[1] * away - cy, way[2] * away - cz
    area, right, up = _area(lights, k)
    across = hx * lights[k, RIGHT] + hy * lights[k, RIGHT + 1] + hz * lights[k, RIGHT + 2]
    along = hx * lights[k, UP] + hy * lights[k, UP + 1] + hz * lights[k, UP + 2]
    if lights[k, KIND] == F(DISC):
        if across * across + along * along > right * up:
            return F(0), F(0)
    elif (abs(across) > right) | (abs(along) > up):
        return F(0), F(0)
    return away, away * away / (facing * area)


@njit(**INLINE)
def toward_ball(lights, k, share, place, drawn):
    """See toward_plane: a direction drawn evenly from those in which a ball is seen."""
    colour = _colour(lights, k)
    x, y, z = lights[k, CENTRE] - place[0], lights[k, CENTRE + 1] - place[1], lights[k, CENTRE + 2] - place[2]
    far2, radius2 = x * x + y * y + z * z, lights[k, SIZE] * lights[k, SIZE]
    far = math.sqrt(max(far2, F(1e-12)))
    middle, cap = (x / far, y / far, z / far), _ball_cap(radius2, far2)
    (cosine, sine), low = circle(drawn[0]), cap * drawn[1]
    flat = math.sqrt(max(low * (F(2) - low), F(0)))
    right, up = any_frame(middle)
    a, b, c = flat * cosine, flat * sine, F(1) - low
    way = unit(
        middle[0] * c + right[0] * a + up[0] * b, middle[1] * c + right[1] * a + up[1] * b,
        middle[2] * c + right[2] * a + up[2] * b,
    )  # fmt: skip
    away = far * c - math.sqrt(max(radius2 - far2 * flat * flat, F(0)))
    part = _in_cone(lights, k, -dot(way, _sent_in(lights, k)))
    likely = share / (F(2) * PI * cap) if far2 > radius2 else F(0)  # else the place is within it
    return way, away * F(0.9999), (colour[0] * part, colour[1] * part, colour[2] * part), likely, max(likely, F(1e-20))


@njit(**INLINE)
def _colour(lights, k):
    return lights[k, COLOUR], lights[k, COLOUR + 1], lights[k, COLOUR + 2]


@njit(**INLINE)
def toward_plane(lights, k, share, place, drawn):
    """A direction to a place on a rectangle or disc, which is one of several lights drawn by their shares.

    Returns the direction, how far the light is (0 for endlessly), its light, how likely the direction is, per
    steradian, and what the light is to be divided by.
    """
    colour = _colour(lights, k)
    a, b = F(2) * drawn[0] - F(1), F(2) * drawn[1] - F(1)
    if lights[k, KIND] == F(DISC):
        (cosine, sine), away = circle(drawn[0]), math.sqrt(drawn[1])
        a, b = away * cosine, away * sine
    x = lights[k, CENTRE] + a * lights[k, RIGHT] + b * lights[k, UP] - place[0]
    y = lights[k, CENTRE + 1] + a * lights[k, RIGHT + 1] + b * lights[k, UP + 1] - place[1]
    z = lights[k, CENTRE + 2] + a * lights[k, RIGHT + 2] + b * lights[k, UP + 2] - place[2]
    far = math.sqrt(max(x * x + y * y + z * z, F(1e-12)))
    way = (x / far, y / far, z / far)
    facing = -dot(way, _sent_in(lights, k))
    likely = far * far / (max(facing, F(1e-6)) * _area(lights, k)[0]) * share
    part = _in_cone(lights, k, facing)
    colour = (colour[0] * part, colour[1] * part, colour[2] * part)
    return way, far * F(0.9999), colour, (likely if facing > F(1e-6) else F(0)), likely


@njit(**INLINE)
def toward_sun(lights, k, share, drawn):
    """See toward_plane: a direction to a distant light."""
    colour = _colour(lights, k)
    depth, brighter = _cap(lights, k)
    colour = (colour[0] * brighter, colour[1] * brighter, colour[2] * brighter)
    (cosine, sine), low = circle(drawn[0]), depth * drawn[1]
    flat = math.sqrt(max(low * (F(2) - low), F(0)))
    a, b = flat * cosine, flat * sine
    scale = F(1) / max(lights[k, SIZE], F(1e-9))
    x = -lights[k, DIRECTION] * (F(1) - low) + scale * (lights[k, RIGHT] * a + lights[k, UP] * b)
    y = -lights[k, DIRECTION + 1] * (F(1) - low) + scale * (lights[k, RIGHT + 1] * a + lights[k, UP + 1] * b)
    z = -lights[k, DIRECTION + 2] * (F(1) - low) + scale * (lights[k, RIGHT + 2] * a + lights[k, UP + 2] * b)
    # its irradiance is spread over the disc: the solid angle that likely divides by is in the light already
    return unit(x, y, z), F(0), colour, share / (F(2) * PI * depth), share
