"""Makes the pictures that come with the program: those of the start page's cards and of the effects."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from collage.app.shell.start import window_shot
from collage.app.shell.window import MainWindow
from collage.cli.shared import prepare_kernels
from collage.core.images.files import read_pixels, write_image
from collage.core.images.region import floats, resized
from collage.core.nodes.effects import EFFECTS
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.fresh import ball_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.swatch import effect_swatch
from collage.demo.shed import make_sample

ASSETS = Path(__file__).parent.parent / "src" / "collage" / "app" / "assets"
OUT = ASSETS / "start"
TILE = 116, 84  # twice as large as they are drawn
WIDTH, HEIGHT = 408, 264  # twice as large as they are drawn
MAPS = ("terracotta", "celadon", "bench_wood")
LINE = 4  # pixels between the maps


def maps(folder: Path) -> np.ndarray:
    """Six maps of the sample in two rows."""
    files = [path for name in MAPS for path in sorted((folder / "maps" / name).iterdir())[:4]]
    picture = np.full((HEIGHT, WIDTH, 3), 214, np.uint8)
    wide, high = (WIDTH - 2 * LINE) // 3, (HEIGHT - LINE) // 2
    for number in range(6):
        file = files[(number % 3) * 4 + (number // 3) * 2]
        pixels = floats(read_pixels(file))[:, :, :3]
        if pixels.shape[2] < 3:
            pixels = np.repeat(pixels[:, :, :1], 3, axis=2)
        size = min(pixels.shape[:2]) // 2
        cut = resized(np.ascontiguousarray(pixels[:size, :size]), wide)[:high, :wide]
        x, y = (number % 3) * (wide + LINE), (number // 3) * (high + LINE)
        picture[y : y + high, x : x + wide] = (np.clip(cut, 0, 1) * 255 + 0.5).astype(np.uint8)
    return picture


def board(window: MainWindow) -> None:
    """Nothing is selected."""
    window.session.select([])


def main() -> None:
    prepare_kernels()
    OUT.mkdir(parents=True, exist_ok=True)
    renderer = Renderer(load_library())
    (ASSETS / "effects").mkdir(exist_ok=True)
    for effect in EFFECTS.values():
        write_image(ASSETS / "effects" / f"{effect.name}.png", effect_swatch(renderer, effect, TILE))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "shed"
        make_sample("potting-shed", folder)
        project, _ = load_project(folder)
        for file, shown, base in (("potting-shed", project, folder), ("ball", ball_project(), None)):
            picture = renderer.picture(picture_request(shown, WIDTH, HEIGHT, "final", folder=base))
            write_image(OUT / f"{file}.png", picture.display)
        write_image(OUT / "gather.png", maps(folder))
        shot = Path(name) / "wire.png"
        window_shot(folder, shot, prepare=board)
        whole = read_pixels(shot)[:, :, :3]
        write_image(OUT / "walk.png", np.ascontiguousarray(whole[150 : 150 + HEIGHT, 345 : 345 + WIDTH]))


if __name__ == "__main__":
    main()
