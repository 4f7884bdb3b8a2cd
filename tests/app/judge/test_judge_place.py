"""The Judge place in the real window: lights changed, dragged and placed, rigs stepped, views kept, traced pictures."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox

from collage.app.judge.place import JudgePlace
from collage.app.judge.view import USUAL
from collage.app.shell.start import settle, wait_until
from collage.core.actions import lights as lights_acts
from collage.core.document import edits
from collage.core.evaluate.plan import CardOutput
from collage.core.render.pick import caster_of, pick, place_at
from collage.core.scene.bench import ENVIRONMENT, AreaLight
from collage.core.scene.cameras import frame_in
from collage.core.scene.rigs import RIGS

FEW = replace(USUAL, samples=8, noise=0.0)


@pytest.fixture
def judge(window) -> JudgePlace:
    window.go_to(3)
    place = window.place("Judge")
    assert isinstance(place, JudgePlace)
    place.view.trace(FEW)
    assert settle(window)
    return place


def on_object(view, number: int | None = None) -> QPoint:
    """A point of the widget in the middle of an object, or of all of them."""
    objects = view.picture.objects
    y, x = np.nonzero(objects >= 0 if number is None else objects == number)
    height, width = view.picture.objects.shape
    return QPoint(int(np.median(x) * view.width() / width), int(np.median(y) * view.height() / height))


def pixels_of(widget) -> np.ndarray:
    """(h, w, 4) what a widget shows."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGBA8888)
    return np.array(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)


def test_at_rest_the_picture_is_traced_to_its_last_sample(window, judge) -> None:
    view = judge.view
    assert view.picture.samples == FEW.samples
    assert view.picture.complete
    assert "8 of 8 samples" in judge.look.told.text()
    count = view.count
    view.look(view.camera.model_copy(update={"turn": view.camera.turn + 5}))
    assert wait_until(lambda: view.count > count, 20)
    assert view.picture.samples == 0, "the hand sees a draft first"
    assert settle(window)
    assert view.picture.samples == FEW.samples


def test_at_rest_what_the_hand_has_seen_has_traced_light_before_the_whole_picture(window, judge) -> None:
    view, shown = judge.view, []
    view.shown_changed.connect(lambda: shown.append((view.shown.quality, view.picture)))
    view.look(view.camera.model_copy(update={"turn": view.camera.turn + 9}))
    assert settle(window)
    moved = max(at for at, (quality, _) in enumerate(shown) if quality == "coarse")
    seen, first, second = (picture for _, picture in shown[moved : moved + 3])
    assert seen.linear.shape == first.linear.shape
    assert np.array_equal(seen.objects, first.objects)
    assert not np.array_equal(seen.linear, first.linear)
    assert not first.complete
    height, width = second.linear.shape[:2]
    assert (width, height) == view.full_size()
    assert second.samples == 0
    assert [picture.samples for _, picture in shown[moved + 1 :]][-1] == FEW.samples
    exact = view.picture.linear[view.picture.objects >= 0].mean()
    assert second.linear[second.objects >= 0].mean() == pytest.approx(exact, rel=0.05)
    assert first.linear[first.objects >= 0].mean() == pytest.approx(exact, rel=0.08)


def test_whoever_comes_back_finds_the_finished_picture(window, judge) -> None:
    window.go_to(1)
    window.go_to(3)
    assert settle(window, 30)
    assert judge.view.picture.complete
    assert judge.view.picture.samples == FEW.samples


def test_without_tracing_it_is_the_draft(window, judge) -> None:
    judge.look.on.click()
    assert settle(window)
    assert (judge.view.picture.samples, judge.view.picture.complete) == (0, True)
    assert "Draft" in judge.look.told.text()
    judge.look.on.click()
    judge.view.trace(FEW)
    assert settle(window)
    assert judge.view.picture.samples == FEW.samples


def test_a_value_alone_needs_no_light(window, judge) -> None:
    judge.look.buttons["specular_roughness"].click()
    assert settle(window)
    assert judge.view.picture.samples == 0
    assert judge.view.mode == "specular_roughness"


