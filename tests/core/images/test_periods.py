"""Regular patterns: periods, whole tiles, and a score that sees where a pattern breaks."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

from collage.core.base.progress import finished
from collage.core.images.joining import cheapest_cut, joined
from collage.core.images.periods import pattern_of, whole_periods
from collage.core.images.region import Region, floats, luminance, taken
from collage.core.images.seamless import Seamless, made_seamless, regular, scores
from collage.core.images.vanishing import find_corners
from collage.demo.photographs import photograph
from collage.demo.regular import REGULAR, RegularPhotograph, regular_photograph

LENGTH = {"bricks": 72.0, "planks": 110.0, "weave": 60.0}


def wall(kind: str, seed: int, **more) -> RegularPhotograph:
    length = LENGTH[kind] * np.random.default_rng(seed).uniform(0.75, 1.25)
    return regular_photograph(kind, (300, 400), seed, period=length, **more)


@pytest.mark.parametrize("kind", REGULAR)
@pytest.mark.parametrize("seed", range(10))
def test_periods_are_found(kind: str, seed: int) -> None:
    flat = wall(kind, seed)
    found = pattern_of(flat.pixels)
    assert (found.across, found.down) == pytest.approx(flat.period, rel=0.005)


def test_periods_of_large_pictures_count_their_own_pixels() -> None:
    large = regular_photograph("bricks", (900, 1500), 2, period=210)
    found = pattern_of(large.pixels)
    assert (found.across, found.down) == pytest.approx(large.period, rel=0.01)


def test_no_period_where_nothing_is_regular() -> None:
    for kind in ("stones", "gravel", "bark"):
        found = pattern_of(photograph(kind, 300).pixels)
        assert (found.across, found.down, found.broken) == (0, 0, 0)
    assert pattern_of(np.full((200, 200, 3), 80, np.uint8)).across == 0
    assert pattern_of(np.zeros((20, 20, 1), np.uint8)).down == 0


def test_boards_that_end_anywhere_have_a_period_down_only() -> None:
    draw = np.random.default_rng(4)
    picture = np.full((300, 400), 0.6, np.float32)
    for row in range(12):
        for end in np.cumsum(draw.integers(50, 140, 8)):
            picture[row * 25 : row * 25 + 25, end - 50 : end - 47] = 0.2
    picture[np.arange(300) % 25 < 3] = 0.2
    found = pattern_of(picture[:, :, None])
    assert found.across == 0
    assert found.down == pytest.approx(25, rel=0.01)


def test_whole_periods() -> None:
    assert whole_periods(400, 0) == 0
    assert whole_periods(400, 390) == 0, "nothing is left to join it by"
    assert whole_periods(400, 150) == 300
    assert whole_periods(400, 70.2) == 281, "of many one is left, so that the strip has a joint in each row"
    assert whole_periods(1000, 300) == 600


@pytest.mark.parametrize("kind", REGULAR)
@pytest.mark.parametrize("seed", [1, 2])
def test_a_slanted_wall_becomes_a_tile_of_whole_periods(kind: str, seed: int) -> None:
    slanted = wall(kind, seed, slant=(14.0, -9.0), roll=2.0)
    region = Region(corners=find_corners(slanted.pixels))
    part = taken(slanted.pixels, region)
    how = regular(Seamless(region=region), part)
    length, height = how.period[0] * part.shape[1], how.period[1] * part.shape[0]
    made = made_seamless(slanted.pixels, how)
    assert made.shape[1] / length == pytest.approx(round(made.shape[1] / length), abs=0.02)
    assert made.shape[0] / height == pytest.approx(round(made.shape[0] / height), abs=0.02)
    assert scores(part).pattern > 0.5 or scores(part).seam > 0.5
    assert scores(made).pattern < 0.2
    assert scores(made).seam < 0.1


def test_bricks_are_of_one_piece_after_joining() -> None:
    """Every brick of the wall has a tone of its own; a brick in two tones was cut through."""
    flat = regular_photograph("bricks", (300, 430), 7, period=90, uneven=0)
    values = floats(flat.pixels)
    assert _two_toned(values[:, :270], flat) == 0, "the wall as it is"
    made = finished(joined(values, 0.2, loop=False, period=90))
    assert made.shape[1] == 270
    assert _two_toned(made, flat) == 0
    hard = np.concatenate([values[:, 90:130], values[:, 40:270]], axis=1)  # half a brick of another place put in
    assert _two_toned(hard, flat) >= 3


def _two_toned(values: np.ndarray, flat: RegularPhotograph) -> int:
    """How many halves of bricks differ from the other half of their own brick."""
    field = luminance(values)
    x, y = (np.arange(field.shape[1]) + 0.5, np.arange(field.shape[0]) + 0.5)
    shift = np.random.default_rng(7).random(2) * flat.period  # as the photograph was made
    high = flat.period[1] / 2
    row = np.floor((y + shift[1]) / high)
    along = (x + shift[0])[None, :] / flat.period[0] + 0.5 * (row % 2)[:, None]
    place, depth = along % 1, ((y + shift[1]) / high % 1)[:, None]
    inside = (depth > 0.25) & (depth < 0.75)
    count = 0
    for one in np.unique(row):
        for brick in np.unique(np.floor(along)):
            here = (row[:, None] == one) & (np.floor(along) == brick) & inside
            left, right = here & (place > 0.15) & (place < 0.4), here & (place > 0.6) & (place < 0.85)
            if min(left.sum(), right.sum()) > 0.7 * 0.25 * flat.period[0] * 0.5 * high:
                count += abs(field[left].mean() - field[right].mean()) > 0.04
    return count


@pytest.mark.parametrize("seed", range(4))
def test_a_cut_that_runs_along_rows_is_the_cheapest_of_all(seed: int) -> None:
    """Against the shortest path through all pixels, down and sideways, by Dijkstra's algorithm."""
    cost = np.random.default_rng(seed).random((9, 7)) ** 3
    path = finished(cheapest_cut(cost, loop=False, along=True))
    rows, columns = cost.shape
    starts, ends, lengths = [], [], []
    for row in range(rows):
        for column in range(columns):
            beside = [(row, column - 1), (row, column + 1), *((row + 1, column + one) for one in (-1, 0, 1))]
            for y, x in beside:
                if 0 <= y < rows and 0 <= x < columns:
                    starts.append(row * columns + column)
                    ends.append(y * columns + x)
                    lengths.append(cost[y, x])
    graph = csr_array((lengths, (starts, ends)), shape=(cost.size, cost.size))
    least = min(cost[0, column] + dijkstra(graph, indices=column)[-columns:].min() for column in range(columns))
    total = cost[0, path[0]]
    for row in range(1, rows):
        total += min(
            cost[row, min(enter, path[row]) : max(enter, path[row]) + 1].sum()
            for enter in range(max(path[row - 1] - 1, 0), min(path[row - 1] + 2, columns))
        )
    assert total == pytest.approx(least)


