"""Makes the pictures in docs/screenshots from the demo project."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from collage.app.gather.state import Chosen
from collage.app.shell.start import settle, wait_until, window_shot
from collage.app.shell.window import MainWindow
from collage.cli.shared import prepare_kernels
from collage.core.actions import bench as bench_acts
from collage.core.actions import boxes as boxes_acts
from collage.core.actions import groups as groups_acts
from collage.core.actions import layers as layers_acts
from collage.core.actions import lights as lights_acts
from collage.core.actions import uvs
from collage.core.actions.coordinates import set_coordinates
from collage.core.assets.stock import default_folder
from collage.core.base.progress import finished
from collage.core.document import edits, frames
from collage.core.document.materialx import parse_document
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.geometry.unwrap import UnwrapOptions
from collage.core.images.files import write_image
from collage.core.nodes.effects import EFFECTS
from collage.core.nodes.labels import new_card
from collage.core.nodes.library import load_library
from collage.core.nodes.stacks import Layer
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.cards import card_pictures
from collage.core.render.files import write_picture
from collage.core.render.renderer import Renderer
from collage.core.render.swatch import effect_swatch
from collage.core.render.tracing import Tracing
from collage.demo.library import library_steps
from collage.demo.shed import make_sample

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def choose(window: MainWindow) -> None:
    window.session.select(["edge"])


def large(window: MainWindow) -> None:
    """The picture first; board and channels beside it."""
    window.session.select(["edge"])
    window.place("Wire").toggle_large()


def judge(window: MainWindow, rig: str = "") -> None:
    """Traced; by day with the window in hand, its highlight put on the board, and drawn over the picture."""
    camera = window.session.camera
    if not rig:
        window.session.look(camera.model_copy(update={"height": 7.0, "distance": 1.25, "target": (0.0, 0.14, 0.0)}))
    window.go_to(3)
    place = window.place("Judge")
    place.look.samples.set_value(32)
    place.look.denoise.setChecked(True)
    place.look._change_tracing()
    if rig:
        lights_acts.use_rig(window.session, rig)
        bench_acts.change_environment(window.session, behind="sharp")
        window.session.look(camera.model_copy(update={"height": 3.0, "distance": 0.95}))
        place.look.buttons["Waveform"].click()
    lights_acts.save_view(window.session, "Front")
    settle(window)
    if not rig:
        place.view.entered = True
        place.view.place_highlight(True)
        point = QPoint(int(0.25 * place.view.width()), int(0.72 * place.view.height()))
        QTest.mouseClick(place.view, Qt.MouseButton.LeftButton, pos=point)
        settle(window)
        QTest.mouseMove(place.view, point + QPoint(190, -90))


def start_page(window: MainWindow) -> None:
    """Nothing is open; three projects were before."""
    folder, bench = window.session.folder, window.session.project.bench
    image = window.place("Wire").preview.image
    recent = []
    for name, turn in (("Kitchen shelf", 60.0), ("Frost damage", -30.0), ("Slip and glaze", 14.0)):
        copy = folder.parent / name
        shutil.copytree(folder, copy, dirs_exist_ok=True)
        window.place("Wire").preview.look(bench.camera.model_copy(update={"turn": turn}))
        settle(window)
        image = window.place("Wire").preview.image
        window.studio.kept_pictures.keep(image, copy, bench.camera)
        recent.append(str(copy))
    window.studio.remember(recent=recent)
    window.files.close_project()


def relief(window: MainWindow) -> None:
    """The yard without colour in a low light, which shows what is displaced."""
    window.session.show_material("Slate floor")
    window.session.select(["settled"])
    place = window.place("Wire")
    place.toggle_large()
    place.preview_panel.set_mode("clay")
    place.preview.toggle_grazing()
    settle(window)
    preview = place.preview
    preview.toggle_section()
    ends = [QPoint(round(preview.width() * x), round(preview.height() * y)) for x, y in ((0.1, 0.87), (0.62, 0.93))]
    QTest.mousePress(preview, Qt.MouseButton.LeftButton, pos=ends[0])
    QTest.mouseMove(preview, ends[1])
    QTest.mouseRelease(preview, Qt.MouseButton.LeftButton, pos=ends[1])


def weathered(window: MainWindow) -> None:
    """Moss over the flags, with its values and the effects among the sources."""
    window.session.show_material("Slate floor")
    window.session.select(["moss"])
    wait_until(lambda: window.studio.maker.all_settled, 90)
    place = window.place("Wire")
    place.sources._area.verticalScrollBar().setValue(340)


def effects_sheet() -> np.ndarray:
    """All effects on plain clay, and four masks, (h, w, 3) uint8."""
    library, size = load_library(), (252, 180)
    renderer = Renderer(library)
    pictures = [effect_swatch(renderer, effect, size) for effect in EFFECTS.values()]
    masks = Network()
    for category in ("clg_crevice_mask", "clg_edge_mask", "clg_distance_mask", "clg_thickness"):
        masks = masks.with_card(Card(category, category, "float"))
    found = card_pictures(library, masks, list(masks.cards), size=size).pictures
    pictures += [found[name] for name in masks.cards]
    rows = [np.concatenate(pictures[at : at + 5], axis=1) for at in range(0, len(pictures), 5)]
    return np.concatenate(rows)


def add(window: MainWindow) -> None:
    window.place("Wire").ask_add(QPoint(40, 40), None, "")
    window.place("Wire").add_field.line.setText("pattern")


BRICKS = """<materialx version="1.39">
<clg_courses name="bricks" type="multioutput" xpos="0.4" ypos="0.3"><input name="repeats" type="vector2" value="12, 16"/></clg_courses>
<mix name="clay" type="color3" xpos="2" ypos="0"><input name="fg" type="color3" value="0.42, 0.16, 0.09"/><input name="bg" type="color3" value="0.24, 0.1, 0.06"/><input name="mix" type="float" nodename="bricks" output="random"/></mix>
<mix name="wall" type="color3" xpos="3.6" ypos="0"><input name="fg" type="color3" nodename="clay"/><input name="bg" type="color3" value="0.4, 0.37, 0.32"/><input name="mix" type="float" nodename="bricks" output="mask"/></mix>
<bump name="relief" type="vector3" xpos="2" ypos="1.4"><input name="height" type="float" nodename="bricks" output="height"/><input name="scale" type="float" value="0.35"/></bump>
<clg_weave name="cloth" type="multioutput" xpos="0.4" ypos="2"/>
<clg_streaks name="rain" type="float" xpos="2" ypos="2.8"/>
<flake3d name="glitter" type="multioutput" xpos="0.4" ypos="3.7"><input name="size" type="float" value="0.06"/><input name="coverage" type="float" value="0.9"/></flake3d>
<unifiednoise3d name="mixer" type="float" xpos="3.6" ypos="1.4"><input name="type" type="integer" value="2"/><input name="freq" type="vector3" value="6, 6, 6"/></unifiednoise3d>
<clg_height_mask name="damp" type="float" xpos="3.6" ypos="2.8"><input name="high" type="float" value="0.8"/><input name="broken" type="float" value="0.1"/><input name="grain" type="float" value="8"/></clg_height_mask>
<clg_curve name="curve" type="float" xpos="5.2" ypos="2.8"><input name="in" type="float" nodename="damp"/><input name="middle" type="float" value="0.2"/></clg_curve>
<open_pbr_surface name="surface" type="surfaceshader"><input name="base_color" type="color3" nodename="wall"/><input name="geometry_normal" type="vector3" nodename="relief"/><input name="specular_roughness" type="float" value="0.7"/></open_pbr_surface>
<surfacematerial name="material" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/></surfacematerial>
</materialx>"""


def patterns(window: MainWindow) -> None:
    """The patterns and masks as cards, the bricks on the ball."""
    session = window.session
    network = parse_document(BRICKS.encode())
    session.edit_document("Patterns", lambda _: network)
    session.select(["bricks"])
    window.place("Wire").board.fit_all()


def _add(window: MainWindow, definition: str, name: str, place: tuple[float, float]) -> None:
    card = new_card(window.session.library[definition], name)
    window.session.edit("Add", lambda network: edits.move_cards(edits.add_card(network, card), {name: place}))


def _encoded(text: str) -> tuple[float, float, float]:
    return int(text[:2], 16) / 255, int(text[2:4], 16) / 255, int(text[4:], 16) / 255


def group(window: MainWindow) -> None:
    """Inside the group that makes the lime's mask, with a frame and a note."""
    session = window.session
    session.select(["finer", "clouds", "rising", "edge"])
    groups_acts.group_cards(session)
    (name,) = session.selection
    groups_acts.change_group(session, name, "Name", lambda card: card.with_attribute("uiname", "Lime mask"))
    session.open_group((name,))
    session.select(["clouds", "rising"])
    boxes_acts.add_box(session)
    frame = frames.frames(session.network)[0]
    boxes_acts.change_box(session, "Name", replace(frame, title="Where the lime sits"))
    note = boxes_acts.add_note(session, (frame.x, frame.y - 0.6))
    text = "Clouds break the edge; height keeps it near the foot."
    boxes_acts.change_box(session, "Write", frames.Frame(note, "", text, frame.x, frame.y - 0.75, 2.4, 0.6))
    session.select(["edge"])
    window.place("Wire").board.fit_all()


