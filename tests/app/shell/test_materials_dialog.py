"""A document of many materials in the real window: offered with pictures and search, and taken by name."""

from __future__ import annotations

from pathlib import Path

import pytest
from places import drop, wire_of
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from collage.app.shell.materials_dialog import KEY, MaterialsDialog
from collage.app.shell.start import settle, wait_until
from collage.app.shell.window import MainWindow
from other_writers import COLOUR, document, material, woods


def dialog_of(window: MainWindow) -> MaterialsDialog | None:
    return next((one for one in window.findChildren(MaterialsDialog) if one.isVisible()), None)


@pytest.fixture
def many(tmp_path: Path) -> Path:
    path = tmp_path / "woods.mtlx"
    path.write_text(document(woods(9)))
    return path


def opened(window: MainWindow) -> MaterialsDialog:
    assert wait_until(lambda: dialog_of(window) is not None, 20)
    dialog = dialog_of(window)
    assert dialog is not None
    return dialog


def test_two_of_many_are_found_and_taken_as_one_step(window, many):
    drop(wire_of(window).board.viewport(), many)
    dialog = opened(window)
    assert dialog.count.text() == "9 materials"
    assert not dialog.add.isEnabled()
    QTest.keyClicks(dialog.line, "elm")
    assert dialog.count.text() == "3 of 9 materials"
    shown = [dialog.list.item(row) for row in range(9) if not dialog.list.item(row).isHidden()]
    assert [item.text() for item in shown] == ["wood_002", "wood_005", "wood_008"]
    viewport = dialog.list.viewport()
    for item, keys in zip(shown, (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier), strict=False):
        QTest.mouseClick(viewport, Qt.MouseButton.LeftButton, keys, dialog.list.visualItemRect(item).center())
    assert dialog.add.text() == "Add 2 materials"
    before = window.session.project
    QTest.mouseClick(dialog.add, Qt.MouseButton.LeftButton)
    assert dialog_of(window) is None
    assert list(window.session.project.materials)[-2:] == ["wood_002", "wood_005"]
    assert set(window.session.project.materials["wood_005"].cards) == {"wood_005", "SR_wood_005", "NG"}
    assert window.session.material == "wood_002"
    window.session.history.undo()
    assert window.session.project == before
    assert settle(window)


def test_every_material_has_a_picture_of_its_own(window, tmp_path):
    path = tmp_path / "two.mtlx"
    red, blue = (
        f'<input name="base_color" type="color3" value="{one}"/>' for one in ("0.6, 0.05, 0.05", "0.05, 0.05, 0.6")
    )
    path.write_text(document(material("red", red) + material("blue", blue)))
    drop(wire_of(window).board.viewport(), path)
    dialog = opened(window)
    assert wait_until(lambda: all(dialog.list.item(row).data(KEY + 1) for row in range(2)), 30)
    colours = [dialog.list.item(row).icon().pixmap(112, 84).toImage().pixelColor(56, 42) for row in range(2)]
    assert colours[0].red() > 2 * colours[0].blue()
    assert colours[1].blue() > 2 * colours[1].red()
    dialog.reject()


def test_a_material_dropped_on_an_object_is_on_it(window, tmp_path):
    path = tmp_path / "slip.mtlx"
    path.write_text(document(material("slip", COLOUR)))
    preview = wire_of(window).preview
    at = preview.rect().center()
    number = preview.object_at(at)
    assert number >= 0
    drop(preview, path)
    assert wait_until(lambda: window.session.project.bench.objects[number].material == "slip", 20)
    assert settle(window)


def test_escape_adds_nothing_and_ends_the_pictures(window, many):
    before = window.session.project
    drop(wire_of(window).board.viewport(), many)
    dialog = opened(window)
    QTest.keyClick(dialog, Qt.Key.Key_Escape)
    assert wait_until(lambda: dialog_of(window) is None, 5)
    assert window.session.project is before
    assert settle(window)


def test_the_menu_adds_a_file_and_tells_what_is_wrong_with_one(window, tmp_path, monkeypatch):
    path = tmp_path / "broken.mtlx"
    path.write_text("<materialx version='1.39'><a>")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    window.menus.actions["Add materials from a file"].trigger()
    assert wait_until(lambda: window.banner.isVisible(), 20)
    assert "broken.mtlx" in window.banner.text.text()
    path.write_text(document(material("mended", COLOUR)))
    window.menus.actions["Add materials from a file"].trigger()
    assert wait_until(lambda: "broken" in window.session.project.materials, 20), "one alone has the file's name"
