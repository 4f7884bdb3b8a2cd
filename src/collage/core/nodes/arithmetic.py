"""Arithmetic on numbers, colours and vectors, channel by channel, and the vector products."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.behaviour import Array, Context, behaviour

EPSILON = 1e-8


@behaviour("constant", "dot")
def constant(ctx: Context, **inputs: Array) -> Array:
    """What is typed in (`value`) or comes in (`in`)."""
    return inputs["value"] if "value" in inputs else inputs["in"]


@behaviour("time")
def time(ctx: Context, **inputs: Array) -> float:
    """A surface has no time: the definition's default."""
    return 0.0


@behaviour("frame")
def frame(ctx: Context, **inputs: Array) -> float:
    """A surface has no frame: the definition's default."""
    return 1.0


@behaviour("add")
def add(ctx: Context, in1: Array, in2: Array) -> Array:
    return in1 + in2


@behaviour("subtract")
def subtract(ctx: Context, in1: Array, in2: Array) -> Array:
    return in1 - in2


@behaviour("multiply")
def multiply(ctx: Context, in1: Array, in2: Array) -> Array:
    return in1 * in2


@behaviour("divide")
def divide(ctx: Context, in1: Array, in2: Array) -> Array:
    return in1 / in2


@behaviour("modulo")
def modulo(ctx: Context, in1: Array, in2: Array) -> Array:
    """The remainder, with the sign of the divisor."""
    return in1 - in2 * np.floor(in1 / in2)


@behaviour("fract")
def fract(ctx: Context, **inputs: Array) -> Array:
    return inputs["in"] - np.floor(inputs["in"])


@behaviour("invert")
def invert(ctx: Context, amount: Array, **inputs: Array) -> Array:
    return amount - inputs["in"]


@behaviour("absval")
def absval(ctx: Context, **inputs: Array) -> Array:
    return np.abs(inputs["in"])


@behaviour("floor")
def floor(ctx: Context, **inputs: Array) -> Array:
    return np.floor(inputs["in"])


@behaviour("ceil")
def ceil(ctx: Context, **inputs: Array) -> Array:
    return np.ceil(inputs["in"])


@behaviour("round")
def round_(ctx: Context, **inputs: Array) -> Array:
    """The nearest whole number, halves to the even one."""
    return np.rint(inputs["in"])


def power_of(base: Array, exponent: Array) -> Array:
    """base to the power of exponent as a graphics card has it, by logarithms.

    0 for a base of 0; not a number for one below 0, for 1 to the power of infinity, and infinity to that of 0.
    """
    undecided = ((base == 1) & (abs(exponent) == np.inf)) | ((base == np.inf) & (exponent == 0))
    value = np.where((base < 0) | undecided, np.float32(np.nan), np.power(base, exponent))
    return np.where(base == 0, np.float32(0), value)


@behaviour("power")
def power(ctx: Context, in1: Array, in2: Array) -> Array:
    """in1 to the power of in2; as in the reference 0 stays 0, and what is below 0 has no power."""
    return power_of(in1, in2)


@behaviour("safepower")
def safepower(ctx: Context, in1: Array, in2: Array) -> Array:
    """|in1| to the power of in2, with the sign of in1."""
    return np.sign(in1) * power_of(np.abs(in1), in2)


@behaviour("sin")
def sin(ctx: Context, **inputs: Array) -> Array:
    return np.sin(inputs["in"])


@behaviour("cos")
def cos(ctx: Context, **inputs: Array) -> Array:
    return np.cos(inputs["in"])


@behaviour("tan")
def tan(ctx: Context, **inputs: Array) -> Array:
    return np.tan(inputs["in"])


@behaviour("asin")
def asin(ctx: Context, **inputs: Array) -> Array:
    return np.arcsin(inputs["in"])


@behaviour("acos")
def acos(ctx: Context, **inputs: Array) -> Array:
    return np.arccos(inputs["in"])