def stack(window: MainWindow) -> None:
    """Three layers over the clay."""
    session = window.session
    session.select(["clay", "lime"])
    name = layers_acts.add_stack(session, (5.6, 3.2))
    window.place("Wire").controls.layers.add_layer()  # type: ignore[union-attr]
    session.wire(Wire("edge"), name, "mask_3", "float")
    layers_acts.change_layers(session, name, "Modes", _modes)
    window.place("Wire").board.fit_all()


def _modes(layers: list[Layer]) -> list[Layer]:
    first, second, third = layers
    dust = replace(third, title="Dust", mode="screen", source=replace(third.source, value=(0.35, 0.31, 0.25)))
    return [first, replace(second, mode="multiply", opacity=Input("opacity", "float", 0.6)), dust]


def gather(window: MainWindow, name: str, map_number: int = -1) -> None:
    """The sample library on the table, one set in hand."""
    state = window.place("Gather").state
    window.studio.wanted.emit("sets")
    state.read(default_folder())
    wait_until(lambda: state.worker.idle and bool(state.found.sets) and window.place("Gather").settled, 90)
    state.choose(Chosen([one.name for one in state.found.sets].index(name), map_number))
    wait_until(lambda: window.place("Gather").settled, 90)


def photograph(window: MainWindow, name: str) -> None:
    state = window.place("Gather").state
    window.studio.wanted.emit("sets")
    state.read(default_folder() / "photographs")
    wait_until(lambda: state.worker.idle and bool(state.found.leftover), 90)
    state.choose(Chosen(leftover=[one.file for one in state.found.leftover].index(name)))