def _faded(values: np.ndarray, across: int, down: int, over: int) -> np.ndarray:
    """Cut to a size at which it does not tile, the borders faded over each other: no step is left."""
    fade = np.linspace(0, 1, over, dtype=np.float32)[None, :, None]
    for length in (across, down):
        made = values[:, :length].copy()
        made[:, :over] = values[:, length : length + over] * (1 - fade) + values[:, :over] * fade
        values = made.swapaxes(0, 1)
    return np.ascontiguousarray(values)


def _cuts(kind: str, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """The same picture, made to tile and cut wrongly on purpose."""
    if kind not in REGULAR:
        picture = photograph(kind, 256, 20 + seed).pixels
        return made_seamless(picture, Seamless()), picture
    flat, draw = wall(kind, seed), np.random.default_rng(100 + seed)
    counts = [
        int(one / length) - 1 + draw.uniform(0.25, 0.75) for one, length in zip((400, 300), flat.period, strict=True)
    ]
    wrong = [round(count * length) for count, length in zip(counts, flat.period, strict=True)]
    return made_seamless(flat.pixels, regular(Seamless(), flat.pixels)), _faded(floats(flat.pixels), *wrong, 20)


def test_what_is_cut_wrongly_is_told_from_what_tiles() -> None:
    told = total = 0
    for kind in ("stones", "gravel", *REGULAR):
        for seed in range(4):
            good, bad = (scores(one) for one in _cuts(kind, seed))
            told += max(good.pattern, min(good.seam, 1)) < 0.3 < max(bad.pattern, min(bad.seam, 1))
            total += 1
    assert total == 20
    assert told >= 19


def test_a_pattern_that_is_joined_anywhere_is_seen_though_no_step_is_left() -> None:
    flat = regular_photograph("bricks", (300, 300), 3, period=70, uneven=0)
    values = floats(flat.pixels)
    whole = round(5 * flat.period[1])
    found = scores(_faded(values, 245, whole, 20))  # three and a half bricks
    assert found.seam < 0.1
    assert found.pattern > 0.8
    assert scores(_faded(values, 210, whole, 20)).pattern < 0.1


def test_repetition_leaves_the_pattern_itself_out() -> None:
    x = np.linspace(0, 2 * np.pi, 256, endpoint=False)
    joints = (np.arange(256) % 64 < 6).astype(np.float32)
    lines = np.tile((0.6 - 0.3 * joints)[None, :, None], (256, 1, 1)).astype(np.float32)
    assert scores(lines).repetition < 0.01, "four joints a tile are wanted"
    stained = lines + (0.1 * np.sin(x) * np.sin(x)[:, None] + 0.1 * np.sin(2 * x)[:, None])[:, :, None].astype(
        np.float32
    )
    assert scores(stained).repetition > 0.2
