"""The sample for relief: a corner of the nursery's yard, with slate flags, a stone trough, boards and a copper can."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.base.progress import Progress, Steps
from collage.core.document.making import card, given
from collage.core.document.materials import material_card
from collage.core.document.model import Card, Network, Wire
from collage.core.geometry.glb_write import write_glb
from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.images.files import write_image
from collage.core.project.folder import MESHES, save_project
from collage.core.project.state import Project
from collage.core.scene.bench import AreaLight, Bench, Camera, Division, Environment, stock
from collage.demo.maps import studio
from collage.demo.objects import watering_can
from collage.demo.potting_bench import hammered_copper, placed, write_shared_sets
from collage.demo.sets import celadon_glaze, lime_bloomed_clay, material, weathered_bench


def trough(length: float = 0.46, width: float = 0.24, height: float = 0.19, wall: float = 0.036) -> Mesh:
    """A stone trough that stands on the ground: one skin, outside, over the rim and inside, of quads of 1.2 cm."""
    inner, floor = (length - 2 * wall, width - 2 * wall), 0.05
    rings = [(length, width, 0.0)] + [(length, width, height * step / 15) for step in range(1, 16)]
    rings += [(length - wall * step, width - wall * step, height) for step in (0.5, 1.0, 1.5)]
    rings += [(*inner, height - (height - floor) * step / 11) for step in range(12)]
    rings += [(inner[0] * step, max(inner[1] - inner[0] * (1 - step), 0.002), floor) for step in (0.85, 0.7, 0.6)]
    across, along = 20, 38
    count = 2 * (across + along)
    t = np.arange(count)
    x = np.interp(t, [0, along, along + across, 2 * along + across, count], [-1, 1, 1, -1, -1]) / 2
    z = np.interp(t, [0, along, along + across, 2 * along + across, count], [1, 1, -1, -1, 1]) / 2
    positions = np.concatenate([np.stack([x * a, np.full(count, y), z * b], axis=1) for a, b, y in rings])
    middle = len(positions)
    positions = np.concatenate([positions, [[0.0, floor, 0.0]]])
    row, here = np.arange(len(rings) - 1)[:, None] * count, t[None]
    a, b = (row + here).ravel(), (row + (here + 1) % count).ravel()
    quads = np.stack([a, b, b + count, a, b + count, a + count], axis=1).reshape(-1, 3)
    last = (len(rings) - 1) * count
    lid = np.stack([last + t, last + (t + 1) % count, np.full(count, middle)], axis=1)
    triangles = np.concatenate([quads, lid]).astype(np.int32)
    face = np.concatenate([np.repeat(np.arange(len(quads) // 2), 2), len(quads) // 2 + np.arange(count)])
    normals = smooth_normals(positions.astype(np.float32), triangles, 50.0)
    return Mesh(positions.astype(np.float32), triangles, normals, {}, face=face.astype(np.int32))


# ---- materials ----------------------------------------------------------------------------------


def _in_space(finer: float) -> list[Card]:
    """The position, and made finer for patterns."""
    return [
        card("place", "position", "vector3", (0.0, 3.0), "Place"),
        card("finer", "multiply", "vector3", (0.95, 3.0), "Finer",
             in1=("vector3", Wire("place")), in2=("float", finer)),
    ]  # fmt: skip


def _displaced(network: Network, metres: str, place: tuple[float, float]) -> Network:
    """A material that is moved by the metres that a card puts out. place : of the Displacement card."""
    moved = card("moved", "displacement", "displacementshader", place, "Displacement",
                 displacement=("float", Wire(metres)), scale=("float", 1.0))  # fmt: skip
    whole = material_card(network)
    assert whole is not None
    shader = given("displacementshader", "displacementshader", Wire("moved"))
    return network.with_card(moved).with_card(whole.with_input(shader))


def slate_floor() -> Network:
    """Flags of slate that cleave in thin steps, each a little higher or lower, on ground that has settled."""
    cards = [
        *_in_space(9.0),
        card("flags", "clg_courses", "multioutput", (1.9, 0.6), "Flags", repeats=("vector2", (4.0, 5.0)),
             shift=("float", 0.4), joint=("float", 0.036), bevel=("float", 0.022), uneven=("float", 0.0)),
        card("cleft", "fractal3d", "float", (1.9, 3.0), "Cleft", octaves=("integer", 5), diminish=("float", 0.5),
             position=("vector3", Wire("finer"))),
        card("steps", "smoothstep", "float", (2.85, 3.0), "Thin steps", low=("float", 0.0), high=("float", 0.14),
             **{"in": ("float", Wire("cleft"))}),
        card("grain", "multiply", "float", (2.85, 3.9), "Grain", in1=("float", Wire("cleft")), in2=("float", 0.22)),
        card("layers", "mix", "float", (3.8, 3.0), "Layers", fg=("float", 0.82), bg=("float", 0.7),
             mix=("float", Wire("steps"))),
        card("level", "multiply", "float", (2.85, 1.2), "Level of each", in1=("float", Wire("flags", "random")),
             in2=("float", 0.2)),
        card("top", "add", "float", (4.75, 2.2), "Layers and level", in1=("float", Wire("layers")),
             in2=("float", Wire("level"))),
        card("rough_top", "add", "float", (5.7, 2.9), "With grain", in1=("float", Wire("top")),
             in2=("float", Wire("grain"))),
        card("height", "multiply", "float", (6.65, 2.2), "Height", in1=("float", Wire("rough_top")),
             in2=("float", Wire("flags", "height"))),
        card("depth", "clg_relief_depth", "float", (7.6, 2.9), "Relief depth", midpoint=("float", 0.9),
             depth=("float", 0.013), **{"in": ("float", Wire("height"))}),
        card("settled", "clg_waves", "float", (7.6, 4.2), "Broad waves", along=("vector3", (1.0, 0.0, 0.3)),
             length=("float", 0.9), height=("float", 0.003), second_along=("vector3", (0.2, 0.0, 1.0)),
             second_length=("float", 0.7), second_height=("float", 0.002)),
        card("together", "add", "float", (8.55, 3.5), "Depth and waves", in1=("float", Wire("depth")),
             in2=("float", Wire("settled"))),
        card("tone", "mix", "color3", (3.8, 0.0), "Each flag", fg=("color3", (0.115, 0.125, 0.135)),
             bg=("color3", (0.062, 0.072, 0.080)), mix=("float", Wire("flags", "random"))),
        card("rust", "smoothstep", "float", (2.85, 4.8), "Rust", low=("float", 0.2), high=("float", 0.75),
             **{"in": ("float", Wire("cleft"))}),
        card("stained", "mix", "color3", (4.75, 0.0), "Rust stains", fg=("color3", (0.118, 0.092, 0.066)),
             bg=("color3", Wire("tone")), mix=("float", Wire("rust"))),
        card("colour", "mix", "color3", (5.7, 0.0), "Joints", fg=("color3", Wire("stained")),
             bg=("color3", (0.075, 0.068, 0.052)), mix=("float", Wire("flags", "mask"))),
        card("dry", "mix", "float", (5.7, 1.0), "Roughness", fg=("float", 0.5), bg=("float", 0.95),
             mix=("float", Wire("flags", "mask"))),
    ]  # fmt: skip
    return _displaced(material(cards, {
        "base_color": ("color3", Wire("colour")), "specular_roughness": ("float", Wire("dry")),
        "specular_weight": ("float", 0.8), "base_diffuse_roughness": ("float", 0.3),
    }), "together", (8.55, 4.5))  # fmt: skip


def rough_stone() -> Network:
    """Limestone that was dressed with a pick: broad hollows, pits, and lichen where the weather was."""
    cards = [
        *_in_space(22.0),
        card("broad", "noise3d", "float", (1.9, 2.2), "Hollows", amplitude=("float", 0.5), pivot=("float", 0.5),
             position=("vector3", Wire("place_broad"))),
        card("place_broad", "multiply", "vector3", (0.95, 2.2), "Broad", in1=("vector3", Wire("place")),
             in2=("float", 12.0)),
        card("pits", "worleynoise3d", "float", (1.9, 3.0), "Pick marks", jitter=("float", 0.9),
             position=("vector3", Wire("bent"))),
        card("bend", "fractal3d", "vector3", (1.9, 4.6), "Bend", octaves=("integer", 2),
             amplitude=("vector3", (0.5, 0.5, 0.5)), position=("vector3", Wire("finer"))),
        card("bent", "add", "vector3", (2.4, 3.8), "Bent", in1=("vector3", Wire("finer")),
             in2=("vector3", Wire("bend"))),
        card("grit", "fractal3d", "float", (2.85, 4.4), "Grit", octaves=("integer", 6), diminish=("float", 0.6),
             amplitude=("float", 0.5), position=("vector3", Wire("finer"))),
        card("hollow", "multiply", "float", (2.85, 2.2), "Hollows", in1=("float", Wire("broad")), in2=("float", 0.55)),
        card("pitted", "multiply", "float", (2.85, 3.0), "Pits", in1=("float", Wire("pits")), in2=("float", 0.35)),
        card("gritty", "multiply", "float", (3.6, 4.4), "Grit", in1=("float", Wire("grit")), in2=("float", 0.24)),
        card("dressed", "add", "float", (3.8, 2.6), "Dressed", in1=("float", Wire("hollow")),
             in2=("float", Wire("pitted"))),
        card("height", "add", "float", (4.75, 3.0), "Height", in1=("float", Wire("dressed")),
             in2=("float", Wire("gritty"))),
        card("depth", "clg_relief_depth", "float", (5.7, 3.0), "Relief depth", midpoint=("float", 0.45),
             depth=("float", 0.011), **{"in": ("float", Wire("height"))}),
        card("stone", "mix", "color3", (4.75, 0.0), "Stone", fg=("color3", (0.40, 0.365, 0.30)),
             bg=("color3", (0.165, 0.148, 0.12)), mix=("float", Wire("light"))),
        card("light", "range", "float", (3.8, 0.6), "Light and dark", inlow=("float", 0.2), inhigh=("float", 0.75),
             doclamp=("boolean", True), **{"in": ("float", Wire("height"))}),
        card("lichen", "smoothstep", "float", (3.8, 1.6), "Lichen", low=("float", 0.16), high=("float", 0.34),
             **{"in": ("float", Wire("grit"))}),
        card("colour", "mix", "color3", (5.7, 0.0), "Lichen over stone", fg=("color3", (0.36, 0.37, 0.255)),
             bg=("color3", Wire("stone")), mix=("float", Wire("lichen"))),
    ]  # fmt: skip
    return _displaced(material(cards, {
        "base_color": ("color3", Wire("colour")), "specular_roughness": ("float", 0.85),
        "specular_weight": ("float", 0.5), "base_diffuse_roughness": ("float", 0.8),
    }), "depth", (6.65, 3.0))  # fmt: skip


def verdigris_copper() -> Network:
    """The copper of the potting bench, its dents beaten into the metal and not only shaded."""
    network = hammered_copper()
    beaten = card("beaten", "clg_relief_depth", "float", (1.6, 4.2), "Relief depth", midpoint=("float", 0.6),
                  depth=("float", 0.0016), **{"in": ("float", Wire("dents"))})  # fmt: skip
    surface = network.cards["surface"].without_input("geometry_normal")
    return _displaced(network.without_cards({"hammered"}).with_card(beaten).with_card(surface), "beaten", (2.6, 4.2))


def weathered_boards() -> Network:
    """The potting bench's boards, the soft wood washed out between the hard rings, with checks along them."""
    cards = [
        card("place", "position", "vector3", (0.0, 3.6), "Place"),
        card("rings_at", "multiply", "vector3", (0.95, 3.2), "Along the grain", in1=("vector3", Wire("place")),
             in2=("vector3", (5.0, 130.0, 130.0))),
        card("rings", "fractal3d", "float", (1.9, 3.2), "Hard and soft rings", octaves=("integer", 3),
             position=("vector3", Wire("rings_at"))),
        card("checks_at", "multiply", "vector3", (0.95, 4.4), "Along the grain", in1=("vector3", Wire("place")),
             in2=("vector3", (2.6, 60.0, 60.0))),
        card("lines", "noise3d", "float", (1.9, 4.4), "Lines", position=("vector3", Wire("checks_at"))),
        card("near", "absval", "float", (2.85, 4.4), "Near a line", **{"in": ("float", Wire("lines"))}),
        card("checks", "smoothstep", "float", (3.8, 4.4), "Checks", low=("float", 0.07), high=("float", 0.0),
             **{"in": ("float", Wire("near"))}),
        card("worn", "multiply", "float", (2.85, 3.2), "Washed out", in1=("float", Wire("rings")),
             in2=("float", 0.55)),
        card("height", "subtract", "float", (4.75, 3.6), "Height", in1=("float", Wire("worn")),
             in2=("float", Wire("checks"))),
        card("depth", "clg_relief_depth", "float", (5.7, 3.6), "Relief depth", midpoint=("float", 0.0),
             depth=("float", 0.0013), **{"in": ("float", Wire("height"))}),
        card("open", "multiply", "float", (4.75, 2.2), "Dark in checks", in1=("float", Wire("checks")),
             in2=("float", 0.75)),
        card("darker", "mix", "color3", (4.75, 0.6), "Colour with checks", fg=("color3", (0.03, 0.022, 0.015)),
             bg=("color3", Wire("shade")), mix=("float", Wire("open"))),
    ]  # fmt: skip
    network = weathered_bench()
    for one in cards:
        network = network.with_card(one)
    surface = network.cards["surface"].with_input(given("base_color", "color3", Wire("darker")))
    return _displaced(network.with_card(surface), "depth", (6.65, 3.6))


