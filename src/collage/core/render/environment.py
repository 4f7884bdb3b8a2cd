"""Light from all around: a latitude-longitude picture made ready for shading.

Diffuse light is integrated outright; glossy reflection is filtered per roughness with the GGX lobe
(B. Karis, Real Shading in Unreal Engine 4, SIGGRAPH 2013 course, the split-sum approximation); shadows
come from directions drawn where the light is.
"""

from __future__ import annotations

import contextlib
import hashlib
import math
import zipfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
import platformdirs

from collage.core.base.safe_write import replacing
from collage.core.images.colour import LUMINANCE, to_linear
from collage.core.images.files import pixels_in_parts
from collage.core.images.pyramid import Pyramid, build
from collage.core.kernels import Family
from collage.core.kernels.levels import IRRADIANCE, IRRADIANCE_SIZE, ROUGHNESSES, SIZES
from collage.core.render.latlong import to_direction, to_place
from collage.core.render.octahedron import directions as octahedron
from collage.core.render.picture_sun import IRRADIANCE as SUNLIGHT
from collage.core.render.picture_sun import parted

pyramids = Family("pyramids")

SETS, TURNS, PER_SET = 16, 4, 12  # see kernels.rays, SUBSETS and TURNS
_VERSION = b"11"  # of what is kept in the cache
WIDEST = 2048  # texels of the picture that light is traced from
BRIGHTEST = 65504.0  # what a light of a picture may be: the most that half floats hold
SAMPLES = (1, 24, 48, 96, 192, 192, 192)  # narrow lobes need few


@dataclass(frozen=True, eq=False)
class EnvironmentLight:
    """An environment made ready.

    maps : (texels, 3) float32, the filtered levels one after the other, each a square with a border (see octahedron
        and kernels.levels), and last the irradiance over pi: what white paper would send back.
    directions : (SETS * PER_SET, 3) float32 where shadows are looked for; radiance : (same, 4), light from there over
        the density of directions, and what an even white one would send.
    picture : (h, w, 3) float32, what it was made of, at most WIDEST across.
    sun : (7,) float32, what of the picture is in none of the others, see `picture_sun`.
    key : names the picture that it was made of. remarks : what was odd about it.
    """

    maps: np.ndarray
    directions: np.ndarray
    radiance: np.ndarray
    picture: np.ndarray
    sun: np.ndarray
    key: str = ""
    remarks: tuple[str, ...] = ()

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return sum(getattr(self, name).nbytes for name in _ARRAYS)


_ARRAYS = ("maps", "directions", "radiance", "picture", "sun")


def balanced(light: EnvironmentLight, by: tuple[float, float, float]) -> EnvironmentLight:
    """The same with its light multiplied by a colour."""
    factor = np.array(by, np.float32)
    arrays = {name: getattr(light, name) * factor for name in ("maps", "picture")}
    arrays["radiance"] = light.radiance * np.append(factor, np.float32(1))
    arrays["sun"] = light.sun.copy()
    arrays["sun"][SUNLIGHT] *= factor
    return replace(light, **arrays, key=f"{light.key} {by}")


def neutral_balance(light: EnvironmentLight) -> tuple[float, float, float]:
    """What to multiply an environment's light by so that white paper that lies flat looks grey in it, as bright as
    before. Light of a colour that is missing cannot be brought back."""
    size = IRRADIANCE_SIZE + 2
    up = octahedron(IRRADIANCE_SIZE)[:, 1].argmax()
    sun = light.sun[SUNLIGHT] * max(float(light.sun[1]), 0.0) / np.pi
    colour = np.maximum(light.maps[-size * size :][up].astype(float) + sun, 1e-6)
    grey = float(colour @ LUMINANCE)
    red, green, blue = (float(one) for one in np.clip(grey / colour, 0.05, 20))
    return red, green, blue


def even(grey: float = 1.0) -> np.ndarray:
    """An environment picture of one grey, (8, 16, 3) float32."""
    return np.full((8, 16, 3), grey, np.float32)


