"""The UV page in the real window: islands are picked in both views, moved, unwrapped and measured."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QLineF, QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest

from collage.app.place.view import chosen_pixels
from collage.app.shell.start import settle, wait_until
from collage.core.actions.uvs import remove_set
from collage.core.geometry.islands import islands_of, measures_of, overlapping
from collage.core.geometry.uv_picking import ends_of, next_corner, outline
from collage.core.scene.bench import Camera, stock


@pytest.fixture
def page(window):
    """Of a wall slab that has the wood."""
    session = window.session
    objects = (stock("Slab", "wall", material="Weathered bench"), stock("Planks", "planks", material="Celadon glaze",
                                                                        place=(3, 0, 0)))  # fmt: skip
    session.edit_bench("objects", lambda bench: bench.model_copy(update={"objects": objects}))
    low, high = objects[0].mesh().bounds
    session.look(Camera(turn=20, height=20, distance=1).framing(low, high))
    window.go_to([one.title for one in window.places].index("Place"))
    assert settle(window)
    place = window.place("Place")
    place.choose(("Slab", None))
    assert settle(window)
    return place.uvs


def mesh_of(window, name: str = "Slab"):
    return next(item for item in window.session.bench.objects if item.name == name).mesh()


def at(page, u: float, v: float) -> QPointF:
    return page.view.to_widget(np.array([u, v]))


def unwrapped(window, page) -> None:
    page.unwrap()
    assert wait_until(lambda: bool(window.session.project.bench.objects[0].uv_sets), 60)
    assert settle(window)


def middle_of(mesh, number: int) -> np.ndarray:
    uv = mesh.uv["UVMap"].reshape(-1, 3, 2)[islands_of(mesh, "UVMap") == number]
    return (uv.reshape(-1, 2).min(axis=0) + uv.reshape(-1, 2).max(axis=0)) / 2


def test_an_object_is_unwrapped_in_the_background_and_that_is_one_step(window, page) -> None:
    steps = len(window.session.history.labels)
    before = mesh_of(window).uv["UVMap"].copy()
    unwrapped(window, page)
    mesh = mesh_of(window)
    assert overlapping(mesh.uv["UVMap"])[1] == 0
    assert measures_of(mesh, "UVMap").mean_stretch < 1.05
    assert len(window.session.history.labels) == steps + 1
    window.session.history.undo()
    assert np.array_equal(mesh_of(window).uv["UVMap"], before)


def test_an_island_is_picked_moved_with_a_snap_and_the_object_follows(window, page, hand) -> None:
    unwrapped(window, page)
    place, session = window.place("Place"), window.session
    picture = place.view.picture.display.copy()
    mesh = mesh_of(window)
    number = int(islands_of(mesh, "UVMap")[np.argmax(mesh.areas)])
    start = page.view.to_widget(middle_of(mesh, number))
    QTest.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=start.toPoint())
    assert page.view.islands == (number,)
    assert place.view._picked.sum() == (islands_of(mesh, "UVMap") == number).sum()
    steps = len(session.history.labels)
    hand.drag(page.view, start, start + at(page, 0.3, 0.0) - at(page, 0, 0), keys=Qt.KeyboardModifier.ControlModifier)
    after = mesh_of(window)
    moved = after.uv["UVMap"] - mesh.uv["UVMap"]
    here = np.repeat(islands_of(mesh, "UVMap") == number, 3)
    assert (moved[~here] == 0).all()
    assert moved[here] == pytest.approx(np.full((here.sum(), 2), (0.3125, 0.0)), abs=1e-6)
    assert len(session.history.labels) == steps + 1
    assert settle(window)
    assert np.abs(place.view.picture.display.astype(int) - picture)[place.view.picture.objects == 0].mean() > 2


def test_a_pin_scales_about_the_opposite_corner_and_the_ring_turns(window, page, hand) -> None:
    mesh = mesh_of(window)
    page.view.choose((0,))
    assert settle(window)
    box = page.view._box()
    start, fixed = box.topRight(), box.bottomLeft()
    hand.drag(page.view, start, start + (fixed - start) * 0.5)
    after = mesh_of(window)
    here = np.repeat(islands_of(mesh, "UVMap") == 0, 3)
    ratio = np.ptp(after.uv["UVMap"][here], axis=0) / np.ptp(mesh.uv["UVMap"][here], axis=0)
    assert ratio == pytest.approx([0.5, 0.5], abs=0.02)
    assert after.uv["UVMap"][here].min(axis=0) == pytest.approx(mesh.uv["UVMap"][here].min(axis=0), abs=2e-3)
    window.session.history.undo()
    assert settle(window)
    middle, radius = page.view._ring(page.view._box())
    if radius > page.view.width() / 2:
        page.view.zoom(2.0, middle)
        assert settle(window)
        middle, radius = page.view._ring(page.view._box())
    hand.drag(
        page.view, middle + QPointF(radius, 0), middle + QPointF(0, -radius), keys=Qt.KeyboardModifier.ControlModifier
    )
    turned = mesh_of(window).uv["UVMap"][here]
    size = np.ptp(mesh.uv["UVMap"][here], axis=0)
    assert np.ptp(turned, axis=0) == pytest.approx(size[::-1], abs=1e-4)


def test_a_click_on_the_object_picks_its_islands(window, page) -> None:
    session, place = window.session, window.place("Place")
    low, high = mesh_of(window, "Planks").bounds
    session.look(Camera(turn=10, height=50, distance=1).framing(low + np.array((3, 0, 0)), high + np.array((3, 0, 0))))
    assert settle(window)
    mesh = mesh_of(window, "Planks")
    part = ("Planks", ("part", mesh.part_names[1], 0))
    mask = chosen_pixels(place.view.picture, place.view.bench(), part)
    rows, columns = np.nonzero(mask)
    middle = len(rows) // 2
    height, width = mask.shape
    point = QPoint(int((columns[middle] + 0.5) * place.view.width() / width),
                   int((rows[middle] + 0.5) * place.view.height() / height))  # fmt: skip
    for _ in range(2):
        QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=point)
    assert place.view.chosen == part
    assert wait_until(lambda: page.settled, 10)
    wanted = set(np.unique(islands_of(mesh, "UVMap")[np.asarray(mesh.part) == 1]).tolist())
    assert set(page.view.islands) == wanted


def test_sets_are_made_copied_and_deleted_and_keep_their_maps(window, page) -> None:
    session = window.session
    page._new_set()
    assert list(mesh_of(window).uv) == ["UVMap", "UV set"]
    assert page.uv_set == "UV set"
    page.change("turn left")
    page._copy_set()
    assert list(mesh_of(window).uv) == ["UVMap", "UV set", "UV set copy"]
    assert np.array_equal(mesh_of(window).uv["UV set copy"], mesh_of(window).uv["UV set"])
    place = window.place("Place")
    labels = [action.text() for action in place.maps.menu_of("bench_wood").actions()]
    assert "UV set “UV set copy”" in labels
    remove_set(session, "Slab", "UV set")
    assert list(mesh_of(window).uv) == ["UVMap", "UV set copy"]


def test_what_lies_below_and_the_measures_change_the_picture(window, page) -> None:
    def picture() -> np.ndarray:
        count = page.view.count
        page.view.ask()
        assert wait_until(lambda: page.view.count > count and page.view.settled, 10)
        image = page.view._image
        return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine()).copy()

    seen = []
    for number in range(3):
        page.below.setCurrentIndex(number)
        seen.append(picture())
    for number in range(1, 4):
        page.measure.setCurrentIndex(number)
        page.measure.activated.emit(number)
        assert wait_until(lambda: page.settled, 10)
        seen.append(picture())
        assert page.scale.isVisible()
    for a in range(len(seen)):
        for b in range(a):
            rows = min(len(seen[a]), len(seen[b]))  # a scale below takes some
            assert (seen[a][:rows] != seen[b][:rows]).mean() > 0.005, (a, b)


def test_a_saved_project_has_its_uvs_again(window, page, tmp_path) -> None:
    from collage.core.project.folder import load_project

    page.change("flip u")
    wanted = mesh_of(window).uv["UVMap"].copy()
    window.session.save()
    folder = window.session.folder
    again = load_project(folder)[0].bench.in_folder(folder).objects[0].mesh()
    assert np.array_equal(again.uv["UVMap"], wanted)


def test_the_test_pattern_is_on_the_chosen_object_alone(window, page) -> None:
    view = window.place("Place").view
    before = view.picture.display.astype(int)
    page.below.setCurrentIndex(1)
    page.below.activated.emit(1)
    assert settle(window)
    after = view.picture.display.astype(int)
    slab, rest = view.picture.objects == 0, view.picture.objects < 0
    assert np.abs(after - before).max(axis=2)[slab].mean() > 20
    assert np.abs(after - before)[rest].mean() < 3
    red, _, blue = after[slab].T
    assert np.abs(red - blue).mean() < 30, "greys alone"
    assert window.session.project.bench.objects[0].material == "Weathered bench", "the document is as it was"
    page.below.setCurrentIndex(0)
    page.below.activated.emit(0)
    assert settle(window)
    assert np.abs(view.picture.display.astype(int) - before).mean() < 1


def kept_in(window):
    """The UVs of the slab that are on the object now, while a hand moves them."""
    item = next(one for one in window.place("Place").view.request().bench.objects if one.name == "Slab")
    return item.mesh().uv["UVMap"]


def test_the_object_follows_while_the_hand_moves_an_island(window, page, hand) -> None:
    place, mesh = window.place("Place"), mesh_of(window)
    page.view.choose(tuple(range(99)))
    assert settle(window)
    before, count = place.view.picture.display.copy(), place.view.count
    start = at(page, *middle_of(mesh, 0))
    gone = at(page, 0.25, 0.125) - at(page, 0, 0)
    hand.drag(page.view, start.toPoint(), (start + gone).toPoint(), release=False)
    assert kept_in(window)[0] - mesh.uv["UVMap"][0] == pytest.approx([0.25, 0.125], abs=0.01)
    assert wait_until(lambda: place.view.count > count and place.view.settled, 20)
    shown = place.view.picture
    assert np.abs(shown.display.astype(int) - before)[shown.objects == 0].mean() > 2, "the grain has moved"
    assert np.array_equal(mesh_of(window).uv["UVMap"], mesh.uv["UVMap"]), "nothing is kept yet"
    hand.drop(page.view, (start + gone).toPoint())
    assert settle(window)
    assert np.abs(place.view.picture.display.astype(int) - shown.display).max() == 0
    assert np.array_equal(kept_in(window), mesh_of(window).uv["UVMap"])
    window.session.history.undo()
    assert settle(window)
    assert np.array_equal(place.view.picture.display, before)


def test_faces_are_picked_in_both_views_and_take_along_what_hangs_on_them(window, page, hand) -> None:
    unwrapped(window, page)
    place, mesh = window.place("Place"), mesh_of(window)
    page.set_kind("faces")
    triangle = int(np.argmax(mesh.areas))
    point = at(page, *mesh.uv["UVMap"].reshape(-1, 3, 2)[triangle].mean(axis=0))
    QTest.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=point.toPoint())
    faces = mesh.face == mesh.face[triangle]
    assert np.array_equal(page.view.faces, faces)
    assert np.array_equal(place.view._picked, faces), "the object shows them too"
    assert not place.strip.buttons["assign"].isHidden(), "and they can have a material"
    page.change("turn left")
    page.view.keyPressEvent(QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier))
    page.change("cut off")
    after = mesh_of(window)
    assert islands_of(after, "UVMap").max() == islands_of(mesh, "UVMap").max() + 1
    assert settle(window)
    place.strip.ways.setCurrentIndex(place.strip.ways.findData("face"))
    place.strip._way()
    rows, columns = np.nonzero(place.view._own_triangles(place.view.picture) >= 0)
    scale = place.view.width() / place.view.picture.triangle.shape[1]
    there = QPoint(int(columns[len(columns) // 2] * scale), int(rows[len(rows) // 2] * scale))
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=there)
    assert page.view.faces.any()
    assert not np.array_equal(page.view.faces, faces)
    assert np.array_equal(page.view.faces, place.strip.picked)
    page.set_kind("islands")
    assert len(page.view.islands) == 1


def test_edges_are_picked_in_both_views_and_lined_up(window, page) -> None:
    place, mesh = window.place("Place"), mesh_of(window)
    page.view.zoom(0.5, at(page, 0.2, 0.2))
    assert settle(window)
    page.set_kind("edges")
    every = np.flatnonzero(outline(mesh))
    edge = next(one for one in every if page.view.rect().contains(ends(page, mesh, one)[2].toPoint()))
    point = ends(page, mesh, edge)[2]
    QTest.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=point.toPoint())
    picked = np.flatnonzero(page.view.edges)
    assert 1 <= len(picked) <= 2, "one edge, from one side or both"
    a, b, _ = ends(page, mesh, picked[0])
    assert abs(QLineF(a, point).length() + QLineF(point, b).length() - QLineF(a, b).length()) < 8, "it lies there"
    assert place.view._edges is page.view.edges
    QTest.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=QPoint(2, 2))
    assert page.view.edges is None
    place.strip.ways.setCurrentIndex(place.strip.ways.findData("edge"))
    place.strip._way()
    seen = place.view._corners_seen(next(one for one in window.session.bench.objects if one.name == "Slab"))
    own = place.view._own_triangles(place.view.picture)
    triangle = int(np.bincount(own[own >= 0]).argmax())
    edge = 3 * triangle + int(np.argmax(outline(mesh).reshape(-1, 3)[triangle]))
    middle = (seen[edge] + seen[next_corner(np.array([edge]))[0]]) / 2
    inside = middle + 0.1 * (seen[3 * triangle : 3 * triangle + 3].mean(axis=0) - middle)
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=QPoint(*inside.astype(int)))
    assert page.view.kind == "edges"
    assert page.view.edges[edge]
    page.change("turn left")
    page.change("align left")
    moved = mesh_of(window).uv["UVMap"][ends_of(page.view.edges)]
    assert np.ptp(moved[:, 0]) == 0


def ends(page, mesh, edge: int) -> tuple[QPointF, QPointF, QPointF]:
    """Where an edge begins and ends in the layout, and its middle."""
    a, b = (at(page, *mesh.uv["UVMap"][one]) for one in (edge, int(next_corner(np.array([edge]))[0])))
    return a, b, (a + b) / 2