def test_a_strength_is_typed_and_dragged_as_one_step(window, judge) -> None:
    session, field = window.session, judge.lights.fields["strength"]
    before = session.bench.lights[0].strength
    start = field.rect().center()
    QTest.mousePress(field, Qt.MouseButton.LeftButton, pos=start)
    for step in (10, 20, 30):
        QTest.mouseMove(field, start + QPoint(step, 0))
    QTest.mouseRelease(field, Qt.MouseButton.LeftButton, pos=start + QPoint(30, 0))
    assert session.bench.lights[0].strength > before
    assert settle(window)
    window.undo()
    assert session.bench.lights[0].strength == before
    assert field.value == before


def test_lights_are_added_switched_alone_and_removed(window, judge) -> None:
    session, panel = window.session, judge.lights
    count = len(session.bench.lights)
    next(one for one in panel.add.menu().actions() if one.text() == "Sun").trigger()
    assert len(session.bench.lights) == count + 1
    assert panel.number == judge.view.light == count
    assert panel.light.kind == "distant"
    box = next(one for one in panel.findChildren(QCheckBox) if one.accessibleName() == "Sun on")
    box.click()
    assert not session.bench.lights[count].on
    panel.solo.click()
    assert session.bench.soloed == count
    assert [light.name for light in session.bench.shining] == ["Sun"]
    assert settle(window)
    panel.solo.click()
    assert session.bench.soloed is None
    names = [one.text() for one in panel.findChildren(type(panel.solo))]
    next(one for one in panel.findChildren(type(panel.solo)) if one.text() == "Remove").click()
    assert "Remove" in names
    assert len(session.bench.lights) == count
    assert settle(window)


def test_the_highlight_is_put_where_the_hand_drags_it(window, judge) -> None:
    session, view = window.session, judge.view
    judge.lights.highlight.click()
    assert view.placing
    before, camera = session.bench.lights[0], session.camera
    names = [item.name for item in session.bench.objects]
    point = on_object(view, names.index("Bench board"))
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=point - QPoint(20, 0))
    QTest.mouseMove(view, point)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=point)
    moved = session.bench.lights[0]
    assert moved != before
    assert session.camera == camera, "the hand placed a highlight, and did not orbit"
    assert isinstance(moved, AreaLight)
    # the mirrored ray of the eye meets the light's middle
    request = view.request()
    shares = point.x() / view.width(), point.y() / view.height()
    found = pick(view.renderer, request, shares[0] * request.width, shares[1] * request.height)
    place, up = np.array(found.place), np.array(found.facing)
    eye = session.camera.position() - place
    half = eye / np.linalg.norm(eye) + (moved.frame()[0] - place) / np.linalg.norm(moved.frame()[0] - place)
    assert half @ up / np.linalg.norm(half) > 0.98
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not view.placing
    assert not judge.lights.highlight.isChecked()
    window.undo()
    assert session.bench.lights[0] == before, "one drag is one step"
    assert settle(window)


def test_alt_and_drag_moves_the_light_in_hand_and_turns_the_environment(window, judge) -> None:
    session, view = window.session, judge.view
    before = session.bench.lights[0].turn
    view.move_light(QPointF(40, 0))
    assert session.bench.lights[0].turn > before
    judge.lights.take(ENVIRONMENT)
    turn, lights = session.bench.environment.turn, session.bench.lights
    view.move_light(QPointF(40, 0))
    assert session.bench.environment.turn > turn
    assert session.bench.lights == lights
    assert settle(window)


def test_rigs_are_stepped_by_key_and_undone(window, judge) -> None:
    session = window.session
    before = session.bench
    names = list(RIGS)
    for name in names[:2]:
        window.place("Judge").next_rig()
        assert session.bench.rig == name
        assert judge.rigs.buttons[name].isChecked()
    judge.rigs.buttons["evening"].click()
    assert session.bench.environment.daylight is not None
    assert "elevation" not in judge.lights.fields or judge.lights.number < 0
    assert settle(window)
    assert judge.view.picture.samples == FEW.samples
    assert not judge.rigs.buttons["evening"].icon().isNull()
    for _ in range(3):
        window.undo()
    assert session.bench == before
    assert settle(window)


