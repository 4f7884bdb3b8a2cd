"""The Derive page: height, normals, roughness and occlusion from a photograph, beside the plain photograph."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QPushButton, QWidget

from collage.app.gather.page import Page
from collage.app.gather.picture_view import PictureView
from collage.app.gather.set_preview import SHAPES, SetPreview
from collage.app.shell.jobs import Jobs
from collage.app.widgets.choosing import choose_folder
from collage.core.base.progress import finished
from collage.core.document.model import Network
from collage.core.gather.build import BuildOptions, Stored, build_material
from collage.core.gather.names import stem_of
from collage.core.gather.sets import group
from collage.core.images.derive import HeightFrom, RoughnessFrom, joints_are_bright, plain_height
from collage.core.images.files import write_image
from collage.core.images.made import (
    DERIVED,
    Derive,
    Derived,
    DerivedMaps,
    make_derived_files,
    sixteen_bits,
    tiles_already,
)
from collage.core.render.renderer import Renderer

LABELS: dict[Derived, str] = {
    "height": "Height", "normal": "Normal", "roughness": "Roughness", "occlusion": "Occlusion",
}  # fmt: skip


class DerivePage(Page):
    """Maps above, and below them the surface with the derived height beside the one with the plain photograph."""

    def __init__(self, proposed: Callable[[Path, str], Path], renderer: Renderer, jobs: Jobs) -> None:
        super().__init__(jobs, "derive", "Save the maps…")
        self._proposed, self._joints_bright = proposed, False
        self._work_folder = tempfile.TemporaryDirectory(prefix="collage-derive-")
        self.section("Height")
        self.broad = self.number("Large shapes", 0.6, (0, 2), (0, 4), "How much large hollows and bulges count")
        self.middle = self.number("Medium shapes", 1.0, (0, 2), (0, 4), "How much medium-sized shapes count")
        self.fine = self.number("Fine detail", 0.9, (0, 2), (0, 4), "How much fine grain counts")
        self.stains = self.number("Ignore stains", 0.9, (0, 1), (0, 1),
                                  "How much of the light and dark is stain, not relief")  # fmt: skip
        self.inverse = self._check("Invert height", "Light is low, dark is high")
        self.bright = QPushButton("Bright joints: invert?")
        self.bright.setToolTip("The joints are brighter than what they join, so they would stand out")
        self.bright.clicked.connect(self._invert)
        self.bright.hide()
        self.form.addWidget(self.bright, self.form.rowCount(), 0, 1, 2)
        self.tiles = self._check("Source already tiles", "Keeps the derived maps seamless")
        self.section("Size")
        self.metres = self.number("Tile width (m)", 1.0, (0.05, 4), (0.001, 1000), "Real width of the tile")
        self.deep = self.number("Relief depth (mm)", 20.0, (0, 100), (0.001, 100000), "From lowest to highest point")
        self.reach = self.number("Occlusion reach", 0.1, (0.01, 0.3), (0.01, 0.5), "Fraction of the tile width")
        self.section("Roughness")
        self.level = self.number("Base level", 0.6, (0, 1), (0, 1), "Roughness before anything is added")
        self.brightness = self.number("By brightness", 0.15, (-1, 1), (-1, 1), "Rougher where it is bright")
        self.contrast = self.number("By fine contrast", 0.3, (-1, 1), (-1, 1), "Rougher where there is grain")
        self.section("Maps")
        self.wanted: dict[Derived, QCheckBox] = {}
        for name in DERIVED:
            box = self._check(LABELS[name], f"Write the {LABELS[name].lower()} map")
            box.setChecked(True)
            self.wanted[name] = box
        self.shape = QComboBox()
        self.shape.setAccessibleName("Shape")
        self.shape.setToolTip("Shape of the two previews")
        for key, label in SHAPES.items():
            self.shape.addItem(label, key)
        self.shape.setCurrentIndex(self.shape.findData("plane"))
        self.shape.activated.connect(lambda _: self._set_shape(str(self.shape.currentData())))
        self.row("Show on", self.shape)
        self.views = {name: PictureView(LABELS[name]) for name in DERIVED}
        self.photo = PictureView("Photograph")
        self.ours = SetPreview(renderer, jobs, "Derived height", "plane")
        self.plain = SetPreview(renderer, jobs, "Photograph as height", "plane")
        self.ours.note, self.plain.note = "Derived height", "Photograph used as height"
        self.previews = (self.ours, self.plain)
        self.ours.light_moved.connect(self.plain.set_light)
        self.plain.light_moved.connect(self.ours.set_light)
        self.relief = QCheckBox("Relief alone")
        self.relief.setToolTip("Clay: without the photograph's colour. Alt+drag moves the light.")
        self.relief.toggled.connect(self._show_relief)
        self.form.addWidget(self.relief, self.form.rowCount(), 0, 1, 2)
        for one in self.previews:
            one.failed.connect(self.problem)
        grid = QGridLayout(self.pictures)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(1)
        top = QHBoxLayout()
        top.setSpacing(1)
        for view in (self.photo, *self.views.values()):
            top.addWidget(view, 1)
        holder = QWidget()
        top.setContentsMargins(0, 0, 0, 0)
        holder.setLayout(top)
        grid.addWidget(holder, 0, 0, 1, 2)
        grid.addWidget(self.ours, 1, 0)
        grid.addWidget(self.plain, 1, 1)
        grid.setRowStretch(0, 2)
        grid.setRowStretch(1, 3)

    def _check(self, text: str, tip: str) -> QCheckBox:
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.clicked.connect(lambda _: self.tried())
        self.form.addWidget(box, self.form.rowCount(), 0, 1, 2)
        return box

    def close_down(self) -> None:
        super().close_down()
        for one in self.previews:
            one.close_down()
        self._work_folder.cleanup()

    @property
    def name(self) -> str:
        return "Derive"

    @property
    def settled(self) -> bool:
        return super().settled and all(one.settled for one in self.previews)

    def opened(self) -> None:
        self.photo.set_picture(self.pixels)
        assert self.source is not None
        assert self.pixels is not None
        self._joints_bright = joints_are_bright(self.pixels)
        self._show_bright()
        tiles = tiles_already(self.source, self.pixels)
        if tiles != self.tiles.isChecked():
            self.tiles.setChecked(tiles)
            self.history.reset(self.recipe())
            self.ask()

    def _invert(self) -> None:
        self.inverse.setChecked(True)
        self.tried()

    def _show_bright(self) -> None:
        """Joints that look inverted are said, until they are."""
        self.bright.setVisible(self._joints_bright and not self.inverse.isChecked())

    def ask(self) -> None:
        self._show_bright()
        super().ask()

    def open(self, source: Path) -> None:
        self._joints_bright = False
        super().open(source)

    def _show_relief(self, alone: bool) -> None:
        for one in self.previews:
            one.set_mode("clay" if alone else "lit")

    def _set_shape(self, name: str) -> None:
        for one in self.previews:
            one.set_shape(name)

    def recipe(self) -> Derive:
        """What the controls say."""
        tiles = self.tiles.isChecked()
        return Derive(
            maps=tuple(name for name, box in self.wanted.items() if box.isChecked()),
            height=HeightFrom(broad=self.broad.value, middle=self.middle.value, fine=self.fine.value,
                              stains=self.stains.value, inverse=self.inverse.isChecked(), tiles=tiles),
            roughness=RoughnessFrom(level=self.level.value, brightness=self.brightness.value,
                                    contrast=self.contrast.value, tiles=tiles),
            metres=self.metres.value, depth=self.deep.value / 1000, reach=self.reach.value,
        )  # fmt: skip

    def show_recipe(self, how: Derive) -> None:
        """The controls as a recipe says."""
        height, rough = how.height, how.roughness
        for field, value in (
            (self.broad, height.broad), (self.middle, height.middle), (self.fine, height.fine),
            (self.stains, height.stains), (self.level, rough.level), (self.brightness, rough.brightness),
            (self.contrast, rough.contrast), (self.metres, how.metres), (self.deep, how.depth * 1000),
            (self.reach, how.reach),
        ):  # fmt: skip
            field.set_value(value)
        self.inverse.setChecked(height.inverse)
        self.tiles.setChecked(height.tiles)
        for name, box in self.wanted.items():
            box.setChecked(name in how.maps)

    def prepared(self) -> Callable[[np.ndarray, Callable[[], bool]], Iterator[tuple[str, object]]]:
        how = self.recipe()
        every = how.model_copy(update={"maps": DERIVED})
        folder = Path(self._work_folder.name)

        def work(pixels: np.ndarray, cancelled: Callable[[], bool]) -> Iterator[tuple[str, object]]:
            maps = DerivedMaps(pixels, every)
            made: dict[str, np.ndarray] = {}
            for name in DERIVED:
                made[name] = finished(maps.steps(name))
                yield name, made[name]
            yield "surface", _surfaces(folder, pixels, made, every)

        return work

    def take(self, answer: tuple[str, object]) -> None:
        name, what = answer
        if name in self.views:
            self.views[name].set_picture(what)  # type: ignore[index, arg-type]
            return
        networks: tuple[Network, Network] = what  # type: ignore[assignment]
        for preview, network in zip(self.previews, networks, strict=True):
            preview.show_network(network)

    def proposed(self) -> Path:
        assert self.source is not None
        return self._proposed(self.source, "").parent

    def ask_save(self) -> None:
        folder = choose_folder(self, "Choose a folder for the maps", self.proposed())
        if folder is not None:
            self.save_to(folder)

    def save_to(self, path: Path) -> None:
        if self.source is not None:
            self.run(make_derived_files(self.source, path, self.recipe(), stem_of(self.source.name)))


def _surfaces(folder: Path, pixels: np.ndarray, made: dict[str, np.ndarray], how: Derive) -> tuple[Network, ...]:
    """The material with the derived maps, and the one with the plain photograph as height, to compare."""
    write_image(folder / "a_base_color.png", (np.clip(pixels[:, :, :3], 0, 1) * 255 + 0.5).astype(np.uint8))
    write_image(folder / "a_roughness.png", sixteen_bits(made["roughness"]))
    networks = []
    for name, height in (("ours", made["height"]), ("plain", plain_height(pixels))):
        write_image(folder / name / "a_height.png", sixteen_bits(height))
        found = group(["a_base_color.png", "a_roughness.png", "a_height.png"]).sets[0]
        sized = replace(found, metres=how.metres, depth=how.depth)
        networks.append(build_material(sized, BuildOptions(relief="bump"), _stored(folder, name)))
    return tuple(networks)


def _stored(folder: Path, name: str) -> Stored:
    """The height lies in a folder of its own name, what both surfaces share beside it."""
    return lambda file: str(folder / name / file if "height" in file else folder / file)
