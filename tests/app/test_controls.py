"""Editors in the controls, colours, materials: in the real window, by mouse and keyboard."""

from __future__ import annotations

import numpy as np
import pytest
from places import wire_of
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QApplication, QLineEdit, QMenu, QStyle, QStyleOptionFrame

from collage.app.shell.start import settle
from collage.app.shell.window import MainWindow
from collage.app.widgets import card_editors
from collage.app.widgets.card_editors import CurveEditor, RampEditor, curve_through, ramp_colours
from collage.app.widgets.colour_editor import ColourEditor, linear_of, shown
from collage.app.widgets.dragged import MATERIAL_FORMAT
from collage.app.widgets.fields import ColourField, NumbersField, field_for
from collage.app.widgets.levels_editor import LevelsEditor
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.small import Dial, Dice, Pad
from collage.app.wire.sources_panel import Tile
from collage.core.actions.materials import duplicate_material
from collage.core.document.materialx import parse_document
from collage.core.document.model import Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.nodes.ramps import is_long, stops_of


def picture(window: MainWindow) -> np.ndarray:
    assert settle(window)
    return wire_of(window).preview.picture.display


def add(window: MainWindow, definition: str) -> str:
    return window.session.add(window.session.library[definition], (0.0, 5.0))


def value(window: MainWindow, card: str, name: str):
    return window.session.network.cards[card].inputs[name].value


def along(library, body: str, card: str, count: int = 64) -> np.ndarray:
    """What a card puts out along u, (k, count)."""
    text = f'<materialx version="1.39"><texcoord name="uv" type="vector2"/>{body}</materialx>'
    plan = build_plan(library, parse_document(text.encode()), {"out": CardOutput(card)})
    return np.asarray(run(plan, sheet(count, 1))["out"])


def test_a_ramp_has_stops_added_moved_coloured_and_dragged_away(window: MainWindow, hand) -> None:
    name = add(window, "ND_ramp")
    editor = wire_of(window).controls.editor
    assert isinstance(editor, RampEditor)
    bar, middle = editor.bar, round(editor.bar._x(0.5))
    hand.click(bar, QPoint(middle, 20))
    assert value(window, name, "num_intervals") == 3
    assert value(window, name, "interval2") == pytest.approx(0.5, abs=0.01)
    assert value(window, name, "color2")[0] == pytest.approx(0.5, abs=0.02), "the colour that was there"
    editor.colour.edited.emit((0.9, 0.1, 0.0, 1.0), False)
    assert value(window, name, "color2") == (0.9, 0.1, 0.0, 1.0)
    hand.drag(bar, QPoint(middle, 48), QPoint(round(bar._x(0.25)), 48))
    assert value(window, name, "interval2") == pytest.approx(0.25, abs=0.01)
    hand.key(bar, Qt.Key.Key_Right)
    assert value(window, name, "interval2") == pytest.approx(0.26, abs=0.011)
    labels = len(window.history.labels)
    hand.drag(bar, QPoint(round(bar._x(value(window, name, "interval2"))), 48), QPoint(200, 200))
    assert value(window, name, "num_intervals") == 2
    assert len(window.history.labels) == labels + 1, "one drag, one step"
    hand.key(bar, Qt.Key.Key_Delete)
    assert value(window, name, "num_intervals") == 2, "two stops at least"
    for place in np.linspace(0.05, 0.95, 12):
        hand.click(bar, QPoint(round(bar._x(float(place))), 20))
    assert wire_of(window).controls.editor is editor, "the editor stays while the ramp outgrows the standard's card"
    card = window.session.network.cards[name]
    assert is_long(card)
    assert len(stops_of(card)[0]) == 14
    editor.how.activated.emit(2)
    assert stops_of(window.session.network.cards[name])[1] == 2
    picture(window)
    assert wire_of(window).board.cards[name].problem is None
    for _ in range(5):
        hand.key(bar, Qt.Key.Key_Delete)
    assert window.session.network.cards[name].category == "ramp", "ten fit again"
    assert value(window, name, "interpolation") == 2


@pytest.mark.parametrize("interpolation", [0, 1, 2])
def test_the_ramp_that_is_drawn_is_the_ramp_that_is_computed(library, interpolation: int) -> None:
    stops = [(0.1, (0.0, 0.2, 0.4, 1.0)), (0.4, (1.0, 0.5, 0.0, 1.0)), (0.9, (0.2, 0.9, 0.3, 1.0))]
    inputs = "".join(
        f'<input name="interval{k}" type="float" value="{place}"/>'
        f'<input name="color{k}" type="color4" value="{", ".join(map(str, colour))}"/>'
        for k, (place, colour) in enumerate(stops, 1)
    )
    body = (
        f'<ramp name="r" type="color4"><input name="num_intervals" type="integer" value="3"/>{inputs}'
        f'<input name="interpolation" type="integer" value="{interpolation}"/></ramp>'
    )
    found = along(library, body, "r")[:3].T
    np.testing.assert_allclose(ramp_colours(stops, interpolation, 64), found, atol=1e-5)


