"""Parts of shading: the environment's maps, microfacets, and the light of a rectangle.

Helpers of kernels.shading, compiled into it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit

from collage.core.kernels.flags import INLINE
from collage.core.kernels.levels import ROUGHNESSES, SIZES, STARTS
from collage.core.kernels.lights import AS_SQUARE, CENTRE, DIRECTION, DISTANT, KIND, RIGHT, SIZE, UP

F = np.float32
PI = np.float32(math.pi)

BRUSHED_SAMPLES = 13

STEPS, BRUSHED = 8, 5  # of the table of brushed surfaces, see render.energy
TABLE = 32  # cosines and roughnesses of the table of reflected energy


class Turn(NamedTuple):
    """The environment's turn about the upright axis, and its strength."""

    sine: float
    cosine: float
    strength: float


@njit(**INLINE)
def dot(a, b):
    """The dot product of two 3-vectors, each a tuple."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(**INLINE)
def cross(a, b):
    """The cross product of two 3-vectors, each a tuple."""
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@njit(**INLINE)
def which_of(yes, one, other):
    """One of two 3-vectors."""
    return (one[0] if yes else other[0]), (one[1] if yes else other[1]), (one[2] if yes else other[2])


@njit(**INLINE)
def octahedral(x, y, z):
    """The place of a direction in the octahedral map, -1 to 1.

    Cigolle et al., A survey of efficient representations for independent unit vectors, 2014.
    """
    s = F(1) / max(abs(x) + abs(y) + abs(z), F(1e-12))
    x, z = x * s, z * s
    if y < F(0):
        px = (F(1) - abs(z)) * (F(-1) if x < F(0) else F(1))
        pz = (F(1) - abs(x)) * (F(-1) if z < F(0) else F(1))
        x, z = px, pz
    return x * F(0.5) + F(0.5), z * F(0.5) + F(0.5)


@njit(**INLINE)
def square(texels, level, u, v, channel):
    """Bilinear value of one of the environment's maps, a square with a border of one texel."""
    start, size = STARTS[level], SIZES[level]
    x, y = u * F(size) + F(0.5), v * F(size) + F(0.5)
    ix, iy = min(np.int32(x), size), min(np.int32(y), size)
    tx, ty = x - F(ix), y - F(iy)
    row = np.uint32(size + 2)
    at = np.uint32(start + iy * np.int32(row) + ix)
    under = at + row
    top = texels[at, channel] * (F(1) - tx) + texels[at + np.uint32(1), channel] * tx
    low = texels[under, channel] * (F(1) - tx) + texels[under + np.uint32(1), channel] * tx
    return top * (F(1) - ty) + low * ty


@njit(**INLINE)
def energy(table, cosine, roughness):
    """Parts (A, B) of the reflected energy F0 A + F90 B at an angle and roughness, read bilinearly."""
    x = min(max(cosine, F(0)), F(1)) * F(TABLE - 1)
    y = min(max(roughness, F(0)), F(1)) * F(TABLE - 1)
    ix, iy = min(int(x), TABLE - 2), min(int(y), TABLE - 2)
    tx, ty = x - F(ix), y - F(iy)
    a = (table[iy, 2 * ix] * (F(1) - tx) + table[iy, 2 * ix + 2] * tx) * (F(1) - ty) + (
        table[iy + 1, 2 * ix] * (F(1) - tx) + table[iy + 1, 2 * ix + 2] * tx
    ) * ty
    b = (table[iy, 2 * ix + 1] * (F(1) - tx) + table[iy, 2 * ix + 3] * tx) * (F(1) - ty) + (
        table[iy + 1, 2 * ix + 1] * (F(1) - tx) + table[iy + 1, 2 * ix + 3] * tx
    ) * ty
    return a, b


@njit(**INLINE)
def _part(value, steps):
    """Which of so many steps from 0 to 1 a value lies after, and how far beyond it."""
    place = min(max(value, F(0)), F(1)) * F(steps - 1)
    first = min(int(place), steps - 2)
    return first, place - F(first)


