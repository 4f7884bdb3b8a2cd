"""Baking: rays from the texels of a light mesh to the surface around it, and the maps of what they meet."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from collage.core.bake.cage import LEAST, reach_to
from collage.core.bake.recipe import Bake
from collage.core.bake.source import Source, source_of
from collage.core.bake.target import Target, target_of
from collage.core.bake.texels import Strip, strips, tiles_of
from collage.core.bake.tile import TileMaps
from collage.core.bake.values import Met, Meter
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.evaluate.run import Cancelled, never
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.samples import find_hits
from collage.core.scene.bench import BenchObject
from collage.core.scene.relief import square_of

OVERLAP_TOLD = 0.002  # share of the samples under more than one triangle from which on it is told


@dataclass(frozen=True, eq=False)
class Ready:
    """A bake whose surfaces are found. outward, inward : metres from the target's surface that rays look.

    tiles : (column, row) of those that the target's UVs lie in.
    """

    bake: Bake
    source: Source
    target: Target
    outward: float
    inward: float
    tiles: tuple[tuple[int, int], ...]

    @property
    def wide(self) -> float:
        """Metres on the target that a sample of a texel stands for, in the mean."""
        return (square_of(self.target.mesh) or self.target.size) / self.bake.size / self.bake.across

    @property
    def depth(self) -> float:
        """Metres from the darkest to the brightest of a height map; the mesh itself is its middle."""
        return 2 * max(self.outward, self.inward)


@dataclass(frozen=True, eq=False)
class BakedTile:
    """A finished tile. asked, missed : texels on the target, and those whose rays met nothing. overlapped : samples
    under more than one triangle, of `samples`."""

    place: tuple[int, int]
    maps: TileMaps
    samples: int
    overlapped: int

    @property
    def asked(self) -> int:
        """Texels on the target."""
        return int(np.count_nonzero(self.maps.asked))

    @property
    def missed(self) -> int:
        """Texels whose rays met nothing."""
        return int(np.count_nonzero(self.maps.missed))


def named(objects: Mapping[str, BenchObject], name: str) -> BenchObject:
    """An object by its name. Raises CollageError."""
    if name not in objects:
        raise CollageError("There is no such object.", about=name, remedy="See “collage objects list”.")
    return objects[name]


def made_ready(renderer: Renderer, request: PictureRequest, bake: Bake, cancelled: Callable[[], bool] = never) -> Ready:
    """Finds the surfaces of a bake, and how far apart they are. Raises CollageError, Cancelled.

    request : of a picture of the project.
    """
    objects = {item.name: item for item in request.bench.objects}
    item = named(objects, bake.target)
    dense = named(objects, bake.source or bake.target)
    if not bake.as_placed:
        stands = {key: getattr(item, key) for key in ("place", "turn", "tilt", "roll")}
        dense = dense.model_copy(update=stands)
    target = target_of(item, bake.uv_set, bake.even)
    source = source_of(renderer, request, dense, cancelled)
    if not len(source.mesh.triangles):
        raise CollageError("It has no faces to bake from.", about=dense.name)
    if bake.source in ("", bake.target):
        reach = source.moved * 1.05 + LEAST * target.size
    elif bake.outward is None or bake.inward is None:
        reach = reach_to(source.scene, *target.all_over(), target.size)
    else:
        reach = 0.0
    outward, inward = (reach if one is None else one for one in (bake.outward, bake.inward))
    if not outward + inward > 0:
        raise CollageError("Rays have nowhere to go: both distances are 0.", about=bake.target,
                           remedy="Set a distance, or leave it to the bake.")  # fmt: skip
    return Ready(bake, source, target, outward, inward, tuple(tiles_of(target.uv)))


def baking(
    ready: Ready, tile: tuple[int, int], renderer: Renderer, cancelled: Callable[[], bool] = never
) -> Steps[BakedTile]:
    """The maps of one tile. Raises Cancelled."""
    bake, maps = ready.bake, TileMaps(ready.bake.size, ready.bake.maps)
    meter = Meter(bake, ready.source, ready.target, renderer.workers, cancelled)
    samples = overlapped = 0
    for strip in strips(ready.target.uv, tile, bake.size, bake.across, ready.target.island):
        if cancelled():
            raise Cancelled
        maps.ask(strip.texel)
        samples += len(strip.texel)
        overlapped += strip.overlapped
        if len(strip.texel):
            _take(ready, strip, meter, maps)
        yield Progress(f"Baking {bake.target}", strip.share)
    return BakedTile(tile, maps, samples, overlapped)


def _take(ready: Ready, strip: Strip, meter: Meter, maps: TileMaps) -> None:
    places = ready.target.places(strip)
    outward, length = np.float32(ready.outward), ready.outward + ready.inward
    found = find_hits(
        ready.source.scene, np.ascontiguousarray(places.position + places.way * outward),
        np.ascontiguousarray(-places.way), length, ready.wide, worn=ready.source.worn,
        workers=meter.workers, cancelled=meter.cancelled,
    )  # fmt: skip
    if not found.count:
        return
    met = Met(places, found)
    maps.add(strip.texel[met.ray], {name: meter.values(name, met) for name in ready.bake.maps})


def remarks_on(ready: Ready, tiles: list[BakedTile]) -> tuple[str, ...]:
    """What is to be told of a bake: where rays missed, and where UVs lie on each other."""
    told = list(ready.source.remarks)
    asked, missed = (sum(getattr(one, name) for one in tiles) for name in ("asked", "missed"))
    if not asked:
        told.append("No face of it lies on a tile: nothing was baked. Unwrap it, or choose another UV set.")
    if missed:
        told.append(f"{_percent(missed / asked)} of the texels meet nothing within "
                    f"{1000 * ready.outward:.3g} mm outward and {1000 * ready.inward:.3g} mm inward: "
                    "raise the distances, or check that both objects lie in one place.")  # fmt: skip
    samples, twice = (sum(getattr(one, name) for one in tiles) for name in ("samples", "overlapped"))
    if samples and twice / samples > OVERLAP_TOLD:
        told.append(f"{_percent(twice / samples)} of the UVs lie on each other: only one of them is baked.")
    return tuple(dict.fromkeys(told))


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %" if share >= 0.001 else "Less than 0.1 %"


def with_reach(bake: Bake, ready: Ready) -> Bake:
    """The recipe with the distances that were found out, for its record."""
    return bake.model_copy(update={"outward": ready.outward, "inward": ready.inward})
