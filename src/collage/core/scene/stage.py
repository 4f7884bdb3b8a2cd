"""A stock shape in place of a bench's objects: for a material that is on none of them, or to judge one alone."""

from __future__ import annotations

import inspect
from functools import lru_cache

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.frozen import Frozen
from collage.core.geometry.stock import SHAPES, shape
from collage.core.scene.bench import Bench, stock
from collage.core.scene.cameras import Camera
from collage.core.scene.lights import AreaLight

LABELS = {
    "sphere": "Ball", "plane": "Sheet", "rounded box": "Block", "cylinder": "Cylinder", "pot": "Pot",
    "saucer": "Saucer", "wall": "Wall", "ring": "Ring", "cloth": "Cloth", "planks": "Planks",
    "tiled floor": "Tiled floor", "slate roof": "Slate roof",
}  # fmt: skip
"""What stock shapes are called on the screen."""

USUAL = 0.2  # metres: lights are where they are for objects of this size
LEAST, MOST = 0.005, 50.0  # metres that a shape may have


class Stage(Frozen):
    """A stock shape of some size. metres : of its largest extent."""

    shape: str = "sphere"
    metres: float = USUAL

    @property
    def label(self) -> str:
        """In words, as "Ball, 20 cm"."""
        return f"{LABELS.get(self.shape, self.shape)}, {length_text(self.metres)}"

    def bench(self, bench: Bench, material: str) -> Bench:
        """The bench with the shape alone on it; its lights stand as far from it as they do from smaller things.

        Raises CollageError for a size that no shape can have.
        """
        if not LEAST <= self.metres <= MOST:
            text = f"A shape is between {length_text(LEAST)} and {length_text(MOST)} large."
            raise CollageError(text, remedy="Choose another size.")
        item = stock(LABELS.get(self.shape, self.shape), self.shape, sizes=sized(self.shape, self.metres),
                     material=material, turn=160 if self.shape == "sphere" else 0)  # fmt: skip
        lights = tuple(_moved(one, self.metres / USUAL) if isinstance(one, AreaLight) else one for one in bench.lights)
        return bench.model_copy(update={"objects": (item,), "lights": lights})

    def camera(self) -> Camera:
        """Looks at the whole shape."""
        low, high = _extent(self.shape)
        factor = self.metres / float((high - low).max())
        flat = self.shape == "plane"
        return Camera(turn=0 if flat else 24, height=52 if flat else 14).framing(low * factor, high * factor)


def sized(name: str, metres: float) -> dict[str, float]:
    """The sizes of a stock shape with which its largest extent is so many metres."""
    low, high = _extent(name)
    factor = metres / float((high - low).max())
    usual = inspect.signature(SHAPES[name]).parameters.values()
    return {one.name: one.default * factor for one in usual if isinstance(one.default, float)}


def length_text(metres: float) -> str:
    """A length as people say it: "8 mm", "20 cm", "1.5 m"."""
    for unit, factor in (("m", 1.0), ("cm", 100.0)):
        if metres * factor >= 1 - 1e-9:
            return f"{metres * factor:.3g} {unit}"
    return f"{metres * 1000:.3g} mm"


@lru_cache(maxsize=16)
def _extent(name: str) -> tuple[np.ndarray, np.ndarray]:
    positions = shape(name).positions
    return positions.min(axis=0), positions.max(axis=0)


def _moved(light: AreaLight, factor: float) -> AreaLight:
    """A light as many times further away, and as many times larger: as bright as before."""
    x, y, z = light.target
    return light.model_copy(update={
        "distance": light.distance * factor, "width": light.width * factor, "length": light.length * factor,
        "target": (x * factor, y * factor, z * factor),
    })  # fmt: skip
