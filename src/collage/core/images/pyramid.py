"""An image as a pyramid of ever smaller levels, ready for filtered reading."""

from __future__ import annotations

import mmap
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from itertools import chain

import numpy as np

from collage.core.images.colour import curve, inverse_curve, is_linear, linear_light
from collage.core.kernels import Family

sampling, hexagons, pyramids = Family("sampling"), Family("hexagons"), Family("pyramids")

_KINDS = {"uint8": np.uint8, "uint16": np.uint16, "half": np.uint16}
WRAPS = {"constant": 0, "clamp": 1, "periodic": 2, "mirror": 3}


@dataclass(frozen=True)
class Coding:
    """How numbers are stored: value = number * scale + offset, or a half float's bits."""

    kind: str  # "uint8", "uint16" or "half"
    scale: float = 1.0
    offset: float = 0.0

    @property
    def numbers(self) -> tuple[int, float, float]:
        """What the kernels need."""
        codes = {"uint8": sampling.CODES, "uint16": sampling.PAIRS, "half": sampling.HALVES}
        return codes[self.kind], self.scale, self.offset

    def values(self, stored: np.ndarray) -> np.ndarray:
        """float32 of stored texels of any shape."""
        if self.kind == "half":
            return stored.view(np.float16).astype(np.float32)
        return stored.astype(np.float32) * np.float32(self.scale) + np.float32(self.offset)

    def stored(self, values: np.ndarray) -> np.ndarray:
        """Texels as stored of float32 values of any shape, clipped to what the coding holds."""
        if self.kind == "half":
            return np.clip(values, -65504, 65504).astype(np.float16).view(np.uint16)
        top = 255 if self.kind == "uint8" else 65535
        codes = (values - np.float32(self.offset)) * np.float32(1 / self.scale) + np.float32(0.5)
        return np.clip(codes, 0, top).astype(self.kind)