def load_environment(path: Path | None) -> EnvironmentLight:
    """The environment in a file, or an even grey for None. Raises CollageError.

    It is read some rows at a time, so that a large one needs no more room than what is kept of it. What was made ready
    before is kept in the user's cache folder, by the picture's content.
    """
    picture, remarks = (even(0.5), ()) if path is None else read_environment(path)
    key = _key(picture)
    kept = Path(platformdirs.user_cache_dir("collage")) / "environments" / f"{key}.npz"
    found = _from_cache(kept)
    if found is None:
        found = prepare(picture, key)
        _to_cache(kept, found)
    return replace(found, key=key, remarks=remarks)


def read_environment(path: Path) -> tuple[np.ndarray, tuple[str, ...]]:
    """A picture (h, w, 3) float32 of linear light, at most WIDEST across by the means of its texels, and remarks.

    8 and 16 bits are taken as sRGB. Light that is no number, negative or brighter than BRIGHTEST is held to what light
    can be, which is told. Raises CollageError.
    """
    counts = np.zeros(3, int)
    with pixels_in_parts(path, 4, floats=True) as image:
        made = _Narrowed(*image.shape[:2])
        for part in image.parts:
            made.add(_cleaned(_linear(_three(part)), counts))
    share = counts / max(3 * image.shape[0] * image.shape[1], 1)
    words = ("no number", "below nothing", f"brighter than {BRIGHTEST:,.0f}")
    told = tuple(
        f"The environment {path.name} has light that is {word} ({_percent(one)} of it); it is held to what can be."
        for word, one in zip(words, share, strict=True)
        if one > 0
    )
    return made.picture(), told


def _percent(share: float) -> str:
    return f"{100 * share:.2g} %" if share >= 1e-4 else "less than 0.01 %"


def _three(picture: np.ndarray) -> np.ndarray:
    """Red, green and blue of (h, w, c) pixels of any number of channels."""
    return picture[:, :, :3] if picture.shape[2] >= 3 else np.repeat(picture[:, :, :1], 3, axis=2)


def _cleaned(light: np.ndarray, counts: np.ndarray) -> np.ndarray:
    """Light held to what it can be. counts : (3,), to which is added how much of it is odd: see `read_environment`."""
    low, high = float(light.min(initial=0)), float(light.max(initial=0))
    if low >= 0 and high <= BRIGHTEST:  # no comparison with what is no number is true
        return light
    counts += [np.isnan(light).sum(), (light < 0).sum(), (light > BRIGHTEST).sum()]
    return np.clip(np.nan_to_num(light, posinf=BRIGHTEST, neginf=0), 0, BRIGHTEST)


