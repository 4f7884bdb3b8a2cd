"""A section line in the real window: drawn, dragged, followed, to true scale, and ended."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from test_relief_keys import in_relief

from collage.app.shell.start import settle
from collage.app.wire.section_view import BOX
from collage.core.document.model import Input


@pytest.fixture
def preview(window):
    window.session.edit_document("Relief", in_relief)
    shown = wire_of(window).preview
    shown.setFocus()
    assert settle(window)
    return shown


def middle_of(preview, name: str) -> QPoint:
    """A point of the widget that shows an object, with the object left and right of it."""
    number = [item.name for item in preview.bench().objects].index(name)
    y, x = np.nonzero(preview.picture.objects == number)
    height, width = preview.picture.objects.shape
    return QPoint(int(np.median(x) * preview.width() / width), int(np.median(y) * preview.height() / height))


def drag(preview, start: QPoint, end: QPoint) -> None:
    QTest.mousePress(preview, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.4, 0.8, 1.0):
        QTest.mouseMove(preview, start + (end - start) * share)
    QTest.mouseRelease(preview, Qt.MouseButton.LeftButton, pos=end)


def drawn(window, preview):
    QTest.keyClick(preview, Qt.Key.Key_L)
    name = next(item.name for item in preview.bench().objects if item.material == window.session.material)
    middle = middle_of(preview, name)
    drag(preview, middle - QPoint(18, 0), middle + QPoint(18, 0))
    assert settle(window)
    return name


def test_a_line_is_drawn_dragged_and_followed_by_the_profile(window, preview) -> None:
    camera, document = window.session.camera, window.session.document
    name = drawn(window, preview)
    section = preview.section
    assert section.line.name == name
    assert window.session.camera == camera, "the hand drew, and did not orbit"
    assert section.section.depth > 0.0005
    first = section.section
    ends = section.pins(preview.shown, preview._extent)
    drag(preview, ends[1].toPoint(), ends[1].toPoint() - QPoint(12, 0))
    assert settle(window)
    assert section.section.length < 0.8 * first.length
    now = section.section
    half = Input("scale", "float", 0.0)
    window.session.edit("Flat", lambda network: network.with_card(network.cards["moved"].with_input(half)))
    assert settle(window)
    assert section.section is not now
    assert np.nanmax(np.abs(section.section.height - section.section.before)) < 1e-5
    assert np.nanmax(np.abs(now.height - now.before)) > 5e-4
    assert window.session.document is not document
    drag(preview, QPoint(4, preview.height() - 8), QPoint(40, preview.height() - 8))
    assert window.session.camera != camera, "beside its ends the hand orbits"
    assert settle(window)
    QTest.keyClick(preview, Qt.Key.Key_Escape)
    assert (section.on, section.line, section.section) == (False, None, None)


def test_a_click_on_the_profile_shows_it_to_true_scale(window, preview) -> None:
    drawn(window, preview)
    section = preview.section
    shallow = 1e-3 * section.section.length * np.sin(np.linspace(0, 9, len(section.section.along)))
    section.section = replace(section.section, height=shallow)
    before = preview.grab().toImage()
    along, factor = section.scale()
    assert section.section.depth * along * factor >= 22 > section.section.depth * along * factor / 2.6
    QTest.mouseClick(preview, Qt.MouseButton.LeftButton, pos=QPoint(int(BOX.x()) + 30, int(BOX.y()) + 20))
    assert section.true_scale
    assert section.scale() == (along, 1)
    assert preview.grab().toImage() != before


def test_a_line_that_ends_elsewhere_is_said(window, preview) -> None:
    said = []
    preview.hint.connect(said.append)
    QTest.keyClick(preview, Qt.Key.Key_L)
    drag(preview, QPoint(2, 2), QPoint(30, 2))
    assert settle(window)
    assert preview.section.section is None
    assert "Both ends of a section line must be on one object" in said
