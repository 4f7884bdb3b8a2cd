"""Faces are picked on the object by clicks, a box and a lasso, named, and given a material."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from collage.app.place.pick_strip import WAYS
from collage.app.shell.start import settle
from collage.core.scene.bench import Camera, stock


@pytest.fixture
def place(window):
    """A box of wood, seen from the front, the right and above."""
    session = window.session
    box = stock("Box", "rounded box", material="Weathered bench",
                sizes={"width": 0.2, "height": 0.2, "depth": 0.2, "bevel": 0.002, "divisions": 6})  # fmt: skip
    session.edit_bench("objects", lambda bench: bench.model_copy(update={"objects": (box,), "ground": False}))
    session.look(Camera(turn=35, height=30, distance=1).framing(*box.mesh().bounds))
    window.go_to([one.title for one in window.places].index("Place"))
    assert settle(window)
    return window.place("Place")


def mesh_of(window):
    return window.session.bench.objects[0].mesh()


def pick_by(place, way: str) -> None:
    row = list(WAYS).index(way)
    place.strip.ways.setCurrentIndex(row)
    place.strip.ways.activated.emit(row)


def seen_at(place, normal) -> QPoint:
    """A point in the middle of the side of the box that looks that way."""
    view = place.view
    own = view._own_triangles(view.picture) if view.chosen else view.picture.triangle
    mesh = view.bench().objects[0].mesh()
    facing = mesh.face_normals @ np.asarray(normal, float) > 0.99
    rows, columns = np.nonzero((own >= 0) & np.append(facing, False)[np.clip(own, -1, len(facing) - 1)])
    at = np.argmin(np.hypot(rows - rows.mean(), columns - columns.mean()))
    height, width = own.shape
    return QPoint(int((columns[at] + 0.5) * view.width() / width), int((rows[at] + 0.5) * view.height() / height))


def drag(view, points: list[QPointF], keys=Qt.KeyboardModifier.NoModifier) -> None:
    QTest.mousePress(view, Qt.MouseButton.LeftButton, keys, points[0].toPoint())
    for point in points[1:]:
        event = QMouseEvent(QEvent.Type.MouseMove, point, view.mapToGlobal(point), Qt.MouseButton.NoButton,
                            Qt.MouseButton.LeftButton, keys)  # fmt: skip
        QApplication.sendEvent(view, event)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, keys, points[-1].toPoint())


def test_a_side_is_picked_named_and_given_a_material_and_the_picture_shows_it(window, place) -> None:
    session = window.session
    pick_by(place, "run")
    place.strip.angle.edited.emit(8.0, False)
    point = seen_at(place, (0, 1, 0))
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=point)
    mesh = mesh_of(window)
    assert np.array_equal(
        place.strip.picked[mesh.face_normals[:, 1] > 0.999], np.ones((mesh.face_normals[:, 1] > 0.999).sum(), bool)
    )
    assert not place.strip.picked[mesh.face_normals[:, 1] < 0.3].any()
    assert np.array_equal(place.view._picked, place.strip.picked)
    picked, before = place.strip.picked.copy(), place.view.picture.display.copy()
    steps = len(session.history.labels)
    menu = place.strip.materials_menu()
    next(action for action in menu.actions() if action.text() == "Celadon glaze").trigger()
    menu.close()
    assert len(session.history.labels) == steps + 1
    item = session.project.bench.objects[0]
    assert [(one.by, one.name, one.material) for one in item.assigned] == [("set", "Faces", "Celadon glaze")]
    assert np.array_equal(item.assigned[0].faces(mesh_of(window)), picked)
    assert settle(window)
    after = place.view.picture.display.astype(int)
    top = np.append(picked, False)[np.where(place.view.picture.objects == 0, place.view.picture.triangle, -1)]
    changed = np.abs(after - before).max(axis=2) > 8
    assert changed[top].mean() > 0.9
    assert changed[~top].mean() < 0.05
    assert "Faces Faces" in [line.text(0) for line in place.tree._lines()]
    session.history.undo()
    assert session.project.bench.objects[0].assigned == ()
    assert session.project.bench.objects[0].face_sets == ()


def test_ctrl_adds_and_takes_away_grow_shrink_and_invert(window, place) -> None:
    pick_by(place, "facing")
    place.strip.angle.edited.emit(5.0, False)
    top, front = seen_at(place, (0, 1, 0)), seen_at(place, (0, 0, 1))
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=top)
    one = place.strip.picked.copy()
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, front)
    both = place.strip.picked.copy()
    mesh = mesh_of(window)
    assert both.sum() == 2 * one.sum()
    assert (mesh.face_normals[both].max(axis=1) > 0.99).all()
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, front)
    assert np.array_equal(place.strip.picked, one)
    QTest.mouseClick(place.strip.buttons["grow"], Qt.MouseButton.LeftButton)
    assert place.strip.picked.sum() > one.sum()
    QTest.mouseClick(place.strip.buttons["shrink"], Qt.MouseButton.LeftButton)
    assert np.array_equal(place.strip.picked, one)
    QTest.mouseClick(place.strip.buttons["invert"], Qt.MouseButton.LeftButton)
    assert np.array_equal(place.strip.picked, ~one)


def test_a_box_and_a_lasso_pick_what_is_seen_in_them(window, place) -> None:
    view = place.view
    pick_by(place, "box")
    drag(view, [QPointF(2, 2), QPointF(view.width() - 3, view.height() - 3)])
    seen = np.unique(view._own_triangles(view.picture))
    assert set(np.flatnonzero(place.strip.picked)) == set(seen[seen >= 0].tolist())
    pick_by(place, "lasso")
    middle = QPointF(seen_at(place, (0, 0, 1)))
    ring = [middle + QPointF(14 * np.cos(turn), 14 * np.sin(turn)) for turn in np.linspace(0, 6.2, 20)]
    drag(view, ring)
    mesh = mesh_of(window)
    assert 0 < place.strip.picked.sum() < 100
    assert (mesh.face_normals[place.strip.picked][:, 2] > 0.9).all()
    camera = window.session.camera
    assert window.session.camera == camera, "the camera stands still"


def test_a_locked_object_is_not_picked_or_moved(window, place) -> None:
    session = window.session
    point = seen_at(place, (0, 1, 0))
    menu = place.tree.menu(("Box", None))
    next(action for action in menu.actions() if action.text() == "Lock").trigger()
    menu.close()
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=point)
    assert place.view.chosen is None
    place.choose(("Box", None))
    before = session.project.bench.objects[0].place
    place.view.carry(QPointF(100, 200), QPointF(160, 240))
    assert session.project.bench.objects[0].place == before


def test_a_part_is_hidden_shown_alone_and_shown_again(window, place) -> None:
    session = window.session
    planks = stock("Planks", "planks", material="Weathered bench")
    session.edit_bench("planks", lambda bench: bench.model_copy(update={"objects": (planks,)}))
    session.look(Camera(turn=10, height=50, distance=1).framing(*planks.mesh().bounds))
    assert settle(window)

    def seen() -> set[int]:
        picture = place.view.picture
        return set(np.unique(picture.parts[picture.objects == 0]).tolist())

    def do(label: str) -> None:
        menu = place.tree.menu(("Planks", ("part", "Plank 2", 0)))
        next(action for action in menu.actions() if action.text() == label).trigger()
        menu.close()
        assert settle(window)

    assert seen() == {0, 1, 2, 3, 4}
    do("Hide part")
    assert seen() == {0, 2, 3, 4}
    do("Show this part again")
    assert seen() == {0, 1, 2, 3, 4}
    do("Show only this part")
    assert seen() == {1}
    do("Show only this part")
    assert seen() == {0, 1, 2, 3, 4}
