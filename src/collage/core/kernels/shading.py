"""The light that a surface sends to the eye, and the way from light to what a screen shows.

The model is OpenPBR's (Academy Software Foundation, OpenPBR Surface 1.1): an opaque base of diffuse and
metal, under a coat, under fuzz. Reflection is GGX with the energy lost between microfacets given back
(E. Turquin, Practical multiple scattering compensation for microfacet models, 2019).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, types

F = np.float32
f4, i4 = types.float32, types.int32
OUT2 = types.Array(f4, 2, "C")
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C", readonly=True)
BYTES = types.Array(types.uint8, 2, "C")
FLAGS = {"nogil": True, "cache": True, "error_model": "numpy", "fastmath": {"contract", "nsz"}}
INLINE = {"error_model": "numpy", "fastmath": {"contract", "nsz"}}
PI = np.float32(math.pi)

# rows of the packed surface
BASE, METAL, SPECULAR, ROUGHNESS, IOR = 0, 3, 4, 7, 8
SPECULAR_WEIGHT, DIFFUSE_ROUGHNESS, COAT, COAT_COLOUR, COAT_ROUGHNESS, COAT_IOR = 9, 10, 11, 12, 15, 16
COAT_DARKENING, EMISSION, FUZZ, FUZZ_COLOUR, FUZZ_ROUGHNESS = 17, 18, 21, 22, 25
FILM, FILM_WEIGHT, TRANSMISSION, TRANSMISSION_COLOUR, SOFT = 26, 29, 30, 31, 34
ROWS = 37
# and those of surfaces that need more
BRUSHED, TANGENT, COAT_BRUSHED, COAT_TANGENT = 37, 38, 41, 42
DISPERSION, THIN, SCATTERED = 45, 46, 47
MORE_ROWS = 50

# columns of the table of lights
KIND, PLACE, RIGHT, UP, WAY, LIGHT, SIZE = 0, 1, 4, 7, 10, 13, 16
LIGHT_COLUMNS = 17
DISTANT, AREA = 0, 1

BRUSHED_SAMPLES = 13

WAVELENGTHS = (0.61, 0.55, 0.465)
"""Micrometres that stand for red, green and blue."""

# by Cauchy's formula, how the refraction of each differs from that of yellow, in parts of blue less red (the
# lines d, F and C of Abbe's number)
SPREAD = np.array([(w**-2 - 0.5876**-2) / (0.4861**-2 - 0.6563**-2) for w in WAVELENGTHS], np.float32)

TABLE = 32  # cosines and roughnesses of the table of reflected energy


@njit(**INLINE)
def _octahedral(x, y, z):
    s = F(1) / max(abs(x) + abs(y) + abs(z), F(1e-12))
    x, z = x * s, z * s
    if y < F(0):
        px = (F(1) - abs(z)) * (F(-1) if x < F(0) else F(1))
        pz = (F(1) - abs(x)) * (F(-1) if z < F(0) else F(1))
        x, z = px, pz
    return x * F(0.5) + F(0.5), z * F(0.5) + F(0.5)


@njit(**INLINE)
def _square(texels, start, size, u, v, channel):
    """Bilinear value of a square with a border of one texel."""
    x, y = u * F(size) + F(0.5), v * F(size) + F(0.5)
    ix, iy = min(int(x), size), min(int(y), size)
    tx, ty = x - F(ix), y - F(iy)
    row = size + 2
    at = start + iy * row + ix
    top = texels[at, channel] * (F(1) - tx) + texels[at + 1, channel] * tx
    low = texels[at + row, channel] * (F(1) - tx) + texels[at + row + 1, channel] * tx
    return top * (F(1) - ty) + low * ty


@njit(**INLINE)
def _energy(table, cosine, roughness):
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
def _level(roughnesses, roughness):
    """Which filtered level a roughness lies at, with parts between two."""
    last = roughnesses.size - 1
    at = 0
    while (at < last - 1) & (roughness > roughnesses[at + 1]):
        at += 1
    share = (roughness - roughnesses[at]) / (roughnesses[at + 1] - roughnesses[at])
    return at, min(max(share, F(0)), F(1))


@njit(**INLINE)
def _ggx(alpha, nh, nl, nv):
    """GGX distribution times the height-correlated shadowing over 4 nl nv (Heitz 2014)."""
    a2 = alpha * alpha
    d = nh * nh * (a2 - F(1)) + F(1)
    distribution = a2 / (PI * d * d)
    gv = nl * math.sqrt(nv * nv * (F(1) - a2) + a2)
    gl = nv * math.sqrt(nl * nl * (F(1) - a2) + a2)
    return distribution * F(0.5) / max(gv + gl, F(1e-7))


@njit(**INLINE)
def _unit(x, y, z):
    s = F(1) / math.sqrt(max(x * x + y * y + z * z, F(1e-20)))
    return x * s, y * s, z * s


@njit(**INLINE)
def _alphas(roughness, brushed):
    """Microfacet slopes along and across the brushing (OpenPBR 1.1, microfacet model)."""
    narrow = F(1) - min(max(brushed, F(0)), F(0.99))
    along = roughness * roughness * math.sqrt(F(2) / (F(1) + narrow * narrow))
    return max(along, F(0.002)), max(along * narrow, F(0.002))


@njit(**INLINE)
def _frame(surface, row, i, nx, ny, nz):
    """The directions along and across the brushing on a surface with this normal."""
    tx, ty, tz = surface[row, i], surface[row + 1, i], surface[row + 2, i]
    away = tx * nx + ty * ny + tz * nz
    tx, ty, tz = tx - away * nx, ty - away * ny, tz - away * nz
    if tx * tx + ty * ty + tz * tz < F(1e-8):  # no direction is given: any that lies in the surface
        tx, ty, tz = (F(1), F(0), F(0)) if abs(nx) < F(0.9) else (F(0), F(0), F(1))
        away = tx * nx + ty * ny + tz * nz
        tx, ty, tz = tx - away * nx, ty - away * ny, tz - away * nz
    tx, ty, tz = _unit(tx, ty, tz)
    return (tx, ty, tz), (ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx)


@njit(**INLINE)
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(**INLINE)
def _ggx_brushed(along, across, frame, normal, half, light, view):
    """GGX of slopes that differ along and across, with its shadowing, over 4 nl nv (Heitz 2014)."""
    t, b = frame
    nh, nl, nv = _dot(normal, half), max(_dot(normal, light), F(0)), max(_dot(normal, view), F(0.02))
    d = nh * nh + (_dot(t, half) / along) ** F(2) + (_dot(b, half) / across) ** F(2)
    distribution = F(1) / (PI * along * across * d * d)
    lt, lb, vt, vb = along * _dot(t, light), across * _dot(b, light), along * _dot(t, view), across * _dot(b, view)
    gv = nl * math.sqrt(vt * vt + vb * vb + nv * nv)
    gl = nv * math.sqrt(lt * lt + lb * lb + nl * nl)
    return distribution * F(0.5) / max(gv + gl, F(1e-7))


@njit(**INLINE)
def _brushed_light(along, across, tangent, normal, view, glossy, starts, sizes, roughnesses, turn_sin, turn_cos, light):
    """Light of the environment in a brushed surface: the mirrored lobes of several slopes along the brushing.

    The slopes halve the distribution of GGX along one axis into equal parts: its share below s is
    (1 + q) / 2, where s = along q / sqrt(1 - q^2).
    """
    finer = F(along * F(0.2))  # the lobes of neighbouring slopes run into each other
    roughness = min(math.sqrt(math.sqrt(across * across + finer * finer)), F(1))
    level, share = _level(roughnesses, roughness)
    total = F(0)
    light[0] = light[1] = light[2] = F(0)
    for k in range(BRUSHED_SAMPLES):
        q = F(F(2 * k + 1) / F(BRUSHED_SAMPLES) - F(1))
        slope = along * q / math.sqrt(F(1) - q * q)
        hx, hy, hz = normal[0] + tangent[0] * slope, normal[1] + tangent[1] * slope, normal[2] + tangent[2] * slope
        hx, hy, hz = _unit(hx, hy, hz)
        vh = F(2) * (hx * view[0] + hy * view[1] + hz * view[2])
        x, y, z = vh * hx - view[0], vh * hy - view[1], vh * hz - view[2]
        up = x * normal[0] + y * normal[1] + z * normal[2]
        weight = min(max(F(4) * up, F(0)), F(1))  # what would go below the surface fades out
        if (vh <= F(0)) | (weight <= F(0)):
            continue
        u, v = _octahedral(x * turn_cos + z * turn_sin, y, z * turn_cos - x * turn_sin)
        total += weight
        for channel in range(3):
            first = _square(glossy, starts[level], sizes[level], u, v, channel)
            second = _square(glossy, starts[level + 1], sizes[level + 1], u, v, channel)
            light[channel] += weight * (first + (second - first) * share)
    for channel in range(3):
        light[channel] /= max(total, F(1e-3))


@njit(**INLINE)
def _behind(nx, ny, nz, vx, vy, vz, ior, turn_sin, turn_cos):
    """Where the environment is seen through a surface, bent once on the way in."""
    nv = nx * vx + ny * vy + nz * vz
    bent = F(1) / ior
    along = bent * nv - math.sqrt(max(F(1) - bent * bent * (F(1) - nv * nv), F(0)))
    x, y, z = along * nx - bent * vx, along * ny - bent * vy, along * nz - bent * vz
    return _octahedral(x * turn_cos + z * turn_sin, y, z * turn_cos - x * turn_sin)


@njit(**INLINE)
def _edge(ax, ay, az, bx, by, bz, nx, ny, nz):
    """One edge of Lambert's formula for the light of a polygon; a, b of length 1."""
    c = min(max(ax * bx + ay * by + az * bz, F(-0.99999)), F(0.99999))
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    return math.acos(c) / math.sqrt(max(F(1) - c * c, F(1e-9))) * (x * nx + y * ny + z * nz)


