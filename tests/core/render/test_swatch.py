"""Small pictures of materials alone."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.render.renderer import Renderer
from collage.core.render.swatch import swatch


def test_a_swatch_shows_the_material_on_a_ball_in_the_middle(library, tmp_path: Path) -> None:
    material = edits.set_value(new_material(), "surface", "base_color", "color3", (0.6, 0.02, 0.02))
    picture = swatch(Renderer(library), material, tmp_path, (80, 60)).astype(int)
    middle, corner = picture[25:35, 35:45].mean(axis=(0, 1)), picture[:4, :4].mean(axis=(0, 1))
    assert picture.shape == (60, 80, 3)
    assert middle[0] > 2 * middle[2], "red"
    assert np.ptp(corner) < 4, "before neutral grey"
    red = picture[..., 0] - picture[..., 2] > 20
    border = np.concatenate([red[0], red[-1], red[:, 0], red[:, -1]])
    assert not border.any(), "the ball is whole"
    assert 0.2 < red.mean() < 0.6
