"""Reading and writing image files through OpenImageIO, with sentences for what can go wrong."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from collage.core.base.errors import CollageError, disk_errors
from collage.core.base.progress import Progress, Steps, finished, within
from collage.core.base.safe_write import is_file, put, replacing
from collage.core.base.text import holds
from collage.core.images import png
from collage.core.images.codecs import CODECS, Codec, codec_of, codec_to_write

MAX_SIDE = 65_536
MAX_PIXELS = 16_384 * 16_384
SEARCHED = 32 * 2**20  # bytes of a file in which any format is looked for


@dataclass(frozen=True)
class ImageInfo:
    """What a file's header says."""

    width: int
    height: int
    channels: int
    bits: int
    floating: bool


def _open(path: Path) -> oiio.ImageInput:
    if not is_file(path):
        raise CollageError(
            "The file is not there.", about=path.name, remedy="Find the file again, or choose another one."
        )
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)  # alpha stays unassociated, as the standard's reference has it
    with _readable_name(path) as name:
        source = oiio.ImageInput.open(name, config) if _may_be_image(path, name) else None
    if source is None:
        reason = _reason(oiio.geterror) or "unknown form"
        raise CollageError(
            f"The file cannot be read as an image: {reason}.",
            about=path.name,
            remedy="Save it again as PNG, TIFF, JPEG, EXR or HDR.",
        )
    return source


def _may_be_image(path: Path, name: str) -> bool:
    """Whether a large file is of a known format; the library looks for others through all of it, for minutes."""
    if path.stat().st_size <= SEARCHED:
        return True
    readers = (oiio.ImageInput.create(codec.library_name) for codec in CODECS)
    return any(reader is not None and reader.valid_file(name) for reader in readers)


def _reason(tell: Callable[[], str]) -> str:
    """The first line of what the library says; it repeats names out of damaged files, which may be no text."""
    try:
        return tell().split("\n")[0]
    except UnicodeDecodeError:
        return ""


@contextmanager
def _readable_name(path: Path) -> Iterator[str]:
    """A name under which the image library can open a file; it takes none that is no text."""
    if holds(str(path)):
        yield str(path)
        return
    with path.open("rb") as file:
        yield f"/proc/self/fd/{file.fileno()}"


def read_info(path: Path) -> ImageInfo:
    """Size and depth from the header, with nothing else read."""
    source = _open(path)
    try:
        return _info(source.spec(), path)
    finally:
        source.close()


def oddities(path: Path) -> tuple[str, ...]:
    """Sentences about what is odd in a file that can be read all the same. Raises CollageError if it cannot."""
    source = _open(path)
    try:
        spec, form = source.spec(), source.format_name()
    finally:
        source.close()
    told = []
    codec = codec_of(path)
    if codec is not None and codec.library_name != form:
        told.append(f"Its ending says {path.suffix}, but it is a file of the form {form.upper()}.")
    if spec.get_string_attribute("tiff:ColorSpace") == "CMYK":
        told.append("It holds printing inks (CMYK), which are turned to RGB roughly; save it as RGB.")
    if spec.nchannels > 4:
        told.append(f"It has {spec.nchannels} channels; the first four are used.")
    return tuple(told)


def _info(spec: oiio.ImageSpec, path: Path) -> ImageInfo:
    if spec.width < 1 or spec.height < 1 or spec.nchannels < 1:
        raise CollageError("The image is empty.", about=path.name, remedy="Save it again.")
    if max(spec.width, spec.height) > MAX_SIDE or spec.width * spec.height > MAX_PIXELS:
        raise CollageError(
            f"The header says {spec.width:,} × {spec.height:,} pixels, more than Collage opens ({MAX_SIDE:,} a side).",
            about=path.name,
            remedy="Check the file, or save it smaller.",
        )
    size = path.stat().st_size
    if spec.width * spec.height / max(size, 1) > 50_000:  # no packing shrinks a picture that far
        raise CollageError(
            f"The header says {spec.width:,} × {spec.height:,} pixels, but the file has only {size:,} bytes.",
            about=path.name,
            remedy="The file is broken; copy or save it again.",
        )
    kind = spec.format.basetype
    floating = kind in (oiio.HALF, oiio.FLOAT, oiio.DOUBLE)
    return ImageInfo(spec.width, spec.height, spec.nchannels, spec.format.size() * 8, floating)


