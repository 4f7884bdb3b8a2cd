"""Discs, balls, spots and lights that the eye sees, in draft and traced pictures, against closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.model import Network
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import AreaLight, Bench, Environment, stock
from collage.core.scene.cameras import Camera
from collage.core.scene.lights import Light

DARK = Environment(on=False)
PLATE = stock("Plate", "plane", sizes={"width": 0.4, "depth": 0.4}, material="m")
ABOVE = Camera(turn=0, height=60.0, distance=1.0, target=(0, 0, 0), field=0.6 + 1)
WIDTH, AWAY, STRENGTH = 0.3, 0.5, 4.0


@pytest.fixture
def renderer(library, workers) -> Renderer:
    return Renderer(library, workers=workers)


def matt(albedo: float) -> Network:
    network = new_material()
    for name, kind, value in (
        ("base_color", "color3", (albedo,) * 3), ("base_weight", "float", 1.0), ("specular_weight", "float", 0.0),
        ("base_diffuse_roughness", "float", 0.0),
    ):  # fmt: skip
        network = edits.set_value(network, "surface", name, kind, value)
    return network


def shown(renderer: Renderer, light: Light, quality: str, size: int = 8, samples: int = 256, **changes) -> np.ndarray:
    bench = Bench(objects=(PLATE,), camera=ABOVE, environment=DARK, lights=(light,), ground=False)
    request = PictureRequest(
        bench.model_copy(update=changes), {"m": matt(0.5)}, size, size, quality,  # type: ignore[arg-type]
        tracing=Tracing(samples=samples, brightest=1e30),
    )  # fmt: skip
    return renderer.picture(request).linear


def over(shape: str, **more) -> AreaLight:
    return AreaLight(
        shape=shape, height=90.0, turn=0, distance=AWAY, target=(0, 0, 0), width=WIDTH, strength=STRENGTH, **more
    )


@pytest.mark.parametrize(("quality", "within"), [("traced", 0.01), ("draft", 0.03)])
@pytest.mark.parametrize("shape", ["disc", "ball"])
def test_a_disc_and_a_ball_light_what_faces_them_as_their_formulas_say(renderer, shape, quality, within) -> None:
    """On its axis a disc gives pi L R2 / (R2 + d2), a ball pi L (R / d)2."""
    radius2 = (WIDTH / 2) ** 2
    irradiance = np.pi * STRENGTH * radius2 / (AWAY**2 + (radius2 if shape == "disc" else 0))
    found = shown(renderer, over(shape), quality).mean()
    assert found == pytest.approx(0.5 * irradiance / np.pi, rel=within)


@pytest.mark.parametrize("quality", ["traced", "draft"])
@pytest.mark.parametrize("shape", ["disc", "ball"])
def test_light_falls_off_with_the_slant(renderer, shape: str, quality: str) -> None:
    """Far from a small light: the cosine at the plate over the square of the distance, and for a disc its own too."""
    light = over(shape).model_copy(update={"width": 0.02, "height": 40.0, "distance": 0.9, "strength": 900.0})
    cosine, area = np.sin(np.radians(40.0)), np.pi * 0.01**2
    wanted = 0.5 / np.pi * 900.0 * area * cosine / 0.9**2  # the disc faces the plate's middle
    assert shown(renderer, light, quality).mean() == pytest.approx(wanted, rel=0.02)


@pytest.mark.parametrize("quality", ["traced", "draft"])
@pytest.mark.parametrize("shape", ["disc", "rectangle", "ball"])
def test_a_spot_is_full_in_its_cone_and_dark_out_of_it(renderer, shape: str, quality: str) -> None:
    small = {"width": 0.01, "length": 0.01, "strength": 2000.0}
    light = over(shape).model_copy(update=small)
    spot = light.model_copy(update={"cone": 30.0, "edge": 0.5})
    for aside, share in ((0.0, 1.0), (5.0, 1.0), (20.0, 0.0)):
        x = AWAY * np.tan(np.radians(aside))
        camera = ABOVE.model_copy(update={"target": (float(x), 0.0, 0.0), "field": 1.05})
        lit = shown(renderer, light, quality, camera=camera).mean()
        cut = shown(renderer, spot, quality, camera=camera).mean()
        assert cut == pytest.approx(lit * share, rel=0.02, abs=1e-4)
    between = AWAY * np.tan(np.radians(11.25))  # the middle of the fading part, 7.5 to 15 degrees, in angle
    low, high, here = (np.cos(np.radians(a)) for a in (15.0, 7.5, 11.25))
    t = (here - low) / (high - low)
    camera = ABOVE.model_copy(update={"target": (float(between), 0.0, 0.0), "field": 1.05})
    found = shown(renderer, spot, quality, camera=camera).mean() / shown(renderer, light, quality, camera=camera).mean()
    assert found == pytest.approx(t * t * (3 - 2 * t), abs=0.03)


@pytest.mark.parametrize("quality", ["traced", "final"])
@pytest.mark.parametrize("shape", ["rectangle", "disc", "ball"])
def test_a_light_that_the_eye_sees_is_as_bright_and_as_large_as_it_is(renderer, shape: str, quality: str) -> None:
    eye = Camera(turn=0, height=0.0, distance=2.0, target=(0, 0.5, 0), field=30)
    toward = AreaLight(
        shape=shape, height=0.0, turn=180.0, distance=0.2, target=(0, 0.5, 0.2), width=0.3, length=0.3, strength=3.0,
        visible=True,
    )  # fmt: skip
    seen = shown(renderer, toward, quality, 48, 16, camera=eye, objects=())
    plain = shown(renderer, toward.model_copy(update={"visible": False}), quality, 48, 16, camera=eye, objects=())
    assert np.ptp(plain) < 1e-6
    there = (seen[:, :, 0] - plain[:, :, 0]) / (3.0 - plain[0, 0, 0])
    assert there.max() == pytest.approx(1, abs=1e-3)
    assert seen[24, 24].tolist() == pytest.approx([3.0] * 3, rel=1e-3)
    pixel = 2 * np.tan(np.radians(15)) * 2.0 / 48
    area = {"rectangle": 0.09, "disc": np.pi * 0.0225, "ball": np.pi * 0.0225}[shape] / pixel**2
    assert there.sum() == pytest.approx(area, rel=0.04)
    behind = stock("Wall", "plane", sizes={"width": 2.0, "depth": 2.0}, tilt=90.0, place=(0, 0.5, 0.6), material="m")
    hidden = shown(renderer, toward, quality, 48, 16, camera=eye, objects=(behind,))
    assert hidden[24, 24, 0] < 2.9, "what is nearer hides it"
