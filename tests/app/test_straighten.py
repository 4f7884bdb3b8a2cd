"""The Seamless page on a wall taken at a slant: corners and pattern found, dragged, undone, and saved."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from places import gather_of
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from collage.app.gather.seamless_page import SeamlessPage
from collage.app.shell.start import wait_until
from collage.app.shell.window import MainWindow
from collage.core.images.files import read_info, write_image
from collage.core.images.made import Record, read_record, record_path
from collage.core.images.perspective import moved
from collage.core.images.region import Region, taken_size
from collage.core.images.seamless import Seamless
from collage.demo.photographs import photograph
from collage.demo.regular import RegularPhotograph, regular_photograph


@pytest.fixture
def wall() -> RegularPhotograph:
    return regular_photograph("bricks", (300, 400), 3, period=80, slant=(16.0, -9.0), roll=2.0)


@pytest.fixture
def page(window: MainWindow, tmp_path: Path, wall: RegularPhotograph) -> SeamlessPage:
    write_image(tmp_path / "walls" / "back wall.png", wall.pixels)
    write_image(tmp_path / "walls" / "gravel.png", photograph("gravel", 128).pixels)
    QTest.keyClick(window, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    place = gather_of(window)
    page = place.seamless
    place.stack.setCurrentWidget(page)
    page.open(tmp_path / "walls" / "back wall.png")
    assert wait_until(lambda: page.settled and not page.after.empty)
    return page


def press(button) -> None:
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_corners_and_pattern_are_found_and_saved(page: SeamlessPage, wall: RegularPhotograph, tmp_path: Path) -> None:
    assert "<b>100%</b>" in page.score.text(), "joined anywhere, courses end in the middle"
    press(page.find_corners)
    assert wait_until(lambda: page.settled and page.before.corners is not None)
    assert page.shape.checkedId() == 1
    on_wall = moved(wall.to_plane, np.array(page.before.corners) * (400, 300))
    assert abs(on_wall[0, 1] - on_wall[1, 1]) < 2, "the upper edge runs along the courses"
    assert abs(on_wall[0, 0] - on_wall[3, 0]) < 2
    press(page.find_pattern)
    assert wait_until(lambda: page.settled and page.across.value > 0)
    width, height = taken_size((400, 300), page.recipe().region)
    wide, high = on_wall[1, 0] - on_wall[0, 0], on_wall[3, 1] - on_wall[0, 1]
    assert page.across.value / width == pytest.approx(wall.period[0] / wide, rel=0.02)
    assert page.down.value / height == pytest.approx(wall.period[1] / high, rel=0.02)
    assert page.before.grid == pytest.approx(page.recipe().period)
    assert "Broken pattern" in page.score.text()
    assert "<b>100%</b>" not in page.score.text()
    assert page.history.labels == ["Seamless values"] * 2
    target = tmp_path / "back_wall_base_color.png"
    recipe = page.recipe()
    page.save_to(target)
    assert wait_until(lambda: page.settled and target.exists())
    assert read_record(target).seamless == recipe
    assert read_info(target).width < width
    page.open(target)  # opened again as it was made
    assert wait_until(lambda: page.settled and page.full[0] > 0)
    assert page.source.name == "back wall.png"
    assert page.recipe().period == pytest.approx(recipe.period, abs=2e-3)
    assert page.recipe().region == recipe.region


def test_corners_and_grid_lines_are_dragged(page: SeamlessPage, hand) -> None:
    press(page.shape.button(1))
    assert wait_until(lambda: page.settled)
    view = page.before
    corner = view._on_screen([view.corners[0]])[0].toPoint()
    hand.drag(view, corner, corner + QPoint(30, 24))
    frame = view._frame()
    assert view.corners[0] == pytest.approx((0.1 + 30 / frame.width(), 0.1 + 24 / frame.height()), abs=0.01)
    assert page.recipe().region.corners == view.corners
    there = view.corners
    corner = view._on_screen([there[0]])[0].toPoint()
    hand.drag(view, corner, corner + QPoint(0, 2 * view.height()))
    assert view.corners[3] == there[3], "the others stay"
    assert view.corners[0][1] < view.corners[3][1], "corners keep their order"
    QTest.keyClick(page.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert page.recipe().region.corners == there

    width, _ = taken_size((400, 300), page.recipe().region)
    page.across.edited.emit(0.0, False)
    page.across.set_value(width / 4)
    page.tried()
    assert len(view._lines(0)) == 3
    start, end = view._line(0, view._lines(0)[1])  # the second line: two steps
    middle = QPointF((start.x() + end.x()) / 2, (start.y() + end.y()) / 2)
    before = page.across.value
    hand.drag(view, middle.toPoint(), (middle + QPointF(-20, 0)).toPoint())
    assert 0.6 * before < page.across.value < 0.95 * before
    assert page.down.value == 0
    press(page.shape.button(0))
    assert view.corners is None
    assert page.recipe().region.corners is None


def test_what_is_not_found_is_said(page: SeamlessPage, tmp_path: Path) -> None:
    page.open(tmp_path / "walls" / "gravel.png")
    assert wait_until(lambda: page.settled and page.full[0] == 128)
    press(page.find_pattern)
    assert wait_until(lambda: "No pattern" in page.said.text())
    press(page.find_corners)
    assert wait_until(lambda: "parallel lines" in page.said.text())
    assert page.before.corners is None
    press(page.shape.button(1))
    assert wait_until(lambda: page.settled and page.said.text() == "")
    assert page.before.corners is not None, "they can still be dragged by hand"


def test_bright_joints_are_offered_to_be_inverted(page: SeamlessPage, tmp_path: Path) -> None:
    place = gather_of(page.window())
    light = regular_photograph("bricks", (300, 400), 2, period=80, joint=2.0)
    write_image(tmp_path / "walls" / "light mortar.png", light.pixels)
    derive = place.derive
    place.stack.setCurrentWidget(derive)
    derive.open(tmp_path / "walls" / "light mortar.png")
    assert wait_until(lambda: derive.settled and derive.bright.isVisible(), 60)
    joint = derive.views["height"].image.copy()
    press(derive.bright)
    assert derive.inverse.isChecked()
    assert not derive.bright.isVisible()
    assert wait_until(lambda: derive.settled and derive.views["height"].image != joint)
    QTest.keyClick(derive.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not derive.inverse.isChecked()
    assert derive.bright.isVisible(), "asked again after undo"
    derive.open(tmp_path / "walls" / "back wall.png")
    assert wait_until(lambda: derive.settled and not derive.bright.isVisible())


def test_a_record_with_corners_that_enclose_nothing_is_told(page: SeamlessPage, tmp_path: Path) -> None:
    made = tmp_path / "walls" / "made.png"
    write_image(made, np.zeros((32, 32, 3), np.uint8))
    corners = ((0.1, 0.1), (0.9, 0.9), (0.9, 0.1), (0.1, 0.9))
    record = Record(source="back wall.png", seamless=Seamless(region=Region(corners=corners)))
    record_path(made).write_text(record.model_dump_json())
    page.open(made)
    assert wait_until(lambda: page.settled and "enclose nothing" in page.said.text())
    press(page.shape.button(0))
    assert wait_until(lambda: page.settled and page.said.text() == "")
