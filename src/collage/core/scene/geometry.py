"""Where an object's mesh comes from: one class for every kind of source, told apart by `kind`."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

from pydantic import Field

from collage.core.base.frozen import Frozen
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.shapes import shape


class StockShape(Frozen):
    """One of the stock shapes, with some of its sizes (metres) and divisions."""

    kind: Literal["stock"] = "stock"
    shape: str = "sphere"
    sizes: dict[str, float] = Field(default_factory=dict)

    @property
    def key(self) -> str:
        """Names all that the mesh depends on."""
        return f"stock {self.shape} {sorted(self.sizes.items())}"

    @property
    def label(self) -> str:
        """Its name in words."""
        return self.shape

    def mesh(self) -> Mesh:
        """The mesh in the object's own space. Raises CollageError for an unknown shape or size."""
        return _stock(self.shape, tuple(sorted(self.sizes.items())))


GeometrySource = StockShape
"""All sources. The next one makes this `Annotated[StockShape | Other, Field(discriminator="kind")]`."""


@lru_cache(maxsize=32)
def _stock(name: str, sizes: tuple[tuple[str, float], ...]) -> Mesh:
    return shape(name, **dict(sizes))
