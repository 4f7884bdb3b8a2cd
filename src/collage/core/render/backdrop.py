"""What is seen where no object is: a plain grey, the environment's picture sharp or blurred, or nothing."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from collage.core.images.pyramid import Pyramid, build
from collage.core.render.environment import EnvironmentLight
from collage.core.render.film import background
from collage.core.render.latlong import in_picture, to_place
from collage.core.render.request import PictureRequest
from collage.core.render.samples import Window

BLURRED_WIDTH, SPREAD = 256, 4.0  # texels of the blurred picture, and its blur, texels


class Backdrop:
    """What lies behind all objects of one picture. picture : of the environment, where that is shown; None for plain
    grey, or nothing."""

    def __init__(self, request: PictureRequest, picture: Pyramid | None) -> None:
        self.request, self._picture = request, picture

    @property
    def is_nothing(self) -> bool:
        """Whether the picture is to be transparent where nothing is."""
        return self.request.lit and self.request.bench.environment.behind == "none"

    def light(self, window: Window | None = None) -> np.ndarray:
        """Linear light behind the pixels of a part of the picture, or of all of it: (pixels, 3), or (1, 3) for all."""
        if self.is_nothing:
            return np.zeros((1, 3), np.float32)
        if self._picture is None:
            return np.full((1, 3), background(self.request), np.float32)
        width, height = self.request.size
        seen = window or Window(0, 0, width, height)
        x, y = np.meshgrid(seen.x + np.arange(seen.width) + 0.5, seen.y + np.arange(seen.height) + 0.5)
        bench = self.request.bench
        ways = bench.camera.ways(np.stack([x.ravel(), y.ravel()], axis=1), width, height)
        texel = self._picture.width / (2 * np.pi) / bench.camera.focal_length(width, height)  # of a pixel, texels
        detail = np.full(len(ways), np.log2(max(texel, 1)), np.float32)
        light = self._picture.read(to_place(in_picture(ways, bench.around.turn)), detail, ("periodic", "clamp")).T
        return np.asarray(light * np.float32(bench.around.strength), np.float32)

    def under(self, exposed: np.ndarray, window: Window | None = None) -> np.ndarray:
        """(pixels, 3) float32: the picture of what was exposed, (pixels, 4), see `film.on_film`."""
        return np.ascontiguousarray(exposed[:, :3] + exposed[:, 3:] * self.light(window))

    def alpha(self, exposed: np.ndarray) -> np.ndarray | None:
        """(pixels,) float32: how much of each pixel something covers; None where it does not count."""
        return np.clip(1 - exposed[:, 3], 0, 1) if self.is_nothing else None


def shown_behind(around: EnvironmentLight, behind: str) -> Pyramid:
    """The picture of an environment, "sharp" or "blurred", ready to be looked up."""
    return build(around.picture if behind == "sharp" else blurred(around.picture))


def blurred(picture: np.ndarray) -> np.ndarray:
    """A latitude-longitude picture (h, w, 3) without detail, (BLURRED_WIDTH / 2, BLURRED_WIDTH, 3) or smaller."""
    step = max(picture.shape[1] // BLURRED_WIDTH, 1)
    height, width = (side // step * step for side in picture.shape[:2])
    small = picture[:height, :width].reshape(height // step, step, width // step, step, 3).mean(axis=(1, 3))
    spread = SPREAD * small.shape[1] / BLURRED_WIDTH
    return np.asarray(gaussian_filter(small, (spread, spread, 0), mode=("nearest", "wrap", "nearest")), np.float32)
