"""Settings: how much memory and disk maps may take, the loud colour of what is missing."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QFormLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from collage.app.shell.settings import Settings
from collage.app.widgets.fields import ColourField
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet
from collage.core.actions.session import Session
from collage.core.base.text import in_bytes
from collage.core.scene.bench import Bench
from collage.core.scene.directions import Triple


class SettingsDialog(QDialog):
    """Not modal; what is changed holds at once."""

    changed = Signal(object)  # what changed of the settings, by name

    def __init__(self, settings: Settings, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.session = session
        self.setWindowTitle("Settings")
        self.memory = NumberField(settings.memory, soft=(256, 8192), hard=(256, 65536), whole=True)
        self.memory.setAccessibleName("Memory in MB")
        self.memory.edited.connect(self._remember)
        used = QLabel(f"{session.images.budget.used / 2**20:.0f} MB are in use.")
        used.setObjectName("quiet")
        form = QFormLayout()
        form.addRow("Memory (MB)", self.memory)
        form.addRow("", used)
        self.disk = NumberField(settings.disk, soft=(0, 200), hard=(0, 10000), whole=True)
        self.disk.setAccessibleName("Disk space for maps in GB")
        self.disk.setToolTip("Maps that were read once open at once; 0 keeps none")
        self.disk.edited.connect(self._remember_disk)
        self.on_disk = QLabel()
        self.on_disk.setObjectName("quiet")
        self.clear = QPushButton("Clear")
        self.clear.setToolTip("Delete all of them; each is made again when it is needed")
        self.clear.clicked.connect(self._clear)
        row = QHBoxLayout()
        row.addWidget(self.on_disk, 1)
        row.addWidget(self.clear)
        form.addRow("Disk for maps (GB)", self.disk)
        form.addRow("", row)
        self._show_disk()
        self.loud = ColourField(3)
        self.loud.setAccessibleName("Colour of missing files")
        self.loud.setToolTip("Colour of missing files and broken cards")
        self.loud.set_value(session.project.bench.loud)
        self.loud.edited.connect(self._colour)
        form.addRow("Missing files show as", self.loud)
        form.addRow("", quiet("This colour is saved with the project."))
        close = QPushButton("Close")
        close.setToolTip("Close (Esc)")
        self.memory.setToolTip("For images and pictures; beyond this, what was used longest ago is dropped")
        close.clicked.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(close)

    def _remember(self, megabytes: float, moving: bool) -> None:
        if not moving:
            self.session.images.budget.limit = round(megabytes) * 2**20
            self.changed.emit({"memory": round(megabytes)})

    def _remember_disk(self, gigabytes: float, moving: bool) -> None:
        if not moving:
            self.changed.emit({"disk": round(gigabytes)})
            self._show_disk()

    def _clear(self) -> None:
        files = self.session.images.files
        if files is not None:
            files.clear()
        self._show_disk()

    def _show_disk(self) -> None:
        files = self.session.images.files
        used = files.used if files is not None else 0
        failed = f" They cannot be written: {files.failed}." if files is not None and files.failed else ""
        self.on_disk.setText(f"{in_bytes(used)} are in use.{failed}")
        self.clear.setEnabled(used > 0)

    def _colour(self, value: Triple, moving: bool) -> None:
        def change(bench: Bench) -> Bench:
            return bench.model_copy(update={"loud": tuple(value)})

        self.session.edit_bench("Missing-file colour", change, merge="loud")
        if not moving:
            self.session.history.close_merge()
