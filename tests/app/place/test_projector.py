"""A projector's frame in the real window: chosen at a map, dragged over the picture, fitted, typed, undone."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from collage.app.place.frame import EDGES, Grip, turned_about, turns_of
from collage.app.shell.start import settle
from collage.core.nodes.projectors import Frame, frame_of, frame_rotation
from collage.core.scene.bench import Camera, stock


@pytest.fixture
def place(window):
    """A wall of planks with the wood on it, seen from the front; the Place place is open."""
    session = window.session
    objects = (stock("Wall", "wall", material="Weathered bench", place=(0, 0, 0)),
               stock("Planks", "planks", material="Celadon glaze", place=(2.0, 0, 0)))  # fmt: skip
    session.edit_bench("objects", lambda bench: bench.model_copy(update={"objects": objects, "ground": False}))
    low, high = objects[0].mesh().bounds
    session.look(Camera(turn=15, height=20, distance=1).framing(low, high))
    session.show_material("Weathered bench")
    window.go_to([one.title for one in window.places].index("Place"))
    assert settle(window)
    return window.place("Place")


@pytest.fixture
def projector(window, place) -> str:
    """A flat projector for the wood, chosen in the list of maps by its menu."""
    choose(place, "bench_wood", "Projector, flat")
    assert settle(window)
    place.maps.choose("bench_wood")
    return place.projector.name


def choose(place, card: str, label: str) -> None:
    menu = place.maps.menu_of(card)
    next(action for action in menu.actions() if action.text() == label).trigger()
    menu.close()


def test_a_new_projector_is_fitted_and_its_frame_is_drawn(window, place, projector) -> None:
    session = window.session
    frame = frame_of(session.network.cards[projector])
    low, high = session.bench.objects[0].mesh().bounds
    assert frame.size == pytest.approx(tuple(high - low), abs=1e-4)
    assert frame.centre == pytest.approx(tuple((low + high) / 2), abs=1e-4)
    seen = place.view.frame_view()
    for number, corner in enumerate(seen.corners):
        wanted = np.where([(number >> axis) & 1 for axis in range(3)], high, low)
        assert math.hypot(*(a - b for a, b in zip(
            (corner.x(), corner.y()), project(session.camera, wanted, place.view), strict=True))) < 0.5  # fmt: skip
    before = place.view.grab().toImage()
    place.view.show_projector("")
    after = place.view.grab().toImage()
    changed = {(x, y) for x in range(0, after.width(), 2) for y in range(0, after.height(), 2)
               if before.pixel(x, y) != after.pixel(x, y)}  # fmt: skip
    assert len(changed) > 100


def project(camera: Camera, world, view) -> tuple[float, float]:
    """Where a place is seen, by the camera's own definition."""
    right, up, forward = camera.axes()
    to = np.asarray(world) - camera.position()
    scale = camera.focal_length(view.width(), view.height()) / (to @ forward)
    return view.width() / 2 + to @ right * scale, view.height() / 2 - to @ up * scale


def test_dragging_an_edge_moves_the_frame_the_coordinates_and_the_picture_as_one_step(
    window, place, projector, hand
) -> None:
    session, view = window.session, place.view
    picture = view.picture.display.copy()
    steps, before, seen = len(session.history.labels), frame_of(session.network.cards[projector]), view.frame_view()
    number = next(at for at, (a, _, axis) in enumerate(EDGES) if axis == 0 and not seen.hidden(a, axis))
    a, b, _ = EDGES[number]
    start = seen.corners[a] + (seen.corners[b] - seen.corners[a]) * 0.3
    assert seen.grip_at(start) == Grip("edge", number)
    end = start + (seen.corners[b] - seen.corners[a]) * 0.2
    hand.drag(view, start, end)
    after = frame_of(session.network.cards[projector])
    assert after.centre[1:] == pytest.approx(before.centre[1:])
    assert after.centre[0] - before.centre[0] == pytest.approx(0.2 * before.size[0], rel=0.15)
    assert after.size == before.size
    assert len(session.history.labels) == steps + 1
    assert settle(window)
    on_wall = view.picture.objects == 0
    assert np.abs(view.picture.display.astype(int) - picture)[on_wall].mean() > 2, "the wood has moved"
    assert place.projector.fields["centre", 0].value == pytest.approx(after.centre[0], abs=1e-3)
    session.history.undo()
    assert frame_of(session.network.cards[projector]) == before


