"""A normal map of fine waves from afar is as bright as a picture fine enough to show every wave."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.files import write_image
from collage.core.render import surface
from collage.core.render.normal_variance import SUFFIX
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.surface import plan_surface
from collage.core.scene.bench import Bench, Camera, DistantLight, Environment, stock

SIDE, FINE = 480, 24  # texels of a map of 40 waves a side; pixels of the fine picture in one of the other


def waves(path: Path, steepness: float, bits: int = 16) -> Path:
    """Many waves in all directions, about twelve texels long: slopes as chance has them, `steepness` in the mean."""
    rng, place = np.random.default_rng(6), np.arange(SIDE) / SIDE * 2 * np.pi
    slope = np.zeros((2, SIDE, SIDE))
    for angle in rng.uniform(0, np.pi, 40):
        across, up = np.rint(40 * np.cos(angle)), np.rint(40 * np.sin(angle))
        wave = np.sin(across * place[None] + up * place[:, None] + rng.uniform(0, 2 * np.pi))
        slope += wave * np.array([np.cos(angle), np.sin(angle)])[:, None, None]
    slope *= steepness / np.sqrt((slope**2).mean())
    normal = np.stack([-slope[0], -slope[1], np.ones((SIDE, SIDE))], axis=2)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    top = 2**bits - 1
    write_image(path, np.round((normal / 2 + 0.5) * top).astype(np.uint16 if bits == 16 else np.uint8))
    return path


def material(path: Path, roughness: float, strength: float = 1.0, layer: str = "specular") -> Network:
    coat = '<input name="coat_weight" type="float" value="1"/><input name="specular_weight" type="float" value="0"/>'
    metal = '<input name="base_metalness" type="float" value="1"/>'
    normal = "geometry_normal" if layer == "specular" else "geometry_coat_normal"
    return parse_document(
        f"""<materialx version="1.39">
        <image name="i" type="vector3"><input name="file" type="filename" value="{path}"/></image>
        <normalmap name="n" type="vector3"><input name="in" type="vector3" nodename="i"/>
            <input name="scale" type="float" value="{strength}"/></normalmap>
        <open_pbr_surface name="surface" type="surfaceshader">
            <input name="base_color" type="color3" value="{"0.8,0.8,0.8" if layer == "specular" else "0,0,0"}"/>
            {metal if layer == "specular" else coat}
            <input name="{layer}_roughness" type="float" value="{roughness}"/>
            <input name="{normal}" type="vector3" nodename="n"/></open_pbr_surface>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
        </surfacematerial></materialx>""".encode()
    )


def request(network: Network, width: int) -> PictureRequest:
    bench = Bench(
        objects=(stock("ball", "sphere", material="m"),), ground=False, environment=Environment(on=False),
        lights=(DistantLight(turn=-50, height=40, size=0.3),), camera=Camera(height=20, turn=30, distance=0.9),
    )  # fmt: skip
    return PictureRequest(bench, {"m": network}, width, width * 3 // 4)


@pytest.mark.parametrize(
    ("layer", "roughness", "steepness", "strength"),
    [("specular", 0.3, 0.15, 1.0), ("specular", 0.4, 0.1, 1.0), ("specular", 0.3, 0.075, 2.0), ("coat", 0.3, 0.1, 1.0)],
)
def test_far_away_it_is_as_bright_as_in_many_pixels(
    library, tmp_path: Path, monkeypatch, layer: str, roughness: float, steepness: float, strength: float
) -> None:
    network = material(waves(tmp_path / "waves.png", steepness), roughness, strength, layer)
    far, near = (Renderer(library).picture(request(network, 48 * times)) for times in (1, FINE))
    inside = (near.objects == 0).reshape(36, FINE, 48, FINE).all(axis=(1, 3))
    assert inside.sum() > 100
    seen = near.linear.reshape(36, FINE, 48, FINE, 3).mean(axis=(1, 3))[inside]
    found = far.linear[inside]
    assert found.mean() == pytest.approx(seen.mean(), rel=0.03)
    monkeypatch.setattr(surface, "widened", lambda roughness, variance: roughness)
    without = Renderer(library).picture(request(network, 48)).linear[inside]
    assert np.abs(found - seen).mean() < 0.6 * np.abs(without - seen).mean(), "the highlight sparkles"


@pytest.mark.parametrize(("bits", "most"), [(8, 5e-4), (16, 1e-5)])
def test_what_is_seen_in_full_keeps_its_roughness(library, tmp_path: Path, bits: int, most: float) -> None:
    """Rounding to 8 bits shortens normals too, by 0.002 in the mean, and must hardly count."""
    planned = plan_surface(library, material(waves(tmp_path / "waves.png", 0.3, bits), 0.1))
    found = run(planned.plan, sheet(SIDE, SIDE, filtered=True))[f"geometry_normal{SUFFIX}"]
    assert found.mean() < most


def test_an_even_normal_map_and_one_of_no_strength_lose_nothing(library, tmp_path: Path) -> None:
    write_image(tmp_path / "flat.png", np.full((64, 64, 3), (128, 128, 255), np.uint8))
    for path, strength in ((tmp_path / "flat.png", 3.0), (waves(tmp_path / "waves.png", 0.3), 0.0)):
        planned = plan_surface(library, material(path, 0.1, strength))
        found = run(planned.plan, sheet(16, 16, filtered=True))
        assert found.get(f"geometry_normal{SUFFIX}", np.zeros(1)).max() == 0


def test_numbered_tiles_and_missing_files_are_read_as_the_map_itself_is(library, tmp_path: Path) -> None:
    for number in (1001, 1002):
        waves(tmp_path / f"waves.{number}.png", 0.3, 8)
    for path in (tmp_path / "waves.<UDIM>.png", tmp_path / "none.png", tmp_path / "none.<UDIM>.png"):
        found = Renderer(library).picture(request(material(path, 0.3), 48))
        assert np.isfinite(found.linear).all()
        assert bool(found.problems) == ("none" in path.name)
