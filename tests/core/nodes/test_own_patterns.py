"""Collage's own patterns and masks: against their meaning, computed independently."""

from __future__ import annotations

import math

import MaterialX as mx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.document.materialx import own_definitions, parse_document, validate, write_document
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet

OWN = {
    "clg_courses", "clg_streaks", "clg_weave", "clg_curve", "clg_rim_mask", "clg_slope_mask", "clg_height_mask",
}  # fmt: skip


BY_RAYS = {"clg_occlusion", "clg_edge_rays", "clg_nearness", "clg_thickness", "clg_part_mask"}
"""What looks around, which no standard node does."""


def outputs(library, category: str, given: dict[str, tuple[str, object]], names: list[str], points=None) -> dict:
    kind = "multioutput" if len(names) > 1 else "float"
    card = Card("n", category, kind, {name: Input(name, type_, value) for name, (type_, value) in given.items()})
    targets = {name: CardOutput("n", name if len(names) > 1 else "") for name in names}
    points = points or sheet(64, 64)
    plan = build_plan(library, Network().with_card(card), targets, strict=True)
    return {name: np.broadcast_to(value, (len(value), points.count)) for name, value in run(plan, points).items()}


def test_all_own_cards_are_defined_and_sound() -> None:
    document, standard = own_definitions(), mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), standard)
    document.setDataLibrary(standard)
    valid, message = document.validate()
    assert valid, message
    assert {one.getNodeString() for one in document.getNodeDefs()} >= OWN
    for one in own_definitions().getNodeDefs():
        graphs = [graph for graph in document.getNodeGraphs() if graph.getNodeDefString() == one.getName()]
        wanted = 0 if one.getNodeString() in BY_RAYS else 1
        assert len(graphs) == wanted, f"{one.getName()} is one graph of standard nodes"


def test_courses_are_rows_of_units_with_joints(library) -> None:
    given = {
        "repeats": ("vector2", (3.0, 6.0)),
        "shift": ("float", 0.5),
        "joint": ("float", 0.2),
        "bevel": ("float", 0.1),
        "uneven": ("float", 0.0),
    }
    found = outputs(library, "clg_courses", given, ["height", "mask", "random", "id", "place"])
    u, v = sheet(64, 64).uv_set()
    row = np.floor(v * 6)
    along = u * 3 + row * 0.5
    column = np.floor(along)
    x, y = along - column, v * 6 - row
    edge = np.minimum(np.minimum(x, 1 - x) * 2, np.minimum(y, 1 - y)) - 0.1  # in heights of a row
    t = np.clip(edge / 0.1, 0, 1)
    np.testing.assert_allclose(found["height"][0], t * t * (3 - 2 * t), atol=2e-4)
    assert (found["mask"][0][edge > 0.01] == 1).all()
    assert (found["mask"][0][edge < -0.01] == 0).all()
    np.testing.assert_allclose(found["place"], np.stack([x, y]), atol=2e-5)
    for number in np.unique(found["id"]):
        here = found["id"][0] == number
        assert np.ptp(found["random"][0][here]) == 0, "one random number a unit"
    assert len(np.unique(found["random"])) == len(np.unique(found["id"])) == 6 * 3 + 3
    assert found["random"].std() > 0.15


def test_another_seed_gives_other_units(library) -> None:
    first, second = (
        outputs(library, "clg_courses", {"seed": ("float", seed)}, ["random", "height"]) for seed in (0.0, 1.0)
    )
    assert np.abs(first["random"] - second["random"]).mean() > 0.1


