"""Renders a picture to a file: size, quality, progress, cancel. The same pictures as the command line's."""

from __future__ import annotations

from pathlib import Path

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

from collage.app.shell.render_queue import QueueList, RenderQueue
from collage.app.widgets.choosing import choose_new_file, pictures_folder
from collage.app.widgets.number_field import NumberField
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.images.codecs import dialog_filter
from collage.core.project.render_queue import Order
from collage.core.render.files import check_layers_file, check_picture_file, depths_of
from collage.core.render.request import region_from
from collage.core.render.tracing import Tracing

ONE, TURNTABLE, LIGHT_TURN = "One picture", "Turntable", "Light turn"


class RenderDialog(QDialog):
    """Not modal: the work on the look goes on while a picture is made."""

    def __init__(self, session: Session, queue: RenderQueue, parent: QWidget, mode: str = "lit") -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Render an image")
        self.session, self.queue, self.mode = session, queue, mode
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
        self.layers.setToolTip("Light in parts, base colour, normal, depth, position, roughness, occlusion, ids")
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
        form.addRow("Frames", self._rounds())
        form.addRow("Region", self._part())
        self._tracing = tracing
        form.addRow("File", target)
        self.list = QueueList(queue)
        self.said = QLabel("PNG, JPEG and TIFF are written as shown, EXR and HDR as linear light.")
        self.said.setObjectName("quiet")
        self.start = QPushButton("Render")
        self.start.setDefault(True)
        self.start.setToolTip("Render in the background, after those that wait")
        self.start.clicked.connect(self.render_now)
        self.stop = QPushButton("Close")
        self.stop.setToolTip("Close; renders go on (Esc)")
        self.stop.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addWidget(self.said, 1)
        buttons.addWidget(self.start)
        buttons.addWidget(self.stop)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addLayout(buttons)
        layout.addWidget(self.list)
        self.resize(520, 190)
        self._show_tracing()
        self._last: Path | None = None
        queue.finished.connect(self._finished)

    def _rounds(self) -> QHBoxLayout:
        """One picture, or frames of something that goes once round."""
        self.round = QComboBox()
        self.round.setAccessibleName("Frames")
        self.round.setToolTip("One picture, or frames that go once round")
        self.round.addItems([ONE, TURNTABLE, LIGHT_TURN])
        self.frames = NumberField(48, soft=(8, 240), hard=(2, 9999), whole=True)
        self.frames.setAccessibleName("How many frames")
        self.frames.setToolTip("How many frames go once round")
        self.frames.setFixedWidth(90)
        self.frames.hide()
        self.round.currentIndexChanged.connect(lambda at: self.frames.setVisible(at > 0))
        line = QHBoxLayout()
        line.addWidget(self.round)
        line.addWidget(self.frames)
        line.addStretch(1)
        return line

    def _part(self) -> QHBoxLayout:
        """Which part of the picture, and how exact its numbers are."""
        self.region = QLineEdit()
        self.region.setAccessibleName("Region")
        self.region.setPlaceholderText("all of it; or left,top,width,height")
        self.region.setToolTip("A part of the picture alone, in pixels: left,top,width,height")
        self.bit_depth = QComboBox()
        self.bit_depth.setAccessibleName("Bit depth")
        self.bit_depth.setToolTip("Bits per channel that the file format has")
        line = QHBoxLayout()
        line.addWidget(self.region, 1)
        line.addWidget(QLabel("Depth"))
        line.addWidget(self.bit_depth)
        self.path.textChanged.connect(self._show_depths)
        self._show_depths()
        return line

    def _show_depths(self, _path: str = "") -> None:
        """Those that the file can have."""
        depths = depths_of(self._target())
        if [self.bit_depth.itemData(at) for at in range(self.bit_depth.count())] != list(depths):
            self.bit_depth.clear()
            for bits in depths:
                self.bit_depth.addItem(f"{bits} bit", bits)

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

    def order(self) -> Order:
        """The render that is asked for. Raises CollageError for a file that cannot be."""
        path = self._target()
        check_picture_file(path)
        layers = self.traced and self.layers.isChecked()
        if layers:
            check_layers_file(path)
        size = round(self.width_box.value), round(self.height_box.value)
        region = region_from(self.region.text(), size)
        bits = int(self.bit_depth.currentData() or 0)
        tracing = Tracing(
            samples=round(self.samples.value), noise=self.noise.value / 100, denoised=self.denoise.isChecked()
        )
        return Order(
            out=str(path), folder=str(self.session.base_folder.absolute()), width=size[0], height=size[1],
            region=region, bits=bits, quality=self.quality.currentText(), mode=self.mode, tracing=tracing,
            layers=layers, frames=round(self.frames.value) if self.round.currentIndex() else 0,
            light=self.round.currentText() == LIGHT_TURN,
        )  # fmt: skip

    def render_now(self) -> None:
        """Puts the render behind the others; it goes on when this is closed."""
        try:
            self._last = self.queue.add(self.session.shown_project, self.order())
        except CollageError as error:
            self.said.setText(str(error))
            return
        self.said.setText("Rendering in the background; the work can go on.")

    def _finished(self, place: Path, order: Order) -> None:
        if place == self._last:
            self.said.setText(f"Written: {order.name}")

    def done(self, result: int) -> None:
        self.queue.finished.disconnect(self._finished)
        self.list.close_down()
        super().done(result)


def _pixels(value: int) -> NumberField:
    field = NumberField(value, soft=(0, 4096), hard=(16, 8192), whole=True)
    field.setFixedWidth(90)
    field.setToolTip("Size in pixels; drag or type")
    return field
