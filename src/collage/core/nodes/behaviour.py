"""How a function says which category of card it computes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np

if TYPE_CHECKING:
    from collage.core.geometry.points import Points
    from collage.core.images.store import OpenImages

Array = np.ndarray
"""(k, n) float32, or (k, 1) where the value is the same everywhere; k numbers per point."""

Function = TypeVar("Function", bound=Callable[..., Any])


@dataclass(frozen=True)
class Context:
    """What a function may look at besides its inputs.

    points : where it is evaluated; None while constants are folded.
    output_type : type of the card's output, e.g. "color3".
    images : where image files are read from.
    room : (k, n) float32 where the result may be put, to save a copy; it is returned as any other.
    """

    points: Points | None
    output_type: str = "float"
    images: OpenImages | None = None
    room: Array | None = None

    @property
    def at(self) -> Points:
        """The points; only functions marked `spatial` may ask."""
        if self.points is None:
            raise RuntimeError("a function that looks at the points must be marked spatial")
        return self.points


@dataclass(frozen=True)
class Mark:
    """What the decorator notes on a function."""

    categories: tuple[str, ...]
    spatial: bool
    heights: tuple[str, ...]
    beside: bool
    picks: Picks
    most: Mapping[str, int]
    rays: bool = False

    def beyond(self, constants: Mapping[str, Any]) -> list[str]:
        """Sentences about constant inputs that ask for more than makes a difference."""
        return [
            f"Only {limit} {name} are drawn, more change nothing."
            for name, limit in self.most.items()
            if name in constants and constants[name].max(initial=0) > limit
        ]


@dataclass(frozen=True)
class Beside:
    """Stands for an input one step further: it is the same input at the next pixel of a picture `across` wide."""

    across: int


Picks = Callable[[Mapping[str, Any]], str | None]
"""Given the inputs that are constant, the name of the input that comes out as it is; None if that depends."""


def _no_pick(constants: Mapping[str, Any]) -> str | None:
    return None


def behaviour(
    *categories: str,
    spatial: bool = False,
    heights: tuple[str, ...] = (),
    beside: bool = False,
    picks: Picks = _no_pick,
    most: Mapping[str, int] = MappingProxyType({}),
    rays: bool = False,
) -> Callable[[Function], Function]:
    """Marks `(ctx, **inputs) -> Array` as what cards of these categories compute.

    spatial : the function looks at `ctx.at`, so its result differs from point to point.
    heights : inputs that it also wants a small step along u and along v, as `<input>_du`, `<input>_dv`.
    beside : the function finds those steps itself where they are the neighbours in a picture, given as `Beside`.
    picks : tells an input that is simply passed on, so that what the others need is never computed.
    most : by input, the highest number that makes a difference; a card that asks for more is told so.
    rays : it looks around with rays, and is asked again at rest, with all of them; see Points.effort.
    A category may also be a full definition name (ND_...), which then goes first.
    """

    def mark(function: Function) -> Function:
        looks = spatial or bool(heights)
        function.__collage__ = Mark(categories, looks, heights, beside, picks, most, rays)  # type: ignore[attr-defined]
        return function

    return mark
