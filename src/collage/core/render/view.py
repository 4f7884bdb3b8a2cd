"""What the eye sees, apart from all values: hits, their surfaces, and how much light reaches them.

A view is built once per camera, size and light; a changed value then costs one evaluation and one
shading, no rays.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from collage.core.evaluate.points import Points
from collage.core.evaluate.run import BLOCK, Cancelled, Workers, never
from collage.core.kernels.rays import (
    add_gap_light,
    eye_rays,
    frames,
    gap_rays,
    read_surface,
    smooth_over_pixels,
)
from collage.core.kernels.shading import AREA, DISTANT, LIGHT_COLUMNS
from collage.core.render.bench import AreaLight, Camera, Light
from collage.core.render.environment import PER_SET, EnvironmentLight
from collage.core.render.scene import GROUND, Scene

EDGE_SAMPLES = 8
LIGHT_RAYS = 4


@dataclass(frozen=True, eq=False)
class Group:
    """The samples that show one object (part number), or the ground: a run of the view's samples."""

    part: int
    points: Points
    start: int
    stop: int


@dataclass(frozen=True, eq=False)
class View:
    """Samples of a picture: n places where the eye meets a surface.

    pixel, weight : (n,) the pixel of each sample, row by row from the top, and its share of it.
    covered : (pixels,) how much of each pixel is surface; the rest is background.
    come, could : (3, n) the environment's light through the gaps, and all of it.
    light_open : (lights, n); lights : (lights, LIGHT_COLUMNS) for the shading kernel.
    grid_part : (h, w) part in the middle of each pixel; -2 where there is none.
    """

    width: int
    height: int
    pixel: np.ndarray
    weight: np.ndarray
    covered: np.ndarray
    groups: tuple[Group, ...]
    come: np.ndarray
    could: np.ndarray
    lights: np.ndarray
    light_open: np.ndarray
    grid_part: np.ndarray


def light_table(lights: tuple[Light, ...]) -> np.ndarray:
    """The lights that are on, as rows for the shading kernel."""
    rows = []
    for light in lights:
        if not light.on:
            continue
        row = np.zeros(LIGHT_COLUMNS, np.float32)
        if isinstance(light, AreaLight):
            middle, right, up, out = light.frame()
            row[0] = AREA
            row[1:4], row[4:7], row[7:10], row[10:13] = middle, right, up, out
        else:
            row[0] = DISTANT
            row[10:13] = -light.direction()
            row[16] = np.tan(np.radians(max(light.size, 0.3)) / 2)
        row[13:16] = np.array(light.colour) * light.strength
        rows.append(row)
    return np.stack(rows) if rows else np.zeros((0, LIGHT_COLUMNS), np.float32)


