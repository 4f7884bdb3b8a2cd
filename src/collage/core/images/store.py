"""The store of loaded images: shared by path and colour space, kept within a budget of memory."""

from __future__ import annotations

import mmap
import os
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import numpy as np

from collage.core.base.budget import Budget, Store
from collage.core.base.errors import CollageError
from collage.core.images.colour import is_linear
from collage.core.images.files import pixels_in_parts, read_info
from collage.core.images.level_files import LevelFiles, Source
from collage.core.images.pyramid import Pyramid, Room, build, build_in_parts, in_memory
from collage.core.images.tiles import Place, Tiles, is_pattern


@dataclass(frozen=True)
class ImageRef:
    """An image that a card names: where it is, and what its numbers mean.

    single : only its first channel is wanted, so only that is kept in memory. stand_in : it is being read still, and an
    even grey is shown for it. there : the tiles of a numbered name that are shown all the same.
    """

    path: str
    space: str = "lin_rec709"
    single: bool = False
    stand_in: bool = False
    there: tuple[Place, ...] = ()

    @property
    def stamp(self) -> str:
        """Changes when the file on disk does; part of what a result is remembered by."""
        if self.stand_in:
            return "stand-in"
        if is_pattern(self.path):
            return " ".join(_stamp(file) for file in Tiles(self.path).files.values()) or "missing"
        return _stamp(self.path)

    @property
    def tiles(self) -> dict[Place, ImageRef]:
        """The images of a numbered name, tile by tile; empty for a single file."""
        if not is_pattern(self.path):
            return {}
        return {
            place: ImageRef(file, self.space, self.single, self.stand_in and place not in self.there)
            for place, file in Tiles(self.path).files.items()
        }


def _stamp(path: str) -> str:
    try:
        found = os.stat(path)
    except (OSError, ValueError):
        return "missing"
    return f"{found.st_mtime_ns}-{found.st_size}"


Key = tuple[str, str, str, bool]
RETRY = 1.0  # seconds
MOST_HEADERS = 5000
CLOSING = 0.5  # seconds
MOST = 500  # images, each of which may hold a file open
WAIT = 0.05  # seconds between two looks at whether work that waits for an image is called off
LOOK = 0.25  # seconds between two looks at how much of mapped images is in memory


