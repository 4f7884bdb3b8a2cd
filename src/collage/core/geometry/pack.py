"""Packing islands of a UV set into the unit square, each as low as it goes on the outline of those below it.

The outline of each island is kept as its lowest and highest place in every column (a skyline with profiles; after
B. Lévy et al., Least squares conformal maps for automatic texture atlas generation, 2002, section 4).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.geometry.islands import SAME, islands
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.topology import edge_keys, numbered

COLUMNS = 512  # that the square is parted into, at most
TRIES = 9  # scales that are tried
MOST = 4000  # islands


@dataclass(frozen=True)
class PackOptions:
    """margin : texels between islands and around all of them, at `size` texels a side. turn : whether islands may be
    turned to save room."""

    margin: int = 4
    size: int = 1024
    turn: bool = True


@dataclass(frozen=True, eq=False)
class _Outline:
    """The border of an island, its lowest corner at 0, turned as it may lie. lines : (e, 2, 2)."""

    lines: np.ndarray
    matrix: np.ndarray  # (2, 2), how it was turned
    low: np.ndarray  # (2,), its lowest corner after turning
    size: np.ndarray


@dataclass(frozen=True, eq=False)
class _Profile:
    """The lowest and highest place of an outline in each column, with half the margin around it, in columns."""

    bottom: np.ndarray
    top: np.ndarray
    outline: _Outline


def packed(mesh: Mesh, uv: np.ndarray, chosen: np.ndarray, options: PackOptions) -> Steps[np.ndarray]:
    """UVs (3 t, 2) whose chosen islands lie beside each other in the unit square, in proportion, as large as they go.

    chosen : (t,) bool; a part of an island is an island of its own. Steps. Raises CollageError where they do not fit.
    """
    here = np.flatnonzero(chosen)
    corner = uv.reshape(-1, 3, 2)[here].astype(np.float64)
    island = islands(mesh.positions, mesh.triangles[here], corner.reshape(-1, 2).astype(np.float32))
    count = int(island.max(initial=-1)) + 1
    if not count:
        raise CollageError("There is nothing to pack.", remedy="Choose an object or some of its islands.")
    if count > MOST:
        raise CollageError(f"{count:,} islands are too many to pack; {MOST:,} are the most.",
                           remedy="Choose some of them, or join them first.")  # fmt: skip
    yield Progress("Packing", 0.0)
    ways = [_ways(lines, options.turn) for lines in _borders(corner, island, count)]
    area = sum(float(np.prod(of[0].size)) for of in ways)
    room = options.size - options.margin
    if room <= options.margin * np.sqrt(count):
        raise CollageError(f"A margin of {options.margin} texels leaves no room for {count} islands.",
                           remedy="Use a smaller margin or a larger size.")  # fmt: skip
    low, high = 0.0, options.size / np.sqrt(max(area, 1e-18)) * 2.0
    best = None
    for step in range(TRIES):
        scale = high * 0.55 if step == 0 else (low + high) / 2
        placed = _placed(ways, scale, options)
        yield Progress("Packing", (step + 1) / TRIES)
        if placed is None:
            high = scale
        else:
            low, best = scale, placed
    while best is None:
        high /= 2
        best, low = _placed(ways, high, options), high
        if high < 1e-12:
            raise CollageError("The islands do not fit.", remedy="Use a smaller margin or a larger size.")
    out = np.array(uv, np.float32)
    for one, (outline, at) in enumerate(best):
        of = island == one
        own = corner[of] @ outline.matrix.T - outline.low
        out.reshape(-1, 3, 2)[here[of]] = (own * low + at) / options.size
    return out


def _borders(corner: np.ndarray, island: np.ndarray, count: int) -> list[np.ndarray]:
    """For each island the edges (e, 2, 2) on its border."""
    place = np.round(corner.reshape(-1, 2) / SAME)
    number = numbered(np.repeat(island, 3), place[:, 0], place[:, 1])
    key, _ = edge_keys(number.reshape(-1, 3))
    _, first, times = np.unique(key, return_index=True, return_counts=True)
    alone = np.zeros(len(key), bool)
    alone[first[times == 1]] = True
    lines = np.stack([corner, np.roll(corner, -1, axis=1)], axis=2).reshape(-1, 2, 2)
    of = np.repeat(island, 3)
    order = np.argsort(of[alone], kind="stable")
    lines, of = lines[alone][order], of[alone][order]
    starts = np.searchsorted(of, np.arange(count + 1))
    found = [lines[a:b] for a, b in pairwise(starts)]
    whole = [np.flatnonzero(island == one) for one, edges in enumerate(found) if not len(edges)]
    for triangles in whole:  # closed onto itself: its own corners stand for it
        found[int(island[triangles[0]])] = np.repeat(corner[triangles].reshape(-1, 1, 2), 2, axis=1)
    return found


def _ways(lines: np.ndarray, turn: bool) -> list[_Outline]:
    """How an island may lie: as it is; if it may be turned, along its narrowest box in four ways."""
    if not turn:
        return [_outline(lines, np.eye(2))]
    base = _narrowest(lines.reshape(-1, 2))
    quarter = np.array([[0.0, -1.0], [1.0, 0.0]])
    found, matrix, seen = [], base, set[bytes]()
    for _ in range(4):
        made = _outline(lines, matrix)
        points = np.round(made.lines.reshape(-1, 2) / max(float(made.size.max()), 1e-12), 4) + 0.0
        looks = np.unique(points, axis=0).tobytes()
        if looks not in seen:  # half a turn of a plank is the same plank
            seen.add(looks)
            found.append(made)
        matrix = quarter @ matrix
    return found


def _outline(lines: np.ndarray, matrix: np.ndarray) -> _Outline:
    turned = lines @ matrix.T
    low, high = turned.reshape(-1, 2).min(axis=0), turned.reshape(-1, 2).max(axis=0)
    return _Outline(turned - low, matrix, low, high - low)


def _narrowest(points: np.ndarray) -> np.ndarray:
    """(2, 2) the rotation after which the box around points is smallest: one of the hull's edges is level then."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = points[ConvexHull(points).vertices]
    except (QhullError, ValueError):
        return np.eye(2)
    edge = np.roll(hull, -1, axis=0) - hull
    angle = np.arctan2(edge[:, 1], edge[:, 0])
    c, s = np.cos(angle), np.sin(angle)
    across, up = np.outer(hull[:, 0], c) + np.outer(hull[:, 1], s), np.outer(hull[:, 1], c) - np.outer(hull[:, 0], s)
    least = int(np.argmin(np.ptp(across, axis=0) * np.ptp(up, axis=0)))
    return np.array([[c[least], s[least]], [-s[least], c[least]]])


