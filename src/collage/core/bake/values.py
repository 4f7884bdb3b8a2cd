"""What maps hold at places where rays from the light mesh have met the other surface."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from collage.core.bake.recipe import Bake, BakedMap
from collage.core.bake.source import Source
from collage.core.bake.target import Places, Target
from collage.core.evaluate.run import Workers, never
from collage.core.geometry.spirals import disc
from collage.core.kernels import Family
from collage.core.render.samples import ObjectSamples, Samples, over_blocks
from collage.core.scene.scene import Scene

k = Family("proximity")

CHANNELS: dict[BakedMap, int] = {
    "normal": 3, "height": 1, "occlusion": 1, "curvature": 1, "position": 3, "part": 1,
}  # fmt: skip
RAYS_AT_ONCE = 2**17
LIFT = 1e-4  # of the object's size, above the surface, where rays for occlusion begin


@dataclass(frozen=True, eq=False)
class Met:
    """Samples of texels and where their rays have met the source. places : of all rays. samples : of those that met
    something; `samples.pixel` is the number of each one's ray."""

    places: Places
    samples: Samples

    @property
    def ray(self) -> np.ndarray:
        """(n,) the number of the ray of each sample."""
        return self.samples.pixel


@dataclass(frozen=True, eq=False)
class Meter:
    """Reads maps off a source."""

    bake: Bake
    source: Source
    target: Target
    workers: Workers | None = None
    cancelled: Callable[[], bool] = never

    def values(self, name: BakedMap, met: Met) -> np.ndarray:
        """(n, c) float32 for every sample that met something, in the units of a float map. Raises Cancelled."""
        make: dict[BakedMap, Callable[[Met], np.ndarray]] = {
            "normal": self._normal, "height": self._height, "occlusion": self._occlusion,
            "curvature": self._curvature, "position": self._position, "part": self._part,
        }  # fmt: skip
        return make[name](met)

    def _normal(self, met: Met) -> np.ndarray:
        """In tangent or object space, of length 1."""
        world = self._by_group(met, 3, lambda group: self.source.normals(
            group.points, group.region, self.workers, self.cancelled).T)  # fmt: skip
        if self.bake.space == "object":
            return np.asarray(world @ self.target.item.matrix().T.astype(np.float32))
        places = met.places
        own = Places(*(one[met.ray] for one in (places.position, places.way, places.normal, places.tangent,
                                                places.bitangent)))  # fmt: skip
        return own.in_tangent_space(world)

    def _height(self, met: Met) -> np.ndarray:
        """Metres above the light mesh, along its normal."""
        gone = met.samples.position.T - met.places.position[met.ray]
        return np.einsum("ij,ij->i", gone, met.places.normal[met.ray])[:, None]

    def _occlusion(self, met: Met) -> np.ndarray:
        """The share of the sky that is seen, weighted by the cosine; 1 where nothing is in the way."""
        reach, rays = self.bake.reach or 2 * self.target.size, -(-self.bake.rays // self.bake.across**2)
        return open_sky(
            self.source.scene, met.samples.position.T, met.samples.normal.T, rays, reach,
            LIFT * self.target.size, met.ray, self.workers,
        )[:, None]  # fmt: skip

    def _curvature(self, met: Met) -> np.ndarray:
        """1 over metres; see `curvature_of`."""
        corners = self.source.curvature

        def read(group: ObjectSamples) -> np.ndarray:
            first, shares = group.points.corner_shares()
            return np.asarray(sum(corners[first + at] * shares[at] for at in range(3)))[:, None]

        return self._by_group(met, 1, read)

    def _position(self, met: Met) -> np.ndarray:
        """Metres, in the target's space."""
        return self.target.into_object(met.samples.position.T)

    def _part(self, met: Met) -> np.ndarray:
        """The number of the source's part."""
        return self._by_group(met, 1, lambda group: np.asarray(group.points.part)[:, None])

    @staticmethod
    def _by_group(met: Met, channels: int, read: Callable[[ObjectSamples], np.ndarray]) -> np.ndarray:
        out = np.empty((met.samples.count, channels), np.float32)
        for group in met.samples.groups:
            out[group.start : group.stop] = read(group)
        return out


def open_sky(
    scene: Scene, position: np.ndarray, normal: np.ndarray, rays: int, reach: float, lift: float, seed: np.ndarray,
    workers: Workers | None = None,
) -> np.ndarray:  # fmt: skip
    """(n,) float32: the share of the half sphere over places (n, 3) that is open as far as `reach`, by the cosine.

    rays : for each place, as masks send them (see kernels.proximity), turned by the place's seed (n,), so that the
    samples of a texel look in different directions. lift : metres.
    """
    out, places = np.empty(len(position), np.float32), disc(rays)
    turn = np.asarray(2 * np.pi * (seed * 0.7548776662 % 1), np.float32)

    def block(cut: slice) -> None:
        count = cut.stop - cut.start
        (origins, ways), far = np.empty((2, count * rays, 3), np.float32), np.empty(count * rays, np.float32)
        lifted, reached = (np.full(count, one, np.float32) for one in (lift, reach))
        p, n = (np.ascontiguousarray(one[cut], np.float32) for one in (position, normal))
        k.hemisphere(p, n, places, turn[cut], lifted, reached, origins, ways, far)
        found = scene.occluded(origins, ways, far)
        out[cut] = (found.reshape(-1, rays) < 0).mean(axis=1)

    if len(position):
        over_blocks(workers, block, len(position), max(RAYS_AT_ONCE // rays, 1))
    return out
