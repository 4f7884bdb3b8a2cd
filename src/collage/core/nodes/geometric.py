"""What the surface says of itself: by the standard's geometric property names, by space, and by Collage's own names.

Collage's own properties are read with the standard's `geompropvalue`, so that graphs of standard nodes can use them;
another program that does not know them gives that card's default.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from collage.core.geometry.points import Points
from collage.core.geometry.surroundings import name_number
from collage.core.nodes.arithmetic import dot3
from collage.core.nodes.behaviour import Array, Context


def spatial(points: Points, what: str, space: str) -> Array:
    """`what` (position, normal, tangent, bitangent) in a space, (3, n).

    space : object, model or world; camera; or the name of an object on the bench. Unknown ones are the world.
    """
    if space in ("object", "model"):
        own: Array | None = getattr(points, f"object_{what}")
        if own is not None:
            return own
    return in_space(points, getattr(points, what), space, is_place=what == "position")


def in_space(points: Points, world: Array, space: str, *, is_place: bool) -> Array:
    """World-space places or directions (3, n) in the space of the camera or of a named object; else as they are."""
    frame = points.around.frame(space) if points.around is not None else None
    if frame is None:
        return world
    rotation, origin = (part.astype(np.float32) for part in frame)
    moved: Array = rotation @ (world - origin[:, None] if is_place else world)
    return moved


def _of(what: str, space: str) -> Callable[[Context], Array]:
    return lambda ctx: spatial(ctx.at, what, space)


def _uv(ctx: Context) -> Array:
    return ctx.at.uv_set()


def view(ctx: Context) -> Array:
    """The direction from the eye; straight onto the surface where there is no eye."""
    way = ctx.at.view
    return way if way is not None else -ctx.at.normal


_GETTERS: dict[str, Callable[[Context], Array]] = {
    "UV0": _uv,
    "Vworld": view,
    "Iworld": view,
    **{
        f"{letter}{space}": _of(what, space)
        for letter, what in (("P", "position"), ("N", "normal"), ("T", "tangent"), ("B", "bitangent"))
        for space in ("object", "world")
    },
}


def geometry(name: str) -> Callable[[Context], Array] | None:
    """The function that gives a geometric property; None for one that Collage does not know."""
    return _GETTERS.get(name)


# ---- Collage's own properties -----------------------------------------------------------------


def _by_object(table: str) -> Callable[[Points], Array | None]:
    def rows(points: Points) -> Array | None:
        around = points.around
        if around is None or not len(around.names):
            return None
        return np.ascontiguousarray(getattr(around, table).take(points.object_number, axis=0).T)

    return rows


def _camera_position(points: Points) -> Array | None:
    has_camera = points.around is not None and points.around.camera is not None
    return spatial(points, "position", "camera") if has_camera else None


def _screen(points: Points) -> Array | None:
    around = points.around
    return around.on_screen(points.position) if around is not None and around.camera is not None else None


def _object(points: Points) -> Array | None:
    around = points.around
    if around is None or not around.names:
        return None
    numbers = np.array([name_number(name) for name in around.names], np.float32)
    return numbers.take(points.object_number)[None]


def _part(points: Points) -> Array | None:
    """By its name, so that it stays when a mesh is read again with other parts."""
    around, part = points.around, points.part
    if around is None or part is None:
        return None
    starts = np.cumsum([0, *(len(one) for one in around.parts)])[:-1]
    return np.concatenate(around.parts).take(starts.take(points.object_number) + part)[None]


def _piece(points: Points) -> Array | None:
    return None if points.piece is None else points.piece[None].astype(np.float32)


def _slot(points: Points) -> Array | None:
    return None if points.slot is None else points.slot[None].astype(np.float32)


def _stretch(points: Points) -> Array | None:
    """How much longer UVs draw one direction than the other, 1 for none: the larger over the smaller of the singular
    values of how places move along u and v (P. Sander et al., Texture mapping progressive meshes, 2001)."""
    if points.along_u is None or points.along_v is None:
        return None
    u, v = points.along_u, points.along_v
    uu, vv, uv = dot3(u, u), dot3(v, v), dot3(u, v)
    apart = np.sqrt((uu - vv) ** 2 + 4 * uv * uv)
    return np.sqrt((uu + vv + apart) / np.maximum(uu + vv - apart, 1e-6 * (uu + vv) + 1e-30))


PROPERTIES: dict[str, tuple[str, Callable[[Points], Array | None]]] = {
    "clg_box_low": ("vector3", _by_object("low")),
    "clg_box_size": ("vector3", _by_object("size")),
    "clg_camera_position": ("vector3", _camera_position),
    "clg_screen": ("vector2", _screen),
    "clg_object": ("float", _object),
    "clg_part": ("float", _part),
    "clg_piece": ("float", _piece),
    "clg_slot": ("float", _slot),
    "clg_stretch": ("float", _stretch),
}
"""By name, the type of a property and what gives it; None where the points have none.

Box: lowest corner and size of the object's box in its own space, metres. Camera position: x to the right, y up, z
towards the viewer. Screen: see Surroundings.on_screen. Object, part: a number for the name. Piece, slot: its number.
Stretch: of the first UV set.
"""


def own_property(points: Points, name: str, type_name: str) -> Array | None:
    """A property of Collage's own, (k, n) or (k, 1); None for an unknown name, another type, or where there is none."""
    kind, getter = PROPERTIES.get(name, ("", None))
    return getter(points) if getter is not None and kind == type_name else None
