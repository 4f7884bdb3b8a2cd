"""Images on a surface."""

from __future__ import annotations

import numpy as np

from collage.core.document.types import CHANNELS
from collage.core.images.pyramid import Pyramid
from collage.core.images.store import ImageRef
from collage.core.nodes.behaviour import Array, Context, behaviour


def detail_level(pyramid: Pyramid, place: Array, du: Array | None, dv: Array | None) -> Array | None:
    """Which level of the pyramid a pixel's footprint asks for, (n,); None reads the full size.

    du, dv : (2, n), the place one pixel further in each direction. A long thin footprint reads sharper
    than its length, up to a fourth of it, so that slanted surfaces do not blur.
    """
    if du is None or dv is None:
        return None
    size = np.array([[pyramid.width], [pyramid.height]], np.float32)
    a = (du - place) * size
    b = (dv - place) * size
    across = np.sqrt(a[0] ** 2 + a[1] ** 2)
    along = np.sqrt(b[0] ** 2 + b[1] ** 2)
    long, short = np.maximum(across, along), np.minimum(across, along)
    width = np.maximum(np.sqrt(long * short), long / 4)
    return np.log2(np.maximum(width, 1e-6))


def fit_channels(value: Array, type_name: str) -> Array:
    """As many channels as the type has: grey spreads to colour, a missing alpha is 1."""
    count = CHANNELS[type_name]
    have = value.shape[0]
    if have == count:
        return value
    if have < 3 <= count:
        value = np.repeat(value[:1], 3, axis=0) if have == 1 or count == 3 else value
    if value.shape[0] < count:
        ones = np.ones((count - value.shape[0], value.shape[1]), np.float32)
        value = np.concatenate([value, ones])
    return value[:count]


@behaviour("image", spatial=True, heights=("texcoord",))
def image(
    ctx: Context,
    file: ImageRef,
    default: Array,
    texcoord: Array,
    uaddressmode: str,
    vaddressmode: str,
    filtertype: str,
    texcoord_du: Array | None,
    texcoord_dv: Array | None,
    **_frames: object,
) -> Array:
    """An image file at the coordinates; `default` where there is no file, or nothing outside the tile."""
    if not file.path or ctx.images is None:
        return default
    count = ctx.at.count
    pyramid = ctx.images.open(file)
    place = np.broadcast_to(texcoord, (2, count))
    inside = _default_channels(default, pyramid.channels)
    value = pyramid.read(
        place,
        detail_level(pyramid, place, texcoord_du, texcoord_dv),
        (uaddressmode, vaddressmode),
        filtertype == "closest",
        inside,
    )
    return fit_channels(value, ctx.output_type)


def _default_channels(default: Array, channels: int) -> Array:
    """The default in as many channels as the file has; its first point's, for images take one colour."""
    values = default[:, 0]
    if values.size >= channels:
        return values[:channels]
    return np.concatenate([values, np.full(channels - values.size, values[-1], np.float32)])
