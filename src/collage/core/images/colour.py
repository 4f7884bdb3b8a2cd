"""Colour spaces: from what a file means to linear light in Rec. 709 primaries.

Transfer curves from IEC 61966-2-1 (sRGB), ITU-R BT.1886 (2.4), and plain powers; matrices as in the
standard's own colour management library (cmlib_ng.mtlx).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from collage.core.kernels import Family

sampling = Family("sampling")

LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
"""What red, green and blue of linear Rec. 709 count for in it (ITU-R BT.709)."""

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


Curve = Callable[[np.ndarray], np.ndarray]
Matrix = tuple[tuple[float, ...], ...]
_SRGB = (srgb_to_linear, linear_to_srgb)
_LINEAR = (_same, _same)


def _gamma(exponent: float) -> tuple[Curve, Curve]:
    return _power(exponent), _power(1 / exponent)


_SPACES: dict[str, tuple[tuple[Curve, Curve], Matrix | None]] = {
    "srgb_texture": (_SRGB, None),
    "g18_rec709": (_gamma(1.8), None),
    "g22_rec709": (_gamma(2.2), None),
    "rec709_display": (_gamma(2.4), None),
    "g22_ap1": (_gamma(2.2), _AP1_TO_709),
    "acescg": (_LINEAR, _AP1_TO_709),
    "lin_ap1": (_LINEAR, _AP1_TO_709),
    "adobergb": (_gamma(563 / 256), _ADOBE_TO_709),
    "lin_adobergb": (_LINEAR, _ADOBE_TO_709),
    "srgb_displayp3": (_SRGB, _P3_TO_709),
    "lin_displayp3": (_LINEAR, _P3_TO_709),
}

SPACES = ("lin_rec709", *_SPACES)
"""The names that a map's colour space can have."""


SPACE_LABELS = {"raw": "Data", "srgb_texture": "sRGB", "lin_rec709": "Linear"}
"""What spaces are called on the screen; others go by their names."""


def is_linear(space: str) -> bool:
    """Whether a colour space has no curve; unknown ones count as linear."""
    return space in LINEAR_NAMES or space not in _SPACES


def curve(space: str) -> Curve:
    """The transfer curve of a colour space alone."""
    return _SPACES[space][0][0] if space in _SPACES else _same


def inverse_curve(space: str) -> Curve:
    """From linear light back to the encoded values of a colour space, its primaries kept."""
    return _SPACES[space][0][1] if space in _SPACES else _same


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


STEPS = 4096


@lru_cache(maxsize=16)
def _table(space: str) -> np.ndarray:
    """The curve at even steps from 0 to 1: between two of them a line is right within 1e-7."""
    table = curve(space)(np.linspace(0, 1, STEPS + 1)).astype(np.float32)
    table.flags.writeable = False
    return table


def linear_light(values: np.ndarray, space: str, colours: int) -> np.ndarray:
    """Linear Rec. 709 of (k, n) float32, as `to_linear` gives it but faster where all lies in 0..1.

    colours : how many of the first channels are colours (1 grey, or 3); the rest stays as it is. The array is
        changed in place where that is possible.
    """
    part = values[:colours]
    plain = curve(space) is _same
    if not plain and part.size and part.min() >= 0 and part.max() <= 1:
        sampling.decode(values, colours, _table(space))
    elif not plain:
        values[:colours] = curve(space)(part)
    turn = matrix(space)
    if turn is not None and colours == 3:
        values[:3] = np.tensordot(turn, values[:3], axes=1)
    return values
