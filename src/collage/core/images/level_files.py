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
import os
import shutil
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from collage.core.base.safe_write import clear_leftovers, flush, is_file, replacing, temporary_beside
from collage.core.base.threads import stand_back
from collage.core.images.level_format import CHUNK, RULES, complete, mapped, room_for, write_levels
from collage.core.images.pyramid import Pyramid, Room, in_memory

LEAST = 1 << 18  # texels of an image that is worth a file
LARGEST = 4 * 2**30  # bytes of an image file that is looked through for its name
LIMIT = 20 * 2**30  # bytes of all files together
MOST_NOTES = 5000  # images whose files were moved or deleted leave theirs behind
PATIENCE, LOOK = 20.0, 0.05  # seconds that a file waits for images that are being read, and between two looks
PART = 1 << 16  # bytes by which most images are told from each other
FREE = 2 * 2**30  # bytes of the disk that are left to others, people's own work above all


@dataclass(frozen=True)
class Source:
    """An image file, and how it is read. space, single : see `store.ImageRef`."""

    path: Path
    space: str
    single: bool


State = tuple[int, ...]
"""Changes when a file does: its time and size, when the system touched it last, and which file it is."""


@dataclass
class Draft:
    """A file of levels to be completed and noted, of an image file in some state. pyramid : None for a whole one."""

    source: Source
    state: State
    path: Path
    pyramid: Pyramid | None = None

    def drop(self) -> None:
        """Removes what has not become a file of levels; who has its texels mapped keeps them."""
        if self.path.name.startswith("."):
            with suppress(OSError):
                self.path.unlink(missing_ok=True)


