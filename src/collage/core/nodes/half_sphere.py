"""How much of the half sphere over points is closed, where edges are looked for between rays.

A part of the rays looks all around, over a net of triangles; the others go between two neighbours that found different
things, each time half way, until the edge is known that lies there. Straight edges are then exact. A point around which
something is as slim as the net is wide, or around which there are more edges than rays, has its other rays spread.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from collage.core.geometry.spirals import disc
from collage.core.kernels import Family
from collage.core.nodes.behaviour import Array

if TYPE_CHECKING:
    from collage.core.nodes.rays_around import Rays

k = Family("half_sphere")

FEWEST = 192  # rays a point, from which on edges are looked for: with fewer, an even spread of all is better
IN_THE_NET, ON_THE_HORIZON = 0.375, 1.75  # of a point's rays; of the root of them
ROUNDS = 8  # of rays towards one edge


@dataclass(frozen=True, eq=False)
class Net:
    """Directions over a point, and triangles between neighbouring ones that together are the half sphere.

    directions : (k, 3) float32, the third axis up; the first `inner` lie inside, the others on the horizon. places :
    (k, 2) float32, of the rays, in a disc, see `kernels.proximity.hemisphere`: none as low as the horizon. triangles :
    (t, 3) int32. sides : (s, 2) int32, of all triangles. sides_of : (t, 3) int32, from each corner to the next.
    areas : (t,) float32, shares of the half sphere, by the cosine. weights : (k,) float32, of the directions.
    """

    directions: Array
    inner: int
    places: Array
    triangles: Array
    sides: Array
    sides_of: Array
    areas: Array
    weights: Array


@lru_cache(maxsize=16)
def net(count: int) -> Net:
    """The net of so many rays a point in all."""
    from scipy.spatial import Delaunay

    inner, around = round(IN_THE_NET * count), round(ON_THE_HORIZON * math.sqrt(count))
    inside = disc(inner).astype(np.float64) * math.sqrt(inner / (inner + around / 2))  # the horizon's have half a cell
    turn = 2 * np.pi * (np.arange(around) + 0.3) / around
    flat = np.concatenate([inside, np.stack([np.cos(turn), np.sin(turn)], axis=1)])
    triangles = Delaunay(flat).simplices
    every = np.sort(np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
    sides, sides_of = np.unique(every, axis=0, return_inverse=True)
    directions = np.concatenate([flat, np.sqrt(np.maximum(1 - (flat * flat).sum(axis=1), 0))[:, None]], axis=1)
    directions[inner:, 2] = 0
    areas = _shares(directions[triangles])
    weights = np.bincount(triangles.ravel(), np.repeat(areas / 3, 3), minlength=len(flat))
    lowest = math.sqrt(1 - float(k.LOWEST) ** 2)
    places = flat * np.minimum(1, lowest / np.linalg.norm(flat, axis=1))[:, None]
    whole, real = np.int32, np.float32
    return Net(
        directions.astype(real), inner, places.astype(real), triangles.astype(whole), sides.astype(whole),
        sides_of.reshape(-1, 3).astype(whole), areas.astype(real), weights.astype(real),
    )  # fmt: skip


def _shares(corners: Array) -> Array:
    """(t,) shares of the half sphere, by the cosine, of triangles (t, 3, 3) between directions (Lambert 1760)."""
    after = np.roll(corners, -1, axis=1)
    cross = np.cross(corners, after)
    sine = np.linalg.norm(cross, axis=2)
    angle = np.arctan2(sine, (corners * after).sum(axis=2))
    return np.asarray(np.abs((angle / sine * cross[:, :, 2]).sum(axis=1)) / (2 * np.pi))


def closed_by_edges(rays: Rays, normal: Array, count: int, fade: np.float32) -> Callable[[slice], Array]:
    """A reader of how much of the half sphere is closed over a run of points, (n,), with `count` rays each.

    normal : (points, 3), around which the half spheres lie. fade : see `proximity.occlusion`.
    """
    over = net(count)
    first = len(over.places)

    def read(cut: slice) -> Array:
        values = rays.found(cut, normal, over.places, fade)
        which, number = np.empty((len(values), len(over.sides)), np.int32), np.empty(len(values), np.int32)
        known = tuple(np.empty((4, *which.shape), np.float32))
        like = np.empty(first, np.int32)
        k.find_edges(values, over.sides, over.inner, count - first, like, which, number, *known)
        _narrow(rays, normal, cut, over, (which, number), count - first, known, fade)
        out = np.empty(len(values), np.float32)
        k.closed_between(
            values, over.directions, over.sides, over.triangles, over.sides_of, over.areas, over.weights, number,
            *known, out,
        )  # fmt: skip
        spread = np.flatnonzero(number < 0)
        if len(spread):
            more = rays.found(cut, normal, disc(count - first), fade, spread).mean(axis=1)
            out[spread] += (more - out[spread]) * np.float32(1 - first / count)
        return out

    return read


def _narrow(
    rays: Rays, normal: Array, cut: slice, over: Net, edges: tuple[Array, Array], most: int,
    known: tuple[Array, ...], fade: np.float32,
) -> None:  # fmt: skip
    """Sends up to `most` rays a point towards its edges, and notes between which shares of their sides these lie."""
    which, number = edges
    low, high, before, behind = known
    left = np.full(len(number), most, np.int32)
    place, up = rays.position[cut], normal[cut]
    lift, reach = rays.lift[cut], rays.reach[cut]
    for _ in range(ROUNDS):
        most_now = int(np.minimum(np.maximum(number, 0), left).sum())
        if not most_now:
            return
        sent = np.empty((most_now, 2), np.int32)
        (origins, ways), far = np.empty((2, most_now, 3), np.float32), np.empty(most_now, np.float32)
        k.between(
            place, up, over.directions, over.sides, lift, reach, which, number, left, low, high, sent, origins, ways,
            far,
        )  # fmt: skip
        length, triangle = rays.lengths(cut.start + sent[:, 0], origins, ways, far)
        k.narrow(length, triangle, sent, reach, fade, low, high, before, behind)
