"""The light that a surface sends to the eye.

The model is OpenPBR's (Academy Software Foundation, OpenPBR Surface 1.1): an opaque base of diffuse and
metal, under a coat, under fuzz. Reflection is GGX with the energy lost between microfacets given back
(E. Turquin, Practical multiple scattering compensation for microfacet models, 2019).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit, types

from collage.core.kernels import packed as s
from collage.core.kernels.emitters import facing
from collage.core.kernels.flags import INLINE, LOOP
from collage.core.kernels.layers import (
    coat_tint,
    flattening,
    gained,
    has_at,
    layers_over,
    mirrored_energy,
    point_at,
    reflectance,
    unshadowed,
)
from collage.core.kernels.levels import IRRADIANCE
from collage.core.kernels.lights import AREA, CENTRE, COLOUR, DIRECTION, DISTANT, KIND, RIGHT, UP
from collage.core.kernels.reflection import (
    PI,
    Turn,
    alphas,
    any_frame,
    behind,
    between,
    brushed_light,
    brushing_frame,
    dot,
    fifth_power,
    level_of,
    light_direction,
    mirrored_share,
    octahedral,
    radiance_over,
    rectangle,
    shadowed,
    square,
    toward_map,
    unit,
)

F = np.float32
OPEN = 6  # the row of how much of the half sphere is open, by the cosine
f4 = types.float32
OUT1 = types.Array(f4, 1, "C")
OUT2 = types.Array(f4, 2, "C")
ROWS2 = types.Array(f4, 2, "A", readonly=True)  # some columns of a wider array
IN1 = types.Array(f4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)


@njit(**INLINE)
def _reflectances(surface, point, layers, has, r):
    """Fills the rows ALBEDO to SEEN_THROUGH of `r`."""
    for channel in range(3):
        found = reflectance(surface, point, layers, has, channel)
        r[s.ALBEDO, channel], r[s.F0, channel] = found.albedo, found.f0
        r[s.F90, channel], r[s.SEEN_THROUGH, channel] = found.f90, found.seen_through


@njit(**INLINE)
def _tint(surface, point, layers, r, channel):
    """What the coat leaves of a channel of the base."""
    if point.coat <= F(0):
        return F(1)
    return coat_tint(surface, point, layers, r[s.ALBEDO, channel], r[s.F0, channel], channel)


@njit(**INLINE)
def _glossy_open(cosine, openness, roughness):
    """How much of a mirrored lobe comes through gaps (S. Lagarde, Moving Frostbite to PBR, 2014)."""
    power = np.exp2(F(-16) * roughness - F(1))
    return min(max((cosine + openness) ** power - F(1) + openness, F(0)), F(1))


@njit(**INLINE)
def _openness(light, i):
    """How much of the environment's light arrives, 0 to 1."""
    arriving = light[0, i] + light[1, i] + light[2, i]
    return min(arriving / max(light[3, i] + light[4, i] + light[5, i], F(1e-9)), F(1))


@njit(**INLINE)
def _seen_through(surface, point, maps, turn, r, channel):
    """What lies behind, bent once and blurred by the roughness: the environment alone."""
    i = point.at
    more = surface.shape[0] > s.ROWS
    dispersion = surface[s.DISPERSION, i] if more else F(0)
    bending = F(1) if point.thin else max(surface[s.IOR, i], F(1.0001))
    if dispersion > F(0):
        bending = max(bending + dispersion * s.SPREAD[channel], F(1))
    place = behind(point.normal, point.eye, bending, turn)
    level, share = level_of(point.roughness)
    return r[s.SEEN_THROUGH, channel] * between(maps, level, share, place, channel)


