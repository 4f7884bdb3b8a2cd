"""The image formats: one row each, for dialogs, the command line, reading and writing alike."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from collage.core.base.errors import CollageError


@dataclass(frozen=True)
class Codec:
    """An image format.

    library_name : what OpenImageIO calls it. suffixes : of its files, the usual one first. bits : depths it is written
    with, the usual one first; empty for formats that are only read. linear : whether it holds linear light.
    tells_failure : whether its encoder tells when the disk is full.
    """

    name: str
    library_name: str
    suffixes: tuple[str, ...]
    bits: tuple[int, ...] = ()
    linear: bool = False
    tells_failure: bool = False


CODECS = (
    Codec("PNG", "png", (".png",), (8, 16)),
    Codec("JPEG", "jpeg", (".jpg", ".jpeg"), (8,)),
    Codec("TIFF", "tiff", (".tif", ".tiff"), (8, 16, 32), tells_failure=True),
    Codec("OpenEXR", "openexr", (".exr",), (32, 16), linear=True, tells_failure=True),
    Codec("Radiance HDR", "hdr", (".hdr",), (32,), linear=True),
    Codec("TGA", "targa", (".tga",)),
    Codec("BMP", "bmp", (".bmp",)),
    Codec("PSD", "psd", (".psd",)),
    Codec("WebP", "webp", (".webp",)),
)

_BY_SUFFIX = {suffix: codec for codec in CODECS for suffix in codec.suffixes}
READ_SUFFIXES = frozenset(_BY_SUFFIX)
WRITTEN = tuple(codec for codec in CODECS if codec.bits)


def codec_of(path: Path) -> Codec | None:
    """The format that a file's ending names."""
    return _BY_SUFFIX.get(path.suffix.lower())


def codec_to_write(path: Path) -> Codec:
    """The format to write a file in. Raises CollageError for endings that Collage does not write."""
    codec = codec_of(path)
    if codec is None or not codec.bits:
        endings = ", ".join(one.suffixes[0] for one in WRITTEN)
        ending = f"“{path.suffix}” files" if path.suffix else "files without an ending"
        raise CollageError(f"Collage cannot write {ending}.", about=path.name, remedy=f"Use one of {endings}.")
    return codec


def dialog_filter() -> str:
    """The formats that are written, as a file dialog lists them."""
    return f"Pictures ({' '.join(f'*{suffix}' for codec in WRITTEN for suffix in codec.suffixes)})"


RECORD = ".made.json"
"""The end of the name of a record: how the picture beside it was made; see `made`."""
