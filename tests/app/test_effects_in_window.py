"""Effects and masks in the real window: dropped on an object, double-clicked, used for several inputs, and undone."""

from __future__ import annotations

import numpy as np
from places import wire_of
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from collage.app.shell.start import settle, wait_until
from collage.app.widgets.dragged import EFFECT_FORMAT
from collage.app.wire import mask_dialog
from collage.app.wire.mask_dialog import MaskDialog
from collage.core.document.materials import surface_card
from collage.core.images.files import write_image
from collage.core.nodes.effects import EFFECTS, effects_of
from collage.core.nodes.masked import masked_inputs


def carried(name: str) -> QMimeData:
    mime = QMimeData()
    mime.setData(EFFECT_FORMAT, name.encode())
    return mime


def drop_on(widget, mime: QMimeData, point) -> bool:
    both = Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(point.toPoint(), *both)
    widget.dragEnterEvent(enter)
    drop = QDropEvent(point, *both)
    widget.dropEvent(drop)
    return enter.isAccepted()


def place_of(preview, name: str) -> QPointF:
    number = [item.name for item in preview.bench().objects].index(name)
    y, x = np.nonzero(preview.picture.objects == number)
    at = len(x) // 2
    height, width = preview.picture.objects.shape
    return QPointF((x[at] + 0.5) * preview.width() / width, (y[at] + 0.5) * preview.height() / height)


def test_an_effect_is_dropped_on_an_object_and_undone_with_one_step(window) -> None:
    session, preview = window.session, wire_of(window).preview
    item = next(one for one in session.bench.objects if one.material != session.material)
    before, project = preview.picture.display.astype(int), session.project
    assert drop_on(preview, carried("paint"), place_of(preview, item.name))
    assert settle(window)
    assert session.material == item.material
    (card,) = effects_of(session.document)
    assert session.selection == (card,) or list(session.selection) == [card]
    changed = np.abs(preview.picture.display.astype(int) - before).max(axis=2) > 12
    number = [one.name for one in session.bench.objects].index(item.name)
    assert changed[preview.picture.objects == number].mean() > 0.3
    session.history.undo()
    assert session.project == project


def test_all_effects_are_among_the_sources_with_a_picture_and_found_by_a_word(window) -> None:
    place = wire_of(window)
    tiles = place.sources._tiles
    assert {f"effect {name}" for name in EFFECTS} <= set(tiles)
    assert all(not tiles[f"effect {name}"].picture.pixmap().isNull() for name in EFFECTS)
    place.sources.search.setText("moss")
    assert [key for key in place.sources._tiles if key.startswith("effect")] == ["effect moss"]
    QTest.mouseDClick(place.sources._tiles["effect moss"], Qt.MouseButton.LeftButton)
    assert list(effects_of(window.session.document).values()) == ["moss"]
    place.sources.search.setText("")


def test_an_effect_is_taken_away_from_its_menu(window) -> None:
    place, document = wire_of(window), window.session.document
    assert drop_on(place.board, carried("dust"), QPointF(30, 30))
    (card,) = effects_of(window.session.document)
    menu = menu_of(place, card)
    next(action for action in menu.actions() if action.text().startswith("Remove effect")).trigger()
    assert window.session.document == document


def menu_of(place, card: str) -> QMenu:
    from collage.app.wire.board_menu import menu_at

    board = place.board
    board.ensureVisible(board.cards[card])
    point = board.mapFromScene(board.cards[card].sceneBoundingRect().center())
    return menu_at(board, board.frame_hand, point)


def test_a_mask_is_used_for_picked_inputs_and_released(window) -> None:
    session, place = window.session, wire_of(window)
    session.add(session.library["ND_clg_edge_mask"], (0.0, 30.0))
    mask = session.selection[0]
    before = session.document
    menu = menu_of(place, mask)
    next(action for action in menu.actions() if action.text().startswith("Use as mask")).trigger()
    dialog = next(one for one in place.widget.findChildren(MaskDialog) if one.isVisible())
    dialog.ticks["specular_roughness"].setChecked(True)
    dialog.ticks["coat_weight"].setChecked(True)
    QTest.mouseClick(dialog.use, Qt.MouseButton.LeftButton)
    assert set(masked_inputs(session.document, mask)) == {"specular_roughness", "coat_weight"}
    assert surface_card(session.document).inputs["coat_weight"].wire is not None
    assert settle(window)
    release = next(one for one in menu_of(place, mask).actions() if one.text().startswith("Stop using"))
    release.trigger()
    assert session.document == before


