"""Lobes of a surface: what it reflects from a direction, and directions drawn from them.

Helpers of kernels.paths, compiled into it. They say what kernels.shading says of one direction.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit

from collage.core.kernels import packed as s
from collage.core.kernels.flags import INLINE
from collage.core.kernels.layers import (
    Layers,
    Point,
    coat_tint,
    flattening,
    gained,
    layers_over,
    mirrored_energy,
    point_at,
    reflectances,
    unshadowed,
)
from collage.core.kernels.reflection import PI, alphas, any_frame, brushing_frame, dot, fifth_power, ggx_brushed, unit

F = np.float32
DIFFUSE, MIRROR, THROUGH, COAT = range(4)
LEAST_NV = F(0.02)  # cosine to the eye, see kernels.layers


class Microfacets(NamedTuple):
    """A rough mirror: its normal, the directions along and across its brushing, and its slopes there."""

    normal: tuple
    tangent: tuple
    bitangent: tuple
    along: float
    across: float


class Lobes(NamedTuple):
    """How often each lobe is followed; together 1, or all 0 for what is black."""

    diffuse: float
    mirror: float
    through: float
    coat: float
    behind: float  # of the diffuse lobe, how much of it goes to the other side of a thin wall


class Hit(NamedTuple):
    """A surface where a path meets it.

    surface : see kernels.packed; r : (REFLECTED, 3), what this point reflects. point, layers : see kernels.layers.
    body : what the coat and the fuzz leave of the base, by channel. facets, coat : of the base and of the coat.
    """

    surface: np.ndarray
    r: np.ndarray
    point: Point
    layers: Layers
    body: tuple
    lobes: Lobes
    facets: Microfacets
    coat: Microfacets


@njit(**INLINE)
def luminance(r, g, b):
    """Of linear Rec. 709 light."""
    return F(0.2126) * r + F(0.7152) * g + F(0.0722) * b


@njit(**INLINE)
def body_of(surface, point, layers, r):
    """What the coat and the fuzz leave of the base, by channel."""
    left = layers.through * (F(1) - layers.fuzz * layers.fuzz_back)
    return (
        left * coat_tint(surface, point, layers, r, 0),
        left * coat_tint(surface, point, layers, r, 1),
        left * coat_tint(surface, point, layers, r, 2),
    )


@njit(**INLINE)
def lobes_of(surface, point, layers, r, body):
    """How often each lobe is to be followed, by the light that it sends back."""
    i, fuzz = point.at, layers.fuzz * layers.fuzz_back
    diffuse = luminance(r[s.ALBEDO, 0] * body[0], r[s.ALBEDO, 1] * body[1], r[s.ALBEDO, 2] * body[2])
    diffuse += fuzz * luminance(surface[s.FUZZ_COLOUR, i], surface[s.FUZZ_COLOUR + 1, i], surface[s.FUZZ_COLOUR + 2, i])
    mirror = luminance(
        mirrored_energy(layers, r, 0) * body[0],
        mirrored_energy(layers, r, 1) * body[1],
        mirrored_energy(layers, r, 2) * body[2],
    )
    through = F(0)
    if point.clear > F(0):
        through = luminance(
            r[s.SEEN_THROUGH, 0] * body[0], r[s.SEEN_THROUGH, 1] * body[1], r[s.SEEN_THROUGH, 2] * body[2]
        )
    coat = point.coat * layers.coat_back * (F(1) - fuzz)
    soft = max(surface[s.SOFT, i], max(surface[s.SOFT + 1, i], surface[s.SOFT + 2, i]))
    behind = point.turned_away * min(soft, F(1))
    total = diffuse + mirror + through + coat
    if not total > F(1e-9):
        return Lobes(F(0), F(0), F(0), F(0), F(0))
    # what sends little is followed now and then even so: it may send much of a bright light
    least = F(0.04) * total
    diffuse = max(diffuse, least) if diffuse > F(0) else F(0)
    mirror = max(mirror, least) if mirror > F(0) else F(0)
    through = max(through, least) if through > F(0) else F(0)
    coat = max(coat, least) if coat > F(0) else F(0)
    total = F(1) / (diffuse + mirror + through + coat)
    return Lobes(diffuse * total, mirror * total, through * total, coat * total, behind)


@njit(**INLINE)
def _microfacets(surface, row, i, normal, roughness, brushed):
    if brushed > F(0):
        slopes, frame = alphas(roughness, brushed), brushing_frame(surface, row, i, normal)
    else:
        alpha = min(max(roughness * roughness, F(0.002)), F(1))
        slopes, frame = (alpha, alpha), any_frame(normal)
    return Microfacets(normal, frame[0], frame[1], slopes[0], slopes[1])


@njit(**INLINE)
def hit_at(surface, geometry, i, table, r):
    """The surface at a point; `r` is filled."""
    point = point_at(surface, geometry, i)
    layers = layers_over(surface, point, table)
    reflectances(surface, point, layers, r)
    facets = _microfacets(surface, s.TANGENT, i, point.normal, point.roughness, point.brushed)
    coat = facets
    if point.coat > F(0):
        coat = _microfacets(surface, s.COAT_TANGENT, i, point.coat_normal, point.coat_roughness, point.coat_brushed)
    body = body_of(surface, point, layers, r)
    return Hit(surface, r, point, layers, body, lobes_of(surface, point, layers, r, body), facets, coat)


@njit(**INLINE)
def chosen(lobes, lot):
    """Which lobe a number from 0 to 1 stands for, and how likely it is."""
    if lot < lobes.diffuse:
        return DIFFUSE, lobes.diffuse
    lot -= lobes.diffuse
    if lot < lobes.mirror:
        return MIRROR, lobes.mirror
    lot -= lobes.mirror
    if (lot < lobes.through) | (lobes.coat <= F(0)):
        return THROUGH, lobes.through
    return COAT, lobes.coat


@njit(**INLINE)
def visible_normal(facets, eye, drawn):
    """A normal of a microfacet that the eye sees (J. Dupuy and A. Benyoub, Sampling Visible GGX Normals with Spherical
    Caps, 2023)."""
    x, y = facets.along * dot(facets.tangent, eye), facets.across * dot(facets.bitangent, eye)
    z = max(dot(facets.normal, eye), LEAST_NV)
    x, y, z = unit(x, y, z)
    turn = F(2) * PI * drawn[0]
    height = (F(1) - drawn[1]) * (F(1) + z) - z
    wide = math.sqrt(min(max(F(1) - height * height, F(0)), F(1)))
    hx = (wide * math.cos(turn) + x) * facets.along
    hy = (wide * math.sin(turn) + y) * facets.across
    hz = max(height + z, F(0))
    t, b, n = facets.tangent, facets.bitangent, facets.normal
    return unit(t[0] * hx + b[0] * hy + n[0] * hz, t[1] * hx + b[1] * hy + n[1] * hz, t[2] * hx + b[2] * hy + n[2] * hz)


@njit(**INLINE)
def _mirror_density(facets, half, eye):
    """How likely visible_normal mirrors the eye's ray about `half`, per steradian of what is mirrored."""
    nh, nv = dot(facets.normal, half), max(dot(facets.normal, eye), LEAST_NV)
    th, bh = dot(facets.tangent, half) / facets.along, dot(facets.bitangent, half) / facets.across
    d = nh * nh + th * th + bh * bh
    distribution = F(1) / (PI * facets.along * facets.across * d * d)
    vt, vb = facets.along * dot(facets.tangent, eye), facets.across * dot(facets.bitangent, eye)
    return distribution / (F(2) * (nv + math.sqrt(vt * vt + vb * vb + nv * nv)))


