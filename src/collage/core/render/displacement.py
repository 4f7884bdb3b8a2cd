"""Displacement: objects whose material moves their surface, divided and moved before rays are traced.

Heights and vectors are worked out on the surface as it was, at the corners of the divided mesh, by the evaluator that
draws everything else. A vertex that several corners share, as on a UV seam, goes where they go on average, so that
nothing tears.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.materials import DISPLACEMENT, material_card
from collage.core.document.model import Card, Network
from collage.core.evaluate.plan import CardInput
from collage.core.evaluate.run import Workers, never
from collage.core.geometry.mesh import any_frame, unit
from collage.core.geometry.points import Points
from collage.core.geometry.subdivide import sum_by
from collage.core.render.surface import Surface, evaluate_surface
from collage.core.scene.bench import BenchObject
from collage.core.scene.displaced import Displaced, Fine, moved
from collage.core.scene.scene import OBJECT, REGION, Scene

HEIGHT, SCALE = "displacement", "scale"


def targets_of(network: Network) -> Mapping[str, CardInput]:
    """What is to be planned for a material's displacement; nothing where it has none.

    Raises CollageError for a displacement that is not one card's.
    """
    shader = shader_of(network)
    if shader is None:
        return {}
    if shader.category != "displacement":
        raise CollageError(
            f"A displacement out of “{shader.category}” is not shown.",
            about=shader.name,
            remedy="Wire a Displacement card to the material.",
        )
    return {name: CardInput(shader.name, name) for name in (HEIGHT, SCALE)}


def shader_of(network: Network) -> Card | None:
    """The card that is wired to the material as its displacement; None where there is none, or it is skipped."""
    material = material_card(network)
    one = material.inputs.get(DISPLACEMENT) if material is not None else None
    if one is None or one.wire is None or one.muted:
        return None
    shader = network.cards.get(one.wire.card)
    return None if shader is None or shader.skipped else shader


def displaced(
    item: BenchObject,
    number: int,
    found: Fine,
    scene: Scene,
    moving: Sequence[Surface | None],
    key: str,
    *,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> tuple[Displaced, tuple[str, ...]]:
    """An object's mesh divided and moved, and remarks.

    number : the object's. scene : with nothing displaced. moving : what moves each region of the scene, None for
    those that stay. Raises Cancelled.
    """
    own = np.flatnonzero(scene.ids[OBJECT, :-1] == number)
    first = int(own[0]) if len(own) else 0
    region = scene.ids[REGION, first + found.cage.source]
    corner = _told_apart(found, region)
    vertices = len(found.cage.positions)
    total, count = np.zeros((vertices, 3)), np.bincount(found.cage.vertex[corner], minlength=vertices)
    told: list[str] = []
    reach = float(np.linalg.norm(np.ptp(found.cage.positions, axis=0)))
    for one in np.unique(region[corner]):
        mover = moving[one]
        if mover is None:
            continue
        here = corner[region[corner] == one]

        def offsets(places: _Places, mover: Surface = mover, one: int = int(one)) -> np.ndarray:
            points = _points(item, found, places, scene, first, one)
            values = evaluate_surface(mover, points, workers=workers, cancelled=cancelled)
            return _offsets(values, points, item.matrix(), reach, told)

        total += sum_by(found.cage.vertex[here], offsets(_at_corners(found, here)).T, vertices)
        between = _between(found, region == one)
        if between is not None and _is_missed(total, count, between[0], offsets(between[1])):
            told.append("Its displacement is finer than its faces: raise Subdivision for outline and shadows.")
    return moved(found, total / np.maximum(count, 1)[:, None], key), tuple(dict.fromkeys(told))


@dataclass(frozen=True, eq=False)
class _Places:
    """Places on the surface as it was. position, way : (n, 3). values : (n, k), see Cage. source : (n,)."""

    position: np.ndarray
    way: np.ndarray
    values: np.ndarray
    source: np.ndarray


def _at_corners(found: Fine, corner: np.ndarray) -> _Places:
    cage, vertex = found.cage, found.cage.vertex[corner]
    return _Places(cage.positions[vertex], found.ways[vertex], cage.values[corner], cage.source[corner])


LOOKED_AT = 4000  # polygons in whose middle it is looked whether they are fine enough
MISSED = 0.3  # of how much heights differ, that they may differ from those between the corners


def _between(found: Fine, here: np.ndarray) -> tuple[np.ndarray, _Places] | None:
    """The vertices (n, 3 or 4) of some polygons all of whose corners are `here` (c,) bool, and their middles."""
    cage = found.cage
    size = int(cage.sizes[0]) if len(cage.sizes) else 0
    corners = np.arange(len(cage.vertex)).reshape(-1, size) if size and (cage.sizes == size).all() else None
    if corners is None:
        return None
    corners = corners[here[corners].all(axis=1)]
    corners = corners[:: max(len(corners) // LOOKED_AT, 1)]
    if not len(corners):
        return None
    vertex = cage.vertex[corners]
    middle = _Places(
        cage.positions[vertex].mean(axis=1), unit(found.ways[vertex].mean(axis=1)),
        cage.values[corners].mean(axis=1), cage.source[corners[:, 0]],
    )  # fmt: skip
    return vertex, middle


def _is_missed(total: np.ndarray, count: np.ndarray, vertex: np.ndarray, offset: np.ndarray) -> bool:
    """Whether offsets (3, n) in the middle of polygons differ much from those at their corners, vertices (n, k)."""
    at_corners = total[vertex] / np.maximum(count[vertex], 1)[:, :, None]
    error = np.linalg.norm(at_corners.mean(axis=1) - offset.T, axis=1)
    spread = np.linalg.norm(offset.T - offset.mean(axis=1), axis=1)
    rounding = 1e-5 * float(np.abs(offset).max(initial=0))
    return bool(np.sqrt((error**2).mean()) > MISSED * np.sqrt((spread**2).mean()) + rounding)


def _told_apart(found: Fine, region: np.ndarray) -> np.ndarray:
    """Corners of the cage: one for each vertex, and more where others of the vertex have another UV or region."""
    vertex, first = found.cage.vertex, found.cage.first
    uv = found.cage.values[:, : 2 * len(found.base.uv)]
    other = (np.abs(uv - uv[first[vertex]]) > 1e-6).any(axis=1) | (region != region[first[vertex]])
    return np.unique(np.concatenate([first, np.flatnonzero(other)]))


def _points(item: BenchObject, found: Fine, places: _Places, scene: Scene, first: int, region: int) -> Points:
    """The surface as it was. first : the object's first triangle in the scene."""
    turn, own = item.matrix().astype(np.float32), places.position.astype(np.float32)
    base = first + places.source  # the triangle of the scene
    along_u, along_v = scene.faces[base, 3:6], scene.faces[base, 6:9]
    normal = places.way.astype(np.float32) @ turn
    tangent = _across(places.values[:, -6:-3].astype(np.float32) @ turn, normal)
    bitangent = np.cross(normal, tangent)
    bitangent *= np.sign((bitangent * along_v).sum(axis=1, keepdims=True) + 1e-30)
    uv = {name: _rows(places.values[:, 2 * at : 2 * at + 2]) for at, name in enumerate(found.base.uv)}
    count, step = len(own), _step(found)
    part, piece, slot = (ids[places.source] for ids in found.base.ids)
    return Points(
        position=_rows(own @ turn + np.array(item.place, np.float32)),
        normal=_rows(normal),
        tangent=_rows(tangent),
        bitangent=_rows(bitangent),
        uv=uv or {"UVMap": np.zeros((2, count), np.float32)},
        along_u=_rows(along_u),
        along_v=_rows(along_v),
        step_u=np.full(count, step, np.float32),
        step_v=np.full(count, step, np.float32),
        object_position=_rows(own),
        to_object=scene.rotations[region],
        part=part,
        piece=piece,
        slot=slot,
        triangle=base.astype(np.int32),
        around=scene.around,
    )