def test_a_mask_gives_an_input_a_map_in_the_same_act(window, tmp_path, monkeypatch) -> None:
    session, place = window.session, wire_of(window)
    session.add(session.library["ND_clg_edge_mask"], (0.0, 30.0))
    mask, before = session.selection[0], session.document
    file = tmp_path / "grime_basecolor.png"
    write_image(file, np.full((4, 4, 3), 90, np.uint8))
    monkeypatch.setattr(mask_dialog, "choose_file", lambda *_rest: file)
    place.mask_dialog(mask)
    dialog = next(one for one in place.widget.findChildren(MaskDialog) if one.isVisible())
    for name in ("base_color", "specular_roughness", "specular_roughness"):
        QTest.mouseClick(dialog.maps[name], Qt.MouseButton.LeftButton)
    assert dialog.maps["base_color"].text() == file.name
    assert not dialog.fields["base_color"].isEnabled()
    assert dialog.maps["specular_roughness"].text() == "Map…", "a second click goes back to the value"
    QTest.mouseClick(dialog.use, Qt.MouseButton.LeftButton)
    mixes = masked_inputs(session.document, mask)
    assert set(mixes) == {"base_color", "specular_roughness"}
    made = session.document.cards[session.document.cards[mixes["base_color"]].inputs["fg"].wire.card]
    assert session.found(made.inputs["file"].value).resolve() == file
    assert made.inputs["file"].attributes["colorspace"] == "srgb_texture"
    assert session.document.cards[mixes["specular_roughness"]].inputs["fg"].value == 0.8
    assert len({card.position for card in (made, *map(session.document.cards.get, mixes.values()))}) == 3
    assert settle(window)
    next(one for one in menu_of(place, mask).actions() if one.text().startswith("Stop using")).trigger()
    assert session.document == before


def test_an_effect_dropped_beside_all_objects_does_nothing(window) -> None:
    session, preview = window.session, wire_of(window).preview
    session.look(session.camera.model_copy(update={"distance": 30.0}))
    assert settle(window)
    project = session.project
    y, x = np.nonzero(preview.picture.objects < 0)
    height, width = preview.picture.objects.shape
    drop_on(preview, carried("moss"), QPointF(x[0] * preview.width() / width, y[0] * preview.height() / height))
    assert session.project is project


def test_a_picture_with_alpha_is_dropped_as_a_label_where_the_hand_is(window, tmp_path) -> None:
    session, preview = window.session, wire_of(window).preview
    item = next(one for one in session.bench.objects if one.name == preview.bench().objects[0].name)
    file = tmp_path / "stamp.png"
    stamp = np.zeros((32, 64, 4), np.uint8)
    stamp[4:28, 4:60] = (255, 0, 255, 255)
    write_image(file, stamp)
    point = place_of(preview, item.name)
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(file))])
    before, project = preview.picture.display.astype(int), session.project
    drop_on(preview, mime, point)
    menu = next(one for one in preview.findChildren(QMenu) if one.objectName() == "label menu")
    assert [action.text() for action in menu.actions()] == ["Put it here as a label", "Use it as base colour"]
    menu.actions()[0].trigger()
    menu.close()
    assert wait_until(lambda: bool(effects_of(session.document)), 30)
    assert settle(window, 60)
    assert list(effects_of(session.document).values()) == ["label"]
    height, width = preview.picture.objects.shape
    x, y = int(point.x() * width / preview.width()), int(point.y() * height / preview.height())
    red, green, blue = preview.picture.display[y, x].astype(int)
    assert min(red, blue) > green + 40, "magenta under the hand"
    changed = np.abs(preview.picture.display.astype(int) - before).max(axis=2) > 30
    number = [one.name for one in session.bench.objects].index(item.name)
    assert 0.005 < changed[preview.picture.objects == number].mean() < 0.6, "once, and not all over"
    assert (session.folder / "maps" / "labels" / "stamp-label.exr").exists()
    session.history.undo()
    assert session.project == project
