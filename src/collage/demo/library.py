"""The sample library: ten map sets in the mixed habits that people meet, photographs, a sky and a studio."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from collage.core.base.progress import Progress, Steps
from collage.core.images.files import write_image
from collage.demo.fields import blurred, cell_distances, fractal_field, soft_step, stretched
from collage.demo.maps import MapSet, bench_wood, celadon, encoded, mapset, sky, studio, terracotta
from collage.demo.photographs import KINDS, photograph
from collage.demo.regular import regular_photograph

Writer = Callable[[Path], None]


def _tint(*parts: float) -> np.ndarray:
    return np.array(parts)


def _mix(a: np.ndarray, b: np.ndarray, share: np.ndarray) -> np.ndarray:
    return a + (b - a) * share[..., None]


# ---- surfaces -----------------------------------------------------------------------------------


def slate(size: int = 1024, seed: int = 71) -> MapSet:
    """Split slate: flakes at slightly different heights, fine grain, a rusty vein here and there."""
    layers = fractal_field(size, seed, slope=1.9, low=1, high=30, stretch=(1.0, 1.8))
    steps = np.floor(layers * 2.2) / 2.2
    grain = fractal_field(size, seed + 1, slope=0.8, low=30)
    height = stretched(0.7 * blurred(steps, 1.2) + 0.3 * layers + 0.05 * grain)
    rust = soft_step(fractal_field(size, seed + 2, slope=2.0, low=2, high=20), 1.1, 2.2)
    colour = _mix(_tint(0.075, 0.082, 0.090), _tint(0.125, 0.130, 0.132), soft_step(layers, -1.5, 1.5))
    colour = _mix(colour, _tint(0.19, 0.105, 0.05), rust * 0.6) * (1 + 0.06 * grain)[..., None]
    return mapset(0.8, 0.006, colour, 0.55 + 0.05 * grain + 0.15 * rust, height, 6.0)


def copper(size: int = 1024, seed: int = 81) -> tuple[MapSet, np.ndarray]:
    """Hammered copper with verdigris in its hollows, and its metalness."""
    near, second = cell_distances(size, seed, 420)
    dents = blurred(np.clip((near / 0.034) ** 2, 0, 1) - 0.25 * soft_step(0.006 - (second - near), 0.0, 0.006), 2)
    height = stretched(dents + 0.03 * fractal_field(size, seed + 1, slope=1.6, low=4))
    film = fractal_field(size, seed + 2, slope=1.9, low=2, high=60)
    green = soft_step(film - 1.6 * height + 0.4, 0.5, 1.4)
    bright = _mix(_tint(0.93, 0.52, 0.36), _tint(0.66, 0.33, 0.22), soft_step(film, -1.0, 1.8))
    colour = _mix(bright, _tint(0.16, 0.36, 0.29), green)
    rough = 0.26 + 0.07 * soft_step(film, -1, 2) + 0.5 * green
    return mapset(0.3, 0.0012, colour, rough, height, 5.0), 1 - green


def limewash(size: int = 512, seed: int = 91) -> MapSet:
    """Brushed lime on plaster: broad strokes, bare patches, hairline cracks."""
    strokes = fractal_field(size, seed, slope=1.3, low=4, high=70, stretch=(3.0, 1.0))
    bare = soft_step(fractal_field(size, seed + 1, slope=2.1, low=1, high=10), 0.6, 1.6)
    near, second = cell_distances(size, seed + 2, 60)
    crack = (1 - soft_step(second - near, 0.0006, 0.003)) * soft_step(strokes, -2, 0.5)
    height = stretched(0.3 * strokes - 0.6 * bare - 0.8 * crack)
    colour = _mix(_tint(0.74, 0.72, 0.66), _tint(0.46, 0.38, 0.30), bare * 0.8) * (1 + 0.04 * strokes)[..., None]
    return mapset(1.2, 0.004, _mix(colour, _tint(0.2, 0.17, 0.14), crack * 0.6), 0.85 + 0.03 * strokes, height, 4.0)


def canvas(size: int = 512, seed: int = 101) -> MapSet:
    """A plain weave of undyed cotton, a little uneven."""
    count = 40
    y, x = np.meshgrid((np.arange(size) + 0.5) / size * count, (np.arange(size) + 0.5) / size * count, indexing="ij")
    over = (np.floor(x) + np.floor(y)) % 2
    warp, weft = np.abs(np.sin(np.pi * x)), np.abs(np.sin(np.pi * y))
    threads = np.where(over > 0, weft * (0.55 + 0.45 * warp), warp * (0.55 + 0.45 * weft))
    slubs = fractal_field(size, seed, slope=1.2, low=2, high=120, stretch=(6.0, 1.0))
    height = stretched(threads + 0.1 * slubs)
    worn = fractal_field(size, seed + 1, slope=2.0, low=1, high=10)
    colour = _mix(_tint(0.50, 0.43, 0.31), _tint(0.62, 0.56, 0.43), soft_step(worn, -1.5, 1.5))
    return mapset(
        0.1, 0.0008, colour * (0.72 + 0.28 * threads + 0.04 * slubs)[..., None], 0.86 + 0.04 * slubs, height, 3.0
    )


def soil(size: int = 1024, seed: int = 111) -> MapSet:
    """Potting soil: crumbs of three sizes, white perlite."""
    total = np.zeros((size, size))
    for number, count in enumerate((160, 900, 4200)):
        near, _ = cell_distances(size, seed + number, count)
        total += np.clip(1 - near * np.sqrt(count) * 1.25, 0, 1) / (1 + number)
    height = stretched(total + 0.05 * fractal_field(size, seed + 4, slope=0.9, low=20))
    near, second = cell_distances(size, seed + 5, 900)
    perlite = soft_step(0.0065 - near, 0.0, 0.0015) * soft_step(np.sin(second * 9000), 0.75, 0.95)
    damp = fractal_field(size, seed + 6, slope=1.8, low=1, high=16)
    colour = _mix(_tint(0.030, 0.020, 0.013), _tint(0.085, 0.058, 0.036), height) * (1 + 0.12 * damp)[..., None]
    return mapset(
        0.4, 0.02, _mix(colour, _tint(0.62, 0.60, 0.56), perlite), 0.92 - 0.06 * soft_step(damp, 0, 2), height, 6.0
    )


def wall_tiles(size: int, seed: int, glaze: tuple[float, float, float]) -> MapSet:
    """Four by four glazed tiles with grey joints."""
    y, x = np.meshgrid((np.arange(size) + 0.5) / size * 4, (np.arange(size) + 0.5) / size * 4, indexing="ij")
    edge = np.minimum(np.minimum(x % 1, 1 - x % 1), np.minimum(y % 1, 1 - y % 1))
    face = soft_step(edge, 0.018, 0.05)
    rng = np.random.default_rng(seed)
    tone = rng.normal(0, 0.09, (4, 4))[np.floor(y).astype(int) % 4, np.floor(x).astype(int) % 4]
    pool = fractal_field(size, seed, slope=2.0, low=2, high=24)
    height = stretched(face + 0.03 * pool * face)
    colour = _mix(_tint(0.36, 0.34, 0.31), np.clip(_tint(*glaze) * (1 + tone + 0.06 * pool)[..., None], 0, 1), face)
    return mapset(0.6, 0.004, colour, 0.75 - 0.62 * face, height, 4.0)


# ---- habits -------------------------------------------------------------------------------------


def _save(path: Path, values: np.ndarray, *, colour: bool = False, bits: int = 8, down: bool = False) -> None:
    """Writes a map; `down` turns its green."""
    if down:
        values = np.stack([values[..., 0], 1 - values[..., 1], values[..., 2]], axis=-1)
    if path.suffix == ".exr":
        write_image(path, values.astype(np.float32), bits=16)
    else:
        write_image(path, encoded(values, colour=colour, bits=bits))


def _terracotta(root: Path) -> None:
    maps, at = terracotta(), root / "terracotta"
    _save(at / "terracotta_base_color.png", maps.base_color, colour=True)
    _save(at / "terracotta_roughness.png", maps.roughness)
    _save(at / "terracotta_normal.png", maps.normal)
    _save(at / "terracotta_height.png", maps.height, bits=16)
    _save(at / "terracotta_ambient_occlusion.png", maps.occlusion)


def _celadon(root: Path) -> None:
    maps, at = celadon(), root / "Celadon Glaze"
    _save(at / "CeladonGlaze_Albedo.png", maps.base_color, colour=True)
    _save(at / "CeladonGlaze_Gloss.png", 1 - maps.roughness)
    _save(at / "CeladonGlaze_NormalDX.png", maps.normal, down=True)
    _save(at / "CeladonGlaze_AO.jpg", maps.occlusion)


def _bench_wood(root: Path) -> None:
    maps, at = bench_wood(), root / "bench-wood"
    _save(at / "bench-wood-diff-1k.jpg", maps.base_color, colour=True)
    _save(at / "bench-wood-rough-1k.jpg", maps.roughness)
    _save(at / "bench-wood-nor-gl-1k.png", maps.normal)
    _save(at / "bench-wood-disp-1k.png", maps.height, bits=16)


def _slate(root: Path) -> None:
    maps, at = slate(), root / "SlateFloor"
    _save(at / "SlateFloor_colour.png", maps.base_color, colour=True)
    packed = np.stack([maps.occlusion, maps.roughness, np.zeros_like(maps.roughness)], axis=-1)
    _save(at / "SlateFloor_ORM.png", packed)
    _save(at / "SlateFloor-Normal.png", maps.normal, down=True)  # no name says so; the height map does
    _save(at / "SlateFloor_height.exr", maps.height)


def _copper(root: Path) -> None:
    maps, metal = copper()
    at = root / "copper"
    _save(at / "copper_d.png", maps.base_color, colour=True)
    _save(at / "copper_r.png", maps.roughness)
    _save(at / "copper_m.png", metal)
    _save(at / "copper_n.png", maps.normal)
    _save(at / "copper_h.png", maps.height)


def _limewash(root: Path) -> None:
    maps, at = limewash(), root / "Kalkputz"
    _save(at / "Kalkputz_Farbe.png", maps.base_color, colour=True)
    _save(at / "Kalkputz_Rauheit.png", maps.roughness)
    _save(at / "Kalkputz_Höhe.png", maps.height, bits=16)


def _canvas(root: Path) -> None:
    maps, at = canvas(), root / "canvas apron"
    _save(at / "canvas apron color.tif", maps.base_color, colour=True)
    _save(at / "canvas apron roughness.tif", maps.roughness)
    _save(at / "canvas apron normal opengl.tif", maps.normal)
    _save(at / "canvas apron bump.tif", maps.height)


def _splashback(root: Path) -> None:
    at = root / "splashback"
    for number, glaze in enumerate(((0.20, 0.36, 0.33), (0.56, 0.53, 0.44), (0.14, 0.24, 0.36))):
        maps, tile = wall_tiles(512, 121 + number, glaze), 1001 + number
        _save(at / f"splashback_albedo.{tile}.png", maps.base_color, colour=True)
        _save(at / f"splashback_rough.{tile}.png", maps.roughness)
        _save(at / f"splashback_nrm.{tile}.png", maps.normal)


def _trough(root: Path) -> None:
    at = root / "stone trough"
    for tile in (1001, 1002, 1004):  # the third was never delivered
        maps = limewash(256, 130 + tile)
        _save(at / f"trough_basecolor_{tile}.png", maps.base_color * 0.6, colour=True)
        _save(at / f"trough_smoothness_{tile}.png", 1 - maps.roughness)


def _gravel(root: Path) -> None:
    picture = photograph("gravel", 1024, 9)
    at = root / "gravel path"
    write_image(at / "gravel_path_photo.jpg", picture.pixels)
    write_image(at / "preview.jpg", np.ascontiguousarray(picture.pixels[::4, ::4]))
    (at / "read me.txt").write_text("Taken at noon, overcast. Not made to tile yet.\n", encoding="utf-8")


def _soil(root: Path) -> None:
    maps, at = soil(), root / "POTTINGSOIL"
    _save(at / "POTTINGSOIL_Colour.jpg", maps.base_color, colour=True)
    _save(at / "POTTINGSOIL_GLOSS.jpg", 1 - maps.roughness)
    _save(at / "POTTINGSOIL_NRM_1K.png", maps.normal)
    _save(at / "POTTINGSOIL-height.png", maps.height, bits=16)


SLANTED = {
    "bricks": (134.0, (20.0, -12.0), 2.0),
    "planks": (220.0, (-12.0, 16.0), -1.5),
    "weave": (100.0, (8.0, 9.0), 3.0),
}
"""Photographs taken at a slant: the pattern's length in pixels, how the wall leans, how the camera is held."""


