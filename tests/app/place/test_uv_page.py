"""The UV page in the real window: islands are picked in both views, moved, unwrapped and measured."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from collage.app.place.view import chosen_pixels
from collage.app.shell.start import settle, wait_until
from collage.core.actions.uvs import remove_set
from collage.core.geometry.islands import islands_of, measures_of, overlapping
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
    page.view._pick((0,), False)
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
