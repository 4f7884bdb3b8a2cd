"""A small picture of a material alone: on a ball in a plain studio."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from collage.core.document.materials import new_material, surface_card
from collage.core.document.model import Input, Network, Value
from collage.core.evaluate.run import never
from collage.core.nodes.effects import Effect, with_effect
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


UNDER_EFFECTS: dict[str, Value] = {"base_color": (0.34, 0.15, 0.085), "specular_roughness": 0.35}
"""The plain clay that effects are shown on."""


def effect_swatch(
    renderer: Renderer, effect: Effect, size: tuple[int, int], cancelled: Callable[[], bool] = never
) -> np.ndarray:
    """An effect on a plain block and a pot on the ground, (h, w, 3) uint8. Raises Cancelled."""
    network = new_material()
    surface = surface_card(network)
    assert surface is not None
    for name, value in UNDER_EFFECTS.items():
        surface = surface.with_input(Input(name, "color3" if isinstance(value, tuple) else "float", value))
    network, _ = with_effect(renderer.library, network.with_card(surface), effect, (0.0, 2.0), 0.2)
    block = stock("Block", "rounded box", material="shown", turn=30, place=(0.075, 0, -0.03),
                  sizes={"width": 0.13, "height": 0.075, "depth": 0.13, "bevel": 0.004})  # fmt: skip
    pot = stock("Pot", "pot", material="shown", place=(-0.055, 0, 0.06), scale=0.62)
    slab = stock("Slab", "plane", material="shown", sizes={"width": 0.6, "depth": 0.6})
    camera = Camera(turn=8, height=30, distance=0.52, target=(0.005, 0.042, 0.0), field=26)
    light = AreaLight(turn=-50, height=45, distance=0.6, strength=5.0, width=0.45)
    bench = Bench(objects=(block, pot, slab), lights=(light,), camera=camera, ground=False)
    return renderer.picture(PictureRequest(bench, {"shown": network}, *size), cancelled=cancelled).display


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
