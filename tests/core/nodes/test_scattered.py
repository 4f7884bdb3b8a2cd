"""Scattered images, flakes and changes of space: against laws that hold whatever the random numbers are."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import Points, sheet
from collage.core.images.files import write_image
from collage.core.images.pyramid import build
from collage.core.kernels.hexagons import blend, blend_weights, tile


def graph(
    library, body: str, kind: str, folder: Path = Path(), points: Points | None = None, output: str = ""
) -> np.ndarray:
    which = f' output="{output}"' if output else ""
    text = f'<nodegraph name="g">{body}<output name="out" type="{kind}" nodename="n"{which}/></nodegraph>'
    document = parse_document(f'<materialx version="1.39">{text}</materialx>'.encode())
    points = points or sheet(32, 32)
    plan = build_plan(library, document, {"out": CardOutput("g", "out")}, folder=folder, filtered=False, strict=True)
    value = run(plan, points)["out"]
    return np.broadcast_to(value, (len(value), points.count))


def corners(place: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The weights (3, n) and the hexagons (3, 2, n) of the triangle around each place, in double precision.

    Skewed axes of a lattice of triangles, as in the published listing: the three weights are barycentric.
    """
    scaled = place.astype(np.float64) * 2 * np.sqrt(3)
    x, y = scaled[0] - scaled[1] / np.sqrt(3), scaled[1] * 2 / np.sqrt(3)
    low = np.floor([x, y])
    fx, fy = np.array([x, y]) - low
    upper = fx + fy >= 1
    weights = np.stack([np.abs(1 - fx - fy), np.where(upper, 1 - fy, fy), np.where(upper, 1 - fx, fx)])
    assert np.allclose(weights.sum(axis=0), 1)
    one = np.where(upper, 1.0, 0.0)
    return weights, low + np.array([[one, one], [one, 1 - one], [1 - one, one]])


def test_three_tiles_weigh_one_together_and_as_the_lattice_says() -> None:
    place = sheet(64, 64).uv_set() * np.float32(3)
    weights, _ = corners(place)
    shares = blend_weights(place, np.float32([[0.5]]))
    np.testing.assert_allclose(shares.sum(axis=0), 1, atol=1e-5)
    np.testing.assert_allclose(shares, weights**7 / (weights**7).sum(axis=0), atol=2e-3)


def test_a_tile_without_chance_stays_where_it_is() -> None:
    place = sheet(16, 16).uv_set()
    none = np.zeros((3, place.shape[1]), np.float32)
    level = np.full(place.shape[1], 1.5, np.float32)
    still, turn, levels = tile(place, 0, none, none, none, level)
    np.testing.assert_allclose(still, [place[0], 1 - place[1]], atol=1e-6)
    assert (turn == 0).all()
    np.testing.assert_allclose(levels, 1.5, atol=2e-3)
    half = np.tile(np.float32([[1], [2], [2]]), (1, place.shape[1]))  # every tile twice as large
    _, _, levels = tile(place, 0, none, half, none, level)
    np.testing.assert_allclose(levels, 0.5, atol=2e-3)


def test_tiles_of_one_colour_blend_to_that_colour() -> None:
    count = 40
    place = np.random.default_rng(1).uniform(-4, 4, (2, count)).astype(np.float32)
    colour = np.tile(np.float32([[0.2], [0.5], [0.9]]), (1, count))
    for falloff in (0.1, 0.5, 0.8):
        settings = np.float32([[falloff], [0.7], [0.3], [0.6], [0.1]])
        found, each = np.empty((2, 3, count), np.float32)
        blend(place, [colour] * 3, settings, found)
        np.testing.assert_allclose(found, colour, atol=1e-5)
        blend(place, [colour] * 3, np.tile(settings, (1, count)), each)
        np.testing.assert_array_equal(each, found, "settings of each point, all alike")


def test_tiles_turn_by_the_angle_that_they_say() -> None:
    place = np.random.default_rng(3).uniform(-9, 9, (2, 500)).astype(np.float32)
    _, hexagons = corners(place)
    none, level = np.zeros((3, 1), np.float32), np.zeros(500, np.float32)
    turned, angle, _ = tile(place, 0, np.float32([[1], [-20], [20]]), none, none, level)
    x, y = hexagons[0] / np.sqrt(12)
    centre = np.stack([x + y / 2, y * np.sqrt(3) / 2])
    away = place - centre
    sine, cosine = np.sin(angle.astype(np.float64)), np.cos(angle.astype(np.float64))
    wanted = np.stack([away[0] * cosine - away[1] * sine, away[0] * sine + away[1] * cosine]) + centre
    np.testing.assert_allclose(turned, [wanted[0], 1 - wanted[1]], atol=5e-6)
    assert np.ptp(angle) > 30


@pytest.mark.parametrize("each", [False, True])
@pytest.mark.parametrize("detail", [None, 1.3])
def test_tiles_read_at_once_are_as_those_found_and_then_read(each: bool, detail: float | None) -> None:
    rng = np.random.default_rng(5)
    place = rng.uniform(-9, 9, (2, 700)).astype(np.float32)
    level = None if detail is None else np.full(700, detail, np.float32)
    chances = [np.float32([[1], [-2], [2]]), np.float32([[1], [0.5], [2]]), np.float32([[1], [0], [1]])]
    if each:
        chances = [np.tile(one, (1, 700)) * rng.uniform(0.9, 1, (1, 700)).astype(np.float32) for one in chances]
    pyramid = build(rng.integers(0, 256, (24, 40, 3), dtype=np.uint8))
    for number in range(3):
        value, turn = pyramid.read_tile(place, number, tuple(chances), level)
        there, angle, deep = tile(place, number, *chances, np.zeros(700, np.float32) if level is None else level)
        np.testing.assert_array_equal(turn, angle)
        np.testing.assert_allclose(value, pyramid.read(there, None if level is None else deep), atol=1e-6)


