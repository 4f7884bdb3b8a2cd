"""The channels of the surface: one row for each input of OpenPBR 1.1 that pictures use.

Group and help come from the standard's definition; what it does not say stands here.
"""

from __future__ import annotations

from dataclasses import dataclass

from collage.core.kernels import packed as k

Values = tuple[float, ...]
Range = tuple[float | None, float | None]


@dataclass(frozen=True)
class Channel:
    """An input of the surface.

    default : the standard's (OpenPBR 1.1); empty for directions, whose default is the surface's own. label : a plain
    one, where the standard's name makes none. row : of the packed surface, where it is taken over as it is, and
    `limits` what it is held to there. approximation : how the draft picture shows it, if not exactly.
    """

    name: str
    default: Values = ()
    label: str = ""
    row: int | None = None
    limits: Range | None = None
    approximation: str = ""


CHANNELS = (
    Channel("base_weight", (1.0,)),
    Channel("base_color", (0.8, 0.8, 0.8), label="Base colour"),
    Channel("base_diffuse_roughness", (0.0,), label="Diffuse roughness", row=k.DIFFUSE_ROUGHNESS, limits=(0, 1)),
    Channel("base_metalness", (0.0,), label="Metalness", row=k.METAL, limits=(0, 1)),
    Channel("specular_weight", (1.0,), row=k.SPECULAR_WEIGHT, limits=(0, None)),
    Channel("specular_color", (1.0, 1.0, 1.0), row=k.SPECULAR),
    Channel("specular_roughness", (0.3,), label="Roughness", row=k.ROUGHNESS),
    Channel("specular_ior", (1.5,), label="IOR", row=k.IOR),
    Channel(
        "specular_roughness_anisotropy",
        (0.0,),
        approximation="The preview mirrors the surroundings thirteen times along the brushing.",
    ),
    Channel(
        "transmission_weight",
        (0.0,),
        row=k.TRANSMISSION,
        approximation="The preview shows the surroundings through it, bent once; not other objects.",
    ),
    Channel("transmission_color", (1.0, 1.0, 1.0), row=k.TRANSMISSION_COLOUR),
    Channel(
        "transmission_depth",
        (0.0,),
        approximation="The preview approximates it by the straight path through the object.",
    ),
    Channel(
        "transmission_scatter",
        (0.0, 0.0, 0.0),
        approximation="The draft shows what a deep medium sends back; traced pictures scatter light inside.",
    ),
    Channel("transmission_scatter_anisotropy", (0.0,)),
    Channel("transmission_dispersion_scale", (0.0,), approximation="The preview bends red, green and blue apart."),
    Channel("transmission_dispersion_abbe_number", (20.0,)),
    Channel(
        "subsurface_weight",
        (0.0,),
        approximation="The draft shows soft diffuse light of its own colour; traced pictures scatter light inside.",
    ),
    Channel("subsurface_color", (0.8, 0.8, 0.8)),
    Channel(
        "subsurface_radius",
        (1.0,),
        approximation="The draft softens shadow edges as on a rounding of five centimetres.",
    ),
    Channel("subsurface_radius_scale", (1.0, 0.5, 0.25)),
    Channel("subsurface_scatter_anisotropy", (0.0,)),
    Channel("thin_film_weight", (0.0,), approximation="The preview approximates its colour at three wavelengths."),
    Channel("thin_film_thickness", (0.5,)),
    Channel("thin_film_ior", (1.4,)),
    Channel("fuzz_weight", (0.0,), row=k.FUZZ, approximation="The preview brightens the surface where it turns away."),
    Channel("fuzz_color", (1.0, 1.0, 1.0), row=k.FUZZ_COLOUR),
    Channel("fuzz_roughness", (0.5,), row=k.FUZZ_ROUGHNESS, limits=(0, 1)),
    Channel("coat_weight", (0.0,), row=k.COAT),
    Channel("coat_color", (1.0, 1.0, 1.0), row=k.COAT_COLOUR),
    Channel("coat_roughness", (0.0,), row=k.COAT_ROUGHNESS),
    Channel(
        "coat_roughness_anisotropy",
        (0.0,),
        approximation="The preview mirrors the surroundings thirteen times along the brushing.",
    ),
    Channel("coat_ior", (1.6,), label="Coat IOR", row=k.COAT_IOR),
    Channel(
        "coat_darkening",
        (1.0,),
        row=k.COAT_DARKENING,
        limits=(0, 1),
        approximation="The preview approximates it for light spread evenly under the coat.",
    ),
    Channel("emission_luminance", (0.0,), label="Emission"),
    Channel("emission_color", (1.0, 1.0, 1.0), label="Emission colour"),
    Channel("geometry_opacity", (1.0,), label="Opacity"),
    Channel(
        "geometry_thin_walled",
        (0.0,),
        approximation="The preview bends nothing, and lets half of the scattered light out on the other side.",
    ),
    Channel("geometry_normal", label="Normal"),
    Channel("geometry_coat_normal", label="Coat normal"),
)

BY_NAME = {channel.name: channel for channel in CHANNELS}
SHOWN = tuple(BY_NAME)
"""The inputs that can be looked at alone."""

DEFAULTS = {channel.name: channel.default for channel in CHANNELS if channel.default}
"""The standard's defaults; a test holds them to the library."""

OTHER_LABELS = {"geometry_tangent": "Tangent", "geometry_coat_tangent": "Coat tangent"}
