"""Map sets laid on by UVs, as hex tiles and triplanar: normals go along with the maps, and nothing shows reversed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document, write_document
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardInput, CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.gather.build import BuildOptions, build_material
from collage.core.gather.layouts import LAYOUTS, Layout
from collage.core.gather.names import Axes
from collage.core.gather.sets import group
from collage.core.geometry.points import Points, sheet
from collage.core.images.files import read_pixels, write_image

LIGHTS = ((1, 0, 1), (-1, 0, 1), (0, 1, 1), (0, -1, 1))
PLACEMENTS = [((1, 1), 0), ((1, 1), 37), ((1, 1), 90), ((1, 1), 180), ((-1, 1), 0), ((1, -1), 0), ((-1, 1), 37),
              ((0.5, 0.5), 0), ((1 / 3, 1), 0), ((1 / 3, 1), 37)]  # fmt: skip


def write_relief(folder: Path, size: int = 256, *, green: float = 1.0) -> None:
    """A height that repeats, and its normals, whose slopes are per 1 / (2 pi) of the tile. green : -1 for down."""
    place = (np.arange(size) + 0.5) / size * 2 * np.pi
    u, v = np.meshgrid(place, -place)
    height = 0.5 + 0.1 * np.sin(u) * np.cos(v) + 0.05 * np.cos(2 * u + v)
    du = 0.1 * np.cos(u) * np.cos(v) - 0.1 * np.sin(2 * u + v)
    dv = -0.1 * np.sin(u) * np.sin(v) - 0.05 * np.sin(2 * u + v)
    way = np.stack([-du, -green * dv, np.ones_like(u)], axis=2)
    way /= np.linalg.norm(way, axis=2, keepdims=True)
    write_image(folder / "a_normal.exr", (way * 0.5 + 0.5).astype(np.float32))
    write_image(folder / "a_height.exr", height[:, :, None].astype(np.float32))


def material(layout: Layout, scale: tuple[float, float], rotate: float, **more: object) -> Network:
    """A material of the relief; `more` are other inputs of its map set."""
    network = build_material(group(["a_normal.exr", "a_height.exr"]).sets[0], BuildOptions(layout=layout))
    card = network.cards["a"]
    for name, value in {"scale": scale, "rotate": float(rotate), **more}.items():
        card = card.with_input(replace(card.inputs[name], value=value))
    return network.with_card(card)


def bent(scale: tuple[float, float], across: np.ndarray, up: np.ndarray) -> np.ndarray:
    """Normals of slopes of a placed height, as deep as a tile of the mean side is, which is what normals keep."""
    even = np.sqrt(abs(scale[0] * scale[1])) / (2 * np.pi)
    slopes = np.stack([-across * even, -up * even, np.ones_like(up)])
    return slopes / np.linalg.norm(slopes, axis=0)


def on_sheet(library, folder: Path, network: Network, size: int) -> tuple[np.ndarray, np.ndarray]:
    """Normals of the surface (3, size, size), and the height's (size, size)."""
    wanted = {"n": CardInput("surface", "geometry_normal"), "h": CardOutput("a", "height")}
    values = run(build_plan(library, network, wanted, folder=folder, filtered=False), sheet(size, size))
    return values["n"].reshape(3, size, size), values["h"].reshape(size, size)


def assert_lit_alike(found: np.ndarray, expected: np.ndarray, most: float, share: float = 1.0) -> None:
    """Lit from four sides, two fields of normals differ by less than `most`, in `share` of the places."""
    for light in LIGHTS:
        lit = [np.tensordot(np.array(light) / np.sqrt(2), one, 1) for one in (found, expected)]
        assert np.quantile(np.abs(lit[0] - lit[1]), share) < most, light


@pytest.mark.parametrize(("scale", "rotate"), PLACEMENTS)
def test_normals_follow_their_placement(library, tmp_path: Path, scale: tuple[float, float], rotate: float) -> None:
    """Against the placed height itself, by differences: lit from four sides, both look the same."""
    write_relief(tmp_path)
    size = 192
    found, relief = on_sheet(library, tmp_path, material("uv", scale, rotate), size)
    down, right = np.gradient(relief, 1 / size)
    inner = (slice(None), slice(4, -4), slice(4, -4))
    assert_lit_alike(found[inner], bent(scale, right, -down)[inner], 0.01)


@pytest.mark.parametrize(("scale", "rotate"), PLACEMENTS)
@pytest.mark.parametrize("green", ["up", "down"])
def test_hex_tiled_normals_turn_with_each_hexagon_and_with_the_placement(
    library, tmp_path: Path, scale: tuple[float, float], rotate: float, green: str
) -> None:
    """Inside the hexagons, which are most of the picture where their edges are hard."""
    write_relief(tmp_path, green=1.0 if green == "up" else -1.0)
    network = material("hex", scale, rotate, falloff=0.0, green_down=green == "down")
    size = 256
    found, relief = on_sheet(library, tmp_path, network, size)
    down, right = np.gradient(relief, 1 / size)
    assert_lit_alike(found, bent(scale, right, -down), 0.02, share=0.8)


def points_in_space(count: int) -> Points:
    """Places in a cube of 2 m, with surfaces that face anywhere, on frames that are turned anyhow."""
    rng = np.random.default_rng(8)
    normal, some = rng.normal(size=(2, 3, count))
    normal /= np.linalg.norm(normal, axis=0)
    tangent = np.cross(some, normal, axis=0)
    tangent /= np.linalg.norm(tangent, axis=0)
    place = [rng.uniform(-1, 1, (3, count)), normal, tangent, np.cross(normal, tangent, axis=0)]
    position, normal, tangent, bitangent = (one.astype(np.float32) for one in place)
    uv, step = {"UV0": np.zeros((2, count), np.float32)}, np.full(count, 1e-3, np.float32)
    return Points(position, normal, tangent, bitangent, uv, tangent, bitangent, step, step)


