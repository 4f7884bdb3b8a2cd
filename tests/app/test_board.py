"""The board in a real window: wires in numbers and by keyboard, strokes, frames, groups, links, stacks, copies."""

from __future__ import annotations

import numpy as np
import pytest
from places import in_tab, landing, middle, out_tab, wire_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QMenu

from collage.app.shell.start import settle
from collage.app.shell.window import MainWindow
from collage.app.widgets.fields import ColourField, NumbersField
from collage.app.wire.board_menu import conversion_menu, menu_at
from collage.app.wire.card_item import READABLE
from collage.app.wire.frame_editor import FrameEditor
from collage.app.wire.names_item import NamesItem
from collage.app.wire.value_menu import LinkDialog, value_menu, values_to_follow
from collage.app.wire.weights_dialog import WeightsDialog
from collage.core.actions import groups as groups_acts
from collage.core.actions import links as links_acts
from collage.core.actions import materials as materials_acts
from collage.core.document import edits, links
from collage.core.document.frames import frames
from collage.core.document.materialx import parse_document
from collage.core.document.model import CONVERT, LINK, Wire
from collage.core.nodes import stacks
from collage.core.project.folder import load_project

NETWORK = """<materialx version="1.39">
<noise2d name="rough" type="float" xpos="0" ypos="0"/>
<worleynoise2d name="cells" type="float" xpos="0" ypos="1.2"/>
<fractal2d name="cloud" type="float" xpos="0" ypos="2.4"/>
<constant name="red" type="color3" xpos="0" ypos="3.6"><input name="value" type="color3" value="0.8, 0.1, 0.05"/></constant>
<mix name="both" type="float" xpos="1.6" ypos="0.4">
  <input name="fg" type="float" nodename="rough"/><input name="bg" type="float" nodename="cells"/>
  <input name="mix" type="float" value="0.3"/></mix>
<contrast name="hard" type="float" xpos="3.2" ypos="0.4"><input name="in" type="float" nodename="both"/></contrast>
<range name="levels" type="float" xpos="1.6" ypos="2.4"><input name="in" type="float" nodename="cloud"/></range>
<open_pbr_surface name="surface" type="surfaceshader">
  <input name="specular_roughness" type="float" nodename="hard"/></open_pbr_surface>
<surfacematerial name="material" type="material">
  <input name="surfaceshader" type="surfaceshader" nodename="surface"/></surfacematerial>
</materialx>"""


@pytest.fixture
def board(open_window, project) -> MainWindow:
    window = open_window(project)
    document = parse_document(NETWORK.encode())
    window.session.edit_document("A network to work on", lambda _: document)
    assert settle(window)
    wire_of(window).board.fit_all()
    return window


def cards(window: MainWindow) -> dict:
    return window.session.network.cards


def shown(window: MainWindow) -> np.ndarray:
    assert settle(window)
    return wire_of(window).preview.picture.display


def open_menu(window: MainWindow, name: str) -> QMenu:
    menus = [one for one in window.findChildren(QMenu, name) if one.isVisible()]
    assert menus
    return menus[-1]


def pick(window: MainWindow, hand, text: str) -> None:
    assert wire_of(window).pick_field.isVisible()
    hand.type(wire_of(window).pick_field.line, text)
    hand.key(wire_of(window).pick_field.line, Qt.Key.Key_Return)


def test_several_wires_at_once_and_all_wires_of_a_tab(board: MainWindow, hand) -> None:
    session, view = board.session, wire_of(board).board.viewport()
    session.add(session.library["ND_mix_color3"], (3.4, 3.0))
    mix = session.selection[0]
    assert settle(board)
    wire_of(board).board.fit_all()
    session.select(["rough", "cells"])
    hand.drag(view, out_tab(board, "rough"), middle(board, mix))
    inputs = cards(board)[mix].inputs
    assert {name for name in ("fg", "bg", "mix") if inputs[name].wire is not None} == {"fg", "bg"}
    session.history.undo()
    assert not any(one.wire for one in cards(board)[mix].inputs.values()), "one step"
    session.edit("Name", lambda network: edits.set_attribute(network, mix, "uiname", "Target"))
    session.select(["rough", "cells"])
    board.menus.actions["Wire to"].trigger()
    pick(board, hand, "target")
    assert {name for name, one in cards(board)[mix].inputs.items() if one.wire} == {"fg", "bg"}, "and by keyboard"
    session.history.undo()

    session.select(())
    hand.drag(view, out_tab(board, "cells"), out_tab(board, "cloud"), keys=Qt.KeyboardModifier.ControlModifier)
    assert cards(board)["both"].inputs["bg"].wire == Wire("cloud")
    assert session.network.consumers("cells") == []


