"""Large pictures are made in tiles, so that the memory they take does not grow with their size."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from collage.core.render.samples import Window

PIXELS = 150_000  # of a tile, without its margin: about 250 MB
ACROSS = 512
WHOLE = 700_000  # of a picture that may be looked at again, with other values: what is known of its rays is kept
MARGIN = 8
"""Pixels around a tile that are made too: shade is smoothed over neighbours, and edges look at them."""


@dataclass(frozen=True)
class Tile:
    """A part of a picture. inner : its own pixels; outer : those that are made for it."""

    inner: Window
    outer: Window

    @property
    def rows(self) -> slice:
        """The inner rows, counted in the outer part."""
        start = self.inner.y - self.outer.y
        return slice(start, start + self.inner.height)

    @property
    def columns(self) -> slice:
        """The inner columns, counted in the outer part."""
        start = self.inner.x - self.outer.x
        return slice(start, start + self.inner.width)


def tiles(width: int, height: int, pixels: int = PIXELS, across: int = ACROSS, *, whole: int = 0) -> Iterator[Tile]:
    """The tiles of a picture, row by row; one without margin where it has no more than `whole` pixels, or one tile's.

    Tiles begin at multiples of MARGIN, so that a pixel sends its shadow rays to the same places as in the whole.
    """
    if width * height <= max(whole, pixels):
        all_of_it = Window(0, 0, width, height)
        yield Tile(all_of_it, all_of_it)
        return
    wide = min(across, width)
    high = max(pixels // wide // MARGIN, 1) * MARGIN
    for y in range(0, height, high):
        for x in range(0, width, wide):
            inner = Window(x, y, min(wide, width - x), min(high, height - y))
            left, top = max(x - MARGIN, 0), max(y - MARGIN, 0)
            right, bottom = min(x + inner.width + MARGIN, width), min(y + inner.height + MARGIN, height)
            yield Tile(inner, Window(left, top, right - left, bottom - top))
