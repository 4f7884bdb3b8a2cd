"""The inner loops of making an image's smaller levels: codes to light and means, and back to codes."""

from __future__ import annotations

import sys

import numpy as np
from numba import njit, types

LITTLE_ENDIAN = sys.byteorder == "little"
_OPTIONS = {"nogil": True, "cache": True, "error_model": "numpy", "fastmath": True}
_TABLE = types.Array(types.float32, 1, "C", readonly=True)
_LEVEL = types.Array(types.float32, 3, "C")


def _codes(kind: types.Type) -> types.Array:
    return types.Array(kind, 3, "C", readonly=True)


@njit(
    [
        types.void(_codes(types.uint8), types.int64, _TABLE, _TABLE, _LEVEL, types.int64, types.int64),
        types.void(_codes(types.uint16), types.int64, _TABLE, _TABLE, _LEVEL, types.int64, types.int64),
    ],
    **_OPTIONS,
)
def _halve(codes, colours, curve, plain, out, first, last):
    quarter = np.float32(0.25)
    for row in range(first, last):
        for column in range(out.shape[1]):
            for channel in range(out.shape[2]):
                table = curve if channel < colours else plain
                out[row, column, channel] = quarter * (
                    table[codes[2 * row, 2 * column, channel]]
                    + table[codes[2 * row, 2 * column + 1, channel]]
                    + table[codes[2 * row + 1, 2 * column, channel]]
                    + table[codes[2 * row + 1, 2 * column + 1, channel]]
                )


