"""Maps made from others: height from a photograph, normals and occlusion from a height, roughness from colour."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from collage.core.base.frozen import Frozen
from collage.core.images.blur import blurred
from collage.core.images.colour import srgb_to_linear
from collage.core.images.region import floats, luminance

DARKEST = 0.004
"""Linear light below which the camera sees only noise."""

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


def height_from(photograph: np.ndarray, how: HeightFrom) -> np.ndarray:
    """(h, w) float32, 0..1 and 0.5 in the mean, from (h, w, c) pixels of any kind in sRGB or grey."""
    values = srgb_to_linear(floats(photograph)).astype(np.float32)
    light = np.log(np.maximum(luminance(values), DARKEST))
    if not how.tiles:
        light = light - falloff(light)
    if how.stains and values.shape[2] >= 3:
        light = light - np.float32(how.stains) * explained_by_colour(values, light, tiles=how.tiles)
    broad, middle, fine = bands(np.exp(light - light.mean()), tiles=how.tiles)
    height = broad * how.broad + middle * how.middle + fine * how.fine
    return _stretched(-height if how.inverse else height)


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


def bands(field: np.ndarray, *, tiles: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(h, w) split in broad, middle and fine forms, which add up to the field less its mean."""
    side = min(field.shape)
    smooth, smoother = blurred(field, side * FINE, tiles=tiles), blurred(field, side * MIDDLE, tiles=tiles)
    return smoother - smoother.mean(), smooth - smoother, field - smooth


def explained_by_colour(values: np.ndarray, light: np.ndarray, *, tiles: bool) -> np.ndarray:
    """The part of log light that follows the colour, (h, w), mean 0.

    Shading scales all channels alike and leaves their ratios; stains and pigments change them. So the mean light of
    all places with the same two log ratios is what their pigment does (kernel regression: Nadaraya and Watson,
    1964), and not relief.
    """
    from scipy.ndimage import gaussian_filter, map_coordinates

    rgb = np.log(np.maximum(values[:, :, :3], DARKEST))
    weight = np.exp(light)
    weight = weight / (weight + 0.03)  # where it is dark, ratios are noise of the camera
    sigma = min(light.shape) * GRAIN
    base = blurred(weight, sigma, tiles=tiles)
    ratios = [blurred(weight * (rgb[:, :, one] - rgb[:, :, 1]), sigma, tiles=tiles) / base for one in (0, 2)]
    places = [_binned(one) for one in ratios]
    cell = np.rint(places[0]).astype(np.intp) * BINS + np.rint(places[1]).astype(np.intp)
    count = np.bincount(cell.ravel(), weight.ravel(), BINS * BINS).reshape(BINS, BINS)
    total = np.bincount(cell.ravel(), (weight * light).ravel(), BINS * BINS).reshape(BINS, BINS)
    count, total = (gaussian_filter(one, 1.5, mode="constant") for one in (count, total))
    mean = (total / np.maximum(count, 1e-9)).astype(np.float32)
    told = map_coordinates(mean, places, order=1, mode="nearest")
    return told - told.mean()  # type: ignore[no-any-return]


def _binned(ratio: np.ndarray) -> np.ndarray:
    """Log ratios as places among the bins; what hardly varies all falls into one."""
    low, high = np.quantile(ratio[::2, ::2], (0.002, 0.998))
    return np.clip((ratio - low) / max(float(high - low), 0.02), 0, 1) * np.float32(BINS - 1)


def _stretched(field: np.ndarray) -> np.ndarray:
    """To 0..1 with the mean at a half; the outermost thousandths are cut."""
    low, high = np.quantile(field[::2, ::2], (0.001, 0.999))
    middle = float(field.mean())
    reach = max(float(high) - middle, middle - float(low), 1e-6)
    return np.clip((field - middle) / (2 * reach) + 0.5, 0, 1).astype(np.float32)


# ---- from a height ------------------------------------------------------------------------------


def normal_from(height: np.ndarray, metres: float, depth: float, *, tiles: bool = True, up: bool = True) -> np.ndarray:
    """Tangent-space normals, (h, w, 3) float32 in 0..1, of a (h, w) height 0..1.

    metres : width of the tile. depth : metres from 0 to 1. up : green points up.
    """
    step = metres / height.shape[1]
    mode = "wrap" if tiles else "edge"
    wide = np.pad(height.astype(np.float32), 1, mode=mode)  # type: ignore[call-overload]
    scale = np.float32(depth / (2 * step))
    right = (wide[1:-1, 2:] - wide[1:-1, :-2]) * scale
    upward = (wide[:-2, 1:-1] - wide[2:, 1:-1]) * scale
    length = np.sqrt(right * right + upward * upward + 1)
    green = -upward if up else upward
    return np.stack([-right / length, green / length, 1 / length], axis=2) * np.float32(0.5) + np.float32(0.5)


def occlusion_from(
    height: np.ndarray, metres: float, depth: float, *, reach: float = 0.1, tiles: bool = True, ways: int = 12
) -> np.ndarray:
    """The share of the sky that each place sees, weighted by its height: (h, w) float32, 1 on a plain.

    By the horizon in `ways` directions as far as `reach`, a share of the tile's width (Max, "Horizon mapping", 1988).
    """
    step = metres / height.shape[1]
    real = height.astype(np.float32) * np.float32(depth)
    far = max(int(reach * height.shape[1]), 2)
    distances = np.unique(np.geomspace(1, far, 18).astype(int))
    pad = far + 1
    wide = np.pad(real, pad, mode="wrap" if tiles else "edge")  # type: ignore[call-overload]
    rows, columns = real.shape
    seen = np.zeros_like(real)
    for way in range(ways):
        angle = 2 * np.pi * way / ways
        steepest = np.zeros_like(real)
        for distance in distances:
            dy, dx = round(distance * np.sin(angle)), round(distance * np.cos(angle))
            length = np.hypot(dx, dy) * step
            there = wide[pad + dy : pad + dy + rows, pad + dx : pad + dx + columns]
            np.maximum(steepest, (there - real) / np.float32(length), out=steepest)
        seen += 1 / (1 + steepest * steepest)  # the cosine-weighted share of a slice of sky above a horizon
    return seen / np.float32(ways)


def roughness_from(photograph: np.ndarray, how: RoughnessFrom) -> np.ndarray:
    """(h, w) float32, 0..1, from (h, w, c) pixels of any kind."""
    light = luminance(floats(photograph))
    side = min(light.shape)
    _, _, fine = bands(light, tiles=how.tiles)
    spread = np.sqrt(np.maximum(blurred(fine * fine, side * FINE * 2, tiles=how.tiles), 0))
    busy = (spread - spread.mean()) / max(float(spread.mean()), 1e-3)
    bright = (light - light.mean()) / max(float(light.std()), 1e-6) / 2
    return np.clip(how.level + how.contrast * np.clip(busy, -1, 2) / 2 + how.brightness * bright, 0.02, 1).astype(
        np.float32
    )
