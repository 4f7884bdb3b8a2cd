"""What the pictures themselves say: whether a map looks like what its name says it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from collage.core.gather.sets import FoundMap, default_space
from collage.core.gather.words import COLOURS, Role
from collage.core.images.files import oddities, read_pixels
from collage.core.images.pyramid import Pyramid
from collage.core.images.store import ImageRef, ImageStore

SAMPLE, SMALL = 256, 512
"""Sides in pixels: of the strided sample that is judged, and of the means in which slopes are compared."""

ONE_NUMBER: frozenset[Role] = frozenset(
    {"specular_roughness", "gloss", "base_metalness", "height", "occlusion", "opacity"}
)


LEANS = 0.25  # of the mean direction, away from straight up, from which on a picture is no normal map


@dataclass(frozen=True, eq=False)
class Look:
    """A picture in small.

    width, height, channels, bits, floating : of the file. sample : (h, w, c) float32, single pixels as stored.
    small : (h, w, c) float32, means over blocks, for a picture of it and for comparing slopes.
    """

    width: int
    height: int
    channels: int
    bits: int
    floating: bool
    sample: np.ndarray
    small: np.ndarray
    oddities: tuple[str, ...] = ()

    @property
    def colour_spread(self) -> float:
        """How far apart the channels are on average, 0 for a grey picture."""
        if self.sample.shape[2] < 3:
            return 0.0
        rgb = self.sample[:, :, :3]
        return float(np.mean(rgb.max(2) - rgb.min(2)))

    @property
    def grey(self) -> bool:
        """Whether the colour channels are nearly the same everywhere."""
        return self.colour_spread < 0.012

    @property
    def tells(self) -> bool:
        """Whether there is anything to see: a picture of one plain value says nothing about its role."""
        return float(self.sample.std(axis=(0, 1)).max()) > 0.004

    @property
    def normal_like(self) -> float:
        """The share of pixels that are unit vectors out of the surface, 0 where the picture leans to one side."""
        if self.sample.shape[2] < 3 or self.grey:
            return 0.0
        good = self.unit_vectors & (signed(self.sample)[:, :, 2] > 0.05)
        return float(good.mean()) if self.lean < LEANS else 0.0

    @property
    def lean(self) -> float:
        """How far the mean of its pixels, taken for directions, is beside straight up."""
        return float(np.abs(signed(self.sample)[:, :, :2].reshape(-1, 2).mean(0)).max())

    @property
    def unit_vectors(self) -> np.ndarray:
        """(h, w) bool, which of its pixels are directions of length 1."""
        length = np.sqrt((signed(self.sample) ** 2).sum(2))
        return np.asarray(np.abs(length - 1) < 0.12)

    @property
    def two_valued(self) -> bool:
        """Whether nearly all pixels are black or white, and both occur."""
        value = self.sample[:, :, 0]
        low, high = float(np.mean(value < 0.1)), float(np.mean(value > 0.9))
        return low + high > 0.85 and min(low, high) > 0.01

    @property
    def alpha_varies(self) -> bool:
        """Whether there is an alpha that is not opaque everywhere."""
        return self.channels in (2, 4) and float(self.sample[:, :, -1].min()) < 0.97

    def mean(self, channel: int = 0) -> float:
        """The mean of a channel, 0 to 1."""
        return float(self.sample[:, :, min(channel, self.sample.shape[2] - 1)].mean())

    def varies(self, channel: int) -> bool:
        """Whether a channel is not the same everywhere."""
        return float(self.sample[:, :, min(channel, self.sample.shape[2] - 1)].std()) > 0.004


def signed(pixels: np.ndarray) -> np.ndarray:
    """Vectors of (h, w, 3+) pixels: those stored in 0..1 are spread to -1..1."""
    rgb = pixels[:, :, :3]
    return rgb if float(rgb.min()) < -0.05 else rgb * 2 - 1


LookAt = Callable[[Path, str], Look]
"""How a picture is looked at, given what its colours mean."""


def look_at(path: Path, _space: str = "") -> Look:
    """Reads a picture whole and keeps it in small. Raises CollageError."""
    return replace(look_of(read_pixels(path)), oddities=oddities(path))


def look_through(images: ImageStore) -> LookAt:
    """Looks at pictures so that they stay open: a material of them is then in the preview without reading again."""

    def look(path: Path, space: str) -> Look:
        pyramid = images.open(ImageRef(str(path), "lin_rec709" if space in ("", "raw") else space))
        return replace(look_of_pyramid(pyramid), oddities=oddities(path))

    return look


def look_of_pyramid(pyramid: Pyramid) -> Look:
    """The look of an image that is open."""
    step = max(1, max(pyramid.width, pyramid.height) // SAMPLE)
    number = max(0, (max(pyramid.width, pyramid.height) - 1) // SMALL).bit_length()
    return Look(
        pyramid.width, pyramid.height, pyramid.channels, pyramid.bits, pyramid.floating,
        pyramid.level(0, step), pyramid.level(number),
    )  # fmt: skip


def look_of(pixels: np.ndarray) -> Look:
    """The look of (h, w, c) pixels as stored."""
    height, width, channels = pixels.shape
    top = {"uint8": 255.0, "uint16": 65535.0}.get(pixels.dtype.name, 1.0)
    step = max(1, max(height, width) // SAMPLE)
    sample = np.nan_to_num(pixels[step // 2 :: step, step // 2 :: step].astype(np.float32) / np.float32(top))
    return Look(
        width, height, channels, pixels.dtype.itemsize * 8, pixels.dtype.kind == "f", sample, _small(pixels, top)
    )


def _small(pixels: np.ndarray, top: float) -> np.ndarray:
    """Means over square blocks, so that the longer side has at most SMALL pixels."""
    height, width, channels = pixels.shape
    block = max(1, -(-max(height, width) // SMALL))
    rows, columns = max(height // block, 1), max(width // block, 1)
    if block == 1:
        return np.nan_to_num(pixels.astype(np.float32) / np.float32(top))
    if min(height, width) < block:
        return np.nan_to_num(pixels[::block, ::block].astype(np.float32) / np.float32(top))
    small = np.zeros((rows, columns, channels), np.float32)
    for row in range(block):  # a row of each block at a time, so that no float copy of the whole is made
        line = pixels[row : rows * block : block, : columns * block]
        small += line.reshape(rows, columns, block, channels).mean(2, dtype=np.float32)
    return np.nan_to_num(small / np.float32(block * top))


# ---- judging ------------------------------------------------------------------------------------


def fit(role: Role, look: Look) -> float:
    """How well a picture looks like a role, 0 to 1; 1 says only that nothing speaks against it."""
    grey = look.grey
    if role == "normal":
        return look.normal_like
    if look.normal_like > 0.9:
        return 0.2
    if role in ("base_color", "emission_color"):
        return 1.0 if not grey else 0.55
    if role in ONE_NUMBER and not grey:
        return 0.4
    if role == "occlusion":
        return 1.0 if look.mean() > 0.5 and not look.two_valued else 0.5
    if role == "opacity":
        return 1.0 if look.two_valued else 0.6
    if role == "height":
        return 0.6 if look.two_valued else 1.0
    return 1.0


def judged(one: FoundMap, look: Look, taken: frozenset[Role] = frozenset()) -> FoundMap:
    """The map as its picture shows it: surer, or less sure and with a remark, or in another role.

    taken : roles that other maps of the set have for sure.
    """
    one = replace(one, size=(look.width, look.height), bits=look.bits, depth=look.channels)
    for text in look.oddities:
        one = one.remarked(text)
    if one.role == "packed":
        return _judged_pack(one, look)
    if not look.tells:
        return one
    one = _best_role(one, look, taken)
    good = fit(one.role, look)
    if one.role == "normal" and good < 0.6:
        return _no_normal(one, look)
    if one.role != "normal" and look.normal_like > 0.9 and one.confidence < 0.99:
        return _in_role(one, "normal", 0.75, f"Named as {one.label.lower()}, but it looks like a normal map.")
    if one.role in ONE_NUMBER and not look.grey:
        one = replace(one, confidence=round(one.confidence * 0.7, 3))
        return one.remarked(f"Coloured, although {one.label.lower()} is one number; the red channel is used.")
    if one.role == "base_color" and look.alpha_varies and not one.channels:
        one = replace(one, channels=(("rgb", "base_color"), ("a", "opacity")))
        one = one.remarked("Its alpha is used as opacity.")
    surer = 1 - (1 - one.confidence) * (0.6 if good > 0.9 else 1.0)
    return replace(one, confidence=round(surer, 3))


def _best_role(one: FoundMap, look: Look, taken: frozenset[Role]) -> FoundMap:
    """Where the name allows several roles, the one that the picture fits best."""
    choices = [(one.role, one.confidence), *one.alternatives]
    close = [(role, sure) for role, sure in choices if sure > one.confidence - 0.35]
    if len(close) < 2 or one.confidence > 0.75 + 0.05:
        return one

    def weight(choice: tuple[Role, float]) -> float:
        role, sure = choice
        return sure * fit(role, look) * (0.3 if role in taken else 1.0)

    role, sure = max(close, key=weight)
    if role == one.role:
        return one
    return _in_role(one, role, max(sure, 0.55), "", f"{one.reason}; it looks like {role.replace('_', ' ')}")


def _in_role(one: FoundMap, role: Role, sure: float, remark: str, reason: str = "") -> FoundMap:
    suffix = Path(one.files[0]).suffix
    one = replace(
        one,
        role=role,
        confidence=sure,
        colorspace=default_space(role, suffix, (), one.details),
        reason=reason or "its picture",
    )
    return one.remarked(remark) if remark else one


def _no_normal(one: FoundMap, look: Look) -> FoundMap:
    if look.grey:
        return _in_role(one, "height", 0.6, "Named as a normal map, but it is grey; used as height.")
    return replace(one, confidence=round(one.confidence * 0.5, 3)).remarked(
        "It does not look like a normal map in tangent space."
    )


def _judged_pack(one: FoundMap, look: Look) -> FoundMap:
    """Channels that the file does not have are dropped, and a red channel that says something is occlusion."""
    have = {"r", "g", "b", "rgb"} if look.channels >= 3 else {"r"}
    have |= {"a"} if look.channels == 4 else set()
    channels = tuple((name, role) for name, role in one.channels if name in have)
    lost = [role for name, role in one.channels if name not in have]
    if dict(channels).keys() == {"g", "b"} and look.varies(0) and look.mean(0) > 0.4:
        channels = (("r", "occlusion"), *channels)
    if not channels:
        return replace(one, confidence=0.4).remarked("The picture has too few channels to be packed.")
    if lost:
        names = ", ".join(role.replace("_", " ") for role in lost)
        one = one.remarked(f"The file has no channel for {names}.")
    if len(channels) == 1:
        return _in_role(one, channels[0][1], 0.7, "", one.reason)
    space = default_space("packed", Path(one.files[0]).suffix, channels, one.details)
    one = replace(one, channels=channels, colorspace=space)
    if look.tells and look.grey and len([name for name, _ in channels if name in "rgb"]) > 1:
        return replace(one, confidence=0.5).remarked("All its channels are alike, so it may not be packed.")
    if not any(role in COLOURS or role == "normal" for _, role in channels):
        return replace(one, confidence=round(1 - (1 - one.confidence) * 0.6, 3))
    return one