def _step(found: Fine) -> float:
    """How far vertices lie apart in the first UV set, on average: as finely as images are worth reading."""
    name = next(iter(found.base.uv), None)
    if name is None:
        return 1e-3
    p = found.values(name)[found.triangles]
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    return float(np.sqrt(area.mean())) if len(area) else 1e-3


def _across(direction: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """Directions (n, 3) laid at right angles to normals, of length 1."""
    flat = direction - normal * (direction * normal).sum(axis=1, keepdims=True)
    length = np.linalg.norm(flat, axis=1, keepdims=True)
    return np.asarray(np.where(length > 1e-9, flat / np.maximum(length, 1e-9), any_frame(normal)[0]))


def _rows(values: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(values.T, np.float32)


def _offsets(
    values: Mapping[str, np.ndarray], points: Points, turn: np.ndarray, reach: float, told: list[str]
) -> np.ndarray:
    """(3, n) how far points go, in the object's space, at most `reach`.

    A number goes along the normal; a vector along tangent, bitangent and normal, as the standard has it.
    """
    height = np.asarray(values.get(HEIGHT, np.zeros((1, 1))), np.float64) * np.asarray(values.get(SCALE, 1.0))
    if not np.isfinite(height).all():
        told.append("Some displacement is no number; it counts as none.")
        height = np.nan_to_num(height, nan=0.0, posinf=0.0, neginf=0.0)
    if len(height) == 1:
        world = points.normal * height
    else:
        world = points.tangent * height[:1] + points.bitangent * height[1:2] + points.normal * height[2:3]
    length = np.linalg.norm(world, axis=0)
    if (length > reach).any():
        told.append("Displacement of more than the object's own size is cut off there: set a smaller scale.")
        world = world * np.minimum(1, reach / np.maximum(length, 1e-12))
    return np.asarray(turn @ world)