def test_the_sky_has_its_values(window, judge) -> None:
    panel, session = judge.lights, window.session
    panel.take(ENVIRONMENT)
    panel._choose_kind("Sky")
    assert session.bench.environment.daylight is not None
    panel.fields["elevation"].edited.emit(12.0, False)
    assert session.bench.environment.daylight.elevation == 12.0
    panel._choose_kind("Plain grey")
    assert session.bench.environment.daylight is None
    assert "elevation" not in panel.fields
    assert settle(window)


def test_views_are_kept_gone_back_to_and_forgotten(window, judge) -> None:
    session, strip = window.session, judge.rigs
    strip.save.click()
    kept = session.camera
    session.look(kept.model_copy(update={"turn": kept.turn + 60}))
    strip.buttons["view View 1"].click()
    assert session.camera == kept
    assert settle(window)
    assert not strip.buttons["view View 1"].icon().isNull()
    window.undo()
    assert "view View 1" not in strip.buttons
    assert settle(window)


def test_values_under_the_pointer_are_those_of_the_picture(window, judge) -> None:
    view = judge.view
    point = on_object(view)
    QTest.mouseMove(view, point + QPoint(3, 0))
    QTest.mouseMove(view, point)
    at = view._pixel_at(point)
    linear = view.picture.linear[at[1], at[0]]
    assert judge.look.values["linear"].text().split() == [f"{one:.3f}" for one in linear]
    expected = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    assert float(judge.look.values["luminance"].text()) == pytest.approx(expected, abs=2e-3)
    shares = judge.look.histogram.counts()
    assert shares.max() == 1
    assert (shares > 0).sum() > 10


def test_the_focus_is_set_by_a_click_and_the_lens_by_its_field(window, judge) -> None:
    view, panel, session = judge.view, judge.lights, window.session
    panel.fields["aperture"].edited.emit(12.0, False)
    assert session.camera.aperture == 12.0
    assert settle(window)
    panel.focus.click()
    assert view.focusing
    point = on_object(view)
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=point)
    assert not view.focusing
    assert not panel.focus.isChecked()
    focus = session.camera.focus
    assert focus is not None
    assert 0.2 * session.camera.distance < focus < 2 * session.camera.distance
    assert panel.fields["focus"].value == pytest.approx(focus, abs=1e-3)
    panel.fields["millimetres"].edited.emit(85.0, False)
    assert session.camera.field == pytest.approx(2 * np.degrees(np.arctan(12 / 85)), abs=1e-6)
    assert settle(window)
    assert view.picture.samples == FEW.samples


def test_the_light_in_hand_is_drawn_over_the_picture_and_hides_none_of_it(window, judge) -> None:
    """A panel beyond the objects, in view: its edge and label are there, and all the rest is as before."""
    view, session = judge.view, window.session
    eye = session.camera
    session.look(eye.model_copy(update={"height": 5.0, "distance": 2.0}))
    lights_acts.change_light(session, 0, turn=eye.turn + 180.0, height=8.0, distance=0.6, width=0.3, length=0.2)
    judge.look.on.click()
    view.setFocus()
    assert settle(window)
    view.entered = False  # wherever the pointer was left
    plain = pixels_of(view)
    view.entered = True
    drawn = pixels_of(view)
    changed = (plain != drawn).any(axis=2).mean()
    assert 0.001 < changed < 0.1


def drag(view, start: QPoint, end: QPoint) -> None:
    QTest.mouseMove(view, start)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(view, start + (end - start) / 2)
    QTest.mouseMove(view, end)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)


def with_lamp(window, judge) -> AreaLight:
    """A small ball above the objects, in hand."""
    session = window.session
    number = lights_acts.add_light(session, "ball")
    target = tuple(float(one) for one in session.camera.target)
    lights_acts.change_light(session, number, target=target, distance=0.16, height=75.0, turn=60.0, width=0.03)
    judge.lights.take(number)
    judge.view.entered = True
    assert settle(window)
    return session.bench.lights[number]