def read_top(path: Path, rows: int) -> np.ndarray:
    """The first rows of an image as stored: (rows, w, c) uint8, uint16 or float32. Raises CollageError."""
    source = _open(path)
    try:
        info = _info(source.spec(), path)
        kind = _kind(info)
        end = min(rows, info.height)
        spec = source.spec()
        if spec.tile_width:  # tiles are read whole
            return read_pixels(path)[:end]
        pixels = source.read_scanlines(spec.y, spec.y + end, spec.z, 0, info.channels, kind)
        if pixels is None:
            raise CollageError("The image is broken.", about=path.name, remedy="Copy or save the file again.")
    finally:
        source.close()
    return np.asarray(pixels).reshape(end, info.width, info.channels)


def _kind(info: ImageInfo) -> str:
    """The type that pixels are read as."""
    return "float" if info.floating or info.bits > 16 else ("uint8" if info.bits == 8 else "uint16")


def read_pixels(path: Path, most: int = 4) -> np.ndarray:
    """All pixels of an image as stored: (h, w, c) uint8, uint16 or float32, top row first.

    most : how many channels are read; the others are left out.
    """
    source = _open(path)
    try:
        info = _info(source.spec(), path)
        channels = min(info.channels, most)
        pixels = _whole(source.read_image(0, 0, 0, channels, _kind(info)), source, path)
    finally:
        source.close()
    return pixels.reshape(info.height, info.width, channels)


ROWS = 256  # of an image that are read at once: they stay in the processor's cache


@dataclass(frozen=True)
class Parts:
    """An image in parts. shape : (height, width, channels). parts : some rows each, (rows, w, c), from the top."""

    shape: tuple[int, int, int]
    parts: Iterator[np.ndarray]


