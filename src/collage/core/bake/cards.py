"""What a card puts out, baked onto the UVs of an object that has its material: masks that no standard node can make."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from collage.core.bake.baking import named
from collage.core.bake.files import as_form, bits_of, tile_number
from collage.core.bake.recipe import Form
from collage.core.bake.source import source_of
from collage.core.bake.target import target_of
from collage.core.bake.texels import strips, tiles_of
from collage.core.bake.tile import padded
from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, within
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import Cancelled, never, run
from collage.core.images.files import writing
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.samples import find_hits
from collage.core.scene.scene import OBJECT

REACH = 1e-3  # of the object's size, above and below it, that its own surface is looked for


def baking_card(
    renderer: Renderer,
    request: PictureRequest,
    target: str,
    material: str,
    output: CardOutput,
    path: Path,
    *,
    uv_set: str = "",
    size: int = 1024,
    padding: int = 16,
    form: Form = "png16",
    cancelled: Callable[[], bool] = never,
) -> Steps[list[Path]]:
    """Writes what a card puts out all over an object, on its surface as it is displaced: a file for each tile.

    request : of a picture of the project. target : name of the object. path : of the file; with several tiles their
    numbers go before its ending. Raises CollageError, Cancelled.
    """
    yield Progress("Finding the surface", 0.0)
    item = named({item.name: item for item in request.bench.objects}, target)
    if material not in request.materials:
        raise CollageError("There is no such material.", about=material, remedy="See “collage materials list”.")
    plan = build_plan(
        renderer.library, request.materials[material], {"out": output}, folder=request.material_folder,
        images=renderer.images,
    )  # fmt: skip
    for error in plan.problems.values():
        raise error
    light = target_of(item, uv_set, True)
    source = source_of(renderer, request, item, cancelled, alone=False)
    reach = source.moved * 1.05 + REACH * light.size
    tiles, written = tiles_of(light.uv), []
    for number, tile in enumerate(tiles):
        done = number / len(tiles)
        total: np.ndarray | None = None
        count = np.zeros(size * size, np.int32)
        for strip in strips(light.uv, tile, size, 1, light.island):
            if cancelled():
                raise Cancelled
            yield Progress(f"Baking {target}", done + 0.8 * strip.share / len(tiles))
            if not len(strip.texel):
                continue
            places = light.places(strip)
            start = np.ascontiguousarray(places.position + places.way * np.float32(reach))
            found = find_hits(source.scene, start, np.ascontiguousarray(-places.way), 2 * reach, light.size / size,
                              worn=source.worn, workers=renderer.workers, cancelled=cancelled)  # fmt: skip
            for group in found.groups:
                value = np.asarray(run(plan, group.points, workers=renderer.workers)["out"], np.float32)
                value = np.broadcast_to(value, (len(value), group.points.count)).T
                total = np.zeros((size * size, value.shape[1]), np.float32) if total is None else total
                own = source.scene.ids[OBJECT][group.points.triangle] == 0  # others may touch it
                texel = strip.texel[found.pixel[group.start : group.stop]][own]
                total[texel], count[texel] = value[own], 1
        if total is None:
            continue
        made = padded(total.reshape(size, size, -1), count.reshape(size, size) > 0, np.zeros(total.shape[1]), padding)
        file = path if tiles == [(0, 0)] else path.with_suffix(f".{tile_number(tile)}{path.suffix}")
        yield from within(writing(file, as_form(made, form), bits=bits_of(form)), done, done + 1 / len(tiles))
        written.append(file)
    return written