def test_a_lamp_is_dragged_to_where_the_hand_is_at_the_same_distance(window, judge) -> None:
    session, view = window.session, judge.view
    lamp, camera = with_lamp(window, judge), session.camera
    size = view.width(), view.height()
    start = QPointF(*camera.seen(lamp.frame()[0], *size)).toPoint()
    end = start + QPoint(-60, 25)
    drag(view, start, end)
    moved = session.bench.lights[-1]
    assert session.camera == camera, "the lamp was dragged, not the camera"
    assert (moved.distance, moved.target) == (lamp.distance, lamp.target)
    np.testing.assert_allclose(camera.seen(moved.frame()[0], *size), [end.x(), end.y()], atol=1.5)
    window.undo()
    assert session.bench.lights[-1] == lamp, "one step"
    drag(view, QPoint(5, 5), QPoint(45, 15))
    assert session.camera != camera, "beside it the hand orbits"


def test_a_shadow_is_dragged_to_where_it_should_fall(window, judge) -> None:
    session, view = window.session, judge.view
    lights_acts.change_light(session, 0, height=40.0, turn=-40.0, distance=1.0, width=0.02, length=0.02)
    judge.lights.take(0)
    assert settle(window)
    board = [item.name for item in session.bench.objects].index("Bench board")
    light, renderer, request = session.bench.lights[0], view.renderer, view.request()
    y, x = np.nonzero(view.picture.objects == board)
    height, width = view.picture.objects.shape
    shaded = None
    for at in range(0, len(x), 97):
        place = place_at(renderer, request, float(x[at]), float(y[at]))
        caster = caster_of(renderer, request, place, light)
        if caster is not None and np.linalg.norm(caster - place) > 0.05:
            shaded = QPoint(int(x[at] * view.width() / width), int(y[at] * view.height() / height)), caster
    assert shaded is not None
    judge.lights.shadow.click()
    assert view.shadowing
    start, caster = shaded
    drag(view, start, start + QPoint(12, 6))
    moved = session.bench.lights[0]
    assert moved != light
    end = start + QPoint(12, 6)
    place = place_at(renderer, view.request(), end.x() * width / view.width(), end.y() * height / view.height())
    to_light, to_caster = moved.frame()[0] - place, caster - place
    cosine = to_light @ to_caster / np.linalg.norm(to_light) / np.linalg.norm(to_caster)
    assert np.degrees(np.arccos(min(cosine, 1))) < 2.5, "what threw the shadow lies before the light again"
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not view.shadowing
    assert not judge.lights.shadow.isChecked()
    project = session.project
    judge.lights.shadow.click()
    drag(view, QPoint(3, 3), QPoint(30, 3))
    assert session.project is project, "there is no shadow in the sky"


def test_shapes_cones_and_what_is_behind_are_chosen(window, judge) -> None:
    session, panel = window.session, judge.lights
    panel.take(0)
    assert {"width", "length"} <= panel.fields.keys()
    panel.shape.setCurrentIndex(1)
    panel.shape.activated.emit(1)
    assert session.bench.lights[0].shape == "disc"
    assert "length" not in panel.fields
    panel.spot.click()
    assert session.bench.lights[0].cone == lights_acts.USUAL_SPOT
    assert {"cone", "edge"} <= panel.fields.keys()
    panel.spot.click()
    assert session.bench.lights[0].cone is None
    panel.visible.click()
    assert session.bench.lights[0].visible
    panel.take(ENVIRONMENT)
    assert settle(window)
    before = judge.view.picture.display.copy()
    panel.behind.setCurrentIndex(1)
    panel.behind.activated.emit(1)
    assert session.bench.environment.behind == "sharp"
    assert settle(window)
    empty = judge.view.picture.objects < 0
    assert np.abs(judge.view.picture.display.astype(int) - before)[empty].mean() > 3
    panel.balance.click()
    assert session.bench.environment.balance != (1.0, 1.0, 1.0)
    assert panel.balance.isChecked()
    panel.balance.click()
    assert session.bench.environment.balance == (1.0, 1.0, 1.0)
    assert settle(window)


