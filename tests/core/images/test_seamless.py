"""Photographs that tile: scores against pictures whose seams are known, cuts against all possible ones."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.images import seamless as seamless_module
from collage.core.images.blur import blurred
from collage.core.images.joining import best_overlap, cheapest_cut, joined
from collage.core.images.region import Region, inner_size, taken
from collage.core.images.seamless import (
    Seamless,
    evened,
    made_seamless,
    mixed,
    repeated,
    scores,
)
from collage.demo.fields import fractal_field, stretched
from collage.demo.photographs import KINDS, photograph


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", [5, 6])
def test_the_seam_of_a_photograph_goes(kind: str, seed: int) -> None:
    picture = photograph(kind, 384, seed).pixels
    before, after = scores(picture), scores(made_seamless(picture, Seamless()))
    assert before.seam > 1
    assert after.seam <= before.seam / 10
    assert after.repetition < before.repetition + 0.02


def test_what_tiles_has_no_seam_and_a_step_has_one() -> None:
    field = stretched(fractal_field(128, 4))[:, :, None].astype(np.float32)
    assert scores(field).seam < 0.3
    ramp = np.tile(np.linspace(0, 1, 128, dtype=np.float32)[None, :, None], (128, 1, 1))
    assert scores(ramp).seam == pytest.approx(127 - 1, rel=0.01)  # one step of 1 among steps of 1/127


def test_broad_waves_are_what_repeats() -> None:
    x = np.linspace(0, 2 * np.pi, 128, endpoint=False)
    broad, fine = np.sin(2 * x), np.sin(20 * x)
    both = np.tile((0.5 + 0.1 * broad + 0.1 * fine)[None, :, None], (128, 1, 1)).astype(np.float32)
    assert scores(both).repetition == pytest.approx(0.5, abs=1e-3)


@pytest.mark.parametrize("loop", [False, True])
def test_the_cut_is_the_cheapest_of_all(loop: bool) -> None:
    cost = np.random.default_rng(2).random((5, 4))

    def allowed(path: tuple[int, ...]) -> bool:
        steps = [abs(a - b) for a, b in itertools.pairwise(path)]
        return max(steps) <= 1 and (not loop or path[0] == path[-1])

    best = min(sum(cost[row, column] for row, column in enumerate(path))
               for path in itertools.product(range(4), repeat=5) if allowed(path))  # fmt: skip
    path = finished(cheapest_cut(cost, loop=loop))
    assert np.abs(np.diff(path)).max() <= 1
    found = float(cost[np.arange(5), path].sum())
    if loop:
        assert path[0] == path[-1]
        assert found <= best * 1.25  # the column that it begins in is the one of a long row of copies
    else:
        assert found == pytest.approx(best)


def test_evening_takes_broad_light_and_leaves_detail() -> None:
    y, x = np.meshgrid(np.linspace(0, 1, 200), np.linspace(0, 1, 200), indexing="ij")
    detail = 1 + 0.2 * np.sin(2 * np.pi * 25 * x)
    lit = (detail * (0.3 + 0.4 * y))[:, :, None].astype(np.float32)
    even = finished(evened(lit, 1.0))[:, :, 0]
    rows = even.mean(axis=1)
    assert rows[30:-30].std() / rows.mean() < 0.02
    assert np.corrcoef(even[100], detail[100])[0, 1] > 0.99


def test_regular_threads_meet_their_likes() -> None:
    x = np.arange(230)
    threads = np.tile((0.5 + 0.4 * np.sin(2 * np.pi * x / 23.0))[None, :, None], (230, 1, 1)).astype(np.float32)
    made = made_seamless(threads[:, 3:227], Seamless(even=0))
    assert made.shape[1] % 23 in (0, 1, 22)
    assert np.abs(made[:, 0] - made[:, -1]).max() < 0.12  # a step of the wave is 0.109 at most


def test_mixed_patches_keep_the_distribution() -> None:
    picture = photograph("gravel", 256, stains=0, uneven=0).pixels.astype(np.float32) / 255
    made = mixed(picture, 5, 1)
    levels = np.linspace(0.05, 0.95, 7)
    assert np.allclose(np.quantile(made, levels), np.quantile(picture, levels), atol=0.04)
    assert scores(made).seam < 0.5
    assert np.array_equal(made, mixed(picture, 5, 1))
    assert not np.array_equal(made, mixed(picture, 5, 2))


def test_regions() -> None:
    pixels = np.arange(16 * 20 * 3, dtype=np.uint16).reshape(16, 20, 3) * 60
    part = taken(pixels, Region(left=0.5, top=0.25))
    assert np.allclose(part, pixels[4:, 10:] / 65535)
    assert np.allclose(taken(pixels, Region(turns=1)), np.rot90(pixels) / 65535)
    assert np.allclose(taken(pixels, Region(channel="g"))[:, :, 0], pixels[:, :, 1] / 65535)
    assert taken(pixels, Region(size=40)).shape == (32, 40, 3)
    with pytest.raises(CollageError, match="too small"):
        taken(pixels, Region(left=0.9))
    with pytest.raises(CollageError, match="no channel"):
        taken(pixels, Region(channel="a"))


def test_straightening_turns_a_leaning_line_upright() -> None:
    y, x = np.meshgrid(np.arange(200.0), np.arange(200.0), indexing="ij")
    lean = np.tan(np.radians(10))
    line = np.exp(-(((x - 100) - (y - 100) * lean) ** 2) / 8).astype(np.float32)[:, :, None]
    for angle, straight in ((10.0, False), (-10.0, True)):
        made = taken(line, Region(angle=angle))[:, :, 0]
        top, bottom = made[: len(made) // 4].sum(0).argmax(), made[-len(made) // 4 :].sum(0).argmax()
        assert (abs(int(top) - int(bottom)) <= 2) == straight
    assert inner_size(200, 100, 0) == (200, 100)
    wide, high = inner_size(100, 100, 45)
    assert wide == high == int(100 / np.sqrt(2))


@pytest.mark.parametrize("sigma", [2, 30])
@pytest.mark.parametrize("tiles", [True, False, (True, False)])
def test_some_rows_of_a_blur_are_those_of_all(sigma: float, tiles) -> None:
    field = np.random.default_rng(1).random((301, 270)).astype(np.float32)
    whole = blurred(field, sigma, tiles=tiles)
    for every in (1, 2, 5):
        np.testing.assert_array_equal(blurred(field, sigma, tiles=tiles, every=every), whole[::every])


def test_wide_blurs_on_a_small_picture_are_those_of_the_large_one() -> None:
    from scipy.ndimage import gaussian_filter

    field = stretched(fractal_field(300, 3, slope=1.8))[:, :250].astype(np.float32)
    for sigma in (4, 14, 40):
        for tiles, mode in ((True, "wrap"), (False, "reflect")):
            exact = gaussian_filter(field, sigma, mode=mode)
            assert np.abs(blurred(field, sigma, tiles=tiles) - exact).max() < 0.06 * field.std()


def test_repeats() -> None:
    tile = np.random.default_rng(0).random((4, 5, 3), np.float32)
    assert np.array_equal(repeated(tile, 3)[4:8, 10:15], tile)


@pytest.mark.parametrize("best", [40, 41, 47, 55, 72])
def test_the_overlap_is_where_both_borders_agree(best: int) -> None:
    """A picture whose last columns are its first ones again, `best` of them, among those that are asked for."""
    width = 200
    noise = np.random.default_rng(best).random((60, width, 1)).astype(np.float32)
    noise[:, width - best :] = noise[:, :best]
    assert finished(best_overlap(noise, 0.28)) == best  # 56 columns asked for: 39 to 73 are looked at


def test_a_join_begins_and_ends_as_what_goes_on_there() -> None:
    values = np.random.default_rng(4).random((64, 128, 3)).astype(np.float32)
    over = finished(best_overlap(values, 0.25))
    out = finished(joined(values, 0.25, loop=False))
    assert out.shape == (64, 128 - over, 3)
    assert np.array_equal(out[:, 0], values[:, 128 - over]), "the first column follows the last one of what is kept"
    assert np.allclose(out[:, over - 1], values[:, over - 1]), "and the last one of the strip leads on"
    assert np.array_equal(out[:, over:], values[:, over : 128 - over])


def test_a_join_of_two_greys_rises_evenly_between_them() -> None:
    """Two flat halves that differ: the join must go from one to the other without a step."""
    values = np.full((64, 200, 1), 0.3, np.float32)
    values[:, 100:] = 0.6
    out = finished(joined(values, 0.25, loop=False))[:, :, 0]
    over = 200 - out.shape[1]
    strip = out[:, :over].astype(float)
    assert np.abs(np.diff(strip, axis=1)).max() < 0.06
    assert strip[:, 0] == pytest.approx(0.6, abs=1e-6)
    assert strip[:, -1] == pytest.approx(0.3, abs=1e-6)
    middle = strip[:, over // 2 - 2 : over // 2 + 2].mean()
    assert middle == pytest.approx(0.45, abs=0.03)


def test_the_broad_share_is_that_of_the_variance() -> None:
    """Two waves of one height, a broad one down and a fine one across, have half of the variance each."""
    line = np.arange(64) / 64 * 2 * np.pi
    field = np.sin(2 * line)[:, None] + np.sin(9 * line)[None, :]
    assert seamless_module._broad_share(field) == pytest.approx(0.5)
    assert seamless_module._broad_share(3 * np.sin(9 * line)[:, None] + np.sin(2 * line)[None, :]) == pytest.approx(0.1)
