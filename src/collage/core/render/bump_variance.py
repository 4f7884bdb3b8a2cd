"""Bump seen from afar: slopes that are finer than a pixel are shown as roughness.

The slope of a height over a pixel hides those within it. By the law of total variance what it hides is the mean square
of slopes over a much shorter step, less that of the slopes over the pixel. Both are looked at in one of four pixels and
averaged over neighbours, since it is the same for all of an even pattern. Traced pictures have many samples a pixel:
they look at the slopes themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from collage.core.evaluate.plan import Plan
from collage.core.evaluate.run import Workers, never, run
from collage.core.evaluate.steps import Ref
from collage.core.geometry.points import Points
from collage.core.nodes.behaviour import Array
from collage.core.nodes.surface import heighttonormal, normalmap
from collage.core.render.normal_variance import MOST, SUFFIX, is_made_by

FINER = 8  # times shorter than a pixel is the step by which its slopes are looked at
CELL = 2  # pixels across, of which one is looked at
SPREAD = (1, 2, 3, 2, 1)  # weights of neighbouring cells; together they reach no further than the margin of tiles
EFFORT = 0.08  # of the rays of masks: what they hide is an average of many
EVEN = 4 / np.pi  # of slopes as chance has them (Rayleigh), the mean square in squares of the mean
STEEPEST = 0.2  # cosine to the surface's own normal, below which slopes are not told apart


def bumps_of(plan: Plan, names: tuple[str, ...]) -> Plan | None:
    """The normals of a plan, of those named, that are made of heights or of several maps; None where none is."""
    made = {step.key: step for step in plan.steps}
    outputs = {}
    for name in names:
        source = plan.outputs.get(name)
        if not isinstance(source, Ref) or name + SUFFIX in plan.outputs:
            continue
        if is_made_by((heighttonormal, normalmap), source, made):
            outputs[name] = source
    return replace(plan, outputs=outputs) if outputs else None


def finely(points: Points) -> Points:
    """The same points with the steps by which slopes within a pixel are looked at."""
    steps = {name: getattr(points, name) / np.float32(FINER) for name in ("step_u", "step_v")}
    return points.changed(effort=min(points.effort, EFFORT), **steps)


class HiddenSlopes:
    """What the pixels of a picture hide of a region's slopes, by cells of CELL pixels across.

    fields : by the name of a normal, (rows, columns) the variance of slopes along one direction.
    """

    def __init__(
        self, bumps: Plan, points: Points, pixel: np.ndarray, origin: np.ndarray, size: tuple[int, int],
        quick: bool = False, workers: Workers | None = None, cancelled: Callable[[], bool] = never,
    ) -> None:  # fmt: skip
        """points : of the middles of pixels. pixel : (n,) of each, in a picture of this width and height. origin :
        (n,) the same in the whole picture, of which that may be a part. quick : with a quarter of the looks, for a
        moving hand. Raises Cancelled."""
        self.width = size[0]
        self.shape = -(-size[1] // CELL), -(-size[0] // CELL)
        some = np.flatnonzero(_looked_at(pixel, self.width, quick))
        cell, looked = self.cell(pixel[some]), points.some(some).changed(effort=min(points.effort, EFFORT))
        here = run(bumps, looked, workers=workers, cancelled=cancelled)
        there = run(bumps, finely(_within(looked, origin[some])), workers=workers, cancelled=cancelled)
        weight = np.maximum(self._smooth(np.ones(len(some)), cell), 1e-9)
        self.fields = {}
        for name in bumps.outputs:
            over, within = _slopes(here[name], looked), _slopes(there[name], looked)
            hidden = self._smooth(_squared(within) - _squared(over), cell) / weight
            # Where all is seen, slopes still differ over a pixel, and their squares more than they do. And a lone step,
            # as the rim of a label, is no roughness: of even slopes the mean square is 4 / pi of the mean's square
            differ = self._smooth(np.sqrt(_squared(within - over)), cell) / weight
            self.fields[name] = np.clip(np.minimum(hidden, EVEN * differ**2) / 2, 0, MOST)

    @property
    def nbytes(self) -> int:
        """Bytes of all fields."""
        return sum(one.nbytes for one in self.fields.values())

    def cell(self, pixel: np.ndarray) -> np.ndarray:
        """The cells of pixels."""
        return np.asarray(pixel // self.width // CELL * self.shape[1] + pixel % self.width // CELL)

    def at(self, pixel: np.ndarray) -> dict[str, Array]:
        """By the name of a normal and SUFFIX, (1, n) for samples in these pixels; see `normal_variance`."""
        cell = self.cell(pixel)
        return {name + SUFFIX: field.ravel().take(cell)[None] for name, field in self.fields.items()}

    def _smooth(self, values: np.ndarray, cell: np.ndarray) -> np.ndarray:
        """Sums by cell, spread over neighbours."""
        total = np.bincount(cell, weights=values, minlength=self.shape[0] * self.shape[1]).reshape(self.shape)
        reach = len(SPREAD) // 2
        for axis in (0, 1):
            wide = np.pad(total, [(reach, reach) if one == axis else (0, 0) for one in (0, 1)])
            parts = np.lib.stride_tricks.sliding_window_view(wide, len(SPREAD), axis)
            total = parts @ np.array(SPREAD, np.float64)
        return np.asarray(total, np.float32)


def _looked_at(pixel: np.ndarray, width: int, quick: bool) -> np.ndarray:
    """Which pixels are looked at: one of each cell, or of every fourth, in turns so that no pattern keeps step."""
    x, y = pixel % width, pixel // width
    turn = (x // CELL + y // CELL) % 2
    found = (x % CELL == turn) & (y % CELL == 0)
    return np.asarray(found & (x // CELL % 2 == y // (2 * CELL) % 2) & (y // CELL % 2 == 0) if quick else found)


def _within(points: Points, pixel: np.ndarray) -> Points:
    """Points somewhere within their pixels: between themselves and a step further along u and along v.

    By pixel it is a rank-1 sequence (M. Roberts, The unreasonable effectiveness of quasirandom sequences, 2018).
    """
    number = pixel.astype(np.float64)
    along_u, along_v = (np.asarray(number * turn % 1, np.float32) for turn in (0.7548776662, 0.5698402910))
    moved = points.changed(step_u=points.step_u * along_u, step_v=points.step_v * along_v)
    moved = moved.taken(0).taken(1)
    return moved.changed(step_u=points.step_u, step_v=points.step_v)


def _slopes(normal: Array, points: Points) -> np.ndarray:
    """(3, n) slopes of normals (3, n) against the surface's own, along it, beside that."""
    cosine = (normal * points.normal).sum(axis=0)
    found = normal / np.maximum(cosine, STEEPEST * np.maximum(np.sqrt(_squared(normal)), 1e-9))
    return np.asarray(np.nan_to_num(found - points.normal))


def _squared(vector: np.ndarray) -> np.ndarray:
    return np.asarray((vector * vector).sum(axis=0))


def bent_finely(values: Mapping[str, Array], bumps: Plan, points: Points) -> dict[str, Array]:
    """Values of a surface with the normals of bump as they are at the very points, for many samples a pixel."""
    return {**values, **run(bumps, finely(points))}
