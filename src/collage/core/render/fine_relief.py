"""What of a displacement is finer than the mesh: it does not move the surface, but the light falls on it.

At each point of a picture the normal is that of the height itself, by its slopes over a pixel, on the surface as it
was before. So a mesh needs to be only as fine as its outline and its shadows ask for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from collage.core.document.making import card, given
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardInput, CardOutput
from collage.core.evaluate.run import Workers, never
from collage.core.geometry.points import Points
from collage.core.kernels import Family
from collage.core.nodes.surface import SOBEL
from collage.core.render.displacement import HEIGHT, SCALE, shader_of
from collage.core.render.samples import over_blocks
from collage.core.render.surface import Surface, evaluate_surface
from collage.core.scene.scene import Scene

k = Family("relief")

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
    rest, rows = _at_rest(points, scene, workers)
    steps = [rest] if quick else [rest, rest.changed(step_u=-rest.step_u, step_v=-rest.step_v)]
    with np.errstate(all="ignore"):  # what is no number keeps the normal of the mesh
        found = [_slope(evaluate_surface(slopes, one, workers=workers, cancelled=cancelled)) for one in steps]
        # the mean of a step forth and one back is the slope at the point itself
        slope = np.asarray(np.mean(found, axis=0), np.float32)
    slope = np.ascontiguousarray(np.broadcast_to(slope, (2, points.count)))
    frame = np.concatenate([points.tangent, points.bitangent])
    out = np.empty((k.BENT_ROWS, points.count), np.float32)
    over_blocks(
        workers,
        lambda cut: k.bend(rows[:, cut], slope[:, cut], points.normal[:, cut], frame[:, cut], out[:, cut]),
        points.count,
    )
    return points.changed(
        normal=out[k.BENT : k.BENT + 3],
        tangent=out[k.TANGENT : k.TANGENT + 3],
        bitangent=out[k.BITANGENT : k.BITANGENT + 3],
        own_normal=points.normal,
    )


def is_finer(points: Points, scene: Scene) -> bool:
    """Whether the picture shows more of a surface than its mesh: a pixel is smaller than a triangle."""
    assert points.triangle is not None
    some = slice(None, None, max(points.count // 256, 1))
    row = 3 * points.triangle[some].astype(np.int64)
    edge = np.linalg.norm(scene.corners[row, :3] - scene.corners[row + 1, :3], axis=1)
    pixel = np.linalg.norm(points.along_u[:, some], axis=0) * np.abs(points.step_u[some])
    return bool(np.median(pixel) < np.median(edge))


def _slope(values: Mapping[str, np.ndarray]) -> np.ndarray:
    """(2, n) slopes over a unit of u and of v."""
    packed = values[SLOPES] * 2 - 1
    return np.asarray(-packed[:2] / np.maximum(packed[2:], STEEPEST) / SOBEL * values[SCALE])


def undisplaced(points: Points, scene: Scene) -> Points:
    """The same points before they were displaced."""
    return _at_rest(points, scene)[0]


def _at_rest(points: Points, scene: Scene, workers: Workers | None = None) -> tuple[Points, np.ndarray]:
    """The same points before they were displaced, and their rows, see kernels.relief."""
    assert scene.rest is not None
    assert points.triangle is not None
    assert points.object_position is not None
    assert points.around is not None
    rest, triangle, rows = scene.rest, points.triangle, np.empty((k.REST_ROWS, points.count), np.float32)
    over_blocks(
        workers,
        lambda cut: k.at_rest(
            triangle[cut], points.position[:, cut], scene.corners, rest.normals, rest.gradients, rows[:, cut]
        ),
        points.count,
    )
    place = points.around.places[points.object_number].T
    around = replace(points.around, tracer=None)  # rays would meet the displaced surface
    before = points.changed(
        around=around,
        position=np.ascontiguousarray(points.out_of_object(points.object_position) + place, np.float32),
        normal=rows[k.NORMAL : k.NORMAL + 3],
        along_u=rows[k.ALONG_U : k.ALONG_U + 3],
        along_v=rows[k.ALONG_V : k.ALONG_V + 3],
    )
    return before, rows
