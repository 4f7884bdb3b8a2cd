"""One tile of texels: samples gathered, averaged, and spread a little around the islands."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from collage.core.bake.recipe import BakedMap
from collage.core.bake.values import CHANNELS

BLOCK = 1024  # texels a side that are padded at once
PAPER, MISSED, EMPTY = (205, 205, 205), (196, 64, 42), (122, 122, 122)


@dataclass(eq=False)
class TileMaps:
    """The maps of a tile while they are made. size : texels a side.

    sums : by map (texels, c) float32. met, asked : (texels,) how many samples have met something, and of how many.
    """

    size: int
    maps: tuple[BakedMap, ...]
    sums: dict[BakedMap, np.ndarray] = field(default_factory=dict)

    def __post_init__(self) -> None:
        count = self.size * self.size
        self.met, self.asked = np.zeros(count, np.int16), np.zeros(count, np.int16)
        self.sums = {name: np.zeros((count, CHANNELS[name]), np.float32) for name in self.maps}

    def ask(self, texel: np.ndarray) -> None:
        """Counts samples (n,) of texels."""
        np.add.at(self.asked, texel, 1)

    def add(self, texel: np.ndarray, values: dict[BakedMap, np.ndarray]) -> None:
        """Takes values (n, c) of samples of texels (n,)."""
        np.add.at(self.met, texel, 1)
        for name, found in values.items():
            total = self.sums[name]
            if name == "part":  # numbers have no mean: the last one counts
                total[texel] = found
            else:
                for channel in range(total.shape[1]):
                    np.add.at(total[:, channel], texel, found[:, channel])

    @property
    def missed(self) -> np.ndarray:
        """(texels,) bool: those of whose samples none has met anything."""
        return (self.asked > 0) & (self.met == 0)

    def mean(self, name: BakedMap, neutral: np.ndarray, padding: int) -> np.ndarray:
        """(h, w, c) float32: a map with its islands padded by some texels, and `neutral` (c,) elsewhere."""
        found, total = self.met > 0, self.sums[name]
        if name != "part":
            total = total / np.maximum(self.met, 1)[:, None]
        if name == "normal":
            total = total / np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-9)
        return padded(total.reshape(self.size, self.size, -1), found.reshape(self.size, self.size), neutral, padding)

    def picture(self) -> np.ndarray:
        """(h, w, 3) uint8: islands, and texels that missed in the accent."""
        out = np.empty((self.size * self.size, 3), np.uint8)
        out[:] = EMPTY
        out[self.asked > 0] = PAPER
        out[self.missed] = MISSED
        return out.reshape(self.size, self.size, 3)


def padded(values: np.ndarray, found: np.ndarray, neutral: np.ndarray, padding: int) -> np.ndarray:
    """Values (h, w, c) where they are found, (h, w) bool, those of the nearest texel up to `padding` texels away, and
    `neutral` (c,) elsewhere."""
    from scipy.ndimage import distance_transform_edt

    out = np.empty_like(values)
    height, width = found.shape
    for top in range(0, height, BLOCK):
        for left in range(0, width, BLOCK):
            rows = slice(max(top - padding, 0), min(top + BLOCK + padding, height))
            columns = slice(max(left - padding, 0), min(left + BLOCK + padding, width))
            inside = slice(top, min(top + BLOCK, height)), slice(left, min(left + BLOCK, width))
            some = found[rows, columns]
            if not some.any():
                out[inside] = neutral
                continue
            far, (y, x) = distance_transform_edt(~some, return_indices=True)
            part = values[rows, columns][y, x]
            part[far > padding] = neutral
            out[inside] = part[top - rows.start :, left - columns.start :][:BLOCK, :BLOCK]
    return out