def build_view(
    scene: Scene,
    camera: Camera,
    width: int,
    height: int,
    environment: EnvironmentLight,
    environment_turn: float,
    lights: tuple[Light, ...],
    *,
    shift: tuple[float, float] = (0.0, 0.0),
    rays: int = PER_SET,
    edges: bool = True,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> View:
    """Looks at the scene.

    shift : where in the pixels to look, from their middles. rays : shadow rays a sample (at most 16).
    edges : whether pixels on edges are looked at EDGE_SAMPLES more times. Raises Cancelled.
    """
    maker = _Maker(scene, camera, width, height, environment, environment_turn, lights, rays, workers, cancelled)
    return maker.view(shift, edges)


def build_behind(
    scene: Scene,
    camera: Camera,
    size: tuple[int, int],
    points: Points,
    environment: EnvironmentLight,
    environment_turn: float,
    lights: tuple[Light, ...],
    *,
    rays: int = PER_SET,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> View:
    """What is seen behind see-through samples: a view whose pixels are those samples. Raises Cancelled."""
    maker = _Maker(scene, camera, *size, environment, environment_turn, lights, rays, workers, cancelled)
    return maker.behind(points)


@dataclass(eq=False)
class _Hits:
    """Samples on their way to a view."""

    pixel: np.ndarray
    part: np.ndarray
    position: np.ndarray
    own: np.ndarray
    normal: np.ndarray
    uv: np.ndarray
    along_u: np.ndarray
    along_v: np.ndarray
    way: np.ndarray
    distance: np.ndarray
    subset: np.ndarray
    light: np.ndarray  # (6 + lights, n): come, could, light_open

    def taken(self, chosen: np.ndarray) -> _Hits:
        return _Hits(*(getattr(self, name)[..., chosen] for name in self.__dataclass_fields__))

    @staticmethod
    def joined(parts: list[_Hits]) -> _Hits:
        return _Hits(
            *(np.concatenate([getattr(one, name) for one in parts], axis=-1) for name in _Hits.__dataclass_fields__)
        )


class _Maker:
    def __init__(
        self,
        scene: Scene,
        camera: Camera,
        width: int,
        height: int,
        environment: EnvironmentLight,
        turn: float,
        lights: tuple[Light, ...],
        rays: int,
        workers: Workers | None,
        cancelled: Callable[[], bool],
    ) -> None:
        self.scene, self.width, self.height = scene, width, height
        self.axes = camera.axes().astype(np.float32)
        self.eye = camera.position().astype(np.float32)
        self.pixels = float(min(width, height) / 2 / np.tan(np.radians(camera.field) / 2))
        self.environment, self.rays = environment, rays
        a = np.radians(turn)
        # the picture turned by +turn is the directions turned the same way
        spin = np.array([[np.cos(a), 0, -np.sin(a)], [0, 1, 0], [np.sin(a), 0, np.cos(a)]], np.float32)
        self.directions = np.ascontiguousarray(environment.directions @ spin)
        self.lights = light_table(lights)
        self.workers, self.cancelled = workers, cancelled

    def view(self, shift: tuple[float, float], edges: bool) -> View:
        columns, rows = np.meshgrid(np.arange(self.width), np.arange(self.height))
        pixel = np.arange(self.width * self.height, dtype=np.int32)
        subset = ((columns % 4) + 4 * (rows % 4)).ravel().astype(np.int32)
        x = (columns + 0.5 + shift[0] - self.width / 2).ravel()
        y = (self.height / 2 - rows - 0.5 - shift[1]).ravel()
        hits = self._look(x, y, pixel, subset)
        grid = np.full((self.height, self.width), -1, np.int32)
        grid.ravel()[hits.pixel] = np.arange(hits.pixel.size, dtype=np.int32)
        if hits.pixel.size:
            smooth = np.empty_like(hits.light)
            smooth_over_pixels(grid, hits.position, hits.normal, hits.light, smooth)
            hits.light = smooth
        part = np.full(grid.shape, -2, np.int32)
        part.ravel()[hits.pixel] = hits.part
        weight = np.ones(hits.pixel.size, np.float32)
        if edges:
            hits, weight = self._with_edges(hits, weight, grid, part)
        return self._finish(hits, weight, part)

    def behind(self, points: Points) -> View:
        """What lies behind samples, on the same line of sight; its pixels are those samples, in a row."""
        assert points.view is not None
        origins = (points.position + points.view * np.float32(2e-4)).T
        ways = points.view.T
        subset = (np.arange(points.count) * 7 % 16).astype(np.int32)

        def block(start: int) -> _Hits:
            if self.cancelled():
                raise Cancelled
            cut = slice(start, start + BLOCK)
            pixel = np.arange(start, min(start + BLOCK, points.count), dtype=np.int32)
            hits = self._hits(np.ascontiguousarray(origins[cut]), np.ascontiguousarray(ways[cut]), pixel, subset[cut])
            hits.distance = np.linalg.norm(hits.position - self.eye[:, None], axis=0).astype(np.float32)
            self._light(hits)
            return hits

        starts = range(0, max(points.count, 1), BLOCK)
        parts = self.workers.map(block, starts) if self.workers else [block(start) for start in starts]
        hits = _Hits.joined(parts)
        self.width, self.height = points.count, 1
        part = np.full((1, points.count), -2, np.int32)
        part.ravel()[hits.pixel] = hits.part
        return self._finish(hits, np.ones(hits.pixel.size, np.float32), part)

    def _look(self, x: np.ndarray, y: np.ndarray, pixel: np.ndarray, subset: np.ndarray) -> _Hits:
        """Samples at picture places (pixels from the middle, y up), found block by block."""
        x, y = x.astype(np.float32), y.astype(np.float32)

        def block(start: int) -> _Hits:
            if self.cancelled():
                raise Cancelled
            cut = slice(start, start + BLOCK)
            way = np.empty((x[cut].size, 3), np.float32)
            eye_rays(x[cut], y[cut], self.axes, np.float32(self.pixels), way)
            hits = self._hits(np.tile(self.eye, (len(way), 1)), way, pixel[cut], subset[cut])
            self._light(hits)
            return hits

        starts = range(0, max(x.size, 1), BLOCK)
        parts = self.workers.map(block, starts) if self.workers else [block(start) for start in starts]
        return _Hits.joined(parts)

    def _hits(self, origins: np.ndarray, way: np.ndarray, pixel: np.ndarray, subset: np.ndarray) -> _Hits:
        """The nearest surfaces that rays (n, 3) meet."""
        found = self.scene.nearest(origins, way)
        hit = np.flatnonzero(found["primID"] >= 0)
        way = np.ascontiguousarray(way[hit])
        triangle = found["primID"][hit].astype(np.int32)
        count = hit.size
        out = [np.empty((rows, count), np.float32) for rows in (3, 3, 3, 2, 3, 3)]
        scene = self.scene
        read_surface(
            triangle,
            found["u"][hit],
            found["v"][hit],
            way,
            scene.triangles,
            scene.world,
            scene.own,
            scene.normals,
            scene.uv,
            scene.faces,
            scene.grad_u,
            scene.grad_v,
            *out,
        )
        world, own, normal, uv, along_u, along_v = out
        light = np.zeros((6 + len(self.lights), count), np.float32)
        distance = found["tfar"][hit]
        part = scene.part[triangle]
        return _Hits(
            pixel[hit],
            part,
            world,
            own,
            normal,
            uv,
            along_u,
            along_v,
            way.T.copy(),
            distance,
            subset[hit],
            light,
        )

    # ---- light through the gaps ---------------------------------------------------------------

    def _light(self, hits: _Hits) -> None:
        count = hits.pixel.size
        if count == 0:
            return
        come, could = hits.light[:3], hits.light[3:6]
        origins, ways = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
        for number in range(self.rays):
            gap_rays(hits.position, hits.normal, hits.subset, number, self.directions, origins, ways)
            blocked = self._blocked(origins, ways)
            add_gap_light(
                hits.normal,
                hits.subset,
                number,
                self.directions,
                self.environment.radiance,
                blocked,
                come,
                could,
            )
        for at, light in enumerate(self.lights):
            hits.light[6 + at] = self._open(light, hits, origins)

    def _blocked(self, origins: np.ndarray, ways: np.ndarray, reach: np.ndarray | None = None) -> np.ndarray:
        """Shadow rays; those without a direction are not asked about and count as free."""
        asked = np.flatnonzero(ways.any(axis=1))
        blocked = np.full(len(ways), -1, np.int32)
        if asked.size:
            part = None if reach is None else reach[asked]
            blocked[asked] = self.scene.blocked(origins[asked], ways[asked], part)
        return blocked

    def _open(self, light: np.ndarray, hits: _Hits, origins: np.ndarray) -> np.ndarray:
        """How much of a light is seen from each sample, 0 to 1."""
        rays = max(1, min(LIGHT_RAYS, self.rays))
        seen = np.zeros(hits.pixel.size, np.float32)
        for number in range(rays):
            step = hits.subset * rays + number  # every set of rays looks at other places of the light
            a = ((step * 0.7548776662 + 0.5) % 1 * 2 - 1).astype(np.float32)[:, None]
            b = ((step * 0.5698402910 + 0.5) % 1 * 2 - 1).astype(np.float32)[:, None]
            if light[0] == AREA:
                target = light[1:4] + a * light[4:7] + b * light[7:10]
                away = (target - origins).astype(np.float32)
                facing = (away @ light[10:13]) < 0
                away[~facing] = 0
                reach = np.full(len(away), 0.999, np.float32)
                blocked = self._blocked(origins, np.ascontiguousarray(away), reach)
                seen += (blocked < 0) & facing
            else:
                side, up = _beside(light[10:13])
                way = -light[10:13] + light[16] * (a * side + b * up)
                seen += self._blocked(origins, np.ascontiguousarray(way, np.float32)) < 0
        return seen / rays

    # ---- edges --------------------------------------------------------------------------------

    def _with_edges(
        self, hits: _Hits, weight: np.ndarray, grid: np.ndarray, part: np.ndarray
    ) -> tuple[_Hits, np.ndarray]:
        edge = np.flatnonzero(self._edges(hits, grid, part).ravel())
        if edge.size == 0:
            return hits, weight
        number = np.tile(np.arange(EDGE_SAMPLES), edge.size)
        pixel = np.repeat(edge, EDGE_SAMPLES).astype(np.int32)
        step = number + (pixel % 61) * EDGE_SAMPLES
        a, b = (step * 0.7548776662 + 0.5) % 1, (step * 0.5698402910 + 0.5) % 1
        x = pixel % self.width + a - self.width / 2
        y = self.height / 2 - pixel // self.width - b
        more = self._look(x, y, pixel, (step % 16).astype(np.int32))
        share = 1.0 / (EDGE_SAMPLES + 1)
        weight = np.where(np.isin(hits.pixel, edge), np.float32(share), weight)
        extra = np.full(more.pixel.size, share, np.float32)
        return _Hits.joined([hits, more]), np.concatenate([weight, extra])

    def _edges(self, hits: _Hits, grid: np.ndarray, part: np.ndarray) -> np.ndarray:
        """(h, w) bool: pixels that differ from a neighbour in part, direction or distance."""
        edge = np.zeros(grid.shape, bool)
        if hits.pixel.size == 0:
            return edge
        for a, b in (((slice(None), slice(1, None)), (slice(None), slice(None, -1))),
                     ((slice(1, None), slice(None)), (slice(None, -1), slice(None)))):  # fmt: skip
            first, second = grid[a], grid[b]
            both = (first >= 0) & (second >= 0)
            bend = np.einsum("kij,kij->ij", hits.normal[:, first], hits.normal[:, second]) < 0.8
            near, far = hits.distance[first], hits.distance[second]
            gap = np.abs(near - far) > 0.03 * np.minimum(near, far)
            own = (part[a] >= 0) | (part[b] >= 0)
            differs = (part[a] != part[b]) | (both & own & (bend | gap))
            edge[a] |= differs
            edge[b] |= differs
        return edge

    # ---- finish -------------------------------------------------------------------------------

    def _finish(self, hits: _Hits, weight: np.ndarray, part: np.ndarray) -> View:
        sequence = np.argsort(hits.part, kind="stable")
        hits, weight = hits.taken(sequence), weight[sequence]
        covered = np.bincount(hits.pixel, weight, self.width * self.height).astype(np.float32)
        numbers, starts = np.unique(hits.part, return_index=True)
        stops = [*starts[1:], hits.part.size][: len(starts)]
        groups = tuple(
            Group(int(number), self._points(hits, int(number), start, stop), int(start), int(stop))
            for number, start, stop in zip(numbers, starts, stops, strict=True)
        )
        light = hits.light
        return View(
            self.width,
            self.height,
            hits.pixel.astype(np.int32),
            weight.astype(np.float32),
            covered,
            groups,
            np.ascontiguousarray(light[:3]),
            np.ascontiguousarray(light[3:6]),
            self.lights,
            np.ascontiguousarray(light[6:]),
            part,
        )

    def _points(self, hits: _Hits, number: int, start: int, stop: int) -> Points:
        def cut(array: np.ndarray) -> np.ndarray:
            return np.ascontiguousarray(array[..., start:stop])

        normal, along_u, along_v, way = cut(hits.normal), cut(hits.along_u), cut(hits.along_v), cut(hits.way)
        tangent, bitangent = np.empty_like(normal), np.empty_like(normal)
        frames(normal, along_u, tangent, bitangent)
        flip = np.sign((bitangent * along_v).sum(axis=0))
        bitangent *= np.where(flip < 0, np.float32(-1), np.float32(1))
        slant = np.maximum(np.abs((normal * way).sum(axis=0)), 0.1)
        size = cut(hits.distance) / self.pixels / np.sqrt(slant)
        own = None
        if number != GROUND:
            turn = self.scene.turns[number]
            own = [cut(hits.own), *(np.ascontiguousarray(turn @ one) for one in (normal, tangent, bitangent))]
        return Points(
            position=cut(hits.position),
            normal=normal,
            tangent=tangent,
            bitangent=bitangent,
            uv={"UVMap": cut(hits.uv)},
            along_u=along_u,
            along_v=along_v,
            step_u=(size / np.maximum(np.linalg.norm(along_u, axis=0), 1e-6)).astype(np.float32),
            step_v=(size / np.maximum(np.linalg.norm(along_v, axis=0), 1e-6)).astype(np.float32),
            object_position=own[0] if own else None,
            object_normal=own[1] if own else None,
            object_tangent=own[2] if own else None,
            object_bitangent=own[3] if own else None,
            view=way,
        )


def _beside(way: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    helper = np.array([0, 1, 0]) if abs(way[1]) < 0.9 else np.array([1, 0, 0])
    side = np.cross(helper, way)
    side = side / np.linalg.norm(side)
    return side.astype(np.float32), np.cross(way, side).astype(np.float32)
