"""A section through an object: the profile of its surface along a line, in metres."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from collage.core.evaluate.run import never
from collage.core.geometry.mesh import unit
from collage.core.geometry.points import Points
from collage.core.render.fine_relief import undisplaced
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.samples import find_hits
from collage.core.scene.bench import BenchObject
from collage.core.scene.scene import BACKGROUND, GROUND, OBJECT, Scene

STEPS = 600  # places along a section
LOOKS = 33  # places along the line in the picture, by which it is found out which way is up
REACH = 0.6  # of its length, that a section looks above and below the line between its ends
MOST_BETWEEN = 4  # other surfaces that lie between, and are looked through
SHORTEST, FURTHEST = 1e-5, 1e4  # metres


@dataclass(frozen=True)
class SectionLine:
    """Where an object is cut: both ends on its surface as it is without displacement, and the way that counts as up,
    (3,) each in its own space.

    name : of the object.
    """

    name: str
    start: tuple[float, float, float]
    end: tuple[float, float, float]
    up: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Section:
    """The profile along a line: n places, not a number where nothing was met.

    along : (n,) metres from the start. height : (n,) metres above the straight line between the ends. before : (n,)
    the same of the surface as it was, without displacement. places : (n, 3) of the profile, world space.
    """

    along: np.ndarray
    height: np.ndarray
    before: np.ndarray
    places: np.ndarray

    @property
    def length(self) -> float:
        """Metres between the ends."""
        return float(self.along[-1])

    @property
    def depth(self) -> float:
        """Metres from the lowest to the highest place."""
        found = self.height[np.isfinite(self.height)]
        return float(np.ptp(found)) if len(found) else 0.0


def line_between(
    renderer: Renderer, request: PictureRequest, start: tuple[float, float], end: tuple[float, float]
) -> SectionLine | None:
    """The line between two places of a picture, in its pixels; None where they do not show one object.

    Raises CollageError, Cancelled.
    """
    scene, camera = renderer.scene(request), request.bench.camera
    share = np.linspace(0, 1, LOOKS)[:, None]
    way = camera.ways(np.array(start) * (1 - share) + np.array(end) * share, *request.size)
    eye = np.tile(camera.position().astype(np.float32), (LOOKS, 1))
    found = find_hits(scene, eye, way, FURTHEST, 1.0, worn=request.bench.worn)
    number, place = np.full(LOOKS, BACKGROUND), np.zeros((LOOKS, 3))
    normal = np.zeros((LOOKS, 3))
    for group in found.groups:
        at = found.pixel[group.start : group.stop]
        number[at] = scene.ids[OBJECT][group.points.triangle]
        if group.region != GROUND:
            place[at], normal[at] = _undisplaced(group.points, scene)
    if number[0] < 0 or number[0] != number[-1]:
        return None
    chord = place[-1] - place[0]
    if np.linalg.norm(chord) < SHORTEST:
        return None
    chord, lean = unit(chord), normal[number == number[0]].mean(axis=0)
    upward = lean - chord * float(lean @ chord)
    if np.linalg.norm(upward) < 1e-6:
        return None
    item = request.bench.objects[int(number[0])]
    turn, stands = item.matrix().T, np.array(item.place)
    own = [tuple(map(float, one)) for one in (*((place[[0, -1]] - stands) @ turn), unit(upward) @ turn)]
    return SectionLine(item.name, own[0], own[1], own[2])  # type: ignore[arg-type]


def section(
    renderer: Renderer, request: PictureRequest, line: SectionLine, cancelled: Callable[[], bool] = never
) -> Section | None:
    """The profile of an object's surface along a line, as it is displaced in a picture; None where it is not there.

    Raises CollageError, Cancelled.
    """
    numbers = [at for at, item in enumerate(request.bench.objects) if item.name == line.name and not item.hidden]
    if not numbers:
        return None
    item, scene = request.bench.objects[numbers[0]], renderer.scene(request, cancelled)
    start, end, up = _in_world(item, line)
    length = float(np.linalg.norm(end - start))
    along = np.linspace(0, length, STEPS)
    base = start + (end - start) * (along / length)[:, None]
    origins = (base + up * REACH * length).astype(np.float32)
    height, before = np.full(STEPS, np.nan), np.full(STEPS, np.nan)
    waiting = np.arange(STEPS)
    down = np.tile(-up.astype(np.float32), (STEPS, 1))
    for _ in range(MOST_BETWEEN):
        far = 2 * REACH * length
        found = find_hits(scene, np.ascontiguousarray(origins[waiting]), down[: len(waiting)], far, length / STEPS,
                          worn=request.bench.worn, cancelled=cancelled)  # fmt: skip
        own = np.array([False] * found.count)
        for group in found.groups:
            here = slice(group.start, group.stop)
            own[here] = scene.ids[OBJECT][group.points.triangle] == numbers[0]
            at = waiting[found.pixel[here]]
            mine = own[here]
            place = group.points.position.T.astype(np.float64)
            height[at[mine]] = ((place - base[at]) @ up)[mine]
            rest = _undisplaced(group.points, scene)[0]
            before[at[mine]] = ((rest - base[at]) @ up)[mine]
        through = waiting[found.pixel[~own]]
        if not len(through):
            break
        origins[through] = (found.position.T[~own] + down[0] * np.float32(1e-4 * length)).astype(np.float32)
        waiting = through
    if not np.isfinite(height).any():
        return None
    low = np.abs(height) <= REACH * length
    height, before = np.where(low, height, np.nan), np.where(low, before, np.nan)
    return Section(along, height, before, base + up * height[:, None])


def _in_world(item: BenchObject, line: SectionLine) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    turn, stands = item.matrix(), np.array(item.place)
    return np.array(line.start) @ turn + stands, np.array(line.end) @ turn + stands, np.array(line.up) @ turn


def _undisplaced(points: Points, scene: Scene) -> tuple[np.ndarray, np.ndarray]:
    """Where points were before they were displaced, and their normals then, (n, 3) float64 each, world space."""
    on_object = scene.rest is not None and points.object_position is not None
    rest = undisplaced(points, scene) if on_object else points
    return rest.position.T.astype(np.float64), rest.normal.T.astype(np.float64)
