"""The last picture of a project, kept on disk, so that it opens with its picture while the renderer is being read.

A picture is found again as long as the project's files and its camera are those that it was made of.
"""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice
from PySide6.QtGui import QImage

from collage.core.base.safe_write import write_bytes
from collage.core.scene.cameras import Camera

MOST = 60  # pictures that are kept, the newest ones
MOST_FILES = 5000  # of a project that are looked at


class KeptPictures:
    """One picture a project, in a folder that may be cleared at any time."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def has(self, project: Path) -> bool:
        """Whether there is a picture of the project as it lies on disk, whatever its camera."""
        return any(self.folder.glob(f"{_name(project)}-{_state(project)}-*.png"))

    def find(self, project: Path, camera: Camera) -> QImage | None:
        """The picture of the project as it lies on disk, seen by a camera."""
        return _read(self._file(project, camera))

    def newest(self, project: Path) -> QImage | None:
        """The last picture of the project, however it looked then."""
        found = sorted(self.folder.glob(f"{_name(project)}-*.png"))
        return _read(found[-1]) if found else None

    def keep(self, image: QImage, project: Path, camera: Camera) -> None:
        """Keeps a picture in the place of the project's last one. A folder that takes no files is left alone."""
        file = self._file(project, camera)
        if file.exists():
            return
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")  # type: ignore[call-overload]
        with suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            write_bytes(file, bytes(data.data()))
            for old in self.folder.glob(f"{_name(project)}-*.png"):
                if old != file:
                    old.unlink(missing_ok=True)
            self._clear()

    def _clear(self) -> None:
        pictures = sorted(self.folder.glob("[!.]*.png"), key=lambda one: one.stat().st_mtime, reverse=True)
        for old in pictures[MOST:]:
            old.unlink(missing_ok=True)

    def _file(self, project: Path, camera: Camera) -> Path:
        return self.folder / f"{_name(project)}-{_state(project)}-{_short(repr(camera))}.png"


def _read(file: Path) -> QImage | None:
    image = QImage(str(file))
    return None if image.isNull() else image.convertToFormat(QImage.Format.Format_RGB888)


def _name(project: Path) -> str:
    return _short(str(project.resolve()))


def _state(project: Path) -> str:
    """Says whether any file of the project has changed; hidden ones are none of it."""
    seen = [version("collage")]
    for folder, folders, names in os.walk(project):
        folders[:] = sorted(one for one in folders if not one.startswith("."))
        for name in sorted(names):
            if name.startswith("."):
                continue
            with suppress(OSError):
                found = (Path(folder) / name).stat()
                seen.append(f"{folder}/{name} {found.st_size} {found.st_mtime_ns}")
        if len(seen) > MOST_FILES:
            break
    return _short("\n".join(seen))


def _short(text: str) -> str:
    return hashlib.sha256(text.encode(errors="surrogateescape")).hexdigest()[:16]
