"""UV layouts as texels: which are covered, how often, and by what."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import EXACT, INLINE, LOOP

CORNERS = types.Array(types.float64, 3, "C", readonly=True)
WHOLE1 = types.Array(types.int32, 1, "C", readonly=True)
OUT_WHOLE2 = types.Array(types.int32, 2, "C")
WHOLE2 = types.Array(types.int32, 2, "C", readonly=True)
BYTES1, BYTES2 = (types.Array(types.uint8, axes, "C", readonly=True) for axes in (1, 2))
OUT_PICTURE = types.Array(types.uint8, 3, "C")

CHOSEN, FLIPPED = 1, 2  # bits of a triangle's marks
PAPER, INK, ACCENT = range(3)  # rows of the colours
HATCH = 7  # pixels between lines


@njit(types.void(CORNERS, WHOLE1, OUT_WHOLE2, OUT_WHOLE2), **EXACT)
def cover(corners, ids, count, owner):
    """Adds to `count` at every texel whose middle a triangle covers, and writes its id to `owner`.

    corners : (t, 3, 2) UVs of triangles. count, owner : (h, w), row 0 at v = 0, for the unit square; what lies beside
    it is left out. Of two triangles with an edge in common a middle on the edge belongs to one (the rule of the upper
    left edge; J. Pineda, A parallel algorithm for polygon rasterization, 1988).
    """
    height, width = count.shape
    for t in range(len(corners)):
        ax, ay = corners[t, 0, 0] * width - 0.5, corners[t, 0, 1] * height - 0.5
        bx, by = corners[t, 1, 0] * width - 0.5, corners[t, 1, 1] * height - 0.5
        cx, cy = corners[t, 2, 0] * width - 0.5, corners[t, 2, 1] * height - 0.5
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if area == 0.0 or not np.isfinite(area):
            continue
        if area < 0.0:
            bx, cx = cx, bx
            by, cy = cy, by
        x0, x1 = max(int(np.ceil(min(ax, bx, cx))), 0), min(int(np.floor(max(ax, bx, cx))), width - 1)
        y0, y1 = max(int(np.ceil(min(ay, by, cy))), 0), min(int(np.floor(max(ay, by, cy))), height - 1)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                inside = True
                for side in range(3):
                    if side == 0:
                        sx, sy, ex, ey = ax, ay, bx, by
                    elif side == 1:
                        sx, sy, ex, ey = bx, by, cx, cy
                    else:
                        sx, sy, ex, ey = cx, cy, ax, ay
                    # from the lower end, so that both triangles of an edge reckon alike
                    swap = sy > ey or (sy == ey and sx > ex)
                    if swap:
                        away = -((sx - ex) * (y - ey) - (sy - ey) * (x - ex))
                    else:
                        away = (ex - sx) * (y - sy) - (ey - sy) * (x - sx)
                    if away < 0.0 or (away == 0.0 and not swap):
                        inside = False
                        break
                if inside:
                    count[y, x] += 1
                    owner[y, x] = ids[t]


@njit(**INLINE)
def _of(owner, numbers, y, x):
    """A triangle's number in a pixel, -1 where there is none; past a border that of the pixel on it."""
    y, x = min(max(y, 0), owner.shape[0] - 1), min(max(x, 0), owner.shape[1] - 1)
    return numbers[owner[y, x]] if owner[y, x] >= 0 else np.int32(-1)


@njit(**INLINE)
def _is_line(owner, face, y, x):
    """Whether a line around polygons runs here: the pixel above or the left one shows another."""
    here = _of(owner, face, y, x)
    return owner[y, x] >= 0 and (here != _of(owner, face, y - 1, x) or here != _of(owner, face, y, x - 1))


@njit(types.int64(WHOLE2, WHOLE1), **LOOP)
def lines(owner, face):
    """How many pixels the lines around polygons take. owner : (h, w), -1 for none. face : (t,) the polygons."""
    found = 0
    for y in range(owner.shape[0]):
        for x in range(owner.shape[1]):
            if _is_line(owner, face, y, x):
                found += 1
    return found


@njit(types.void(WHOLE2, WHOLE2, WHOLE1, BYTES1, WHOLE1, BYTES2, BYTES2, OUT_PICTURE), **LOOP)
def paint(owner, count, island, marks, face, greys, colours, out):
    """Draws a layout over what it lies on, in `out` (h, w, 3).

    owner, count : (h, w) the uppermost triangle in each pixel, -1 for none, and how many there are. island, marks :
    (t,), marks of CHOSEN and FLIPPED. face : (t,) the polygons to be lined, or none. greys : (t, 3) for a measure, or
    none for paper at half strength. colours : rows PAPER, INK, ACCENT.
    """
    for y in range(owner.shape[0]):
        for x in range(owner.shape[1]):
            t = owner[y, x]
            if t < 0:
                continue
            back, forth = (x + y) % HATCH == 0, (y - x) % HATCH == 0
            line = len(face) > 0 and _is_line(owner, face, y, x)
            chosen = marks[t] & CHOSEN != 0
            row = -1  # of the colours, if one of them covers all
            if chosen and back:
                row = ACCENT
            if marks[t] & FLIPPED != 0 and forth:
                row = INK
            if len(greys) == 0 and count[y, x] > 1 and (back or forth):
                row = INK
            border, edge = False, False
            for side in range(4):
                ny, nx = y + (side == 1) - (side == 0), x + (side == 3) - (side == 2)
                if 0 <= ny < owner.shape[0] and 0 <= nx < owner.shape[1]:
                    n = owner[ny, nx]
                    other = n < 0 or island[n] != island[t]
                    border |= other
                    edge |= chosen and (other or marks[n] & CHOSEN == 0)
            for c in range(3):
                value = np.int32(out[y, x, c])
                value = np.int32(greys[t, c]) if len(greys) else (value + colours[PAPER, c]) // 2
                value = np.int32(colours[row, c]) if row >= 0 else value
                value = (value + colours[INK, c]) // 2 if line else value
                value = np.int32(colours[INK, c]) if border else value
                out[y, x, c] = colours[ACCENT, c] if edge else value
