"""Bakes maps onto an object's UVs, from a dense object or from its own relief; the same as the command line's."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, cast

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.preview.images import to_image
from collage.app.shell.jobs import Ticket
from collage.app.shell.studio import Studio
from collage.app.widgets.choosing import choose_folder
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.progress_line import ProgressLine
from collage.core.actions.bake import baked_folder, baked_stem, wear_baked
from collage.core.bake.files import BakedFiles, baking_files
from collage.core.bake.recipe import MAPS, Bake, BakedMap
from collage.core.base.errors import CollageError
from collage.core.base.progress import Steps
from collage.core.images.files import read_pixels
from collage.core.images.made import read_record
from collage.core.images.region import floats, smaller
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer

OWN = "Its own displacement and bump"
FORMS = {"png16": "PNG, 16 bits", "png8": "PNG, 8 bits", "exr": "EXR, 32 bits"}
SIZES = (256, 512, 1024, 2048, 4096, 8192)
SHOWN = 420  # pixels of the picture of a map
MISSED = "Where rays missed"


class BakeDialog(QDialog):
    """Not modal: the work on the look goes on while maps are baked."""

    def __init__(self, studio: Studio, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(f"Bake maps for {name}")
        self.studio, self.session, self.name = studio, studio.session, name
        self._pictures: dict[str, QPixmap] = {}
        self._ticket: Ticket | None = None
        self.source = self._choice("From", "What the maps show", [OWN, *self._others()], self._source_chosen)
        self.uv_set = self._choice("UV set", "The UV set that the maps are for", list(self._uv_sets()))
        self.pixels = self._choice("Size", "Pixels a side of each tile", [str(one) for one in SIZES])
        self.pixels.setCurrentText("1024")
        self.across = self._choice("Samples", "Samples a pixel: more for smooth edges",
                                   ["1", "4", "9", "16"])  # fmt: skip
        self.across.setCurrentIndex(1)
        self.form = self._choice("Format", "File format and bit depth", list(FORMS.values()))
        self.space = self._choice("Normals", "Tangent space follows the object; object space is for other programs",
                                  ["Tangent space", "Object space"])  # fmt: skip
        self.maps = {name: self._check(label, f"Bake the {label.lower()} map") for name, label in MAPS.items()}
        self.maps["normal"].setChecked(True)
        self.found = self._check("Find the distance", "Measure how far apart both surfaces are")
        self.found.setChecked(True)
        self.found.toggled.connect(self._show_distance)
        self.outward = self._number("Outward (mm)", "How far above the object rays start", 5.0, (0, 50), (0, 1e6))
        self.inward = self._number("Inward (mm)", "How far below the object rays reach", 5.0, (0, 50), (0, 1e6))
        self.even = self._check("Smooth cage", "No gaps at hard edges; off: rays go straight along the normals")
        self.even.setChecked(True)
        self.as_placed = self._check("As they stand", "Leave both objects where they are on the bench")
        self.padding = self._number("Padding (px)", "How far colours run past the islands", 16, (0, 64), (0, 512), True)
        self.reach = self._number("Occlusion reach (mm)", "How far occlusion looks; 0: as far as the object is large",
                                  0.0, (0, 500), (0, 1e6))  # fmt: skip
        self.path = QLineEdit(str(baked_folder(self.session, Bake(target=name))))
        self.path.setAccessibleName("Folder")
        self.path.setToolTip("Where the maps are written")
        self.wear = self._check("Use in a new material",
                                "The object gets a copy of its material, its relief replaced by the maps")  # fmt: skip
        self.wear.setChecked(True)
        self.bar, self.said = ProgressLine(), QLabel(" ")
        self.bar.hide()
        self.said.setWordWrap(True)
        self.said.setObjectName("quiet")
        self.said.setMinimumHeight(64)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.shown, self.picture = QComboBox(), QLabel("The maps are shown here once they are baked.")
        self.shown.setAccessibleName("Shown")
        self.shown.setToolTip("The map that is shown")
        self.shown.currentTextChanged.connect(self._show_picture)
        self.picture.setFixedSize(SHOWN, SHOWN)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setObjectName("quiet")
        self.start, self.stop = QPushButton("Bake"), QPushButton("Close")
        self.start.setDefault(True)
        self.start.setToolTip("Bake in the background")
        self.stop.setToolTip("Close, and cancel the bake (Esc)")
        self.start.clicked.connect(self.bake_now)
        self.stop.clicked.connect(self.reject)
        self._lay_out()
        self._show_distance()
        self._source_chosen()
        studio.jobs.queue_changed.connect(self._show_progress)

    # ---- making -------------------------------------------------------------------------------

    def _choice(self, name: str, tip: str, choices: list[str], chosen: Callable[[], None] | None = None) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setToolTip(tip)
        box.addItems(choices)
        if chosen is not None:
            box.currentIndexChanged.connect(chosen)
        return box

    def _check(self, name: str, tip: str) -> QCheckBox:
        box = QCheckBox(name)
        box.setToolTip(tip)
        return box

    def _number(
        self, name: str, tip: str, value: float, soft: tuple[float, float], hard: tuple[float, float],
        whole: bool = False,
    ) -> NumberField:  # fmt: skip
        field = NumberField(value, soft=soft, hard=hard, whole=whole)
        field.setAccessibleName(name)
        field.setToolTip(tip)
        field.setFixedWidth(96)
        field.edited.connect(lambda value, _moving: field.set_value(value))
        return field

    def _lay_out(self) -> None:
        form = QFormLayout()
        for name, widget in (("From", self.source), ("UV set", self.uv_set)):
            form.addRow(name, widget)
        ticks = QGridLayout()
        for at, box in enumerate(self.maps.values()):
            ticks.addWidget(box, at // 2, at % 2)
        form.addRow("Maps", ticks)
        for name, widget in (("Size", self.pixels), ("Samples", self.across), ("Normals", self.space)):
            form.addRow(name, widget)
        form.addRow("Rays", self.found)
        for field in (self.outward, self.inward, self.reach, self.padding):
            form.addRow(field.accessibleName(), field)
        cage = QHBoxLayout()
        cage.addWidget(self.even)
        cage.addWidget(self.as_placed)
        cage.addStretch(1)
        form.addRow("", cage)
        browse = QPushButton("…")
        browse.setAccessibleName("Choose a folder")
        browse.setToolTip("Choose a folder")
        browse.setFixedWidth(28)
        browse.clicked.connect(self._browse)
        target = QHBoxLayout()
        target.addWidget(self.path)
        target.addWidget(browse)
        form.addRow("Format", self.form)
        form.addRow("Folder", target)
        form.addRow("", self.wear)
        right = QVBoxLayout()
        right.addWidget(self.shown)
        right.addWidget(self.picture)
        right.addWidget(self.said, 1)
        both = QHBoxLayout()
        both.addLayout(form, 1)
        both.addSpacing(16)
        both.addLayout(right)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.start)
        buttons.addWidget(self.stop)
        layout = QVBoxLayout(self)
        layout.addLayout(both, 1)
        layout.addWidget(self.bar)
        layout.addLayout(buttons)
        self.resize(880, 540)

    # ---- what is asked for --------------------------------------------------------------------

    def _others(self) -> list[str]:
        return [item.name for item in self.session.bench.objects if item.name != self.name]

    def _uv_sets(self) -> tuple[str, ...]:
        item = next((one for one in self.session.bench.objects if one.name == self.name), None)
        try:
            return tuple(item.mesh().uv) if item is not None else ()
        except CollageError:
            return ()

    def _source_chosen(self) -> None:
        self.as_placed.setEnabled(self.source.currentIndex() > 0)

    def _show_distance(self) -> None:
        for field in (self.outward, self.inward):
            field.setEnabled(not self.found.isChecked())

    def _browse(self) -> None:
        folder = choose_folder(self, "Choose a folder for the maps", self._folder())
        if folder is not None:
            self.path.setText(str(folder))

    def _folder(self) -> Path:
        return self.session.base_folder / Path(self.path.text()).expanduser()

    def recipe(self) -> Bake:
        """What the fields say."""
        free, dense = self.found.isChecked(), self.source.currentIndex() > 0
        how: dict[str, Any] = {
            "target": self.name, "source": self.source.currentText() if dense else "",
            "uv_set": self.uv_set.currentText(), "size": int(self.pixels.currentText()),
            "across": 1 + self.across.currentIndex(), "even": self.even.isChecked(),
            "as_placed": dense and self.as_placed.isChecked(), "padding": round(self.padding.value),
            "space": "object" if self.space.currentIndex() else "tangent",
            "outward": None if free else self.outward.value / 1000,
            "inward": None if free else self.inward.value / 1000,
            "reach": self.reach.value / 1000 or None, "form": list(FORMS)[self.form.currentIndex()],
            "maps": tuple(name for name, box in self.maps.items() if box.isChecked()),
        }  # fmt: skip
        return Bake(**how)

    # ---- baking -------------------------------------------------------------------------------

    def bake_now(self) -> None:
        if not any(box.isChecked() for box in self.maps.values()):
            self.said.setText("No map is ticked.")
            return
        how, folder, studio = self.recipe(), self._folder(), self.studio
        renderer = Renderer(self.session.library, studio.renderer.images, studio.maker.workers, studio.renderer.caches)
        request = picture_request(self.session.project, 64, 64, "final", "lit", None, self.session.base_folder)

        def steps(cancelled: Callable[[], bool]) -> Steps[tuple[BakedFiles, dict[str, np.ndarray]]]:
            made = yield from baking_files(renderer, request, how, folder, baked_stem(how), cancelled)
            return made, pictures_of(made)

        self.start.setEnabled(False)
        self.stop.setText("Cancel")
        self.said.setText("Baking …")
        self.bar.set_share(0)
        self.bar.show()
        self._ticket = studio.jobs.queue(
            f"Baking {self.name}", steps, lambda found: self._finished(how, *found), self._failed, lane="render"
        )

    def _show_progress(self) -> None:
        if self._ticket is not None and self._ticket in self.studio.jobs.tickets:
            self.bar.set_share(self._ticket.progress.share)
            self.said.setText(self._ticket.text)

    def _finished(self, how: Bake, made: BakedFiles, pictures: dict[str, np.ndarray]) -> None:
        self._ended()
        told = list(made.remarks)
        if self.wear.isChecked() and made.paths:
            try:
                told.append(f"It has the material “{wear_baked(self.session, how, made)}”.")
            except CollageError as error:
                told.append(str(error))
        files = f"{len(made.paths)} file{'s' if len(made.paths) != 1 else ''} written."
        self.said.setText(" ".join([files, *told]))
        found = read_record(made.paths[0]).baked if made.paths else None
        if found is not None:
            self.outward.set_value(1000 * found["bake"]["outward"])
            self.inward.set_value(1000 * found["bake"]["inward"])
        self._pictures = {name: QPixmap.fromImage(to_image(one)) for name, one in pictures.items()}
        self.shown.clear()
        self.shown.addItems(list(self._pictures))
        if made.missed is not None:
            self.shown.setCurrentText(MISSED)

    def _failed(self, error: CollageError) -> None:
        self._ended()
        self.said.setText(str(error))

    def _ended(self) -> None:
        self._ticket = None
        self.bar.hide()
        self.start.setEnabled(True)
        self.stop.setText("Close")

    def _show_picture(self, name: str) -> None:
        if name in self._pictures:
            self.picture.setPixmap(self._pictures[name].scaled(
                SHOWN, SHOWN, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            ))  # fmt: skip

    def done(self, result: int) -> None:
        self.studio.jobs.queue_changed.disconnect(self._show_progress)
        if self._ticket is not None:
            self._ticket.cancel()
        super().done(result)


def pictures_of(made: BakedFiles) -> dict[str, np.ndarray]:
    """A picture of the first tile of each map by its label, (h, w, 3) uint8, and of where rays missed."""
    found: dict[str, np.ndarray] = {}
    for path in made.paths:
        baked = read_record(path).baked or {}
        label = MAPS[cast(BakedMap, baked.get("map", "normal"))]
        if label not in found:
            found[label] = _shown(path)
    if made.missed is not None:
        found[MISSED] = _shown(made.missed)
    return found


def _shown(path: Path) -> np.ndarray:
    """A map as it is shown: of numbers beyond 0 to 1 from the lowest to the highest."""
    values = floats(smaller(read_pixels(path), 2 * SHOWN))
    low, high = float(values.min()), float(values.max())
    if low < 0 or high > 1:
        values = (values - low) / max(high - low, 1e-12)
    values = np.repeat(values, 3, axis=2) if values.shape[2] == 1 else values[:, :, :3]
    return np.asarray(np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)