def test_the_curve_that_is_drawn_is_the_curve_that_is_computed(library) -> None:
    heights = [0.1, 0.9, 0.3, 0.6, 0.2]
    inputs = "".join(
        f'<input name="{name}" type="float" value="{height}"/>'
        for name, height in zip(card_editors.KNOTS, heights, strict=True)
    )
    body = (
        '<extract name="u" type="float"><input name="in" type="vector2" nodename="uv"/></extract>'
        f'<clg_curve name="c" type="float"><input name="in" type="float" nodename="u"/>{inputs}</clg_curve>'
    )
    drawn = np.interp((np.arange(64) + 0.5) / 64, np.linspace(0, 1, 2001), curve_through(heights, 2001))
    np.testing.assert_allclose(drawn, along(library, body, "c")[0], atol=1e-4)


def test_a_curve_and_levels_are_dragged_over_what_comes_in(window: MainWindow, hand) -> None:
    session = window.session
    curve = add(window, "ND_clg_curve_float")
    session.wire(Wire("edge"), curve, "in", "float")
    picture(window)
    editor = wire_of(window).controls.editor
    assert isinstance(editor, CurveEditor)
    assert editor._spread is not None, "the histogram of what comes in"
    at = editor._at(2).toPoint()
    hand.drag(editor, at, at - QPoint(0, 40))
    assert value(window, curve, "middle") > 0.7
    hand.key(editor, Qt.Key.Key_Down)
    hand.double_click(editor, QPoint(at.x(), at.y()))
    assert value(window, curve, "middle") == 0.5

    levels = add(window, "ND_range_color3")
    session.wire(Wire("bloom"), levels, "in", "color3")
    picture(window)
    editor = wire_of(window).controls.editor
    assert isinstance(editor, LevelsEditor)
    low = editor.marks()["low"].toPoint()
    hand.drag(editor, low, low + QPoint(30, 3))
    given = value(window, levels, "inlow")
    assert given[0] == given[1] == given[2] > 0.1
    assert "outlow" not in session.network.cards[levels].inputs, "a hand that slips a little means nothing"
    middle = editor.marks()["middle"].toPoint()
    hand.drag(editor, middle, middle - QPoint(20, 0))
    assert value(window, levels, "gamma")[0] > 1.0
    high, box = editor.marks()["high"].toPoint(), editor._box()
    hand.drag(editor, high, QPoint(high.x(), round(box.center().y())))
    assert value(window, levels, "outhigh")[0] == pytest.approx(0.5, abs=0.03)
    before = value(window, levels, "inhigh")[0]
    hand.key(editor, Qt.Key.Key_Left)
    assert value(window, levels, "inhigh")[0] == pytest.approx(before - 0.01, abs=1e-4)
    hand.key(editor, Qt.Key.Key_PageUp)
    hand.key(editor, Qt.Key.Key_Up)
    assert value(window, levels, "outlow")[0] == pytest.approx(0.01, abs=1e-4), "the next point is the low end"


def test_the_histogram_says_how_the_chosen_cards_values_are_spread(window: MainWindow) -> None:
    window.session.select(["edge"])
    picture(window)
    found = wire_of(window).controls.histogram
    assert found.isVisible()
    assert found.spread is not None
    values = wire_of(window).board._values["edge"]
    assert found.spread.low == pytest.approx(float(values.min()))
    assert "From" in found.toolTip()


