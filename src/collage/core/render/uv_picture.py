"""Pictures of UV layouts: islands as paper on a map, what is chosen hatched, measures in greys."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from collage.core.document.model import Network
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.islands import k, quantiles
from collage.core.geometry.points import sheet
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library
from collage.core.render.cards import first_output
from collage.core.render.film import shown_value, to_display

WORST = 0.95  # quantile by area from which on a measure is drawn in the accent
MOST_LINES = 0.5  # share of the pixels of a layout that lines around polygons may take
CHECKS = 16  # of the test pattern across a tile

Colour = tuple[int, int, int]


@dataclass(frozen=True)
class Window:
    """What of a layout is seen: the place of the lower left corner, and UV units a pixel."""

    u: float
    v: float
    unit: float

    def places(self, width: int, height: int) -> np.ndarray:
        """(2, h w) float32, the UVs of pixels' middles, row by row from the top."""
        columns, rows = np.arange(width) + 0.5, height - np.arange(height) - 0.5
        u, v = np.meshgrid(self.u + columns * self.unit, self.v + rows * self.unit)
        return np.stack([u.ravel(), v.ravel()]).astype(np.float32)


@dataclass(frozen=True)
class Paper:
    """The colours of a layout, 0 to 255."""

    surround: Colour = (122, 122, 122)
    paper: Colour = (241, 241, 241)
    ink: Colour = (30, 30, 30)
    accent: Colour = (196, 64, 42)


@dataclass(frozen=True, eq=False)
class Scale:
    """Values as greys: from paper at `low` to ink at `high`, the worst in the accent from `worst` on.

    values : (t,).
    """

    values: np.ndarray
    low: float
    high: float
    worst: float

    def colours(self, paper: Paper) -> np.ndarray:
        """(t, 3) uint8."""
        share = np.clip((self.values - self.low) / max(self.high - self.low, 1e-12), 0, 1)[:, None]
        out = np.array(paper.paper) + (np.array(paper.ink, float) - paper.paper) * share
        out[self.values > self.worst] = paper.accent
        return out.astype(np.uint8)


def scale_of(values: np.ndarray, area: np.ndarray) -> Scale:
    """A scale over values (t,) of triangles with areas (t,): from the least to the greatest that counts."""
    if not len(values) or not area.sum() > 0:
        return Scale(values, 0.0, 1.0, np.inf)
    low, worst, high = (float(one) for one in quantiles(values, area, (0.005, WORST, 0.995)))
    worst = max(worst, (low + high) / 2)  # where nearly all is alike, greys are still to be seen
    even = high - low < 1e-3 * max(abs(high), 1e-12)
    return Scale(values, low, high if not even else low + max(abs(low), 1e-9), np.inf if even else worst)


