"""What light meets inside transparent objects."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from collage.core.geometry.points import Points
from collage.core.nodes.behaviour import Array
from collage.core.scene.scene import Scene

PathLength = Callable[[Array], Array]
"""How far light goes inside the object behind each point, (n,) metres, for indices of refraction (n,)."""

START = 1e-4
"""Metres below the surface where a way inside begins, so that it does not meet the surface itself."""


def no_path(ior: Array) -> Array:
    """Objects without an inside."""
    return np.zeros(ior.shape, np.float32)


def path_length(scene: Scene, points: Points, start: int, stop: int, ior: Array) -> Array:
    """The straight way of the eye's light, bent where it goes in, to the other side of the object; (n,) metres.

    Of the points from `start` to `stop`. ior : (n,). An object that is open behind has no inside: 0.
    """
    if points.view is None:
        return no_path(ior)
    normal, view = points.normal[:, start:stop], points.view[:, start:stop]
    facing = -(normal * view).sum(axis=0)
    bent = 1 / ior
    into = bent * facing - np.sqrt(np.maximum(1 - bent * bent * (1 - facing * facing), 0))
    way = np.ascontiguousarray((bent * view + into * normal).T, np.float32)
    origin = np.ascontiguousarray(points.position[:, start:stop].T + way * np.float32(START))
    found = scene.nearest(origin, way)
    return np.where(found["primID"] < 0, 0, found["tfar"] + START).astype(np.float32)


def _per_metre(depth: Array, colour: Array, scatter: Array) -> tuple[Array, Array]:
    """What is absorbed and what is scattered per metre, as OpenPBR 1.1 (transmission) defines it. depth : above 0."""
    scattered = np.maximum(scatter, 0) / depth
    taken = -np.log(np.clip(colour, 1e-4, 1)) / depth - scattered
    return taken - np.minimum(taken.min(axis=0), 0), scattered


def absorbed(depth: Array, colour: Array, scatter: Array) -> Array:
    """Light that is absorbed per metre, (3, n) or (3, 1); none where `depth` is 0."""
    return np.where(depth > 0, _per_metre(np.maximum(depth, 1e-9), colour, scatter)[0], 0)


def medium(way: Array, depth: Array, colour: Array, scatter: Array, forward: Array) -> tuple[Array, Array]:
    """What light that goes a way inside keeps, and how much comes back scattered, each (3, n).

    way : (n,) metres. depth : metres after which `colour` is left. scatter : scattered per depth; forward : the
    mean cosine of scattering. The light that is sent back is that of a deep medium, for the part that is met at all
    (H. C. van de Hulst, Multiple Light Scattering, 1980).
    """
    taken, scattered = _per_metre(np.maximum(depth, 1e-9), colour, scatter)
    lost = taken + scattered
    left = np.exp(-lost * way)
    share = scattered / np.maximum(lost, 1e-9)
    g = np.clip(forward, -0.99, 0.99)
    similar = np.sqrt((1 - share) / np.maximum(1 - g * share, 1e-6))
    deep = (1 - similar) * (1 - 0.139 * similar) / (1 + 1.17 * similar)
    return left, deep * (1 - left)
