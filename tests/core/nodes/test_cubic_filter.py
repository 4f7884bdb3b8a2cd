"""Images read by the cubic filter: the B-spline between texels in pictures, linear where the standard's reference is."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import Points, sheet
from collage.core.images.files import write_image

SIDE, FINE = 8, 20  # texels, and pixels in each


def read(
    library, file: Path | str, how: str, points: Points, mode: str = "periodic", filtered: bool = True
) -> np.ndarray:
    network = parse_document(
        f"""<materialx version="1.39"><image name="i" type="float"><input name="file" type="filename" value="{file}"/>
        <input name="filtertype" type="string" value="{how}"/>
        <input name="uaddressmode" type="string" value="{mode}"/>
        <input name="vaddressmode" type="string" value="{mode}"/></image></materialx>""".encode()
    )
    plan = build_plan(library, network, {"i": CardOutput("i")}, filtered=filtered)
    found = run(plan, points)["i"]
    side = round(points.count**0.5)
    return np.broadcast_to(found, (1, points.count)).reshape(side, side)


def spline(x: np.ndarray) -> np.ndarray:
    """The cubic B-spline's share of a texel at a distance of x texels (I. J. Schoenberg, 1946)."""
    x = np.abs(x)
    return np.where(x < 1, 2 / 3 - x**2 + x**3 / 2, np.where(x < 2, (2 - x) ** 3 / 6, 0))


def lone(path: Path, column: int, row: int) -> Path:
    texels = np.zeros((SIDE, SIDE, 1), np.float32)
    texels[row, column] = 1
    write_image(path, texels)
    return path


@pytest.mark.parametrize(("column", "row"), [(3, 4), (0, 7)])
def test_a_lone_texel_is_the_spline_itself(library, tmp_path: Path, column: int, row: int) -> None:
    found = read(
        library, lone(tmp_path / "one.exr", column, row), "cubic", sheet(SIDE * FINE, SIDE * FINE, filtered=True)
    )
    place = (np.arange(SIDE * FINE) + 0.5) / FINE - 0.5

    def share(at: int) -> np.ndarray:
        return sum(spline(place - at + turn * SIDE) for turn in (-1, 0, 1))

    np.testing.assert_allclose(found, share(row)[:, None] * share(column), atol=2e-5)


@pytest.mark.parametrize("mode", ["clamp", "mirror", "constant"])
def test_at_its_edge_it_goes_on_as_it_is_told(library, tmp_path: Path, mode: str) -> None:
    rng = np.random.default_rng(3)
    texels = rng.random((SIDE, SIDE, 1)).astype(np.float32)
    write_image(tmp_path / "any.exr", texels)
    found = read(library, tmp_path / "any.exr", "cubic", sheet(SIDE * FINE, SIDE * FINE, filtered=True), mode)
    more = np.pad(texels[..., 0], 2, mode={"clamp": "edge", "mirror": "symmetric", "constant": "constant"}[mode])
    place = (np.arange(SIDE * FINE) + 0.5) / FINE - 0.5
    shares = spline(place[:, None] - np.arange(-2, SIDE + 2))
    np.testing.assert_allclose(found, shares @ more @ shares.T, atol=2e-5)


def test_there_are_no_kinks_as_linear_has_them(library, tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    write_image(tmp_path / "any.png", rng.integers(0, 255, (SIDE, SIDE)).astype(np.uint8))
    bends = {}
    for how in ("linear", "cubic"):
        rows = read(library, tmp_path / "any.png", how, sheet(SIDE * FINE, SIDE * FINE, filtered=True))
        bends[how] = np.abs(np.diff(rows, 2, axis=1)).max()
    assert bends["cubic"] < 0.15 * bends["linear"]


def test_in_full_it_is_linear_as_for_the_reference_and_from_afar_too(library, tmp_path: Path) -> None:
    path = lone(tmp_path / "one.exr", 3, 4)
    full, small = sheet(40, 40), sheet(4, 4, filtered=True)
    assert np.array_equal(
        read(library, path, "cubic", full, filtered=False), read(library, path, "linear", full, filtered=False)
    )
    assert np.array_equal(read(library, path, "cubic", small), read(library, path, "linear", small))


def test_tiles_are_read_so_too(library, tmp_path: Path) -> None:
    lone(tmp_path / "one.1001.exr", 3, 4)
    points = sheet(SIDE * FINE, SIDE * FINE, filtered=True)
    found = read(library, tmp_path / "one.<UDIM>.exr", "cubic", points)
    np.testing.assert_allclose(found, read(library, tmp_path / "one.1001.exr", "cubic", points), atol=1e-6)
    assert found.max() == pytest.approx(spline(np.array(1 / FINE / 2)) ** 2, abs=1e-4)