@njit(**INLINE)
def _lit_by_environment(surface, point, layers, light, maps, turn, r, out):
    """Writes the light of the environment that the base and the fuzz send back."""
    i = point.at
    nx, ny, nz = point.normal
    ex, ez = nx * turn.cosine + nz * turn.sine, nz * turn.cosine - nx * turn.sine
    around_place = octahedral(ex, ny, ez)
    rx, ry, rz = point.mirrored
    qx, qz = rx * turn.cosine + rz * turn.sine, rz * turn.cosine - rx * turn.sine
    # rough lobes lean towards the normal (S. Lagarde, Moving Frostbite to PBR, 2014, 4.9.3)
    smooth = F(1) - point.roughness * point.roughness
    lean = F(1) - smooth * (math.sqrt(smooth) + point.roughness * point.roughness)
    mirror_place = octahedral(qx + (ex - qx) * lean, ry + (ny - ry) * lean, qz + (ez - qz) * lean)
    level, share = level_of(point.roughness)
    glossy_open = _glossy_open(point.nv, _openness(light, i), point.roughness)
    fuzz, fuzz_back = layers.fuzz, layers.fuzz_back
    for channel in range(3):
        albedo = r[s.ALBEDO, channel]
        arrived = min(light[channel, i] / max(light[3 + channel, i], F(1e-9)), F(1))
        ahead = square(maps, IRRADIANCE, around_place[0], around_place[1], channel)
        around = ahead
        if point.turned_away > F(0):
            behind_place = octahedral(-ex, -ny, -ez)
            other = square(maps, IRRADIANCE, behind_place[0], behind_place[1], channel)
            around += (other - around) * point.turned_away * surface[s.SOFT + channel, i]
        if point.brushed > F(0):
            mirrored = r[s.BRUSHED_LIGHT, channel]
        else:
            mirrored = between(maps, level, share, mirror_place, channel)
        specular = mirrored * mirrored_energy(layers, r[s.F0, channel], r[s.F90, channel]) * glossy_open
        if point.clear > F(0):
            specular += _seen_through(surface, point, maps, turn, r, channel)
        body = (albedo * around * arrived + specular) * turn.strength * layers.through
        fuzz_light = ahead * arrived * surface[s.FUZZ_COLOUR + channel, i] * fuzz_back * turn.strength
        tint = _tint(surface, point, layers, r, channel)
        out[channel, i] = body * tint * (F(1) - fuzz * fuzz_back) + fuzz_light * fuzz


@njit(**INLINE)
def _add_bounced(surface, point, layers, light, turn, near, r, out):
    """Adds the light that what is near sends back: as much of the directions as is closed shows surfaces that are lit
    as those of the picture are in the mean, or by the environment as this one, and reflect as the ground and this one
    do."""
    i = point.at
    closed = F(1) - light[OPEN, i]
    if closed <= F(0):
        return
    glossy_closed = F(1) - _glossy_open(point.nv, light[OPEN, i], point.roughness)
    deep = math.sqrt(min(F(2) * light[OPEN, i], F(1)))
    fuzz = layers.fuzz * layers.fuzz_back
    for channel in range(3):
        albedo = r[s.ALBEDO, channel]
        reflect = (albedo + F(s.GROUND_GREY)) / F(2)
        own = light[channel, i] * turn.strength
        around = (near[channel] + max(near[3 + channel], own)) * deep
        sent = reflect * around / (F(1) - albedo * reflect * closed * closed)
        mirror = mirrored_energy(layers, r[s.F0, channel], r[s.F90, channel])
        body = (albedo * closed + mirror * glossy_closed) * layers.through * _tint(surface, point, layers, r, channel)
        out[channel, i] += sent * (body * (F(1) - fuzz) + fuzz * surface[s.FUZZ_COLOUR + channel, i] * closed)


@njit(**INLINE)
def _coat_reflection(point, layers, light, maps, turn, r, out):
    """Adds the environment mirrored in the coat."""
    i = point.at
    cx, cy, cz = point.coat_normal
    vx, vy, vz = point.eye
    cv = point.coat_nv
    place = toward_map(F(2) * cv * cx - vx, F(2) * cv * cy - vy, F(2) * cv * cz - vz, turn)
    level, share = level_of(point.coat_roughness)
    coat_open = _glossy_open(cv, _openness(light, i), point.coat_roughness)
    left = F(1) - layers.fuzz * layers.fuzz_back
    brushed = point.coat_brushed > F(0)
    for channel in range(3):
        mirrored = r[s.COAT_LIGHT, channel] if brushed else between(maps, level, share, place, channel)
        out[channel, i] += point.coat * layers.coat_back * mirrored * coat_open * turn.strength * left


