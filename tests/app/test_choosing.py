"""Dialogs begin in folders that are there, and nothing is written into the folder that the program was started from."""

from __future__ import annotations

from pathlib import Path

import pytest
from places import wire_of
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit

from collage.app.shell.render_dialog import RenderDialog
from collage.app.shell.start import settle, wait_until
from collage.app.widgets.choosing import existing
from collage.app.widgets.progress_line import ProgressLine
from collage.core.project.folder import is_project, load_project


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
    assert not dialog.list.isVisible()
    QTest.mouseClick(dialog.start, Qt.MouseButton.LeftButton)
    assert dialog.list.isVisible()
    assert dialog.list.findChild(ProgressLine) is not None
    assert wait_until(lambda: dialog.said.text().startswith("Written"), 30)
    assert not dialog.list.isVisible()
    assert (window.session.folder / "pictures" / "front.png").is_file()
    assert list(elsewhere.iterdir()) == []
    dialog.reject()


def test_sizes_are_typed_and_kept_within_what_can_be_rendered(window):
    dialog = dialog_of(window)
    QTest.keyClicks(dialog.width_box, "640")
    QTest.keyClick(dialog.width_box, Qt.Key.Key_Return)
    QTest.keyClicks(dialog.height_box, "99999")
    QTest.keyClick(dialog.height_box, Qt.Key.Key_Return)
    assert (dialog.order().width, dialog.order().height) == (640, 8192)
    dialog.reject()


def test_a_project_without_a_folder_asks_beside_the_last_one(open_window, elsewhere, tmp_path, monkeypatch):
    window = open_window(None)
    window.files.new_on_ball()
    assert settle(window)
    begun = []
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda _parent, _title, start, *_, **__: begun.append(start) or ("", "")
    )
    window.files.save()
    assert begun == [str(Path.home() / "New look")]
    window.studio.remember(recent=[str(tmp_path / "kitchen")])
    window.files.save()
    assert begun[1:] == [str(tmp_path / "New look")]
    (tmp_path / "New look").mkdir()
    window.files.save()
    assert begun[2:] == [str(tmp_path / "New look 2")]
    assert list(elsewhere.iterdir()) == []
    assert wire_of(window).preview.isVisible()


def test_a_new_project_is_saved_under_a_name_that_is_typed(open_window, tmp_path):
    """In Qt's own dialog, as a person does it: the folder is not there yet."""
    window = open_window(None)
    window.files.new_on_ball()
    assert settle(window)
    window.studio.remember(recent=[str(tmp_path / "kitchen")])

    def typed() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, QFileDialog):
            QTimer.singleShot(20, typed)  # it is still being opened
            return
        line = dialog.findChild(QLineEdit)
        line.selectAll()
        QTest.keyClicks(line, "mottled clay")
        QTest.keyClick(line, Qt.Key.Key_Return)

    QTimer.singleShot(20, typed)
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert wait_until(lambda: is_project(tmp_path / "mottled clay"))
    assert window.session.folder == tmp_path / "mottled clay"
    assert window.session.project.name == "mottled clay"
    assert load_project(tmp_path / "mottled clay")[0].name == "mottled clay"


def test_a_program_whose_own_folder_is_gone_still_saves(open_window, elsewhere, tmp_path):
    window = open_window(None)
    window.files.new_on_ball()
    assert settle(window)
    elsewhere.rmdir()
    with pytest.raises(FileNotFoundError):
        Path.cwd()
    window.files.save_to(tmp_path / "kept")
    assert wait_until(lambda: window.session.folder == tmp_path / "kept")
    assert is_project(tmp_path / "kept")
