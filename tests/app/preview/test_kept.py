"""A project opens with its picture of last time: at once, without the kernels, and only where it is still true."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor, QImage

from collage.app.preview.kept import MOST, OWN, KeptPictures
from collage.app.shell.start import make_window, settle, wait_until
from collage.core.scene.cameras import Camera


def picture(colour: str = "#804020") -> QImage:
    image = QImage(40, 30, QImage.Format.Format_RGB888)
    image.fill(QColor(colour))
    return image


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "pot" / "materials").mkdir(parents=True)
    (tmp_path / "pot" / "project.json").write_text("{}")
    (tmp_path / "pot" / "materials" / "clay.mtlx").write_text("<materialx/>")
    return tmp_path / "pot"


def test_a_picture_is_found_as_long_as_files_and_camera_are_the_same(tmp_path, folder):
    kept, camera = KeptPictures(tmp_path / "kept"), Camera()
    assert kept.find(folder, camera) is None
    assert not kept.has(folder)
    kept.keep(picture(), folder, camera)
    found = kept.find(folder, camera)
    assert found is not None
    assert found.size() == picture().size()
    assert found.pixelColor(3, 3).name() == "#804020"
    assert kept.has(folder)
    assert kept.find(folder, Camera(turn=25.0)) is None
    (folder / ".lock").write_text("held")  # comes and goes with every window
    assert kept.has(folder)
    (folder / "materials" / "clay.mtlx").write_text("<materialx version='1.39'/>")
    assert kept.find(folder, camera) is None
    assert not kept.has(folder)


def test_a_project_that_was_moved_or_copied_has_its_picture_still(tmp_path, folder):
    kept, camera = KeptPictures(tmp_path / "kept"), Camera()
    kept.keep(picture(), folder, camera)
    copy = Path(shutil.copytree(folder, tmp_path / "copy"))
    assert kept.has(copy)
    assert kept.find(copy, camera).pixelColor(3, 3).name() == "#804020"
    moved = folder.rename(tmp_path / "moved")
    assert kept.find(moved, camera) is not None
    (copy / "materials" / "clay.mtlx").write_text("<materialx version='1.39'/>")
    assert not kept.has(copy)
    assert kept.has(moved)


def test_one_picture_a_project_and_the_newest_of_all(tmp_path, folder):
    kept = KeptPictures(tmp_path / "kept")
    for turn in range(4):
        kept.keep(picture(), folder, Camera(turn=turn))
    assert len(list(kept.folder.glob("*.png"))) == 1
    for number in range(MOST + 5):
        other = tmp_path / f"other {number}"
        other.mkdir()
        kept.keep(picture(), other, Camera())
    assert len(list(kept.folder.glob("*.png"))) == MOST
    assert kept.has(tmp_path / f"other {MOST + 4}")


def test_a_saved_project_takes_its_picture_along(tmp_path, folder):
    camera = Camera()
    KeptPictures(tmp_path / "kept").keep(picture(), folder, camera)
    assert not (folder / OWN).exists(), "what is only looked at is left as it is"
    KeptPictures(tmp_path / "kept").keep(picture(), folder, camera, own=True)
    elsewhere = KeptPictures(tmp_path / "kept elsewhere")
    copy = Path(shutil.copytree(folder, tmp_path / "copy", copy_function=shutil.copyfile))
    assert elsewhere.has(copy)
    assert elsewhere.find(copy, camera).pixelColor(3, 3).name() == "#804020"
    assert elsewhere.newest(copy) is not None
    assert elsewhere.find(copy, Camera(turn=25.0)) is None
    (copy / "maps").mkdir()
    assert elsewhere.has(copy)
    (copy / "maps" / "clay.png").write_bytes(b"1" * 50_000)
    assert not elsewhere.has(copy)
    KeptPictures(tmp_path / "kept").keep(picture(), copy, camera, own=True)
    assert elsewhere.has(copy)
    (copy / "maps" / "clay.png").write_bytes(b"1" * 25_000 + b"2" + b"1" * 24_999)  # as large as before
    assert elsewhere.find(copy, camera) is None
    assert elsewhere.newest(copy) is not None


@pytest.mark.parametrize("theirs", [b"not a picture", None])
def test_a_picture_of_the_persons_own_is_never_replaced(tmp_path, folder, theirs):
    if theirs is None:
        picture("#102030").save(str(folder / OWN))
    else:
        (folder / OWN).write_bytes(theirs)
    before = (folder / OWN).read_bytes()
    KeptPictures(tmp_path / "kept").keep(picture(), folder, Camera(), own=True)
    assert (folder / OWN).read_bytes() == before
    assert KeptPictures(tmp_path / "other").find(folder, Camera()) is None


@pytest.mark.parametrize("left", [0, 1, 60, 90])
def test_a_damaged_picture_is_none(tmp_path, folder, left):
    kept = KeptPictures(tmp_path / "kept")
    noise = np.random.default_rng(3).integers(0, 255, (200, 200, 3), np.uint8)
    kept.keep(QImage(noise.data, 200, 200, 600, QImage.Format.Format_RGB888), folder, Camera())
    file = next(kept.folder.glob("*.png"))
    whole = file.read_bytes()
    file.write_bytes(whole[: len(whole) * left // 100])
    assert kept.find(folder, Camera()) is None


def test_a_folder_that_takes_no_files_costs_only_the_picture(tmp_path, folder):
    (tmp_path / "kept").write_text("a file where the folder should be")
    kept = KeptPictures(tmp_path / "kept")
    kept.keep(picture(), folder, Camera())
    assert kept.find(folder, Camera()) is None


def test_the_window_is_built_without_the_kernels():
    code = "import sys, collage.app.shell.start, collage.app.wire.place; print('numba' in sys.modules)"
    ran = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert ran.stdout.strip() == "False"


def kept_files(tmp_path: Path) -> list[Path]:
    """Whole ones: while one is written it has a hidden name."""
    return sorted((tmp_path / "pictures").glob("[!.]*.png"))


def test_a_project_opens_with_its_picture_and_the_complete_one_follows(open_window, project, tmp_path, qapp):
    first = open_window(project)
    assert wait_until(lambda: bool(kept_files(tmp_path)), 20)
    before = wire_of(first).preview.image
    first.close()

    again = make_window(project, settings_file=tmp_path / "settings.json", desks=tmp_path / "desks")
    preview, seen = wire_of(again).preview, []
    preview.shown_changed.connect(lambda: seen.append((preview.picture is not None, preview.image.copy())))
    assert preview.kept
    assert preview.image == before, "it is there before the window is shown"
    again.resize(1280, 800)
    again.show()
    assert not preview.settled, "what was kept is no answer yet"
    assert settle(again)
    assert not preview.kept
    assert preview.picture.complete
    assert [made for made, _ in seen] == [True], "no rough picture comes between the two"
    assert preview.image == before, "the same project looks the same"
    again.close()


def test_a_hand_does_not_wait_for_the_complete_picture(open_window, project, tmp_path, hand, qapp):
    first = open_window(project)
    assert wait_until(lambda: bool(kept_files(tmp_path)), 20)
    first.close()
    again = open_window(project)
    preview = wire_of(again).preview
    preview.show_kept(preview.image.copy())
    complete = []
    preview.shown_changed.connect(lambda: complete.append(preview.picture.complete))
    hand.drag(preview, QPoint(100, 100), QPoint(140, 110))
    assert not preview.kept
    assert settle(again)
    assert complete[0] is False, "the first picture after a turn is a quick one"


def test_what_is_not_saved_is_not_kept(open_window, project, tmp_path):
    window = open_window(project)
    assert wait_until(lambda: bool(kept_files(tmp_path)), 20)
    (kept,) = kept_files(tmp_path)
    preview = wire_of(window).preview
    preview.look(preview.camera.model_copy(update={"turn": 80.0}))
    assert settle(window)
    assert not wait_until(lambda: kept_files(tmp_path) != [kept], 1.6), "the project opens with its saved view"
    assert not (project / OWN).exists()
    window.files.save()
    assert wait_until(lambda: len(kept_files(tmp_path)) == 1 and kept_files(tmp_path) != [kept], 20)
    assert wait_until((project / OWN).exists, 20)
    shutil.copytree(project, tmp_path / "sent")
    again = make_window(tmp_path / "sent", settings_file=tmp_path / "other" / "settings.json", desks=tmp_path / "desks")
    assert wire_of(again).preview.kept, "whoever gets the project sees it at once"
    again.close()