class ImageStore:
    """Loads each image once and forgets those not used for longest when the budget is full.

    files : where levels are kept on disk and mapped from; without it, all levels are made anew and are in memory.
    """

    def __init__(self, budget: Budget | None = None, files: LevelFiles | None = None) -> None:
        self.budget, self.files = budget or Budget(), files
        self._file_pages, self._look_again = _file_pages(), 0.0
        self._lock = threading.Lock()
        self._loading: dict[Key, threading.Lock] = {}
        self._held: Store[Key, Pyramid | CollageError] = Store(self.budget, _bytes_of, most=MOST)
        self._again: dict[Key, float] = {}  # when a file that could not be read is tried again
        self._headers: dict[Key, CollageError | None] = {}
        self._beside: ThreadPoolExecutor | None = None  # reads what is not waited for
        self._begun: dict[ImageRef, Future[None]] = {}
        self._closed = False  # then who wants an image reads it
        self.loaded = 0  # images so far, good and broken ones: who has shown greys looks whether it has changed
        self.broken = 0

    def begin(self, ref: ImageRef, until: float = 0.0) -> bool:
        """Whether an image is there, or told to be broken. If not, it is read on another thread from now on.

        until : the time (monotonic) up to which one that was not begun before is waited for.
        """
        begun, new = self._reading(ref)
        if begun is None:
            return True
        if new:
            wait((begun,), max(until - time.monotonic(), 0))
        return begun.done()

    def arrived(self, ref: ImageRef, seconds: float) -> bool:
        """As `begin`; waits so long for one that was begun before, too."""
        begun, _ = self._reading(ref)
        if begun is not None:
            wait((begun,), seconds)
        return begun is None or begun.done()

    def ready(self, ref: ImageRef) -> bool:
        """Whether an image is there, or can be at once since it lies ready on disk; or is told to be broken."""
        key = _key(ref)
        if key in self._held or (*key[:3], False) in self._held:
            return True
        found = self.files.find(_source(ref), check=False) if self.files is not None else None
        if found is not None:
            self._held.put(key, found)
        return found is not None

    def trouble(self, ref: ImageRef) -> CollageError | None:
        """What is wrong with an image, as far as that is known without reading more of it than its header."""
        key = _key(ref)
        held = self._held.get(key)
        if held is not None:
            return held if isinstance(held, CollageError) else None
        if key not in self._headers:
            if len(self._headers) >= MOST_HEADERS:
                self._headers.clear()
            try:
                read_info(Path(ref.path))
                self._headers[key] = None
            except CollageError as error:
                self._headers[key] = error
        return self._headers[key]

    def is_reading(self, ref: ImageRef) -> bool:
        """Whether an image, or a tile of it, is being read on another thread."""
        with self._lock:
            begun = [(one.path, one.space) for one in self._begun]
        paths = {one.path for one in ref.tiles.values()} if is_pattern(ref.path) else {ref.path}
        return any(path in paths and space == ref.space for path, space in begun)

    @property
    def reading(self) -> int:
        """How many images are being read on other threads, or are to be."""
        return len(self._begun)

    def _reading(self, ref: ImageRef) -> tuple[Future[None] | None, bool]:
        """The work that reads an image, and whether it has just begun; None where it is there."""
        key = _key(ref)
        if key in self._held or (*key[:3], False) in self._held:
            return None, False
        with self._lock:
            if self._closed:
                return None, False
            if self._beside is None:
                self._beside = ThreadPoolExecutor(os.cpu_count(), thread_name_prefix="maps")
            new = ref not in self._begun
            if new:
                self._begun[ref] = self._beside.submit(self._read_beside, ref)
            return self._begun[ref], new

    def _read_beside(self, ref: ImageRef) -> None:
        with suppress(CollageError):  # told to who opens it
            self.open(ref)
        with self._lock:
            self._begun.pop(ref, None)

    def close(self) -> None:
        """Ends the threads; what is being read is read to its end, and what was read is kept on disk meanwhile."""
        with self._lock:
            beside, self._beside, self._closed = self._beside, None, True
        if beside is not None:
            beside.shutdown(wait=False, cancel_futures=True)
        if self.files is not None:
            self.files.settle(CLOSING)

    def open(self, ref: ImageRef) -> Pyramid:
        """The pyramid of an image. Raises CollageError if there is none to be had."""
        if ref.stand_in:
            return stand_in(ref.space, ref.single)
        key = _key(ref)
        with self._lock:
            whole = (*key[:3], False)
            if whole in self._held or whole in self._loading:
                key = whole  # all channels are there already, or will be
            gate = self._loading.setdefault(key, threading.Lock())
        with gate:  # one thread loads, the others that want the same image wait for it
            found = self._held.get(key)
            if isinstance(found, CollageError) and time.monotonic() > self._again.get(key, 0.0):
                found = None  # it may be good by now, even where neither its size nor its time has changed
            if found is None:
                found = self._load(ref, 1 if key[3] else 4)
                self._held.put(key, found)
                self.loaded += 1
                if isinstance(found, CollageError):
                    self.broken += 1
                    self._again[key] = time.monotonic() + RETRY
        with self._lock:
            self._loading.pop(key, None)
        if time.monotonic() > self._look_again:
            self._look_again = time.monotonic() + LOOK
            self.let_go()
        if isinstance(found, CollageError):
            raise found
        return found

    def let_go(self) -> None:
        """Mapped images give back what was read of them, as long as all of it is more than half of the budget."""
        most = self.budget.limit // 2 // mmap.PAGESIZE
        if self.files is None or _file_pages() - self._file_pages <= most:
            return
        for one in self._held.values():
            if isinstance(one, Pyramid):
                one.let_go()
            if _file_pages() - self._file_pages <= most:
                return

    def _load(self, ref: ImageRef, most: int) -> Pyramid | CollageError:
        def make(room: Room) -> Pyramid:
            with pixels_in_parts(Path(ref.path), most) as image:
                return build_in_parts(image.shape, image.parts, ref.space, room)

        try:
            if self.files is None:
                return make(in_memory)
            return self.files.get(replace(_source(ref), single=most == 1), make)
        except CollageError as error:
            return error
        except MemoryError:
            return CollageError(
                "The image does not fit into memory.", about=Path(ref.path).name, remedy="Save it smaller."
            )

    def clear(self) -> None:
        """Lets go of all images; they are read again when they are asked for."""
        self._held.clear()
        self._again.clear()
        self._headers.clear()

    @property
    def used(self) -> int:
        """Bytes held."""
        return self._held.bytes

    @property
    def in_memory(self) -> int:
        """Bytes held, and those of mapped images that the system has in memory for the process."""
        return self.used + (_mapped_bytes(self.files.folder) if self.files is not None else 0)


