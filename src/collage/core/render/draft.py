"""The draft picture's light on one object's samples: direct light, prefiltered environment, occlusion; no noise."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

import numpy as np

from collage.core.evaluate.run import BLOCK, Cancelled, Workers
from collage.core.geometry.points import Points
from collage.core.kernels import Family
from collage.core.kernels import packed as rows
from collage.core.kernels.lights import COLUMNS
from collage.core.nodes.behaviour import Array
from collage.core.render.energy import energy_table
from collage.core.render.environment import EnvironmentLight
from collage.core.render.film import OPEN
from collage.core.render.inside import path_length
from collage.core.render.lighting import Light
from collage.core.render.samples import ObjectSamples, over_blocks
from collage.core.render.surface import layers_of, pack
from collage.core.scene.bench import Environment
from collage.core.scene.scene import Scene

shading = Family("shading")


def lit(
    scene: Scene,
    group: ObjectSamples,
    inputs: Mapping[str, Array],
    light: Light,
    maps: EnvironmentLight,
    environment: Environment,
    workers: Workers,
    cancelled: Callable[[], bool],
) -> Array:
    """Radiance (3, n) of an object's samples towards the eye.

    inputs : values of the surface's inputs by name. maps, environment : the environment's filtered maps, and how it is
    turned and how strong it is. Raises Cancelled.
    """
    points = group.points
    out = np.empty((3, points.count), np.float32)
    layers = layers_of(inputs)
    turn = np.radians(environment.turn)
    strength = environment.strength if environment.on else 0.0
    near = np.concatenate([light.near[0], light.near[1] * strength])
    settings = np.array([np.sin(turn), np.cos(turn), strength, *near], np.float32)
    table = energy_table()

    def shaded(values: Mapping[str, Array], cut: slice) -> Array:
        start, stop = cut.start, cut.stop
        packed, normal, coat = pack(values, points, start, stop, partial(path_length, scene, points, start, stop))
        geometry = np.empty((rows.GEOMETRY_ROWS, stop - start), np.float32)
        geometry[rows.NORMAL : rows.NORMAL + 3], geometry[rows.COAT_NORMAL : rows.COAT_NORMAL + 3] = normal, coat
        geometry[rows.VIEW : rows.VIEW + 3] = _view(points)[:, cut]
        geometry[rows.POSITION : rows.POSITION + 3] = points.position[:, cut]
        own = points.normal if points.own_normal is None else points.own_normal
        geometry[rows.OWN_NORMAL : rows.OWN_NORMAL + 3] = own[:, cut]
        here = slice(group.start + start, group.start + stop)
        around = np.concatenate([light.arriving[:, here], light.unoccluded[:, here], light.open[None, here]])
        seen = np.ascontiguousarray(light.seen[:, here])
        result = np.empty((3, stop - start), np.float32)
        room = np.empty((rows.REFLECTED, 3), np.float32)
        row = np.empty((1, COLUMNS), np.float32)
        shading.shade(packed, geometry, around, light.lights, seen, maps.maps, table, settings, room, row, result)
        return result

    def block(cut: slice) -> None:
        if cancelled():
            raise Cancelled
        out[:, cut] = 0
        for weight, values in layers:
            result = shaded(values, cut)
            if weight is not None:
                result *= weight if weight.shape[1] == 1 else weight[:, cut]
            out[:, cut] += result

    over_blocks(workers, block, points.count, BLOCK // 4)
    return out


def _view(points: Points) -> Array:
    assert points.view is not None
    return points.view


def lit_ground(group: ObjectSamples, light: Light, strength: float, workers: Workers) -> Array:
    """The ground's samples (4, n): the backdrop alone, less of it where the objects keep light away; see film.OPEN.

    strength : of the environment, 0 where it is off.
    """
    out = np.zeros((4, group.points.count), np.float32)

    def block(cut: slice) -> None:
        here = slice(group.start + cut.start, group.start + cut.stop)
        shading.shade_ground(
            group.points.position[:, cut], light.arriving[:, here], light.unoccluded[:, here],
            light.lights, light.seen[:, here], np.float32(strength), np.empty((1, COLUMNS), np.float32), out[OPEN, cut],
        )  # fmt: skip

    over_blocks(workers, block, group.points.count)
    return out
