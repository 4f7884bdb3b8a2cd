"""What a surface point has to say: place, directions, coordinates; and normals bent by maps and heights."""

from __future__ import annotations

import numpy as np

from collage.core.document.types import CHANNELS
from collage.core.nodes.arithmetic import dot3
from collage.core.nodes.behaviour import Array, Context, behaviour
from collage.core.nodes.geometric import in_space, own_property, spatial

SOBEL = 1.0 / 16.0  # the reference divides slopes by this many, "for parity with traditional Sobel filtering"


@behaviour("position", spatial=True)
def position(ctx: Context, space: str) -> Array:
    return spatial(ctx.at, "position", space)


@behaviour("normal", spatial=True)
def normal(ctx: Context, space: str) -> Array:
    return spatial(ctx.at, "normal", space)


@behaviour("tangent", spatial=True)
def tangent(ctx: Context, space: str, index: Array) -> Array:
    return _along(ctx, "tangent", space, index)


@behaviour("bitangent", spatial=True)
def bitangent(ctx: Context, space: str, index: Array) -> Array:
    return _along(ctx, "bitangent", space, index)


def _along(ctx: Context, what: str, space: str, index: Array) -> Array:
    """The tangent or bitangent of a UV set by its number, (3, n)."""
    points, number = ctx.at, int(index.flat[0])
    if number == 0:
        return spatial(points, what, space)
    found = points.tangents(number)[0 if what == "tangent" else 1]
    if space in ("object", "model"):
        return points.into_object(found)
    return in_space(points, found, space, is_place=False)


@behaviour("texcoord", spatial=True)
def texcoord(ctx: Context, index: Array) -> Array:
    names = list(ctx.at.uv)
    at = int(index.flat[0])
    place = ctx.at.uv_set(names[at] if at < len(names) else "")
    if ctx.output_type == "vector3":
        return np.concatenate([place, np.zeros((1, place.shape[1]), np.float32)])
    return place


@behaviour("geompropvalue", spatial=True)
def geompropvalue(ctx: Context, geomprop: str, default: Array) -> Array:
    """A UV set by its name, or a property of Collage's own; anything else has its default."""
    if geomprop in ctx.at.uv and ctx.output_type == "vector2":
        return ctx.at.uv[geomprop]
    own = own_property(ctx.at, geomprop, ctx.output_type)
    return own if own is not None else default


@behaviour("geompropvalueuniform")
def geompropvalueuniform(ctx: Context, geomprop: str, default: str) -> str:
    """Texts belong to no surface here: the default."""
    return default


@behaviour("geomcolor", spatial=True)
def geomcolor(ctx: Context, index: Array) -> Array:
    """The colours painted onto the mesh's corners, a set by its number; without them the definition's default, 0."""
    found, count = ctx.at.vertex_colour(int(index.flat[0])), CHANNELS[ctx.output_type]
    return found[:count] if found is not None else np.zeros((count, 1), np.float32)


@behaviour("normalmap")
def normalmap(ctx: Context, scale: Array, normal: Array, tangent: Array, bitangent: Array, **inputs: Array) -> Array:
    """The normal that a tangent-space normal map asks for, in world space.

    in : (3, n) as stored, 0..1 for -1..1; (0, 0, 0) counts as straight up.
    scale : strength, one number or one for each direction; 0 is flat.
    """
    value = inputs["in"]
    empty = dot3(value, value) == 0
    value = value * 2 - 1
    x = np.where(empty, 0, value[:1])
    y = np.where(empty, 0, value[1:2])
    z = np.where(empty, 1, value[2:3])
    bent = tangent * (x * scale[:1]) + bitangent * (y * scale[-1:]) + normal * z
    return bent / np.sqrt(np.maximum(dot3(bent, bent), 1e-20))


@behaviour("heighttonormal", spatial=True, heights=("in", "texcoord"))
def heighttonormal(
    ctx: Context, scale: Array, texcoord: Array, texcoord_du: Array, texcoord_dv: Array, **inputs: Array
) -> Array:
    """The normal map of a height: its slope in u and v, found one small step further.

    Returns (3, n), 0..1 for -1..1, as normalmap takes it. Where the coordinate stands still, or there is
    no UV set, the step along the surface itself counts.
    """
    points = ctx.at
    height = inputs["in"]
    rise_u = (inputs["in_du"] - height) * (scale * SOBEL)
    rise_v = (inputs["in_dv"] - height) * (scale * SOBEL)
    if points.uv:
        du, dv = texcoord_du - texcoord, texcoord_dv - texcoord
    else:
        nothing = np.zeros(points.count, np.float32)
        du, dv = np.stack([points.step_u, nothing]), np.stack([nothing, points.step_v])
    # cross product of (du.u, du.v, rise_u) and (dv.u, dv.v, rise_v)
    n = np.stack(
        np.broadcast_arrays(
            du[1] * rise_v[0] - rise_u[0] * dv[1],
            rise_u[0] * dv[0] - du[0] * rise_v[0],
            du[0] * dv[1] - du[1] * dv[0],
        )
    )
    length = np.sqrt(dot3(n, n))
    flat = length == 0
    n = np.where(n[2:] < 0, -n, n) / np.where(flat, 1, length)
    n = np.where(flat, np.array([[0], [0], [1]], np.float32), n)
    return n * 0.5 + 0.5
