"""Colour spaces: from what a file means to linear light in Rec. 709 primaries.

Transfer curves from IEC 61966-2-1 (sRGB), ITU-R BT.1886 (2.4), and plain powers; matrices as in the
standard's own colour management library (cmlib_ng.mtlx).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

LINEAR_NAMES = {"", "none", "raw", "data", "lin_rec709", "lin_srgb", "linear"}

_AP1_TO_709 = (
    (1.705051, -0.621792, -0.083259),
    (-0.130256, 1.140805, -0.010548),
    (-0.024003, -0.128969, 1.152972),
)
_ADOBE_TO_709 = ((1.398357, -0.398357, 0.0), (0.0, 1.0, 0.0), (0.0, -0.042929, 1.042929))
_P3_TO_709 = ((1.224940, -0.224940, 0.0), (-0.042057, 1.042057, 0.0), (-0.019638, -0.078636, 1.098274))


def srgb_to_linear(value: np.ndarray) -> np.ndarray:
    """Linear light of sRGB-encoded values of any shape (IEC 61966-2-1)."""
    value = np.asarray(value)
    curve = ((np.maximum(value, 0.04045) + 0.055) / 1.055) ** 2.4
    return np.where(value <= 0.04045, value / 12.92, curve)


def linear_to_srgb(value: np.ndarray) -> np.ndarray:
    """sRGB-encoded values of linear light of any shape (IEC 61966-2-1)."""
    value = np.asarray(value)
    curve = 1.055 * np.maximum(value, 0.0031308) ** (1 / 2.4) - 0.055
    return np.where(value <= 0.0031308, value * 12.92, curve)


def _power(exponent: float) -> Callable[[np.ndarray], np.ndarray]:
    return lambda value: np.maximum(value, 0.0) ** exponent


def _same(value: np.ndarray) -> np.ndarray:
    return value


Matrix = tuple[tuple[float, ...], ...]
_SPACES: dict[str, tuple[Callable[[np.ndarray], np.ndarray], Matrix | None]] = {
    "srgb_texture": (srgb_to_linear, None),
    "g18_rec709": (_power(1.8), None),
    "g22_rec709": (_power(2.2), None),
    "rec709_display": (_power(2.4), None),
    "g22_ap1": (_power(2.2), _AP1_TO_709),
    "acescg": (_same, _AP1_TO_709),
    "lin_ap1": (_same, _AP1_TO_709),
    "adobergb": (_power(563 / 256), _ADOBE_TO_709),
    "lin_adobergb": (_same, _ADOBE_TO_709),
    "srgb_displayp3": (srgb_to_linear, _P3_TO_709),
    "lin_displayp3": (_same, _P3_TO_709),
}

SPACES = ("lin_rec709", *_SPACES)
"""The names that a map's colour space can have."""


def is_linear(space: str) -> bool:
    return space in LINEAR_NAMES or space not in _SPACES


def curve(space: str) -> Callable[[np.ndarray], np.ndarray]:
    """The transfer curve of a colour space alone."""
    return _SPACES[space][0] if space in _SPACES else _same


def matrix(space: str) -> np.ndarray | None:
    """The (3, 3) matrix to Rec. 709 primaries, or None where it is the unit matrix."""
    found = _SPACES[space][1] if space in _SPACES else None
    return None if found is None else np.array(found)


def to_linear(colour: np.ndarray, space: str) -> np.ndarray:
    """Linear Rec. 709 of colours (3, ...) or (4, ...) in `space`; a fourth channel stays as it is."""
    if is_linear(space):
        return colour
    rgb = curve(space)(colour[:3])
    turn = matrix(space)
    if turn is not None:
        rgb = np.tensordot(turn, rgb, axes=1)
    return np.concatenate([rgb, colour[3:]]).astype(colour.dtype)
