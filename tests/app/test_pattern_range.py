"""The switch of a pattern that brings it to 0 to 1."""

from __future__ import annotations

from places import wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle
from collage.core.actions.patterns import range_card
from collage.core.document.model import Wire


def test_one_click_brings_a_pattern_to_0_to_1(window) -> None:
    session = window.session
    name = session.add(session.library["ND_fractal2d_float"], (0.0, 5.0))
    user = session.add(session.library["ND_multiply_float"], (3.0, 5.0))
    session.wire(Wire(name), user, "in1", "float")
    session.select([name])
    assert settle(window)
    controls = wire_of(window).controls
    QTest.mouseClick(controls.in_range, Qt.MouseButton.LeftButton, pos=QPoint(6, controls.in_range.height() // 2))
    made = range_card(session.network, name)
    assert session.network.cards[user].inputs["in1"].wire == Wire(made)
    assert controls.in_range.isChecked()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert range_card(session.network, name) is None
    assert not controls.in_range.isChecked()
    session.select([user])
    assert settle(window)
    assert controls.in_range is None
