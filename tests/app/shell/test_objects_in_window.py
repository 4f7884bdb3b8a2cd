"""A person's own objects in the window: dropped, mended with one click, duplicated and taken off again."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest
import trimesh
from places import wire_of
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from collage.app.shell.start import settle, wait_until
from collage.app.widgets.dragged import MATERIAL_FORMAT
from collage.core.actions import objects
from collage.core.document.making import card, given
from collage.core.document.materials import material_card
from collage.core.document.model import Network, Wire
from collage.core.scene.bench import Camera, stock


def drop(widget, paths: list[Path], at: QPoint) -> bool:
    """Drops files as a file manager does; whether the place takes them."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    how = (Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(widget, QDragEnterEvent(at, *how))
    move = QDragMoveEvent(at, *how)
    QApplication.sendEvent(widget, move)
    if move.isAccepted():
        QApplication.sendEvent(widget, QDropEvent(QPointF(at), *how))
    return move.isAccepted()


@pytest.fixture
def ring(tmp_path: Path) -> Path:
    """A ring without UVs that is inside out, as STL."""
    solid = trimesh.creation.torus(0.05, 0.02, 24, 12)
    solid.invert()
    solid.export(tmp_path / "ring.stl")
    return tmp_path / "ring.stl"


def test_an_object_is_dropped_and_mended_with_two_clicks(window, ring: Path) -> None:
    session, preview = window.session, wire_of(window).preview
    before = preview.picture.display.copy()
    count = len(session.bench.objects)
    assert drop(preview, [ring], QPoint(5, 5)), "it need not be dropped on another object"
    assert wait_until(lambda: len(session.bench.objects) == count + 1, 20)
    item = session.project.bench.objects[-1]
    assert item.material == session.material
    assert (session.folder / "meshes" / "ring.glb").is_file()
    assert settle(window)
    assert "point inwards" in window.banner.text.text()
    assert "no UVs" in window.banner.text.text()
    for label, left in (("Turn them outwards", "no UVs"), ("Make UVs", "")):
        assert window.banner.buttons[0].text() == label
        QTest.mouseClick(window.banner.buttons[0], Qt.MouseButton.LeftButton)
        assert wait_until(lambda: session.history.undo_label == "Read ring again" and not session_busy(window), 20)
        assert window.banner.isVisible() == bool(left)
    mesh = session.bench.objects[-1].mesh()
    assert list(mesh.uv) == ["UVMap"]
    preview.look(preview.camera.framing(*preview.renderer.bounds(session.bench)))
    assert settle(window)
    assert not np.array_equal(preview.picture.display, before)
    number = len(session.bench.objects) - 1
    assert (preview.picture.ids[0][preview.picture.triangle] == number).sum() > 20, "it is seen"
    for _ in range(3):
        session.history.undo()
    assert len(session.bench.objects) == count


def session_busy(window) -> bool:
    return bool(window.studio.jobs.tickets)


def test_a_size_in_millimetres_is_offered(window, tmp_path: Path) -> None:
    trimesh.creation.box((300, 200, 100)).export(tmp_path / "crate.obj")
    drop(wire_of(window).preview, [tmp_path / "crate.obj"], QPoint(5, 5))
    assert wait_until(lambda: "millimetres" in window.banner.text.text(), 20)
    QTest.mouseClick(window.banner.buttons[0], Qt.MouseButton.LeftButton)
    assert wait_until(lambda: window.session.history.undo_label == "Read crate again", 20)
    low, high = window.session.bench.objects[-1].mesh().bounds
    assert high - low == pytest.approx([0.3, 0.2, 0.1])


def test_acts_of_the_menu_on_an_object(window) -> None:
    session, preview = window.session, wire_of(window).preview
    names = [item.name for item in session.bench.objects]
    menu = preview.assign_menu(0)
    texts = {action.text().split("\t")[0]: action for action in menu.actions()}
    texts["Duplicate object"].trigger()
    assert [item.name for item in session.bench.objects] == [*names, f"{names[0]} 2"]
    assert settle(window)
    menu = preview.assign_menu(len(names))
    next(action for action in menu.actions() if action.text().startswith("Remove object")).trigger()
    assert [item.name for item in session.bench.objects] == names