@njit(**INLINE)
def brushed_energy(table, cosine, roughness, brushed, frame, eye):
    """How much more a brushed surface sends back to the eye than one as rough that is not; see render.energy."""
    along, across = dot(frame[0], eye), dot(frame[1], eye)
    turn = along * along / max(along * along + across * across, F(1e-9))
    i, ti = _part(brushed, BRUSHED)
    j, tj = _part(roughness, STEPS)
    k, tk = _part(turn, STEPS)
    m, tm = _part(math.sqrt(cosine), STEPS)
    total = F(0)
    for corner in range(16):
        di, dj, dk, dm = corner & 1, (corner >> 1) & 1, (corner >> 2) & 1, corner >> 3
        share = (ti if di else F(1) - ti) * (tj if dj else F(1) - tj) * (tk if dk else F(1) - tk)
        share *= tm if dm else F(1) - tm
        total += share * table[TABLE + (i + di) * STEPS + j + dj, (k + dk) * STEPS + m + dm]
    return total


@njit(**INLINE)
def between(maps, level, share, place, channel):
    """A value between two filtered levels."""
    first = square(maps, level, place[0], place[1], channel)
    second = square(maps, level + 1, place[0], place[1], channel)
    return first + (second - first) * share


@njit(**INLINE)
def level_of(roughness):
    """Which filtered level a roughness lies at, with parts between two."""
    last = ROUGHNESSES.size - 1
    at = 0
    while (at < last - 1) & (roughness > ROUGHNESSES[at + 1]):
        at += 1
    share = (roughness - ROUGHNESSES[at]) / (ROUGHNESSES[at + 1] - ROUGHNESSES[at])
    return at, min(max(share, F(0)), F(1))


@njit(**INLINE)
def toward_map(x, y, z, turn):
    """The place of a direction in the environment's maps."""
    return octahedral(x * turn.cosine + z * turn.sine, y, z * turn.cosine - x * turn.sine)


@njit(**INLINE)
def unit(x, y, z):
    """A 3-vector at length 1."""
    s = F(1) / math.sqrt(max(x * x + y * y + z * z, F(1e-20)))
    return x * s, y * s, z * s


@njit(**INLINE)
def circle(turn):
    """Cosine and sine of a turn from 0 to 1, to 5e-7: by polynomials over an eighth of it to either side of a quarter
    (S. L. Moshier, Cephes Mathematical Library), so that many are found at once."""
    quarter = np.int32(turn * F(4) + F(0.5))
    x = (turn * F(4) - F(quarter)) * (PI * F(0.5))
    x2 = x * x
    sine = x + x * x2 * (F(-1.6666654611e-1) + x2 * (F(8.3321608736e-3) + x2 * F(-1.9515295891e-4)))
    cosine = F(1) - F(0.5) * x2
    cosine += x2 * x2 * (F(4.166664568298827e-2) + x2 * (F(-1.388731625493765e-3) + x2 * F(2.443315711809948e-5)))
    odd, far = (quarter & np.int32(1)) != 0, (quarter & np.int32(2)) != 0
    c, b = (-sine if odd else cosine), (cosine if odd else sine)
    return (-c if far else c), (-b if far else b)


@njit(**INLINE)
def _arccosine(x):
    """acos of x from 0 to 1, to 2e-8 (M. Abramowitz and I. Stegun, Handbook of Mathematical Functions, 4.4.46)."""
    p = F(-0.0012624911)
    for a in (0.0066700901, -0.0170881256, 0.0308918810, -0.0501743046, 0.0889789874, -0.2145988016, 1.5707963050):
        p = p * x + F(a)
    return math.sqrt(F(1) - x) * p


@njit(**INLINE)
def arcsine(x):
    """asin, of many at once."""
    angle = PI * F(0.5) - _arccosine(min(abs(x), F(1)))
    return angle if x >= F(0) else -angle