def crackled_glaze() -> Network:
    """The celadon of the shed, whose crackle has opened into fine furrows."""
    cards = [
        card("cells_at", "multiply", "vector3", (0.9, 3.6), "Size of the crackle", in1=("vector3", Wire("place")),
             in2=("float", 85.0)),
        card("cells", "worleynoise3d", "vector2", (1.9, 3.6), "Crackle", jitter=("float", 1.0),
             position=("vector3", Wire("cells_at"))),
        card("sides", "separate2", "multioutput", (2.85, 3.6), "Two nearest", **{"in": ("vector2", Wire("cells"))}),
        card("between", "subtract", "float", (3.8, 3.6), "To the crack", in1=("float", Wire("sides", "outy")),
             in2=("float", Wire("sides", "outx"))),
        card("furrow", "smoothstep", "float", (4.75, 3.6), "Furrow", low=("float", 0.0), high=("float", 0.09),
             **{"in": ("float", Wire("between"))}),
        card("depth", "clg_relief_depth", "float", (5.7, 3.6), "Relief depth", midpoint=("float", 1.0),
             depth=("float", 0.0003), **{"in": ("float", Wire("furrow"))}),
        card("dirty", "mix", "color3", (5.7, 0.4), "Dirt in the crackle", fg=("color3", Wire("tone")),
             bg=("color3", (0.085, 0.085, 0.06)), mix=("float", Wire("stained"))),
        card("stained", "smoothstep", "float", (4.75, 2.6), "Stained", low=("float", -0.03), high=("float", 0.055),
             **{"in": ("float", Wire("between"))}),
    ]  # fmt: skip
    network = celadon_glaze().without_cards({"crackle"})
    for one in cards:
        network = network.with_card(one)
    surface = network.cards["surface"].without_input("geometry_normal")
    surface = surface.with_input(given("base_color", "color3", Wire("dirty")))
    return _displaced(network.with_card(surface), "depth", (6.65, 3.6))


