"""The light that surfaces near others have in the mean: what draft pictures take for light that is sent on.

It is looked for where rays from the objects meet something: what closes the sky for them. So it is the same for every
camera and for every part of a picture.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.geometry.mesh import any_frame
from collage.core.geometry.spirals import disc
from collage.core.kernels import Family
from collage.core.kernels.lights import COLUMNS
from collage.core.render.environment import EnvironmentLight
from collage.core.render.lighting import EnvironmentTarget, LightTarget, Target
from collage.core.scene.scene import GROUND, Scene

k, shading = Family("rays"), Family("shading")

LOOKED_FROM = 2048  # places on the objects


@dataclass(frozen=True, eq=False)
class Surrounding:
    """Places (3, n) on surfaces that are seen from others, with their normals. pattern, donor : (n,), see Samples.

    It keeps no scene, so that one that is let go of goes.
    """

    position: np.ndarray
    normal: np.ndarray
    pattern: np.ndarray
    donor: np.ndarray

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.position.nbytes + self.normal.nbytes + self.pattern.nbytes + self.donor.nbytes

    def of_environment(self, scene: Scene, environment: EnvironmentLight, turn: float) -> np.ndarray:
        """(3,) irradiance over pi that an environment of strength 1 gives to them. turn : degrees."""
        if not self.pattern.size:
            return np.zeros(3, np.float32)
        found = self._found(EnvironmentTarget(scene, self, environment, turn))
        return np.asarray(found[:3].mean(axis=1))

    def of_lights(self, scene: Scene, lights: np.ndarray) -> np.ndarray:
        """(3,) the same of lights, see kernels.lights."""
        seen = [self._found(LightTarget(scene, self, row))[0] for row in lights]
        shares = np.ascontiguousarray(seen, np.float32).reshape(len(lights), self.pattern.size)
        room, out = np.empty((1, COLUMNS), np.float32), np.empty(3, np.float32)
        shading.mean_received(self.position, self.normal, lights, shares, room, out)
        return out

    def _found(self, target: Target) -> np.ndarray:
        """(channels, n): what all rays find on average."""
        out = np.zeros((target.channels, self.pattern.size), np.float32)
        target.add(slice(0, self.pattern.size), 0, target.rays, out)
        return out / np.float32(target.rays)


def surrounding_of(scene: Scene) -> Surrounding:
    """What closes the sky for a scene's objects."""
    position, normal = _met(scene, *_on_objects(scene))
    number = np.arange(len(position), dtype=np.int32)
    rows = np.ascontiguousarray(position.T), np.ascontiguousarray(normal.T)
    return Surrounding(*rows, number % (k.SUBSETS * k.TURNS), np.full_like(number, -1))


def _on_objects(scene: Scene) -> tuple[np.ndarray, np.ndarray]:
    """Places on all objects (n, 3), evenly by their area, and directions (n, 3) by the cosine over them."""
    spans = [here for number, here in sorted(scene.spans.items()) if number != GROUND]
    triangle = np.concatenate([np.zeros(0, int), *(np.arange(here.start, here.stop) for here in spans)])
    until, total, begin = np.empty(len(triangle)), 0.0, 0
    for here in spans:
        part = until[begin : begin + here.stop - here.start]
        k.areas_until(scene.corners[3 * here.start : 3 * here.stop], total, part)
        begin, total = begin + len(part), float(part[-1]) if len(part) else total
    if not total > 0:
        return np.zeros((0, 3)), np.zeros((0, 3))
    number = np.arange(LOOKED_FROM)
    at = triangle[np.searchsorted(until, (number + 0.5) / LOOKED_FROM * total)]
    corners = scene.corners[3 * at[:, None] + np.arange(3), :3].astype(np.float64)
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    # a rank-1 sequence (M. Roberts, The unreasonable effectiveness of quasirandom sequences, 2018)
    a, b = number * 0.7548776662 % 1, number * 0.5698402910 % 1
    a, b = np.where(a + b > 1, 1 - a, a), np.where(a + b > 1, 1 - b, b)
    place = corners[:, 0] * (1 - a - b)[:, None] + corners[:, 1] * a[:, None] + corners[:, 2] * b[:, None]
    tangent, bitangent = any_frame(normal)
    x, y = disc(LOOKED_FROM)[number * 1223 % LOOKED_FROM].T.astype(np.float64)  # in no step with the places
    upward = np.sqrt(np.maximum(1 - x * x - y * y, 0))
    return place + normal * k.LIFT, tangent * x[:, None] + bitangent * y[:, None] + normal * upward[:, None]


def _met(scene: Scene, places: np.ndarray, ways: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where rays meet something (m, 3), and the normals there (m, 3), to the side they come from."""
    if not len(places):
        return places.astype(np.float32), ways.astype(np.float32)
    found = scene.nearest(np.ascontiguousarray(places, np.float32), np.ascontiguousarray(ways, np.float32))
    hit = np.flatnonzero(found.triangle >= 0)
    normal = scene.faces[found.triangle[hit], :3]
    normal = normal * -np.sign((normal * ways[hit]).sum(axis=1, keepdims=True) + 1e-12)
    met = places[hit] + ways[hit] * found.distance[hit, None]
    return met.astype(np.float32), np.asarray(normal, np.float32)
