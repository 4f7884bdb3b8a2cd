"""From light to what a screen shows: exposure, tone, and how plain values are shown."""

from __future__ import annotations

from functools import partial

import numpy as np

from collage.core.evaluate.run import Workers
from collage.core.images.colour import linear_to_srgb, srgb_to_linear
from collage.core.kernels import Family
from collage.core.nodes.behaviour import Array
from collage.core.render.judging import EXPOSURE, in_stops
from collage.core.render.request import PictureRequest
from collage.core.render.samples import Samples, over_blocks

k = Family("film")

TONED_AWAY = 0.04
"""What the neutral tone mapper takes away from greys (Khronos PBR Neutral, 2024)."""


OPEN = 3  # the channel that holds how much of what lies behind all objects is seen


def on_film(samples: Samples, values: Array, workers: Workers | None = None) -> np.ndarray:
    """(pixels, 4) float32 of samples' values (4, n): light, and how much of the backdrop is seen."""
    picture = np.zeros((samples.width * samples.height, 4), np.float32)

    def fill(cut: slice) -> None:
        picture[cut, OPEN] = 1 - np.minimum(samples.covered[cut], 1)

    def gather(cut: slice, start: int = 0) -> None:
        cut = slice(start + cut.start, start + cut.stop)
        k.gather(values[:, cut], samples.pixel[cut], samples.weight[cut], picture)

    over_blocks(workers, fill, len(picture))
    for group in samples.groups:  # no two of those in the middle of a pixel share one
        alone = workers if not group.beside else None
        over_blocks(alone, partial(gather, start=group.start), group.points.count)
    return picture


STEPS = 4096

# by which light is encoded: the least that shows as each sRGB code, and the code of every step
_LEAST = np.append(srgb_to_linear((np.arange(256) - 0.5) / 255), 2).astype(np.float32)
_FIRST = (np.searchsorted(_LEAST, np.arange(STEPS + 1) / STEPS, "right") - 1).astype(np.uint8)


def developed(request: PictureRequest, linear: np.ndarray, workers: Workers | None = None) -> np.ndarray:
    """(pixels, 3) uint8, as a screen shows linear light (pixels, 3) float32 at the bench's exposure and tone."""
    out = np.empty(linear.shape, np.uint8)
    if request.mode == EXPOSURE and request.lit:
        shown = in_stops(linear * np.float32(exposure_of(request)))
        encode(shown, np.float32(1), 0, out)
        return out
    neutral = int(request.lit and request.bench.view_transform == "neutral")
    exposure = np.float32(exposure_of(request))
    over_blocks(workers, lambda cut: encode(linear[cut], exposure, neutral, out[cut]), len(linear))
    return out


def developed_finely(request: PictureRequest, linear: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint16: the same of (h, w, 3), with as many steps between black and white as 16 bits have."""
    light = np.ascontiguousarray(linear.reshape(-1, 3), np.float32)
    shown = np.empty_like(light)
    if request.mode == EXPOSURE and request.lit:
        shown = in_stops(light * np.float32(exposure_of(request)))
    else:
        neutral = int(request.lit and request.bench.view_transform == "neutral")
        k.toned(light, np.float32(exposure_of(request)), neutral, shown)
    codes = np.clip(linear_to_srgb(np.nan_to_num(shown)), 0, 1) * 65535 + 0.5
    return codes.astype(np.uint16).reshape(linear.shape)


def encode(linear: np.ndarray, exposure: np.float32, neutral: int, out: np.ndarray) -> None:
    """Writes what a screen shows of linear light (pixels, 3) to `out`, the same in uint8; see kernels.film.display."""
    k.display(linear, exposure, neutral, _LEAST, _FIRST, out)


def exposure_of(request: PictureRequest) -> float:
    """The factor on linear light; values that are looked at alone are not exposed."""
    return float(2.0**request.bench.exposure) if request.lit else 1.0


def background(request: PictureRequest) -> float:
    """Linear grey that shows as the bench's surround, whatever the exposure and tone."""
    grey = float(srgb_to_linear(np.array(request.bench.surround)))
    if request.lit and request.bench.view_transform == "neutral":
        grey += TONED_AWAY
    return grey / exposure_of(request)


def shown_value(value: Array, what: str, count: int) -> Array:
    """Values as they are shown alone: colours as light, numbers and vectors as plain grey levels. (3, count).

    value : (k, n) or (k, 1). what : a type, or the name of a surface input.
    """
    value = np.broadcast_to(value, (value.shape[0], count))
    colour = "color" in what
    if value.shape[0] == 2:
        value = np.concatenate([value, np.zeros((1, count), np.float32)])
    value = value[:3] if value.shape[0] >= 3 else np.repeat(value[:1], 3, axis=0)
    if "normal" in what:
        value = value * 0.5 + 0.5
    value = np.nan_to_num(value, nan=0.0)
    return value if colour else srgb_to_linear(np.clip(value, 0, 1)).astype(np.float32)


def to_display(value: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 of linear values, sRGB-encoded without any tone."""
    return (np.clip(linear_to_srgb(value), 0, 1) * 255 + 0.5).astype(np.uint8)
