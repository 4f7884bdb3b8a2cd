"""Views for judging: exposure in stops, and base colours outside what real surfaces have."""

from __future__ import annotations

import numpy as np

from collage.core.images.colour import LUMINANCE, srgb_to_linear
from collage.core.nodes.behaviour import Array

EXPOSURE, PLAUSIBLE = "exposure", "plausible"
GREY = 0.18  # linear light that a middle grey card sends back
DARKEST, BRIGHTEST = -6, 2.5  # stops from it: below is lost in black, above is clipped
MARK = (0.552, 0.051, 0.023)  # the accent, linear: what is clipped or too bright
MARK_DARK = (0.05, 0.09, 0.30)  # what is lost or too dark

# sRGB codes of base colours (S. Lagarde and C. de Rousiers, Moving Frostbite to PBR, SIGGRAPH 2014 course, 4.5)
PLAIN_RANGE, METAL_RANGE = (30, 240), (180, 255)
_LUMINANCE = LUMINANCE.astype(np.float32)


def in_stops(linear: np.ndarray) -> np.ndarray:
    """(n, 3) linear greys of light (n, 3): a step for each stop; clipped light and lost darks are marked."""
    light = np.maximum(np.nan_to_num(linear @ _LUMINANCE), 1e-9)
    stops = np.log2(light / GREY)
    steps = np.clip(np.floor(stops) - DARKEST, 0, 9) / 9
    out = np.repeat(srgb_to_linear(0.08 + 0.84 * steps).astype(np.float32)[:, None], 3, axis=1)
    out[stops >= BRIGHTEST] = MARK
    out[stops < DARKEST] = MARK_DARK
    return out


def marked(base_colour: Array, metalness: Array, count: int) -> Array:
    """(3, count) base colours as they are, those that no real surface has marked.

    base_colour : (3, n), metalness : (1, n); the range of metals counts from half metal on.
    """
    colour = np.array(np.broadcast_to(np.nan_to_num(base_colour), (3, count)), np.float32)
    metal = np.broadcast_to(metalness, (1, count))[0] >= 0.5
    low, high = (
        np.where(metal, *(srgb_to_linear(np.array(ends[at] / 255.0)) for ends in (METAL_RANGE, PLAIN_RANGE)))
        for at in (0, 1)
    )
    bright = (colour > high + 1e-4).any(axis=0)
    dark = _LUMINANCE @ colour < low - 1e-4
    grey = (_LUMINANCE @ colour)[None]
    out = np.repeat(np.clip(grey, 0, 1), 3, axis=0).astype(np.float32)
    out[:, bright] = np.array(MARK, np.float32)[:, None]
    out[:, dark] = np.array(MARK_DARK, np.float32)[:, None]
    return out
