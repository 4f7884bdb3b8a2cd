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
    return np.where(found.triangle < 0, 0, found.distance + START).astype(np.float32)


def _per_metre(depth: Array, colour: Array, scatter: Array) -> tuple[Array, Array]:
    """What is absorbed and what is scattered per metre, as OpenPBR 1.1 (transmission) defines it. depth : above 0."""
    scattered = np.maximum(scatter, 0) / depth
    taken = -np.log(np.clip(colour, 1e-4, 1)) / depth - scattered
    return taken - np.minimum(taken.min(axis=0), 0), scattered


def filling(depth: Array, colour: Array, scatter: Array) -> tuple[Array, Array]:
    """Light that is absorbed and light that is scattered per metre, (3, n) or (3, 1); none where `depth` is 0."""
    taken, scattered = _per_metre(np.maximum(depth, 1e-9), colour, scatter)
    return np.where(depth > 0, taken, 0), np.where(depth > 0, scattered, 0)


LEAST_FREE = 2e-5
"""Metres: light that is sent another way so soon comes out where it went in."""


def below(colour: Array, radius: Array, scale: Array, forward: Array) -> tuple[Array, Array]:
    """The same below a matt surface that sends back `colour`, (3, n) or (3, 1), as OpenPBR 1.1 (subsurface) says it.

    radius, scale : together the metres that light goes freely. forward : the mean cosine of scattering. The share that
    is scattered is C. Kulla's and A. Conty's (Revisiting Physically Based Shading at Imageworks, 2017).
    """
    e, g = np.clip(colour, 0, 0.999), np.clip(forward, -0.9, 0.9)
    s = 4.09712 + 4.20863 * e - np.sqrt(9.59217 + 41.6808 * e + 17.7126 * e * e)
    share = np.clip((1 - s * s) / (1 - g * s * s), 0, 1)
    dense = 1 / np.maximum(radius * scale, LEAST_FREE)
    return dense * (1 - share), dense * share


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