@njit(**INLINE)
def turn_to(x, y):
    """The turn, -0.5 to 0.5, from y to x as the y and x of math.atan2; of many at once, to 1e-8 (as above, 4.4.49)."""
    wide, high = abs(x), abs(y)
    q = min(wide, high) / max(max(wide, high), F(1e-20))
    q2, p = q * q, F(0.0028662257)
    for a in (
        -0.0161657367, 0.0429096138, -0.0752896400, 0.1065626393, -0.1420889944, 0.1999355085, -0.3333314528, 1.0
    ):  # fmt: skip
        p = p * q2 + F(a)
    angle = p * q
    angle = PI * F(0.5) - angle if wide > high else angle
    angle = PI - angle if y < F(0) else angle
    return (angle if x >= F(0) else -angle) / (F(2) * PI)


@njit(**INLINE)
def any_frame(n):
    """Two directions that stand on a normal and on each other (T. Duff et al., JCGT 6(1), 2017)."""
    sign = F(1) if n[2] >= F(0) else F(-1)
    a = F(-1) / (sign + n[2])
    b = n[0] * n[1] * a
    return (F(1) + sign * n[0] * n[0] * a, sign * b, -sign * n[0]), (b, sign + n[1] * n[1] * a, -n[1])


@njit(**INLINE)
def in_frame(t, b, n, x, y, z):
    """The vector that lies so far along each of three directions."""
    return t[0] * x + b[0] * y + n[0] * z, t[1] * x + b[1] * y + n[1] * z, t[2] * x + b[2] * y + n[2] * z


@njit(**INLINE)
def by_cosine(drawn):
    """A direction about the z axis, drawn by its cosine to it (Malley's method)."""
    cosine, sine = circle(drawn[0])
    radius = math.sqrt(drawn[1])
    return radius * cosine, radius * sine, math.sqrt(max(F(1) - drawn[1], F(0)))


@njit(**INLINE)
def alphas(roughness, brushed):
    """Microfacet slopes along and across the brushing (OpenPBR 1.1, microfacet model)."""
    narrow = F(1) - min(max(brushed, F(0)), F(0.99))
    along = roughness * roughness * math.sqrt(F(2) / (F(1) + narrow * narrow))
    return max(along, F(0.002)), max(along * narrow, F(0.002))


@njit(**INLINE)
def brushing_frame(surface, row, i, normal):
    """The directions along and across the brushing on a surface with this normal."""
    nx, ny, nz = normal
    tx, ty, tz = surface[row, i], surface[row + 1, i], surface[row + 2, i]
    away = tx * nx + ty * ny + tz * nz
    tx, ty, tz = tx - away * nx, ty - away * ny, tz - away * nz
    if tx * tx + ty * ty + tz * tz < F(1e-8):  # no direction is given: any that lies in the surface
        tx, ty, tz = (F(1), F(0), F(0)) if abs(nx) < F(0.9) else (F(0), F(0), F(1))
        away = tx * nx + ty * ny + tz * nz
        tx, ty, tz = tx - away * nx, ty - away * ny, tz - away * nz
    tx, ty, tz = unit(tx, ty, tz)
    return (tx, ty, tz), (ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx)


@njit(**INLINE)
def fifth_power(x):
    """x to the power of 5."""
    return x * x * (x * x) * x


@njit(**INLINE)
def ggx_brushed(along, across, frame, normal, half, light, view):
    """GGX of slopes that differ along and across, with its shadowing, over 4 nl nv (E. Heitz,
    Understanding the Masking-Shadowing Function in Microfacet-Based BRDFs, JCGT 3(2), 2014)."""
    t, b = frame
    nh, nl, nv = dot(normal, half), max(dot(normal, light), F(0)), max(dot(normal, view), F(0.02))
    th, bh = dot(t, half) / along, dot(b, half) / across
    d = nh * nh + th * th + bh * bh
    distribution = F(1) / (PI * along * across * d * d)
    lt, lb, vt, vb = along * dot(t, light), across * dot(b, light), along * dot(t, view), across * dot(b, view)
    gv = nl * math.sqrt(vt * vt + vb * vb + nv * nv)
    gl = nv * math.sqrt(lt * lt + lb * lb + nl * nl)
    return distribution * F(0.5) / max(gv + gl, F(1e-7))


