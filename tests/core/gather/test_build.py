"""A material built from a set: what its channels read, pixel by pixel."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materials import surface_card
from collage.core.document.materialx import parse_document, write_document
from collage.core.evaluate.plan import CardInput, CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.gather.build import BUMP_UNITS, BuildOptions, build_material, with_set
from collage.core.gather.project import build_into, copied_names
from collage.core.gather.scan import gathered
from collage.core.gather.sets import FoundMap, FoundSet, group
from collage.core.geometry.points import sheet
from collage.core.images.colour import srgb_to_linear
from collage.core.images.files import write_image
from collage.core.project.folder import load_project

SIDE = 4


def picture(seed: int, channels: int, kind: type = np.uint8) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return rng.integers(0, np.iinfo(kind).max, (SIDE, SIDE, channels), kind)


def read(library, network, folder: Path, name: str, *, across: int = 1) -> np.ndarray:
    """A channel at the pixel centres, (c, rows, columns) with the top row first; `across` tiles side by side."""
    plan = build_plan(library, network, {"x": CardInput("surface", name)}, folder=folder, filtered=False)
    points = sheet(SIDE * across, SIDE)
    value = run(plan, points)["x"]
    return np.broadcast_to(value, (len(value), SIDE * SIDE * across)).reshape(len(value), SIDE, SIDE * across)


def test_every_map_reaches_its_channel(library, tmp_path: Path) -> None:
    colour, gloss, metal, normal, occlusion, opacity, glow = (
        picture(number, count) for number, count in enumerate((3, 1, 1, 3, 1, 1, 3))
    )
    for name, pixels in (("basecolor", colour), ("gloss", gloss), ("metallic", metal), ("normal_dx", normal),
                         ("ao", occlusion), ("opacity", opacity), ("emissive", glow)):  # fmt: skip
        write_image(tmp_path / f"a_{name}.png", pixels)
    network = build_material(group(one.name for one in tmp_path.iterdir()).sets[0])

    def expect(name: str, wanted: np.ndarray) -> None:
        assert np.allclose(read(library, network, tmp_path, name), np.moveaxis(wanted, 2, 0), atol=2e-6), name

    expect("base_color", srgb_to_linear(colour / 255) * (occlusion / 255))
    expect("specular_roughness", 1 - gloss / 255)
    expect("base_metalness", metal / 255)
    expect("geometry_opacity", opacity / 255)
    expect("emission_color", srgb_to_linear(glow / 255))
    way = normal / 255 * 2 - 1
    way[:, :, 1] *= -1  # green points down in the file
    expect("geometry_normal", way / np.linalg.norm(way, axis=2, keepdims=True))


def test_one_switch_turns_green(library, tmp_path: Path) -> None:
    write_image(tmp_path / "a_normal.png", picture(1, 3))
    network = build_material(group(["a_normal.png"]).sets[0])
    card = network.cards["a"]
    up = read(library, network, tmp_path, "geometry_normal")
    turned = network.with_card(card.with_input(card.inputs["green_down"].__class__("green_down", "boolean", True)))
    down = read(library, turned, tmp_path, "geometry_normal")
    assert np.allclose(down[[0, 2]], up[[0, 2]], atol=1e-6)
    assert np.allclose(down[1], -up[1], atol=1e-6)
    assert abs(up[1]).max() > 0.1


@pytest.mark.parametrize(
    ("name", "channels"),
    [("ORM", {"r": "occlusion", "g": "specular_roughness", "b": "base_metalness"}),
     ("rough_ao_metal", {"r": "specular_roughness", "g": "occlusion", "b": "base_metalness"})],
)  # fmt: skip
def test_packed_channels_are_taken_apart(library, tmp_path: Path, name: str, channels: dict[str, str]) -> None:
    packed, colour = picture(3, 3), picture(4, 3)
    write_image(tmp_path / f"a_{name}.png", packed)
    write_image(tmp_path / "a_albedo.png", colour)
    network = build_material(gathered(tmp_path).sets[0])
    for index, role in enumerate(channels.values()):
        if role != "occlusion":
            assert np.allclose(read(library, network, tmp_path, role)[0], packed[:, :, index] / 255, atol=1e-6)
        else:
            shaded = srgb_to_linear(colour / 255) * packed[:, :, index : index + 1] / 255
            assert np.allclose(read(library, network, tmp_path, "base_color"), np.moveaxis(shaded, 2, 0), atol=2e-6)


def test_gloss_in_alpha_and_opacity_in_alpha(library, tmp_path: Path) -> None:
    metal, colour = picture(5, 4), picture(6, 4)
    write_image(tmp_path / "a_MetallicSmoothness.png", metal)
    write_image(tmp_path / "a_Albedo.png", colour)
    found = gathered(tmp_path).sets[0]
    network = build_material(found)
    assert np.allclose(read(library, network, tmp_path, "base_metalness")[0], metal[:, :, 0] / 255, atol=1e-6)
    assert np.allclose(read(library, network, tmp_path, "specular_roughness")[0], 1 - metal[:, :, 3] / 255, atol=1e-6)
    assert np.allclose(read(library, network, tmp_path, "geometry_opacity")[0], colour[:, :, 3] / 255, atol=1e-6)
    shown = read(library, network, tmp_path, "base_color")
    assert np.allclose(shown, np.moveaxis(srgb_to_linear(colour[:, :, :3] / 255), 2, 0), atol=2e-6)


def test_bump_of_the_height_is_as_steep_as_the_set_is_deep() -> None:
    found = group(["a_height.png"]).sets[0]
    network = build_material(found)
    bump = network.cards["bump"]
    assert bump.inputs["scale"].value == pytest.approx(BUMP_UNITS * found.depth / found.metres)
    surface = surface_card(network)
    assert surface is not None
    assert surface.inputs["geometry_normal"].wire.card == "bump"


def test_what_the_height_does_is_a_choice() -> None:
    found = group(["a_height.png", "a_normal.png"]).sets[0]
    assert "bump" not in build_material(found).cards
    bumped = build_material(found, BuildOptions(relief="bump"))
    assert bumped.cards["bump"].inputs["normal"].wire.card == "relief"
    moved = build_material(found, BuildOptions(relief="displacement"))
    assert moved.cards["material"].inputs["displacementshader"].wire.card == "displacement"
    assert moved.cards["displacement"].inputs["scale"].value == found.depth
    plain = build_material(group(["a_height.png", "a_ao.png", "a_albedo.png"]).sets[0], BuildOptions(occlusion=False))
    assert "shaded" not in plain.cards


def test_wired_channels_are_left_alone() -> None:
    network, first = with_set(
        build_material(group(["a_albedo.png"]).sets[0]), group(["b_albedo.png", "b_rough.png"]).sets[0]
    )
    surface = surface_card(network)
    assert surface is not None
    assert surface.inputs["base_color"].wire.card == "a"
    assert surface.inputs["specular_roughness"].wire.card == first == "b"


def test_a_built_material_survives_its_file() -> None:
    found = group(["a_albedo.png", "a_ORM.png", "a_normal_dx.png", "a_height.exr", "a_alpha.png"]).sets[0]
    network = build_material(found, BuildOptions(relief="bump"))
    again = parse_document(write_document(network).encode())
    assert write_document(again) == write_document(network)


def test_tiles_are_read_each_in_its_place_and_missing_ones_are_loud(library, tmp_path: Path) -> None:
    pictures = {number: picture(number, 3) for number in (1001, 1003)}
    for number, pixels in pictures.items():
        write_image(tmp_path / f"w_albedo.{number}.png", pixels)
    network = build_material(gathered(tmp_path).sets[0])
    card = network.cards["w"]
    file = card.network.cards["base_color_map"].inputs["file"]
    assert file.value == "w_albedo.<UDIM>.png"
    wide = card.with_input(card.inputs["scale"].__class__("scale", "vector2", (1 / 3, 1.0)))
    value = read(library, network.with_card(wide), tmp_path, "base_color", across=3)
    for at, number in enumerate((1001, None, 1003)):
        shown = value[:, :, at * SIDE : (at + 1) * SIDE]
        if number is None:
            assert np.allclose(shown[:, 0, 0], (1.0, 0.05, 0.6))
        else:
            assert np.allclose(shown, np.moveaxis(srgb_to_linear(pictures[number] / 255), 2, 0), atol=2e-6)
    plan = build_plan(library, network, {"x": CardInput("surface", "base_color")}, folder=tmp_path)
    assert [str(one) for one in plan.problems.values()] == [
        "w_albedo.<UDIM>.png: Tiles are missing: 1002. Find the files, or make them again."
    ]


def test_into_a_project_with_copies_and_in_place(library, tmp_path: Path) -> None:
    source, project = tmp_path / "maps from elsewhere", tmp_path / "project"
    for number in (0, 1):
        write_image(source / f"trough_albedo_u{number}_v0.png", picture(number, 3))
    write_image(source / "loam_albedo.png", picture(7, 3))
    sets = gathered(source).sets
    names = [name for name, _ in build_into(sets, source, project)]
    assert names == ["Loam", "Trough"]
    assert sorted(one.name for one in (project / "maps" / "trough").iterdir()) == [
        "trough_albedo_1001.png", "trough_albedo_1002.png",
    ]  # fmt: skip
    state, problems = load_project(project)
    assert not problems
    assert state.wearers("Loam") == ["Sphere"]
    list(build_into(sets[:1], source, project, in_place=True))
    state, _ = load_project(project)
    card = state.materials["Loam 2"].cards["loam"]
    stored = card.network.cards["base_color_map"].inputs["file"].value
    assert (project / "materials" / stored).resolve() == source / "loam_albedo.png"


@pytest.mark.parametrize(("names", "labels"), [
    (["a_col_u0_v0.png", "a_col_u1_v2.png"], ["a_col_1001.png", "a_col_1022.png"]),
    (["a_col_u1v1.png", "a_col_u2v1.png"], ["a_col_1001.png", "a_col_1002.png"]),
    (["a_col_u1_v1.png", "a_col_u2_v1.png"], ["a_col_u1_v1.png", "a_col_u2_v1.png"]),
])  # fmt: skip
def test_tiles_are_numbered_as_the_standard_does_it(tmp_path: Path, names: list[str], labels: list[str]) -> None:
    found = group(names).sets[0]
    assert sorted(path.name for path in copied_names(found, tmp_path, tmp_path / "p").values()) == labels


def test_files_of_another_set_are_not_overwritten(tmp_path: Path) -> None:
    for folder, seed in (("one", 1), ("two", 2)):
        write_image(tmp_path / folder / "a_albedo.png", np.tile(picture(seed, 3), (seed, 1, 1)))
    found = group(["a_albedo.png"]).sets[0]
    project = tmp_path / "project"
    list(build_into([found], tmp_path / "one", project))
    assert next(iter(copied_names(found, tmp_path / "two", project).values())).parent.name == "a-2"
    assert next(iter(copied_names(found, tmp_path / "one", project).values())).parent.name == "a"


@pytest.mark.parametrize("axes", ["", "red", "swapped", "swapped red"])
@pytest.mark.parametrize("green", ["up", "down"])
def test_mended_axes_give_the_normals_of_the_sound_map(library, tmp_path, axes: str, green: str) -> None:
    sound = np.random.default_rng(5).integers(60, 200, (16, 16, 3), np.uint8)
    broken = sound.copy()
    if green == "down":
        broken[:, :, 1] = 255 - broken[:, :, 1]
    if axes.endswith("red"):
        broken[:, :, 0] = 255 - broken[:, :, 0]
    if axes.startswith("swapped"):
        broken = broken[:, :, [1, 0, 2]]
    found = []
    for name, pixels, change in (("sound", sound, {}), ("broken", broken, {"axes": axes, "green": green})):
        write_image(tmp_path / f"{name}.png", np.ascontiguousarray(pixels))
        one = FoundMap("normal", (str(tmp_path / f"{name}.png"),), 1.0, "", "raw", "up")
        network = build_material(FoundSet(name, "", (replace(one, **change),)))
        plan = build_plan(library, network, {"out": CardOutput(name, "normal")}, filtered=False)
        assert not plan.problems
        found.append(np.asarray(run(plan, sheet(16, 16))["out"]))
    np.testing.assert_allclose(found[1], found[0], atol=1e-5)
