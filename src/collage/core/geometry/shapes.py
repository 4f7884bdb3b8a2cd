"""Stock shapes with real sizes and adjustable divisions. All stand on the ground, y = 0, and are in metres."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh, smooth_normals

Profile = Sequence[tuple[float, float, float]]
"""Corners of a curve to turn: radius, height, and how far the corner is rounded (metres)."""


def _grid_triangles(rows: int, columns: int, wrap: bool) -> tuple[np.ndarray, np.ndarray]:
    """Triangles of a grid of `rows` x `columns` cells, and the grid point (row, column) of every corner."""
    i, j = (part.ravel() for part in np.meshgrid(np.arange(rows), np.arange(columns), indexing="ij"))
    quads = np.stack([[i, j], [i, j + 1], [i + 1, j + 1], [i + 1, j]], axis=-1)  # (2, cells, 4)
    corners = quads[:, :, [0, 1, 2, 0, 2, 3]].reshape(2, -1)
    across = columns if wrap else columns + 1
    index = corners[0] * across + (corners[1] % columns if wrap else corners[1])
    return index.reshape(-1, 3).astype(np.int32), corners


def _finish(positions: np.ndarray, triangles: np.ndarray, uv: np.ndarray, angle: float = 40.0) -> Mesh:
    """A mesh with one vertex at each place, without faces that have no area (poles), with smoothed normals.

    Two triangles in a row are a quad, as `_grid_triangles` makes them.
    """
    positions, triangles = _welded(positions, triangles)
    p = positions[triangles]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    keep = area > 1e-12
    triangles, uv = triangles[keep], uv.reshape(-1, 3, 2)[keep].reshape(-1, 2)
    _, face = np.unique(np.flatnonzero(keep) // 2, return_inverse=True)
    return Mesh(positions, triangles, smooth_normals(positions, triangles, angle), {"UVMap": uv}, face=face)


def rounded(profile: Profile, steps: int = 5, longest: float = 0.006) -> np.ndarray:
    """Points of a curve with rounded corners, no two further apart than `longest` metres. Returns (m, 2)."""
    points = np.array([corner[:2] for corner in profile], float)
    curve: list[np.ndarray] = [points[0]]
    for at in range(1, len(points) - 1):
        before, here, after = points[at - 1], points[at], points[at + 1]
        a, b = before - here, after - here
        reach = min(profile[at][2], np.linalg.norm(a) * 0.49, np.linalg.norm(b) * 0.49)
        start = here + a / np.linalg.norm(a) * reach
        end = here + b / np.linalg.norm(b) * reach
        for t in np.linspace(0, 1, steps + 1):
            curve.append((1 - t) ** 2 * start + 2 * t * (1 - t) * here + t**2 * end)
    curve.append(points[-1])
    dense = [curve[0]]
    for point in curve[1:]:
        gap = np.linalg.norm(point - dense[-1])
        if gap < 1e-7:
            continue
        parts = int(np.ceil(gap / longest))
        start = dense[-1]
        dense += [start + (point - start) * part / parts for part in range(1, parts + 1)]
    return np.array(dense)


def turned(profile: Profile, segments: int = 96, longest: float = 0.006) -> Mesh:
    """A curve turned about the y axis. u goes round once, v along the curve from its start to its end.

    longest : metres that two points of the curve may be apart.
    """
    if segments < 3:
        raise CollageError(f"A turned shape needs at least 3 segments, not {segments}.")
    curve = rounded(profile, longest=longest)
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(curve, axis=0), axis=1))])
    angle = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    ring = np.stack([np.sin(angle), np.zeros(segments), np.cos(angle)], axis=1)
    positions = curve[:, None, :1] * ring[None]
    positions[:, :, 1] = curve[:, 1:2]
    triangles, corners = _grid_triangles(len(curve) - 1, segments, wrap=True)
    uv = np.stack([corners[1] / segments, length[corners[0]] / length[-1]], axis=1)
    return _finish(positions.reshape(-1, 3), triangles, uv, angle=50.0)


def pot(height: float = 0.17, radius: float = 0.095, segments: int = 128) -> Mesh:
    """A turned clay pot: a flared body and a thick rim. radius: of the rim, outside."""
    h, r = height, radius
    one = h / 0.17  # a metre, at the usual height
    wall, base = 0.085 * r, 0.64 * r
    band, rim_out = 0.24 * h, 0.075 * r
    body = r - rim_out
    soft = 0.05 * r
    at_band = base + (body - base) * (1 - band / h)
    return turned(
        [
            (0.0, 0.004 * one, 0.0),
            (base * 0.6, 0.004 * one, 0.004 * one),
            (base * 0.72, 0.0, 0.003 * one),
            (base, 0.0, soft),
            (at_band, h - band, soft * 0.5),
            (at_band + rim_out, h - band + 0.003 * one, soft * 0.7),
            (r, h, soft * 0.9),
            (r - wall - rim_out * 0.6, h, soft * 0.9),
            (at_band - wall * 0.8, h - band * 1.05, soft),
            (base - wall, 0.012 * one, soft * 1.5),
            (0.0, 0.010 * one, 0.0),
        ],
        segments,
        0.006 * one,
    )


def saucer(radius: float = 0.115, height: float = 0.026, segments: int = 128) -> Mesh:
    """A shallow turned dish with a standing rim."""
    foot = radius * 0.72
    one = radius / 0.115  # a metre, at the usual radius
    return turned(
        [
            (0.0, 0.003 * one, 0.0),
            (foot * 0.86, 0.003 * one, 0.002 * one),
            (foot * 0.9, 0.0, 0.002 * one),
            (foot, 0.0, 0.004 * one),
            (radius * 0.93, height * 0.45, 0.012 * one),
            (radius, height, 0.003 * one),
            (radius - 0.0065 * one, height, 0.003 * one),
            (radius * 0.86, height * 0.52, 0.012 * one),
            (foot * 0.95, 0.0085 * one, 0.01 * one),
            (0.0, 0.007 * one, 0.0),
        ],
        segments,
        0.006 * one,
    )


def cylinder(radius: float = 0.08, height: float = 0.2, bevel: float = 0.004, segments: int = 96) -> Mesh:
    """A closed cylinder with softened edges."""
    return turned([(0.0, 0.0, 0.0), (radius, 0.0, bevel), (radius, height, bevel), (0.0, height, 0.0)], segments)


def sphere(radius: float = 0.1, segments: int = 96) -> Mesh:
    """A ball that stands on the ground. u goes round, v from the lowest point to the highest."""
    rows = max(segments // 2, 2)
    tilt = np.linspace(-np.pi / 2, np.pi / 2, rows + 1)
    angle = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    ring = np.stack([np.sin(angle), np.zeros(segments), np.cos(angle)], axis=1)
    positions = np.cos(tilt)[:, None, None] * ring[None]
    positions[:, :, 1] = np.sin(tilt)[:, None]
    positions = positions * radius + [0, radius, 0]
    triangles, corners = _grid_triangles(rows, segments, wrap=True)
    uv = np.stack([corners[1] / segments, corners[0] / rows], axis=1)
    return _finish(positions.reshape(-1, 3), triangles, uv)


def plane(width: float = 0.4, depth: float = 0.4, divisions: int = 16) -> Mesh:
    """A level square of ground; the UV set covers it once."""
    steps = np.arange(divisions + 1) / divisions
    v, u = np.meshgrid(steps, steps, indexing="ij")
    positions = np.stack([(u - 0.5) * width, np.zeros_like(u), (0.5 - v) * depth], axis=-1)
    triangles, corners = _grid_triangles(divisions, divisions, wrap=False)
    uv = np.stack([corners[1], corners[0]], axis=1) / divisions
    return _finish(positions.reshape(-1, 3), triangles, uv)


def ring(radius: float = 0.09, thickness: float = 0.05, segments: int = 96) -> Mesh:
    """A ring that lies on the ground; u goes round it. radius : to the middle of its round; thickness : of that."""
    around = max(segments // 3, 6)
    turn = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    tilt = np.linspace(-np.pi / 2, 1.5 * np.pi, around + 1)
    reach = radius + np.cos(tilt) * thickness / 2
    positions = np.stack([reach[:, None] * np.sin(turn), np.broadcast_to(((np.sin(tilt) + 1) * thickness / 2)[:, None],
                                                                        (around + 1, segments)),
                          reach[:, None] * np.cos(turn)], axis=-1)  # fmt: skip
    triangles, corners = _grid_triangles(around, segments, wrap=True)
    uv = np.stack([corners[1] / segments, corners[0] / around], axis=1)
    return _finish(positions.reshape(-1, 3), triangles, uv, angle=60.0)


def wall(width: float = 2.4, height: float = 1.2, thickness: float = 0.1, divisions: int = 24) -> Mesh:
    """A slab that stands upright."""
    return rounded_box(width, height, thickness, min(width, height, thickness) * 0.05, divisions)


def cloth(
    width: float = 0.6, length: float = 0.8, edge: float = 0.03, folds: float = 0.012, divisions: int = 96
) -> Mesh:
    """A cloth that lies on a table and hangs over its edge in waves; it is bent and nowhere stretched.

    edge : radius of the bend. folds : how far the waves of what hangs swing out, metres.
    """
    along = np.linspace(0, length, divisions + 1)
    lying, bend = length * 0.4, edge * np.pi / 2
    angle = np.clip((along - lying) / edge, 0, np.pi / 2)
    hanging = np.clip(along - lying - bend, 0, None)
    angle = angle + folds / max(length, 1e-9) * 9 * np.sin(hanging / length * 9 * np.pi) * (hanging > 0)
    middle = (angle[1:] + angle[:-1]) / 2
    step = np.diff(along)
    z = np.concatenate([[0], np.cumsum(np.cos(middle) * step)])
    y = np.concatenate([[0], np.cumsum(-np.sin(middle) * step)])
    x = (np.arange(divisions + 1) / divisions - 0.5) * width
    grid_y, grid_x = np.meshgrid(np.arange(divisions + 1), np.arange(divisions + 1), indexing="ij")
    from_end = divisions - grid_y
    positions = np.stack([x[grid_x], y[from_end] - y.min(), z[from_end] - (z.min() + z.max()) / 2], axis=-1)
    triangles, corners = _grid_triangles(divisions, divisions, wrap=False)
    unit = max(width, length)
    uv = np.stack([corners[1] / divisions * width, corners[0] / divisions * length], axis=1) / unit
    return _finish(positions.reshape(-1, 3), triangles, uv, angle=60.0)


_FACES = (  # direction of u, of v, and outwards
    ((0, 0, -1), (0, 1, 0), (1, 0, 0)),
    ((0, 0, 1), (0, 1, 0), (-1, 0, 0)),
    ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
    ((1, 0, 0), (0, 0, 1), (0, -1, 0)),
    ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
    ((-1, 0, 0), (0, 1, 0), (0, 0, -1)),
)


def rounded_box(
    width: float = 0.2, height: float = 0.2, depth: float = 0.2, bevel: float = 0.012, divisions: int = 24
) -> Mesh:
    """A box with rounded edges. Every face has the unit of UV over its longest side."""
    half = np.array([width, height, depth]) / 2
    bevel = float(min(bevel, half.min() * 0.98))
    edge = (1 - np.cos(np.linspace(0, np.pi / 2, 7))) / 2  # close rows across the rounding
    all_positions, all_triangles, all_uv, start = [], [], [], 0
    for u_axis, v_axis, out in (np.array(face, float) for face in _FACES):
        size_u, size_v = 2 * abs(u_axis @ half), 2 * abs(v_axis @ half)
        rows, columns = (_spaced(size, bevel, edge, divisions) for size in (size_v, size_u))
        v, u = np.meshgrid(rows, columns, indexing="ij")
        flat = (u[..., None] - 0.5) * size_u * u_axis + (v[..., None] - 0.5) * size_v * v_axis + out * abs(out @ half)
        core = np.clip(flat, -(half - bevel), half - bevel)
        away = flat - core
        away /= np.maximum(np.linalg.norm(away, axis=-1, keepdims=True), 1e-12)
        all_positions.append((core + away * bevel).reshape(-1, 3))
        triangles, corners = _grid_triangles(len(rows) - 1, len(columns) - 1, wrap=False)
        all_triangles.append(triangles + start)
        longest = max(width, height, depth)
        all_uv.append(np.stack([columns[corners[1]] * size_u, rows[corners[0]] * size_v], axis=1) / longest)
        start += len(all_positions[-1])
    positions = np.concatenate(all_positions) + np.array([0, height / 2, 0])
    return _finish(positions, np.concatenate(all_triangles), np.concatenate(all_uv))


def _spaced(size: float, bevel: float, edge: np.ndarray, divisions: int) -> np.ndarray:
    share = bevel / size
    inner = np.linspace(share, 1 - share, divisions + 1)
    return np.unique(np.concatenate([edge * 2 * share, inner, 1 - edge * 2 * share]).round(9))


def _welded(positions: np.ndarray, triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Vertices at one place become one, so that nothing is open and normals are smooth across the seams."""
    _, first, inverse = np.unique((positions * 1e6).round(), axis=0, return_index=True, return_inverse=True)
    return positions[first], inverse.reshape(-1)[triangles].astype(np.int32)
