"""The add field in the real window: one row a kind, its types beside it, and everything else that can be added."""

from __future__ import annotations

import numpy as np
import pytest
from places import middle, wire_of
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from collage.app.shell.start import settle, wait_until
from collage.app.widgets.dragged import KEPT_FORMAT, SET_FORMAT
from collage.app.wire.add_field import DATA, chip_places, type_word
from collage.core.actions import groups
from collage.core.document.materials import material_card
from collage.core.document.model import MAP_SET, Wire


@pytest.fixture
def field(window):
    """Open in the middle of the board."""
    wire = wire_of(window)
    wire.ask_add(wire.board.viewport().rect().center(), None, "")
    return wire.add_field


def newest(window):
    return list(window.session.network.cards.values())[-1]


def labels(field) -> list[str]:
    return [field.found.item(row).text() for row in range(field.found.count())]


def test_a_kind_has_one_row(field):
    QTest.keyClicks(field.line, "remap")
    assert labels(field).count("Remap") == 1


def test_displacement_is_added_at_a_natural_scale_and_shows_once_it_is_wired(window, field):
    QTest.keyClicks(field.line, "displacement")
    assert labels(field)[:2] == ["Displacement", "Vector displacement"]
    QTest.keyClick(field.line, Qt.Key.Key_Return)
    card = newest(window)
    assert (card.category, card.attributes["nodedef"]) == ("displacement", "ND_displacement_float")
    assert card.inputs["scale"].value == 0.01
    session = window.session
    session.wire(Wire("clouds"), card.name, "displacement", "float")
    session.wire(Wire(card.name), material_card(session.document).name, "displacementshader", "displacementshader")
    assert settle(window)
    found = wire_of(window).preview.picture
    assert (found.remarks, found.problems) == ((), {})
    (displaced,) = window.studio.renderer.reliefs.of(wire_of(window).preview.request()).objects.values()
    gone = np.linalg.norm(displaced.mesh.positions - displaced.rest, axis=1)
    assert 0.001 < gone.max() < 0.05


def test_tab_takes_another_type(window, field):
    QTest.keyClicks(field.line, "remap")
    row = field.found.item(0).data(DATA)
    assert type_word(row.offer) == "colour"
    QTest.keyClick(field.line, Qt.Key.Key_Tab)
    assert type_word(row.offer) == "number"
    QTest.keyClick(field.line, Qt.Key.Key_Backtab)
    QTest.keyClick(field.line, Qt.Key.Key_Tab)
    QTest.keyClick(field.line, Qt.Key.Key_Return)
    assert (newest(window).category, newest(window).type) == ("remap", "float")
    assert settle(window)


def test_a_click_on_a_type_adds_that_one(window, field):
    QTest.keyClicks(field.line, "remap")
    item = field.found.item(0)
    places = chip_places(field.found.visualItemRect(item), item.data(DATA), current=True)
    assert [type_word(offer) for offer, _ in places] == ["colour", "number", "vector", "2-vector"]
    assert all(field.found.viewport().rect().contains(place) for _, place in places), "none is cut"
    vector = places[2][1]
    QTest.mouseClick(field.found.viewport(), Qt.MouseButton.LeftButton, pos=vector.center())
    assert (newest(window).category, newest(window).type) == ("remap", "vector3")
    assert settle(window)


def test_it_is_of_the_type_of_the_card_in_hand(window, hand):
    wire = wire_of(window)
    hand.click(wire.board.viewport(), middle(window, "edge"))
    assert window.session.network.cards["edge"].type == "float"
    wire.ask_add(QPoint(200, 40), None, "")
    QTest.keyClicks(wire.add_field.line, "remap")
    QTest.keyClick(wire.add_field.line, Qt.Key.Key_Return)
    assert (newest(window).category, newest(window).type) == ("remap", "float")
    assert settle(window)


def test_what_is_not_found_offers_the_nearest_and_says_so(window, field):
    QTest.keyClicks(field.line, "fractel")
    assert labels(field)[0] == "Nothing is called “fractel”. The nearest:"
    assert "Fractal" in labels(field)
    QTest.keyClick(field.line, Qt.Key.Key_Return)
    (added,) = window.session.selection
    assert window.session.network.cards[added].category in ("fractal2d", "fractal3d")
    assert settle(window)


