"""Lobes of a surface: what it reflects from a direction, and directions drawn from them.

Helpers of kernels.scattering, compiled into it. They say what kernels.shading says of one direction, without a branch
that a loop over many points would stumble over.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit

from collage.core.kernels import packed as s
from collage.core.kernels.flags import INLINE
from collage.core.kernels.layers import (
    coat_tint,
    flattening,
    gained,
    layers_over,
    mirrored_energy,
    point_at,
    reflectance,
    unshadowed,
)
from collage.core.kernels.reflection import (
    PI,
    alphas,
    any_frame,
    brushing_frame,
    by_cosine,
    circle,
    dot,
    fifth_power,
    ggx_brushed,
    in_frame,
    unit,
    which_of,
)

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
    """A surface where a path meets it. What goes by channel is a tuple of three."""

    at: int  # its column
    own_normal: tuple  # of the surface itself, without normal maps and bump
    eye: tuple  # direction to it
    nv: float
    turned_away: float  # see layers.Point
    albedo: tuple
    f0: tuple  # mirrored straight on, with what further bounces between microfacets add
    f90: tuple
    seen_through: tuple
    body: tuple  # what the coat and the fuzz leave of the base
    fuzz: float  # what it sends back of white light, before its colour
    coat: float  # how much there is, under the fuzz, with what further bounces add
    coat_f0: float
    lobes: Lobes
    facets: Microfacets
    coat_facets: Microfacets


@njit(**INLINE)
def luminance(r, g, b):
    """Of linear Rec. 709 light."""
    return F(0.2126) * r + F(0.7152) * g + F(0.0722) * b


@njit(**INLINE)
def _luminance_of(colour, body):
    return luminance(colour[0] * body[0], colour[1] * body[1], colour[2] * body[2])


@njit(**INLINE)
def _lobes(surface, point, fuzz, coat, diffuse, mirror, through):
    """How often each lobe is to be followed, by the light that it sends back. diffuse, mirror, through : of the base,
    coat : of the coat."""
    i = point.at
    diffuse += fuzz * luminance(surface[s.FUZZ_COLOUR, i], surface[s.FUZZ_COLOUR + 1, i], surface[s.FUZZ_COLOUR + 2, i])
    soft = max(surface[s.SOFT, i], max(surface[s.SOFT + 1, i], surface[s.SOFT + 2, i]))
    total = diffuse + mirror + through + coat
    # what sends little is followed now and then even so: it may send much of a bright light
    least = F(0.04) * total
    diffuse = max(diffuse, least) if diffuse > F(0) else F(0)
    mirror = max(mirror, least) if mirror > F(0) else F(0)
    through = max(through, least) if through > F(0) else F(0)
    coat = max(coat, least) if coat > F(0) else F(0)
    each = F(1) / (diffuse + mirror + through + coat) if total > F(1e-9) else F(0)
    return Lobes(diffuse * each, mirror * each, through * each, coat * each, point.turned_away * min(soft, F(1)))


@njit(**INLINE)
def _microfacets(surface, row, i, normal, roughness, brushed, can_be_brushed):
    alpha = min(max(roughness * roughness, F(0.002)), F(1))
    slopes, frame = (alpha, alpha), any_frame(normal)
    if can_be_brushed and brushed > F(0):
        slopes, frame = alphas(roughness, brushed), brushing_frame(surface, row, i, normal)
    return Microfacets(normal, frame[0], frame[1], slopes[0], slopes[1])


@njit(**INLINE)
def _body(surface, point, layers, fuzz, found, has, channel):
    """What the coat and the fuzz leave of a channel of the base."""
    left = layers.through * (F(1) - fuzz)
    return left * coat_tint(surface, point, layers, found.albedo, found.f0, channel) if has.coat else left


@njit(**INLINE)
def _matt_hit(surface, point):
    """The same of a matt surface, see layers.Has."""
    i, none, whole = point.at, (F(0), F(0), F(0)), (F(1), F(1), F(1))
    albedo = max(surface[s.BASE, i], F(0)), max(surface[s.BASE + 1, i], F(0)), max(surface[s.BASE + 2, i], F(0))
    followed = F(1) if _luminance_of(albedo, whole) > F(1e-9) else F(0)
    facets = _microfacets(surface, s.TANGENT, i, point.normal, point.roughness, point.brushed, False)
    return Hit(
        i, point.own_normal, point.eye, point.nv, F(0), albedo, none, none, none, whole, F(0), F(0), F(0),
        Lobes(followed, F(0), F(0), F(0), F(0)), facets, facets,
    )  # fmt: skip


@njit(**INLINE)
def hit_at(surface, geometry, i, table, has):
    """The surface at a point."""
    point = point_at(surface, geometry, i, has)
    if has.matt:
        return _matt_hit(surface, point)
    layers = layers_over(surface, point, table, has)
    fuzz = layers.fuzz * layers.fuzz_back
    r = reflectance(surface, point, layers, has, 0)
    g = reflectance(surface, point, layers, has, 1)
    b = reflectance(surface, point, layers, has, 2)
    body = (
        _body(surface, point, layers, fuzz, r, has, 0),
        _body(surface, point, layers, fuzz, g, has, 1),
        _body(surface, point, layers, fuzz, b, has, 2),
    )
    albedo, through = (r.albedo, g.albedo, b.albedo), (r.seen_through, g.seen_through, b.seen_through)
    energy = (
        mirrored_energy(layers, r.f0, r.f90), mirrored_energy(layers, g.f0, g.f90), mirrored_energy(layers, b.f0, b.f90)
    )  # fmt: skip
    coat = point.coat * (F(1) - fuzz)
    lobes = _lobes(
        surface, point, fuzz, coat * layers.coat_back,
        _luminance_of(albedo, body), _luminance_of(energy, body), _luminance_of(through, body),
    )  # fmt: skip
    facets = _microfacets(surface, s.TANGENT, i, point.normal, point.roughness, point.brushed, has.brushed)
    coat_facets = facets
    if has.coat:
        coat_facets = _microfacets(
            surface, s.COAT_TANGENT, i, point.coat_normal, point.coat_roughness, point.coat_brushed, has.brushed
        )
    gain = gained(layers, r.f0), gained(layers, g.f0), gained(layers, b.f0)
    f0 = r.f0 * gain[0], g.f0 * gain[1], b.f0 * gain[2]
    f90 = r.f90 * gain[0], g.f90 * gain[1], b.f90 * gain[2]
    return Hit(
        i, point.own_normal, point.eye, point.nv, point.turned_away, albedo, f0, f90, through, body, fuzz,
        coat * layers.coat_gain, layers.coat_f0, lobes, facets, coat_facets,
    )  # fmt: skip


@njit(**INLINE)
def chosen(lobes, lot):
    """Which lobe a number from 0 to 1 stands for, and how likely it is."""
    mirrored, through = lot - lobes.diffuse, lot - lobes.diffuse - lobes.mirror
    behind = (through < lobes.through) | (lobes.coat <= F(0))
    lobe, likely = (THROUGH, lobes.through) if behind else (COAT, lobes.coat)
    lobe, likely = (MIRROR, lobes.mirror) if mirrored < lobes.mirror else (lobe, likely)
    return (DIFFUSE, lobes.diffuse) if lot < lobes.diffuse else (lobe, likely)


@njit(**INLINE)
def visible_normal(facets, eye, drawn):
    """A normal of a microfacet that the eye sees (J. Dupuy and A. Benyoub, Sampling Visible GGX Normals with Spherical
    Caps, 2023)."""
    x, y = facets.along * dot(facets.tangent, eye), facets.across * dot(facets.bitangent, eye)
    z = max(dot(facets.normal, eye), LEAST_NV)
    x, y, z = unit(x, y, z)
    cosine, sine = circle(drawn[0])
    height = (F(1) - drawn[1]) * (F(1) + z) - z
    wide = math.sqrt(min(max(F(1) - height * height, F(0)), F(1)))
    hx = (wide * cosine + x) * facets.along
    hy = (wide * sine + y) * facets.across
    hz = max(height + z, F(0))
    x, y, z = in_frame(facets.tangent, facets.bitangent, facets.normal, hx, hy, hz)
    return unit(x, y, z)


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
def next_way(hit, lobe, drawn, lot, has):
    """A direction in which a path goes on, above the surface or behind a thin wall."""
    x, y, z = by_cosine(drawn)
    z = -z if lot < hit.lobes.diffuse * hit.lobes.behind else z  # the lot is even over what is left of it
    matt = in_frame(hit.facets.tangent, hit.facets.bitangent, hit.facets.normal, x, y, z)
    if has.matt:
        return matt
    half = visible_normal(hit.facets, hit.eye, drawn)
    if has.coat:
        half = which_of(lobe == COAT, visible_normal(hit.coat_facets, hit.eye, drawn), half)
    return which_of(lobe == DIFFUSE, matt, mirrored(hit.eye, half))


@njit(**INLINE)
def _mirror_lobe(facets, half, way, hit):
    """GGX times the cosine and what relief shadows."""
    nl = max(dot(facets.normal, way), F(0))
    lobe = ggx_brushed(
        facets.along, facets.across, (facets.tangent, facets.bitangent), facets.normal, half, way, hit.eye
    )
    return lobe * nl * unshadowed(hit.own_normal, facets.normal, way)


@njit(**INLINE)
def _sent(surface, hit, way, fresnel, mirror, falling, channel, has):
    """What the base and the fuzz send to the eye of a channel. mirror : of microfacets, falling : cosine over pi and
    what relief leaves of it."""
    nl = dot(hit.facets.normal, way)
    lit = falling * flattening(surface, hit, way, max(nl, F(0)), channel)
    if has.more:
        aside = hit.turned_away * surface[s.SOFT + channel, hit.at]
        lit = lit * (F(1) - aside) + max(-nl, F(0)) / PI * aside
    f0, f90 = hit.f0[channel], hit.f90[channel]
    sent = (hit.albedo[channel] * lit + (f0 + (f90 - f0) * fresnel) * mirror) * hit.body[channel]
    if has.fuzz:
        sent += falling * hit.fuzz * surface[s.FUZZ_COLOUR + channel, hit.at]
    return sent


@njit(**INLINE)
def reflected(surface, hit, way, has):
    """What a surface sends to the eye of light from a direction, times the cosine, by channel; and how likely a path
    would go there, per steradian."""
    lobes, normal = hit.lobes, hit.facets.normal
    nl, above = dot(normal, way), dot(way, hit.own_normal) > F(0)
    if has.matt:
        lit = max(nl, F(0)) / PI
        falling = lit * unshadowed(hit.own_normal, normal, way)
        return (hit.albedo[0] * falling, hit.albedo[1] * falling, hit.albedo[2] * falling), lobes.diffuse * lit
    half = unit(way[0] + hit.eye[0], way[1] + hit.eye[1], way[2] + hit.eye[2])
    fresnel = fifth_power(F(1) - max(dot(hit.eye, half), F(0)))
    density = lobes.diffuse * abs(nl) / PI * (lobes.behind if nl < F(0) else F(1) - lobes.behind)
    mirror = _mirror_lobe(hit.facets, half, way, hit) if above else F(0)
    density += lobes.mirror * _mirror_density(hit.facets, half, hit.eye) if above else F(0)
    coated = F(0)
    if has.coat:
        coated = _mirror_lobe(hit.coat_facets, half, way, hit) if above else F(0)
        coated *= hit.coat * (hit.coat_f0 + (F(1) - hit.coat_f0) * fresnel)
        density += lobes.coat * _mirror_density(hit.coat_facets, half, hit.eye) if above else F(0)
    falling = max(nl, F(0)) / PI * unshadowed(hit.own_normal, normal, way)
    sent = (
        _sent(surface, hit, way, fresnel, mirror, falling, 0, has) + coated,
        _sent(surface, hit, way, fresnel, mirror, falling, 1, has) + coated,
        _sent(surface, hit, way, fresnel, mirror, falling, 2, has) + coated,
    )
    return sent, density
