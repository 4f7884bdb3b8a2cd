"""Derived maps: heights against the truth of generated photographs, the rest against closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.base.progress import finished
from collage.core.images.derive import (
    HeightFrom,
    RoughnessFrom,
    bands,
    falloff,
    height_from,
    joints_are_bright,
    normal_from,
    occlusion_from,
    plain_height,
    roughness_from,
)
from collage.demo.photographs import KINDS, photograph
from collage.demo.regular import regular_photograph


def agreement(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.corrcoef(one.ravel(), other.ravel())[0, 1])


@pytest.mark.parametrize("kind", KINDS)
def test_height_from_a_stained_photograph(kind: str) -> None:
    derived, plain = [], []
    for seed in (5, 6, 7):
        picture = photograph(kind, 384, seed)
        derived.append(agreement(finished(height_from(picture.pixels, HeightFrom(tiles=False))), picture.height))
        plain.append(agreement(plain_height(picture.pixels), picture.height))
    assert np.mean(derived) >= 0.8, derived
    assert all(better > worse + 0.1 for better, worse in zip(derived, plain, strict=True)), (derived, plain)


def test_a_stain_is_not_a_pit() -> None:
    y, x = np.meshgrid(np.linspace(-1, 1, 200), np.linspace(-1, 1, 200), indexing="ij")
    relief = 0.5 + 0.12 * np.sin(30 * x) * np.sin(30 * y)
    stain = np.exp(-(x * x + y * y) * 9)
    pixels = np.stack([relief * (1 - 0.4 * stain), relief * (1 - 0.6 * stain), relief * (1 - 0.8 * stain)], axis=2)
    pixels = (pixels * 255).astype(np.uint8)
    kept = finished(height_from(pixels, HeightFrom(stains=0, tiles=False)))
    left_out = finished(height_from(pixels, HeightFrom(stains=1, tiles=False)))
    assert agreement(left_out, relief) > 0.9 > agreement(kept, relief)
    middle = slice(80, 120)
    assert abs(left_out[middle, middle].mean() - left_out.mean()) < 0.25 * abs(
        kept[middle, middle].mean() - kept.mean()
    )


def test_bands_add_up_and_weigh_apart() -> None:
    x = np.arange(512) / 512
    broad, fine = np.sin(2 * np.pi * 2 * x), np.sin(2 * np.pi * 128 * x)
    field = np.tile((broad + fine)[None, :], (512, 1)).astype(np.float32)
    parts = finished(bands(field, tiles=True))
    assert np.allclose(sum(parts), field - field.mean(), atol=1e-5)
    assert agreement(parts[0], np.tile(broad, (512, 1))) > 0.99
    assert agreement(parts[2], np.tile(fine, (512, 1))) > 0.99


def test_the_lamp_is_no_relief() -> None:
    y, x = np.meshgrid(np.linspace(-1, 1, 90), np.linspace(-1, 1, 70), indexing="ij")
    lamp = (0.3 * x - 0.2 * y + 0.1 * x * x - 0.3 * x * y).astype(np.float32)
    assert np.allclose(falloff(lamp), lamp - lamp.mean(), atol=1e-4)


def test_inverse_turns_the_height() -> None:
    picture = photograph("gravel", 128).pixels
    one, other = finished(height_from(picture, HeightFrom())), finished(height_from(picture, HeightFrom(inverse=True)))
    assert np.allclose(one + other, 1, atol=1e-5)


@pytest.mark.parametrize("up", [False, True])
def test_normals_of_a_wave_have_its_slope(up: bool) -> None:
    size, metres, depth = 512, 0.5, 0.01
    y = (np.arange(size) + 0.5) / size
    wave = np.tile((0.5 + 0.5 * np.sin(2 * np.pi * 3 * y))[:, None], (1, size))  # rows run downwards
    normal = normal_from(wave, metres, depth, up=up) * 2 - 1
    slope_down = depth * 0.5 * 2 * np.pi * 3 * np.cos(2 * np.pi * 3 * y) / metres
    wanted = slope_down / np.sqrt(1 + slope_down**2)  # a surface that falls downwards faces down
    assert np.allclose(normal[:, 0, 1], wanted if up else -wanted, atol=2e-4)
    assert np.allclose(normal[:, :, 0], 0, atol=1e-6)
    assert np.allclose((normal**2).sum(axis=2), 1, atol=1e-5)


def test_occlusion_of_a_plain_and_of_a_groove() -> None:
    assert np.allclose(finished(occlusion_from(np.full((64, 64), 0.5), 1.0, 0.1)), 1)
    size = 256
    groove = np.ones((size, size), np.float32)
    groove[:, 118:138] = 0  # twenty pixels wide
    metres, depth = 1.0, 40 / 256  # as deep as twice its width
    seen = finished(occlusion_from(groove, metres, depth, reach=0.2, ways=64))
    assert seen[0, 10] == pytest.approx(1, abs=0.02)
    # across a long groove the sky opens 2·atan(half / depth); cosine-weighted that is sin of half the opening, here by
    # the mean over slices of 1 / (1 + tan²)
    angles = 2 * np.pi * np.arange(64) / 64
    steep = np.abs(np.cos(angles)) * 40 / 10
    assert seen[0, 128] == pytest.approx(np.mean(1 / (1 + steep**2)), abs=0.05)


def test_roughness_follows_what_it_is_told() -> None:
    grey = np.full((64, 64, 3), 128, np.uint8)
    assert np.allclose(finished(roughness_from(grey, RoughnessFrom(level=0.4))), 0.4, atol=1e-4)
    half = grey.copy()
    half[:, 32:] = 200
    bright = finished(roughness_from(half, RoughnessFrom(level=0.5, brightness=0.5, contrast=0)))
    assert bright[:, 48:].mean() > 0.6 > 0.4 > bright[:, :16].mean()
    busy = grey.copy()
    busy[:, ::2][:, 16:] = 160
    rough = finished(roughness_from(busy, RoughnessFrom(level=0.5, brightness=0, contrast=0.5)))
    assert rough[:, 48:].mean() > rough[:, 8:24].mean() + 0.2


@pytest.mark.parametrize("tiles", [True, False])
def test_broad_middle_and_fine_forms_add_up(tiles: bool) -> None:
    field = np.random.default_rng(3).random((48, 64)).astype(np.float32)
    parts = finished(bands(field, tiles=tiles))
    np.testing.assert_allclose(sum(parts), field - field.mean(), atol=2e-3 if not tiles else 1e-5)
    assert all(abs(float(part.mean())) < 2e-2 for part in parts)


@pytest.mark.parametrize("kind", ["bricks", "planks"])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_bright_joints_are_noticed(kind: str, seed: int) -> None:
    for joint, bright in ((2.0, True), (1.5, True), (0.35, False)):
        wall = regular_photograph(kind, (300, 400), seed, period=100, joint=joint)
        assert joints_are_bright(wall.pixels) == bright
        assert not joints_are_bright(255 - wall.pixels) or not bright


@pytest.mark.parametrize("kind", KINDS)
def test_no_bright_joints_where_gaps_are_dark(kind: str) -> None:
    for seed in (5, 6):
        assert not joints_are_bright(photograph(kind, 384, seed).pixels)
    assert not joints_are_bright(np.full((200, 200, 3), 90, np.uint8))
    assert not joints_are_bright(np.zeros((8, 8, 1), np.uint8))


def test_turned_gravel_has_bright_gaps() -> None:
    assert joints_are_bright(255 - photograph("gravel", 384, 5).pixels)