def test_a_stroke_cuts_what_it_crosses_and_a_right_click_opens_the_menu(board: MainWindow, hand) -> None:
    view = wire_of(board).board.viewport()
    a, b = middle(board, "rough"), middle(board, "cells")
    end = middle(board, "both")
    x = (a.x() + end.x()) // 2
    hand.drag(view, QPoint(x, a.y() - 60), QPoint(x, b.y() + 20), button=Qt.MouseButton.RightButton, steps=20)
    assert cards(board)["both"].inputs.get("fg") is None
    assert cards(board)["both"].inputs.get("bg") is None
    assert board.history.labels[-1] == "Cut 2 wires"
    board.session.history.undo()
    assert cards(board)["both"].inputs["fg"].wire == Wire("rough")
    hand.drag(view, a, a, button=Qt.MouseButton.RightButton, steps=1)
    texts = [action.text() for action in open_menu(board, "card menu").actions()]
    assert any(text.startswith("Take out") for text in texts)
    open_menu(board, "card menu").close()
    wire_of(board).board.setFocus()
    hand.key(wire_of(board).board, Qt.Key.Key_Menu)
    open_menu(board, "card menu").close()


def test_taking_out_swapping_wiring_cutting_and_finding_by_keyboard(board: MainWindow, hand) -> None:
    session, view = board.session, wire_of(board).board
    session.select(["hard"])
    board.menus.actions["Take out of the chain"].trigger()
    assert cards(board)["surface"].inputs["specular_roughness"].wire == Wire("both")
    assert session.network.consumers("hard") == []
    board.menus.actions["Wire to"].trigger()
    pick(board, hand, "surface metalness")
    assert cards(board)["surface"].inputs["base_metalness"].wire == Wire("hard")
    session.select(["both"])
    board.menus.actions["Swap inputs"].trigger()
    assert cards(board)["both"].inputs["fg"].wire == Wire("cells")
    board.menus.actions["Cut wires"].trigger()
    pick(board, hand, "noise background")
    assert cards(board)["both"].inputs.get("bg") is None
    assert cards(board)["both"].inputs["fg"].wire == Wire("cells")
    board.menus.actions["Find a card"].trigger()
    pick(board, hand, "levels")
    assert session.selection == ("levels",)
    here = view.mapFromScene(view.cards["levels"].sceneBoundingRect().center())
    assert view.viewport().rect().contains(here)


def test_a_card_dragged_with_ctrl_leaves_its_chain(board: MainWindow, hand) -> None:
    start = middle(board, "hard")
    hand.drag(wire_of(board).board.viewport(), start, start + QPoint(20, 110), keys=Qt.KeyboardModifier.ControlModifier)
    assert cards(board)["surface"].inputs["specular_roughness"].wire == Wire("both")
    assert cards(board)["hard"].position[1] > 0.8
    assert board.history.labels[-1] == "Take out"


def test_a_mark_on_a_wire_opens_and_converts_another_way(board: MainWindow, hand) -> None:
    session = board.session
    hand.drag(wire_of(board).board.viewport(), out_tab(board, "red"), in_tab(board, "levels", "in"))
    wire = next(one for one in wire_of(board).board.wires if one.card == "levels")
    assert wire.mark == "grey"
    session.select(["levels"])
    board.menus.actions["Change conversion"].trigger()
    pick(board, hand, "blue")
    assert next(one for one in wire_of(board).board.wires if one.card == "levels").mark == "b"
    session.history.undo()
    wire = next(one for one in wire_of(board).board.wires if one.card == "levels")
    at = wire_of(board).board.mapFromScene(wire.mark_box().center())
    hand.click(wire_of(board).board.viewport(), at)
    menu = open_menu(board, "conversion")
    green = next(action for action in menu.actions() if action.text() == "Green")
    green.trigger()
    menu.close()
    wire = next(one for one in wire_of(board).board.wires if one.card == "levels")
    assert wire.mark == "g"
    source = cards(board)["levels"].inputs["in"].wire.card
    assert cards(board)[source].inputs["index"].value == 1
    assert sum(card.attributes.get(CONVERT) == "true" for card in cards(board).values()) == 1
    session.history.undo()
    wire = next(one for one in wire_of(board).board.wires if one.card == "levels")
    menu = conversion_menu(wire_of(board).board, wire)
    weights = next(action for action in menu.actions() if action.text().startswith("Channel weights"))
    weights.trigger()
    dialog = board.findChild(WeightsDialog)
    dialog.fields[0]._give(1.0, False)
    lamp = next(card for card in cards(board).values() if card.category == "luminance")
    assert lamp.inputs["lumacoeffs"].value[0] == 1.0
    dialog.close()