def test_a_corner_scales_about_the_opposite_one_and_ctrl_snaps(window, place, projector, hand) -> None:
    session, view = window.session, place.view
    before, seen = frame_of(session.network.cards[projector]), view.frame_view()
    start, middle = seen.corners[7], seen.corners[0]
    end = middle + (start - middle) * 0.7
    hand.drag(view, start, end, keys=Qt.KeyboardModifier.ControlModifier)
    after = frame_of(session.network.cards[projector])
    assert after.corners()[0] == pytest.approx(before.corners()[0], abs=1e-4)
    assert max(after.size) / max(before.size) == pytest.approx(0.7, abs=0.03)
    assert max(after.size) * 100 == pytest.approx(round(max(after.size) * 100), abs=1e-3), "whole centimetres"
    ratio = np.array(after.size) / np.array(before.size)
    assert ratio == pytest.approx(np.full(3, ratio[0]), rel=1e-3)


def test_the_ring_turns_about_the_axis_that_faces_the_eye(window, place, projector, hand) -> None:
    session, view = window.session, place.view
    seen = view.frame_view()
    middle, radius = seen.ring
    start = middle + QPointF(radius * math.cos(2.9), -radius * math.sin(2.9))
    grip = seen.grip_at(start)
    assert grip == Grip("ring", 2)
    end = middle + QPointF(radius * math.cos(2.9 + math.radians(28)), -radius * math.sin(2.9 + math.radians(28)))
    hand.drag(view, start, end, keys=Qt.KeyboardModifier.ControlModifier)
    after = frame_of(session.network.cards[projector])
    assert after.turn == pytest.approx((0.0, 0.0, 30.0), abs=1e-3)


def test_fitting_to_what_is_chosen_to_an_axis_and_once_only(window, place, projector) -> None:
    session = window.session
    objects = (session.project.bench.objects[0],
               session.project.bench.objects[1].model_copy(update={"material": "Weathered bench", "turn": 30.0}))  # fmt: skip
    session.edit_bench("assign", lambda bench: bench.model_copy(update={"objects": objects}))
    mesh = objects[1].mesh()
    part = ("Planks", ("part", mesh.part_names[1], 0))
    place.choose(part)
    place.maps.choose("bench_wood")
    place.show_projector(projector)
    QTest.mouseClick(place.projector.buttons["y"], Qt.MouseButton.LeftButton)
    frame = frame_of(session.network.cards[projector])
    here = mesh.positions[mesh.triangles[np.asarray(mesh.part) == 1]].reshape(-1, 3)
    size = np.ptp(here, axis=0)
    assert frame.size == pytest.approx((size[0], size[2], size[1]), abs=1e-4)
    assert frame.centre == pytest.approx(tuple((here.min(axis=0) + here.max(axis=0)) / 2), abs=1e-4)
    place.projector.outside.setCurrentIndex(3)
    place.projector.outside.activated.emit(3)
    inner = session.network.cards["bench_wood"].network
    assert {inner.cards["base_color_map"].inputs[name].value for name in ("uaddressmode", "vaddressmode")} == {
        "constant"
    }


def test_a_value_is_typed_and_the_list_goes_back_to_uvs(window, place, projector) -> None:
    session = window.session
    field = place.projector.fields["size", 0]
    field.edited.emit(0.5, False)
    assert frame_of(session.network.cards[projector]).size[0] == 0.5
    choose(place, "bench_wood", "UV")
    assert place.view.frame_view() is None
    assert projector not in session.network.cards
    assert place.below.currentWidget() is place.placement


