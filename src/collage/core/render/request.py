"""What is asked for, and what comes back: a picture is a pure function of its request."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardOutput, Place
from collage.core.render.judging import EXPOSURE
from collage.core.render.tracing import USUAL, Tracing
from collage.core.scene.bench import Bench
from collage.core.scene.scene import OBJECT, PART, PIECE, SLOT

if TYPE_CHECKING:
    from collage.core.render.layers import Layer

Quality = Literal["coarse", "draft", "final", "traced"]
"""coarse : for a moving hand, few shadow rays, plain edges. draft : at rest. final : several samples a pixel.
traced : with all light that bounces."""


Region = tuple[int, int, int, int]


def whole_region(region: Region | None, size: tuple[int, int]) -> Region:
    """A region, or all of a picture. Raises CollageError for one that does not lie in it."""
    if region is None:
        return (0, 0, *size)
    x, y, width, height = region
    if min(x, y) < 0 or min(width, height) < 1 or x + width > size[0] or y + height > size[1]:
        raise CollageError(
            f"The region {x},{y} of {width}×{height} does not lie in the picture.", remedy="Give one that is inside."
        )
    return region


def region_from(text: str, size: tuple[int, int]) -> Region | None:
    """A region as it is written: left,top,width,height; None for an empty text. Raises CollageError."""
    if not text.strip():
        return None
    try:
        x, y, wide, high = (int(part) for part in text.split(","))
    except ValueError:
        raise CollageError(f"“{text}” is no region.", remedy="Write it as left,top,width,height.") from None
    return whole_region((x, y, wide, high), size)


@dataclass(frozen=True)
class PictureRequest:
    """A frozen request for a picture.

    materials : by name, as the bench's objects name them. width, height : pixels.
    mode : "lit", "clay", "normals", "height", "exposure", "plausible" (see judging), or the name of a surface input to
        look at alone.
    peek : a card's output to look at on the object instead, of the material named first.
    tracing : how a traced picture is made.
    region : left, top, width and height of the part of it that is made for a file, pixels; None for all of it.
    folder : where the bench's file names start; material_folder : where those of the materials start.
    """

    bench: Bench
    materials: Mapping[str, Network]
    width: int
    height: int
    quality: Quality = "draft"
    mode: str = "lit"
    peek: tuple[str, CardOutput] | None = None
    tracing: Tracing = USUAL
    region: Region | None = None
    folder: Path = field(default_factory=Path)
    material_folder: Path = field(default_factory=Path)

    @property
    def lit(self) -> bool:
        """Whether light is shown, rather than plain values."""
        return self.peek is None and self.mode in ("lit", "clay", EXPOSURE)

    @property
    def traced(self) -> bool:
        """Whether paths of light are followed; what needs no light is shown as in a draft."""
        return self.quality == "traced" and self.lit

    @cached_property
    def geometry_key(self) -> tuple[str, ...]:
        """The bench's, as it was when it was first asked for: a picture shows one state of its files."""
        return self.bench.geometry_key

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.width, self.height


def uncovered(linear: np.ndarray, alpha: np.ndarray | None) -> np.ndarray:
    """(..., 3) float32: light of what covers pixels in part, as if it covered all of them. alpha : (...), how much it
    covers; None where that does not count."""
    return linear if alpha is None else np.asarray(linear / np.maximum(alpha, 1e-4)[..., None], np.float32)


@dataclass(frozen=True, eq=False)
class Picture:
    """A finished picture.

    display : (h, w, 3) uint8, as a screen shows it. linear : (h, w, 3) float32, before exposure and tone.
    triangle : (h, w) int32, the scene's triangle in the middle of each pixel, -1 where there is none; (0, 0) in a
        picture so large that it is for a file only.
    ids : of the scene's triangles, see Scene.
    problems : what was wrong, by material and card. seconds : how long it took. complete : whether all of its rays
    were traced; the first stage of a draft picture is not. remarks : what it does not show as it is.
    span : of a picture of heights, the lowest and the highest, metres. samples, noise : of a traced picture, paths a
    pixel, and the mean error of a pixel of its brightness.
    layers : of a traced picture for a file, see render.layers. alpha : (h, w) float32, how much of each pixel is
    covered, where nothing is to be behind; display is then of what covers it, see `straight`.
    """

    display: np.ndarray
    linear: np.ndarray
    triangle: np.ndarray
    ids: np.ndarray
    problems: Mapping[tuple[str, Place], CollageError]
    seconds: float
    complete: bool = True
    remarks: tuple[str, ...] = ()
    span: tuple[float, float] | None = None
    samples: int = 0
    noise: float = 0.0
    layers: Mapping[str, Layer] = field(default_factory=dict)
    alpha: np.ndarray | None = None

    def cropped(self, region: Region | None) -> Picture:
        """A part of it; nothing of it can be picked."""
        if region is None:
            return self
        x, y, width, height = region
        cut = np.s_[y : y + height, x : x + width]
        layers = {name: replace(one, values=one.values[cut]) for name, one in self.layers.items()}
        return replace(
            self, display=np.ascontiguousarray(self.display[cut]), linear=np.ascontiguousarray(self.linear[cut]),
            triangle=self.triangle[cut] if self.triangle.size else self.triangle, layers=layers,
            alpha=None if self.alpha is None else self.alpha[cut],
        )  # fmt: skip

    @property
    def straight(self) -> np.ndarray:
        """(h, w, 3) float32: linear light, of what covers a pixel in part as if it covered all of it."""
        return uncovered(self.linear, self.alpha)

    @property
    def on_black(self) -> np.ndarray:
        """(h, w, 3) uint8: as it is shown, over black where nothing is to be behind."""
        if self.alpha is None:
            return self.display
        return np.asarray(self.display * self.alpha[:, :, None] + 0.5, np.uint8)

    @cached_property
    def objects(self) -> np.ndarray:
        """(h, w) int32, number of the object in the middle of each pixel; -1 ground, -2 background."""
        return self.ids[OBJECT].take(self.triangle)

    @cached_property
    def parts(self) -> np.ndarray:
        """(h, w) int32, number of the mesh part in the middle of each pixel; -1 where there is none."""
        return self.ids[PART].take(self.triangle)

    @cached_property
    def pieces(self) -> np.ndarray:
        """(h, w) int32, number of the connected piece in the middle of each pixel; -1 where there is none."""
        return self.ids[PIECE].take(self.triangle)

    @cached_property
    def slots(self) -> np.ndarray:
        """(h, w) int32, number of the material slot in the middle of each pixel; -1 where there is none."""
        return self.ids[SLOT].take(self.triangle)
