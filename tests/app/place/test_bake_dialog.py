"""Maps are baked in the window: from a dense ball onto a rough one, shown, worn, undone; and where rays miss."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from collage.app.place.bake_dialog import MISSED, BakeDialog
from collage.app.shell.start import settle, wait_until
from collage.core.images.files import read_pixels
from collage.core.scene.bench import Camera, stock


@pytest.fixture
def place(window):
    """A rough ball and a dense one, the rough one chosen."""
    session = window.session
    rough = stock("Rough", "sphere", material="Weathered bench", sizes={"segments": 12})
    dense = stock("Dense", "sphere", material="Weathered bench", sizes={"segments": 96}, place=(0.4, 0, 0))
    small = stock("Small", "sphere", sizes={"segments": 24}, scale=0.4, place=(-0.4, 0, 0))
    session.edit_bench("objects", lambda bench: bench.model_copy(update={"objects": (rough, dense, small)}))
    session.look(Camera(turn=35, height=30, distance=1).framing(*rough.mesh().bounds))
    window.go_to([one.title for one in window.places].index("Place"))
    assert settle(window)
    found = window.place("Place")
    found.choose(("Rough", None))
    return found


def opened(place) -> BakeDialog:
    QTest.mouseClick(place.panel.buttons["bake"], Qt.MouseButton.LeftButton)
    return next(one for one in place.widget.findChildren(BakeDialog) if one.isVisible())


def bake(dialog: BakeDialog) -> None:
    QTest.mouseClick(dialog.start, Qt.MouseButton.LeftButton)
    assert wait_until(lambda: dialog.start.isEnabled(), 60)


def test_normals_of_a_dense_ball_are_baked_worn_and_taken_back(window, place) -> None:
    session, before = window.session, window.session.project
    dialog = opened(place)
    assert dialog.windowTitle() == "Bake maps for Rough"
    dialog.source.setCurrentText("Dense")
    dialog.pixels.setCurrentText("256")
    QTest.mouseClick(dialog.maps["height"], Qt.MouseButton.LeftButton, pos=dialog.maps["height"].rect().center())
    dialog.maps["height"].setChecked(True)
    assert not dialog.outward.isEnabled()
    bake(dialog)
    folder = session.folder / "maps" / "Rough"
    assert sorted(path.name for path in folder.glob("*.png")) == ["Rough_height.png", "Rough_normal.png"]
    normal = read_pixels(folder / "Rough_normal.png").astype(float) / 65535 * 2 - 1
    assert 0.005 < np.abs(normal[:, :, :2]).mean() < 0.2  # facets of 30 degrees lean, and no more
    assert [dialog.shown.itemText(at) for at in range(dialog.shown.count())] == ["Normal", "Height"]
    assert not dialog.picture.pixmap().isNull()
    assert dialog.outward.value > 0.5
    rough = session.bench.objects[0]
    assert rough.material == "Rough baked"
    cards = session.project.materials["Rough baked"].cards.values()
    assert any(card.category == "normalmap" for card in cards)
    assert settle(window)
    session.history.undo()
    assert session.project is before
    dialog.close()


def test_rays_that_miss_are_shown_at_once(window, place) -> None:
    dialog = opened(place)
    dialog.source.setCurrentText("Small")
    dialog.pixels.setCurrentText("256")
    dialog.wear.setChecked(False)
    dialog.found.setChecked(False)
    assert dialog.outward.isEnabled()
    dialog.inward.set_value(10)
    bake(dialog)
    assert "meet nothing within 5 mm outward and 10 mm inward" in dialog.said.text()
    assert dialog.shown.currentText() == MISSED
    assert window.session.bench.objects[0].material == "Weathered bench"
    for box in dialog.maps.values():
        box.setChecked(False)
    bake(dialog)
    assert dialog.said.text() == "No map is ticked."
    dialog.close()
