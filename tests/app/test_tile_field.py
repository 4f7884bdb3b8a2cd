"""Tile size and repeats at a placement: typing 2 repeats gives two, in the document and in the picture."""

from __future__ import annotations

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle
from collage.app.widgets.tile_field import TileField
from collage.core.document.model import MAP_SET, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.scene.bench import stock


@pytest.fixture
def placed(window):
    """A placement that a ramp goes by, selected."""
    session = window.session
    name = session.add(session.library["ND_place2d_vector2"], (0.0, 5.0))
    ramp = session.add(session.library["ND_checkerboard_color3"], (1.2, 5.0))
    session.wire(Wire(name), ramp, "texcoord", "vector2")
    session.select([name])
    assert settle(window)
    return window, name, ramp


def field_of(window) -> TileField:
    field = wire_of(window).controls.fields["scale"]
    assert isinstance(field, TileField)
    return field


def type_in(field, text: str) -> None:
    QTest.mouseClick(field, Qt.MouseButton.LeftButton)
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def size(window, card: str):
    return window.session.network.cards[card].inputs["scale"].value


def squares(window, card: str) -> tuple[int, int]:
    """How often the checkerboard changes along u and along v."""
    plan = build_plan(window.session.library, window.session.network, {"out": CardOutput(card)})
    values = np.asarray(run(plan, sheet(256, 256))["out"])[0].reshape(256, 256)
    return int((np.diff(values[3]) != 0).sum()) + 1, int((np.diff(values[:, 3]) != 0).sum()) + 1


def test_two_repeats_typed_give_two(placed):
    window, name, ramp = placed
    once = squares(window, ramp)
    field = field_of(window)
    type_in(field.repeats[0], "2")
    assert size(window, name) == (0.5, 0.5), "locked, both directions go together"
    assert squares(window, ramp) == (2 * once[0], 2 * once[1])
    assert [one.value for one in (*field.sizes, *field.repeats)] == [0.5, 0.5, 2.0, 2.0]
    window.undo()
    assert window.session.value_of(
        window.session.network.cards[name], window.session.definition(name).inputs["scale"]
    ) == (1, 1)
    assert [one.value for one in field_of(window).repeats] == [1.0, 1.0]


def test_unlocked_they_go_apart_and_lock_keeps_their_ratio(placed):
    window, name, ramp = placed
    once = squares(window, ramp)
    field = field_of(window)
    QTest.mouseClick(field.lock, Qt.MouseButton.LeftButton)
    type_in(field.repeats[1], "3")
    assert size(window, name) == pytest.approx((1.0, 1 / 3))
    assert squares(window, ramp) == (once[0], 3 * once[1])
    QTest.mouseClick(field.lock, Qt.MouseButton.LeftButton)
    type_in(field.sizes[0], "0.5")
    assert size(window, name) == pytest.approx((0.5, 1 / 6))


def test_a_tile_that_is_not_square_opens_unlocked(placed):
    window, name, _ = placed
    window.session.set_value(name, "scale", "vector2", (0.5, 0.25))
    window.session.select([])
    window.session.select([name])
    assert not field_of(window).lock.isChecked()


@pytest.mark.parametrize("typed", ["0", "-2", "1e9"])
def test_odd_numbers_stay_numbers(placed, typed):
    window, name, _ = placed
    type_in(field_of(window).repeats[0], typed)
    assert np.isfinite(size(window, name)).all()
    assert settle(window)


def test_a_map_set_has_it_too_and_a_drag_is_one_step(window, hand):
    session = window.session
    name = next(key for key, card in session.network.cards.items() if card.attributes.get(MAP_SET) == "true")
    session.select([name])
    assert settle(window)
    field, before = field_of(window), size(window, name)
    repeats, steps = field.repeats[0], len(session.history.labels)
    middle = repeats.rect().center()
    hand.drag(repeats, middle, middle + middle / 2)
    assert size(window, name)[0] < before[0]
    assert size(window, name)[0] == size(window, name)[1]
    assert len(session.history.labels) == steps + 1
    assert settle(window)


def test_a_width_in_centimetres_is_that_on_the_object(window) -> None:
    """On a board of 0.6 by 0.3 m whose UVs fill the square, locked: a tile of 15 cm is square on the board."""
    session = window.session
    board = stock("Board", "plane", material=session.material, sizes={"width": 0.6, "depth": 0.3})
    session.edit_bench("board", lambda bench: bench.model_copy(update={"objects": (board,)}))
    name = session.add(session.library["ND_place2d_vector2"], (0.0, 5.0))
    session.select([name])
    field = field_of(window)
    assert [one.value for one in field.widths] == pytest.approx([60, 30], rel=1e-3)
    type_in(field.widths[0], "15")
    assert size(window, name) == pytest.approx((0.25, 0.5), rel=1e-3)
    assert [one.value for one in field_of(window).repeats] == pytest.approx([4, 2], rel=1e-3)
    window.undo()
    assert [one.value for one in field_of(window).widths] == pytest.approx([60, 30], rel=1e-3)
