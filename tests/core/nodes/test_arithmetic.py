"""Arithmetic against double-precision NumPy and against laws."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from collage.core.nodes import arithmetic, conditions, matrices
from collage.core.nodes.behaviour import Context

CTX = Context(None)
numbers = st.floats(-50, 50, width=32)


def row(*values: float) -> np.ndarray:
    return np.array([values], np.float32)


BINARY = {
    "add": (lambda a, b: a + b),
    "subtract": (lambda a, b: a - b),
    "multiply": (lambda a, b: a * b),
    "divide": (lambda a, b: a / b),
    "min": np.minimum,
    "max": np.maximum,
}


@pytest.mark.parametrize("category", BINARY)
@pytest.mark.parametrize(("kind", "a", "b"), [
    ("float", (2.5,), (-0.75,)),
    ("color3", (0.1, 0.2, 3.0), (4.0, -0.5, 0.25)),
    ("vector2", (1.0, -2.0), (3.0, 5.0)),
    ("vector4", (1.0, -2.0, 0.5, 8.0), (3.0, 5.0, -1.0, 0.125)),
])  # fmt: skip
def test_binary_cards_work_channel_by_channel(calculate, category, kind, a, b) -> None:
    text = lambda values: ", ".join(map(str, values))  # noqa: E731
    found = calculate.node(category, kind, {"in1": (kind, text(a)), "in2": (kind, text(b))})
    assert found.shape == (len(a), 64)
    np.testing.assert_allclose(found[:, 0], BINARY[category](np.array(a), np.array(b)), rtol=1e-6)


UNARY = {
    "absval": (-1.25, 1.25), "floor": (-1.25, -2.0), "ceil": (-1.25, -1.0), "round": (2.5, 2.0), "sin": (0.7, np.sin(0.7)),
    "cos": (0.7, np.cos(0.7)), "tan": (0.7, np.tan(0.7)), "asin": (0.3, np.arcsin(0.3)), "acos": (0.3, np.arccos(0.3)),
    "sqrt": (2.0, np.sqrt(2)), "ln": (3.0, np.log(3)), "exp": (1.5, np.exp(1.5)), "sign": (-4.0, -1.0), "fract": (-0.25, 0.75),
}  # fmt: skip


@pytest.mark.parametrize("category", UNARY)
def test_unary_cards_give_the_textbook_value(calculate, category) -> None:
    given_value, wanted = UNARY[category]
    found = calculate.node(category, "float", {"in": ("float", str(given_value))})
    np.testing.assert_allclose(found[0, 0], wanted, rtol=2e-6)


@given(numbers, st.floats(0.125, 20, width=32), st.sampled_from([-1, 1]))
def test_the_remainder_has_the_sign_of_the_divisor(x: float, size: float, sign: int) -> None:
    divisor = np.float32(sign * size)
    rest = arithmetic.modulo(CTX, row(x), row(divisor))[0, 0]
    assert abs(rest) <= abs(divisor) * (1 + 1e-5)
    assert rest == 0 or np.sign(rest) == sign or abs(rest) < 1e-4
    whole = (np.float64(x) - rest) / np.float64(divisor)
    assert abs(whole - round(whole)) < 1e-3


@given(numbers, numbers)
def test_inverting_twice_changes_nothing(amount: float, value: float) -> None:
    once = arithmetic.invert(CTX, row(amount), **{"in": row(value)})
    twice = arithmetic.invert(CTX, row(amount), **{"in": once})
    np.testing.assert_allclose(twice, row(value), atol=1e-4)


@given(st.tuples(numbers, numbers, numbers), st.tuples(numbers, numbers, numbers))
def test_the_cross_product_is_upright_on_both_and_as_long_as_the_area(a, b) -> None:
    a, b = np.array(a)[:, None].astype(np.float32), np.array(b)[:, None].astype(np.float32)
    c = arithmetic.crossproduct(CTX, a, b).astype(np.float64)
    scale = max(float(np.abs(a).max() * np.abs(b).max()), 1e-3)
    assert abs((c * a).sum()) / scale < 1e-2 * max(np.abs(a).max(), 1)
    np.testing.assert_allclose(c[:, 0], np.cross(a[:, 0].astype(float), b[:, 0].astype(float)), atol=1e-3 * scale)


def test_length_dot_product_and_normalising(calculate) -> None:
    assert calculate.node("magnitude", "float", {"in": ("vector3", "2, -3, 6")})[0, 0] == pytest.approx(7)
    assert (
        calculate.node("dotproduct", "float", {"in1": ("vector3", "1, 2, 3"), "in2": ("vector3", "4, -5, 6")})[0, 0]
        == 12
    )
    found = calculate.node("normalize", "vector2", {"in": ("vector2", "3, 4")})[:, 0]
    np.testing.assert_allclose(found, (0.6, 0.8), rtol=1e-6)


@settings(deadline=None)
@given(st.floats(-360, 360), st.tuples(numbers, numbers))
def test_turning_there_and_back_changes_nothing(angle: float, place) -> None:
    at = np.array(place, np.float32)[:, None]
    there = arithmetic.rotate2d(CTX, row(angle), **{"in": at})
    back = arithmetic.rotate2d(CTX, row(-angle), **{"in": there})
    np.testing.assert_allclose(back, at, atol=1e-3)
    np.testing.assert_allclose(np.hypot(*there), np.hypot(*at), atol=1e-3)


def test_a_positive_angle_turns_clockwise_with_v_up() -> None:
    found = arithmetic.rotate2d(CTX, row(90.0), **{"in": np.array([[1.0], [0.0]], np.float32)})
    np.testing.assert_allclose(found[:, 0], (0, -1), atol=1e-6)
    x, y, z = np.eye(3, dtype=np.float32)[:, :, None]
    turned = arithmetic.rotate3d(CTX, row(90.0), z, **{"in": x})
    np.testing.assert_allclose(turned, -y, atol=1e-6)
    np.testing.assert_allclose(arithmetic.rotate3d(CTX, row(33.0), x, **{"in": x}), x, atol=1e-6)


def test_choosing_by_comparison() -> None:
    a, b = row(1, 2, 3), row(2, 2, 2)
    low, high = row(10, 10, 10), row(20, 20, 20)
    assert conditions.ifgreater(CTX, a, b, in1=low, in2=high).tolist() == [[20, 20, 10]]
    assert conditions.ifgreatereq(CTX, a, b, in1=low, in2=high).tolist() == [[20, 10, 10]]
    assert conditions.ifequal(CTX, a, b, in1=low, in2=high).tolist() == [[20, 10, 20]]


@pytest.mark.parametrize(
    ("which", "wanted"), [("-1", 1), ("0", 1), ("0.9", 1), ("1", 2), ("4.5", 5), ("9.9", 10), ("10", 0)]
)
def test_a_switch_counts_from_the_first_input(calculate, which: str, wanted: float) -> None:
    inputs = {f"in{number}": ("float", str(number)) for number in range(1, 11)}
    assert calculate.node("switch", "float", {**inputs, "which": ("float", which)})[0, 0] == wanted


def test_matrices_act_on_row_vectors(calculate) -> None:
    rng = np.random.default_rng(5)
    a, b, v = rng.normal(size=(3, 3)), rng.normal(size=(3, 3)), rng.normal(size=3)
    flat = lambda m: m.reshape(9, 1).astype(np.float32)  # noqa: E731
    np.testing.assert_allclose(matrices.multiply_matrix(CTX, flat(a), flat(b))[:, 0].reshape(3, 3), a @ b, atol=1e-5)
    moved = matrices.transformmatrix(CTX, flat(a), **{"in": v[:, None].astype(np.float32)})
    np.testing.assert_allclose(moved[:, 0], v @ a, atol=1e-5)
    inverse = matrices.invertmatrix(CTX, **{"in": flat(a)})[:, 0].reshape(3, 3)
    np.testing.assert_allclose(inverse @ a, np.eye(3), atol=1e-4)
    assert matrices.determinant(CTX, **{"in": flat(a)})[0, 0] == pytest.approx(np.linalg.det(a), rel=1e-4)
    found = calculate.node(
        "transformmatrix", "vector2", {"in": ("vector2", "1, 2"), "mat": ("matrix33", "1,0,0, 0,1,0, 5,7,1")}
    )
    np.testing.assert_allclose(found[:, 0], (6, 9))
