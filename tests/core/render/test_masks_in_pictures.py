"""Masks that look around, in pictures: few rays first and all at rest, kept while only values change, and displaced."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.ndimage import binary_erosion

from collage.core.document import edits
from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardOutput
from collage.core.nodes import proximity
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Bench, Camera, Division, stock

WAVE = """<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput">
        <input name="in" type="vector2" nodename="t"/></separate2>
    <multiply name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
        <input name="in2" type="float" value="37.7"/></multiply>
    <sin name="wave" type="float"><input name="in" type="float" nodename="a"/></sin>"""


def material(height: str = "", reach: float = 0.05) -> Network:
    """Base colour is a crevice mask. height : the card that displaces, if one does."""
    moved = f"""<displacement name="d" type="displacementshader">
        <input name="displacement" type="float" nodename="{height}"/><input name="scale" type="float" value="0.012"/>
        </displacement>"""
    shader = '<input name="displacementshader" type="displacementshader" nodename="d"/>'
    return parse_document(
        f"""<materialx version="1.39">{WAVE}
        <clg_crevice_mask name="m" type="float"><input name="reach" type="float" value="{reach}"/></clg_crevice_mask>
        <convert name="c" type="color3"><input name="in" type="float" nodename="m"/></convert>
        <open_pbr_surface name="surface" type="surfaceshader">
            <input name="base_color" type="color3" nodename="c"/></open_pbr_surface>{moved if height else ""}
        <surfacematerial name="mm" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
            {shader if height else ""}</surfacematerial></materialx>""".encode()
    )


def request(network: Network, shape: str = "plane", **more) -> PictureRequest:
    item = stock("It", shape, material="m", division=Division(level=4))
    camera = Camera(turn=20, height=50).framing(*item.mesh().bounds)
    bench = Bench(objects=(item,), lights=(AreaLight(),), camera=camera)
    return PictureRequest(bench, {"m": network}, 96, 72, **more)


@pytest.fixture
def renderer(library) -> Renderer:
    return Renderer(library)


@pytest.fixture
def sent(monkeypatch) -> list[int]:
    """How many rays masks have sent, call by call."""
    found: list[int] = []
    plain = proximity.Rays.lengths

    def counted(self, at, origins, ways, far):
        found.append(len(origins))
        return plain(self, at, origins, ways, far)

    monkeypatch.setattr(proximity.Rays, "lengths", counted)
    return found


def test_few_rays_come_first_and_all_at_rest(renderer, sent) -> None:
    stages = []
    for picture in renderer.stages(request(material(), "pot")):
        stages.append((picture, sum(sent)))
        sent.clear()
    (first, few), (last, many) = stages
    assert 0 < 2 * few < many
    assert np.abs(first.linear - last.linear).mean() < 0.05
    assert last.complete


def test_rays_are_kept_while_values_change_that_they_do_not_depend_on(renderer, sent) -> None:
    asked = request(material(), "pot")
    before = renderer.picture(asked)
    assert sent
    sent.clear()
    harder = edits.set_value(asked.materials["m"], "m", "contrast", "float", 6.0)
    after = renderer.picture(replace(asked, materials={"m": harder}))
    assert not sent
    assert np.abs(after.linear - before.linear).max() > 0.05
    further = edits.set_value(asked.materials["m"], "m", "reach", "float", 0.11)
    renderer.picture(replace(asked, materials={"m": further}))
    assert sent


def test_a_displaced_surface_has_its_own_crevices_where_it_is_low(renderer) -> None:
    flat = renderer.picture(request(material(), mode="base_color"))
    assert flat.linear[binary_erosion(flat.objects == 0)].max() == 0
    asked = request(material("wave"), mode="base_color")
    found = renderer.picture(asked)
    height = renderer.picture(replace(asked, mode="height")).linear[:, :, 0]
    own = found.objects == 0
    low, high = (np.quantile(height[own], share) for share in (0.2, 0.8))
    mask = found.linear[:, :, 0]
    assert mask[own & (height <= low)].mean() > 0.1
    assert mask[own & (height >= high)].mean() < 0.3 * mask[own & (height <= low)].mean()


def test_a_mask_that_moves_the_surface_it_looks_at_ends_all_the_same(renderer) -> None:
    """It sees the surface as it was, so there is no circle."""
    found = renderer.picture(request(material("m")))
    assert np.isfinite(found.linear).all()
    assert found.problems == {}


def test_peeking_at_a_mask_at_rest_sends_all_rays(renderer, sent) -> None:
    asked = replace(request(material(), "pot"), peek=("m", CardOutput("m")))
    few = many = 0
    for number, _ in enumerate(renderer.stages(asked)):
        few, many = (sum(sent), many) if number == 0 else (few, sum(sent))
        sent.clear()
    assert 0 < 2 * few < many
    picture = renderer.picture(asked)
    assert not sent
    assert picture.linear[picture.objects == 0].max() > 0.2
