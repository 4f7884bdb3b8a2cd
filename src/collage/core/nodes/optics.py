"""Numbers that surface models are made from: roughness along two ways, glowing heat, refraction of metals."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.arithmetic import held
from collage.core.nodes.behaviour import Array, Context, behaviour

_TINY = 1e-8
_XYZ_TO_709 = ((3.2406, -1.5372, -0.4986), (-0.9689, 1.8758, 0.0415), (0.0557, -0.2040, 1.0570))


@behaviour("roughness_anisotropy")
def roughness_anisotropy(ctx: Context, roughness: Array, anisotropy: Array) -> Array:
    """Microfacet slopes along and across; at anisotropy 1 the surface is brushed along."""
    square = held(roughness * roughness, _TINY, 1)
    aspect = np.sqrt(1 - held(anisotropy, 0, 0.98))
    stretched = np.concatenate([np.fmin(square / aspect, 1), square * aspect])
    return np.where(anisotropy > 0, stretched, np.concatenate([square, square]))


@behaviour("roughness_dual")
def roughness_dual(ctx: Context, roughness: Array) -> Array:
    """Microfacet slopes of two roughnesses; a second one below 0 takes the first."""
    x, y = roughness[:1], roughness[1:2]
    y = np.where(y < 0, x, y)
    return np.concatenate([held(x * x, _TINY, 1), held(y * y, _TINY, 1)])


@behaviour("blackbody")
def blackbody(ctx: Context, temperature: Array) -> Array:
    """The colour of a glowing body, linear Rec. 709, luminance 1.

    B. Kang et al., Design of Advanced Color Temperature Control System for HDTV Applications, 2002, held to
    800..25000 kelvin as in the MaterialX reference.
    """
    kelvin = held(temperature, 800, 25000)
    t = 1000 / kelvin
    cool = ((-0.2661239 * t - 0.2343580) * t + 0.8776956) * t + 0.179910
    hot = ((-3.0258469 * t + 2.1070379) * t + 0.2226347) * t + 0.240390
    x = np.where(kelvin < 4000, cool, hot)
    red = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    amber = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    white = ((3.0817580 * x - 5.87338670) * x + 3.75112997) * x - 0.37001483
    y = np.where(kelvin < 2222, red, np.where(kelvin < 4000, amber, white))
    there: tuple[Array | float, ...] = (x / y, 1.0, (1 - x - y) / y)
    colour = [sum(part * one for part, one in zip(row, there, strict=True)) for row in _XYZ_TO_709]
    return np.where(y <= 0, 1.0, np.fmax(np.concatenate(colour), 0))


@behaviour("artistic_ior")
def artistic_ior(ctx: Context, reflectivity: Array, edge_color: Array) -> dict[str, Array]:
    """Index and extinction of a metal from its colours, straight on and at the edge.

    O. Gulbrandsen, Artist Friendly Metallic Fresnel, Journal of Computer Graphics Techniques 3(4), 2014.
    """
    r = held(reflectivity, 0, 0.99)
    root = np.sqrt(r)
    most, least = (1 + root) / (1 - root), (1 - r) / (1 + r)
    ior = most + (least - most) * edge_color
    k2 = ((ior + 1) ** 2 * r - (ior - 1) ** 2) / (1 - r)
    return {"ior": ior, "extinction": np.sqrt(np.fmax(k2, 0))}


@behaviour("deon_hair_absorption_from_melanin")
def deon_hair_absorption_from_melanin(
    ctx: Context,
    melanin_concentration: Array,
    melanin_redness: Array,
    eumelanin_color: Array,
    pheomelanin_color: Array,
) -> Array:
    """What a fibre of hair swallows for its two pigments.

    E. d'Eon et al., An Energy-Conserving Hair Reflectance Model, Computer Graphics Forum 30(4), 2011.
    """
    melanin = -np.log(np.fmax(1 - melanin_concentration, 1e-4))
    dark, red = melanin * (1 - melanin_redness), melanin * melanin_redness
    return np.fmax(-dark * np.log(eumelanin_color) - red * np.log(pheomelanin_color), 0)


@behaviour("chiang_hair_absorption_from_color")
def chiang_hair_absorption_from_color(ctx: Context, color: Array, azimuthal_roughness: Array) -> Array:
    """What a fibre swallows so that much hair has a colour.

    M. J.-Y. Chiang et al., A Practical and Controllable Hair and Fur Model for Production Path Tracing, Computer
    Graphics Forum 35(2), 2016.
    """
    b = azimuthal_roughness
    fit = ((((0.245 * b + 5.574) * b - 10.73) * b + 2.532) * b - 0.215) * b + 5.969
    return (np.log(held(color, 0.001, 1)) / fit) ** 2


@behaviour("chiang_hair_roughness")
def chiang_hair_roughness(
    ctx: Context, longitudinal: Array, azimuthal: Array, scale_TT: Array, scale_TRT: Array
) -> dict[str, Array]:
    """Variance along and width across of the light that hair throws back, lets through, and throws back inside.

    M. J.-Y. Chiang et al., 2016, as above.
    """
    along, across = held(longitudinal, 0.001, 1), held(azimuthal, 0.001, 1)
    variance = (0.726 * along + 0.812 * along**2 + 3.7 * along**20) ** 2
    width = 0.265 * across + 1.194 * across**2 + 5.372 * across**22

    def both(scale: Array | float) -> Array:
        return np.concatenate(np.broadcast_arrays(variance * np.square(scale), width))

    return {"roughness_R": both(1.0), "roughness_TT": both(scale_TT), "roughness_TRT": both(scale_TRT)}
