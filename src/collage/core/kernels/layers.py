"""What a packed surface is at one sample: its normals towards the eye, and what its layers reflect and let through.

The model is OpenPBR's (Academy Software Foundation, OpenPBR Surface 1.1): an opaque base of diffuse and metal, under a
coat, under fuzz. Helpers of the kernels that shade, compiled into them.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit

from collage.core.kernels import packed as s
from collage.core.kernels.flags import INLINE
from collage.core.kernels.reflection import brushed_energy, brushing_frame, dot, energy, unit

F = np.float32
FUJII = F(0.5 - 2 / (3 * math.pi))


class Point(NamedTuple):
    """What shading knows of one sample. Vectors are (x, y, z), of length 1; cosines are to the normal."""

    at: int  # its column
    normal: tuple
    own_normal: tuple  # of the surface itself, without normal maps and bump
    eye: tuple  # direction to it
    coat_normal: tuple
    mirrored: tuple  # the eye's direction, mirrored
    nv: float
    coat_nv: float
    metal: float
    roughness: float
    brushed: float
    coat: float
    coat_roughness: float
    coat_brushed: float
    clear: float  # how much is transmitted
    thin: bool
    turned_away: float  # of a thin wall half of what scatters leaves on the other side


class Has(NamedTuple):
    """What a surface is made of beside its base. Known of many points together, whose loops then have no branches, or
    asked of each: then it is no more than is there."""

    coat: bool
    brushed: bool
    fuzz: bool
    more: bool  # whether there are rows behind ROWS, see kernels.packed
    matt: bool  # whether its base is smooth, mirrors nothing and lets nothing through: then it has none of the others


class Layers(NamedTuple):
    """What the layers over the base let through and send back."""

    single: float  # energy of one bounce between microfacets
    a: float
    b: float
    coat_f0: float
    coat_back: float
    coat_gain: float  # of what is lost between its microfacets
    through: float
    caught: float  # light caught under the coat (OpenPBR, coat darkening)
    fuzz: float
    fuzz_back: float


class Reflectance(NamedTuple):
    """What the base sends back of one channel: scattered, mirrored straight on and at the rim, and let through."""

    albedo: float
    f0: float
    f90: float
    seen_through: float


@njit(**INLINE)
def _facing(normal, own, eye):
    """A bent normal that reflects the eye's ray into the surface, turned until that just leaves it.

    A. Keller et al., The Iray Light Transport Simulation and Rendering System, 2017, A.3: it would be black there.
    """
    nv = dot(normal, eye)
    mx, my, mz = F(2) * nv * normal[0] - eye[0], F(2) * nv * normal[1] - eye[1], F(2) * nv * normal[2] - eye[2]
    below = mx * own[0] + my * own[1] + mz * own[2]
    if (below < F(0)) & (dot(own, eye) > F(0)):
        mirrored = unit(mx - own[0] * below, my - own[1] * below, mz - own[2] * below)
        normal = unit(mirrored[0] + eye[0], mirrored[1] + eye[1], mirrored[2] + eye[2])
        nv = dot(normal, eye)
    if nv < F(0.02):  # one that looks away even so is turned until it just faces the eye
        push = F(0.02) - nv
        normal = unit(normal[0] + eye[0] * push, normal[1] + eye[1] * push, normal[2] + eye[2] * push)
    return normal


@njit(**INLINE)
def _rows(geometry, row, i):
    return geometry[row, i], geometry[row + 1, i], geometry[row + 2, i]


@njit(**INLINE)
def has_at(surface, i):
    """What the surface has at one point."""
    more = surface.shape[0] > s.ROWS
    coat, fuzz = surface[s.COAT, i] > F(0), surface[s.FUZZ, i] > F(0)
    brushed = more and (surface[s.BRUSHED, i] > F(0) or surface[s.COAT_BRUSHED, i] > F(0))
    return Has(coat, brushed, fuzz, more, False)


@njit(**INLINE)
def point_at(surface, geometry, i, has):
    """A sample, with its normals turned until they face the eye."""
    view, own = _rows(geometry, s.VIEW, i), _rows(geometry, s.OWN_NORMAL, i)
    vx, vy, vz = -view[0], -view[1], -view[2]
    nx, ny, nz = _facing(_rows(geometry, s.NORMAL, i), own, (vx, vy, vz))
    nv = max(nx * vx + ny * vy + nz * vz, F(0.02))
    roughness = min(max(surface[s.ROUGHNESS, i], F(0)), F(1))
    coat = min(max(surface[s.COAT, i], F(0)), F(1))
    coat_roughness = min(max(surface[s.COAT_ROUGHNESS, i], F(0)), F(1))
    cx, cy, cz = nx, ny, nz
    if has.coat:  # a rough coat blurs what is seen through it
        cx, cy, cz = _facing(_rows(geometry, s.COAT_NORMAL, i), own, (vx, vy, vz))
        wide = roughness**4 + F(2) * coat * coat_roughness**4
        roughness = math.sqrt(math.sqrt(min(wide, F(1))))
    thin = has.more and surface[s.THIN, i] > F(0)
    return Point(
        i,
        (nx, ny, nz),
        own,
        (vx, vy, vz),
        (cx, cy, cz),
        (F(2) * nv * nx - vx, F(2) * nv * ny - vy, F(2) * nv * nz - vz),
        nv,
        max(cx * vx + cy * vy + cz * vz, F(0.02)),
        surface[s.METAL, i],
        roughness,
        surface[s.BRUSHED, i] if has.brushed else F(0),
        coat,
        coat_roughness,
        surface[s.COAT_BRUSHED, i] if has.brushed else F(0),
        min(max(surface[s.TRANSMISSION, i], F(0)), F(1)),
        thin,
        F(0.5) if thin else F(0),
    )


@njit(**INLINE)
def layers_over(surface, point, table, has):
    """What the layers over the base do at a point. table : see render.energy."""
    i = point.at
    a, b = energy(table, point.nv, point.roughness)
    if has.brushed and point.brushed > F(0):
        frame = brushing_frame(surface, s.TANGENT, i, point.normal)
        more = brushed_energy(table, point.nv, point.roughness, point.brushed, frame, point.eye)
        a, b = a * more, b * more
    coat_f0, coat_back, coat_gain, caught = F(0), F(0), F(1), F(0)
    if has.coat:
        coat_ior = max(surface[s.COAT_IOR, i], F(1.0001))
        ratio = (coat_ior - F(1)) / (coat_ior + F(1))
        coat_f0 = ratio * ratio
        ca, cb = energy(table, point.coat_nv, point.coat_roughness)
        if has.brushed and point.coat_brushed > F(0):
            frame = brushing_frame(surface, s.COAT_TANGENT, i, point.coat_normal)
            more = brushed_energy(table, point.coat_nv, point.coat_roughness, point.coat_brushed, frame, point.eye)
            ca, cb = ca * more, cb * more
        coat_gain = F(1) + coat_f0 * (F(1) / max(ca + cb, F(1e-3)) - F(1))
        coat_back = (coat_f0 * ca + cb) * coat_gain
        caught = F(1) - (F(1) - coat_f0) / (coat_ior * coat_ior) * F(0.95)
    fuzz = min(max(surface[s.FUZZ, i], F(0)), F(1))
    fuzz_back = F(0)
    if has.fuzz:
        fuzz_soft = F(0.25) + F(0.75) * surface[s.FUZZ_ROUGHNESS, i]
        fuzz_back = (F(1) - point.nv) ** (F(1) / max(fuzz_soft, F(0.05))) * (F(0.35) + F(0.5) * fuzz_soft)
        fuzz_back = min(fuzz_back, F(1))
    through = F(1) - point.coat * min(coat_back, F(1))
    return Layers(max(a + b, F(1e-3)), a, b, coat_f0, coat_back, coat_gain, through, caught, fuzz, fuzz_back)


@njit(**INLINE)
def reflectance(surface, point, layers, has, channel):
    """What the base sends back of a channel."""
    i, metal = point.at, point.metal
    ior = max(surface[s.IOR, i], F(1.0001))
    ratio = (ior - F(1)) / (ior + F(1))
    dielectric = min(max(ratio * ratio * surface[s.SPECULAR_WEIGHT, i], F(0)), F(1))
    edge = min(surface[s.SPECULAR_WEIGHT, i], F(1))
    film = min(max(surface[s.FILM_WEIGHT, i], F(0)), F(1))
    base = max(surface[s.BASE + channel, i], F(0))
    tint = max(surface[s.SPECULAR + channel, i], F(0))
    f0 = dielectric * tint * (F(1) - metal) + min(base, F(1)) * metal
    # a thin film changes what is reflected straight on; its colour at this angle comes with the surface
    f0 += (surface[s.FILM + channel, i] - f0) * film
    f90 = edge * ((F(1) - metal) + tint * metal)
    spent = (dielectric * tint * layers.a + edge * layers.b) * (F(1) + dielectric * (F(1) / layers.single - F(1)))
    left = (F(1) - metal) * (F(1) - min(spent, F(1)))
    inside = surface[s.SCATTERED + channel, i] if has.more else F(0)
    albedo = left * (base * (F(1) - point.clear) + inside * point.clear)
    seen_through = left * point.clear * max(surface[s.TRANSMISSION_COLOUR + channel, i], F(0))
    return Reflectance(albedo, f0, f90, seen_through)


@njit(**INLINE)
def gained(layers, f0):
    """What further bounces between microfacets add to the first (E. Turquin, Practical multiple scattering
    compensation for microfacet models, 2019)."""
    return F(1) + f0 * (F(1) / layers.single - F(1))


@njit(**INLINE)
def mirrored_energy(layers, f0, f90):
    """How much of even light from everywhere the base mirrors to the eye."""
    return (f0 * layers.a + f90 * layers.b) * gained(layers, f0)


@njit(**INLINE)
def coat_tint(surface, point, layers, albedo, f0, channel):
    """What the coat's colour and darkening leave of a channel of the base."""
    inner = albedo + f0 * point.metal
    dark = (F(1) - layers.caught) / max(F(1) - inner * layers.caught, F(1e-3))
    tint = F(1) + (max(surface[s.COAT_COLOUR + channel, point.at], F(0)) - F(1)) * point.coat
    return tint * (F(1) + (dark - F(1)) * point.coat * surface[s.COAT_DARKENING, point.at])