@dataclass(frozen=True)
class Layout:
    """Where the levels of a picture lie among all texels, one after the other.

    From a level to the end there is room for four thirds of its area and some for its edges; so where it begins is
    found by shifts alone, and hardly anything lies empty. Each row ends with its first texel once more.
    """

    width: int
    height: int

    @property
    def last(self) -> int:
        """The number of the smallest level."""
        return max(self.width, self.height).bit_length() - 1

    @property
    def area(self) -> int:
        """Four thirds of the texels of the full size, rounded up."""
        return -(-4 * self.width * self.height // 3)

    @property
    def end(self) -> int:
        """Texels that all levels take together."""
        return (self.width + 1) * self.height + (self._rest(1) if self.last else 0)

    @property
    def numbers(self) -> tuple[int, int, int, int, int]:
        """What the kernels need."""
        return self.width, self.height, self.last, self.end, self.area

    def _rest(self, level: int) -> int:
        edges = 2 * (self.width + 2 * self.height)
        return (self.area >> (2 * level)) + (edges >> level) + 3 * (self.last + 1 - level)

    def of(self, texels: np.ndarray, level: int) -> np.ndarray:
        """The (h, w + 1, c) texels of a level among all, (t, c)."""
        start = self.end - self._rest(level) if level else 0
        height, width = max(self.height >> level, 1), max(self.width >> level, 1)
        return texels[start : start + height * (width + 1)].reshape(height, width + 1, -1)


@dataclass(frozen=True, eq=False)
class Pyramid:
    """Texels of all levels in one array; see kernels.sampling for the layout.

    width, height : of the first level. bits : what the file stored per channel.
    space : what the stored colours mean. Texels are filtered as stored and then made linear, as the standard's
        reference does it; the smaller levels are means of linear light.
    even : all texels of the image are the same, so that one is kept, as if the image were that small.
    file : where the texels lie mapped, if they do; see level_files.
    """

    texels: np.ndarray
    coding: Coding
    width: int
    height: int
    channels: int
    bits: int = 8
    space: str = "lin_rec709"
    floating: bool = False
    even: bool = False
    file: mmap.mmap | None = None

    @property
    def layout(self) -> Layout:
        """Where its levels lie among the texels."""
        return Layout(1, 1) if self.even else Layout(self.width, self.height)

    @cached_property
    def whole(self) -> Pyramid:
        """With all texels of an even image: what lies past a border that is not repeated depends on their size."""
        if not self.even:
            return self
        texel = self.texels.view(_KINDS[self.coding.kind])[: self.channels]
        stored = np.ascontiguousarray(np.broadcast_to(texel, (self.height, self.width, self.channels)))
        return _with_levels(stored, self.coding, self.bits, self.space, self.floating, in_memory)

    def level(self, number: int, step: int = 1) -> np.ndarray:
        """Every `step`-th texel of a level, (h, w, channels) float32 as stored."""
        texels = self.texels if self.channels == 1 else self.texels.view(_KINDS[self.coding.kind])
        texels = texels.reshape(-1, 1 if self.channels == 1 else 4)
        there = self.layout.of(texels, 0 if self.even else number)
        if self.even:
            size = max(self.height >> number, 1), max(self.width >> number, 1) + 1
            there = np.broadcast_to(there[:1, :1], (*size, there.shape[2]))
        return self.coding.values(np.ascontiguousarray(there[::step, :-1:step, : self.channels]))

    @property
    def last(self) -> int:
        """The number of the smallest level, one texel in size."""
        return Layout(self.width, self.height).last

    @property
    def nbytes(self) -> int:
        """Bytes of all levels."""
        return int(self.texels.nbytes)

    def let_go(self) -> None:
        """What was read of a mapped file goes back to the system, and is read again when it is asked for."""
        if self.file is not None:
            self.file.madvise(mmap.MADV_DONTNEED)

    def read(
        self,
        place: np.ndarray,
        detail: np.ndarray | None = None,
        wrap: tuple[str, str] = ("periodic", "periodic"),
        nearest: bool = False,
        default: np.ndarray | None = None,
        out: np.ndarray | None = None,
    ) -> np.ndarray:
        """Values as stored, not made linear, at (2, n) places: (channels, n) float32.

        detail : (n,) level to read, the full size if left out. default : what lies outside, as stored.
        out : where they go, rows of contiguous numbers.
        """
        if self.even and "constant" in wrap:
            return self.whole.read(place, detail, wrap, nearest, default, out)
        outside = np.zeros(4, np.float32)
        if default is not None:
            outside[: min(4, len(default))] = default[:4]
        return sampling.sample(
            self.texels,
            self.channels,
            self.coding.numbers,
            self.layout.numbers,
            place,
            detail,
            (WRAPS.get(wrap[0], 2), WRAPS.get(wrap[1], 2)),
            nearest,
            outside,
            out,
        )

    def read_tile(
        self,
        place: np.ndarray,
        number: int,
        chances: tuple[np.ndarray, np.ndarray, np.ndarray],
        detail: np.ndarray | None,
    ) -> tuple[np.ndarray, np.ndarray]:
        """What the tile of one of the three hexagons around each place shows, (channels, n), and its turn, (n,).

        See kernels.hexagons: chances are how tiles are turned, sized and moved.
        """
        if self.channels > 1:
            kind = self.texels, self.channels, self.coding.numbers, self.layout.numbers
            return hexagons.read_tile(*kind, place, number, chances, detail)
        level = detail if detail is not None else np.zeros(place.shape[1], np.float32)
        there, turn, level = hexagons.tile(place, number, *chances, level)
        return self.read(there, None if detail is None else level), turn

    def linear(self, value: np.ndarray) -> np.ndarray:
        """Linear Rec. 709 of values as `read` gives them, of one channel or three or more."""
        if is_linear(self.space) or self.channels == 2:
            return value
        return linear_light(value, self.space, min(len(value), 3))

    def detail(self, place: np.ndarray, du: np.ndarray, dv: np.ndarray) -> np.ndarray:
        """Which level a pixel's footprint asks for, (n,).

        du, dv : (2, n), the place one pixel further in each direction. A long thin footprint reads sharper
        than its length, up to a fourth of it, so that slanted surfaces do not blur.
        """
        count = place.shape[1]
        places = [one if one.shape[1] == count else np.broadcast_to(one, (2, count)) for one in (place, du, dv)]
        return sampling.footprint(places[0], places[1], places[2], self.width, self.height)

    def detail_in_picture(self, place: np.ndarray, across: int) -> np.ndarray:
        """As `detail` for the (2, n) places of a picture `across` wide, row by row: its pixels two by two."""
        return sampling.footprint_in_picture(place, across, self.width, self.height)


def _halved(level: np.ndarray) -> np.ndarray:
    """The next level: the mean of two by two texels; an odd last row or column is taken in whole."""
    if level.shape[0] % 2 == 0 and level.shape[1] % 2 == 0:
        return pyramids.mean(level)
    for axis in (0, 1):
        size = level.shape[axis]
        if size == 1:
            continue
        if size % 2 == 0:
            first, second = (level[0::2], level[1::2]) if axis == 0 else (level[:, 0::2], level[:, 1::2])
            level = (first + second) * np.float32(0.5)
            continue
        pairs = np.arange(0, size - 1, 2)
        counts = np.full(len(pairs), 2.0, np.float32)
        counts[-1] += size % 2
        level = np.add.reduceat(level, pairs, axis=axis)
        level /= counts.reshape(-1, 1, 1) if axis == 0 else counts.reshape(1, -1, 1)
    return level


Room = Callable[[int], np.ndarray]
"""Gives room for so many bytes of texels, (n,) uint8, zeros."""


def in_memory(size: int) -> np.ndarray:
    """Room in the process's own memory."""
    return np.zeros(size, np.uint8)


def build(pixels: np.ndarray, space: str = "lin_rec709", room: Room = in_memory) -> Pyramid:
    """The pyramid of an image.

    pixels : (h, w, c) uint8, uint16, float16 or float32, as stored in the file, top row first.
    space : what its colours mean; kept with the pyramid, so 8 bits stay 8 bits.
    room : where the texels go.
    """
    if pixels.ndim == 2:
        pixels = pixels[:, :, None]
    space = "lin_rec709" if is_linear(space) or pixels.shape[2] == 2 else space
    bits, pixels_float = pixels.dtype.itemsize * 8, pixels.dtype.kind == "f"
    if pixels.dtype in (np.uint8, np.uint16):
        coding, stored = _coding_of(pixels.dtype), pixels
    else:
        pixels = np.nan_to_num(pixels.astype(np.float32, copy=False), posinf=65504.0, neginf=-65504.0)
        low, high = float(pixels.min(initial=0.0)), float(pixels.max(initial=1.0))
        # 16-bit steps over a small range are finer than half floats
        coding = Coding("uint16", (high - low) / 65535, low) if high - low <= 8.0 else Coding("half")
        stored = coding.stored(pixels)
    if stored.size and _is_even(stored):
        one = _with_levels(np.ascontiguousarray(stored[:1, :1]), coding, bits, space, pixels_float, in_memory)
        return replace(one, width=stored.shape[1], height=stored.shape[0], even=True)
    stored = np.ascontiguousarray(stored)
    if not pixels_float and _in_one(stored.shape, coding, space):
        return _by_tables(stored.shape, iter([stored]), coding, space, room)
    return _with_levels(stored, coding, bits, space, pixels_float, room)


def half_size(pixels: np.ndarray, space: str = "lin_rec709") -> np.ndarray:
    """An image at half its size, as the second level of its pyramid is: (h, w, c) to (h/2, w/2, c), of the same type.

    pixels : uint8, uint16 or float32 as stored. space : what its colours mean.
    """
    if pixels.dtype == np.float32:
        return _encoded(_halved(_light(pixels.copy(), space)), space)
    coding = Coding(pixels.dtype.name, 1 / np.iinfo(pixels.dtype).max)
    return _codes_of(_first_halved(np.ascontiguousarray(pixels), coding, space), coding, space)


def _is_even(stored: np.ndarray) -> bool:
    """Whether all pixels are the same; most images tell by their first row that they are not."""
    first = stored[0, 0]
    return bool((stored[0] == first).all()) and all((row == first).all() for row in stored)


def build_in_parts(
    shape: tuple[int, int, int], parts: Iterator[np.ndarray], space: str = "lin_rec709", room: Room = in_memory
) -> Pyramid:
    """The pyramid of an image that is read in parts; each is worked on while it is in the processor's cache.

    shape : (h, w, c). parts : some rows each, (rows, w, c), as `build` takes them; all but the last a multiple of four.
    """
    first = next(parts)
    if first.dtype.kind == "u" and not _is_even(first[:1]):
        space = "lin_rec709" if is_linear(space) or shape[2] == 2 else space
        coding = _coding_of(first.dtype)
        if _in_one(shape, coding, space):
            return _by_tables(shape, chain([first], parts), coding, space, room)
    return build(np.concatenate([first, *parts]), space, room)


def _coding_of(dtype: np.dtype) -> Coding:
    """Of whole numbers, as they are stored in a file."""
    return Coding(dtype.name, 1 / (255 if dtype == np.uint8 else 65535))


def _by_tables(
    shape: tuple[int, int, int], parts: Iterator[np.ndarray], coding: Coding, space: str, room: Room
) -> Pyramid:
    """The pyramid of whole numbers (h, w, c) that come in parts; see `_in_one`."""
    levels = _Levels(shape, np.dtype(coding.kind), room)
    plain, light = _tables(coding, space)
    steps = _code_table(space) if not is_linear(space) else np.zeros(0, np.uint8)
    third, row = [], 0
    for part in parts:
        here = slice(row, row + len(part))
        half = slice(here.start // 2, here.stop // 2)
        pyramids.spread(part, levels.of(0)[here])
        third.append(pyramids.two_levels(part, min(shape[2], 3), light, plain, steps, levels.of(1)[half]))
        row = here.stop
    bits = 8 * np.dtype(coding.kind).itemsize
    return levels.finished(np.concatenate(third), 2, coding, bits, space, floating=False)


class _Levels:
    """The texels of a pyramid in the making. shape : (h, w, c) of the image."""

    def __init__(self, shape: tuple[int, int, int], dtype: np.dtype, room: Room) -> None:
        self.height, self.width, self.channels = shape
        self.layout = Layout(self.width, self.height)
        per_texel = 1 if self.channels == 1 else 4
        self.place = room(self.layout.end * per_texel * dtype.itemsize)
        self.texels = self.place.view(dtype).reshape(self.layout.end, per_texel)

    def of(self, number: int) -> np.ndarray:
        """The texels of a level, (h, w + 1, 1 or 4)."""
        return self.layout.of(self.texels, number)

    def finished(
        self, level: np.ndarray, number: int, coding: Coding, bits: int, space: str, *, floating: bool
    ) -> Pyramid:
        """Fills a level with its light (h, w, c), and all that follow; the larger ones are there."""
        while number <= self.layout.last:
            pyramids.spread(_codes_of(level, coding, space), self.of(number))
            number += 1
            level = _halved(level) if number <= self.layout.last else level
        flat = self.texels.ravel() if self.channels == 1 else self.texels.view(np.uint8).ravel()
        flat.flags.writeable = False
        size = self.width, self.height, self.channels
        return Pyramid(flat, coding, *size, bits, space, floating, file=_file_of(self.place))


def _with_levels(stored: np.ndarray, coding: Coding, bits: int, space: str, floating: bool, room: Room) -> Pyramid:
    levels = _Levels(stored.shape, stored.dtype, room)
    pyramids.spread(stored, levels.of(0))
    if not levels.layout.last:
        return levels.finished(np.zeros(0, np.float32), 1, coding, bits, space, floating=floating)
    return levels.finished(_first_halved(stored, coding, space), 1, coding, bits, space, floating=floating)


def _file_of(array: np.ndarray) -> mmap.mmap | None:
    """The file that an array is mapped from."""
    base = array.base.obj if isinstance(array.base, memoryview) else array.base
    return base if isinstance(base, mmap.mmap) else None


def _in_one(shape: tuple[int, int, int], coding: Coding, space: str) -> bool:
    """Whether the second and third level of an image (h, w, c) can be made in one go, by tables."""
    height, width, _ = shape
    if Layout(width, height).last < 2:
        return False
    by_table = coding.kind == "uint8" or (coding.kind == "uint16" and is_linear(space))
    return by_table and not coding.offset and height % 4 == 0 and width % 4 == 0


def _first_halved(stored: np.ndarray, coding: Coding, space: str) -> np.ndarray:
    """The second level, from codes; by a table where that can be, which takes a tenth of the time and memory."""
    height, width, channels = stored.shape
    if coding.kind == "half" or height % 2 or width % 2:
        return _halved(_light(coding.values(stored), space))
    plain, light = _tables(coding, space)
    return pyramids.halve(stored, min(channels, 3), light, plain)


def _tables(coding: Coding, space: str) -> tuple[np.ndarray, np.ndarray]:
    """The value of every code, as stored and as light."""
    plain = coding.values(np.arange(256 if coding.kind == "uint8" else 65536))
    return plain, _light(plain.reshape(-1, 1, 1).copy(), space).ravel()


@lru_cache(maxsize=8)
def _code_table(space: str) -> np.ndarray:
    """The 8-bit code of light at 65536 even steps from 0 to 1."""
    table = inverse_curve(space)(np.linspace(0, 1, 65536))
    made = np.clip(np.rint(table * 255), 0, 255).astype(np.uint8)
    made.flags.writeable = False
    return made


def _codes_of(level: np.ndarray, coding: Coding, space: str) -> np.ndarray:
    """The codes of (h, w, c) light."""
    if coding.kind != "uint8" or coding.offset or is_linear(space):
        return coding.stored(_encoded(level, space))
    return pyramids.encode(np.ascontiguousarray(level), min(level.shape[2], 3), _code_table(space))


def _light(values: np.ndarray, space: str) -> np.ndarray:
    """Linear light of (h, w, c) values by the curve of their space; alpha has no curve."""
    if is_linear(space):
        return values
    colours = min(values.shape[2], 3)
    values[:, :, :colours] = curve(space)(values[:, :, :colours])
    return values


def _encoded(light: np.ndarray, space: str) -> np.ndarray:
    if is_linear(space):
        return light
    light = light.copy()
    colours = min(light.shape[2], 3)
    light[:, :, :colours] = inverse_curve(space)(light[:, :, :colours])
    return light
