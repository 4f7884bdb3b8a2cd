"""Dialogs begin in folders that are there, and nothing is written into the folder that the program was started from."""

from __future__ import annotations

from pathlib import Path

import pytest
from places import wire_of
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from collage.app.shell.render_dialog import RenderDialog
from collage.app.shell.start import settle, wait_until
from collage.app.widgets.choosing import existing
from collage.app.widgets.progress_line import ProgressLine


@pytest.fixture
def elsewhere(tmp_path, monkeypatch) -> Path:
    """The folder that the program was started from."""
    folder = tmp_path / "started here"
    folder.mkdir()
    monkeypatch.chdir(folder)
    return folder


def test_the_nearest_folder_that_is_there(tmp_path, elsewhere):
    assert existing(tmp_path / "a" / "b") == tmp_path
    assert existing(tmp_path) == tmp_path
    assert existing(Path("/no such folder/at all")) == Path.home()
    assert existing(Path("pictures")) == Path.home(), "not where the program was started"


def dialog_of(window) -> RenderDialog:
    window.render_dialog()
    return window.findChild(RenderDialog)


def test_enter_in_the_render_dialogs_chooser_writes_inside_the_project(window, elsewhere, monkeypatch):
    begun = []
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda _parent, _title, start, *_: begun.append(start) or (start, "")
    )
    dialog = dialog_of(window)
    dialog._browse()
    folder = window.session.folder.resolve()
    assert begun == [str(folder / "picture.png")], "pictures/ is not there yet: the folder above it is"
    dialog.reject()


def test_a_name_alone_goes_among_the_projects_pictures(window, elsewhere):
    dialog = dialog_of(window)
    dialog.path.setText("front.png")
    dialog.width_box.set_value(32)
    dialog.height_box.set_value(32)
    dialog.quality.setCurrentText("draft")
    assert isinstance(dialog.bar, ProgressLine)
    assert not dialog.bar.isVisible()
    QTest.mouseClick(dialog.start, Qt.MouseButton.LeftButton)
    assert dialog.bar.isVisible()
    assert wait_until(lambda: dialog.said.text().startswith("Written"), 30)
    assert not dialog.bar.isVisible()
    assert (window.session.folder / "pictures" / "front.png").is_file()
    assert list(elsewhere.iterdir()) == []
    dialog.reject()


def test_sizes_are_typed_and_kept_within_what_can_be_rendered(window):
    dialog = dialog_of(window)
    QTest.keyClicks(dialog.width_box, "640")
    QTest.keyClick(dialog.width_box, Qt.Key.Key_Return)
    QTest.keyClicks(dialog.height_box, "99999")
    QTest.keyClick(dialog.height_box, Qt.Key.Key_Return)
    assert dialog.request().size == (640, 8192)
    dialog.reject()


def test_a_project_without_a_folder_asks_beside_the_last_one(open_window, elsewhere, tmp_path, monkeypatch):
    window = open_window(None)
    window.files.new_on_ball()
    assert settle(window)
    begun = []
    monkeypatch.setattr(
        QFileDialog, "getExistingDirectory", lambda _parent, _title, start, *_: begun.append(start) or ""
    )
    window.files.save()
    assert begun == [str(Path.home())]
    window.studio.remember(recent=[str(tmp_path / "kitchen")])
    window.files.save()
    assert begun[1:] == [str(tmp_path)]
    assert list(elsewhere.iterdir()) == []
    assert wire_of(window).preview.isVisible()
