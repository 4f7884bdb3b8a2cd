"""The Place place: objects and parts are chosen in the tree and in the picture, placed, renamed, hidden and found."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from collage.app.place.view import chosen_pixels, on_level
from collage.app.shell.start import settle
from collage.core.scene.bench import Camera, stock


@pytest.fixture
def place(window):
    """On a pot and three planks."""
    session = window.session
    first, second, *_ = session.project.materials
    objects = (stock("Pot", "pot", material=first, place=(0, 0.03, 0)),
               stock("Planks", "planks", material=second, sizes={"length": 0.6, "width": 0.12, "count": 3}))  # fmt: skip
    session.edit_bench("objects", lambda bench: bench.model_copy(update={"objects": objects}))
    session.look(Camera(turn=0, height=40, distance=1.1, target=(0, 0.05, 0)))
    window.go_to([one.title for one in window.places].index("Place"))
    assert settle(window)
    return window.place("Place")


def point_of(place, chosen) -> QPoint:
    """A point of the picture where something is seen."""
    mask = chosen_pixels(place.view.picture, place.view.bench(), chosen)
    rows, columns = np.nonzero(mask)
    at = len(rows) // 2
    height, width = mask.shape
    return QPoint(
        int((columns[at] + 0.5) * place.view.width() / width), int((rows[at] + 0.5) * place.view.height() / height)
    )


def lines(place) -> dict[str, tuple[str, bool]]:
    """What the tree shows: each line's material, and whether it is hidden."""
    return {line.text(0): (line.text(1), line.isHidden()) for line in place.tree._lines()}


def test_clicks_choose_an_object_then_its_part_and_then_all_of_it(window, place) -> None:
    part = ("Planks", ("part", "Plank 1", 0))
    point = point_of(place, part)
    for wanted in (("Planks", None), part, ("Planks", None)):
        QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=point)
        assert place.view.chosen == wanted
        assert place.tree.current == wanted
        assert place.panel.name == "Planks"
    QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=QPoint(3, 3))
    assert place.view.chosen is None
    assert not place.panel.fields["x"].isEnabled()


