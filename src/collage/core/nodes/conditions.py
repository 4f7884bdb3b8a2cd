"""Choosing between inputs by comparing two values."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from collage.core.nodes.behaviour import Array, Context, Picks, behaviour


def _choose(condition: Array, inputs: dict[str, Array]) -> Array:
    if "in1" not in inputs:
        return condition
    return np.where(condition, inputs["in1"], inputs["in2"])


def _pick(compare: Callable[[Array, Array], Array]) -> Picks:
    """Which input a comparison of two constants lets through."""

    def pick(constants: Mapping[str, Any]) -> str | None:
        if "value1" not in constants or "value2" not in constants:
            return None
        return "in1" if bool(compare(constants["value1"], constants["value2"]).all()) else "in2"

    return pick


@behaviour("ifgreater", picks=_pick(np.greater))
def ifgreater(ctx: Context, value1: Array, value2: Array, **inputs: Array) -> Array:
    return _choose(value1 > value2, inputs)


@behaviour("ifgreatereq", picks=_pick(np.greater_equal))
def ifgreatereq(ctx: Context, value1: Array, value2: Array, **inputs: Array) -> Array:
    return _choose(value1 >= value2, inputs)


@behaviour("ifequal", picks=_pick(np.equal))
def ifequal(ctx: Context, value1: Array, value2: Array, **inputs: Array) -> Array:
    return _choose(value1 == value2, inputs)