def test_an_object_is_displaced_subdivided_by_its_menu_and_flat_again(window) -> None:
    session, preview = window.session, wire_of(window).preview
    item = stock("Ball", "sphere", material=session.material, sizes={"segments": 24})
    session.edit_bench("ball", lambda bench: bench.model_copy(update={"objects": (item,)}))
    preview.look(Camera(turn=0, height=20, distance=0.8, target=(0, 0.1, 0)))
    assert settle(window)
    before = preview.picture
    height = card("h", "noise3d", "float", (0, 0))
    mover = card(
        "d", "displacement", "displacementshader", (1, 0), displacement=("float", Wire("h")), scale=("float", 0.1)
    )

    def wired(network: Network) -> Network:
        material = material_card(network).with_input(given("displacementshader", "displacementshader", Wire("d")))
        return network.with_card(height).with_card(mover).with_card(material)

    session.edit_document("Displace", wired)
    assert settle(window)
    displaced = preview.picture
    assert displaced.remarks == ()
    assert ((displaced.objects == 0) != (before.objects == 0)).sum() > 50, "another silhouette"
    menu = preview.assign_menu(0)
    levels = next(action.menu() for action in menu.actions() if action.text() == "Subdivision")
    texts = [action.text() for action in levels.actions()]
    assert texts[:10] == [
        "Automatic",
        "Automatic, finer near the camera",
        "None",
        "1 level",
        *(f"{n} levels" for n in range(2, 7)),
        "Finest relief in the mesh",
    ]
    assert texts[-2:] == ["", "Smooth"]
    assert levels.actions()[0].isChecked()
    levels.actions()[-1].trigger()
    assert session.bench.objects[0].division.smooth
    levels = next(action.menu() for action in preview.assign_menu(0).actions() if action.text() == "Subdivision")
    more = {action.text(): action for action in levels.actions()}
    assert more["Keep edges sharp from 40°"].isChecked()
    more["Keep no edge sharp"].trigger()
    more["Hold borders"].trigger()
    assert (session.bench.objects[0].division.crease, session.bench.objects[0].division.hold_borders) == (180, True)
    more["5 mm; finer is shaded only"].trigger()
    assert session.bench.objects[0].division.detail == 0.005
    for _ in range(4):
        session.history.undo()
    levels.actions()[2].trigger()
    assert session.bench.objects[0].division.level == 0
    assert session.history.undo_label == "Subdivision 0: Ball"
    levels.actions()[1].trigger()
    assert session.bench.objects[0].division.level is None
    assert settle(window)
    far = preview.picture.objects == 0
    levels = next(action.menu() for action in preview.assign_menu(0).actions() if action.text() == "Subdivision")
    assert next(action.text() for action in levels.actions() if action.isChecked()) == levels.actions()[1].text()
    preview.look(Camera(turn=0, height=20, distance=0.5, target=(0, 0.1, 0)))
    assert settle(window)
    assert (preview.picture.objects == 0).sum() > 1.5 * far.sum()
    preview.look(Camera(turn=0, height=20, distance=0.8, target=(0, 0.1, 0)))
    session.history.undo()
    assert settle(window)
    assert (preview.picture.display != displaced.display).any(), "few faces cannot follow the noise"
    for _ in range(2):
        session.history.undo()
    assert settle(window)
    np.testing.assert_array_equal(preview.picture.display, before.display)


def test_a_broken_file_is_told_and_nothing_is_added(window, tmp_path: Path) -> None:
    (tmp_path / "broken.glb").write_bytes(b"glTF" + bytes(60))
    before = window.session.project
    drop(wire_of(window).preview, [tmp_path / "broken.glb"], QPoint(5, 5))
    assert wait_until(lambda: "broken.glb" in window.banner.text.text(), 20)
    assert window.session.project is before


@pytest.fixture
def planks(window):
    """The demo's bench with planks alone, seen from above."""
    session = window.session
    item = stock("Planks", "planks", material=session.material, sizes={"length": 0.6, "width": 0.1, "count": 3})
    session.edit_bench("planks", lambda bench: bench.model_copy(update={"objects": (item,)}))
    preview = wire_of(window).preview
    preview.look(Camera(turn=0, height=88, distance=1.2, target=(0, 0, 0)))
    assert settle(window)
    return preview


