"""The form of a file of levels: a page that says how long it is, the texels, and what is known of them.

The texels begin at a whole page, so that they can be mapped; a pyramid can be made right where it will lie.
"""

from __future__ import annotations

import json
import mmap
import os
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.safe_write import put, replacing
from collage.core.images.pyramid import Coding, Pyramid

RULES = 2
"""Raised whenever the same image would give other levels, or lie otherwise in its file."""

MAGIC = b"Collage levels\n"
PAGE = 4096  # the texels begin here
CHUNK = 1 << 20  # bytes that have one checksum


def write_levels(path: Path, pyramid: Pyramid) -> None:
    """Writes a pyramid to a file, in the place of the one before. Raises OSError."""
    head, about = _framed(pyramid)
    with replacing(path, lasting=False) as temporary:
        put(temporary, head, pyramid.texels.data.cast("B"), about)


def room_for(path: Path, size: int) -> np.ndarray:
    """Room for so many bytes of texels in a new file, (size,) uint8, zeros. Raises OSError where the disk has none."""
    handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
    try:
        os.posix_fallocate(handle, 0, PAGE + size)  # else a full disk would be met where texels are put, as a signal
        return np.frombuffer(mmap.mmap(handle, PAGE + size), np.uint8, offset=PAGE)
    finally:
        os.close(handle)


def complete(path: Path, pyramid: Pyramid) -> None:
    """Makes a file of levels of one whose texels are there; see `room_for`. Raises OSError."""
    head, about = _framed(pyramid)
    with path.open("r+b", buffering=0) as file:
        for place, part in ((PAGE + pyramid.nbytes, about), (0, head)):
            file.seek(place)
            if file.write(part) != len(part):
                raise OSError("too little space is left")


def mapped(path: Path, *, check: bool = False) -> Pyramid:
    """A pyramid whose texels lie in a file. check : all of them by their sums.

    Raises OSError, and ValueError for a file that is not what was written.
    """
    with path.open("rb") as file:
        size, about = _about(file)
        memory = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
    if check:
        data = memoryview(memory)[PAGE : PAGE + size]
        if [zlib.crc32(data[at : at + CHUNK]) for at in range(0, size, CHUNK)] != about["sums"]:
            raise ValueError("changed since it was written")
    coding, kind = Coding(**about["coding"]), np.dtype(about["type"])
    texels = np.frombuffer(memory, kind, count=size // kind.itemsize, offset=PAGE)
    made = Pyramid(
        texels, coding, about["width"], about["height"], about["channels"], about["bits"], about["space"],
        about["floating"], about["even"], memory,
    )  # fmt: skip
    if size != made.layout.end * (1 if made.channels == 1 else 4) * (1 if coding.kind == "uint8" else 2):
        raise ValueError("not the levels of a picture of this size")
    return made


def _framed(pyramid: Pyramid) -> tuple[bytes, bytes]:
    """What stands before the texels, and what after them."""
    data = pyramid.texels.data.cast("B")
    about = {
        "rules": RULES, "width": pyramid.width, "height": pyramid.height, "channels": pyramid.channels,
        "bits": pyramid.bits, "space": pyramid.space, "floating": pyramid.floating, "even": pyramid.even,
        "coding": vars(pyramid.coding), "type": pyramid.texels.dtype.name,
        "sums": [zlib.crc32(data[start : start + CHUNK]) for start in range(0, len(data), CHUNK)],
    }  # fmt: skip
    text = json.dumps(about).encode()
    return (MAGIC + b"%d %d %d\n" % (len(data), len(text), zlib.crc32(text))).ljust(PAGE, b"\0"), text


def _about(file: Any) -> tuple[int, dict[str, Any]]:
    """How many bytes of texels a file has, and what it says about them. Raises ValueError."""
    first = file.read(PAGE)
    if not first.startswith(MAGIC):
        raise ValueError("no file of levels")
    line, _, rest = first[len(MAGIC) :].partition(b"\n")
    size, length, wanted = (int(part) for part in line.split())
    if rest.strip(b"\0") or size < 0 or os.fstat(file.fileno()).st_size != PAGE + size + length:
        raise ValueError("not as long as it should be")
    file.seek(PAGE + size)
    text = file.read(length)
    if zlib.crc32(text) != wanted:
        raise ValueError("damaged")
    about = json.loads(text)
    if about["rules"] != RULES:
        raise ValueError("made by other rules")
    return size, about