@njit(**INLINE)
def brushed_light(slopes, tangent, normal, view, maps, turn, r, row):
    """Fills a row of `r` with the environment mirrored in a brushed surface: the lobes of several slopes along it.

    The slopes halve the distribution of GGX along one axis into equal parts: its share below s is
    (1 + q) / 2, where s = along q / sqrt(1 - q^2).
    """
    along, across = slopes
    finer = F(along * F(0.2))  # the lobes of neighbouring slopes run into each other
    roughness = min(math.sqrt(math.sqrt(across * across + finer * finer)), F(1))
    level, share = level_of(roughness)
    total = F(0)
    r[row, 0] = r[row, 1] = r[row, 2] = F(0)
    for k in range(BRUSHED_SAMPLES):
        q = F(F(2 * k + 1) / F(BRUSHED_SAMPLES) - F(1))
        slope = along * q / math.sqrt(F(1) - q * q)
        hx, hy, hz = normal[0] + tangent[0] * slope, normal[1] + tangent[1] * slope, normal[2] + tangent[2] * slope
        hx, hy, hz = unit(hx, hy, hz)
        vh = F(2) * (hx * view[0] + hy * view[1] + hz * view[2])
        x, y, z = vh * hx - view[0], vh * hy - view[1], vh * hz - view[2]
        up = x * normal[0] + y * normal[1] + z * normal[2]
        weight = min(max(F(4) * up, F(0)), F(1))  # what would go below the surface fades out
        if (vh <= F(0)) | (weight <= F(0)):
            continue
        place = toward_map(x, y, z, turn)
        total += weight
        for channel in range(3):
            r[row, channel] += weight * between(maps, level, share, place, channel)
    for channel in range(3):
        r[row, channel] /= max(total, F(1e-3))


@njit(**INLINE)
def behind(normal, view, ior, turn):
    """Where the environment is seen through a surface, bent once on the way in."""
    nx, ny, nz = normal
    vx, vy, vz = view
    nv = nx * vx + ny * vy + nz * vz
    bent = F(1) / ior
    along = bent * nv - math.sqrt(max(F(1) - bent * bent * (F(1) - nv * nv), F(0)))
    return toward_map(along * nx - bent * vx, along * ny - bent * vy, along * nz - bent * vz, turn)


@njit(**INLINE)
def angle_over_sine(c):
    """acos(c) / sin(acos(c)), to 2e-7."""
    x = abs(c)
    angle = _arccosine(x)
    angle = angle if c >= F(0) else PI - angle
    return angle / math.sqrt(F(1) - x * x)


@njit(**INLINE)
def edge(a, b, normal):
    """One edge of Lambert's formula for the light of a polygon; a, b of length 1."""
    c = min(max(dot(a, b), F(-0.99999)), F(0.99999))
    x, y, z = a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
    return angle_over_sine(c) * dot((x, y, z), normal)


@njit(**INLINE)
def _corner(lights, k, place, right, up):
    """Direction from a place to a corner of a rectangle; right, up : -1 or 1."""
    return unit(
        lights[k, CENTRE] + right * lights[k, RIGHT] + up * lights[k, UP] - place[0],
        lights[k, CENTRE + 1] + right * lights[k, RIGHT + 1] + up * lights[k, UP + 1] - place[1],
        lights[k, CENTRE + 2] + right * lights[k, RIGHT + 2] + up * lights[k, UP + 2] - place[2],
    )


@njit(**INLINE)
def rectangle(lights, k, place, normal):
    """Cosine-weighted solid angle over pi of a lit rectangle (Lambert 1760), no less than 0."""
    one, other = F(1), F(-1)
    a, b = _corner(lights, k, place, one, one), _corner(lights, k, place, other, one)
    c, d = _corner(lights, k, place, other, other), _corner(lights, k, place, one, other)
    total = edge(a, b, normal) + edge(b, c, normal) + edge(c, d, normal) + edge(d, a, normal)
    return max(total / (F(2) * PI), F(0))


