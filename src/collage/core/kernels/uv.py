"""UV layouts as texels: which are covered, how often, and by what."""

from __future__ import annotations

import numpy as np
from numba import njit, types

from collage.core.kernels.flags import EXACT

CORNERS = types.Array(types.float64, 3, "C", readonly=True)
WHOLE1 = types.Array(types.int32, 1, "C", readonly=True)
OUT_WHOLE2 = types.Array(types.int32, 2, "C")


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
