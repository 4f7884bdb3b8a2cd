"""Empty panels say in a line what belongs there, with the button that does it."""

from __future__ import annotations

from places import wire_of
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle
from collage.core.actions import materials as materials_acts


def test_an_empty_board_offers_to_add_a_card(window):
    board, field = wire_of(window).board, wire_of(window).add_field
    assert not board.empty.isVisible()
    materials_acts.new_material_named(window.session, "Moss")
    assert settle(window)
    assert board.empty.isVisible()
    assert board.rect().contains(board.empty.geometry())
    QTest.mouseClick(board.empty.button, Qt.MouseButton.LeftButton)
    assert field.isVisible()
    QTest.keyClicks(field.line, "cells")
    QTest.keyClick(field.line, Qt.Key.Key_Return)
    assert settle(window)
    assert not board.empty.isVisible()
    window.undo()
    assert board.empty.isVisible()
    window.session.show_material("Celadon glaze")
    assert not board.empty.isVisible()
    assert settle(window)


def test_an_empty_bench_offers_a_ball(open_window):
    window = open_window(None)
    window.bar.place_wanted.emit(1)
    preview = wire_of(window).preview
    assert settle(window)
    assert preview.empty.isVisible()
    QTest.mouseClick(preview.empty.button, Qt.MouseButton.LeftButton)
    assert settle(window)
    assert not preview.empty.isVisible()
    assert (preview.picture.objects == 0).any()
