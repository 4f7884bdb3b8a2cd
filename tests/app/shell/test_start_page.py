"""The start: cards for what one can begin with, from nothing to one's own map on a lit object, and the first walk."""

from __future__ import annotations

import os
from datetime import date
from pathlib import Path

import numpy as np
import pytest
from places import drop, gather_of, wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from collage.app.shell import front as front_module
from collage.app.shell import start_page as page_module
from collage.app.shell.settings import Settings
from collage.app.shell.start import settle, wait_until
from collage.app.shell.start_page import when
from collage.app.shell.walk import STEPS
from collage.core.document.model import Wire
from collage.core.geometry.glb_write import write_glb
from collage.core.geometry.stock import shape
from collage.core.images.files import write_image
from collage.core.project import objects


@pytest.fixture
def demo(project: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """The sample that the start page opens."""
    for module in (front_module, page_module):
        monkeypatch.setattr(module, "demo_folder", lambda: project)
    return project


@pytest.fixture
def start(open_window, demo: Path):
    return open_window(None)


def card(window, name: str):
    return next(one for one in window.front.page.cards if one.name == name)


def pick(window, name: str) -> None:
    QTest.mouseClick(card(window, name), Qt.MouseButton.LeftButton)


@pytest.fixture
def photograph(tmp_path: Path) -> Path:
    """Red and blue stripes."""
    pixels = np.zeros((64, 64, 3), np.uint8)
    pixels[:, ::2], pixels[:, 1::2] = (200, 30, 30), (190, 40, 30)
    write_image(tmp_path / "rust coat.png", pixels)
    return tmp_path / "rust coat.png"


def test_nothing_open_shows_what_one_can_begin_with(start):
    assert start.front.at_start
    assert [one.name for one in start.front.page.cards] == [
        "Gather a folder…", "New material on a ball", "First walk", "Potting shed",
    ]  # fmt: skip
    assert start.windowTitle() == "Collage"
    assert not start.bar.material.isVisible()
    assert all(one.image is not None and not one.image.isNull() for one in start.front.page.cards)
    right = max(one.mapTo(start, QPoint(one.width(), 0)).x() for one in start.front.page.cards)
    assert right <= start.width(), "no card is cut"
    assert start.size().height() == 800, "the page does not make the window larger"


def test_from_nothing_to_a_lit_object_with_ones_own_map_in_two_acts(start, photograph):
    pick(start, "New material on a ball")  # 1
    assert settle(start)
    assert not start.front.at_start
    preview = wire_of(start).preview
    before = preview.picture.linear.copy()
    middle = preview.object_at(preview.rect().center())
    assert middle == 0, "the ball is in the middle of the picture"
    assert before[preview.picture.objects == 0].mean() > 0.1, "it is lit"
    drop(preview, photograph)  # 2
    assert wait_until(lambda: len(start.session.project.materials) == 2, 20)
    assert settle(start)
    shown = preview.picture.linear[preview.picture.objects == 0]
    assert shown[:, 0].mean() > 3 * shown[:, 2].mean(), "the map's red is on the ball"


def test_one_picture_dropped_on_the_page_comes_on_a_ball(start, photograph):
    drop(start.front.page.viewport(), photograph)
    assert wait_until(lambda: start.session.project.bench.objects != (), 20)
    assert wait_until(lambda: start.session.project.bench.objects[0].material != "Plain", 20)
    assert settle(start)
    assert not start.front.at_start


def test_a_mesh_dropped_on_the_page_comes_beside_a_ball(start, tmp_path, monkeypatch):
    monkeypatch.setattr(objects, "unsaved_meshes", lambda: tmp_path / "unsaved")
    write_glb(shape("ring"), tmp_path / "ring.glb")
    drop(start.front.page.viewport(), tmp_path / "ring.glb")
    assert wait_until(lambda: len(start.session.project.bench.objects) == 2, 20)
    ball, ring = start.session.project.bench.objects
    assert (ring.name, ring.material) == ("ring", ball.material)
    assert settle(start)
    assert not start.front.at_start


def test_a_folder_dropped_on_the_page_is_gathered(start, shed):
    drop(start.front.page.viewport(), shed / "maps")
    assert not start.front.at_start
    assert start.current.title == "Gather"
    assert wait_until(lambda: len(gather_of(start).state.found.sets) == 3, 30)


def test_a_project_dropped_on_the_page_is_opened(start, demo):
    drop(start.front.page.viewport(), demo / "project.json")
    assert start.session.folder == demo
    assert not start.front.at_start
    assert settle(start)


def test_gather_asks_for_a_folder(start, shed, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: str(shed / "maps"))
    pick(start, "Gather a folder…")
    assert start.current.title == "Gather"
    assert wait_until(lambda: len(gather_of(start).state.found.sets) == 3, 30)


def test_keys_reach_every_card_and_enter_takes_it(start):
    names = []
    start.front.page.cards[0].setFocus()
    for _ in range(4):
        names.append(QApplication.focusWidget().accessibleName())
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
    assert names == [one.name for one in start.front.page.cards]
    start.front.page.cards[1].setFocus()
    QTest.keyClick(start.front.page.cards[1], Qt.Key.Key_Return)
    assert not start.front.at_start
    assert settle(start)


def test_recent_projects_have_their_picture_and_date_and_open(open_window, demo, shed, tmp_path, monkeypatch):
    monkeypatch.setattr(page_module, "demo_folder", lambda: tmp_path / "none")
    os.utime(demo / "project.json", (1_760_000_000, 1_760_000_000))
    settings = Settings(recent=[str(tmp_path / "gone"), str(demo)])
    window = open_window(demo, settings=settings)
    assert wait_until(lambda: bool(list((tmp_path / "pictures").glob("[!.]*.png"))), 20)
    shown: QImage = wire_of(window).preview.image
    window.menus.actions["Close project"].trigger()
    assert window.front.at_start
    recent = card(window, demo.name)
    assert recent.note == when(demo / "project.json")
    assert recent.image == shown
    assert not any(one.name == "gone" for one in window.front.page.cards)
    pick(window, demo.name)
    assert window.session.folder == demo
    assert settle(window)


def test_a_narrow_page_scrolls_instead_of_cutting(start):
    page = page_module.StartPage(start.studio)
    page.resize(600, 400)
    page.show()
    assert wait_until(page.isVisible, 5)
    right = max(one.mapTo(page, QPoint(one.width(), 0)).x() for one in page.cards)
    assert right <= page.viewport().width()
    assert page.verticalScrollBar().maximum() > 0
    page.close()
    page.deleteLater()


def test_when_is_said_as_people_say_it(tmp_path):
    file = tmp_path / "f"
    file.write_text("")
    os.utime(file, (1_790_000_000, 1_790_000_000))
    day = date.fromtimestamp(1_790_000_000)
    assert when(file, day).startswith("Today, ")
    assert when(file, date.fromordinal(day.toordinal() + 1)).startswith("Yesterday, ")
    assert when(file, date.fromordinal(day.toordinal() + 40)) == f"{day.day} {day:%B %Y}"


def test_the_walk_goes_on_by_what_is_done_and_can_be_closed(start, demo):
    pick(start, "First walk")
    window = start
    assert wait_until(lambda: window.walk.isVisible(), 30)
    assert window.session.folder == demo
    assert settle(window)
    walk, session = window.walk, window.session

    def done(step: int) -> bool:
        return wait_until(lambda: walk.step == step, 5)

    wire_of(window).preview.look(session.camera.model_copy(update={"turn": 60.0}))
    assert done(1)
    session.set_value("edge", "high", "float", 0.9)
    assert done(2)
    session.toggle_peek("edge")
    assert done(3)
    session.toggle_peek("edge")
    assert walk.step == 3, "going back to the whole is no card"
    cells = next(one for one in window.studio.offers if one.definition.category == "worleynoise3d")
    session.add(cells.definition, (0.0, 0.0))
    assert done(4)
    surface = session.surface
    session.unwire(surface.name, "specular_roughness")
    assert not wait_until(lambda: walk.step != 4, 1.2)
    walk._show()
    session.wire(Wire(session.selection[0]), surface.name, "specular_roughness", "float")
    assert done(5)
    for step in range(6, len(STEPS)):
        QTest.mouseClick(walk.next, Qt.MouseButton.LeftButton)
        assert walk.step == step
    assert not walk.next.isEnabled()
    QTest.mouseClick(walk.back, Qt.MouseButton.LeftButton)
    assert walk.step == len(STEPS) - 2
    QTest.mouseClick(walk.close_button, Qt.MouseButton.LeftButton)
    assert not walk.isVisible()
    assert settle(window)


def test_a_normal_map_with_a_name_that_says_nothing_is_wired_as_one(start, shed, tmp_path):
    path = tmp_path / "img_0042.png"
    path.write_bytes((shed / "maps" / "terracotta" / "terracotta_normal.png").read_bytes())
    drop(start.front.page.viewport(), path)
    assert wait_until(lambda: len(start.session.project.materials) == 2, 20)
    surface = start.session.surface
    assert "geometry_normal" in surface.inputs
    assert "base_color" not in surface.inputs
    assert settle(start)