class LevelFiles:
    """Files of levels in a folder that may be cleared at any time. A folder that takes none is left alone.

    limit : bytes that all of them may take; those not used for longest go. failed : why the last one could not be
    written, empty if it could.
    """

    def __init__(self, folder: Path, limit: int = LIMIT) -> None:
        self.folder, self.limit = folder, limit
        self.failed = ""
        self._lock = threading.Lock()
        self._waiting: deque[Draft] = deque()
        self._noting: threading.Thread | None = None
        self._making = 0  # images that are being read: what is read is completed after them

    def get(self, source: Source, make: Callable[[Room], Pyramid]) -> Pyramid:
        """The pyramid of an image, mapped from its file; what `make` gives where there is none and none can be.

        make : is told where to find room for the texels: in a new file, or in memory. Raises what it raises.
        """
        found = self.find(source)
        if found is not None:
            return found
        if not is_file(source.path):  # a pipe or a device never ends; `make` tells what is wrong
            return make(in_memory)
        try:
            before = _state(source.path)
            known = self._of_same_content(source, before) if before[1] <= LARGEST else None
            if known is not None:
                self._finish_later(Draft(source, before, known))
                return mapped(known)
        except (OSError, ValueError):
            return make(in_memory)
        if before[1] > LARGEST:
            return make(in_memory)
        with self._lock:
            self._making += 1
        try:
            return self._make(source, before, make)
        finally:
            with self._lock:
                self._making -= 1

    def _make(self, source: Source, before: State, make: Callable[[Room], Pyramid]) -> Pyramid:
        """A pyramid in the making of a file, which is completed on another thread."""
        draft = Draft(source, before, temporary_beside(self.folder / "new.levels"))

        def room(size: int) -> np.ndarray:
            if size < LEAST:
                return in_memory(size)
            try:
                self.folder.mkdir(parents=True, exist_ok=True)
                self._make_room(size)
                made = room_for(draft.path, size)
                self.failed = ""
                return made
            except OSError as error:
                self._fail(error)
                draft.drop()
                return in_memory(size)

        try:
            draft.pyramid = make(room)
        except BaseException:
            draft.drop()
            raise
        if draft.pyramid.width * draft.pyramid.height >= LEAST and _is_state(source.path, before):
            self._finish_later(draft)
        else:  # too small to be worth it, or written to just now
            draft.drop()
        return draft.pyramid

    def _fail(self, error: Exception) -> None:
        self.failed = str(getattr(error, "strerror", "") or error)

    def _of_same_content(self, source: Source, state: State) -> Path | None:
        """The file of levels of an image with the same bytes, if there is a whole one. Raises OSError.

        All bytes are looked at only where some of them, and their number, are those of an image that was made before.
        """
        if next(self.folder.glob(f"{_start(source, state[1])}-*.levels"), None) is None:
            return None
        path = self.folder / _name(source, state[1])
        return path if _is_whole(path) else None

    def find(self, source: Source, *, check: bool = True) -> Pyramid | None:
        """The pyramid that is noted for an image file, if that is still as it was then.

        check : whether one that does not lie as it was left is looked through; without it, it is not taken.
        """
        note = self._note(source)
        try:
            noted = json.loads(note.read_bytes())
            state = _state(source.path)
            if noted["source"] != list(state):
                return None
            path = self.folder / noted["levels"]
            believed = noted["state"] == list(_state(path))
            if not (believed or check):
                return None
            pyramid = mapped(path, check=not believed)
        except (OSError, ValueError, KeyError, TypeError):
            return None
        if believed:
            with suppress(OSError):
                os.utime(note)  # when it was used last
        else:
            self._finish_later(Draft(source, state, path))
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

    def _finish_later(self, draft: Draft) -> None:
        """Completes a file and notes which image it is of, once it is on the disk. Nobody waits for that."""
        with self._lock:
            self._waiting.append(draft)
            if self._noting is None:
                self._noting = threading.Thread(target=self._finish_all, name="levels", daemon=True)
                self._noting.start()

    def _finish_all(self) -> None:
        stand_back()
        while True:
            with self._lock:
                if not self._waiting:
                    self._noting = None
                    return
                draft = self._waiting.popleft()
            end = time.monotonic() + PATIENCE
            while self._making and time.monotonic() < end:
                time.sleep(LOOK)
            try:
                self._finish(draft)
            except OSError as error:
                self._fail(error)
            finally:
                draft.drop()

    def _finish(self, draft: Draft) -> None:
        """Raises OSError."""
        source, path = draft.source, draft.path
        if draft.pyramid is not None:
            path = self.folder / _name(source, draft.state[1])
            if not _is_state(source.path, draft.state):
                return  # it was written to, and its name may be that of another image
            if draft.path.exists():
                complete(draft.path, draft.pyramid)
                draft.path.chmod(0o444)  # whoever cuts it short while it is mapped ends the process
                os.replace(draft.path, path)
            elif draft.pyramid.file is None and draft.pyramid.nbytes < LEAST:  # an even one
                write_levels(path, draft.pyramid)
            else:
                return
        flush(path)
        noted = {"source": draft.state, "levels": path.name, "state": _state(path)}
        with replacing(self._note(source), lasting=False) as temporary:
            temporary.write_text(json.dumps(noted))

    def settle(self, seconds: float | None = None) -> None:
        """Waits until all files are completed and noted, or for so long."""
        with self._lock:
            noting = self._noting
        if noting is not None:
            noting.join(seconds)

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


# ---- names -------------------------------------------------------------------------------------


def _is_whole(path: Path) -> bool:
    """Whether there is a file of levels that is what it says."""
    try:
        mapped(path, check=True)
    except (OSError, ValueError, KeyError, TypeError):
        return False
    return True


def _state(path: Path) -> State:
    found = path.stat()
    return found.st_mtime_ns, found.st_size, found.st_ctime_ns, found.st_ino


def _is_state(path: Path, state: State) -> bool:
    try:
        return _state(path) == state
    except OSError:
        return False


def _name(source: Source, size: int) -> str:
    """The name for an image's levels: of all its bytes, and how they are read. size : of the image's file."""
    made = hashlib.blake2b(digest_size=16)
    with source.path.open("rb") as file:
        while part := file.read(CHUNK):
            made.update(part)
    return f"{_start(source, size)}-{made.hexdigest()}.levels"


def _start(source: Source, size: int) -> str:
    """How the name begins: by how it is read, and by some of its bytes."""
    with source.path.open("rb") as file:
        file.seek(size // 2)
        some = file.read(PART)
    return _short(f"{source.space}\n{source.single}\n{RULES}\n{size}\n".encode() + some)


def _short(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=16).hexdigest()
