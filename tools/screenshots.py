"""Makes the pictures in docs/screenshots from the demo project."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QPoint

from collage.app.main_window import MainWindow
from collage.app.start import window_shot
from collage.cli import prepare_kernels
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.render.files import write_picture
from collage.core.render.picture import PictureRequest, Renderer
from collage.demo.shed import make_sample

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def choose(window: MainWindow) -> None:
    window.session.select(["edge"])


def peek(window: MainWindow) -> None:
    window.session.select(["edge"])
    window.session.toggle_peek("edge")


def add(window: MainWindow) -> None:
    window.ask_add(QPoint(40, 40), None, "")
    window.add_field.line.setText("noise")


def main() -> None:
    prepare_kernels()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "shed"
        make_sample("potting-shed", folder)
        project, _ = load_project(folder)
        request = PictureRequest(project, 1280, 800, "final", "lit", None, folder)
        write_picture(Renderer(load_library()).picture(request), OUT / "potting-shed.png")
        window_shot(folder, OUT / "wire-day.png", prepare=choose)
        window_shot(folder, OUT / "wire-night.png", theme="night", prepare=choose)
        window_shot(folder, OUT / "wire-peek.png", prepare=peek)
        window_shot(folder, OUT / "wire-add.png", prepare=add)


if __name__ == "__main__":
    main()
