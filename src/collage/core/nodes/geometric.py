"""What unwired inputs take from the surface, by the standard's geometric property names."""

from __future__ import annotations

from collections.abc import Callable

from collage.core.geometry.points import Points
from collage.core.nodes.behaviour import Array, Context


def spatial(points: Points, what: str, space: str) -> Array:
    """`what` (position, normal, tangent, bitangent) in object, model or world space, (3, n)."""
    if space in ("object", "model"):
        own: Array | None = getattr(points, f"object_{what}")
        if own is not None:
            return own
    return getattr(points, what)  # type: ignore[no-any-return]


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
