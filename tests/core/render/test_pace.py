"""How large pictures are while a hand moves: as large as is in time, and steady."""

from __future__ import annotations

import pytest

from collage.core.render.pace import SCALES, SMALLEST, TARGET, Pace

FULL = (640, 480)


def used(pace: Pace, cost: float, pictures: int = 60) -> list[tuple[int, int]]:
    """The sizes of so many pictures that cost so many seconds a pixel."""
    sizes = []
    for _ in range(pictures):
        size = pace.size(*FULL)
        pace.took(size[0] * size[1], size[0] * size[1] * cost)
        sizes.append(size)
    return sizes


@pytest.mark.parametrize("cost", [1e-8, 1e-7, 5e-7, 1e-6, 2.5e-6])
def test_pictures_come_to_be_in_time_and_no_smaller_than_needed(cost: float) -> None:
    width, height = used(Pace(), cost)[-1]
    assert width * height * cost <= TARGET * 1.02
    scale = FULL[0] / width
    larger = [one for one in SCALES if one < scale - 0.01]
    if larger:
        assert (FULL[0] / larger[-1]) * (FULL[1] / larger[-1]) * cost > TARGET * 0.65, "a larger one was in time too"


def test_sizes_do_not_flicker_when_pictures_take_now_more_and_now_less() -> None:
    pace = Pace()
    used(pace, 1e-6)
    sizes = set()
    for number in range(60):
        size = pace.size(*FULL)
        pace.took(size[0] * size[1], size[0] * size[1] * (1e-6 * (1.08 if number % 2 else 0.92)))
        sizes.add(size)
    assert len(sizes) == 1


def test_a_machine_that_slows_down_gets_smaller_pictures_and_then_larger_ones_again() -> None:
    pace = Pace()
    fast = used(pace, 5e-8)[-1]
    slow = used(pace, 4e-6)[-1]
    assert fast == FULL
    assert slow[0] < FULL[0] / 2
    assert used(pace, 5e-8)[-1] == FULL


def test_no_picture_is_too_small_to_see() -> None:
    pace = Pace()
    pace.took(1, 10.0)
    assert pace.size(100, 60) == (SMALLEST, SMALLEST)


def test_what_costs_much_whatever_its_size_is_shown_no_smaller_than_that() -> None:
    pace = Pace(4e-6, smallest=4.0)
    for _ in range(10):
        width, height = pace.size(*FULL)
        pace.took(width * height, 0.3)
    assert pace.size(*FULL) == (160, 120)