@njit(**INLINE)
def _sent_once(cosine, rough):
    """What a rough matt surface sends back of light at an angle, after one meeting; see flattening."""
    low = F(1) - cosine
    g = low * (F(0.0571085289) + low * (F(0.491881867) + low * (F(-0.332181442) + low * F(0.0714429953))))
    return (F(1) + rough * g) / (F(1) + FUJII * rough)


@njit(**INLINE)
def flattening(surface, point, toward, nl, channel):
    """How much flatter than Lambert's a rough matt surface looks, towards a light at cosine nl >= 0.

    J. Portsmouth, P. Kutz and S. Hill, EON: A practical energy-preserving rough diffuse BRDF, JCGT 14(1), 2025.
    """
    rough = max(surface[s.DIFFUSE_ROUGHNESS, point.at], F(0))
    across = dot(toward, point.eye) - nl * point.nv
    t = F(1) if across <= F(0) else max(nl, point.nv)
    once = (F(1) + rough * across / max(t, F(1e-3))) / (F(1) + FUJII * rough)
    colour = min(max(surface[s.BASE + channel, point.at], F(0)), F(1))
    mean = (F(1) + F(2 / 3 - 28 / (15 * math.pi)) * rough) / (F(1) + FUJII * rough)
    again = colour * mean / max(F(1) - colour * (F(1) - mean), F(1e-6))
    lost = (F(1) - _sent_once(nl, rough)) * (F(1) - _sent_once(point.nv, rough))
    return max(once, F(0)) + again * lost / max(F(1) - mean, F(1e-6))


@njit(**INLINE)
def unshadowed(own, normal, toward):
    """How much of a light a bent normal's relief does not shadow: none where it is behind the surface, and no edge.

    A. C. Estevez et al., A Microfacet-Based Shadowing Function to Solve the Bump Terminator Problem, 2019.
    """
    bend = min(abs(dot(own, normal)), F(1))
    if bend > F(0.99999):
        return F(1)
    height = dot(own, toward)
    if height <= F(0):
        return F(0)
    spread = min(F(0.125) * (F(1) - bend * bend) / max(bend * bend, F(1e-6)), F(1))
    slope = (F(1) - min(height * height, F(1))) / (height * height)
    return F(2) / (F(1) + math.sqrt(F(1) + spread * slope))
