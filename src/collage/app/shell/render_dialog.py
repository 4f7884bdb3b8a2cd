"""Renders a picture to a file: size, quality, progress, cancel. The same pictures as the command line's."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.shell.jobs import Jobs, Ticket
from collage.app.widgets.choosing import choose_new_file, pictures_folder
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.progress_line import ProgressLine
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import Steps
from collage.core.images.codecs import dialog_filter
from collage.core.project.pictures import picture_request
from collage.core.render.files import check_layers_file, check_picture_file, write_picture
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest, Quality
from collage.core.render.tracing import Tracing


class RenderDialog(QDialog):
    """Not modal: the work on the look goes on while a picture is made."""

    def __init__(self, session: Session, renderer: Renderer, jobs: Jobs, parent: QWidget, mode: str = "lit") -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Render an image")
        self.session, self.renderer, self.jobs, self.mode = session, renderer, jobs, mode
        self.width_box, self.height_box = _pixels(1280), _pixels(800)
        self.width_box.setAccessibleName("Width")
        self.height_box.setAccessibleName("Height")
        self.quality = QComboBox()
        self.quality.setAccessibleName("Quality")
        self.quality.setToolTip("final: four samples a pixel; draft: as in the preview; traced: all bounced light")
        self.quality.addItems(["final", "draft", "traced"])
        self.quality.currentTextChanged.connect(self._show_tracing)
        self.samples = NumberField(256, soft=(1, 2048), hard=(1, 65536), whole=True)
        self.samples.setAccessibleName("Samples")
        self.samples.setToolTip("Samples per pixel at most")
        self.samples.setFixedWidth(90)
        self.noise = NumberField(0.0, soft=(0.0, 5.0), hard=(0.0, 100.0))
        self.noise.setAccessibleName("Noise (%)")
        self.noise.setToolTip("Stop at this noise, in percent; 0 for all samples")
        self.noise.setFixedWidth(90)
        self.denoise = QCheckBox("Denoise")
        self.denoise.setToolTip("Filter out the noise that is left")
        self.denoise.setChecked(True)
        self.layers = QCheckBox("Layers (EXR)")
        self.layers.setToolTip("Direct and indirect light, base colour, normal, depth, position, roughness and ids")
        self.path = QLineEdit(str(self._home() / "picture.png"))
        self.path.setAccessibleName("File")
        self.path.setToolTip("The file to write; its ending chooses the format")
        browse = QPushButton("…")
        browse.setAccessibleName("Choose a file")
        browse.setToolTip("Choose a file")
        browse.setFixedWidth(28)
        browse.clicked.connect(self._browse)
        size, target = QHBoxLayout(), QHBoxLayout()
        for part in (self.width_box, QLabel("×"), self.height_box):
            size.addWidget(part)
        size.addStretch(1)
        target.addWidget(self.path)
        target.addWidget(browse)
        tracing = QHBoxLayout()
        fields: tuple[QWidget, ...] = (self.samples, QLabel("Noise (%)"), self.noise, self.denoise, self.layers)
        for field in fields:
            tracing.addWidget(field)
        tracing.addStretch(1)
        self.form = form = QFormLayout()
        form.addRow("Size", size)
        form.addRow("Quality", self.quality)
        form.addRow("Samples", tracing)
        self._tracing = tracing
        form.addRow("File", target)
        self.bar = ProgressLine()
        self.bar.hide()
        self.said = QLabel("PNG, JPEG and TIFF are written as shown, EXR and HDR as linear light.")
        self.said.setObjectName("quiet")
        self.start = QPushButton("Render")
        self.start.setDefault(True)
        self.start.setToolTip("Render in the background")
        self.start.clicked.connect(self.render_now)
        self.stop = QPushButton("Close")
        self.stop.setToolTip("Close, and cancel the render (Esc)")
        self.stop.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addWidget(self.said, 1)
        buttons.addWidget(self.start)
        buttons.addWidget(self.stop)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.bar)
        layout.addLayout(buttons)
        self.resize(520, 190)
        self._show_tracing()
        self._ticket: Ticket | None = None
        jobs.queue_changed.connect(self._show_progress)

    def _show_tracing(self, _quality: str = "") -> None:
        """What only traced pictures have is there for them alone."""
        self.form.setRowVisible(self._tracing, self.traced)

    @property
    def traced(self) -> bool:
        return self.quality.currentText() == "traced"

    def _browse(self) -> None:
        path = choose_new_file(self, "Image file", self._target(), dialog_filter())
        if path is not None:
            self.path.setText(str(path))

    def _home(self) -> Path:
        """Where pictures of the project go; those of one that has no folder yet to the person's own."""
        folder = self.session.folder
        return folder.resolve() / "pictures" if folder is not None else pictures_folder()

    def _target(self) -> Path:
        """The file to write; a name alone lies among the project's pictures."""
        return self._home() / Path(self.path.text()).expanduser()

    def request(self) -> PictureRequest:
        quality = cast(Quality, self.quality.currentText())
        size = round(self.width_box.value), round(self.height_box.value)
        tracing = Tracing(
            samples=round(self.samples.value), noise=self.noise.value / 100, denoised=self.denoise.isChecked()
        )
        project, folder = self.session.shown_project, self.session.base_folder
        return picture_request(project, *size, quality, self.mode, None, folder, tracing)

    def render_now(self) -> None:
        request, path, renderer = self.request(), self._target(), self.renderer
        try:
            check_picture_file(path)
            layers = self.traced and self.layers.isChecked()
            if layers:
                check_layers_file(path)
        except CollageError as error:
            self.said.setText(str(error))
            return

        def steps(cancelled: Callable[[], bool]) -> Steps[str]:
            picture = yield from renderer.steps(request, cancelled=cancelled)
            write_picture(picture, path, layers=layers)
            return f"Written in {picture.seconds:.1f} s."

        self.start.setEnabled(False)
        self.stop.setText("Cancel")
        self.said.setText("Rendering …")
        self.bar.set_share(0)
        self.bar.show()
        self._ticket = self.jobs.queue(
            f"Rendering {path.name}", steps, self._finished, lambda error: self._finished(str(error)), lane="render"
        )

    def _show_progress(self) -> None:
        if self._ticket is not None and self._ticket in self.jobs.tickets:
            self.bar.set_share(self._ticket.progress.share)

    def done(self, result: int) -> None:
        self.jobs.queue_changed.disconnect(self._show_progress)
        if self._ticket is not None:
            self._ticket.cancel()
        super().done(result)

    def _finished(self, text: str) -> None:
        self.said.setText(text)
        self.bar.hide()
        self.start.setEnabled(True)
        self.stop.setText("Close")


def _pixels(value: int) -> NumberField:
    field = NumberField(value, soft=(0, 4096), hard=(16, 8192), whole=True)
    field.setFixedWidth(90)
    field.setToolTip("Size in pixels; drag or type")
    return field
