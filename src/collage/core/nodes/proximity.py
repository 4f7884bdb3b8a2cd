"""What lies near a point, found with rays: how much of the sky is open, edges, other objects, and the other side.

Directions follow the normal alone, so that what is found depends on the place and not on the view. Where there is
nothing to trace, as on a flat sheet, nothing is near.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from collage.core.geometry.mesh import any_frame
from collage.core.geometry.points import Points
from collage.core.geometry.spirals import disc, sphere
from collage.core.geometry.surroundings import Surroundings
from collage.core.nodes.behaviour import Array, Context, behaviour
from collage.core.nodes.half_sphere import FEWEST, closed_by_edges
from collage.core.nodes.rays_around import LOOKED_THROUGH, Rays

RAYS_AT_ONCE = 2**18
LEAST_RAYS = 4
NEAREST, FURTHEST = 1e-5, 1e3  # metres that a ray may go


def _number(value: Array, low: float, high: float) -> Array:
    """A number for each point, or one for all, (n,) or (1,), within limits; what is no number is the lowest."""
    return np.clip(np.nan_to_num(np.asarray(value, np.float32)[0], nan=low), low, high)


def _some(value: Array, points: Points) -> int:
    """How many rays a point sends."""
    asked = int(_number(value, 1, 4096).max())
    return max(round(asked * points.effort), min(asked, LEAST_RAYS))


def _one(value: Array) -> bool:
    return bool(np.asarray(value).ravel()[0])


def around_points(rays: Rays, places: Array, cut: slice) -> tuple[Array, Array]:
    """Steps on the planes of some points, to all `places` (k, 2) of a disc as wide as rays reach: the number of the
    point of each, (n k,), and the step, (n k, 3) metres."""
    tangent, bitangent = any_frame(rays.normal[cut])
    across, up = places[:, 0][None, :, None], places[:, 1][None, :, None]
    steps = (tangent[:, None] * across + bitangent[:, None] * up) * rays.reach[cut][:, None, None]
    return np.repeat(np.arange(cut.start, cut.stop), len(places)), steps.reshape(-1, 3).astype(np.float32)


def _per_point(points: Points, rays: int, read: Callable[[slice], Array]) -> Array:
    """(1, n) of what `read` finds for runs of points."""
    out = np.empty((1, points.count), np.float32)
    step = max(RAYS_AT_ONCE // max(rays, 1), 1)
    for start in range(0, points.count, step):
        cut = slice(start, min(start + step, points.count))
        out[0, cut] = read(cut)
    return out


def _nothing() -> Array:
    return np.zeros((1, 1), np.float32)


def _has_rays(points: Points) -> bool:
    return points.around is not None and points.around.tracer is not None and points.triangle is not None


@behaviour("clg_occlusion", spatial=True, rays=True)
def occlusion(ctx: Context, reach: Array, falloff: Array, inside: Array, others: Array, samples: Array) -> Array:
    """The share of the half sphere over a point that is closed within reach, by the cosine; 0 in the open.

    falloff : how much less what is further counts, 0 for all alike. inside : looks below the surface instead. Rays lie
    on a spiral over a disc, raised to the half sphere (Malley's method); of many, most look for edges.
    """
    points = ctx.at
    if not _has_rays(points):
        return _nothing()
    count, rays = _some(samples, points), Rays(points, _number(reach, NEAREST, FURTHEST), own=not _one(others))
    normal = rays.normal * np.float32(-1 if _one(inside) else 1)
    fade = np.float32(_number(falloff, 0, 64).max())
    if count >= FEWEST:
        return _per_point(points, count, closed_by_edges(rays, normal, count, fade))
    places = disc(count)
    return _per_point(points, count, lambda cut: rays.found(cut, normal, places, fade).mean(axis=1))


WORN, FILLED, BOTH = 0, 1, 2


@behaviour("clg_edge_rays", spatial=True, rays=True)
def edges(ctx: Context, width: Array, kind: Array, samples: Array) -> Array:
    """How much of a disc around a point, on its plane, has no surface near it (a worn edge) or is behind one (a filled
    one), doubled: 1 on a straight edge, 0 further from it than `width` metres. kind : WORN, FILLED or BOTH.

    Whether the surface is there is looked at with rays from above, so that it does not depend on how the mesh is
    divided.
    """
    points = ctx.at
    if not _has_rays(points):
        return _nothing()
    places = disc(_some(samples, points))
    rays = Rays(points, _number(width, NEAREST, FURTHEST), own=True)
    which = int(_number(kind, 0, 2).max())
    count = len(places)

    def read(cut: slice) -> Array:
        size = cut.stop - cut.start
        number, aside = around_points(rays, places, cut)
        wide, normal = rays.reach[number, None], rays.normal[number]
        start = rays.position[number] + normal * rays.lift[number, None]
        above = aside + normal * wide
        rise = np.sqrt((above * above).sum(axis=1))
        length, _ = rays.lengths(number, start, above / rise[:, None], rise)
        wall = np.isfinite(length)
        found = np.zeros(size)
        if which in (FILLED, BOTH):
            found += wall.reshape(size, count).mean(axis=1)
        if which in (WORN, BOTH):
            free = np.flatnonzero(~wall)
            deep = wide[free, 0] * np.float32(1.5)
            down, _ = rays.lengths(number[free], (start + above)[free], -normal[free], deep)
            gone = np.zeros(len(number))
            gone[free] = ~np.isfinite(down)
            found += gone.reshape(size, count).mean(axis=1)
        return np.asarray(np.minimum(2 * found, 1))

    return _per_point(points, 2 * count, read)


@behaviour("clg_nearness", spatial=True, rays=True)
def nearness(ctx: Context, reach: Array, samples: Array) -> Array:
    """How near another object or the ground is: 1 where it touches, 0 from `reach` metres on."""
    points = ctx.at
    if not _has_rays(points):
        return _nothing()
    assert points.around is not None
    ways = sphere(_some(samples, points))
    rays = Rays(points, _number(reach, NEAREST, FURTHEST))
    corners = points.around.corners

    def read(cut: slice) -> Array:
        count, size = len(ways), cut.stop - cut.start
        number = np.repeat(np.arange(cut.start, cut.stop), count)
        origins = np.repeat(rays.position[cut], count, axis=0)
        directions = np.tile(ways, (size, 1))
        length, triangle = _others(rays, number, origins, directions)
        length, triangle = length.reshape(size, count), triangle.reshape(size, count)
        best = length.argmin(axis=1)
        near, hit = (one[np.arange(size), best] for one in (length, triangle))
        met = np.flatnonzero(hit >= 0)
        p = corners[3 * hit[met].astype(np.int64)[:, None] + np.arange(3), :3]
        near[met] = np.minimum(near[met], _to_triangles(rays.position[cut][met], p))
        return np.asarray(1 - np.minimum(near / rays.reach[cut], 1))

    return _per_point(points, len(ways), read)


def _others(rays: Rays, number: Array, origins: Array, ways: Array) -> tuple[Array, Array]:
    """How far rays go until they meet another object than their own, through their own, (r,); and its triangle."""
    far = rays.reach[number]
    length, triangle = np.full(len(number), np.inf, np.float32), np.full(len(number), -1, np.int32)
    waiting, gone = np.arange(len(number)), np.zeros(len(number), np.float32)
    for _ in range(2 * LOOKED_THROUGH):
        start = origins[waiting] + ways[waiting] * gone[:, None]
        left = np.maximum(far[waiting] - gone, 0)
        found = rays.tracer.nearest(np.ascontiguousarray(start), np.ascontiguousarray(ways[waiting]), left)
        hit = found.triangle
        reached = gone + found.distance
        good = (hit >= 0) & (reached <= far[waiting])
        other = good & (rays.object_of[hit] != rays.number[number[waiting]])
        length[waiting[other]], triangle[waiting[other]] = reached[other], hit[other]
        still = good & ~other
        waiting, gone = waiting[still], reached[still] * np.float32(1 + 1e-5) + rays.lift[number[waiting[still]]]
        if not len(waiting):
            break
    return length, triangle


def _to_triangles(place: Array, corners: Array) -> Array:
    """(n,) distances of places (n, 3) from triangles (n, 3, 3) (C. Ericson, Real-Time Collision Detection, 5.1.5)."""
    a, b, c = (corners[:, at].astype(np.float64) for at in range(3))
    p = place.astype(np.float64)
    best = np.full(len(p), np.inf)
    for start, end in ((a, b), (b, c), (c, a)):
        edge = end - start
        share = ((p - start) * edge).sum(axis=1) / np.maximum((edge * edge).sum(axis=1), 1e-30)
        best = np.minimum(best, np.linalg.norm(p - start - edge * np.clip(share, 0, 1)[:, None], axis=1))
    normal = np.cross(b - a, c - a)
    area = np.maximum((normal * normal).sum(axis=1), 1e-30)
    u = (np.cross(c - b, p - b) * normal).sum(axis=1) / area
    v = (np.cross(a - c, p - c) * normal).sum(axis=1) / area
    inside = (u >= 0) & (v >= 0) & (u + v <= 1)
    plane = np.abs(((p - a) * normal).sum(axis=1)) / np.sqrt(area)
    return np.asarray(np.where(inside, plane, best), np.float32)


@behaviour("clg_thickness", spatial=True, rays=True)
def thickness(ctx: Context, reach: Array, samples: Array) -> Array:
    """Metres to the other side of the object, in the mean over a narrow cone into it; `reach` where there is none."""
    points = ctx.at
    if not _has_rays(points):
        return np.asarray(reach, np.float32)[:1]
    places = disc(_some(samples, points)) * np.float32(0.35)
    rays = Rays(points, _number(reach, NEAREST, FURTHEST), own=True)
    count = len(places)
    tangent, bitangent = any_frame(rays.normal)

    def read(cut: slice) -> Array:
        size = cut.stop - cut.start
        number = np.repeat(np.arange(cut.start, cut.stop), count)
        x, y = (np.tile(places[:, axis], size)[:, None] for axis in range(2))
        ways = (tangent[number] * x + bitangent[number] * y - rays.normal[number]).astype(np.float32)
        ways /= np.sqrt((ways * ways).sum(axis=1, keepdims=True))
        origins = rays.position[number] - rays.normal[number] * rays.lift[number, None]
        length, _ = rays.lengths(number, origins, ways, rays.reach[number])
        return np.asarray(np.minimum(length, rays.reach[number]).reshape(size, count).mean(axis=1))

    return _per_point(points, count, read)


@lru_cache(maxsize=64)
def members(around: Surroundings, of: str, name: str) -> Array:
    """(t + 1,) bool: the triangles of an object, part, slot, piece or set of picked faces by its name; none of those
    that are not there. A piece is told by its number."""
    none = np.zeros(len(around.object_of), bool)
    if of == "object":
        numbers = [at for at, one in enumerate(around.names) if one == name]
        return np.asarray(np.isin(around.object_of, numbers))
    if of == "faces":
        return around.face_sets.get(name, none)
    if of == "piece":
        return np.asarray(around.ids[1] == int(name)) if name.strip().isdigit() else none
    row, names = (0, around.part_names) if of == "part" else (2, around.slot_names)
    out = none
    for number, own in enumerate(names):
        wanted = [at for at, one in enumerate(own) if one == name]
        if wanted:
            here = around.object_of == number
            out = out | (here & np.isin(around.ids[row], wanted))
    return out


@behaviour("clg_part_mask", spatial=True, rays=True)
def part(ctx: Context, of: str, name: str, soft: Array, samples: Array) -> Array:
    """1 on some faces, 0 on others; between them soft within `soft` metres: the share of a disc around a point, on its
    plane, under which they lie."""
    points = ctx.at
    if not _has_rays(points):
        return _nothing()
    assert points.around is not None
    assert points.triangle is not None
    inside = members(points.around, str(of), str(name))
    own = inside.take(points.triangle)[None].astype(np.float32)
    if float(_number(soft, 0, FURTHEST).max()) <= 0:
        return own
    places = disc(_some(samples, points))
    rays = Rays(points, _number(soft, NEAREST, FURTHEST), own=str(of) != "object")
    count = len(places)

    def read(cut: slice) -> Array:
        size = cut.stop - cut.start
        number, aside = around_points(rays, places, cut)
        wide, normal = rays.reach[number, None], rays.normal[number]
        start = rays.position[number] + aside + normal * wide
        _, triangle = rays.lengths(number, start, -normal, 2 * wide[:, 0])
        met = triangle >= 0
        found = np.where(met, inside[triangle], False).reshape(size, count).sum(axis=1)
        asked = met.reshape(size, count).sum(axis=1)
        return np.asarray(np.where(asked > 0, found / np.maximum(asked, 1), own[0, cut]))

    return _per_point(points, count, read)
