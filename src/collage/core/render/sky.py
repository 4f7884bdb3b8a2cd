"""The environment as paths of light see it: directions drawn by how bright they are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.images.colour import LUMINANCE
from collage.core.kernels.path_rows import GUIDES

EVEN = 0.02  # of the directions are drawn evenly, so that none that is bright between two texels is missed


@dataclass(frozen=True, eq=False)
class SkyTable:
    """A picture of the environment, and how likely its rows and the texels in them are. See kernels.emitters.Sky."""

    texels: np.ndarray
    rows: np.ndarray
    columns: np.ndarray
    sines: np.ndarray

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.texels.nbytes + self.rows.nbytes + self.columns.nbytes + self.sines.nbytes


def sky_table(picture: np.ndarray) -> SkyTable:
    """The table of a latitude-longitude picture (h, w, 3) float32, the top row first."""
    height, width = picture.shape[:2]
    sines = np.sin((0.5 - np.arange(height + 1) / height) * np.pi)
    bright = picture.astype(np.float64) @ LUMINANCE
    # light is read between texels, so each is as likely as the brightest around it asks for
    bright = (np.roll(bright, 1, axis=1) + 2 * bright + np.roll(bright, -1, axis=1)) / 4
    padded = np.pad(bright, ((1, 1), (0, 0)), mode="edge")
    bright = (padded[:-2] + 2 * padded[1:-1] + padded[2:]) / 4
    share = bright * -np.diff(sines)[:, None]
    total = share.sum()
    even = np.broadcast_to(-np.diff(sines)[:, None] / (2 * width), share.shape)
    share = even if not total > 0 else (1 - EVEN) * share / total + EVEN * even
    down = share.sum(axis=1)
    rows = np.concatenate([[0.0], np.cumsum(down) / down.sum()])
    columns = np.concatenate([np.zeros((height, 1)), np.cumsum(share, axis=1) / down[:, None]], axis=1)
    rows[-1] = columns[:, -1] = 1
    rows, columns, sines = (one.astype(np.float32) for one in (rows, columns, sines))
    drawn = np.diff(rows)[:, None] * np.diff(columns, axis=1)  # as likely as the rounded sums make them
    texels = np.empty((height, width, 4), np.float32)
    texels[..., :3] = picture
    texels[..., 3] = drawn / np.maximum(2 * np.pi / width * -np.diff(sines), 1e-12)[:, None]
    return SkyTable(texels, _guided(rows[None])[0], _guided(columns), sines)


def _guided(sums: np.ndarray) -> np.ndarray:
    """Rows of sums with the guides behind them; see kernels.emitters.Sky."""
    held, steps = sums.astype(np.float32), np.arange(GUIDES, dtype=np.float32) / np.float32(GUIDES)
    guides = [np.searchsorted(row, steps, "right") - 1 for row in held]
    return np.concatenate([held, np.array(guides, np.float32)], axis=1)