def _placed(ways: list[list[_Outline]], scale: float, options: PackOptions) -> list[tuple[_Outline, np.ndarray]] | None:
    """For each island how it lies and where its lowest corner is, texels; None where they do not all fit."""
    step = max(options.size / COLUMNS, 1.0)  # texels a column
    room = options.size / step
    half = options.margin / 2 / step
    order = sorted(range(len(ways)), key=lambda one: -float(ways[one][0].size.max()))
    sky = np.full(int(room), half)
    found: dict[int, tuple[_Outline, np.ndarray]] = {}
    for one in order:
        best: tuple[float, int, _Profile] | None = None
        for outline in ways[one]:
            profile = _profile(outline, scale / step, half)
            if len(profile.bottom) > len(sky):
                continue
            windows = np.lib.stride_tricks.sliding_window_view(sky, len(profile.bottom))
            up = (windows - profile.bottom).max(axis=1)
            at = int(np.argmin(up))
            reach = float(up[at] + profile.top.max())
            if reach <= room - half and (best is None or reach < best[0]):
                best = reach, at, profile
        if best is None:
            return None
        _, at, profile = best
        width = len(profile.bottom)
        up = float((sky[at : at + width] - profile.bottom).max())
        sky[at : at + width] = np.maximum(sky[at : at + width], up + profile.top)
        beside = half + (1 if half else 0)  # the island begins so many columns inside its profile
        found[one] = profile.outline, np.array([(at + np.ceil(beside)) * step, up * step])
    return [found[one] for one in range(len(ways))]


def _profile(outline: _Outline, scale: float, half: float) -> _Profile:
    """See _Profile. scale : columns for one unit of the outline. half : the margin on each side, columns."""
    beside = int(np.ceil(half + (1 if half else 0)))
    width = int(np.floor(outline.size[0] * scale)) + 1
    bottom, top = np.full(width + 2 * beside, np.inf), np.full(width + 2 * beside, -np.inf)
    lines = outline.lines * scale
    longest = np.abs(lines[:, 1, 0] - lines[:, 0, 0])
    parts = np.maximum(np.ceil(longest * 2).astype(int), 1)
    which = np.repeat(np.arange(len(lines)), parts + 1)
    share = (np.arange(len(which)) - np.repeat(np.cumsum(parts + 1) - parts - 1, parts + 1)) / np.repeat(
        parts, parts + 1
    )
    points = lines[which, 0] + (lines[which, 1] - lines[which, 0]) * share[:, None]
    column = np.clip(np.floor(points[:, 0]).astype(int), 0, width - 1) + beside
    np.minimum.at(bottom, column, points[:, 1])
    np.maximum.at(top, column, points[:, 1])
    # what lies in a column reaches into its neighbours between the points that were looked at
    low, high = bottom.copy(), top.copy()
    for shift in range(-beside - 1, beside + 2):
        moved_low, moved_high = np.full_like(low, np.inf), np.full_like(high, -np.inf)
        source = slice(max(-shift, 0), len(low) - max(shift, 0))
        target = slice(max(shift, 0), len(low) - max(-shift, 0))
        moved_low[target], moved_high[target] = low[source], high[source]
        bottom, top = np.minimum(bottom, moved_low), np.maximum(top, moved_high)
    return _Profile(bottom - half, top + half, outline)