def seamless(window: MainWindow) -> None:
    """Brickwork taken at a slant: its corners and its pattern found, the tile twice."""
    photograph(window, "bricks.jpg")
    place = window.place("Gather")
    place.open_seamless()
    for button in (place.seamless.find_corners, place.seamless.find_pattern):
        wait_until(lambda: place.settled and not place.seamless.after.empty, 90)
        button.click()
    wait_until(lambda: place.settled and place.seamless.across.value > 0, 90)


def derive(window: MainWindow) -> None:
    photograph(window, "stones.jpg")
    window.place("Gather").open_derive()
    wait_until(lambda: window.place("Gather").settled and window.place("Gather").derive.ours.image is not None, 90)


def projector(window: MainWindow) -> None:
    """A cylinder around the pot for the clay, seen from near."""
    session = window.session
    session.show_material("Labelled clay")
    set_coordinates(session, "terracotta", "cylinder")
    look_at(window, "Pot", 2.2)
    shown = window.place("Place")
    shown.choose(("Pot", None))
    shown.maps.choose("terracotta")
    shown.show_projector("cylinder")
    shown.tree.tree.topLevelItem(0).setExpanded(True)


def look_at(window: MainWindow, name: str, beside: float) -> None:
    """Goes to Place and looks at an object; beside : how many times further away than it fills the picture."""
    window.go_to([one.title for one in window.places].index("Place"))
    number = [item.name for item in window.session.bench.objects].index(name)
    window.place("Place").view.frame(number)
    camera = window.session.camera
    window.session.look(camera.model_copy(update={"distance": camera.distance * beside / 1.6}))