def _photographs(root: Path) -> None:
    for number, kind in enumerate(KINDS):
        write_image(root / "photographs" / f"{kind}.jpg", photograph(kind, 768, 21 + number).pixels)
    for kind, (period, slant, roll) in SLANTED.items():
        picture = regular_photograph(kind, (600, 800), 31, period=period, slant=slant, roll=roll)
        write_image(root / "photographs" / f"{kind}.jpg", picture.pixels)


def _environments(root: Path) -> None:
    write_image(root / "environments" / "studio.hdr", studio(512))
    write_image(root / "environments" / "morning sky.hdr", sky(512))


PARTS: dict[str, Writer] = {
    "terracotta": _terracotta,
    "celadon": _celadon,
    "bench wood": _bench_wood,
    "slate": _slate,
    "copper": _copper,
    "limewash": _limewash,
    "canvas": _canvas,
    "splashback": _splashback,
    "stone trough": _trough,
    "potting soil": _soil,
    "gravel": _gravel,
    "photographs": _photographs,
    "environments": _environments,
}

DONE = ".complete"


def is_made(folder: Path) -> bool:
    return (folder / DONE).is_file()


def library_steps(folder: Path) -> Steps[None]:
    """Writes the sample library into a folder, part by part: what, and how far (0 to 1). Raises CollageError."""
    for done, (name, write) in enumerate(PARTS.items()):
        yield Progress(f"Making {name}", done / len(PARTS))
        write(folder)
    (folder / DONE).write_text("", encoding="utf-8")