def test_frames_move_with_their_cards_and_notes_are_written_in_place(board: MainWindow, hand) -> None:
    session, view = board.session, wire_of(board).board
    session.select(["rough", "cells"])
    board.menus.actions["Add a box around the cards"].trigger()
    (item,) = view.frames.values()
    bar = view.mapFromScene(item.mapToScene(40, 8))
    before = cards(board)["rough"].position
    hand.drag(view.viewport(), bar, bar + QPoint(-30, -20))
    after = cards(board)["rough"].position
    assert after[0] < before[0]
    assert after[1] < before[1]
    assert cards(board)["both"].position == (1.6, 0.4), "what is outside stays"
    (frame,) = frames(session.network)
    assert frame.holds == ("rough", "cells")
    (item,) = view.frames.values()
    corner = view.mapFromScene(item.mapToScene(item.grip().center()))
    hand.drag(view.viewport(), corner, corner + QPoint(40, 30))
    assert frames(session.network)[0].width > frame.width
    hand.double_click(view.viewport(), view.mapFromScene(item.mapToScene(40, 8)))
    editor = view.findChild(FrameEditor)
    editor.setPlainText("Grain")
    hand.key(editor, Qt.Key.Key_Return)
    assert frames(session.network)[0].title == "Grain"
    hand.click(view.viewport(), view.mapFromScene(item.mapToScene(40, 8)))
    view.setFocus()
    hand.key(view, Qt.Key.Key_Delete)
    assert frames(session.network) == []
    assert "rough" in cards(board)


def test_arrows_go_along_the_chain_and_b_shows_what_was_before(board: MainWindow, hand) -> None:
    session, view = board.session, wire_of(board).board
    session.select(["hard"])
    view.setFocus()
    hand.key(view, Qt.Key.Key_Left)
    assert session.selection == ("both",)
    hand.key(view, Qt.Key.Key_Left)
    assert session.selection[0] in ("rough", "cells")
    hand.key(view, Qt.Key.Key_Right)
    assert session.selection == ("both",)
    now, document = shown(board), session.document
    QTest.keyPress(view, Qt.Key.Key_B)
    assert (shown(board) != now).any(), "without the chosen card"
    assert session.document is document, "looking is no edit"
    session.save()
    saved = load_project(session.folder)[0].materials[session.material]
    assert not any(card.skipped for card in saved.cards.values()), "and what is saved is what is"
    QTest.keyRelease(view, Qt.Key.Key_B)
    assert (shown(board) == now).all()


def test_pictures_lie_on_other_grounds_values_can_be_read_and_the_map_shows_the_board(board: MainWindow, hand) -> None:
    view = wire_of(board).board
    flat = view.cards["cells"].picture.copy()
    board.menus.actions["Card pictures on a ball"].trigger()
    assert settle(board)
    assert view.cards["cells"].picture != flat
    board.menus.actions["Card pictures from least to greatest value"].trigger()
    assert settle(board)
    assert view.cards["cells"].picture != flat
    board.menus.actions["Card pictures flat"].trigger()
    assert settle(board)
    assert view.cards["cells"].picture == flat
    hand.move(view.viewport(), middle(board, "red"))
    assert board.pixel_label.text().endswith("0.800 0.100 0.050")
    assert view.cards["rough"].limits.low < 0
    assert not view.map.isVisible()
    board.menus.actions["Board overview"].trigger()
    assert view.map.isVisible()
    before = view.mapToScene(view.viewport().rect().center())
    hand.click(view.map, QPoint(10, 10))
    assert view.mapToScene(view.viewport().rect().center()) != before