def test_a_plain_picture_scattered_is_plain_and_a_flat_normal_map_bends_nothing(library, tmp_path: Path) -> None:
    write_image(tmp_path / "plain.png", np.full((8, 8, 3), [40, 90, 200], np.uint8))
    write_image(tmp_path / "flat.exr", np.full((8, 8, 3), [0.5, 0.5, 1.0], np.float32))
    body = '<hextiledimage name="n" type="color3"><input name="file" type="filename" value="plain.png"/><input name="tiling" type="vector2" value="5, 3"/></hextiledimage>'
    found = graph(library, body, "color3", tmp_path)
    np.testing.assert_allclose(found, np.tile(np.float32([[40], [90], [200]]) / 255, (1, 1024)), atol=1e-5)
    body = '<hextilednormalmap name="n" type="vector3"><input name="file" type="filename" value="flat.exr"/></hextilednormalmap>'
    found = graph(library, body, "vector3", tmp_path)
    np.testing.assert_allclose(found, np.tile(np.float32([[0], [0], [1]]), (1, 1024)), atol=1e-3)


@pytest.mark.parametrize("kind", ["flake2d", "flake3d"])
def test_flakes_cover_more_when_asked_and_lie_in_their_normals(library, kind: str) -> None:
    covered = []
    for coverage in (0.0, 0.3, 0.9):
        body = f'<{kind} name="n" type="multioutput"><input name="size" type="float" value="0.05"/><input name="coverage" type="float" value="{coverage}"/><input name="roughness" type="float" value="0.3"/></{kind}>'
        presence = graph(library, body, "float", points=sheet(64, 64), output="presence")[0]
        normal = graph(library, body, "vector3", points=sheet(64, 64), output="flakenormal")
        covered.append(float((presence > 0).mean()))
        np.testing.assert_allclose(np.linalg.norm(normal, axis=0), 1, atol=1e-4)
        assert (normal[2][presence == 0] == 1).all(), "without a flake the surface's own"
    assert covered[0] == 0
    assert 0.15 < covered[1] < 0.6 < covered[2]


def turned_points() -> Points:
    """A sheet whose object is turned a quarter about z and moved."""
    points = sheet(4, 4)
    own = points.position.copy()
    world = np.stack([-own[1] + 3, own[0] + 1, own[2]]).astype(np.float32)

    def axis(x: float, y: float, z: float) -> np.ndarray:
        return np.tile(np.float32([[x], [y], [z]]), (1, points.count))

    return replace(
        points,
        position=world,
        normal=axis(0, 0, 1),
        tangent=axis(0, 1, 0),
        bitangent=axis(-1, 0, 0),
        object_position=own,
        to_object=np.float32([[0, 1, 0], [-1, 0, 0], [0, 0, 1]]),
    )


def test_points_vectors_and_normals_go_from_space_to_space_and_back(library) -> None:
    points = turned_points()

    def moved(category: str, before: str, after: str, value: str = "2, 0, 0") -> np.ndarray:
        body = f'<{category} name="n" type="vector3"><input name="in" type="vector3" value="{value}"/><input name="fromspace" type="string" value="{before}"/><input name="tospace" type="string" value="{after}"/></{category}>'
        return graph(library, body, "vector3", points=points)[:, 5]

    np.testing.assert_allclose(moved("transformvector", "object", "world"), [0, 2, 0], atol=1e-6)
    np.testing.assert_allclose(moved("transformnormal", "object", "world"), [0, 1, 0], atol=1e-6)
    np.testing.assert_allclose(moved("transformpoint", "object", "world"), [3, 3, 0], atol=1e-6)
    np.testing.assert_allclose(moved("transformpoint", "world", "model", "3, 3, 0"), [2, 0, 0], atol=1e-6)
    np.testing.assert_allclose(moved("transformvector", "world", "world"), [2, 0, 0], atol=1e-6)


def test_definitions_in_a_document_are_computed_with_their_own_defaults(library) -> None:
    text = """<materialx version="1.39">
    <nodedef name="ND_shed_tint" node="shedtint"><input name="in" type="color3" value="1, 1, 1"/><input name="much" type="float" value="0.5"/><output name="out" type="color3"/></nodedef>
    <nodegraph name="NG_shed_tint" nodedef="ND_shed_tint"><multiply name="m" type="color3"><input name="in1" type="color3" interfacename="in"/><input name="in2" type="float" interfacename="much"/></multiply><output name="out" type="color3" nodename="m"/></nodegraph>
    <nodegraph name="g"><shedtint name="a" type="color3"><input name="in" type="color3" value="0.2, 0.4, 0.8"/></shedtint>
    <shedtint name="b" type="color3"><input name="in" type="color3" nodename="a"/><input name="much" type="float" value="3"/></shedtint>
    <output name="first" type="color3" nodename="a"/><output name="second" type="color3" nodename="b"/></nodegraph></materialx>"""
    document = parse_document(text.encode())
    targets = {name: CardOutput("g", name) for name in ("first", "second")}
    found = run(build_plan(library, document, targets, strict=True), sheet(2, 2))
    np.testing.assert_allclose(found["first"][:, 0], [0.1, 0.2, 0.4], atol=1e-6)
    np.testing.assert_allclose(found["second"][:, 0], [0.3, 0.6, 1.2], atol=1e-6)
    assert library.get("ND_shed_tint") is None, "the library itself stays as it is"
