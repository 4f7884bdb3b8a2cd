"""Images as pyramids on disk, in the user's cache: made once, and mapped into memory from then on.

A mapped file takes memory only where it is read, and what is read goes back to the system when that is short of room.

Each file is named by the content of its image, what its colours mean, and the rules by which levels are made. Which
content an image file has is noted beside it, so that a file that has not changed is not read again. A file of levels
is believed as long as it lies on disk just as it was left; else all of it is checked, and made anew if need be.
"""

from __future__ import annotations

import errno
import hashlib
import json
import mmap
import os
import shutil
import threading
import zlib
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.safe_write import clear_leftovers, flush, is_file, put, replacing
from collage.core.images.pyramid import Coding, Layout, Pyramid

RULES = 1
"""Raised whenever the same image would give other levels, or lie otherwise in its file."""

MAGIC = b"Collage levels\n"
PAGE = 4096  # the texels begin at a whole number of pages
CHUNK = 1 << 20  # bytes that have one checksum
LEAST = 1 << 18  # texels of an image that is worth a file
LARGEST = 4 * 2**30  # bytes of an image file that is looked through for its name
LIMIT = 20 * 2**30  # bytes of all files together
MOST_NOTES = 5000  # images whose files were moved or deleted leave theirs behind
FREE = 2 * 2**30  # bytes of the disk that are left to others, people's own work above all


@dataclass(frozen=True)
class Source:
    """An image file, and how it is read. space, single : see `store.ImageRef`."""

    path: Path
    space: str
    single: bool


class LevelFiles:
    """Files of levels in a folder that may be cleared at any time. A folder that takes none is left alone.

    limit : bytes that all of them may take; those not used for longest go. failed : why the last one could not be
    written, empty if it could.
    """

    def __init__(self, folder: Path, limit: int = LIMIT) -> None:
        self.folder, self.limit = folder, limit
        self.failed = ""
        self._lock = threading.Lock()
        self._waiting: deque[tuple[Source, tuple[int, ...], Path]] = deque()
        self._noting: threading.Thread | None = None

    def get(self, source: Source, make: Callable[[], Pyramid]) -> Pyramid:
        """The pyramid of an image, mapped from its file; what `make` gives where there is none and none can be.

        Raises what `make` raises.
        """
        found = self._find(source)
        if found is not None:
            return found
        if not is_file(source.path):  # a pipe or a device never ends; `make` tells what is wrong
            return make()
        try:
            before = _state(source.path)
            if before[1] > LARGEST:
                return make()
            path = self.folder / f"{_content(source)}.levels"
        except OSError:
            return make()
        made = None if _is_whole(path) else make()
        if made is not None and (made.width * made.height < LEAST or _state(source.path) != before):
            return made  # too small to be worth it, or written to just now
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            if made is not None:
                self._make_room(made.nbytes)
                write_levels(path, made)
            found = mapped(path)
            self.failed = ""
            self._note_later(source, before, path)
            return found
        except (OSError, ValueError) as error:
            self.failed = str(getattr(error, "strerror", "") or error)
            return made if made is not None else make()

    def _find(self, source: Source) -> Pyramid | None:
        """The pyramid that is noted for a file, if it is still as it was then."""
        note = self._note(source)
        try:
            noted = json.loads(note.read_bytes())
            state = _state(source.path)
            if noted["source"] != list(state):
                return None
            path = self.folder / noted["levels"]
            believed = noted["state"] == list(_state(path))
            pyramid = mapped(path, check=not believed)
        except (OSError, ValueError, KeyError, TypeError):
            return None
        if believed:
            with suppress(OSError):
                os.utime(note)  # when it was used last
        else:
            self._note_later(source, state, path)
        return pyramid

    @property
    def used(self) -> int:
        """Bytes of all files."""
        return sum(size for _, size in self._sizes())

    def clear(self) -> None:
        """Deletes all files; those in use stay readable until they are let go of."""
        for path in [*self._files("*.levels"), *self._files("*.note")]:
            with suppress(OSError):
                path.unlink()

    # ---- notes ----------------------------------------------------------------------------------

    def _note(self, source: Source) -> Path:
        name = f"{source.path.absolute()}\n{source.space}\n{source.single}\n{RULES}"
        return self.folder / f"{_short(name.encode(errors='surrogateescape'))}.note"

    def _note_later(self, source: Source, state: tuple[int, ...], path: Path) -> None:
        """Notes which file has the levels of an image whose own file is in a state, once it is on the disk.

        Nobody waits for that: what is not noted is checked when it is opened again.
        """
        with self._lock:
            self._waiting.append((source, state, path))
            if self._noting is None:
                self._noting = threading.Thread(target=self._keep_notes, name="levels", daemon=True)
                self._noting.start()

    def _keep_notes(self) -> None:
        while True:
            with self._lock:
                if not self._waiting:
                    self._noting = None
                    return
                source, state, path = self._waiting.popleft()
            with suppress(OSError):
                flush(path)
                noted = {"source": state, "levels": path.name, "state": _state(path)}
                with replacing(self._note(source), lasting=False) as temporary:
                    temporary.write_text(json.dumps(noted))

    def settle(self) -> None:
        """Waits until all files are noted."""
        with self._lock:
            noting = self._noting
        if noting is not None:
            noting.join()

    # ---- room -----------------------------------------------------------------------------------

    def _files(self, pattern: str) -> Iterator[Path]:
        with suppress(OSError):
            yield from self.folder.glob(f"[!.]{pattern}")

    def _sizes(self) -> list[tuple[Path, int]]:
        sizes = []
        for path in self._files("*.levels"):
            with suppress(OSError):
                sizes.append((path, path.stat().st_size))
        return sizes

    def _make_room(self, wanted: int) -> None:
        """Deletes files not used for longest, until one more of so many bytes fits. Raises OSError where it cannot."""
        with self._lock:
            clear_leftovers(self.folder)
            used = self._last_uses()
            sizes = sorted(self._sizes(), key=lambda one: used.get(one[0].name, 0.0))
            total = sum(size for _, size in sizes)
            room = min(self.limit, total + shutil.disk_usage(self.folder).free - FREE)
            if wanted > room:
                raise OSError(errno.ENOSPC, "too little space is left")
            for path, size in sizes:
                if total + wanted <= room:
                    break
                with suppress(OSError):
                    path.unlink()
                    total -= size

    def _last_uses(self) -> dict[str, float]:
        """When each file was used last. Notes of files that are gone are deleted, and the oldest of very many."""
        used: dict[str, float] = {}
        notes: list[tuple[float, Path]] = []
        for note in self._files("*.note"):
            with suppress(OSError, ValueError, KeyError, TypeError):
                name, at = str(json.loads(note.read_bytes())["levels"]), note.stat().st_mtime
                used[name] = max(used.get(name, 0.0), at)
                notes.append((at if (self.folder / name).exists() else 0.0, note))
        notes.sort(reverse=True)
        for number, (at, note) in enumerate(notes):
            if not at or number >= MOST_NOTES:
                with suppress(OSError):
                    note.unlink()
        return used


