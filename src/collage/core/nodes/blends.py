"""Blending a foreground over a background. T. Porter, T. Duff, Compositing Digital Images, SIGGRAPH 1984."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.behaviour import Array, Context, behaviour

_TINY = 1e-8


def _mixed(effect: Array, bg: Array, mix: Array) -> Array:
    return mix * effect + (1 - mix) * bg


@behaviour(*(f"ND_mix_{kind}" for kind in (
    "float", "color3", "color4", "vector2", "vector3", "vector4",
    "color3_color3", "color4_color4", "vector2_vector2", "vector3_vector3", "vector4_vector4",
)))  # fmt: skip
def mix(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    """bg at 0, fg at 1; beyond that the line goes on."""
    return bg * (1 - mix) + fg * mix


@behaviour("plus")
def plus(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(bg + fg, bg, mix)


@behaviour("minus")
def minus(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(bg - fg, bg, mix)


@behaviour("difference")
def difference(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(np.abs(bg - fg), bg, mix)


@behaviour("screen")
def screen(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(1 - (1 - fg) * (1 - bg), bg, mix)


@behaviour("burn")
def burn(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    """Darkens bg by fg; 0 wherever fg is 0, as in the reference."""
    return np.where(np.abs(fg) < _TINY, 0.0, _mixed(1 - (1 - bg) / fg, bg, mix))


@behaviour("dodge")
def dodge(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    """Lightens bg by fg; 0 wherever fg is 1, as in the reference."""
    return np.where(np.abs(1 - fg) < _TINY, 0.0, _mixed(bg / (1 - fg), bg, mix))


@behaviour("inside")
def inside(ctx: Context, mask: Array, **inputs: Array) -> Array:
    return inputs["in"] * mask


@behaviour("outside")
def outside(ctx: Context, mask: Array, **inputs: Array) -> Array:
    return inputs["in"] * (1 - mask)


@behaviour("premult")
def premult(ctx: Context, **inputs: Array) -> Array:
    return _with_alpha(inputs["in"], inputs["in"][:3] * inputs["in"][3:])


@behaviour("unpremult")
def unpremult(ctx: Context, **inputs: Array) -> Array:
    return _with_alpha(inputs["in"], inputs["in"][:3] / inputs["in"][3:])


def _with_alpha(value: Array, colour: Array) -> Array:
    return np.concatenate([colour, value[3:]])


@behaviour("in")
def in_(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(fg * bg[3:], bg, mix)


@behaviour("out")
def out(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(fg * (1 - bg[3:]), bg, mix)


@behaviour("mask")
def mask(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(bg * fg[3:], bg, mix)


@behaviour("over")
def over(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    return _mixed(fg + bg * (1 - fg[3:]), bg, mix)


@behaviour("matte")
def matte(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    fg, bg = np.broadcast_arrays(fg, bg)
    left = 1 - fg[3:]
    effect = np.concatenate([fg[:3] * fg[3:] + bg[:3] * left, fg[3:] + bg[3:] * left])
    return _mixed(effect, bg, mix)


@behaviour("disjointover")
def disjointover(ctx: Context, fg: Array, bg: Array, mix: Array) -> Array:
    """fg over bg where the two cover different parts of the pixel."""
    fg, bg = np.broadcast_arrays(fg, bg)
    total = fg[3:] + bg[3:]
    share = np.where(np.abs(bg[3:]) < _TINY, 0.0, (1 - fg[3:]) / bg[3:])
    packed = np.where(np.abs(bg[3:]) < _TINY, 0.0, fg[:3] + bg[:3] * share)
    colour = np.where(total <= 1, fg[:3] + bg[:3], packed)
    return _mixed(np.concatenate([colour, np.minimum(total, 1)]), bg, mix)
