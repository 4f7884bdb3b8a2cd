"""An image as a pyramid of ever smaller levels, ready for filtered reading."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from collage.core.images.colour import curve, is_linear, matrix

WRAPS = {"constant": 0, "clamp": 1, "periodic": 2, "mirror": 3}


@dataclass(frozen=True, eq=False)
class Pyramid:
    """Texels of all levels in one array; see kernels.sampling for the layout.

    width, height : of the first level. bits : what the file stored per channel.
    """

    texels: np.ndarray
    table: np.ndarray
    starts: np.ndarray
    widths: np.ndarray
    heights: np.ndarray
    bits: int = 8

    @property
    def width(self) -> int:
        return int(self.widths[0])

    @property
    def height(self) -> int:
        return int(self.heights[0])

    @property
    def channels(self) -> int:
        return int(self.texels.shape[1])

    @property
    def nbytes(self) -> int:
        return int(self.texels.nbytes)

    def read(
        self,
        place: np.ndarray,
        detail: np.ndarray | None = None,
        wrap: tuple[str, str] = ("periodic", "periodic"),
        nearest: bool = False,
        default: np.ndarray | None = None,
    ) -> np.ndarray:
        """Linear values at (2, n) places. detail: (n,) level to read, 0 (the full size) if left out."""
        from collage.core.kernels.sampling import sample  # compiled when first used

        count = place.shape[1]
        if detail is None:
            detail = np.zeros(count, np.float32)
        if default is None:
            default = np.zeros(self.channels, np.float32)
        levels = (self.starts, self.widths, self.heights)
        wraps = (WRAPS.get(wrap[0], 2), WRAPS.get(wrap[1], 2))
        default = np.ascontiguousarray(default, np.float32)
        detail = np.ascontiguousarray(detail, np.float32)
        return sample(self.texels, self.table, levels, place, detail, wraps, nearest, default)


@lru_cache(maxsize=32)
def _table(kind: str, space: str, low: float, high: float) -> np.ndarray:
    """Linear value of every stored number of a kind: uint8, uint16, or half-precision bits."""
    if kind == "half":
        table = np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float32)
        table = np.nan_to_num(table, nan=0.0, posinf=65504.0, neginf=-65504.0)
    else:
        count = 256 if kind == "uint8" else 65536
        table = np.linspace(low, high, count, dtype=np.float64)
    table = curve(space)(table).astype(np.float32)
    table.flags.writeable = False
    return table


FINE = 65536


@lru_cache(maxsize=32)
def _nearest(kind: str, space: str, low: float, high: float) -> np.ndarray:
    """The stored number nearest to each of FINE even steps from the table's lowest value to its highest."""
    table = _table(kind, space, low, high).astype(np.float64)
    steps = np.linspace(table[0], table[-1], FINE)
    at = np.clip(np.searchsorted(table, steps), 1, len(table) - 1)
    at -= steps - table[at - 1] < table[at] - steps
    return at.astype(np.uint8 if kind == "uint8" else np.uint16)


def _encode(linear: np.ndarray, kind: str, space: str, low: float, high: float) -> np.ndarray:
    """Stored numbers whose table values are nearest to `linear`."""
    if kind == "half":
        return np.clip(linear, -65504, 65504).astype(np.float16).view(np.uint16)
    table = _table(kind, space, low, high)
    scale = (FINE - 1) / max(float(table[-1] - table[0]), 1e-30)
    steps = np.clip((linear - table[0]) * np.float32(scale) + np.float32(0.5), 0, FINE - 1)
    return _nearest(kind, space, low, high)[steps.astype(np.uint16)]


def _halved(level: np.ndarray) -> np.ndarray:
    """The next level: the mean of two by two texels; an odd last row or column is taken in whole."""
    for axis in (0, 1):
        size = level.shape[axis]
        if size == 1:
            continue
        if size % 2 == 0:
            first, second = (level[0::2], level[1::2]) if axis == 0 else (level[:, 0::2], level[:, 1::2])
            level = (first + second) * np.float32(0.5)
            continue
        pairs = np.arange(0, size - 1, 2)
        counts = np.full(len(pairs), 2.0, np.float32)
        counts[-1] += size % 2
        level = np.add.reduceat(level, pairs, axis=axis)
        level /= counts.reshape(-1, 1, 1) if axis == 0 else counts.reshape(1, -1, 1)
    return level


def build(pixels: np.ndarray, space: str = "lin_rec709") -> Pyramid:
    """The pyramid of an image.

    pixels : (h, w, c) uint8, uint16, float16 or float32, as stored in the file, top row first.
    space : what its colours mean; a curve is taken out in the table, so 8 bits stay 8 bits.
    """
    if pixels.ndim == 2:
        pixels = pixels[:, :, None]
    low, high = 0.0, 1.0
    space = "lin_rec709" if is_linear(space) or pixels.shape[2] in (2,) else space
    bits = pixels.dtype.itemsize * 8
    if matrix(space) is not None and pixels.shape[2] >= 3:
        pixels = _in_709(pixels, space)
        space = "lin_rec709"
    if pixels.shape[2] == 4 and not is_linear(space):  # alpha has no curve: decode once, keep as 16 bits
        pixels = _decoded(pixels, space)
        space = "lin_rec709"
    if pixels.dtype == np.uint8:
        kind, stored = "uint8", pixels
    elif pixels.dtype == np.uint16:
        kind, stored = "uint16", pixels
    else:
        pixels = np.nan_to_num(pixels.astype(np.float32, copy=False), posinf=65504.0, neginf=-65504.0)
        low, high = float(pixels.min(initial=0.0)), float(pixels.max(initial=1.0))
        if high - low <= 8.0:
            kind = "uint16"
            stored = np.rint((pixels - low) * (65535.0 / (high - low))).astype(np.uint16)
        else:
            kind, stored = "half", pixels.astype(np.float16).view(np.uint16)
    return _with_levels(np.ascontiguousarray(stored), (kind, space, low, high), bits)


def _in_709(pixels: np.ndarray, space: str) -> np.ndarray:
    plain = _decoded(pixels, space)
    turn = matrix(space)
    assert turn is not None
    plain[:, :, :3] = plain[:, :, :3] @ turn.T.astype(np.float32)
    return plain


def _decoded(pixels: np.ndarray, space: str) -> np.ndarray:
    scale = {np.dtype(np.uint8): 255.0, np.dtype(np.uint16): 65535.0}.get(pixels.dtype, 1.0)
    plain = pixels.astype(np.float32) / np.float32(scale)
    plain[:, :, :3] = curve(space)(plain[:, :, :3])
    return plain


def _with_levels(stored: np.ndarray, coding: tuple[str, str, float, float], bits: int) -> Pyramid:
    table = _table(*coding)
    parts, sizes = [stored], [stored.shape[:2]]
    level = table[stored]
    while max(level.shape[:2]) > 1:
        level = _halved(level)
        parts.append(_encode(level, *coding))
        sizes.append(level.shape[:2])
    channels = stored.shape[2]
    texels = np.concatenate([part.reshape(-1, channels) for part in parts])
    texels.flags.writeable = False
    counts = np.array([h * w for h, w in sizes], np.int64)
    return Pyramid(
        texels,
        table,
        np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64),
        np.array([w for _, w in sizes], np.int32),
        np.array([h for h, _ in sizes], np.int32),
        bits,
    )
