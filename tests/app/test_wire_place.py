"""The Wire place in a real window: from the first look to a saved file, by mouse and keyboard."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from places import in_tab, landing, middle, out_tab, wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QLabel, QMenu

from collage.app.shell.start import settle, wait_until
from collage.app.shell.window import MainWindow
from collage.app.widgets.fields import ColourField, NumbersField
from collage.app.widgets.number_field import NumberField
from collage.app.wire.add_field import DATA, type_word
from collage.core.actions import bench as bench_acts
from collage.core.document.materialx import parse_document
from collage.core.document.model import CONVERT, Wire
from collage.core.project.folder import load_project


def shown(window: MainWindow) -> np.ndarray:
    assert settle(window)
    picture = wire_of(window).preview.picture
    assert picture is not None
    return picture.display


def field(window: MainWindow, card: str, name: str) -> NumberField:
    found = wire_of(window).controls.fields[name]
    assert found.objectName() == f"{card}.{name}"
    assert isinstance(found, NumbersField)
    return found.fields[0]


def offers_menu(window: MainWindow) -> QMenu:
    menus = [one for one in wire_of(window).board.findChildren(QMenu, "offers") if one.isVisible()]
    assert menus, "the inputs that fit are offered"
    return menus[-1]


def test_the_first_walk(window: MainWindow, hand, qtbot, project: Path) -> None:
    """Open, add by search, wire by dragging, change a value, see it, peek, undo all, save, reopen."""
    board, session = wire_of(window).board, window.session
    start = session.project
    first = shown(window)

    board.setFocus()
    hand.key(board, Qt.Key.Key_Return)
    assert wire_of(window).add_field.isVisible()
    hand.type(wire_of(window).add_field.line, "checks")
    hand.key(wire_of(window).add_field.line, Qt.Key.Key_Return)
    assert "checkerboard" in session.network.cards
    assert session.selection == ("checkerboard",)
    assert not wire_of(window).add_field.isVisible()

    hand.drag(board.viewport(), out_tab(window, "checkerboard"), landing(window, "base_color"))
    wire = session.document.cards["surface"].inputs["base_color"].wire
    assert wire == Wire("checkerboard")
    checked = shown(window)
    assert (checked != first).any(), "the preview shows the checks"

    hand.click(board.viewport(), middle(window, "checkerboard"))
    pair = wire_of(window).controls.fields["uvtiling"]
    assert isinstance(pair, NumbersField)
    hand.click(pair.fields[0], QPoint(20, 10))
    pair.fields[0].selectAll()
    hand.type(pair.fields[0], "3")
    hand.key(pair.fields[0], Qt.Key.Key_Return)
    assert session.network.cards["checkerboard"].inputs["uvtiling"].value == (3.0, 8.0)
    assert (shown(window) != checked).any()

    board.setFocus()
    hand.key(board, Qt.Key.Key_Space)
    assert session.peeked is not None
    peeked = shown(window)
    hand.key(board, Qt.Key.Key_Space)
    assert session.peeked is None
    assert (shown(window) != peeked).any()

    session.save()
    saved, problems = load_project(project)
    assert problems == []
    assert saved.materials == session.project.materials
    while session.history.undo_label:
        window.undo_action.trigger()
    assert session.project is start
    np.testing.assert_array_equal(shown(window), first)
    while session.history.redo_label:
        window.redo_action.trigger()
    assert session.project.materials == saved.materials
    window.session.open(project)
    assert session.project.materials == saved.materials


def test_a_drag_in_a_field_is_seen_at_once_and_is_one_step(window: MainWindow, hand) -> None:
    before = shown(window)
    window.session.select(["dry"])
    number = field(window, "dry", "fg")
    hand.drag(number, QPoint(60, 10), QPoint(20, 10), steps=12)
    assert window.session.network.cards["dry"].inputs["fg"].value < 0.93
    assert window.history.labels == ["Set foreground of Dryness"]
    assert (shown(window) != before).any()
    window.undo_action.trigger()
    assert window.session.network.cards["dry"].inputs["fg"].value == 0.93
    np.testing.assert_array_equal(shown(window), before)


def test_fields_take_keys_expressions_of_no_sense_and_a_double_click(window: MainWindow, hand) -> None:
    window.session.select(["edge"])
    number = field(window, "edge", "high")
    number.setFocus()
    for keys, wanted in ((Qt.KeyboardModifier.NoModifier, 1.02), (Qt.KeyboardModifier.ControlModifier, 1.22)):
        hand.key(number, Qt.Key.Key_Up, keys)
        assert number.value == pytest.approx(wanted, abs=1e-6)
    hand.type(number, "2,5")
    hand.key(number, Qt.Key.Key_Return)
    assert window.session.network.cards["edge"].inputs["high"].value == 2.5
    hand.key(number, Qt.Key.Key_Return)
    number.setText("tall")
    hand.key(number, Qt.Key.Key_Return)
    assert number.value == 2.5
    hand.double_click(number, QPoint(20, 10))
    assert "high" not in window.session.network.cards["edge"].inputs
    assert number.value == 1.0


def test_wiring_to_a_tab_converts_with_a_mark_and_a_loop_is_refused(window: MainWindow, hand) -> None:
    board, session = wire_of(window).board, window.session
    hand.drag(board.viewport(), out_tab(window, "clouds"), in_tab(window, "bloom", "bg"))
    wire = session.network.cards["bloom"].inputs["bg"].wire
    assert wire is not None
    assert session.network.cards[wire.card].attributes[CONVERT] == "true"
    assert wire.card not in board.cards, "conversion is a mark on the wire, not a card"
    assert [one.mark for one in board.wires if (one.card, one.name) == ("bloom", "bg")] == ["as colour"]
    before = session.project
    hand.drag(board.viewport(), out_tab(window, "edge"), in_tab(window, "clouds", "amplitude"))
    assert session.project is before
    assert window.banner.isVisible()
    assert "circle" in window.banner.text.text()


def test_a_picture_dropped_on_a_picture_offers_the_inputs_that_fit(window: MainWindow, hand) -> None:
    board = wire_of(window).board
    place = window.session.network.cards["lime"].position
    hand.drag(board.viewport(), middle(window, "lime"), middle(window, "clay"))
    menu = offers_menu(window)
    texts = [action.text() for action in menu.actions()]
    assert [text.split("\t")[0] for text in texts] == ["First", "Second"]
    assert texts[0].split("\t")[1] == "Terracotta", "present values are shown"
    menu.actions()[0].trigger()
    menu.close()
    assert window.session.network.cards["clay"].inputs["in1"].wire == Wire("lime")
    assert window.session.network.cards["lime"].position == place, "the card went back to its place"


def test_a_card_dropped_on_a_wire_goes_in_between(window: MainWindow, hand) -> None:
    board, session = wire_of(window).board, window.session
    session.add(session.library["ND_invert_float"], (0.0, 4.5))
    settle(window)
    board.fit_all()
    wire = next(one for one in board.wires if (one.card, one.name) == ("dry", "bg"))
    at = board.mapFromScene(wire._path.pointAtPercent(0.3))
    hand.drag(board.viewport(), middle(window, "invert"), at)
    assert session.network.cards["dry"].inputs["bg"].wire == Wire("invert")
    assert session.network.cards["invert"].inputs["in"].wire == Wire("terracotta", "roughness")
    window.undo_action.trigger()
    assert session.network.cards["dry"].inputs["bg"].wire == Wire("terracotta", "roughness")


def test_removing_a_card_joins_its_wires(window: MainWindow, hand) -> None:
    hand.click(wire_of(window).board.viewport(), middle(window, "clay"))
    hand.key(wire_of(window).board, Qt.Key.Key_Delete)
    assert "clay" not in window.session.network.cards
    assert window.session.network.cards["bloom"].inputs["bg"].wire == Wire("terracotta", "base_color")


def test_the_end_of_a_wire_can_be_moved_and_let_go(window: MainWindow, hand) -> None:
    board, session = wire_of(window).board, window.session
    hand.drag(board.viewport(), in_tab(window, "dry", "mix"), in_tab(window, "dry", "fg"))
    assert "mix" not in session.network.cards["dry"].inputs
    assert session.network.cards["dry"].inputs["fg"].wire == Wire("edge")
    assert session.history.labels == ["Rewire"]
    hand.drag(board.viewport(), landing(window, "specular_roughness") - QPoint(30, 0), QPoint(30, 30))
    assert session.document.cards["surface"].inputs.get("specular_roughness") is None


def test_a_wire_dropped_on_the_empty_board_offers_what_fits(window: MainWindow, hand) -> None:
    hand.drag(wire_of(window).board.viewport(), out_tab(window, "terracotta", "normal"), QPoint(40, 40))
    assert wire_of(window).add_field.isVisible()
    hand.type(wire_of(window).add_field.line, "normal map")
    assert wire_of(window).add_field.found.count() >= 1
    hand.key(wire_of(window).add_field.line, Qt.Key.Key_Return)
    new = window.session.selection[0]
    assert window.session.network.cards[new].inputs["in"].wire == Wire("terracotta", "normal")
    wire_of(window).add_field.ask(QPoint(10, 10), lambda *_: None, "surfaceshader")
    row = wire_of(window).add_field.found.item(0)
    assert (row.text(), type_word(row.data(DATA).offer)) == ("Surface blend", "surface")
    assert wire_of(window).add_field.found.count() == 1
    wire_of(window).add_field.ask(QPoint(10, 10), lambda *_: None, "BSDF")
    assert wire_of(window).add_field.found.count() == 0
    hand.key(wire_of(window).add_field.line, Qt.Key.Key_Escape)
    assert not wire_of(window).add_field.isVisible()


def test_a_pattern_of_our_own_is_added_by_its_meaning_and_has_picture_controls_and_help(
    window: MainWindow, hand
) -> None:
    board, session = wire_of(window).board, window.session
    board.setFocus()
    hand.key(board, Qt.Key.Key_Return)
    hand.type(wire_of(window).add_field.line, "bricks")
    hand.key(wire_of(window).add_field.line, Qt.Key.Key_Return)
    assert session.selection == ("clg_courses",)
    assert {"repeats", "shift", "joint", "bevel", "uneven", "seed"} <= set(wire_of(window).controls.fields)
    assert "Rows of bricks" in wire_of(window).controls.kind.text()
    first = shown(window)
    assert board.cards["clg_courses"].picture is not None
    hand.drag(board.viewport(), out_tab(window, "clg_courses", "mask"), landing(window, "base_color"))
    surface = session.document.cards["surface"].inputs["base_color"].wire
    assert surface is not None
    assert (shown(window) != first).any(), "the preview shows the bricks"


def test_the_surface_models_of_others_show_their_own_inputs(window: MainWindow) -> None:
    text = """<materialx version="1.39"><standard_surface name="surface" type="surfaceshader"><input name="base_color" type="color3" value="0.1, 0.3, 0.8"/></standard_surface>
    <surfacematerial name="material" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/></surfacematerial></materialx>"""
    network = parse_document(text.encode())
    first = shown(window)
    window.session.edit_document("Other model", lambda _: network)
    assert "base_color" in wire_of(window).channels.fields
    blue = shown(window)
    assert (blue != first).any()
    assert not window.banner.isVisible()
    window.session.set_value("surface", "base_color", "color3", (0.8, 0.1, 0.1))
    assert (shown(window) != blue).any()
    window.session.history.undo()
    np.testing.assert_array_equal(shown(window), blue)


def test_skip_duplicate_choose_and_tidy_by_keys(window: MainWindow, hand) -> None:
    board, session = wire_of(window).board, window.session
    before = shown(window)
    hand.click(board.viewport(), middle(window, "bloom"))
    hand.key(board, Qt.Key.Key_K)
    assert session.network.cards["bloom"].skipped
    assert (shown(window) != before).any()
    hand.key(board, Qt.Key.Key_K)
    np.testing.assert_array_equal(shown(window), before)
    session.duplicate(["bloom"])
    assert session.selection == ("bloom2",)
    window.menus.actions["Select all"].trigger()
    assert set(session.selection) == set(board.cards)
    session.select(())
    hand.key(board, Qt.Key.Key_H)
    rectangles = [item.sceneBoundingRect().adjusted(10, 5, -10, -5) for item in board.cards.values()]
    assert not any(a.intersects(b) for at, a in enumerate(rectangles) for b in rectangles[at + 1 :])
    hand.key(board, Qt.Key.Key_Right)
    assert len(session.selection) == 1


def test_box_selection_moving_and_panning(window: MainWindow, hand) -> None:
    board, session = wire_of(window).board, window.session
    hand.drag(board.viewport(), QPoint(5, 5), QPoint(board.viewport().width() - 150, board.viewport().height() - 5))
    assert set(session.selection) == set(board.cards)
    before = session.network.cards["lime"].position
    hand.drag(board.viewport(), middle(window, "lime"), middle(window, "lime") + QPoint(0, 40))
    after = session.network.cards["lime"].position
    assert after[1] > before[1]
    assert session.history.labels[-1].startswith("Move")
    landing_before = landing(window, "base_color")
    card_before = middle(window, "lime")
    hand.drag(board.viewport(), QPoint(20, 20), QPoint(60, 50), button=Qt.MouseButton.MiddleButton)
    assert middle(window, "lime") - card_before == QPoint(40, 30)
    assert landing(window, "base_color").x() == landing_before.x(), "landings stay at the border"
    zoom = board.transform().m11()
    hand.wheel(board.viewport(), middle(window, "lime"), 240)
    assert board.transform().m11() > zoom
    assert abs(landing(window, "base_color").x() - landing_before.x()) <= 1


def test_a_group_opens_in_place_with_a_way_back(window: MainWindow, hand) -> None:
    hand.double_click(wire_of(window).board.viewport(), middle(window, "terracotta"))
    assert window.session.path == ("terracotta",)
    assert settle(window)
    assert {"placement", "base_color_map"} <= set(wire_of(window).board.cards)
    assert "base_color" in wire_of(window).board.landings
    assert wire_of(window).board.cards["base_color_map"].picture is not None
    window.session.select(["placement"])
    texts = [label.text() for label in wire_of(window).controls.findChildren(QLabel)]
    assert "from Tile size" in texts
    assert "scale" not in wire_of(window).controls.fields
    window.session.set_value("placement", "rotate", "float", 30.0)
    assert window.session.document.cards["terracotta"].network is not None
    window.session.select(())
    wire_of(window).board.setFocus()
    hand.key(wire_of(window).board, Qt.Key.Key_Escape)
    assert window.session.path == ()
    assert "terracotta" in wire_of(window).board.cards


def test_every_card_has_a_picture_and_broken_ones_say_why(window: MainWindow) -> None:
    assert settle(window)
    assert [name for name, item in wire_of(window).board.cards.items() if item.picture is None] == []
    window.session.open_group(("terracotta",))
    window.session.set_value("base_color_map", "file", "filename", "../maps/gone.png")
    assert settle(window)
    problem = wire_of(window).board.cards["base_color_map"].problem
    assert problem is not None
    assert "gone.png" in str(problem)
    window.session.open_group(())
    assert settle(window)
    assert wire_of(window).board.cards["terracotta"].problem is not None


def test_channels_show_mute_and_look_at_one_input(window: MainWindow, hand, qtbot) -> None:
    before = shown(window)
    wire_of(window).channels.mutes["base_color"].click()
    assert window.session.document.cards["surface"].inputs["base_color"].muted
    muted = shown(window)
    assert (muted != before).any()
    wire_of(window).channels.mutes["base_color"].click()
    np.testing.assert_array_equal(shown(window), before)
    wire_of(window).preview_panel.buttons["clay"].click()
    clay = shown(window).astype(int)
    assert np.abs(clay[..., 0] - clay[..., 2]).mean() < 12, "clay is grey"
    wire_of(window).channels.view_wanted.emit("specular_roughness")
    assert wire_of(window).preview.mode == "specular_roughness"
    assert (shown(window) != clay).any()
    wire_of(window).channels.view_wanted.emit("specular_roughness")
    assert wire_of(window).preview.mode == "lit"
    colour = wire_of(window).channels.fields["specular_color"]
    assert isinstance(colour, ColourField)
    colour.hex.setText("#FF8000")
    colour.hex.editingFinished.emit()
    value = window.session.document.cards["surface"].inputs["specular_color"].value
    np.testing.assert_allclose(value, (1, 0.21586, 0), atol=1e-4)


def test_sources_find_take_and_drag(window: MainWindow, hand) -> None:
    wire_of(window).sources.search.setText("noise")
    tiles = wire_of(window).sources._tiles
    assert "noise3d" in tiles
    hand.double_click(tiles["noise3d"], QPoint(20, 20))
    assert "noise3d" in window.session.network.cards
    wire_of(window).sources.search.setText("")
    hand.double_click(wire_of(window).sources._tiles["set Celadon glaze celadon"], QPoint(20, 15))
    assert "celadon" in window.session.network.cards
    hand.double_click(wire_of(window).sources._tiles["material Weathered bench"], QPoint(20, 20))
    assert window.session.material == "Weathered bench"
    assert "shade" in wire_of(window).board.cards


def test_the_preview_turns_moves_picks_frames_and_lights(window: MainWindow, hand, qtbot) -> None:
    preview, session = wire_of(window).preview, window.session
    first = shown(window)
    hand.drag(preview, QPoint(200, 150), QPoint(260, 150))
    assert session.camera.turn != session.project.bench.camera.turn
    assert (shown(window) != first).any()
    assert session.history.labels == [], "looking is no edit"
    camera = session.camera
    hand.drag(preview, QPoint(200, 150), QPoint(220, 150), keys=Qt.KeyboardModifier.ShiftModifier)
    assert session.camera.target != camera.target
    hand.wheel(preview, QPoint(200, 150), 120)
    assert session.camera.distance < camera.distance
    before = shown(window)
    hand.drag(preview, QPoint(200, 150), QPoint(260, 130), keys=Qt.KeyboardModifier.AltModifier)
    assert session.history.labels == ["Move the light"]
    assert (shown(window) != before).any()
    parts = preview.picture.objects
    row, column = np.argwhere(parts == 1)[len(np.argwhere(parts == 1)) // 2]
    at = QPoint(int(column * preview.width() / parts.shape[1]) + 1, int(row * preview.height() / parts.shape[0]) + 1)
    hand.click(preview, at)
    assert session.material == "Celadon glaze"
    hand.double_click(preview, at)
    assert session.camera.target[1] == pytest.approx(0.043, abs=0.01)
    hand.move(preview, at)
    assert "linear" in window.pixel_label.text()


def test_a_name_can_be_typed_and_the_wired_source_visited(window: MainWindow, hand) -> None:
    window.session.select(["edge"])
    wire_of(window).controls.title.setText("Where lime sits")
    wire_of(window).controls.title.editingFinished.emit()
    assert window.session.title("edge") == "Where lime sits"
    buttons = [
        one
        for one in wire_of(window).controls.findChildren(type(window.banner.buttons[0]))
        if one.text() == "Height mask"
    ]
    buttons[0].click()
    assert window.session.selection == ("rising",)


def test_both_themes_can_be_read(window: MainWindow) -> None:
    from collage.app.theme import DAY, NIGHT

    def light(colour: str) -> float:
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    for theme in (DAY, NIGHT):
        for paper in (theme.window, theme.panel, theme.card):
            for ink in (theme.ink, theme.quiet):
                a, b = sorted((light(paper), light(ink)))
                assert (b + 0.05) / (a + 0.05) >= 4.5, (theme.name, paper, ink)
    day = window.grab().toImage()
    window.studio.set_theme("night")
    night = window.grab().toImage()
    assert day.pixelColor(300, 100).lightness() > night.pixelColor(300, 100).lightness() + 60
    window.studio.set_theme("day")


def test_bench_menu_edits_are_undoable(window: MainWindow) -> None:
    before = shown(window)
    window.menus.actions["Brighter"].trigger()
    assert window.session.project.bench.exposure == 0.25
    assert (shown(window) != before).any()
    window.menus.actions["Tone: sRGB, no tone mapping"].trigger()
    window.menus.actions["Environment light"].trigger()
    bench_acts.switch_light(window.session, 0)
    bench = window.session.project.bench
    assert (bench.view_transform, bench.environment.on, bench.lights[0].on) == ("srgb", False, False)
    assert settle(window)
    for _ in range(4):
        window.undo_action.trigger()
    np.testing.assert_array_equal(shown(window), before)


def test_nothing_but_the_accent_is_coloured_outside_pictures(window: MainWindow) -> None:
    """Strictly neutral greys where colour is judged."""
    image = window.grab().toImage()
    for x, y in ((300, 30), (100, 75), (300, 700), (230, 560), (900, 430)):
        colour = image.pixelColor(x, y)
        assert max(colour.red(), colour.green(), colour.blue()) - min(colour.red(), colour.green(), colour.blue()) <= 2
    assert isinstance(QApplication.instance(), QApplication)


def test_two_surfaces_are_blended_by_a_mask(window: MainWindow, hand, qtbot) -> None:
    session, board = window.session, wire_of(window).board
    alone, first = session.document, shown(window)
    qtbot.mouseClick(wire_of(window).channels.blend, Qt.MouseButton.LeftButton)
    assert session.surface is not None
    assert (session.surface.category, session.surface.type) == ("mix", "surfaceshader")
    front = session.selection[0]
    assert {"surface", front} <= board.cards.keys(), "both surfaces lie on the board"
    half = shown(window)
    assert (half != first).any()
    assert board.cards[front].picture is not None, "a surface's card shows it on a ball"

    hand.drag(board.viewport(), out_tab(window, "dry"), landing(window, "mix"))
    blend = session.surface.inputs["mix"]
    assert blend.wire is not None
    assert (shown(window) != half).any()

    colour = wire_of(window).controls.fields["base_color"]
    assert isinstance(colour, ColourField)
    colour.edited.emit((0.05, 0.2, 0.6), False)
    assert session.document.cards[front].inputs["base_color"].value == (0.05, 0.2, 0.6)
    blue = shown(window)
    assert blue[..., 2].mean() > half[..., 2].mean() - 60

    session.show_surface(front)
    assert session.surface.name == front
    for _ in range(4):
        session.history.undo()
    assert session.document is alone
    assert (shown(window) == first).all()


def test_undoing_what_is_not_shown_says_where_and_leads_there(window, hand) -> None:
    session = window.session
    materials = list(session.project.materials)
    session.show_material(materials[1])
    card = next(name for name, one in session.network.cards.items() if one.category == "range" or one.inputs)
    session.skip([card], True)
    session.show_material(materials[0])
    hand.key(wire_of(window).board, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.material == materials[1]
    assert f"(in the material {materials[1]})" in window.hint_label.text()
    bench_acts.expose(session, 0.5)
    window.undo()
    assert "(on the bench)" in window.hint_label.text()
    window.redo()
    assert window.hint_label.text().startswith("Done again: ")
    assert settle(window)


def test_what_is_dropped_at_the_border_can_be_seen_whole(window) -> None:
    board = wire_of(window).board
    box = board.viewport().rect()
    offer = next(one for one in window.studio.offers if one.definition.category == "checkerboard")
    for corner in (box.topLeft(), box.topRight(), box.bottomLeft(), box.bottomRight()):
        name = window.session.add(offer.definition, board.seen_place(corner))
        item = board.cards[name]
        seen = board.mapFromScene(item.sceneBoundingRect()).boundingRect()
        window.session.history.undo()
        assert box.adjusted(-3, -3, 3, 3).contains(seen), corner
    assert settle(window)


def test_hints_go_away(window) -> None:
    usual = window.current.hint
    window._said.setInterval(60)
    window.studio.hint.emit("Drop to assign to Pot")
    assert window.hint_label.text() == "Drop to assign to Pot"
    assert wait_until(lambda: window.hint_label.text() == usual, 5)
    window.say("Saved.")
    window.go_to(0)
    assert window.hint_label.text() == window.current.hint
    assert settle(window)