class _Narrowed:
    """A picture of some height and width, put together from rows, that becomes at most WIDEST across by means."""

    def __init__(self, height: int, width: int) -> None:
        rows, columns = (height, width) if width <= WIDEST else (max(round(height * WIDEST / width), 1), WIDEST)
        down, across = (np.arange(many) * of // many for many, of in ((rows, height), (columns, width)))
        areas = np.diff(np.append(down, height))[:, None] * np.diff(np.append(across, width))
        self.areas = areas.astype(np.float32)
        self.row_of, self.column_of = (
            np.searchsorted(starts, np.arange(of), side="right") - 1 for starts, of in ((down, height), (across, width))
        )
        self.sums = np.zeros((rows, columns, 3), np.float32)
        self.done = 0

    def add(self, part: np.ndarray) -> None:
        """Takes in the next rows, (h, w, 3)."""
        pyramids.add_narrowed(part, self.row_of[self.done : self.done + len(part)], self.column_of, self.sums)
        self.done += len(part)

    def picture(self) -> np.ndarray:
        """The means, (h, w, 3) float32, once all rows are there."""
        self.sums /= self.areas[:, :, None]
        return self.sums


def _key(picture: np.ndarray) -> str:
    return hashlib.blake2b(picture.tobytes(), digest_size=16, salt=_VERSION).hexdigest()


def _from_cache(path: Path) -> EnvironmentLight | None:
    try:
        with np.load(path, allow_pickle=False) as arrays:
            return EnvironmentLight(**{name: arrays[name] for name in _ARRAYS})
    except (OSError, ValueError, KeyError, zipfile.BadZipFile):
        return None  # not there, or broken: it is made again


def _to_cache(path: Path, light: EnvironmentLight) -> None:
    with contextlib.suppress(OSError):  # no cache is no harm
        path.parent.mkdir(parents=True, exist_ok=True)
        with replacing(path) as temporary:
            np.savez(temporary, **{name: getattr(light, name) for name in _ARRAYS})


def prepare(picture: np.ndarray, key: str = "") -> EnvironmentLight:
    """Makes a picture ready. picture : (h, w, c) of linear light (8 and 16 bits are taken as sRGB). key : its own, if
    it is known."""
    made = _Narrowed(*picture.shape[:2])
    made.add(_cleaned(_linear(_three(picture)), np.zeros(3, int)))
    linear = made.picture()
    rest, sun = parted(linear)
    pyramid = build(rest)
    small, weight, way = _small(pyramid)
    filtered = zip(ROUGHNESSES, SIZES[:IRRADIANCE], SAMPLES, strict=True)
    makes = [partial(_glossy, pyramid, float(roughness), size, count) for roughness, size, count in filtered]
    with ThreadPoolExecutor() as pool:
        levels = list(pool.map(lambda make: make(), [*makes, partial(_irradiance, small, weight, way)]))
    directions, radiance = _shadow_directions(small, weight)
    maps = np.concatenate(levels).astype(np.float32)
    return EnvironmentLight(maps, directions, radiance, linear, sun, key or _key(picture))


def _linear(picture: np.ndarray) -> np.ndarray:
    """(h, w, 3) float32 linear light."""
    if picture.dtype == np.float32:
        return picture
    values = picture / np.float32(np.iinfo(picture.dtype).max)
    return np.moveaxis(to_linear(np.moveaxis(values, 2, 0), "srgb_texture"), 0, 2)


def _irradiance(colour: np.ndarray, angle: np.ndarray, way: np.ndarray) -> np.ndarray:
    """What white paper would send back, facing each direction: of light of some colours (m, 3) from within solid angles
    (m,) around directions (m, 3)."""
    out = octahedron(IRRADIANCE_SIZE)
    parts = [np.maximum(part @ way.T, 0) @ (colour * angle[:, None]) for part in np.array_split(out, 16)]
    return np.asarray(np.concatenate(parts) / np.pi)


def _small(pyramid: Pyramid, width: int = 128) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A small version: colours (m, 3), solid angle of each (m,), and direction (m, 3)."""
    height = width // 2
    v, u = np.meshgrid(1 - (np.arange(height) + 0.5) / height, (np.arange(width) + 0.5) / width, indexing="ij")
    place = np.stack([u.ravel(), v.ravel()]).astype(np.float32)
    detail = np.full(place.shape[1], math.log2(max(pyramid.width / width, 1)), np.float32)
    colour = pyramid.read(place, detail, ("periodic", "clamp")).T
    way = to_direction(place[0].astype(float), place[1].astype(float))
    angle = np.cos((place[1] - 0.5) * np.pi) * (2 * np.pi / width) * (np.pi / height)
    angle *= 4 * np.pi / angle.sum()
    return colour.astype(float), angle, way


def _glossy(pyramid: Pyramid, roughness: float, size: int, count: int) -> np.ndarray:
    """The environment seen in a surface of this roughness, for every mirrored direction."""
    out = octahedron(size)
    if roughness == 0:
        detail = np.full(len(out), math.log2(max(pyramid.width / (size * 2.8), 1)), np.float32)
        return pyramid.read(to_place(out), detail, ("periodic", "clamp")).T
    helper = np.where(np.abs(out[:, 1:2]) < 0.95, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    side = np.cross(helper, out)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    other = np.cross(out, side)
    alpha2 = roughness**4
    total, weights = np.zeros((len(out), 3)), 0.0
    texel = 4 * np.pi / (pyramid.width * pyramid.height)
    for k in range(count):
        a, b = (k + 0.5) / count, (k * 0.6180339887) % 1.0
        cosine = np.sqrt((1 - a) / (1 + (alpha2 - 1) * a))  # GGX distribution of half vectors
        sine = np.sqrt(1 - cosine**2)
        half = np.array([sine * np.cos(2 * np.pi * b), sine * np.sin(2 * np.pi * b), cosine])
        light = 2 * half[2] * half - [0, 0, 1]
        if light[2] <= 0:
            continue
        density = alpha2 / (np.pi * (cosine**2 * (alpha2 - 1) + 1) ** 2) / 4
        level: float = max(0.5 * math.log2(max(1 / (count * float(density)) / texel, 1)), 0.0)
        way = side * light[0] + other * light[1] + out * light[2]
        colour = pyramid.read(to_place(way), np.full(len(out), level, np.float32), ("periodic", "clamp"))
        total += colour.T * light[2]
        weights += light[2]
    return total / weights


def _shadow_directions(colour: np.ndarray, angle: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Directions where shadows are looked for: half of them where light is, half everywhere."""
    index = np.arange(SETS * PER_SET)
    luminance = colour @ LUMINANCE
    power = luminance * angle
    height = int(np.sqrt(len(colour) / 2))
    share = (power / power.sum() if power.sum() > 0 else angle / angle.sum()).reshape(height, 2 * height)
    # a rank-1 sequence for each half (M. Roberts, The unreasonable effectiveness of quasirandom sequences, 2018)
    a, b = (0.5 + index // 2 * 0.7548776662) % 1, (0.5 + index // 2 * 0.5698402910) % 1
    first = SETS * TURNS  # rays of all sets and turns
    lit = (index + index // first) % 2 == 0
    around, up = (a + 0.4) % 1, (b + 0.8) % 1  # apart: even light is not looked for twice at the same places
    everywhere = around, np.arcsin(np.clip(1 - 2 * up, -1, 1)) / np.pi + 0.5
    u, v = np.where(lit, _where_light_is(share, a, b), everywhere)
    row, column = ((1 - v) * height).astype(int), (u * 2 * height).astype(int)
    at = np.minimum(column, 2 * height - 1) + 2 * height * np.minimum(row, height - 1)
    density = 0.5 * share.ravel()[at] / angle[at] + 0.5 / (4 * np.pi)
    # every part of the sequence is even by itself: the first rays of all sets and turns are its first part, the second
    # ones its second; a set has some of all of them, and shifts keep those from lying close together
    turn, part = index % first // SETS, index // first
    order = (index + 9 * turn + 6 * part) % SETS * PER_SET + turn * (PER_SET // TURNS) + part
    way, radiance = np.empty((index.size, 3), np.float32), np.empty((index.size, 4), np.float32)
    colours = np.concatenate([colour[at], np.ones((index.size, 1))], axis=1)
    way[order], radiance[order] = to_direction(u, v), colours / density[:, None]
    return way, radiance


def _where_light_is(share: np.ndarray, a: np.ndarray, b: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Places (u, v) of even numbers a, b (n,) in proportion to the light: a column by a, then a row in it by b.

    share : (h, w) of all light in each texel. M. Pharr and others, Physically Based Rendering, 2D sampling by marginal
    and conditional densities.
    """
    height, width = share.shape

    def inside(below: np.ndarray, part: np.ndarray, wanted: np.ndarray) -> np.ndarray:
        return np.clip((wanted - below) / np.maximum(part, 1e-30), 0, 0.999)

    columns = share.sum(axis=0)
    until = np.cumsum(columns)
    column = np.minimum(np.searchsorted(until, a * until[-1]), width - 1)
    u = (column + inside(until[column] - columns[column], columns[column], a * until[-1])) / width
    until = np.cumsum(share, axis=0)[:, column]
    wanted = b * until[-1]
    row = np.minimum((until < wanted).sum(axis=0), height - 1)
    part = share[row, column]
    v = 1 - (row + inside(until[row, np.arange(len(a))] - part, part, wanted)) / height
    return u, v