def _source(ref: ImageRef) -> Source:
    return Source(Path(ref.path), ref.space, ref.single)


def _key(ref: ImageRef) -> Key:
    """What an image is kept by, as its file is now."""
    return ref.path, ref.space, ref.stamp, ref.single


@lru_cache(maxsize=32)
def stand_in(space: str, single: bool) -> Pyramid:
    """An even grey as stored; three numbers without a colour space are a flat normal map."""
    flat = (0.5,) if single else (0.5, 0.5, 1.0) if is_linear(space) else (0.5, 0.5, 0.5)
    return build(np.array(flat, np.float32).reshape(1, 1, -1), space)


def _bytes_of(image: Pyramid | CollageError) -> int:
    """What an image has in memory of its own; see `ImageStore.let_go` for mapped ones."""
    return image.nbytes if isinstance(image, Pyramid) and image.file is None else 0


def _file_pages() -> int:
    """Pages of mapped files that the process has in memory."""
    try:
        return int(Path("/proc/self/statm").read_text().split()[2])
    except (OSError, ValueError, IndexError):
        return 0


def _mapped_bytes(folder: Path) -> int:
    """Bytes of all files in a folder that are mapped and in memory."""
    total, inside = 0, False
    try:
        for line in Path("/proc/self/smaps").read_text(errors="surrogateescape").splitlines():
            if line.startswith("Rss:"):
                total += int(line.split()[1]) * 1024 if inside else 0
            elif "-" in line.split(" ", 1)[0]:  # the range of addresses, and what is mapped there
                inside = f" {folder}/" in line
    except (OSError, ValueError, IndexError):
        return 0
    return total


class OpenImages:
    """The images of one piece of work: each is looked for once, and stays what it was till the work is done.

    look : called while an image is waited for; it may raise what ends the work.
    """

    def __init__(self, store: ImageStore, look: Callable[[], None]) -> None:
        self._store, self._look = store, look
        self._open: dict[ImageRef, Pyramid] = {}
        self._tiles: dict[ImageRef, dict[Place, ImageRef]] = {}

    def open(self, ref: ImageRef) -> Pyramid:
        """The pyramid of an image. Raises CollageError if there is none to be had."""
        found = self._open.get(ref)
        if found is None:
            if ref.stand_in:
                self._store.begin(replace(ref, stand_in=False))
            else:
                while not self._store.arrived(ref, WAIT):
                    self._look()
            found = self._open[ref] = self._store.open(ref)
        return found

    def tiles(self, ref: ImageRef) -> dict[Place, ImageRef]:
        """The images of a numbered name, tile by tile."""
        found = self._tiles.get(ref)
        if found is None:
            found = self._tiles[ref] = ref.tiles
        return found