@behaviour("atan2")
def atan2(ctx: Context, iny: Array, inx: Array) -> Array:
    """The angle of (inx, iny) in radians; that of (0, 0), which has none, is the reference's 3/4 pi, of iny's sign."""
    none = np.where(1 / iny < 0, np.float32(-0.75 * np.pi), np.float32(0.75 * np.pi))
    return np.where((inx == 0) & (iny == 0), none, np.arctan2(iny, inx))


@behaviour("sqrt")
def sqrt(ctx: Context, **inputs: Array) -> Array:
    return np.sqrt(inputs["in"])


@behaviour("ln")
def ln(ctx: Context, **inputs: Array) -> Array:
    return np.log(inputs["in"])


@behaviour("exp")
def exp(ctx: Context, **inputs: Array) -> Array:
    return np.exp(inputs["in"])


@behaviour("sign")
def sign(ctx: Context, **inputs: Array) -> Array:
    return np.sign(inputs["in"])


def held(value: Array, low: Array | float, high: Array | float) -> Array:
    """Values kept from low to high, as the reference does it: what is not a number becomes low."""
    return np.fmin(np.fmax(value, low), high)


@behaviour("clamp")
def clamp(ctx: Context, low: Array, high: Array, **inputs: Array) -> Array:
    return held(inputs["in"], low, high)


@behaviour("min")
def min_(ctx: Context, in1: Array, in2: Array) -> Array:
    return np.fmin(in1, in2)


@behaviour("max")
def max_(ctx: Context, in1: Array, in2: Array) -> Array:
    return np.fmax(in1, in2)


def dot3(a: Array, b: Array) -> Array:
    """Sum over the channels of the products, (1, n)."""
    products = a * b
    total = products[0].copy()
    for channel in products[1:]:
        total += channel
    return total[None]


@behaviour("magnitude")
def magnitude(ctx: Context, **inputs: Array) -> Array:
    return np.sqrt(dot3(inputs["in"], inputs["in"]))


@behaviour("normalize")
def normalize(ctx: Context, **inputs: Array) -> Array:
    return inputs["in"] / magnitude(ctx, **inputs)


@behaviour("dotproduct")
def dotproduct(ctx: Context, in1: Array, in2: Array) -> Array:
    return dot3(in1, in2)


@behaviour("crossproduct")
def crossproduct(ctx: Context, in1: Array, in2: Array) -> Array:
    return cross(in1, in2)


def cross(a: Array, b: Array) -> Array:
    """The cross product of (3, n) vectors."""
    a, b = np.broadcast_arrays(a, b)
    return np.stack([a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]])


@behaviour("rotate2d")
def rotate2d(ctx: Context, amount: Array, **inputs: Array) -> Array:
    """Turns (x, y) about the origin; a positive angle (degrees) turns clockwise with v up."""
    x, y = inputs["in"]
    turn = np.radians(amount[0])
    s, c = np.sin(turn), np.cos(turn)
    return np.stack(np.broadcast_arrays(c * x + s * y, c * y - s * x))


@behaviour("rotate3d")
def rotate3d(ctx: Context, amount: Array, axis: Array, **inputs: Array) -> Array:
    """Turns a vector about an axis (Rodrigues' formula, for row vectors), degrees."""
    vector = inputs["in"]
    axis = axis / np.sqrt(dot3(axis, axis))
    turn = np.radians(amount)
    s, c = np.sin(turn), np.cos(turn)
    return vector * c + cross(vector, axis) * s + axis * dot3(axis, vector) * (1 - c)


@behaviour("and")
def and_(ctx: Context, in1: Array, in2: Array) -> Array:
    return in1.astype(bool) & in2.astype(bool)


@behaviour("or")
def or_(ctx: Context, in1: Array, in2: Array) -> Array:
    return in1.astype(bool) | in2.astype(bool)


@behaviour("not")
def not_(ctx: Context, **inputs: Array) -> Array:
    return ~inputs["in"].astype(bool)