# ---- one file -----------------------------------------------------------------------------------


def write_levels(path: Path, pyramid: Pyramid) -> None:
    """Writes a pyramid to a file, in the place of the one before. Raises OSError."""
    data = pyramid.texels.data.cast("B")
    about = {
        "rules": RULES, "width": pyramid.width, "height": pyramid.height, "channels": pyramid.channels,
        "bits": pyramid.bits, "space": pyramid.space, "floating": pyramid.floating, "coding": vars(pyramid.coding),
        "type": pyramid.texels.dtype.name, "bytes": len(data),
        "sums": [zlib.crc32(data[start : start + CHUNK]) for start in range(0, len(data), CHUNK)],
    }  # fmt: skip
    text = json.dumps(about).encode()
    head = MAGIC + b"%8d %10d\n" % (len(text), zlib.crc32(text)) + text
    head += bytes(-len(head) % PAGE)
    with replacing(path, lasting=False) as temporary:
        put(temporary, head, data)


def mapped(path: Path, *, check: bool = False) -> Pyramid:
    """A pyramid whose texels lie in a file. check : all of them by their sums.

    Raises OSError, and ValueError for a file that is not what was written.
    """
    with path.open("rb") as file:
        about, start = _head(file.read(len(MAGIC) + 20), file)
        size = int(about["bytes"])
        if os.fstat(file.fileno()).st_size != start + size:
            raise ValueError("not as long as it should be")
        memory = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
    if check:
        data = memoryview(memory)[start:]
        for number, at in enumerate(range(0, size, CHUNK)):
            if zlib.crc32(data[at : at + CHUNK]) != about["sums"][number]:
                raise ValueError("changed since it was written")
    texels, coding = np.frombuffer(memory, np.dtype(about["type"]), offset=start), Coding(**about["coding"])
    made = Pyramid(
        texels, coding, about["width"], about["height"], about["channels"], about["bits"], about["space"],
        about["floating"], memory,
    )  # fmt: skip
    if size != Layout(made.width, made.height).end * (1 if made.channels == 1 else 4) * _texel_bytes(coding):
        raise ValueError("not the levels of a picture of this size")
    return made


def _texel_bytes(coding: Coding) -> int:
    return 1 if coding.kind == "uint8" else 2


def _head(first: bytes, file: Any) -> tuple[dict[str, Any], int]:
    """What a file says about its texels, and where they begin. Raises ValueError."""
    if not first.startswith(MAGIC):
        raise ValueError("no file of levels")
    length, wanted = (int(part) for part in first[len(MAGIC) :].split())
    text = file.read(length)
    if zlib.crc32(text) != wanted:
        raise ValueError("damaged")
    about = json.loads(text)
    if about["rules"] != RULES:
        raise ValueError("made by other rules")
    end = len(first) + length
    return about, end + -end % PAGE


def _is_whole(path: Path) -> bool:
    """Whether there is a file of levels that is what it says."""
    try:
        mapped(path, check=True)
    except (OSError, ValueError, KeyError, TypeError):
        return False
    return True


def _state(path: Path) -> tuple[int, ...]:
    """Changes when a file does: its time and size, when the system touched it last, and which file it is."""
    found = path.stat()
    return found.st_mtime_ns, found.st_size, found.st_ctime_ns, found.st_ino


def _content(source: Source) -> str:
    """The name for an image's levels: of all its bytes, and how they are read."""
    made = hashlib.blake2b(f"{source.space}\n{source.single}\n{RULES}\n".encode(), digest_size=16)
    with source.path.open("rb") as file:
        while part := file.read(CHUNK):
            made.update(part)
    return made.hexdigest()


def _short(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=16).hexdigest()
