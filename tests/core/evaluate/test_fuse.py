"""Arithmetic that runs as one program gives what the functions themselves give."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.document import edits
from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.evaluate.fuse import Program, fuse
from collage.core.evaluate.plan import CardOutput, Plan, build_plan
from collage.core.evaluate.run import ResultCache, block_size, run
from collage.core.evaluate.trace import NotFollowed, Symbol, Trace
from collage.core.geometry.points import Points, sheet
from collage.core.kernels.elementwise import NAMES, OPERATIONS, run_program
from collage.core.nodes.library import Library

SPECIAL = np.float32([0, -0.0, 1, -1, 0.5, -2.5, 3, 1e-30, -1e30, np.inf, -np.inf, np.nan])

NUMPY = {
    "copy": lambda a: a,
    "negative": np.negative,
    "absolute": np.abs,
    "floor": np.floor,
    "ceil": np.ceil,
    "trunc": np.trunc,
    "rint": np.rint,
    "sqrt": np.sqrt,
    "sign": np.sign,
    "not": lambda a: 1 - a,
    "log2": np.log2,
    "exp2": np.exp2,
    "add": np.add,
    "subtract": np.subtract,
    "multiply": np.multiply,
    "divide": np.divide,
    "minimum": np.minimum,
    "maximum": np.maximum,
    "fmin": np.fmin,
    "fmax": np.fmax,
    "less": np.less,
    "less_equal": np.less_equal,
    "equal": np.equal,
    "not_equal": np.not_equal,
    "power": lambda a, b: np.where(a < 0, np.nan, np.where(a == 0, 0, np.power(np.abs(a).astype(np.float64), b))),
    "multiply_add": lambda a, b, c: a * b + c,
    "where": lambda a, b, c: np.where(a != 0, b, c),
}


@pytest.mark.parametrize("name", NAMES)
def test_each_operation_of_the_machine_is_numpys(name: str) -> None:
    operands = {"multiply_add": 3, "where": 3}.get(name, 1 if NAMES.index(name) < NAMES.index("add") else 2)
    grids = np.meshgrid(*[SPECIAL] * operands, indexing="ij")
    rng = np.random.default_rng(3)
    inputs = [np.concatenate([grid.ravel(), rng.normal(0, 3, 900).astype(np.float32)]) for grid in grids]
    out = np.empty((1, inputs[0].size), np.float32)
    code = np.array([[OPERATIONS[name], 3, 0, 1, 2], [0, -1, 3, 0, 0]], np.int32)
    given_rows = [np.ascontiguousarray(one)[None] for one in (inputs * 3)[:3]]
    run_program(code, np.zeros(0, np.float32), given_rows, [out], 4)
    with np.errstate(all="ignore"):
        wanted = np.asarray(NUMPY[name](*inputs), np.float32)
    if name == "power":  # infinite bases and exponents are left to the processor
        calm = np.isfinite(inputs[0]) & np.isfinite(inputs[1])
        out, wanted = out[:, calm], wanted[calm]
    np.testing.assert_allclose(out[0], wanted, rtol=4e-6, atol=1e-6)


def graph(body: str, kind: str = "color3") -> Network:
    text = f'<nodegraph name="g">{body}<output name="out" type="{kind}" nodename="n"/></nodegraph>'
    return parse_document(f'<materialx version="1.39">{text}</materialx>'.encode())


def plan_of(library: Library, network: Network) -> Plan:
    return build_plan(library, network, {"out": CardOutput("g", "out")})


def alone(plan: Plan, points: Points) -> np.ndarray:
    """The result with every step run by its own function."""
    separate = Plan(plan.steps, plan.outputs, {}, plan.images)
    last = {step.key: at for at, step in enumerate(separate.steps)}
    key = (tuple(last), frozenset(one.name for one in plan.outputs.values()))
    separate.memo[key] = (list(separate.steps), [[] for _ in separate.steps])
    return run(separate, points)["out"]


CHAIN = """
<position name="p" type="vector3"/><convert name="a" type="color3"><input name="in" type="vector3" nodename="p"/></convert>
<contrast name="b" type="color3"><input name="in" type="color3" nodename="a"/><input name="amount" type="color3" value="2,1.5,0.7"/></contrast>
<hsvadjust name="c" type="color3"><input name="in" type="color3" nodename="b"/><input name="amount" type="vector3" value="0.3,1.4,0.9"/></hsvadjust>
<mix name="d" type="color3"><input name="fg" type="color3" nodename="c"/><input name="bg" type="color3" nodename="a"/><input name="mix" type="float" value="0.35"/></mix>
<smoothstep name="e" type="color3"><input name="in" type="color3" nodename="d"/><input name="low" type="color3" value="0.1,0.2,0"/><input name="high" type="color3" value="0.8,0.9,1"/></smoothstep>
<overlay name="f" type="color3"><input name="fg" type="color3" nodename="e"/><input name="bg" type="color3" nodename="b"/></overlay>
<colorcorrect name="n" type="color3"><input name="in" type="color3" nodename="f"/><input name="gamma" type="float" value="1.7"/><input name="saturation" type="float" value="1.2"/></colorcorrect>
"""


def test_a_chain_of_arithmetic_is_one_program_and_gives_the_same(library: Library) -> None:
    plan = plan_of(library, graph(CHAIN))
    work = fuse(plan.steps, {one.name for one in plan.outputs.values()})
    assert sum(isinstance(piece, Program) for piece in work) == 1
    assert len(work) == 2, "only the position is no arithmetic"
    points = sheet(37, 29)
    np.testing.assert_allclose(run(plan, points)["out"], alone(plan, points), atol=2e-5)


@given(
    st.lists(st.sampled_from(["add", "subtract", "multiply", "divide", "min", "max", "power"]), min_size=1, max_size=9),
    st.data(),
)
@settings(max_examples=40, deadline=None, derandomize=True)
def test_any_chain_gives_what_its_functions_give(library: Library, chain: list[str], data: st.DataObject) -> None:
    body = '<position name="p" type="vector3"/><convert name="c0" type="color3"><input name="in" type="vector3" nodename="p"/></convert>'
    for at, category in enumerate(chain, start=1):
        number = data.draw(st.sampled_from([-1.5, 0.0, 0.25, 1.0, 2.0]))
        other = (
            f'nodename="c{data.draw(st.integers(0, at - 1))}"'
            if data.draw(st.booleans())
            else f'value="{number}, {number}, 0.5"'
        )
        name = "n" if at == len(chain) else f"c{at}"
        body += f'<{category} name="{name}" type="color3"><input name="in1" type="color3" nodename="c{at - 1}"/><input name="in2" type="color3" {other}/></{category}>'
    plan, points = plan_of(library, graph(body)), sheet(9, 7)
    found = np.broadcast_to(run(plan, points)["out"], (3, 63))
    wanted = np.broadcast_to(alone(plan, points), (3, 63))
    calm = np.isfinite(wanted) & (np.abs(wanted) < 1e4)  # beyond, a rounding error may decide between far values
    np.testing.assert_allclose(found[calm], wanted[calm], rtol=2e-3, atol=2e-4)


def test_what_looks_at_values_is_not_followed() -> None:
    value = Symbol(Trace(), [0, 1, 2])
    with pytest.raises(NotFollowed):
        bool(value > 1)
    with pytest.raises(NotFollowed):
        np.sort(value)
    with pytest.raises(NotFollowed):
        value + np.zeros((3, 50), np.float32)
    with pytest.raises(NotFollowed):
        np.sin(value)


def test_equal_operations_are_written_down_once() -> None:
    trace = Trace()
    value = Symbol(trace, [trace.input("a", 0)])
    before = (value * 2.0 + 1.0).rows, len(trace.operations)
    assert ((value * 2.0 + 1.0).rows, len(trace.operations)) == before
    assert (value * 1.0 + 0.0).rows == value.rows, "what adds nothing is left out"


def test_truths_go_in_and_out_of_a_program(calculate) -> None:
    body = """<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput"><input name="in" type="vector2" nodename="t"/></separate2>
    <ifgreater name="a" type="boolean"><input name="value1" type="float" nodename="s" output="outx"/><input name="value2" type="float" value="0.5"/></ifgreater>
    <ifgreater name="b" type="boolean"><input name="value1" type="float" nodename="s" output="outy"/><input name="value2" type="float" value="0.5"/></ifgreater>
    <xor name="n" type="boolean"><input name="in1" type="boolean" nodename="a"/><input name="in2" type="boolean" nodename="b"/></xor>"""
    found = calculate.graph(body, "boolean", size=4)
    u, v = sheet(4, 4).uv_set()
    np.testing.assert_array_equal(found[0] != 0, (u > 0.5) != (v > 0.5))


def forty(library: Library, last: float) -> Plan:
    from benchmarks.graphs import forty as text

    document = parse_document(text(last).encode())
    network = document.cards["g"].network
    assert network is not None
    return build_plan(
        library, network, {card: CardOutput(card) for card in network.cards if card == list(network.cards)[-1]}
    )


def test_an_edit_near_the_end_of_forty_cards_runs_only_what_follows(library: Library) -> None:
    """Counted in steps: the network is first computed with all of its cards shown, as on the board."""
    cache, points = ResultCache(), sheet(16, 16)
    run(forty(library, 0.5), points, cache=cache)
    whole = cache.evaluated
    run(forty(library, 0.6), points, cache=cache)
    after = cache.evaluated - whole
    assert 1 <= after <= 3
    assert after <= whole / 10
    run(forty(library, 0.5), points, cache=cache)
    assert cache.evaluated - whole - after == 0, "going back costs nothing"


def test_blocks_are_many_enough_for_the_threads_and_small_enough_for_the_cache() -> None:
    assert block_size(100, 2) == 16_384
    assert block_size(300_000, 2) == 300_000 // 16
    assert block_size(26_015, 2) == 13_008, "two threads, two blocks"
    assert block_size(67_751, 2) == 11_292, "six, not five"
    assert block_size(2**20, 2) == 65_536
    assert block_size(2**24, 2) == 65_536
    assert block_size(2**24, 2, 3000) == 66_000, "whole rows of two by two"


def test_rows_of_another_form_are_refused() -> None:
    code = np.array([[0, -1, 0, 0, 0]], np.int32)
    good, bad = np.zeros((1, 8), np.float32), np.zeros((1, 8), np.float64)
    with pytest.raises(ValueError, match="contiguous"):
        run_program(code, np.zeros(0, np.float32), [bad], [good], 1)
    with pytest.raises(ValueError, match="contiguous"):
        run_program(code, np.zeros(0, np.float32), [np.zeros((1, 16), np.float32)[:, ::2]], [good], 1)


def test_an_edit_in_the_document_reaches_a_program(library: Library) -> None:
    network = graph(CHAIN).cards["g"].network
    assert network is not None
    points = sheet(5, 5)
    first = run(build_plan(library, network, {"out": CardOutput("d")}), points)["out"]
    changed = edits.set_value(network, "d", "mix", "float", 1.0)
    second = run(build_plan(library, changed, {"out": CardOutput("d")}), points)["out"]
    wanted = run(build_plan(library, network, {"out": CardOutput("c")}), points)["out"]
    assert np.abs(first - second).max() > 1e-3
    np.testing.assert_allclose(second, wanted, atol=1e-6)


@pytest.mark.parametrize("times", [1, 2, 3, 5, 12])
def test_a_whole_power_is_a_product_for_numbers_below_zero_too(times: int) -> None:
    found = Symbol(Trace(), [np.float32(-3)]) ** times
    assert found.rows == (np.float32((-3) ** times),)
    with pytest.raises(NotFollowed):
        Symbol(Trace(), [np.float32(2)]) ** 0.5
