"""Displacement as a view of its own: how high the surface is above or below where it was."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from collage.core.geometry.points import Points
from collage.core.images.colour import linear_to_srgb, srgb_to_linear
from collage.core.render.fine_relief import undisplaced
from collage.core.scene.displaced import Displaced
from collage.core.scene.scene import Scene

HEIGHTS = "height"
"""The name of the view."""

Span = tuple[float, float]
"""The lowest and the highest place, metres."""

DARK, LIGHT = 0.06, 0.94  # how they are shown, as stored


def span_of(objects: Iterable[Displaced]) -> Span:
    """Of all displaced objects of a picture; a millimetre around 0 where nothing is displaced."""
    low, high = -5e-4, 5e-4
    for one in objects:
        gone = (one.mesh.positions - one.rest)[one.mesh.triangles.ravel()]
        height = (gone * one.rest_normals).sum(axis=1)
        low, high = min(low, float(height.min(initial=0))), max(high, float(height.max(initial=0)))
    return low, high


def heights(points: Points, scene: Scene) -> np.ndarray:
    """(n,) metres along the normal of the surface as it was; 0 where nothing is displaced."""
    if scene.rest is None or points.object_position is None:
        return np.zeros(points.count, np.float32)
    rest = undisplaced(points, scene)
    return np.asarray(((points.position - rest.position) * rest.normal).sum(axis=0))


def shown_heights(points: Points, scene: Scene, span: Span) -> np.ndarray:
    """(3, n) linear greys of heights, from dark for the lowest to light for the highest."""
    share = (heights(points, scene) - span[0]) / (span[1] - span[0])
    grey = srgb_to_linear(DARK + (LIGHT - DARK) * np.clip(share, 0, 1)).astype(np.float32)
    return np.repeat(grey[None], 3, axis=0)


def height_of(grey: float, span: Span) -> float:
    """Metres that a linear grey of such a picture stands for."""
    share = (float(linear_to_srgb(np.array(grey))) - DARK) / (LIGHT - DARK)
    return span[0] + (span[1] - span[0]) * min(max(share, 0.0), 1.0)


def words_for(metres: float) -> str:
    """A height in millimetres, with its sign."""
    return f"{1000 * metres:+.2f} mm".replace("-", "\N{MINUS SIGN}")
