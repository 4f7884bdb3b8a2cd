"""What the surface offers a wire in hand: displacement has its landing, and a vector is no opacity."""

from __future__ import annotations

from itertools import pairwise

from places import landing, out_tab, wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle
from collage.app.wire.board import HINT
from collage.app.wire.card_item import MOST_TABS, PICTURE, CardItem, _spacing
from collage.core.document.materials import DISPLACEMENT, material_card
from collage.core.document.model import Wire


def added(window, kind: str) -> str:
    name = window.session.add(window.session.library[kind], (0.0, 5.0))
    window.session.select(())
    assert settle(window)
    wire_of(window).board.fit_all()
    return name


def test_displacement_is_wired_to_its_landing_cut_and_told(window, hand) -> None:
    session, board = window.session, wire_of(window).board
    name = added(window, "ND_displacement_float")
    assert DISPLACEMENT not in board.landings
    view = board.viewport()
    start = out_tab(window, name)
    hand.drag(view, start, start + QPoint(40, 0), release=False)
    assert DISPLACEMENT in board.landings
    assert "base_color" not in {key for key in board.landings if not board.landings[key].wired}
    end = landing(window, DISPLACEMENT)
    hand.drop(view, end)
    assert material_card(session.document).inputs[DISPLACEMENT].wire == Wire(name)
    assert board.landings[DISPLACEMENT].wired
    assert any((wire.card, wire.name) == ("", DISPLACEMENT) for wire in board.wires)
    preview = wire_of(window).preview
    assert settle(window)
    assert preview.picture.remarks == ()
    board._cut(("", DISPLACEMENT))
    assert DISPLACEMENT not in board.landings
    assert material_card(session.document).inputs.get(DISPLACEMENT) is None
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert board.landings[DISPLACEMENT].wired


def test_a_vector_is_not_offered_to_opacity(window, hand) -> None:
    board = wire_of(window).board
    name = added(window, "ND_position_vector3")
    item = board.cards[name]
    assert isinstance(item, CardItem)
    ends = {end[2] for _, _, end in board.ends_for(name) if end[1] == ""}
    assert "geometry_normal" in ends
    assert not ends & {"geometry_opacity", "specular_roughness", "base_weight"}
    assert _offered(window, hand, name) >= {"coat_color", "geometry_tangent"}
    assert "geometry_opacity" not in _offered(window, hand, name)
    number = added(window, "ND_fractal2d_float")
    assert "geometry_opacity" in _offered(window, hand, number)


def _offered(window, hand, name: str) -> set[str]:
    """The channels that show while a wire of a card is in hand; it is let go where it began."""
    board, start = wire_of(window).board, out_tab(window, name)
    hand.drag(board.viewport(), start, start + QPoint(40, 0), release=False)
    found = {key for key, item in board.landings.items() if not item.wired}
    hand.drop(board.viewport(), start)
    return found


def test_names_of_tabs_never_cover_the_label_or_each_other(window) -> None:
    item = wire_of(window).board.cards[added(window, "ND_bump_vector3")]
    for count in range(1, MOST_TABS + 1):
        middles = [item._place(number, count, False).y() for number in range(count)]
        high = min(_spacing(count), 13.0)
        assert middles[-1] + high / 2 <= PICTURE.bottom() + 1, "the label stands below the picture"
        assert all(b - a >= high - 1e-6 for a, b in pairwise(middles))
    assert [tab.label for tab in item.inputs][:2] == ["Height", "Strength"]


def test_names_and_hint_go_with_the_wire(window, hand) -> None:
    board = wire_of(window).board
    name, said = added(window, "ND_fractal2d_float"), []
    board.hint.connect(said.append)
    _offered(window, hand, name)
    assert "Drop the number" in " ".join(said)
    assert said[-1] == HINT
    assert not any(item.named or item.hovered for item in board.cards.values())
