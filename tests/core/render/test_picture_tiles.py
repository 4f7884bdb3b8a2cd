"""Large pictures in tiles: the same to the last bit, in memory that does not grow with them."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.evaluate.run import Cancelled
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render import tiles as module
from collage.core.render.renderer import Renderer
from collage.core.render.request import region_from
from collage.core.render.tiles import MARGIN, tiles
from collage.core.render.tracing import Tracing


@pytest.mark.parametrize("size", [(64, 48), (1280, 800), (7680, 4320), (4000, 17), (17, 40000), (513, 513)])
def test_tiles_cover_the_picture_once_and_begin_where_patterns_do(size):
    covered = np.zeros((size[1], size[0]), np.uint8)
    for tile in tiles(*size):
        covered[tile.inner.rows, tile.inner.columns] += 1
        assert (tile.inner.x % MARGIN, tile.inner.y % MARGIN) == (0, 0)
        assert (tile.outer.x % MARGIN, tile.outer.y % MARGIN) == (0, 0)
        shape = np.empty((tile.outer.height, tile.outer.width))[tile.rows, tile.columns].shape
        assert shape == (tile.inner.height, tile.inner.width)
        assert tile.outer.width * tile.outer.height < 1.3 * module.PIXELS
    assert (covered == 1).all()


@pytest.mark.parametrize(
    ("mode", "quality"), [("lit", "final"), ("lit", "draft"), ("normals", "draft"), ("clay", "draft")]
)
def test_a_picture_in_tiles_is_the_same_to_the_last_bit(library, whole_shed, monkeypatch, mode, quality):
    project, _ = load_project(whole_shed)
    glass = project.materials["Celadon glaze"]
    surface = next(card for card in glass.cards.values() if card.category == "open_pbr_surface")
    project = project.with_material(
        "Celadon glaze", edits.set_value(glass, surface.name, "geometry_opacity", "float", 0.6)
    )  # what lies behind is looked at too
    request = picture_request(project, 150, 110, quality, mode, folder=whole_shed)
    whole = Renderer(library).picture(request)
    monkeypatch.setattr("collage.core.render.renderer.tiles", lambda *size, whole: tiles(*size, 1500, 48))
    renderer = Renderer(library)
    parts = renderer.picture(request)
    np.testing.assert_array_equal(parts.linear, whole.linear)
    np.testing.assert_array_equal(parts.display, whole.display)
    np.testing.assert_array_equal(parts.objects, whole.objects)
    assert renderer.caches.views.count == 0, "nothing of a tile is kept"


def test_it_is_cancelled_between_tiles(library, whole_shed):
    project, _ = load_project(whole_shed)
    request = picture_request(project, 1280, 800, "final", folder=whole_shed)
    steps = Renderer(library).steps(request, cancelled=lambda: len(seen) > 1)
    seen = []
    with pytest.raises(Cancelled):
        for step in steps:
            seen.append(step.share)
    assert len(seen) == 2
    assert 0 < seen[0] < seen[1] < 0.1


def test_a_draft_of_the_previews_size_is_made_whole_and_kept(library, whole_shed):
    project, _ = load_project(whole_shed)
    renderer = Renderer(library)
    renderer.picture(picture_request(project, 640, 480, "draft", folder=whole_shed))
    assert renderer.caches.views.count == 1
    renderer.picture(picture_request(project, 640, 480, "final", folder=whole_shed))
    assert renderer.caches.views.count == 1, "nothing is kept of a picture for a file"


PEAK = """
import resource, sys
from pathlib import Path
from collage.core.nodes.library import load_library
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.core.render.request import region_from
folder = Path(sys.argv[1])
project, _ = load_project(folder)
renderer = Renderer(load_library())
picture = renderer.picture(picture_request(project, 96, 72, "draft", folder=folder))
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
renderer.picture(picture_request(project, int(sys.argv[2]), int(sys.argv[3]), "draft", folder=folder))
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024)
"""


def test_memory_does_not_grow_with_the_picture(whole_shed: Path):
    def peak(width: int, height: int) -> float:
        command = [sys.executable, "-c", PEAK, str(whole_shed), str(width), str(height)]
        return float(subprocess.run(command, capture_output=True, text=True, check=True, env=os.environ).stdout)

    small, large = peak(1024, 768), peak(1920, 1080)
    own = 1920 * 1080 * (3 * 4 + 3 + 4) / 2**20  # its pixels, as light, as shown, and the triangles
    assert large < small + own + 120


@pytest.mark.parametrize("quality", ["final", "draft", "traced"])
def test_a_region_is_that_part_of_the_whole_picture(library, whole_shed, monkeypatch, quality):
    project, _ = load_project(whole_shed)
    how = Tracing(samples=2)
    whole = picture_request(project, 150, 110, quality, folder=whole_shed, tracing=how)
    part = picture_request(project, 150, 110, quality, folder=whole_shed, tracing=how, region=(40, 30, 61, 45))
    monkeypatch.setattr("collage.core.render.renderer.PIXELS", 8 * 1500)
    monkeypatch.setattr("collage.core.render.renderer.ACROSS", 4 * 48)
    wanted, found = (Renderer(library).picture(one) for one in (whole, part))
    assert found.display.shape == (45, 61, 3)
    np.testing.assert_array_equal(found.linear, wanted.linear[30:75, 40:101])
    np.testing.assert_array_equal(found.display, wanted.display[30:75, 40:101])
    for name, layer in found.layers.items():
        np.testing.assert_array_equal(layer.values, wanted.layers[name].values[30:75, 40:101])


@pytest.mark.parametrize("region", [(-1, 0, 10, 10), (0, 0, 151, 10), (0, 0, 0, 5), (149, 109, 2, 1)])
def test_a_region_beside_the_picture_is_told(library, whole_shed, region):
    project, _ = load_project(whole_shed)
    with pytest.raises(CollageError, match="does not lie in the picture"):
        Renderer(library).picture(picture_request(project, 150, 110, "final", folder=whole_shed, region=region))
    with pytest.raises(CollageError, match="is no region"):
        region_from("a,b", (10, 10))
    assert region_from(" ", (10, 10)) is None
    assert region_from("1,2,3,4", (10, 10)) == (1, 2, 3, 4)
