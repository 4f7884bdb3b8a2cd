"""Noise against a slow computation written straight from the published definition, with Python's integers."""

from __future__ import annotations

import math

import numpy as np
import pytest

from collage.core.geometry.points import sheet
from collage.core.kernels.cells import cell_noise, nearest, worley
from collage.core.kernels.noise import fractal

MASK = 0xFFFFFFFF


def rot(x: int, k: int) -> int:
    return ((x << k) | (x >> (32 - k))) & MASK


def final(a: int, b: int, c: int) -> int:
    """Bob Jenkins' lookup3 final mix."""
    for first, second, third, k in (
        (2, 1, 1, 14),
        (0, 2, 2, 11),
        (1, 0, 0, 25),
        (2, 1, 1, 16),
        (0, 2, 2, 4),
        (1, 0, 0, 14),
        (2, 1, 1, 24),
    ):
        words = [a, b, c]
        words[first] ^= words[second]
        words[first] = (words[first] - rot(words[third], k)) & MASK
        a, b, c = words
    return c


def mix(a: int, b: int, c: int) -> tuple[int, int, int]:
    for k in (4, 6, 8, 16, 19, 4):
        a = (a - c) & MASK
        a ^= rot(c, k)
        c = (c + b) & MASK
        a, b, c = b, c, a
    return a, b, c


def hash_of(*cell: int) -> int:
    seed = (0xDEADBEEF + (len(cell) << 2) + 13) & MASK
    words = [seed, seed, seed]
    for at, part in enumerate(cell[:3]):
        words[at] = (words[at] + part) & MASK
    if len(cell) > 3:
        words = list(mix(*words))
        words[0] = (words[0] + cell[3]) & MASK
    return final(*words)


def fade(t: float) -> float:
    return t**3 * (t * (t * 6 - 15) + 10)


def gradient(h: int, p: tuple[float, ...]) -> float:
    if len(p) == 2:
        u, v = (p[0], p[1]) if h & 7 < 4 else (p[1], p[0])
        v *= 2
    else:
        h &= 15
        u = p[0] if h < 8 else p[1]
        v = p[1] if h < 4 else (p[0] if h in (12, 14) else p[2])
    return (-u if h & 1 else u) + (-v if h & 2 else v)


def noise(place: tuple[float, ...], byte: int = 0) -> float:
    base = [math.floor(part) for part in place]
    inside = [part - whole for part, whole in zip(place, base, strict=True)]
    total = 0.0
    for corner in np.ndindex(*(2,) * len(place)):
        h = hash_of(*(whole + step for whole, step in zip(base, corner, strict=True))) >> (8 * byte)
        weight = math.prod(fade(f) if step else 1 - fade(f) for f, step in zip(inside, corner, strict=True))
        total += weight * gradient(h, tuple(f - step for f, step in zip(inside, corner, strict=True)))
    return total * (0.6616 if len(place) == 2 else 0.9820)


PLACES = np.random.default_rng(3).uniform(-40, 40, (3, 60)).astype(np.float32)


@pytest.mark.parametrize("size", [2, 3])
@pytest.mark.parametrize("channel", [0, 1, 2])
def test_gradient_noise_is_that_of_the_reference(size: int, channel: int) -> None:
    found = fractal(PLACES[:size], 1, 2.0, 0.5, vector=True)[channel]
    wanted = [noise(tuple(map(float, place)), channel) for place in PLACES[:size].T]
    np.testing.assert_allclose(found, wanted, atol=2e-5)
    assert np.std(wanted) > 0.1


@pytest.mark.parametrize("size", [2, 3])
def test_a_fractal_is_the_sum_of_its_octaves(size: int) -> None:
    found = fractal(PLACES[:size], 4, 2.5, 0.6)[0]
    wanted = [
        sum(0.6**octave * noise(tuple(part * 2.5**octave for part in map(float, place))) for octave in range(4))
        for place in PLACES[:size].T
    ]
    np.testing.assert_allclose(found, wanted, atol=2e-3)


@pytest.mark.parametrize("size", [2, 3, 4])
def test_cell_noise_is_the_hash_of_the_cell(size: int) -> None:
    places = np.random.default_rng(4).uniform(-20, 20, (size, 80)).astype(np.float32)
    wanted = [hash_of(*(math.floor(part) for part in place)) / MASK for place in places.T]
    np.testing.assert_allclose(cell_noise(*places), wanted, atol=1e-6)


