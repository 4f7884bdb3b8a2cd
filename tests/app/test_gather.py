"""The Gather place in the real window: from a folder to a lit object, by hand."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from places import drop, gather_of, wire_of
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QWidget

from collage.app.gather.library_panel import ITEM, mime_of
from collage.app.gather.sets_table import FILE, GREEN, REMARK, ROLE
from collage.app.gather.state import Chosen
from collage.app.shell.files_dialog import STATE, FilesDialog
from collage.app.shell.settings_dialog import SettingsDialog
from collage.app.shell.start import settle, wait_until
from collage.app.shell.window import MainWindow
from collage.core.assets.stock import default_folder
from collage.core.document.materials import surface_card
from collage.core.gather.rules import load_rules
from collage.core.images.derive import normal_from
from collage.core.images.files import read_info, write_image
from collage.core.images.made import read_record
from collage.core.images.store import ImageRef
from collage.core.project.references import references
from collage.demo.fields import fractal_field, stretched
from collage.demo.photographs import photograph


def bytes_of(values: np.ndarray) -> np.ndarray:
    return (np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)


@pytest.fixture
def project(shed: Path, tmp_path: Path) -> Path:
    """The demo with maps of its own, since these tests put files among them."""
    return Path(shutil.copytree(shed, tmp_path / "shed"))


@pytest.fixture
def maps(tmp_path: Path) -> Path:
    """A folder with two sets, one of them in tiles, a photograph and a text."""
    folder = tmp_path / "bought"
    height = stretched(fractal_field(64, 3))
    colour = bytes_of(np.stack([0.1 + 0.2 * height, 0.5 * height, 0.8 - 0.3 * height], axis=2))
    normal = bytes_of(normal_from(height, 1.0, 0.03))
    normal[:, :, 1] = 255 - normal[:, :, 1]
    write_image(folder / "enamel_color.png", colour)
    write_image(folder / "enamel_gloss.png", bytes_of(height)[:, :, None])
    write_image(folder / "enamel_normal.png", normal)
    write_image(folder / "enamel_height.png", bytes_of(height)[:, :, None])
    write_image(folder / "enamel_qx.png", bytes_of(0.5 + 0.5 * height)[:, :, None])
    for tile in (1001, 1003):
        write_image(folder / "wall" / f"wall_albedo.{tile}.png", colour)
    write_image(folder / "stones.jpg", photograph("stones", 160).pixels)
    (folder / "read me.txt").write_text("none")
    return folder


@pytest.fixture
def place(window: MainWindow, maps: Path) -> MainWindow:
    """The window in the Gather place, with the folder on its table."""
    QTest.keyClick(window, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    assert window.stack.currentIndex() == 0
    gather_of(window).state.read(maps)
    assert wait_until(lambda: len(gather_of(window).state.found.sets) == 2 and gather_of(window).settled)
    return window


def line(window: MainWindow, set_number: int, map_number: int = -1, leftover: int = -1):
    item = gather_of(window).table.item_of(Chosen(set_number, map_number, leftover))
    assert item is not None
    return item


def map_number(window: MainWindow, name: str) -> int:
    return next(at for at, one in enumerate(gather_of(window).state.found.sets[0].maps) if name in one.files[0])


def click(window: MainWindow, item, column: int) -> None:
    table = gather_of(window).table
    table.scrollToItem(item)
    rect = table.visualItemRect(item)
    at = QPoint(table.columnViewportPosition(column) + 30, rect.center().y())
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)


def pick(window: MainWindow, item, column: int, label: str) -> None:
    """Clicks a cell and picks from the drop-down that opens in it."""
    click(window, item, column)
    box = gather_of(window).table.findChild(QComboBox)
    assert box is not None
    view = box.view()
    view.setCurrentIndex(box.model().index(box.findText(label), 0))
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert wait_until(lambda: QApplication.activePopupWidget() is None)
    window.activateWindow()  # a desktop does so when a popup closes
    assert wait_until(window.isActiveWindow)


def image_of(window: MainWindow) -> np.ndarray:
    assert wire_of(window).preview.picture is not None
    return wire_of(window).preview.picture.display.copy()


def test_from_a_folder_to_a_lit_object(place: MainWindow) -> None:
    window, panel = place, gather_of(place).set_panel
    before = image_of(window)
    assert line(window, 0).text(FILE) == "Enamel"
    click(window, line(window, 0), FILE)
    assert panel.name.text() == "enamel"
    assert wait_until(lambda: panel.preview.image is not None and panel.preview.settled)
    panel.target.setCurrentIndex(panel.target.findText("Pot"))
    QTest.mouseClick(panel.build, Qt.MouseButton.LeftButton)
    assert wait_until(lambda: window.stack.currentIndex() == 1)
    assert settle(window)
    session = window.session
    assert session.material == "Enamel"
    assert session.project.wearers("Enamel") == ["Pot"]
    surface = surface_card(session.document)
    assert surface is not None
    wired = {name for name, one in surface.inputs.items() if one.wire is not None}
    assert wired == {"base_color", "specular_roughness", "geometry_normal"}
    card = session.document.cards["enamel"]
    assert card.inputs["green_down"].value is True
    assert all(not one.missing for one in references(session.project, session.folder))
    assert (session.folder / "maps" / "enamel" / "enamel_color.png").is_file()
    after = image_of(window)
    blue = after[:, :, 2].astype(int) - after[:, :, 0]
    assert blue.max() > 60 > (before[:, :, 2].astype(int) - before[:, :, 0]).max()
    assert session.history.undo_label == "Build Enamel"
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert "Enamel" not in session.project.materials
    assert settle(window)
    assert np.array_equal(image_of(window), before)


def test_what_was_found_is_shown_and_marked(place: MainWindow) -> None:
    window = place
    normal = line(window, 0, map_number(window, "normal"))
    assert normal.text(GREEN) == "down"
    assert "measured against the height map" in normal.text(REMARK)
    assert line(window, 0, map_number(window, "gloss")).text(ROLE) == "Gloss"
    assert "1002" in line(window, 1, 0).text(REMARK)
    left = [one.file for one in gather_of(window).state.found.leftover]
    assert sorted(left) == ["enamel_qx.png", "read me.txt", "stones.jpg"]
    assert not line(window, 0, 0).icon(FILE).isNull()


def test_a_role_is_corrected_in_place_and_remembered(place: MainWindow, tmp_path: Path) -> None:
    window, state = place, gather_of(place).state
    gloss = map_number(window, "gloss")
    pick(window, line(window, 0, gloss), ROLE, "Roughness")
    one = next(one for one in state.found.sets[0].maps if "gloss" in one.files[0])
    assert (one.role, one.confidence) == ("specular_roughness", 1.0)
    assert load_rules(tmp_path / "names.json") == (("gloss", "specular_roughness"),)
    assert "“gloss” now means roughness" in window.hint_label.text()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert state.found.sets[0].maps[gloss].role == "gloss"
    assert load_rules(tmp_path / "names.json") == ()


def test_a_left_over_picture_is_taken(place: MainWindow) -> None:
    window, state = place, gather_of(place).state
    at = next(at for at, one in enumerate(state.found.leftover) if one.file == "enamel_qx.png")
    state.choose(Chosen(leftover=at))
    menu = gather_of(window).table.menu_of(Chosen(leftover=at))
    into = next(one.menu() for one in menu.actions() if one.text() == "Add to set")
    enamel = next(one.menu() for one in into.actions() if one.text() == "Enamel")
    next(one for one in enamel.actions() if one.text() == "Ambient occlusion").trigger()
    menu.close()
    taken = state.found.sets[0].first("occlusion")
    assert taken is not None
    assert taken.files == ("enamel_qx.png",)
    assert all(one.file != "enamel_qx.png" for one in state.found.leftover)


def test_a_picture_is_packed_another_way(place: MainWindow) -> None:
    window, state = place, gather_of(place).state
    at = map_number(window, "color")
    menu = gather_of(window).table.menu_of(Chosen(0, at))
    packed = next(one.menu() for one in menu.actions() if one.text() == "Packed as")
    next(one for one in packed.actions() if one.text() == "Roughness, metalness, occlusion").trigger()
    menu.close()
    one = next(one for one in state.found.sets[0].maps if "color" in one.files[0])
    assert one.contents == "R roughness, G metalness, B ambient occlusion"
    assert one.colorspace == "raw"
    at = map_number(window, "color")
    assert line(window, 0, at).text(REMARK).startswith("R roughness")


def test_files_dropped_beside_everything_go_to_the_table(window: MainWindow, maps: Path) -> None:
    drop(window, maps, at=QPoint(600, 40))
    assert window.stack.currentIndex() == 0
    assert wait_until(lambda: len(gather_of(window).state.found.sets) == 2)


def test_a_map_moves_to_another_set(place: MainWindow) -> None:
    window, state = place, gather_of(place).state
    at = map_number(window, "height")
    menu = gather_of(window).table.menu_of(Chosen(0, at))
    others = next(one.menu() for one in menu.actions() if one.text() == "Move to")
    next(one for one in others.actions() if one.text() == "Wall").trigger()
    menu.close()
    assert state.found.sets[0].first("height") is None
    assert state.found.sets[1].first("height") is not None
    assert state.chosen_set.name == "wall"
    window.undo()
    assert state.found.sets[0].first("height") is not None


def test_one_switch_turns_green_on_the_shape(place: MainWindow) -> None:
    window, panel = place, gather_of(place).set_panel
    gather_of(window).state.choose(Chosen(0))
    assert wait_until(lambda: panel.preview.image is not None and panel.preview.settled)
    before = panel.preview.image.copy()
    pick(window, line(window, 0, map_number(window, "normal")), GREEN, "up")
    assert gather_of(window).state.found.sets[0].first("normal").green == "up"
    assert wait_until(lambda: panel.preview.settled and panel.preview.image != before)


def test_missing_tiles_stand_in_the_grid(place: MainWindow) -> None:
    window = place
    click(window, line(window, 1, 0), FILE)
    tiles = gather_of(window).set_panel.tiles
    assert tiles.isVisible()
    assert tiles.map.missing == ("1002",)
    image = tiles.grab().toImage()
    ratio = image.width() / tiles.width()
    here = tiles._cell("1002").center() * ratio
    colour = image.pixelColor(round(here.x()), round(here.y() - 11 * ratio))
    assert colour.red() > 200
    assert colour.green() < 120
    click(window, line(window, 0), FILE)
    assert not tiles.isVisible()


def test_sizes_and_what_the_height_does(place: MainWindow) -> None:
    window, panel, state = place, gather_of(place).set_panel, gather_of(place).state
    state.choose(Chosen(0))
    panel.deep.edited.emit(4.0, False)
    assert state.found.sets[0].depth == pytest.approx(0.004)
    panel.relief.setCurrentIndex(panel.relief.findData("bump"))
    QTest.mouseClick(panel.copy, Qt.MouseButton.LeftButton, pos=QPoint(6, 8))
    assert not panel.copy.isChecked()
    QTest.keyClick(gather_of(window).table, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    assert wait_until(lambda: window.session.material == "Enamel")
    network = window.session.document
    assert network.cards["bump"].inputs["scale"].value == pytest.approx(16 * 0.004)
    assert not (window.session.folder / "maps" / "enamel").exists()
    assert all(not one.missing for one in references(window.session.project, window.session.folder))


def test_a_set_is_laid_on_from_three_sides(place: MainWindow) -> None:
    window, panel = place, gather_of(place).set_panel
    gather_of(place).state.choose(Chosen(0))
    assert wait_until(lambda: panel.preview.picture is not None)
    before = panel.preview.picture
    panel.layout_box.setFocus()
    for _ in range(2):
        QTest.keyClick(panel.layout_box, Qt.Key.Key_Down)
    assert panel.layout_box.currentText() == "Triplanar"
    assert "UVs" in panel.layout_box.itemData(2, Qt.ItemDataRole.ToolTipRole)
    assert wait_until(lambda: panel.preview.picture is not before)
    panel.metres.edited.emit(0.3, False)
    QTest.keyClick(gather_of(window).table, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    assert wait_until(lambda: window.session.material == "Enamel")
    card = window.session.document.cards["enamel"]
    assert {"placement_x", "placement_y", "placement_z"} <= card.network.cards.keys()
    assert card.inputs["scale"].value == pytest.approx((0.3, 0.3))
    assert card.inputs["scale"].attributes["uiname"] == "Tile size (m)"
    told = {one.text() for one in wire_of(window).sources.findChildren(QLabel)}
    maps = len([one for one in gather_of(place).state.found.sets[0].maps if one.used])
    assert f"{maps} maps" in told, "each is read from three sides, and counted once"


def test_a_folder_dropped_on_an_object_is_worn_by_it(window: MainWindow, maps: Path) -> None:
    preview = wire_of(window).preview
    at = next(
        QPoint(x, y)
        for y in range(preview.height() // 2, preview.height(), 4)
        for x in range(0, preview.width(), 4)
        if preview.object_at(QPoint(x, y)) == 0
    )
    drop(preview, maps, at=at)
    assert wait_until(lambda: window.session.material == "Enamel")
    assert window.session.project.bench.objects[0].material == "Enamel"


def test_files_dropped_on_the_board_become_a_wired_set(window: MainWindow, maps: Path) -> None:
    session = window.session
    session.show_material("Weathered bench")
    files = [maps / "enamel_color.png", maps / "enamel_height.png"]
    drop(wire_of(window).board.viewport(), *files, at=QPoint(60, 400))
    assert wait_until(lambda: "enamel" in session.document.cards)
    assert session.history.undo_label == "Add Enamel"
    assert set(session.document.cards["enamel"].network.outputs) == {"base_color", "height"}
    assert surface_card(session.document).inputs["base_color"].wire.card == "shade"  # it was wired already


def test_several_sets_dropped_on_the_board_are_all_there(window: MainWindow, maps: Path) -> None:
    session = window.session
    drop(wire_of(window).board.viewport(), maps, at=QPoint(60, 300))
    assert wait_until(lambda: {"enamel", "wall"} <= set(session.document.cards))
    assert (session.folder / "maps" / "enamel" / "enamel_color.png").is_file()
    assert (session.folder / "maps" / "wall" / "wall_albedo.1003.png").is_file()


def test_a_picture_dropped_on_a_channel_is_wired_to_it(window: MainWindow, maps: Path) -> None:
    session, channels = window.session, wire_of(window).channels
    row = next(one for one in channels.findChildren(QWidget) if one.property("channel") == "specular_weight")
    drop(channels, maps / "enamel_gloss.png", at=row.mapTo(channels, QPoint(20, row.height() // 2)))
    wire = surface_card(session.document).inputs["specular_weight"].wire
    assert wire is not None
    assert session.document.cards[wire.card].category == "image"


def test_a_changed_file_is_taken_over_and_a_lost_one_found(place: MainWindow, tmp_path: Path) -> None:
    window, session = place, place.session
    gather_of(window).state.choose(Chosen(0))
    gather_of(window).set_panel.target.setCurrentIndex(1)
    gather_of(window).build_selected()
    assert wait_until(lambda: session.material == "Enamel")
    assert settle(window)
    wait_until(lambda: False, 0.8)  # the watch has seen the files
    before = image_of(window)
    file = session.folder / "maps" / "enamel" / "enamel_color.png"
    write_image(file, np.full((32, 32, 3), (240, 30, 20), np.uint8))
    assert wait_until(lambda: "enamel_color.png" in window.hint_label.text())
    assert settle(window)
    after = image_of(window)
    red = after[:, :, 0].astype(int) - after[:, :, 2]
    assert red.max() > (before[:, :, 0].astype(int) - before[:, :, 2]).max() + 20
    moved = tmp_path / "moved" / file.name
    moved.parent.mkdir()
    file.rename(moved)
    assert wait_until(lambda: window.bar.files.isVisible())
    assert window.bar.files.text() == "1 file missing"
    QTest.mouseClick(window.bar.files, Qt.MouseButton.LeftButton)
    dialog = window.findChild(FilesDialog)
    assert dialog is not None
    assert dialog.list.topLevelItem(0).text(STATE).strip() == "missing"
    dialog.find_in(tmp_path / "moved")
    assert wait_until(lambda: session.history.undo_label == "Find enamel_color.png again")
    assert dialog.list.topLevelItem(0).text(STATE).strip() != "missing"
    dialog.collect_now()
    assert wait_until(lambda: session.history.undo_label == "Copy all files into the project")
    assert all(one.file.resolve().is_relative_to(session.folder.resolve())
               for one in references(session.project, session.folder) if one.material == "Enamel")  # fmt: skip
    dialog.reject()
    assert wait_until(lambda: not window.bar.files.isVisible())


def test_a_photograph_is_made_to_tile_and_maps_are_derived(place: MainWindow, hand) -> None:
    window, state = place, gather_of(place).state
    at = next(at for at, one in enumerate(state.found.leftover) if one.file == "stones.jpg")
    click(window, line(window, -1, -1, at), FILE)
    QTest.mouseClick(gather_of(window).set_panel.seamless, Qt.MouseButton.LeftButton)
    page = gather_of(window).seamless
    assert gather_of(window).stack.currentWidget() is page
    assert wait_until(lambda: page.settled and not page.after.empty)
    assert "<b>0.0" in page.score.text()
    rect = page.before.region_rect()
    hand.drag(
        page.before, (rect.topLeft() + QPointF(20, 20)).toPoint(), (rect.bottomRight() - QPointF(20, 20)).toPoint()
    )
    region = page.recipe().region
    assert 0.02 < region.left < 0.2
    assert 0.8 < region.right < 0.98
    page.even.edited.emit(page.even.value, False)  # nothing new: no step
    assert page.history.labels == ["Seamless values"]
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert page.recipe().region.left == 0
    QTest.keyClick(window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert page.recipe().region == region
    QTest.mouseClick(page.repeats.button(3), Qt.MouseButton.LeftButton)
    assert page.after.repeats == 3
    target = page.proposed()
    assert target == window.session.folder / "maps" / "stones" / "stones_base_color.png"
    page.save_to(target)
    assert wait_until(lambda: page.settled and any(one.name == "stones" for one in state.found.sets))
    assert read_info(target).bits == 16
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert gather_of(window).stack.currentIndex() == 0
    assert state.chosen_set.name == "stones"
    assert read_record(target).seamless.region == region
    QTest.mouseClick(gather_of(window).set_panel.seamless, Qt.MouseButton.LeftButton)  # opened again as it was made
    assert page.source.name == "stones.jpg"
    assert page.recipe().region == region
    QTest.keyClick(page, Qt.Key.Key_Escape)

    QTest.mouseClick(gather_of(window).set_panel.derive, Qt.MouseButton.LeftButton)
    derive = gather_of(window).derive
    assert wait_until(lambda: derive.settled and derive.ours.image is not None)
    assert derive.tiles.isChecked(), "Seamless has made it tile"
    before = derive.views["height"].image.copy()
    assert derive.ours.image != derive.plain.image
    coloured = derive.ours.picture.linear
    QTest.mouseClick(derive.relief, Qt.MouseButton.LeftButton, pos=QPoint(6, derive.relief.height() // 2))
    assert wait_until(lambda: derive.settled and derive.ours.shown.mode == derive.plain.shown.mode == "clay")
    on = derive.ours.picture.objects == 0
    spread = [np.ptp(one[on].mean(axis=0)) for one in (coloured, derive.ours.picture.linear)]
    assert spread[1] < 0.25 * spread[0], "relief alone has no colour"
    lit, middle = derive.plain.picture.linear, derive.ours.rect().center()
    hand.drag(derive.ours, middle, middle + QPoint(60, 0), keys=Qt.KeyboardModifier.AltModifier)
    assert wait_until(lambda: derive.settled and derive.plain.shown.bench.lights == derive.ours.shown.bench.lights)
    assert (derive.plain.picture.linear != lit).any(), "both are lit from the same side"
    QTest.mouseClick(derive.inverse, Qt.MouseButton.LeftButton, pos=QPoint(6, derive.inverse.height() // 2))
    assert derive.inverse.isChecked()
    assert wait_until(lambda: derive.settled and derive.views["height"].image != before)
    derive.save_to(derive.proposed())
    assert wait_until(lambda: derive.settled and gather_of(window).settled
                      and len(state.chosen_set.maps) == 5, 40), [one.role for one in state.chosen_set.maps]  # fmt: skip
    assert {one.role for one in state.chosen_set.maps} == {
        "base_color", "normal", "height", "specular_roughness", "occlusion",
    }  # fmt: skip


def test_the_library(window: MainWindow, maps: Path) -> None:
    write_image(default_folder() / "enamel" / "enamel_color.png", np.full((8, 8, 3), 90, np.uint8))
    write_image(default_folder() / "environments" / "dusk.hdr", np.full((8, 16, 3), 0.4, np.float32))
    window.go_to(0)
    library = gather_of(window).library
    library.refresh()
    assert wait_until(lambda: gather_of(window).settled and any(one.name == "dusk" for one in library.items))
    QTest.keyClicks(library.search, "enamel")
    assert [one.name for one in library.shown] == ["Enamel"]
    first = library.list.item(0)
    assert mime_of(first.data(ITEM)).urls()[0].toLocalFile().endswith("enamel_color.png")
    library.menu_of(first.data(ITEM)).actions()[-1].trigger()
    assert len(window.studio.settings.favourites) == 1
    library.search.clear()
    library.kind.setCurrentIndex(library.kind.findText("Favourites"))
    library._show()
    assert [one.name for one in library.shown] == ["Enamel"]
    library.taken.emit(library.shown[0])
    assert wait_until(lambda: [one.name for one in gather_of(window).state.found.sets] == ["enamel"])
    library.kind.setCurrentIndex(0)
    library._show()
    library.taken.emit(next(one for one in library.items if one.name == "dusk"))
    assert wait_until(lambda: window.session.project.bench.environment.file == "environments/dusk.hdr")
    count = len(window.session.document.cards)
    library.taken.emit(next(one for one in library.items if one.kind == "pattern"))
    assert len(window.session.document.cards) > count
    library.add_folder(maps)
    assert wait_until(lambda: any(one.name == "Wall" for one in library.items))
    (maps / "new_color.png").write_bytes((maps / "enamel_color.png").read_bytes())
    assert wait_until(lambda: any(one.name == "New" for one in library.items))


def test_maps_on_disk_are_counted_and_cleared(window: MainWindow, tmp_path: Path) -> None:
    write_image(tmp_path / "large.png", np.random.default_rng(1).integers(0, 255, (600, 600, 3), np.uint8))
    window.session.images.open(ImageRef(str(tmp_path / "large.png")))
    window.session.images.files.settle()
    window.show_settings()
    dialog = window.findChild(SettingsDialog)
    files = window.session.images.files
    assert files.used > 600 * 600 * 4
    assert dialog.on_disk.text() == "2 MB are in use."
    QTest.mouseClick(dialog.clear, Qt.MouseButton.LeftButton)
    assert files.used == 0
    assert not dialog.clear.isEnabled()
    files.failed = "No space left on device"
    dialog._show_disk()
    assert "No space left" in dialog.on_disk.text()
    dialog.reject()


def test_settings_hold_at_once(window: MainWindow) -> None:
    window.show_settings()
    dialog = window.findChild(SettingsDialog)
    QTest.keyClicks(dialog.memory, "512")
    QTest.keyClick(dialog.memory, Qt.Key.Key_Return)
    assert window.session.images.budget.limit == 512 * 2**20
    assert window.studio.settings.memory == 512
    QTest.keyClicks(dialog.disk, "3")
    QTest.keyClick(dialog.disk, Qt.Key.Key_Return)
    assert window.session.images.files.limit == 3 * 2**30
    QTest.keyClicks(dialog.disk, "0")
    QTest.keyClick(dialog.disk, Qt.Key.Key_Return)
    assert window.session.images.files is None
    dialog.loud.edited.emit((0.0, 1.0, 0.0), False)
    assert window.session.project.bench.loud == (0.0, 1.0, 0.0)
    window.undo_action.trigger()
    assert window.session.project.bench.loud != (0.0, 1.0, 0.0)
    dialog.reject()
