"""Images on a surface."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.types import CHANNELS
from collage.core.images.colour import to_linear
from collage.core.images.pyramid import Pyramid
from collage.core.images.store import ImageRef
from collage.core.images.tiles import is_pattern
from collage.core.nodes.behaviour import Array, Beside, Context, behaviour


def fit_channels(value: Array, type_name: str) -> Array:
    """As many channels as the type has: grey spreads to colour, a missing alpha is 1."""
    count = CHANNELS[type_name]
    have = value.shape[0]
    if have == count:
        return value
    if have == 1:
        value = np.repeat(value, min(count, 3), axis=0)
    elif have < 3 <= count:
        value = np.repeat(value[:1], 3, axis=0) if count == 3 else value
    if value.shape[0] < count:
        ones = np.ones((count - value.shape[0], value.shape[1]), np.float32)
        value = np.concatenate([value, ones])
    return value[:count]


def detail(pyramid: Pyramid, place: Array, du: Array | Beside | None, dv: Array | Beside | None) -> Array | None:
    """Which level of an image the steps from the (2, n) places ask for; None for the full size."""
    if du is None or dv is None:
        return None
    if isinstance(du, Beside) or isinstance(dv, Beside):
        across = du.across if isinstance(du, Beside) else dv.across  # type: ignore[union-attr]
        return pyramid.detail_in_picture(place, across)
    return pyramid.detail(place, du, dv)


@behaviour("image", heights=("texcoord",), beside=True)
def image(
    ctx: Context,
    file: ImageRef,
    default: Array,
    texcoord: Array,
    uaddressmode: str,
    vaddressmode: str,
    filtertype: str,
    texcoord_du: Array | Beside | None,
    texcoord_dv: Array | Beside | None,
    **_frames: object,
) -> Array:
    """An image file at the coordinates; `default` where there is no file, or nothing outside the tile."""
    if not file.path or ctx.images is None:
        return to_linear(np.array(default, np.float32), file.space)
    place = texcoord if texcoord.shape[1] == ctx.at.count else np.broadcast_to(texcoord, (2, ctx.at.count))
    if is_pattern(file.path):
        return tiled(ctx, file, default, place, texcoord_du, texcoord_dv, filtertype)
    pyramid = ctx.images.open(file)
    room = ctx.room if ctx.room is not None and len(ctx.room) == pyramid.channels else None
    fine, modes = detail(pyramid, place, texcoord_du, texcoord_dv), (uaddressmode, vaddressmode)
    value = _read(pyramid, place, fine, modes, filtertype, default[:, 0], room)
    return fit_channels(pyramid.linear(value), ctx.output_type)


def _read(
    pyramid: Pyramid,
    place: Array,
    fine: Array | None,
    modes: tuple[str, str],
    filtertype: str,
    default: Array | None = None,
    room: Array | None = None,
) -> Array:
    """What an image has at places (2, n), between its texels as the filter says.

    fine : (n,) its levels; None for the full size, of which cubic is linear, as it is for the standard's reference.
    """
    value = pyramid.read(place, fine, modes, filtertype == "closest", default, room)
    if filtertype != "cubic" or fine is None or not (near := fine < 1).any():
        return value
    smooth = _cubic(pyramid, place, lambda at: pyramid.read(at, fine, modes, False, default))
    share = np.clip(1 - fine, 0, 1) * near  # of what is seen from afar the levels are smooth enough
    value += (smooth - value) * share
    return value


def _cubic(pyramid: Pyramid, place: Array, read: Callable[[Array], Array]) -> Array:
    """An image between its texels by cubic B-splines, which have no kinks: out of four linear reads (C. Sigg and
    M. Hadwiger, Fast third-order texture filtering, 2005)."""
    size = np.array([[pyramid.width], [pyramid.height]], np.float32)
    texel = place * size - 0.5
    whole = np.floor(texel)
    f = texel - whole
    first, last = (1 - f) ** 3 / 6, f**3 / 6
    low = first + (4 - 6 * f**2 + 3 * f**3) / 6  # the shares of the two texels before, and of the two after
    high = 1 - low
    before, after = whole + 0.5 - first / low, whole + 1.5 + last / high
    ends, shares = (before / size, after / size), (low, high)
    out = np.float32(0)
    for x in (0, 1):
        for y in (0, 1):
            at = np.stack([ends[x][0], ends[y][1]]).astype(np.float32)
            out = out + read(at) * (shares[x][0] * shares[y][1])
    return np.asarray(out)


def tiled(
    ctx: Context,
    file: ImageRef,
    default: Array,
    place: Array,
    du: Array | Beside | None,
    dv: Array | Beside | None,
    filtertype: str,
) -> Array:
    """An image in numbered tiles: each point reads the tile that it lies in, `default` where there is none."""
    assert ctx.images is not None
    out = np.empty((CHANNELS[ctx.output_type], place.shape[1]), np.float32)
    out[:] = to_linear(np.array(np.broadcast_to(default, (len(out), 1)), np.float32), file.space)
    column, row = np.floor(place[0]).astype(np.int32), np.floor(place[1]).astype(np.int32)
    for at, ref in ctx.images.tiles(file).items():
        here = np.flatnonzero((row == at[0]) & (column == at[1]))
        if here.size == 0:
            continue
        try:
            pyramid = ctx.images.open(ref)
        except CollageError:
            continue  # told when the plan was made
        inside = np.ascontiguousarray(place[:, here] - np.array([[at[1]], [at[0]]], np.float32))
        fine = detail(pyramid, place, du, dv)
        value = _read(pyramid, inside, None if fine is None else fine[here], ("clamp", "clamp"), filtertype)
        out[:, here] = fit_channels(pyramid.linear(value), ctx.output_type)
    return out
