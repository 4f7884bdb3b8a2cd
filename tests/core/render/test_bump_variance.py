"""Bump of fine waves from afar is as bright as a picture fine enough to show every wave, drafted and traced."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.geometry.points import sheet
from collage.core.render import surface
from collage.core.render.bump_variance import FINER, MOST, HiddenSlopes
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.surface import plan_surface
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench, Camera, DistantLight, Environment, stock

WIDTH, FINE = 96, 16  # of the picture; pixels of the fine picture in one of it
WAVES = 12  # directions
SPEED = 300.0  # radians a UV unit


def bumpy(steepness: float, roughness: float, waves: float = SPEED) -> Network:
    """A metal with the sum of WAVES sines as its height, whose slopes have a root mean square of `steepness`."""
    rng = np.random.default_rng(4)
    tall = steepness * np.sqrt(2 / WAVES) / waves * 16  # the standard's bump divides slopes by 16
    cards, sums = [], "first"
    cards.append('<constant name="first" type="float"><input name="value" type="float" value="0"/></constant>')
    for number, angle in enumerate(rng.uniform(0, np.pi, WAVES)):
        across, up = waves * np.cos(angle), waves * np.sin(angle)
        cards.append(
            f"""<multiply name="m{number}" type="vector2"><input name="in1" type="vector2" nodename="t"/>
            <input name="in2" type="vector2" value="{across}, {up}"/></multiply>
            <separate2 name="s{number}" type="multioutput"><input name="in" type="vector2" nodename="m{number}"/>
            </separate2><add name="a{number}" type="float">
            <input name="in1" type="float" nodename="s{number}" output="outx"/>
            <input name="in2" type="float" nodename="s{number}" output="outy"/></add>
            <add name="p{number}" type="float"><input name="in1" type="float" nodename="a{number}"/>
            <input name="in2" type="float" value="{rng.uniform(0, 6)}"/></add>
            <sin name="w{number}" type="float"><input name="in" type="float" nodename="p{number}"/></sin>
            <add name="h{number}" type="float"><input name="in1" type="float" nodename="{sums}"/>
            <input name="in2" type="float" nodename="w{number}"/></add>"""
        )
        sums = f"h{number}"
    return parse_document(
        f"""<materialx version="1.39"><texcoord name="t" type="vector2"/>{"".join(cards)}
        <bump name="b" type="vector3"><input name="height" type="float" nodename="{sums}"/>
            <input name="scale" type="float" value="{tall}"/></bump>
        <open_pbr_surface name="surface" type="surfaceshader">
            <input name="base_color" type="color3" value="0.8,0.8,0.8"/>
            <input name="base_metalness" type="float" value="1"/>
            <input name="specular_roughness" type="float" value="{roughness}"/>
            <input name="geometry_normal" type="vector3" nodename="b"/></open_pbr_surface>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
        </surfacematerial></materialx>""".encode()
    )


def request(network: Network, width: int) -> PictureRequest:
    bench = Bench(
        objects=(stock("ball", "sphere", material="m"),), ground=False, environment=Environment(on=False),
        lights=tuple(DistantLight(turn=45 * number, height=15 + 5 * number, size=0.3) for number in range(8)),
        camera=Camera(height=20, turn=30, distance=0.9),
    )  # fmt: skip
    return PictureRequest(bench, {"m": network}, width, width * 3 // 4)


@pytest.mark.parametrize(("roughness", "steepness", "waves"), [(0.3, 0.15, 600), (0.4, 0.1, 1000)])
def test_far_away_it_is_as_bright_as_in_many_pixels(
    library, monkeypatch, roughness: float, steepness: float, waves: float
) -> None:
    network = bumpy(steepness, roughness, waves)
    far, near = (Renderer(library).picture(request(network, WIDTH * times)) for times in (1, FINE))
    height = WIDTH * 3 // 4
    inside = (near.objects == 0).reshape(height, FINE, WIDTH, FINE).all(axis=(1, 3))
    assert inside.sum() > 500
    seen = near.linear.reshape(height, FINE, WIDTH, FINE, 3).mean(axis=(1, 3))[inside]
    found = far.linear[inside]
    assert found.mean() == pytest.approx(seen.mean(), rel=0.03)
    traced = replace(request(network, WIDTH), quality="traced", tracing=Tracing(samples=64, bounces=1))
    followed = Renderer(library).picture(traced).linear[inside]
    assert followed.mean() == pytest.approx(seen.mean(), rel=0.03)
    monkeypatch.setattr(surface, "widened", lambda roughness, variance: roughness)
    without = Renderer(library).picture(request(network, WIDTH)).linear[inside]
    assert np.abs(found - seen).mean() < 0.65 * np.abs(without - seen).mean(), "the highlight sparkles"


def hidden(network: Network, side: int, library) -> np.ndarray:
    points, pixel = sheet(side, side, filtered=True), np.arange(side * side)
    bumps = plan_surface(library, network).bumps
    assert bumps is not None
    (field,) = HiddenSlopes(bumps, points, pixel, pixel, (side, side)).at(pixel).values()
    return field


def test_what_is_hidden_is_the_variance_of_slopes(library) -> None:
    """Of a sine k x, the slope over a step s has sinc(k s / 2) squared of the variance; hidden is the difference."""
    side, steepness, waves = 64, 0.2, 600
    angles = np.random.default_rng(4).uniform(0, np.pi, WAVES)
    along = np.abs(np.concatenate([np.cos(angles), np.sin(angles)]))  # the share of each along u, and along v

    def told(step: float) -> float:
        return float((along**2 * np.sinc(waves * along * step / 2 / np.pi) ** 2).sum() / WAVES)

    hidden_share = told(1 / side / FINER) - told(1 / side)
    assert hidden_share > 0.8
    found = hidden(bumpy(steepness, 0.3, waves), side, library)
    assert found.mean() == pytest.approx(steepness**2 / 2 * hidden_share, rel=0.05)
    assert found.std() < 0.3 * found.mean(), "it is even, as the waves are"


def test_what_is_seen_in_full_hides_nothing(library) -> None:
    steeper = 0.2 * 20 / 256  # over a pixel, in the mean
    assert hidden(bumpy(0.2, 0.3, 20), 256, library).mean() < 1.5 * steeper**2 / 12
    assert hidden(bumpy(0.0, 0.3), 32, library).max() == 0
    assert hidden(bumpy(50.0, 0.3, 900), 32, library).max() <= MOST


def test_a_region_is_that_part_of_the_whole(library) -> None:
    asked = request(bumpy(0.2, 0.3, 600), 96)
    whole = Renderer(library).picture(asked).linear
    part = Renderer(library).picture(replace(asked, region=(30, 21, 37, 29))).linear
    assert np.array_equal(part, whole[21:50, 30:67])


def test_a_changed_light_looks_at_no_slopes(library, monkeypatch) -> None:
    asked, renderer, looked = request(bumpy(0.2, 0.3, 600), 96), Renderer(library), []
    made = HiddenSlopes.__init__
    monkeypatch.setattr(HiddenSlopes, "__init__", lambda self, *rest: looked.append(1) or made(self, *rest))
    renderer.picture(asked)
    assert len(looked) == 1
    light = asked.bench.lights[0].model_copy(update={"strength": 2.0})
    renderer.picture(replace(asked, bench=asked.bench.model_copy(update={"lights": (light, *asked.bench.lights[1:])})))
    assert len(looked) == 1
    renderer.picture(replace(asked, materials={"m": bumpy(0.1, 0.3, 600)}))
    assert len(looked) == 2


def test_normals_of_one_map_are_told_from_their_length(library) -> None:
    """They need no further looks."""
    network = parse_document(
        b"""<materialx version="1.39">
        <image name="i" type="vector3"><input name="file" type="filename" value="none.png"/></image>
        <normalmap name="n" type="vector3"><input name="in" type="vector3" nodename="i"/></normalmap>
        <open_pbr_surface name="s" type="surfaceshader">
            <input name="geometry_normal" type="vector3" nodename="n"/></open_pbr_surface>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/>
        </surfacematerial></materialx>"""
    )
    assert plan_surface(library, network).bumps is None
