"""A small picture of a material alone: on a ball in a plain studio."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from collage.core.document.model import Network
from collage.core.evaluate.run import never
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Bench, Camera, stock


def studio(material: str, shape: str = "sphere") -> Bench:
    """A stock shape in a plain studio, wearing a material; the seam of its UV looks away."""
    flat = shape == "plane"
    camera = (
        Camera(turn=0, height=52, distance=0.8, target=(0.0, 0.0, 0.0), field=28)
        if flat
        else Camera(turn=0, height=8, distance=0.5, target=(0.0, 0.1, 0.0), field=24)
    )
    light = AreaLight(turn=-50, height=28 if flat else 45, distance=0.6, strength=5.0, width=0.45)
    return Bench(
        objects=(stock(shape.capitalize(), shape, material=material, turn=0 if flat else 160),),
        lights=(light,),
        camera=camera,
        ground=False,
    )


def swatch(
    renderer: Renderer,
    material: Network,
    folder: Path,
    size: tuple[int, int],
    cancelled: Callable[[], bool] = never,
) -> np.ndarray:
    """The material on a ball, (h, w, 3) uint8.

    folder : where its file names start. size : (w, h) pixels. Raises Cancelled.
    """
    request = PictureRequest(studio("shown"), {"shown": material}, *size, material_folder=folder)
    return renderer.picture(request, cancelled=cancelled).display