@njit(**INLINE)
def mirrored(eye, half):
    """The direction that is mirrored to the eye."""
    c = F(2) * dot(eye, half)
    return c * half[0] - eye[0], c * half[1] - eye[1], c * half[2] - eye[2]


@njit(**INLINE)
def refracted(eye, half, ior):
    """Where the eye's ray goes on below a microfacet of something denser (Snell's law)."""
    bent = F(1) / ior
    c = dot(eye, half)
    along = bent * c - math.sqrt(max(F(1) - bent * bent * (F(1) - c * c), F(0)))
    return unit(along * half[0] - bent * eye[0], along * half[1] - bent * eye[1], along * half[2] - bent * eye[2])


@njit(**INLINE)
def leaving(eye, half, ior, lot):
    """Where a path inside goes on at a microfacet, and whether that is outside, by Fresnel's formula and a lot.

    half : of the microfacet, on the side that the path comes from.
    """
    c = min(max(dot(eye, half), F(0)), F(1))
    sine2 = ior * ior * (F(1) - c * c)
    if sine2 >= F(1):
        return mirrored(eye, half), False
    out = math.sqrt(F(1) - sine2)
    one, other = (ior * c - out) / (ior * c + out), (c - ior * out) / (c + ior * out)
    if lot < F(0.5) * (one * one + other * other):
        return mirrored(eye, half), False
    along = ior * c - out
    return unit(along * half[0] - ior * eye[0], along * half[1] - ior * eye[1], along * half[2] - ior * eye[2]), True


