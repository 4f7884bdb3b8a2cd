"""Choosing between inputs by comparing two values."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.behaviour import Array, Context, behaviour


def _choose(condition: Array, inputs: dict[str, Array]) -> Array:
    if "in1" not in inputs:
        return condition
    return np.where(condition, inputs["in1"], inputs["in2"])


@behaviour("ifgreater")
def ifgreater(ctx: Context, value1: Array, value2: Array, **inputs: Array) -> Array:
    return _choose(value1 > value2, inputs)


@behaviour("ifgreatereq")
def ifgreatereq(ctx: Context, value1: Array, value2: Array, **inputs: Array) -> Array:
    return _choose(value1 >= value2, inputs)


@behaviour("ifequal")
def ifequal(ctx: Context, value1: Array, value2: Array, **inputs: Array) -> Array:
    return _choose(value1 == value2, inputs)
