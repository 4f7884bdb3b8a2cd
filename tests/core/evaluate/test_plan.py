"""Plans: folding, merging, groups, skips, errors; and how much an edit costs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.base.budget import Budget
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.materialx import parse_document
from collage.core.document.model import Input, Network, Wire, inside
from collage.core.evaluate.literals import LOUD
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import Cancelled, ResultCache, Workers, exchanged, run
from collage.core.evaluate.steps import Const
from collage.core.geometry.points import sheet

NOISE = '<noise2d name="{}" type="float"/>'


def plan_of(calculate, body: str, *names: str, **options):
    document = calculate.document(body)
    return build_plan(calculate.library, document, {name: CardOutput(name) for name in names}, **options)


def test_constants_are_folded_away(calculate) -> None:
    body = '<constant name="a" type="float"><input name="value" type="float" value="3"/></constant><sqrt name="b" type="float"><input name="in" type="float" nodename="a"/></sqrt>'
    plan = plan_of(calculate, body, "b")
    assert plan.steps == ()
    found = plan.outputs["b"]
    assert isinstance(found, Const)
    assert found.value.shape == (1, 1)
    assert found.value[0, 0] == pytest.approx(3**0.5)


def test_equal_cards_become_one_step(calculate) -> None:
    body = (
        NOISE.format("a")
        + NOISE.format("b")
        + '<add name="c" type="float"><input name="in1" type="float" nodename="a"/><input name="in2" type="float" nodename="b"/></add>'
    )
    names = [step.function.__name__ for step in plan_of(calculate, body, "c").steps]
    assert names.count("noise2d") == 1


def test_a_groups_inputs_come_from_its_card_or_from_outside(calculate) -> None:
    body = """<constant name="k" type="float"><input name="value" type="float" value="5"/></constant>
    <nodegraph name="g"><input name="x" type="float" value="2"/><input name="y" type="float" nodename="k"/>
      <multiply name="m" type="float"><input name="in1" type="float" interfacename="x"/><input name="in2" type="float" interfacename="y"/></multiply>
      <output name="product" type="float" nodename="m"/><output name="plain" type="float" interfacename="x"/></nodegraph>
    <add name="sum" type="float"><input name="in1" type="float" nodegraph="g" output="product"/><input name="in2" type="float" nodegraph="g" output="plain"/></add>"""
    plan = plan_of(calculate, body, "sum", strict=True)
    assert run(plan, sheet(2, 2))["sum"][0, 0] == 12


def test_a_skipped_card_lets_its_main_input_through(calculate) -> None:
    body = '<constant name="a" type="float"><input name="value" type="float" value="0.25"/></constant><invert name="b" type="float"><input name="in" type="float" nodename="a"/></invert><sin name="c" type="float"><input name="in" type="float" nodename="b"/></sin>'
    document = calculate.document(body)
    target = {"c": CardOutput("c")}
    plain = build_plan(calculate.library, document, target).outputs["c"]
    skipped = build_plan(calculate.library, edits.skip_cards(document, ["b"], True), target).outputs["c"]
    assert isinstance(plain, Const)
    assert isinstance(skipped, Const)
    assert plain.value[0, 0] == pytest.approx(np.sin(0.75))
    assert skipped.value[0, 0] == pytest.approx(np.sin(0.25))


def test_a_skipped_source_counts_as_not_wired(calculate) -> None:
    document = calculate.document(
        NOISE.format("a")
        + '<add name="b" type="float"><input name="in1" type="float" nodename="a"/><input name="in2" type="float" value="7"/></add>'
    )
    found = build_plan(calculate.library, edits.skip_cards(document, ["a"], True), {"b": CardOutput("b")}).outputs["b"]
    assert isinstance(found, Const)
    assert found.value[0, 0] == 7


BROKEN = {
    "an unknown kind": ('<mystery name="x" type="color3"/>', "Collage has no"),
    "a loop": ('<invert name="x" type="color3"><input name="in" type="color3" nodename="y"/></invert><invert name="y" type="color3"><input name="in" type="color3" nodename="x"/></invert>', "circle"),
    "a missing source": ('<invert name="x" type="color3"><input name="in" type="color3" nodename="gone"/></invert>', "not there"),
    "a missing image": ('<image name="x" type="color3"><input name="file" type="filename" value="gone.png"/></image>', "not there"),
    "types that do not meet": ('<constant name="v" type="vector2"/><invert name="x" type="color3"><input name="in" type="color3" nodename="v"/></invert>', "puts out vector2"),
}  # fmt: skip


@pytest.mark.parametrize("what", BROKEN)
def test_what_is_broken_shows_loud_with_a_sentence_and_the_rest_goes_on(calculate, what: str) -> None:
    body, words = BROKEN[what]
    plan = plan_of(calculate, body + NOISE.format("fine"), "x", "fine")
    values = run(plan, sheet(4, 4))
    np.testing.assert_allclose(np.broadcast_to(values["x"], (3, 16))[:, 0], LOUD, atol=1e-6)
    assert np.ptp(values["fine"]) > 0
    error = plan.problems[((), "x")]
    assert words in str(error)
    assert error.remedy


def test_strict_plans_raise_the_first_problem(calculate) -> None:
    with pytest.raises(CollageError, match="Collage has no"):
        plan_of(calculate, BROKEN["an unknown kind"][0], "x", strict=True)


def test_a_missing_image_gives_the_standards_default_when_strict(calculate) -> None:
    body = '<image name="x" type="color3"><input name="file" type="filename" value="gone.png"/><input name="default" type="color3" value="0.1, 0.2, 0.3"/></image>'
    values = run(plan_of(calculate, body, "x", strict=True), sheet(2, 2))
    np.testing.assert_allclose(np.broadcast_to(values["x"], (3, 4))[:, 0], (0.1, 0.2, 0.3))


def test_problems_in_a_group_are_told_where_they_are(calculate) -> None:
    body = (
        '<nodegraph name="g"><mystery name="x" type="float"/><output name="o" type="float" nodename="x"/></nodegraph>'
    )
    document = calculate.document(body)
    plan = build_plan(calculate.library, document, {"o": CardOutput("g", "o")})
    assert (("g",), "x") in plan.problems


def long_network(calculate, count: int) -> Network:
    body = '<fractal3d name="c0" type="float"/>' + "".join(
        f'<add name="c{at}" type="float"><input name="in1" type="float" nodename="c{at - 1}"/><input name="in2" type="float" value="0.{at}1"/></add>'
        for at in range(1, count)
    )
    return calculate.document(body)


def test_a_chain_of_thousands_of_cards_is_computed(calculate) -> None:
    document = long_network(calculate, 3000)
    plan = build_plan(calculate.library, document, {"last": CardOutput("c2999")})
    assert run(plan, sheet(4, 4))["last"].shape == (1, 16)


def test_an_edit_evaluates_only_what_lies_behind_it_and_undo_nothing(calculate) -> None:
    document, points, cache = long_network(calculate, 40), sheet(32, 32), ResultCache()
    target = {"last": CardOutput("c39")}
    before = run(build_plan(calculate.library, document, target), points, cache=cache)["last"]
    first = cache.evaluated
    assert first >= 40
    edited = edits.set_value(document, "c35", "in2", "float", 0.5)
    after = run(build_plan(calculate.library, edited, target), points, cache=cache)["last"]
    assert cache.evaluated - first == 5
    assert np.abs(after - before).max() > 0.01
    again = run(build_plan(calculate.library, document, target), points, cache=cache)["last"]
    assert cache.evaluated - first == 5, "an undo finds everything"
    np.testing.assert_array_equal(again, before)


def test_blocks_and_threads_change_nothing(calculate) -> None:
    document, points = long_network(calculate, 6), sheet(300, 200)
    target = {"a": CardOutput("c5"), "b": CardOutput("c0")}
    plain = run(build_plan(calculate.library, document, target), points)
    workers = Workers(3)
    spread = run(build_plan(calculate.library, document, target), points, workers=workers, cache=ResultCache())
    workers.close()
    for name in target:
        np.testing.assert_array_equal(plain[name], spread[name])


def test_work_can_be_called_off_between_blocks(calculate) -> None:
    plan = build_plan(calculate.library, long_network(calculate, 3), {"a": CardOutput("c2")})
    shares: list[float] = []
    with pytest.raises(Cancelled):
        run(plan, sheet(400, 400), cancelled=lambda: len(shares) >= 2, progress=shares.append)
    assert len(shares) == 2


def test_the_cache_stays_within_its_budget() -> None:
    cache = ResultCache(Budget(4000))
    for number in range(10):
        cache.put(f"r{number}", 1, np.zeros((1, 250), np.float32))
    assert cache.get("r9", 1) is not None
    assert cache.get("r0", 1) is None


def test_wires_inside_an_open_group_can_be_looked_at(calculate) -> None:
    body = '<nodegraph name="g"><constant name="a" type="float"><input name="value" type="float" value="4"/></constant><output name="o" type="float" nodename="a"/></nodegraph>'
    document = calculate.document(body)
    assert inside(document, ("g",)).cards["a"].inputs["value"] == Input("value", "float", 4.0)
    plan = build_plan(calculate.library, document, {"a": CardOutput("a", "", ("g",))})
    assert run(plan, sheet(1, 1))["a"][0, 0] == 4
    assert Wire("a") == Wire("a", "")


def test_a_group_without_outputs_is_told(library) -> None:
    network = parse_document(b'<materialx version="1.39"><nodegraph name="g"/></materialx>')
    with pytest.raises(CollageError, match="no output"):
        build_plan(library, network, {"out": CardOutput("g", "out")}, strict=True)


def test_a_pictures_slopes_come_from_its_neighbours_as_from_evaluating_one_step_further(calculate) -> None:
    body = """<texcoord name="t" type="vector2"/><multiply name="m" type="vector2"><input name="in1" type="vector2" nodename="t"/><input name="in2" type="float" value="5"/></multiply>
    <fractal2d name="h" type="float"><input name="texcoord" type="vector2" nodename="m"/></fractal2d>
    <heighttonormal name="n" type="vector3"><input name="in" type="float" nodename="h"/></heighttonormal>"""
    points = sheet(64, 48)
    assert points.across == 64
    assert sheet(63, 48).across == sheet(64, 47).across == 0
    quick = calculate.graph(body, "vector3", points)
    slow = calculate.graph(body, "vector3", replace(points, across=0))
    np.testing.assert_allclose(quick, slow, atol=2e-4)
    assert points.cut(0, 128).across == 64
    assert points.cut(0, 64).across == points.cut(64, 192).across == 0, "a part that cuts a two by two"


@pytest.mark.parametrize(("axis", "wanted"), [(0, [1, 0, 3, 2, 5, 4, 7, 6]), (1, [4, 5, 6, 7, 0, 1, 2, 3])])
def test_neighbours_are_exchanged_in_rows_or_columns(axis: int, wanted: list[int]) -> None:
    values = np.arange(8, dtype=np.float32)[None]
    np.testing.assert_array_equal(exchanged(values, axis, 4)[0], wanted)
    assert exchanged(values[:, :1], axis, 4).shape == (1, 1)
