"""Maps made from others: height from a photograph, normals and occlusion from a height, roughness from colour."""

from __future__ import annotations

import math
import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from pydantic import Field

from collage.core.base.frozen import Frozen
from collage.core.base.progress import Progress, Steps, within
from collage.core.images.blur import blurred
from collage.core.images.colour import srgb_to_linear
from collage.core.images.region import floats, luminance, smaller

DARKEST = 0.004
"""Linear light below which the camera sees only noise."""

ROWS_AT_ONCE = 256  # of large photographs, where a step takes much room
PLACES_AT_ONCE = 2**17  # of a horizon: what one processor keeps near itself
MOST_COUNTED = 4_000_000  # places of a photograph whose colours are counted

LINES_IN, LINE, COVERED = 400, 0.035, 0.36
"""Pixels of the longer side of the picture in which joints are looked for, how wide they are as a share of the shorter,
and what share of the picture they cover at most."""

GRAIN, BINS = 1 / 200, 48
"""Blur of the colour ratios as a share of the shorter side, and how many steps of each ratio are told apart."""

FINE, MIDDLE = 1 / 160, 1 / 28
"""Where the bands meet: deviation of the blur, as a share of the shorter side."""


class HeightFrom(Frozen):
    """How a height is read out of a photograph.

    broad, middle, fine : what forms of each size count. stains : how much of the light and dark that goes along with
    a change of colour is left out, 0 to 1, since a stain is not a pit. inverse : bright is deep. tiles : whether the
    picture repeats.
    """

    broad: float = Field(0.6, ge=0, le=4)
    middle: float = Field(1.0, ge=0, le=4)
    fine: float = Field(0.9, ge=0, le=4)
    stains: float = Field(0.9, ge=0, le=1)
    inverse: bool = False
    tiles: bool = True


class RoughnessFrom(Frozen):
    """level : roughness where nothing else counts. brightness : how much rougher bright places are. contrast : how
    much rougher places with fine detail are."""

    level: float = Field(0.6, ge=0, le=1)
    brightness: float = Field(0.15, ge=-1, le=1)
    contrast: float = Field(0.3, ge=-1, le=1)
    tiles: bool = True


def height_from(photograph: np.ndarray, how: HeightFrom) -> Steps[np.ndarray]:
    """(h, w) float32, 0..1 and 0.5 in the mean, from (h, w, c) pixels of any kind in sRGB or grey."""
    values = yield from within(_linear(photograph), 0.0, 0.1)
    light = np.log(np.maximum(luminance(values), DARKEST))
    yield Progress("Height", 0.1)
    if not how.tiles:
        light -= falloff(light)
    yield Progress("Height", 0.2)
    ratios = colour_ratios(values) if how.stains and values.shape[2] >= 3 else None
    yield Progress("Height", 0.3)
    del values  # of large photographs, what is not needed any more is let go of
    if ratios is not None:
        told = yield from within(explained_by_colour(ratios, light, tiles=how.tiles), 0.3, 0.7)
        light -= np.float32(how.stains) * told
        del told
    field = np.exp(light - light.mean())
    del light
    broad, middle, fine = yield from within(bands(field, tiles=how.tiles), 0.7, 0.9)
    height = broad * how.broad + middle * how.middle + fine * how.fine
    yield Progress("Height", 0.95)
    return _stretched(-height if how.inverse else height)


def joints_are_bright(photograph: np.ndarray) -> bool:
    """Whether (h, w, c) pixels of any kind show a net of bright lines, as light mortar is, and none of dark ones.

    Such joints would stand out of a derived height instead of lying in it. Lines are what an opening, or a closing, of
    the picture takes away (Serra, "Image Analysis and Mathematical Morphology", 1982).
    """
    from scipy.ndimage import black_tophat, gaussian_filter, white_tophat

    field = luminance(smaller(photograph, LINES_IN))
    if min(field.shape) < 32:
        return False
    field = gaussian_filter(np.log(np.maximum(field, 0.02)), 1)
    reach = max(int(min(field.shape) * LINE), 5)
    return _net(white_tophat(field, size=reach)) > 0.6 and _net(black_tophat(field, size=reach)) < 0.2


def _net(lines: np.ndarray) -> float:
    """The share of distinct lines that hang together in one net over most of (h, w) values; 0 where there is none."""
    from scipy.ndimage import find_objects, label

    distinct = lines > max(0.4 * float(np.quantile(lines, 0.98)), 0.02)
    parts, _ = label(distinct, np.ones((3, 3)))
    sizes = np.bincount(parts.ravel())[1:]
    if len(sizes) == 0 or distinct.mean() > COVERED:
        return 0.0
    rows, columns = find_objects(parts)[int(sizes.argmax())]
    whole = min((rows.stop - rows.start) / lines.shape[0], (columns.stop - columns.start) / lines.shape[1]) > 0.6
    return float(sizes.max() / sizes.sum()) if whole else 0.0


