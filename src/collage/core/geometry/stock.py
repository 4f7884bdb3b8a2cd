"""The table of stock shapes: by name, with their sizes (metres) and divisions."""

from __future__ import annotations

from collections.abc import Callable

from collage.core.base.errors import CollageError
from collage.core.geometry.assembled import planks, slate_roof, tiled_floor
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.shapes import cloth, cylinder, plane, pot, ring, rounded_box, saucer, sphere, wall

SHAPES: dict[str, Callable[..., Mesh]] = {
    "pot": pot,
    "saucer": saucer,
    "sphere": sphere,
    "cylinder": cylinder,
    "rounded box": rounded_box,
    "plane": plane,
    "wall": wall,
    "ring": ring,
    "cloth": cloth,
    "planks": planks,
    "tiled floor": tiled_floor,
    "slate roof": slate_roof,
}
"""Every stock shape by its name."""


def shape(name: str, **sizes: float) -> Mesh:
    """The stock shape `name` with some of its sizes (metres) and divisions given."""
    make = SHAPES.get(name)
    if make is None:
        raise CollageError(f"There is no stock shape “{name}”.", remedy=f"Choose one of {', '.join(SHAPES)}.")
    whole = {"segments", "divisions", "count", "rows", "pitch"}
    try:
        return make(**{key: int(value) if key in whole else value for key, value in sizes.items()})
    except TypeError as error:
        raise CollageError(f"The shape “{name}” has no such size: {error}.") from error
