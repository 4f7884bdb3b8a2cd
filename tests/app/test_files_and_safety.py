"""Opening, saving, rendering to files, settings; and that a crash loses at most seconds of work."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QDialog, QLabel, QMessageBox

from collage.app.shell.render_dialog import RenderDialog
from collage.app.shell.safety import KEEP_SAFE
from collage.app.shell.settings import Settings, load_settings, save_settings
from collage.app.shell.shortcuts_dialog import ShortcutsDialog
from collage.app.shell.start import settle, wait_until
from collage.app.wire.space_row import SpaceRow
from collage.core.base.errors import CollageError
from collage.core.images.files import read_pixels, write_image
from collage.core.nodes.labels import offers
from collage.core.project.folder import load_project, save_project
from collage.core.project.recovery import left_desks
from collage.core.scene.bench import Bench

CRASH = """
import os, sys
from pathlib import Path
from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, wait_until
folder, desks = Path(sys.argv[1]), Path(sys.argv[2])
window = make_window(folder, settings=Settings(), settings_file=desks / "s.json", desks=desks)
window.show()
window.session.set_value("dry", "fg", "float", 0.125)
print("edited", flush=True)
wait_until(lambda: False, 60)
"""


def test_work_survives_a_killed_process(open_window, project: Path, tmp_path: Path) -> None:
    desks = tmp_path / "desks"
    desks.mkdir()
    process = subprocess.Popen(
        [sys.executable, "-c", CRASH, str(project), str(desks)],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )
    try:
        assert process.stdout is not None
        assert process.stdout.readline().strip() == "edited"
        edited = time.monotonic()
        while not list(desks.glob("*/project.json")) and time.monotonic() < edited + 60:
            time.sleep(0.05)
        assert time.monotonic() - edited < KEEP_SAFE / 1000 + 50, (
            "within the interval, on a machine that has other work"
        )
        assert KEEP_SAFE <= 10_000, "seconds of work are lost, not minutes"
    finally:
        process.kill()
        process.wait()
        process.stdout.close()
    assert load_project(project)[0].materials["Lime-bloomed clay"].cards["dry"].inputs["fg"].value == 0.93
    window = open_window(project)
    assert window.banner.isVisible()
    assert "unsaved changes" in window.banner.text.text()
    window.banner.buttons[0].click()
    assert window.session.project.materials["Lime-bloomed clay"].cards["dry"].inputs["fg"].value == 0.125
    assert window.session.dirty
    window.session.save()
    assert load_project(project)[0].materials["Lime-bloomed clay"].cards["dry"].inputs["fg"].value == 0.125
    assert left_desks(desks) == ([], [])


def test_the_picture_from_the_window_is_the_command_lines(window, project: Path, tmp_path: Path) -> None:
    dialog = RenderDialog(window.session, window.studio.renders, window)
    dialog.show()
    dialog.width_box.set_value(200)
    dialog.height_box.set_value(125)
    dialog.path.setText(str(tmp_path / "window.png"))
    dialog.start.click()
    assert wait_until(lambda: dialog.said.text().startswith("Written"), 120)
    dialog.stop.click()
    command = [
        sys.executable,
        "-m",
        "collage.cli",
        "render",
        str(project),
        "-o",
        str(tmp_path / "line.png"),
        "--size",
        "200x125",
    ]
    subprocess.run(command, check=True, capture_output=True, timeout=200)
    np.testing.assert_array_equal(read_pixels(tmp_path / "window.png"), read_pixels(tmp_path / "line.png"))


def test_a_render_can_be_cancelled_and_a_wrong_name_is_told(window, tmp_path: Path) -> None:
    dialog = RenderDialog(window.session, window.studio.renders, window)
    dialog.show()
    dialog.width_box.set_value(64)
    dialog.height_box.set_value(64)
    dialog.path.setText(str(tmp_path / "a.xyz"))
    dialog.start.click()
    assert wait_until(lambda: "cannot write" in dialog.said.text())
    dialog.path.setText(str(tmp_path / "a.png"))
    dialog.width_box.set_value(3000)
    dialog.start.click()
    (place,) = window.studio.renders.places
    dialog.list.grid.itemAtPosition(0, 2).widget().click()
    assert window.studio.renders.places == []
    assert not place.exists()
    assert wait_until(lambda: window.studio.jobs.idle, 60)
    dialog.stop.click()
    assert not (tmp_path / "a.png").exists()
    assert dialog.result() == QDialog.DialogCode.Rejected


def test_saving_to_another_folder_takes_the_maps_along(window, tmp_path: Path) -> None:
    target = tmp_path / "elsewhere"
    window.session.set_value("dry", "fg", "float", 0.5)
    assert window.session.dirty
    window.files.save_to(target)
    assert wait_until(lambda: not window.session.dirty)
    assert (target / "maps" / "terracotta").is_dir()
    assert load_project(target)[0].materials == window.session.project.materials
    assert load_settings(tmp_path / "settings.json").recent[0] == str(target.resolve())


def test_the_camera_is_saved_with_the_project(window, hand, project: Path) -> None:
    hand.drag(wire_of(window).preview, QPoint(100, 100), QPoint(160, 100))
    window.session.save()
    assert load_project(project)[0].bench.camera == window.session.camera


def test_unsaved_work_is_asked_about_before_it_is_lost(window, monkeypatch: pytest.MonkeyPatch) -> None:
    assert window.files.may_leave()
    window.session.set_value("dry", "fg", "float", 0.5)
    answers = iter(["Cancel", "Don't save", "Save"])

    def answer(box: QMessageBox) -> int:
        wanted = next(answers)
        next(one for one in box.buttons() if one.text().replace("&", "") == wanted).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    assert not window.files.may_leave()
    assert window.files.may_leave()
    assert window.session.dirty
    assert window.files.may_leave()
    assert not window.session.dirty


def test_a_folder_without_a_project_is_told_and_the_work_stays(window, tmp_path: Path) -> None:
    before = window.session.project
    assert not window.files.open_folder(tmp_path)
    assert "no project" in window.banner.text.text()
    assert window.session.project is before
    window.banner.buttons[0].click()
    assert not window.banner.isVisible()


def test_a_window_without_a_project_starts_with_a_plain_material(open_window) -> None:
    window = open_window(None)
    assert window.session.material == "Plain"
    window.session.add(window.session.library["ND_constant_color3"], (0, 0))
    assert settle(window)
    assert wire_of(window).board.cards["constant"].picture is not None


def test_settings_come_back_and_a_broken_file_is_put_aside(tmp_path: Path) -> None:
    path = tmp_path / "settings.json"
    save_settings(Settings(theme="night", recent=["/a"]), path)
    assert load_settings(path) == Settings(theme="night", recent=["/a"])
    path.write_text("{")
    assert load_settings(path) == Settings()
    assert (tmp_path / "settings.broken.json").read_text() == "{"
    assert load_settings(tmp_path / "none.json") == Settings()


def test_the_page_of_shortcuts_is_searchable(window, hand) -> None:
    window.show_shortcuts()
    dialog = window.findChild(ShortcutsDialog)
    every = dialog.table.rowCount()
    hand.type(dialog.line, "peek")
    assert 0 < dialog.table.rowCount() < every
    dialog.close()


def test_everything_has_a_tooltip_or_a_name_for_screen_readers(window) -> None:
    from PySide6.QtWidgets import QAbstractButton

    window.session.select(["dry"])
    for button in window.findChildren(QAbstractButton):
        if button.isVisible():
            assert button.text() or button.toolTip() or button.accessibleName(), button
    for part in (wire_of(window).board, wire_of(window).preview, wire_of(window).sources.search):
        assert part.accessibleName()


def test_problems_of_a_worker_are_sentences_in_the_window(window) -> None:
    wire_of(window).preview.failed.emit(CollageError("Something is wrong.", remedy="Do something."))
    assert window.banner.text.text() == "Something is wrong. Do something."


def drop_files(board, *paths: Path) -> None:
    from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
    from PySide6.QtGui import QDropEvent

    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(
        QPointF(60, 60), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    board.dropEvent(event)


def test_a_typed_file_gets_its_colour_space_and_a_doubtful_one_is_marked(window, tmp_path: Path, hand) -> None:
    photograph = np.random.default_rng(1).integers(0, 255, (20, 30, 3)).astype(np.uint8)
    write_image(tmp_path / "photo.png", photograph)
    session, wire = window.session, wire_of(window)
    name = session.add(
        next(one.definition for one in offers(session.library) if one.definition.name == "ND_image_color3"), (1, 4)
    )
    field = wire.controls.fields["file"]
    field.line.setText(str(tmp_path / "photo.png"))
    field.line.editingFinished.emit()
    assert session.network.cards[name].inputs["file"].attributes == {"colorspace": "srgb_texture"}
    row = wire.controls.findChild(SpaceRow)
    assert row.about.text() == "30 × 20 · 8 bit · RGB"
    assert row.mark.isHidden()
    row.spaces.setCurrentIndex(row.spaces.findData("raw"))
    row.spaces.activated.emit(row.spaces.currentIndex())
    assert session.network.cards[name].inputs["file"].attributes == {"colorspace": "raw"}
    assert settle(window)
    assert "washed out" in wire.board.cards[name].toolTip()
    row = wire.controls.findChildren(SpaceRow)[-1]
    assert row.mark.text() == "Use sRGB"
    hand.click(row.mark, row.mark.rect().center())
    assert session.network.cards[name].inputs["file"].attributes == {"colorspace": "srgb_texture"}
    assert settle(window)
    assert wire.board.cards[name].doubt == ""
    window.undo_action.trigger()
    assert session.network.cards[name].inputs["file"].attributes == {"colorspace": "raw"}


def test_an_image_with_alpha_dropped_on_the_board_keeps_its_alpha(window, tmp_path: Path) -> None:
    write_image(tmp_path / "leaf.png", np.full((8, 8, 4), 120, np.uint8))
    drop_files(wire_of(window).board, tmp_path / "leaf.png")
    card = window.session.network.cards["image"]
    assert [(name, out.type) for name, out in card.network.outputs.items()] == [
        ("colour", "color3"),
        ("alpha", "float"),
    ]
    assert card.inputs["file"].attributes["colorspace"] == "srgb_texture"
    assert settle(window)
    assert wire_of(window).board.cards["image"].problem is None


def test_files_dropped_on_the_board_become_cards_and_materials(window, tmp_path: Path, shed: Path) -> None:
    drop_files(wire_of(window).board, shed / "maps" / "celadon" / "celadon_base_color.png")
    card = window.session.network.cards["image"]
    assert card.inputs["file"].attributes == {"colorspace": "srgb_texture"}
    assert settle(window)
    assert wire_of(window).board.cards["image"].problem is None
    window.undo_action.trigger()
    assert "image" not in window.session.network.cards
    (tmp_path / "odd.mtlx").write_text(
        '<materialx version="1.39"><mystery name="x" type="color3"/><noise2d name="n" type="color3"/><open_pbr_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="x"/></open_pbr_surface></materialx>'
    )
    drop_files(wire_of(window).board, tmp_path / "odd.mtlx")
    assert wait_until(lambda: window.session.material == "odd", 20)
    assert settle(window)
    assert "mystery" in str(wire_of(window).board.cards["x"].problem)
    assert wire_of(window).board.cards["n"].problem is None
    (tmp_path / "bomb.mtlx").write_text('<!DOCTYPE m [<!ENTITY a "b">]><materialx version="1.39"/>')
    before = window.session.project
    drop_files(wire_of(window).board, tmp_path / "bomb.mtlx")
    assert wait_until(lambda: "entities" in window.banner.text.text(), 20)
    assert window.session.project is before


def test_a_new_project_from_a_sample_is_made_beside_the_work_and_opened(window, tmp_path: Path) -> None:
    window.files.make_sample("plain-ball", tmp_path / "new")
    assert window.session.project.name == "Larkmere potting shed", "the window does not wait"
    assert wait_until(lambda: window.session.project.name == "New look")
    assert window.bar.busy.text() in ("", "Working on the picture")
    window.files.make_sample("plain-ball", tmp_path / "new")
    assert wait_until(lambda: "already holds a project" in window.banner.text.text())


def test_what_is_undone_before_it_was_kept_safe_leaves_nothing_to_recover(window) -> None:
    window.session.set_value("dry", "fg", "float", 0.5)
    window.session.keep_safe()
    assert window.session.desk.path.exists()
    window.undo_action.trigger()
    window.session.keep_safe()
    assert not window.session.desk.path.exists()


def test_a_desk_on_a_full_disk_is_told_once_and_again_when_it_works(window, monkeypatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("collage.app.shell.safety.RETRY", 50)
    with monkeypatch.context() as disk:
        disk.setattr("collage.core.project.recovery.write_bytes", full)
        window.session.history.do("Empty bench", lambda project: project.with_bench(Bench(exposure=0.5)))
        assert wait_until(lambda: window.banner.isVisible())
        assert "not kept safe" in window.banner.text.text()
        assert "No space left" in window.banner.text.text()
        window.banner.buttons[0].click()
        wait_until(lambda: False, 0.5)
        assert not window.banner.isVisible(), "told once, though it fails again"
    assert wait_until(lambda: window.banner.isVisible())
    assert window.banner.text.text() == "Unsaved changes are kept safe again."


def test_maps_that_cannot_be_kept_ready_are_told_once(open_window, project: Path, tmp_path: Path) -> None:
    large = project / "maps" / "celadon" / "celadon_roughness.png"
    write_image(large, np.random.default_rng(1).integers(0, 255, (600, 600, 1), np.uint8))
    (tmp_path / "maps").write_text("a file where the folder should be")
    window = open_window(project, renderer=None)
    assert wait_until(window.banner.isVisible)
    assert "Maps cannot be kept ready on the disk" in window.banner.text.text()
    window.banner.buttons[0].click()
    window.session.images.clear()
    wire_of(window).preview.look(wire_of(window).preview.camera.model_copy(update={"turn": 80.0}))
    assert settle(window)
    assert not window.banner.isVisible()
    assert wire_of(window).preview.picture.complete, "all works without"


def test_a_material_that_cannot_be_read_is_shown_and_brought_back_from_a_copy(open_window, project: Path) -> None:
    whole = load_project(project)[0]
    save_project(whole.with_bench(whole.bench.model_copy(update={"exposure": 0.5})), project)
    file = project / "materials" / "celadon-glaze.mtlx"
    torn = file.read_bytes()[:200]
    file.write_bytes(torn)
    window = open_window(project)
    assert "“Celadon glaze” cannot be read" in window.banner.text.text()
    labels = [one.text() for one in wire_of(window).sources.findChildren(QLabel)]
    assert "Celadon glaze: cannot be read" in labels
    window.session.save()
    assert file.read_bytes() == torn
    window.banner.buttons[0].click()
    assert window.session.project.materials["Celadon glaze"] == whole.materials["Celadon glaze"]
    assert window.session.history.undo_label == "Bring back Celadon glaze"
    window.session.save()
    assert load_project(project)[1] == []
    assert not window.banner.isVisible()


HOLD = """
import sys
from pathlib import Path
from collage.core.project.lock import Lock
print(Lock(Path(sys.argv[1])).take(), flush=True)
sys.stdin.readline()
"""


def test_a_project_that_another_collage_has_open_is_told_and_taken_over(open_window, project: Path) -> None:
    other = subprocess.Popen(
        [sys.executable, "-c", HOLD, str(project)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    try:
        assert other.stdout is not None
        assert other.stdout.readline().strip() == "None"
        window = open_window(project)
        assert f"process {other.pid}" in window.banner.text.text()
        assert [one.text() for one in window.banner.buttons] == ["Take over", "Close"]
        window.banner.buttons[1].click()
        before = load_project(project)[0]
        window.session.set_value("dry", "fg", "float", 0.25)
        window.menus.actions["Save"].trigger()
        assert "open in another Collage" in window.banner.text.text()
        assert load_project(project)[0] == before
        window.banner.hide()
        window.session.take_over()
        window.menus.actions["Save"].trigger()
        assert not window.banner.isVisible()
        assert load_project(project)[0].materials["Lime-bloomed clay"].cards["dry"].inputs["fg"].value == 0.25
    finally:
        other.kill()
        other.communicate()