def _linear(photograph: np.ndarray) -> Steps[np.ndarray]:
    """(h, w, c) float32 of sRGB pixels of any kind, some rows at a time: the curve takes much room."""
    shape = photograph.shape if photograph.ndim == 3 else (*photograph.shape, 1)
    values = np.empty(shape, np.float32)
    for start in range(0, shape[0], ROWS_AT_ONCE):
        yield Progress("Height", start / shape[0])
        rows = slice(start, start + ROWS_AT_ONCE)
        values[rows] = srgb_to_linear(floats(photograph[rows]))
    return values


def _light(photograph: np.ndarray) -> np.ndarray:
    """(h, w) luminance of pixels of any kind as they are stored, some rows at a time."""
    light = np.empty(photograph.shape[:2], np.float32)
    for start in range(0, len(light), ROWS_AT_ONCE):
        light[start : start + ROWS_AT_ONCE] = luminance(floats(photograph[start : start + ROWS_AT_ONCE]))
    return light


def falloff(light: np.ndarray) -> np.ndarray:
    """The smooth fall of the lamp's light over (h, w) log light: its best fit by a surface of second degree, mean 0."""
    rows, columns = light.shape
    y, x = np.meshgrid(np.linspace(-1, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    terms = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=2).astype(np.float32)
    coarse = terms[::8, ::8].reshape(-1, 6)
    fit, *_ = np.linalg.lstsq(coarse, light[::8, ::8].ravel(), rcond=None)
    found = terms @ fit.astype(np.float32)
    return found - found.mean()  # type: ignore[no-any-return]


def plain_height(photograph: np.ndarray) -> np.ndarray:
    """The photograph's light and dark used as height as it is, to compare with: (h, w) float32, 0..1."""
    return _stretched(luminance(floats(photograph)))


def bands(field: np.ndarray, *, tiles: bool) -> Steps[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    """(h, w) split in broad, middle and fine forms, which add up to the field less its mean."""
    side = min(field.shape)
    smooth = blurred(field, side * FINE, tiles=tiles)
    yield Progress("Forms", 0.4)
    smoother = blurred(field, side * MIDDLE, tiles=tiles)
    yield Progress("Forms", 0.8)
    return smoother - smoother.mean(), smooth - smoother, field - smooth


def colour_ratios(values: np.ndarray) -> list[np.ndarray]:
    """The logarithms of red and of blue over green, (h, w) each, of (h, w, 3+) linear values."""
    green = _log(values, 1)
    ratios = []
    for channel in (0, 2):
        one = _log(values, channel)
        one -= green
        ratios.append(one)
    return ratios


def explained_by_colour(ratios: list[np.ndarray], light: np.ndarray, *, tiles: bool) -> Steps[np.ndarray]:
    """The part of log light that follows the colour, (h, w), mean 0. ratios : see `colour_ratios`; they are used up.

    Shading scales all channels alike and leaves their ratios; stains and pigments change them. So the mean light of
    all places with the same two log ratios is what their pigment does (kernel regression: Nadaraya and Watson,
    1964), and not relief.
    """
    from scipy.ndimage import gaussian_filter, map_coordinates

    weight = np.exp(light)
    weight /= weight + np.float32(0.03)  # where it is dark, ratios are noise of the camera
    sigma = min(light.shape) * GRAIN
    base = blurred(weight, sigma, tiles=tiles)
    places = []
    while ratios:
        yield Progress("Colours", 0.5 - 0.2 * len(ratios))
        one = ratios.pop(0)
        one *= weight
        one = blurred(one, sigma, tiles=tiles)
        one /= base
        places.append(_binned(one))
    del base, one
    step = max(1, math.isqrt(light.size // MOST_COUNTED))  # of a large photograph, some of the places tell enough
    some = [one[::step, ::step] for one in (*places, weight, light)]
    cell = (np.rint(some[0]).astype(np.intp) * BINS + np.rint(some[1]).astype(np.intp)).ravel()
    count = np.bincount(cell, some[2].ravel(), BINS * BINS).reshape(BINS, BINS)
    total = np.bincount(cell, (some[2] * some[3]).ravel(), BINS * BINS).reshape(BINS, BINS)
    count, total = (gaussian_filter(one, 1.5, mode="constant") for one in (count, total))
    mean = (total / np.maximum(count, 1e-9)).astype(np.float32)
    told = np.empty(light.shape, np.float32)
    for start in range(0, len(told), ROWS_AT_ONCE):
        yield Progress("Colours", 0.5 + 0.5 * start / len(told))
        rows = slice(start, start + ROWS_AT_ONCE)
        map_coordinates(mean, [one[rows] for one in places], order=1, mode="nearest", output=told[rows])
    told -= told.mean()
    return told


def _log(values: np.ndarray, channel: int) -> np.ndarray:
    """The logarithm of one channel, (h, w)."""
    return np.log(np.maximum(values[:, :, channel], DARKEST))  # type: ignore[no-any-return]


def _binned(ratio: np.ndarray) -> np.ndarray:
    """Log ratios as places among the bins; what hardly varies all falls into one."""
    low, high = np.quantile(ratio[::2, ::2], (0.002, 0.998))
    ratio -= np.float32(low)
    ratio *= np.float32((BINS - 1) / max(float(high - low), 0.02))
    return np.clip(ratio, 0, BINS - 1, out=ratio)


def _stretched(field: np.ndarray) -> np.ndarray:
    """To 0..1 with the mean at a half; the outermost thousandths are cut."""
    low, high = np.quantile(field[::2, ::2], (0.001, 0.999))
    middle = float(field.mean())
    reach = max(float(high) - middle, middle - float(low), 1e-6)
    made = (field - np.float32(middle)) * np.float32(1 / (2 * reach))
    made += np.float32(0.5)
    return np.clip(made, 0, 1, out=made)


# ---- from a height ------------------------------------------------------------------------------


def normal_from(height: np.ndarray, metres: float, depth: float, *, tiles: bool = True, up: bool = True) -> np.ndarray:
    """Tangent-space normals, (h, w, 3) float32 in 0..1, of a (h, w) height 0..1.

    metres : width of the tile. depth : metres from 0 to 1. up : green points up.
    """
    step = metres / height.shape[1]
    mode = "wrap" if tiles else "edge"
    wide = np.pad(height.astype(np.float32), 1, mode=mode)  # type: ignore[call-overload]
    scale = np.float32(depth / (2 * step))
    made = np.empty((*height.shape, 3), np.float32)
    for start in range(0, len(made), ROWS_AT_ONCE):
        rows = wide[start : start + ROWS_AT_ONCE + 2]
        right = (rows[1:-1, 2:] - rows[1:-1, :-2]) * scale
        upward = (rows[:-2, 1:-1] - rows[2:, 1:-1]) * scale
        half = np.float32(0.5) / np.sqrt(right * right + upward * upward + 1)
        green = -upward if up else upward
        made[start : start + ROWS_AT_ONCE] = np.stack([-right * half, green * half, half], axis=2)
    made += np.float32(0.5)
    return made


def occlusion_from(
    height: np.ndarray, metres: float, depth: float, *, reach: float = 0.1, tiles: bool = True, ways: int = 12
) -> Steps[np.ndarray]:
    """The share of the sky that each place sees, weighted by its height: (h, w) float32, 1 on a plain.

    By the horizon in `ways` directions as far as `reach`, a share of the tile's width (Max, "Horizon mapping", 1988).
    """
    rows, columns = height.shape
    real = height.astype(np.float32) * np.float32(depth)
    far = max(int(reach * columns), 2)
    pad = far + 1
    wide = np.pad(real, pad, mode="wrap" if tiles else "edge")  # type: ignore[call-overload]
    angles, distances = 2 * np.pi * np.arange(ways) / ways, np.unique(np.geomspace(1, far, 18).astype(int))
    offsets = [[(round(one * np.sin(angle)), round(one * np.cos(angle))) for one in distances] for angle in angles]
    at_once = max(PLACES_AT_ONCE // columns, 1)
    seen = np.zeros_like(real)

    def block(start: int) -> None:
        here, sky = real[start : start + at_once], seen[start : start + at_once]
        top, steepest, slope = pad + start, np.empty_like(here), np.empty_like(here)
        for way in offsets:
            steepest[:] = 0
            for dy, dx in way:
                there = wide[top + dy : top + dy + len(here), pad + dx : pad + dx + columns]
                np.subtract(there, here, out=slope)
                slope *= np.float32(columns / (np.hypot(dx, dy) * metres))
                np.maximum(steepest, slope, out=steepest)
            steepest *= steepest
            steepest += 1
            sky += np.divide(1, steepest, out=steepest)  # the cosine-weighted share of sky above a horizon

    starts = range(0, rows, at_once)
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        try:
            for start, _ in zip(starts, pool.map(block, starts), strict=True):
                yield Progress("Occlusion", start / rows)
        finally:
            pool.shutdown(cancel_futures=True)
    seen /= np.float32(ways)
    return seen


def roughness_from(photograph: np.ndarray, how: RoughnessFrom) -> Steps[np.ndarray]:
    """(h, w) float32, 0..1, from (h, w, c) pixels of any kind."""
    light = _light(photograph)
    side = min(light.shape)
    yield Progress("Roughness", 0.2)
    fine = light - blurred(light, side * FINE, tiles=how.tiles)
    yield Progress("Roughness", 0.4)
    spread = blurred(np.square(fine, out=fine), side * FINE * 2, tiles=how.tiles)
    del fine
    yield Progress("Roughness", 0.6)
    np.sqrt(np.maximum(spread, 0, out=spread), out=spread)
    usual = float(spread.mean())
    spread -= np.float32(usual)
    spread /= np.float32(max(usual, 1e-3))
    np.clip(spread, -1, 2, out=spread)
    spread *= np.float32(how.contrast / 2)
    yield Progress("Roughness", 0.8)
    middle, deviation = float(light.mean()), max(float(light.std()), 1e-6)
    light -= np.float32(middle)
    light *= np.float32(how.brightness / (2 * deviation))
    light += spread
    light += np.float32(how.level)
    return np.clip(light, 0.02, 1, out=light)
