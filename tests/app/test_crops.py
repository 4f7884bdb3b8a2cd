"""The editor of crops in the real window: drawn on the picture, moved, sized, removed, and each one step."""

from __future__ import annotations

import pytest
from places import wire_of
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from collage.app.shell.start import settle, wait_until
from collage.app.widgets.crops_editor import CropsEditor
from collage.core.document.making import card
from collage.core.document.model import Input, Wire


@pytest.fixture
def editor(window) -> CropsEditor:
    """Of crops of the bench wood's base colour."""
    session = window.session
    session.show_material("Weathered bench")
    inner = next(one for one in session.network.cards.values() if one.network is not None).network
    image = next(one for one in inner.cards.values() if one.category == "image")
    file = image.inputs["file"]
    crops = card("crops", "clg_crops", "vector2", (0, 3), "Crops")
    wood = card("big", "image", "color3", (1, 3)).with_input(file).with_input(
        Input("texcoord", "vector2", None, Wire("crops"))
    )  # fmt: skip
    session.edit("Crops", lambda network: network.with_card(crops).with_card(wood))
    session.select(("crops",))
    assert settle(window)
    made = wire_of(window).controls.editor
    assert isinstance(made, CropsEditor)
    assert wait_until(lambda: made._image is not None, 10)
    return made


def values(window) -> tuple[int, list[tuple[float, ...]]]:
    one = window.session.network.cards["crops"]
    tabs = {name: found.value for name, found in one.inputs.items()}
    return tabs.get("count", 4), [tabs.get(f"crop{number}") for number in range(1, 9)]


def at(editor: CropsEditor, u: float, v: float) -> QPointF:
    box = editor._box()
    return QPointF(box.x() + u * box.width(), box.bottom() - v * box.height())


def test_a_crop_is_moved_sized_added_and_removed(window, editor, hand) -> None:
    steps = len(window.session.history.labels)
    hand.drag(editor, at(editor, 0.2, 0.2).toPoint(), at(editor, 0.4, 0.3).toPoint())
    count, crops = values(window)
    assert (count, crops[0]) == (4, pytest.approx((0.2, 0.1, 0.5, 0.5), abs=0.02))
    assert len(window.session.history.labels) == steps + 1, "one step a drag"
    hand.drag(editor, editor.frame(0).topRight().toPoint(), at(editor, 0.5, 0.9).toPoint())
    left, bottom, width, height = values(window)[1][0]
    assert (left + width, bottom + height) == pytest.approx((0.5, 0.9), abs=0.02)
    hand.drag(editor, editor.frame(0).center().toPoint(), at(editor, 3.0, 0.5).toPoint())
    left, _, width, _ = values(window)[1][0]
    assert left + width == pytest.approx(1.0), "it stays in the picture"
    QTest.keyClick(editor, Qt.Key.Key_PageDown)
    QTest.keyClick(editor, Qt.Key.Key_Delete)
    assert values(window)[0] == 3
    for _ in range(3):
        QTest.keyClick(editor, Qt.Key.Key_Delete)
    assert values(window)[0] == 1, "one stays"
    empty = next((u, v) for u in (0.1, 0.5, 0.9) for v in (0.1, 0.9)
                 if not editor.frame(0).adjusted(-9, -9, 9, 9).contains(at(editor, u, v)))  # fmt: skip
    hand.drag(editor, at(editor, *empty).toPoint(), at(editor, 0.5, 0.5).toPoint())
    count, crops = values(window)
    assert count == 2
    assert crops[1][:2] == pytest.approx((min(empty[0], 0.5), min(empty[1], 0.5)), abs=0.02)
    assert crops[1][2:] == pytest.approx((abs(empty[0] - 0.5), abs(empty[1] - 0.5)), abs=0.03)
    QTest.keyClick(editor, Qt.Key.Key_Left)
    assert values(window)[1][1][0] == pytest.approx(max(crops[1][0] - 0.01, 0), abs=1e-6)
    while window.session.network.cards["crops"].inputs:
        window.session.history.undo()
    assert editor.count == 4