@njit(**INLINE)
def _brushing(surface, row, i, normal, roughness, brushed):
    """How strongly a surface is brushed, its slopes along and across, and the directions of these."""
    if brushed > F(0):
        return brushed, alphas(roughness, brushed), brushing_frame(surface, row, i, normal)
    nothing = (F(0), F(0), F(0))
    return F(0), (F(0), F(0)), (nothing, nothing)


@njit(**INLINE)
def _mirrored_light(lights, k, place, normal, roughness, brushing, own, way, eye):
    """What a rough mirror reflects to the eye of a light of colour 1, without Fresnel. way : to the light."""
    if dot(normal, way) <= F(0):
        return F(0)
    brushed, slopes, frame = brushing
    if brushed <= F(0):
        alpha = min(max(roughness * roughness, F(0.002)), F(1))
        slopes, frame = (alpha, alpha), any_frame(normal)
    share = mirrored_share(lights, k, place, normal, frame, slopes, eye, way)
    share *= shadowed(normal, frame, slopes, way, eye)
    return share * radiance_over(lights, k) * unshadowed(own, normal, way)


class Received(NamedTuple):
    """What one light sends to a point."""

    toward: tuple
    nl: float
    falling: float  # cosine-weighted share of the light
    sent: float  # what of it a white diffuse surface sends back
    beyond: float  # light that has wandered inside comes out a little beyond the edge of the shadow
    through_wall: float


@njit(**INLINE)
def _place(geometry, i):
    return geometry[s.POSITION, i], geometry[s.POSITION + 1, i], geometry[s.POSITION + 2, i]


@njit(**INLINE)
def _received(surface, geometry, point, lights, k):
    i = point.at
    place = _place(geometry, i)
    toward = light_direction(lights, k, place, point.mirrored)
    nl = dot(point.normal, toward)
    distant = lights[k, KIND] == F(DISTANT)
    if distant:
        falling, sent = max(nl, F(0)), F(1) / PI
    else:
        falling, sent = rectangle(lights, k, place, point.normal), F(1)
    beyond = max((nl + F(0.4)) / F(1.96), F(0)) * (F(1) if distant else F(0))
    soft = max(surface[s.SOFT, i], max(surface[s.SOFT + 1, i], surface[s.SOFT + 2, i]))
    through_wall = F(0)
    if (point.turned_away > F(0)) & (soft > F(0)):
        through_wall = max(-nl, F(0))
        if lights[k, KIND] == F(AREA):
            nx, ny, nz = point.normal
            through_wall = rectangle(lights, k, place, (-nx, -ny, -nz))
    return Received(toward, nl, falling, sent, beyond, through_wall), soft


