"""Moving islands of a UV set: turned, scaled, flipped, straightened, aligned, stacked, evened; and projections."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from collage.core.geometry.islands import measures
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.topology import connected, numbered, same_place

Side = Literal["left", "right", "bottom", "top", "middle u", "middle v"]
Projection = Literal["plane", "box", "cylinder", "sphere"]

CUT = 1 / 64  # of a tile that faces which are cut off are moved by


def box_of(uv: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest corner of what is laid out, (2,) each; uv : (n, 2)."""
    if not len(uv):
        return np.zeros(2), np.ones(2)
    columns = uv[:, 0], uv[:, 1]  # each by itself: much quicker than along the first axis
    return np.array([one.min() for one in columns], np.float64), np.array([one.max() for one in columns], np.float64)


def corners_in(uv: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    """(3 t,) bool: the corners of chosen triangles (t,) bool, or just the chosen corners (3 t,) bool."""
    return chosen if len(chosen) == len(uv) else np.repeat(chosen, 3)


def changed(uv: np.ndarray, chosen: np.ndarray, matrix: np.ndarray, pivot: np.ndarray, move: np.ndarray) -> np.ndarray:
    """UVs (3 t, 2) with what is chosen of them changed by a matrix (2, 2) about a pivot, and then moved.

    chosen : here and where no islands are asked for too, triangles (t,) bool or corners (3 t,) bool.
    """
    here = np.flatnonzero(corners_in(uv, chosen))
    out = np.array(uv, np.float32)
    out[here] = (uv.take(here, axis=0).astype(np.float64) - pivot) @ np.asarray(matrix).T + pivot + move
    return out


def turned(uv: np.ndarray, chosen: np.ndarray, degrees: float) -> np.ndarray:
    """Turned counter-clockwise about the middle of what is chosen. Quarter turns are exact."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    if degrees % 90 == 0:
        c, s = round(c), round(s)
    return _about_middle(uv, chosen, np.array([[c, -s], [s, c]]))


def scaled(uv: np.ndarray, chosen: np.ndarray, u: float, v: float) -> np.ndarray:
    """Scaled about the middle of what is chosen; negative numbers flip."""
    return _about_middle(uv, chosen, np.diag([u, v]))


def _about_middle(uv: np.ndarray, chosen: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    low, high = box_of(uv[corners_in(uv, chosen)])
    return changed(uv, chosen, matrix, (low + high) / 2, np.zeros(2))


def fitted(uv: np.ndarray, chosen: np.ndarray, margin: float = 0.0, *, keep_proportions: bool = True) -> np.ndarray:
    """What is chosen as large as it can be in the tile that its middle lies in, less a margin on every side."""
    low, high = box_of(uv[corners_in(uv, chosen)])
    size, tile = np.maximum(high - low, 1e-9), np.floor((low + high) / 2)
    scale = (1 - 2 * margin) / size
    if keep_proportions:
        scale = np.full(2, scale.min())
    move = tile + 0.5 - (low + high) / 2
    return changed(uv, chosen, np.diag(scale), (low + high) / 2, move)


def aligned(uv: np.ndarray, chosen: np.ndarray, island: np.ndarray, side: Side) -> np.ndarray:
    """The chosen islands moved to one side, or to the middle, of all that is chosen."""
    axis = 0 if side in ("left", "right", "middle u") else 1
    out, (low, high) = np.array(uv), box_of(uv[np.repeat(chosen, 3)])
    for one in np.unique(island[chosen]):
        here = island == one
        own_low, own_high = box_of(uv[np.repeat(here, 3)])
        if side in ("left", "bottom"):
            gone = low[axis] - own_low[axis]
        elif side in ("right", "top"):
            gone = high[axis] - own_high[axis]
        else:
            gone = (low[axis] + high[axis] - own_low[axis] - own_high[axis]) / 2
        move = np.zeros(2)
        move[axis] = gone
        out = changed(out, here, np.eye(2), np.zeros(2), move)
    return out


def lined_up(uv: np.ndarray, corners: np.ndarray, side: Side) -> np.ndarray:
    """Chosen corners (3 t,) bool moved onto one level or upright line: at a side of all of them, or in the middle."""
    axis = 0 if side in ("left", "right", "middle u") else 1
    out, (low, high) = np.array(uv), box_of(uv[corners])
    at = {"left": low, "bottom": low, "right": high, "top": high}.get(side, (low + high) / 2)
    out[corners, axis] = at[axis]
    return out


def straightened(uv: np.ndarray, chosen: np.ndarray, island: np.ndarray, edges: np.ndarray | None = None) -> np.ndarray:
    """Each chosen island turned, by less than half a right angle, so that most of its edges are level or upright.

    edges : (3 t,) bool, those that count; each from its corner to the next of its triangle. All if left out.
    """
    out = np.array(uv)
    for one in np.unique(island[chosen]):
        here = island == one
        corner = uv.reshape(-1, 3, 2)[here].astype(np.float64)
        edge = (np.roll(corner, -1, axis=1) - corner).reshape(-1, 2)
        if edges is not None:
            edge = edge[edges.reshape(-1, 3)[here].ravel()]
        length = np.hypot(edge[:, 0], edge[:, 1])
        angle = np.arctan2(edge[:, 1], edge[:, 0]) * 4  # four directions count as one
        mean = math.atan2(float((np.sin(angle) * length).sum()), float((np.cos(angle) * length).sum())) / 4
        out = turned(out, here, -math.degrees(mean))
    return out


def evened(mesh: Mesh, uv: np.ndarray, chosen: np.ndarray, island: np.ndarray) -> np.ndarray:
    """Each chosen island scaled about its middle so that all have the texel density of all that is chosen."""
    found, out = measures(mesh.positions, mesh.triangles, uv), np.array(uv)
    flat = found.density**2 * found.area
    wanted = math.sqrt(flat[chosen].sum() / max(found.area[chosen].sum(), 1e-30))
    for one in np.unique(island[chosen]):
        here = island == one
        own = math.sqrt(flat[here].sum() / max(found.area[here].sum(), 1e-30))
        if own > 0:
            out = scaled(out, here, wanted / own, wanted / own)
    return out


def cut_off(uv: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    """The chosen triangles (t,) bool moved a little aside, without what they were joined to: islands of their own."""
    return changed(uv, chosen, np.eye(2), np.zeros(2), np.array([CUT, CUT]))


def stacked(mesh: Mesh, uv: np.ndarray, chosen: np.ndarray, island: np.ndarray) -> np.ndarray:
    """Chosen islands with the same faces laid over each other: each takes the place of the first one like it.

    Alike are islands with as many triangles, joined in the same way, of the same size within a hundredth.
    """
    out, first = np.array(uv), dict[tuple[object, ...], np.ndarray]()
    weld = same_place(mesh.positions)[mesh.triangles]
    for one in np.unique(island[chosen]):
        here = np.flatnonzero(island == one)
        _, pattern = np.unique(weld[here], return_inverse=True)
        order = _first_seen(pattern.ravel())
        area = float(mesh.areas[here].sum())
        key = (len(here), order.tobytes(), round(math.log(max(area, 1e-30)) * 50))
        if key in first:
            out.reshape(-1, 3, 2)[here] = out.reshape(-1, 3, 2)[first[key]]
        else:
            first[key] = here
    return out


def _first_seen(numbers: np.ndarray) -> np.ndarray:
    """The same numbers counted in the order in which they come."""
    _, first, inverse = np.unique(numbers, return_index=True, return_inverse=True)
    rank = np.empty(len(first), np.int32)
    rank[np.argsort(first)] = np.arange(len(first), dtype=np.int32)
    return rank[inverse.reshape(-1)]


# ---- layouts ----------------------------------------------------------------------------------


def projected(
    mesh: Mesh, uv: np.ndarray, chosen: np.ndarray, kind: Projection, axes: np.ndarray | None = None
) -> np.ndarray:
    """UVs of the chosen triangles laid out by a projection of their own box, 1 metre to one UV unit across a plane.

    axes : (3, 3) right, up and towards the eye of the projection, in the object's space; the object's own if left out.
    Cylinders and spheres are cut at the back; triangles over the cut are kept whole.
    """
    axes = np.eye(3) if axes is None else np.asarray(axes, np.float64)
    own = mesh.positions.astype(np.float64) @ axes.T
    corner = own[mesh.triangles[chosen]]
    low, high = corner.reshape(-1, 3).min(axis=0), corner.reshape(-1, 3).max(axis=0)
    middle, size = (low + high) / 2, np.maximum(high - low, 1e-9)
    at = corner - middle
    if kind == "plane":
        place = at[..., :2]
    elif kind == "box":
        normal = mesh.face_normals[chosen].astype(np.float64) @ axes.T
        place = _boxed(at, normal)
    else:
        angle = np.arctan2(at[..., 0], at[..., 2]) / (2 * np.pi)
        pole = np.hypot(at[..., 0], at[..., 2]) < 1e-7 * size.max()
        angle = _whole(angle, pole)
        radius = np.linalg.norm(at, axis=2)
        up = at[..., 1] / size[1] if kind == "cylinder" else np.arcsin(at[..., 1] / np.maximum(radius, 1e-12)) / np.pi
        place = np.stack([angle, up], axis=-1) + 0.5
    out = np.array(uv, np.float32)
    out.reshape(-1, 3, 2)[chosen] = place
    return out


def _boxed(at: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """(t, 3, 2) each triangle laid flat along the axis that it faces most, seen from outside, metres."""
    axis = np.abs(normal).argmax(axis=1)
    sign = np.where(np.take_along_axis(normal, axis[:, None], 1)[:, 0] < 0, -1.0, 1.0)[:, None]
    x, y, z = at[..., 0], at[..., 1], at[..., 2]
    sides = [np.stack([-z * sign, y], axis=-1), np.stack([x, -z * sign], axis=-1), np.stack([x * sign, y], axis=-1)]
    return np.select([axis[:, None, None] == number for number in range(3)], sides)


def _whole(angle: np.ndarray, pole: np.ndarray) -> np.ndarray:
    """Angles (t, 3) in turns, in which no triangle reaches over the cut.

    A corner on the axis takes the others' mean.
    """
    angle = np.where(np.ptp(np.where(pole, angle[:, :1], angle), axis=1)[:, None] > 0.5, angle % 1.0, angle)
    others = np.where(pole, 0, angle).sum(axis=1) / np.maximum((~pole).sum(axis=1), 1)
    return np.where(pole, others[:, None], angle)


def flattened(mesh: Mesh, uv: np.ndarray, chosen: np.ndarray) -> np.ndarray:
    """The chosen faces laid flat at real scale, each side without turning it: planks keep their grain.

    A side is what hangs together and faces the same way along an axis; it is seen along that axis, so that 1 metre is
    one UV unit where it is level, and sides lie beside each other in rows.
    """
    normal = mesh.face_normals.astype(np.float64)
    axis = np.abs(normal).argmax(axis=1)
    facing = 2 * axis + (np.take_along_axis(normal, axis[:, None], 1)[:, 0] < 0)
    vertex = same_place(mesh.positions)[mesh.triangles].ravel().astype(np.int64)
    number = numbered(vertex, np.repeat(facing, 3))
    side = connected(number.reshape(-1, 3), int(number.max(initial=-1)) + 1)
    place = _boxed(mesh.positions.astype(np.float64)[mesh.triangles], normal)
    out = np.array(uv, np.float32)
    found = {one: np.flatnonzero((side == one) & chosen) for one in np.unique(side[chosen])}
    boxes = {one: box_of(place[here].reshape(-1, 2)) for one, here in found.items()}
    at = rows_of([(one, high - low) for one, (low, high) in boxes.items()])
    for one, here in found.items():
        out.reshape(-1, 3, 2)[here] = place[here] - boxes[one][0] + at[one]
    return out


def rows_of(boxes: list[tuple[int, np.ndarray]], gap: float = 0.01) -> dict[int, np.ndarray]:
    """Where boxes (2,) lie that are put into rows, the tallest first; all of them as about as wide as high."""
    total = sum(float(np.prod(size + gap)) for _, size in boxes)
    across = max(math.sqrt(total), max((float(size[0]) for _, size in boxes), default=0.0))
    found, x, y, high = {}, 0.0, 0.0, 0.0
    for one, size in sorted(boxes, key=lambda box: -float(box[1][1])):
        if x > 0 and x + size[0] > across:
            x, y, high = 0.0, y + high + gap, 0.0
        found[one] = np.array([x, y])
        x, high = x + float(size[0]) + gap, max(high, float(size[1]))
    return found