@njit(**INLINE)
def _rectangle(lights, k, px, py, pz, nx, ny, nz):
    """Cosine-weighted solid angle over pi of a lit rectangle (Lambert 1760), no less than 0."""
    total = F(0)
    for corner in range(4):
        s = F(1) if (corner == 0) | (corner == 3) else F(-1)
        t = F(1) if corner < 2 else F(-1)
        s2 = F(1) if (corner == 3) | (corner == 2) else F(-1)
        t2 = F(1) if (corner == 0) | (corner == 3) else F(-1)
        ax = lights[k, PLACE] + s * lights[k, RIGHT] + t * lights[k, UP] - px
        ay = lights[k, PLACE + 1] + s * lights[k, RIGHT + 1] + t * lights[k, UP + 1] - py
        az = lights[k, PLACE + 2] + s * lights[k, RIGHT + 2] + t * lights[k, UP + 2] - pz
        if corner == 0:
            s2, t2 = F(-1), F(1)
        elif corner == 1:
            s2, t2 = F(-1), F(-1)
        elif corner == 2:
            s2, t2 = F(1), F(-1)
        else:
            s2, t2 = F(1), F(1)
        bx = lights[k, PLACE] + s2 * lights[k, RIGHT] + t2 * lights[k, UP] - px
        by = lights[k, PLACE + 1] + s2 * lights[k, RIGHT + 1] + t2 * lights[k, UP + 1] - py
        bz = lights[k, PLACE + 2] + s2 * lights[k, RIGHT + 2] + t2 * lights[k, UP + 2] - pz
        ax, ay, az = _unit(ax, ay, az)
        bx, by, bz = _unit(bx, by, bz)
        total += _edge(ax, ay, az, bx, by, bz, nx, ny, nz)
    return max(total / (F(2) * PI), F(0))


