"""Relief judged in the real window: held keys, grazing light, and a normal map's strength and direction."""

from __future__ import annotations

import time

import numpy as np
import pytest
from places import dragged_to, wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle, wait_until
from collage.core.document.making import card, given
from collage.core.document.materials import material_card, surface_card
from collage.core.document.model import Network, Wire


def in_relief(document: Network) -> Network:
    """The material with the same noise as bump and as displacement, and a tilted normal map on the coat."""
    where = card("where", "position", "vector3", (0, 0))
    finer = card("finer", "multiply", "vector3", (0, 0), in1=("vector3", Wire("where")), in2=("float", 30.0))
    noise = card("rough", "noise3d", "float", (0, 0), amplitude=("float", 1.0), position=("vector3", Wire("finer")))
    bump = card("bumped", "bump", "vector3", (0, 0), height=("float", Wire("rough")), scale=("float", 0.6))
    tilt = card("tilted", "normalmap", "vector3", (0, 0), scale=("float", 1.0))
    tilt = tilt.with_input(given("in", "vector3", (0.65, 0.5, 0.9)))
    moved = card("moved", "displacement", "displacementshader", (0, 0), displacement=("float", Wire("rough")),
                 scale=("float", 0.01))  # fmt: skip
    for one in (where, finer, noise, bump, tilt, moved):
        document = document.with_card(one)
    surface = surface_card(document).with_input(given("geometry_normal", "vector3", Wire("bumped")))
    document = document.with_card(surface.with_input(given("geometry_coat_normal", "vector3", Wire("tilted"))))
    material = material_card(document).with_input(given("displacementshader", "displacementshader", Wire("moved")))
    return document.with_card(material)


@pytest.fixture
def preview(window):
    window.session.edit_document("Relief", in_relief)
    shown = wire_of(window).preview
    shown.setFocus()
    assert settle(window)
    return shown


def pixels(preview) -> np.ndarray:
    return preview.picture.display.astype(float)


@pytest.mark.parametrize(("key", "kind"), [(Qt.Key.Key_2, "bump"), (Qt.Key.Key_3, "displacement")])
def test_while_a_key_is_held_one_kind_of_relief_is_gone(window, preview, key, kind) -> None:
    before, document = pixels(preview), window.session.document
    QTest.keyPress(preview, key)
    assert settle(window)
    assert preview.notes() == [f"Without {kind}"]
    without, shape = pixels(preview), preview.picture.objects
    assert np.abs(without - before).max() > 20
    QTest.keyRelease(preview, key)
    assert settle(window)
    assert np.array_equal(pixels(preview), before)
    assert window.session.document is document, "nothing was edited"
    outline = ((preview.picture.objects >= 0) != (shape >= 0)).any()
    assert outline == (kind == "displacement")


def test_a_held_key_that_repeats_makes_no_new_pictures(window, preview) -> None:
    """Some repeats come as a release and a press that are marked as nothing else."""
    QTest.keyPress(preview, Qt.Key.Key_2)
    assert settle(window)
    count = preview.count
    for _ in range(5):
        QTest.keyRelease(preview, Qt.Key.Key_2)
        QTest.keyPress(preview, Qt.Key.Key_2)
        QTest.qWait(80)
    assert settle(window)
    assert preview.count == count
    assert preview.notes() == ["Without bump"]
    QTest.keyRelease(preview, Qt.Key.Key_2)
    assert settle(window)
    assert preview.notes() == []


def test_two_keys_leave_out_two_kinds_and_losing_the_focus_brings_all_back(window, preview) -> None:
    before = pixels(preview)
    QTest.keyPress(preview, Qt.Key.Key_1)
    QTest.keyPress(preview, Qt.Key.Key_2)
    assert preview.notes() == ["Without normal maps and bump"]
    wire_of(window).board.setFocus()
    assert preview.notes() == []
    assert settle(window)
    assert np.array_equal(pixels(preview), before)


def test_grazing_light_comes_with_one_key_follows_the_hand_and_goes(window, preview, hand) -> None:
    before, lights = pixels(preview), window.session.project.bench.lights
    QTest.keyClick(preview, Qt.Key.Key_G)
    assert settle(window)
    low = pixels(preview)
    assert np.abs(low - before).mean() > 5
    assert preview.request().bench.lights[0].height < 15
    at = preview.rect().center()
    hand.drag(preview, at, at + QPoint(120, 0), keys=Qt.KeyboardModifier.AltModifier)
    assert settle(window)
    assert np.abs(pixels(preview) - low).mean() > 1
    QTest.keyClick(preview, Qt.Key.Key_G)
    assert settle(window)
    assert np.array_equal(pixels(preview), before)
    assert window.session.project.bench.lights == lights
    assert window.session.history.undo_label == "Relief"


def test_grazing_light_is_in_the_menu_too(window, preview) -> None:
    panel = wire_of(window).preview_panel
    panel.grazing.trigger()
    assert preview.relief.grazing is not None
    assert settle(window)
    assert preview.shown.bench.lights[0].name == "Grazing light"


def test_the_height_under_the_pointer_is_told_in_millimetres(window, preview, hand) -> None:
    told: list[str] = []
    preview.pixel.connect(told.append)
    panel = wire_of(window).preview_panel
    next(one for one in panel.more.menu().actions() if one.text() == "Displacement height").trigger()
    assert settle(window)
    low, high = preview.picture.span
    assert -0.02 < low < -0.001
    assert 0.001 < high < 0.02
    hand.move(preview, preview.rect().center())
    assert told[-1].endswith(" mm")
    assert low * 1000 <= float(told[-1][:-3].replace("−", "-")) <= high * 1000
    assert panel.more.text() == "Displacement height"


def test_pictures_of_a_dragged_depth_become_as_small_as_they_are_slow(window, preview, monkeypatch) -> None:
    """Every one has a shape of its own, so that none is kept: what they cost is learned all the same."""
    name, sizes = window.session.material, []
    make = preview.renderer.stages

    def slow(request, **how):
        time.sleep(0.15)
        return make(request, **how)

    monkeypatch.setattr(preview.renderer, "stages", slow)
    preview.shown_changed.connect(lambda: sizes.append((preview.shown.width, shown_depth())))

    def shown_depth() -> float:
        return float(preview.shown.materials[name].cards["moved"].inputs["scale"].value)

    number, end = 0, time.monotonic() + 120
    while len(sizes) < 6 and time.monotonic() < end:
        number += 1
        dragged_to(window, "moved", "scale", 0.005 + 0.0001 * number)
    full = preview.full_size()[0]
    assert len({depth for _, depth in sizes}) >= 6
    assert sizes[-1][0] == round(full / 4)
    assert settle(window)
    assert preview.picture.display.shape[1] == preview.full_size()[0]
    assert shown_depth() == pytest.approx(0.005 + 0.0001 * number)


def test_once_it_is_looked_at_the_hand_need_not_wait_for_its_first_picture(window, preview) -> None:
    """What stays is made ready for the material in hand, at rest, and for another one when that is chosen."""
    asked = []
    make = preview.renderer.ready_for_hand
    preview.renderer.ready_for_hand = lambda request, name, cancelled: (
        asked.append(name),
        make(request, name, cancelled),
    )
    preview.ask("view")
    assert wait_until(lambda: asked[-1:] == [window.session.material])
    assert wait_until(lambda: preview._readying.idle)
    assert any(not scene.tracer.is_whole for scene in preview.renderer.caches._scenes.values())
    other = next(name for name in window.session.project.materials if name != window.session.material)
    window.session.show_material(other)
    assert wait_until(lambda: asked[-1] == other)
