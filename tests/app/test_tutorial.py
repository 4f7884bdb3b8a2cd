"""The tutorial of the README, done by mouse and keyboard: two maps, a mask broken by noise, in under 25 actions."""

from __future__ import annotations

from counted import Counted
from places import middle, out_tab, wire_of
from PySide6.QtCore import QPoint

from collage.app.shell.start import settle
from collage.app.shell.window import MainWindow
from collage.app.widgets.levels_editor import LevelsEditor
from collage.core.actions import materials as materials_acts
from collage.core.document.model import Wire


def test_two_maps_and_a_mask_broken_by_noise_in_under_25_actions(window: MainWindow, hand) -> None:
    session = window.session
    materials_acts.new_material_named(session, "Mossy clay")
    part = next(k for k, item in enumerate(session.project.bench.objects) if item.material == "Lime-bloomed clay")
    materials_acts.assign_material(session, part, "Mossy clay")
    assert settle(window)
    plain = wire_of(window).preview.picture.display.copy()
    me = Counted(window, hand)
    me.actions = 2  # New material; its picture dragged onto the pot

    maps = session.base_folder / "maps"
    clay = me.drop(maps / "terracotta" / "terracotta_base_color.png", QPoint(90, 90))
    glaze = me.drop(maps / "celadon" / "celadon_base_color.png", QPoint(90, 240))
    mix = me.add("mix")
    me.drag(middle(window, mix), QPoint(420, 160))
    me.drag(out_tab(window, glaze), middle(window, mix))
    me.offer("Foreground")
    me.drag(out_tab(window, clay), middle(window, mix))
    me.offer("Background")
    me.wire_to_landing(mix, "base_color")
    noise = me.add("fractal")
    me.drag(middle(window, noise), QPoint(90, 400))
    me.drag(out_tab(window, noise), QPoint(250, 400))
    levels = me.choose("levels")
    assert session.network.cards[levels].inputs["in"].wire == Wire(noise)
    assert settle(window)
    editor = wire_of(window).controls.editor
    assert isinstance(editor, LevelsEditor)
    low, high = (editor.marks()[name].toPoint() for name in ("low", "high"))
    me.drag(low, low - QPoint(16, 0), editor)
    high = editor.marks()["high"].toPoint()
    me.drag(high, high - QPoint(60, 0), editor)
    me.drag(out_tab(window, levels), middle(window, mix))
    me.offer("Amount")

    inputs = session.network.cards[mix].inputs
    assert {name: one.wire for name, one in inputs.items() if one.wire} == {
        "fg": Wire(glaze), "bg": Wire(clay), "mix": Wire(levels),
    }  # fmt: skip
    assert session.document.cards["surface"].inputs["base_color"].wire == Wire(mix)
    assert me.actions < 25
    assert settle(window)
    shown = wire_of(window).preview.picture.display
    on_pot = wire_of(window).preview.picture.objects == part
    colours = shown[on_pot].astype(int)
    reddish = (colours[:, 0] > colours[:, 1] + 25).mean()
    greenish = (colours[:, 1] > colours[:, 0]).mean()
    assert reddish > 0.05
    assert greenish > 0.05, "both maps are to be seen"
    assert (shown != plain).any()