@njit(**INLINE)
def _add_light(surface, geometry, point, layers, lights, k, seen, r, out):
    """Adds what the surface sends back of one light, seen as a share from 0 to 1."""
    i = point.at
    got, soft = _received(surface, geometry, point, lights, k)
    if (got.falling <= F(0)) & (got.nl <= F(0)) & (got.beyond * soft <= F(0)) & (got.through_wall <= F(0)):
        return
    relief = unshadowed(point.own_normal, point.normal, got.toward)
    vx, vy, vz = point.eye
    half = unit(got.toward[0] + vx, got.toward[1] + vy, got.toward[2] + vz)
    fresnel = fifth_power(F(1) - max(dot(point.eye, half), F(0)))
    place = _place(geometry, i)
    brushing = _brushing(surface, s.TANGENT, i, point.normal, point.roughness, point.brushed)
    lobe = _mirrored_light(
        lights, k, place, point.normal, point.roughness, brushing, point.own_normal, got.toward, point.eye
    )
    coat_lobe = F(0)
    if point.coat > F(0):
        normal, roughness = point.coat_normal, point.coat_roughness
        brushing = _brushing(surface, s.COAT_TANGENT, i, normal, roughness, point.coat_brushed)
        coat_lobe = _mirrored_light(
            lights, k, place, normal, roughness, brushing, point.own_normal, got.toward, point.eye
        )
        coat_lobe *= (layers.coat_f0 + (F(1) - layers.coat_f0) * fresnel) * layers.coat_gain
    fuzz, fuzz_back = layers.fuzz, layers.fuzz_back
    for channel in range(3):
        light = lights[k, COLOUR + channel] * seen
        f0, f90 = r[s.F0, channel], r[s.F90, channel]
        gain = gained(layers, f0)
        specular = (f0 + (f90 - f0) * fresnel) * lobe * gain
        scattered = surface[s.SOFT + channel, i]
        lit = got.falling * relief
        if surface[s.DIFFUSE_ROUGHNESS, i] > F(0):
            lit *= flattening(surface, point, got.toward, max(got.nl, F(0)), channel)
        if point.turned_away > F(0):
            lit += (got.through_wall - lit) * point.turned_away * scattered
        else:
            lit = max(lit, got.beyond * scattered)
        diffuse = r[s.ALBEDO, channel] * lit * got.sent
        tint = _tint(surface, point, layers, r, channel)
        body = (diffuse + specular) * layers.through * tint * (F(1) - fuzz * fuzz_back)
        fuzz_light = got.falling * relief * got.sent * surface[s.FUZZ_COLOUR + channel, i] * fuzz_back * fuzz
        left = F(1) - fuzz * fuzz_back
        out[channel, i] += light * (body + fuzz_light + point.coat * coat_lobe * left)


@njit(**INLINE)
def _brushed_reflections(surface, point, maps, turn, r):
    """Fills the rows BRUSHED_LIGHT and COAT_LIGHT of brushed surfaces."""
    i = point.at
    if point.brushed > F(0):
        frame = brushing_frame(surface, s.TANGENT, i, point.normal)
        slopes = alphas(point.roughness, point.brushed)
        brushed_light(slopes, frame[0], point.normal, point.eye, maps, turn, r, s.BRUSHED_LIGHT)
    if (point.coat > F(0)) & (point.coat_brushed > F(0)):
        frame = brushing_frame(surface, s.COAT_TANGENT, i, point.coat_normal)
        slopes = alphas(point.coat_roughness, point.coat_brushed)
        brushed_light(slopes, frame[0], point.coat_normal, point.eye, maps, turn, r, s.COAT_LIGHT)


@njit(types.void(IN2, IN2, IN2, IN2, IN2, IN2, IN2, IN1, OUT2, OUT2, OUT2), **LOOP)
def shade(surface, geometry, light, lights, seen, maps, table, environment, r, row, out):
    """Radiance (3, n) towards the eye of packed surfaces under an environment and lights.

    surface : (ROWS or MORE_ROWS, n), geometry : (GEOMETRY_ROWS, n), see kernels.packed.
    light : (7, n), light of the environment that arrives through the gaps, all of it, and see OPEN.
    lights : (lights, COLUMNS), see kernels.lights; seen : (lights, n), how much of each is seen, 0 to 1.
    maps : (texels, 3), see kernels.levels. table : see render.energy.
    environment : (9,), sine and cosine of its turn, its strength, and the light that surfaces near have, of lights and
    of the environment. r : (REFLECTED, 3) and row : (1, COLUMNS), room for one sample and one light.
    """
    turn = Turn(environment[0], environment[1], environment[2])
    for i in range(out.shape[1]):
        has = has_at(surface, i)
        point = point_at(surface, geometry, i, has)
        layers = layers_over(surface, point, table, has)
        _reflectances(surface, point, layers, has, r)
        _brushed_reflections(surface, point, maps, turn, r)
        _lit_by_environment(surface, point, layers, light, maps, turn, r, out)
        if point.coat > F(0):
            _coat_reflection(point, layers, light, maps, turn, r, out)
        _add_bounced(surface, point, layers, light, turn, environment[3:9], r, out)
        for k in range(lights.shape[0]):
            if seen[k, i] > F(0):
                facing(lights, k, _place(geometry, i), row)
                _add_light(surface, geometry, point, layers, row, 0, seen[k, i], r, out)
        for channel in range(3):
            out[channel, i] += surface[s.EMISSION + channel, i]


