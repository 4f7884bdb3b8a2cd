"""Labels: transparency against the exact result at every level of detail, where they lie, and what stays below."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.progress import finished
from collage.core.document.making import given
from collage.core.document.materials import new_material, surface_card
from collage.core.document.materialx import parse_document, write_document
from collage.core.document.model import Input, Network
from collage.core.evaluate.plan import CardInput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images import alpha
from collage.core.images.alpha import is_premultiplied, make_label_file, premultiplied
from collage.core.images.colour import linear_to_srgb, srgb_to_linear
from collage.core.images.files import read_pixels, write_image
from collage.core.images.store import ImageStore
from collage.core.nodes.effects import effects_of, without_effect
from collage.core.nodes.paper_label import frame_at, with_label
from collage.core.nodes.projectors import Frame

SIDE = 64


def disc(straight: bool) -> np.ndarray:
    """A red disc with a soft edge on nothing, in sRGB; transparent texels of a plain file are bright green."""
    y, x = (np.mgrid[:SIDE, :SIDE] + 0.5) / SIDE - 0.5
    alpha = np.clip((0.38 - np.hypot(x, y)) * 16 + 0.5, 0, 1)[:, :, None]
    red = np.broadcast_to([0.8, 0.1, 0.05], (SIDE, SIDE, 3))
    colour = np.where(alpha > 0, red, [0.0, 1.0, 0.0]) if straight else red * alpha
    return np.concatenate([colour, alpha], axis=2)


def exact(back: float) -> np.ndarray:
    """The disc over a ground, linear light, every texel by itself."""
    values = disc(True)
    return srgb_to_linear(values[:, :, :3]) * values[:, :, 3:] + back * (1 - values[:, :, 3:])


def labelled(library, file: Path, back: float, frame: Frame | None = None) -> Network:
    network = new_material()
    surface = surface_card(network).with_input(given("base_color", "color3", (back,) * 3))
    network = network.with_card(surface)
    frame = frame or Frame((0.5, 0.5, 0.0), (0.0, 0.0, 0.0), (1.0, 1.0, 1.0))
    return with_label(library, network, str(file), frame, "Disc", (0, 0), 1.0)[0]


def colour_of(library, network: Network, points, name: str = "base_color") -> np.ndarray:
    surface = surface_card(network)
    plan = build_plan(library, network, {"c": CardInput(surface.name, name)}, images=ImageStore(), strict=True)
    return np.broadcast_to(run(plan, points)["c"], (3, points.count)).T


@pytest.mark.parametrize("straight", [True, False])
@pytest.mark.parametrize("back", [0.0, 1.0])
@pytest.mark.parametrize("size", [64, 32, 16, 8])
def test_plain_and_premultiplied_files_have_no_fringe_at_any_level(library, tmp_path, straight, back, size) -> None:
    """Over black and white within 1/255 of the mean of the exact result over each pixel."""
    source, file = tmp_path / "disc.png", tmp_path / "label.exr"
    write_image(source, np.round(disc(straight) * 65535).astype(np.uint16))
    finished(make_label_file(source, file))
    points = replace(sheet(size, size, filtered=True), across=0)
    points = points.changed(object_position=points.position)
    found = colour_of(library, labelled(library, file, back), points).reshape(size, size, 3)
    step = SIDE // size
    wanted = exact(back).reshape(size, step, size, step, 3).mean(axis=(1, 3))
    if step == 1:
        assert np.abs(found - wanted).max() < 1 / 255
    # levels of detail are smoother than plain means; no channel may be where neither paper nor ground is
    low, high = (
        np.minimum(srgb_to_linear(np.array([0.8, 0.1, 0.05])), back),
        np.maximum(srgb_to_linear(np.array([0.8, 0.1, 0.05])), back),
    )
    assert (found >= low - 1 / 255).all()
    assert (found <= high + 1 / 255).all()
    assert np.abs(found - wanted).mean() < 3 / 255


def test_which_files_are_premultiplied_is_found_out() -> None:
    assert not is_premultiplied(disc(True).astype(np.float32))
    assert is_premultiplied(disc(False).astype(np.float32))
    assert not is_premultiplied(np.ones((4, 4, 4), np.float32))
    for straight in (True, False):
        made = premultiplied(disc(straight).astype(np.float32))
        assert np.abs(made[:, :, :3] - exact(0.0)).max() < 1e-3
    grey = premultiplied(np.full((2, 2, 1), linear_to_srgb(np.array(0.25)), np.float32))
    assert np.abs(grey - [0.25, 0.25, 0.25, 1]).max() < 1e-3


@pytest.mark.parametrize("facing", [(0, 0, 1), (1, 0, 0), (0.3, 0.2, -0.9), (0, 1, 0.001), (-0.5, -0.7, 0.2)])
def test_a_frame_looks_the_way_the_surface_does(facing) -> None:
    frame = frame_at((0.1, 0.2, 0.3), facing, 0.2, 0.1)
    assert np.allclose(frame.axes[2], np.array(facing) / np.linalg.norm(facing), atol=1e-4)
    assert abs(frame.axes[0][1]) < 1e-6, "upright"


@pytest.mark.parametrize(("side", "channels"), [(1, 4), (3, 1)])
def test_tiny_and_opaque_pictures_are_labels_too(library, tmp_path, side, channels) -> None:
    source, file = tmp_path / "tiny.png", tmp_path / "tiny.exr"
    write_image(source, np.full((side, side, channels), 200, np.uint8))
    finished(make_label_file(source, file))
    points = sheet(8, 8)
    points = points.changed(object_position=points.position)
    assert np.isfinite(colour_of(library, labelled(library, file, 0.5), points)).all()


def test_a_very_large_label_is_shrunk_without_a_fringe(library, tmp_path, monkeypatch) -> None:
    monkeypatch.setattr(alpha, "LARGEST", 20)
    source, file = tmp_path / "disc.png", tmp_path / "label.exr"
    write_image(source, np.round(disc(True) * 65535).astype(np.uint16))
    finished(make_label_file(source, file))
    made = read_pixels(file)
    assert made.shape == (16, 16, 4)
    wanted = exact(0.0).reshape(16, 4, 16, 4, 3).mean(axis=(1, 3))
    assert np.abs(made[:, :, :3] - wanted).max() < 1e-3


def test_a_label_keeps_softens_or_covers_the_relief_below_and_comes_off(library, tmp_path) -> None:
    file = tmp_path / "label.exr"
    write_image(tmp_path / "all.png", np.full((8, 8, 4), 255, np.uint8))
    finished(make_label_file(tmp_path / "all.png", file))
    before = new_material()
    tilt = given("geometry_normal", "vector3", (0.6, 0.0, 0.8))
    before = before.with_card(surface_card(before).with_input(tilt))
    frame = Frame((0.5, 0.5, 0.0), (0.0, 0.0, 0.0), (2.0, 2.0, 1.0))
    after, name = with_label(library, before, str(file), frame, "All", (0, 0), 1.0)
    read = parse_document(write_document(after).encode())
    assert read.cards[name].network.cards.keys() == after.cards[name].network.cards.keys()
    assert effects_of(after) == {name: "label"}
    points = sheet(4, 4)
    points = points.changed(object_position=points.position)
    bump = next(one for one in after.cards.values() if one.category == "bump")
    flat = after.with_card(bump.with_input(Input("scale", "float", 0.0)))
    for keep, wanted in ((1.0, (0.6, 0.0, 0.8)), (0.0, (0.0, 0.0, 1.0)), (0.5, (0.3, 0.0, 0.9))):
        kept = flat.with_card(flat.cards[name].with_input(Input("keep", "float", keep)))
        mixed = next(one for one in kept.cards.values() if one.attributes.get("clg_channel") == "geometry_normal"
                     and one.category == "mix")  # fmt: skip
        plan = build_plan(library, kept, {"n": CardInput(bump.name, "normal")}, images=ImageStore(), strict=True)
        assert mixed.name
        assert np.allclose(np.broadcast_to(run(plan, points)["n"], (3, 16)).T, wanted, atol=1e-4)
    assert without_effect(after, name) == before