@njit(**INLINE)
def _toward(lights, k, px, py, pz, rx, ry, rz):
    """Direction to a light for reflection, its size as a slope, and how far it spreads the lobe."""
    if lights[k, KIND] == F(DISTANT):
        return -lights[k, WAY], -lights[k, WAY + 1], -lights[k, WAY + 2], lights[k, SIZE]
    # the point of the rectangle that lies nearest to the mirrored ray
    wx, wy, wz = lights[k, WAY], lights[k, WAY + 1], lights[k, WAY + 2]
    cx, cy, cz = lights[k, PLACE] - px, lights[k, PLACE + 1] - py, lights[k, PLACE + 2] - pz
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
    distance = math.sqrt(lx * lx + ly * ly + lz * lz)
    size = math.sqrt(math.sqrt(rr * uu)) / max(distance, F(1e-4))
    lx, ly, lz = _unit(lx, ly, lz)
    return lx, ly, lz, size


@njit(
    types.void(
        IN2, IN2, IN2, IN2, IN2, IN2, IN2, IN2, IN2,
        IN2, WHOLE1, WHOLE1, IN1, IN2, i4, IN2, f4, f4, f4, OUT2,
    ),
    **FLAGS,
)  # fmt: skip
def shade(
    surface, normal, coat_normal, view, position, come, could, lights, light_open,
    glossy, starts, sizes, roughnesses, irradiance, irradiance_size, table, turn_sin, turn_cos, strength, out,
):  # fmt: skip
    """Radiance (3, n) towards the eye of packed surfaces (ROWS, n) under an environment and lights.

    come, could : (3, n), light of the environment that comes through the gaps, and all of it.
    light_open : (lights, n), how much of each light is seen. Other arguments: see render.draft.
    """
    albedo = np.empty(3, np.float32)
    f0 = np.empty(3, np.float32)
    f90 = np.empty(3, np.float32)
    seen_through = np.empty(3, np.float32)
    brushed_light, coat_light = np.empty(3, np.float32), np.empty(3, np.float32)
    more = surface.shape[0] > ROWS
    for i in range(out.shape[1]):
        nx, ny, nz = normal[0, i], normal[1, i], normal[2, i]
        vx, vy, vz = -view[0, i], -view[1, i], -view[2, i]
        nv = nx * vx + ny * vy + nz * vz
        if nv < F(0.02):  # a bent normal that looks away is turned until it just faces the eye
            push = F(0.02) - nv
            nx, ny, nz = _unit(nx + vx * push, ny + vy * push, nz + vz * push)
            nv = max(nx * vx + ny * vy + nz * vz, F(0.02))
        cx, cy, cz = coat_normal[0, i], coat_normal[1, i], coat_normal[2, i]
        cv = max(cx * vx + cy * vy + cz * vz, F(0.02))
        metal = surface[METAL, i]
        clear = min(max(surface[TRANSMISSION, i], F(0)), F(1))
        brushed = surface[BRUSHED, i] if more else F(0)
        coat_brushed = surface[COAT_BRUSHED, i] if more else F(0)
        dispersion = surface[DISPERSION, i] if more else F(0)
        thin = more and surface[THIN, i] > F(0)
        turned_away = F(0.5) if thin else F(0)  # of a thin wall half of what scatters leaves on the other side
        roughness = min(max(surface[ROUGHNESS, i], F(0)), F(1))
        ior = max(surface[IOR, i], F(1.0001))
        ratio = (ior - F(1)) / (ior + F(1))
        dielectric = min(max(ratio * ratio * surface[SPECULAR_WEIGHT, i], F(0)), F(1))
        coat = min(max(surface[COAT, i], F(0)), F(1))
        coat_ior = max(surface[COAT_IOR, i], F(1.0001))
        coat_rough = min(max(surface[COAT_ROUGHNESS, i], F(0)), F(1))
        if coat > F(0):  # a rough coat blurs what is seen through it
            wide = roughness**4 + F(2) * coat * coat_rough**4
            roughness = min(wide, F(1)) ** F(0.25)
        a, b = _energy(table, nv, roughness)
        single = max(a + b, F(1e-3))
        for channel in range(3):
            base = max(surface[BASE + channel, i], F(0))
            tint = max(surface[SPECULAR + channel, i], F(0))
            f0[channel] = dielectric * tint * (F(1) - metal) + min(base, F(1)) * metal
            # a thin film changes what is reflected straight on; its colour at this angle comes with the surface
            film = min(max(surface[FILM_WEIGHT, i], F(0)), F(1))
            f0[channel] += (surface[FILM + channel, i] - f0[channel]) * film
            f90[channel] = min(surface[SPECULAR_WEIGHT, i], F(1)) * ((F(1) - metal) + tint * metal)
            spent = (dielectric * tint * a + min(surface[SPECULAR_WEIGHT, i], F(1)) * b) * (
                F(1) + dielectric * (F(1) / single - F(1))
            )
            left = (F(1) - metal) * (F(1) - min(spent, F(1)))
            inside = surface[SCATTERED + channel, i] if more else F(0)
            albedo[channel] = left * (base * (F(1) - clear) + inside * clear)
            seen_through[channel] = left * clear * max(surface[TRANSMISSION_COLOUR + channel, i], F(0))

        # light of the environment, turned about the upright axis
        ex, ez = nx * turn_cos + nz * turn_sin, nz * turn_cos - nx * turn_sin
        eu, ev = _octahedral(ex, ny, ez)
        rx, ry, rz = F(2) * nv * nx - vx, F(2) * nv * ny - vy, F(2) * nv * nz - vz
        qx, qz = rx * turn_cos + rz * turn_sin, rz * turn_cos - rx * turn_sin
        # rough lobes lean towards the normal (S. Lagarde, Moving Frostbite to PBR, 2014, 4.9.3)
        smooth = F(1) - roughness * roughness
        lean = F(1) - smooth * (math.sqrt(smooth) + roughness * roughness)
        qx, qy, qz = qx + (ex - qx) * lean, ry + (ny - ry) * lean, qz + (ez - qz) * lean
        ru, rv = _octahedral(qx, qy, qz)
        level, share = _level(roughnesses, roughness)
        open_sum = (come[0, i] + come[1, i] + come[2, i]) / max(could[0, i] + could[1, i] + could[2, i], F(1e-9))
        open_sum = min(open_sum, F(1))
        # reflection through gaps (S. Lagarde, Moving Frostbite to PBR, 2014)
        power = F(2) ** (F(-16) * roughness - F(1))
        glossy_open = min(max((nv + open_sum) ** power - F(1) + open_sum, F(0)), F(1))

        # what lies behind, bent once and blurred by the roughness: the environment alone
        bending = F(1) if thin else ior
        tu, tv = _behind(nx, ny, nz, vx, vy, vz, bending, turn_sin, turn_cos)
        bu, bv = _octahedral(-ex, -ny, -ez)
        if brushed > F(0):
            slopes = _alphas(roughness, brushed)
            frame = _frame(surface, TANGENT, i, nx, ny, nz)
            _brushed_light(
                slopes[0], slopes[1], frame[0], (nx, ny, nz), (vx, vy, vz),
                glossy, starts, sizes, roughnesses, turn_sin, turn_cos, brushed_light,
            )  # fmt: skip

        coat_f0 = ((coat_ior - F(1)) / (coat_ior + F(1))) ** F(2)
        ca, cb = _energy(table, cv, coat_rough)
        coat_back = (coat_f0 * ca + cb) * (F(1) + coat_f0 * (F(1) / max(ca + cb, F(1e-3)) - F(1)))
        through = F(1) - coat * min(coat_back, F(1))
        # light caught under the coat (OpenPBR, coat darkening)
        caught = F(1) - (F(1) - coat_f0) / (coat_ior * coat_ior) * F(0.95)
        fuzz = min(max(surface[FUZZ, i], F(0)), F(1))
        fuzz_soft = F(0.25) + F(0.75) * surface[FUZZ_ROUGHNESS, i]
        fuzz_back = min((F(1) - nv) ** (F(1) / max(fuzz_soft, F(0.05))) * (F(0.35) + F(0.5) * fuzz_soft), F(1))

        for channel in range(3):
            part_open = min(come[channel, i] / max(could[channel, i], F(1e-9)), F(1))
            # light bounced inside a hollow takes the surface's colour (Jimenez et al., 2016)
            shown = albedo[channel]
            b1, b2, b3 = (
                F(2.0404) * shown - F(0.3324),
                F(0.6417) - F(4.7951) * shown,
                F(2.7552) * shown + F(0.6903),
            )
            bounced = max(part_open, ((part_open * b1 + b2) * part_open + b3) * part_open)
            around = _square(irradiance, 0, irradiance_size, eu, ev, channel)
            if turned_away > F(0):
                other = _square(irradiance, 0, irradiance_size, bu, bv, channel)
                around += (other - around) * turned_away * surface[SOFT + channel, i]
            diffuse = shown * around * bounced
            first = _square(glossy, starts[level], sizes[level], ru, rv, channel)
            second = _square(glossy, starts[level + 1], sizes[level + 1], ru, rv, channel)
            mirrored = brushed_light[channel] if brushed > F(0) else first + (second - first) * share
            gain = F(1) + f0[channel] * (F(1) / single - F(1))
            specular = mirrored * (f0[channel] * a + f90[channel] * b) * gain * glossy_open
            if clear > F(0):
                if dispersion > F(0):
                    parted = max(bending + dispersion * SPREAD[channel], F(1))
                    tu, tv = _behind(nx, ny, nz, vx, vy, vz, parted, turn_sin, turn_cos)
                near = _square(glossy, starts[level], sizes[level], tu, tv, channel)
                far = _square(glossy, starts[level + 1], sizes[level + 1], tu, tv, channel)
                specular += seen_through[channel] * (near + (far - near) * share)
            fuzzy = _square(irradiance, 0, irradiance_size, eu, ev, channel) * bounced
            out[channel, i] = (diffuse + specular) * strength
            fuzz_light = fuzzy * surface[FUZZ_COLOUR + channel, i] * fuzz_back * strength
            body = out[channel, i] * through
            inner = albedo[channel] + f0[channel] * metal
            dark = (F(1) - caught) / max(F(1) - inner * caught, F(1e-3))
            tint = F(1) + (max(surface[COAT_COLOUR + channel, i], F(0)) - F(1)) * coat
            tint *= F(1) + (dark - F(1)) * coat * surface[COAT_DARKENING, i]
            out[channel, i] = body * tint * (F(1) - fuzz * fuzz_back) + fuzz_light * fuzz

        if coat > F(0):
            mx, my, mz = F(2) * cv * cx - vx, F(2) * cv * cy - vy, F(2) * cv * cz - vz
            wx, wz = mx * turn_cos + mz * turn_sin, mz * turn_cos - mx * turn_sin
            cu, cw = _octahedral(wx, my, wz)
            level, share = _level(roughnesses, coat_rough)
            power = F(2) ** (F(-16) * coat_rough - F(1))
            coat_open = min(max((cv + open_sum) ** power - F(1) + open_sum, F(0)), F(1))
            if coat_brushed > F(0):
                coat_slopes = _alphas(coat_rough, coat_brushed)
                coat_frame = _frame(surface, COAT_TANGENT, i, cx, cy, cz)
                _brushed_light(
                    coat_slopes[0], coat_slopes[1], coat_frame[0], (cx, cy, cz), (vx, vy, vz),
                    glossy, starts, sizes, roughnesses, turn_sin, turn_cos, coat_light,
                )  # fmt: skip
            for channel in range(3):
                first = _square(glossy, starts[level], sizes[level], cu, cw, channel)
                second = _square(glossy, starts[level + 1], sizes[level + 1], cu, cw, channel)
                mirrored = coat_light[channel] if coat_brushed > F(0) else first + (second - first) * share
                out[channel, i] += coat * coat_back * mirrored * coat_open * strength * (F(1) - fuzz * fuzz_back)

        for k in range(lights.shape[0]):
            seen = light_open[k, i]
            if seen <= F(0):
                continue
            lx, ly, lz, size = _toward(lights, k, position[0, i], position[1, i], position[2, i], rx, ry, rz)
            nl = nx * lx + ny * ly + nz * lz
            if lights[k, KIND] == F(DISTANT):
                falling = max(nl, F(0))
                sent = F(1) / PI
                energy = F(1)
            else:
                falling = _rectangle(lights, k, position[0, i], position[1, i], position[2, i], nx, ny, nz)
                sent = F(1)
                energy = falling * PI / max(nl, F(0.05))
            # light that has wandered inside comes out a little beyond the edge of the shadow
            beyond = max((nl + F(0.4)) / F(1.96), F(0)) * (F(1) if lights[k, KIND] == F(DISTANT) else F(0))
            soft = max(surface[SOFT, i], max(surface[SOFT + 1, i], surface[SOFT + 2, i]))
            through_wall = F(0)
            if (turned_away > F(0)) & (soft > F(0)):
                through_wall = max(-nl, F(0))
                if lights[k, KIND] == F(AREA):
                    through_wall = _rectangle(lights, k, position[0, i], position[1, i], position[2, i], -nx, -ny, -nz)
            if (falling <= F(0)) & (nl <= F(0)) & (beyond * soft <= F(0)) & (through_wall <= F(0)):
                continue
            hx, hy, hz = _unit(lx + vx, ly + vy, lz + vz)
            nh = nx * hx + ny * hy + nz * hz
            vh = max(vx * hx + vy * hy + vz * hz, F(0))
            narrow = max(roughness * roughness, F(0.002))
            alpha = min(narrow + size * F(0.33), F(1))
            lobe = F(0)
            if nl > F(0):
                if brushed > F(0):
                    wide = min(slopes[0] + size * F(0.33), F(1)), min(slopes[1] + size * F(0.33), F(1))
                    light_way, eye_way = (lx, ly, lz), (vx, vy, vz)
                    lobe = _ggx_brushed(wide[0], wide[1], frame, (nx, ny, nz), (hx, hy, hz), light_way, eye_way)
                    lobe *= nl * energy
                else:
                    lobe = _ggx(alpha, nh, nl, nv) * nl * energy
            fresnel = (F(1) - vh) ** F(5)
            # rough paper-like surfaces flatten (Y. Fujii, A tiny improvement of Oren-Nayar, 2012)
            rough = surface[DIFFUSE_ROUGHNESS, i]
            s = lx * vx + ly * vy + lz * vz - max(nl, F(0)) * nv
            t = F(1) if s <= F(0) else max(max(nl, F(0)), nv)
            flat = F(1)
            if rough > F(0):
                flat = (F(1) + rough * s / max(t, F(1e-3))) / (F(1) + (F(0.5) - F(2) / (F(3) * PI)) * rough)
            coat_lobe = F(0)
            if coat > F(0):
                cl = cx * lx + cy * ly + cz * lz
                ch = cx * hx + cy * hy + cz * hz
                if cl > F(0):
                    calpha = min(max(coat_rough * coat_rough, F(0.002)) + size * F(0.33), F(1))
                    if coat_brushed > F(0):
                        wide = min(coat_slopes[0] + size * F(0.33), F(1)), min(coat_slopes[1] + size * F(0.33), F(1))
                        light_way, eye_way = (lx, ly, lz), (vx, vy, vz)
                        coat_lobe = _ggx_brushed(
                            wide[0], wide[1], coat_frame, (cx, cy, cz), (hx, hy, hz), light_way, eye_way
                        )
                    else:
                        coat_lobe = _ggx(calpha, ch, cl, cv)
                    coat_lobe *= cl * energy * (coat_f0 + (F(1) - coat_f0) * fresnel)
            for channel in range(3):
                light = lights[k, LIGHT + channel] * seen
                gain = F(1) + f0[channel] * (F(1) / single - F(1))
                specular = (f0[channel] + (f90[channel] - f0[channel]) * fresnel) * lobe * gain
                scattered = surface[SOFT + channel, i]
                lit = falling * max(flat, F(0))
                if turned_away > F(0):
                    lit += (through_wall - lit) * turned_away * scattered
                else:
                    lit = max(lit, beyond * scattered)
                diffuse = albedo[channel] * lit * sent
                inner = albedo[channel] + f0[channel] * metal
                dark = (F(1) - caught) / max(F(1) - inner * caught, F(1e-3))
                tint = F(1) + (max(surface[COAT_COLOUR + channel, i], F(0)) - F(1)) * coat
                tint *= F(1) + (dark - F(1)) * coat * surface[COAT_DARKENING, i]
                body = (diffuse + specular) * through * tint * (F(1) - fuzz * fuzz_back)
                fuzz_light = falling * sent * surface[FUZZ_COLOUR + channel, i] * fuzz_back * fuzz
                out[channel, i] += light * (body + fuzz_light + coat * coat_lobe)
        for channel in range(3):
            out[channel, i] += surface[EMISSION + channel, i]