def value(library, folder: Path, network: Network, output: str, points: Points) -> np.ndarray:
    """What the map set puts out, (k, n)."""
    plan = build_plan(library, network, {"x": CardOutput("a", output)}, folder=folder, filtered=False)
    assert not plan.problems
    return np.asarray(run(plan, points)["x"], np.float64)


@pytest.mark.parametrize(("scale", "rotate"), PLACEMENTS)
def test_triplanar_normals_are_the_slopes_of_the_triplanar_height(
    library, tmp_path: Path, scale: tuple[float, float], rotate: float
) -> None:
    """Against differences along tangent and bitangent; where a surface faces stays, so that shares of sides do."""
    write_relief(tmp_path, 512)
    network = material("triplanar", scale, rotate)
    points, step = points_in_space(3000), 2e-3
    slopes = []
    for way in (points.tangent, points.bitangent):
        ends = [value(library, tmp_path, network, "height", replace(points, position=points.position + sign * way))[0]
                for sign in (np.float32(step), np.float32(-step))]  # fmt: skip
        slopes.append((ends[0] - ends[1]) / (2 * step))
    found = value(library, tmp_path, network, "normal", points) * 2 - 1
    assert_lit_alike(found, bent(scale, *slopes), 0.02)


def test_triplanar_shows_each_side_the_right_way_round(library, tmp_path: Path) -> None:
    """From each of the six ends, the picture is seen with its left to the left and its top up."""
    pixels = np.zeros((64, 64, 3), np.float32)
    pixels[:, 32:, 0] = 1  # right
    pixels[:32, :, 1] = 1  # top
    write_image(tmp_path / "a_base_color.exr", pixels)
    network = build_material(group(["a_base_color.exr"]).sets[0], BuildOptions(layout="triplanar"))
    seen = {(0, 1): (0, 1, 0), (0, -1): (0, 1, 0), (1, 1): (0, 0, -1), (1, -1): (0, 0, 1), (2, 1): (0, 1, 0),
            (2, -1): (0, 1, 0)}  # up, of who looks at each end from outside  # fmt: skip
    for (axis, sign), up in seen.items():
        normal = sign * np.eye(3)[axis]
        right = np.cross(up, normal)
        places = np.stack(
            [0.3 * right + 0.2 * np.array(up), 0.7 * right + 0.3 * np.array(up), 0.1 * right - 0.4 * np.array(up)],
            axis=1,
        )
        points = points_in_space(3)
        there = replace(points, position=places.astype(np.float32),
                        normal=np.repeat(normal[:, None], 3, 1).astype(np.float32))  # fmt: skip
        colour = value(library, tmp_path, network, "base_color", there)
        u, v = places.T @ right, places.T @ np.array(up)
        np.testing.assert_allclose(colour[0], (np.mod(u, 1) > 0.5).astype(float), atol=1e-5)
        np.testing.assert_allclose(colour[1], (np.mod(v, 1) > 0.5).astype(float), atol=1e-5)


@pytest.mark.parametrize("layout", LAYOUTS)
@pytest.mark.parametrize("names", [("a_base_color.png", "a_ORM.png", "a_opacity.png"), ("a_gloss.png", "a_normal.png")])
def test_every_map_comes_out_the_same_at_a_plain_place(library, tmp_path, layout: Layout, names) -> None:
    """Even maps: whatever their layout, what they put out is their value, and the file keeps it."""
    for at, name in enumerate(names):
        write_image(tmp_path / name, np.full((8, 8, 3), 100 + 30 * at, np.uint8))
    found = group(list(names)).sets[0]
    plain = build_material(found)
    network = build_material(found, BuildOptions(layout=layout))
    again = parse_document(write_document(network).encode())
    assert again.cards["a"].network == network.cards["a"].network
    outputs = plain.cards["a"].network.outputs
    assert outputs.keys() == network.cards["a"].network.outputs.keys()
    points = points_in_space(200)
    for name in outputs:
        if name != "normal":  # an even map of (0.5, 0.5, 0.5) is no normal map
            np.testing.assert_allclose(
                value(library, tmp_path, again, name, points), value(library, tmp_path, plain, name, points), atol=1e-5
            )


@pytest.mark.parametrize("layout", LAYOUTS)
@pytest.mark.parametrize("axes", ["red", "swapped", "swapped red"])
@pytest.mark.parametrize("green", ["up", "down"])
def test_mixed_axes_are_mended_in_every_layout(library, tmp_path, layout: Layout, axes: Axes, green: str) -> None:
    """The same relief once with the usual axes and once with others gives the same normals, hexagon by hexagon."""
    write_relief(tmp_path)
    pixels = read_pixels(tmp_path / "a_normal.exr")
    if green == "down":
        pixels[:, :, 1] = 1 - pixels[:, :, 1]
    if axes.endswith("red"):
        pixels[:, :, 0] = 1 - pixels[:, :, 0]
    if axes.startswith("swapped"):
        pixels = np.ascontiguousarray(pixels[:, :, [1, 0, 2]])
    write_image(tmp_path / "b_normal.exr", pixels)
    seen = []
    for name, change in (("a", {}), ("b", {"axes": axes, "green": green})):
        found = group([f"{name}_normal.exr"]).sets[0]
        found = replace(found, name="a", maps=(replace(found.maps[0], **change),))
        network = build_material(found, BuildOptions(layout=layout))
        points = points_in_space(500) if layout == "triplanar" else sheet(32, 32)
        seen.append(value(library, tmp_path, network, "normal", points))
    np.testing.assert_allclose(seen[1], seen[0], atol=1e-4)
