"""The set in hand: on a stock shape, its real size, what the build does, and the button that builds it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, cast

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.gather.set_preview import SHAPES, SetPreview
from collage.app.gather.state import GatherState
from collage.app.gather.tiles_view import TilesView
from collage.app.shell.jobs import Jobs
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet
from collage.core.actions.session import Session
from collage.core.gather.build import BuildOptions, Relief, build_material
from collage.core.gather.layouts import LAYOUTS, Layout
from collage.core.gather.sets import FoundSet
from collage.core.render.renderer import Renderer

RELIEFS = {"auto": "Automatic", "none": "Ignore", "bump": "Bump", "displacement": "Displacement"}
NEW = "A new material"


class SetPanel(QFrame):
    """At the right of the Gather place."""

    build_wanted = Signal()
    seamless_wanted = Signal()
    derive_wanted = Signal()

    def __init__(self, state: GatherState, session: Session, renderer: Renderer, jobs: Jobs) -> None:
        super().__init__()
        self.state, self.session = state, session
        self.setObjectName("panel")
        self.setMinimumWidth(300)
        self.preview = SetPreview(renderer, jobs, "Set on a shape")
        self.name = QLineEdit()
        self.name.setAccessibleName("Set name")
        self.name.setToolTip("Name of the set and its material")
        self.name.editingFinished.connect(self._named)
        self.shape = _combo("Shape", SHAPES, "Shape of the preview")
        self.shape.activated.connect(lambda _: self.preview.set_shape(str(self.shape.currentData())))
        self.metres = NumberField(1.0, soft=(0.05, 4.0), hard=(0.001, 1000.0))
        self.deep = NumberField(8.0, soft=(0.0, 60.0), hard=(0.001, 100000.0))
        self.metres.setAccessibleName("Tile width in metres")
        self.deep.setAccessibleName("Relief depth in millimetres")
        self.metres.setToolTip("Real width of one tile")
        self.deep.setToolTip("Real depth from black to white of the height map")
        self.metres.edited.connect(lambda value, moving: self._sized("metres", value, moving))
        self.deep.edited.connect(lambda value, moving: self._sized("depth", value / 1000, moving))
        self.metres.reset.connect(lambda: self._sized("metres", 1.0, False))
        self.deep.reset.connect(lambda: self._sized("depth", FoundSet.depth, False))
        self.layout_box = _combo(
            "Layout", {key: label for key, (label, _) in LAYOUTS.items()}, "How the maps lie on the object"
        )
        for at, (_, says) in enumerate(LAYOUTS.values()):
            self.layout_box.setItemData(at, says, Qt.ItemDataRole.ToolTipRole)
        self.layout_box.activated.connect(lambda _: self.show_set())
        self.relief = _combo("Use height as", RELIEFS, "What the height map does")
        self.occlusion = QCheckBox("Multiply occlusion into base colour")
        self.occlusion.setToolTip("Darkens crevices in the base colour")
        self.occlusion.setChecked(True)
        self.copy = QCheckBox("Copy files into the project")
        self.copy.setToolTip("Off: the material points to the files where they are")
        self.copy.setChecked(True)
        self.target = QComboBox()
        self.target.setToolTip("Object that gets the new material")
        self.target.setAccessibleName("Assign to")
        self.relief.activated.connect(lambda _: self.show_set())
        self.occlusion.clicked.connect(lambda _: self.show_set())
        self.remarks = QLabel()
        self.remarks.setObjectName("quiet")
        self.remarks.setWordWrap(True)
        self.remarks.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.tiles = TilesView()
        self.build = QPushButton("Build material")
        self.build.setObjectName("main")
        self.build.setToolTip("Make a wired material of the set (Ctrl+B)")
        self.build.clicked.connect(self.build_wanted)
        self.seamless, self.derive = QPushButton("Seamless…"), QPushButton("Derive…")
        self.seamless.setToolTip("Make the chosen picture tile")
        self.derive.setToolTip("Make height, normals, roughness from the chosen picture")
        self.seamless.clicked.connect(self.seamless_wanted)
        self.derive.clicked.connect(self.derive_wanted)
        self._lay_out()
        state.changed.connect(self.show_set)
        state.chosen_changed.connect(self.show_set)
        session.changed.connect(self._fill_targets)
        self._fill_targets()
        self.show_set()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.name, 1)
        head.addWidget(self.shape)
        column.addLayout(head)
        column.addWidget(self.preview, 1)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        rows: tuple[tuple[str, QWidget], ...] = (
            ("Layout", self.layout_box), ("Tile width (m)", self.metres), ("Relief depth (mm)", self.deep),
            ("Use height as", self.relief), ("Assign to", self.target),
        )  # fmt: skip
        for at, (text, field) in enumerate(rows):
            grid.addWidget(quiet(text), at, 0)
            grid.addWidget(field, at, 1)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        column.addWidget(self.occlusion)
        column.addWidget(self.copy)
        column.addWidget(self.tiles)
        column.addWidget(self.remarks)
        row = QHBoxLayout()
        row.addWidget(self.seamless)
        row.addWidget(self.derive)
        column.addLayout(row)
        column.addWidget(self.build)

    def close_down(self) -> None:
        self.session.changed.disconnect(self._fill_targets)
        self.preview.close_down()

    # ---- showing ------------------------------------------------------------------------------

    def options(self) -> BuildOptions:
        relief, layout = cast(Relief, self.relief.currentData()), cast(Layout, self.layout_box.currentData())
        return BuildOptions(occlusion=self.occlusion.isChecked(), relief=relief, layout=layout)

    @property
    def part(self) -> int:
        """The object that is to wear the material; -1 for none."""
        return int(self.target.currentData() or 0) - 1

    def _fill_targets(self, *_: object) -> None:
        parts = [item.name for item in self.session.project.bench.objects]
        if [self.target.itemText(at) for at in range(1, self.target.count())] == parts:
            return
        self.target.clear()
        for number, name in enumerate([NEW, *parts]):
            self.target.addItem(name, number)

    def show_set(self) -> None:
        """Shows the set that is chosen, if any."""
        found, file = self.state.chosen_set, self.state.chosen_file
        fields: tuple[QWidget, ...] = (
            self.name, self.layout_box, self.metres, self.deep, self.relief, self.occlusion, self.copy, self.target,
            self.build,
        )  # fmt: skip
        for part in fields:
            part.setEnabled(found is not None)
        for button in (self.seamless, self.derive):
            button.setEnabled(file is not None)
        if found is None:
            self.name.setText(file.name if file is not None else "")
            self.remarks.setText(
                "" if file is None else "This picture is in no set. Give it a role in the table to use it."
            )
            self.tiles.show_map(None)
            self.preview.show_network(None)
            return
        if not self.name.hasFocus():
            self.name.setText(found.name)
        self.metres.set_value(found.metres)
        self.deep.set_value(found.depth * 1000)
        self.remarks.setText(" ".join(self._remarks(found)))
        at = self.state.chosen.map_number
        tiled = found.maps[at] if 0 <= at < len(found.maps) else next((one for one in found.maps if one.tiles), None)
        self.tiles.show_map(tiled)
        self.preview.show_network(
            build_material(found, self.options(), lambda file: str(self.state.path(file).absolute()))
        )

    def _remarks(self, found: FoundSet) -> list[str]:
        told = [f"{one.label}: {text}" for one in found.maps for text in one.remarks]
        if any(one.role == "gloss" and one.used for one in found.maps):
            told.insert(0, "Gloss is inverted to roughness.")
        return told[:5]

    # ---- the hand -----------------------------------------------------------------------------

    def _edit(self, work: Callable[[int], None]) -> None:
        if self.state.chosen_set is not None:
            work(self.state.chosen.set_number)

    def _named(self) -> None:
        found, text = self.state.chosen_set, self.name.text().strip()
        if found is not None and text and text != found.name:
            self._edit(lambda number: self.state.change_set("Set name", number, name=text))

    def _sized(self, what: str, value: float, moving: bool) -> None:
        self._edit(lambda number: self.state.change_set(
            "Tile size" if what == "metres" else "Depth", number, merge=f"{number} {what}", **{what: value}
        ))  # fmt: skip
        if not moving:
            self.state.history.close_merge()


def _combo(name: str, choices: Mapping[Any, str], tip: str) -> QComboBox:
    box = QComboBox()
    box.setToolTip(tip)
    box.setAccessibleName(name)
    for key, label in choices.items():
        box.addItem(label, key)
    return box