def test_threads_go_over_and_under_in_turn(library) -> None:
    given = {"threads": ("vector2", (8.0, 8.0)), "width": ("float", 0.7)}
    found = outputs(library, "clg_weave", given, ["height", "mask", "upright", "random"])
    size = 64 // 8
    middles = found["upright"].reshape(64, 64)[::-1][size // 2 :: size, size // 2 :: size]
    i, j = np.meshgrid(np.arange(8), np.arange(8))
    np.testing.assert_array_equal(middles, (i + j) % 2 == 0)
    assert 0 <= found["height"].min() < 0.05
    assert 0.9 < found["height"].max() <= 1
    twill = outputs(library, "clg_weave", given | {"over": ("float", 2.0)}, ["upright", "height"])
    middles = twill["upright"].reshape(64, 64)[::-1][size // 2 :: size, size // 2 :: size]
    np.testing.assert_array_equal(middles, (i + j) % 3 < 2)


def test_streaks_run_along_v_and_cover_what_is_asked(library) -> None:
    cover = [
        float(outputs(library, "clg_streaks", {"coverage": ("float", share)}, ["out"], sheet(96, 96))["out"].mean())
        for share in (0.1, 0.5, 0.9)
    ]
    assert cover[0] < 0.2 < cover[1] < 0.8 < cover[2]
    value = outputs(library, "clg_streaks", {}, ["out"], sheet(96, 96))["out"].reshape(96, 96)
    across, along = np.abs(np.diff(value, axis=1)).mean(), np.abs(np.diff(value, axis=0)).mean()
    assert across > 4 * along
    faded = outputs(library, "clg_streaks", {"fade": ("float", 1.0)}, ["out"], sheet(96, 96))["out"].reshape(96, 96)
    assert faded[-20:].mean() < 0.4 * value[-20:].mean()


@given(st.lists(st.floats(-0.5, 1.5), min_size=5, max_size=5))
@settings(max_examples=25, deadline=None)
def test_a_curve_goes_through_its_points_and_holds_its_ends(library, heights: list[float]) -> None:
    names = ["darkest", "dark", "middle", "bright", "brightest"]
    given_values = {name: ("float", float(np.float32(one))) for name, one in zip(names, heights, strict=True)}
    for value, wanted in [*zip((0, 0.25, 0.5, 0.75, 1), heights, strict=True), (-3.0, heights[0]), (7.0, heights[4])]:
        found = outputs(library, "clg_curve", given_values | {"in": ("float", float(value))}, ["out"])["out"]
        assert found[0, 0] == pytest.approx(wanted, abs=1e-5)


def test_a_straight_curve_changes_nothing_and_a_colours_channels_are_curved_alike(library, calculate) -> None:
    ramp = '<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput"><input name="in" type="vector2" nodename="t"/></separate2>'
    straight = (
        ramp + '<clg_curve name="n" type="float"><input name="in" type="float" nodename="s" output="outx"/></clg_curve>'
    )
    np.testing.assert_allclose(calculate.graph(straight, "float")[0], sheet(8, 8).uv_set()[0], atol=1e-6)
    body = '<clg_curve name="n" type="color3"><input name="in" type="color3" value="0.1, 0.4, 0.8"/><input name="middle" type="float" value="0.9"/></clg_curve>'
    colour = calculate.graph(body, "color3")[:, 0]
    for channel, value in enumerate((0.1, 0.4, 0.8)):
        one = f'<clg_curve name="n" type="float"><input name="in" type="float" value="{value}"/><input name="middle" type="float" value="0.9"/></clg_curve>'
        assert colour[channel] == pytest.approx(float(calculate.graph(one, "float")[0, 0]), abs=1e-6)


@pytest.mark.parametrize("angle", [0, 15, 30, 40, 55, 70, 120, 180])
def test_the_slope_mask_falls_from_full_to_none(calculate, angle: float) -> None:
    up = f"{math.sin(math.radians(angle))}, {math.cos(math.radians(angle))}, 0"
    body = f"""<constant name="d" type="vector3"><input name="value" type="vector3" value="{up}"/></constant>
    <clg_slope_mask name="n" type="float"><input name="normal" type="vector3" nodename="d"/></clg_slope_mask>"""
    t = min(max((angle - 20) / 40, 0), 1)
    assert calculate.graph(body, "float")[0, 0] == pytest.approx(1 - t * t * (3 - 2 * t), abs=1e-3)


def test_the_rim_mask_grows_where_the_surface_turns_away(calculate) -> None:
    body = """<constant name="d" type="vector3"><input name="value" type="vector3" value="0.6, 0, 0.8"/></constant>
    <clg_rim_mask name="n" type="float"><input name="normal" type="vector3" nodename="d"/><input name="sharpness" type="float" value="2"/></clg_rim_mask>"""
    assert calculate.graph(body, "float")[0, 0] == pytest.approx((1 - 0.8) ** 2, abs=1e-5)


def test_the_height_mask_is_full_above_and_its_edge_can_be_broken(library) -> None:
    points = sheet(64, 64)
    height = points.position[1]
    given = {"low": ("float", 0.2), "high": ("float", 0.6), "broken": ("float", 0.0)}
    found = outputs(library, "clg_height_mask", given, ["out"], points)["out"][0]
    t = np.clip((height - 0.2) / 0.4, 0, 1)
    np.testing.assert_allclose(found, t * t * (3 - 2 * t), atol=1e-4)
    turned = outputs(
        library, "clg_height_mask", given | {"low": ("float", 0.6), "high": ("float", 0.2)}, ["out"], points
    )
    np.testing.assert_allclose(turned["out"][0], 1 - found, atol=1e-4)
    broken = outputs(library, "clg_height_mask", given | {"broken": ("float", 0.2)}, ["out"], points)["out"]
    row = broken.reshape(64, 64)[32]
    assert row.std() > 0.02, "the edge is no straight line any more"


def test_a_document_carries_the_definitions_it_uses_so_that_others_can_read_it(library) -> None:
    network = Network().with_card(Card("c", "clg_curve", "color3", {"in": Input("in", "color3", (0.1, 0.2, 0.3))}))
    network = network.with_card(Card("o", "multiply", "color3", {"in1": Input("in1", "color3", None, Wire("c"))}))
    text = write_document(network)
    names = {"ND_clg_curve_color3", "NG_clg_curve_color3", "ND_clg_curve_float", "ND_clg_curve_weight"}
    assert all(name in text for name in names)
    assert "clg_weave" not in text, "only what is used"
    assert validate(network) == []
    again = parse_document(text.encode())
    assert again == parse_document(write_document(again).encode())
    assert set(again.cards) == {"c", "o"}, "they are no cards of the document"
    assert not again.kept
    plain = mx.createDocument()
    mx.readFromXmlString(plain, text)
    standard = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), standard)
    plain.setDataLibrary(standard)
    assert plain.getNode("c").getNodeDef().getName() == "ND_clg_curve_color3"
    assert plain.getNode("c").getImplementation() is not None