def test_a_colour_is_chosen_on_the_disc_typed_and_picked_from_the_screen(window: MainWindow, hand) -> None:
    session = window.session
    name = add(window, "ND_constant_color3")
    field = wire_of(window).controls.fields["value"]
    assert isinstance(field, ColourField)
    hand.click(field.swatch, QPoint(10, 10))
    editor = field.editor
    assert isinstance(editor, ColourEditor)
    steps = len(window.history.labels)
    hand.drag(editor.disc, QPoint(74, 74), QPoint(140, 74))
    red = value(window, name, "value")
    assert red[0] > 3 * red[1]
    assert len(window.history.labels) == steps + 1, "one drag, one step"
    hand.drag(editor.bar, QPoint(8, 40), QPoint(8, 120))
    assert value(window, name, "value")[0] < red[0]
    editor.srgb[1]._give(255, False)
    assert value(window, name, "value")[1] == pytest.approx(1.0)
    editor.linear[2]._give(0.25, False)
    assert value(window, name, "value")[2] == pytest.approx(0.25)
    editor.pick.click()
    at = wire_of(window).board.mapToGlobal(QPoint(12, 12))
    hand.click(editor, editor.mapFromGlobal(at))
    board = QColor(window.studio.theme.board)
    assert shown(value(window, name, "value")) == pytest.approx(
        (board.redF(), board.greenF(), board.blueF()), abs=0.005
    )
    hand.key(editor, Qt.Key.Key_Escape)
    assert value(window, name, "value") == (0.5, 0.5, 0.5), "Escape brings back the colour of before"
    assert session.selection == (name,)


def test_colours_go_to_srgb_and_back() -> None:
    for colour in ((0.0, 0.0, 0.0), (0.2, 0.5, 0.9), (1.0, 0.0031, 0.18)):
        assert linear_of(shown(colour)) == pytest.approx(colour, abs=1e-4)
    encoded = shown((0.2159, 0.2159, 0.2159))
    assert QColor.fromRgbF(*encoded).red() == 128, "the standard's middle grey"


def test_a_dial_dice_and_a_pad_stand_beside_their_numbers(library, hand, qtbot) -> None:
    given: list[object] = []

    def field(definition: str, name: str) -> NumbersField:
        made = field_for(library[definition].inputs[name], str)
        assert isinstance(made, NumbersField)
        made.edited.connect(lambda value, moving: given.append(value))
        qtbot.addWidget(made)
        made.show()
        return made

    turn = field("ND_place2d_vector2", "rotate")
    assert isinstance(turn._more, Dial)
    hand.drag(turn._more, QPoint(20, 11), QPoint(11, 2))
    assert given[-1] == pytest.approx(90, abs=8)
    assert turn.fields[0].value == pytest.approx(given[-1])
    seed = field("ND_randomfloat_float", "seed")
    assert isinstance(seed._more, Dice)
    for _ in range(3):
        hand.click(seed._more, QPoint(5, 5))
    assert len({*given[-3:]}) > 1
    assert all(isinstance(one, int) for one in given[-3:])
    place = field("ND_place2d_vector2", "offset")
    assert isinstance(place._more, Pad)
    hand.click(place._more, QPoint(5, 5))
    hand.click(place._more.sheet, QPoint(120, 40))
    assert given[-1] == pytest.approx((0.5, 0.5), abs=0.02)
    place._more.sheet.window().close()


def test_materials_are_made_named_copied_given_and_deleted(window: MainWindow, hand) -> None:
    session, sources = window.session, wire_of(window).sources

    def act(material: str, text: str) -> None:
        menu = sources.material_menu(material)
        next(action for action in menu.actions() if action.text() == text).trigger()
        menu.deleteLater()

    before = session.project
    act("Lime-bloomed clay", "New material")
    assert session.material == "Material"
    assert sources._tiles["material Material"].unused
    act("Material", "Rename…")
    line = sources._tiles["material Material"].findChild(QLineEdit, "rename")
    line.setText("Bare clay")
    hand.key(line, Qt.Key.Key_Return)
    assert session.material == "Bare clay"
    assert "Material" not in session.project.materials
    act("Bare clay", "Duplicate")
    assert session.material == "Bare clay 2"

    preview, mime = wire_of(window).preview, QMimeData()
    mime.setData(MATERIAL_FORMAT, b"Bare clay")
    copy, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(preview, QDragEnterEvent(QPoint(5, 5), copy, mime, left, none))
    first = picture(window)
    part = next(k for k, item in enumerate(session.project.bench.objects) if item.material == "Lime-bloomed clay")
    at = next(
        QPoint(x, y)
        for x in range(20, wire_of(window).preview.width(), 12)
        for y in range(20, wire_of(window).preview.height(), 12)
        if wire_of(window).preview.object_at(QPoint(x, y)) == part
    )
    QApplication.sendEvent(preview, QDropEvent(QPointF(at), copy, mime, left, none))
    assert session.project.bench.objects[part].material == "Bare clay"
    session.show_material("Bare clay")
    assert (picture(window) != first).any()
    assert not sources._tiles["material Bare clay"].unused
    assert "Assigned to" in sources._tiles["material Bare clay"].toolTip()
    menu = wire_of(window).preview.assign_menu(part)
    assert isinstance(menu, QMenu)
    assert [action.text() for action in menu.actions() if action.isChecked()] == ["Bare clay"]
    menu.deleteLater()

    act("Bare clay", "Delete")
    assert "Bare clay" not in session.project.materials
    assert session.project.bench.objects[part].material in session.project.materials
    while window.history.labels:
        session.history.undo()
    assert session.project == before


