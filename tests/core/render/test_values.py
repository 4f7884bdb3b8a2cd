"""Numbers read from cards: their spread, what is outside, what is no number; and the grounds of pictures."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.render.cards import card_pictures
from collage.core.render.values import ABOVE, BELOW, LOUD, NO_NUMBER, marked, marks, scaled, spread_of

ROW = np.array([[0.0, 0.25, 0.5, 1.0, 3.0, -1.0, np.nan, np.inf]], np.float32)


def test_the_spread_counts_every_number_once() -> None:
    found = spread_of(ROW)
    assert (found.low, found.high, found.broken) == (-1.0, 3.0, 2)
    assert (found.start, found.stop) == (-1.0, 3.0)
    assert found.counts.sum() == 6
    assert found.counts[0, 0] == found.counts[0, -1] == 1
    assert found.outside
    narrow = spread_of(np.full((3, 10), 0.5, np.float32))
    assert (narrow.start, narrow.stop, narrow.outside) == (0.0, 1.0, False)
    assert narrow.counts.shape[0] == 3
    empty = spread_of(np.full((1, 4), np.nan, np.float32))
    assert (empty.low, empty.high, empty.broken) == (0.0, 0.0, 4)


def test_what_lies_outside_is_marked_and_shown() -> None:
    assert marks(ROW).tolist() == [0, 0, 0, 0, ABOVE, BELOW, NO_NUMBER, NO_NUMBER]
    grey = np.full((16, 16, 3), 200, np.uint8)
    codes = np.zeros((16, 16), np.uint8)
    codes[:8], codes[8, 0] = ABOVE, NO_NUMBER
    shown = marked(grey, codes)
    assert 0.2 < (shown[:8] == 0).mean() < 0.6, "hatched, not covered"
    assert (shown[9:] == 200).all()
    assert tuple(shown[8, 0]) == LOUD


def test_scaled_values_run_from_black_to_white() -> None:
    value = np.array([[-2.0, 0.0, 6.0]], np.float32)
    np.testing.assert_allclose(scaled(value, spread_of(value)), [[0, 0.25, 1]])


@pytest.mark.parametrize("ground", ["flat", "shape", "raw"])
def test_pictures_lie_on_the_ground_that_is_asked_for(library, ground: str) -> None:
    text = """<materialx version="1.39"><texcoord name="uv" type="vector2"/>
      <extract name="u" type="float"><input name="in" type="vector2" nodename="uv"/></extract>
      <multiply name="half" type="float"><input name="in1" type="float" nodename="u"/>
        <input name="in2" type="float" value="0.25"/></multiply>
      <divide name="broken" type="float"><input name="in1" type="float" value="0"/>
        <input name="in2" type="float" value="0"/></divide></materialx>"""
    made = card_pictures(
        library,
        parse_document(text.encode()),
        ["half", "broken"],
        size=(60, 40),
        ground=ground,  # type: ignore[arg-type]
    )
    picture = made.pictures["half"].astype(int)
    assert picture.shape == (40, 60, 3)
    assert picture[20, 13, 0] < picture[20, 29, 0], "brighter to the right"
    corner = picture[0, 0]
    if ground == "shape":
        assert np.ptp(corner) == 0
        assert 100 < corner[0] < 140, "the surround"
    elif ground == "raw":
        assert picture[..., 0].max() > 250, "the greatest value is white"
    else:
        assert picture[..., 0].max() < 80
    assert tuple(made.pictures["broken"][20, 30]) == LOUD
    assert made.values["half"].shape == (1, 2400)
