"""Pictures with transparency, made ready to be filtered: linear light times alpha, so that no fringe can appear."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.base.progress import Progress, Steps, within
from collage.core.images.colour import srgb_to_linear
from collage.core.images.files import pixels_in_parts, writing
from collage.core.images.region import floats

NEARLY = 1.5 / 255  # by which a stored colour may be above its alpha in a premultiplied file: rounding
ROWS = 256
LARGEST = 4096  # pixels a side of a label
LOOKED_AT = 1024  # of a picture's shorter side, to tell whether it is premultiplied


def is_premultiplied(values: np.ndarray) -> bool:
    """Whether colours of (h, w, 4) values 0..1 are multiplied by alpha already: none is brighter than its alpha.

    Where nothing is partly transparent, a picture counts as plain.
    """
    alpha = values[:, :, 3:]
    partly = (alpha > NEARLY) & (alpha < 1 - NEARLY)
    clear = alpha <= NEARLY
    if not (partly | clear).any():
        return False
    if (clear & (values[:, :, :3] > NEARLY)).any():
        return False
    return bool((values[:, :, :3] <= alpha + NEARLY).all())


def premultiplied(values: np.ndarray, already: bool | None = None) -> np.ndarray:
    """(h, w, 4) float32 linear light times alpha, and alpha, of (h, w, 1 to 4) values 0..1 in sRGB.

    already : whether colours are multiplied by alpha; None to find out. Without alpha all is opaque.
    """
    values = values if values.ndim == 3 else values[:, :, None]
    height, width, channels = values.shape
    out = np.ones((height, width, 4), np.float32)
    out[:, :, :3] = values[:, :, :3] if channels >= 3 else values[:, :, :1]
    if has_alpha(channels):
        out[:, :, 3] = values[:, :, channels - 1]
    already = is_premultiplied(out) if already is None else already
    for start in range(0, height, ROWS):
        part = out[start : start + ROWS]
        if not np.isfinite(part.sum()):
            np.nan_to_num(part, copy=False)
        alpha = np.clip(part[:, :, 3:], 0, 1)
        colour = part[:, :, :3] / np.maximum(alpha, 1e-6) if already else part[:, :, :3]
        part[:, :, :3] = srgb_to_linear(np.clip(colour, 0, 1)) * alpha
        part[:, :, 3:] = alpha
    return out


def make_label_file(source: Path, target: Path, already: bool | None = None) -> Steps[Path]:
    """Writes a picture with its light multiplied by alpha, as half floats; a very large one at a whole part of its
    size, LARGEST a side at most. It is read some rows at a time. already : see `premultiplied`. Raises CollageError.
    """
    words = f"Reading {source.name}"
    yield Progress(words, 0.0)
    if already is None:
        already = yield from within(_looking(source), 0, 0.25, words)
    with pixels_in_parts(source, floats=True) as image:
        step = -(-max(image.shape[:2]) // LARGEST)
        height, width = (max(side // step, 1) for side in image.shape[:2])
        made, done, rest = np.empty((height, width, 4), np.float32), 0, np.empty((0, *image.shape[1:]))
        for part in image.parts:
            yield Progress(words, 0.25 + 0.25 * done / height)
            rows = np.concatenate([rest.astype(part.dtype), part])
            count = min(len(rows) // step, height - done)
            rest = rows[count * step :]
            if count:
                whole = floats(np.ascontiguousarray(rows[: count * step, : width * step]))
                light = premultiplied(whole, already)
                made[done : done + count] = np.add.reduce(
                    [light[down::step, across::step] for down in range(step) for across in range(step)]
                ) / (step * step)
                done += count
    yield from within(writing(target, made, bits=16), 0.5, 1)
    return target


def _looking(source: Path) -> Steps[bool]:
    """Whether a file is premultiplied, by some of its pixels. Raises CollageError."""
    with pixels_in_parts(source, floats=True) as image:
        if image.shape[2] != 4:
            return False
        look, done, some = max(min(image.shape[:2]) // LOOKED_AT, 1), 0, []
        for part in image.parts:
            yield Progress("", done / image.shape[0])
            some.append(floats(np.ascontiguousarray(part[-done % look :: look, ::look])))
            done += len(part)
    return is_premultiplied(np.concatenate(some))


def has_alpha(channels: int) -> bool:
    """Whether a picture of so many channels has transparency."""
    return channels in (2, 4)
