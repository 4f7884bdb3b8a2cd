"""What is looked at: one thing of the surface alone, how far the traced picture is, and values under the pointer."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
)

from collage.app.judge.scopes import Histogram, Scope, Waveform
from collage.app.judge.view import USUAL, JudgeView, luminance
from collage.app.preview.viewport import noise_words
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet, title
from collage.app.widgets.progress_line import ProgressLine
from collage.core.document.types import CHANNELS
from collage.core.evaluate.plan import CardOutput
from collage.core.nodes.labels import title_of
from collage.core.project.looks import MATERIAL_IDS, OBJECT_IDS, OCCLUSION, PART_IDS, PATTERN, STRETCH, UVS
from collage.core.render.heights import HEIGHTS
from collage.core.render.judging import EXPOSURE, PLAUSIBLE
from collage.core.render.request import Picture

MODES = (
    ("lit", "Lit", "Final surface under light"),
    ("clay", "Clay", "Relief without colour"),
    ("base_color", "Base colour", "Base colour only"),
    ("specular_roughness", "Roughness", "Roughness only"),
    ("base_metalness", "Metalness", "Metalness only"),
    ("normals", "Normal", "Normals, as in a normal map"),
    (HEIGHTS, "Height", "Displacement height"),
    ("geometry_opacity", "Opacity", "Opacity only"),
    ("coat_weight", "Coat", "Coat weight only"),
    ("emission_color", "Emission", "Emission colour only"),
    (EXPOSURE, "Exposure", "A grey step for every stop; clipped light red, lost darks blue"),
    (UVS, "UVs", "U as red, V as green, in every tile"),
    (PATTERN, "Checks", "A test pattern on the UVs, to see stretch"),
    (STRETCH, "Stretch", "Where UVs stretch a texture: grey even, red three times as long one way"),
    (OCCLUSION, "Occlusion", "Ambient occlusion within 10 cm"),
    (OBJECT_IDS, "Objects", "A colour for each object"),
    (PART_IDS, "Parts", "A colour for each part"),
    (MATERIAL_IDS, "Materials", "A colour for each material"),
    (PLAUSIBLE, "Plausible", "Base colours that no real surface has: too bright red, too dark blue"),
)
NO_CARD = "One card of the material…"


class LookPanel(QFrame):
    """The right side of the Judge place."""

    render_wanted = Signal()

    def __init__(self, view: JudgeView) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.view = view
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 10)
        whole.setSpacing(8)
        self.buttons: dict[str, QPushButton] = {}
        self._add_modes(whole)
        self._add_traced(whole)
        self._add_pointer(whole)
        self._add_scopes(whole)
        whole.addStretch(1)
        view.shown_changed.connect(self._show_traced)
        view.pixel_values.connect(self._show_values)
        self._show_traced()

    def _add_modes(self, whole: QVBoxLayout) -> None:
        whole.addWidget(title("Look at"))
        grid, group = QGridLayout(), QButtonGroup(self)
        grid.setSpacing(4)
        for at, (mode, label, tip) in enumerate(MODES):
            button = self.buttons[mode] = QPushButton(label)
            button.setCheckable(True)
            button.setChecked(mode == "lit")
            button.setToolTip(tip)
            button.clicked.connect(partial(self._set_mode, mode))
            group.addButton(button)
            grid.addWidget(button, at // 3, at % 3)
        whole.addLayout(grid)
        self.cards = QComboBox()
        self.cards.setAccessibleName("One card")
        self.cards.setToolTip("What one card of the material puts out, on the objects that wear it")
        self.cards.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.cards.activated.connect(self._show_card)
        self._listed: list[tuple[str, str]] | None = None
        whole.addWidget(self.cards)
        session = self.view.session
        for signal in (session.changed, session.material_changed):
            signal.connect(self._list_cards)
        self._list_cards()

    def _set_mode(self, mode: str, _checked: bool = True) -> None:
        self.cards.setCurrentIndex(0)
        self.view.set_card(None)
        self.view.set_mode(mode)

    def _list_cards(self, *_: object) -> None:
        """The cards of the material that is worked on, by their titles."""
        session, shown = self.view.session, self.view.card
        cards = session.document.cards.items()
        listed = sorted((title_of(one), name) for name, one in cards if one.type in CHANNELS)
        if listed != self._listed:  # most changes leave them as they are
            self._listed = listed
            self.cards.clear()
            self.cards.addItem(NO_CARD, None)
            for words, name in listed:
                self.cards.addItem(words, name)
        at = self.cards.findData(shown[1].card) if shown is not None and shown[0] == session.material else -1
        self.cards.setCurrentIndex(max(at, 0))
        if at < 0:
            self.view.set_card(None)

    def _show_card(self, at: int) -> None:
        name = self.cards.itemData(at)
        self.view.set_card(None if name is None else CardOutput(str(name)))

    def close_down(self) -> None:
        """Lets go of the session."""
        session = self.view.session
        for signal in (session.changed, session.material_changed):
            signal.disconnect(self._list_cards)

    def _add_traced(self, whole: QVBoxLayout) -> None:
        whole.addSpacing(6)
        whole.addWidget(title("Traced"))
        self.on = QCheckBox("Trace while at rest")
        self.on.setToolTip("All bounced light, refined while nothing changes")
        self.on.setChecked(self.view.traced is not None)
        self.on.toggled.connect(self._change_tracing)
        self.denoise = QCheckBox("Denoise when done")
        self.denoise.setToolTip("Filter out the noise that is left")
        self.denoise.toggled.connect(self._change_tracing)
        self.samples = NumberField(128, soft=(1, 1024), hard=(1, 65536), whole=True)
        self.samples.setAccessibleName("Samples")
        self.samples.setToolTip("Samples per pixel at most")
        self.samples.setFixedWidth(80)
        self.samples.edited.connect(lambda _value, moving: None if moving else self._change_tracing())
        row = QHBoxLayout()
        row.addWidget(quiet("Samples"), 1)
        row.addWidget(self.samples)
        self.bar, self.told = ProgressLine(), quiet("")
        render = QPushButton("Render to file…")
        render.setToolTip("Render to a file in the background (Ctrl+R)")
        render.clicked.connect(self.render_wanted)
        for part in (self.on, self.denoise):
            whole.addWidget(part)
        whole.addLayout(row)
        whole.addWidget(self.bar)
        whole.addWidget(self.told)
        whole.addWidget(render)

    def _add_pointer(self, whole: QVBoxLayout) -> None:
        whole.addSpacing(6)
        whole.addWidget(title("Under the pointer"))
        line, grid = QHBoxLayout(), QGridLayout()
        self.swatch = QFrame()
        self.swatch.setFixedSize(QSize(40, 48))
        line.addWidget(self.swatch)
        self.values: dict[str, QLabel] = {}
        for at, name in enumerate(("linear", "display", "luminance")):
            label = self.values[name] = QLabel("–")
            label.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(quiet(name.capitalize()), at, 0)
            grid.addWidget(label, at, 1)
        grid.setColumnStretch(1, 1)
        line.addLayout(grid, 1)
        whole.addLayout(line)
        whole.addSpacing(6)

    def _add_scopes(self, whole: QVBoxLayout) -> None:
        self.histogram, self.waveform = Histogram(self.view), Waveform(self.view)
        self.scopes: dict[str, Scope] = {"Histogram": self.histogram, "Waveform": self.waveform}
        line, group = QHBoxLayout(), QButtonGroup(self)
        line.setSpacing(4)
        for name, scope in self.scopes.items():
            button = self.buttons[name] = QPushButton(name)
            button.setCheckable(True)
            button.setChecked(scope is self.histogram)
            button.setToolTip(f"Show the {name.lower()}")
            button.clicked.connect(partial(self._show_scope, name))
            group.addButton(button)
            line.addWidget(button)
        whole.addLayout(line)
        for scope in self.scopes.values():
            whole.addWidget(scope)
        self.waveform.hide()

    def _show_scope(self, name: str, _checked: bool = True) -> None:
        for other, scope in self.scopes.items():
            scope.setVisible(other == name)

    def _change_tracing(self, _on: object = None) -> None:
        how = replace(USUAL, samples=round(self.samples.value), denoised=self.denoise.isChecked())
        self.view.trace(how if self.on.isChecked() else None)

    def _show_traced(self) -> None:
        """How far the traced picture is."""
        picture, how = self.view.picture, self.view.traced
        traced = how is not None and self.view.request().lit
        self.bar.setVisible(traced)
        if not traced or how is None:
            self.told.setText("Draft: direct light and its environment" if how is None else "Values need no light")
            return
        samples = picture.samples if picture is not None else 0
        self.bar.set_share(1.0 if picture is not None and picture.complete else samples / how.samples)
        self.told.setText(_words(picture, how.samples))

    def _show_values(self, linear: np.ndarray, shown: np.ndarray) -> None:
        red, green, blue = (int(one) for one in shown)
        self.swatch.setStyleSheet(f"background: rgb({red}, {green}, {blue});")
        self.values["linear"].setText("  ".join(f"{float(one):.3f}" for one in linear))
        self.values["display"].setText(f"{red} {green} {blue}   #{red:02X}{green:02X}{blue:02X}")
        self.values["luminance"].setText(f"{luminance(linear):.3f}")


def _words(picture: Picture | None, samples: int) -> str:
    if picture is None or not picture.samples:
        return "Draft, tracing…"
    return f"{picture.samples} of {samples} samples{noise_words(picture.noise)}" + (
        " · done" if picture.complete else ""
    )