def test_what_is_chosen_is_hatched_and_nothing_else(window, place) -> None:
    before = place.view.grab().toImage()
    place.choose(("Planks", ("part", "Plank 1", 0)))
    after = place.view.grab().toImage()
    mask = chosen_pixels(place.view.picture, place.view.bench(), place.view.chosen)
    height, width = mask.shape
    changed = total = beside = 0
    for row in range(2, after.height() - 2, 3):
        for column in range(2, after.width() - 2, 3):
            here = mask[row * height // after.height(), column * width // after.width()]
            differs = before.pixel(column, row) != after.pixel(column, row)
            total += bool(here)
            changed += bool(here and differs)
            near = mask[max(row * height // after.height() - 3, 0) : row * height // after.height() + 4,
                        max(column * width // after.width() - 3, 0) : column * width // after.width() + 4].any()  # fmt: skip
            beside += bool(differs and not near)
    assert changed > 0.1 * total > 10
    assert beside == 0


def test_fields_place_the_object_and_a_drag_is_one_step(window, place) -> None:
    session = window.session
    place.choose(("Pot", None))
    before = place.view.picture.display.copy()
    steps = len(session.history.labels)
    field = place.panel.fields["x"]
    for value in (0.05, 0.1, 0.15):
        field.edited.emit(value, True)
    field.edited.emit(0.2, False)
    place.panel.fields["turn"].edited.emit(30.0, False)
    place.panel.fields["scale"].edited.emit(0.5, False)
    pot = session.project.bench.objects[0]
    assert (pot.place, pot.turn, pot.scale) == ((0.2, 0.03, 0.0), 30.0, 0.5)
    assert len(session.history.labels) == steps + 3
    QTest.mouseClick(place.panel.buttons["drop"], Qt.MouseButton.LeftButton)
    assert session.project.bench.objects[0].place[1] == pytest.approx(0, abs=1e-6)
    assert settle(window)
    assert not np.array_equal(place.view.picture.display, before)
    assert "8.5 cm high" in place.panel.extent.text()
    for _ in range(4):
        window.undo()
    assert place.panel.fields["x"].value == 0
    assert settle(window)
    np.testing.assert_array_equal(place.view.picture.display, before)


def test_the_tree_shows_renames_finds_and_assigns(window, place) -> None:
    session = window.session
    first, second, *_ = session.project.materials
    assert list(lines(place)) == ["Pot", "Planks", "Plank 1", "Plank 2", "Plank 3"]
    assert lines(place)["Planks"][0] == second
    menu = place.tree.menu(("Planks", ("part", "Plank 2", 0)))
    next(action for action in menu.actions() if action.text() == first).trigger()
    menu.deleteLater()
    assert lines(place)["Plank 2"][0] == first
    place.tree.search.setText("plank 3")
    hidden = {name for name, (_, gone) in lines(place).items() if gone}
    assert hidden == {"Pot", "Plank 1", "Plank 2"}
    place.tree.search.setText("")
    top = next(place.tree._tops())
    top.setText(0, "Urn")
    assert session.project.bench.objects[0].name == "Urn"
    assert next(iter(lines(place))) == "Urn"
    window.undo()
    assert next(iter(lines(place))) == "Pot"


def test_objects_are_hidden_and_shown_alone(window, place) -> None:
    session = window.session
    menu = place.tree.menu(("Planks", None))
    next(action for action in menu.actions() if action.text() == "Hide").trigger()
    menu.deleteLater()
    assert settle(window)
    assert set(np.unique(place.view.picture.objects)) <= {-2, -1, 0}
    for seen in ([False, True], [False, False]):
        menu = place.tree.menu(("Planks" if seen[1] else "Pot", None))
        next(action for action in menu.actions() if action.text().startswith("Show only")).trigger()
        menu.deleteLater()
        assert [not item.hidden for item in session.project.bench.objects] == (seen if seen[1] else [True, False])
    assert settle(window)
    assert (place.view.picture.objects == 0).any()


def test_ctrl_drag_carries_the_chosen_object_under_the_pointer(window, place, hand) -> None:
    session, view = window.session, place.view
    place.choose(("Pot", None))
    steps = len(session.history.labels)
    before = chosen_pixels(view.picture, view.bench(), ("Pot", None))
    start = point_of(place, ("Pot", None))
    end = start + QPoint(90, -25)
    hand.drag(view, start, end, keys=Qt.KeyboardModifier.ControlModifier)
    assert settle(window)
    assert len(session.history.labels) == steps + 1
    x, y, z = session.project.bench.objects[0].place
    assert (y, z < 0, x > 0) == (0.03, True, True)
    after = chosen_pixels(view.picture, view.bench(), ("Pot", None))
    scale = view.width() / before.shape[1]
    moved = [np.nonzero(mask)[1].mean() * scale for mask in (before, after)]
    assert moved[1] - moved[0] == pytest.approx(90, abs=20), "it goes with the pointer"
    window.undo()
    assert session.project.bench.objects[0].place == (0, 0.03, 0)


def test_a_place_on_the_ground_is_where_it_is_seen() -> None:
    camera, size = Camera(turn=35, height=25, distance=2.0, target=(0.1, 0.05, -0.2)), (640, 400)
    for place in ((0.3, 0.0, 0.1), (-0.4, 0.2, -0.5)):
        away = np.array(place) - camera.position()
        right, up, forward = camera.axes()
        focal = camera.focal_length(*size)
        at = QPointF(320 + focal * (away @ right) / (away @ forward), 200 - focal * (away @ up) / (away @ forward))
        np.testing.assert_allclose(on_level(camera, at, size, place[1]), place, atol=1e-9)
    assert on_level(camera, QPointF(320, -4000), size, 0.0) is None