def halve(codes: np.ndarray, colours: int, curve: np.ndarray, plain: np.ndarray) -> np.ndarray:
    """Means over two by two texels of (h, w, c) uint8 or uint16 codes, h and w even: (h/2, w/2, c) float32.

    curve, plain : the value of every code, float32; for the first `colours` channels and for the rest.
    """
    height, width, channels = codes.shape
    out = np.empty((height // 2, width // 2, channels), np.float32)
    _halve(codes, colours, curve, plain, out, 0, out.shape[0])
    return out


@njit(types.void(_codes(types.float32), _LEVEL), nogil=True, cache=True, error_model="numpy")
def _mean(level, out):
    half = np.float32(0.5)
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            for channel in range(out.shape[2]):
                left = level[2 * row, 2 * column, channel] + level[2 * row + 1, 2 * column, channel]
                right = level[2 * row, 2 * column + 1, channel] + level[2 * row + 1, 2 * column + 1, channel]
                out[row, column, channel] = (left * half + right * half) * half


def mean(level: np.ndarray) -> np.ndarray:
    """Means over two by two texels of (h, w, c) float32, h and w even: (h/2, w/2, c) float32."""
    height, width, channels = level.shape
    out = np.empty((height // 2, width // 2, channels), np.float32)
    _mean(level, out)
    return out


_STEPS = types.Array(types.uint8, 1, "C", readonly=True)


@njit(forceinline=True, error_model="numpy", fastmath=True)
def _mean_light(upper, lower, curve, at):
    """Over two by two texels of three channels, of two rows; at : the first number."""
    beside = at + np.uint32(3)
    total = curve[upper[at]] + curve[upper[beside]] + curve[lower[at]] + curve[lower[beside]]
    return np.float32(0.25) * total


@njit(forceinline=True, error_model="numpy", fastmath=True)
def _nearest(light, steps):
    return steps[np.uint32(np.int32(light * np.float32(steps.size - 1) + np.float32(0.5)))]


@njit(
    [
        types.void(_codes(types.uint8), types.int64, _TABLE, _TABLE, _STEPS, types.Array(types.uint8, 3, "C"), _LEVEL),
        types.void(
            _codes(types.uint16), types.int64, _TABLE, _TABLE, _STEPS, types.Array(types.uint16, 3, "C"), _LEVEL
        ),
    ],
    **_OPTIONS,
)
def _two_levels(codes, colours, curve, plain, steps, out, light):
    quarter, half, one = np.float32(0.25), np.float32(0.5), np.float32(1)
    width, channels = codes.shape[1] // 2, codes.shape[2]
    top, last = np.float32(plain.size - 1), np.float32(steps.size - 1)
    usual = channels == 3 and colours == 3 and steps.size > 0 and curve.min() >= 0 and curve.max() <= 1
    lines = np.empty((2, width, channels), np.float32)
    for pair in range(light.shape[0]):
        for line in range(2):
            row = 2 * pair + line
            if usual:  # on flat rows, and without a choice at each number: three quarters of the time
                upper, lower, means = (
                    codes[2 * row].reshape(-1),
                    codes[2 * row + 1].reshape(-1),
                    lines[line].reshape(-1),
                )
                texels = out[row].reshape(-1)
                for column in range(width):
                    at, there, place = np.uint32(6 * column), np.uint32(3 * column), np.uint32(out.shape[2] * column)
                    red = _mean_light(upper, lower, curve, at)
                    green = _mean_light(upper, lower, curve, at + np.uint32(1))
                    blue = _mean_light(upper, lower, curve, at + np.uint32(2))
                    means[there], means[there + np.uint32(1)], means[there + np.uint32(2)] = red, green, blue
                    texels[place] = _nearest(red, steps)
                    texels[place + np.uint32(1)] = _nearest(green, steps)
                    texels[place + np.uint32(2)] = _nearest(blue, steps)
            else:
                for column in range(width):
                    for channel in range(channels):
                        table = curve if channel < colours else plain
                        value = quarter * (
                            table[codes[2 * row, 2 * column, channel]]
                            + table[codes[2 * row, 2 * column + 1, channel]]
                            + table[codes[2 * row + 1, 2 * column, channel]]
                            + table[codes[2 * row + 1, 2 * column + 1, channel]]
                        )
                        lines[line, column, channel] = value
                        held = min(max(value, np.float32(0)), one)
                        if channel < colours and steps.size > 0:
                            out[row, column, channel] = steps[np.int32(held * last + half)]
                        else:
                            out[row, column, channel] = np.int32(held * top + half)
            for channel in range(channels):
                out[row, width, channel] = out[row, 0, channel]
        for column in range(width // 2):
            for channel in range(channels):
                left = lines[0, 2 * column, channel] + lines[1, 2 * column, channel]
                right = lines[0, 2 * column + 1, channel] + lines[1, 2 * column + 1, channel]
                light[pair, column, channel] = quarter * (left + right)


def two_levels(
    codes: np.ndarray, colours: int, curve: np.ndarray, plain: np.ndarray, steps: np.ndarray, out: np.ndarray
) -> np.ndarray:
    """The second level of (h, w, c) uint8 or uint16 codes, h and w multiples of four, and the light of the third.

    curve, plain, colours : see `halve`. steps : uint8 codes at even steps of light, see `encode`; empty where codes are
    even steps themselves. out : (h/2, w/2 + 1, c or more), filled with the second. Returns (h/4, w/4, c) float32.
    """
    height, width, channels = codes.shape
    light = np.empty((height // 4, width // 4, channels), np.float32)
    _two_levels(codes, colours, curve, plain, steps, out, light)
    return light


def _texels(kind: types.Type) -> types.Array:
    return types.Array(kind, 3, "C")


@njit(
    [
        types.void(_codes(types.uint8), _texels(types.uint8)),
        types.void(_codes(types.uint16), _texels(types.uint16)),
    ],
    **_OPTIONS,
)
def _spread(codes, out):
    width = codes.shape[1]
    for row in range(codes.shape[0]):
        if codes.shape[2] == 3:
            for column in range(width):
                out[row, column, 0] = codes[row, column, 0]
                out[row, column, 1] = codes[row, column, 1]
                out[row, column, 2] = codes[row, column, 2]
        else:
            for column in range(width):
                for channel in range(codes.shape[2]):
                    out[row, column, channel] = codes[row, column, channel]
        for channel in range(codes.shape[2]):
            out[row, width, channel] = codes[row, 0, channel]


@njit(types.void(_codes(types.uint8), types.Array(types.uint32, 2, "C")), **_OPTIONS)
def _spread_colours(codes, out):
    width = codes.shape[1]
    for row in range(codes.shape[0]):
        for column in range(width):
            out[row, column] = (
                np.uint32(codes[row, column, 0])
                | (np.uint32(codes[row, column, 1]) << np.uint32(8))
                | (np.uint32(codes[row, column, 2]) << np.uint32(16))
            )
        out[row, width] = out[row, 0]


def spread(codes: np.ndarray, out: np.ndarray) -> None:
    """Puts (h, w, c) uint8 or uint16 codes into texels (h, w + 1, c or more) whose rows end as they begin."""
    if codes.dtype == np.uint8 and codes.shape[2] == 3 and LITTLE_ENDIAN:  # one word is written for each texel
        _spread_colours(codes, out.view(np.uint32)[:, :, 0])
    else:
        _spread(codes, out)


@njit(types.void(_codes(types.float32), types.int64, types.Array(types.uint8, 1, "C", readonly=True),
                 types.Array(types.uint8, 3, "C")), **_OPTIONS)  # fmt: skip
def _encode(level, colours, curve, out):
    top = np.float32(curve.size - 1)
    for row in range(level.shape[0]):
        for column in range(level.shape[1]):
            for channel in range(level.shape[2]):
                value = min(max(level[row, column, channel], np.float32(0)), np.float32(1))
                if channel < colours:
                    out[row, column, channel] = curve[np.int32(value * top + np.float32(0.5))]
                else:
                    out[row, column, channel] = np.uint8(value * np.float32(255) + np.float32(0.5))


def encode(level: np.ndarray, colours: int, curve: np.ndarray) -> np.ndarray:
    """uint8 codes of (h, w, c) float32 values 0..1.

    curve : the codes at even steps from 0 to 1, for the first `colours` channels; the rest is stored as it is.
    """
    out = np.empty(level.shape, np.uint8)
    _encode(level, colours, curve, out)
    return out


_ROWS = types.Array(types.float32, 3, "A", readonly=True)
_WHERE = types.Array(types.int64, 1, "C", readonly=True)


@njit(types.void(_ROWS, _WHERE, _WHERE, _LEVEL), nogil=True, cache=True, error_model="numpy")
def add_narrowed(part, row_of, column_of, out):
    """Adds texels (h, w, 3) of some rows to the texels of a smaller picture (h', w', 3) that they lie in: those of
    row_of (h,) and column_of (w,), which ascends."""
    for row in range(part.shape[0]):
        at, column = row_of[row], 0
        while column < part.shape[1]:
            into = column_of[column]
            red, green, blue = np.float32(0), np.float32(0), np.float32(0)
            while column < part.shape[1] and column_of[column] == into:
                red += part[row, column, 0]
                green += part[row, column, 1]
                blue += part[row, column, 2]
                column += 1
            out[at, into, 0] += red
            out[at, into, 1] += green
            out[at, into, 2] += blue
