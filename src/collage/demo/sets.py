"""Map sets and materials that several samples have."""

from __future__ import annotations

from pathlib import Path

from collage.core.document.making import Given, between, card, given
from collage.core.document.materials import new_material
from collage.core.document.model import Card, Network, Wire
from collage.core.gather import build
from collage.core.gather.sets import group
from collage.core.images.files import write_image
from collage.demo.maps import MapSet, encoded

_ROLES = (("base_color", True), ("roughness", False), ("normal", False), ("height", False), ("occlusion", False))
"""The maps of a set, and whether they are colours."""


# ---- the maps on disk ---------------------------------------------------------------------------


def write_set(folder: Path, name: str, maps: MapSet) -> None:
    """Writes the maps of a set into a project's folder."""
    for role, colour in _ROLES:
        bits = 16 if role == "height" else 8
        pixels = encoded(getattr(maps, role), colour=colour, bits=bits)
        write_image(folder / "maps" / name / f"{name}_{role}.png", pixels)


# ---- networks -----------------------------------------------------------------------------------


def map_set(name: str, title: str, place: tuple[float, float], repeats: float) -> Card:
    """The card of a map set that `write_set` wrote."""
    found = group([f"{name}/{name}_{role}.png" for role, _ in _ROLES]).sets[0]
    return build.map_set(
        found,
        name,
        place,
        stored=lambda file: f"../maps/{file}",
        options=build.BuildOptions(repeats=repeats),
        title=title,
    )


def material(cards: list[Card], channels: dict[str, Given]) -> Network:
    """A material of cards, wired to channels of its surface."""
    network = new_material()
    surface = network.cards["surface"]
    for name, what in channels.items():
        surface = surface.with_input(given(name, *what))
    for one in cards:
        network = network.with_card(one)
    return network.with_card(surface)


def lime_bloomed_clay() -> Network:
    """Terracotta whose lower part and rim carry pale lime, broken up by noise."""
    cards = [
        map_set("terracotta", "Terracotta", (1.9, -0.1), 2.0),
        card("clay", "multiply", "color3", (3.8, -0.1), "Shaded clay",
             in1=("color3", Wire("terracotta", "base_color")), in2=("float", Wire("terracotta", "occlusion"))),
        card("place", "position", "vector3", (0.0, 2.2), "Place"),
        card("finer", "multiply", "vector3", (0.95, 2.75), "Finer",
             in1=("vector3", Wire("place")), in2=("float", 26.0)),
        card("clouds", "fractal3d", "float", (1.9, 2.75), "Fractal",
             octaves=("integer", 6), diminish=("float", 0.56), position=("vector3", Wire("finer"))),
        between("extract", "upright", (0.6, 2.0), Wire("place"), "vector3", "float", index=("integer", 1)),
        card("rising", "remap", "float", (0.95, 1.65), "Height mask", inlow=("float", 0.0), inhigh=("float", 0.15),
             outlow=("float", -0.60), outhigh=("float", 0.18), **{"in": ("float", Wire("upright"))}),
        card("edge", "smoothstep", "float", (2.85, 2.2), "Bloom edge", low=("float", Wire("rising")),
             high=("float", 1.0), **{"in": ("float", Wire("clouds"))}),
        between("convert", "across", (3.4, 2.4), Wire("edge"), "float", "vector2"),
        card("lime", "ramplr", "color3", (3.8, 2.2), "Ramp",
             valuel=("color3", (0.47, 0.30, 0.21)), valuer=("color3", (0.70, 0.65, 0.57)),
             texcoord=("vector2", Wire("across"))),
        card("bloom", "mix", "color3", (4.75, 0.1), "Bloom",
             fg=("color3", Wire("lime")), bg=("color3", Wire("clay")), mix=("float", Wire("edge"))),
        card("dry", "mix", "float", (4.75, 1.25), "Dryness",
             fg=("float", 0.93), bg=("float", Wire("terracotta", "roughness")), mix=("float", Wire("edge"))),
        card("relief", "normalmap", "vector3", (3.8, 1.05), "Normal map",
             scale=("float", 0.85), **{"in": ("vector3", Wire("terracotta", "normal"))}),
        card("crust", "bump", "vector3", (4.75, 2.4), "Bump", height=("float", Wire("edge")), scale=("float", 0.05),
             normal=("vector3", Wire("relief"))),
    ]  # fmt: skip
    return material(
        cards,
        {
            "base_color": ("color3", Wire("bloom")),
            "specular_roughness": ("float", Wire("dry")),
            "base_diffuse_roughness": ("float", 0.5),
            "specular_weight": ("float", 0.55),
            "geometry_normal": ("vector3", Wire("crust")),
        },
    )


def celadon_glaze() -> Network:
    """Crackled celadon under a clear coat, darker where the glaze pools."""
    cards = [
        map_set("celadon", "Celadon", (0, 0), 1.5),
        card("place", "position", "vector3", (-0.2, 2.2), "Place"),
        card("upright", "extract", "float", (0.9, 2.2), "Height",
             index=("integer", 1), **{"in": ("vector3", Wire("place"))}),
        card("pool", "remap", "float", (2.0, 2.2), "Pooled glaze", inlow=("float", 0.007), inhigh=("float", 0.022),
             outlow=("float", 0.6), outhigh=("float", 1.0), **{"in": ("float", Wire("upright"))}),
        card("kept", "clamp", "float", (3.0, 2.2), "Kept in range",
             low=("float", 0.6), **{"in": ("float", Wire("pool"))}),
        card("tone", "multiply", "color3", (3.0, 0.4), "Deeper in the hollow",
             in1=("color3", Wire("celadon", "base_color")), in2=("float", Wire("kept"))),
        card("crackle", "normalmap", "vector3", (3.0, 1.3), "Normal map",
             scale=("float", 0.7), **{"in": ("vector3", Wire("celadon", "normal"))}),
    ]  # fmt: skip
    return material(
        cards,
        {
            "base_color": ("color3", Wire("tone")),
            "specular_roughness": ("float", Wire("celadon", "roughness")),
            "coat_weight": ("float", 0.9),
            "coat_roughness": ("float", 0.07),
            "coat_color": ("color3", (0.96, 0.985, 0.96)),
            "coat_darkening": ("float", 0.25),
            "geometry_normal": ("vector3", Wire("crackle")),
        },
    )


def weathered_bench() -> Network:
    """Old softwood, a little grey."""
    cards = [
        map_set("bench_wood", "Bench wood", (0, 0), 1.0),
        card("shade", "multiply", "color3", (1.8, 0.2), "Shaded wood",
             in1=("color3", Wire("bench_wood", "base_color")), in2=("float", Wire("bench_wood", "occlusion"))),
        card("grain", "normalmap", "vector3", (1.8, 1.4), "Normal map",
             scale=("float", 1.0), **{"in": ("vector3", Wire("bench_wood", "normal"))}),
    ]  # fmt: skip
    return material(
        cards,
        {
            "base_color": ("color3", Wire("shade")),
            "specular_roughness": ("float", Wire("bench_wood", "roughness")),
            "base_diffuse_roughness": ("float", 0.4),
            "specular_weight": ("float", 0.7),
            "geometry_normal": ("vector3", Wire("grain")),
        },
    )