@njit(types.void(IN2, WHOLE1, IN1, OUT2), **FLAGS)
def gather(values, pixel, weight, picture):
    """Adds weighted samples (c, n) to the pixels (p, c) they belong to."""
    for i in range(pixel.size):
        at, share = pixel[i], weight[i]
        for channel in range(values.shape[0]):
            picture[at, channel] += values[channel, i] * share


@njit(**INLINE)
def _srgb(x):
    x = min(max(x, F(0)), F(1))
    if x <= F(0.0031308):
        return x * F(12.92)
    return F(1.055) * x ** F(1 / 2.4) - F(0.055)


@njit(types.void(IN2, f4, i4, BYTES), **FLAGS)
def display(picture, exposure, neutral, out):
    """What a screen shows of linear light (p, 3): exposed, toned, sRGB-encoded to bytes.

    neutral : 1 for the Khronos PBR Neutral tone mapper (specification of 2024), 0 for plain clipping.
    """
    for i in range(picture.shape[0]):
        r, g, b = picture[i, 0] * exposure, picture[i, 1] * exposure, picture[i, 2] * exposure
        if neutral == 1:
            low = max(min(r, min(g, b)), F(0))
            offset = low - F(6.25) * low * low if low < F(0.08) else F(0.04)
            r, g, b = r - offset, g - offset, b - offset
            peak = max(r, max(g, b))
            start = F(0.8 - 0.04)
            if peak >= start:
                d = F(1) - start
                new = F(1) - d * d / (peak + d - start)
                scale = new / peak
                r, g, b = r * scale, g * scale, b * scale
                grey = F(1) - F(1) / (F(0.15) * (peak - new) + F(1))
                r, g, b = r + (new - r) * grey, g + (new - g) * grey, b + (new - b) * grey
        out[i, 0] = np.uint8(_srgb(r) * F(255) + F(0.5))
        out[i, 1] = np.uint8(_srgb(g) * F(255) + F(0.5))
        out[i, 2] = np.uint8(_srgb(b) * F(255) + F(0.5))
