"""What is dragged: values that follow the mouse, and things that are carried from one widget to another."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMimeData, Qt
from PySide6.QtGui import QDrag, QMouseEvent, QPixmap
from PySide6.QtWidgets import QWidget

MATERIAL_FORMAT = "application/x-collage-material"  # a material's name
OFFER_FORMAT = "application/x-collage-offer"  # a definition's name, dragged from the sources
SET_FORMAT = "application/x-collage-set"  # a map set: the material's name and the card's, on two lines
EFFECT_FORMAT = "application/x-collage-effect"  # an effect's name
KEPT_FORMAT = "application/x-collage-group"  # a saved group's name


class Dragged(QWidget):
    """Subclasses say in `take` what a place of the mouse means; `moving` is over when the button is let go."""

    def take(self, event: QMouseEvent, moving: bool) -> None:
        raise NotImplementedError

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.take(event, True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.take(event, True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.take(event, False)


def start_drag(source: QWidget, mime: QMimeData, picture: QPixmap) -> None:
    """Carries something away from a widget, with its picture under the pointer."""
    drag = QDrag(source)
    drag.setMimeData(mime)
    if not picture.isNull():
        drag.setPixmap(picture.scaled(60, 46))
    drag.exec(Qt.DropAction.CopyAction)


def text_in(mime: QMimeData, form: str) -> str:
    """What is carried in one of the forms above; empty for nothing."""
    return bytes(mime.data(form).data()).decode()


def files_in(mime: QMimeData) -> list[Path]:
    """The files and folders of this machine that are carried."""
    return [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()]