def test_map_sets_and_saved_groups_are_found_by_name(window, field):
    before = set(window.session.network.cards)
    QTest.keyClicks(field.line, "celadon")
    assert labels(field)[0] == "Celadon"
    assert field.found.item(0).data(DATA).other.note == "map set"
    QTest.keyClick(field.line, Qt.Key.Key_Return)
    (added,) = set(window.session.network.cards) - before
    card = window.session.network.cards[added]
    assert card.title == "Celadon"
    assert card.network is not None
    wire = wire_of(window)
    wire.board.fit_all()
    window.session.select([added])
    name = window.studio.shelf.keep(window.session.network, added)
    try:
        wire.ask_add(QPoint(200, 40), None, "")
        QTest.keyClicks(wire.add_field.line, name)
        notes = [wire.add_field.found.item(row).data(DATA).other for row in range(2)]
        assert [one.note for one in notes] == ["map set", "saved group"]
        QTest.keyClick(wire.add_field.line, Qt.Key.Key_Down)
        QTest.keyClick(wire.add_field.line, Qt.Key.Key_Return)
        assert len(window.session.network.cards) == len(before) + 2
    finally:
        window.studio.shelf.drop(name)
    assert settle(window)


def test_a_wire_in_hand_is_offered_cards_alone(window):
    wire = wire_of(window)
    wire.ask_add(QPoint(200, 40), Wire("edge"), "float")
    QTest.keyClicks(wire.add_field.line, "celadon")
    assert "Celadon" not in labels(wire.add_field)
    wire.add_field.line.clear()
    QTest.keyClicks(wire.add_field.line, "remap")
    assert type_word(wire.add_field.found.item(0).data(DATA).offer) == "number"
    QTest.keyClick(wire.add_field.line, Qt.Key.Key_Escape)


@pytest.mark.parametrize("form", [SET_FORMAT, KEPT_FORMAT])
def test_map_sets_and_saved_groups_are_dragged_onto_the_board(window, form):
    session, board = window.session, wire_of(window).board
    name = next(key for key, card in session.network.cards.items() if card.attributes.get(MAP_SET) == "true")
    kept = window.studio.shelf.keep(session.network, name)
    wire_of(window).sources.rebuild()
    key = f"set {session.material} {name}" if form == SET_FORMAT else f"kept {kept}"
    tile = wire_of(window).sources._tiles[key]
    mime, before, at = QMimeData(), set(session.network.cards), board.viewport().rect().center()
    mime.setData(tile._kind, tile._offer.encode())
    try:
        assert tile._kind == form
        copy, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(board.viewport(), QDragEnterEvent(at, copy, mime, left, none))
        QApplication.sendEvent(board.viewport(), QDropEvent(QPointF(at), copy, mime, left, none))
        (added,) = set(session.network.cards) - before
        assert session.network.cards[added].network == session.network.cards[name].network
        place = board.cards[added].sceneBoundingRect()
        assert board.viewport().rect().contains(board.mapFromScene(place).boundingRect())
    finally:
        window.studio.shelf.drop(kept)
    assert settle(window)


def test_a_saved_group_has_its_picture_among_the_sources_and_in_the_add_field(window):
    session, place = window.session, wire_of(window)
    session.add(session.library["ND_checkerboard_color3"], (0.0, 6.0))
    groups.group_cards(session)
    session.select(session.selection[:1])
    before = set(window.studio.shelf.names())
    place.keep_group()
    (kept,) = set(window.studio.shelf.names()) - before
    try:
        assert wait_until(lambda: window.studio.maker.kept_worker.idle)
        shown = place.sources._tiles[f"kept {kept}"].picture.pixmap().toImage()
        greys = {shown.pixelColor(x, y).lightness() // 64 for x in range(shown.width()) for y in range(shown.height())}
        assert len(greys) > 1, "both squares are seen"
        offered = next(one for one in place._others((0.0, 0.0)) if one.label == kept)
        assert offered.picture is not None
    finally:
        window.studio.shelf.drop(kept)
