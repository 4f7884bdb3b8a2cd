"""Choosing files and folders: every dialog begins in a folder that is there, never where the program was started."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QStandardPaths
from PySide6.QtWidgets import QFileDialog, QWidget

IMAGES = "Images (*.png *.jpg *.jpeg *.tif *.tiff *.exr *.hdr)"


def pictures_folder() -> Path:
    """The person's own folder for pictures; their home where there is none."""
    found = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.PicturesLocation)
    return existing(Path(found)) if found else Path.home()


def existing(folder: Path) -> Path:
    """The folder, or the nearest one above it that is there; the home where that is the root."""
    folder = folder.expanduser()
    if folder.is_absolute():
        for one in (folder, *folder.parents):
            if one.is_dir():
                return one if one != one.parent else Path.home()
    return Path.home()


def choose_folder(parent: QWidget, title: str, start: Path | None = None) -> Path | None:
    """Asks for a folder, beginning at `start`."""
    name = QFileDialog.getExistingDirectory(parent, title, str(existing(start or Path.home())))
    return Path(name) if name else None


def choose_file(parent: QWidget, title: str, start: Path | None = None, kinds: str = "") -> Path | None:
    """Asks for a file that is there. kinds : as "Images (*.png *.exr)"."""
    name, _ = QFileDialog.getOpenFileName(parent, title, str(existing(start or Path.home())), kinds)
    return Path(name) if name else None


def choose_new_file(parent: QWidget, title: str, proposed: Path, kinds: str = "") -> Path | None:
    """Asks where a file is to be written; the dialog begins in the nearest folder that is there."""
    begin = existing(proposed.parent) / proposed.name
    name, _ = QFileDialog.getSaveFileName(parent, title, str(begin), kinds)
    return Path(name) if name else None


def choose_new_folder(parent: QWidget, title: str, proposed: Path) -> Path | None:
    """Asks where a folder is to be made, and its name; the dialog begins in the nearest folder that is there."""
    name, _ = QFileDialog.getSaveFileName(
        parent, title, str(existing(proposed.parent) / proposed.name), "Folders",
        options=QFileDialog.Option.DontConfirmOverwrite | QFileDialog.Option.ShowDirsOnly,
    )  # fmt: skip
    return Path(name) if name else None
