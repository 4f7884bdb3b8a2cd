"""The preview with its row of view modes."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from collage.app.shell.studio import Studio
from collage.app.theme import Theme, icon
from collage.app.wire.channel_names import channel_label
from collage.app.wire.preview import Preview
from collage.app.wire.stage_button import StageButton
from collage.core.render.channels import SHOWN
from collage.core.render.heights import HEIGHTS

MODES = (
    ("lit", "Lit", "Final surface under light"),
    ("base_color", "Base", "Base colour only"),
    ("specular_roughness", "Rough", "Roughness only"),
    ("base_metalness", "Metal", "Metalness only"),
    ("normals", "Normal", "Normals, as in a normal map"),
    ("clay", "Clay", "Clay: relief without colour"),
)


def view_label(mode: str) -> str:
    """What a view is called on the screen."""
    return "Displacement height" if mode == HEIGHTS else channel_label(mode)


class PreviewPanel(QFrame):
    """The preview with its row of view modes."""

    large_wanted = Signal()  # the preview is to have the middle of the window, or to give it back

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.preview = Preview(studio)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.preview, 1)
        row = QWidget()
        row.setObjectName("panel")
        buttons = QHBoxLayout(row)
        buttons.setContentsMargins(8, 5, 8, 5)
        buttons.setSpacing(3)
        self.buttons: dict[str, QToolButton] = {}
        self._group = QButtonGroup(self)
        for mode, label, tip in MODES:
            button = QToolButton()
            button.setText(label)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setChecked(mode == "lit")
            button.clicked.connect(lambda _=False, mode=mode: self.set_mode(mode))
            self._group.addButton(button)
            self.buttons[mode] = button
            buttons.addWidget(button)
        self.more = QToolButton()
        self.more.setText("More")
        self.more.setToolTip("View another input only")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(self.more)
        for name in SHOWN:
            if name not in self.buttons:
                menu.addAction(channel_label(name), partial(self.set_mode, name))
        menu.addSeparator()
        menu.addAction(view_label(HEIGHTS), partial(self.set_mode, HEIGHTS))
        self.grazing = menu.addAction("Grazing light (G)", self.preview.toggle_grazing)
        self.grazing.setCheckable(True)
        self.grazing.setToolTip("One low light, to judge relief; Alt+drag moves it")
        self.section = menu.addAction("Section line (L)", self.preview.toggle_section)
        self.section.setCheckable(True)
        self.section.setToolTip("Drag a line over an object to see its profile, to scale")
        menu.aboutToShow.connect(lambda: self.section.setChecked(self.preview.section.on))
        menu.aboutToShow.connect(lambda: self.grazing.setChecked(self.preview.relief.grazing is not None))
        self.more.setMenu(menu)
        buttons.addStretch(1)
        buttons.addWidget(self.more)
        self.on = StageButton(self.preview)
        self.large = QToolButton()
        self.large.setCheckable(True)
        self.large.setToolTip("Large preview (F6)")
        self.large.setAccessibleName("Large preview")
        self.large.clicked.connect(self.large_wanted)
        buttons.addWidget(self.large)
        self.set_theme(studio.theme)
        layout.addWidget(row)

    def set_mode(self, mode: str) -> None:
        self._group.setExclusive(False)
        for name, button in self.buttons.items():
            button.setChecked(name == mode)
        self._group.setExclusive(True)
        self.more.setText("More" if mode in self.buttons else view_label(mode))
        self.preview.set_mode(mode)

    def toggle_mode(self, mode: str) -> None:
        """The mode, or back to the lit view if it is on already."""
        self.set_mode("lit" if self.preview.mode == mode else mode)

    def set_theme(self, theme: Theme) -> None:
        self.preview.theme = theme
        self.large.setIcon(icon("large", theme))