@njit(types.void(IN2, IN2, IN2, IN2, OUT2, OUT1), **LOOP)
def mean_received(position, normal, lights, seen, row, out):
    """Irradiance over pi, (3,), that surfaces have from lights in the mean.

    position, normal : (3, n). lights, seen : as for shade. row : (1, COLUMNS), room for one light.
    """
    for channel in range(3):
        out[channel] = F(0)
    for i in range(position.shape[1]):
        place, up = (position[0, i], position[1, i], position[2, i]), (normal[0, i], normal[1, i], normal[2, i])
        for k in range(lights.shape[0]):
            if seen[k, i] > F(0):
                facing(lights, k, place, row)
                if row[0, KIND] == F(DISTANT):
                    got = max(dot(up, light_direction(row, 0, place, up)), F(0)) / PI
                else:
                    got = rectangle(row, 0, place, up)
                for channel in range(3):
                    out[channel] += got * seen[k, i] * row[0, COLOUR + channel]
    for channel in range(3):
        out[channel] /= F(max(position.shape[1], 1))


@njit(**INLINE)
def _on_level_ground(lights, k, x, y, z):
    """Irradiance over pi that a light gives to level ground at a place without shadows, the mean of its colours."""
    light = (lights[k, COLOUR] + lights[k, COLOUR + 1] + lights[k, COLOUR + 2]) / (F(3) * PI)
    if lights[k, KIND] == F(DISTANT):
        return light * max(-lights[k, DIRECTION + 1], F(0))
    x, y, z = lights[k, CENTRE] - x, lights[k, CENTRE + 1] - y, lights[k, CENTRE + 2] - z
    distance2 = x * x + y * y + z * z
    right = lights[k, RIGHT] ** 2 + lights[k, RIGHT + 1] ** 2 + lights[k, RIGHT + 2] ** 2
    up = lights[k, UP] ** 2 + lights[k, UP + 1] ** 2 + lights[k, UP + 2] ** 2
    area = F(4) * math.sqrt(right * up)
    away = -(lights[k, DIRECTION] * x + lights[k, DIRECTION + 1] * y + lights[k, DIRECTION + 2] * z)
    return light * area * max(away, F(0)) * max(y, F(0)) / (distance2 * distance2)


@njit(types.void(ROWS2, ROWS2, ROWS2, IN2, ROWS2, f4, OUT2, OUT1), **LOOP)
def shade_ground(position, arriving, unoccluded, lights, seen, strength, row, out):
    """How much of all light reaches level ground, 0 to 1, (n,).

    position : (3, n) metres. arriving, unoccluded : (3, n), of an environment of this strength. lights, seen : as for
    shade. row : (1, COLUMNS), room for one light.
    """
    for i in range(out.size):
        found = (arriving[0, i] + arriving[1, i] + arriving[2, i]) * strength / F(3)
        every = (unoccluded[0, i] + unoccluded[1, i] + unoccluded[2, i]) * strength / F(3)
        for k in range(lights.shape[0]):
            facing(lights, k, (position[0, i], position[1, i], position[2, i]), row)
            sent = _on_level_ground(row, 0, position[0, i], position[1, i], position[2, i])
            found += sent * seen[k, i]
            every += sent
        out[i] = min(max(found / max(every, F(1e-9)), F(0)), F(1))


@njit(types.void(ROWS2, ROWS2, OUT2), **LOOP)
def unit_normals(normal, own, out):
    """Normals (3, n) at length 1; the surface's own where one is no direction."""
    for i in range(out.shape[1]):
        x, y, z = normal[0, i], normal[1, i], normal[2, i]
        length = math.sqrt(x * x + y * y + z * z)
        good = (length > F(1e-6)) & (length < F(3e38))
        each = F(1) / length if good else F(0)
        out[0, i] = x * each if good else own[0, i]
        out[1, i] = y * each if good else own[1, i]
        out[2, i] = z * each if good else own[2, i]