def test_a_frame_shows_what_a_picture_of_its_shape_will(window, judge) -> None:
    session, view, panel = window.session, judge.view, judge.lights
    camera, size = session.camera, (view.width(), view.height())
    panel.frame_box.setCurrentText("2.39:1")
    panel.frame_box.activated.emit(0)
    assert settle(window)
    assert session.camera == camera, "the camera itself stays as it is"
    wide, high = frame_in(2.39, *size)
    left, top = (size[0] - wide) / 2, (size[1] - high) / 2
    for corner, pixel in (((left, top), (0, 0)), ((left + wide, top + high), (239, 100))):
        seen = view.camera.ways(np.array([corner]), *size)
        np.testing.assert_allclose(seen, camera.ways(np.array([pixel]), 239, 100), atol=2e-3)
    view.entered = False
    framed = pixels_of(view).astype(int)
    assert framed[2, size[0] // 2, :3].max() < 90, "above the frame it is dim"
    start = QPoint(size[0] // 2, 20)
    drag(view, start, start + QPoint(40, 0))
    assert session.camera.turn != camera.turn
    assert session.camera.field == camera.field
    panel.thirds.click()
    assert view.thirds
    panel.frame_box.setCurrentText("No frame")
    panel.frame_box.activated.emit(0)
    assert view.camera == session.camera
    assert settle(window)


def test_a_locked_camera_stays_where_it_is(window, judge) -> None:
    session, view, panel = window.session, judge.view, judge.lights
    panel.lock.click()
    assert session.camera.locked
    camera = session.camera
    drag(view, QPoint(10, 10), QPoint(60, 30))
    assert session.camera == camera
    view.look(camera.with_millimetres(85.0))
    assert session.camera.field == camera.field, "the view keeps the lens; the panel changes it"
    panel._edit_camera("millimetres", 85.0, False)
    assert session.camera.millimetres == pytest.approx(85.0)
    panel.lock.click()
    drag(view, QPoint(10, 10), QPoint(60, 30))
    assert session.camera.turn != camera.turn


def test_the_waveform_tells_where_across_the_picture_it_is_bright(window, judge) -> None:
    look, view = judge.look, judge.view
    look.buttons["Waveform"].click()
    assert look.waveform.isVisible()
    assert not look.histogram.isVisible()
    counts = look.waveform.counts()
    there = view.picture.objects >= 0
    columns = np.unique(np.nonzero(there)[1] * counts.shape[1] // there.shape[1])
    assert sorted(np.flatnonzero(counts.sum(axis=0))) == sorted(columns)
    bright = view.picture.display @ np.array([0.2126, 0.7152, 0.0722])
    middle = counts.shape[1] // 2
    own = there & (np.arange(there.shape[1]) * counts.shape[1] // there.shape[1] == middle)
    levels = counts.shape[0] - 1 - np.flatnonzero(counts[:, middle])
    assert (levels.min(), levels.max()) == (int(bright[own].min() / 4), int(bright[own].max() / 4))
    assert pixels_of(look.waveform)[:, :, 0].std() > 5


def test_one_card_is_looked_at_alone_and_let_go_by_a_view(window, judge) -> None:
    session, view, look = window.session, judge.view, judge.look
    lit = view.picture.linear.copy()
    names = [look.cards.itemData(at) for at in range(1, look.cards.count())]
    assert set(names) <= set(session.document.cards)
    assert names
    name = next(one for one in names if session.document.cards[one].type == "color3")
    look.cards.setCurrentIndex(1 + names.index(name))
    look.cards.activated.emit(1 + names.index(name))
    assert settle(window)
    wanted = replace(view.request(), mode="lit", peek=(session.material, CardOutput(name)))
    assert view.request().peek == wanted.peek
    alone = view.picture.linear
    assert np.abs(alone - lit).max() > 0.05
    np.testing.assert_allclose(alone, view.renderer.picture(wanted).linear, atol=0.02)
    QTest.mouseClick(look.buttons["stretch"], Qt.MouseButton.LeftButton)
    assert settle(window)
    assert view.card is None
    assert look.cards.currentIndex() == 0
    assert view.request().mode == "base_color"
    QTest.mouseClick(look.buttons["lit"], Qt.MouseButton.LeftButton)
    assert settle(window)
    look.cards.setCurrentIndex(1 + names.index(name))
    look.cards.activated.emit(1 + names.index(name))
    assert settle(window)
    session.edit("Remove it", lambda network: edits.remove_cards(network, [name]))
    assert settle(window)
    assert view.card is None, "a card that is gone is not looked at"
    assert name not in [look.cards.itemData(at) for at in range(look.cards.count())]
