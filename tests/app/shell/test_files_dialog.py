"""Project files: how large each map is, which are far larger than a picture needs, and half their size."""

from __future__ import annotations

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QTreeWidgetItem

from collage.app.shell.files_dialog import BYTES, MATERIAL, SIZE, STATE, FilesDialog
from collage.app.shell.start import settle, wait_until
from collage.core.document import edits
from collage.core.images.files import read_info
from collage.core.project.references import references


@pytest.fixture
def dialog(window) -> FilesDialog:
    window.show_files()
    dialog = window.findChild(FilesDialog)
    assert wait_until(lambda: dialog._measuring.idle and dialog._sizes, 20)
    return dialog  # the window closes it


def rows(dialog: FilesDialog) -> list[QTreeWidgetItem]:
    return [dialog.list.topLevelItem(row) for row in range(dialog.list.topLevelItemCount())]


def test_every_file_has_its_size_and_the_largest_come_first(window, dialog) -> None:
    items = rows(dialog)
    assert len(items) == len(references(window.session.project, window.session.folder))
    texels = []
    for item in items:
        width, height = (int(part) for part in item.text(SIZE).split(" × "))
        info = read_info(item.data(0, Qt.ItemDataRole.UserRole).file)
        assert (width, height) == (info.width, info.height)
        assert item.text(BYTES).split()[1] in ("KB", "MB")
        texels.append(width * height)
    assert texels == sorted(texels, reverse=True)
    assert "in memory" in dialog.said.text()
    assert "ready on disk" in dialog.said.text()


def test_half_of_a_map_is_used_as_one_step_and_nothing_else_is_lost(window, dialog, hand) -> None:
    session = window.session
    item = next(item for item in rows(dialog) if item.text(MATERIAL) != "the bench")
    name, chosen = item.text(0), item.data(0, Qt.ItemDataRole.UserRole)
    width = read_info(chosen.file).width
    assert not dialog.half.isEnabled()
    dialog.list.setCurrentItem(item)
    assert dialog.half.isEnabled()
    before = wire_of(window).preview.picture.display.copy()
    QTest.mouseClick(dialog.half, Qt.MouseButton.LeftButton)
    session.edit_document(  # the person goes on meanwhile
        "Metal", lambda network: edits.set_value(network, "surface", "base_metalness", "float", 1.0)
    )
    assert wait_until(lambda: session.history.undo_label == f"Use half of {name}", 20)
    assert session.network.cards["surface"].inputs["base_metalness"].value == 1.0
    stored = [one.stored for one in references(session.project, session.folder) if one.material == chosen.material]
    assert chosen.stored not in stored
    half = next(one for one in stored if f"_{width // 2}." in one)
    assert read_info(session.folder / "materials" / half).width == width // 2
    assert chosen.file.exists(), "the large file stays"
    session.history.undo()
    session.history.undo()
    assert settle(window)
    np.testing.assert_array_equal(wire_of(window).preview.picture.display, before)


def test_far_from_the_camera_a_map_is_said_to_cover_little(window, dialog) -> None:
    session = window.session
    assert not any("covers only" in item.text(STATE) for item in rows(dialog))
    session.look(session.camera.model_copy(update={"distance": 150.0}))
    dialog.show_files()
    assert wait_until(lambda: any("covers only" in item.text(STATE) for item in rows(dialog)), 20)