def test_a_group_is_made_opened_given_inputs_and_opened_up(board: MainWindow, hand) -> None:
    session = board.session
    before = shown(board)
    session.select(["rough", "cells", "both"])
    board.menus.actions["Group cards"].trigger()
    (group,) = session.selection
    assert (shown(board) == before).all()
    board.menus.actions["Open group"].trigger()
    assert session.path == (group,)
    assert "Group" in board.bar.inside.text()
    session.select(["both"])
    tab = next(tab for tab in session.library.definition(cards(board)["both"]).inputs.values() if tab.name == "mix")
    assert groups_acts.show_on_group(session, "both", "mix", "float", 0.3, tab.name)
    hand.key(wire_of(board).board, Qt.Key.Key_Escape)
    hand.key(wire_of(board).board, Qt.Key.Key_Escape)
    assert session.path == ()
    session.select([group])
    editor = wire_of(board).controls.layers
    assert editor.rows.count() == 1
    editor.rows.item(0).setText("Balance")
    assert cards(board)[group].inputs["mix"].attributes["uiname"] == "Balance"
    wire_of(board).controls.fields["mix"].edited.emit(0.9, False)
    assert cards(board)[group].inputs["mix"].value == 0.9
    assert (shown(board) != before).any()
    wire_of(board).controls.layers.hide_input()
    assert cards(board)[group].inputs == {}
    session.select([group])
    board.menus.actions["Ungroup"].trigger()
    assert {"rough", "cells", "both"} <= cards(board).keys()
    assert cards(board)["both"].inputs["mix"].value == 0.9


def test_a_value_follows_another_and_both_ends_say_so(board: MainWindow, hand) -> None:
    session = board.session
    session.select(["hard"])
    card = cards(board)["hard"]
    tab = session.library.definition(card).inputs["amount"]
    choices = values_to_follow(session, "hard", tab)
    leader = next(one for one in choices if one.text.startswith("Mix · Amount"))
    menu = value_menu(wire_of(board).controls, session, card, tab, "Amount")
    assert any(action.text().startswith("Link to") for action in menu.actions())
    links_acts.link(session, links.Place("hard", "amount"), leader.data[0], "float", leader.data[1])
    assert session.value_of(cards(board)["hard"], tab) == pytest.approx(0.3)
    assert wire_of(board).board.cards.keys().isdisjoint({n for n, c in cards(board).items() if LINK in c.attributes})
    before = shown(board)
    session.select(["both"])
    number = wire_of(board).controls.fields["mix"].fields[0]
    number._give(0.8, False)
    assert session.value_of(cards(board)["hard"], tab) == pytest.approx(0.8), "the follower follows"
    assert (shown(board) != before).any()
    link = links.link_of(session.network, links.Place("hard", "amount"))
    dialog = LinkDialog(session, links.Place("hard", "amount"), "float", link, board)
    dialog.factor._give(2.0, False)
    assert session.value_of(cards(board)["hard"], tab) == pytest.approx(1.6)
    dialog.deleteLater()
    session.select(["hard"])
    menu = value_menu(wire_of(board).controls, session, cards(board)["hard"], tab, "Amount")
    go = next(action for action in menu.actions() if action.text().startswith("Go to"))
    go.trigger()
    assert session.selection == ("both",)
    session.select(["hard"])
    menu = value_menu(wire_of(board).controls, session, cards(board)["hard"], tab, "Amount")
    next(action for action in menu.actions() if action.text() == "Cut the link").trigger()
    assert cards(board)["hard"].inputs["amount"].value == pytest.approx(1.6)
    assert not any(LINK in one.attributes for one in cards(board).values())


def test_values_are_copied_and_pasted_and_go_back_to_their_default(board: MainWindow) -> None:
    session = board.session
    card = cards(board)["red"]
    tab = session.library.definition(card).inputs["value"]
    menu = value_menu(wire_of(board).controls, session, card, tab, "Value")
    next(action for action in menu.actions() if action.text() == "Copy the value").trigger()
    assert QApplication.clipboard().text() == "0.8, 0.1, 0.05"
    QApplication.clipboard().setText("0.1, 0.2, 0.3")
    next(action for action in menu.actions() if action.text() == "Paste a value").trigger()
    assert cards(board)["red"].inputs["value"].value == (0.1, 0.2, 0.3)
    QApplication.clipboard().setText("a shopping list")
    next(action for action in menu.actions() if action.text() == "Paste a value").trigger()
    assert cards(board)["red"].inputs["value"].value == (0.1, 0.2, 0.3)
    next(action for action in menu.actions() if action.text().startswith("Default")).trigger()
    assert "value" not in cards(board)["red"].inputs