def test_a_group_is_kept_and_used_in_another_material(window: MainWindow) -> None:
    session = window.session
    session.select(["edge", "dry"])
    window.menus.actions["Group cards"].trigger()
    (group,) = session.selection
    window.menus.actions["Save group to sources"].trigger()
    assert "kept Group" in wire_of(window).sources._tiles
    session.show_material("Celadon glaze")
    wire_of(window).sources._tiles["kept Group"].taken.emit()
    (made,) = session.selection
    assert session.network.cards[made].network.cards.keys() >= {"edge", "dry"}
    window.studio.shelf.drop("Group")
    assert group


@pytest.mark.parametrize(("value", "keys", "gone"), [
    (24.0, "NoModifier", 14.4), (24.0, "ShiftModifier", 1.44), (-300.0, "NoModifier", 180.0), (0.5, "NoModifier", 0.6),
])  # fmt: skip
def test_a_drag_goes_as_far_as_the_value_is_large(qtbot, hand, value: float, keys: str, gone: float) -> None:
    """96 pixels on 24 moved it by 1.2; within the slider's range it stays the range's."""
    field = NumberField(soft=(0.0, 1.0))
    field.resize(120, 22)
    qtbot.addWidget(field)
    field.show()
    field.set_value(value)
    hand.drag(field, QPoint(10, 10), QPoint(106, 10), steps=8, keys=Qt.KeyboardModifier[keys])
    assert field.value == pytest.approx(value + gone, rel=1e-3)


def test_the_keyboard_goes_back_to_the_board_when_what_had_it_is_gone(window: MainWindow, hand) -> None:
    """After Duplicate it was in the first field of Channels: a typed 0 set the base weight."""
    session, wire = window.session, wire_of(window)
    window.activateWindow()
    session.select(["dry"])
    assert settle(window)
    tile = wire.sources.findChildren(Tile)[-1]
    for taker in (wire.controls.fields["fg"].findChild(NumberField), tile):
        taker.setFocus()
        before = session.document
        duplicate_material(session, session.material)
        session.select([])
        assert settle(window)
        assert window.focusWidget() is wire.board
        hand.key(window.focusWidget(), Qt.Key.Key_0)
        assert session.project.materials[session.material].cards == before.cards
        session.select(["dry"])
        assert settle(window)


@pytest.mark.parametrize("panel", ["controls", "channels"])
def test_the_menu_of_a_value_opens_on_its_field_too(window: MainWindow, panel: str) -> None:
    window.session.select(["edge"])
    part = getattr(wire_of(window), panel)
    name = "high" if panel == "controls" else "base_weight"
    number = part.fields[name].findChild(NumberField)
    at = number.rect().center()
    QApplication.sendEvent(number, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, number.mapToGlobal(at)))
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    texts = [action.text() for action in menu.actions()]
    assert any("default" in text.lower() for text in texts), texts
    menu.close()
    assert settle(window)


@pytest.mark.parametrize("definition", ["ND_combine4_vector4", "ND_constant_vector4", "ND_constant_vector3", "ND_constant_color4",
                                        "ND_constant_vector2", "ND_constant_float"])  # fmt: skip
def test_numbers_are_shown_whole(window: MainWindow, definition: str) -> None:
    """Negative ones and tens too, in every field of a card."""
    name = add(window, definition)
    panel = wire_of(window).controls
    for tab in window.session.library[definition].inputs.values():
        numbers = (-0.125, 10.25, -12.875, 1.0)
        size = {"float": 1, "vector2": 2, "vector3": 3, "vector4": 4, "color4": 4}[tab.type]
        window.session.set_value(name, tab.name, tab.type, numbers[:size] if size > 1 else numbers[0])
    assert settle(window)
    fields = [*panel.findChildren(NumberField), *panel.findChildren(QLineEdit)]
    shown_fields = [field for field in fields if field.isVisible()]
    assert shown_fields
    for field in shown_fields:
        option = QStyleOptionFrame()
        field.initStyleOption(option)
        room = field.style().subElementRect(QStyle.SubElement.SE_LineEditContents, option, field).width() - 4
        assert field.fontMetrics().horizontalAdvance(field.text()) <= room, field.text()