# ---- the yard -----------------------------------------------------------------------------------


def yard() -> Bench:
    """What stands on the flags."""
    return Bench(
        objects=(
            stock("Slate floor", "plane", sizes={"width": 1.7, "depth": 1.5}, material="Slate floor",
                  division=Division(smooth=False)),
            placed("Stone trough", "trough", (-0.16, 0.004, -0.12), 12, "Rough stone"),
            stock("Boards", "planks", sizes={"length": 0.62, "count": 4, "width": 0.085, "gap": 0.014},
                  place=(0.27, 0.016, 0.17), turn=-24, material="Weathered boards"),
            placed("Watering can", "watering-can", (0.20, 0.045, 0.14), 196, "Verdigris copper"),
            stock("Saucer", "saucer", place=(-0.22, 0.006, 0.22), material="Celadon glaze",
                  division=Division(detail=3.0)),
            stock("Pot", "pot", place=(-0.22, 0.013, 0.22), turn=35, material="Lime-bloomed clay"),
        ),
        lights=(AreaLight(name="Low sun", colour=(1.0, 0.90, 0.76), strength=26.0, height=24, turn=-62, distance=1.9,
                          width=0.7, length=0.7),),
        environment=Environment(file="environments/studio.exr", strength=0.55),
        camera=Camera(turn=14, height=24, distance=1.55, target=(0.0, 0.07, 0.03), field=28),
        ground=False,
    )  # fmt: skip


def yard_steps(folder: Path) -> Steps[None]:
    """Writes the sample into a folder."""
    yield from write_shared_sets(folder)
    yield Progress("Making the studio", 0.7)
    write_image(folder / "environments" / "studio.exr", studio(), bits=16)
    yield Progress("Making the objects", 0.9)
    write_glb(watering_can(), folder / MESHES / "watering-can.glb")
    write_glb(trough(), folder / MESHES / "trough.glb")
    materials = {
        "Slate floor": slate_floor(), "Rough stone": rough_stone(), "Verdigris copper": verdigris_copper(),
        "Weathered boards": weathered_boards(), "Celadon glaze": crackled_glaze(),
        "Lime-bloomed clay": lime_bloomed_clay(),
    }  # fmt: skip
    save_project(Project("Larkmere yard", materials, yard()), folder)
