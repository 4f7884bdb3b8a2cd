"""A region of a picture: cropped, straightened, turned by quarters, one channel of it, at another size."""

from __future__ import annotations

import math

import numpy as np
import OpenImageIO as oiio
from pydantic import Field

from collage.core.base.errors import CollageError
from collage.core.base.frozen import Frozen
from collage.core.base.progress import Steps, finished
from collage.core.images.colour import LUMINANCE
from collage.core.images.files import MAX_SIDE
from collage.core.images.perspective import Corners, rectangle, straight


class Region(Frozen):
    """What is taken of a picture.

    corners, bulge, proportion : straightened first, as `perspective.straight` says. angle : degrees by which it is
    turned back then, so that what leans stands straight. left, top, right, bottom : shares of its width and height,
    0 to 1. turns : quarter turns to the left. channel : "all", "r", "g", "b", "a" or
    "luminance". size : of the longer side in pixels; 0 keeps it.
    """

    left: float = Field(0.0, ge=0, le=1)
    top: float = Field(0.0, ge=0, le=1)
    right: float = Field(1.0, ge=0, le=1)
    bottom: float = Field(1.0, ge=0, le=1)
    corners: Corners | None = None
    bulge: float = Field(0.0, ge=-0.5, le=0.5)
    proportion: float = Field(0.0, ge=0, le=100)
    angle: float = Field(0.0, ge=-45, le=45)
    turns: int = 0
    channel: str = "all"
    size: int = Field(0, ge=0, le=MAX_SIDE)


def taken(pixels: np.ndarray, region: Region) -> np.ndarray:
    """The region of (h, w, c) pixels of any kind, as float32 0..1. Raises CollageError for an empty one."""
    return finished(taking(pixels, region))


def taking(pixels: np.ndarray, region: Region) -> Steps[np.ndarray]:
    """`taken`, step by step: pictures at a slant take a while."""
    values = yield from upright(pixels, region)
    height, width = values.shape[:2]
    x0, x1 = round(region.left * width), round(region.right * width)
    y0, y1 = round(region.top * height), round(region.bottom * height)
    if x1 - x0 < 8 or y1 - y0 < 8:
        raise CollageError("The region is too small.", remedy="Draw it at least eight pixels wide and high.")
    values = np.rot90(values[y0:y1, x0:x1], region.turns % 4)
    values = one_channel(values, region.channel)
    if region.size:
        values = resized(values, region.size)
    return np.ascontiguousarray(values)


def upright(pixels: np.ndarray, region: Region) -> Steps[np.ndarray]:
    """The whole picture, straightened and turned: (h, w, c) float32, on which the region is drawn."""
    values = floats(pixels)
    if region.corners is not None or region.bulge:
        values = yield from straight(values, region.corners, region.bulge, region.proportion)
    return straightened(values, region.angle) if region.angle else values


def taken_size(size: tuple[int, int], region: Region) -> tuple[int, int]:
    """(width, height) of the region of a picture of (width, height), before it is resized. Raises CollageError for
    corners that enclose nothing."""
    width, height = size if region.corners is None else rectangle(region.corners, size, region.proportion)
    if region.angle:
        width, height = inner_size(width, height, region.angle)
    across = round(region.right * width) - round(region.left * width)
    down = round(region.bottom * height) - round(region.top * height)
    return (down, across) if region.turns % 2 else (across, down)


def floats(pixels: np.ndarray) -> np.ndarray:
    """(h, w, c) float32 of pixels of any kind, whole numbers scaled to 0..1; floats may be the same array."""
    top = {"uint8": 255, "uint16": 65535}.get(pixels.dtype.name, 1)
    if top == 1:
        values = pixels.astype(np.float32, copy=False)
    else:
        values = np.empty(pixels.shape, np.float32)
        np.divide(pixels, np.float32(top), out=values, casting="unsafe")
    return values if values.ndim == 3 else values[:, :, None]


def one_channel(values: np.ndarray, channel: str) -> np.ndarray:
    """(h, w, 1) of one channel, or of the luminance; all of them for "all"."""
    if channel == "all":
        return values
    if channel == "luminance":
        return luminance(values)[:, :, None]
    number = "rgba".find(channel)
    if number < 0 or number >= values.shape[2]:
        raise CollageError(f"The picture has no channel “{channel}”.", remedy="Choose one that it has.")
    return values[:, :, number : number + 1]


def luminance(values: np.ndarray) -> np.ndarray:
    """(h, w) of (h, w, c) values with the weights of Rec. 709."""
    if values.shape[2] < 3:
        return values[:, :, 0]
    return values[:, :, :3] @ LUMINANCE.astype(np.float32)  # type: ignore[no-any-return]


def straightened(values: np.ndarray, angle: float) -> np.ndarray:
    """Turned about the middle by degrees, counter-clockwise, and cut to the largest part without empty corners.

    values : (h, w, c) float32. Returns (h', w', c) float32.
    """
    height, width = values.shape[:2]
    turned = oiio.ImageBufAlgo.rotate(_buffer(values), math.radians(-angle), filtername="lanczos3")
    pixels = np.asarray(turned.get_pixels(oiio.FLOAT)).reshape(height, width, -1)
    across, down = inner_size(width, height, angle)
    x, y = (width - across) // 2, (height - down) // 2
    return np.clip(pixels[y : y + down, x : x + across], 0, max(1.0, float(values.max())))


def inner_size(width: int, height: int, angle: float) -> tuple[int, int]:
    """Width and height of the largest upright rectangle of the same proportions in a turned one."""
    s, c = abs(math.sin(math.radians(angle))), abs(math.cos(math.radians(angle)))
    scale = min(width / (width * c + height * s), height / (width * s + height * c))
    return max(int(width * scale), 1), max(int(height * scale), 1)


def resized(values: np.ndarray, longer: int) -> np.ndarray:
    """At another size, the longer side in pixels, filtered (Lanczos). values : (h, w, c) float32."""
    height, width = values.shape[:2]
    scale = longer / max(height, width)
    new = (max(round(width * scale), 1), max(round(height * scale), 1))
    if new == (width, height):
        return values
    roi = oiio.ROI(0, new[0], 0, new[1], 0, 1, 0, values.shape[2])
    made = oiio.ImageBufAlgo.resize(_buffer(values), "lanczos3", 0.0, roi)
    return np.clip(
        np.asarray(made.get_pixels(oiio.FLOAT)).reshape(new[1], new[0], -1), float(values.min()), float(values.max())
    )


def smaller(pixels: np.ndarray, longer: int) -> np.ndarray:
    """A picture of any kind for looking at, its longer side at most so many pixels: (h, w, c) float32."""
    step = max(1, max(pixels.shape[:2]) // (2 * longer))
    values = floats(np.ascontiguousarray(pixels[::step, ::step]))
    return resized(values, longer) if max(values.shape[:2]) > longer else values


def _buffer(values: np.ndarray) -> oiio.ImageBuf:
    values = np.ascontiguousarray(values, np.float32)
    height, width, channels = values.shape
    made = oiio.ImageBuf(oiio.ImageSpec(width, height, channels, oiio.FLOAT))
    made.set_pixels(oiio.ROI(0, width, 0, height, 0, 1, 0, channels), values)
    return made
