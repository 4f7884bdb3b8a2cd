"""Whole pieces of work as a practitioner does them, in the real window, with the actions that they take."""

from __future__ import annotations

from pathlib import Path

import MaterialX
import numpy as np
import pytest
from counted import Counted
from places import drop, gather_of, in_tab, middle, out_tab, wire_of
from PySide6.QtCore import QPoint, Qt

from collage.app.gather.state import Chosen
from collage.app.shell.render_dialog import RenderDialog
from collage.app.shell.start import settle, wait_until
from collage.app.shell.window import MainWindow
from collage.core.document.materials import surface_card
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.derive import normal_from
from collage.core.images.files import read_info, write_image
from collage.core.images.store import ImageStore
from collage.core.nodes import stacks
from collage.core.scene.relief import depth_of, tile_metres
from collage.demo.fields import fractal_field, stretched
from collage.demo.photographs import photograph


@pytest.fixture
def me(window: MainWindow, hand) -> Counted:
    return Counted(window, hand)


def as_bytes(values: np.ndarray) -> np.ndarray:
    return np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8)


@pytest.fixture
def metal(tmp_path: Path) -> Path:
    """A metal set with gloss for roughness and a normal map whose green points down."""
    folder, height = tmp_path / "zinc tray", stretched(fractal_field(64, 8))
    normal = as_bytes(normal_from(height, 1.0, 0.03))
    normal[:, :, 1] = 255 - normal[:, :, 1]
    write_image(folder / "zinc_albedo.png", as_bytes(np.full((64, 64, 3), 0.8)))
    write_image(folder / "zinc_metal.png", np.full((64, 64, 1), 255, np.uint8))
    write_image(folder / "zinc_gloss.png", as_bytes(0.3 + 0.5 * height)[:, :, None])
    write_image(folder / "zinc_normal.png", normal)
    write_image(folder / "zinc_height.png", as_bytes(height)[:, :, None])
    return folder