def point_on(preview, part: int) -> QPoint:
    """A point of the widget where a part is seen."""
    rows, columns = np.nonzero(preview.picture.parts == part)
    middle = len(rows) // 2
    height, width = preview.picture.parts.shape
    return QPoint(
        int((columns[middle] + 0.5) * preview.width() / width), int((rows[middle] + 0.5) * preview.height() / height)
    )


def test_a_part_is_given_a_material_by_its_menu_and_a_click_shows_it(window, planks, hand) -> None:
    session = window.session
    other = next(name for name in session.project.materials if name != session.material)
    first = session.material
    point = point_on(planks, 1)
    faces = planks.faces_at(point)
    assert faces == [("part", "Plank 2", 0)]
    before = planks.picture.display.copy()
    menu = planks.assign_menu(0, faces)
    part = next(action.menu() for action in menu.actions() if action.text() == "Part “Plank 2”")
    next(action for action in part.actions() if action.text() == other).trigger()
    menu.deleteLater()
    assert session.history.undo_label == f"Assign {other} to Planks, part “Plank 2”"
    assert settle(window)
    changed = np.abs(planks.picture.display.astype(int) - before).max(axis=2) > 24
    on_part = planks.picture.parts == 1
    assert changed[on_part].mean() > 0.5
    assert changed[planks.picture.parts == 0].mean() < 0.1
    QTest.mouseClick(planks, Qt.MouseButton.LeftButton, pos=point_on(planks, 1))
    assert session.material == other
    QTest.mouseClick(planks, Qt.MouseButton.LeftButton, pos=point_on(planks, 0))
    assert session.material == first
    session.history.undo()
    assert settle(window)
    np.testing.assert_array_equal(planks.picture.display, before)


def test_a_material_dropped_on_an_object_of_parts_asks_where_it_goes(window, planks) -> None:
    session = window.session
    other = next(name for name in session.project.materials if name != session.material)
    mime = QMimeData()
    mime.setData(MATERIAL_FORMAT, other.encode())
    at = point_on(planks, 2)
    how = (Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(planks, QDragEnterEvent(at, *how))
    QApplication.sendEvent(planks, QDropEvent(QPointF(at), *how))
    menu = planks.findChild(QMenu, "drop menu")
    texts = [action.text() for action in menu.actions()]
    assert texts == ["All of Planks", "Part “Plank 3”"]
    menu.actions()[1].trigger()
    menu.close()
    (rule,) = session.project.bench.objects[0].assigned
    assert (rule.told_by, rule.material) == (("part", "Plank 3", 0), other)


def test_an_object_that_is_exported_anew_is_offered_once_and_keeps_what_it_has(window, ring: Path) -> None:
    session = window.session
    drop(wire_of(window).preview, [ring], QPoint(5, 5))
    assert wait_until(lambda: session.history.undo_label == "Add ring", 20)
    window.banner.hide()
    objects.place(session, "ring", at=(0.3, 0.1, 0.2), scale=2.0)
    window.objects.look_for_changes()
    assert not window.banner.isVisible()
    trimesh.creation.torus(0.03, 0.01, 24, 12).export(ring)
    os.utime(ring, (5, 5))
    window.objects.look_for_changes()
    assert window.banner.text.text() == "“ring” has changed on disk."
    QTest.mouseClick(window.banner.buttons[0], Qt.MouseButton.LeftButton)
    assert wait_until(lambda: session.history.undo_label == "Read ring again", 20)
    item = session.bench.objects[-1]
    assert (item.place, item.scale) == ((0.3, 0.1, 0.2), 2.0)
    assert np.ptp(item.mesh().positions, axis=0)[0] == pytest.approx(0.16, abs=1e-3)
    os.utime(ring, (9, 9))
    window.objects.look_for_changes()
    window.banner.hide()
    window.objects.look_for_changes()
    assert not window.banner.isVisible(), "it is said once"
