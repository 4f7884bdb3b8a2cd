"""Strength of bump and its depth in millimetres on the object: typing one sets the other."""

from __future__ import annotations

import pytest
from places import wire_of
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle
from collage.app.widgets.depth_field import DepthField
from collage.core.nodes.adding import NATURAL
from collage.core.scene.relief import depth_of, tile_metres


def type_in(field, text: str) -> None:
    QTest.mouseClick(field, Qt.MouseButton.LeftButton)
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def test_five_millimetres_typed_are_five_millimetres_deep(window) -> None:
    session = window.session
    name = session.add(session.library["ND_bump_vector3"], (0.0, 5.0))
    assert settle(window)
    field = wire_of(window).controls.fields["scale"]
    assert isinstance(field, DepthField)
    metres = tile_metres(session.project.bench, session.material)
    assert field.strength.value == NATURAL
    assert field.beside.value == pytest.approx(1000 * depth_of(NATURAL, metres))
    assert field.beside.isVisible()
    type_in(field.beside, "5")
    assert depth_of(session.network.cards[name].inputs["scale"].value, metres) == pytest.approx(0.005)
    type_in(field.strength, "-0.5")
    assert session.network.cards[name].inputs["scale"].value == -0.5
    assert field.beside.value == pytest.approx(-1000 * 0.5 / 16 * metres)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert field.beside.value == pytest.approx(5)


def test_without_an_object_there_are_no_millimetres(window) -> None:
    session = window.session
    session.edit_bench("Clear", lambda bench: bench.model_copy(update={"objects": ()}))
    session.add(session.library["ND_bump_vector3"], (0.0, 5.0))
    assert settle(window)
    assert not isinstance(wire_of(window).controls.fields["scale"], DepthField)