def layout(window: MainWindow) -> None:
    """The can unwrapped, coloured by how unevenly it is stretched."""
    session = window.session
    look_at(window, "Watering can", 1.7)
    shown = window.place("Place")
    shown.choose(("Watering can", None))
    choice = uvs.UvChoice("Watering can", "UVMap")
    uvs.put_uv(session, choice, finished(uvs.unwrap_uv(session, choice, UnwrapOptions())), "Unwrap")
    shown.uvs.measure.setCurrentIndex(1)
    shown.uvs.measure.activated.emit(1)


def main() -> None:
    prepare_kernels()
    with tempfile.TemporaryDirectory() as place:
        os.environ["XDG_DATA_HOME"] = place
        for _ in library_steps(default_folder()):
            pass
        folder = Path(place) / "shed"
        make_sample("potting-shed", folder)
        old = Path(place) / "weathered-shed"
        make_sample("weathered-shed", old)
        project, _ = load_project(old)
        how = Tracing(samples=32, denoised=True)
        request = picture_request(project, 1280, 800, "traced", "lit", None, old, how)
        write_picture(request, Renderer(load_library()).picture(request), OUT / "potting-shed.png")
        window_shot(old, OUT / "judge-day.png", prepare=judge)
        window_shot(old, OUT / "judge-night.png", theme="night", prepare=partial(judge, rig="daylight"))
        window_shot(folder, OUT / "wire-day.png", prepare=choose)
        window_shot(folder, OUT / "wire-large.png", prepare=large)
        window_shot(folder, OUT / "start.png", prepare=start_page)
        window_shot(folder, OUT / "wire-add.png", prepare=add)
        window_shot(folder, OUT / "wire-group.png", prepare=group)
        window_shot(folder, OUT / "wire-stack-night.png", theme="night", prepare=stack)
        window_shot(folder, OUT / "gather.png", prepare=partial(gather, name="SlateFloor"))
        window_shot(folder, OUT / "seamless.png", prepare=seamless)
        window_shot(folder, OUT / "derive.png", prepare=derive)
        bench = Path(place) / "bench"
        make_sample("potting-bench", bench)
        project, _ = load_project(bench)
        request = picture_request(project, 1280, 800, "final", "lit", None, bench)
        write_picture(request, Renderer(load_library()).picture(request), OUT / "potting-bench.png")
        window_shot(bench, OUT / "place.png", prepare=projector)
        window_shot(bench, OUT / "place-uvs.png", prepare=layout)
        yard = Path(place) / "yard"
        make_sample("yard", yard)
        window_shot(yard, OUT / "relief.png", prepare=relief)
        write_image(OUT / "effects.png", effects_sheet())
        later = Path(place) / "later"
        make_sample("weathered-yard", later)
        window_shot(later, OUT / "weathered.png", prepare=weathered)
        ball = Path(place) / "ball"
        make_sample("plain-ball", ball)
        window_shot(ball, OUT / "wire-patterns.png", prepare=patterns)


if __name__ == "__main__":
    main()