@njit(**INLINE)
def light_direction(lights, k, place, mirrored):
    """Direction to the point of a light that lies nearest to the mirrored ray."""
    px, py, pz = place
    rx, ry, rz = mirrored
    if lights[k, KIND] == F(DISTANT):
        return (-lights[k, DIRECTION], -lights[k, DIRECTION + 1], -lights[k, DIRECTION + 2])
    wx, wy, wz = lights[k, DIRECTION], lights[k, DIRECTION + 1], lights[k, DIRECTION + 2]
    cx, cy, cz = lights[k, CENTRE] - px, lights[k, CENTRE + 1] - py, lights[k, CENTRE + 2] - pz
    slope = rx * wx + ry * wy + rz * wz
    far = (cx * wx + cy * wy + cz * wz) / (slope if abs(slope) > F(1e-4) else F(-1e-4))
    if (slope > F(-1e-4)) | (far <= F(0)):
        far = math.sqrt(cx * cx + cy * cy + cz * cz)
    hx, hy, hz = rx * far - cx, ry * far - cy, rz * far - cz
    ru, rv = lights[k, RIGHT], lights[k, UP]
    rr = ru * ru + lights[k, RIGHT + 1] ** 2 + lights[k, RIGHT + 2] ** 2
    uu = rv * rv + lights[k, UP + 1] ** 2 + lights[k, UP + 2] ** 2
    s = (hx * ru + hy * lights[k, RIGHT + 1] + hz * lights[k, RIGHT + 2]) / rr
    t = (hx * rv + hy * lights[k, UP + 1] + hz * lights[k, UP + 2]) / uu
    s, t = min(max(s, F(-1)), F(1)), min(max(t, F(-1)), F(1))
    lx = cx + s * ru + t * rv
    ly = cy + s * lights[k, RIGHT + 1] + t * lights[k, UP + 1]
    lz = cz + s * lights[k, RIGHT + 2] + t * lights[k, UP + 2]
    return unit(lx, ly, lz)


@njit(**INLINE)
def _sides(lights, k, place):
    """From a place to the middle of a light, and from there to two sides; of a disc, of the square that is as large."""
    right = (lights[k, RIGHT], lights[k, RIGHT + 1], lights[k, RIGHT + 2])
    up = (lights[k, UP], lights[k, UP + 1], lights[k, UP + 2])
    if lights[k, KIND] != F(DISTANT):
        x, y, z = lights[k, CENTRE] - place[0], lights[k, CENTRE + 1] - place[1], lights[k, CENTRE + 2] - place[2]
        return (x, y, z), right, up
    square = F(AS_SQUARE)
    right, up = (
        (right[0] * square, right[1] * square, right[2] * square),
        (up[0] * square, up[1] * square, up[2] * square),
    )
    return (-lights[k, DIRECTION], -lights[k, DIRECTION + 1], -lights[k, DIRECTION + 2]), right, up


class _Mirror(NamedTuple):
    """A rough mirror: the two directions of its frame, each over the slope there, its normal, the eye, and that among
    microfacets that are as if round."""

    narrowed: tuple
    normal: tuple
    eye: tuple
    round_eye: tuple


@njit(**INLINE)
def _as_if_round(mirror, way):
    """Where a direction is mirrored from if the slopes of all microfacets are divided by those of GGX.

    The normals that the eye sees are then those of a ball, and what they mirror is even over a cap of directions
    (J. Dupuy and A. Benyoub, Sampling Visible GGX Normals with Spherical Caps, 2023).
    """
    eye, narrowed, round_eye = mirror.eye, mirror.narrowed, mirror.round_eye
    half = way[0] + eye[0], way[1] + eye[1], way[2] + eye[2]
    half = unit(dot(narrowed[0], half), dot(narrowed[1], half), dot(mirror.normal, half))
    c = F(2) * dot(round_eye, half)
    return c * half[0] - round_eye[0], c * half[1] - round_eye[1], c * half[2] - round_eye[2]


