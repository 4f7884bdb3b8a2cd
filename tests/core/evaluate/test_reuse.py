"""A plan that takes over what holds of the one before is the one that is made anew, and works less."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materialx import parse_document
from collage.core.document.model import Input, Network, Wire
from collage.core.evaluate.plan import CardOutput, Plan, build_plan
from collage.core.evaluate.reuse import changed
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.files import write_image
from collage.core.images.store import ImageStore
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.render.plans import Plans
from collage.core.render.surface import Surface, plan_surface

BODY = """<noise2d name="grain" type="float"/>
<multiply name="soft" type="float"><input name="in1" type="float" nodename="grain"/><input name="in2" type="float" value="0.5"/></multiply>
<nodegraph name="group"><input name="x" type="float" nodename="soft"/>
  <sin name="s" type="float"><input name="in" type="float" interfacename="x"/></sin>
  <output name="out" type="float" nodename="s"/></nodegraph>
<add name="sum" type="float"><input name="in1" type="float" nodegraph="group" output="out"/><input name="in2" type="float" nodename="soft"/></add>
<power name="other" type="float"><input name="in1" type="float" nodename="grain"/><input name="in2" type="float" value="2"/></power>"""
TARGETS = {"sum": CardOutput("sum"), "other": CardOutput("other")}
POINTS = sheet(16, 16)


def planned(calculate, network: Network, before: Plan | None = None, images: ImageStore | None = None) -> Plan:
    return build_plan(calculate.library, network, TARGETS, images=images, before=before)


def same(one: Plan, other: Plan) -> None:
    """Whether two plans name the same results, have the steps for them, and give the same values."""
    assert {key: one.outputs[key].key for key in one.outputs} == {key: other.outputs[key].key for key in other.outputs}
    assert {step.key for step in one.steps} == {step.key for step in other.steps}
    here, there = run(one, POINTS), run(other, POINTS)
    for name in here:
        np.testing.assert_array_equal(here[name], there[name])


def valued(network: Network, card: str, name: str, value: float) -> Network:
    return edits.set_value(network, card, name, "float", value)


EDITS = {
    "a value": lambda one: valued(one, "soft", "in2", 0.25),
    "a value at the end": lambda one: valued(one, "other", "in2", 3.0),
    "a wire": lambda one: one.with_card(
        one.cards["other"].with_input(Input("in2", "float", wire=Wire("soft")))
    ),
    "a skipped card": lambda one: edits.skip_cards(one, ["soft"], True),
    "a value in a group": lambda one: one.with_card(
        replace(one.cards["group"], network=one.cards["group"].network.with_card(
            replace(one.cards["group"].network.cards["s"], category="cos")))
    ),
    "the prefix of files": lambda one: replace(one, attributes={**one.attributes, "fileprefix": "maps/"}),
}  # fmt: skip


@pytest.mark.parametrize("how", EDITS)
def test_it_is_the_plan_that_is_made_anew(calculate, how: str) -> None:
    network, images = calculate.document(BODY), ImageStore()
    before = planned(calculate, network, images=images)
    after = EDITS[how](network)
    same(planned(calculate, after, before, images), planned(calculate, after))
    back = planned(calculate, network, planned(calculate, after, before, images), images)  # undone
    same(back, before)


def test_only_what_a_value_is_part_of_is_planned(calculate) -> None:
    network, images = calculate.document(BODY), ImageStore()
    before = planned(calculate, network, images=images)
    after = planned(calculate, valued(network, "other", "in2", 3.0), before, images)
    kept = {id(step) for step in before.steps}
    fresh = [step.function.__name__ for step in after.steps if id(step) not in kept]
    assert fresh == ["power"]


def test_what_shows_in_no_output_leaves_the_plan_as_it_is(calculate) -> None:
    network, images = calculate.document(BODY + '<noise2d name="aside" type="float"/>'), ImageStore()
    before = planned(calculate, network, images=images)
    moved = network.with_card(network.cards["grain"].with_attribute("xpos", "3"))
    assert planned(calculate, valued(network, "aside", "amplitude", 2.0), before, images) is before
    assert planned(calculate, moved, before, images) is before


def test_a_plan_with_problems_or_made_otherwise_is_no_help(calculate) -> None:
    network, images = calculate.document(BODY), ImageStore()
    broken = network.with_card(replace(network.cards["other"], category="mystery"))
    wrong = planned(calculate, broken, planned(calculate, network, images=images), images)
    assert [place[1] for place in wrong.problems] == ["other"]
    mended = planned(calculate, network, wrong, images)
    assert not mended.problems
    same(mended, planned(calculate, network))
    elsewhere = planned(calculate, network, mended, ImageStore())
    assert elsewhere is not mended, "another store has images of its own"


def test_a_definition_that_a_document_brings_along_may_change_what_uses_it(calculate) -> None:
    text = """<materialx version="1.39"><nodedef name="ND_own" node="own"><input name="in" type="float" value="1"/>
    <output name="out" type="float"/></nodedef><nodegraph name="NG_own" nodedef="ND_own">
    <multiply name="m" type="float"><input name="in1" type="float" interfacename="in"/><input name="in2" type="float" value="2"/></multiply>
    <output name="out" type="float" nodename="m"/></nodegraph>
    <own name="sum" type="float"><input name="in" type="float" value="3"/></own><own name="other" type="float"/></materialx>"""
    images, before = ImageStore(), None
    for value, wanted in ((2.0, 6.0), (5.0, 15.0)):
        document = parse_document(text.replace('value="2"', f'value="{value}"').encode())
        before = planned(calculate, document, before, images)
        assert run(before, POINTS)["sum"].ravel()[0] == pytest.approx(wanted)


def test_changed_names_what_takes_from_what_is_not_the_same() -> None:
    network = parse_document(f'<materialx version="1.39">{BODY}</materialx>'.encode())
    assert changed(network, valued(network, "soft", "in2", 0.1)) == {"soft", "group", "sum"}
    assert changed(network, network.without_cards({"soft"})) == {"soft", "group", "sum"}
    assert changed(network, network) == set()


def test_every_material_of_the_yard_is_planned_as_anew_whatever_value_changes(samples) -> None:
    """One number of each card of each material after the other, each on the plan before."""
    library, images = load_library(), ImageStore()
    project, folder = load_project(samples("yard"))[0], samples("yard") / "materials"
    tried = 0
    for network in project.materials.values():
        before: Surface | None = plan_surface(library, network, folder=folder, images=images)
        for card in list(network.cards.values())[::5]:
            numbers = [one for one in card.inputs.values() if one.type == "float" and isinstance(one.value, float)]
            for one in numbers[:1]:
                network = valued(network, card.name, one.name, one.value * 0.9 + 0.01)
                before = plan_surface(library, network, folder=folder, images=images, before=before)
                anew = plan_surface(library, network, folder=folder, images=ImageStore())
                assert before.key == anew.key
                assert {step.key for step in before.plan.steps} >= {step.key for step in anew.plan.steps if step.keep}
                tried += 1
    assert tried > 10


def test_a_file_that_changed_on_disk_is_planned_anew(tmp_path) -> None:
    library, images = load_library(), ImageStore()
    plans, path = Plans(images), tmp_path / "map.png"
    text = """<materialx version="1.39"><image name="map" type="color3"><input name="file" type="filename" value="map.png"/></image>
    <open_pbr_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="map"/>
    <input name="specular_roughness" type="float" value="{}"/></open_pbr_surface><surfacematerial name="m" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial></materialx>"""

    def surface(roughness: float) -> Surface:
        network = parse_document(text.format(roughness).encode())

        def make(before: Surface | None) -> Surface:
            made.append(before)
            return plan_surface(library, network, folder=tmp_path, images=images, before=before)

        return plans.get("m", network, (tmp_path,), make)

    made: list[Surface | None] = []
    write_image(path, np.full((4, 4, 3), 0.2, np.float32))
    first = surface(0.1)
    surface(0.2)
    assert made == [None, first]
    write_image(path, np.full((8, 8, 3), 0.7, np.float32))
    colours = [run(one.plan, POINTS)["base_color"][0, 0] for one in (surface(0.3), surface(0.4))]
    assert made[2] is None
    assert made[3] is not None
    assert colours == pytest.approx([0.7, 0.7], abs=0.01)