def test_a_stack_of_the_chosen_cards_its_modes_order_and_opacity(board: MainWindow, hand) -> None:
    session = board.session
    session.select(["rough", "cells"])
    board.menus.actions["Add a stack"].trigger()
    (name,) = session.selection
    assert [one.source.wire is not None for one in stacks.layers(cards(board)[name])] == [True, True]
    editor = wire_of(board).controls.layers
    editor.add.click()
    assert len(stacks.layers(cards(board)[name])) == 3
    wire_of(board).controls.layers.rows.setCurrentRow(0)
    wire_of(board).controls.layers.down.click()
    assert stacks.layers(cards(board)[name])[1].title == "Layer 3"
    assert wire_of(board).controls.layers.row == 1, "the moved layer stays chosen"
    layers = stacks.layers(cards(board)[name])
    editor = wire_of(board).controls.layers
    mode = editor.rows.itemWidget(editor.rows.item(0)).findChild(QComboBox)
    mode.activated.emit(list(stacks.MODES).index("multiply"))
    assert stacks.layers(cards(board)[name])[2].mode == "multiply"
    editor = wire_of(board).controls.layers
    opacity, plain = editor._fields[1]
    hand.drag(opacity, QPoint(40, 10), QPoint(16, 10))
    given = cards(board)[name].inputs["opacity_2"].value
    assert given < 0.9
    assert editor._fields[1][0] is opacity, "the field in hand stays while its value changes"
    session.history.undo()
    assert cards(board)[name].inputs["opacity_2"].value == 1.0, "one drag is one step"
    assert isinstance(plain, ColourField), "a layer without a card shows its plain colour"
    assert plain._value == pytest.approx((0.8, 0.8, 0.8))
    plain.edited.emit((0.9, 0.1, 0.0), False)
    assert cards(board)[name].inputs["layer_2"].value == (0.9, 0.1, 0.0)
    session.history.undo()
    wire_of(board).controls.layers.rows.setCurrentRow(2)
    wire_of(board).controls.layers.drop.click()
    assert len(stacks.layers(cards(board)[name])) == len(layers) - 1
    hand.drag(wire_of(board).board.viewport(), out_tab(board, name, "out"), landing(board, "specular_roughness"))
    assert cards(board)["surface"].inputs["specular_roughness"].wire is not None


def test_cards_are_copied_as_text_and_pasted_into_another_material(board: MainWindow, hand) -> None:
    session = board.session
    session.select(["rough", "cells", "both"])
    board.menus.actions["Copy"].trigger()
    assert "<mix" in QApplication.clipboard().text()
    materials_acts.new_material_named(session, "Other")
    board.menus.actions["Paste"].trigger()
    assert {"rough", "cells", "both"} <= cards(board).keys()
    assert cards(board)["both"].inputs["fg"].wire == Wire("rough")
    assert set(session.selection) == {"rough", "cells", "both"}
    QApplication.clipboard().setText("nothing of use")
    before = session.document
    board.menus.actions["Paste"].trigger()
    assert session.document is before
    assert board.banner.isVisible()
    board.banner.buttons[0].click()


def test_a_card_is_put_into_a_wire_by_keyboard_and_a_channel_seen_at_its_default(board: MainWindow, hand) -> None:
    session = board.session
    session.add(session.library["ND_clamp_float"], (3.0, 3.0))
    (clamp,) = session.selection
    board.menus.actions["Insert into a wire"].trigger()
    pick(board, hand, "mix contrast")
    assert cards(board)[clamp].inputs["in"].wire == Wire("both")
    assert cards(board)["hard"].inputs["in"].wire == Wire(clamp)
    before = shown(board)
    wire_of(board).board.channel_under_pointer = lambda: "specular_roughness"
    wire_of(board).board.setFocus()
    QTest.keyPress(wire_of(board).board, Qt.Key.Key_B)
    assert (shown(board) != before).any()
    QTest.keyRelease(wire_of(board).board, Qt.Key.Key_B)
    assert (shown(board) == before).all()