@njit(**INLINE)
def _side(mirror, sides, across, along):
    """The same for a place of a light: -1 to 1 across and along it."""
    middle, right, up = sides
    x, y = middle[0] + across * right[0] + along * up[0], middle[1] + across * right[1] + along * up[1]
    return _as_if_round(mirror, unit(x, y, middle[2] + across * right[2] + along * up[2]))


@njit(**INLINE)
def _half_angle(a, b, c):
    """Half the solid angle of the triangle between three directions, with a sign, as the angle of a vector (x, y)
    (A. van Oosterom and J. Strackee, The Solid Angle of a Plane Triangle, 1983)."""
    u, v = (b[0] - a[0], b[1] - a[1], b[2] - a[2]), (c[0] - a[0], c[1] - a[1], c[2] - a[2])
    cross = u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]
    return F(1) + dot(a, b) + dot(b, c) + dot(c, a), dot(a, cross)


@njit(**INLINE)
def _half_angles(a, b, c, d):
    """Half the solid angles of the triangles a b c and a c d together, which is less than half a turn."""
    x, y = _half_angle(a, b, c)
    u, v = _half_angle(a, c, d)
    return math.atan2(x * v + y * u, x * u - y * v)  # multiplied as complex numbers, vectors add their angles


@njit(**INLINE)
def mirrored_share(lights, k, place, normal, frame, slopes, eye, toward):
    """How much of what a rough mirror reflects to the eye comes from a light, 0 to 1, without Fresnel and shadowing.

    toward : to the point of the light that lies nearest to the mirrored ray. Around it the light is eight triangles:
    all of it may be more than half of the directions that are mirrored, and its sides are bent among them.
    """
    one, none = F(1), F(0)
    round_eye = unit(dot(frame[0], eye) * slopes[0], dot(frame[1], eye) * slopes[1], max(dot(normal, eye), F(0.02)))
    t, b, x, y = frame[0], frame[1], one / slopes[0], one / slopes[1]
    narrowed = (t[0] * x, t[1] * x, t[2] * x), (b[0] * y, b[1] * y, b[2] * y)
    mirror, sides = _Mirror(narrowed, normal, eye, round_eye), _sides(lights, k, place)
    middle, first = _as_if_round(mirror, toward), _side(mirror, sides, one, one)
    second, third = _side(mirror, sides, -one, one), _side(mirror, sides, -one, -one)
    fourth = _side(mirror, sides, one, -one)
    half = _half_angles(middle, first, _side(mirror, sides, none, one), second)
    half += _half_angles(middle, second, _side(mirror, sides, -one, none), third)
    half += _half_angles(middle, third, _side(mirror, sides, none, -one), fourth)
    half += _half_angles(middle, fourth, _side(mirror, sides, one, none), first)
    return min(abs(half) / (PI * (one + round_eye[2])), one)


@njit(**INLINE)
def shadowed(normal, frame, slopes, way, eye):
    """How much of what the eye sees of microfacets is lit, at heights that go together (E. Heitz, 2014, as above)."""
    nl, nv = max(dot(normal, way), F(1e-4)), max(dot(normal, eye), F(0.02))
    lt, lb = slopes[0] * dot(frame[0], way), slopes[1] * dot(frame[1], way)
    vt, vb = slopes[0] * dot(frame[0], eye), slopes[1] * dot(frame[1], eye)
    sl, sv = math.sqrt(lt * lt + lb * lb + nl * nl), math.sqrt(vt * vt + vb * vb + nv * nv)
    return nl * (nv + sv) / max(nl * sv + nv * sl, F(1e-7))


@njit(**INLINE)
def radiance_over(lights, k):
    """What the colour of a light is to be multiplied by for its radiance: that of a distant one is irradiance."""
    if lights[k, KIND] != F(DISTANT):
        return F(1)
    slope2 = lights[k, SIZE] * lights[k, SIZE]
    return (F(1) + slope2) / (PI * slope2)