@njit(**INLINE)
def next_way(hit, lobe, drawn, lot):
    """A direction in which a path goes on, above the surface or behind a thin wall."""
    if lobe == MIRROR:
        return mirrored(hit.point.eye, visible_normal(hit.facets, hit.point.eye, drawn))
    if lobe == COAT:
        return mirrored(hit.point.eye, visible_normal(hit.coat, hit.point.eye, drawn))
    # cosine-weighted (Malley's method); the lot is even over what is left of it
    turn, radius = F(2) * PI * drawn[0], math.sqrt(drawn[1])
    x, y, z = radius * math.cos(turn), radius * math.sin(turn), math.sqrt(max(F(1) - drawn[1], F(0)))
    if lot < hit.lobes.diffuse * hit.lobes.behind:
        z = -z
    t, b, n = hit.facets.tangent, hit.facets.bitangent, hit.facets.normal
    return t[0] * x + b[0] * y + n[0] * z, t[1] * x + b[1] * y + n[1] * z, t[2] * x + b[2] * y + n[2] * z


@njit(**INLINE)
def _mirror_lobe(facets, half, way, point):
    """GGX times the cosine and what relief shadows."""
    nl = dot(facets.normal, way)
    if nl <= F(0):
        return F(0)
    lobe = ggx_brushed(
        facets.along, facets.across, (facets.tangent, facets.bitangent), facets.normal, half, way, point.eye
    )
    return lobe * nl * unshadowed(point.own_normal, facets.normal, way)


@njit(**INLINE)
def reflected(hit, way):
    """What a surface sends to the eye of light from a direction, times the cosine, by channel; and how likely a path
    would go there, per steradian."""
    surface, r, point, layers, lobes = hit.surface, hit.r, hit.point, hit.layers, hit.lobes
    i = point.at
    nl = dot(point.normal, way)
    half = unit(way[0] + point.eye[0], way[1] + point.eye[1], way[2] + point.eye[2])
    density = lobes.diffuse * abs(nl) / PI * (lobes.behind if nl < F(0) else F(1) - lobes.behind)
    mirror, coated = F(0), F(0)
    if dot(way, point.own_normal) > F(0):
        mirror = _mirror_lobe(hit.facets, half, way, point)
        if lobes.mirror > F(0):
            density += lobes.mirror * _mirror_density(hit.facets, half, point.eye)
        if lobes.coat > F(0):
            coated = _mirror_lobe(hit.coat, half, way, point)
            density += lobes.coat * _mirror_density(hit.coat, half, point.eye)
    fresnel = fifth_power(F(1) - max(dot(point.eye, half), F(0)))
    coated *= (
        point.coat * (layers.coat_f0 + (F(1) - layers.coat_f0) * fresnel) * (F(1) - layers.fuzz * layers.fuzz_back)
    )
    coated *= layers.coat_gain
    falling = F(0)
    if nl > F(0):
        falling = nl / PI * unshadowed(point.own_normal, point.normal, way)
    fuzz = falling * layers.fuzz * layers.fuzz_back
    out0, out1, out2 = F(0), F(0), F(0)
    for channel in range(3):
        f0, f90 = r[s.F0, channel], r[s.F90, channel]
        gain = gained(layers, r, channel)
        lit = falling * flattening(surface, point, way, max(nl, F(0)), channel)
        if point.turned_away > F(0):
            aside = point.turned_away * surface[s.SOFT + channel, i]
            lit = lit * (F(1) - aside) + max(-nl, F(0)) / PI * aside
        sent = r[s.ALBEDO, channel] * lit + (f0 + (f90 - f0) * fresnel) * mirror * gain
        sent = sent * hit.body[channel] + fuzz * surface[s.FUZZ_COLOUR + channel, i] + coated
        if channel == 0:
            out0 = sent
        elif channel == 1:
            out1 = sent
        else:
            out2 = sent
    return (out0, out1, out2), density
