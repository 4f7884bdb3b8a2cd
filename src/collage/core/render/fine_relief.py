"""What of a displacement is finer than the mesh: it does not move the surface, but the light falls on it.

At each point of a picture the normal is that of the height itself, by its slopes over a pixel, on the surface as it
was before. So a mesh needs to be only as fine as its outline and its shadows ask for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from collage.core.document.making import card, given
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardInput, CardOutput
from collage.core.evaluate.run import Workers, never
from collage.core.geometry.mesh import unit
from collage.core.geometry.points import Points
from collage.core.nodes.surface import SOBEL
from collage.core.render.displacement import HEIGHT, SCALE, shader_of
from collage.core.render.surface import Surface, evaluate_surface
from collage.core.scene.scene import Scene

SLOPES = "slopes"
STEEPEST = 1e-3  # the third part of the normal of a height, below which its slope is not read


def with_slopes(network: Network) -> tuple[Network, dict[str, CardInput | CardOutput]]:
    """A material with a card for the slopes of its displacement, and what is to be planned; nothing where it has none.

    Slopes are those of a height that is wired; vectors have none.
    """
    shader = shader_of(network)
    height = shader.inputs.get(HEIGHT) if shader is not None else None
    if shader is None or height is None or height.wire is None or height.muted or height.type != "float":
        return network, {}
    name = network.free_name(SLOPES)
    slopes = card(name, "heighttonormal", "vector3", (0.0, 0.0), scale=("float", 1.0))
    slopes = slopes.with_input(given("in", "float", height.wire))
    return network.with_card(slopes), {SLOPES: CardOutput(name), SCALE: CardInput(shader.name, SCALE)}


def with_fine_relief(
    points: Points,
    scene: Scene,
    slopes: Surface,
    quick: bool = False,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> Points:
    """Points on a displaced surface with the normals of the height itself. Raises Cancelled.

    quick : with the slopes of a step forth alone, which are those half a pixel further.
    """
    rest, mesh_normal = undisplaced(points, scene)
    steps = [rest] if quick else [rest, rest.changed(step_u=-rest.step_u, step_v=-rest.step_v)]
    with np.errstate(all="ignore"):  # what is no number keeps the normal of the mesh
        found = [_slope(evaluate_surface(slopes, one, workers=workers, cancelled=cancelled)) for one in steps]
        # the mean of a step forth and one back is the slope at the point itself
        normal = rest.normal - _gradient(np.mean(found, axis=0), rest.along_u, rest.along_v)
        normal /= np.maximum(np.sqrt((normal * normal).sum(axis=0)), 1e-20)
    good = np.isfinite(normal).all(axis=0)
    from_inside = (mesh_normal * points.normal).sum(axis=0) < 0
    normal = np.where(good, np.where(from_inside, -normal, normal), points.normal).astype(np.float32)
    tangent = points.tangent - normal * (points.tangent * normal).sum(axis=0)
    tangent /= np.maximum(np.sqrt((tangent * tangent).sum(axis=0)), 1e-20)
    bitangent = np.cross(normal, tangent, axis=0)
    bitangent *= np.where((bitangent * points.bitangent).sum(axis=0) < 0, -1, 1)
    return points.changed(
        normal=normal, tangent=tangent, bitangent=bitangent.astype(np.float32), own_normal=points.normal
    )


def _slope(values: Mapping[str, np.ndarray]) -> np.ndarray:
    """(2, n) slopes over a unit of u and of v."""
    packed = values[SLOPES] * 2 - 1
    return np.asarray(-packed[:2] / np.maximum(packed[2:], STEEPEST) / SOBEL * values[SCALE])


def undisplaced(points: Points, scene: Scene) -> tuple[Points, np.ndarray]:
    """The same points before they were displaced, and the normals (3, n) of the displaced mesh, outward."""
    assert scene.rest is not None
    assert points.triangle is not None
    assert points.object_position is not None
    assert points.around is not None
    at, shares = points.corner_shares()
    corner = at + np.arange(3)[:, None]
    normal = np.einsum("kn,knc->nc", shares, scene.rest.normals[corner])
    mesh_normal = np.einsum("kn,knc->nc", shares, scene.corners[corner, 6:9])
    normal = np.ascontiguousarray(unit(normal).T, np.float32)
    gradients = scene.rest.gradients[points.triangle].T
    place = points.around.places[points.object_number].T
    rest = points.changed(
        position=np.ascontiguousarray(points.out_of_object(points.object_position) + place, np.float32),
        normal=normal,
        along_u=np.ascontiguousarray(gradients[:3]),
        along_v=np.ascontiguousarray(gradients[3:]),
    )
    return rest, mesh_normal.T


def _gradient(slope: np.ndarray, along_u: np.ndarray, along_v: np.ndarray) -> np.ndarray:
    """(3, n): how a number grows over the surface, from its slopes (2, n) over a unit of u and of v."""
    uu, vv, uv = ((a * b).sum(axis=0) for a, b in ((along_u, along_u), (along_v, along_v), (along_u, along_v)))
    area = np.maximum(uu * vv - uv * uv, 1e-20)
    by_u, by_v = (slope[0] * vv - slope[1] * uv) / area, (slope[1] * uu - slope[0] * uv) / area
    return np.asarray(along_u * by_u + along_v * by_v)
