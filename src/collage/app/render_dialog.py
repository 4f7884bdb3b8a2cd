"""Renders a picture to a file: size, quality, progress, cancel. The same pictures as the command line's."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import cast

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from collage.app.jobs import Newest
from collage.app.session import Session
from collage.core.base.errors import CollageError
from collage.core.evaluate.run import Workers
from collage.core.project.pictures import picture_request
from collage.core.render.files import write_picture
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest, Quality


class RenderDialog(QDialog):
    """Not modal: the work on the look goes on while a picture is made."""

    def __init__(self, session: Session, workers: Workers, mode: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Render a picture")
        self.session, self.workers, self.mode = session, workers, mode
        self.width_box, self.height_box = QSpinBox(), QSpinBox()
        for box, value in ((self.width_box, 1280), (self.height_box, 800)):
            box.setRange(16, 8192)
            box.setValue(value)
        self.quality = QComboBox()
        self.quality.addItems(["final", "draft"])
        self.path = QLineEdit(str((session.base_folder / "pictures" / "picture.png").resolve()))
        browse = QPushButton("…")
        browse.setFixedWidth(28)
        browse.clicked.connect(self._browse)
        size, target = QHBoxLayout(), QHBoxLayout()
        for part in (self.width_box, QLabel("×"), self.height_box):
            size.addWidget(part)
        size.addStretch(1)
        target.addWidget(self.path)
        target.addWidget(browse)
        form = QFormLayout()
        form.addRow("Size", size)
        form.addRow("Quality", self.quality)
        form.addRow("File", target)
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setTextVisible(False)
        self.said = QLabel("PNG, JPEG or TIFF as shown; EXR as linear light.")
        self.said.setObjectName("quiet")
        self.start = QPushButton("Render")
        self.start.setDefault(True)
        self.start.clicked.connect(self.render_now)
        self.stop = QPushButton("Close")
        self.stop.clicked.connect(self.reject)
        buttons = QHBoxLayout()
        buttons.addWidget(self.said, 1)
        buttons.addWidget(self.start)
        buttons.addWidget(self.stop)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.bar)
        layout.addLayout(buttons)
        self.resize(480, 190)
        self._worker = Newest("render", self)
        self._worker.answered.connect(self._told)
        self._worker.failed.connect(lambda error: self._finished(str(error)))
        self.finished.connect(lambda _code: self._worker.close())

    def _browse(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Picture file", self.path.text(), "Pictures (*.png *.jpg *.tif *.exr)"
        )
        if name:
            self.path.setText(name)

    def request(self) -> PictureRequest:
        quality = cast(Quality, self.quality.currentText())
        size = self.width_box.value(), self.height_box.value()
        return picture_request(self.session.shown_project, *size, quality, self.mode, None, self.session.base_folder)

    def render_now(self) -> None:
        request, path = self.request(), Path(self.path.text())
        renderer = Renderer(self.session.library, self.session.images, self.workers)

        def work(cancelled: Callable[[], bool]) -> Iterator[float | str]:
            shares: list[float] = []
            picture = renderer.picture(request, cancelled=cancelled, progress=lambda share: self._tell(shares, share))
            if path.suffix.lower() not in (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr"):
                raise CollageError(
                    f"Collage writes no “{path.suffix}” pictures.", remedy="Use .png, .jpg, .tif or .exr."
                )
            write_picture(picture, path)
            yield f"Written in {picture.seconds:.1f} s."

        self.start.setEnabled(False)
        self.stop.setText("Cancel")
        self.said.setText("Rendering …")
        self._worker.ask(work)

    def _tell(self, shares: list[float], share: float) -> None:
        shares.append(share)
        self._worker.answered.emit(share)

    def _told(self, answer: float | str) -> None:
        if isinstance(answer, str):
            self._finished(answer)
        else:
            self.bar.setValue(round(answer * 100))

    def _finished(self, text: str) -> None:
        self.said.setText(text)
        self.bar.setValue(100)
        self.start.setEnabled(True)
        self.stop.setText("Close")
