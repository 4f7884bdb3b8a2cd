"""Masks on several inputs, effects over any material, and the cards that combine masks, against their definitions."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document.making import card, given
from collage.core.document.materials import new_material, surface_card
from collage.core.document.materialx import parse_document, write_document
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.evaluate.plan import CardInput, CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.nodes.effects import EFFECTS, HEIGHT, MASK, effects_of, with_effect, without_effect
from collage.core.nodes.masked import masked_inputs, with_mask, without_mask
from collage.core.nodes.states import states
from collage.core.project.folder import load_project


def plain() -> Network:
    """A material with a colour of its own, a wired roughness, and nothing for its metalness."""
    network = new_material()
    rough = card("rough", "ramplr", "float", (0, 0), valuel=("float", 0.2), valuer=("float", 0.6))
    ramp = card("ramp", "ramptb", "float", (0, 1), valuet=("float", 1.0), valueb=("float", 0.0))
    surface = surface_card(network).with_input(given("base_color", "color3", (0.5, 0.4, 0.3)))
    surface = surface.with_input(given("specular_roughness", "float", Wire("rough")))
    return network.with_card(rough).with_card(ramp).with_card(surface)


def values(library, network: Network, *names: str) -> dict[str, np.ndarray]:
    surface = surface_card(network)
    plan = build_plan(library, network, {name: CardInput(surface.name, name) for name in names}, strict=True)
    return {name: np.broadcast_to(one, (len(one), 256)) for name, one in run(plan, sheet(16, 16)).items()}


def test_inputs_follow_one_mask_and_are_let_go_without_a_trace(library) -> None:
    before = plain()
    wanted = {"base_color": (0.1, 0.9, 0.2), "specular_roughness": 0.9, "base_metalness": 1.0}
    masked = with_mask(library, before, Wire("ramp"), wanted, (2.0, 0.0))
    found, plainly = (values(library, one, *wanted) for one in (masked, before))
    mask = values_of(library, before, "ramp")
    for name, value in wanted.items():
        there = np.broadcast_to(np.array(value, np.float32).reshape(-1, 1), plainly[name].shape)
        np.testing.assert_allclose(found[name], plainly[name] * (1 - mask) + there * mask, atol=1e-6)
    assert set(masked_inputs(masked, "ramp")) == set(wanted)
    assert without_mask(masked, "ramp") == before


def values_of(library, network: Network, name: str) -> np.ndarray:
    return np.broadcast_to(run(build_plan(library, network, {"m": CardOutput(name)}), sheet(16, 16))["m"], (1, 256))


def test_two_masks_one_over_the_other_are_let_go_in_either_order(library) -> None:
    before = plain().with_card(card("other", "ramplr", "float", (0, 3), valuel=("float", 0.0), valuer=("float", 1.0)))
    first = with_mask(library, before, Wire("ramp"), {"base_metalness": 1.0, "base_color": (1.0, 0.0, 0.0)}, (2, 0))
    both = with_mask(library, first, Wire("other"), {"base_metalness": 0.5, "base_color": (0.0, 0.0, 1.0)}, (3, 0))
    assert without_mask(without_mask(both, "other"), "ramp") == before
    assert without_mask(without_mask(both, "ramp"), "other") == before
    alone = with_mask(library, before, Wire("other"), {"base_metalness": 0.5, "base_color": (0.0, 0.0, 1.0)}, (3, 0))
    left = values(library, without_mask(both, "ramp"), "base_metalness", "base_color")
    for name, value in values(library, alone, "base_metalness", "base_color").items():
        np.testing.assert_allclose(left[name], value, atol=1e-6)


def test_a_masked_document_is_written_and_read_again_and_still_let_go(library) -> None:
    before = plain()
    masked = with_mask(library, before, Wire("ramp"), {"base_metalness": 1.0}, (2, 0))
    read = parse_document(write_document(masked).encode())
    assert set(masked_inputs(read, "ramp")) == {"base_metalness"}
    assert "base_metalness" not in surface_card(without_mask(read, "ramp")).inputs


@pytest.mark.parametrize("name", list(EFFECTS))
def test_every_effect_goes_over_a_material_and_comes_off_it(library, name: str) -> None:
    before, effect = plain(), EFFECTS[name]
    after, made = with_effect(library, before, effect, (0.0, 5.0), 0.3)
    group = after.cards[made]
    assert effects_of(after) == {made: name}
    assert 3 <= len(group.inputs) <= 6, "values that are shown"
    assert all(one.attributes.get("uiname") for one in group.inputs.values())
    assert MASK in group.network.outputs
    channels = [one for one in group.network.outputs if one not in (MASK, HEIGHT)]
    assert channels
    targets = {one: CardInput(surface_card(after).name, one) for one in (*channels, "geometry_normal")}
    plan = build_plan(library, after, targets, strict=True)
    assert not plan.problems
    for value in run(plan, sheet(16, 16)).values():
        assert np.isfinite(value).all()
    names = {*group.inputs, *group.network.cards}
    assert len(names) == len(group.inputs) + len(group.network.cards), "names in a group are used once"
    read = parse_document(write_document(after).encode())
    assert read.cards[made].network.cards.keys() == group.network.cards.keys()
    assert without_effect(after, made) == before
    twice, second = with_effect(library, after, effect, (0.0, 9.0), 0.3)
    assert without_effect(without_effect(twice, made), second) == before


@pytest.mark.parametrize("sample", ["potting-shed", "yard"])
def test_every_effect_goes_over_every_material_of_the_samples_and_comes_off(library, samples, sample: str) -> None:
    project, _ = load_project(samples(sample))
    for before in project.materials.values():
        for effect in EFFECTS.values():
            after, made = with_effect(library, before, effect, (0.0, 20.0), 0.3)
            assert without_effect(after, made) == before


def test_an_effect_at_no_amount_leaves_the_material_as_it_is(library) -> None:
    before = plain()
    for effect in EFFECTS.values():
        after, made = with_effect(library, before, effect, (0.0, 5.0), 0.3)
        none = after.with_card(after.cards[made].with_input(Input("amount", "float", 0.0)))
        names = ("base_color", "specular_roughness", "base_metalness")
        for name, value in values(library, none, *names).items():
            np.testing.assert_allclose(value, values(library, before, *names)[name], atol=1e-6)


def evaluated(library, category: str, **inputs: object) -> np.ndarray:
    kinds = {bool: "boolean", int: "integer"}
    network = Network()
    wired = {}
    for name, one in inputs.items():
        if isinstance(one, Card):
            network = network.with_card(one)
            wired[name] = Input(name, "float", None, Wire(one.name))
        else:
            wired[name] = Input(name, kinds.get(type(one), "float"), one)
    network = network.with_card(Card("m", category, "float", wired))
    plan = build_plan(library, network, {"m": CardOutput("m")}, strict=True)
    return np.broadcast_to(run(plan, sheet(64, 4))["m"], (1, 256))[0]


RAMP = card("ramp", "ramplr", "float", (0, 0), valuel=("float", 0.0), valuer=("float", 1.0))
FALL = card("fall", "ramplr", "float", (0, 1), valuel=("float", 1.0), valuer=("float", 0.0))


@pytest.mark.parametrize("contrast", [0.0, 0.5, 0.9, 1.0])
def test_height_blend(library, contrast: float) -> None:
    """A plain mix at equal heights, and at full contrast a clean cut along the crossing of two ramps."""
    u = sheet(64, 4).uv_set()[0]
    even = evaluated(library, "clg_height_blend", bg=0.3, fg=0.3, mix=RAMP, contrast=contrast)
    np.testing.assert_allclose(even, u, atol=1e-5)
    found = evaluated(library, "clg_height_blend", bg=FALL, fg=RAMP, mix=0.5, contrast=contrast)
    if contrast == 1:
        assert np.array_equal(found, (u > 0.5).astype(np.float32))
        filled = evaluated(library, "clg_height_blend", bg=FALL, fg=RAMP, mix=0.5, contrast=1.0, offset=0.4)
        assert np.array_equal(filled, (2 * u - 1 + 0.4 > 0).astype(np.float32))
    else:
        np.testing.assert_allclose(found, np.clip(0.5 + (2 * u - 1) * contrast / (1 - contrast), 0, 1), atol=1e-4)


@pytest.mark.parametrize("soft", [True, False])
def test_combined_masks(library, soft: bool) -> None:
    u = sheet(64, 4).uv_set()[0]
    a, b = u, np.full_like(u, 0.3)
    rules = [
        (0, a * b, np.minimum(a, b)),
        (1, a + b - a * b, np.maximum(a, b)),
        (2, a * (1 - b), np.minimum(a, 1 - b)),
    ]
    for how, softly, plainly in rules:
        found = evaluated(library, "clg_combine_masks", in1=RAMP, in2=0.3, how=how, soft=soft)
        np.testing.assert_allclose(found, softly if soft else plainly, atol=1e-6)


def test_a_broken_mask_moves_its_edge_by_the_pattern_and_never_grows_where_there_is_none(library) -> None:
    u = sheet(64, 4).uv_set()[0]
    found = evaluated(library, "clg_break_mask", **{"in": RAMP}, contrast=4.0, broken=0.6, pattern=0.9)
    np.testing.assert_allclose(found, np.clip((u + 0.4 * 0.6 - 0.5) * 4 + 0.5, 0, 1), atol=1e-5)
    assert evaluated(library, "clg_break_mask", **{"in": 0.0}, contrast=4.0, broken=0.9, pattern=1.0).max() == 0


@pytest.mark.parametrize("grow", [-0.8, -0.3, 0.0, 0.4, 0.9])
def test_a_grown_mask_is_half_full_where_it_was_less_so_and_keeps_its_ends(library, grow: float) -> None:
    u = sheet(64, 4).uv_set()[0]
    found = evaluated(library, "clg_grow_mask", **{"in": RAMP}, grow=grow)
    if grow == 0:
        np.testing.assert_allclose(found, u, atol=1e-5)
    row = np.interp(0.5 - grow / 2, u[:64], found.ravel()[:64])
    assert row == pytest.approx(0.5, abs=0.01)
    assert (np.diff(found.ravel()[:64]) > 0).all()
    for end in (0.0, 1.0):
        assert evaluated(library, "clg_grow_mask", **{"in": end}, grow=grow).ravel()[0] == pytest.approx(end, abs=1e-4)


def test_a_mask_grown_all_the_way_fills_what_it_touches_and_shrunk_leaves_what_is_full(library) -> None:
    assert evaluated(library, "clg_grow_mask", **{"in": 0.02}, grow=1.0).min() == 1
    assert evaluated(library, "clg_grow_mask", **{"in": 0.98}, grow=-1.0).max() < 0.01
    assert evaluated(library, "clg_grow_mask", **{"in": 0.0}, grow=1.0).max() == 0


def test_every_card_for_masks_is_computed(library) -> None:
    told = {one.definition.category: one for one in states(library)}
    for name in ("clg_crevice_mask", "clg_edge_mask", "clg_distance_mask", "clg_thickness", "clg_height_blend"):
        assert told[name].evaluated