@pytest.mark.parametrize("size", [2, 3])
@pytest.mark.parametrize("jitter", [0.0, 0.4, 1.0])
def test_worley_distances_are_those_of_the_neighbouring_cells(size: int, jitter: float) -> None:
    places = PLACES[:size, :25]
    found, offsets = worley(places, np.full((1, 1), jitter, np.float32))
    near = nearest(places, np.full((1, 1), jitter, np.float32))
    for at, place in enumerate(places.T.astype(float)):
        base = np.floor(place).astype(int)
        ways = []
        for step in np.ndindex(*(3,) * size):
            cell = base + np.array(step) - 1
            key = tuple(int(part) for part in cell)
            off = np.array([hash_of(*key, axis) / MASK for axis in range(size)])
            ways.append(cell + (off - 0.5) * jitter + 0.5 - place)
        wanted = sorted(float(np.linalg.norm(way)) for way in ways)[:3]
        np.testing.assert_allclose(found[:, at], wanted, atol=2e-4)
        assert float(np.linalg.norm(offsets[:, at])) == pytest.approx(wanted[0], abs=2e-4)
        assert near[0, at] == pytest.approx(wanted[0], abs=2e-4)


def test_colour_noise_takes_its_fourth_channel_further_away(calculate) -> None:
    body = '<multiply name="m" type="vector2"><input name="in1" type="vector2" nodename="t"/><input name="in2" type="float" value="9"/></multiply><texcoord name="t" type="vector2"/>'
    body += '<noise2d name="n" type="color4"><input name="texcoord" type="vector2" nodename="m"/></noise2d>'
    found = calculate.graph(body, "color4", sheet(4, 4))
    place = sheet(4, 4).uv_set()[:, 5] * 9
    np.testing.assert_allclose(found[3, 5], noise((float(place[0]) + 19, float(place[1]) + 73)), atol=2e-4)
    np.testing.assert_allclose(found[1, 5], noise(tuple(map(float, place)), 1), atol=2e-4)


def test_settings_that_differ_from_point_to_point_give_the_same_as_plain_ones(calculate) -> None:
    wired = '<constant name="l" type="float"><input name="value" type="float" value="2.2"/></constant><ramplr name="w" type="float"><input name="valuel" type="float" value="2.2"/><input name="valuer" type="float" value="2.2"/></ramplr>'
    card = '<fractal3d name="n" type="float"><input name="lacunarity" type="float" {}/></fractal3d>'
    varying = calculate.graph(wired + card.format('nodename="w"'), "float")
    plain = calculate.graph(card.format('value="2.2"'), "float")
    np.testing.assert_allclose(varying, plain, atol=1e-5)


def test_checks_begin_with_the_second_colour_at_the_origin(calculate) -> None:
    found = calculate.node(
        "checkerboard",
        "color3",
        {"color1": ("color3", "1,1,1"), "color2": ("color3", "0,0,0"), "uvtiling": ("vector2", "2, 2")},
        size=4,
    )
    grid = found[0].reshape(4, 4)
    np.testing.assert_array_equal(grid, [[1, 1, 0, 0], [1, 1, 0, 0], [0, 0, 1, 1], [0, 0, 1, 1]])


def test_ramps_run_with_u_and_v(calculate) -> None:
    across = calculate.node("ramplr", "float", {"valuel": ("float", "2"), "valuer": ("float", "4")}, size=4)[0].reshape(
        4, 4
    )
    np.testing.assert_allclose(across[0], 2 + 2 * (np.arange(4) + 0.5) / 4)
    up = calculate.node("ramptb", "float", {"valuet": ("float", "1"), "valueb": ("float", "0")}, size=4)[0].reshape(
        4, 4
    )
    np.testing.assert_allclose(up[:, 0], 1 - (np.arange(4) + 0.5) / 4)
    corners = {f"value{name}": ("float", str(value)) for name, value in (("tl", 1), ("tr", 2), ("bl", 3), ("br", 4))}
    four = calculate.node("ramp4", "float", corners, size=2)[0].reshape(2, 2)
    u = np.array([0.25, 0.75])
    np.testing.assert_allclose(
        four,
        [
            (1 * 0.75 + 3 * 0.25) * (1 - u) + (2 * 0.75 + 4 * 0.25) * u,
            (1 * 0.25 + 3 * 0.75) * (1 - u) + (2 * 0.25 + 4 * 0.75) * u,
        ],
        rtol=1e-5,
    )


def test_a_split_is_soft_over_seven_tenths_of_a_pixel(calculate) -> None:
    found = calculate.node(
        "splitlr", "float", {"valuel": ("float", "0"), "valuer": ("float", "1"), "center": ("float", "0.5")}, size=8
    )[0].reshape(8, 8)[0]
    soft = math.sqrt(0.5) / 8
    t = np.clip(((np.arange(8) + 0.5) / 8 - 0.5 + soft) / (2 * soft), 0, 1)
    np.testing.assert_allclose(found, t * t * (3 - 2 * t), atol=1e-5)
