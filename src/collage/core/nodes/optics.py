"""Numbers that surface models are made from: roughness along two ways, glowing heat, refraction of metals."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.behaviour import Array, Context, behaviour

_TINY = 1e-8
_XYZ_TO_709 = ((3.2406, -1.5372, -0.4986), (-0.9689, 1.8758, 0.0415), (0.0557, -0.2040, 1.0570))


@behaviour("roughness_anisotropy")
def roughness_anisotropy(ctx: Context, roughness: Array, anisotropy: Array) -> Array:
    """Microfacet slopes along and across; at anisotropy 1 the surface is brushed along."""
    square = np.clip(roughness * roughness, _TINY, 1)
    aspect = np.sqrt(1 - np.clip(anisotropy, 0, 0.98))
    stretched = np.concatenate([np.minimum(square / aspect, 1), square * aspect])
    return np.where(anisotropy > 0, stretched, np.concatenate([square, square]))


@behaviour("roughness_dual")
def roughness_dual(ctx: Context, roughness: Array) -> Array:
    """Microfacet slopes of two roughnesses; a second one below 0 takes the first."""
    x, y = roughness[:1], roughness[1:2]
    y = np.where(y < 0, x, y)
    return np.concatenate([np.clip(x * x, _TINY, 1), np.clip(y * y, _TINY, 1)])


@behaviour("blackbody")
def blackbody(ctx: Context, temperature: Array) -> Array:
    """The colour of a glowing body, linear Rec. 709, luminance 1.

    B. Kang et al., Design of Advanced Color Temperature Control System for HDTV Applications, 2002, held to
    800..25000 kelvin as in the MaterialX reference.
    """
    kelvin = np.clip(temperature, 800, 25000)
    t = 1000 / kelvin
    cool = ((-0.2661239 * t - 0.2343580) * t + 0.8776956) * t + 0.179910
    hot = ((-3.0258469 * t + 2.1070379) * t + 0.2226347) * t + 0.240390
    x = np.where(kelvin < 4000, cool, hot)
    red = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    amber = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    white = ((3.0817580 * x - 5.87338670) * x + 3.75112997) * x - 0.37001483
    y = np.where(kelvin < 2222, red, np.where(kelvin < 4000, amber, white))
    there = (x / y, 1.0, (1 - x - y) / y)
    colour = [sum(part * one for part, one in zip(row, there, strict=True)) for row in _XYZ_TO_709]
    return np.where(y <= 0, 1.0, np.maximum(np.concatenate(colour), 0))


@behaviour("artistic_ior")
def artistic_ior(ctx: Context, reflectivity: Array, edge_color: Array) -> dict[str, Array]:
    """Index and extinction of a metal from its colours, straight on and at the edge.

    O. Gulbrandsen, Artist Friendly Metallic Fresnel, Journal of Computer Graphics Techniques 3(4), 2014.
    """
    r = np.clip(reflectivity, 0, 0.99)
    root = np.sqrt(r)
    ior = (1 + root) / (1 - root) * (1 - edge_color) + (1 - r) / (1 + r) * edge_color
    k2 = ((ior + 1) ** 2 * r - (ior - 1) ** 2) / (1 - r)
    return {"ior": ior, "extinction": np.sqrt(np.maximum(k2, 0))}
