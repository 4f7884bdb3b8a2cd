"""From one space to another: an object's own, and the world's."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.arithmetic import dot3
from collage.core.nodes.behaviour import Array, Context, behaviour
from collage.core.nodes.geometric import in_space, view

_OWN = ("object", "model")


def _moved(ctx: Context, vector: Array, fromspace: str, tospace: str) -> Array:
    """A direction from one space in the other; from the world also in the camera's or a named object's.

    Unknown names and equal spaces leave it as it is.
    """
    points = ctx.at
    if fromspace == "world" and tospace not in (*_OWN, "world"):
        return in_space(points, vector, tospace, is_place=False)
    if fromspace in _OWN and tospace == "world":
        return points.out_of_object(vector)
    if fromspace == "world" and tospace in _OWN:
        return points.into_object(vector)
    return vector


@behaviour("transformvector", spatial=True)
def transformvector(ctx: Context, fromspace: str, tospace: str, **inputs: Array) -> Array:
    return _moved(ctx, inputs["in"], fromspace, tospace)


@behaviour("transformnormal", spatial=True)
def transformnormal(ctx: Context, fromspace: str, tospace: str, **inputs: Array) -> Array:
    """As a vector, but of length 1."""
    value = _moved(ctx, inputs["in"], fromspace, tospace)
    return value / np.sqrt(dot3(value, value))


@behaviour("transformpoint", spatial=True)
def transformpoint(ctx: Context, fromspace: str, tospace: str, **inputs: Array) -> Array:
    points, value = ctx.at, inputs["in"]
    if fromspace == "world" and tospace not in (*_OWN, "world"):
        return in_space(points, value, tospace, is_place=True)
    own = points.object_position
    if own is None:
        return value
    if fromspace in _OWN and tospace == "world":
        return points.position + _moved(ctx, value - own, fromspace, tospace)
    if fromspace == "world" and tospace in _OWN:
        return own + _moved(ctx, value - points.position, fromspace, tospace)
    return value


@behaviour("viewdirection", spatial=True)
def viewdirection(ctx: Context, space: str) -> Array:
    """From the eye to the point, of length 1."""
    way = view(ctx)
    return _moved(ctx, way, "world", space) if space in _OWN else way
