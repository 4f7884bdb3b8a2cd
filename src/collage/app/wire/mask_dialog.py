"""Which inputs of the surface follow a mask, and what each of them gets where it is."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QDialog, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from collage.app.widgets.choosing import IMAGES, choose_file, pictures_folder
from collage.app.widgets.fields import ColourField, Field
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet
from collage.app.wire.channel_names import channel_label
from collage.core.actions.effects import follows_mask, use_mask
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import Value, Wire

COLOURS: dict[str, tuple[float, ...]] = {"base_color": (0.12, 0.1, 0.08), "specular_color": (1.0, 1.0, 1.0)}
USE_MAP = "Map…"
NUMBERS = {
    "specular_roughness": 0.8, "base_metalness": 0.0, "specular_weight": 0.3, "coat_weight": 1.0,
    "coat_roughness": 0.1, "fuzz_weight": 0.5, "subsurface_weight": 0.5, "transmission_weight": 0.5,
    "geometry_opacity": 0.0,
}  # fmt: skip
"""The inputs that are offered, with what they start with."""


class MaskDialog(QDialog):
    """A tick and a value or a map for each input; all ticked ones follow the mask in one step."""

    def __init__(self, session: Session, mask: Wire, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.session, self.source = session, mask
        self.setWindowTitle(f"Use {session.title(mask.card)} as mask")
        self.ticks: dict[str, QCheckBox] = {}
        self.values: dict[str, Value] = {**COLOURS, **NUMBERS}
        self.files: dict[str, Path] = {}
        self.maps: dict[str, QPushButton] = {}
        self.fields: dict[str, QWidget] = {}
        taken = follows_mask(session, mask.card)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        for row, name in enumerate(self.values):
            tick = self.ticks[name] = QCheckBox(channel_label(name))
            tick.setToolTip("Already follows this mask" if name in taken else "Give it this value where the mask is")
            tick.setEnabled(name not in taken)
            grid.addWidget(tick, row, 0)
            field = self.fields[name] = self._field(name)
            grid.addWidget(field, row, 1)
            button = self.maps[name] = QPushButton(USE_MAP)
            button.setEnabled(name not in taken)
            button.setAccessibleName(f"{channel_label(name)} map")
            button.setToolTip("Use a map in place of the value")
            button.clicked.connect(lambda _checked=False, name=name: self.choose_map(name))
            grid.addWidget(button, row, 2)
        self.use, close = QPushButton("Use"), QPushButton("Cancel")
        self.use.setDefault(True)
        self.use.clicked.connect(self.use_now)
        close.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.use)
        buttons.addWidget(close)
        layout = QVBoxLayout(self)
        layout.addWidget(quiet("Where the mask is white, these inputs get:"))
        layout.addLayout(grid)
        layout.addLayout(buttons)

    def _field(self, name: str) -> QWidget:
        if name in COLOURS:
            colour: Field = ColourField(3)
            colour.set_value(self.values[name])
            colour.edited.connect(lambda value, _moving: self._edited(name, value))
            return colour
        field = NumberField(NUMBERS[name], soft=(0, 1), hard=(0, None))
        field.setAccessibleName(channel_label(name))
        field.edited.connect(lambda value, _moving: self._edited(name, value))
        field.edited.connect(lambda value, _moving: field.set_value(value))
        return field

    def _edited(self, name: str, value: Value) -> None:
        self.values[name] = value
        self.ticks[name].setChecked(self.ticks[name].isEnabled())

    def choose_map(self, name: str) -> None:
        """Asks for the map of an input; a second click goes back to its value."""
        had = self.files.pop(name, None)
        if had is None:
            path = choose_file(self, f"{channel_label(name)} map", self.session.folder or pictures_folder(), IMAGES)
            if path is None:
                return
            self.files[name] = path
        self.ticks[name].setChecked(True)
        self._show_map(name, self.files.get(name))

    def _show_map(self, name: str, path: Path | None) -> None:
        button, words = self.maps[name], USE_MAP if path is None else path.name
        button.setText(button.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, 150))
        button.setToolTip("Use a map in place of the value" if path is None else "Click for a plain value again")
        self.fields[name].setEnabled(path is None)

    def use_now(self) -> None:
        ticked = [name for name, tick in self.ticks.items() if tick.isChecked()]
        chosen = {name: self.files.get(name, self.values[name]) for name in ticked}
        if chosen:
            try:
                use_mask(self.session, self.source, chosen)
            except CollageError as error:
                self.session.problem.emit(error)
        self.accept()
