"""From light to what a screen shows: exposure, tone, and how plain values are shown."""

from __future__ import annotations

import numpy as np

from collage.core.evaluate.run import Workers
from collage.core.images.colour import linear_to_srgb, srgb_to_linear
from collage.core.kernels import film as k
from collage.core.nodes.behaviour import Array
from collage.core.render.request import PictureRequest
from collage.core.render.samples import over_blocks

TONED_AWAY = 0.04
"""What the neutral tone mapper takes away from greys (Khronos PBR Neutral, 2024)."""


def developed(request: PictureRequest, linear: np.ndarray, workers: Workers | None = None) -> np.ndarray:
    """(pixels, 3) uint8, as a screen shows linear light (pixels, 3) float32 at the bench's exposure and tone."""
    out = np.empty(linear.shape, np.uint8)
    neutral = int(request.lit and request.bench.view_transform == "neutral")
    exposure = np.float32(exposure_of(request))
    over_blocks(workers, lambda cut: k.display(linear[cut], exposure, neutral, out[cut]), len(linear))
    return out


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