def test_channels_link_too_and_a_group_puts_out_more(board: MainWindow, hand) -> None:
    session = board.session
    surface = session.surface.name
    leader, follower = links.Place(surface, "coat_roughness"), links.Place(surface, "coat_weight")
    links_acts.link(session, follower, leader, "float", 0.0, offset=0.25)
    field = wire_of(board).channels.fields["coat_weight"]
    assert isinstance(field, NumbersField)
    assert field.fields[0].value == pytest.approx(0.25), "it shows the number that it gets"
    wire_of(board).channels.fields["coat_roughness"].fields[0]._give(0.5, False)
    assert wire_of(board).channels.fields["coat_weight"].fields[0].value == pytest.approx(0.75)
    assert settle(board)

    session.select(["rough", "both"])
    board.menus.actions["Group cards"].trigger()
    (group,) = session.selection
    session.open_group((group,))
    menu = menu_at(wire_of(board).board, wire_of(board).board.frame_hand, middle(board, "rough"))
    next(action for action in menu.actions() if action.text() == "Add as group output").trigger()
    menu.deleteLater()
    session.open_group(())
    assert {out.wire for out in cards(board)[group].network.outputs.values()} == {Wire("both"), Wire("rough")}


def test_marks_of_conversions_lie_clear_of_the_cards(window: MainWindow) -> None:
    """A mark that a card covers is cut; however near the cards stand, it is whole and can be clicked."""
    session, board = window.session, wire_of(window).board
    marked = [wire for wire in board.wires if wire.mark]
    assert marked
    for gap in (0.05, 0.1, 0.3, 1.0):
        for wire in marked:
            source = session.network.cards[wire.source.card]
            x, y = (float(source.attributes[name]) for name in ("xpos", "ypos"))
            if wire.card in board.cards:
                place = (x + 1.0 + gap, y + 0.2)
                session.edit("Move", lambda network, card=wire.card, at=place: edits.move_cards(network, {card: at}))
        for wire in (one for one in board.wires if one.mark and one.card in board.cards):
            ends = board.cards[wire.source.card], board.cards[wire.card]
            apart = not ends[0].sceneBoundingRect().intersects(ends[1].sceneBoundingRect())
            if apart:
                assert wire.mark_box().width() >= 7
                assert not any(end.mapToScene(end.body()).boundingRect().intersects(wire.mark_box()) for end in ends), (
                    gap
                )


def test_the_large_preview_leaves_the_keyboard_with_the_board(window: MainWindow) -> None:
    wire_of(window).toggle_large()
    assert QApplication.focusWidget() is wire_of(window).board
    assert wire_of(window).preview.width() > 500
    wire_of(window).toggle_large()
    assert QApplication.focusWidget() is wire_of(window).board


def test_small_cards_name_their_tabs_beside_them_while_a_wire_is_in_hand(board: MainWindow, hand) -> None:
    view, port = wire_of(board).board, wire_of(board).board.viewport()
    names = next(one for one in view.scene().items() if isinstance(one, NamesItem))
    view.zoom(1.2, port.rect().center())
    assert view.transform().m11() >= READABLE
    start = out_tab(board, "rough")
    hand.drag(port, start, middle(board, "both"), release=False)
    assert not names.isVisible(), "they can be read on the card"
    hand.drop(port, start)
    view.zoom(0.4, port.rect().center())
    hand.drag(port, out_tab(board, "rough"), middle(board, "both"), release=False)
    assert names.isVisible()
    assert [label for label, _ in names.rows] == ["Foreground", "Background", "Amount"]
    beside = view.mapFromScene(view.cards["both"].pos()).x()
    assert names.boundingRect().right() + view.mapFromScene(names.pos()).x() < beside, "left of the card"
    hand.drag(port, out_tab(board, "rough"), in_tab(board, "both", "mix"), release=False)
    assert [under for _, under in names.rows] == [False, False, True]
    hand.drop(port, out_tab(board, "rough"))
    assert not names.isVisible()


def test_the_mark_of_a_wire_that_goes_back_lies_under_no_card(board: MainWindow, hand) -> None:
    session, view = board.session, wire_of(board).board
    hand.drag(view.viewport(), out_tab(board, "red"), in_tab(board, "levels", "in"))
    for place in ((5.0, -0.9), (5.2, -0.6), (5.4, -1.1)):  # half-way, the wire runs under the card "hard"
        session.edit("Move", lambda network, to=place: edits.move_cards(network, {"red": to}))
        wire = next(one for one in view.wires if one.card == "levels")
        assert wire.mark == "grey"
        assert not [name for name, card in view.cards.items() if card.sceneBoundingRect().intersects(wire.mark_box())]
