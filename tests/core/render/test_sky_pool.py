"""Directions of the environment that all paths of a sample choose from, against sums over the picture's texels."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from numba import njit

from collage.core.kernels import path_rows as p
from collage.core.kernels import paths as k
from collage.core.kernels.sequence import pair, pairs
from collage.core.render.sky import sky_table


def pool_of(picture: np.ndarray, sample: int, seed: int = 3, strength: float = 1.0) -> np.ndarray:
    sky, settings = sky_table(picture), np.zeros(p.SETTINGS, np.float32)
    settings[[p.COSINE, p.STRENGTH]] = 1, strength
    pool = np.empty((p.SKY_CELLS**2, 8), np.float32)
    k.fill_pool(sample, seed, sky.texels, sky.rows, sky.columns, sky.sines, settings, pool)
    return pool


def texels(height: int, width: int) -> tuple[np.ndarray, np.ndarray]:
    """The solid angle of each texel (h, w), and how high it is (h, w), the sine."""
    sines = np.sin((0.5 - np.arange(height + 1) / height) * np.pi)
    angle = np.repeat(-np.diff(sines)[:, None] * 2 * np.pi / width, width, axis=1)
    return angle, np.repeat(((sines[1:] + sines[:-1]) / 2)[:, None], width, axis=1)


def test_all_directions_together_are_the_sphere() -> None:
    pool = pool_of(np.ones((8, 16, 3), np.float32), 0)
    np.testing.assert_allclose(np.linalg.norm(pool[:, :3], axis=1), 1, atol=1e-5)
    assert (1 / pool[:, 6]).mean() == pytest.approx(4 * np.pi, rel=1e-3)
    np.testing.assert_allclose(pool[:, :3].mean(axis=0), 0, atol=2e-3)


def test_light_over_its_likelihood_is_the_light_of_the_picture() -> None:
    """A smooth picture with a bright spot: all its light, and what falls on level ground."""
    rows, columns = np.meshgrid(np.arange(64), np.arange(128), indexing="ij")
    spot = 40 * np.exp(-((rows - 20) ** 2 + (columns - 90) ** 2) / 40)
    picture = np.stack([spot + 0.5, 0.3 * spot + 1, 0.1 * spot + 2], axis=-1).astype(np.float32)
    angle, height = texels(64, 128)
    every = (picture * angle[..., None]).sum(axis=(0, 1))
    falling = (picture * (angle * np.maximum(height, 0))[..., None]).sum(axis=(0, 1))
    light, ground = np.zeros(3), np.zeros(3)
    for sample in range(8):
        pool = pool_of(picture, sample, strength=2.0).astype(np.float64)
        sent = pool[:, 3:6] / pool[:, 6:7]
        light += sent.mean(axis=0) / 8
        ground += (sent * np.maximum(pool[:, 1:2], 0)).mean(axis=0) / 8
    np.testing.assert_allclose(light, 2 * every, rtol=0.003)
    np.testing.assert_allclose(ground, 2 * falling, rtol=0.005)


def test_samples_and_seeds_have_directions_of_their_own() -> None:
    picture = np.ones((8, 16, 3), np.float32)
    pools = [pool_of(picture, *of)[:, :3] for of in ((0, 3), (1, 3), (0, 4))]
    assert all((np.abs(one - other).max(axis=1) > 1e-4).mean() > 0.99 for one, other in pairwise(pools))
    np.testing.assert_array_equal(pools[0], pool_of(picture, 0, 3)[:, :3])


def test_numbers_drawn_together_are_those_drawn_one_by_one() -> None:
    @njit
    def together(pixels, samples, which, seed, out):  # type: ignore[no-untyped-def]
        pairs(pixels, samples, len(pixels) - 1, which, seed, 2, out)

    @njit
    def alone(pixel, sample, which, seed):  # type: ignore[no-untyped-def]
        return pair(pixel, sample, which, seed)

    pixels, out = np.array([0, 5, 7, 300_000, 12, 9], np.int32), np.full((6, 6), 7, np.float32)
    samples = np.array([11, 2, 11, 0, 3, 1], np.int32)
    together(pixels, samples, 4, 99, out)
    for at, (pixel, sample) in enumerate(zip(pixels[:-1], samples[:-1], strict=True)):
        assert tuple(out[2:4, at]) == alone(pixel, sample, 4, 99)
    out[2:4, :-1] = 7
    assert (out == 7).all(), "nothing else is written"


def test_several_pairs_of_a_sample_are_one_sequence() -> None:
    """Four looks for light of each of four samples lie as evenly as sixteen samples would: Sobol's (0, 2)-sequence."""

    @njit
    def parted(pixels, samples, part, parts, out):  # type: ignore[no-untyped-def]
        pairs(pixels, samples, len(pixels), 4, 99, 2 * part, out, part, parts)

    pixels = np.arange(400, dtype=np.int32)
    found = np.empty((4, 8, 400), np.float32)
    for sample in range(4):
        for part in range(4):
            parted(pixels, np.full(400, sample, np.int32), part, 4, found[sample])
    cells = (found.reshape(4, 4, 2, 400) * 4).astype(int)  # by sample, part and dimension
    number = (cells[:, :, 0] * 4 + cells[:, :, 1]).reshape(16, 400)
    assert (np.sort(number, axis=0) == np.arange(16)[:, None]).all(), "one in each cell of four by four"
