"""Plain PNG files, read in half the time that the image library takes: inflated by isal, which is made for that.

Only what nearly all maps are: 8 or 16 bit, of one to four channels, not interlaced, and whole. All else is left to
the image library, which also tells what is wrong with a file. See the PNG specification, https://www.w3.org/TR/png-3/.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np
from isal import isal_zlib

from collage.core.kernels import Family

SIGNATURE = b"\x89PNG\r\n\x1a\n"
CHANNELS = {0: 1, 2: 3, 4: 2, 6: 4}  # by the number that says what colours are
IDLE = frozenset(b"gAMA sRGB cHRM iCCP cICP pHYs oFFs tEXt zTXt iTXt tIME eXIf".split())
"""Chunks that change no pixel as it is stored."""
AT_ONCE = 1 << 16  # bytes that are inflated at a time
LONGEST = 1 << 26  # bytes of a chunk; each is held in memory as a whole

_kernels = Family("png")
_DAMAGED: type[Exception] = isal_zlib.error  # type: ignore[assignment]  # its stubs say it is an instance


class NotPlain(Exception):
    """The file is for the image library to read."""


@dataclass(frozen=True)
class Header:
    """What a plain file's first chunk says. bits : 8 or 16."""

    width: int
    height: int
    bits: int
    channels: int

    @property
    def step(self) -> int:
        """Bytes of a pixel."""
        return self.channels * self.bits // 8


def rows_of(path: Path, at_once: int) -> Iterator[np.ndarray]:
    """The rows of a plain file from the top, `at_once` at a time: (n, w, c) uint8 or uint16.

    Raises NotPlain before the first row where another reader must take the file, and at the rows where it is damaged.
    """
    try:
        with path.open("rb") as file:
            header = _header(file)
            size = 1 + header.width * header.step
            above = np.zeros(size - 1, np.uint8)
            inflated = _Inflated(_compressed(file))
            filtered = np.empty((min(at_once, header.height), size), np.uint8)
            for start in range(0, header.height, at_once):
                count = min(at_once, header.height - start)
                inflated.fill(filtered[:count])
                out = np.empty((count, size - 1), np.uint8)
                if not _kernels.unfilter(filtered[:count], above, header.step, out):
                    raise NotPlain
                above = out[-1]
                yield _pixels(out, header)
    except (OSError, struct.error, _DAMAGED) as error:
        raise NotPlain from error


def _header(file: BinaryIO) -> Header:
    if file.read(len(SIGNATURE)) != SIGNATURE:
        raise NotPlain
    kind, data = _chunk(file)
    if kind != b"IHDR":
        raise NotPlain
    width, height, bits, colours, *ways = struct.unpack(">IIBBBBB", data)
    if bits not in (8, 16) or colours not in CHANNELS or any(ways) or not (width and height):
        raise NotPlain
    return Header(width, height, bits, CHANNELS[colours])


def _chunk(file: BinaryIO) -> tuple[bytes, bytes]:
    """The kind and the data of the next chunk. Raises NotPlain for a damaged one, and at the file's end."""
    length, kind = struct.unpack(">I4s", file.read(8))
    if length > LONGEST:
        raise NotPlain
    data = file.read(length)
    (told,) = struct.unpack(">I", file.read(4))
    if isal_zlib.crc32(data, isal_zlib.crc32(kind)) != told:
        raise NotPlain
    return kind, data


def _compressed(file: BinaryIO) -> Iterator[bytes]:
    """The compressed pixels, some chunks at a time."""
    found = bytearray()
    kind, data = _chunk(file)
    while kind in IDLE:
        kind, data = _chunk(file)
    if kind != b"IDAT":
        raise NotPlain
    while kind == b"IDAT":
        found += data
        if len(found) >= AT_ONCE:
            yield bytes(found)
            found.clear()
        kind, data = _chunk(file)
    yield bytes(found)


class _Inflated:
    """The bytes of all filtered rows, inflated as they are taken."""

    def __init__(self, compressed: Iterator[bytes]) -> None:
        self._compressed = compressed
        self._inflater = isal_zlib.decompressobj()

    def fill(self, out: np.ndarray) -> None:
        """Puts the next bytes into an array of uint8. Raises NotPlain where there are not as many."""
        room, done = out.reshape(-1), 0
        while done < len(room):
            data = self._inflater.unconsumed_tail or next(self._compressed, b"")
            piece = self._inflater.decompress(data, len(room) - done)
            if not (piece or data):
                raise NotPlain
            room[done : done + len(piece)] = np.frombuffer(piece, np.uint8)
            done += len(piece)


def _pixels(rows: np.ndarray, header: Header) -> np.ndarray:
    """(n, bytes) uint8 as (n, w, c) of the header's depth; 16 bit lie with the high byte first."""
    shape = (len(rows), header.width, header.channels)
    return rows.reshape(shape) if header.bits == 8 else rows.view(">u2").astype(np.uint16).reshape(shape)
