"""A material on no object is shown on a stock shape, which says so; shape and size are chosen, and the bench too."""

from __future__ import annotations

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QMenu

from collage.app.shell.start import settle
from collage.app.widgets.dragged import MATERIAL_FORMAT
from collage.core.actions import materials as materials_acts
from collage.core.scene.stage import Stage


@pytest.fixture
def moss(window):
    """A green material that is on nothing, in hand."""
    materials_acts.new_material_named(window.session, "Moss")
    window.session.set_value("surface", "base_color", "color3", (0.05, 0.4, 0.05))
    assert settle(window)
    return window


def choose(window, text: str) -> None:
    button = wire_of(window).preview_panel.on
    button.fill()
    menu: QMenu = button.menu()
    next(one for one in menu.actions() if one.text() == text).trigger()
    assert settle(window)


def middle(preview) -> np.ndarray:
    height, width = preview.picture.display.shape[:2]
    return preview.picture.linear[height // 2 - 20 : height // 2 + 20, width // 2 - 20 : width // 2 + 20].mean(
        axis=(0, 1)
    )


def test_a_material_on_no_object_is_seen_at_once_and_it_is_said(moss):
    preview = wire_of(moss).preview
    assert preview.stage == Stage()
    assert preview.notes() == ["“Moss” is on no object: shown on a stock shape (Ball, 20 cm)"]
    assert wire_of(moss).preview_panel.on.text().startswith("Ball, 20 cm")
    red, green, blue = middle(preview)
    assert green > 3 * max(red, blue)
    assert moss.session.project.bench.objects[0].name == "Pot", "the bench is as it was"


def test_it_follows_values_and_peeks(moss):
    preview = wire_of(moss).preview
    moss.session.set_value("surface", "base_color", "color3", (0.5, 0.02, 0.02))
    assert settle(moss)
    red, green, _ = middle(preview)
    assert red > 3 * green
    moss.undo()
    assert settle(moss)
    red, green, _ = middle(preview)
    assert green > 3 * red


def test_once_it_is_on_an_object_the_bench_is_back(moss):
    preview, camera = wire_of(moss).preview, moss.session.camera
    materials_acts.assign_material(moss.session, 0, "Moss")
    assert settle(moss)
    assert preview.stage is None
    assert preview.notes() == []
    assert preview.camera == camera
    assert len(np.unique(preview.picture.objects)) > 2, "pot, saucer and board"
    moss.undo()
    assert settle(moss)
    assert preview.stage == Stage()


def test_another_material_in_hand_shows_the_bench(moss):
    moss.session.show_material("Celadon glaze")
    assert settle(moss)
    assert wire_of(moss).preview.stage is None
    moss.session.show_material("Moss")
    assert settle(moss)
    assert wire_of(moss).preview.stage == Stage()


def test_shape_and_size_are_chosen_and_the_bench_again(window, monkeypatch):
    preview = wire_of(window).preview
    choose(window, "Block")
    assert preview.stage == Stage(shape="rounded box")
    assert set(np.unique(preview.picture.objects)) <= {-2, -1, 0}
    assert preview.notes() == [], "the material is on an object, and the choice is one's own"
    choose(window, "1 m")
    assert preview.stage == Stage(shape="rounded box", metres=1.0)
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_: (35.0, True))
    choose(window, "Other size…")
    assert preview.stage == Stage(shape="rounded box", metres=0.35)
    before = window.session.camera
    choose(window, "Frame Saucer")
    assert preview.stage is None
    assert window.session.camera == before.framing(*preview.renderer.bounds(preview.bench(), 1))
    choose(window, "Ball")
    choose(window, "Bench")
    assert preview.stage is None


def test_the_hand_turns_and_lights_the_shape_and_leaves_the_bench(moss, hand):
    preview, camera = wire_of(moss).preview, moss.session.camera
    before = preview.picture.display.copy()
    turn = preview.camera.turn
    hand.drag(preview, QPoint(200, 150), QPoint(260, 150))
    assert settle(moss)
    assert preview.camera.turn != turn
    assert moss.session.camera == camera
    lights = moss.session.project.bench.lights
    hand.drag(preview, QPoint(200, 150), QPoint(160, 150), keys=Qt.KeyboardModifier.AltModifier)
    assert settle(moss)
    assert moss.session.project.bench.lights != lights
    assert (preview.picture.display != before).any()
    material = moss.session.material
    hand.click(preview, preview.rect().center())
    assert moss.session.material == material, "a click on the shape picks nothing"


def test_the_button_is_reached_by_keys_and_not_cut(window):
    preview, button = wire_of(window).preview, wire_of(window).preview_panel.on
    assert preview.rect().contains(button.geometry())
    wire_of(window).toggle_large()
    assert settle(window)
    assert preview.rect().contains(button.geometry())
    assert preview.width() - button.geometry().right() < 12
    button.setFocus()
    assert button.hasFocus()
    QTest.keyClick(button, Qt.Key.Key_Tab)


def test_what_is_dragged_over_it_sees_the_bench_to_be_dropped_on(moss):
    preview, mime = wire_of(moss).preview, QMimeData()
    mime.setData(MATERIAL_FORMAT, b"Moss")
    copy, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    middle_of_it = preview.rect().center()
    assert preview.object_at(middle_of_it) == -2, "the ball is none of the bench's objects"
    QApplication.sendEvent(preview, QDragEnterEvent(middle_of_it, copy, mime, left, none))
    assert settle(moss)
    assert preview.stage is None
    QApplication.sendEvent(preview, QDragLeaveEvent())
    assert settle(moss)
    assert preview.stage == Stage()
    assert moss.session.project.wearers("Moss") == []
    QApplication.sendEvent(preview, QDragEnterEvent(middle_of_it, copy, mime, left, none))
    assert settle(moss)
    number = preview.object_at(middle_of_it)
    assert number >= 0
    QApplication.sendEvent(preview, QDropEvent(QPointF(middle_of_it), copy, mime, left, none))
    assert moss.session.project.bench.objects[number].material == "Moss"
    assert settle(moss)
    assert preview.stage is None
