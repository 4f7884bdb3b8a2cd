"""The queue of renders in the real window: it goes on while one works, is held and let go on, and comes back."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np

from collage.app.shell.render_dialog import TURNTABLE, RenderDialog
from collage.app.shell.start import wait_until
from collage.core.images.files import read_pixels
from collage.core.project import render_queue as orders


def dialog_of(window, out: Path, **size: int) -> RenderDialog:
    window.render_dialog()
    dialog = window.findChild(RenderDialog)
    dialog.path.setText(str(out))
    dialog.width_box.set_value(size.get("width", 64))
    dialog.height_box.set_value(size.get("height", 40))
    return dialog


def traced(dialog: RenderDialog, samples: int) -> None:
    dialog.quality.setCurrentText("traced")
    dialog.samples.set_value(samples)


def button(dialog: RenderDialog, row: int, column: int):
    return dialog.list.grid.itemAtPosition(2 * row, column).widget()


def test_renders_follow_each_other_and_go_on_when_the_dialog_is_closed(window, tmp_path: Path) -> None:
    queue = window.studio.renders
    dialog = dialog_of(window, tmp_path / "a.png")
    dialog.start.click()
    dialog.path.setText(str(tmp_path / "b.png"))
    dialog.start.click()
    assert len(queue.places) == 2
    assert [label.text().split(" · ")[0] for label, _, _ in dialog.list.rows.values()] == ["a.png", "b.png"]
    before = window.session.project.bench.exposure
    dialog.reject()
    window.session.edit_bench("Darker", lambda bench: bench.model_copy(update={"exposure": -8.0}))
    assert wait_until(lambda: (tmp_path / "b.png").is_file() and not queue.places, 60)
    window.undo()
    assert window.session.project.bench.exposure == before
    assert read_pixels(tmp_path / "b.png").mean() > 40, "it shows the project as it was when it was asked for"


def test_a_picture_is_written_with_as_many_bits_as_are_picked(window, tmp_path: Path) -> None:
    dialog = dialog_of(window, tmp_path / "fine.exr")

    def depths() -> list[str]:
        return [dialog.bit_depth.itemText(at) for at in range(dialog.bit_depth.count())]

    assert depths() == ["32 bit", "16 bit"]
    dialog.path.setText(str(tmp_path / "fine.jpg"))
    assert depths() == ["8 bit"]
    dialog.path.setText(str(tmp_path / "fine.tif"))
    assert depths() == ["8 bit", "16 bit"]
    dialog.bit_depth.setCurrentText("16 bit")
    dialog.start.click()
    dialog.path.setText(str(tmp_path / "plain.png"))
    assert dialog.bit_depth.currentText() == "16 bit", "PNG has it too"
    dialog.bit_depth.setCurrentText("8 bit")
    dialog.start.click()
    assert wait_until(lambda: (tmp_path / "plain.png").is_file() and not window.studio.renders.places, 60)
    fine, plain = read_pixels(tmp_path / "fine.tif"), read_pixels(tmp_path / "plain.png")
    assert (fine.dtype, plain.dtype) == (np.uint16, np.uint8)
    assert np.abs(fine / 257 - plain.astype(float)).max() < 0.6, "the same picture"
    assert len(np.unique(fine)) > 4 * len(np.unique(plain))
    dialog.reject()


def test_a_render_is_held_and_goes_on_from_there(window, tmp_path: Path) -> None:
    queue = window.studio.renders
    dialog = dialog_of(window, tmp_path / "held.exr", width=160, height=100)
    traced(dialog, 200)
    dialog.start.click()
    (place,) = queue.places
    assert wait_until(lambda: queue.share(place) > 0.02, 60)
    assert "%" in queue.words(place)
    button(dialog, 0, 1).click()
    assert queue.words(place) == "Paused"
    assert wait_until(lambda: window.studio.jobs.idle, 60)
    assert orders.read(place).paused
    assert (place / orders.EXPOSED).is_file()
    assert not (tmp_path / "held.exr").exists()
    assert button(dialog, 0, 1).text() == "Resume"
    with np.load(place / orders.EXPOSED) as kept:
        so_far = int(kept["samples"])
    assert so_far > 0
    button(dialog, 0, 1).click()
    assert wait_until(lambda: (tmp_path / "held.exr").is_file() and not queue.places, 200)
    assert dialog.said.text().startswith("Written")
    dialog.reject()


def test_what_is_in_the_way_is_said_and_mended(window, tmp_path: Path) -> None:
    queue = window.studio.renders
    wall = tmp_path / "not a folder"
    wall.write_text("in the way")
    dialog = dialog_of(window, wall / "picture.png")
    dialog.start.click()
    (place,) = queue.places
    assert wait_until(lambda: orders.read(place) is not None and queue.order(place).paused, 60)
    assert "cannot be written" in queue.words(place)
    wall.unlink()
    button(dialog, 0, 1).click()
    assert wait_until(lambda: (wall / "picture.png").is_file() and not queue.places, 60)
    dialog.reject()


def test_renders_of_a_crash_come_back(window, tmp_path: Path) -> None:
    queue = window.studio.renders
    project = window.session.project
    folder = window.session.base_folder.absolute()
    order = orders.Order(out=str(tmp_path / "late.png"), folder=str(folder), width=48, height=30, quality="draft")
    root = tmp_path / "renders"
    place = orders.add(project, order, root)
    gone = subprocess.run([sys.executable, "-c", "import os; print(os.getpid())"], capture_output=True, text=True)
    place.rename(root / f"{int(gone.stdout)}-{place.name.partition('-')[2]}")
    queue.root = root
    queue.take_up()
    assert [queue.order(one).name for one in queue.places] == ["late.png"]
    assert wait_until(lambda: (tmp_path / "late.png").is_file() and not queue.places, 60)


def test_a_turntable_is_numbered_frames(window, tmp_path: Path) -> None:
    dialog = dialog_of(window, tmp_path / "round" / "turn.png", width=32, height=20)
    dialog.quality.setCurrentText("draft")
    assert not dialog.frames.isVisible()
    dialog.round.setCurrentText(TURNTABLE)
    assert dialog.frames.isVisible()
    dialog.frames.set_value(3)
    dialog.start.click()
    assert wait_until(lambda: not window.studio.renders.places, 60)
    assert len(list((tmp_path / "round").iterdir())) == 3
    dialog.reject()


def test_a_file_that_cannot_be_is_told_before_anything_waits(window, tmp_path: Path) -> None:
    dialog = dialog_of(window, tmp_path / "picture.xyz")
    dialog.start.click()
    assert window.studio.renders.places == []
    assert "cannot write" in dialog.said.text()
    dialog.reject()