def test_turns_are_read_from_axes_as_they_were_given() -> None:
    rng = np.random.default_rng(2)
    for tilt, turn, roll in rng.uniform((-85, -175, -175), (85, 175, 175), (200, 3)):
        assert turns_of(frame_rotation(np.array([tilt, turn, roll]))) == pytest.approx((tilt, turn, roll), abs=1e-3)
    for tilt in (90.0, -90.0):
        axes = frame_rotation(np.array([tilt, 40.0, 25.0]))
        assert frame_rotation(np.array(turns_of(axes))) == pytest.approx(axes, abs=1e-4)


def test_turning_a_frame_about_its_axis_keeps_that_axis_and_the_middle() -> None:
    frame = Frame((0.1, 0.2, 0.3), (20.0, 50.0, -30.0))
    for axis in range(3):
        made = turned_about(frame, axis, 37.0)
        assert made.axes[axis] == pytest.approx(frame.axes[axis], abs=1e-5)
        assert made.centre == frame.centre
        other = (axis + 1) % 3
        angle = math.degrees(math.acos(np.clip(made.axes[other] @ frame.axes[other], -1, 1)))
        assert angle == pytest.approx(37.0, abs=1e-3)
        assert made.axes[other] @ frame.axes[(axis + 2) % 3] > 0, "counter-clockwise"


def test_the_pointer_says_what_a_drag_would_take(window, place, projector) -> None:
    told = []
    place.view.hint.connect(told.append)
    seen = place.view.frame_view()
    QTest.mouseMove(place.view, QPoint(2, 2))
    for point in (seen.corners[7], seen.face_middle(2)):
        QTest.mouseMove(place.view, point.toPoint())
    assert ["scale" in told[-2], "slide" in told[-1]] == [True, True]


def test_numbers_are_typed_over_the_frame(window, place, projector, hand) -> None:
    session, view = window.session, place.view
    steps = len(session.history.labels)

    def frame() -> Frame:
        return frame_of(session.network.cards[projector])

    def typed(point: QPointF, text: str) -> None:
        hand.move(view, point.toPoint())
        QTest.keyClicks(view, text[0])
        field = view.findChild(QLineEdit, "frame number")
        assert field.text() == text[0]
        QTest.keyClicks(field, text[1:])
        QTest.keyClick(field, Qt.Key.Key_Return)
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        assert view.findChild(QLineEdit, "frame number") is None

    seen, before = view.frame_view(), frame()
    number = next(n for n, (a, _, axis) in enumerate(EDGES) if axis == 0 and not seen.hidden(a, axis))
    a, b, _ = EDGES[number]
    typed((seen.corners[a] * 0.7 + seen.corners[b] * 0.3), "5")
    assert np.array(frame().centre) - before.centre == pytest.approx([0.05, 0, 0], abs=1e-6)
    assert len(session.history.labels) == steps + 1
    typed((view.frame_view().corners[a] * 0.7 + view.frame_view().corners[b] * 0.3), "-120 mm")
    assert np.array(frame().centre) - before.centre == pytest.approx([-0.07, 0, 0], abs=1e-6)
    typed(view.frame_view().corners[7], "1.5 m")
    assert max(frame().size) == pytest.approx(1.5, abs=1e-5)
    assert np.array(frame().size) / before.size == pytest.approx([1.5 / max(before.size)] * 3, abs=1e-4)
    session.history.undo()
    (middle, radius), ring = view.frame_view().ring, Grip("ring", view.frame_view().facing)
    around = [middle + QPointF(math.cos(turn), math.sin(turn)) * radius for turn in np.linspace(0, 6, 40)]
    typed(next(one for one in around if view.frame_view().grip_at(one) == ring), "30")
    assert frame() == turned_about(replace(before, centre=frame().centre), ring.number, 30.0)
    told = []
    session.problem.connect(told.append)
    count = len(session.history.labels)
    hand.move(view, view.frame_view().corners[7].toPoint())
    view.type_number("five")
    QTest.keyClick(view.findChild(QLineEdit, "frame number"), Qt.Key.Key_Return)
    assert "“five” is no number" in str(told[0])
    assert len(session.history.labels) == count
