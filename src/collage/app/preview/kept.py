"""The last picture of a project, kept on disk, so that it opens with its picture while the renderer is being read.

One lies in the user's cache; a project that is saved takes one along, for whoever opens it elsewhere. A picture is
found again as long as the project's files and its camera are those that it was made of, wherever the folder lies by
then: a project that was moved, renamed or copied has its picture still.
"""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice
from PySide6.QtGui import QImage, QImageReader

from collage.core.base.safe_write import write_bytes
from collage.core.scene.cameras import Camera

MOST = 60  # pictures that are kept, the newest ones
MOST_FILES = 5000  # of a project that are looked at
OWN = "preview.png"  # the one in a project's own folder
STATE = "CollageState"  # its text that says what it was made of
SAMPLE = 4096  # bytes at the beginning, in the middle and at the end of a large file, by which a change is seen


class KeptPictures:
    """One picture a project, in a folder that may be cleared at any time, and one in the project's own folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def has(self, project: Path) -> bool:
        """Whether there is a picture of the project as it lies on disk, whatever its camera."""
        state = _state(project)
        return any(self.folder.glob(f"*-{state}-*.png")) or _made_of(project).startswith(f"{state}-")

    def find(self, project: Path, camera: Camera) -> QImage | None:
        """The picture of the project as it lies on disk, seen by a camera."""
        of = _of(project, camera)
        file = next(self.folder.glob(f"*-{of}.png"), None)
        image = _read(file) if file is not None else None
        return _read(project / OWN) if image is None and _made_of(project) == of else image

    def newest(self, project: Path) -> QImage | None:
        """The last picture of the project, however it looked then."""
        found = sorted(self.folder.glob(f"{_name(project)}-*.png"))
        return _read(found[-1] if found else project / OWN)

    def keep(self, image: QImage, project: Path, camera: Camera, *, own: bool = False) -> None:
        """Keeps a picture in the place of the project's last one. A folder that takes no files is left alone.

        own : whether it goes into the project's folder too.
        """
        of = _of(project, camera)
        file = self._file(project, of)
        with suppress(OSError):
            made_of = _made_of(project)
            theirs = not made_of and (project / OWN).exists()  # a picture of the person's own
            if own and not theirs and made_of != of:
                write_bytes(project / OWN, _png(image, of))
        with suppress(OSError):
            if file.exists():
                return
            self.folder.mkdir(parents=True, exist_ok=True)
            write_bytes(file, _png(image, of))
            for old in self.folder.glob(f"{_name(project)}-*.png"):
                if old != file:
                    old.unlink(missing_ok=True)
            self._clear()

    def _clear(self) -> None:
        pictures = sorted(self.folder.glob("[!.]*.png"), key=lambda one: one.stat().st_mtime, reverse=True)
        for old in pictures[MOST:]:
            old.unlink(missing_ok=True)

    def _file(self, project: Path, of: str) -> Path:
        return self.folder / f"{_name(project)}-{of}.png"


def _png(image: QImage, of: str) -> bytes:
    image = image.copy()
    image.setText(STATE, of)
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(data.data())


def _read(file: Path) -> QImage | None:
    image = QImage(str(file))
    return None if image.isNull() else image.convertToFormat(QImage.Format.Format_RGB888)


def _made_of(project: Path) -> str:
    """What the picture in a project's folder was made of; empty where there is none."""
    return QImageReader(str(project / OWN)).text(STATE)


def _name(project: Path) -> str:
    return _short(str(project.resolve()))


def _of(project: Path, camera: Camera) -> str:
    return f"{_state(project)}-{_short(repr(camera))}"


def _state(project: Path) -> str:
    """Says whether any file of the project has changed; hidden ones and its picture are none of it."""
    seen = hashlib.sha256(version("collage").encode())
    count = 0
    for folder, folders, names in os.walk(project):
        folders[:] = sorted(one for one in folders if not one.startswith("."))
        for name in sorted(names):
            path = Path(folder) / name
            if name.startswith(".") or path == project / OWN:
                continue
            with suppress(OSError):
                seen.update(f"{path.relative_to(project)} {path.stat().st_size}\n".encode(errors="surrogateescape"))
                seen.update(_sample(path))
            count += 1
        if count > MOST_FILES:
            break
    return seen.hexdigest()[:16]


def _sample(path: Path) -> bytes:
    """All of a small file, and some of a large one. Files that are none are not read."""
    if not path.is_file():
        return b""
    with path.open("rb") as file:
        size = path.stat().st_size
        if size <= 3 * SAMPLE:
            return file.read(3 * SAMPLE)
        parts = []
        for start in (0, size // 2, size - SAMPLE):
            file.seek(start)
            parts.append(file.read(SAMPLE))
        return b"".join(parts)


def _short(text: str) -> str:
    return hashlib.sha256(text.encode(errors="surrogateescape")).hexdigest()[:16]
