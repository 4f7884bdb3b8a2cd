"""The sample for the Place place: a potting bench with its things, each laid out in another way."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from collage.core.base.progress import Progress, Steps
from collage.core.document.making import Given, between, card
from collage.core.document.model import Card, Network, Wire
from collage.core.geometry.glb_write import write_glb
from collage.core.images.files import write_image
from collage.core.project.folder import MESHES, save_project
from collage.core.project.state import Project
from collage.core.project.uv_files import write_uv
from collage.core.scene.bench import AreaLight, Bench, BenchObject, Camera, Environment, stock
from collage.core.scene.geometry import MeshFile, MeshReading, UvSet
from collage.demo.library import canvas, copper, wall_tiles
from collage.demo.maps import bench_wood, celadon, encoded, studio, terracotta
from collage.demo.objects import hose, label_uv, watering_can
from collage.demo.sets import celadon_glaze, lime_bloomed_clay, material, write_set

TOP = 0.60  # metres above the ground, the bench's
GLAZES = ((0.20, 0.36, 0.33), (0.56, 0.53, 0.44), (0.14, 0.24, 0.36))
"""Of the three panels of the splashback."""


# ---- maps ---------------------------------------------------------------------------------------


def seed_label(size: tuple[int, int] = (512, 356)) -> np.ndarray:
    """(h, w, 4) float, 0 to 1 as stored: a printed card with cut corners, a leaf, and lines of print; clear around."""
    width, height = size
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, 1 - (np.arange(height) + 0.5) / height)
    inset = 0.03
    corner = np.abs(x - 0.5) * width + np.abs(y - 0.5) * height < (width + height) / 2 * (1 - 2 * inset) - 28
    paper = (np.abs(x - 0.5) < 0.5 - inset) & (np.abs(y - 0.5) < 0.5 - inset) & corner
    frame = (
        paper
        & ~((np.abs(x - 0.5) < 0.43) & (np.abs(y - 0.5) < 0.42))
        & (np.abs(x - 0.5) < 0.445)
        & (np.abs(y - 0.5) < 0.44)
    )
    across, along = (x - 0.24) / 0.10, (y - 0.52) / 0.30
    leaf = across**2 + along**2 < np.clip(1 - 0.55 * along, 0.2, 1.4) - 0.35 * along**2 - 0.12
    vein = leaf & ((np.abs(across) < 0.035) | (np.abs((along + np.abs(across) * 0.8) * 3 % 1 - 0.5) < 0.06))
    stem = (np.abs(across + 0.1 * along) < 0.045) & (along < -0.6) & (along > -1.25)
    rng = np.random.default_rng(7)
    print_ = np.zeros_like(x, bool)
    for row, (top, thick, reach) in enumerate(((0.80, 0.060, 0.40), (0.66, 0.026, 0.33), (0.58, 0.026, 0.36),
                                               (0.50, 0.026, 0.29), (0.36, 0.018, 0.38), (0.31, 0.018, 0.35),
                                               (0.26, 0.018, 0.37))):  # fmt: skip
        letters = rng.random(64) > (0.16 if row else 0.08)
        gap = letters[np.clip(((x - 0.42) * (42 if row else 22)).astype(int), 0, 63)]
        print_ |= (
            (np.abs(y - top) < thick)
            & (x > 0.42)
            & (x < 0.42 + reach)
            & gap
            & (((x - 0.42) * (42 if row else 22)) % 1 > 0.14)
        )
    colour = np.empty((height, width, 3))
    colour[:] = (0.93, 0.89, 0.78)
    colour[leaf | stem] = (0.30, 0.44, 0.22)
    colour[vein] = (0.62, 0.70, 0.46)
    colour[frame] = (0.30, 0.44, 0.22)
    colour[print_ & paper] = (0.20, 0.17, 0.15)
    return np.concatenate([colour, paper[..., None].astype(float)], axis=2)


def write_shared_sets(folder: Path) -> Steps[None]:
    """The map sets of clay, glaze, wood and copper, which the yard has too."""
    for done, (name, make) in enumerate((("terracotta", terracotta), ("celadon", celadon), ("bench_wood", bench_wood))):
        yield Progress(f"Making the map set {name.replace('_', ' ')}", done / 8)
        write_set(folder, name, make())
    yield Progress("Making the map set copper", 0.4)
    found, metal = copper(512)
    write_set(folder, "copper", found)
    write_image(folder / "maps" / "copper" / "copper_metalness.png", encoded(metal, colour=False, bits=8))


def _write_maps(folder: Path) -> Steps[None]:
    yield from write_shared_sets(folder)
    yield Progress("Making the map set canvas", 0.5)
    write_set(folder, "canvas", canvas())
    yield Progress("Making the splashback", 0.6)
    for number, glaze in enumerate(GLAZES):
        panel = wall_tiles(512, 121 + number, glaze)
        for role, colour in (("base_color", True), ("roughness", False), ("normal", False)):
            file = folder / "maps" / "splashback" / f"splashback_{role}.{1001 + number}.png"
            write_image(file, encoded(getattr(panel, role), colour=colour, bits=8))
    write_image(folder / "maps" / "seed_label.png", (seed_label() * 255 + 0.5).astype(np.uint8))
    yield Progress("Making the studio", 0.8)
    write_image(folder / "environments" / "studio.exr", studio(), bits=16)


# ---- materials ----------------------------------------------------------------------------------


def _image(name: str, kind: str, place: tuple[float, float], title: str, file: str, **more: Given) -> Card:
    made = card(name, "image", kind, place, title, file=("filename", f"../maps/{file}"), **more)
    if kind.startswith("color"):
        one = made.inputs["file"]
        made = made.with_input(replace(one, attributes={"colorspace": "srgb_texture"}))
    return made


def _set(name: str, at: Wire, place: tuple[float, float], prefix: str = "", tile: str = "") -> list[Card]:
    """Base colour, roughness and normal map of a set, and the occlusion where there is one."""
    roles = (("base_color", "color3", "Base colour"), ("roughness", "float", "Roughness"),
             ("normal", "vector3", "Normal"), ("occlusion", "float", "Occlusion"))  # fmt: skip
    x, y = place
    return [
        _image(
            f"{prefix}{role}", kind, (x, y + row), title, f"{name}/{name}_{role}{tile}.png", texcoord=("vector2", at)
        )
        for row, (role, kind, title) in enumerate(roles)
        if not (tile and role == "occlusion")
    ]


def labelled_clay() -> Network:
    """The clay of the potting shed with a printed label over it: once, on a UV set of its own."""
    network = lime_bloomed_clay()
    here = ("vector2", Wire("label_uv"))
    once: dict[str, Given] = {"uaddressmode": ("string", "constant"), "vaddressmode": ("string", "constant")}
    cards = [
        card("label_uv", "geompropvalue", "vector2", (2.85, 4.0), "UV set “label”", geomprop=("string", "label")),
        _image("label", "color4", (3.8, 4.0), "Seed label", "seed_label.png", texcoord=here, **once),
        between("convert", "label_colour", (4.4, 3.9), Wire("label"), "color4", "color3"),
        between("extract", "label_shape", (4.4, 4.3), Wire("label"), "color4", "float", index=("integer", 3)),
        card("labelled", "mix", "color3", (5.7, 0.1), "Label over clay", fg=("color3", Wire("label_colour")),
             bg=("color3", Wire("bloom")), mix=("float", Wire("label_shape"))),
        card("paper", "mix", "float", (5.7, 1.25), "Paper over clay", fg=("float", 0.62), bg=("float", Wire("dry")),
             mix=("float", Wire("label_shape"))),
    ]  # fmt: skip
    for one in cards:
        network = network.with_card(one)
    surface = network.cards["surface"]
    for channel, kind, source in (("base_color", "color3", "labelled"), ("specular_roughness", "float", "paper")):
        surface = surface.with_input(replace(surface.inputs[channel], type=kind, wire=Wire(source)))
    return network.with_card(surface)


STRIPS = (0.02, 0.27, 0.52, 0.77)  # where the strips of the picture begin that planks show


def varied_planks() -> Network:
    """One picture of wood: every plank has one of four crops of it, shifted along, and another tint."""
    cards = [
        card("uv", "texcoord", "vector2", (-1.9, 0.2), "UV"),
        card("plank", "clg_part_random", "multioutput", (-1.9, 1.4), "Part random", by=("integer", 1)),
        card("board", "place2d", "vector2", (-0.95, 0.2), "Placement", texcoord=("vector2", Wire("uv")),
             scale=("vector2", (0.5, 0.12))),
        card("crop", "clg_vary_uv", "vector2", (0.0, 0.2), "Vary placement", texcoord=("vector2", Wire("board")),
             random=("color3", Wire("plank", "colour")), shift=("vector2", (1.0, 0.0)), mirror=("float", 0.5)),
        card("strip", "clg_crops", "vector2", (0.0, 1.5), "Crops", texcoord=("vector2", Wire("crop")),
             random=("float", Wire("plank", "random")),
             **{f"crop{number + 1}": ("vector4", (0.0, low, 1.0, 0.22)) for number, low in enumerate(STRIPS)}),
        *_set("bench_wood", Wire("strip"), (1.0, 0.0), "wood_"),
        card("tint", "clg_vary_colour", "color3", (2.0, 0.0), "Vary colour",
             random=("color3", Wire("plank", "colour")), hue=("float", 0.015), saturation=("float", 0.35),
             value=("float", 0.42), **{"in": ("color3", Wire("wood_base_color"))}),
        card("shade", "multiply", "color3", (3.0, 0.2), "Shaded wood", in1=("color3", Wire("tint")),
             in2=("float", Wire("wood_occlusion"))),
        card("grain", "normalmap", "vector3", (2.0, 2.0), "Normal map", scale=("float", 0.8),
             **{"in": ("vector3", Wire("wood_normal"))}),
    ]  # fmt: skip
    return material(cards, {
        "base_color": ("color3", Wire("shade")), "specular_roughness": ("float", Wire("wood_roughness")),
        "base_diffuse_roughness": ("float", 0.4), "specular_weight": ("float", 0.7),
        "geometry_normal": ("vector3", Wire("grain")),
    })  # fmt: skip


def hammered_copper() -> Network:
    """Copper laid on from six sides, so that the can needs no UVs."""

    def boxed(name: str, kind: str, row: float, title: str, role: str) -> Card:
        files: dict[str, Given] = {f"file{axis}": ("filename", f"../maps/copper/copper_{role}.png") for axis in "xyz"}
        made = card(name, "clg_box_projector", kind, (0.0, row), title, **files, size=("vector3", (0.16, 0.16, 0.16)),
                    blend=("float", 0.35))  # fmt: skip
        made = made.with_attribute("nodedef", f"ND_clg_box_projector_{kind}")
        if kind == "color3":
            for axis in "xyz":
                one = made.inputs[f"file{axis}"]
                made = made.with_input(replace(one, attributes={"colorspace": "srgb_texture"}))
        return made

    cards = [
        boxed("colour", "color3", 0.0, "Copper", "base_color"),
        boxed("rough", "float", 1.1, "Roughness", "roughness"),
        boxed("metal", "float", 2.2, "Metalness", "metalness"),
        boxed("dents", "float", 3.3, "Height", "height"),
        card("hammered", "bump", "vector3", (1.6, 3.3), "Bump", height=("float", Wire("dents")), scale=("float", 0.06)),
    ]
    return material(cards, {
        "base_color": ("color3", Wire("colour")), "specular_roughness": ("float", Wire("rough")),
        "base_metalness": ("float", Wire("metal")), "geometry_normal": ("vector3", Wire("hammered")),
    })  # fmt: skip


def undyed_canvas() -> Network:
    """Weave at its real size, with a little fuzz."""
    cards = [
        card("uv", "texcoord", "vector2", (-1.9, 0.2), "UV"),
        card("weave", "place2d", "vector2", (-0.95, 0.2), "Placement", texcoord=("vector2", Wire("uv")),
             scale=("vector2", (0.16, 0.16))),
        *_set("canvas", Wire("weave"), (0.2, 0.0)),
        card("threads", "normalmap", "vector3", (1.4, 2.0), "Normal map", scale=("float", 0.7),
             **{"in": ("vector3", Wire("normal"))}),
    ]  # fmt: skip
    return material(cards, {
        "base_color": ("color3", Wire("base_color")), "specular_roughness": ("float", Wire("roughness")),
        "specular_weight": ("float", 0.3), "base_diffuse_roughness": ("float", 0.6), "fuzz_weight": ("float", 0.35),
        "fuzz_color": ("color3", (0.82, 0.76, 0.64)), "geometry_normal": ("vector3", Wire("threads")),
    })  # fmt: skip


def rubber_hose() -> Network:
    """Green rubber with a fine bump in space, since a hose has no UVs."""
    cards = [
        card("place", "position", "vector3", (-1.9, 1.2), "Position"),
        card("finer", "multiply", "vector3", (-0.95, 1.2), "Finer", in1=("vector3", Wire("place")),
             in2=("float", 420.0)),
        card("grain", "fractal3d", "float", (0.0, 1.2), "Fractal", octaves=("integer", 3),
             position=("vector3", Wire("finer"))),
        card("skin", "bump", "vector3", (1.2, 1.2), "Bump", height=("float", Wire("grain")), scale=("float", 0.006)),
    ]  # fmt: skip
    return material(cards, {
        "base_color": ("color3", (0.030, 0.085, 0.050)), "specular_roughness": ("float", 0.42),
        "geometry_normal": ("vector3", Wire("skin")),
    })  # fmt: skip


def tiled_splashback() -> Network:
    """Three panels of glazed tiles in three numbered tiles of one map."""
    cards = [
        card("uv", "texcoord", "vector2", (-1.9, 0.2), "UV"),
        card("panels", "multiply", "vector2", (-0.95, 0.2), "Three panels", in1=("vector2", Wire("uv")),
             in2=("float", 3.0)),
        *_set("splashback", Wire("panels"), (0.2, 0.0), tile=".<UDIM>"),
        card("relief", "normalmap", "vector3", (1.4, 2.0), "Normal map", scale=("float", 0.6),
             **{"in": ("vector3", Wire("normal"))}),
    ]  # fmt: skip
    return material(cards, {
        "base_color": ("color3", Wire("base_color")), "specular_roughness": ("float", Wire("roughness")),
        "coat_weight": ("float", 0.5), "coat_roughness": ("float", 0.1), "geometry_normal": ("vector3", Wire("relief")),
    })  # fmt: skip


def glazed_slab() -> Network:
    """Tiles of 5 by 5 cm on a slab of 30 cm, each in a tone of its own."""
    cards = [
        card("tiles", "clg_courses", "multioutput", (0.0, 0.6), "Courses", repeats=("vector2", (6.0, 6.0)),
             shift=("float", 0.0), joint=("float", 0.07), bevel=("float", 0.10), uneven=("float", 0.1)),
        card("each", "clg_part_random", "multioutput", (1.2, 1.8), "Part random", by=("integer", 3),
             id=("float", Wire("tiles", "id"))),
        card("glaze", "clg_vary_colour", "color3", (2.4, 0.2), "Vary colour", random=("color3", Wire("each", "colour")),
             hue=("float", 0.03), saturation=("float", 0.25), value=("float", 0.35),
             **{"in": ("color3", (0.36, 0.15, 0.055))}),
        card("joints", "mix", "color3", (3.6, 0.2), "Joints", fg=("color3", Wire("glaze")),
             bg=("color3", (0.34, 0.32, 0.29)), mix=("float", Wire("tiles", "mask"))),
        card("rough", "remap", "float", (3.6, 1.4), "Roughness", outlow=("float", 0.8), outhigh=("float", 0.12),
             **{"in": ("float", Wire("tiles", "mask"))}),
        card("relief", "bump", "vector3", (3.6, 2.6), "Bump", height=("float", Wire("tiles", "height")),
             scale=("float", 0.12)),
    ]  # fmt: skip
    return material(cards, {
        "base_color": ("color3", Wire("joints")), "specular_roughness": ("float", Wire("rough")),
        "coat_weight": ("float", Wire("tiles", "mask")), "coat_roughness": ("float", 0.06),
        "geometry_normal": ("vector3", Wire("relief")),
    })  # fmt: skip


# ---- the bench ----------------------------------------------------------------------------------


def potting_bench(label: str) -> Bench:
    """All that stands on it. label : the file of the label's UVs."""
    sets = (UvSet(name="UVMap", of="UVMap"), UvSet(name="label", file=label))
    top = TOP + 0.025
    return Bench(
        objects=(
            stock("Bench top", "planks", sizes={"length": 1.3, "count": 4, "width": 0.14, "gap": 0.007},
                  place=(0, TOP, 0), material="Bench planks"),
            stock("Splashback", "wall", sizes={"width": 1.3, "height": 0.433, "thickness": 0.02, "divisions": 8},
                  place=(0, TOP + 0.01, -0.302), material="Splashback"),
            stock("Pot", "pot", place=(-0.16, top + 0.007, 0.05), turn=-8, uv_sets=sets, material="Labelled clay"),
            stock("Saucer", "saucer", place=(-0.16, top, 0.05), material="Celadon glaze"),
            placed("Watering can", "watering-can", (0.20, top, -0.08), 208, "Hammered copper"),
            placed("Hose", "hose", (0.30, top, 0.115), 20, "Rubber"),
            stock("Apron", "cloth", sizes={"width": 0.30, "length": 0.62}, place=(-0.44, TOP - 0.293, 0.234), turn=-4,
                  material="Canvas"),
            stock("Slab", "wall", sizes={"width": 0.30, "height": 0.30, "thickness": 0.012, "divisions": 4},
                  place=(-0.43, top, -0.205), tilt=-12, turn=5, material="Glazed slab"),
        ),
        lights=(AreaLight(name="Window", colour=(1.0, 0.94, 0.86), strength=9.0, height=44, turn=-52, distance=1.9,
                          width=1.0, length=1.2),),
        environment=Environment(file="environments/studio.exr", strength=0.8),
        camera=Camera(turn=9, height=21, distance=2.1, target=(-0.02, TOP + 0.05, 0.0), field=28),
        ground=False,
    )  # fmt: skip


def placed(name: str, file: str, place: tuple[float, float, float], turn: float, of: str) -> BenchObject:
    """An object of a sample's own mesh. of : its material."""
    geometry = MeshFile(reading=MeshReading(file=f"{MESHES}/{file}.glb"))
    return BenchObject(name=name, geometry=geometry, place=place, turn=turn, material=of)


def potting_bench_steps(folder: Path) -> Steps[None]:
    """Writes the sample into a folder."""
    yield from _write_maps(folder)
    yield Progress("Making the objects", 0.9)
    write_glb(watering_can(), folder / MESHES / "watering-can.glb")
    write_glb(hose(), folder / MESHES / "hose.glb")
    label = write_uv(label_uv(), folder, "Pot", "label")
    yield Progress("Writing the project", 0.95)
    materials = {
        "Bench planks": varied_planks(), "Labelled clay": labelled_clay(), "Celadon glaze": celadon_glaze(),
        "Hammered copper": hammered_copper(), "Canvas": undyed_canvas(), "Rubber": rubber_hose(),
        "Splashback": tiled_splashback(), "Glazed slab": glazed_slab(),
    }  # fmt: skip
    save_project(Project("Larkmere potting bench", materials, potting_bench(label)), folder)