def on_object(window: MainWindow, number: int) -> QPoint:
    """A place of the preview where an object is seen."""
    preview = wire_of(window).preview
    return next(
        QPoint(x, y)
        for y in range(preview.height() // 3, preview.height(), 4)
        for x in range(0, preview.width(), 4)
        if preview.object_at(QPoint(x, y)) == number
    )


def test_a_metal_set_with_gloss_and_green_down(me: Counted, metal: Path) -> None:
    window = me.window
    drop(wire_of(window).preview, metal, at=on_object(window, 0))
    me.actions += 1
    assert wait_until(lambda: window.session.project.bench.objects[0].material == "Zinc")
    surface = surface_card(window.session.document)
    assert {"base_color", "base_metalness", "specular_roughness", "geometry_normal"} <= set(surface.inputs)
    inside = window.session.document.cards["zinc"].network
    assert any(card.category in ("invert", "subtract") for card in inside.cards.values()), "gloss is turned"
    assert window.session.document.cards["zinc"].inputs["green_down"].value is True
    assert me.actions <= 11


def test_a_photograph_becomes_relief_and_is_judged_without_its_colour(me: Counted, tmp_path: Path) -> None:
    window = me.window
    write_image(tmp_path / "photos" / "cobbles.jpg", photograph("stones", 160).pixels)
    me.key(Qt.Key.Key_1)
    place = gather_of(window)
    drop(place, tmp_path / "photos")
    me.actions += 1
    assert wait_until(lambda: place.state.found is not None and len(place.state.found.leftover) == 1 and place.settled)
    item = place.table.item_of(Chosen(leftover=0))
    me.click(place.table.viewport(), place.table.visualItemRect(item).center())
    me.click(place.set_panel.derive)
    page = place.derive
    assert wait_until(lambda: page.settled and page.ours.image is not None, 60)
    me.number(page.deep, "12")
    me.click(page.relief, QPoint(6, page.relief.height() // 2))
    assert wait_until(lambda: page.settled and page.ours.shown.mode == "clay")
    me.click(page.relief, QPoint(6, page.relief.height() // 2))
    target = page.proposed()
    me.actions += 2  # Save the maps, and Enter in the dialog
    page.save_to(target)
    assert wait_until(lambda: page.settled and any("cobbles" in one.name for one in place.state.found.sets), 60)
    me.key(Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier)
    me.key(Qt.Key.Key_B)
    assert wait_until(lambda: window.session.material.lower() == "cobbles", 60)
    surface = surface_card(window.session.document)
    assert surface.inputs["geometry_normal"].wire is not None
    assert me.actions <= 17


def test_fine_bump_on_a_long_board(me: Counted) -> None:
    window, session = me.window, me.window.session
    session.show_material("Weathered bench")
    me.actions += 1  # a double-click on the material
    assert settle(window)
    noise = me.add("fractal")
    start = out_tab(window, noise)
    me.drag(start, start + QPoint(60, 60))
    bump = me.choose("bump")
    field = wire_of(window).controls.fields["scale"]
    me.number(field.beside, "0.4")
    me.wire_to_landing(bump, "geometry_normal")
    metres = tile_metres(session.project.bench, session.material)
    assert depth_of(session.network.cards[bump].inputs["scale"].value, metres) == pytest.approx(0.0004)
    assert surface_card(session.document).inputs["geometry_normal"].wire.card == bump
    assert me.actions <= 10


def test_moss_where_it_faces_up(me: Counted) -> None:
    window, session = me.window, me.window.session
    before = wire_of(window).preview.picture.display.copy()
    me.click(wire_of(window).channels.blend)
    assert settle(window)
    other = next(
        card for card in session.document.cards.values()
        if card.category == "open_pbr_surface" and card.name in wire_of(window).board.cards and not card.inputs
    )  # fmt: skip
    me.click(wire_of(window).board.viewport(), middle(window, other.name))
    session.set_value(other.name, "base_color", "color3", (0.10, 0.16, 0.03))
    me.actions += 3  # the colour's field, three numbers typed with Tab between, Enter
    mask = me.add("slope")
    me.drag(middle(window, mask), QPoint(80, 420))
    me.wire_to_landing(mask, "mix")
    assert settle(window)
    preview = wire_of(window).preview
    pot = next(n for n, item in enumerate(session.project.bench.objects) if item.material == session.material)
    changed = np.abs(preview.picture.display.astype(int) - before).max(axis=2) > 12
    on = preview.picture.objects == pot
    assert 0.02 < changed[on].mean() < 0.9, "some of it, not all"
    assert me.actions <= 13


def test_plaster_at_twenty_percent(me: Counted, tmp_path: Path) -> None:
    window, session = me.window, me.window.session
    write_image(tmp_path / "plaster.png", as_bytes(np.full((32, 32, 3), 0.85)))
    session.show_material("Weathered bench")
    me.actions += 1
    assert settle(window)
    under = surface_card(session.document).inputs["base_color"].wire.card
    plaster = me.drop(tmp_path / "plaster.png", QPoint(80, 420))
    assert wait_until(lambda: plaster in session.network.cards)
    session.select([under, plaster])
    me.actions += 2
    me.key(Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    (stack,) = session.selection
    assert settle(window)
    editor = wire_of(window).controls.layers
    rows = stacks.layers(session.network.cards[stack])[::-1]  # as they are shown, the top one first
    opacity, _ = editor._fields[next(at for at, one in enumerate(rows) if one.source.wire.card == plaster)]
    me.number(opacity, "0.2")
    me.wire_to_landing(stack, "base_color")
    layer = next(one for one in stacks.layers(session.network.cards[stack]) if one.source.wire.card == plaster)
    assert layer.opacity.value == pytest.approx(0.2)
    assert surface_card(session.document).inputs["base_color"].wire.card == stack
    assert me.actions <= 11


def test_axes_are_mended_by_cards(me: Counted, tmp_path: Path) -> None:
    window, session = me.window, me.window.session
    right = as_bytes(normal_from(stretched(fractal_field(64, 3)), 1.0, 0.05))
    write_image(tmp_path / "odd_normal.png", np.ascontiguousarray(right[:, :, [1, 0, 2]]))
    write_image(tmp_path / "right_normal.png", right)
    session.show_material("Weathered bench")
    me.actions += 1
    assert settle(window)
    picture = me.drop(tmp_path / "odd_normal.png", QPoint(60, 330))
    parts = _drawn_to(me, picture, "swap axis")
    whole = me.add("combine3")
    me.drag(middle(window, whole), QPoint(330, 420))
    for output, name in (("outg", "in1"), ("outr", "in2"), ("outb", "in3")):
        me.drag(out_tab(window, parts, output), in_tab(window, whole, name))
    mended = _drawn_to(me, whole, "normal map")
    me.wire_to_landing(mended, "geometry_normal")
    assert surface_card(session.document).inputs["geometry_normal"].wire.card == mended
    plan = build_plan(
        session.library,
        session.network,
        {"out": CardOutput(whole)},
        folder=session.folder / "materials",
        images=ImageStore(),
    )
    found = np.asarray(run(plan, sheet(64, 64))["out"]).reshape(3, 64, 64)
    assert np.abs(found - right.transpose(2, 0, 1) / 255).mean() < 0.02
    assert me.actions <= 20


def _drawn_to(me: Counted, card: str, words: str) -> str:
    """A wire drawn to an empty place, and the card that is added there by its words."""
    start = out_tab(me.window, card)
    me.drag(start, start + QPoint(70, 50))
    return me.choose(words)


def test_a_material_is_copied_and_a_group_used_again(me: Counted) -> None:
    window, session = me.window, me.window.session
    group = next(card.name for card in session.network.cards.values() if card.network is not None)
    first = session.material
    menu = wire_of(window).sources.material_menu(first)
    next(one for one in menu.actions() if one.text() == "Duplicate").trigger()
    me.actions += 2  # right click, Duplicate
    assert session.material != first
    assert session.document == session.project.materials[first]
    assert settle(window)
    me.click(wire_of(window).board.viewport(), middle(window, group))
    before = set(window.studio.shelf.names())
    wire_of(window).keep_group()
    me.actions += 2  # right click, Save group to sources
    (kept,) = set(window.studio.shelf.names()) - before
    try:
        session.show_material("Weathered bench")
        me.actions += 1
        assert settle(window)
        there = set(session.network.cards)
        used = me.add(kept)
        assert used in set(session.network.cards) - there
        assert session.network.cards[used].network is not None
    finally:
        window.studio.shelf.drop(kept)
    assert me.actions <= 16


def test_four_layers(me: Counted, tmp_path: Path) -> None:
    window, session = me.window, me.window.session
    colours = {"one": (200, 60, 50), "two": (60, 190, 80), "three": (50, 80, 210), "four": (220, 210, 60)}
    for name, colour in colours.items():
        write_image(tmp_path / f"{name}.png", np.full((16, 16, 3), colour, np.uint8))
    session.show_material("Weathered bench")
    me.actions += 1
    assert settle(window)
    made = [me.drop(tmp_path / f"{name}.png", QPoint(80, 90 + 90 * at)) for at, name in enumerate(colours)]
    session.select(made)
    me.actions += 1  # a box around them
    me.key(Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    (stack,) = session.selection
    assert settle(window)
    layers = stacks.layers(session.network.cards[stack])
    assert {one.source.wire.card for one in layers} == set(made)
    assert len(layers) == 4
    fields = wire_of(window).controls.layers._fields
    me.number(fields[1][0], "0.5")
    me.wire_to_landing(stack, "base_color")
    assert me.actions <= 12


def test_saved_closed_opened_again_rendered_and_valid(me: Counted, tmp_path: Path) -> None:
    window, session = me.window, me.window.session
    before = session.document
    session.edit_bench("Turn", lambda bench: bench.model_copy(update={"exposure": 0.3}))
    folder = session.folder
    me.key(Qt.Key.Key_S)
    assert wait_until(lambda: not session.dirty)
    me.key(Qt.Key.Key_W)
    assert wait_until(lambda: window.front.at_start)
    me.click(next(one for one in window.front.page.cards if one.name == folder.name))
    assert wait_until(lambda: window.session.folder == folder and settle(window))
    assert session.document == before
    assert session.project.bench.exposure == 0.3
    me.key(Qt.Key.Key_R)
    dialog = window.findChild(RenderDialog)
    dialog.path.setText(str(tmp_path / "seen.png"))  # the rest of the dialog as it is, only small
    dialog.width_box.set_value(96)
    dialog.height_box.set_value(60)
    me.click(dialog.start)
    assert wait_until(lambda: (tmp_path / "seen.png").is_file() and "Written" in dialog.said.text(), 60)
    info = read_info(tmp_path / "seen.png")
    assert (info.width, info.height) == (96, 60)
    dialog.reject()
    document = MaterialX.createDocument()
    MaterialX.readFromXmlFile(document, str(next((folder / "materials").glob("*.mtlx"))))
    valid, why = document.validate()
    assert valid, why
    assert me.actions <= 5