@contextmanager
def pixels_in_parts(path: Path, most: int = 4, *, floats: bool = False) -> Iterator[Parts]:
    """The pixels of an image as `read_pixels` gives them, ROWS rows at a time or about as many.

    floats : whether floating point numbers come in parts too; else all of them in one. Raises CollageError, also where
    the next part is asked for.
    """
    source = _open(path)
    try:
        spec = source.spec()
        info = _info(spec, path)
        shape = (info.height, info.width, min(info.channels, most))
        if not floats and (spec.tile_width or info.floating):
            yield Parts(shape, iter([read_pixels(path, most)]))
            return

        def parts() -> Iterator[np.ndarray]:
            done = 0
            if source.format_name() == "png":
                with suppress(png.NotPlain):
                    for plain in png.rows_of(path, ROWS):
                        yield np.ascontiguousarray(plain[:, :, : shape[2]])
                        done += len(plain)
            step = max(ROWS // (spec.tile_height or ROWS), 1) * (spec.tile_height or ROWS)  # tiles are read whole
            for start in range(done, info.height, step):
                end = min(start + step, info.height)
                rows = _rows(source, spec, start, end, shape[2], _kind(info))
                yield _whole(rows, source, path).reshape(end - start, *shape[1:])

        yield Parts(shape, parts())
    finally:
        source.close()


def _rows(
    source: oiio.ImageInput, spec: oiio.ImageSpec, start: int, end: int, channels: int, kind: str
) -> np.ndarray | None:
    """Some rows of a file; with tiles, `start` is where some of them begin. None where they cannot be read."""
    first, last = spec.y + start, spec.y + end
    if spec.tile_width:
        return source.read_tiles(spec.x, spec.x + spec.width, first, last, spec.z, spec.z + 1, 0, channels, kind)  # type: ignore[no-any-return]
    return source.read_scanlines(first, last, spec.z, 0, channels, kind)  # type: ignore[no-any-return]


def _whole(pixels: np.ndarray | None, source: oiio.ImageInput, path: Path) -> np.ndarray:
    """What was read; raises CollageError where there is nothing."""
    if pixels is not None:
        return np.asarray(pixels)
    reason = _reason(source.geterror) or "it ends too early"
    raise CollageError(f"The image is broken: {reason}.", about=path.name, remedy="Copy or save the file again.")


BYTES_AT_ONCE = 8 * 2**20  # of a picture that is written: a step takes some tenths of a second

DIFFERENCES = 0x10
"""The PNG filter that keeps differences to the left neighbour. Trying every filter for each row takes twice as long,
and the files of photographs and maps become no smaller."""


def write_image(
    path: Path, pixels: np.ndarray, *, bits: int | None = None, attributes: Mapping[str, str] | None = None,
    channels: Sequence[str] | None = None,
) -> None:  # fmt: skip
    """Writes (h, w, c) pixels; the ending chooses the form. The file before stays whole until the new one is.

    pixels : uint8, uint16 or float32. bits : 8, 16 or 32, if it should differ from the array's. channels : their names,
    where the form has names. Raises CollageError.
    """
    finished(writing(path, pixels, bits=bits, attributes=attributes, channels=channels))


def writing(
    path: Path, pixels: np.ndarray, *, bits: int | None = None, attributes: Mapping[str, str] | None = None,
    channels: Sequence[str] | None = None,
) -> Steps[None]:  # fmt: skip
    """As `write_image`, some rows at a time: where it is closed before the end, the file before stays."""
    codec = codec_to_write(path)
    pixels = np.ascontiguousarray(pixels if pixels.ndim == 3 else pixels[:, :, None])
    spec = _spec(codec, pixels, bits or pixels.dtype.itemsize * 8, attributes or {})
    if channels is not None:
        spec.channelnames = tuple(channels)
    steps = f"Writing {path.name}"
    with disk_errors("The file cannot be written", about=path.name, remedy="Check the folder and the free space."):
        path.parent.mkdir(parents=True, exist_ok=True)
        with replacing(path) as temporary:
            if codec.tells_failure and holds(str(temporary)):
                yield from within(_encoding(codec, str(temporary), spec, pixels), 0, 1, steps)
            else:
                put(temporary, (yield from within(_encoded(codec, spec, pixels), 0, 1, steps)))
            _check_written(temporary, spec)


def _spec(codec: Codec, pixels: np.ndarray, bits: int, attributes: Mapping[str, str]) -> oiio.ImageSpec:
    height, width, channels = pixels.shape
    kind = {8: "uint8", 16: "uint16", 32: "float"}[bits]
    if codec.library_name == "openexr" and bits == 16:
        kind = "half"
    spec = oiio.ImageSpec(width, height, channels, kind)
    names = {1: ("Y",), 2: ("R", "G"), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}
    if channels in names:
        spec.channelnames = names[channels]
    spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("png:compressionLevel", 3)  # half the time of the usual 6, and a twentieth larger
    spec.attribute("png:filter", DIFFERENCES)
    for name, value in attributes.items():
        spec.attribute(name, value)
    return spec


def _encoding(codec: Codec, path: str, spec: oiio.ImageSpec, pixels: np.ndarray) -> Steps[None]:
    """Raises OSError with the library's own reason."""
    target = oiio.ImageOutput.create(codec.library_name)
    if target is None:
        raise OSError(_reason(oiio.geterror) or "unknown form")
    good = target.open(path, spec)
    rows = max(BYTES_AT_ONCE // max(pixels[0].nbytes, 1), 1)
    for start in range(0, len(pixels), rows):
        yield Progress("", start / len(pixels))
        end = min(start + rows, len(pixels))
        good = good and target.write_scanlines(start, end, 0, pixels[start:end])
    if not (good and target.close()):
        raise OSError(_reason(target.geterror) or "unknown reason")


def _encoded(codec: Codec, spec: oiio.ImageSpec, pixels: np.ndarray) -> Steps[bytes]:
    """A file in memory. Some codecs do not tell that a disk is full, and one ends the process."""
    with open(os.memfd_create("picture"), "rb") as file:
        yield from _encoding(codec, f"/proc/self/fd/{file.fileno()}", spec, pixels)
        return file.read()


def _check_written(path: Path, spec: oiio.ImageSpec) -> None:
    """Raises OSError for a file that cannot be read again."""
    with _readable_name(path) as name:
        source = oiio.ImageInput.open(name)
    if source is None:
        raise OSError(_reason(oiio.geterror) or "it cannot be read again")
    try:
        found = source.spec()
        if (found.width, found.height, found.nchannels) != (spec.width, spec.height, spec.nchannels):
            raise OSError("it is not what was written")
    finally:
        source.close()