def uv_picture(
    uv: np.ndarray,
    island: np.ndarray,
    chosen: np.ndarray,
    flipped: np.ndarray,
    window: Window,
    below: np.ndarray,
    paper: Paper,
    scale: Scale | None = None,
    face: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """A layout as it is seen: (h, w, 3) uint8, and (h, w) int32 the triangle in each pixel, -1 for none.

    uv : (3 t, 2). island, chosen, flipped : (t,). below : (h, w, 3) uint8, what the islands lie on.
    face : (t,), the polygon of each triangle, to have a fine line around each polygon.
    """
    height, width = below.shape[:2]
    count, owner = np.zeros((height, width), np.int32), np.full((height, width), -1, np.int32)
    reach = np.array([width, height]) * window.unit
    corners = (uv.reshape(-1, 3, 2).astype(np.float64) - (window.u, window.v)) / reach
    k.cover(np.ascontiguousarray(corners), np.arange(len(corners), dtype=np.int32), count, owner)
    count, owner = count[::-1], owner[::-1]  # from here on row 0 is the uppermost
    out, none = np.array(below, np.uint8, order="C"), np.zeros((0, 3), np.uint8)
    owner, count = np.ascontiguousarray(owner), np.ascontiguousarray(count)
    marks = (chosen * np.uint8(k.CHOSEN) + flipped * np.uint8(k.FLIPPED)).astype(np.uint8)
    island, face = (np.ascontiguousarray(one, np.int32) for one in (island, face if face is not None else ()))
    if len(face) and k.lines(owner, face) >= MOST_LINES * np.count_nonzero(owner >= 0):
        face = face[:0]  # polygons are so small that there would be nothing but lines
    greys = scale.colours(paper) if scale is not None else none
    colours = np.array([paper.paper, paper.ink, paper.accent], np.uint8)
    k.paint(owner, count, island, marks, face, greys, colours, out)
    return out, owner


def plain(window: Window, width: int, height: int, tiles: np.ndarray, paper: Paper) -> np.ndarray:
    """(h, w, 3) uint8: the tiles that are used, (n, 2), on the surround."""
    return _in_tiles(np.full((height, width, 3), 168, np.uint8), window, tiles, paper)


def pattern(window: Window, width: int, height: int, tiles: np.ndarray, paper: Paper) -> np.ndarray:
    """The same with a test pattern: checks, and a cross in each tile's middle."""
    u, v = window.places(width, height)
    dark = (np.floor(u * CHECKS) + np.floor(v * CHECKS)) % 2 == 1
    coarse = (np.floor(u * CHECKS / 4) + np.floor(v * CHECKS / 4)) % 2 == 1
    grey = np.where(dark, 112, 176) + np.where(coarse, 24, 0)
    out = np.repeat(grey.reshape(height, width, 1), 3, axis=2).astype(np.uint8)
    return _in_tiles(out, window, tiles, paper)


def of_card(
    library: Library,
    material: Network,
    name: str,
    uv_sets: tuple[str, ...],
    window: Window,
    size: tuple[int, int],
    tiles: np.ndarray,
    paper: Paper,
    folder: Path | None,
    images: ImageStore | None,
) -> np.ndarray:
    """The same with what a card puts out there, whichever of the UV sets it reads. Raises CollageError."""
    width, height = size
    found = first_output(library, material.cards[name]) if name in material.cards else None
    if found is None:
        return plain(window, width, height, tiles, paper)
    flat = sheet(width, height)
    places = window.places(width, height)
    steps = np.full(flat.count, window.unit, np.float32)
    points = replace(flat, uv=dict.fromkeys(uv_sets, places), step_u=steps, step_v=steps, filtered=True, across=0)
    plan = build_plan(library, material, {"out": CardOutput(name, found[0])}, folder=folder, images=images)
    value = np.asarray(run(plan, points)["out"], np.float32)
    shown = shown_value(np.broadcast_to(value, (len(value), points.count)), found[1], points.count)
    return _in_tiles(to_display(shown.T.reshape(height, width, 3)), window, tiles, paper)


def _in_tiles(picture: np.ndarray, window: Window, tiles: np.ndarray, paper: Paper) -> np.ndarray:
    """A picture where the tiles are, with a line around each; the surround elsewhere."""
    height, width = picture.shape[:2]
    out = np.empty_like(picture)
    out[:] = paper.surround
    for column, row in {(0, 0), *map(tuple, tiles.tolist())}:
        left, right = (round((edge - window.u) / window.unit) for edge in (column, column + 1))
        top, bottom = (height - round((edge - window.v) / window.unit) for edge in (row + 1, row))
        if right < 0 or left >= width or bottom < 0 or top >= height:
            continue
        inside = slice(max(top, 0), max(min(bottom, height), 0)), slice(max(left, 0), max(min(right, width), 0))
        out[inside] = picture[inside]
        for edge in (top, bottom):
            if 0 <= edge < height:
                out[edge, inside[1]] = paper.ink
        for edge in (left, right):
            if 0 <= edge < width:
                out[inside[0], edge] = paper.ink
    return out
